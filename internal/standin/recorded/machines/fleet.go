package machines

import (
	"strings"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/sample"
	win "rolltop.example/rolltop/core/decode/windows"
)

// Memory types and forms of the firmware tables.
const (
	ddr3, ddr4, lpddr4 = 0x18, 0x1A, 0x1E
	dimm, sodimm, chip = 0x09, 0x0D, 0x0B
)

const corvane, tessaly = "CorvaneParts", "TessalyCores"

func windowsMachines() []*machine {
	return []*machine{
		readyLaptop(), legacyDesktop(), twoDisks(), hiddenTPM(), narrowTablet(), guestMachine(), armLaptop(),
		raidDesktop(), oldDesktop(),
	}
}

// readyLaptop: UEFI, secure boot, TPM 2.0, encrypted, two displays, read with
// rights, a second system beside it.
func readyLaptop() *machine {
	m := windowsBase("LANT-101", true,
		sample.PC{
			Firmware:    "Plover Firmware",
			Version:     "1.31",
			Date:        "03/09/2024",
			UEFI:        true,
			TPM:         true,
			Maker:       "Ostrel",
			Product:     "Slipway 14",
			Serial:      "TW4410117",
			UUID:        "5b1e6f00-11aa-4c01-9d00-0000004410aa",
			BoardMaker:  "Ostrel",
			Board:       "OS-14B",
			BoardSerial: "OB990117",
			Chassis:     10,
			Processor:   "Corvane K5-11350U",
			Slots:       2,
			MaxGiB:      64,
			Modules: []sample.Module{{
				Slot:  "Slot A",
				MiB:   8192,
				Type:  ddr4,
				Form:  sodimm,
				Speed: 3200,
				Maker: "Fennick",
				Part:  "FM-8G32",
			}, {Slot: "Slot B", MiB: 8192, Type: ddr4, Form: sodimm, Speed: 3200, Maker: "Fennick", Part: "FM-8G32"}},
		},
		sample.CPU{Vendor: corvane, Name: "Corvane K5-11350U", Family: 6, Model: 140, Stepping: 1, MHz: 2400}, 4, 8,
		16100)
	m.uefi(true)
	m.tpm(2, "CORV")
	m.disks(disk{
		model: "Brannock NV 512",
		bus:   0x11,
		seek:  0,
		bytes: 512110190592,
		parts: append(started(1000215216-200000000, 1), sample.NewPart(sample.LinuxData, id(9), 800215217, 1000213167)),
	})
	m.volume(409_000_000_000, 143_000_000_000, 0)
	m.ok(win.ESPSpace, sample.U64(240<<20)+sample.U64(260<<20)+sample.U64(240<<20))
	m.ok(win.ESPLoader, "")
	m.ok(win.View64.Value(win.KeyEncryption, "BootStatus"), number(1))
	m.encrypts(1, 1, 1, 3)
	m.ok(win.BackupEvent, sample.EventTime(m.TakenAt.Add(-40*time.Hour)))
	m.ok(win.Updates, "2")
	m.ok(win.BIOSSettings, strings.Join([]string{
		win.SettingsLine(`root\Plover\Firmware`, "Secure Boot", "false", "Enabled", []string{"Disabled", "Enabled"}),
		win.SettingsLine(`root\Plover\Firmware`, "TPM State", "false", "Enabled", []string{"Disabled", "Enabled"}),
		win.SettingsLine(`root\Plover\Firmware`, "Legacy Support", "true", "Disabled", []string{"Disabled"}),
	}, "\n"))
	m.boots(sample.BootEntry("Skerry 11", `\EFI\skerry\start.efi`, id(1)),
		sample.BootEntry("Lodestar Linux", `\EFI\lodestar\loader.efi`, id(1)),
		sample.BootEntry("Older Lodestar", `\EFI\older\loader.efi`, id(77)))
	m.devices(device{
		"Corvane graphics", "Display", classDisplay, `PCI\VEN_7E5A&DEV_1050&SUBSYS_11007E5A`, "31.0.101.4", "4-21-2025",
		"Corvane", "",
	},
		device{"Corvane wireless", "Net", classNet, `PCI\VEN_7E5A&DEV_1041`, "22.1.0.5", "11-2-2024", "Corvane", ""})
	m.adapter("0", 0x1050, 2700)
	m.ok(win.Level, "c100")
	m.displays(true, sample.Display{
		Name:           "OS-14 panel",
		Width:          1920,
		Height:         1080,
		WideMM:         309,
		HighMM:         174,
		BitsPerChannel: 8,
	}, sample.Display{Name: "Gannet 27", Width: 2560, Height: 1440, WideMM: 597, HighMM: 336, BitsPerChannel: 10})
	m.ok(win.PowerStatus, "\x00\x01\x48\x00"+sample.Zeros(8))
	m.ok(win.View64.Value(win.KeyGuard, "EnableVirtualizationBasedSecurity"), number(1))
	m.ok(win.Isolation, "\x03"+sample.Zeros(7))
	m.ok(win.Licence, sample.U32(0))
	m.ok(win.SoftwareNamed, "Tidebook\nCounterfoil\nLampwright\nHawser VPN\nTidewrack.Lampwright")
	m.ok(win.View64.Subkeys(win.KeyUninstall), "tidebook\nhawser")
	m.key(win.KeyUninstall+`\tidebook`, "DisplayName", "Tidebook 4", "DisplayVersion", "4.1.2", "Publisher",
		"Tidewrack Ferries")
	m.key(win.KeyUninstall+`\hawser`, "DisplayName", "Hawser VPN", "DisplayVersion", "2.8", "Publisher", "Hawser")
	m.ok(win.View64.Subkeys(win.KeyPackages), "Tidewrack.Lampwright_3.4.0.0_x64__71de0xq2")
	m.ok(win.View32.Subkeys(win.KeyUninstall), "counterfoil")
	m.ok(win.View32.Value(win.KeyUninstall+`\counterfoil`, "DisplayName"), text("Counterfoil"))
	m.ok(win.View32.Value(win.KeyUninstall+`\counterfoil`, "DisplayVersion"), text("7.0"))
	return m
}

