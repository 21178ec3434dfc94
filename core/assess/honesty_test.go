package assess_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
)

const (
	drawnReleases = 200
	drawnMachines = 100 // of each release
)

// pairs runs f over random releases and random machines.
func pairs(t *testing.T, machines int, f func(r *rand.Rand, d *drawn, rel *release.Release, m *doc)) {
	t.Helper()
	if testing.Short() { // for counting mistakes, where the tests run again and again
		machines /= 10
	}
	r := rand.New(rand.NewPCG(15, 15))
	for range drawnReleases {
		d := drawRelease(r)
		rel := d.read(t, nil)
		for range machines {
			f(r, d, rel, drawMachine(r))
			if t.Failed() {
				return
			}
		}
	}
}

func run(t testing.TB, rel *release.Release, m *doc) *assess.Assessment {
	t.Helper()
	a, err := assess.Run(rel, m)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

func shown(m *doc) string {
	b, _ := json.Marshal(m)
	return string(b)
}

// The plain evaluator agrees on every outcome.
func TestOutcomesAreThoseOfThePlainEvaluator(t *testing.T) {
	seen := map[byte]int{}
	pairs(t, drawnMachines, func(_ *rand.Rand, d *drawn, rel *release.Release, m *doc) {
		plain := plainOf(t, m)
		plain.list, plain.all = map[string]bool{"Tessaly Onyx 5 3600": true}, d.complete
		outcomes := run(t, rel, m).Outcomes()
		for i, q := range d.rules {
			want := "fup"[q.on(plain)+1]
			seen[want]++
			if outcomes[i] != want {
				t.Errorf("%s is %c, and plainly %c, on\n%s", q.yaml(), outcomes[i], want, shown(m))
			}
		}
	})
	expect.That(t, "seen['p'] >= 100", seen['p'] >= 100)
	expect.That(t, "seen['f'] >= 100", seen['f'] >= 100)
	expect.That(t, "seen['u'] >= 100", seen['u'] >= 100)
}

// dishonest names what an assessment claims that it must not, or "".
func dishonest(a *assess.Assessment) string {
	v, f := &a.Verdict, a.Result.Facts
	point := v.Best == v.Worst
	within := v.Disposition == remedy.Undetermined || v.Best <= v.Disposition && v.Disposition <= v.Worst
	sound := v.Best <= v.Worst && (point || !v.Confirmed)
	if !sound || !within {
		return fmt.Sprintf("%s is not within %s to %s, confirmed %v", v.Disposition, v.Best, v.Worst, v.Confirmed)
	}
	spoken := slices.Clone(v.NoRemedy)
	for _, p := range slices.Concat(v.Plan, v.Withheld) {
		spoken = append(spoken, p.Settles...)
	}
	for _, p := range v.Withheld {
		if p.Class == remedy.NoClass || p.Class >= remedy.Decision {
			return "withheld is " + p.ID + ", which settles nothing by itself"
		}
	}
	for i := range a.Result.Findings {
		fd := &a.Result.Findings[i]
		q := fd.Requirement
		onTheWay := q.Interim == nil || v.Route == release.ByInterim
		switch {
		case q.Level != release.Must || !onTheWay:
		case v.Disposition == remedy.Ready && fd.Outcome == check.Fail:
			if v.Route != release.Reinstall || !slices.Contains(spoken, q.ID) {
				return "ready, and " + q.ID + " fails"
			}
		case v.Disposition == remedy.Ready && fd.Outcome == check.Unknown && v.Route != release.Reinstall:
			return "ready, and " + q.ID + " is unknown"
		case fd.Outcome == check.Fail && v.Disposition != remedy.Done && !slices.Contains(spoken, q.ID) &&
			!slices.Contains(v.Open, q.ID):
			return q.ID + " fails, and nothing is said of it"
		}
	}
	failing := f.Is(fact.DiskHealth, "bad") && !f.Guest()
	if v.Disposition == remedy.Ready && failing {
		return "ready on a failing drive"
	}
	if v.Disposition == remedy.Replace {
		return unproven(a)
	}
	return ""
}

// unproven names why a machine is not proven to fail, or "". The rule is tried the plain
// way: whatever can be changed on a machine is given every value that the requirement
// knows, and it must fail under all of them.
func unproven(a *assess.Assessment) string {
	for _, id := range a.Verdict.Proven {
		fd := findingOf(a, id)
		if fd.Requirement.Waivable() {
			return id + " lets the release install"
		}
		if f := a.Result.Facts; couldPass(fd.Requirement.Need, f) {
			return id + " could be met"
		}
	}
	if len(a.Verdict.Proven) == 0 {
		return "replace without a proof"
	}
	return ""
}

func findingOf(a *assess.Assessment, id string) *check.Finding {
	for i := range a.Result.Findings {
		if a.Result.Findings[i].Requirement.ID == id {
			return &a.Result.Findings[i]
		}
	}
	return nil
}

// movable are facts that something changes on this machine, by the rules of the design.
func movable(id fact.ID, f *fact.Facts) bool {
	soldered := f.Value(fact.MemorySoldered)
	switch id {
	case fact.MemoryInstalled:
		free := f.Value(fact.MemoryFreeSlots)
		return !(soldered.Known() && soldered.Bool() && free.Known() && free.Float() <= 0)
	case fact.BootMode:
		can := f.Value(fact.UEFICapable)
		return !can.Known() || can.Bool()
	case fact.SecureBoot:
		can := f.Value(fact.SecureBootCapable)
		return !can.Known() || can.Bool()
	case fact.ProcessorArch, fact.ProcessorName, fact.ProcessorCores, fact.ProcessorMHz, fact.ProcessorFeatures,
		fact.SecureBootCapable:
		return f.Guest() // another host
	case fact.AdapterLevel:
		return !f.Is(fact.DeviceForm, "laptop")
	}
	return true
}

// couldPass tries every value of what can be changed.
func couldPass(n need.Need, f *fact.Facts) bool {
	worlds := []*fact.Facts{f}
	for _, id := range need.Facts(n) {
		if !movable(id, f) || id.Group() != fact.NoGroup {
			continue
		}
		var next []*fact.Facts
		for _, w := range worlds {
			for _, v := range valuesOf(id) {
				next = append(next, w.With(id, v, "tried"))
			}
		}
		if len(next) > 0 && len(next) < 4000 {
			worlds = next
		}
	}
	for _, w := range worlds {
		if n.Test(w.View()) != need.False {
			return true
		}
	}
	return false
}

func valuesOf(id fact.ID) []fact.Value {
	def := id.Def()
	switch def.Kind {
	case fact.Number:
		return []fact.Value{fact.Num(0), fact.Num(1 << 60)}
	case fact.Bool:
		return []fact.Value{fact.Truth(false), fact.Truth(true)}
	case fact.Set:
		return []fact.Value{fact.Items(nil), fact.Items([]string{"sse4.2", "avx2", "sve"})}
	case fact.Word:
		var out []fact.Value
		for w := range def.Words {
			out = append(out, fact.Of(fact.Word, w))
		}
		return out
	}
	return []fact.Value{fact.Of(def.Kind, "0"), fact.Of(def.Kind, "99")}
}

func TestVerdictsClaimNoMoreThanIsKnown(t *testing.T) {
	seen := map[remedy.Disposition]int{}
	pairs(t, drawnMachines, func(_ *rand.Rand, d *drawn, rel *release.Release, m *doc) {
		a := run(t, rel, m)
		seen[a.Verdict.Disposition]++
		if what := dishonest(a); what != "" {
			t.Errorf("%s:\n%s\n%s", what, strings.Join(d.lines, ""), shown(m))
		}
	})
	for d := remedy.Ready; d <= remedy.Undetermined; d++ {
		if seen[d] < 100 && !testing.Short() {
			t.Errorf("%s came up %d times", d, seen[d])
		}
	}
}

// The properties above prove something only if they fail where their rule is broken.
func TestDishonestyIsNoticed(t *testing.T) {
	rel := asks(t, []string{
		"level: must, consequence: installer-refuses, need: {fact: processor.cores, at_least: 4}",
		must("{fact: memory.installed_bytes, at_least: 6 GiB}"),
	}, "upgrade: [{platform: windows, way: in-place}]")
	few := func(d *doc) {
		d.Processor.Cores = inventory.Some(int64(2))
		d.Processor.Threads = inventory.Some(int64(2))
	}
	for name, tt := range map[string]struct {
		change func(*doc)
		lie    func(*assess.Assessment)
	}{
		"replace for what a part changes": {memory(4, 1), func(a *assess.Assessment) {
			v := &a.Verdict
			v.Disposition, v.Best, v.Worst, v.Proven = remedy.Replace, remedy.Replace, remedy.Replace, []string{"r1"}
		}},
		"replace without a proof": {few, func(a *assess.Assessment) { a.Verdict.Proven = nil }},
		"confirmed with two ends": {nil, func(a *assess.Assessment) { a.Verdict.Worst = remedy.Replace }},
		"ready with a failing must": {memory(4, 1),
			func(a *assess.Assessment) { a.Verdict.Disposition, a.Verdict.Best = remedy.Ready, remedy.Ready }},
		"ready with an unknown": {func(d *doc) { d.Processor.Cores = inventory.Opt[int64]{} },
			func(a *assess.Assessment) { a.Verdict.Disposition = remedy.Ready }},
		"nothing is said of what fails": {memory(4, 1), func(a *assess.Assessment) { a.Verdict.Plan = nil }},
		"ready although the drive fails": {nil,
			func(a *assess.Assessment) { a.Result.Facts.Set(fact.DiskHealth, fact.Of(fact.Word, "bad"), "") }},
	} {
		t.Run(name, func(t *testing.T) {
			m := sound()
			if tt.change != nil {
				tt.change(m)
			}
			a := run(t, rel, m)
			if what := dishonest(a); what != "" {
				t.Errorf("%s: before the lie: %s", name, what)
			}
			if tt.lie(a); dishonest(a) == "" {
				t.Errorf("%s is not noticed", name)
			}
		})
	}
}

// without is the machine with one fact less.
var forgettable = map[string]func(*doc){
	"memory.installed_bytes":          func(d *doc) { d.Memory.Installed = inventory.Opt[int64]{} },
	"memory.slots":                    func(d *doc) { d.Memory.Slots = inventory.Opt[int64]{} },
	"memory.modules":                  func(d *doc) { d.Memory.Modules = nil },
	"storage.system.disk_bytes":       func(d *doc) { d.Storage.System.DiskBytes = inventory.Opt[int64]{} },
	"storage.system.free_bytes":       func(d *doc) { d.Storage.System.FreeBytes = inventory.Opt[int64]{} },
	"storage.system.partition_style":  func(d *doc) { d.Storage.System.PartitionStyle = inventory.Opt[string]{} },
	"processor.cores":                 func(d *doc) { d.Processor.Cores = inventory.Opt[int64]{} },
	"processor.name":                  func(d *doc) { d.Processor.Name = inventory.Opt[string]{} },
	"processor.architecture":          func(d *doc) { d.Processor.Architecture = inventory.Opt[string]{} },
	"processor.features":              func(d *doc) { d.Processor.Features = nil },
	"os.architecture":                 func(d *doc) { d.OS.Architecture = inventory.Opt[string]{} },
	"firmware.boot_mode":              func(d *doc) { d.Firmware.BootMode = inventory.Opt[string]{} },
	"firmware.uefi_capable":           func(d *doc) { d.Firmware.UEFICapable = inventory.Opt[bool]{} },
	"firmware.secure_boot":            func(d *doc) { d.Firmware.SecureBoot = inventory.Opt[string]{} },
	"firmware.secure_boot_capable":    func(d *doc) { d.Firmware.SecureBootCapable = inventory.Opt[bool]{} },
	"tpm.state":                       func(d *doc) { d.TPM.State = inventory.Opt[string]{} },
	"tpm.header":                      func(d *doc) { d.TPM.Header = inventory.Opt[bool]{} },
	"graphics":                        func(d *doc) { d.Graphics = nil },
	"storage.boot.dynamic":            func(d *doc) { d.Storage.Boot.Dynamic = inventory.Opt[bool]{} },
	"storage.system.encryption.state": func(d *doc) { d.Storage.System.Encryption.State = inventory.Opt[string]{} },
}

func copied(t testing.TB, m *doc) *doc {
	t.Helper()
	out, err := inventory.Read("copy", []byte(shown(m)))
	if err != nil {
		t.Fatalf("%v\n%s", err, shown(m))
	}
	return out
}

// A gap instead of a fact never turns a fail into a pass or the other way round, and
// never narrows the range.
func TestAGapOnlyWidensTheRange(t *testing.T) {
	names := make([]string, 0, len(forgettable))
	for name := range forgettable {
		names = append(names, name)
	}
	slices.Sort(names)
	widened := 0
	pairs(t, drawnMachines, func(r *rand.Rand, d *drawn, rel *release.Release, m *doc) {
		before := run(t, rel, m)
		less := copied(t, m)
		name := names[r.IntN(len(names))]
		if name == "memory.installed_bytes" && m.Memory.Installed.Or(1<<62) < m.Memory.Visible.Or(0) {
			return // two sources differ; without one of them it is known better
		}
		forgettable[name](less)
		after := run(t, rel, less)
		v, w := &before.Verdict, &after.Verdict
		if w.Best > v.Best || w.Worst < v.Worst {
			t.Errorf("without %s: %s to %s becomes %s to %s\n%s\n%s", name, v.Best, v.Worst, w.Best, w.Worst,
				strings.Join(d.lines, ""), shown(m))
		}
		if w.Best < v.Best || w.Worst > v.Worst {
			widened++
		}
		if was, is := before.Outcomes(), after.Outcomes(); strings.ContainsFunc(was,
			func(rune) bool { return false }) || flipped(was, is) {
			t.Errorf("without %s: %s becomes %s\n%s\n%s", name, was, is, strings.Join(d.lines, ""), shown(m))
		}
	})
	if widened < 500 && !testing.Short() {
		t.Errorf("only %d ranges are wider: the test says little", widened)
	}
}

// flipped: a pass became a fail, or a fail a pass.
func flipped(was, is string) bool {
	for i := range was {
		switch string([]byte{was[i], is[i]}) {
		case "pf", "fp":
			return true
		}
	}
	return false
}

// One more requirement only raises the range.
func TestOneMoreRequirementOnlyRaisesTheRange(t *testing.T) {
	raised := 0
	var of *drawn
	var more string
	var with *release.Release
	pairs(t, drawnMachines, func(r *rand.Rand, d *drawn, rel *release.Release, m *doc) {
		if of != d {
			more = fmt.Sprintf("  - {id: extra, title: One more, reason: Because., level: must, consequence: %s, "+
				"need: %s}\n", severities[r.IntN(4)], draw(r, 1).yaml())
			of, with = d, d.read(t, nil, more)
		}
		v, w := run(t, rel, m).Verdict, run(t, with, m).Verdict
		if w.Best < v.Best || w.Worst < v.Worst {
			t.Errorf("%s to %s becomes %s to %s with\n%s beside\n%s\n%s", v.Best, v.Worst, w.Best, w.Worst, more,
				strings.Join(d.lines, ""), shown(m))
		}
		if w.Worst > v.Worst {
			raised++
		}
	})
	if raised < 100 && !testing.Short() {
		t.Errorf("only %d ranges are higher: the test says little", raised)
	}
}

// A higher limit never turns a fail into a pass.
func TestAHigherLimitIsNoEasier(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 15))
	limits := []string{"4 GiB", "6 GiB", "8 GiB", "16 GiB"}
	var rel []*release.Release
	for _, l := range limits {
		rel = append(rel, asks(t, []string{must("{fact: memory.installed_bytes, at_least: " + l + "}")}))
	}
	for range 2000 {
		m := drawMachine(r)
		last := ""
		for i := range rel {
			is := run(t, rel[i], m).Outcomes()
			switch last + is {
			case "fu", "fp", "up":
				t.Fatalf("%s at %s, and %s before, on %s", is, limits[i], last, shown(m))
			}
			last = is
		}
	}
}

