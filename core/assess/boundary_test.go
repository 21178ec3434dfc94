package assess_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/internal/expect"
)

// The only must that fails is named where it is the only one. A should, and what is not
// known, do not count.
func TestFails(t *testing.T) {
	rel := asks(t, []string{
		must("{fact: processor.cores, at_least: 4}"), must("{fact: memory.installed_bytes, at_least: 4 GiB}"),
		must("{fact: memory.slots, at_least: 2}"),
		"level: should, consequence: works-less-well, need: {fact: processor.rated_mhz, at_least: 3 GHz}",
	})
	for _, tt := range []struct {
		change func(*doc)
		n      int
		sole   string
	}{
		{func(*doc) {}, 0, ""},
		{twoCores, 1, "r0"},
		{memory(2, 1), 1, "r1"},
		{with(twoCores, memory(2, 1)), 2, ""},
		{with(twoCores, func(d *doc) { d.Memory.Slots = inventory.Opt[int64]{} }), 1, "r0"},
	} {
		t.Run(tt.sole, func(t *testing.T) {
			d := sound()
			tt.change(d)
			if n, sole := run(t, rel, d).Fails(); n != tt.n || sole != tt.sole {
				t.Errorf("%d must fail, %q alone; want %d, %q", n, sole, tt.n, tt.sole)
			}
		})
	}
}

// Whether a newer driver changes what a graphics adapter cannot do is not known before
// it is tried: it may rule a laptop out at worst, and is not expected to.
func TestADriverRulesNothingOut(t *testing.T) {
	rel := asks(t, []string{"level: must, consequence: will-not-start, need: {in: graphics, some: {fact: " +
		"graphics.driver_model, at_least: \"2.0\"}}"})
	// another card fits the desktop
	for form, worst := range map[string]string{"laptop": "replace", "desktop": "decide"} {
		t.Run(form, func(t *testing.T) {
			c := on(t, rel, func(d *doc) {
				d.Device.Form = inventory.Some(form)
				d.Graphics = []inventory.Adapter{
					{Name: inventory.Some("Built-in graphics"), DriverModel: inventory.Some("1.3")},
				}
			})
			expect.Same(t, form+": c.Disposition", c.Disposition, "reconfigure")
			expect.Same(t, form+": c.Certainty", c.Certainty, "expected")
			expect.Same(t, form+": c.Worst", c.Worst, worst)
			expect.That(
				t,
				form+": the driver comes first in "+planOf(c),
				strings.HasPrefix(planOf(c), "graphics-driver"),
			)
		})
	}
}

// What a house asks on top, and what is waived, make no installation unsupported.
func TestUnsupportedIsThePublishersWord(t *testing.T) {
	rel := asks(t, []string{
		"asked_by: house, " + must("{fact: processor.cores, at_least: 4}"),
		must("{fact: memory.installed_bytes, at_least: 4 GiB}"),
		"level: should, consequence: works-less-well, need: {fact: processor.rated_mhz, at_least: 3 GHz}",
	}, inPlace)
	d := sound()
	d.OS.Name = inventory.Some("Skerry 12")
	twoCores(d)
	if c := run(t, rel, d).Document(now, "test"); c.Disposition != "done" || len(c.Unsupported) > 0 {
		t.Errorf("%s, unsupported for %v", c.Disposition, c.Unsupported)
	}
	memory(2, 1)(d)
	c := run(t, rel, d).Document(now, "test")
	if got := strings.Join(c.Unsupported, " "); c.Disposition != "done" || got != "r1" {
		t.Errorf("%s, unsupported for %s", c.Disposition, got)
	}
	d.OS.Name = inventory.Some("Skerry 13") // a later release has requirements of its own
	if c := run(t, rel, d).Document(now, "test"); c.Disposition != "done" || len(c.Unsupported) > 0 {
		t.Errorf("%s, unsupported for %v", c.Disposition, c.Unsupported)
	}
}

