package recorded_test

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/standin/recorded"
)

const (
	notOffered = "? not-offered"
	rights     = "? needs-rights"
)

// wantUnusual are facts of the machines that readers are easily wrong about. They were written by hand from the
// descriptions of the machines.
var wantUnusual = map[string]map[string]string{
	"BTRFS-ROOT": {
		"storage.system.disk_bytes": "256060514304", "storage.system.filesystem": "btrfs", "storage.system.kind": "ssd",
		"storage.system.encryption.state": "off",
	},
	"BTRFS-ENCRYPTED": {
		"storage.system.disk_bytes": "256060514304", "storage.system.encryption.state": "on",
		"storage.system.encryption.kind": "luks", "storage.system.encryption.key_protectors": "tpm, recovery-key",
		"storage.system.encryption.tpm_bound": "true",
	},
	"ZFS-ROOT": {
		"storage.system.filesystem": "zfs", "storage.system.disk_bytes": notOffered,
		"storage.system.encryption.state": notOffered, "storage.boot.disk": notOffered,
	},
	"OVERLAY-ROOT": {
		"device.environment": "live", "storage.system.disk_bytes": notOffered, "os.version": notOffered,
	},
	"FIRMWARE-HIDDEN": {
		"firmware.boot_mode": notOffered, "firmware.secure_boot": notOffered, "memory.installed_bytes": notOffered,
	},
	"VARIABLES-MOUNTED": {"firmware.boot_mode": notOffered, "firmware.secure_boot": notOffered},
	"ON-ARM": {
		"firmware.boot_mode": notOffered, "processor.name": notOffered, "processor.architecture": "arm64",
		"os.architecture": "arm64", "processor.features": "fp, asimd, aes", "processor.family": notOffered,
		"device.model": "Plover Bight 2", "device.form": "laptop", "device.manufacturer": notOffered,
	},
	"RATIO-DISPLAY":   {"displays": "1"},
	"DAMAGED-DISPLAY": {"displays": "1"},
	"TILED-DISPLAY":   {"displays": "1"},
	"ANOTHER-TREE": {
		"storage.system.volume_bytes": notOffered, "storage.system.free_bytes": notOffered,
		"storage.system.disk_bytes": "256060514304",
	},
	"LOGICAL-PARTITIONS":       {"storage.boot.partition_style": "mbr", "storage.boot.logical": "true"},
	"LOGICAL-PARTITIONS-CUT":   {"storage.boot.partition_style": "mbr", "storage.boot.logical": "true"},
	"PACKAGES-WITHOUT-NUMBERS": {"processor.packages": "1", "processor.cores": "4", "processor.threads": "4"},
	"OLD-KERNEL":               {"processor.packages": "1", "processor.cores": "2", "processor.threads": "4"},
	"DISGUISED-GUEST":          {"device.environment": notOffered},
	"MODULES-OF-TWO-CORES":     {"processor.cores": "4", "processor.threads": "4", "processor.rated_mhz": notOffered},
	"TWO-SPEEDS":               {"processor.rated_mhz": "2800"},
	"LIMITED-SPEED":            {"processor.rated_mhz": notOffered},
	"PAUSED-PROTECTION": {
		"storage.system.encryption.state":          "paused",
		"storage.system.encryption.key_protectors": "recovery-key, tpm-and-pin, passphrase",
		"storage.system.encryption.tpm_bound":      "true",
		"os.account":                               "vendor", "os.pending_updates": "? read-failed",
		"firmware.settings_interface": `root\Plover`, "firmware.settings_offered": "legacy-support",
		"firmware.legacy_support": "true",
	},
	"TPM12-DEACTIVATED": {
		"tpm.version": "1.2", "tpm.state": "off", "tpm.enabled": "true", "tpm.activated": "false",
	},
	"MAC-WITH-RIGHTS": {"storage.system.encryption.state": "on", "os.platform": "macos"},
	"WITHOUT-RIGHTS": {
		"firmware.date": "2021-03-09", "memory.installed_bytes": rights, "device.environment": "hardware",
	},
}

func TestUnusualMachines(t *testing.T) {
	var all []string
	for name := range maps.Keys(wantUnusual) {
		all = append(all, "UNUSUAL/"+name)
	}
	slices.Sort(all)
	expect.Same(t, "the machines", strings.Join(slices.Sorted(slices.Values(recorded.Unusual())), " "),
		strings.Join(all, " "))
	for name, want := range wantUnusual {
		t.Run(name, func(t *testing.T) {
			f := fact.Read(decoded(t, "UNUSUAL/"+name))
			for fn, w := range want {
				r := f.Get(fact.ByName(fn).ID)
				if got := r.Plain(); got != w {
					t.Errorf("%s is %q, want %q (%s)", fn, got, w, r.Source)
				}
			}
		})
	}
}

// What their lists and gaps say.
func TestUnusualLists(t *testing.T) {
	unusual := func(name string) string { return "UNUSUAL/" + name }
	gap := func(name, fact string) string {
		g := decoded(t, unusual(name)).GapOf(fact)
		if g == nil {
			return ""
		}
		return g.Detail
	}
	ratio, tiled := decoded(t, unusual("RATIO-DISPLAY")).Displays[0], decoded(t, unusual("TILED-DISPLAY")).Displays[0]
	expect.Same(t, "the size from centimetres", ratio.DiagonalInches.Or(0), 26.6)
	expect.Same(t, "the width of both tiles", tiled.WidthPx.Or(0), 5120)
	expect.Contains(t, gap("DAMAGED-DISPLAY", "displays[0].width_px"), "checksum")
	expect.Contains(t, gap("ON-ARM", "processor.name"), "0x71")
	expect.Contains(t, gap("ZFS-ROOT", "storage.system.disk_bytes"), "ZFS")
	expect.Contains(t, gap("FIRMWARE-HIDDEN", "firmware.boot_mode"), "/sys/firmware")
	expect.Contains(t, gap("DISGUISED-GUEST", "device.environment"), "as virtual machines have it")
	limited := decoded(t, unusual("LIMITED-SPEED")).GapOf("processor.rated_mhz")
	expect.Same(t, "at least as fast", *limited.AtLeast, 2352.0)
	mac := decoded(t, unusual("MAC-WITH-RIGHTS")).Storage
	expect.Same(
		t,
		"what unlocks the Mac",
		strings.Join(mac.System.Encryption.Protectors, " "),
		"passphrase recovery-key",
	)
	expect.Same(t, "other systems", strings.Join(mac.OtherSystems, " "), "a root partition of Linux")
	zfs := decoded(t, unusual("ZFS-ROOT")).Storage.Disks[0]
	expect.That(t, "it is open whether the system runs from the drive", zfs.System.IsZero())
	whole, cut := decoded(t, unusual("LOGICAL-PARTITIONS")).Storage.Boot, decoded(t, unusual("LOGICAL-PARTITIONS-CUT"))
	expect.Same(t, "partitions, with the logical ones", len(whole.Partitions), 4)
	esp := cut.GapOf("storage.boot.esp.loader")
	expect.That(t, "what lies behind the cut is not said to be absent", esp != nil && !esp.None)
	expect.That(t, "a chain that was not read is cut", cut.GapOf("storage.boot.partitions") != nil)
}
