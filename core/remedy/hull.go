package remedy

import (
	"slices"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// hull fills the hull: the likely world is known, the others are worked out where
// they can differ from it.
func (v *Verdict) hull(l *outcome, s *solver, res *check.Result, path release.Path) {
	v.Disposition, v.Best, v.Worst = l.disposition, l.disposition, l.disposition
	in := func(w world) Disposition { return end(s.in(w), res, path) }
	if l.chance {
		v.Best = min(v.Best, in(luckiest))
	}
	doubt := l.doubt || len(l.open) > 0 || len(l.left) > 0
	if !doubt && !l.unsure {
		return
	}
	// What is feared lies between what is likely and the worst.
	if v.Worst < Replace {
		v.Worst = max(v.Worst, in(worst))
	}
	if doubt && v.Worst != l.disposition && (!l.unsure || in(feared) != l.disposition) {
		v.Disposition = Undetermined
	}
}

// end is the disposition alone, for which not every plan has to be looked for: one
// goal that nothing changes and that means a replacement says it all.
func end(s solver, res *check.Result, path release.Path) Disposition {
	for _, fd := range s.goals {
		n := fd.Requirement.Need
		if !need.SomeLeaf(n, func(l need.Leaf) bool { return s.lib.touched[l.Fact()] }) &&
			!s.possible(check.Decide(n, s.was)) && s.unmet(fd) == Replace {
			return Replace
		}
	}
	o := s.solve(res, path)
	defer o.free()
	return o.disposition
}

// widen takes another path into the hull, which the machine may have to take.
func (v *Verdict) widen(lib *Library, res *check.Result, ask func(*release.Requirement) bool, p release.Path) {
	if v.Best <= Ready && v.Worst >= Replace {
		return
	}
	s := newSolver(lib, res, ask, p)
	if v.Best > Ready {
		v.Best = min(v.Best, end(s.in(luckiest), res, p))
	}
	if v.Worst < Replace {
		v.Worst = max(v.Worst, end(s.in(worst), res, p))
	}
}

// sum turns what was chosen and what was left into the verdict.
func (v *Verdict) sum(l *outcome, res *check.Result, path release.Path) {
	if l.install >= 0 {
		v.Route, v.Through, v.Keeps, v.Back = release.Reinstall, "", nil, 0
	}
	if _, becomes := res.Release.EditionOf(res.Facts); becomes == need.False && v.Route != release.Reinstall {
		v.NoEdition = true
	}
	v.Foreign = path.Way == release.Reinstall && path.Truth == need.True && foreign(res)
	if !v.RouteKnown {
		v.Keeps, v.Back = nil, 0 // nothing is promised
	}
	for _, fd := range l.left {
		v.NoRemedy = append(v.NoRemedy, fd.Requirement.ID)
		if proven(fd.Requirement, res.Facts) {
			v.Proven = append(v.Proven, fd.Requirement.ID)
		}
	}
	l.fillSettles(res)
	for k := len(l.chosen) - 1; k >= 0; k-- {
		if l.chosen[k].dangles {
			v.Open = append(v.Open, l.chosen[k].Settles...)
			l.chosen = slices.Delete(l.chosen, k, k+1)
		}
	}
	for i := range res.Findings { // in the order of the document
		fd := &res.Findings[i]
		switch {
		case slices.Contains(l.open, fd):
			if !l.settledForGood(fd) {
				v.Open = append(v.Open, fd.Requirement.ID)
			}
		case slices.Contains(l.failing, fd) && !slices.Contains(l.left, fd) &&
			check.Decide(fd.Requirement.Need, l.sim) != need.True:
			v.Open = append(v.Open, fd.Requirement.ID)
		}
	}
	slices.SortFunc(v.Open, order(res))
	v.Open = slices.Compact(v.Open)
	slices.SortFunc(v.NoRemedy, order(res))
	slices.SortFunc(v.Proven, order(res))
	// Where the best it can be is that somebody has to decide, an unknown that
	// cannot change that leaves nothing undetermined.
	if len(v.Open) > 0 && !(v.Disposition == Replace || v.Disposition == Decide && v.Worst == Decide) {
		v.Disposition = Undetermined
	}
	v.Confirmed = v.Disposition != Undetermined && v.Best == v.Worst
	if !v.Confirmed {
		v.Bases = planner{l.solver}.bases(v, res)
	}
}

// order sorts ids of requirements as the document has them.
func order(res *check.Result) func(a, b string) int {
	at := func(id string) int {
		return slices.IndexFunc(res.Findings, func(fd check.Finding) bool { return fd.Requirement.ID == id })
	}
	return func(a, b string) int { return at(a) - at(b) }
}

// bases are the readings that an expected verdict rests on.
func (s planner) bases(v *Verdict, res *check.Result) []Basis {
	var out []Basis
	add := func(b Basis) {
		if !slices.ContainsFunc(out,
			func(o Basis) bool { return o.Fact == b.Fact && (b.Fact != nil || o.Step == b.Step) }) {
			out = append(out, b)
		}
	}
	for i := range s.chosen {
		p := &s.chosen[i]
		if !p.Expected || !p.Counts() || v.Disposition.Futile() {
			continue
		}
		said := false
		for _, def := range p.restsOn {
			if r := s.was.Get(def.ID); r.Value.Known() || r.Gap != nil {
				add(Basis{p.Step, def, r})
				said = true
			}
		}
		if !said {
			add(Basis{Step: p.Step})
		}
	}
	if !v.RouteKnown {
		for _, id := range []fact.ID{
			fact.OSPlatform, fact.OSVersion, fact.OSArchitecture, fact.OSEdition, fact.OSLanguage,
		} {
			if r := res.Facts.Get(id); !r.Value.Known() && res.Release.RoutesBy(id) {
				add(Basis{Fact: id.Def(), Reading: r})
			}
		}
	}
	return out
}