// legacyDesktop: legacy boot on firmware that can do UEFI, MBR, TPM 1.2, joined
// to a directory, a restart pending; read without rights.
func legacyDesktop() *machine {
	m := windowsBase("GULL-101", false,
		sample.PC{
			Firmware:   "Plover Firmware",
			Version:    "0.94",
			Date:       "07/22/2016",
			UEFI:       true,
			Maker:      "Ostrel",
			Product:    "Bollard 300",
			Serial:     "TW2230456",
			UUID:       "5b1e6f00-11aa-4c01-9d00-0000002230bb",
			BoardMaker: "Ostrel",
			Board:      "OB-300",
			Chassis:    3,
			Processor:  "Corvane K5-8400",
			Slots:      4,
			MaxGiB:     64,
			Modules: []sample.Module{{
				Slot:  "Slot A",
				MiB:   4096,
				Type:  ddr4,
				Form:  dimm,
				Speed: 2666,
				Maker: "Fennick",
				Part:  "FM-4G26",
			}, {Slot: "Slot B"}, {
				Slot:  "Slot C",
				MiB:   4096,
				Type:  ddr4,
				Form:  dimm,
				Speed: 2666,
				Maker: "Fennick",
				Part:  "FM-4G26",
			}, {Slot: "Slot D"}},
		},
		sample.CPU{Vendor: corvane, Name: "Corvane K5-8400 CPU @ 2.80GHz", Family: 6, Model: 158, Stepping: 10}, 6, 6,
		8060)
	m.legacy()
	m.tpm(1, "PLVR")
	m.disks(disk{
		model: "Brannock SD 256",
		bus:   0xB,
		seek:  0,
		bytes: 256060514304,
		mbr:   true,
		kinds: []byte{7, 7, 0x27},
		parts: []sample.Part{
			{First: 2048, Last: 1026047}, {First: 1026048, Last: 498116607}, {First: 498116608, Last: 500117503},
		},
	})
	m.volume(254_000_000_000, 88_000_000_000, 0)
	m.ok(win.View64.Value(win.KeyEncryption, "BootStatus"), number(0))
	m.ok(win.Joined, sample.U32(3))
	m.ok(win.View64.Mark(win.KeyPolicy, "WUServer"), "")
	m.ok(win.View64.Value(win.KeyPolicy, "TargetReleaseVersion"), number(1))
	m.key(win.KeyPolicy, "TargetReleaseVersionInfo", "11.2")
	m.ok(win.View64.Subkeys(win.KeyServicing+`\RebootPending`), "")
	m.devices(device{
		"Corvane graphics", "Display", classDisplay, `PCI\VEN_7E5A&DEV_1050`, "26.20.100.7", "8-1-2019", "Corvane", "",
	})
	m.adapter("0", 0x1050, 2000)
	m.ok(win.Level, "b100")
	m.displays(false, sample.Display{
		Name:     "Gannet 22",
		Width:    1680,
		Height:   1050,
		WideMM:   474,
		HighMM:   296,
		Before14: true,
	})
	return m
}

