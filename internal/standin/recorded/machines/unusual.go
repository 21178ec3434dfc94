package machines

import (
	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/decode/macos"
	"rolltop.example/rolltop/core/decode/sample"
	win "rolltop.example/rolltop/core/decode/windows"
)

// Sources that machines here have in another way.
const (
	mounts   = "/proc/self/mountinfo"
	cpus     = "/sys/devices/system/cpu"
	drm      = "/sys/class/drm/"
	firmware = "/sys/firmware/efi/"
	pci      = "/sys/bus/pci/devices/0000:00:02.0/"
	sda2     = "link:/sys/class/block/sda2"
)

// Unusual are machines that readers are easily wrong about: one for each way in which a reading once said something
// false. They are no part of the demo.
func Unusual() []*machine {
	return []*machine{
		unusual(
			"BTRFS-ROOT",
			files{mounts: "21 1 0:39 /@ / rw - btrfs /dev/sda2 rw,subvol=/@\n"},
			"link:/sys/dev/block/8:2",
		),
		unusual("BTRFS-ENCRYPTED", files{
			mounts:   "21 1 0:39 /@ / rw - btrfs /dev/mapper/luks-lantern rw\n",
			sysBlock: "dm-0\nsda", sysBlock + "dm-0/dm/name": "luks-lantern\n",
			sysBlock + "dm-0/dm/uuid": "CRYPT-LUKS2-00\n",
			sysBlock + "dm-0/slaves/": "sda2", "link:" + sysBlock + "dm-0": "../devices/virtual/block/dm-0",
			"protectors:/dev/sda2": "tpm\nrecovery-key",
		}, "link:/sys/dev/block/8:2"),
		unusual("ZFS-ROOT", files{mounts: "21 1 0:41 / / rw - zfs pool/root rw\n"}, "link:/sys/dev/block/8:2"),
		unusual("OVERLAY-ROOT", files{mounts: "21 1 0:30 / / rw - overlay overlay rw\n"}, "link:/sys/dev/block/8:2",
			"link:/sys/dev/block/0:30"),
		unusual("FIRMWARE-HIDDEN", nil, firmware, firmware+"fw_platform_size", efiVars, efiVars+"SecureBoot"+global,
			efiVars+"SetupMode"+global, "/sys/firmware/acpi/tables/", "/sys/firmware/dmi/tables/DMI"),
		unusual("VARIABLES-MOUNTED", files{
			mounts: "21 1 8:2 / / rw - ext4 /dev/sda2 rw\n" +
				"30 21 0:26 / /sys/firmware/efi/efivars rw - efivarfs efivarfs rw\n",
		}, firmware, firmware+"fw_platform_size", efiVars),
		onARM(),
		unusual("RATIO-DISPLAY", screen(wideAsRatio())),
		unusual("DAMAGED-DISPLAY", screen(damagedDisplay())),
		unusual("TILED-DISPLAY", files{
			drm: "card0\ncard0-DP-1\ncard0-DP-2", drm + "card0-DP-1/status": "connected\n",
			drm + "card0-DP-2/status": "connected\n",
			drm + "card0-DP-1/edid":   half(1), drm + "card0-DP-2/edid": half(2),
		}),
		unusual("ANOTHER-TREE", nil, "statfs:/"),
		unusual("LOGICAL-PARTITIONS", files{
			"sectors:/dev/sda": string(chain(sample.Put(20*512, map[int]string{
				0:        sample.MBR([3]uint32{0x83, 2048, 1000000}, [3]uint32{0x05, 8, 2000000}),
				8 * 512:  sample.MBR([3]uint32{0x83, 1, 5000}, [3]uint32{0x05, 4, 1000}),
				12 * 512: sample.MBR([3]uint32{0x83, 1, 7000}),
			}))),
		}),
		unusual("LOGICAL-PARTITIONS-CUT", files{
			"sectors:/dev/sda": sample.MBR([3]uint32{0x83, 2048, 1000000}, [3]uint32{0x05, 8000000, 2000000}) +
				sample.Zeros(40960-512),
		}),
		unusual("PACKAGES-WITHOUT-NUMBERS", topologies("physical_package_id", "-1\n", "core_siblings_list", "0-3\n")),
		unusual("OLD-KERNEL", files{
			cpus + "/cpu0/topology/thread_siblings": "3\n", cpus + "/cpu1/topology/thread_siblings": "3\n",
			cpus + "/cpu2/topology/thread_siblings": "c\n", cpus + "/cpu3/topology/thread_siblings": "c\n",
		}, cpus+"/cpu0/topology/thread_siblings_list", cpus+"/cpu1/topology/thread_siblings_list",
			cpus+"/cpu2/topology/thread_siblings_list", cpus+"/cpu3/topology/thread_siblings_list"),
		unusual(
			"DISGUISED-GUEST",
			files{pci + "class": "0x020000\n", pci + "vendor": "0x1af4\n", pci + "device": "0x1041\n"},
		),
		modules(),
		unusual("TWO-SPEEDS", files{
			"cpuid": sample.CPU{
				Vendor: corvane,
				Name:   "Corvane K5-8400 CPU @ 2.80GHz",
				Family: 6,
				Model:  158,
				MHz:    2900,
			}.Leaves(),
		}),
		unusual("LIMITED-SPEED", files{
			"cpuid": sample.CPU{
				Vendor: corvane,
				Name:   "Corvane K5-8400",
				Family: 6,
				Model:  158,
			}.Leaves(),
			cpus + "/cpu0/cpufreq/bios_limit": "2401000\n",
		}),
		withoutRights(),
		paused(),
		oldTPM(),
		unlockedMac(),
	}
}

