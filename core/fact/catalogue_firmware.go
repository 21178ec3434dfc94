package fact

import "slices"

// The numbers of the facts of this file. One is never used again; go test -run FreeNumbers -v names
// those that are free.
const (
	FirmwareVendor    ID = 48
	FirmwareVersion   ID = 49
	FirmwareDate      ID = 50
	BootMode          ID = 51
	UEFICapable       ID = 52
	UEFIBits          ID = 53
	FirmwarePassword  ID = 54
	SecureBoot        ID = 55
	SecureBootCapable ID = 56
	TPMState          ID = 57
	TPMVersion        ID = 58
	TPMKind           ID = 59
	TPMManufacturer   ID = 60
	TPMFirmware       ID = 61
	NetworkConnected  ID = 62
	PowerSource       ID = 63
	VBS               ID = 64
	BatteryPercent    ID = 70
	LegacySupport     ID = 71
	BatteryHealth     ID = 76
	SettingsInterface ID = 77
	AdapterCount      ID = 83 // the counts of lists are in the order of Group
	AdapterKinds      ID = 117
	DisplayCount      ID = 84
	DriveCount        ID = 85
	ModuleCount       ID = 86
	TitleCount        ID = 87
	DriverCount       ID = 88
	SoftwareToUpdate  ID = 89
	SoftwareToBuy     ID = 90
	SoftwareToRemove  ID = 91
	SoftwareProblems  ID = 92
	SoftwareNotKnown  ID = 93
	DriversToUpdate   ID = 94
	DriversToRemove   ID = 95
	DriverProblems    ID = 96
	TPMHeader         ID = 98
	TPMChangeable     ID = 99
	DriversNotKnown   ID = 102
	FirmwareUpdate    ID = 103
	Attestation       ID = 108
	AttestedFacts     ID = 109
	SettingsOffered   ID = 110
	TPMEnabled        ID = 111
	TPMActivated      ID = 112
)