// twoDisks: the system on a drive without boot files, which are on another;
// odd memory; secure boot off; read with rights.
func twoDisks() *machine {
	m := windowsBase("NSLIP-101", true,
		sample.PC{
			Firmware:   "Plover Firmware",
			Version:    "1.08",
			Date:       "01/15/2021",
			UEFI:       true,
			Password:   true,
			Maker:      "Brannock",
			Product:    "Windlass T1",
			Serial:     "TW3310020",
			UUID:       "5b1e6f00-11aa-4c01-9d00-0000003310cc",
			BoardMaker: "Brannock",
			Board:      "BW-T1",
			Chassis:    7,
			Processor:  "Tessaly Onyx 5 3600",
			Slots:      4,
			MaxGiB:     128,
			Modules: []sample.Module{{
				Slot:  "A1",
				MiB:   4096,
				Type:  ddr4,
				Form:  dimm,
				Speed: 2666,
				Maker: "Fennick",
				Part:  "FM-4G26",
			}, {Slot: "A2", MiB: 8192, Type: ddr4, Form: dimm, Speed: 3200, Maker: "Fennick", Part: "FM-8G32"},
				{Slot: "B1"}, {Slot: "B2"}},
		},
		sample.CPU{Vendor: tessaly, Name: "Tessaly Onyx 5 3600", Family: 23, Model: 113, MHz: 3600}, 6, 12, 12200)
	m.uefi(false)
	m.tpm(2, "PLVR")
	m.disks(disk{model: "Brannock HD 1000", bus: 0xB, seek: 1, bytes: 1000204886016, parts: started(1953525168, 20)},
		disk{
			model: "Brannock NV 256",
			bus:   0x11,
			seek:  0,
			bytes: 256060514304,
			parts: []sample.Part{sample.NewPart(sample.BasicData, id(31), 2048, 500117503)},
		})
	m.volume(256_000_000_000, 101_000_000_000, 1)
	m.ok(win.VolumeHead, sample.Put(512, map[int]string{0: "\xEB\x52\x90NTFS    "}))
	m.no(capture.NotExposed, 0, win.ESPLoader, win.ESPSpace)
	m.boots(sample.BootEntry("Skerry 11", `\EFI\skerry\start.efi`, id(20)))
	m.devices(device{
		"Tessaly graphics", "Display", classDisplay, `PCI\VEN_7E5A&DEV_1050`, "30.0.1.1", "2-3-2023", "Tessaly", "",
	},
		device{"Card reader", "", "", `USB\VID_7E5A&PID_0001`, "", "", "", "28"})
	m.adapter("0", 0x1050, 2900)
	m.ok(win.Level, "c000")
	m.displays(false, sample.Display{
		Name:           "Gannet 24",
		Width:          1920,
		Height:         1200,
		WideMM:         518,
		HighMM:         324,
		BitsPerChannel: 8,
	})
	return m
}

