package macos_test

import (
	"encoding/hex"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/macos"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

// mac is a capture that a test changes: of a source that is given twice, the last
// one counts.
type mac struct{ *capture.Document }

func (m mac) ok(source, raw string) {
	m.Add(capture.Record{Source: source, Outcome: capture.OK, Raw: capture.Bytes(raw)})
}

func (m mac) no(source, outcome string) { m.Add(capture.Record{Source: source, Outcome: outcome}) }

// sound is a Mac with a chip of its own on which everything answers.
func sound() mac {
	m := mac{&capture.Document{
		Format:   capture.Format,
		TakenAt:  time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC),
		Platform: "macos",
	}}
	for name, v := range map[string]string{
		"kern.hostname":            "HOLM-M01.tidewrack.example\x00",
		"kern.osproductversion":    "8.4\x00",
		"kern.osversion":           "8E201\x00",
		"hw.model":                 "Foldbook10,1\x00",
		"machdep.cpu.brand_string": "Tessaly Strand 2\x00",
		"hw.memsize":               sample.U64(16 << 30),
		"hw.physicalcpu_max":       sample.U32(8),
		"hw.logicalcpu_max":        sample.U32(8),
		"hw.packages":              sample.U32(1),
		"hw.optional.arm64":        sample.U32(1),
		"kern.hv_vmm_present":      sample.U32(0),
	} {
		m.ok(macos.Sysctl(name), v)
	}
	m.ok(macos.VersionFile, `{"ProductName":"Fathom","ProductVersion":"8.4","ProductBuildVersion":"8E201"}`)
	m.ok(macos.Platform.Source(),
		`[{"IOPlatformSerialNumber":"TW7","IOPlatformUUID":"71DE0000-0000-4000-8000-000000000007","manufacturer":"VGVzc2FseQA="}]`)
	m.ok(macos.Hardware.Source(),
		`{"SPHardwareDataType":[{"machine_name":"Foldbook 13","chip_type":"Tessaly Strand 2"}],"SPiBridgeDataType":[{"ibridge_secure_boot":"Full Security"}]}`)
	m.ok(macos.Battery.Source(),
		`[{"BatteryInstalled":true,"CurrentCapacity":80,"MaxCapacity":100,"DesignCapacity":5000,"AppleRawMaxCapacity":4500,"ExternalConnected":true}]`)
	m.ok(macos.RootInfo.Source(),
		`{"APFSContainerSize":494384795648,"APFSContainerFree":51000000000,"FilesystemType":"apfs","APFSPhysicalStores":[{"APFSPhysicalStore":"disk0s2"}]}`)
	m.ok(macos.DiskList.Source(),
		`{"WholeDisks":["disk0"],"AllDisksAndPartitions":[{"DeviceIdentifier":"disk0","Content":"GUID_partition_scheme"}]}`)
	m.ok(macos.DiskInfo("disk0").Source(),
		`{"Size":500277792768,"SolidState":true,"Internal":true,"MediaName":"Strand storage","SMARTStatus":"Verified"}`)
	m.ok(macos.Vault.Source(), "FileVault is On.\n")
	m.ok(macos.Enrolled.Source(), "MDM enrollment: No\n")
	m.ok(macos.Interfaces, "en0 running\n")
	return m
}

// older turns it into one without a chip of its own.
func (m mac) older() {
	m.no(macos.Sysctl("hw.optional.arm64"), capture.NotExposed)
	m.ok(macos.Sysctl("machdep.cpu.vendor"), "CorvaneParts\x00")
	m.ok(macos.Sysctl("machdep.cpu.features"), "SSE4.2 CX16 AVX1.0\x00")
	m.ok(macos.Hardware.Source(), `{"SPHardwareDataType":[{"machine_name":"Deskline 27"}],"SPiBridgeDataType":[]}`)
}

func (m mac) policy(b string) {
	m.ok(macos.Policy.Source(), `{"`+macos.Policy.Keys[0]+`":"`+b+`"}`)
}

