package macos

// Tool is one of the system's own tools with its arguments; its standard
// output is the source.
type Tool struct {
	Path string
	Args []string
	// Form of the output: property list, JSON, or text.
	Form Form
	// Keys that are kept of a property list or JSON; everything else is dropped
	// before it is kept.
	Keys []string
}

// Form of a tool's output.
type Form int8

// The forms.
const (
	List Form = iota // a property list
	JSON
	Text // a line or two, kept as they are
	Mark // only whether there is any output
)

// Source is the tool's name in a capture.
func (t Tool) Source() string {
	s := "tool:" + t.Path
	for _, a := range t.Args {
		s += " " + a
	}
	return s
}

// Sysctl is the source of a value of the kernel.
func Sysctl(name string) string { return "sysctl:" + name }

// SysctlText is the source of the same as the system's tool for it writes it,
// which is what a script has.
func SysctlText(name string) string { return "sysctl -n " + name }

// Sysctls are the values of the kernel that are read: numbers as the kernel
// hands them out, texts.
var Sysctls = []string{
	"kern.hostname", "kern.osproductversion", "kern.osversion", "hw.model", "hw.memsize", "hw.packages",
	"hw.physicalcpu_max", "hw.logicalcpu_max", "hw.cpufrequency_max", "hw.optional.arm64", "kern.hv_vmm_present",
	"machdep.cpu.brand_string", "machdep.cpu.vendor", "machdep.cpu.family", "machdep.cpu.model", "machdep.cpu.stepping",
	"machdep.cpu.features", "machdep.cpu.leaf7_features", "machdep.cpu.extfeatures", "machdep.cpu.core_count",
}

// The tools, by what they tell.
var (
	Platform = Tool{
		"/usr/sbin/ioreg", []string{"-a", "-rd1", "-c", "IOPlatformExpertDevice"}, List,
		[]string{"IOPlatformSerialNumber", "IOPlatformUUID", "manufacturer", "board-id"},
	}
	Tables  = Tool{"/usr/sbin/ioreg", []string{"-a", "-rd1", "-c", "AppleSMBIOS"}, List, []string{"SMBIOS"}}
	Battery = Tool{
		"/usr/sbin/ioreg", []string{"-a", "-rn", "AppleSmartBattery"}, List,
		[]string{
			"BatteryInstalled", "CurrentCapacity", "MaxCapacity", "DesignCapacity", "AppleRawMaxCapacity",
			"ExternalConnected",
		},
	}
	Hardware = Tool{
		"/usr/sbin/system_profiler", []string{"-json", "SPHardwareDataType", "SPiBridgeDataType"}, JSON,
		[]string{
			"SPHardwareDataType", "SPiBridgeDataType", "machine_name", "machine_model", "chip_type", "boot_rom_version",
			"ibridge_model_name", "ibridge_secure_boot",
		},
	}
	Screens = Tool{
		"/usr/sbin/system_profiler", []string{"-json", "SPDisplaysDataType"}, JSON,
		[]string{
			"SPDisplaysDataType", "sppci_model", "spdisplays_mtlgpufamilysupport", "spdisplays_ndrvs",
			"_spdisplays_pixels", "_spdisplays_edid", "spdisplays_connection_type", "spdisplays_depth",
		},
	}
	RootInfo = Tool{"/usr/sbin/diskutil", []string{"info", "-plist", "/"}, List, volumeKeys}
	DiskList = Tool{
		"/usr/sbin/diskutil", []string{"list", "-plist", "physical"}, List,
		[]string{"WholeDisks", "AllDisksAndPartitions", "DeviceIdentifier", "Partitions", "Content", "Size"},
	}
	Vault = Tool{"/usr/bin/fdesetup", []string{"status"}, Text, nil}
	// Whether people unlock the volume, by a password; never who. The keys for recovery: of this Mac, and of whoever
	// manages it.
	VaultUsers   = Tool{"/usr/bin/fdesetup", []string{"list"}, Mark, nil}
	VaultKey     = Tool{"/usr/bin/fdesetup", []string{"haspersonalrecoverykey"}, Text, nil}
	VaultManaged = Tool{"/usr/bin/fdesetup", []string{"hasinstitutionalrecoverykey"}, Text, nil}

	Policy = Tool{
		"/usr/sbin/nvram", []string{"-x", "94b73556-2197-4702-82a8-3e1337dafbfb:AppleSecureBootPolicy"}, List,
		[]string{"94b73556-2197-4702-82a8-3e1337dafbfb:AppleSecureBootPolicy"},
	}
	Enrolled  = Tool{"/usr/bin/profiles", []string{"status", "-type", "enrollment"}, Text, nil}
	Directory = Tool{"/usr/sbin/dsconfigad", []string{"-show"}, Mark, nil}
)

// Tools are all that are asked, apart from [DiskInfo] of each disk.
var Tools = []Tool{
	Platform, Tables, Battery, Hardware, Screens, RootInfo, DiskList, Vault, VaultUsers, VaultKey, VaultManaged, Policy,
	Enrolled, Directory,
}

var volumeKeys = []string{
	"APFSContainerFree", "APFSContainerSize", "FreeSpace", "TotalSize", "Size", "FilesystemType", "ParentWholeDisk",
	"APFSPhysicalStores", "APFSPhysicalStore", "DeviceIdentifier",
}

// DiskInfo tells of one disk.
func DiskInfo(disk string) Tool {
	return Tool{
		"/usr/sbin/diskutil", []string{"info", "-plist", disk}, List,
		[]string{
			"DeviceIdentifier", "Size", "TotalSize", "SolidState", "BusProtocol", "Internal", "MediaName",
			"RemovableMedia", "VirtualOrPhysical", "SMARTStatus", "Content",
		},
	}
}

// Files of the system.
const (
	VersionFile  = "/System/Library/CoreServices/SystemVersion.plist"
	Applications = "/Applications"
	Interfaces   = "interfaces" // a line of name and state of each network interface with hardware
	Asked        = "software asked for"
	Updates      = "/Library/Preferences/com.apple.SoftwareUpdate.plist"
	Backups      = "/Library/Preferences/com.apple.TimeMachine.plist"
)

// What is kept of the system's version, of a title's own description, of what the system notes of its updates, and of
// its backups. A backup's place is not kept.
var (
	UpdateKeys  = []string{"LastUpdatesAvailable"}
	BackupKeys  = []string{"Destinations", "SnapshotDates"}
	VersionKeys = []string{"ProductName", "ProductVersion", "ProductBuildVersion"}
	TitleKeys   = []string{"CFBundleIdentifier", "CFBundleName", "CFBundleShortVersionString", "CFBundleVersion"}
)

// Title is the source of an application's own description.
func Title(bundle string) string { return Applications + "/" + bundle + "/Contents/Info.plist" }

// Receipt is the source of whether an application came from the system's store.
func Receipt(bundle string) string {
	return Applications + "/" + bundle + "/Contents/_MASReceipt/receipt"
}
