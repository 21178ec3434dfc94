package linux_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

// records are sources with what was read of them. A source that ends in a slash is a
// directory with its names.
type records map[string]string

const (
	varGUID = "-8be4df61-93ca-11d2-aa0d-00e098032b8c"
	efi     = "/sys/firmware/efi"
	cpus    = "/sys/devices/system/cpu"
)

// desk is a made-up machine that starts in UEFI mode from one drive.
func desk() records {
	return records{
		"/proc/sys/kernel/hostname":                  "holm-011\n",
		"/etc/os-release":                            "NAME=\"Lodestar Linux\"\nVERSION_ID=12\n",
		"/proc/meminfo":                              "MemTotal:        8000000 kB\n",
		"/proc/self/mountinfo":                       "21 1 8:2 / / rw - ext4 /dev/sda2 rw\n",
		"link:/sys/dev/block/8:2":                    "../../devices/pci0000:00/ata1/sda/sda2",
		"link:/sys/class/block/sda2":                 "../../devices/pci0000:00/ata1/sda/sda2",
		"/sys/block/":                                "sda",
		"link:/sys/block/sda":                        "../devices/pci0000:00/ata1/sda",
		"/sys/block/sda/size":                        "1000000\n",
		"/sys/block/sda/removable":                   "0\n",
		"/sys/block/sda/queue/rotational":            "1\n",
		cpus + "/":                                   "cpu0\ncpu1",
		cpus + "/cpu0/topology/physical_package_id":  "0\n",
		cpus + "/cpu0/topology/thread_siblings_list": "0-1\n",
		cpus + "/cpu1/topology/physical_package_id":  "0\n",
		cpus + "/cpu1/topology/thread_siblings_list": "0-1\n",
		cpus + "/present":                            "0-1\n",
		"/sys/class/dmi/id/bios_vendor":              "Plover Firmware\n",
		"/sys/class/dmi/id/chassis_type":             "3\n",
		efi + "/":                                    "efivars\nfw_platform_size",
		efi + "/fw_platform_size":                    "64\n",
		efi + "/efivars/":                            "SecureBoot" + varGUID + "\nSetupMode" + varGUID,
		efi + "/efivars/SecureBoot" + varGUID:        "\x06\x00\x00\x00\x01",
		efi + "/efivars/SetupMode" + varGUID:         "\x06\x00\x00\x00\x00",
		"/sys/class/tpm/":                            "",
		"/sys/firmware/acpi/tables/":                 "FACP",
		"/sys/class/net/":                            "lo\neth0",
		"/sys/class/net/lo/operstate":                "unknown\n",
		"/sys/class/net/eth0/operstate":              "up\n",
		"/sys/class/power_supply/":                   "",
		"/sys/bus/pci/devices/":                      "",
		"/sys/class/drm/":                            "",
	}
}

// outcomes other than ok are written so instead of what was read.
const (
	absent     = "\x00" + capture.Absent
	notExposed = "\x00" + capture.NotExposed
	denied     = "\x00" + capture.Denied
	failed     = "\x00" + capture.Failed
)

// half is what a half of a screen says of itself, and 0 what a screen of its own says.
func half(tile int) string {
	return sample.Display{
		Name:           "Gannet 27",
		Width:          2560,
		Height:         2880,
		WideMM:         299,
		HighMM:         336,
		BitsPerChannel: 10,
		Tile:           tile,
	}.EDID()
}

// with is records with others over them.
func with(one, other records) records {
	out := maps.Clone(one)
	maps.Copy(out, other)
	return out
}

const oxbow = linux.SettingsClass + "/oxbow/"

// settings are of a machine whose kernel knows an interface to the firmware's settings.
func settings(name string) records {
	return records{
		linux.SettingsClass + "/":                        name,
		oxbow + "attributes/Secure Boot/type":            "enumeration\n",
		oxbow + "attributes/Secure Boot/possible_values": "Disabled;Enabled\n",
	}
}

// overlay is a root that leads to no disk.
func overlay() records {
	return records{
		"/proc/self/mountinfo": "21 1 0:30 / / rw - overlay overlay rw\n", "link:/sys/dev/block/0:30": absent,
	}
}

