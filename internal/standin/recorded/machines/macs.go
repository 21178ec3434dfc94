package machines

import (
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/macos"
	"rolltop.example/rolltop/core/decode/sample"
)

func macMachines() []*machine {
	return []*machine{newMac(), macWithSecurityChip(), olderMac()}
}

type group = map[string]any

// says keeps what a tool said, as [macos.Trim] leaves it.
func (m *machine) says(t macos.Tool, v any) {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err) // a description that is none
	}
	m.ok(t.Source(), string(b))
}

// mac is what differs from one Mac to the other.
type mac struct {
	name, model, title, serial, chip, arch, version, build string
	cores, threads, packages                               uint32
	gib                                                    uint64
	battery                                                group
}

func macBase(x mac) *machine {
	m := begin(x.name, "macos", false)
	for name, text := range map[string]string{
		"kern.hostname":            x.name + ".tidewrack.example",
		"kern.osproductversion":    x.version,
		"kern.osversion":           x.build,
		"hw.model":                 x.model,
		"machdep.cpu.brand_string": x.chip,
	} {
		m.ok(macos.Sysctl(name), text+"\x00")
	}
	for name, n := range map[string]uint32{
		"hw.packages":         x.packages,
		"hw.physicalcpu_max":  x.cores,
		"hw.logicalcpu_max":   x.threads,
		"kern.hv_vmm_present": 0,
	} {
		m.ok(macos.Sysctl(name), sample.U32(n))
	}
	m.ok(macos.Sysctl("hw.memsize"), sample.U64(x.gib<<30))
	if x.arch == "arm64" {
		m.ok(macos.Sysctl("hw.optional.arm64"), sample.U32(1))
		m.no(capture.NotExposed, 2, macos.Sysctl("hw.cpufrequency_max"))
		m.no(capture.Absent, 0, macos.Tables.Source(), macos.Policy.Source())
	} else {
		m.no(capture.NotExposed, 2, macos.Sysctl("hw.optional.arm64"))
		m.ok(macos.Sysctl("machdep.cpu.vendor"), corvane+"\x00")
		m.ok(macos.Sysctl("machdep.cpu.family"), sample.U32(6))
		m.ok(macos.Sysctl("machdep.cpu.model"), sample.U32(142))
		m.ok(macos.Sysctl("machdep.cpu.stepping"), sample.U32(10))
		m.ok(macos.Sysctl("machdep.cpu.features"),
			"FPU PAE SSE2 SSE3 SSSE3 FMA CX16 SSE4.1 SSE4.2 MOVBE POPCNT AES XSAVE AVX1.0 F16C\x00")
		m.ok(macos.Sysctl("machdep.cpu.leaf7_features"), "BMI1 AVX2 BMI2\x00")
		m.ok(macos.Sysctl("machdep.cpu.extfeatures"), "SYSCALL XD EM64T LAHF LZCNT PREFETCHW\x00")
	}
	m.says(macos.Platform, []any{group{
		"IOPlatformSerialNumber": x.serial,
		"IOPlatformUUID":         "71DE0000-0000-4000-8000-0000" + fmt.Sprintf("%x", x.serial[3:7]),
		"manufacturer":           base64.StdEncoding.EncodeToString([]byte("Tessaly\x00")),
	}})
	if x.battery != nil {
		m.says(macos.Battery, []any{x.battery})
	} else {
		m.says(macos.Battery, []any{})
	}
	m.ok(macos.Enrolled.Source(), "Enrolled via DEP: No\nMDM enrollment: No\n")
	m.no(capture.Absent, 0, macos.Directory.Source())
	m.no(capture.NotExposed, 1, macos.VaultUsers.Source(), macos.VaultKey.Source(), macos.VaultManaged.Source())
	m.ok(macos.Interfaces, "en0 running\nen1 down\n")
	m.ok(macos.VersionFile, `{"ProductName":"Fathom","ProductVersion":"`+x.version+`","ProductBuildVersion":"`+x.build+
		`"}`)
	return m
}

// container is the volume that a Mac runs from.
func (m *machine) container(total, free uint64, stores ...string) {
	list := []any{}
	for _, s := range stores {
		list = append(list, group{"APFSPhysicalStore": s})
	}
	m.says(macos.RootInfo, group{
		"APFSContainerSize":  total,
		"APFSContainerFree":  free,
		"FilesystemType":     "apfs",
		"ParentWholeDisk":    "disk3",
		"APFSPhysicalStores": list,
	})
}

