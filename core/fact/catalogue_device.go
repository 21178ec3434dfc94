package fact

import (
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/placeholder"
)

// The numbers of the facts of this file. One is never used again; go test -run FreeNumbers -v names
// those that are free.
const (
	DeviceName         ID = 1
	DeviceManufacturer ID = 2
	DeviceModel        ID = 3
	DeviceModelID      ID = 4
	DeviceModelYear    ID = 116
	DeviceSerial       ID = 5
	DeviceUUID         ID = 6
	DeviceForm         ID = 7
	DeviceEnvironment  ID = 8
	DeviceHypervisor   ID = 9
	BoardManufacturer  ID = 10
	BoardModel         ID = 11
	OSPlatform         ID = 12
	OSName             ID = 13
	OSEdition          ID = 14
	OSVersion          ID = 15
	OSBuild            ID = 16
	OSArchitecture     ID = 17
	OSManagedBy        ID = 18
	OSHeldAt           ID = 19
	OSPendingRestart   ID = 20
	OSAccount          ID = 65
	OSLicence          ID = 66
	DeviceAssetTag     ID = 69
	DeviceWarranty     ID = 104
	BoardSerial        ID = 73
	DeviceClass        ID = 78
	OSLanguage         ID = 97
	ChecksSkipped      ID = 105
	OSPendingUpdates   ID = 114
	BackupAt           ID = 115
)

// deviceFacts are the facts of the device.
var deviceFacts = []Def{
	{
		ID:    DeviceName,
		Name:  "device.name",
		Label: "host name",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Device.Name }),
	},
	{ID: DeviceClass, Name: "device.class", Label: "class of hardware", Kind: Word, Derived: true,
		Words: map[string]string{"pc": "PC", "mac": "Mac"},
		About: "PC or Mac; decides which target release the machine is checked against, whatever system runs on it",
		of:    classOf},
	{
		ID:    DeviceManufacturer,
		Name:  "device.manufacturer",
		Label: "maker",
		Kind:  Text,
		in:    filled(func(d *document) *optText { return &d.Device.Manufacturer }),
	},
	{
		ID:    DeviceModel,
		Name:  "device.model",
		Label: "model",
		Kind:  Text,
		in:    filled(func(d *document) *optText { return &d.Device.Model }),
	},
	{
		ID:    DeviceModelID,
		Name:  "device.model_id",
		Label: "model identifier",
		Kind:  Text,
		On:    OnlyMac,
		in:    text(Text, func(d *document) *optText { return &d.Device.ModelID }),
	},
	{
		ID:    DeviceModelYear,
		Name:  "device.model_year",
		Label: "model year",
		Kind:  Number,
		in:    number(func(d *document) *optInt { return &d.Device.ModelYear }),
		About: "The year in which the model came out. No system reports it: the row of the model in a release's list " +
			"does, or a person",
	},
	{
		ID:    DeviceSerial,
		Name:  "device.serial",
		Label: "serial number",
		Kind:  Text,
		in:    filled(func(d *document) *optText { return &d.Device.Serial }),
	},
	{
		ID:    DeviceWarranty,
		Name:  "device.warranty_until",
		Label: "warranty that opening the case ends",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Device.WarrantyUntil }),
		About: "Its last day, such as 2027-05-31. No system reports it: enter it by hand from the contract, for a " +
			"machine or a model",
	},
	{
		ID:    DeviceAssetTag,
		Name:  "device.asset_tag",
		Label: "asset tag",
		Kind:  Text,
		in:    filled(func(d *document) *optText { return &d.Device.AssetTag }),
	},
	{
		ID:    DeviceUUID,
		Name:  "device.uuid",
		Label: "platform UUID",
		Kind:  Text,
		in:    filledBy(placeholder.UUID, func(d *document) *optText { return &d.Device.UUID }),
	},
	{
		ID:    DeviceForm,
		Name:  "device.form",
		Label: "form",
		Kind:  Word,
		in:    text(Word, func(d *document) *optText { return &d.Device.Form }),
		Words: map[string]string{
			"desktop":    "desktop",
			"laptop":     "laptop",
			"all-in-one": "all-in-one",
			"tablet":     "tablet",
			"server":     "server",
			"virtual":    "virtual machine",
			"other":      "other",
		},
	},
	{
		ID:    DeviceEnvironment,
		Name:  "device.environment",
		Label: "environment",
		Kind:  Word,
		in:    text(Word, func(d *document) *optText { return &d.Device.Environment }),
		Words: map[string]string{
			"hardware":  "hardware",
			"guest":     "virtual machine",
			"container": "container",
			"subsystem": "subsystem",
			"live":      "live medium",
			"planned":   "planned, not there yet",
		},
		About: "Where the collector ran; in a container or from a live medium the installed system is a gap",
	},
	{
		ID:    DeviceHypervisor,
		Name:  "device.hypervisor",
		Label: "hypervisor",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Device.Hypervisor }),
	},
	{
		ID:    BoardManufacturer,
		Name:  "device.board.manufacturer",
		Label: "board maker",
		Kind:  Text,
		On:    OnlyPC,
		in:    text(Text, func(d *document) *optText { return &d.Device.Board.Manufacturer }),
	},
	{
		ID:    BoardModel,
		Name:  "device.board.model",
		Label: "board model",
		Kind:  Text,
		On:    OnlyPC,
		in:    text(Text, func(d *document) *optText { return &d.Device.Board.Model }),
	},
	{
		ID:    BoardSerial,
		Name:  "device.board.serial",
		Label: "board serial number",
		Kind:  Text,
		On:    OnlyPC,
		in:    filled(func(d *document) *optText { return &d.Device.Board.Serial }),
	},
}

