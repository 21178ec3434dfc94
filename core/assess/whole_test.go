package assess_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

func TestMacs(t *testing.T) {
	rel := coretest.Release(t, "fathom-9")
	tests := []struct {
		name        string
		change      func(*doc)
		disposition string
		plan        string
	}{
		{"listed", func(*doc) {}, "ready", ""},
		{"not listed", func(d *doc) { d.Device.ModelID = inventory.Some("Foldbook6,2") }, "replace", "replace"},
		{"T58 the exact identifier decides, and not one that is like it",
			func(d *doc) { d.Device.ModelID = inventory.Some("Foldbook9,10") }, "replace", "replace"},
		{"interim release", func(d *doc) {
			d.OS.Name = inventory.Some("Fathom 7")
			d.OS.Version = inventory.Some("7.6")
		}, "reconfigure",
			"interim"},
		{"start-up security", func(d *doc) { d.Firmware.SecureBoot = inventory.Some("permissive") }, "reconfigure",
			"recovery-key mac-security check-again"},
		{"space", func(d *doc) { d.Storage.System.FreeBytes = inventory.Some(int64(10e9)) }, "reconfigure",
			"free-space check-again"},
		{"security not readable", func(d *doc) { d.Firmware.SecureBoot = inventory.Opt[string]{} }, "undetermined",
			"read-anew"},
		{"no TPM, boot mode or list of processors is asked for", func(d *doc) { d.Processor = inventory.Processor{} },
			"ready", ""},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			d := mac()
			tt.change(d)
			a, err := assess.Run(rel, d)
			if err != nil {
				t.Fatal(err)
			}
			c := a.Document(now, "test")
			if c.Disposition != tt.disposition || planOf(c) != tt.plan {
				t.Errorf("%s with %q, want %s with %q", c.Disposition, planOf(c), tt.disposition, tt.plan)
			}
			holds(t, c)
		})
	}
}

func TestWrongClassIsRefused(t *testing.T) {
	for _, tt := range []struct {
		rel  string
		doc  *doc
		want string
	}{
		{"fathom-9", sound(), "GULL-014 is a PC, and Fathom 9 installs on Macs only"},
		{"skerry-12", mac(), "NSLIP-M03 is a Mac, and Skerry 12 installs on PCs only"},
	} {
		t.Run(tt.rel, func(t *testing.T) {
			_, err := assess.Run(coretest.Release(t, tt.rel), tt.doc)
			if _, ok := err.(*check.WrongClass); !ok || err.Error() != tt.want {
				t.Errorf("got %v, want %s", err, tt.want)
			}
		})
	}
}

// A TPM rule of a release for PCs says nothing about a Mac; the rule does not
// exist there and is not unknown.
func TestRuleThatThePlatformHasNot(t *testing.T) {
	src := strings.Replace(`format: rolltop-release/1
id: x
name: X
installs_on: mac
revision: 1
published: 2026-01-01
source: https://x.example
requirements:
  - {id: tpm, title: TPM, level: must, consequence: unsupported, reason: Keys., need: {fact: tpm.state, equals: ready}}
  - {id: memory, title: Memory, level: must, consequence: unsupported, reason: Room., need: {fact: memory.installed_bytes, at_least: 8 GiB}, when: {fact: os.edition, equals: Harbour}}
`, "\t", "  ", -1)
	rel, err := release.Read("x", []byte(src), nil)
	if err != nil {
		t.Fatal(err)
	}
	d := mac()
	outcomes := func() string {
		a, err := assess.Run(rel, d)
		if err != nil {
			t.Fatal(err)
		}
		return a.Outcomes()
	}
	// Condition not known: a need that passes anyway passes.
	if got := outcomes(); got != "np" {
		t.Errorf("condition not known, need met: %s, want np", got)
	}
	d.Memory.Installed = inventory.Some(int64(4 << 30))
	if got := outcomes(); got != "nu" {
		t.Errorf("condition not known, need not met: %s, want nu", got)
	}
	d.OS.Edition = inventory.Some("Harbour")
	if got := outcomes(); got != "nf" {
		t.Errorf("condition holds: %s, want nf", got)
	}
	d.OS.Edition = inventory.Some("Office")
	if got := outcomes(); got != "nn" {
		t.Errorf("condition does not contain: %s, want nn", got)
	}
}

func TestTwoDispositions(t *testing.T) {
	d := sound()
	d.Storage.Disks[0].Kind = inventory.Some("hdd") // only the house asks for more
	a, err := assess.Run(coretest.Release(t, "skerry-12"), d)
	if err != nil {
		t.Fatal(err)
	}
	c := a.Document(now, "test")
	expect.Same(t, "c.Disposition", c.Disposition, "refit")
	expect.That(t, "c.Publisher != nil", c.Publisher != nil)
	expect.Same(t, "c.Publisher.Disposition", c.Publisher.Disposition, "ready")
}

func TestSupportAndCoverage(t *testing.T) {
	d := sound()
	d.TPM.Version = inventory.Opt[string]{}
	a, err := assess.Run(coretest.Release(t, "skerry-12"), d)
	if err != nil {
		t.Fatal(err)
	}
	c := a.Document(now, "test")
	if c.Support == nil || c.Support.Days != 141 {
		t.Errorf("support: %+v", c.Support)
	}
	if c.Coverage.Needed != c.Coverage.Read+1 {
		t.Errorf("coverage: %+v, want one fact missing", c.Coverage)
	}
	n, sole := a.Fails()
	if n != 0 || sole != "" {
		t.Errorf("fails: %d %s", n, sole)
	}
}

// Adding a fact never changes the outcome of an item that does not read it.
func TestUnrelatedFactsChangeNothing(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	before, _ := assess.Run(rel, sound())
	d := sound()
	d.Power.Source = inventory.Some("mains")
	d.Backup.Kind = inventory.Some("whole disk")
	d.OS.ManagedBy = inventory.Some("harbour office")
	d.Security.VBS = inventory.Some("running")
	after, _ := assess.Run(rel, d)
	b, a := before.Outcomes(), after.Outcomes()
	for i := range b {
		if b[i] != a[i] && rel.Requirements[i].ID != "isolation" {
			t.Errorf("%s changed from %c to %c", rel.Requirements[i].ID, b[i], a[i])
		}
	}
}

func BenchmarkAssess(b *testing.B) {
	rel, d := coretest.Release(b, "skerry-12"), sound()
	legacy(d)
	for b.Loop() {
		if _, err := assess.Run(rel, d); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkDocument(b *testing.B) {
	rel, d := coretest.Release(b, "skerry-12"), sound()
	legacy(d)
	a, err := assess.Run(rel, d)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		a.Document(now, "bench")
	}
}

func ExampleRun() {
	src, _ := os.ReadFile("../../internal/standin/releases/skerry-12.yaml")
	rel, _ := release.Read("skerry-12.yaml", src, coretest.Beside)
	d := sound()
	d.Storage.System.FreeBytes = inventory.Some(int64(18_000_000_000))
	a, _ := assess.Run(rel, d)
	c := a.Document(now, "example")
	fmt.Println(c.Disposition+":", c.Answer)
	fmt.Println(c.Findings[0].Title+":", c.Findings[0].Has, "→", c.Findings[0].Needs)
	// Output:
	// reconfigure: A clean-up of the disk, remotely.
	// Free space on the system volume: 18 GB → at least 30 GB
}