// hiddenTPM: the firmware tables name a TPM, the system sees none; keys in the
// firmware are missing; the disks stand behind a RAID controller.
func hiddenTPM() *machine {
	m := windowsBase("CORB-101", true,
		sample.PC{
			Firmware:   "Plover Firmware",
			Version:    "1.20",
			Date:       "11/02/2020",
			UEFI:       true,
			TPM:        true,
			Maker:      "Fennick",
			Product:    "Tern 2",
			Serial:     "TW5510771",
			UUID:       "5b1e6f00-11aa-4c01-9d00-0000005510dd",
			BoardMaker: "Fennick",
			Board:      "FT2-M",
			Chassis:    35,
			Processor:  "Corvane K5-10500T",
			Slots:      2,
			MaxGiB:     64,
			Modules: []sample.Module{{
				Slot:  "Slot A",
				MiB:   8192,
				Type:  ddr4,
				Form:  sodimm,
				Speed: 2666,
				Maker: "Fennick",
				Part:  "FM-8G26",
			}, {Slot: "Slot B"}},
		},
		sample.CPU{
			Vendor:   corvane,
			Name:     "Corvane K5-10500T CPU @ 2.30GHz",
			Family:   6,
			Model:    165,
			Stepping: 3,
			MHz:      2300,
		}, 6, 12, 8070)
	m.uefi(false)
	m.ok(win.Variable("SetupMode"), sample.U32(6)+"\x01")
	m.noTPM()
	m.disks(disk{model: "Mirror of two", bus: 8, seek: -1, bytes: 240057409536, parts: started(468862128, 40)})
	m.volume(239_000_000_000, 21_000_000_000, 0)
	m.ok(win.VolumeHead, sample.Put(512, map[int]string{0: "\xEB\x52\x90NTFS    "}))
	m.ok(win.ESPLoader, "")
	m.boots(sample.BootEntry("Skerry 11", `\EFI\skerry\start.efi`, id(40)))
	m.devices(device{
		"Basic display", "Display", classDisplay, `ROOT\BasicDisplay`, "11.2.4104.1", "6-21-2006", "Skerry", "",
	})
	m.no(capture.NotExposed, 127, win.Adapters, win.Level)
	m.ok(win.Displays, "")
	return m
}

// narrowTablet: a 32-bit system on a 64-bit processor, eMMC, soldered memory,
// 32-bit firmware; read without rights.
func narrowTablet() *machine {
	m := windowsBase("HOLM-101", false,
		sample.PC{
			Firmware:  "Plover Firmware",
			Version:   "5.6",
			Date:      "05/30/2015",
			UEFI:      true,
			Maker:     "Brannock",
			Product:   "Coxswain 11",
			Serial:    "To be filled by O.E.M.",
			Chassis:   30,
			Processor: "Corvane K3-8145U",
			MaxGiB:    2,
			Modules:   []sample.Module{{Slot: "on board", MiB: 2048, Type: lpddr4, Form: chip, Speed: 1600}},
		},
		sample.CPU{Vendor: corvane, Name: "Corvane K3-8145U", Family: 6, Model: 142, Stepping: 12, MHz: 2100}, 2, 4,
		1980)
	m.ok(win.Native, sample.U16(0)+sample.U16(0x014C))
	m.ok(win.Binary, "386")
	m.ok(win.SystemInfo, sample.U16(0))
	m.uefi(true)
	m.tpm(2, "CORV")
	m.disks(disk{model: "Flash 32", bus: 0xD, seek: 0, bytes: 31268536320, parts: started(61071360, 50)})
	m.volume(30_000_000_000, 4_100_000_000, 0)
	m.devices(device{
		"Corvane graphics", "Display", classDisplay, `PCI\VEN_7E5A&DEV_1050`, "20.19.15.4", "1-29-2016", "Corvane", "",
	})
	m.adapter("0", 0x1050, 2000)
	m.ok(win.Level, "b100")
	m.displays(true, sample.Display{
		Name:           "BC-11 panel",
		Width:          1366,
		Height:         768,
		WideMM:         256,
		HighMM:         144,
		BitsPerChannel: 6,
	})
	m.ok(win.PowerStatus, "\x01\x09\x64\x00"+sample.Zeros(8))
	return m
}