type macDisk struct {
	name, media, bus, health string
	bytes                    uint64
	solid, inside            bool
	scheme                   string
}

func (m *machine) macDisks(list ...macDisk) {
	names, all := []any{}, []any{}
	for _, d := range list {
		names = append(names, d.name)
		all = append(all, group{"DeviceIdentifier": d.name, "Content": d.scheme, "Size": d.bytes})
		m.says(macos.DiskInfo(d.name),
			group{
				"DeviceIdentifier": d.name,
				"Size":             d.bytes,
				"SolidState":       d.solid,
				"BusProtocol":      d.bus,
				"Internal":         d.inside,
				"MediaName":        d.media,
				"SMARTStatus":      d.health,
			})
	}
	m.says(macos.DiskList, group{"WholeDisks": names, "AllDisksAndPartitions": all})
}

const gptScheme = "GUID_partition_scheme"

// newMac: a chip of its own, everything on.
func newMac() *machine {
	m := macBase(mac{
		name:     "NSLIP-M51",
		model:    "Foldbook10,1",
		title:    "Foldbook 13",
		serial:   "TWM0051AA",
		chip:     "Tessaly Strand 2",
		arch:     "arm64",
		version:  "8.4",
		build:    "8E201",
		cores:    8,
		threads:  8,
		packages: 1,
		gib:      16,
		battery: group{
			"BatteryInstalled":    true,
			"CurrentCapacity":     81,
			"MaxCapacity":         100,
			"DesignCapacity":      5000,
			"AppleRawMaxCapacity": 4600,
			"ExternalConnected":   false,
		},
	})
	m.says(macos.Hardware, group{"SPHardwareDataType": []any{group{
		"machine_name":     "Foldbook 13",
		"chip_type":        "Tessaly Strand 2",
		"boot_rom_version": "8401.61",
	}}, "SPiBridgeDataType": []any{group{"ibridge_secure_boot": "Full Security"}}})
	m.says(macos.Screens, group{"SPDisplaysDataType": []any{group{
		"sppci_model":                    "Tessaly Strand 2",
		"spdisplays_mtlgpufamilysupport": "spdisplays_metal3",
		"spdisplays_ndrvs": []any{group{
			"_spdisplays_pixels": "2560 x 1664", "spdisplays_connection_type": "spdisplays_internal",
		}},
	}}})
	m.macDisks(macDisk{"disk0", "Strand storage", "Fabric", "Verified", 500277792768, true, true, gptScheme})
	m.container(494384795648, 212_000_000_000, "disk0s2")
	m.ok(macos.Vault.Source(), "FileVault is On.\n")
	m.ok(macos.Enrolled.Source(), "Enrolled via DEP: Yes\nMDM enrollment: Yes (User Approved)\n")
	m.ok(macos.Asked, "*")
	m.ok(macos.Applications+"/", "Tidebook.app\nLampwright.app")
	m.ok(macos.Title("Tidebook.app"), `{"CFBundleName":"Tidebook","CFBundleShortVersionString":"4.1.2"}`)
	m.ok(macos.Title("Lampwright.app"), `{"CFBundleName":"Lampwright","CFBundleVersion":"3108"}`)
	m.ok(macos.Receipt("Lampwright.app"), "")
	m.no(capture.Absent, 2, macos.Receipt("Tidebook.app"))
	m.ok(macos.Updates, `{"LastUpdatesAvailable":2}`)
	m.ok(macos.Backups, `{"Destinations":[{"SnapshotDates":["2026-09-30T19:00:00Z","2026-10-09T19:00:00Z"]}]}`)
	return m
}