// The order in which requirements stand changes nothing.
func TestOrderChangesNothing(t *testing.T) {
	var of *drawn
	var other *release.Release
	pairs(t, drawnMachines, func(r *rand.Rand, d *drawn, rel *release.Release, m *doc) {
		if of != d {
			of, other = d, d.read(t, r.Perm(len(d.lines)))
		}
		a, b := run(t, rel, m), run(t, other, m)
		if one, two := saidOf(a), saidOf(b); one != two {
			t.Errorf("%s\n%s\n%s\n%s", one, two, strings.Join(d.lines, ""), shown(m))
		}
	})
}

func saidOf(a *assess.Assessment) string {
	v := &a.Verdict
	var steps []string
	for _, p := range v.Plan {
		settles := slices.Sorted(slices.Values(p.Settles))
		steps = append(steps, fmt.Sprint(p.ID, settles))
	}
	return fmt.Sprint(v.Disposition, v.Best, v.Worst, v.Confirmed, v.Route, steps,
		slices.Sorted(slices.Values(v.NoRemedy)), slices.Sorted(slices.Values(v.Open)))
}

var (
	quotedList = regexp.MustCompile(`the list ([a-z0-9-]+)`)
	enterFact  = regexp.MustCompile(`enter ([a-z_.\[\]0-9]+) by hand`)
)

