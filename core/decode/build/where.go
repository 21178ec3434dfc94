package build

import (
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
)

// Places where a person finds more than one fact.
const (
	aboutSystem = "Look at the system's own page about itself"
	onLabel     = "Look at the label of the machine"
	onBoard     = "Look at the board, or in its maker's documents"
	ofMaker     = "Look the machine up in its maker's documents"
	ofProcessor = "Look the processor up in its maker's documents"
	ofAdapter   = "Look the graphics adapter up in its maker's documents"
	ofDisplay   = "Look the display up in its maker's documents"
	inSetUp     = "Look in the firmware's set-up"
	// A virtual machine's firmware is what its host makes it.
	inSetUpOrHost = "Look in the firmware's set-up, or at the settings of the host of a virtual machine"
	ofSettings    = "Look in the documents of the machine's maker for a tool that changes settings of the firmware"
	ofVolume      = "Let the system's own tool for encryption list what unlocks the volume"
	ofBattery     = "Look at the system's own page about power"
	atDisks       = "Look at the disks with the system's own tool for them"
	security      = "Look at the system's own page about security"
)

// places are where a person finds what a collector does not tell, by fact. Facts that nobody finds elsewhere are not
// here.
var places = map[string]string{
	"device.name":                     aboutSystem,
	"device.manufacturer":             onLabel,
	"device.model":                    onLabel,
	"device.model_id":                 aboutSystem,
	"device.model_year":               ofMaker,
	"device.serial":                   onLabel,
	"device.warranty_until":           "Ask whoever bought the machine until when opening the case ends its warranty",
	"device.asset_tag":                onLabel,
	"device.uuid":                     inSetUp,
	"device.form":                     "Look at the machine",
	"device.environment":              "Look whether this is a virtual machine",
	"device.hypervisor":               "Look whether this is a virtual machine, and what runs it",
	"device.board.manufacturer":       onBoard,
	"device.board.model":              onBoard,
	"device.board.serial":             onBoard,
	"os.name":                         aboutSystem,
	"os.edition":                      aboutSystem,
	"os.version":                      aboutSystem,
	"os.build":                        aboutSystem,
	"os.architecture":                 aboutSystem,
	"os.language":                     aboutSystem,
	"os.managed_by":                   "Ask whoever looks after the machine who manages its updates",
	"os.held_at":                      "Ask whoever manages the machine at which release it is held",
	"os.checks_skipped":               "Ask whoever installed the system whether checks were skipped",
	"os.pending_restart":              "Look whether the system asks for a restart",
	"os.pending_updates":              "Look at the system's own page about updates how many there are",
	"os.account":                      "Look at the system's own page about accounts",
	"os.licence":                      "Look at the system's own page about its licence",
	"backup.last_at":                  "Look when the machine's backup last ran",
	"processor.vendor":                ofProcessor,
	"processor.name":                  "Look the processor up in the documents of the machine's maker",
	"processor.family":                ofProcessor,
	"processor.model":                 ofProcessor,
	"processor.stepping":              ofProcessor,
	"processor.architecture":          ofProcessor,
	"processor.packages":              "Look how many processors the machine has",
	"processor.cores":                 ofProcessor,
	"processor.threads":               ofProcessor,
	"processor.rated_mhz":             ofProcessor,
	"processor.features":              ofProcessor,
	"processor.built_in_tpm":          ofProcessor,
	"memory.installed_bytes":          inSetUp,
	"memory.slots":                    ofMaker,
	"memory.slots_used":               "Look how many of the machine's memory slots are in use",
	"memory.max_bytes":                ofMaker,
	"storage.system.disk_bytes":       atDisks,
	"storage.system.kind":             "Look the drive up in its maker's documents",
	"storage.system.health":           "Let a program of the drive's maker state how the drive is",
	"storage.system.partition_style":  atDisks,
	"storage.system.volume_bytes":     atDisks,
	"storage.system.free_bytes":       atDisks,
	"storage.system.filesystem":       atDisks,
	"storage.system.encryption.state": "Look at the system's own page about encryption",
	"storage.system.encryption.kind":  "Look at the system's own page about encryption",
	"storage.system.encryption.key_kept": "Look where the organisation keeps recovery keys whether there is one of " +
		"this machine",
	"storage.system.encryption.tpm_bound":      ofVolume,
	"storage.system.encryption.key_protectors": ofVolume,
	"storage.boot.partition_style":             atDisks,
	"storage.boot.dynamic":                     atDisks,
	"storage.boot.media":                       "Look from which medium the machine started",
	"storage.other_systems":                    "Look at the disks whether another system is on them",
	"firmware.vendor":                          inSetUp,
	"firmware.version":                         inSetUp,
	"firmware.date":                            inSetUp,
	"firmware.boot_mode":                       inSetUpOrHost,
	"firmware.uefi_capable":                    ofMaker,
	"firmware.uefi_bits":                       ofMaker,
	"firmware.password":                        "Start the firmware's set-up and see whether it asks for a password",
	"firmware.settings_interface":              ofSettings,
	"firmware.settings_offered":                ofSettings,
	"firmware.legacy_support":                  inSetUp,
	"firmware.secure_boot":                     inSetUpOrHost,
	"firmware.secure_boot_capable":             inSetUpOrHost,
	"tpm.state":                                inSetUpOrHost,
	"tpm.version":                              inSetUpOrHost,
	"tpm.enabled":                              inSetUp,
	"tpm.activated":                            inSetUp,
	"tpm.kind":                                 ofMaker,
	"tpm.manufacturer":                         ofMaker,
	"tpm.firmware":                             inSetUp,
	"tpm.header":                               onBoard,
	"tpm.changeable":                           ofMaker,
	"displays":                                 "Count the displays",
	"storage.boot.esp.loader":                  "Look whether the EFI system partition has a loader of this system",
	"storage.system.encryption.paused_since":   "Ask whoever paused the protection since when",
	"network.connected":                        "Look whether the machine reaches the network",
	"power.source":                             "Look whether the machine runs from mains",
	"power.battery_percent":                    ofBattery,
	"power.battery_health_percent":             ofBattery,
	"security.vbs":                             security,
	"graphics.interface_level":                 ofAdapter,
	"graphics.driver_model":                    "Look at the system's own page about graphics",
	"displays.width_px":                        ofDisplay,
	"displays.height_px":                       ofDisplay,
	"displays.diagonal_inches":                 ofDisplay,
	"displays.bits_per_channel":                ofDisplay,
}

