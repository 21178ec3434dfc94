package remedy

import (
	"cmp"
	"slices"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
)

// Further work is what no requirement asks for: advice that is not followed, and titles and
// drivers of which the release says something. No verdict depends on it.

// worthDoing are facts that list titles and drivers of which the release says that
// something has to be done. They are on somebody's list even if no requirement asks.
var worthDoing = []fact.ID{
	fact.SoftwareToRemove, fact.SoftwareToUpdate, fact.SoftwareToBuy, fact.SoftwareProblems,
	fact.DriversToRemove, fact.DriversToUpdate, fact.DriverProblems,
}

// Further are the steps of further work, each with its weight. A machine that is done, or that is
// not going to get the release, has none.
func (l *Library) Further(res *check.Result, v *Verdict) []Planned {
	if v.Planned || v.Disposition == Done || v.Disposition == Replace {
		return nil
	}
	l = l.under(res.Release)
	s := &solver{lib: l, world: likely, was: res.Facts, route: v.Route, guest: v.Guest, install: -1}
	s.enter()
	defer s.leave()
	for i := range v.Plan {
		p := v.Plan[i]
		s.simulate(&p, nil)
		s.chosen = append(s.chosen, p)
	}
	planned := len(s.chosen)
	for i := range res.Findings {
		fd := &res.Findings[i]
		q := fd.Requirement
		if q.Level == release.Should && fd.Outcome == check.Fail && (q.Interim == nil || v.Route == release.ByInterim) {
			s.failing = append(s.failing, fd)
		}
	}
	s.goals = s.failing
	s.settleAll()
	for k := planned; k < len(s.chosen); k++ {
		s.chosen[k].Weight = release.Advised
	}
	weights := check.Weights(res.Release, res.Facts)
	for _, id := range worthDoing {
		if (advisor{s}).unsettled(id) {
			advisor{s}.clear(id)
		}
		for k := planned; k < len(s.chosen); k++ {
			if p := &s.chosen[k]; slices.ContainsFunc(p.effects, func(c stepEffect) bool { return c.id == id }) {
				p.Weight = release.Heavier(p.Weight, weights[id])
			}
		}
	}
	s.fillSettles(res)
	var steps []*Planned // pointers: what sorts values of this size is large
	for k := planned; k < len(s.chosen); k++ {
		if p := &s.chosen[k]; p.Class != NoClass {
			p.Weight = cmp.Or(p.Weight, release.Advised) // it was pulled by another one
			p.Amounts = planner{s}.amounts(p)
			steps = append(steps, p)
		}
	}
	slices.SortStableFunc(steps, func(a, b *Planned) int {
		return cmp.Or(release.CompareWeights(b.Weight, a.Weight), phaseRank[a.Phase]-phaseRank[b.Phase])
	})
	var out []Planned
	for _, p := range steps {
		out = append(out, *p)
	}
	return out
}

// advisor adds further work to what a solver chose.
type advisor struct{ *solver }

// clear adds the step that settles a list of titles or drivers.
func (s advisor) clear(id fact.ID) {
	for _, i := range s.lib.changing[id] {
		st := &s.lib.steps[i]
		if !st.Installs && st.Class < Part && st.on(s.route, s.guest) && !s.has(i) && s.apply(i) {
			return
		}
	}
}

// unsettled says whether a list of titles or drivers has entries that nothing settles.
// On an emptied disk nothing of it is left.
func (s advisor) unsettled(id fact.ID) bool {
	r := s.sim.Get(id)
	return len(r.Value.Set())+len(r.Floor().Set()) > 0 && s.route != release.Reinstall
}