// encrypted is a root volume over a layer that decrypts the second partition.
func encrypted() records {
	return records{
		"/proc/self/mountinfo":       "21 1 254:0 / / rw - ext4 /dev/mapper/root rw\n",
		"link:/sys/dev/block/254:0":  "../../devices/virtual/block/dm-0",
		"/sys/block/":                "dm-0\nsda",
		"link:/sys/block/dm-0":       "../devices/virtual/block/dm-0",
		"/sys/block/dm-0/slaves/":    "sda2",
		"/sys/block/dm-0/dm/uuid":    "CRYPT-LUKS2-0123-root\n",
		"link:/sys/class/block/sda2": "../../devices/pci0000:00/ata1/sda/sda2",
	}
}

// read decodes records.
func read(all records) *fact.Facts {
	c := &capture.Document{Format: capture.Format, Platform: "linux"}
	for source, raw := range all {
		r := capture.Record{Source: source, Outcome: capture.OK, Raw: []byte(raw)}
		if slices.Contains([]string{absent, notExposed, denied, failed}, raw) {
			r.Outcome, r.Raw = strings.TrimPrefix(raw, "\x00"), nil
		}
		c.Add(r)
	}
	return fact.Read(linux.Decode(c))
}

// text is a fact as it is compared: its value, or “? cause”.
func text(f *fact.Facts, name string) string {
	r := f.Get(fact.ByName(name).ID)
	if !r.Value.Known() {
		return "? " + r.Gap.Cause
	}
	return r.Value.Plain()
}