func TestVariants(t *testing.T) {
	const policy = "firmware.secure_boot"
	tests := []struct {
		name   string
		change func(mac)
		want   map[string]string
	}{
		{"sound", func(mac) {}, map[string]string{
			"device.class":                 "mac",
			"device.name":                  "HOLM-M01",
			"device.manufacturer":          "Tessaly",
			"firmware.vendor":              "Tessaly",
			"device.form":                  "laptop",
			"os.name":                      "Fathom 8",
			"processor.architecture":       "arm64",
			policy:                         "full",
			"storage.system.disk_bytes":    "500277792768",
			"storage.system.health":        "good",
			"storage.system.kind":          "ssd",
			"power.battery_health_percent": "90",
			"storage.boot.media":           "internal",
		}},
		{"reduced", func(m mac) {
			m.ok(macos.Hardware.Source(), `{"SPiBridgeDataType":[{"ibridge_secure_boot":"Reduced Security"}]}`)
		}, map[string]string{policy: "reduced", "firmware.secure_boot_capable": "true"}},
		{"a policy that nobody knows", func(m mac) {
			m.ok(macos.Hardware.Source(), `{"SPiBridgeDataType":[{"ibridge_secure_boot":"Sideways"}]}`)
		}, map[string]string{policy: "? read-failed", "firmware.secure_boot_capable": "true"}},
		{"updates that the system found", func(m mac) { m.ok(macos.Updates, `{"LastUpdatesAvailable":3}`) },
			map[string]string{"os.pending_updates": "3"}},
		{"no updates", func(m mac) { m.ok(macos.Updates, `{"LastUpdatesAvailable":0}`) },
			map[string]string{"os.pending_updates": "0"}},
		{"half an update", func(m mac) { m.ok(macos.Updates, `{"LastUpdatesAvailable":0.5}`) },
			map[string]string{"os.pending_updates": "? not-offered"}},
		{"fewer updates than none", func(m mac) { m.ok(macos.Updates, `{"LastUpdatesAvailable":-1}`) },
			map[string]string{"os.pending_updates": "? not-offered"}},
		{"a system that never looked", func(m mac) { m.no(macos.Updates, capture.Absent) },
			map[string]string{"os.pending_updates": "? not-offered"}},
		{"updates that cannot be read", func(m mac) { m.no(macos.Updates, capture.Failed) },
			map[string]string{"os.pending_updates": "? read-failed"}},
		{"backups on two places", func(m mac) {
			m.ok(macos.Backups, `{"Destinations":[{"SnapshotDates":["2026-10-02T03:00:00Z","2026-11-21T08:30:00Z"]},`+
				`{"SnapshotDates":["2026-11-05T08:30:00Z","soon"]},{}]}`)
		}, map[string]string{"backup.last_at": "2026-11-21"}},
		{"backups at no time", func(m mac) {
			m.ok(macos.Backups, `{"Destinations":[{"SnapshotDates":["2726-10-02T03:00:00Z","soon"]}]}`)
		}, map[string]string{"backup.last_at": "? read-failed"}},
		{"backups that never ran", func(m mac) { m.ok(macos.Backups, `{"Destinations":[]}`) },
			map[string]string{"backup.last_at": "? not-offered"}},
		{"no backups", func(m mac) { m.no(macos.Backups, capture.Absent) },
			map[string]string{"backup.last_at": "? not-offered"}},
		{"backups that nobody may look at", func(m mac) { m.no(macos.Backups, capture.Denied) },
			map[string]string{"backup.last_at": "? not-offered"}},
		{"backups that cannot be read", func(m mac) { m.no(macos.Backups, capture.Failed) },
			map[string]string{"backup.last_at": "? read-failed"}},
		{"no policy", func(m mac) { m.ok(macos.Hardware.Source(), `{"SPiBridgeDataType":[{}]}`) },
			map[string]string{policy: "? not-offered", "firmware.secure_boot_capable": "true"}},
		{"a security chip, full", func(m mac) { m.older(); m.policy("Ag==") },
			map[string]string{
				policy:               "full",
				"processor.vendor":   "CorvaneParts",
				"processor.features": "sse4.2, cmpxchg16b, avx",
			}},
		{"a security chip, medium", func(m mac) { m.older(); m.policy("AQ==") }, map[string]string{policy: "reduced"}},
		{"a security chip, none", func(m mac) { m.older(); m.policy("AA==") }, map[string]string{policy: "permissive"}},
		{"a security chip without its variable", func(m mac) {
			m.older()
			m.ok(macos.Hardware.Source(), `{"SPiBridgeDataType":[{"ibridge_model_name":"x"}]}`)
		}, map[string]string{policy: "? not-offered", "firmware.secure_boot_capable": "true"}},
		{"a variable of a wrong size", func(m mac) { m.older(); m.policy("AQI=") },
			map[string]string{policy: "off", "firmware.secure_boot_capable": "false"}},
		{"no security chip", func(m mac) { m.older() },
			map[string]string{policy: "off", "firmware.secure_boot_capable": "false"}},
		{"the tool fails", func(m mac) { m.no(macos.Hardware.Source(), capture.Failed) },
			map[string]string{
				policy:            "? read-failed",
				"device.model":    "? read-failed",
				"device.model_id": "Foldbook10,1",
				"processor.name":  "Tessaly Strand 2",
			}},

		{"not encrypted", func(m mac) { m.ok(macos.Vault.Source(), "FileVault is Off.\n") },
			map[string]string{
				"storage.system.encryption.state": "off",
				"storage.system.encryption.kind":  "? not-offered",
			}},
		{"encryption under way", func(m mac) {
			m.ok(macos.Vault.Source(), "FileVault is On.\nEncryption in progress: Percent completed = 7\n")
		}, map[string]string{"storage.system.encryption.state": "? not-offered"}},
		{"the tool answers administrators alone", func(m mac) {
			m.unlocked(capture.NotExposed, "true", "true")
		}, map[string]string{"storage.system.encryption.key_protectors": "? needs-rights"}},
		{"it does not answer an administrator either", func(m mac) {
			m.Elevated = true
			m.unlocked(capture.NotExposed, "true", "true")
		}, map[string]string{"storage.system.encryption.key_protectors": "? not-offered"}},
		{"a partition that may only hold data", func(m mac) {
			m.partitions("Apple_APFS", "Microsoft Basic Data")
		}, map[string]string{"storage.other_systems": "? not-offered"}},
		{"another language", func(m mac) { m.ok(macos.Vault.Source(), "FileVault ist aktiviert.\n") },
			map[string]string{"storage.system.encryption.state": "? not-offered"}},

		{"no container", func(m mac) {
			m.ok(macos.RootInfo.Source(),
				`{"TotalSize":1000,"FreeSpace":400,"ParentWholeDisk":"disk0","FilesystemType":"hfs"}`)
		},
			map[string]string{
				"storage.system.volume_bytes": "1000",
				"storage.system.free_bytes":   "400",
				"storage.system.disk_bytes":   "500277792768",
				"storage.system.filesystem":   "hfs",
			}},
		{"more free than there is",
			func(m mac) { m.ok(macos.RootInfo.Source(), `{"APFSContainerSize":5,"APFSContainerFree":6}`) },
			map[string]string{
				"storage.system.free_bytes": "? not-offered",
				"storage.system.disk_bytes": "? not-offered",
			}},
		{"no disks", func(m mac) { m.ok(macos.DiskList.Source(), `{"WholeDisks":[]}`) },
			map[string]string{"storage.system.disk_bytes": "? not-offered"}},
		{"a hard disk that fails", func(m mac) {
			m.ok(macos.DiskInfo("disk0").Source(),
				`{"TotalSize":7,"SolidState":false,"Internal":true,"SMARTStatus":"Failing"}`)
		},
			map[string]string{
				"storage.system.kind":       "hdd",
				"storage.system.health":     "bad",
				"storage.boot.media":        "internal",
				"storage.system.disk_bytes": "7",
			}},
		{"started from a drive that can be taken away: what is on it is not the machine's", func(m mac) {
			m.ok(macos.DiskInfo("disk0").Source(),
				`{"TotalSize":7,"SolidState":false,"Internal":false,"SMARTStatus":"Failing"}`)
		},
			map[string]string{
				"storage.system.kind":       "? not-offered",
				"storage.system.health":     "? not-offered",
				"storage.boot.media":        "removable",
				"storage.system.disk_bytes": "? not-offered",
				"os.version":                "? not-offered",
				"device.class":              "mac",
			}},

		{"no battery", func(m mac) { m.ok(macos.Battery.Source(), "[]") },
			map[string]string{
				"device.form":           "desktop",
				"power.source":          "mains",
				"power.battery_percent": "? not-offered",
			}},
		{"the battery's tool fails", func(m mac) { m.no(macos.Battery.Source(), capture.Failed) },
			map[string]string{"device.form": "? not-offered", "power.source": "? read-failed"}},
		{"capacities in per cent say nothing of health", func(m mac) {
			m.ok(macos.Battery.Source(),
				`[{"BatteryInstalled":true,"CurrentCapacity":50,"MaxCapacity":100,"DesignCapacity":5000,"ExternalConnected":false}]`)
		},
			map[string]string{
				"power.source":                 "battery",
				"power.battery_percent":        "50",
				"power.battery_health_percent": "? not-offered",
			}},
		{"a virtual machine", func(m mac) { m.ok(macos.Sysctl("kern.hv_vmm_present"), sample.U32(1)) },
			map[string]string{"device.environment": "guest", "device.form": "virtual"}},
		{"managed and in a directory", func(m mac) {
			m.ok(macos.Enrolled.Source(), "Enrolled via DEP: Yes\nMDM enrollment: Yes (User Approved)\n")
			m.ok(macos.Directory.Source(), "")
		}, map[string]string{"os.managed_by": "device management, a directory", "os.account": "directory"}},
		{"an older kernel without a version",
			func(m mac) { m.no(macos.Sysctl("kern.osproductversion"), capture.NotExposed) },
			map[string]string{"os.version": "8.4", "os.build": "8E201"}},
		{"values as a script has them", func(m mac) {
			m.no(macos.Sysctl("hw.memsize"), capture.NotExposed)
			m.ok(macos.SysctlText("hw.memsize"), "8589934592\n")
		}, map[string]string{"memory.installed_bytes": "8589934592"}},
		{"no memory", func(m mac) { m.ok(macos.Sysctl("hw.memsize"), "\x01") },
			map[string]string{"memory.installed_bytes": "? not-offered"}},
		{"no uplink", func(m mac) { m.ok(macos.Interfaces, "en0 down\n") },
			map[string]string{"network.connected": "false"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			m := sound()
			tt.change(m)
			d := macos.Decode(m.Document)
			f := fact.Read(d)
			for name, want := range tt.want {
				r := f.Get(fact.ByName(name).ID)
				got := r.Plain()
				if got != want {
					t.Errorf("%s is %q, want %q (%s)", name, got, want, r.Source)
				}
			}
		})
	}
}

