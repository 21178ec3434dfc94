package machines

import (
	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/decode/sample"
)

func linuxMachines() []*machine { return []*machine{linuxLaptop(), mirrorDesktop()} }

// files are sources of Linux, path and content.
type files map[string]string

func (m *machine) keep(f files) {
	for path, content := range f {
		m.ok(path, content)
	}
}

const (
	sysBlock = "/sys/block/"
	settings = "/sys/class/firmware-attributes/"
	efiVars  = "/sys/firmware/efi/efivars/"
	global   = "-8be4df61-93ca-11d2-aa0d-00e098032b8c"
	elf64    = "\x7fELF\x02\x01\x01\x00\x00\x00\x00\x00\x00\x00\x00\x00\x03\x00\x3e\x00"
)

func linuxBase(name string, pc sample.PC, c sample.CPU, visibleKiB string) *machine {
	m := begin(name, "linux", true)
	m.keep(files{
		"/proc/sys/kernel/hostname": name + "\n", "/proc/sys/kernel/arch": "x86_64\n", "head:/sbin/init": elf64,
		"/etc/os-release": "PRETTY_NAME=\"Lodestar Linux 12\"\nVERSION_ID=12\n",
		"/proc/meminfo":   "MemTotal: " + visibleKiB + " kB\n", "cpuid": c.Leaves(),
		"/sys/firmware/dmi/tables/DMI": pc.Tables(), "/sys/firmware/dmi/tables/smbios_entry_point": sample.EntryPoint,
		"/sys/devices/system/cpu/": "cpu0\ncpu1\ncpu2\ncpu3\npresent", "/sys/devices/system/cpu/present": "0-3\n",
		"/sys/class/net/": "eth0\nlo", "/sys/class/net/eth0/operstate": "up\n",
		"/sys/bus/pci/devices/": "0000:00:02.0", "/sys/bus/pci/devices/0000:00:02.0/class": "0x030000\n",
		"/sys/bus/pci/devices/0000:00:02.0/vendor": "0x7e5a\n", "/sys/bus/pci/devices/0000:00:02.0/device": "0x0b24\n",
		"link:/sys/bus/pci/devices/0000:00:02.0/driver": "../../../bus/pci/drivers/lantern",
		linux.NameSwitch: "passwd: files systemd sss\n",
		linux.UpdateNote: "5 updates can be applied immediately.\n2 of these updates are standard security updates.\n",
	})
	for _, n := range []string{"0", "1", "2", "3"} {
		m.ok("/sys/devices/system/cpu/cpu"+n+"/topology/physical_package_id", "0\n")
		m.ok("/sys/devices/system/cpu/cpu"+n+"/topology/thread_siblings_list", n+"\n")
	}
	m.no(capture.Absent, 2, linux.Prepared, linux.Directory[0], linux.Directory[1])
	m.no(capture.Absent, 2, "/run/reboot-required", "/.dockerenv", "/run/.containerenv")
	return m
}

