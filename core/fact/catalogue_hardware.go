package fact

import (
	"time"

	"rolltop.example/rolltop/core/inventory"
)

// The numbers of the facts of this file. One is never used again; go test -run FreeNumbers -v names
// those that are free.
const (
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
	EncryptionKeyKept    ID = 67
	ProcessorPackages    ID = 68
	DiskHealth           ID = 72
	ESPLoader            ID = 74
	BootDynamic          ID = 75
	BootDisk             ID = 79
	BootMedia            ID = 80
	MemoryFreeSlots      ID = 81
	ProcessorFeaturesOff ID = 82
	BootPlaces           ID = 100
	BootLogical          ID = 101
	EncryptionTPMBound   ID = 106
	KeyProtectors        ID = 113
	EncryptionPausedAt   ID = 107
)

// processorFacts are the facts of the processor.
var processorFacts = []Def{
	{
		ID:    ProcessorVendor,
		Name:  "processor.vendor",
		Label: "processor maker",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Processor.Vendor }),
	},
	{
		ID:    ProcessorName,
		Name:  "processor.name",
		Label: "processor",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Processor.Name }),
	},
	{
		ID:    ProcessorFamily,
		Name:  "processor.family",
		Label: "processor family",
		Kind:  Number,
		in:    number(func(d *document) *optInt { return &d.Processor.Family }),
	},
	{
		ID:    ProcessorModel,
		Name:  "processor.model",
		Label: "processor model number",
		Kind:  Number,
		in:    number(func(d *document) *optInt { return &d.Processor.Model }),
	},
	{
		ID:    ProcessorStepping,
		Name:  "processor.stepping",
		Label: "processor stepping",
		Kind:  Number,
		in:    number(func(d *document) *optInt { return &d.Processor.Stepping }),
	},
	{
		ID:     ProcessorArch,
		Name:   "processor.architecture",
		Label:  "word size of the processor",
		Kind:   Word,
		Aspect: Capability,
		Words:  architectures,
		in:     text(Word, func(d *document) *optText { return &d.Processor.Architecture }),
		About:  "Of the silicon: shows a 32-bit system on a 64-bit processor",
	},
	{
		ID:     ProcessorPackages,
		Name:   "processor.packages",
		Label:  "processor packages",
		Kind:   Number,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Processor.Packages }),
	},
	{
		ID:     ProcessorCores,
		Name:   "processor.cores",
		Label:  "processor cores",
		Kind:   Number,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Processor.Cores }),
		About:  "Physical cores; offline ones count, and a module of two integer cores is two",
	},
	{
		ID:     ProcessorThreads,
		Name:   "processor.threads",
		Label:  "processor threads",
		Kind:   Number,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Processor.Threads }),
	},
	{
		ID:     ProcessorMHz,
		Name:   "processor.rated_mhz",
		Label:  "rated speed",
		Kind:   Number,
		Unit:   MHz,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Processor.RatedMHz }),
		About:  "The rated speed, never the momentary one",
	},
	{
		ID:     ProcessorFeatures,
		Name:   "processor.features",
		Label:  "processor features",
		Kind:   Set,
		Aspect: Capability,
		in:     items(func(d *document) *[]string { return &d.Processor.Features }),
		About:  "Instruction-set features, lower case",
	},
	{
		ID:     ProcessorTPM,
		Name:   "processor.built_in_tpm",
		Label:  "TPM built into the processor",
		Kind:   Bool,
		Aspect: Capability,
		On:     OnlyPC,
		in:     truth(func(d *document) *optBool { return &d.Processor.BuiltInTPM }),
		About:  "No system reports it: it comes from a row of a release's processor list, or is entered by hand",
	},

	{
		ID:      ProcessorFeaturesOff,
		Name:    "processor.features_off",
		Label:   "features turned off",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      func(*document) Value { return Items(nil) },
		About:   "Features that this processor has according to the release's list, but that the system does not see",
	},
}