// systemFacts are the facts of the os.
var systemFacts = []Def{
	{
		ID:    OSPlatform,
		Name:  "os.platform",
		Label: "platform",
		Kind:  Word,
		Words: map[string]string{"windows": "PC system", "macos": "Mac system", "linux": "Linux"},
		in:    text(Word, func(d *document) *optText { return &d.OS.Platform }),
	},
	{
		ID:    OSName,
		Name:  "os.name",
		Label: "installed release",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.OS.Name }),
	},
	{
		ID:    OSEdition,
		Name:  "os.edition",
		Label: "edition",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.OS.Edition }),
	},
	{
		ID:    OSVersion,
		Name:  "os.version",
		Label: "version of the installed release",
		Kind:  Version,
		in:    text(Version, func(d *document) *optText { return &d.OS.Version }),
	},
	{
		ID:    OSBuild,
		Name:  "os.build",
		Label: "build",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.OS.Build }),
	},
	{
		ID:    OSArchitecture,
		Name:  "os.architecture",
		Label: "word size of the system",
		Kind:  Word,
		Words: architectures,
		in:    text(Word, func(d *document) *optText { return &d.OS.Architecture }),
		About: "Of the running system, not of the silicon and not of the collector's binary",
	},
	{
		ID:    OSLanguage,
		Name:  "os.language",
		Label: "language of the system",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.OS.Language }),
		About: "As a language tag: en, de-AT",
	},
	{
		ID:    OSManagedBy,
		Name:  "os.managed_by",
		Label: "updates managed by",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.OS.ManagedBy }),
	},
	{
		ID:    OSHeldAt,
		Name:  "os.held_at",
		Label: "held at release",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.OS.HeldAt }),
	},
	{
		ID: ChecksSkipped, Name: "os.checks_skipped", Label: "checks that an installation skipped", Kind: Set,
		Aspect: State,
		in:     items(func(d *document) *[]string { return &d.OS.ChecksSkipped }),
		About:  "Signs that an earlier installation skipped checks of its release",
	},
	{
		ID:     OSPendingRestart,
		Name:   "os.pending_restart",
		Label:  "restart pending",
		Kind:   Bool,
		Aspect: State,
		in:     truth(func(d *document) *optBool { return &d.OS.PendingRestart }),
	},
	{
		ID:     OSPendingUpdates,
		Name:   "os.pending_updates",
		Label:  "updates not installed yet",
		Kind:   Number,
		Aspect: State,
		in:     number(func(d *document) *optInt { return &d.OS.PendingUpdates }),
		About:  "Updates of the present system that it found when it last looked",
	},
	{
		ID:    OSAccount,
		Name:  "os.account",
		Label: "kind of account",
		Kind:  Word,
		Words: map[string]string{"local": "local", "directory": "directory", "vendor": "linked to the vendor"},
		in:    text(Word, func(d *document) *optText { return &d.OS.Account }),
	},
	{
		ID:    OSLicence,
		Name:  "os.licence",
		Label: "licence",
		Kind:  Word,
		Words: map[string]string{"valid": "valid", "invalid": "not valid"},
		in:    text(Word, func(d *document) *optText { return &d.OS.Licence }),
	},
	{
		ID:    BackupAt,
		Name:  "backup.last_at",
		Label: "last backup",
		Kind:  Text,
		in:    day(func(d *document) *inventory.Opt[time.Time] { return &d.Backup.LastAt }),
		About: "When the system's own backup last ran, where it tells; whether the backup can be restored is not known",
	},
}
