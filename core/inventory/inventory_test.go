package inventory_test

import (
	"encoding/json"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

const smallest = `{"format":"rolltop-inventory/1","taken_at":"2026-11-22T08:14:00Z","os":{"platform":"linux"}`

func TestRoundTrip(t *testing.T) {
	src := smallest + `,"memory":{"installed_bytes":8589934592,"modules":[{"bytes":0}]},"processor":{"features":[]},
		"gaps":[{"fact":"tpm","cause":"needs-rights"}],"sources":{"memory.installed_bytes":"firmware"}}`
	d, err := inventory.Read("a", []byte(src))
	if err != nil {
		t.Fatal(err)
	}
	out, err := json.Marshal(d)
	if err != nil {
		t.Fatal(err)
	}
	again, err := inventory.Read("b", out)
	if err != nil {
		t.Fatalf("what was written is refused: %v\n%s", err, out)
	}
	twice, _ := json.Marshal(again)
	if string(out) != string(twice) {
		t.Errorf("changed on the way:\n%s\n%s", out, twice)
	}
	if strings.Contains(string(out), "null") {
		t.Errorf("a null is in %s", out)
	}
	if !strings.Contains(string(out), `"features":[]`) {
		t.Errorf("an empty list became a missing one: %s", out)
	}
}

func TestBadInventories(t *testing.T) {
	tests := []struct{ name, tail, want string }{
		{"null", `,"memory":{"installed_bytes":null}}`, "the value is empty; give a value, or omit the key"},
		{"negative", `,"memory":{"installed_bytes":-1}}`, "-1 is out of range"},
		{"absurd", `,"memory":{"installed_bytes":99999999999999999}}`, "is out of range"},
		{"unknown key", `,"memroy":{}}`, `did you mean "memory"?`},
		{"unknown word", `,"tpm":{"state":"redy"}}`, `did you mean "ready"?`},
		{"more free than there is", `,"storage":{"system":{"volume_bytes":10,"free_bytes":20}}}`,
			"more space is free than the volume has"},
		{"slots", `,"memory":{"slots":2,"slots_used":3}}`, "more slots are used than there are"},
		{"cores", `,"processor":{"cores":8,"threads":4}}`, "more cores than threads"},
		{"disagree without readings", `,"gaps":[{"fact":"tpm.state","cause":"disagree"}]}`, "needs at least two readings"},
		{"cause", `,"gaps":[{"fact":"tpm.state","cause":"needs-right"}]}`, `did you mean "needs-rights"?`},
		{"gap without fact", `,"gaps":[{"cause":"not-asked"}]}`, `the key "fact" is missing`},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			_, err := inventory.Read("f", []byte(smallest+tt.tail))
			coretest.Refused(t, err, tt.want)
		})
	}
	if _, err := inventory.Read("f",
		[]byte(`{"format":"rolltop-inventory/1","taken_at":"2026-11-22T08:14:00Z"}`)); err == nil ||
		!strings.Contains(err.Error(), "whether this is a PC or a Mac") {
		t.Errorf("without a platform: %v", err)
	}
}

func TestGapOfTakesTheNearest(t *testing.T) {
	d := &inventory.Document{Gaps: []inventory.Gap{
		{Fact: "storage", Cause: "not-offered"}, {Fact: "storage.system", Cause: "needs-rights"},
		{Fact: "tpm.state", Cause: "read-failed"},
	}}
	tests := []struct{ fact, want string }{
		{"storage.system.disk_bytes", "needs-rights"}, {"storage.boot.disk", "not-offered"},
		{"tpm.state", "read-failed"}, {"tpm.version", ""}, {"storagex.y", ""},
	}
	for _, tt := range tests {
		t.Run(tt.fact, func(t *testing.T) {
			got := ""
			if g := d.GapOf(tt.fact); g != nil {
				got = g.Cause
			}
			if got != tt.want {
				t.Errorf("GapOf(%s) = %q, want %q", tt.fact, got, tt.want)
			}
		})
	}
}

func TestNullIsRefusedByTheTypeItself(t *testing.T) {
	var o inventory.Opt[int64]
	if err := json.Unmarshal([]byte("null"), &o); err == nil || !o.IsZero() {
		t.Errorf("null became %v, %v", o, err)
	}
}

