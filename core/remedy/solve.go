package remedy

import (
	"slices"
	"sync"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// solver looks for the least steps for one machine and one set of musts.
type solver struct {
	lib     *Library
	was     *fact.Facts // as read
	sim     *fact.Facts // as the chosen steps would leave it
	spare   *fact.Facts // what it was before something is tried
	route   string
	guest   bool
	fixed   bool // how the release is installed is settled
	failing []*check.Finding
	open    []*check.Finding // musts that are not known
	chosen  []Planned
	worst   Class
	rests   []string
	doubt   bool // a remedy is chosen of which it is not known whether it can be done
}

// Solve works out the verdict over the musts that ask admits (nil: all).
func (l *Library) Solve(res *check.Result, ask func(*release.Requirement) bool) Verdict {
	v := solve(l, res, ask, res.Path, -1)
	if v.Route != release.ByInterim || !slices.ContainsFunc(res.Findings, func(fd check.Finding) bool {
		return fd.Requirement.Interim != nil && fd.Requirement.Level == release.Must && fd.Outcome == check.Fail
	}) {
		return v
	}
	other := solve(l, res, ask, release.Path{Way: release.Reinstall, Truth: res.Path.Truth}, -1)
	if v.Disposition == Replace && other.Disposition != Replace {
		v, other = other, v
	}
	if other.Disposition != Replace || v.Disposition == Replace {
		v.Other = &other
	} else {
		v.Other = &Verdict{Disposition: Replace, Route: other.Route, Through: other.Through, NoRemedy: other.NoRemedy, RouteKnown: other.RouteKnown}
	}
	return v
}

// rooms are facts to simulate in: nothing of them outlives a solution, and a
// fleet asks for many.
var rooms = sync.Pool{New: func() any { return new([2]fact.Facts) }}

// solve works out the verdict for a route. install is the index of a step
// that installs the release afresh, when the way there has shown to need it.
func solve(lib *Library, res *check.Result, ask func(*release.Requirement) bool, path release.Path, install int) Verdict {
	f := res.Facts
	room := rooms.Get().(*[2]fact.Facts)
	defer rooms.Put(room)
	s := &solver{lib: lib, was: f, sim: &room[0], spare: &room[1], route: path.Way, guest: f.Guest()}
	*s.sim = *f
	v := Verdict{Route: path.Way, Through: path.Through(), Keeps: path.Keeps, RouteKnown: path.Truth == need.True, Guest: s.guest}
	v.Foreign = path.Way == release.Reinstall && path.Truth == need.True && foreign(res)
	if path.Way == release.Reinstall && install < 0 {
		install = lib.at["reinstall"]
	}
	var failing, unknown []*check.Finding
	for i := range res.Findings {
		fd := &res.Findings[i]
		q := fd.Requirement
		if q.Level != release.Must || ask != nil && !ask(q) || q.Interim != nil && path.Way != release.ByInterim {
			continue
		}
		switch fd.Outcome {
		case check.Fail:
			failing = append(failing, fd)
		case check.Unknown:
			unknown = append(unknown, fd)
		case check.Waived:
			v.Waived = append(v.Waived, q.ID)
		}
	}
	s.failing, s.open = failing, unknown
	if install >= 0 {
		s.route, v.Route, v.Through, v.Keeps = release.Reinstall, release.Reinstall, "", nil
		s.fixed = install != lib.at["reinstall"]
		s.apply(install, nil)
	}
	s.alwaysThere()
	left := s.settleAll(failing)
	if again := s.installs(install); again >= 0 {
		return solve(lib, res, ask, release.Path{Way: release.Reinstall, Truth: path.Truth}, again)
	}
	v.sum(s, left, unknown, len(failing) == 0)
	v.Plan = s.plan(&v)
	return v
}

// alwaysThere adds the steps that stand in every plan of such a machine: what
// they change comes before anything is chosen.
func (s *solver) alwaysThere() {
	for i := range s.lib.steps {
		if st := &s.lib.steps[i]; st.Always != nil && st.on(s.route, s.guest) && !s.was.Planned() && st.Always.Test(s.was.View()) == need.True && st.can(s.sim) != need.False {
			s.apply(i, nil)
		}
	}
}

func copyOf(f *fact.Facts) *fact.Facts {
	g := *f
	return &g
}

// foreign: the release has no upgrade from any version of the platform that
// runs on the machine.
func foreign(res *check.Result) bool {
	if res.Facts.Planned() {
		return true
	}
	p := res.Facts.Value(fact.OSPlatform).Text()
	return p != "" && !slices.ContainsFunc(res.Release.Upgrade, func(s release.SourceDoc) bool { return s.Platform == p })
}

// installs is a chosen step that installs the release, other than one, or -1.
func (s *solver) installs(other int) int {
	for _, c := range s.chosen {
		if c.Installs && c.index != other {
			return c.index
		}
	}
	return -1
}

// settleAll chooses steps for all failing findings and returns those that
// nothing settles. Steps that surely can be done are tried until none helps
// any more, since one can make another possible; then pairs; then both again
// with steps of which it is not known whether they can be done.
func (s *solver) settleAll(failing []*check.Finding) []*check.Finding {
	left := failing
	for _, attempt := range []func(*check.Finding) bool{
		func(fd *check.Finding) bool { return s.single(fd, need.True) },
		func(fd *check.Finding) bool { return s.pair(fd, need.True) },
		func(fd *check.Finding) bool { return s.single(fd, need.Unknown) },
		func(fd *check.Finding) bool { return s.pair(fd, need.Unknown) },
	} {
		for again := true; again && len(left) > 0; {
			again = false
			var rest []*check.Finding
			for _, fd := range left {
				if s.settled(fd) || attempt(fd) {
					again = true
				} else {
					rest = append(rest, fd)
				}
			}
			left = rest
		}
	}
	return left
}

// settled notes that steps chosen before settle a finding too.
func (s *solver) settled(fd *check.Finding) bool {
	if fd.Requirement.Need.Test(s.sim.View()) != need.True {
		return false
	}
	for i := range s.chosen {
		if s.chosen[i].shows(fd.Requirement.Need) && !slices.Contains(s.chosen[i].Settles, fd.Requirement.ID) {
			s.chosen[i].Settles = append(s.chosen[i].Settles, fd.Requirement.ID)
		}
	}
	return true
}

// options are the steps that could change what a need reads, the least first.
func (s *solver) options(n need.Need, least need.Truth) []int {
	var out []int
	for i := range s.lib.steps {
		st := &s.lib.steps[i]
		if st.Class == NoClass || st.Installs && s.fixed || !st.on(s.route, s.guest) || !st.touches(n) || s.has(i) {
			continue
		}
		if t := st.can(s.sim); t >= least && s.below(st, n) != need.False {
			out = append(out, i)
		}
	}
	slices.SortStableFunc(out, func(a, b int) int { return int(s.lib.steps[a].Class) - int(s.lib.steps[b].Class) })
	return out
}

// below: what is needed is not beyond what the machine takes.
func (s *solver) below(st *Step, n need.Need) need.Truth {
	if st.ceiling == nil {
		return need.True
	}
	most := s.was.Value(st.ceiling.ID)
	if !most.Known() || most.Float() == 0 {
		return need.Unknown
	}
	for _, c := range st.effects {
		if v, ok := needed(n, c.id, s.sim); ok && v.Float() > most.Float() {
			return need.False
		}
	}
	return need.True
}

func (s *solver) single(fd *check.Finding, least need.Truth) bool {
	for _, i := range s.options(fd.Requirement.Need, least) {
		if s.try(fd, i) {
			return true
		}
	}
	return false
}

func (s *solver) pair(fd *check.Finding, second need.Truth) bool {
	for _, i := range s.options(fd.Requirement.Need, need.True) {
		for _, j := range s.options(fd.Requirement.Need, second) {
			if i != j && s.try(fd, i, j) {
				return true
			}
		}
	}
	return false
}

// try applies steps and keeps them if they settle the finding.
func (s *solver) try(fd *check.Finding, steps ...int) bool {
	*s.spare = *s.sim
	s.chosen = slices.Clip(s.chosen) // what is tried is appended to a copy
	before := *s
	for _, i := range steps {
		if s.lib.steps[i].can(s.sim) == need.False || !s.apply(i, fd.Requirement) {
			s.undo(before)
			return false
		}
	}
	if fd.Requirement.Need.Test(s.sim.View()) != need.True {
		s.undo(before)
		return false
	}
	return true
}

// undo takes back what was tried.
func (s *solver) undo(before solver) {
	*s = before
	*s.sim = *s.spare
}

func (s *solver) has(i int) bool {
	return slices.ContainsFunc(s.chosen, func(p Planned) bool { return p.index == i })
}

// apply adds a step with all it pulls to the plan and simulates it. It fails
// where a remedy that it pulls cannot be done.
func (s *solver) apply(i int, q *release.Requirement) bool {
	st := &s.lib.steps[i]
	for _, j := range st.pulls {
		p := &s.lib.steps[j]
		if p.Class == NoClass && s.was.Planned() {
			continue // there is nothing on it to be kept
		}
		if s.has(j) || !p.on(s.route, s.guest) && p.Class == NoClass || p.Skip != nil && p.Skip.Test(s.sim.View()) == need.True {
			continue
		}
		if can := p.can(s.sim); can != need.True || !p.on(s.route, s.guest) {
			if can == need.Unknown && p.Skip != nil && p.Skip.Test(s.sim.View()) == need.Unknown {
				continue // neither whether it is needed is known nor whether it can be done
			}
			if p.Class != NoClass {
				return false
			}
			continue
		}
		if !s.apply(j, nil) {
			return false
		}
	}
	if s.has(i) {
		return true
	}
	p := Planned{Step: st, index: i}
	if q != nil {
		p.Settles = []string{q.ID}
	}
	doubt := st.can(s.sim) == need.Unknown
	if s.doubt = s.doubt || doubt; doubt {
		s.worst = Replacement
	}
	if st.Class != NoClass && !st.sure(s.was) {
		p.Expected = true
		s.worst = max(s.worst, st.Worst)
		if st.RestsOn != "" && !slices.Contains(s.rests, st.RestsOn) {
			s.rests = append(s.rests, st.RestsOn)
		}
	}
	s.simulate(&p, q)
	s.chosen = append(s.chosen, p)
	return true
}

func (s *solver) simulate(p *Planned, q *release.Requirement) {
	for _, c := range p.effects {
		v := c.value
		if !v.Known() {
			var ok bool
			if v, ok = s.least(c.id, q); !ok {
				continue
			}
			if c.id.Def().Kind != fact.Set && !p.Needed.Known() && (q == nil || need.Reads(q.Need, c.id)) {
				p.NeededOf, p.Needed = c.id, v
				if was := s.was.Value(c.id); was.Known() && c.id.Def().Kind == fact.Number {
					p.Short = v.Float() - was.Float()
				}
			}
		}
		if c.id.Group() != fact.NoGroup {
			s.sim.Raise(c.id, v)
			continue
		}
		s.sim.Set(c.id, v, "step "+p.ID)
	}
	for _, c := range p.assumes {
		if !s.sim.Value(c.id).Known() {
			s.sim.Set(c.id, c.value, "step "+p.ID)
			p.Expected = true
		}
	}
}

// least is the value that a step brings a fact to: what the requirement that it
// is chosen for needs, or another one that fails or is not known. A new drive
// has room, too.
func (s *solver) least(id fact.ID, q *release.Requirement) (fact.Value, bool) {
	if q != nil {
		if v, ok := needed(q.Need, id, s.sim); ok {
			return v, true
		}
	}
	for _, list := range [][]*check.Finding{s.failing, s.open} {
		for _, fd := range list {
			if v, ok := needed(fd.Requirement.Need, id, s.sim); ok {
				return v, true
			}
		}
	}
	return fact.Value{}, false
}

// needed is the least value of a fact that meets a need, where the facts do
// not meet it yet.
func needed(n need.Need, id fact.ID, f *fact.Facts) (fact.Value, bool) {
	if !need.Reads(n, id) {
		return fact.Value{}, false
	}
	for l := range n.Leaves() {
		if l.Fact() != id || l.Test(f.View()) == need.True {
			continue
		}
		switch x := l.(type) {
		case *need.AtLeast:
			return x.Limit, true
		case *need.OneOf:
			return x.Values[0], true
		case *need.HasAll:
			off := f.Value(fact.ProcessorFeaturesOff)
			for _, item := range need.Missing(x.Items, f.Value(id)) {
				if !off.Has(item) {
					return fact.Value{}, false
				}
			}
			return fact.Items(append(slices.Clone(f.Value(id).Set()), x.Items...)), true
		case *need.HasAny:
			for _, item := range x.Items {
				if f.Value(fact.ProcessorFeaturesOff).Has(item) {
					return fact.Items(append(slices.Clone(f.Value(id).Set()), item)), true
				}
			}
		}
	}
	return fact.Value{}, false
}

// worstOf is what it takes if an unknown requirement turns out to fail.
func (s *solver) worstOf(fd *check.Finding) Class {
	for _, i := range s.options(fd.Requirement.Need, need.Unknown) {
		st := &s.lib.steps[i]
		if st.sure(s.was) && st.can(s.sim) == need.True {
			return st.Class
		}
	}
	return Replacement
}