// TestDecode changes one source of a machine at a time, and says what becomes of facts.
func TestDecode(t *testing.T) {
	for _, tt := range []struct {
		name    string
		changes records // "-" takes a source away
		want    map[string]string
	}{
		{"as it is", nil, map[string]string{
			"device.name": "holm-011", "device.form": "desktop", "os.name": "Lodestar Linux", "os.version": "12",
			"memory.visible_bytes": "8192000000", "processor.cores": "1", "processor.threads": "2",
			"processor.packages": "1", "firmware.boot_mode": "uefi", "firmware.secure_boot": "on",
			"firmware.secure_boot_capable": "true", "firmware.uefi_bits": "64", "tpm.state": "not-seen",
			"network.connected": "true", "storage.system.disk_bytes": "512000000", "storage.system.kind": "hdd",
		}},
		{"an ATA drive that is well", records{"health:ata:sda": "\x72\x00\x00\x00\x00\x00\x00\x0e\x09\x0c" +
			"\x00\x00\x00\x00\x00\x00\x00\x4f\x00\xc2\x00\x50"}, map[string]string{"storage.system.health": "good"}},
		{"a drive that expects to fail", records{"health:scsi:sda": "\x2f\x00\x00\x08\x00\x00\x03\x04\x5d\x10\x1e\x3c"},
			map[string]string{"storage.system.health": "bad"}},
		{"an answer that means nothing", records{"health:ata:sda": "\x72"},
			map[string]string{"storage.system.health": "? " + inventory.ReadFailed}},
		{"a drive that was not asked", nil, map[string]string{"storage.system.health": "? " + inventory.NotAsked}},
		{"the settings of the firmware, as the running system can change them", with(settings("oxbow"), records{
			oxbow + "attributes/": "Secure Boot\nTPM Device\nLegacyOrom\nCSM\nSetupMode\n" +
				"SecureBootMode",
			oxbow + "attributes/LegacyOrom/type":            "enumeration\n",
			oxbow + "attributes/LegacyOrom/current_value":   "Enabled\n",
			oxbow + "attributes/LegacyOrom/possible_values": "Disabled;Enabled;\n",
			oxbow + "attributes/CSM/type":                   "enumeration\n",
			oxbow + "attributes/CSM/current_value":          "Off\n",
			oxbow + "attributes/CSM/possible_values":        "Off;On\n",
			oxbow + "authentication/":                       "User\nKeeper",
			oxbow + "authentication/User/role":              "power-on\n",
			oxbow + "authentication/User/is_enabled":        "0\n",
			oxbow + "authentication/Keeper/role":            "bios-admin\n",
			oxbow + "authentication/Keeper/is_enabled":      "1\n",
		}), map[string]string{
			"firmware.settings_interface": "oxbow", "firmware.settings_offered": "legacy-support, secure-boot",
			"firmware.legacy_support": "true", "firmware.password": "set",
		}},
		{"a setting that is only shown, one with a single value, one without a type", with(settings("oxbow"), records{
			oxbow + "attributes/":                           "Secure Boot\nTPM Device\nCSM",
			oxbow + "attributes/Secure Boot/type":           "string\n",
			oxbow + "attributes/TPM Device/type":            "enumeration\n",
			oxbow + "attributes/TPM Device/possible_values": "Available\n",
			oxbow + "attributes/CSM/possible_values":        "Off;On\n",
			oxbow + "attributes/CSM/current_value":          "Off\n",
			oxbow + "authentication/":                       "Keeper",
			oxbow + "authentication/Keeper/role":            "bios-admin\n",
			oxbow + "authentication/Keeper/is_enabled":      "maybe\n",
		}), map[string]string{
			"firmware.settings_interface": "oxbow", "firmware.settings_offered": "",
			"firmware.legacy_support": "? " + inventory.NotOffered, "firmware.password": "? " + inventory.NotOffered,
		}},
		{"an interface whose settings are refused", with(settings("oxbow"), records{oxbow + "attributes/": denied}),
			map[string]string{"firmware.settings_offered": "? " + inventory.NeedsRights}},
		{"a kernel without such an interface", records{linux.SettingsClass + "/": notExposed}, map[string]string{
			"firmware.settings_interface": "? " + inventory.NotOffered,
			"firmware.settings_offered":   "? " + inventory.NotOffered,
		}},
		{"an interface that cannot be looked at", records{linux.SettingsClass + "/": failed},
			map[string]string{"firmware.settings_offered": "? " + inventory.ReadFailed}},
		{"a TPM of version 1.2 that is enabled and not activated", records{
			"/sys/class/tpm/": "tpm0", "/sys/class/tpm/tpm0/tpm_version_major": "1\n",
			"/sys/class/tpm/tpm0/device/enabled": "1\n", "/sys/class/tpm/tpm0/device/active": "0\n",
		}, map[string]string{"tpm.enabled": "true", "tpm.activated": "false", "tpm.state": "off"}},
		{"a TPM of version 2.0 is neither enabled nor activated", records{
			"/sys/class/tpm/": "tpm0", "/sys/class/tpm/tpm0/tpm_version_major": "2\n",
		}, map[string]string{
			"tpm.enabled":   "? " + inventory.NotOffered,
			"tpm.activated": "? " + inventory.NotOffered,
			"tpm.state":     "ready",
		}},
		{"a volume that a TPM or a passphrase unlocks", with(encrypted(),
			records{"protectors:/dev/sda2": "passphrase\ntpm\na word that is none"}), map[string]string{
			"storage.system.encryption.key_protectors": "tpm, passphrase",
			"storage.system.encryption.tpm_bound":      "true",
			"storage.system.encryption.state":          "on",
		}},
		{"a volume that a passphrase unlocks", with(encrypted(), records{"protectors:/dev/sda2": "passphrase"}),
			map[string]string{
				"storage.system.encryption.key_protectors": "passphrase",
				"storage.system.encryption.tpm_bound":      "? " + inventory.NotOffered,
			}},
		{"a header that may not be read", with(encrypted(), records{"protectors:/dev/sda2": denied}),
			map[string]string{
				"storage.system.encryption.key_protectors": "? " + inventory.NeedsRights,
				"storage.system.encryption.tpm_bound":      "? " + inventory.NeedsRights,
			}},
		{"a volume that is not encrypted", nil,
			map[string]string{"storage.system.encryption.key_protectors": "? " + inventory.NotOffered}},
		{"a device of the virtio standard, and no hypervisor", records{
			"/proc/cpuinfo":                            "vendor_id\t: CorvaneParts\nflags\t: lm nx\n",
			"/sys/bus/pci/devices/":                    "0000:00:03.0",
			"/sys/bus/pci/devices/0000:00:03.0/class":  "0x020000\n",
			"/sys/bus/pci/devices/0000:00:03.0/vendor": "0x1af4\n",
			"/sys/bus/pci/devices/0000:00:03.0/device": "0x1041\n",
		}, map[string]string{"device.environment": "? " + inventory.NotOffered}},
		{"the screen of an emulator, and no hypervisor", records{
			"/proc/cpuinfo":                            "vendor_id\t: CorvaneParts\nflags\t: lm nx\n",
			"/sys/bus/pci/devices/":                    "0000:00:01.0",
			"/sys/bus/pci/devices/0000:00:01.0/class":  "0x030000\n",
			"/sys/bus/pci/devices/0000:00:01.0/vendor": "0x1234\n",
			"/sys/bus/pci/devices/0000:00:01.0/device": "0x1111\n",
		}, map[string]string{"device.environment": "? " + inventory.NotOffered}},
		{"a drive of the virtio standard, and no hypervisor", records{
			"/proc/cpuinfo":       "vendor_id\t: CorvaneParts\nflags\t: lm nx\n",
			"link:/sys/block/sda": "../devices/platform/virtio0/block/sda",
		}, map[string]string{"device.environment": "? " + inventory.NotOffered}},
		{"a device of the same maker that is none of the standard", records{
			"/proc/cpuinfo":                            "vendor_id\t: CorvaneParts\nflags\t: lm nx\n",
			"/sys/bus/pci/devices/":                    "0000:00:03.0",
			"/sys/bus/pci/devices/0000:00:03.0/class":  "0x020000\n",
			"/sys/bus/pci/devices/0000:00:03.0/vendor": "0x1af4\n",
			"/sys/bus/pci/devices/0000:00:03.0/device": "0x1080\n",
		}, map[string]string{"device.environment": "hardware"}},
		{"an overlay, and no firmware: a container without a mark, or a live medium", with(overlay(), records{
			"/sys/firmware/acpi/tables/": notExposed, "/sys/class/dmi/id/bios_vendor": notExposed,
		}), map[string]string{
			"device.environment": "? " + inventory.NotOffered, "os.name": "? " + inventory.NotOffered,
			"storage.system.disk_bytes": "? " + inventory.NotOffered,
		}},
		{"an overlay on a machine that shows its firmware", overlay(), map[string]string{
			"device.environment": "live", "os.name": "? " + inventory.NotOffered,
		}},
		{"a name that nobody set", records{"/proc/sys/kernel/hostname": "(none)\n"},
			map[string]string{"device.name": "? " + inventory.NotOffered}},
		{"one of two connectors has a display", records{
			"/sys/class/drm/":                      "card0\ncard0-DP-1\ncard0-HDMI-A-1",
			"/sys/class/drm/card0-DP-1/status":     "disconnected\n",
			"/sys/class/drm/card0-HDMI-A-1/status": "connected\n",
		}, map[string]string{"displays": "1"}},
		{"two tiles of a screen and another one", records{
			"/sys/class/drm/":                  "card0\ncard0-DP-1\ncard0-DP-2\ncard0-DP-3",
			"/sys/class/drm/card0-DP-1/status": "connected\n",
			"/sys/class/drm/card0-DP-1/edid":   half(1),
			"/sys/class/drm/card0-DP-2/status": "connected\n",
			"/sys/class/drm/card0-DP-2/edid":   half(2),
			"/sys/class/drm/card0-DP-3/status": "connected\n",
			"/sys/class/drm/card0-DP-3/edid":   half(0),
		}, map[string]string{"displays": "2"}},
		{"two screens of the same tiles", records{
			"/sys/class/drm/":                  "card0\ncard0-DP-1\ncard0-DP-2\ncard0-DP-3\ncard0-DP-4",
			"/sys/class/drm/card0-DP-1/status": "connected\n",
			"/sys/class/drm/card0-DP-1/edid":   half(1),
			"/sys/class/drm/card0-DP-2/status": "connected\n",
			"/sys/class/drm/card0-DP-2/edid":   half(2),
			"/sys/class/drm/card0-DP-3/status": "connected\n",
			"/sys/class/drm/card0-DP-3/edid":   half(1),
			"/sys/class/drm/card0-DP-4/status": "connected\n",
			"/sys/class/drm/card0-DP-4/edid":   half(2),
		}, map[string]string{"displays": "2"}},
		{"no connector has a display", records{
			"/sys/class/drm/": "card0\ncard0-DP-1", "/sys/class/drm/card0-DP-1/status": "disconnected\n",
		}, map[string]string{"displays": "0"}},
		{"legacy", records{efi + "/": absent},
			map[string]string{
				"firmware.boot_mode":           "legacy",
				"firmware.secure_boot":         "inactive",
				"firmware.secure_boot_capable": "? " + inventory.NotOffered,
				"firmware.uefi_bits":           "? " + inventory.NotOffered,
			}},
		{"legacy, with tables that need rights", records{efi + "/": absent, "/sys/firmware/acpi/tables/": absent,
			"/sys/firmware/dmi/tables/DMI": denied},
			map[string]string{"firmware.boot_mode": "legacy"}},
		{"the date of the firmware needs no rights", records{"/sys/class/dmi/id/bios_date": "03/09/2021\n"},
			map[string]string{"firmware.date": "2021-03-09"}},
		{"a date that is none", records{"/sys/class/dmi/id/bios_date": "09.03.2021\n"},
			map[string]string{"firmware.date": "? " + inventory.NotOffered}},
		{"an empty firmware directory is shown", records{efi + "/": absent, "/sys/firmware/acpi/tables/": absent},
			map[string]string{
				"firmware.boot_mode":    "? " + inventory.NotOffered,
				"firmware.secure_boot":  "? " + inventory.NotOffered,
				"firmware.uefi_capable": "? " + inventory.NotOffered,
			}},
		{"a container does not tell how the machine started", records{efi + "/": absent,
			"/run/systemd/container": "nspawn\n"},
			map[string]string{"firmware.boot_mode": "? " + inventory.NotOffered}},
		{"no legacy mode on ARM", records{efi + "/": absent, "/proc/sys/kernel/arch": "aarch64\n"},
			map[string]string{"firmware.boot_mode": "? " + inventory.NotOffered}},
		{"EFI variables are mounted", records{efi + "/": absent, "/proc/self/mountinfo": "21 1 8:2 / / rw - ext4 " +
			"/dev/sda2 rw\n30 21 0:26 / /sys/firmware/efi/efivars rw - efivarfs efivarfs rw\n"},
			map[string]string{"firmware.boot_mode": "? " + inventory.NotOffered}},
		{"prepared for UEFI, and started in legacy mode", records{efi + "/": absent,
			"/proc/self/mountinfo": "21 1 8:2 / / rw - ext4 /dev/sda2 rw\n" +
				"30 21 8:1 / /boot/efi rw - vfat /dev/sda1 rw\n"},
			map[string]string{"firmware.boot_mode": "legacy"}},
		{"a module of two integer cores", records{
			"/proc/cpuinfo": "vendor_id\t: AuthenticAMD\ncpu family\t: 21\nmodel\t: 2\nstepping\t: 0\nflags\t: lm\n",
		}, map[string]string{"processor.cores": "2", "processor.threads": "2"}},
		{"a core of two threads of the same maker", records{
			"/proc/cpuinfo": "vendor_id\t: AuthenticAMD\ncpu family\t: 23\nmodel\t: 2\nstepping\t: 0\nflags\t: lm\n",
		}, map[string]string{"processor.cores": "1", "processor.threads": "2"}},
		{"packages without numbers", records{
			cpus + "/cpu0/topology/physical_package_id": "-1\n", cpus + "/cpu0/topology/core_siblings_list": "0-1\n",
			cpus + "/cpu1/topology/physical_package_id": "-1\n", cpus + "/cpu1/topology/core_siblings_list": "0-1\n",
		}, map[string]string{"processor.packages": "1", "processor.cores": "1", "processor.threads": "2"}},
		{"neither a number nor siblings of a package", records{
			cpus + "/cpu0/topology/physical_package_id": "-1\n", cpus + "/cpu1/topology/physical_package_id": "-1\n",
		}, map[string]string{"processor.packages": "? " + inventory.NotOffered, "processor.cores": "1"}},
		{"masks of an old kernel", records{
			cpus + "/cpu0/topology/thread_siblings_list": absent, cpus + "/cpu0/topology/thread_siblings": "1\n",
			cpus + "/cpu1/topology/thread_siblings_list": absent, cpus + "/cpu1/topology/thread_siblings": "2\n",
		}, map[string]string{"processor.packages": "1", "processor.cores": "2", "processor.threads": "2"}},
		{"a root on btrfs", records{
			"/proc/self/mountinfo":    "21 1 0:39 /@ / rw - btrfs /dev/sda2 rw,subvol=/@\n",
			"link:/sys/dev/block/8:2": absent,
		}, map[string]string{"storage.system.disk_bytes": "512000000", "storage.system.filesystem": "btrfs"}},
		{"a root on btrfs in a mapped, encrypted device", records{
			"/proc/self/mountinfo":    "21 1 0:39 /@ / rw - btrfs /dev/mapper/luks-lantern rw\n",
			"link:/sys/dev/block/8:2": absent,
			"/sys/block/":             "dm-0\nsda",
			"/sys/block/dm-0/dm/name": "luks-lantern\n",
			"/sys/block/dm-0/dm/uuid": "CRYPT-LUKS2-00\n",
			"/sys/block/dm-0/slaves/": "sda2",
			"link:/sys/block/dm-0":    "../devices/virtual/block/dm-0",
		}, map[string]string{"storage.system.disk_bytes": "512000000", "storage.system.encryption.state": "on"}},
		{"a root in the second of two mapped devices", records{
			"/proc/self/mountinfo":    "21 1 0:39 /@ / rw - btrfs /dev/mapper/luks-lantern rw\n",
			"link:/sys/dev/block/8:2": absent,
			"/sys/block/":             "dm-0\ndm-1\nsda",
			"/sys/block/dm-0/dm/name": "swap\n", "/sys/block/dm-1/dm/name": "luks-lantern\n",
			"/sys/block/dm-1/dm/uuid": "CRYPT-LUKS2-00\n", "/sys/block/dm-1/slaves/": "sda2",
			"link:/sys/block/dm-0": "../devices/virtual/block/dm-0",
			"link:/sys/block/dm-1": "../devices/virtual/block/dm-1",
		}, map[string]string{"storage.system.disk_bytes": "512000000", "storage.system.encryption.state": "on"}},
		{"a root on btrfs over two drives", records{
			"/proc/self/mountinfo": "21 1 0:39 /@ / rw - btrfs /dev/sda2 rw\n",
			"members:/":            "sda2\nsdb",
			"/sys/block/":          "sda\nsdb",
			"link:/sys/block/sdb":  "../devices/pci0000:00/ata2/sdb",
			"/sys/block/sdb/size":  "2000000\n",
		}, map[string]string{"storage.system.disk_bytes": "? " + inventory.NotOffered}},
		{"a root on an overlay", records{
			"/proc/self/mountinfo": "21 1 0:39 / / rw - overlay overlay rw\n",
		}, map[string]string{"storage.system.disk_bytes": "? " + inventory.NotOffered}},
		{"nothing says how it started", records{efi + "/": absent, "/sys/class/dmi/id/bios_vendor": absent},
			map[string]string{
				"firmware.boot_mode":   "? " + inventory.NotOffered,
				"firmware.secure_boot": "? " + inventory.NotOffered,
			}},
		{"secure boot is off", records{efi + "/efivars/SecureBoot" + varGUID: "\x06\x00\x00\x00\x00"},
			map[string]string{"firmware.secure_boot": "off", "firmware.secure_boot_capable": "true"}},
		{"in setup mode", records{
			efi + "/efivars/SecureBoot" + varGUID: "\x06\x00\x00\x00\x00",
			efi + "/efivars/SetupMode" + varGUID:  "\x06\x00\x00\x00\x01",
		}, map[string]string{
			"firmware.secure_boot": "setup",
		}},
		{"the firmware has no such variable", records{efi + "/efivars/SecureBoot" + varGUID: absent},
			map[string]string{
				"firmware.secure_boot":         "off",
				"firmware.secure_boot_capable": "? " + inventory.NotOffered,
			}},
		{"variables are not mounted",
			records{efi + "/efivars/": absent, efi + "/efivars/SecureBoot" + varGUID: notExposed},
			map[string]string{
				"firmware.secure_boot":         "? " + inventory.NotOffered,
				"firmware.secure_boot_capable": "? " + inventory.NotOffered,
			}},
		{"variables need rights", records{efi + "/efivars/SecureBoot" + varGUID: denied},
			map[string]string{"firmware.secure_boot": "? " + inventory.NeedsRights}},
		{"a variable of another length", records{efi + "/efivars/SecureBoot" + varGUID: "\x06\x00"},
			map[string]string{"firmware.secure_boot": "? " + inventory.ReadFailed}},
		{"32-bit UEFI", records{efi + "/fw_platform_size": "32\n"}, map[string]string{"firmware.uefi_bits": "32"}},
		{"a TPM that no driver serves", records{"/sys/firmware/acpi/tables/": "FACP\nTPM2"},
			map[string]string{"tpm.state": "? " + inventory.ReadFailed}},
		{"a kernel without TPM support", records{"/sys/class/tpm/": notExposed},
			map[string]string{"tpm.state": "? " + inventory.NotOffered, "tpm.version": "? " + inventory.NotOffered}},
		{"two packages", records{
			cpus + "/cpu1/topology/physical_package_id":  "1\n",
			cpus + "/cpu0/topology/thread_siblings_list": "0\n",
			cpus + "/cpu1/topology/thread_siblings_list": "1\n",
		},
			map[string]string{"processor.packages": "2", "processor.cores": "2", "processor.threads": "2"}},
		{"threads are offline", records{cpus + "/present": "0-3\n"},
			map[string]string{"processor.threads": "4", "processor.cores": "? " + inventory.NotOffered}},
		{"no topology", records{cpus + "/": "cpufreq"},
			map[string]string{"processor.cores": "? " + inventory.NotOffered}},
		{"a rated speed", records{cpus + "/cpu0/cpufreq/base_frequency": "1900000\n"},
			map[string]string{"processor.rated_mhz": "1900"}},
		{"what the firmware lets a processor run at is no rated speed",
			records{cpus + "/cpu0/cpufreq/bios_limit": "2401000\n"},
			map[string]string{"processor.rated_mhz": "? " + inventory.NotOffered}},
		{"no meminfo", records{"/proc/meminfo": failed},
			map[string]string{"memory.visible_bytes": "? " + inventory.ReadFailed}},
		{"a release that rolls", records{"/etc/os-release": "PRETTY_NAME='Lodestar \"Vega\"'\nBUILD_ID=rolling\n"},
			map[string]string{
				"os.name":    `Lodestar "Vega"`,
				"os.build":   "rolling",
				"os.version": "? " + inventory.NotOffered,
			}},
		{"a quotation mark alone is no quotation", records{"/etc/os-release": "PRETTY_NAME=\"\nVERSION_ID=''\n"},
			map[string]string{"os.name": `"`, "os.version": "? " + inventory.NotOffered}},
		{"a TPM 1.2 that is enabled, and nothing tells whether it is active", records{
			"/sys/class/tpm/": "tpm0", "/sys/class/tpm/tpm0/tpm_version_major": "1\n",
			"/sys/class/tpm/tpm0/device/enabled": "1\n", "/sys/class/tpm/tpm0/device/active": failed,
		}, map[string]string{"tpm.state": "? " + inventory.NotOffered}},
		{"a TPM 1.2 that is not active, and nothing tells whether it is enabled", records{
			"/sys/class/tpm/": "tpm0", "/sys/class/tpm/tpm0/tpm_version_major": "1\n",
			"/sys/class/tpm/tpm0/device/enabled": failed, "/sys/class/tpm/tpm0/device/active": "0\n",
		}, map[string]string{"tpm.state": "off"}},
		{"a system with editions", records{"/etc/os-release": "NAME=Fathom\nVERSION_ID=9\nVARIANT_ID=office\n"},
			map[string]string{"os.edition": "office"}},
		{"a volume that is full", records{"statfs:/": "unit=1 blocks=1 free=0"},
			map[string]string{"storage.system.volume_bytes": "1", "storage.system.free_bytes": "0"}},
		{"the other os-release",
			records{"/etc/os-release": absent, "/usr/lib/os-release": "NAME=Fathom\nVERSION_ID=9\n"},
			map[string]string{"os.name": "Fathom", "os.version": "9"}},
		{"a restart is due", records{"/run/reboot-required": ""}, map[string]string{"os.pending_restart": "true"}},
		{"in a directory", records{"/etc/sssd/sssd.conf": ""}, map[string]string{"os.managed_by": "a directory"}},
		{"a mark of a container, and a root on no disk", with(overlay(), records{"/.dockerenv": ""}),
			map[string]string{"device.environment": "container"}},
		{"a mark that was left behind on a disk", records{"/.dockerenv": "", "/proc/cpuinfo": "flags\t: lm nx\n"},
			map[string]string{"device.environment": "hardware"}},
		{"no network", records{"/sys/class/net/eth0/operstate": "down\n"},
			map[string]string{"network.connected": "false"}},
		{"the loopback is no network", records{"/sys/class/net/": "lo", "/sys/class/net/lo/operstate": "up\n"},
			map[string]string{"network.connected": "false"}},
		{"a container", records{"/run/systemd/container": "nspawn\n"},
			map[string]string{
				"device.environment":        "container",
				"os.name":                   "? " + inventory.NotOffered,
				"storage.system.disk_bytes": "? " + inventory.NotOffered,
			}},
		{"a mark that an image left behind",
			records{"/.dockerenv": "", "/proc/cpuinfo": "processor\t: 0\nflags\t\t: fpu sse2\n"},
			map[string]string{"device.environment": "hardware", "os.name": "Lodestar Linux"}},
		{"no processor spoke", nil, map[string]string{"device.environment": "? " + inventory.NotOffered}},
		{"a guest's processor", records{"/proc/cpuinfo": "processor\t: 0\nflags\t\t: fpu sse2 hypervisor\n"},
			map[string]string{"device.environment": "guest"}},
		{"a live medium", records{"/proc/self/mountinfo": "21 1 0:30 / / rw - overlay overlay rw\n"},
			map[string]string{
				"device.environment":        "live",
				"os.name":                   "? " + inventory.NotOffered,
				"storage.system.disk_bytes": "? " + inventory.NotOffered,
			}},
		{"a solid-state drive", records{"/sys/block/sda/queue/rotational": "0\n"},
			map[string]string{"storage.system.kind": "ssd"}},
		{"drives need rights", records{"/sys/block/": denied},
			map[string]string{"storage.system.disk_bytes": "? " + inventory.NeedsRights}},
		{"a battery", records{
			"/sys/class/power_supply/":                        "AC\nBAT0",
			"/sys/class/power_supply/AC/type":                 "Mains\n",
			"/sys/class/power_supply/AC/online":               "0\n",
			"/sys/class/power_supply/BAT0/type":               "Battery\n",
			"/sys/class/power_supply/BAT0/capacity":           "57\n",
			"/sys/class/power_supply/BAT0/energy_full":        "40000\n",
			"/sys/class/power_supply/BAT0/energy_full_design": "50000\n",
		},
			map[string]string{
				"power.source":                 "battery",
				"power.battery_percent":        "57",
				"power.battery_health_percent": "80",
			}},
		{"on mains", records{
			"/sys/class/power_supply/":          "AC",
			"/sys/class/power_supply/AC/type":   "Mains\n",
			"/sys/class/power_supply/AC/online": "1\n",
		}, map[string]string{"power.source": "mains", "power.battery_percent": "? " + inventory.NotOffered}},
		{"the battery of a mouse",
			records{
				"/sys/class/power_supply/":             "hid",
				"/sys/class/power_supply/hid/type":     "Battery\n",
				"/sys/class/power_supply/hid/scope":    "Device\n",
				"/sys/class/power_supply/hid/capacity": "9\n",
			}, map[string]string{"power.battery_percent": "? " + inventory.NotOffered}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			f := read(with(desk(), tt.changes))
			for name, want := range tt.want {
				if got := text(f, name); got != want {
					t.Errorf("%s is %q, want %q (%s)", name, got, want, f.Get(fact.ByName(name).ID).Source)
				}
			}
		})
	}
}

