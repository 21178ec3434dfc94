package fact

import (
	"fmt"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/placeholder"
)

// ID is the hand-given number of a fact. Numbers are never used again.
type ID uint8

// Count is one more than the highest number of a fact of the machine itself;
// facts of rows of lists have higher ones.
const Count = 120

// Unit of a Number.
type Unit int8

// The units. Memory sizes are binary and drives decimal: a release that says
// 4 GB of memory means 4 GiB of modules, one that says 64 GB of storage means
// a drive sold as 64 GB.
const (
	NoUnit Unit = iota
	Binary      // bytes, said in GiB
	Drive       // bytes of a drive, said in GB; a drive holds a little less than it is sold as
	Space       // bytes of a volume, said in GB, exact
	MHz
	Inches
	Percent
	Bits
)

// Aspect says what kind of statement a fact makes: how much, able to, or
// switched to.
type Aspect int8

// The aspects.
const (
	Identity Aspect = iota
	Measure
	Capability
	State
)

// Platform is the hardware that has a fact at all.
type Platform int8

// Both, or only PCs, or only Macs have a fact.
const (
	Everywhere Platform = iota
	OnlyPC
	OnlyMac
)

// Def is the catalogue's entry for one fact.
type Def struct {
	ID     ID
	Name   string // as in documents: memory.installed_bytes
	Label  string // as in sentences: installed memory
	Kind   Kind
	Unit   Unit
	Aspect Aspect
	On     Platform
	Words  map[string]string // of a Word: the document's word → the sentence's
	About  string            // one line for the documentation
	// Derived facts are worked out from others and have no key of their own.
	Derived bool

	of func(*inventory.Document) Value
	at func(*inventory.Document, int) Value // of a fact of a list's rows
}

// The facts of the machine itself. Those of the rows of lists are in lists.go.
const (
	DeviceName           ID = 1
	DeviceManufacturer   ID = 2
	DeviceModel          ID = 3
	DeviceModelID        ID = 4
	DeviceSerial         ID = 5
	DeviceUUID           ID = 6
	DeviceForm           ID = 7
	DeviceEnvironment    ID = 8
	DeviceHypervisor     ID = 9
	BoardManufacturer    ID = 10
	BoardModel           ID = 11
	OSPlatform           ID = 12
	OSName               ID = 13
	OSEdition            ID = 14
	OSVersion            ID = 15
	OSBuild              ID = 16
	OSArchitecture       ID = 17
	OSManagedBy          ID = 18
	OSHeldAt             ID = 19
	OSPendingRestart     ID = 20
	ProcessorVendor      ID = 21
	ProcessorName        ID = 22
	ProcessorFamily      ID = 23
	ProcessorModel       ID = 24
	ProcessorStepping    ID = 25
	ProcessorArch        ID = 26
	ProcessorCores       ID = 27
	ProcessorThreads     ID = 28
	ProcessorMHz         ID = 29
	ProcessorFeatures    ID = 30
	ProcessorTPM         ID = 31
	MemoryInstalled      ID = 32
	MemoryVisible        ID = 33
	MemorySlots          ID = 34
	MemorySlotsUsed      ID = 35
	MemoryMax            ID = 36
	MemorySoldered       ID = 37
	DiskBytes            ID = 38
	DiskStyle            ID = 39
	DiskKind             ID = 40
	VolumeBytes          ID = 41
	FreeBytes            ID = 42
	Filesystem           ID = 43
	EncryptionState      ID = 44
	EncryptionKind       ID = 45
	BootStyle            ID = 46
	OtherSystems         ID = 47
	FirmwareVendor       ID = 48
	FirmwareVersion      ID = 49
	FirmwareDate         ID = 50
	BootMode             ID = 51
	UEFICapable          ID = 52
	UEFIBits             ID = 53
	FirmwarePassword     ID = 54
	SecureBoot           ID = 55
	SecureBootCapable    ID = 56
	TPMState             ID = 57
	TPMVersion           ID = 58
	TPMKind              ID = 59
	TPMManufacturer      ID = 60
	TPMFirmware          ID = 61
	NetworkConnected     ID = 62
	PowerSource          ID = 63
	VBS                  ID = 64
	OSAccount            ID = 65
	OSLicence            ID = 66
	EncryptionKeyKept    ID = 67
	ProcessorPackages    ID = 68
	DeviceAssetTag       ID = 69
	DeviceWarranty       ID = 104
	BatteryPercent       ID = 70
	LegacySupport        ID = 71
	DiskHealth           ID = 72
	BoardSerial          ID = 73
	ESPLoader            ID = 74
	BootDynamic          ID = 75
	BatteryHealth        ID = 76
	SettingsInterface    ID = 77
	DeviceClass          ID = 78
	BootDisk             ID = 79
	BootMedia            ID = 80
	MemoryFreeSlots      ID = 81
	ProcessorFeaturesOff ID = 82
	AdapterCount         ID = 83 // the counts of lists are in the order of Group
	DisplayCount         ID = 84
	DriveCount           ID = 85
	ModuleCount          ID = 86
	TitleCount           ID = 87
	DriverCount          ID = 88
	SoftwareToUpdate     ID = 89
	SoftwareToBuy        ID = 90
	SoftwareToRemove     ID = 91
	SoftwareProblems     ID = 92
	SoftwareNotKnown     ID = 93
	DriversToUpdate      ID = 94
	DriversToRemove      ID = 95
	DriverProblems       ID = 96
	OSLanguage           ID = 97
	TPMHeader            ID = 98
	TPMChangeable        ID = 99
	BootPlaces           ID = 100
	BootLogical          ID = 101
	DriversNotKnown      ID = 102
	FirmwareUpdate       ID = 103
	ChecksSkipped        ID = 105
	EncryptionTPMBound   ID = 106
	EncryptionPausedAt   ID = 107
)

