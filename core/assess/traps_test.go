package assess_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
)

// asks is a release with some requirements; a line each: level, consequence
// and need. More of the document may follow.
func asks(t testing.TB, lines []string, more ...string) *release.Release {
	t.Helper()
	src := "format: rolltop-release/1\nid: r\nname: Skerry 12\ninstalls_on: pc\nrevision: 3\npublished: " +
		"2026-06-02\nsource: x\nrequirements:\n"
	for i, l := range lines {
		src += fmt.Sprintf("  - {id: r%d, title: R%d, reason: Because., %s}\n", i, i, l)
	}
	src += strings.Join(more, "\n")
	rel, err := release.Read("r", []byte(src), nil)
	if err != nil {
		t.Fatalf("%v\n%s", err, src)
	}
	return rel
}

func must(need string) string {
	return "level: must, consequence: unsupported, need: " + need
}

// on checks a sound machine that was changed.
func on(t testing.TB, rel *release.Release, change func(*doc)) *assess.Document {
	t.Helper()
	d := sound()
	if change != nil {
		change(d)
	}
	a, err := assess.Run(rel, d)
	if err != nil {
		t.Fatal(err)
	}
	return a.Document(now, "test")
}

func finding(t testing.TB, c *assess.Document, id string) *assess.Finding {
	t.Helper()
	for i := range c.Findings {
		if c.Findings[i].Requirement == id {
			return &c.Findings[i]
		}
	}
	t.Fatalf("no finding %s", id)
	return nil
}

// outcomes is the outcome of every requirement, in the order r0, r1 …
func outcomes(t testing.TB, c *assess.Document, n int) string {
	t.Helper()
	var out []string
	for i := range n {
		out = append(out, finding(t, c, fmt.Sprintf("r%d", i)).Outcome)
	}
	return strings.Join(out, " ")
}

const tpmNeed = `{all: [{fact: tpm.state, equals: ready}, {fact: tpm.version, at_least: "2.0"}]}`

