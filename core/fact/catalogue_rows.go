package fact

import "rolltop.example/rolltop/core/inventory"

// The numbers of the facts of rows.
const (
	AdapterName      ID = 120
	AdapterDriver    ID = 121
	AdapterModel     ID = 122
	AdapterLevel     ID = 123
	AdapterAddIn     ID = 124
	AdapterIDs       ID = 125
	DisplayName      ID = 130
	DisplayInternal  ID = 131
	DisplayWidth     ID = 132
	DisplayHeight    ID = 133
	DisplayDiagonal  ID = 134
	DisplayBits      ID = 135
	DriveName        ID = 140
	DriveModel       ID = 141
	DriveBus         ID = 142
	DriveKind        ID = 143
	DriveBytes       ID = 144
	DriveStyle       ID = 145
	DriveSystem      ID = 146
	DriveRemovable   ID = 147
	DriveHealth      ID = 148
	DriveWear        ID = 149
	ModuleSlot       ID = 150
	ModuleBytes      ID = 151
	ModuleType       ID = 152
	ModuleSoldered   ID = 153
	ModuleForm       ID = 154
	ModuleMTS        ID = 155
	ModuleECC        ID = 156
	ModuleRegistered ID = 157
	ModuleMillivolts ID = 158
	TitleName        ID = 160
	TitleVersion     ID = 161
	TitlePublisher   ID = 162
	TitleCode        ID = 163
	TitleSource      ID = 164
	DriverDevice     ID = 170
	DriverClass      ID = 171
	DriverHardwareID ID = 172
	DriverProvider   ID = 173
	DriverVersion    ID = 174
	DriverStatus     ID = 175
)

var driveKinds = map[string]string{
	"ssd":     "solid-state",
	"hdd":     "hard disk",
	"emmc":    "eMMC or other built-in flash",
	"virtual": "virtual",
	"other":   "other",
}