type document = inventory.Document

func text(k Kind, get func(*document) inventory.Opt[string]) func(*document) Value {
	return func(d *document) Value {
		if s, ok := get(d).Get(); ok {
			return Of(k, s)
		}
		return Value{}
	}
}

// filled is a text that makers may have left to be filled: a placeholder is none.
func filled(get func(*document) inventory.Opt[string]) func(*document) Value {
	return func(d *document) Value {
		if s := placeholder.Text(get(d).Or("")); s != "" {
			return Of(Text, s)
		}
		return Value{}
	}
}

func number(get func(*document) inventory.Opt[int64]) func(*document) Value {
	return func(d *document) Value {
		if n, ok := get(d).Get(); ok {
			return Num(float64(n))
		}
		return Value{}
	}
}

func truth(get func(*document) inventory.Opt[bool]) func(*document) Value {
	return func(d *document) Value {
		if b, ok := get(d).Get(); ok {
			return Truth(b)
		}
		return Value{}
	}
}

type (
	optText = inventory.Opt[string]
	optInt  = inventory.Opt[int64]
	optBool = inventory.Opt[bool]
)

var architectures = map[string]string{"x86": "32-bit", "x86-64": "64-bit", "arm64": "64-bit ARM"}
var styles = map[string]string{"gpt": "GPT", "mbr": "MBR", "none": "no partition table"}

