package remedy

import (
	"math/rand/v2"
	"slices"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
)

func TestSolveIsTheSameAtEveryRun(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	first := map[int]string{}
	for run := range 3 {
		i := 0
		plans(t, rel, Shipped(), 500, func(_ *check.Result, v *Verdict) bool {
			s := v.Disposition.String() + ids(v)
			if run == 0 {
				first[i] = s
			} else if first[i] != s {
				t.Errorf("machine %d: %s, then %s", i, first[i], s)
			}
			i++
			return true
		})
	}
}

// The aim is a plan for one machine in 50 µs, and in 150 µs where ten of the facts that
// the release reads are unknown.
func BenchmarkPlan(b *testing.B) {
	rel := coretest.Release(b, "skerry-12")
	r := rand.New(rand.NewPCG(7, 7))
	var as, none, whole, ten []*check.Result
	add := func(to *[]*check.Result, f *fact.Facts, any bool) {
		res, err := check.Run(rel, f)
		if err != nil {
			b.Fatal(err)
		}
		v := Shipped().Solve(res, nil)
		mendable := v.Disposition == Reconfigure || v.Disposition == Refit
		if wanted := any || mendable; wanted && len(*to) < 200 {
			*to = append(*to, res)
		}
	}
	for len(as) < 200 || len(whole) < 200 || len(none) < 100 {
		d := coretest.PC(r)
		f := fact.Read(d)
		known := slices.DeleteFunc(slices.Clone(rel.Needed), func(id fact.ID) bool { return !f.Value(id).Known() })
		add(&as, fact.Read(d), false)
		if len(known) == len(rel.Needed) {
			add(&none, fact.Read(d), false)
		}
		if len(known) < 14 {
			continue
		}
		r.Shuffle(len(known), func(i, j int) { known[i], known[j] = known[j], known[i] })
		for _, id := range known[:10] {
			f.Set(id, fact.Value{}, "")
		}
		add(&whole, fact.Read(d), false)
		add(&ten, f, true)
	}
	for _, c := range []struct {
		name    string
		results []*check.Result
	}{{"as drawn", as}, {"no gaps", none}, {"few gaps", whole}, {"ten gaps more", ten}} {
		b.Run(c.name, func(b *testing.B) {
			b.ReportAllocs()
			for i := 0; b.Loop(); i++ {
				Shipped().Solve(c.results[i%len(c.results)], nil)
			}
		})
	}
}

// What cuts the way short to a disposition tells the same as looking for every step.
func TestEndIsThatOfTheWholeSolution(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	rel, short := coretest.Release(t, "skerry-12"), 0
	for range 2000 {
		f := fact.Read(coretest.PC(r))
		for _, id := range rel.Needed {
			if r.IntN(8) == 0 {
				f.Set(id, fact.Value{}, "")
			}
		}
		res, err := check.Run(rel, f)
		if err != nil {
			t.Fatal(err)
		}
		for _, w := range []world{luckiest, feared, worst} {
			in := newSolver(Shipped(), res, nil, res.Path).in(w)
			whole, got := in.solve(res, res.Path), end(in, res, res.Path)
			if got != whole.disposition {
				t.Fatalf("in the world %+v: %s, and %s where every step is looked for", w, got, whole.disposition)
			}
			if got == Replace {
				short++
			}
			whole.free()
		}
	}
	if short < 500 {
		t.Errorf("only %d of 6,000 ends are a replacement: the short way was hardly taken", short)
	}
}