// memoryFacts are the facts of the memory.
var memoryFacts = []Def{
	{
		ID:     MemoryInstalled,
		Name:   "memory.installed_bytes",
		Label:  "installed memory",
		Kind:   Number,
		Unit:   Binary,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Memory.Installed }),
		About:  "Fitted memory, as the firmware reports it",
	},
	{
		ID:     MemoryVisible,
		Name:   "memory.visible_bytes",
		Label:  "visible memory",
		Kind:   Number,
		Unit:   Binary,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Memory.Visible }),
		About:  "What the system can use; smaller, because graphics and firmware reserve a share",
	},
	{
		ID:     MemorySlots,
		Name:   "memory.slots",
		Label:  "memory slots",
		Kind:   Number,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Memory.Slots }),
	},
	{
		ID:     MemorySlotsUsed,
		Name:   "memory.slots_used",
		Label:  "memory slots in use",
		Kind:   Number,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Memory.SlotsUsed }),
	},
	{
		ID:      MemoryFreeSlots,
		Name:    "memory.free_slots",
		Label:   "free memory slots",
		Kind:    Number,
		Aspect:  Measure,
		Derived: true,
		of:      freeSlotsOf,
		About:   "Slots less slots in use",
	},
	{
		ID:     MemoryMax,
		Name:   "memory.max_bytes",
		Label:  "maximum memory of the machine",
		Kind:   Number,
		Unit:   Binary,
		Aspect: Capability,
		in:     number(func(d *document) *optInt { return &d.Memory.Max }),
		About:  "Firmware's claim, often wrong",
	},
	{
		ID:      MemorySoldered,
		Name:    "memory.soldered",
		Label:   "memory is soldered",
		Kind:    Bool,
		Aspect:  Capability,
		Derived: true,
		of:      solderedOf,
		About:   "Whether all memory fitted is soldered and no slot exists; from the modules",
	},
}