func TestScreens(t *testing.T) {
	m := sound()
	panel := sample.Display{Name: "Deskline 27", Width: 2560, Height: 1440, WideMM: 597, HighMM: 336,
		BitsPerChannel: 10}
	m.ok(macos.Screens.Source(),
		`{"SPDisplaysDataType":[{"sppci_model":"Tessaly Strand 2","spdisplays_mtlgpufamilysupport":"spdisplays_metal3","spdisplays_ndrvs":[
		{"_spdisplays_pixels":"5120 x 2880","spdisplays_connection_type":"spdisplays_internal"},{"_spdisplays_edid":"0x`+hex.EncodeToString([]byte(panel.EDID()))+`"},{"_spdisplays_pixels":"wide"}]},{"sppci_model":"Second"}]}`)
	d := macos.Decode(m.Document)
	g := d.Graphics
	expect.Same(t, "len(g)", len(g), 2)
	expect.Same(t, `g[0].InterfaceLevel.Or("")`, g[0].InterfaceLevel.Or(""), "3")
	expect.That(t, "g[1].InterfaceLevel.IsZero()", g[1].InterfaceLevel.IsZero())
	expect.That(t, `d.GapOf("graphics[1].interface_level") != nil`, d.GapOf("graphics[1].interface_level") != nil)
	s := d.Displays
	expect.Same(t, "len(s)", len(s), 3)
	expect.That(t, "s[0].Internal.Or(false)", s[0].Internal.Or(false))
	expect.Same(t, "s[0].WidthPx.Or(0)", s[0].WidthPx.Or(0), 5120)
	expect.Same(t, `s[1].Name.Or("")`, s[1].Name.Or(""), "Deskline 27")
	expect.That(t, "s[1].DiagonalInches.Or(0) >= 26.9", s[1].DiagonalInches.Or(0) >= 26.9)
	expect.That(t, "s[2].WidthPx.IsZero()", s[2].WidthPx.IsZero())
	if g := d.GapOf("displays[0].diagonal_inches"); g == nil || g.Cause != inventory.NotOffered {
		t.Errorf("%+v", g)
	}
}