// paused is a machine whose protection was on at its start and is paused now, with an account linked to the vendor, and
// with partitions and settings that other machines here do not have.
func paused() *machine {
	m := twoDisks()
	m.name = "PAUSED-PROTECTION"
	m.ok(win.VolumeHead, sample.Put(512, map[int]string{0: "\xEB\x58\x90-FVE-FS-"}))
	m.ok(win.View64.Value(win.KeyEncryption, "BootStatus"), number(1))
	m.encrypts(1, 0, 4, 3, 8)
	m.ok(win.Accounts, win.AccountLocal+"\n"+win.AccountVendor)
	m.ok(
		win.BIOSSettings,
		win.SettingsLine(`root\Plover`, "Legacy Support", "false", "Enabled", []string{"Disabled", "Enabled"}),
	)
	m.no(capture.Failed, 1359, win.Updates)
	return m
}

// oldTPM is a machine with a TPM 1.2 that is enabled and not activated.
func oldTPM() *machine {
	m := legacyDesktop()
	m.name = "TPM12-DEACTIVATED"
	m.ok(win.Flags12, sample.TPM12Flags(true, false))
	return m
}

// unlockedMac is a Mac that was read with rights.
func unlockedMac() *machine {
	m := newMac()
	m.name, m.Elevated = "MAC-WITH-RIGHTS", true
	m.ok(macos.VaultUsers.Source(), "")
	m.ok(macos.VaultKey.Source(), "true\n")
	m.ok(macos.VaultManaged.Source(), "false\n")
	m.says(macos.DiskList, group{"WholeDisks": []any{"disk0"}, "AllDisksAndPartitions": []any{group{
		"DeviceIdentifier": "disk0", "Content": "GUID_partition_scheme",
		"Partitions": []any{group{"Content": "Apple_APFS"}, group{"Content": "4F68BCE3-E8CD-4DB1-96E7-FBCAF984B709"}},
	}}})
	return m
}

// unusual is a desk PC that starts in UEFI mode from one drive, but for some files, and without others.
func unusual(name string, change files, gone ...string) *machine {
	m := linuxBase(name,
		sample.PC{
			Firmware: "Plover Firmware", Version: "1.14", Date: "03/09/2021", UEFI: true, Maker: "Ostrel",
			Product: "Bollard 300", Serial: "TW9910001", UUID: "5b1e6f00-11aa-4c01-9d00-0000009910ac",
			BoardMaker: "Ostrel", Board: "OB-300", Chassis: 3, Processor: "Corvane K5-8400", Slots: 2, MaxGiB: 32,
			Modules: []sample.Module{{Slot: "A", MiB: 8192, Type: ddr4, Form: dimm, Speed: 2666}, {Slot: "B"}},
		},
		sample.CPU{Vendor: corvane, Name: "Corvane K5-8400", Family: 6, Model: 158, Stepping: 10, MHz: 2800}, "8060000")
	m.keep(files{
		firmware: "efivars\nfw_platform_size", firmware + "fw_platform_size": "64\n",
		efiVars:                         "SecureBoot" + global + "\nSetupMode" + global,
		efiVars + "SecureBoot" + global: sample.U32(6) + "\x01", efiVars + "SetupMode" + global: sample.U32(6) + "\x00",
		"/sys/class/dmi/id/bios_vendor": "Plover Firmware\n",
		"/sys/class/tpm/":               "", "/sys/firmware/acpi/tables/": "FACP",
		mounts:                    "21 1 8:2 / / rw - ext4 /dev/sda2 rw\n",
		"link:/sys/dev/block/8:2": "../../devices/pci0000:00/ata1/sda/sda2",
		sda2:                      "../../devices/pci0000:00/ata1/sda/sda2",
		"statfs:/":                "unit=4096 blocks=60000000 free=31000000",
		sysBlock:                  "sda", "link:" + sysBlock + "sda": "../devices/pci0000:00/ata1/sda",
		sysBlock + "sda/size": "500118192\n", sysBlock + "sda/removable": "0\n",
		sysBlock + "sda/queue/rotational": "0\n", sysBlock + "sda/queue/logical_block_size": "512\n",
		sysBlock + "sda/device/model": "Brannock SD 256\n",
		"sectors:/dev/sda": sample.GPT(512, sample.NewPart(sample.ESP, id(201), 2048, 534527),
			sample.NewPart(sample.LinuxData, id(202), 534528, 500116000)),
		drm: "card0\ncard0-DP-1\nversion", drm + "card0-DP-1/status": "disconnected\n", "/sys/class/power_supply/": "",
	})
	m.keep(change)
	m.no(capture.Absent, 2, gone...)
	return m
}

