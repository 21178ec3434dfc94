package assess_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

// A processor has no more cores than threads: too few threads rule cores out, and
// enough of them say nothing.
func TestThreadsBoundCores(t *testing.T) {
	for _, tt := range []struct {
		threads int64
		need    string
		outcome string
	}{
		{2, "at_least: 3", "fail"}, {3, "at_least: 3", "unknown"}, {2, "at_most: 2", "pass"},
		{2, "at_most: 1", "unknown"},
	} {
		t.Run(tt.need, func(t *testing.T) {
			rel := asks(t, []string{must("{fact: processor.cores, " + tt.need + "}")}, inPlace)
			d := sound()
			d.Processor.Cores, d.Processor.Threads = inventory.Opt[int64]{}, inventory.Some(tt.threads)
			c := run(t, rel, d).Document(now, "test")
			if got := c.Findings[0].Outcome; got != tt.outcome {
				t.Errorf("%d threads, %s: %s, want %s", tt.threads, tt.need, got, tt.outcome)
			}
			if tt.outcome == "fail" {
				if c.Disposition != "decide" || !strings.Contains(c.Findings[0].Reason, "not more than the number of "+
					"threads: 2") {
					t.Errorf("%s: %s", c.Disposition, c.Findings[0].Reason)
				}
			}
		})
	}
}

// Two things about one memory slot are reported, and nothing of them is taken.
func TestTwoThingsOfOneSlot(t *testing.T) {
	slots := func(a, b int64) func(*doc) {
		return func(d *doc) {
			memory(4, 1)(d)
			d.Memory.Slots = inventory.Some(int64(3))
			d.Memory.Modules = []inventory.Module{
				{
					Slot:     inventory.Some("A"),
					Bytes:    inventory.Some(a << 30),
					Type:     inventory.Some("DDR4"),
					Form:     inventory.Some("DIMM"),
					Soldered: inventory.Some(false),
				},
				{
					Slot:     inventory.Some("A"),
					Bytes:    inventory.Some(b << 30),
					Type:     inventory.Some("DDR4"),
					Form:     inventory.Some("DIMM"),
					Soldered: inventory.Some(false),
				},
			}
		}
	}
	c := checked(t, "skerry-12", slots(4, 0))
	if got := strings.Join(c.Warnings, " "); !strings.Contains(got, "two different values for the memory in A") {
		t.Errorf("warnings: %q", got)
	}
	if s := stepOf(c, "add-memory"); s == nil || strings.Contains(s.Parts[0].Says, "slot A") {
		t.Errorf("the module goes into a slot of which two things are said: %+v", s)
	}
	if c = checked(t, "skerry-12", slots(4, 4)); len(c.Warnings) > 0 &&
		strings.Contains(strings.Join(c.Warnings, " "), "two different things") {
		t.Errorf("one thing said twice: %q", c.Warnings)
	}
}

// A Mac that does not run a Mac system is asked about, whatever it fails: nothing is planned for it.
func TestAMacWithAPCSystemIsAskedAbout(t *testing.T) {
	d := mac()
	d.OS.Platform = inventory.Some("windows")
	d.OS.Name = inventory.Some("Skerry 11")
	d.OS.Version = inventory.Some("11.2")
	d.Device.ModelID = inventory.Some("Foldbook6,2")
	c := run(t, coretest.Release(t, "fathom-9"), d).Document(now, "test")
	expect.Same(t, "c.Disposition", c.Disposition, "decide")
	expect.Same(t, "planOf(c)", planOf(c), "decide")
	expect.Contains(t, c.Answer, "First decide which system it should run")
	expect.That(t, "c.Decide != nil", c.Decide != nil)
	expect.Same(t, "len(c.Decide.Says)", len(c.Decide.Says), 3)
	expect.Same(t, "c.Decide.Step", c.Decide.Step, "")
	v := run(t, coretest.Release(t, "fathom-9"), d).Verdict
	expect.That(t, "it is certain, and of a system that is foreign to the machine",
		v.Confirmed && v.Astray && v.RouteKnown && v.Foreign)
	for _, s := range c.Plain {
		if strings.Contains(s, "replaced") {
			t.Errorf("its user hears %q", s)
		}
	}
}

// A TPM beside the one in use is said.
func TestAnotherTPMIsSaid(t *testing.T) {
	c := checked(t, "skerry-12", func(d *doc) {
		d.TPM.Version = inventory.Some("1.2")
		d.TPM.Others = []inventory.OtherTPM{{Version: inventory.Some("2.0"), Kind: inventory.Some("firmware")}}
	})
	if !strings.Contains(c.TPM.Says, "There is another TPM, of version 2.0, built-in. Check which of them") {
		t.Errorf("the TPM: %q", c.TPM.Says)
	}
}

// Whether a stage takes a machine in is not claimed where what decides it is unknown.
func TestAnUnknownStageIsNotClaimed(t *testing.T) {
	c := checked(t, "skerry-12", func(d *doc) { d.OS.Version = inventory.Opt[string]{} })
	expect.That(t, "c.Offer != nil", c.Offer != nil)
	expect.That(t, "!c.Offer.Now", !c.Offer.Now)
	expect.That(t, "c.Offer.From == nil", c.Offer.From == nil)
	expect.Contains(t, c.Offer.Says,
		"Whether Skerry 12 is offered to this machine is unknown: it is offered to machines that run Skerry 11")
	if c.When != nil && c.When.NotBefore != nil {
		t.Errorf("the visit waits for %v", c.When.NotBefore)
	}
	if c = checked(t, "skerry-12",
		func(d *doc) {
			d.OS.Version = inventory.Some("10.4")
			d.OS.Name = inventory.Some("Skerry 10")
		}); c.Offer.Now ||
		c.Offer.From == nil {
		t.Errorf("a machine of a later stage: %+v", c.Offer)
	}
}

// A check by a revision that is not the latest known one says so.
func TestSupersededRevisionIsNamed(t *testing.T) {
	c := checked(t, "skerry-12", nil)
	c.Superseded(c.Release.Revision)
	if len(c.Warnings) != 0 {
		t.Errorf("the latest revision: %q", c.Warnings)
	}
	c.Superseded(c.Release.Revision + 1)
	if len(c.Warnings) != 1 || !strings.Contains(c.Warnings[0], "Revision 6 is newer") {
		t.Errorf("warnings: %q", c.Warnings)
	}
}