func TestTitles(t *testing.T) {
	m := sound()
	m.ok(macos.Asked, "Tidebook\nHawser\nCounterfoil")
	m.ok(macos.Applications+"/", "Tidebook.app\nLampwright.app\nnotes.txt\nHawser.app\nCounterfoil.app")
	m.ok(macos.Receipt("Tidebook.app"), "")
	m.no(macos.Receipt("Hawser.app"), capture.Absent)
	m.no(macos.Receipt("Counterfoil.app"), capture.Denied)
	m.ok(macos.Title("Tidebook.app"), `{"CFBundleVersion":"41","CFBundleIdentifier":"example.tidewrack.tidebook"}`)
	d := macos.Decode(m.Document)
	expect.Same(t, "len(d.Software)", len(d.Software), 3)
	for i, want := range []string{"store", "not-store", ""} {
		expect.Same(t, d.Software[i].Name+" comes from", d.Software[i].Source.Or(""), want)
	}
	expect.Same(t, "d.Software[0].Name", d.Software[0].Name, "Tidebook")
	expect.Same(t, "its product code", d.Software[0].Code.Or(""), "example.tidewrack.tidebook")
	expect.Same(t, `d.Software[0].Version.Or("")`, d.Software[0].Version.Or(""), "41")
}

// A source that fails never stays a value.
func TestEverySourceCanFail(t *testing.T) {
	for _, r := range sound().Records {
		for _, outcome := range []string{capture.Denied, capture.Failed, capture.NotExposed} {
			m := sound()
			m.no(r.Source, outcome)
			for name, from := range macos.Decode(m.Document).Sources {
				// that it is not there says something too
				alsoOther := slices.Contains([]string{"os.architecture", "processor.architecture"}, name)
				if strings.HasPrefix(from, r.Source) && !alsoOther {
					t.Errorf("%s is %s, and %s is still known from it", r.Source, outcome, name)
				}
			}
		}
	}
}