// catalogue is in the order in which people read an inventory.
var catalogue = []Def{
	{ID: DeviceName, Name: "device.name", Label: "host name", Kind: Text, of: text(Text, func(d *document) optText { return d.Device.Name })},
	{ID: DeviceClass, Name: "device.class", Label: "class of hardware", Kind: Word, Derived: true, Words: map[string]string{"pc": "PC", "mac": "Mac"},
		About: "PC or Mac; decides which target release the machine is checked against, whatever system runs on it", of: classOf},
	{ID: DeviceManufacturer, Name: "device.manufacturer", Label: "maker", Kind: Text, of: filled(func(d *document) optText { return d.Device.Manufacturer })},
	{ID: DeviceModel, Name: "device.model", Label: "model", Kind: Text, of: filled(func(d *document) optText { return d.Device.Model })},
	{ID: DeviceModelID, Name: "device.model_id", Label: "model identifier", Kind: Text, On: OnlyMac, of: text(Text, func(d *document) optText { return d.Device.ModelID })},
	{ID: DeviceSerial, Name: "device.serial", Label: "serial number", Kind: Text, of: filled(func(d *document) optText { return d.Device.Serial })},
	{ID: DeviceWarranty, Name: "device.warranty_until", Label: "warranty that opening the case ends", Kind: Text, of: text(Text, func(d *document) optText { return d.Device.WarrantyUntil }), About: "Its last day, as 2027-05-31. No system tells it: from the contract, entered by hand or for every machine of a model"},
	{ID: DeviceAssetTag, Name: "device.asset_tag", Label: "asset tag", Kind: Text, of: filled(func(d *document) optText { return d.Device.AssetTag })},
	{ID: DeviceUUID, Name: "device.uuid", Label: "platform UUID", Kind: Text, of: func(d *document) Value {
		if id := placeholder.UUID(d.Device.UUID.Or("")); id != "" {
			return Of(Text, id)
		}
		return Value{}
	}},
	{ID: DeviceForm, Name: "device.form", Label: "form", Kind: Word, of: text(Word, func(d *document) optText { return d.Device.Form }),
		Words: map[string]string{"desktop": "desktop", "laptop": "laptop", "all-in-one": "all-in-one", "tablet": "tablet", "server": "server", "virtual": "virtual machine", "other": "other"}},
	{ID: DeviceEnvironment, Name: "device.environment", Label: "environment", Kind: Word, of: text(Word, func(d *document) optText { return d.Device.Environment }),
		Words: map[string]string{"hardware": "hardware", "guest": "virtual machine", "container": "container", "subsystem": "subsystem", "live": "live medium", "planned": "planned, not there yet"},
		About: "What the collector ran in; in a container or from a live medium the installed system is a gap"},
	{ID: DeviceHypervisor, Name: "device.hypervisor", Label: "hypervisor", Kind: Text, of: text(Text, func(d *document) optText { return d.Device.Hypervisor })},
	{ID: BoardManufacturer, Name: "device.board.manufacturer", Label: "board maker", Kind: Text, On: OnlyPC, of: text(Text, func(d *document) optText { return d.Device.Board.Manufacturer })},
	{ID: BoardModel, Name: "device.board.model", Label: "board model", Kind: Text, On: OnlyPC, of: text(Text, func(d *document) optText { return d.Device.Board.Model })},
	{ID: BoardSerial, Name: "device.board.serial", Label: "board serial number", Kind: Text, On: OnlyPC, of: filled(func(d *document) optText { return d.Device.Board.Serial })},

	{ID: OSPlatform, Name: "os.platform", Label: "platform", Kind: Word, Words: map[string]string{"windows": "PC system", "macos": "Mac system", "linux": "Linux"}, of: text(Word, func(d *document) optText { return d.OS.Platform })},
	{ID: OSName, Name: "os.name", Label: "installed release", Kind: Text, of: text(Text, func(d *document) optText { return d.OS.Name })},
	{ID: OSEdition, Name: "os.edition", Label: "edition", Kind: Text, of: text(Text, func(d *document) optText { return d.OS.Edition })},
	{ID: OSVersion, Name: "os.version", Label: "version of the installed release", Kind: Version, of: text(Version, func(d *document) optText { return d.OS.Version })},
	{ID: OSBuild, Name: "os.build", Label: "build", Kind: Text, of: text(Text, func(d *document) optText { return d.OS.Build })},
	{ID: OSArchitecture, Name: "os.architecture", Label: "word size of the system", Kind: Word, Words: architectures, of: text(Word, func(d *document) optText { return d.OS.Architecture }),
		About: "Of the running system, not of the silicon and not of the collector's binary"},
	{ID: OSLanguage, Name: "os.language", Label: "language of the system", Kind: Text, of: text(Text, func(d *document) optText { return d.OS.Language }), About: "As a language tag: en, de-AT"},
	{ID: OSManagedBy, Name: "os.managed_by", Label: "updates managed by", Kind: Text, of: text(Text, func(d *document) optText { return d.OS.ManagedBy })},
	{ID: OSHeldAt, Name: "os.held_at", Label: "held at release", Kind: Text, of: text(Text, func(d *document) optText { return d.OS.HeldAt })},
	{
		ID: ChecksSkipped, Name: "os.checks_skipped", Label: "checks that an installation was told to skip", Kind: Set, Aspect: State,
		of: func(d *document) Value {
			if d.OS.ChecksSkipped == nil {
				return Value{}
			}
			return Items(d.OS.ChecksSkipped)
		},
		About: "Signs that an earlier installation was told to leave out checks of its release",
	},
	{ID: OSPendingRestart, Name: "os.pending_restart", Label: "restart pending", Kind: Bool, Aspect: State, of: truth(func(d *document) optBool { return d.OS.PendingRestart })},
	{ID: OSAccount, Name: "os.account", Label: "kind of account", Kind: Word, Words: map[string]string{"local": "local", "directory": "directory", "vendor": "linked to the vendor"}, of: text(Word, func(d *document) optText { return d.OS.Account })},
	{ID: OSLicence, Name: "os.licence", Label: "licence", Kind: Word, Words: map[string]string{"valid": "valid", "invalid": "not valid"}, of: text(Word, func(d *document) optText { return d.OS.Licence })},

	{ID: ProcessorVendor, Name: "processor.vendor", Label: "processor maker", Kind: Text, of: text(Text, func(d *document) optText { return d.Processor.Vendor })},
	{ID: ProcessorName, Name: "processor.name", Label: "processor", Kind: Text, of: text(Text, func(d *document) optText { return d.Processor.Name })},
	{ID: ProcessorFamily, Name: "processor.family", Label: "processor family", Kind: Number, of: number(func(d *document) optInt { return d.Processor.Family })},
	{ID: ProcessorModel, Name: "processor.model", Label: "processor model number", Kind: Number, of: number(func(d *document) optInt { return d.Processor.Model })},
	{ID: ProcessorStepping, Name: "processor.stepping", Label: "processor stepping", Kind: Number, of: number(func(d *document) optInt { return d.Processor.Stepping })},
	{ID: ProcessorArch, Name: "processor.architecture", Label: "word size of the processor", Kind: Word, Aspect: Capability, Words: architectures, of: text(Word, func(d *document) optText { return d.Processor.Architecture }),
		About: "Of the silicon: a 32-bit system on a 64-bit processor shows here"},
	{ID: ProcessorPackages, Name: "processor.packages", Label: "processor packages", Kind: Number, Aspect: Measure, of: number(func(d *document) optInt { return d.Processor.Packages })},
	{ID: ProcessorCores, Name: "processor.cores", Label: "processor cores", Kind: Number, Aspect: Measure, of: number(func(d *document) optInt { return d.Processor.Cores }), About: "Physical cores; offline ones count"},
	{ID: ProcessorThreads, Name: "processor.threads", Label: "processor threads", Kind: Number, Aspect: Measure, of: number(func(d *document) optInt { return d.Processor.Threads })},
	{ID: ProcessorMHz, Name: "processor.rated_mhz", Label: "rated speed", Kind: Number, Unit: MHz, Aspect: Measure, of: number(func(d *document) optInt { return d.Processor.RatedMHz }), About: "The rated speed, never the momentary one"},
	{ID: ProcessorFeatures, Name: "processor.features", Label: "processor features", Kind: Set, Aspect: Capability, of: func(d *document) Value {
		if d.Processor.Features == nil {
			return Value{}
		}
		return Items(d.Processor.Features)
	}, About: "Instruction-set features, lower case"},
	{ID: ProcessorTPM, Name: "processor.built_in_tpm", Label: "TPM built into the processor", Kind: Bool, Aspect: Capability, On: OnlyPC, of: truth(func(d *document) optBool { return d.Processor.BuiltInTPM }),
		About: "No system tells it: from the row of a release's processor list, or entered by hand"},

	{ID: ProcessorFeaturesOff, Name: "processor.features_off", Label: "features switched off", Kind: Set, Aspect: State, Derived: true, of: func(*document) Value { return Items(nil) },
		About: "Features that the release's list says this processor has and the system does not see"},

	{ID: MemoryInstalled, Name: "memory.installed_bytes", Label: "installed memory", Kind: Number, Unit: Binary, Aspect: Measure, of: number(func(d *document) optInt { return d.Memory.Installed }), About: "What is plugged in, from firmware"},
	{ID: MemoryVisible, Name: "memory.visible_bytes", Label: "visible memory", Kind: Number, Unit: Binary, Aspect: Measure, of: number(func(d *document) optInt { return d.Memory.Visible }), About: "What the system may use; smaller, since graphics and firmware take a share"},
	{ID: MemorySlots, Name: "memory.slots", Label: "memory slots", Kind: Number, Aspect: Measure, of: number(func(d *document) optInt { return d.Memory.Slots })},
	{ID: MemorySlotsUsed, Name: "memory.slots_used", Label: "memory slots in use", Kind: Number, Aspect: Measure, of: number(func(d *document) optInt { return d.Memory.SlotsUsed })},
	{ID: MemoryFreeSlots, Name: "memory.free_slots", Label: "free memory slots", Kind: Number, Aspect: Measure, Derived: true, of: freeSlotsOf,
		About: "Slots less slots in use"},
	{ID: MemoryMax, Name: "memory.max_bytes", Label: "most memory the machine takes", Kind: Number, Unit: Binary, Aspect: Capability, of: number(func(d *document) optInt { return d.Memory.Max }), About: "Firmware's claim, often wrong"},
	{ID: MemorySoldered, Name: "memory.soldered", Label: "memory is soldered", Kind: Bool, Aspect: Capability, Derived: true, of: solderedOf,
		About: "Whether all memory fitted is soldered and no slot exists; from the modules"},

	{ID: DiskBytes, Name: "storage.system.disk_bytes", Label: "capacity of the system disk", Kind: Number, Unit: Drive, Aspect: Measure, of: number(func(d *document) optInt { return d.Storage.System.DiskBytes })},
	{ID: DiskKind, Name: "storage.system.kind", Label: "kind of the system disk", Kind: Word, Derived: true, Words: driveKinds, of: driveText(func(k *inventory.Disk) optText { return k.Kind }, ""),
		About: "Kind of the drive in storage.disks that is marked as the system's"},
	{ID: DiskHealth, Name: "storage.system.health", Label: "health of the system disk", Kind: Word, Aspect: State, Derived: true, Words: map[string]string{"good": "good", "bad": "failing"}, of: driveText(func(k *inventory.Disk) optText { return k.Health }, "bad"),
		About: "Health of the drive in storage.disks that is marked as the system's"},
	{ID: DiskStyle, Name: "storage.system.partition_style", Label: "partition style of the system disk", Kind: Word, Aspect: State, Words: styles, of: text(Word, func(d *document) optText { return d.Storage.System.PartitionStyle })},
	{ID: VolumeBytes, Name: "storage.system.volume_bytes", Label: "size of the system volume", Kind: Number, Unit: Space, Aspect: Measure, of: number(func(d *document) optInt { return d.Storage.System.VolumeBytes })},
	{ID: FreeBytes, Name: "storage.system.free_bytes", Label: "free space on the system volume", Kind: Number, Unit: Space, Aspect: Measure, of: number(func(d *document) optInt { return d.Storage.System.FreeBytes })},
	{ID: Filesystem, Name: "storage.system.filesystem", Label: "file system", Kind: Text, of: text(Text, func(d *document) optText { return d.Storage.System.Filesystem })},
	{ID: EncryptionState, Name: "storage.system.encryption.state", Label: "encryption of the system volume", Kind: Word, Aspect: State, Words: map[string]string{"on": "on", "off": "off", "paused": "paused"}, of: text(Word, func(d *document) optText { return d.Storage.System.Encryption.State })},
	{ID: EncryptionKind, Name: "storage.system.encryption.kind", Label: "kind of encryption", Kind: Word, Words: map[string]string{"platform": "the platform's own", "luks": "LUKS", "other": "another product's"}, of: text(Word, func(d *document) optText { return d.Storage.System.Encryption.Kind })},
	{ID: EncryptionKeyKept, Name: "storage.system.encryption.key_kept", Label: "recovery key kept", Kind: Bool, Aspect: State, of: truth(func(d *document) optBool { return d.Storage.System.Encryption.KeyKept })},
	{
		ID: EncryptionTPMBound, Name: "storage.system.encryption.tpm_bound", Label: "encryption bound to the TPM", Kind: Bool, Aspect: State, On: OnlyPC,
		of: truth(func(d *document) optBool { return d.Storage.System.Encryption.TPMBound }),
	},
	{
		ID: EncryptionPausedAt, Name: "storage.system.encryption.paused_since", Label: "encryption paused since", Kind: Text,
		of: func(d *document) Value {
			if at, ok := d.Storage.System.Encryption.PausedSince.Get(); ok {
				return Of(Text, at.UTC().Format(time.DateOnly))
			}
			return Value{}
		},
	},
	{ID: BootDisk, Name: "storage.boot.disk", Label: "boot disk", Kind: Text, of: text(Text, func(d *document) optText { return d.Storage.Boot.Disk })},
	{ID: BootStyle, Name: "storage.boot.partition_style", Label: "partition style of the boot disk", Kind: Word, Aspect: State, Words: styles, of: text(Word, func(d *document) optText { return d.Storage.Boot.PartitionStyle })},
	{ID: BootDynamic, Name: "storage.boot.dynamic", Label: "boot disk is dynamic", Kind: Bool, Aspect: State, On: OnlyPC, of: truth(func(d *document) optBool { return d.Storage.Boot.Dynamic })},
	{ID: BootMedia, Name: "storage.boot.media", Label: "boot medium", Kind: Word, Words: map[string]string{"internal": "internal", "removable": "removable", "network": "network"}, of: text(Word, func(d *document) optText { return d.Storage.Boot.Media })},
	{ID: BootPlaces, Name: "storage.boot.primaries", Label: "primary partitions of the boot disk", Kind: Number, Aspect: Measure, On: OnlyPC, Derived: true, of: places,
		About: "The places of an MBR that are taken, of four; an extended partition takes one"},
	{ID: BootLogical, Name: "storage.boot.logical", Label: "logical partitions on the boot disk", Kind: Bool, Aspect: State, On: OnlyPC, Derived: true, of: logical},
	{ID: ESPLoader, Name: "storage.boot.esp.loader", Label: "loader on the EFI system partition", Kind: Bool, Aspect: State, On: OnlyPC, of: truth(func(d *document) optBool { return d.Storage.Boot.ESP.Loader })},
	{ID: OtherSystems, Name: "storage.other_systems", Label: "other systems on the disks", Kind: Set, of: func(d *document) Value {
		if d.Storage.OtherSystems == nil {
			return Value{}
		}
		return Items(d.Storage.OtherSystems)
	}},

	{ID: FirmwareVendor, Name: "firmware.vendor", Label: "firmware maker", Kind: Text, of: text(Text, func(d *document) optText { return d.Firmware.Vendor })},
	{ID: FirmwareVersion, Name: "firmware.version", Label: "firmware version", Kind: Text, of: text(Text, func(d *document) optText { return d.Firmware.Version })},
	{ID: FirmwareDate, Name: "firmware.date", Label: "firmware date", Kind: Text, of: text(Text, func(d *document) optText { return d.Firmware.Date })},
	{ID: BootMode, Name: "firmware.boot_mode", Label: "boot mode", Kind: Word, Aspect: State, On: OnlyPC, Words: map[string]string{"uefi": "UEFI", "legacy": "legacy"}, of: text(Word, func(d *document) optText { return d.Firmware.BootMode })},
	{ID: UEFICapable, Name: "firmware.uefi_capable", Label: "firmware can do UEFI", Kind: Bool, Aspect: Capability, On: OnlyPC, of: truth(func(d *document) optBool { return d.Firmware.UEFICapable })},
	{ID: UEFIBits, Name: "firmware.uefi_bits", Label: "word size of the firmware", Kind: Number, Unit: Bits, Aspect: Capability, On: OnlyPC, of: number(func(d *document) optInt { return d.Firmware.UEFIBits })},
	{ID: FirmwarePassword, Name: "firmware.password", Label: "firmware password", Kind: Word, Aspect: State, On: OnlyPC, Words: map[string]string{"set": "set", "not-set": "not set"}, of: text(Word, func(d *document) optText { return d.Firmware.Password })},
	{ID: SettingsInterface, Name: "firmware.settings_interface", Label: "interface to firmware settings", Kind: Text, On: OnlyPC, of: text(Text, func(d *document) optText { return d.Firmware.SettingsInterface })},
	{ID: FirmwareUpdate, Name: "firmware.update", Label: "firmware update that a guide asks for", Kind: Text, On: OnlyPC, Derived: true, of: unjudged, About: "The version that the firmware guide of the board names, where the machine has an older one"},
	{ID: LegacySupport, Name: "firmware.legacy_support", Label: "legacy support in firmware", Kind: Bool, Aspect: State, On: OnlyPC, of: truth(func(d *document) optBool { return d.Firmware.LegacySupport })},
	{ID: SecureBoot, Name: "firmware.secure_boot", Label: "secure boot", Kind: Word, Aspect: State, Words: map[string]string{"on": "on", "off": "off", "setup": "off, in set-up mode", "inactive": "not active", "full": "full", "reduced": "reduced", "permissive": "permissive"}, of: text(Word, func(d *document) optText { return d.Firmware.SecureBoot })},
	{ID: SecureBootCapable, Name: "firmware.secure_boot_capable", Label: "firmware can do secure boot", Kind: Bool, Aspect: Capability, of: truth(func(d *document) optBool { return d.Firmware.SecureBootCapable })},

	{ID: TPMState, Name: "tpm.state", Label: "TPM", Kind: Word, Aspect: State, On: OnlyPC, Words: map[string]string{"ready": "ready", "not-ready": "there, not ready", "off": "off", "announced": "named by firmware, no driver", "not-seen": "none seen"}, of: text(Word, func(d *document) optText { return d.TPM.State }),
		About: "not-seen: the system sees none; absent and hidden by firmware look the same from there"},
	{ID: TPMVersion, Name: "tpm.version", Label: "TPM version", Kind: Version, Aspect: Measure, On: OnlyPC, of: text(Version, func(d *document) optText { return d.TPM.Version }), About: "Specification version, not the maker's firmware version"},
	{ID: TPMKind, Name: "tpm.kind", Label: "kind of TPM", Kind: Word, On: OnlyPC, Words: map[string]string{"firmware": "built-in", "discrete": "a chip of its own", "virtual": "virtual"}, of: text(Word, func(d *document) optText { return d.TPM.Kind })},
	{ID: TPMManufacturer, Name: "tpm.manufacturer", Label: "TPM maker", Kind: Text, On: OnlyPC, of: text(Text, func(d *document) optText { return d.TPM.Manufacturer })},
	{ID: TPMHeader, Name: "tpm.header", Label: "TPM header on the board", Kind: Bool, Aspect: Capability, On: OnlyPC, of: truth(func(d *document) optBool { return d.TPM.Header }), About: "No system tells it: from the board's manual, entered by hand"},
	{ID: TPMChangeable, Name: "tpm.changeable", Label: "TPM can change its version", Kind: Bool, Aspect: Capability, On: OnlyPC, of: truth(func(d *document) optBool { return d.TPM.Changeable }), About: "Whether a tool of its maker brings the chip to version 2.0. No system tells it: from the maker's documents, entered by hand or in a firmware guide"},
	{ID: TPMFirmware, Name: "tpm.firmware", Label: "TPM firmware version", Kind: Text, On: OnlyPC, of: text(Text, func(d *document) optText { return d.TPM.Firmware })},

	{ID: NetworkConnected, Name: "network.connected", Label: "network uplink", Kind: Bool, Aspect: State, of: truth(func(d *document) optBool { return d.Network.Connected })},
	{ID: PowerSource, Name: "power.source", Label: "power source", Kind: Text, of: text(Text, func(d *document) optText { return d.Power.Source })},
	{ID: BatteryPercent, Name: "power.battery_percent", Label: "battery charge", Kind: Number, Unit: Percent, of: number(func(d *document) optInt { return d.Power.BatteryPercent })},
	{ID: BatteryHealth, Name: "power.battery_health_percent", Label: "battery health", Kind: Number, Unit: Percent, of: number(func(d *document) optInt { return d.Power.BatteryHealthPercent })},
	{ID: VBS, Name: "security.vbs", Label: "virtualisation-based isolation", Kind: Word, Aspect: State, On: OnlyPC, Words: map[string]string{"running": "running", "configured": "configured, not running", "off": "off"}, of: text(Word, func(d *document) optText { return d.Security.VBS })},

	{ID: AdapterCount, Name: "graphics", Label: "graphics adapters", Kind: Number, Aspect: Measure, Derived: true, of: countOf(Adapters), About: "How many; a requirement can look at each of them"},
	{ID: DisplayCount, Name: "displays", Label: "displays", Kind: Number, Aspect: Measure, Derived: true, of: countOf(Displays), About: "How many; a requirement can look at each of them"},
	{ID: DriveCount, Name: "storage.disks", Label: "drives", Kind: Number, Aspect: Measure, Derived: true, of: countOf(Disks), About: "How many; a requirement can look at each of them"},
	{ID: ModuleCount, Name: "memory.modules", Label: "memory modules", Kind: Number, Aspect: Measure, Derived: true, of: countOf(Modules), About: "How many places for modules, empty ones too; a requirement can look at each of them"},
	{ID: TitleCount, Name: "software", Label: "installed titles", Kind: Number, Aspect: Measure, Derived: true, of: countOf(Titles), About: "How many; a requirement can look at each of them"},
	{ID: DriverCount, Name: "drivers", Label: "drivers", Kind: Number, Aspect: Measure, Derived: true, of: countOf(Drivers), About: "How many; a requirement can look at each of them"},

	{ID: SoftwareToUpdate, Name: "software.to_update", Label: "titles to update first", Kind: Set, Aspect: State, Derived: true, of: unjudged, About: "By what the release document says of known software"},
	{ID: SoftwareToBuy, Name: "software.to_buy", Label: "titles whose update has to be bought", Kind: Set, Aspect: State, Derived: true, of: unjudged, About: "By what the release document says of known software"},
	{ID: SoftwareToRemove, Name: "software.to_remove", Label: "titles to remove first", Kind: Set, Aspect: State, Derived: true, of: unjudged, About: "By what the release document says of known software"},
	{ID: SoftwareProblems, Name: "software.with_problems", Label: "titles with a known problem", Kind: Set, Aspect: State, Derived: true, of: unjudged, About: "By what the release document says of known software"},
	{ID: SoftwareNotKnown, Name: "software.not_known", Label: "titles that nothing is known of", Kind: Set, Aspect: State, Derived: true, of: unjudged, About: "Titles that the release document says nothing of"},
	{ID: DriversToUpdate, Name: "drivers.to_update", Label: "drivers to update first", Kind: Set, Aspect: State, Derived: true, of: unjudged, About: "By what the release document says of known drivers"},
	{ID: DriversToRemove, Name: "drivers.to_remove", Label: "drivers to remove first", Kind: Set, Aspect: State, Derived: true, of: unjudged, About: "By what the release document says of known drivers"},
	{ID: DriverProblems, Name: "drivers.with_problems", Label: "drivers with a known problem", Kind: Set, Aspect: State, Derived: true, of: unjudged, About: "By what the release document says of known drivers"},
	{ID: DriversNotKnown, Name: "drivers.not_known", Label: "drivers that nothing is known of", Kind: Set, Aspect: State, Derived: true, of: unjudged, About: "Drivers that the release document says nothing of"},
}

