package remedy

import (
	"fmt"
	"hash/fnv"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

// without are the copies of a step of which one thing is left out, by what it is.
func lessOf(d StepDoc) map[string]StepDoc {
	out := map[string]StepDoc{}
	for name, n := range map[string]**need.Document{
		"when": &d.When, "rule": &d.Rule, "unless": &d.Unless, "skip": &d.Skip, "sure": &d.Sure,
		"unlikely": &d.Unlikely, "always": &d.Always,
	} {
		if was := *n; was != nil {
			*n = nil
			out[name] = d
			*n = was
		}
	}
	for name, b := range map[string]*bool{
		"unknown_when_is_fine": &d.WhenNotNo,
		"in_doubt":             &d.InDoubt,
		"sure_never":           &d.SureNever,
	} {
		if *b {
			*b = false
			out[name] = d
			*b = true
		}
	}
	for name, s := range map[string]*string{"at_worst": &d.AtWorst, "ceiling": &d.Ceiling} {
		if was := *s; was != "" {
			*s = ""
			out[name] = d
			*s = was
		}
	}
	for name, list := range map[string]*[]string{
		"routes": &d.Routes,
		"pulls":  &d.Pulls,
		"beside": &d.Beside,
		"closes": &d.Closes,
	} {
		was := *list
		for i := range was {
			*list = slices.Delete(slices.Clone(was), i, i+1)
			out[name+" "+was[i]] = d
		}
		*list = was
	}
	for name, m := range map[string]*map[string]doc.Scalar{
		"effect": &d.Effect,
		"assume": &d.Assume,
		"leaves": &d.Leaves,
	} {
		was := *m
		for key := range was {
			less := maps.Clone(was)
			delete(less, key)
			*m = less
			out[name+" "+key] = d
		}
		*m = was
	}
	return out
}

// says is what a verdict comes to, with its plan and the cautions in it.
func says(lib *Library, f *fact.Facts, v *Verdict) string {
	s := fmt.Sprint(undone(lib, f, v), v.Disposition, v.Best, v.Worst, v.Confirmed, v.Route, v.NoRemedy, v.Open)
	for i := range v.Plan {
		p := &v.Plan[i]
		s += fmt.Sprint(
			" ",
			p.ID,
			p.Phase,
			p.Expected,
			p.Settles,
			len(p.Cautions(f)),
			p.Needed.Plain(),
			len(p.Amounts),
		)
	}
	return s
}

// drawnVerdict is the verdict on a random machine by a few requirements: others would cover
// what differs.
type drawnVerdict struct {
	res  *check.Result
	ask  func(*release.Requirement) bool
	said string
}

// drawnVerdicts are verdicts on random machines, the same ones at every run.
func drawnVerdicts(t *testing.T) []drawnVerdict {
	t.Helper()
	var all []drawnVerdict
	r := rand.New(rand.NewPCG(16, 7))
	lib := Shipped()
	for _, rel := range []*release.Release{
		everyRemedy(t), everyRemedy(t), coretest.Release(t, "skerry-12"), coretest.Release(t, "fathom-9"),
	} {
		for range 4000 {
			d := coretest.PC(r)
			if rel.InstallsOn == "mac" {
				d = coretest.Mac(r)
			}
			f := fact.Read(d)
			if r.IntN(6) == 0 {
				f.Set(fact.FirmwareUpdate, fact.Of(fact.Text, "2.14"), fact.GuideSource+"x")
			}
			res, err := check.Run(rel, f)
			if err != nil {
				t.Fatal(err)
			}
			some := map[string]bool{}
			for range 1 + r.IntN(3) {
				some[rel.Requirements[r.IntN(len(rel.Requirements))].ID] = true
			}
			ask := func(q *release.Requirement) bool { return some[q.ID] }
			v := lib.Solve(res, ask)
			all = append(all, drawnVerdict{res, ask, says(lib, f, &v)})
		}
	}
	r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	return all
}

// Whatever a step file says has an effect on some machine: without it, a verdict or a
// plan is another one.
func TestNothingInTheStepFilesIsIdle(t *testing.T) {
	if testing.Short() {
		t.Skip("it says nothing of a mistake")
	}
	all := drawnVerdicts(t)
	for i, d := range shipped() {
		less := lessOf(d)
		for _, what := range slices.Sorted(maps.Keys(less)) {
			docs := slices.Clone(shipped())
			docs[i] = less[what]
			rep := &doc.Report{}
			other := compile(docs, nil, safeguards(), rep)
			if rep.Count() > 0 {
				continue // it is refused
			}
			if !slices.ContainsFunc(all, func(x drawnVerdict) bool {
				v := other.Solve(x.res, x.ask)
				return says(other, x.res.Facts, &v) != x.said
			}) {
				t.Errorf("%s: without %s nothing changes", d.ID, what)
			}
		}
	}
}

// The verdicts on drawn machines are those of the record. With the test above, no part
// of the step files can get lost in silence. A rule that changes shows here as a number of
// groups that differ; the other tests say what is right, and -update writes the record anew.
func TestVerdictsAreThoseOfTheRecord(t *testing.T) {
	var b strings.Builder
	for group := range slices.Chunk(drawnVerdicts(t), 100) {
		sum := fnv.New64a()
		for _, x := range group {
			sum.Write([]byte(x.said))
		}
		fmt.Fprintf(&b, "%016x %s\n", sum.Sum64(), group[0].said)
	}
	expect.Record(t, "testdata/verdicts.txt", b.String())
}