// What unlocks the volume, and other systems: lists that the tools do not tell the whole of.
func TestListsThatMayLackSome(t *testing.T) {
	for _, c := range []struct {
		name, fact, want string
		change           func(mac)
	}{
		{"a password and both keys for recovery", "storage.system.encryption.key_protectors", "passphrase recovery-key",
			func(m mac) { m.unlocked(capture.OK, "true", "true") }},
		{"no password, and the key of whoever manages it", "storage.system.encryption.key_protectors", "recovery-key",
			func(m mac) { m.unlocked(capture.Absent, "false", "true") }},
		{"nothing that the tool tells of", "storage.system.encryption.key_protectors", "",
			func(m mac) { m.unlocked(capture.Absent, "false", "false") }},
		{"a partition for the root of another system", "storage.other_systems", "a root partition of Linux",
			func(m mac) { m.partitions("EFI", "4F68BCE3-E8CD-4DB1-96E7-FBCAF984B709") }},
	} {
		t.Run(c.name, func(t *testing.T) {
			m := sound()
			c.change(m)
			d := macos.Decode(m.Document)
			lists := map[string][]string{
				"storage.system.encryption.key_protectors": d.Storage.System.Encryption.Protectors,
				"storage.other_systems":                    d.Storage.OtherSystems,
			}
			expect.Same(t, c.fact, strings.Join(lists[c.fact], " "), c.want)
			if d.GapOf(c.fact) == nil {
				t.Errorf("%s is said to be whole", c.fact)
			}
		})
	}
}

// unlocked is what the tool says of who and what unlocks the volume.
func (m mac) unlocked(users, own, managed string) {
	m.Add(capture.Record{Source: macos.VaultUsers.Source(), Outcome: users, Errno: 1})
	m.ok(macos.VaultKey.Source(), own)
	m.ok(macos.VaultManaged.Source(), managed)
}

// partitions are those of its disk, by the names that the tool has for their types.
func (m mac) partitions(types ...string) {
	list := make([]string, len(types))
	for i, t := range types {
		list[i] = `{"Content":"` + t + `"}`
	}
	m.ok(macos.DiskList.Source(), `{"WholeDisks":["disk0"],"AllDisksAndPartitions":[{"DeviceIdentifier":"disk0",`+
		`"Content":"GUID_partition_scheme","Partitions":[`+strings.Join(list, ",")+`]}]}`)
}