func TestTidy(t *testing.T) {
	d := &inventory.Document{Format: inventory.Format, Sources: map[string]string{"processor.family": "x"}}
	d.Device.Name = inventory.Some("gull\x00-014\u0085 ")
	d.Device.Form = inventory.Some("\x07")
	d.Firmware.BootMode = inventory.Some("sideways")
	d.Processor.Family, d.Processor.Model = inventory.Some(int64(-5)), inventory.Some(int64(8))
	d.Processor.Cores, d.Processor.Threads = inventory.Some(int64(8)), inventory.Some(int64(4))
	d.Storage.Disks = []inventory.Disk{{Bytes: inventory.Some(int64(1) << 60)}, {Bytes: inventory.Some(int64(5))}}
	d.Displays = []inventory.Display{{DiagonalInches: inventory.Some(1e9)}}
	d.Drivers = []inventory.Driver{{Device: "a\x1bb"}}
	dropped := d.Tidy()
	want := "device.form processor.family storage.disks[0].bytes firmware.boot_mode displays[0].diagonal_inches " +
		"processor.cores"
	if got := strings.Join(dropped, " "); got != want {
		t.Errorf("dropped %s, want %s", got, want)
	}
	expect.Same(t, `d.Device.Name.Or("")`, d.Device.Name.Or(""), "gull -014")
	expect.Same(t, "d.Processor.Model.Or(0)", d.Processor.Model.Or(0), 8)
	expect.Same(t, "d.Drivers[0].Device", d.Drivers[0].Device, "a b")
	expect.Same(t, "d.Storage.Disks[1].Bytes.Or(0)", d.Storage.Disks[1].Bytes.Or(0), 5)
	expect.Same(t, "len(d.Sources)", len(d.Sources), 0)
	if again := d.Tidy(); len(again) != 0 {
		t.Errorf("a second time: %v", again)
	}
}

// What an inventory may hold is bounded, and a collector keeps within it without a claim
// that what was left out is not installed.
func TestLimits(t *testing.T) {
	head := `{"format":"rolltop-inventory/1","taken_at":"2026-11-20T08:00:00Z","device":{"name":"GULL-001"},"os":{"platform":"windows"}`
	titles := func(n int) string {
		return `,"software":[` + strings.Repeat(`{"name":"Tide Table"},`, n-1) + `{"name":"Tide Table"}]}`
	}
	for _, c := range []struct{ name, text, says string }{
		{"as many rows as there may be", head + titles(inventory.MaxRows), ""},
		{"a row more", head + titles(inventory.MaxRows+1), "the list has 4001 rows"},
		{"too large", head + `,"x":"` + strings.Repeat("x", inventory.MaxBytes) + `"}`, "larger than 1 MiB"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := inventory.Read("gull.json", []byte(c.text))
			expect.Same(t, "(err == nil)", (err == nil), (c.says == ""))
			expect.That(t, "!(err != nil && !strings.Contains(err.Error(), c.says))",
				!(err != nil && !strings.Contains(err.Error(), c.says)))
		})
	}
	d := new(inventory.Document)
	d.Software = make([]inventory.Software, inventory.MaxRows+1)
	d.Tidy()
	expect.That(t, "d.Software == nil", d.Software == nil)
	expect.Same(t, "len(d.Gaps)", len(d.Gaps), 1)
	expect.Same(t, "d.Gaps[0].Fact", d.Gaps[0].Fact, "software")
	expect.That(t, `d.Gaps[0].Try != ""`, d.Gaps[0].Try != "")
}

// A name cannot look like another one by turning its letters round.
func TestCleanTurnsNothing(t *testing.T) {
	for text, want := range map[string]string{
		"GULL\u202e-001": "GULL -001",
		"a\u2066b\u2069": "a b",
		"a\nb":           "a b",
		"Möwe":           "Möwe",
	} {
		t.Run(text, func(t *testing.T) {
			if got := inventory.Clean(text); got != want {
				t.Errorf("%q: %q, want %q", text, got, want)
			}
		})
	}
}

// The system drive is the one that says so.
func TestSystemDrive(t *testing.T) {
	d := &inventory.Document{}
	expect.That(t, "no drive is none", d.SystemDrive() == nil)
	d.Storage.Disks = []inventory.Disk{{}, {System: inventory.Some(false)}, {System: inventory.Some(true)}}
	expect.That(t, "the third is it", d.SystemDrive() == &d.Storage.Disks[2])
	d.Storage.Disks = d.Storage.Disks[:2]
	expect.That(t, "none is it", d.SystemDrive() == nil)
}

// A source is text, whatever name a machine chose for a part of it.
func TestSources(t *testing.T) {
	d := new(inventory.Document)
	d.Said("os.name", "/sys/class/a\x07b\u202Ec\xff/attributes")
	if got := d.Sources["os.name"]; got != "/sys/class/a b c /attributes" {
		t.Errorf("%q", got)
	}
}