// firmwareFacts are the facts of the firmware and of the TPM.
var firmwareFacts = []Def{
	{
		ID:    FirmwareVendor,
		Name:  "firmware.vendor",
		Label: "firmware maker",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Firmware.Vendor }),
	},
	{
		ID:    FirmwareVersion,
		Name:  "firmware.version",
		Label: "firmware version",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Firmware.Version }),
	},
	{
		ID:    FirmwareDate,
		Name:  "firmware.date",
		Label: "firmware date",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Firmware.Date }),
	},
	{
		ID:     BootMode,
		Name:   "firmware.boot_mode",
		Label:  "boot mode",
		Kind:   Word,
		Aspect: State,
		On:     OnlyPC,
		Words:  map[string]string{"uefi": "UEFI", "legacy": "legacy"},
		in:     text(Word, func(d *document) *optText { return &d.Firmware.BootMode }),
	},
	{
		ID:     UEFICapable,
		Name:   "firmware.uefi_capable",
		Label:  "firmware supports UEFI",
		Kind:   Bool,
		Aspect: Capability,
		On:     OnlyPC,
		in:     truth(func(d *document) *optBool { return &d.Firmware.UEFICapable }),
	},
	{
		ID:     UEFIBits,
		Name:   "firmware.uefi_bits",
		Label:  "word size of the firmware",
		Kind:   Number,
		Unit:   Bits,
		Aspect: Capability,
		On:     OnlyPC,
		in:     number(func(d *document) *optInt { return &d.Firmware.UEFIBits }),
	},
	{
		ID:     FirmwarePassword,
		Name:   "firmware.password",
		Label:  "firmware password",
		Kind:   Word,
		Aspect: State,
		On:     OnlyPC,
		Words:  map[string]string{"set": "set", "not-set": "not set"},
		in:     text(Word, func(d *document) *optText { return &d.Firmware.Password }),
	},
	{
		ID:    SettingsInterface,
		Name:  "firmware.settings_interface",
		Label: "interface to firmware settings",
		Kind:  Text,
		On:    OnlyPC,
		in:    text(Text, func(d *document) *optText { return &d.Firmware.SettingsInterface }),
	},
	{
		ID:    SettingsOffered,
		Name:  "firmware.settings_offered",
		Label: "changeable firmware settings",
		Kind:  Set,
		On:    OnlyPC,
		in:    items(func(d *document) *[]string { return &d.Firmware.SettingsOffered }),
		About: "Of secure-boot, tpm and legacy-support, those that the running system can change",
		Items: map[string]string{"secure-boot": "secure boot", "tpm": "TPM", "legacy-support": "legacy support"},
	},
	{
		ID:      FirmwareUpdate,
		Name:    "firmware.update",
		Label:   "firmware update that a guide requires",
		Kind:    Text,
		On:      OnlyPC,
		Derived: true,
		of:      unjudged,
		About:   "The version that the firmware guide of the board names, if the machine has an older one",
	},
	{
		ID:     LegacySupport,
		Name:   "firmware.legacy_support",
		Label:  "legacy support in firmware",
		Kind:   Bool,
		Aspect: State,
		On:     OnlyPC,
		in:     truth(func(d *document) *optBool { return &d.Firmware.LegacySupport }),
	},
	{
		ID:     SecureBoot,
		Name:   "firmware.secure_boot",
		Label:  "secure boot",
		Kind:   Word,
		Aspect: State,
		Words: map[string]string{
			"on":         "on",
			"off":        "off",
			"setup":      "off, in set-up mode",
			"inactive":   "not active",
			"full":       "full",
			"reduced":    "reduced",
			"permissive": "permissive",
		},
		in: text(Word, func(d *document) *optText { return &d.Firmware.SecureBoot }),
	},
	{
		ID:     SecureBootCapable,
		Name:   "firmware.secure_boot_capable",
		Label:  "firmware supports secure boot",
		Kind:   Bool,
		Aspect: Capability,
		in:     truth(func(d *document) *optBool { return &d.Firmware.SecureBootCapable }),
	},

	{ID: TPMState, Name: "tpm.state", Label: "TPM", Kind: Word, Aspect: State, On: OnlyPC,
		Words: map[string]string{
			"ready":     "ready",
			"not-ready": "present, not ready",
			"off":       "off",
			"announced": "reported by firmware, no driver",
			"not-seen":  "none seen",
		}, in: text(Word, func(d *document) *optText { return &d.TPM.State }),
		About: "not-seen: the system sees none; absent and hidden by firmware look the same"},
	{
		ID:     TPMVersion,
		Name:   "tpm.version",
		Label:  "TPM version",
		Kind:   Version,
		Aspect: Measure,
		On:     OnlyPC,
		in:     text(Version, func(d *document) *optText { return &d.TPM.Version }),
		About:  "Specification version, not the maker's firmware version",
	},
	{
		ID:     TPMEnabled,
		Name:   "tpm.enabled",
		Label:  "TPM 1.2 enabled",
		Kind:   Bool,
		Aspect: State,
		On:     OnlyPC,
		in:     truth(func(d *document) *optBool { return &d.TPM.Enabled }),
		About:  "A TPM of version 1.2 is ready if it is enabled and activated; later versions know only on and off",
	},
	{
		ID:     TPMActivated,
		Name:   "tpm.activated",
		Label:  "TPM 1.2 activated",
		Kind:   Bool,
		Aspect: State,
		On:     OnlyPC,
		in:     truth(func(d *document) *optBool { return &d.TPM.Activated }),
	},
	{
		ID:    TPMKind,
		Name:  "tpm.kind",
		Label: "kind of TPM",
		Kind:  Word,
		On:    OnlyPC,
		Words: map[string]string{"firmware": "built-in", "discrete": "a chip of its own", "virtual": "virtual"},
		in:    text(Word, func(d *document) *optText { return &d.TPM.Kind }),
	},
	{
		ID:    TPMManufacturer,
		Name:  "tpm.manufacturer",
		Label: "TPM maker",
		Kind:  Text,
		On:    OnlyPC,
		in:    text(Text, func(d *document) *optText { return &d.TPM.Manufacturer }),
	},
	{
		ID:     TPMHeader,
		Name:   "tpm.header",
		Label:  "TPM header on the board",
		Kind:   Bool,
		Aspect: Capability,
		On:     OnlyPC,
		in:     truth(func(d *document) *optBool { return &d.TPM.Header }),
		About:  "No system reports it: enter it by hand from the board's manual",
	},
	{
		ID:     TPMChangeable,
		Name:   "tpm.changeable",
		Label:  "TPM can change its version",
		Kind:   Bool,
		Aspect: Capability,
		On:     OnlyPC,
		in:     truth(func(d *document) *optBool { return &d.TPM.Changeable }),
		About: "Whether a tool of its maker can update the chip to version 2.0. No system reports it: enter it by " +
			"hand or in a firmware guide, from the maker's documents",
	},
	{
		ID:    TPMFirmware,
		Name:  "tpm.firmware",
		Label: "TPM firmware version",
		Kind:  Text,
		On:    OnlyPC,
		in:    text(Text, func(d *document) *optText { return &d.TPM.Firmware }),
	},
	{
		ID:     Attestation,
		Name:   "tpm.attestation",
		Label:  "attestation",
		Kind:   Word,
		Aspect: State,
		On:     OnlyPC,
		Words: map[string]string{
			"attested":     "attested",
			"contradicted": "attested, and the system reports something else",
			"refused":      "refused",
			"another-tpm":  "by another TPM than before",
		},
		Derived: true,
		of:      func(d *document) Value { return wordOf(d.TPM.Attestation) },
		About:   "What the service made of the machine's latest proof by its TPM; it is never entered or handed in",
	},
	{
		ID:      AttestedFacts,
		Name:    "tpm.attested",
		Label:   "attested facts",
		Kind:    Set,
		Aspect:  State,
		On:      OnlyPC,
		Derived: true,
		of:      func(d *document) Value { return attestedOf(d) },
		About:   "Facts that the machine's TPM attested, as the service verified; never entered or handed in",
	},
}