// Every source that is cited is there, and every action that is suggested works.
func TestSourcesExistAndActionsWork(t *testing.T) {
	cited, acted := 0, 0
	pairs(t, drawnMachines, func(_ *rand.Rand, d *drawn, rel *release.Release, m *doc) {
		m.Collector.Elevated = inventory.Some(true)
		a := run(t, rel, m)
		c := a.Document(now, "test")
		for i := range a.Verdict.Bases {
			b := &a.Verdict.Bases[i]
			if b.Fact == nil {
				continue
			}
			cited++
			if got := a.Result.Facts.Get(b.Fact.ID); !got.Value.Equal(b.Reading.Value) ||
				got.Source != b.Reading.Source {
				t.Errorf("it rests on %s: %s (%s), which is %s (%s)", b.Fact.Name, b.Reading.Plain(), b.Reading.Source,
					got.Plain(), got.Source)
			}
		}
		texts := slices.Concat([]string{c.Answer}, c.Details, c.RestsOn)
		for _, f := range c.Findings {
			texts = append(append(texts, f.Reason, f.Has), f.Close...)
			for _, s := range f.Close {
				if match := enterFact.FindStringSubmatch(s); match != nil {
					acted++
					enterable(t, match[1])
				}
				if strings.Contains(s, "administrator") {
					t.Errorf("it was read as administrator, and is told: %s", s)
				}
			}
			if f.Level == "must" && f.Outcome == "unknown" {
				if !a.Verdict.Disposition.Futile() && len(f.Close) == 0 {
					t.Errorf("nothing says how to close %s: %s\n%s", f.Requirement, f.Reason, shown(m))
				}
			}
		}
		for _, text := range texts {
			for _, match := range quotedList.FindAllStringSubmatch(text, -1) {
				if match[1] == "is" || match[1] == "this" {
					continue
				}
				cited++
				if !slices.ContainsFunc(rel.Document.Lists, func(l list.Document) bool { return l.ID == match[1] }) {
					t.Errorf("there is no list %q, and it says %q", match[1], text)
				}
			}
			if strings.Contains(text, "according to the list") && !listSays(a) {
				t.Errorf("no list says anything of this processor, and it says %q", text)
			}
		}
	})
	if !testing.Short() {
		if cited < 1000 || acted < 1000 {
			t.Errorf("%d sources and %d actions: the test says little", cited, acted)
		}
	}
}