// ofGroups are facts of groups that are told as one gap.
var ofGroups = map[string]string{
	"backup": "backup.last_at", "storage.system.encryption": "storage.system.encryption.state",
}

// whereToLook is where a person finds what a gap is about, and as what to enter it; "" where nobody finds it.
func whereToLook(gap string) string {
	name := gap
	if of := ofGroups[gap]; of != "" {
		name, gap = of, of
	}
	if i, j := strings.IndexByte(name, '['), strings.IndexByte(name, ']'); i >= 0 && j > i {
		name = name[:i] + name[j+1:]
	}
	switch name {
	case "drivers":
		return "Enter the drivers that a release requires by hand."
	case "memory.modules":
		return "Look at the modules in the machine, and enter memory.installed_bytes by hand."
	}
	if place := places[name]; place != "" {
		return place + ", and enter " + gap + " by hand."
	}
	return ""
}

// withoutTPM are the facts of a TPM beside whether there is one.
var withoutTPM = []fact.ID{fact.TPMVersion, fact.TPMEnabled, fact.TPMActivated, fact.TPMKind, fact.TPMManufacturer,
	fact.TPMFirmware}

// without notes what a machine does not have because of what else is known of it.
func (x *Draft) without(f *fact.Facts) {
	none := func(detail string, ids ...fact.ID) {
		for _, id := range ids {
			if x.D.GapOf(id.String()) == nil && !f.Get(id).Value.Known() {
				x.None(id.String(), detail)
			}
		}
	}
	switch x.D.Storage.System.Encryption.State.Or("") {
	case "off":
		none("the volume is not encrypted", fact.EncryptionKind, fact.KeyProtectors, fact.EncryptionTPMBound,
			fact.EncryptionPausedAt)
	case "on":
		none("its protection is not paused", fact.EncryptionPausedAt)
	case "":
		none("it is unknown whether its protection is paused", fact.EncryptionPausedAt)
	}
	if x.D.Device.Environment.Or("") == "hardware" {
		none("no hypervisor is seen", fact.DeviceHypervisor)
	}
	if x.D.Firmware.BootMode.Or("") == "legacy" {
		none("only a machine that started in UEFI mode tells", fact.UEFIBits)
	}
	if slices.Contains([]string{"not-seen", "announced"}, x.D.TPM.State.Or("")) {
		none("no TPM is seen that could tell", withoutTPM...)
	}
	if x.D.Processor.Architecture.Or("") == "arm64" {
		none("a processor of this architecture has none", fact.ProcessorFamily, fact.ProcessorModel,
			fact.ProcessorStepping)
	}
}