// onARM is a machine of another architecture, which has no legacy mode, whose kernel tells numbers of its processor,
// and whose firmware describes it in a device tree alone.
func onARM() *machine {
	m := unusual("ON-ARM", files{
		"/proc/sys/kernel/arch": "aarch64\n",
		"/proc/cpuinfo":         "CPU implementer\t: 0x71\nCPU part\t: 0x1de\nFeatures\t: fp asimd aes\n",
	}, firmware, firmware+"fw_platform_size", efiVars)
	m.no(capture.NotExposed, 0, "cpuid")
	m.ok("head:/sbin/init", elf64[:18]+"\xb7\x00")
	const tree = linux.DeviceTree
	m.keep(files{
		tree + linux.TreeModel: "Plover Bight 2\x00", tree + "serial-number": "PL-77410\x00",
		tree + "chassis-type": "convertible\x00", tree + linux.TreeCores + "/": "cpu-map\ncpu@0\ncpu@1",
		tree + linux.TreeCores + "/cpu@0" + linux.TreeOfCore: "plover,gannet7\x00plover,gannet\x00",
		tree + linux.TreeCores + "/cpu@1" + linux.TreeOfCore: "plover,tern3\x00",
	})
	m.no(capture.Absent, 2, "/sys/firmware/dmi/tables/DMI", "/sys/firmware/dmi/tables/smbios_entry_point")
	for _, name := range []string{
		"sys_vendor", "product_name", "product_serial", "product_uuid", "chassis_type", "chassis_asset_tag",
		"board_vendor", "board_name", "board_serial", "bios_vendor", "bios_version", "bios_date",
	} {
		m.no(capture.Absent, 2, "/sys/class/dmi/id/"+name)
	}
	return m
}

// modules are those of a processor in which two cores share some parts.
func modules() *machine {
	m := unusual("MODULES-OF-TWO-CORES", files{
		"/proc/cpuinfo": "vendor_id\t: AuthenticAMD\ncpu family\t: 21\nmodel\t: 2\nstepping\t: 0\nflags\t: lm\n",
	})
	m.no(capture.NotExposed, 0, "cpuid")
	m.keep(topologies("thread_siblings_list", "0-1\n", "physical_package_id", "0\n"))
	m.keep(files{
		cpus + "/cpu2/topology/thread_siblings_list": "2-3\n", cpus + "/cpu3/topology/thread_siblings_list": "2-3\n",
	})
	return m
}

// withoutRights is read without them: the date of its firmware is there all the same.
func withoutRights() *machine {
	m := unusual("WITHOUT-RIGHTS", files{"/sys/class/dmi/id/bios_date": "03/09/2021\n"})
	m.Elevated = false
	m.no(
		capture.Denied,
		13,
		"/sys/firmware/dmi/tables/DMI",
		"/sys/firmware/dmi/tables/smbios_entry_point",
		"sectors:/dev/sda",
	)
	return m
}

// topologies are files of all four processors, name and content by turns.
func topologies(pairs ...string) files {
	out := files{}
	for _, n := range []string{"0", "1", "2", "3"} {
		for i := 0; i+1 < len(pairs); i += 2 {
			out[cpus+"/cpu"+n+"/topology/"+pairs[i]] = pairs[i+1]
		}
	}
	return out
}

// chain pads sectors to what is read of a drive.
func chain(head string) []byte { return []byte(head + sample.Zeros(40960-len(head))) }

// screen is one connected display.
func screen(edid string) files {
	return files{drm + "card0-DP-1/status": "connected\n", drm + "card0-DP-1/edid": edid}
}

// half is a half of a screen, which has a connector of its own.
func half(tile int) string {
	return sample.Display{
		Name: "Gannet 27", Width: 2560, Height: 2880, WideMM: 299, HighMM: 336, BitsPerChannel: 10, Tile: tile,
	}.EDID()
}

// wideAsRatio is a display that states the ratio of its sides where its size belongs, and its size in centimetres.
func wideAsRatio() string {
	b := []byte(
		sample.Display{
			Name:           "Gannet 27",
			Width:          2560,
			Height:         1440,
			WideMM:         597,
			HighMM:         336,
			BitsPerChannel: 8,
		}.EDID(),
	)
	const timing, checksum = 54, 127
	was := b[timing+12] + b[timing+13] + b[timing+14]
	b[timing+12], b[timing+13], b[timing+14] = 160, 90, 0
	b[checksum] += was - 160 - 90
	return string(b)
}

// damagedDisplay has a checksum that is wrong.
func damagedDisplay() string {
	return sample.Display{Name: "Gannet 24", Width: 1920, Height: 1080, WideMM: 531, HighMM: 299, Wrong: true}.EDID()
}
