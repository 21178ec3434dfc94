package recorded_test

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/redact"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/standin/recorded"
	"rolltop.example/rolltop/internal/standin/recorded/machines"
)

func decoded(t *testing.T, name string) *inventory.Document {
	t.Helper()
	c, err := recorded.Read(name)
	if err != nil {
		t.Fatal(err)
	}
	d, err := decode.Inventory(c)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// The files are what the descriptions make.
func TestCapturesAreFresh(t *testing.T) {
	all, err := machines.Make()
	if err != nil {
		t.Fatal(err)
	}
	names := every()
	if len(all) != len(names) {
		t.Errorf("%d machines are described, %d files are there; run make generate", len(all), len(names))
	}
	for file, want := range all {
		got, err := recorded.Source(strings.TrimSuffix(file, ".json"))
		if err != nil || string(got) != string(want) {
			t.Errorf("%s is not what its description makes (%v); run make generate", file, err)
		}
	}
}

// every machine that is recorded.
func every() []string { return slices.Concat(recorded.Names(), recorded.Unusual()) }

// want are facts as they are to be read: the value, or ? and the cause of the
// gap. They were written by hand from the machines' descriptions.
var want = map[string]map[string]string{
	"LANT-101": {
		"device.name":                     "LANT-101",
		"device.serial":                   "TW4410117",
		"device.uuid":                     "5b1e6f00-11aa-4c01-9d00-0000004410aa",
		"device.form":                     "laptop",
		"device.board.model":              "OS-14B",
		"os.version":                      "11.2.4104",
		"os.build":                        "4104.18",
		"os.architecture":                 "x86-64",
		"os.pending_restart":              "false",
		"processor.name":                  "Corvane K5-11350U",
		"processor.cores":                 "4",
		"processor.threads":               "8",
		"processor.rated_mhz":             "2400",
		"memory.installed_bytes":          "17179869184",
		"memory.slots":                    "2",
		"memory.slots_used":               "2",
		"storage.system.disk_bytes":       "512110190592",
		"storage.system.kind":             "ssd",
		"storage.system.partition_style":  "gpt",
		"storage.system.free_bytes":       "143000000000",
		"storage.system.encryption.state": "on",
		"storage.boot.esp.loader":         "true",
		"firmware.boot_mode":              "uefi",
		"firmware.uefi_bits":              "64",
		"firmware.secure_boot":            "on",
		"firmware.secure_boot_capable":    "true",
		"tpm.state":                       "ready",
		"tpm.version":                     "2.0",
		"tpm.manufacturer":                "CORV",
		"tpm.firmware":                    "7.2.0.0",
		"power.source":                    "battery",
		"power.battery_percent":           "72",
		"security.vbs":                    "running",
	},
	"GULL-101": {
		"firmware.boot_mode":              "legacy",
		"firmware.uefi_capable":           "true",
		"firmware.secure_boot":            "inactive",
		"firmware.secure_boot_capable":    "? not-offered",
		"storage.system.partition_style":  "mbr",
		"storage.system.encryption.state": "? needs-rights",
		"tpm.state":                       "ready",
		"tpm.version":                     "1.2",
		"tpm.firmware":                    "4.32",
		"os.managed_by":                   "a directory, an update server",
		"os.held_at":                      "11.2",
		"os.account":                      "directory",
		"os.pending_restart":              "true",
		"memory.free_slots":               "2",
		"processor.rated_mhz":             "2800",
	},
	"NSLIP-101": {
		"storage.boot.disk":               "disk 0",
		"storage.system.disk_bytes":       "256060514304",
		"storage.system.kind":             "ssd",
		"memory.installed_bytes":          "12884901888",
		"firmware.secure_boot":            "off",
		"firmware.secure_boot_capable":    "true",
		"firmware.password":               "set",
		"storage.system.encryption.state": "off",
		"processor.family":                "23",
		"processor.model":                 "113",
	},
	"CORB-101": {
		"firmware.secure_boot":      "setup",
		"tpm.state":                 "? read-failed",
		"tpm.version":               "? not-offered",
		"storage.system.kind":       "? not-offered",
		"storage.system.disk_bytes": "240057409536",
		"device.form":               "desktop",
	},
	"HOLM-101": {
		"os.architecture":         "x86",
		"processor.architecture":  "x86-64",
		"firmware.uefi_bits":      "32",
		"storage.system.kind":     "emmc",
		"memory.soldered":         "true",
		"memory.installed_bytes":  "2147483648",
		"device.serial":           "? not-offered",
		"device.uuid":             "? not-offered",
		"storage.boot.esp.loader": "? needs-rights",
		"storage.other_systems":   "? needs-rights",
		"device.form":             "tablet",
	},
	"NSLIP-102": {
		"device.environment":  "guest",
		"device.hypervisor":   "BoathouseHyp",
		"device.form":         "virtual",
		"tpm.kind":            "virtual",
		"storage.system.kind": "virtual",
		"tpm.state":           "ready",
	},
	"NARR-101": {
		"os.architecture":                 "arm64",
		"processor.architecture":          "arm64",
		"processor.name":                  "Tessaly Strand 2",
		"processor.vendor":                "Tessaly",
		"processor.features":              "? not-offered",
		"tpm.kind":                        "firmware",
		"os.managed_by":                   "device management",
		"storage.system.encryption.state": "on",
	},
	"EELG-101": {
		"firmware.secure_boot":            "? disagree",
		"tpm.state":                       "not-ready",
		"storage.system.disk_bytes":       "? not-offered",
		"storage.boot.dynamic":            "true",
		"storage.boot.esp.loader":         "false",
		"memory.slots":                    "? read-failed",
		"memory.installed_bytes":          "68719476736",
		"storage.system.encryption.state": "? not-offered",
		"device.serial":                   "TW9910300",
	},
	"SANDP-101": {
		"os.build":              "? disagree",
		"os.pending_restart":    "? not-offered",
		"firmware.boot_mode":    "legacy",
		"firmware.uefi_capable": "? not-offered",
		"tpm.state":             "? read-failed",
		"processor.features":    "pae, sse2, sse3, cmpxchg16b, lahf, nx",
		"storage.system.kind":   "hdd",
		"device.uuid":           "? not-offered",
		"firmware.date":         "? not-offered",
		"security.vbs":          "? not-offered",
	},
	"EELG-102": {
		"storage.system.disk_bytes":       "256060514304",
		"storage.system.kind":             "ssd",
		"storage.system.partition_style":  "gpt",
		"storage.system.encryption.state": "on",
		"storage.system.encryption.kind":  "luks",
		"storage.boot.disk":               "nvme0n1",
		"tpm.state":                       "ready",
		"tpm.version":                     "2.0",
		"tpm.kind":                        "firmware",
		"tpm.manufacturer":                "CORV",
		"firmware.secure_boot":            "on",
		"memory.installed_bytes":          "8589934592",
		"power.battery_health_percent":    "82",
		"os.name":                         "Lodestar Linux 12",
	},
	"OUTER-101": {
		"storage.system.disk_bytes":       "? not-offered",
		"firmware.boot_mode":              "legacy",
		"tpm.state":                       "not-seen",
		"memory.installed_bytes":          "8589934592",
		"memory.slots_used":               "3",
		"device.form":                     "desktop",
		"storage.system.encryption.state": "off",
	},
	"NSLIP-M51": {
		"device.class":                    "mac",
		"device.name":                     "NSLIP-M51",
		"device.model_id":                 "Foldbook10,1",
		"device.model":                    "Foldbook 13",
		"device.serial":                   "TWM0051AA",
		"device.form":                     "laptop",
		"os.name":                         "Fathom 8",
		"os.version":                      "8.4",
		"os.build":                        "8E201",
		"os.architecture":                 "arm64",
		"processor.name":                  "Tessaly Strand 2",
		"processor.vendor":                "Tessaly",
		"processor.cores":                 "8",
		"processor.rated_mhz":             "? not-offered",
		"memory.installed_bytes":          "17179869184",
		"memory.slots":                    "? not-offered",
		"storage.system.disk_bytes":       "500277792768",
		"storage.system.kind":             "ssd",
		"storage.system.health":           "good",
		"storage.system.free_bytes":       "212000000000",
		"storage.system.partition_style":  "gpt",
		"storage.system.encryption.state": "on",
		"firmware.secure_boot":            "full",
		"firmware.secure_boot_capable":    "true",
		"firmware.version":                "8401.61",
		"os.managed_by":                   "device management",
		"power.source":                    "battery",
		"power.battery_percent":           "81",
		"power.battery_health_percent":    "92",
		"network.connected":               "true",
	},
	"GULL-M51": {
		"os.architecture":                 "x86-64",
		"processor.vendor":                "CorvaneParts",
		"processor.rated_mhz":             "2900",
		"processor.threads":               "16",
		"firmware.secure_boot":            "reduced",
		"storage.system.encryption.state": "? not-offered",
		"device.form":                     "desktop",
		"power.source":                    "mains",
		"processor.features": "pae, sse2, sse3, ssse3, fma, cmpxchg16b, sse4.1, sse4.2, movbe, popcnt, " +
			"aes, xsave, avx, f16c, bmi1, avx2, bmi2, nx, lahf, lzcnt, prefetchw",
	},
	"LANT-M51": {
		"os.version":                      "7.6",
		"firmware.secure_boot":            "off",
		"firmware.secure_boot_capable":    "false",
		"memory.installed_bytes":          "8589934592",
		"memory.slots":                    "2",
		"storage.system.disk_bytes":       "? not-offered",
		"storage.system.encryption.state": "off",
		"os.managed_by":                   "a directory",
		"os.account":                      "directory",
		"power.battery_percent":           "75",
		"power.battery_health_percent":    "80",
	},
}

func TestRecordedMachines(t *testing.T) {
	if got, have := slices.Sorted(maps.Keys(want)), recorded.Names(); !slices.Equal(got,
		slices.Sorted(slices.Values(have))) {
		t.Errorf("expected are %v, there are %v", got, have)
	}
	for _, name := range recorded.Names() {
		d := decoded(t, name)
		f := fact.Read(d)
		for fn, w := range want[name] {
			def := fact.ByName(fn)
			if def == nil {
				t.Fatalf("there is no fact %s", fn)
			}
			r := f.Get(def.ID)
			got := r.Plain()
			if got != w {
				t.Errorf("%s: %s is %q, want %q (%s)", name, fn, got, w, r.Source)
			}
		}
	}
}

// Nothing is silently missing, every value says where it is from, and the
// inventory is a document that can be read.
func TestRecordedMachinesAreWhole(t *testing.T) {
	for _, name := range every() {
		d := decoded(t, name)
		b, err := json.Marshal(d)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := inventory.Read(name, b); err != nil {
			t.Errorf("%s: its own inventory is refused: %v", name, err)
		}
		f := fact.Read(d)
		for _, def := range fact.All() {
			r := f.Get(def.ID)
			switch {
			case def.Derived || !def.Has(f.Class()):
			case r.Value.Known() && r.Source == "":
				t.Errorf("%s: %s has no source", name, def.Name)
			case !r.Value.Known() && d.GapOf(def.Name) == nil:
				t.Errorf("%s: %s is silently missing", name, def.Name)
			}
		}
	}
}

func TestListsOfRecordedMachines(t *testing.T) {
	d := decoded(t, "LANT-101")
	if got := d.Storage.OtherSystems; !slices.Equal(got, []string{"Lodestar Linux"}) {
		t.Errorf("other systems: %q", got)
	}
	if g := d.GapOf("storage.other_systems"); g == nil || !strings.Contains(g.Detail, "Older Lodestar") {
		t.Errorf("%+v", g)
	}
	var titles []string
	for _, s := range d.Software {
		titles = append(titles, s.Name+" "+s.Version.Or("?")+" "+s.Architecture.Or("-")+" "+s.Source.Or("-"))
	}
	if !slices.Equal(titles, []string{
		"Tidebook 4 4.1.2 - installer", "Hawser VPN 2.8 - installer", "Counterfoil 7.0 x86 installer",
		"Tidewrack.Lampwright 3.4.0.0 x86-64 package",
	}) {
		t.Errorf("software: %q", titles)
	}
	if g := d.GapOf("software"); g == nil || g.Cause != inventory.NotAsked {
		t.Errorf("a list of titles asked for is complete: %+v", g)
	}
	expect.Same(t, "len(d.Displays)", len(d.Displays), 2)
	expect.That(t, "d.Displays[0].Internal.Or(false)", d.Displays[0].Internal.Or(false))
	expect.Same(t, "d.Displays[1].WidthPx.Or(0)", d.Displays[1].WidthPx.Or(0), 2560)
	expect.That(t, "d.Displays[1].DiagonalInches.Or(0) >= 26.9", d.Displays[1].DiagonalInches.Or(0) >= 26.9)
	expect.Same(t, "d.Displays[1].BitsPerChannel.Or(0)", d.Displays[1].BitsPerChannel.Or(0), 10)
	g := d.Graphics
	expect.Same(t, "len(g)", len(g), 1)
	expect.Same(t, `g[0].DriverModel.Or("")`, g[0].DriverModel.Or(""), "2.7")
	expect.Same(t, `g[0].InterfaceLevel.Or("")`, g[0].InterfaceLevel.Or(""), "12.1")
	expect.Same(t, `g[0].DriverDate.Or("")`, g[0].DriverDate.Or(""), "2025-04-21")
	// Two adapters: the level of one of them is nobody's.
	d = decoded(t, "EELG-101")
	expect.Same(t, "len(d.Graphics)", len(d.Graphics), 2)
	expect.That(t, "d.Graphics[0].InterfaceLevel.IsZero()", d.Graphics[0].InterfaceLevel.IsZero())
	expect.That(t, `d.GapOf("graphics[1].interface_level") != nil`, d.GapOf("graphics[1].interface_level") != nil)
	if m := d.Storage.System.Members; len(m) != 2 || m[1].Bytes.Or(0) != 500107862016 {
		t.Errorf("members: %+v", m)
	}
	// A device without a driver is named.
	found := false
	for _, drv := range decoded(t, "NSLIP-101").Drivers {
		found = found || drv.Device == "Card reader" && drv.Status.Or("") == "no driver"
	}
	if !found {
		t.Error("the card reader without a driver is not named")
	}
}

// What names a machine is nowhere in its redacted capture, whatever the
// platform; everything else reads as before, and two captures of one machine
// can still be matched.
func TestRedactedMachines(t *testing.T) {
	key := []byte("a key for the tests")
	for _, name := range every() {
		c, err := recorded.Read(name)
		if err != nil {
			t.Fatal(err)
		}
		before := decoded(t, name)
		hidden := redact.Capture(c, key)
		after, err := decode.Inventory(hidden)
		if err != nil {
			t.Fatal(err)
		}
		all := ""
		for _, r := range hidden.Records {
			all += strings.ToUpper(string(r.Raw)) + "\n"
		}
		for _, personal := range []string{
			before.Device.Name.Or("?"), before.Device.Serial.Or("?"), before.Device.UUID.Or("?"),
		} {
			wide := strings.ToUpper(string(sample.Wide(personal)))
			if personal != "?" {
				if strings.Contains(all, strings.ToUpper(personal)) ||
					strings.Contains(all, wide[:len(wide)-2]) {
					t.Errorf("%s: %s is still in the capture", name, personal)
				}
			}
		}
		if before.Device.Serial.IsZero() != after.Device.Serial.IsZero() ||
			before.Device.UUID.IsZero() != after.Device.UUID.IsZero() {
			t.Errorf("%s: serial %v, UUID %v", name, after.Device.Serial, after.Device.UUID)
		}
		again, _ := decode.Inventory(redact.Capture(c, key))
		expect.Same(t, name+": again.Device.Serial", again.Device.Serial, after.Device.Serial)
		gone := after.Device.Serial != before.Device.Serial || before.Device.Serial.IsZero()
		expect.That(t, name+": the serial number is gone", gone)
		before.Device, after.Device = inventory.Device{}, inventory.Device{}
		for _, d := range []*inventory.Document{before, after} {
			for i := range d.Gaps {
				d.Gaps[i].Detail = "" // at which byte a table broke may differ
			}
		}
		x, _ := json.Marshal(before)
		y, _ := json.Marshal(after)
		if string(x) != string(y) {
			t.Errorf("%s reads differently:\n%s\n%s", name, x, y)
		}
	}
}

// Sources that only fail, lie or end early give an inventory without a crash.
func FuzzInventory(f *testing.F) {
	for _, name := range every() {
		f.Add(name, uint16(3), uint16(7), byte(0xFF))
	}
	f.Fuzz(func(t *testing.T, name string, at, cut uint16, flip byte) {
		c, err := recorded.Read(name)
		if err != nil {
			return
		}
		for i := range c.Records {
			raw := c.Records[i].Raw
			if len(raw) == 0 {
				continue
			}
			raw[int(at)%len(raw)] ^= flip
			c.Records[i].Raw = raw[:len(raw)-int(cut)%len(raw)]
		}
		d, err := decode.Inventory(c)
		if err != nil {
			t.Fatal(err)
		}
		b, err := json.Marshal(d)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := inventory.Read(name, b); err != nil {
			t.Errorf("%s: its own inventory is refused: %v", name, err)
		}
	})
}
