package remedy

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/release"
)

// drawSteps are random steps of an administrator's own.
func drawSteps(r *rand.Rand) string {
	var b strings.Builder
	b.WriteString("format: rolltop-steps/1\nsteps:\n")
	for i := range 1 + r.IntN(3) {
		var of []string
		for _, h := range hazardNames {
			if r.IntN(4) == 0 {
				of = append(of, h)
			}
		}
		phase := []string{Remote, Desk, Desk, Install}[r.IntN(4)]
		fmt.Fprintf(&b, "  - {id: own-%d, title: Own, phase: %s, always: {fact: device.form, one_of: [desktop, "+
			"laptop]}, disturbs: [%s], restarts: %d, do: Do., "+
			"tell: Tell., confirm: Yes., minutes: {least: 1, most: 2}}\n",
			i, phase, strings.Join(of, ", "), r.IntN(2))
	}
	return b.String()
}

// Safeguards are added for an administrator's steps, whatever these disturb.
func TestOwnStepsAreGuarded(t *testing.T) {
	r, rel := rand.New(rand.NewPCG(16, 16)), everyRemedy(t)
	started, own := 0, 0
	for range machines(200) {
		text := drawSteps(r)
		lib, err := Read("own", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		plansOf(t, rel, lib, 100, func(f *fact.Facts, v *Verdict) bool {
			for i := range v.Plan {
				if v.Plan[i].Own {
					own++
				}
				if v.Plan[i].ID == "start-once" {
					started++
				}
			}
			what := broken(lib, f, v)
			if what != "" {
				t.Errorf("%s, in %s, with\n%s", what, ids(v), text)
			}
			return what == ""
		})
		if t.Failed() {
			return
		}
	}
	if started < machines(100) || own < machines(1000) {
		t.Errorf("%d starts and %d own steps: the test says little", started, own)
	}
}

// Each hazard calls for its safeguards by itself.
func TestEachHazardAlone(t *testing.T) {
	rel := everyRemedy(t)
	for _, h := range hazardNames {
		for _, phase := range []string{Remote, Desk} {
			lib, err := Read("own", fmt.Appendf(nil,
				"format: rolltop-steps/1\nsteps:\n  - {id: own, title: Own, phase: %s, always: {fact: os.platform, "+
					"one_of: [windows, linux]}, disturbs: [%s], do: Do., tell: Tell., confirm: Yes., minutes: "+
					"{least: 1, most: 2}}\n", phase, h))
			if err != nil {
				t.Fatal(err)
			}
			// By one requirement that nothing has to be done for, the step stands alone.
			ask := func(q *release.Requirement) bool { return q.ID == "language" }
			r, stood := rand.New(rand.NewPCG(16, 3)), 0
			for range 150 {
				res, err := check.Run(rel, fact.Read(coretest.PC(r)))
				if err != nil {
					t.Fatal(err)
				}
				v := lib.Solve(res, ask)
				if slices.ContainsFunc(v.Plan, func(p Planned) bool { return p.Own }) {
					stood++
				}
				if what := broken(lib, res.Facts, &v); what != "" {
					t.Fatalf("%s, %s: %s, in %s", h, phase, what, ids(&v))
				}
			}
			if stood < 50 {
				t.Errorf("%s, %s: it stands in %d plans", h, phase, stood)
			}
		}
	}
}