// linuxLaptop: an encrypted volume on a group on one drive of 4096-byte sectors.
func linuxLaptop() *machine {
	m := linuxBase("EELG-102",
		sample.PC{
			Firmware:   "Plover Firmware",
			Version:    "1.14",
			Date:       "03/09/2021",
			UEFI:       true,
			Maker:      "Ostrel",
			Product:    "Slipway 14",
			Serial:     "TW8810021",
			UUID:       "5b1e6f00-11aa-4c01-9d00-0000008810ab",
			BoardMaker: "Ostrel",
			Board:      "OS-14B",
			Chassis:    10,
			Processor:  "Corvane K5-8250U",
			Slots:      2,
			MaxGiB:     32,
			Modules: []sample.Module{{
				Slot:  "Slot A",
				MiB:   8192,
				Type:  ddr4,
				Form:  sodimm,
				Speed: 2400,
				Maker: "Fennick",
				Part:  "FM-8G24",
			}, {Slot: "Slot B"}},
		},
		sample.CPU{
			Vendor:   corvane,
			Name:     "Corvane K5-8250U CPU @ 1.60GHz",
			Family:   6,
			Model:    142,
			Stepping: 10,
			MHz:      1600,
		}, "8059340")
	disk := "../devices/pci0000:00/nvme/nvme0/nvme0n1"
	m.keep(files{
		"/sys/firmware/efi/": "efivars\nfw_platform_size", "/sys/firmware/efi/fw_platform_size": "64\n",
		efiVars:                         "SecureBoot" + global,
		efiVars + "SecureBoot" + global: sample.U32(6) + "\x01", efiVars + "SetupMode" + global: sample.U32(6) + "\x00",
		efiVars + "BootOrder" + global:   sample.U32(7) + sample.U16(1) + sample.U16(2),
		efiVars + "BootCurrent" + global: sample.U32(6) + sample.U16(1),
		efiVars + "Boot0001" + global:    sample.BootEntry("Lodestar Linux", `\EFI\lodestar\loader.efi`, id(101)),
		efiVars + "Boot0002" + global:    sample.BootEntry("Skerry 11", `\EFI\skerry\start.efi`, id(101)),
		"/sys/class/tpm/":                "tpm0", "/sys/class/tpm/tpm0/tpm_version_major": "2\n",
		"tpm2:/dev/tpmrm0": sample.TPM2Answer("CORV", 7, 2), "/sys/firmware/acpi/tables/": "TPM2\nFACP",
		"/sys/firmware/acpi/tables/TPM2": sample.TPM2Table(2),
		"/proc/self/mountinfo":           "21 1 254:1 / / rw - ext4 /dev/mapper/root rw\n",
		"link:/sys/dev/block/254:1":      "../../devices/virtual/block/dm-1",
		"statfs:/":                       "unit=4096 blocks=60000000 free=31000000",
		sysBlock:                         "dm-0\ndm-1\nnvme0n1",
		"link:" + sysBlock + "dm-1":      "../devices/virtual/block/dm-1",
		"link:" + sysBlock + "dm-0":      "../devices/virtual/block/dm-0", "link:" + sysBlock + "nvme0n1": disk,
		sysBlock + "dm-1/slaves/": "dm-0", sysBlock + "dm-0/slaves/": "nvme0n1p2", sysBlock + "dm-1/dm/uuid": "LVM-x\n",
		sysBlock + "dm-0/dm/uuid":         "CRYPT-LUKS2-0123-root\n",
		"link:/sys/class/block/nvme0n1p2": "../../devices/pci0000:00/nvme/nvme0/nvme0n1/nvme0n1p2",
		sysBlock + "nvme0n1/size":         "500118192\n", sysBlock + "nvme0n1/removable": "0\n",
		sysBlock + "nvme0n1/queue/rotational": "0\n", sysBlock + "nvme0n1/queue/logical_block_size": "4096\n",
		sysBlock + "nvme0n1/device/model":                         "Brannock NV 256\n",
		"health:nvme:nvme0n1":                                     sample.NVMeHealth(0, 12),
		"protectors:/dev/nvme0n1p2":                               "tpm\npassphrase",
		settings:                                                  "oxbow",
		settings + "oxbow/attributes/":                            "Boot Order\nSecure Boot\nTPM State\nWake On LAN",
		settings + "oxbow/attributes/Secure Boot/type":            "enumeration\n",
		settings + "oxbow/attributes/Secure Boot/current_value":   "Enabled\n",
		settings + "oxbow/attributes/Secure Boot/possible_values": "Disabled;Enabled\n",
		settings + "oxbow/attributes/TPM State/type":              "enumeration\n",
		settings + "oxbow/attributes/TPM State/current_value":     "On\n",
		settings + "oxbow/attributes/TPM State/possible_values":   "Off;On\n",
		settings + "oxbow/authentication/":                        "Keeper",
		settings + "oxbow/authentication/Keeper/role":             "bios-admin\n",
		settings + "oxbow/authentication/Keeper/is_enabled":       "0\n",
		"sectors:/dev/nvme0n1": sample.GPT(4096, sample.NewPart(sample.ESP, id(101), 256, 131327),
			sample.NewPart("ca7d7ccb-63ed-4c53-861c-1742536059cc", id(102), 131328, 62514431)),
		"/sys/class/drm/": "card0\ncard0-eDP-1\nversion", "/sys/class/drm/card0-eDP-1/status": "connected\n",
		"/sys/class/drm/card0-eDP-1/edid": sample.Display{
			Name:           "OS-14 panel",
			Width:          1920,
			Height:         1080,
			WideMM:         309,
			HighMM:         174,
			BitsPerChannel: 8,
		}.EDID(),
		"/sys/class/power_supply/": "AC\nBAT0", "/sys/class/power_supply/AC/type": "Mains\n",
		"/sys/class/power_supply/AC/online": "1\n", "/sys/class/power_supply/BAT0/type": "Battery\n",
		"/sys/class/power_supply/BAT0/capacity":           "97\n",
		"/sys/class/power_supply/BAT0/energy_full":        "41000000\n",
		"/sys/class/power_supply/BAT0/energy_full_design": "50000000\n",
	})
	return m
}

