package windows

import "fmt"

// Sources of a capture from Windows. A source is a call of the system with
// what it was asked, or reg: and a value, or reg: and a key whose names of
// subkeys are listed. reg32: is the view of 32-bit programs.
const (
	Version       = "RtlGetVersion"                      // RTL_OSVERSIONINFOW
	Native        = "IsWow64Process2"                    // machine of the process, of the system: two 16-bit words
	SystemInfo    = "GetNativeSystemInfo"                // the processor architecture, a 16-bit word
	Binary        = "collector architecture"             // of the program that reads, as text
	CPUID         = "cpuid"                              // package cpu
	Topology      = "GetLogicalProcessorInformationEx"   // all relationships
	Clocks        = "CallNtPowerInformation:11"          // PROCESSOR_POWER_INFORMATION of each thread
	Firmware      = "GetSystemFirmwareTable:RSMB"        // RawSMBIOSData
	Memory        = "GlobalMemoryStatusEx"               // MEMORYSTATUSEX
	MemoryFitted  = "GetPhysicallyInstalledSystemMemory" // KiB, 64 bits
	FirmwareType  = "GetFirmwareType"                    // 1 legacy, 2 UEFI
	BootInfo      = "NtQuerySystemInformation:90"        // GUID, firmware type
	SecureBoot    = "NtQuerySystemInformation:145"       // enabled, capable
	Isolation     = "NtQuerySystemInformation:165"       // bit 0 of byte 0: running
	TBS           = "Tbsi_GetDeviceInfo"                 // TPM_DEVICE_INFO
	Ask2          = "Tbsip_Submit_Command:2.0"           // the answer to tpm.Command2
	Ask12         = "Tbsip_Submit_Command:1.2"           // the answer to tpm.Command12
	Flags12       = "Tbsip_Submit_Command:1.2/flags"     // the answer to tpm.CommandFlags12
	Drive         = "GetSystemWindowsDirectory"          // the drive letter, as C:
	Extents       = "IOCTL_VOLUME_GET_VOLUME_DISK_EXTENTS"
	Space         = "GetDiskFreeSpaceEx"   // free to the caller, size, free: 64 bits each
	Filesystem    = "GetVolumeInformation" // its name
	VolumeHead    = "first sector of the system volume"
	Volume        = "Win32_EncryptableVolume" // a line each of a method, its code and its answer: see protection
	ESPSpace      = "GetDiskFreeSpaceEx:EFI system partition"
	ESPLoader     = "loader on the EFI system partition" // a mark: there or not
	Disks         = "disks/"                             // the numbers
	Adapters      = "adapters/"                          // the numbers
	Level         = "D3D12CreateDevice"                  // highest level that the default adapter takes, in hexadecimal
	Displays      = "displays/"                          // the numbers
	Devices       = "devices/"                           // the numbers
	PowerStatus   = "GetSystemPowerStatus"
	Uplinks       = "GetAdaptersAddresses" // a line of type and status each
	Joined        = "NetGetJoinInformation"
	Accounts      = "NetUserGetInfo:24"                    // the kind of each account, and whether there are more
	BackupEvent   = "EvtRender:Microsoft-Windows-Backup/4" // EVT_VARIANT of when a backup was finished
	BIOSSettings  = "CIM_BIOSEnumeration"                  // lines as SettingsLine makes them
	Updates       = "IUpdateSearcher.Search"               // how many updates wait, from what the system found before
	Licence       = "SLIsGenuineLocal"                     // SL_GENUINE_STATE of the system
	SoftwareNamed = "software asked for"                   // a line each of the titles that were to be kept; * for all
)

// Table is an ACPI table.
func Table(name string) string { return "GetSystemFirmwareTable:ACPI/" + name }

// Variable is a UEFI variable of the global GUID: four bytes of attributes,
// then the data.
func Variable(name string) string { return "GetFirmwareEnvironmentVariableEx:" + name }

// What is asked of a disk: bytes of the named DeviceIoControl.
const (
	Descriptor = "STORAGE_DEVICE_DESCRIPTOR"
	Seek       = "DEVICE_SEEK_PENALTY_DESCRIPTOR"
	HealthLog  = "STORAGE_PROTOCOL_DATA_DESCRIPTOR"
	Predicted  = "STORAGE_PREDICT_FAILURE"
	Geometry   = "DISK_GEOMETRY_EX"
	Layout     = "DRIVE_LAYOUT_INFORMATION_EX"
	Head       = "sectors"
)

// Disk is what was asked of the disk with a number.
func Disk(number, what string) string { return fmt.Sprintf("disk:%s/%s", number, what) }

// What is asked of an adapter and a display.
const (
	DriverModel = "KMTQAITYPE_DRIVERVERSION"
	AdapterKind = "KMTQAITYPE_ADAPTERTYPE"
	DeviceIDs   = "KMTQAITYPE_PHYSICALADAPTERDEVICEIDS"
	Technology  = "outputTechnology"
	EDID        = "EDID"
)