// macWithSecurityChip: start-up reduced, encryption under way, an external disk
// beside it.
func macWithSecurityChip() *machine {
	m := macBase(mac{
		name:     "GULL-M51",
		model:    "Deskline3,1",
		title:    "Deskline 27",
		serial:   "TWM0151BB",
		chip:     "Corvane K7-10700 CPU @ 2.90GHz",
		version:  "8.4",
		build:    "8E201",
		cores:    8,
		threads:  16,
		packages: 1,
		gib:      32,
	})
	m.ok(macos.Sysctl("hw.cpufrequency_max"), sample.U64(2_900_000_000))
	m.no(capture.NotExposed, 0, macos.Tables.Source())
	m.says(macos.Hardware, group{"SPHardwareDataType": []any{group{
		"machine_name": "Deskline 27", "boot_rom_version": "1968.140",
	}}, "SPiBridgeDataType": []any{group{"ibridge_model_name": "Security chip 2"}}})
	m.says(macos.Policy, group{macos.Policy.Keys[0]: base64.StdEncoding.EncodeToString([]byte{1})})
	screen := sample.Display{
		Name:           "Deskline 27",
		Width:          2560,
		Height:         1440,
		WideMM:         597,
		HighMM:         336,
		BitsPerChannel: 10,
	}
	m.says(macos.Screens, group{"SPDisplaysDataType": []any{group{
		"sppci_model":                    "Tessaly Halyard 5",
		"spdisplays_mtlgpufamilysupport": "spdisplays_metal2",
		"spdisplays_ndrvs": []any{group{
			"_spdisplays_pixels":         "5120 x 2880",
			"_spdisplays_edid":           "0x" + hex.EncodeToString([]byte(screen.EDID())),
			"spdisplays_connection_type": "spdisplays_internal",
		}},
	}}})
	m.macDisks(macDisk{"disk0", "Fabric storage", "Fabric", "Verified", 251000193024, true, true, gptScheme},
		macDisk{
			"disk4", "Brannock HD 2000", "USB", "Not Supported", 2000398934016, false, false, "FDisk_partition_scheme",
		})
	m.container(250685575168, 18_000_000_000, "disk0s2")
	m.ok(macos.Vault.Source(), "FileVault is On.\nEncryption in progress: Percent completed = 41\n")
	return m
}

// olderMac: no security chip, memory in slots, a volume over a small and a
// large drive, an earlier release, joined to a directory.
func olderMac() *machine {
	m := macBase(mac{
		name:     "LANT-M51",
		model:    "Foldbook6,2",
		title:    "Foldbook 13",
		serial:   "TWM0251CC",
		chip:     "Corvane K5-6267U CPU @ 2.90GHz",
		version:  "7.6",
		build:    "7G310",
		cores:    2,
		threads:  4,
		packages: 1,
		gib:      8,
		battery: group{
			"BatteryInstalled":  true,
			"CurrentCapacity":   3000,
			"MaxCapacity":       4000,
			"DesignCapacity":    5000,
			"ExternalConnected": true,
		},
	})
	m.ok(macos.Sysctl("hw.cpufrequency_max"), sample.U64(2_900_000_000))
	table := sample.PC{
		Firmware: "Plover Firmware",
		Version:  "4.0",
		Date:     "06/30/2019",
		UEFI:     true,
		Maker:    "Tessaly",
		Product:  "Foldbook6,2",
		Serial:   "TWM0251CC",
		Chassis:  9,
		Slots:    2,
		MaxGiB:   16,
		Modules: []sample.Module{
			{Slot: "Bank 0", MiB: 4096, Type: ddr3, Form: sodimm, Speed: 1600},
			{Slot: "Bank 1", MiB: 4096, Type: ddr3, Form: sodimm, Speed: 1600},
		},
	}.Tables()
	m.says(macos.Tables, []any{group{"SMBIOS": base64.StdEncoding.EncodeToString([]byte(table))}})
	m.says(macos.Hardware, group{"SPHardwareDataType": []any{group{
		"machine_name": "Foldbook 13", "boot_rom_version": "428.0",
	}}, "SPiBridgeDataType": []any{}})
	m.no(capture.NotExposed, 1, macos.Policy.Source())
	m.says(macos.Screens, group{"SPDisplaysDataType": []any{group{
		"sppci_model": "Corvane graphics", "spdisplays_ndrvs": []any{},
	}}})
	m.macDisks(macDisk{"disk0", "Brannock SD 128", "SATA", "Verified", 121332826112, true, true, gptScheme},
		macDisk{"disk1", "Brannock HD 1000", "SATA", "Failing", 1000204886016, false, true, gptScheme})
	m.container(1120333979648, 640_000_000_000, "disk0s2", "disk1s2")
	m.ok(macos.Vault.Source(), "FileVault is Off.\n")
	m.ok(macos.Directory.Source(), "")
	return m
}