// unjudged: known only once a release document has looked at the list.
func unjudged(*document) Value { return Value{} }

var (
	byID   [rowsCount]*Def
	byName = make(map[string]*Def, len(catalogue)+len(rowCatalogue))
	names  []string
)

func init() {
	add := func(d *Def) {
		if byID[d.ID] != nil || byName[d.Name] != nil {
			panic(fmt.Sprintf("fact: %s stands twice in the catalogue", d.Name))
		}
		byID[d.ID], byName[d.Name] = d, d
		names = append(names, d.Name)
	}
	for i := range catalogue {
		add(&catalogue[i])
	}
	for i := range rowCatalogue {
		add(&rowCatalogue[i])
	}
}

// All returns the facts of the machine itself in their reading order. It is not
// to be changed.
func All() []Def { return catalogue }

// OfRows returns the facts that rows of lists have. It is not to be changed.
func OfRows() []Def { return rowCatalogue }

// Names returns every fact's name in reading order. It is not to be changed.
func Names() []string { return names }

// ByName finds a fact, or nil.
func ByName(name string) *Def { return byName[name] }

// Def returns the fact's entry.
func (id ID) Def() *Def { return byID[id] }

func (id ID) String() string {
	if int(id) < len(byID) && byID[id] != nil {
		return byID[id].Name
	}
	return fmt.Sprintf("fact %d", uint8(id))
}