// rowCatalogue is the facts of rows, in their reading order.
var rowCatalogue = []Def{
	{
		ID:    AdapterName,
		Name:  "graphics.name",
		Label: "name of the adapter",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Graphics[i].Name }),
	},
	{
		ID:     AdapterDriver,
		Name:   "graphics.driver_version",
		Label:  "graphics driver version",
		Kind:   Version,
		Aspect: State,
		at:     rowText(Version, func(d *document, i int) *optText { return &d.Graphics[i].DriverVersion }),
	},
	{
		ID:     AdapterModel,
		Name:   "graphics.driver_model",
		Label:  "driver model",
		Kind:   Version,
		Aspect: State,
		at:     rowText(Version, func(d *document, i int) *optText { return &d.Graphics[i].DriverModel }),
		About:  "Of the driver in use; a newer driver may raise it",
	},
	{
		ID:     AdapterLevel,
		Name:   "graphics.interface_level",
		Label:  "graphics interface level",
		Kind:   Version,
		Aspect: Capability,
		at:     rowText(Version, func(d *document, i int) *optText { return &d.Graphics[i].InterfaceLevel }),
		About:  "What the adapter supports, not which runtime is installed",
	},
	{
		ID:    AdapterAddIn,
		Name:  "graphics.add_in",
		Label: "add-in card",
		Kind:  Bool,
		at:    rowTruth(func(d *document, i int) *optBool { return &d.Graphics[i].AddIn }),
	},
	{
		ID:    AdapterIDs,
		Name:  "graphics.ids",
		Label: "PCI ids of the adapter",
		Kind:  Text,
		// A document has them in two places.
		Derived: true,
		at: access{read: func(d *document, i int) Value {
			if ids := d.Graphics[i].IDs(); ids != "" {
				return Of(Text, ids)
			}
			return Value{}
		}},
		About: "Vendor and device, such as 7e5a:0c21: the same on every machine that has this adapter",
	},

	{
		ID:    DisplayName,
		Name:  "displays.name",
		Label: "name of the display",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Displays[i].Name }),
	},
	{
		ID:    DisplayInternal,
		Name:  "displays.internal",
		Label: "built in",
		Kind:  Bool,
		at:    rowTruth(func(d *document, i int) *optBool { return &d.Displays[i].Internal }),
	},
	{
		ID:     DisplayWidth,
		Name:   "displays.width_px",
		Label:  "width in pixels",
		Kind:   Number,
		Aspect: Measure,
		at:     rowNumber(func(d *document, i int) *optInt { return &d.Displays[i].WidthPx }),
	},
	{
		ID:     DisplayHeight,
		Name:   "displays.height_px",
		Label:  "height in pixels",
		Kind:   Number,
		Aspect: Measure,
		at:     rowNumber(func(d *document, i int) *optInt { return &d.Displays[i].HeightPx }),
	},
	{
		ID:     DisplayDiagonal,
		Name:   "displays.diagonal_inches",
		Label:  "diagonal",
		Kind:   Number,
		Unit:   Inches,
		Aspect: Measure,
		at:     rowFraction(func(d *document, i int) *inventory.Opt[float64] { return &d.Displays[i].DiagonalInches }),
	},
	{
		ID:     DisplayBits,
		Name:   "displays.bits_per_channel",
		Label:  "depth of a colour channel",
		Kind:   Number,
		Unit:   Bits,
		Aspect: Capability,
		at:     rowNumber(func(d *document, i int) *optInt { return &d.Displays[i].BitsPerChannel }),
	},

	{
		ID:    DriveName,
		Name:  "storage.disks.name",
		Label: "name of the drive",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Storage.Disks[i].Name }),
	},
	{
		ID:    DriveModel,
		Name:  "storage.disks.model",
		Label: "model of the drive",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Storage.Disks[i].Model }),
	},
	{
		ID:    DriveBus,
		Name:  "storage.disks.bus",
		Label: "bus",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Storage.Disks[i].Bus }),
	},
	{
		ID:    DriveKind,
		Name:  "storage.disks.kind",
		Label: "kind of drive",
		Kind:  Word,
		Words: driveKinds,
		at:    rowText(Word, func(d *document, i int) *optText { return &d.Storage.Disks[i].Kind }),
	},
	{
		ID:     DriveBytes,
		Name:   "storage.disks.bytes",
		Label:  "capacity of the drive",
		Kind:   Number,
		Unit:   Drive,
		Aspect: Measure,
		at:     rowNumber(func(d *document, i int) *optInt { return &d.Storage.Disks[i].Bytes }),
	},
	{
		ID:     DriveStyle,
		Name:   "storage.disks.partition_style",
		Label:  "partition style",
		Kind:   Word,
		Words:  styles,
		Aspect: State,
		at:     rowText(Word, func(d *document, i int) *optText { return &d.Storage.Disks[i].PartitionStyle }),
	},
	{
		ID:    DriveSystem,
		Name:  "storage.disks.system",
		Label: "system disk",
		Kind:  Bool,
		at:    rowTruth(func(d *document, i int) *optBool { return &d.Storage.Disks[i].System }),
	},
	{
		ID:    DriveRemovable,
		Name:  "storage.disks.removable",
		Label: "removable",
		Kind:  Bool,
		at:    rowTruth(func(d *document, i int) *optBool { return &d.Storage.Disks[i].Removable }),
	},
	{
		ID:     DriveHealth,
		Name:   "storage.disks.health",
		Label:  "health",
		Kind:   Word,
		Words:  map[string]string{"good": "good", "bad": "failing"},
		Aspect: State,
		at:     rowText(Word, func(d *document, i int) *optText { return &d.Storage.Disks[i].Health }),
	},
	{
		ID:    DriveWear,
		Name:  "storage.disks.wear_percent",
		Label: "part of its rated life that is used up",
		Kind:  Number,
		Unit:  Percent,
		at:    rowNumber(func(d *document, i int) *optInt { return &d.Storage.Disks[i].WearPercent }),
	},

	{
		ID:    ModuleSlot,
		Name:  "memory.modules.slot",
		Label: "slot",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Memory.Modules[i].Slot }),
	},
	{
		ID:     ModuleBytes,
		Name:   "memory.modules.bytes",
		Label:  "size of the module",
		Kind:   Number,
		Unit:   Binary,
		Aspect: Measure,
		at:     rowNumber(func(d *document, i int) *optInt { return &d.Memory.Modules[i].Bytes }),
	},
	{
		ID:    ModuleType,
		Name:  "memory.modules.type",
		Label: "type of the module",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Memory.Modules[i].Type }),
	},
	{
		ID:    ModuleSoldered,
		Name:  "memory.modules.soldered",
		Label: "soldered",
		Kind:  Bool,
		at:    rowTruth(func(d *document, i int) *optBool { return &d.Memory.Modules[i].Soldered }),
	},
	{
		ID:    ModuleForm,
		Name:  "memory.modules.form",
		Label: "form of the module",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Memory.Modules[i].Form }),
	},
	{
		ID:     ModuleMTS,
		Name:   "memory.modules.speed_mts",
		Label:  "speed of the module in MT/s",
		Kind:   Number,
		Aspect: Measure,
		at:     rowNumber(func(d *document, i int) *optInt { return &d.Memory.Modules[i].SpeedMTS }),
	},
	{
		ID:    ModuleECC,
		Name:  "memory.modules.ecc",
		Label: "error correction",
		Kind:  Bool,
		at:    rowTruth(func(d *document, i int) *optBool { return &d.Memory.Modules[i].ECC }),
	},
	{
		ID:    ModuleRegistered,
		Name:  "memory.modules.registered",
		Label: "registered",
		Kind:  Bool,
		at:    rowTruth(func(d *document, i int) *optBool { return &d.Memory.Modules[i].Registered }),
	},
	{ID: ModuleMillivolts, Name: "memory.modules.voltage_mv", Label: "voltage in mV", Kind: Number, Aspect: Measure,
		at: rowNumber(func(d *document, i int) *optInt { return &d.Memory.Modules[i].Millivolts })},

	{
		ID:    TitleName,
		Name:  "software.name",
		Label: "title",
		Kind:  Text,
		at:    rowName(func(d *document, i int) *string { return &d.Software[i].Name }),
	},
	{
		ID:    TitleVersion,
		Name:  "software.version",
		Label: "version of the title",
		Kind:  Version,
		at:    rowText(Version, func(d *document, i int) *optText { return &d.Software[i].Version }),
	},
	{
		ID:    TitlePublisher,
		Name:  "software.publisher",
		Label: "publisher",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Software[i].Publisher }),
	},
	{
		ID:    TitleCode,
		Name:  "software.code",
		Label: "product code",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Software[i].Code }),
	},
	{
		ID:    TitleSource,
		Name:  "software.source",
		Label: "where the title comes from",
		Kind:  Word,
		Words: map[string]string{
			"package":   "a package in the system's own form",
			"store":     "the system's store",
			"installer": "an installer",
			"not-store": "not the system's store",
		},
		at: rowText(Word, func(d *document, i int) *optText { return &d.Software[i].Source }),
	},

	{
		ID:    DriverDevice,
		Name:  "drivers.device",
		Label: "device",
		Kind:  Text,
		at:    rowName(func(d *document, i int) *string { return &d.Drivers[i].Device }),
	},
	{
		ID:    DriverClass,
		Name:  "drivers.class",
		Label: "class of device",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Drivers[i].Class }),
	},
	{
		ID:    DriverHardwareID,
		Name:  "drivers.hardware_id",
		Label: "hardware id",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Drivers[i].HardwareID }),
	},
	{
		ID:    DriverProvider,
		Name:  "drivers.provider",
		Label: "provider of the driver",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Drivers[i].Provider }),
	},
	{
		ID:    DriverVersion,
		Name:  "drivers.version",
		Label: "driver version",
		Kind:  Version,
		at:    rowText(Version, func(d *document, i int) *optText { return &d.Drivers[i].Version }),
	},
	{
		ID:    DriverStatus,
		Name:  "drivers.status",
		Label: "status of the device",
		Kind:  Text,
		at:    rowText(Text, func(d *document, i int) *optText { return &d.Drivers[i].Status }),
	},
}
