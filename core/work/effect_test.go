package work_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/expect"
)

func TestPlanText(t *testing.T) {
	for _, text := range []string{
		"", "backup", "backup free-space* tpm-on*? secure-boot-on?", "backup check-again@desk x*?@host",
	} {
		if got := work.Parse(text).String(); got != text {
			t.Errorf("%q became %q", text, got)
		}
	}
	plan, further := work.Parse("backup tpm-on*"), work.Parse("remove-titles=required update-drivers?@host=advised")
	for _, tt := range []struct {
		want          string
		plan, further work.Plan
	}{
		{"backup tpm-on*", plan, nil},
		{"backup tpm-on* | remove-titles=required update-drivers?@host=advised", plan, further},
		{"| remove-titles=required update-drivers?@host=advised", nil, further},
	} {
		t.Run(tt.want, func(t *testing.T) {
			text := work.Text(tt.plan, tt.further)
			expect.Same(t, "the text", text, tt.want)
			expect.Same(t, "the plan of it", work.Parse(text).String(), tt.plan.String())
			expect.Same(t, "the further work of it", work.ParseFurther(text).String(), tt.further.String())
		})
	}
	p := work.Parse("backup free-space* tpm-on*?")
	got := p.Remedies()
	expect.That(t, `slices.Equal(got, []string{"free-space", "tpm-on"})`,
		slices.Equal(got, []string{"free-space", "tpm-on"}))
	expect.That(t, "!p.Certain()", !p.Certain())
	expect.That(t, `p.Has("backup")`, p.Has("backup"))
	expect.That(t, `!p.Has("tpm")`, !p.Has("tpm"))
}

// A step that is done where others are keeps where that was.
func TestPhasesOfPlans(t *testing.T) {
	l := remedy.Shipped()
	p := work.Parse("backup pause-encryption@desk tpm-on* check-again@desk upgrade")
	for phase, want := range map[string]string{
		remedy.Desk:    "pause-encryption@desk tpm-on* check-again@desk",
		remedy.Remote:  "backup",
		remedy.Install: "upgrade",
		remedy.Host:    "",
	} {
		t.Run(phase, func(t *testing.T) {
			if got := p.In(l, phase).String(); got != want {
				t.Errorf("%s: %q, want %q", phase, got, want)
			}
		})
	}
}

// A plan takes as long as its steps together.
func TestEffortOfAPlan(t *testing.T) {
	l := remedy.Shipped()
	var want remedy.Minutes
	restarts := 0
	for _, id := range []string{"backup", "tpm-on", "upgrade"} {
		s := l.Find(id)
		want = want.Plus(s.Minutes)
		restarts += s.Restarts
	}
	m, r := work.Parse("backup tpm-on@desk upgrade gone").Effort(l)
	expect.Same(t, "the minutes", m, want)
	expect.Same(t, "the restarts", r, restarts)
	expect.That(t, "they restart", restarts > 1)
}

func kind(n int, d remedy.Disposition, plan string) work.Kind {
	return work.Kind{Plan: work.Parse(plan), Disposition: d, Machines: n}
}

func TestFree(t *testing.T) {
	l := remedy.Shipped()
	kinds := []work.Kind{
		kind(10, remedy.Ready, "backup upgrade"),
		kind(3, remedy.Undetermined, "ask-maker tpm-on*"),
		kind(4, remedy.Reconfigure, "tpm-on*"),
		kind(2, remedy.Reconfigure, "tpm-on*?"),
		kind(5, remedy.Reconfigure, "tpm-on* secure-boot-on*"),
		kind(3, remedy.Refit, "add-memory*?"),
		kind(1, remedy.Replace, "replace*"),
	}
	got := work.Free(kinds, l, work.MaxMachines)
	expect.Same(t, "got.Machines", got.Machines, 28)
	expect.Same(t, "got.Ready", got.Ready, 10)
	expect.Same(t, "got.Undetermined", got.Undetermined, 3)
	want := []work.Effect{
		{"tpm-on", 11, 6, 2}, {"add-memory", 3, 3, 3}, {"replace", 1, 1, 0}, {"secure-boot-on", 5, 0, 0},
	}
	if !slices.Equal(got.Effects, want) {
		t.Errorf("effects %+v", got.Effects)
	}
	var says []string
	for _, p := range got.Picks {
		says = append(says, fmt.Sprint(p.Steps, " ", p.Gain, " ", p.Expected, " ", p.Ready))
	}
	if wantPicks := []string{
		"[tpm-on] 6 2 16", "[secure-boot-on] 5 0 21", "[add-memory] 3 3 24", "[replace] 1 0 25",
	}; !slices.Equal(says, wantPicks) {
		t.Errorf("picks %q", says)
	}
	m, _ := work.Parse("tpm-on*").Effort(l)
	if got.Picks[0].Minutes != (remedy.Minutes{Least: 6 * m.Least, Most: 6 * m.Most}) {
		t.Errorf("%+v", got.Picks[0])
	}
}