// mirrorDesktop: legacy boot, the root on a mirror of two drives, a protective
// table whose header is damaged, no TPM.
func mirrorDesktop() *machine {
	m := linuxBase("OUTER-101",
		sample.PC{
			Firmware:   "Plover Firmware",
			Version:    "0.61",
			Date:       "10/12/2014",
			Maker:      "Brannock",
			Product:    "Windlass T1",
			Serial:     "TW1110007",
			UUID:       "5b1e6f00-11aa-4c01-9d00-0000001110ac",
			BoardMaker: "Brannock",
			Board:      "BW-T1",
			Chassis:    7,
			Processor:  "Tessaly Onyx 5 2600",
			Slots:      4,
			MaxGiB:     64,
			Modules: []sample.Module{
				{Slot: "A1", MiB: 2048, Type: ddr3, Form: dimm, Speed: 1333},
				{Slot: "A2", MiB: 2048, Type: ddr3, Form: dimm, Speed: 1333},
				{Slot: "B1", MiB: 4096, Type: ddr3, Form: dimm, Speed: 1600}, {Slot: "B2"},
			},
		},
		sample.CPU{Vendor: tessaly, Name: "Tessaly Onyx 5 2600", Family: 23, Model: 8, Stepping: 2, MHz: 3400},
		"8100000")
	table := []byte(sample.GPT(512, sample.NewPart(sample.RAID, id(111), 2048, 976773000)))
	damaged := append([]byte(nil), table...)
	damaged[512+20]++
	m.keep(files{
		"/sys/class/tpm/": "", "/sys/firmware/acpi/tables/": "FACP",
		"/proc/self/mountinfo":    "21 1 9:0 / / rw - ext4 /dev/md0 rw\n",
		"link:/sys/dev/block/9:0": "../../devices/virtual/block/md0",
		"statfs:/":                "unit=4096 blocks=120000000 free=90000000",
		sysBlock:                  "md0\nsda\nsdb", "link:" + sysBlock + "md0": "../devices/virtual/block/md0",
		sysBlock + "md0/slaves/": "sda1\nsdb1", sysBlock + "md0/md/level": "raid1\n",
		"/sys/class/power_supply/": "",
	})
	for name, head := range map[string][]byte{"sda": table, "sdb": damaged} {
		m.keep(files{
			"link:" + sysBlock + name:             "../devices/pci0000:00/ata1/" + name,
			"link:/sys/class/block/" + name + "1": "../../devices/pci0000:00/ata1/" + name + "/" + name + "1",
			sysBlock + name + "/size":             "976773168\n", sysBlock + name + "/removable": "0\n",
			sysBlock + name + "/queue/rotational": "1\n", sysBlock + name + "/queue/logical_block_size": "512\n",
			sysBlock + name + "/device/model": "Brannock HD 500\n",
			"sectors:/dev/" + name:            string(head),
		})
	}
	m.no(capture.NotExposed, 2, "/sys/firmware/efi/", "/sys/class/drm/")
	return m
}
