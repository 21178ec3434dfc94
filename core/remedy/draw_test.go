package remedy

import (
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/release"
)

// everyRemedy is a release that asks for all that some step brings about.
func everyRemedy(t *testing.T) *release.Release {
	t.Helper()
	src, err := os.ReadFile("testdata/every-remedy.yaml")
	if err != nil {
		t.Fatal(err)
	}
	rel, err := release.Read("every-remedy", src, nil)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

// reversed is the library with its files read backwards, so that the order in
// which steps are written helps no plan: only what they say of each other does.
// The edges named as “step after step” are left out.
func reversed(t *testing.T, drop ...string) *Library {
	t.Helper()
	var docs []StepDoc
	left := len(drop)
	for _, s := range slices.Backward(Shipped().steps) {
		d := s.StepDoc
		d.After = nil
		for _, a := range s.After {
			if slices.Contains(drop, s.ID+" after "+a) {
				left--
			} else {
				d.After = append(d.After, a)
			}
		}
		docs = append(docs, d)
	}
	if left != 0 {
		t.Errorf("some of the edges %q are not there", drop)
	}
	r := &doc.Report{}
	lib := compile(docs, nil, safeguards(), r)
	if err := r.Err(); err != nil {
		t.Fatal(err)
	}
	return lib
}

// plansOf runs f over the plans of many machines until it returns false.
func plansOf(t *testing.T, rel *release.Release, lib *Library, count int, f func(*fact.Facts, *Verdict) bool) {
	t.Helper()
	plans(t, rel, lib, count, func(res *check.Result, v *Verdict) bool { return f(res.Facts, v) })
}

// plans runs f over the plans of many machines until it returns false.
func plans(t *testing.T, rel *release.Release, lib *Library, count int, f func(*check.Result, *Verdict) bool) {
	t.Helper()
	r := rand.New(rand.NewPCG(7, 7))
	for range count {
		d := coretest.PC(r)
		if rel.InstallsOn == "mac" {
			d = coretest.Mac(r)
		}
		facts := fact.Read(d)
		if r.IntN(6) == 0 { // as a firmware guide states it
			facts.Set(fact.FirmwareUpdate, fact.Of(fact.Text, "2.14"), fact.GuideSource+"x")
		}
		res, err := check.Run(rel, facts)
		if err != nil {
			t.Fatal(err)
		}
		v := solve(lib, res, nil, res.Path, true)
		if !f(res, &v) {
			return
		}
	}
}