func wordOf(s optText) Value {
	if w, ok := s.Get(); ok {
		return Of(Word, w)
	}
	return Value{}
}

func attestedOf(d *document) Value {
	if len(d.TPM.Attested) == 0 {
		return Value{}
	}
	return Items(d.TPM.Attested)
}

// restFacts are the facts of the network, of the lists, and of titles and drivers.
var restFacts = []Def{
	{
		ID:     NetworkConnected,
		Name:   "network.connected",
		Label:  "network uplink",
		Kind:   Bool,
		Aspect: State,
		in:     truth(func(d *document) *optBool { return &d.Network.Connected }),
	},
	{
		ID:    PowerSource,
		Name:  "power.source",
		Label: "power source",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Power.Source }),
	},
	{
		ID:    BatteryPercent,
		Name:  "power.battery_percent",
		Label: "battery charge",
		Kind:  Number,
		Unit:  Percent,
		in:    number(func(d *document) *optInt { return &d.Power.BatteryPercent }),
	},
	{
		ID:    BatteryHealth,
		Name:  "power.battery_health_percent",
		Label: "battery health",
		Kind:  Number,
		Unit:  Percent,
		in:    number(func(d *document) *optInt { return &d.Power.BatteryHealthPercent }),
	},
	{
		ID:     VBS,
		Name:   "security.vbs",
		Label:  "virtualisation-based isolation",
		Kind:   Word,
		Aspect: State,
		On:     OnlyPC,
		Words:  map[string]string{"running": "running", "configured": "configured, not running", "off": "off"},
		in:     text(Word, func(d *document) *optText { return &d.Security.VBS }),
	},

	{
		ID:      AdapterCount,
		Name:    "graphics",
		Label:   "graphics adapters",
		Kind:    Number,
		Aspect:  Measure,
		Derived: true,
		of:      countOf(Adapters),
		About:   "Number of rows; a requirement can check each of them",
	},
	{
		ID:      AdapterKinds,
		Name:    "graphics.adapters",
		Label:   "graphics adapters by their PCI ids",
		Kind:    Set,
		Derived: true,
		of:      adapterKinds,
		About:   "Of those that tell them, such as 7e5a:0c21: finds the machines that have an adapter",
	},
	{
		ID:      DisplayCount,
		Name:    "displays",
		Label:   "displays",
		Kind:    Number,
		Aspect:  Measure,
		Derived: true,
		of:      countOf(Displays),
		About:   "Number of rows; a requirement can check each of them",
	},
	{
		ID:      DriveCount,
		Name:    "storage.disks",
		Label:   "drives",
		Kind:    Number,
		Aspect:  Measure,
		Derived: true,
		of:      countOf(Disks),
		About:   "Number of rows; a requirement can check each of them",
	},
	{
		ID:      ModuleCount,
		Name:    "memory.modules",
		Label:   "memory modules",
		Kind:    Number,
		Aspect:  Measure,
		Derived: true,
		of:      countOf(Modules),
		About:   "Number of slots, including empty ones; a requirement can check each of them",
	},
	{
		ID:      TitleCount,
		Name:    "software",
		Label:   "installed titles",
		Kind:    Number,
		Aspect:  Measure,
		Derived: true,
		of:      countOf(Titles),
		About:   "Number of rows; a requirement can check each of them",
	},
	{
		ID:      DriverCount,
		Name:    "drivers",
		Label:   "drivers",
		Kind:    Number,
		Aspect:  Measure,
		Derived: true,
		of:      countOf(Drivers),
		About:   "Number of rows; a requirement can check each of them",
	},

	{
		ID:      SoftwareToUpdate,
		Name:    "software.to_update",
		Label:   "titles to update first",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      unjudged,
		About:   "According to the applications that the release document names",
	},
	{
		ID:      SoftwareToBuy,
		Name:    "software.to_buy",
		Label:   "titles whose update has to be bought",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      unjudged,
		About:   "According to the applications that the release document names",
	},
	{
		ID:      SoftwareToRemove,
		Name:    "software.to_remove",
		Label:   "titles to remove first",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      unjudged,
		About:   "According to the applications that the release document names",
	},
	{
		ID:      SoftwareProblems,
		Name:    "software.with_problems",
		Label:   "titles with a known problem",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      unjudged,
		About:   "According to the applications that the release document names",
	},
	{
		ID:      SoftwareNotKnown,
		Name:    "software.not_known",
		Label:   "titles that the release does not name",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      unjudged,
		About:   "Titles that the release document does not name",
	},
	{
		ID:      DriversToUpdate,
		Name:    "drivers.to_update",
		Label:   "drivers to update first",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      unjudged,
		About:   "According to the drivers that the release document names",
	},
	{
		ID:      DriversToRemove,
		Name:    "drivers.to_remove",
		Label:   "drivers to remove first",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      unjudged,
		About:   "According to the drivers that the release document names",
	},
	{
		ID:      DriverProblems,
		Name:    "drivers.with_problems",
		Label:   "drivers with a known problem",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      unjudged,
		About:   "According to the drivers that the release document names",
	},
	{
		ID:      DriversNotKnown,
		Name:    "drivers.not_known",
		Label:   "drivers that the release does not name",
		Kind:    Set,
		Aspect:  State,
		Derived: true,
		of:      unjudged,
		About:   "Drivers that the release document does not name",
	},
}

// adapterKinds are the ids of the adapters that tell them.
func adapterKinds(d *document) Value {
	var ids []string
	for i := range d.Graphics {
		if one := d.Graphics[i].IDs(); one != "" {
			ids = append(ids, one)
		}
	}
	if ids == nil {
		return Value{}
	}
	slices.Sort(ids)
	return Items(slices.Compact(ids))
}