// Adapter is what was asked of the graphics adapter with a number.
func Adapter(number, what string) string { return fmt.Sprintf("adapter:%s/%s", number, what) }

// Display is what was asked of the display with a number.
func Display(number, what string) string { return fmt.Sprintf("display:%s/%s", number, what) }

// Device is a present device: lines of name and value.
func Device(number string) string { return "device:" + number }

// Keys of the registry, below HKEY_LOCAL_MACHINE.
const (
	KeyVersion    = `SOFTWARE\Microsoft\Windows NT\CurrentVersion`
	KeyBIOS       = `HARDWARE\DESCRIPTION\System\BIOS`
	KeyProcessor  = `HARDWARE\DESCRIPTION\System\CentralProcessor\0`
	KeyName       = `SYSTEM\CurrentControlSet\Control\ComputerName\ComputerName`
	KeySecureBoot = `SYSTEM\CurrentControlSet\Control\SecureBoot\State`
	KeyEncryption = `SYSTEM\CurrentControlSet\Control\BitLockerStatus`
	KeyGuard      = `SYSTEM\CurrentControlSet\Control\DeviceGuard`
	KeyLanguage   = `SYSTEM\CurrentControlSet\Control\Nls\Language`
	KeyUninstall  = `SOFTWARE\Microsoft\Windows\CurrentVersion\Uninstall`
	KeyPackages   = `SOFTWARE\Microsoft\Windows\CurrentVersion\Appx\AppxAllUserStore\Applications`
	KeyEnrolled   = `SOFTWARE\Microsoft\Enrollments`
	KeyCloud      = `SYSTEM\CurrentControlSet\Control\CloudDomainJoin\JoinInfo`
	KeyPolicy     = `SOFTWARE\Policies\Microsoft\Windows\WindowsUpdate`
	KeySkipLab    = `SYSTEM\Setup\LabConfig`
	KeySkipMove   = `SYSTEM\Setup\MoSetup`
	KeyServicing  = `SOFTWARE\Microsoft\Windows\CurrentVersion\Component Based Servicing`
	KeyUpdate     = `SOFTWARE\Microsoft\Windows\CurrentVersion\WindowsUpdate\Auto Update`
	KeySession    = `SYSTEM\CurrentControlSet\Control\Session Manager`
	KeyClass      = `SYSTEM\CurrentControlSet\Control\Class`
	KeyPortable   = `SYSTEM\CurrentControlSet\Control`
)

// View is the registry as 64-bit or as 32-bit programs see it.
type View string

// The views.
const (
	View64 View = "reg:"
	View32 View = "reg32:"
)

// Value is the source of a value.
func (v View) Value(key, name string) string { return string(v) + key + "!" + name }

// Mark is the source of whether a value, or with * any subkey, is there,
// without what it says.
func (v View) Mark(key, name string) string { return v.Value(key, name) + "?" }

// Subkeys is the source of the names of a key's subkeys, or of the mark that
// the key is there.
func (v View) Subkeys(key string) string { return string(v) + key + `\` }

// Refused is the source of whether some subkey of a key is refused. Nothing else is kept of that subkey.
func (v View) Refused(key string) string { return string(v) + key + `\*` }

// Wanted are the values that are read of keys that every machine has. With
// the subkeys that the reader lists, it is all that a capture holds of a
// registry.
var Wanted = map[string][]string{
	KeyVersion: {"ProductName", "EditionID", "CurrentBuildNumber", "UBR", "DisplayVersion", "ReleaseId",
		"InstallationType"},
	KeyBIOS: {"SystemManufacturer", "SystemProductName", "BaseBoardManufacturer", "BaseBoardProduct",
		"BIOSVendor", "BIOSVersion", "BIOSReleaseDate"},
	KeyProcessor:  {"ProcessorNameString", "VendorIdentifier", "Identifier", "~MHz"},
	KeyName:       {"ComputerName"},
	KeySecureBoot: {"UEFISecureBootEnabled"},
	KeyEncryption: {"BootStatus"},
	KeyGuard:      {"EnableVirtualizationBasedSecurity"},
	KeyPolicy:     {"TargetReleaseVersion", "TargetReleaseVersionInfo"},
	KeySkipLab: {"BypassCPUCheck", "BypassRAMCheck", "BypassSecureBootCheck", "BypassStorageCheck",
		"BypassTPMCheck"},
	KeySkipMove: {"AllowUpgradesWithUnsupportedTPMOrCPU"},
	KeySession:  {"PendingFileRenameOperations"},
	KeyLanguage: {"InstallLanguage"},
	KeyPortable: {"PortableOperatingSystem"},
}

// Marks are keys of which only the presence counts.
var Marks = []string{
	KeyServicing, KeyServicing + `\RebootPending`, KeyServicing + `\RebootInProgress`, KeyUpdate + `\RebootRequired`,
	KeySecureBoot,
}