// listSays: the release's list states something of the machine's processor.
func listSays(a *assess.Assessment) bool {
	return strings.HasPrefix(a.Result.Facts.Get(fact.ProcessorTPM).Source, "the list ") ||
		len(a.Result.Facts.Value(fact.ProcessorFeaturesOff).Set()) > 0
}

// enterable fails where a fact cannot be entered by hand under the name that is given.
func enterable(t *testing.T, name string) {
	t.Helper()
	def := fact.ByName(manual.Plain(name))
	if def == nil {
		t.Errorf("it is told to enter %s, and there is no such fact", name)
		return
	}
	value := map[fact.Kind]string{fact.Text: "x", fact.Version: "1.0", fact.Bool: "true", fact.Set: "x"}[def.Kind]
	switch def.Kind {
	case fact.Word:
		value = need.Choices(def)[0]
	case fact.Number:
		value = map[fact.Unit]string{
			fact.Binary:  "8 GiB",
			fact.Drive:   "64 GB",
			fact.Space:   "1 GB",
			fact.MHz:     "2 GHz",
			fact.Inches:  "9 in",
			fact.Percent: "50 %",
			fact.Bits:    "32 bit",
		}[def.Unit]
		if value == "" {
			value = "1"
		}
	}
	if err := (&manual.Fact{Fact: name, Value: value, By: "x"}).Check(); err != nil {
		t.Errorf("it is told to enter %s by hand, and that is refused: %v", name, err)
	}
}