// guestMachine: a virtual machine with the host's TPM.
func guestMachine() *machine {
	m := windowsBase("NSLIP-102", true,
		sample.PC{
			Firmware:  "Boathouse firmware",
			Version:   "3.1",
			Date:      "02/01/2026",
			UEFI:      true,
			Virtual:   true,
			Maker:     "Boathouse",
			Product:   "Guest 3",
			Serial:    "BH-00017",
			UUID:      "5b1e6f00-11aa-4c01-9d00-00000000bb17",
			Chassis:   1,
			Processor: "Corvane K7-11800H",
			Slots:     1,
			MaxGiB:    8,
			Modules:   []sample.Module{{Slot: "Memory", MiB: 8192, Type: 0x07, Form: dimm}},
		},
		sample.CPU{
			Vendor:     corvane,
			Name:       "Corvane K7-11800H",
			Family:     6,
			Model:      141,
			Stepping:   1,
			MHz:        2300,
			Hypervisor: "BoathouseHyp",
		}, 4, 4, 8100)
	m.uefi(true)
	m.tpm(2, "CORV")
	m.disks(disk{model: "Virtual disk", bus: 0xA, seek: 0, bytes: 137438953472, parts: started(268435456, 60)})
	m.volume(136_000_000_000, 70_000_000_000, 0)
	m.ok(win.VolumeHead, sample.Put(512, map[int]string{0: "\xEB\x52\x90NTFS    "}))
	m.ok(win.ESPLoader, "")
	m.boots(sample.BootEntry("Skerry 11", `\EFI\skerry\start.efi`, id(60)))
	m.devices(device{
		"Guest graphics", "Display", classDisplay, `PCI\VEN_7E5A&DEV_1050`, "100.5.0.1", "12-1-2025", "Boathouse", "",
	})
	m.adapter("0", 0x1050, 3000)
	m.ok(win.Level, "b000")
	m.displays(false, sample.Display{
		Name:           "Guest screen",
		Width:          1280,
		Height:         800,
		WideMM:         260,
		HighMM:         160,
		BitsPerChannel: 8,
	})
	return m
}