// storageFacts are the facts of the storage.
var storageFacts = []Def{
	{
		ID:     DiskBytes,
		Name:   "storage.system.disk_bytes",
		Label:  "capacity of the system disk",
		Kind:   Number,
		Unit:   Drive,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Storage.System.DiskBytes }),
	},
	{
		ID:      DiskKind,
		Name:    "storage.system.kind",
		Label:   "kind of the system disk",
		Kind:    Word,
		Derived: true,
		Words:   driveKinds,
		of:      driveText(func(k *inventory.Disk) optText { return k.Kind }, ""),
		About:   "Kind of the drive in storage.disks that is marked as the system's",
	},
	{ID: DiskHealth, Name: "storage.system.health", Label: "health of the system disk", Kind: Word, Aspect: State,
		Derived: true, Words: map[string]string{"good": "good", "bad": "failing"},
		of:    driveText(func(k *inventory.Disk) optText { return k.Health }, "bad"),
		About: "Health of the drive in storage.disks that is marked as the system's"},
	{
		ID:     DiskStyle,
		Name:   "storage.system.partition_style",
		Label:  "partition style of the system disk",
		Kind:   Word,
		Aspect: State,
		Words:  styles,
		in:     text(Word, func(d *document) *optText { return &d.Storage.System.PartitionStyle }),
	},
	{
		ID:     VolumeBytes,
		Name:   "storage.system.volume_bytes",
		Label:  "size of the system volume",
		Kind:   Number,
		Unit:   Space,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Storage.System.VolumeBytes }),
	},
	{
		ID:     FreeBytes,
		Name:   "storage.system.free_bytes",
		Label:  "free space on the system volume",
		Kind:   Number,
		Unit:   Space,
		Aspect: Measure,
		in:     number(func(d *document) *optInt { return &d.Storage.System.FreeBytes }),
	},
	{
		ID:    Filesystem,
		Name:  "storage.system.filesystem",
		Label: "file system",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Storage.System.Filesystem }),
	},
	{
		ID:     EncryptionState,
		Name:   "storage.system.encryption.state",
		Label:  "encryption of the system volume",
		Kind:   Word,
		Aspect: State,
		Words:  map[string]string{"on": "on", "off": "off", "paused": "paused"},
		in:     text(Word, func(d *document) *optText { return &d.Storage.System.Encryption.State }),
	},
	{
		ID:    EncryptionKind,
		Name:  "storage.system.encryption.kind",
		Label: "kind of encryption",
		Kind:  Word,
		Words: map[string]string{"platform": "the platform's own", "luks": "LUKS", "other": "another product's"},
		in:    text(Word, func(d *document) *optText { return &d.Storage.System.Encryption.Kind }),
	},
	{
		ID:     EncryptionKeyKept,
		Name:   "storage.system.encryption.key_kept",
		Label:  "recovery key kept",
		Kind:   Bool,
		Aspect: State,
		in:     truth(func(d *document) *optBool { return &d.Storage.System.Encryption.KeyKept }),
	},
	{
		ID: EncryptionTPMBound, Name: "storage.system.encryption.tpm_bound", Label: "encryption bound to the TPM",
		Kind: Bool, Aspect: State, On: OnlyPC,
		in: truth(func(d *document) *optBool { return &d.Storage.System.Encryption.TPMBound }),
	},
	{
		ID:     KeyProtectors,
		Name:   "storage.system.encryption.key_protectors",
		Label:  "what unlocks the system volume",
		Kind:   Set,
		Aspect: State,
		in:     items(func(d *document) *[]string { return &d.Storage.System.Encryption.Protectors }),
		About:  "Kinds only, never a key",
		Items: map[string]string{
			inventory.ByTPM: "the TPM", inventory.ByTPMAndPIN: "the TPM with a PIN",
			inventory.ByTPMAndKey:    "the TPM with a key file",
			inventory.ByTPMPINAndKey: "the TPM with a PIN and a key file", inventory.ByPassphrase: "a passphrase",
			inventory.ByKeyFile: "a key file", inventory.ByRecoveryKey: "a recovery key",
			inventory.BySecurityKey: "a security key", inventory.BySmartCard: "a smart card",
			inventory.ByOther: "something else",
		},
	},
	{
		ID:    EncryptionPausedAt,
		Name:  "storage.system.encryption.paused_since",
		Label: "encryption paused since",
		Kind:  Text,
		in:    day(func(d *document) *inventory.Opt[time.Time] { return &d.Storage.System.Encryption.PausedSince }),
	},
	{
		ID:    BootDisk,
		Name:  "storage.boot.disk",
		Label: "boot disk",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Storage.Boot.Disk }),
	},
	{
		ID:     BootStyle,
		Name:   "storage.boot.partition_style",
		Label:  "partition style of the boot disk",
		Kind:   Word,
		Aspect: State,
		Words:  styles,
		in:     text(Word, func(d *document) *optText { return &d.Storage.Boot.PartitionStyle }),
	},
	{
		ID:     BootDynamic,
		Name:   "storage.boot.dynamic",
		Label:  "boot disk is dynamic",
		Kind:   Bool,
		Aspect: State,
		On:     OnlyPC,
		in:     truth(func(d *document) *optBool { return &d.Storage.Boot.Dynamic }),
	},
	{
		ID:    BootMedia,
		Name:  "storage.boot.media",
		Label: "boot medium",
		Kind:  Word,
		Words: map[string]string{"internal": "internal", "removable": "removable", "network": "network"},
		in:    text(Word, func(d *document) *optText { return &d.Storage.Boot.Media }),
	},
	{
		ID:      BootPlaces,
		Name:    "storage.boot.primaries",
		Label:   "primary partitions of the boot disk",
		Kind:    Number,
		Aspect:  Measure,
		On:      OnlyPC,
		Derived: true,
		of:      places,
		About:   "Used entries of an MBR, of four; an extended partition uses one",
	},
	{
		ID:      BootLogical,
		Name:    "storage.boot.logical",
		Label:   "logical partitions on the boot disk",
		Kind:    Bool,
		Aspect:  State,
		On:      OnlyPC,
		Derived: true,
		of:      logical,
	},
	{
		ID:     ESPLoader,
		Name:   "storage.boot.esp.loader",
		Label:  "loader on the EFI system partition",
		Kind:   Bool,
		Aspect: State,
		On:     OnlyPC,
		in:     truth(func(d *document) *optBool { return &d.Storage.Boot.ESP.Loader }),
	},
	{
		ID:    OtherSystems,
		Name:  "storage.other_systems",
		Label: "other systems on the disks",
		Kind:  Set,
		in:    items(func(d *document) *[]string { return &d.Storage.OtherSystems }),
	},
}