// The author of a document reads which requirements no step settles, never apply, or
// read what no collector reads; and nothing about the others.
func TestNotes(t *testing.T) {
	for _, tt := range []struct{ line, want string }{
		{must("{fact: memory.installed_bytes, at_least: 4 GiB}"), ""},
		{must("{fact: firmware.secure_boot, equals: on}"), ""},
		{must("{any: [{fact: processor.cores, at_least: 4}, {fact: memory.installed_bytes, at_least: 4 GiB}]}"), ""},
		{"level: should, consequence: works-less-well, need: {fact: processor.rated_mhz, at_least: 2 GHz}", ""},
		{must("{fact: processor.cores, at_least: 4}"), ""}, // the host of a guest does
		{must("{fact: processor.rated_mhz, at_least: 2 GHz}"),
			"R0: nothing changes this on a machine. Where it fails, a person decides."},
	} {
		t.Run(tt.line, func(t *testing.T) {
			notes := strings.Join(assess.Notes(knowledge.Shipped(), asks(t, []string{tt.line}), nil), "\n")
			expect.That(t, `!(tt.want == "" && notes != "")`, !(tt.want == "" && notes != ""))
			expect.That(t, "strings.HasPrefix(notes, tt.want)", strings.HasPrefix(notes, tt.want))
		})
	}
	rel := asks(t, []string{
		must("{fact: processor.rated_mhz, at_least: 2 GHz}"), must("{fact: memory.installed_bytes, at_least: 4 GiB}"),
	})
	if steps := knowledge.Shipped().Steps; steps.Settles(rel.Requirements[0].Need) ||
		!steps.Settles(rel.Requirements[1].Need) {
		t.Error("a step is said to make a processor faster, or none to give it memory")
	}
}

// A list fills the number of cores only where the threads that were read allow it.
func TestCoresOfAListAndThreads(t *testing.T) {
	rel := asks(t, []string{must("{fact: processor.cores, at_least: 4}")}, inPlace,
		"lists: [{id: p, of: processors, rows: [{name: Corvane K5-9400, cores: 6}]}]")
	for threads, want := range map[int64]string{2: "fail", 5: "unknown", 6: "pass", 12: "pass"} {
		c := on(t, rel, func(d *doc) {
			d.Processor.Cores = inventory.Opt[int64]{}
			d.Processor.Threads = inventory.Some(threads)
		})
		if got := finding(t, c, "r0").Outcome; got != want {
			t.Errorf("%d threads: %s", threads, got)
		}
	}
}

const memoryAsked = "level: must, consequence: unsupported, need: {fact: memory.installed_bytes, at_least: 4 GiB}"

// A name that a document writes once and nearly as elsewhere, or nearly as machines have it, is a slip;
// names that differ in a number, and names that stand alone, are none.
func TestNamesThatMatchNothing(t *testing.T) {
	const way = "upgrade: [{platform: windows, way: in-place, "
	two := map[fact.ID][]string{fact.OSEdition: {"Counter", "Office"}}
	for _, tt := range []struct {
		name, more string
		fleet      map[fact.ID][]string
		want       string
	}{
		{"an edition", way + "edition: [Ofice]}]\neditions: [{from: [Office], to: Office}]", nil,
			`upgrade[0].edition: the edition "Ofice" is named only here; did you mean "Office"?`},
		{"a release", way + "from: Skerry 11}]\nsupport: [{release: Skery 11, ends: 2027-01-01}]", nil,
			`support[0].release: the release "Skery 11" is named only here`},
		{"another number", "support: [{release: Skerry 10, ends: 2027-01-01}, {release: Skerry 9, ends: 2026-01-01}]",
			nil, ""},
		{"an edition of the fleet", "support: [{release: Skerry 11, edition: Counterr, ends: 2027-01-01}]", two,
			`no machine has the edition "Counterr"; did you mean "Counter"?`},
		{"as the fleet has it", "support: [{release: Skerry 11, edition: counter, ends: 2027-01-01}]", two, ""},
		{"two far from each other", "editions: [{from: [Office, Counter], to: Office}]", nil, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			rel := asks(t, []string{memoryAsked}, tt.more)
			notes := strings.Join(assess.Notes(knowledge.Shipped(), rel, tt.fleet), "\n")
			if tt.want == "" {
				expect.Same(t, "what is noted", notes, "")
				return
			}
			expect.Contains(t, notes, tt.want)
		})
	}
	conditional := strings.Replace(memoryAsked, "need:", "when: {fact: os.edition, equals: Ofice}, need:", 1)
	rel := asks(t, []string{conditional}, "editions: [{from: [Office], to: Office}]")
	expect.Contains(t, strings.Join(assess.Notes(knowledge.Shipped(), rel, nil), "\n"),
		`the requirement r0: the edition "Ofice" is named only here; did you mean "Office"?`)
	rel.Requirements[0].Reason = " "
	expect.Contains(
		t,
		strings.Join(assess.Notes(knowledge.Shipped(), rel, nil), "\n"),
		"R0: the requirement gives no reason.",
	)
}