// armLaptop: an ARM PC, read by a program for another architecture, which is
// told of a processor that is not there.
func armLaptop() *machine {
	m := windowsBase("NARR-101", false,
		sample.PC{
			Firmware:  "Plover Firmware",
			Version:   "2.02",
			Date:      "06/18/2025",
			UEFI:      true,
			Maker:     "Fennick",
			Product:   "Shearwater 13",
			Serial:    "TW7710003",
			UUID:      "5b1e6f00-11aa-4c01-9d00-0000007710ee",
			Chassis:   10,
			Processor: "Tessaly Strand 2",
			MaxGiB:    16,
			Modules:   []sample.Module{{Slot: "on board", MiB: 16384, Type: lpddr4, Form: chip, Speed: 4266}},
		},
		sample.CPU{Vendor: "VirtualCPU00", Name: "Virtual CPU", Family: 15, Model: 1, MHz: 3000}, 8, 8, 15800)
	m.ok(win.Native, sample.U16(0)+sample.U16(0xAA64))
	m.ok(win.SystemInfo, sample.U16(9))
	m.key(win.KeyProcessor, "ProcessorNameString", "Tessaly Strand 2", "VendorIdentifier", "Tessaly", "Identifier",
		"ARMv8 (64-bit) Family 8 Model 1 Revision 201")
	m.ok(win.View64.Value(win.KeyProcessor, "~MHz"), number(3000))
	m.uefi(true)
	m.tpm(2, "CORV")
	m.ok(win.Table("TPM2"), sample.TPM2Table(11))
	m.disks(disk{model: "Brannock UF 256", bus: 0x13, seek: 0, bytes: 255869321216, parts: started(499744768, 70)})
	m.volume(255_000_000_000, 160_000_000_000, 0)
	m.ok(win.View64.Value(win.KeyEncryption, "BootStatus"), number(1))
	m.devices(device{
		"Strand graphics", "Display", classDisplay, `ACPI\STRD0001`, "31.0.7.1", "3-3-2026", "Tessaly", "",
	})
	m.ok(win.Adapters, "")
	m.ok(win.Level, "c100")
	m.displays(true, sample.Display{
		Name:           "FS-13 panel",
		Width:          2880,
		Height:         1920,
		WideMM:         285,
		HighMM:         190,
		BitsPerChannel: 8,
	})
	m.ok(win.PowerStatus, "\x00\x01\x37\x00"+sample.Zeros(8))
	m.ok(win.View64.Subkeys(win.KeyEnrolled), "1\n2")
	m.ok(win.View64.Value(win.KeyEnrolled+`\2`, "EnrollmentState"), number(1))
	m.ok(win.View64.Mark(win.KeyEnrolled+`\2`, "ProviderID"), "")
	return m
}

// raidDesktop: the system volume on two disks, sources that disagree, and
// tables that break off in the middle.
func raidDesktop() *machine {
	m := windowsBase("EELG-101", true,
		sample.PC{
			Firmware:   "Plover Firmware",
			Version:    "1.02",
			Date:       "09/09/2019",
			UEFI:       true,
			Maker:      "Brannock",
			Product:    "Windlass T1",
			Serial:     "TW9910300",
			UUID:       "5b1e6f00-11aa-4c01-9d00-0000009910ff",
			BoardMaker: "Brannock",
			Board:      "BW-T1",
			Chassis:    7,
			Processor:  "Tessaly Onyx 7 3700X",
			Slots:      4,
			MaxGiB:     128,
			Modules: []sample.Module{{
				Slot:  "A1",
				MiB:   65536,
				Type:  ddr4,
				Form:  dimm,
				Speed: 3200,
				Maker: "Fennick",
				Part:  "FM-64G",
			}},
		},
		sample.CPU{Vendor: tessaly, Name: "Tessaly Onyx 7 3700X", Family: 23, Model: 113, MHz: 3600}, 8, 16, 65200)
	whole := m.Get(win.Firmware).Raw
	m.ok(win.Firmware, string(whole[:len(whole)-60])) // in the midst of the last module
	m.uefi(true)
	m.ok(win.SecureBoot, "\x00\x01") // the kernel says off, the registry on
	m.tpm(2, "PLVR")
	m.ok(win.Ask2, "\x80\x01\x00\x00\x00\x0A\x00\x00\x01\x01") // failure mode
	m.disks(disk{
		model: "Brannock SD 500",
		bus:   0xB,
		seek:  0,
		bytes: 500107862016,
		parts: append(started(900000000, 80),
			sample.NewPart("5808c8aa-7e8f-42e0-85d2-e1e90434cfb3", id(88), 900000001, 900002048)),
	},
		disk{
			model: "Brannock SD 500",
			bus:   0xB,
			seek:  0,
			bytes: 500107862016,
			parts: []sample.Part{sample.NewPart("af9b60a0-1431-4f62-bc68-3311714a69ad", id(89), 2048, 976771071)},
		},
		disk{model: "Stick", bus: 7, seek: -1, bytes: 15518924800, usb: true, raw: true})
	m.volume(930_000_000_000, 300_000_000_000, 0, 1)
	m.no(capture.Absent, 2, win.VolumeHead)
	m.boots(sample.BootEntry("Skerry 11", `\EFI\skerry\start.efi`, id(80)))
	m.devices(device{
		"Tessaly graphics", "Display", classDisplay, `PCI\VEN_7E5A&DEV_1050`, "30.0.1.1", "2-3-2023", "Tessaly", "",
	}, device{"Second card", "Display", classDisplay, `PCI\VEN_7E5A&DEV_1051`, "30.0.1.1", "2-3-2023", "Tessaly", "43"})
	m.adapter("0", 0x1050, 2900)
	m.ok(win.Level, "c100")
	m.displays(false, sample.Display{Name: "Bad cable", Wrong: true})
	return m
}

