package fact

import (
	"time"

	"rolltop.example/rolltop/core/inventory"
)

// processorFacts are the facts of the processor.
var processorFacts = []Def{
	{
		ID:    ProcessorVendor,
		Name:  "processor.vendor",
		Label: "processor maker",
		Kind:  Text,
		of:    text(Text, func(d *document) optText { return d.Processor.Vendor }),
	},
	{
		ID:    ProcessorName,
		Name:  "processor.name",
		Label: "processor",
		Kind:  Text,
		of:    text(Text, func(d *document) optText { return d.Processor.Name }),
	},
	{
		ID:    ProcessorFamily,
		Name:  "processor.family",
		Label: "processor family",
		Kind:  Number,
		of:    number(func(d *document) optInt { return d.Processor.Family }),
	},
	{
		ID:    ProcessorModel,
		Name:  "processor.model",
		Label: "processor model number",
		Kind:  Number,
		of:    number(func(d *document) optInt { return d.Processor.Model }),
	},
	{
		ID:    ProcessorStepping,
		Name:  "processor.stepping",
		Label: "processor stepping",
		Kind:  Number,
		of:    number(func(d *document) optInt { return d.Processor.Stepping }),
	},
	{
		ID:     ProcessorArch,
		Name:   "processor.architecture",
		Label:  "word size of the processor",
		Kind:   Word,
		Aspect: Capability,
		Words:  architectures,
		of:     text(Word, func(d *document) optText { return d.Processor.Architecture }),
		About:  "Of the silicon: a 32-bit system on a 64-bit processor shows here",
	},
	{
		ID:     ProcessorPackages,
		Name:   "processor.packages",
		Label:  "processor packages",
		Kind:   Number,
		Aspect: Measure,
		of:     number(func(d *document) optInt { return d.Processor.Packages }),
	},
	{
		ID:     ProcessorCores,
		Name:   "processor.cores",
		Label:  "processor cores",
		Kind:   Number,
		Aspect: Measure,
		of:     number(func(d *document) optInt { return d.Processor.Cores }),
		About:  "Physical cores; offline ones count",
	},
	{
		ID:     ProcessorThreads,
		Name:   "processor.threads",
		Label:  "processor threads",
		Kind:   Number,
		Aspect: Measure,
		of:     number(func(d *document) optInt { return d.Processor.Threads }),
	},
	{
		ID:     ProcessorMHz,
		Name:   "processor.rated_mhz",
		Label:  "rated speed",
		Kind:   Number,
		Unit:   MHz,
		Aspect: Measure,
		of:     number(func(d *document) optInt { return d.Processor.RatedMHz }),
		About:  "The rated speed, never the momentary one",
	},
	{
		ID:     ProcessorFeatures,
		Name:   "processor.features",
		Label:  "processor features",
		Kind:   Set,
		Aspect: Capability,
		of: func(d *document) Value {
			if d.Processor.Features == nil {
				return Value{}
			}
			return Items(d.Processor.Features)
		},
		About: "Instruction-set features, lower case",
	},
	{
		ID:     ProcessorTPM,
		Name:   "processor.built_in_tpm",
		Label:  "TPM built into the processor",
		Kind:   Bool,
		Aspect: Capability,
		On:     OnlyPC,
		of:     truth(func(d *document) optBool { return d.Processor.BuiltInTPM }),
		About:  "No system tells it: from the row of a release's processor list, or entered by hand",
	},

	{
		ID:      ProcessorFeaturesOff,
		Name:    "processor.features_off",
		Label:   "features switched off",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      func(*document) Value { return Items(nil) },
		About:   "Features that the release's list says this processor has and the system does not see",
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
		of:     number(func(d *document) optInt { return d.Memory.Installed }),
		About:  "What is plugged in, from firmware",
	},
	{
		ID:     MemoryVisible,
		Name:   "memory.visible_bytes",
		Label:  "visible memory",
		Kind:   Number,
		Unit:   Binary,
		Aspect: Measure,
		of:     number(func(d *document) optInt { return d.Memory.Visible }),
		About:  "What the system may use; smaller, since graphics and firmware take a share",
	},
	{
		ID:     MemorySlots,
		Name:   "memory.slots",
		Label:  "memory slots",
		Kind:   Number,
		Aspect: Measure,
		of:     number(func(d *document) optInt { return d.Memory.Slots }),
	},
	{
		ID:     MemorySlotsUsed,
		Name:   "memory.slots_used",
		Label:  "memory slots in use",
		Kind:   Number,
		Aspect: Measure,
		of:     number(func(d *document) optInt { return d.Memory.SlotsUsed }),
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
		Label:  "most memory the machine takes",
		Kind:   Number,
		Unit:   Binary,
		Aspect: Capability,
		of:     number(func(d *document) optInt { return d.Memory.Max }),
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
		of:     number(func(d *document) optInt { return d.Storage.System.DiskBytes }),
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
		of:     text(Word, func(d *document) optText { return d.Storage.System.PartitionStyle }),
	},
	{
		ID:     VolumeBytes,
		Name:   "storage.system.volume_bytes",
		Label:  "size of the system volume",
		Kind:   Number,
		Unit:   Space,
		Aspect: Measure,
		of:     number(func(d *document) optInt { return d.Storage.System.VolumeBytes }),
	},
	{
		ID:     FreeBytes,
		Name:   "storage.system.free_bytes",
		Label:  "free space on the system volume",
		Kind:   Number,
		Unit:   Space,
		Aspect: Measure,
		of:     number(func(d *document) optInt { return d.Storage.System.FreeBytes }),
	},
	{
		ID:    Filesystem,
		Name:  "storage.system.filesystem",
		Label: "file system",
		Kind:  Text,
		of:    text(Text, func(d *document) optText { return d.Storage.System.Filesystem }),
	},
	{
		ID:     EncryptionState,
		Name:   "storage.system.encryption.state",
		Label:  "encryption of the system volume",
		Kind:   Word,
		Aspect: State,
		Words:  map[string]string{"on": "on", "off": "off", "paused": "paused"},
		of:     text(Word, func(d *document) optText { return d.Storage.System.Encryption.State }),
	},
	{
		ID:    EncryptionKind,
		Name:  "storage.system.encryption.kind",
		Label: "kind of encryption",
		Kind:  Word,
		Words: map[string]string{"platform": "the platform's own", "luks": "LUKS", "other": "another product's"},
		of:    text(Word, func(d *document) optText { return d.Storage.System.Encryption.Kind }),
	},
	{
		ID:     EncryptionKeyKept,
		Name:   "storage.system.encryption.key_kept",
		Label:  "recovery key kept",
		Kind:   Bool,
		Aspect: State,
		of:     truth(func(d *document) optBool { return d.Storage.System.Encryption.KeyKept }),
	},
	{
		ID: EncryptionTPMBound, Name: "storage.system.encryption.tpm_bound", Label: "encryption bound to the TPM",
		Kind: Bool, Aspect: State, On: OnlyPC,
		of: truth(func(d *document) optBool { return d.Storage.System.Encryption.TPMBound }),
	},
	{
		ID: EncryptionPausedAt, Name: "storage.system.encryption.paused_since", Label: "encryption paused since",
		Kind: Text,
		of: func(d *document) Value {
			if at, ok := d.Storage.System.Encryption.PausedSince.Get(); ok {
				return Of(Text, at.UTC().Format(time.DateOnly))
			}
			return Value{}
		},
	},
	{
		ID:    BootDisk,
		Name:  "storage.boot.disk",
		Label: "boot disk",
		Kind:  Text,
		of:    text(Text, func(d *document) optText { return d.Storage.Boot.Disk }),
	},
	{
		ID:     BootStyle,
		Name:   "storage.boot.partition_style",
		Label:  "partition style of the boot disk",
		Kind:   Word,
		Aspect: State,
		Words:  styles,
		of:     text(Word, func(d *document) optText { return d.Storage.Boot.PartitionStyle }),
	},
	{
		ID:     BootDynamic,
		Name:   "storage.boot.dynamic",
		Label:  "boot disk is dynamic",
		Kind:   Bool,
		Aspect: State,
		On:     OnlyPC,
		of:     truth(func(d *document) optBool { return d.Storage.Boot.Dynamic }),
	},
	{
		ID:    BootMedia,
		Name:  "storage.boot.media",
		Label: "boot medium",
		Kind:  Word,
		Words: map[string]string{"internal": "internal", "removable": "removable", "network": "network"},
		of:    text(Word, func(d *document) optText { return d.Storage.Boot.Media }),
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
		About:   "The places of an MBR that are taken, of four; an extended partition takes one",
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
		of:     truth(func(d *document) optBool { return d.Storage.Boot.ESP.Loader }),
	},
	{
		ID:    OtherSystems,
		Name:  "storage.other_systems",
		Label: "other systems on the disks",
		Kind:  Set,
		of: func(d *document) Value {
			if d.Storage.OtherSystems == nil {
				return Value{}
			}
			return Items(d.Storage.OtherSystems)
		},
	},
}