// On small fleets, every pick is compared with trying all of them: nothing that one kind
// of machine lacks would have freed more, and the gain is what counting anew gives.
func TestPicksAgainstTryingAll(t *testing.T) {
	l := remedy.Shipped()
	names := []string{"tpm-on", "secure-boot-on", "free-space", "add-memory", "boot-mode", "convert-disk"}
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 1))
		var kinds []work.Kind
		for range 1 + r.IntN(8) {
			text := ""
			for _, i := range r.Perm(len(names))[:1+r.IntN(4)] {
				text += names[i] + []string{"* ", "*? "}[r.IntN(2)]
			}
			kinds = append(kinds, kind(1+r.IntN(9), remedy.Reconfigure, text))
		}
		for _, by := range []work.Order{work.MaxMachines, work.LeastTime} {
			got := work.Free(kinds, l, by)
			done := map[string]bool{}
			ready := 0
			for i, p := range got.Picks {
				before, _ := freed(kinds, done, nil, l)
				best := math.Inf(-1)
				for _, k := range kinds {
					var more []string
					for _, id := range k.Plan.Remedies() {
						if !done[id] {
							more = append(more, id)
						}
					}
					n, minutes := freed(kinds, done, more, l)
					if n -= before; n > 0 {
						best = max(best, score(n, len(more), minutes-minutesOf(kinds, done, l), by))
					}
				}
				n, minutes := freed(kinds, done, p.Steps, l)
				if gain := n - before; gain != p.Gain ||
					score(gain, len(p.Steps), minutes-minutesOf(kinds, done, l), by) < best-1e-9 {
					t.Fatalf("seed %d, pick %d %+v: counting anew gives %d; the best of all has %f", seed, i, p, gain,
						best)
				}
				for _, id := range p.Steps {
					done[id] = true
				}
				if ready += p.Gain; p.Ready != ready {
					t.Fatalf("seed %d: %+v, want %d ready", seed, p, ready)
				}
			}
			if ready != got.Machines {
				t.Fatalf("seed %d: %d of %d machines in the end", seed, ready, got.Machines)
			}
		}
	}
}

// freed counts by trying machine after machine.
func freed(kinds []work.Kind, done map[string]bool, more []string, l *remedy.Library) (machines, minutes int) {
	for _, k := range kinds {
		if !slices.ContainsFunc(k.Plan.Remedies(),
			func(id string) bool { return !done[id] && !slices.Contains(more, id) }) {
			m, _ := k.Plan.Effort(l)
			machines, minutes = machines+k.Machines, minutes+(m.Least+m.Most)*k.Machines
		}
	}
	return machines, minutes
}

func minutesOf(kinds []work.Kind, done map[string]bool, l *remedy.Library) int {
	_, m := freed(kinds, done, nil, l)
	return m
}

func score(gain, remedies, minutes int, by work.Order) float64 {
	if by == work.LeastTime {
		return -float64(minutes) / float64(gain)
	}
	return float64(gain) / float64(remedies)
}

// BenchmarkFree works out the best order of 100,000 machines that have 2,000 kinds of
// plan, far more than a fleet has.
func BenchmarkFree(b *testing.B) {
	l := remedy.Shipped()
	names := []string{
		"tpm-on", "secure-boot-on", "free-space", "add-memory", "boot-mode", "replace", "interim", "graphics-driver",
		"update-titles", "change-drive", "convert-disk", "legacy-support-off",
	}
	r := rand.New(rand.NewPCG(1, 2))
	var kinds []work.Kind
	for range 2000 {
		text := ""
		for _, i := range r.Perm(len(names))[:1+r.IntN(6)] {
			text += names[i] + "* "
		}
		kinds = append(kinds, kind(50, remedy.Reconfigure, text))
	}
	for b.Loop() {
		work.Free(kinds, l, work.MaxMachines)
	}
}

// Nothing but the way itself is left where each remedy puts a release on the machine, certainly and away from its
// firmware.
func TestOnlyWay(t *testing.T) {
	l := remedy.Shipped()
	var alone []string
	for _, id := range l.IDs() {
		if (work.Plan{{ID: id, Remedy: true}}).OnlyWay(l) {
			alone = append(alone, id)
		}
	}
	expect.Same(t, "steps that are a way alone", strings.Join(alone, " "), "interim reinstall")
	way, beside := work.Step{ID: alone[0], Remedy: true}, work.Step{ID: "back-up"}
	for name, tt := range map[string]struct {
		plan work.Plan
		want bool
	}{
		"with what is no remedy":       {work.Plan{beside, way}, true},
		"nothing is a remedy":          {work.Plan{beside}, false},
		"with another remedy":          {work.Plan{way, {ID: "add-memory", Remedy: true}}, false},
		"its effect is not certain":    {work.Plan{{ID: alone[0], Remedy: true, Expected: true}}, false},
		"somebody is at the machine":   {work.Plan{{ID: alone[0], Remedy: true, Phase: "desk"}}, false},
		"a step that nobody knows":     {work.Plan{{ID: "unknown", Remedy: true}}, false},
		"a step that does not matter":  {work.Plan{{ID: "unknown"}, way}, true},
		"an empty plan has no remedy":  {nil, false},
		"the same, after the first":    {work.Plan{way, {ID: "unknown", Remedy: true}}, false},
		"the same way, another time":   {work.Plan{way, way}, true},
		"further work does not matter": {work.Plan{way, {ID: "add-memory", Weight: "must"}}, true},
	} {
		t.Run(name, func(t *testing.T) { expect.Same(t, "only the way", tt.plan.OnlyWay(l), tt.want) })
	}
}