// oldDesktop: an older processor, no TPM of any sort, files that wait to be
// renamed, TPM services switched off, a system on a medium to carry about: no.
func oldDesktop() *machine {
	m := windowsBase("SANDP-101", false,
		sample.PC{
			Firmware:   "Plover Firmware",
			Version:    "0.41",
			Date:       "02/11/13",
			Maker:      "Ostrel",
			Product:    "Bollard 100",
			Serial:     "System Serial Number",
			UUID:       "03000200-0400-0500-0006-000700080009",
			BoardMaker: "Ostrel",
			Board:      "OB-100",
			Chassis:    0x83,
			Processor:  "Corvane K5-6500",
			Slots:      2,
			MaxGiB:     16,
			Modules: []sample.Module{
				{Slot: "Slot A", MiB: 4096, Type: ddr3, Form: dimm, Speed: 1600}, {Slot: "Slot B"},
			},
		},
		sample.CPU{Vendor: corvane, Name: "Corvane K5-6500 CPU @ 3.20GHz", Family: 6, Model: 94, Stepping: 3,
			Old: true},
		4, 4, 4010)
	m.ok(win.Version, sample.U32(20)+sample.U32(10)+sample.U32(4)+sample.U32(2209)+sample.U32(2))
	m.key(win.KeyVersion, "ProductName", "Skerry 10", "EditionID", "Office", "CurrentBuildNumber", "2210")
	m.no(capture.Absent, 2, win.View64.Value(win.KeyVersion, "UBR"))
	m.no(capture.NotExposed, 127, win.FirmwareType, win.SecureBoot, win.Isolation, win.Variable("SecureBoot"),
		win.Variable("BootOrder"))
	m.ok(win.BootInfo, sample.Zeros(16)+sample.U32(1)+sample.Zeros(12))
	m.no(capture.Failed, 0x80284008, win.TBS)
	m.disks(disk{
		model: "Brannock HD 500",
		bus:   3,
		seek:  1,
		bytes: 500107862016,
		mbr:   true,
		kinds: []byte{7, 5, 7},
		parts: []sample.Part{
			{First: 2048, Last: 500000000}, {First: 500000001, Last: 976773167}, {First: 500002049, Last: 976773167},
		},
	})
	m.volume(255_000_000_000, 31_000_000_000, 0)
	m.ok(win.View64.Value(win.KeySession, "PendingFileRenameOperations"),
		sample.U32(7)+sample.Wide("old")+sample.Wide("")+sample.Wide(""))
	m.devices(device{
		"Old graphics", "Display", classDisplay, `PCI\VEN_7E5A&DEV_0001`, "9.18.13.1", "10-5-2013", "Corvane", "",
	})
	m.adapter("0", 0x0001, 1300)
	m.ok(win.Level, "a000")
	m.displays(false, sample.Display{
		Name:     "Gannet 19",
		Width:    1280,
		Height:   1024,
		WideMM:   376,
		HighMM:   301,
		Before14: true,
	})
	return m
}