// Whatever is missing: every fact is known or has a gap with a cause, and what is known
// has a source.
func TestNothingIsLeftOpen(t *testing.T) {
	all := desk()
	check := func(name string, with records) {
		t.Helper()
		f := read(with)
		for id := fact.ID(1); id < fact.Count; id++ {
			def, r := id.Def(), f.Get(id)
			if def == nil || id.Group() != fact.NoGroup {
				continue
			}
			if !r.Value.Known() {
				if r.Gap == nil || r.Gap.Cause == "" {
					t.Errorf("%s: %s is neither known nor missing", name, def.Name)
				}
			}
			named := r.Source != "" || def.Derived
			if r.Value.Known() && !named {
				t.Errorf("%s: %s has no source", name, def.Name)
			}
		}
	}
	check("nothing was read", records{})
	for source := range all {
		for _, outcome := range []string{absent, notExposed, denied, failed} {
			with := desk()
			with[source] = outcome
			check(fmt.Sprintf("%s is %q", source, outcome[1:]), with)
		}
	}
}

// A card is no memory that is built in.
func TestCards(t *testing.T) {
	for kind, want := range map[string]string{"SD": "other", "MMC": "emmc"} {
		t.Run(kind, func(t *testing.T) {
			f := read(with(desk(), records{
				"/sys/block/": "mmcblk0", "link:/sys/block/mmcblk0": "../devices/pci/mmc_host/mmc0/mmcblk0",
				"/sys/block/mmcblk0/size": "100000\n", "/sys/block/mmcblk0/device/type": kind + "\n",
			}))
			if got := f.Row(fact.Disks, 0).Value(fact.DriveKind).Text(); got != want {
				t.Errorf("%q, want %q", got, want)
			}
		})
	}
}

// What the kernel tells of a processor that it does not name helps whoever looks it up.
func TestNumbersOfAProcessor(t *testing.T) {
	f := read(with(desk(), records{"cpuid": absent, "/proc/sys/kernel/arch": "aarch64\n",
		"/proc/cpuinfo": "CPU implementer\t: 0x41\nCPU part\t: 0x1f03\nFeatures\t: fp asimd\n"}))
	gap := f.Get(fact.ProcessorName).Gap
	expect.That(t, "its name is not known", gap != nil)
	expect.Contains(t, gap.Detail, "only numbers of it: implementer 0x41, part 0x1f03")
}