// Every trap of the design, T1 to T29, by its number: what goes wrong in this
// work, and that it does not here.
func TestTraps(t *testing.T) {
	type machine = func(*doc)
	processors := "lists: [{id: p, of: processors, complete: true, naming: [{id: four, reads: [{text: [Corvane " +
		"K5-]}, {generation: 1}, {digits: 3}, {maybe: [U]}], from: 8}, " +
		"{id: five, reads: [{text: [Corvane K5-]}, {generation: 2}, {digits: 3}, {maybe: [U]}], from: 8}, {id: onyx, " +
		"reads: [{text: [Tessaly Onyx 5]}, {generation: 1}, {digits: 3}], from: 3}]}]"
	listed := must("{fact: processor.name, on_list: p}")
	called := func(name string) machine { return func(d *doc) { d.Processor.Name = inventory.Some(name) } }
	tests := []struct {
		name   string
		asks   []string
		more   string
		change machine
		want   string   // outcomes
		says   []string // somewhere in the document
	}{
		{"T1 free space is not capacity",
			[]string{
				must("{fact: storage.system.disk_bytes, at_least: 100 GB}"),
				must("{fact: storage.system.free_bytes, at_least: 28 GB}"),
			}, "",
			func(d *doc) { d.Storage.System.FreeBytes = inventory.Some(int64(12e9)) }, "pass fail",
			[]string{"16 GB more", "the disk itself is large enough"}},
		{"T2 storage fails with limit, reading and shortfall",
			[]string{must("{fact: storage.system.disk_bytes, at_least: 300 GB}")}, "", nil, "fail",
			[]string{"256 GB", "at least 300 GB", "44 GB more", "holds at least 298.5 GB"}},
		{"T3 able and on are two findings",
			[]string{
				must("{fact: firmware.secure_boot_capable, equals: true}"),
				must(`{fact: firmware.secure_boot, equals: "on"}`),
			}, "",
			func(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") }, "pass fail",
			[]string{"Secure boot is off; the firmware supports it."}},
		{"T4 boot mode proves no secure boot",
			[]string{
				must("{fact: firmware.boot_mode, equals: uefi}"), must(`{fact: firmware.secure_boot, equals: "on"}`),
			}, "",
			func(d *doc) { d.Firmware.SecureBoot = inventory.Opt[string]{} }, "pass unknown", nil},
		{"T5 and is not or", []string{
			must(`{all: [{fact: firmware.boot_mode, equals: uefi}, {fact: firmware.secure_boot, equals: "on"}]}`),
			must(`{any: [{fact: firmware.boot_mode, equals: uefi}, {fact: firmware.secure_boot, equals: "on"}]}`)}, "",
			func(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") }, "fail pass", nil},
		{"T6 a TPM that is not seen is not replaced at once", []string{must(tpmNeed)},
			"lists: [{id: p, of: processors, rows: [{name: Corvane K5-9400, built_in_tpm: true}]}]", noTPM, "fail",
			[]string{"most likely turned off in firmware", "Firmware: TPM on"}},
		{"T7 one message does not cover two causes: off", []string{must(tpmNeed)}, "",
			func(d *doc) { d.TPM.State = inventory.Some("off") }, "fail",
			[]string{"The TPM is present but turned off."}},
		{"T7 one message does not cover two causes: not seen", []string{must(tpmNeed)}, "", noTPM, "fail",
			[]string{"Absent and turned off look the same to the system; whether this machine has a TPM is unknown."}},
		{"T8 the setting comes before the part", []string{must(tpmNeed)},
			"lists: [{id: p, of: processors, rows: [{name: Corvane K5-9400, built_in_tpm: true}]}]",
			func(d *doc) { noTPM(d); d.TPM.Header = inventory.Some(true) }, "fail", []string{"Firmware: TPM on"}},
		{"T9 setting and part are either or", []string{must(tpmNeed)},
			"lists: [{id: p, of: processors, rows: [{name: Corvane K5-9400, built_in_tpm: false}]}]",
			func(d *doc) { noTPM(d); d.TPM.Header = inventory.Some(true) }, "fail",
			[]string{"Install a TPM 2.0 module on the board"}},
		{"T10 presence and version are read as one block", []string{must(tpmNeed)}, "",
			func(d *doc) { d.TPM.Version = inventory.Opt[string]{} }, "unknown", []string{"A TPM is present and " +
				"ready."}},
		{"T11 an older version does not count as a TPM", []string{must(tpmNeed)}, "",
			func(d *doc) { d.TPM.Version = inventory.Some("1.2") }, "fail", []string{"of an older version"}},
		{"T12 five digits are a two-digit generation", []string{listed}, processors, called("Corvane K5-10500"), "pass",
			[]string{"generation 10"}},
		{"T12 nobody guesses a name that no rule reads", []string{listed}, processors, called("Corvane K5-105000"),
			"unknown", []string{"The list p has neither a naming rule nor a row for this name"}},
		{"T13 each maker has a rule of its own", []string{listed}, processors, called("Tessaly Onyx 5 3600"), "pass",
			[]string{"generation 3", "rule onyx"}},
		{"T14 generation N or newer includes N", []string{listed}, processors, called("Corvane K5-8400"), "pass",
			[]string{"includes generation 8 and later"}},
		{"T14 the one before does not count", []string{listed}, processors, called("Corvane K5-7400"), "fail",
			[]string{"Its name indicates generation 7"}},
		{"T15 at least is not more than",
			[]string{
				must("{fact: processor.rated_mhz, at_least: 2.9 GHz}"),
				must("{fact: processor.rated_mhz, at_least: 2901 MHz}"),
			}, "", nil, "pass fail", nil},
		{"T16 the list decides, not the generation", []string{listed},
			strings.Replace(processors, "from: 8}, ", "from: 8, except: [Corvane K5-9400]}, ", 1), nil, "fail",
			[]string{"as an unsupported exception"}},
		{"T17 floor and list are two findings, and one decides",
			[]string{must("{fact: processor.rated_mhz, at_least: 1 GHz}"), listed}, processors,
			called("Corvane K5-7400"), "pass fail",
			[]string{
				"The processor is sufficient in this respect; R1 is decisive.",
				"It is fast enough and has enough cores; the list is decisive.",
			}},
		{"T18 age proves nothing", []string{must(tpmNeed)}, "",
			func(d *doc) { d.Firmware.Date = inventory.Some("2025-01-01"); d.TPM = inventory.TPM{} }, "unknown", nil},
		{"T19 only published revisions judge, and drafts say so", []string{must(tpmNeed)}, "draft: true", nil, "pass",
			[]string{"This is a draft of the requirements"}},
		{"T20 a result names release, revision and date", []string{must(tpmNeed)}, "", nil, "pass",
			[]string{`"revision":3`, `"published":"2026-06-02`}},
		{"T21 two alternatives are not both needed, and what satisfied is named",
			[]string{must("{fact: processor.features, has_any: [avx2, sve]}")}, "", nil, "pass",
			[]string{`"has":"avx2"`}},
		{"T22 will not start, refuses and unsupported are told apart",
			[]string{
				"level: must, consequence: will-not-start, need: {fact: processor.cores, at_least: 99}",
				"level: must, consequence: installer-refuses, need: {fact: processor.cores, at_least: 99}",
			}, "", nil, "fail fail",
			[]string{"the system will not start", "the installer refuses"}},
		{"T23 the adapter counts, not the runtime",
			[]string{must(`{in: graphics, some: {fact: graphics.interface_level, at_least: "11.1"}}`)}, "",
			func(d *doc) {
				d.Software = []inventory.Software{{Name: "Graphics runtime", Version: inventory.Some("12.0")}}
			},
			"unknown", nil},
		{"T24 no driver cures an adapter that cannot",
			[]string{must(`{in: graphics, some: {fact: graphics.interface_level, at_least: "11.1"}}`)}, "",
			func(d *doc) {
				d.Device.Form = inventory.Some("laptop")
				d.Graphics[0].InterfaceLevel = inventory.Some("10.0")
			}, "fail", []string{"Replace the machine"}},
		{"T24 a driver can cure an old driver model",
			[]string{must(`{in: graphics, some: {fact: graphics.driver_model, at_least: "3.0"}}`)}, "", nil, "fail",
			[]string{"Update the graphics driver"}},
		{"T25 every display is looked at: some",
			[]string{
				must("{in: displays, some: {fact: displays.diagonal_inches, at_least: 9 in}}"),
				must("{in: displays, every: {fact: displays.diagonal_inches, at_least: 9 in}}"),
			}, "",
			func(d *doc) {
				d.Displays = []inventory.Display{
					{
						Name:           inventory.Some("Small"),
						DiagonalInches: inventory.Some(7.0),
					}, {Name: inventory.Some("Large"), DiagonalInches: inventory.Some(24.0)},
				}
			}, "pass fail", []string{"Small does not have diagonal of at least 9 in"}},
		{"T26 no overall pass while a must is unknown",
			[]string{must("{fact: processor.cores, at_least: 2}"), must(tpmNeed)}, "",
			func(d *doc) { d.TPM = inventory.TPM{} }, "pass unknown",
			[]string{`"disposition":"undetermined"`, `"read":1,"needed":3`}},
		{"T27 never a bare yes or no", []string{must("{fact: processor.cores, at_least: 2}"), must(tpmNeed)}, "", nil,
			"pass pass", []string{`"disposition":"ready"`}},
		{"T28 a pass has its evidence", []string{must("{fact: processor.cores, at_least: 2}")}, "",
			func(d *doc) { d.Sources = map[string]string{"processor.cores": "CPUID"} }, "pass",
			[]string{`"source":"CPUID"`, `"truth":"true"`}},
		{"T29 two programs that disagree must be settled",
			[]string{must("{fact: memory.installed_bytes, at_least: 6 GiB}")}, "",
			func(d *doc) { disagree(d, "4294967296", "8589934592") }, "unknown",
			[]string{"Sources conflict on installed memory", `"conflict":true`}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := on(t, asks(t, tt.asks, tt.more), tt.change)
			if got := outcomes(t, c, len(tt.asks)); got != tt.want {
				t.Errorf("%s, want %s", got, tt.want)
			}
			speaks(t, plain(t, c), tt.says, nil)
		})
	}
}

// speaks fails where a text does not say something, or says what it never may.
func speaks(t *testing.T, text string, says, never []string) {
	t.Helper()
	for _, s := range says {
		if !strings.Contains(text, s) {
			t.Errorf("nothing says %q in\n%.3000s", s, text)
		}
	}
	for _, s := range never {
		if strings.Contains(text, s) {
			t.Errorf("it says %q", s)
		}
	}
}
