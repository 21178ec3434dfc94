package remedy

import (
	"slices"
	"strings"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

func (s *solver) has(i int) bool {
	for k := range s.chosen {
		if s.chosen[k].index == i {
			return true
		}
	}
	return false
}

// apply adds a step with all it pulls to the plan and simulates it. It fails
// where a remedy that it pulls cannot be done.
func (s *solver) apply(i int) bool {
	st := &s.lib.steps[i]
	for _, j := range st.pulls {
		p := &s.lib.steps[j]
		if p.Class == NoClass && s.was.Planned() {
			continue // there is nothing on it to be kept
		}
		if p.Class == NoClass && s.lib.guarded(p.ID) {
			continue // the table of safeguards says where it stands
		}
		if s.has(j) || !p.on(s.route, s.guest) && p.Class == NoClass || p.Skip != nil &&
			p.Skip.Test(s.sim.View()) == need.True {
			continue
		}
		can := p.can(s.sim)
		if p.Class == NoClass {
			if can != need.True {
				continue
			}
		} else {
			if can == need.Unknown && p.Skip != nil && p.Skip.Test(s.sim.View()) == need.Unknown {
				continue // neither whether it is needed is known nor whether it can be done
			}
			sure := p.sure(s.was)
			s.doubt, s.unsure = s.doubt || can == need.Unknown, s.unsure || !sure
			if !s.possible(can) || !p.on(s.route, s.guest) || !sure && !s.available(p) {
				return false
			}
		}
		if !s.apply(j) {
			return false
		}
	}
	if s.has(i) {
		return true
	}
	p := Planned{Step: st, Phase: st.Phase, index: i}
	if st.Class != NoClass && !st.sure(s.was) {
		p.Expected, s.unsure = true, true
	}
	if st.ceiling != nil && !s.was.Value(st.ceiling.ID).Known() {
		p.Expected = true
	}
	if p.Phase == anyPhase {
		p.Phase = s.visit()
	}
	s.simulate(&p, nil)
	s.chosen = append(s.chosen, p)
	return len(st.leaves) == 0 || s.follow(len(s.chosen)-1)
}

// visit is the phase in which the machine itself is worked on.
func (s *solver) visit() string {
	if s.guest {
		return Host
	}
	return Desk
}

// follow applies what a chosen step leaves to be done: without it the machine may not
// start. Where it is not known whether anything is left, a kind world has it done, and
// the step dangles: no plan has it.
func (s *solver) follow(at int) bool {
	for _, c := range s.chosen[at].leaves {
		was := s.sim.Value(c.id)
		if was.Equal(c.value) {
			continue
		}
		done := false
		for _, j := range s.lib.changing[c.id] {
			next := &s.lib.steps[j]
			if !next.sets(c.id, c.value.Text()) || next.Installs || !next.on(s.route, s.guest) || s.has(j) {
				continue
			}
			can, sure := next.can(s.sim), next.sure(s.was)
			s.doubt, s.unsure = s.doubt || can == need.Unknown, s.unsure || !sure
			back := s.mark()
			if s.possible(can) && (sure || s.available(next)) && s.apply(j) {
				done = true
				break
			}
			s.undo(back)
		}
		if !done && (was.Known() || !s.world.kind) {
			return false
		}
		if !done {
			s.doubt, s.chosen[at].dangles = true, true
		}
	}
	return true
}

// simulate leaves the facts as a step would leave them. q is the requirement that the
// step is done for; nil: all that are asked for.
func (s *solver) simulate(p *Planned, q *release.Requirement) {
	for _, c := range p.effects {
		v := c.value
		if !v.Known() {
			var n need.Need
			if q != nil {
				n = q.Need
			}
			var ok bool
			if v, ok = s.least(c.id, n); !ok {
				continue
			}
			if c.id.Def().Kind != fact.Set && !p.Needed.Known() {
				p.NeededOf, p.Needed = c.id, v
				if was := s.was.Value(c.id); was.Known() && c.id.Def().Kind == fact.Number {
					p.Short = v.Float() - was.Float()
				}
			}
		}
		if g := c.id.Group(); g != fact.NoGroup {
			s.log = append(s.log, change{id: c.id, rows: s.sim.Keep(g)})
			s.sim.RaiseRows(c.id, v)
			continue
		}
		was := s.sim.Get(c.id)
		s.log = append(s.log, change{id: c.id, was: *was})
		if !c.value.Known() && v.Kind() == fact.Number {
			// What is bought or freed may be more than is needed, and is not less than was
			// there.
			s.sim.SetFloor(c.id, larger(larger(v, was.Value), was.Floor()), "step")
			continue
		}
		s.sim.Set(c.id, v, "step")
	}
	if s.world == worst {
		return // nothing is assumed
	}
	for _, c := range p.assumes {
		if !s.sim.Value(c.id).Known() {
			s.log = append(s.log, change{id: c.id, was: *s.sim.Get(c.id)})
			s.sim.Set(c.id, c.value, "step")
			p.Expected, s.unsure = true, true
		}
	}
}

// change is a fact as it was before a step, to be put back.
type change struct {
	id   fact.ID
	was  fact.Reading
	rows fact.Kept
}

// place is how far a solver has come.
type place struct{ chosen, log int }

func (s *solver) mark() place { return place{len(s.chosen), len(s.log)} }

// undo takes back what was tried since a mark.
func (s *solver) undo(to place) {
	for i := len(s.log) - 1; i >= to.log; i-- {
		c := &s.log[i]
		if g := c.id.Group(); g != fact.NoGroup {
			s.sim.Restore(g, c.rows)
		} else {
			s.sim.PutBack(c.id, c.was)
		}
	}
	s.log, s.chosen = s.log[:to.log], s.chosen[:to.chosen]
}

// least is the value that a step brings a fact to: the most that any requirement
// that fails needs, or one that is not known. n is looked at, too.
func (s *solver) least(id fact.ID, n need.Need) (fact.Value, bool) {
	out, ok := fact.Value{}, false
	if n != nil {
		out, ok = needed(n, id, s.sim)
	}
	for _, list := range [][]*check.Finding{s.failing, s.open} {
		for _, fd := range list {
			if v, more := needed(fd.Requirement.Need, id, s.sim); more {
				out, ok = larger(out, v), true
			}
		}
	}
	return out, ok
}

// larger is the larger of two values that are needed of one fact: the higher number,
// all items of two sets, the earlier of two words.
func larger(a, b fact.Value) fact.Value {
	switch {
	case !a.Known():
		return b
	case !b.Known():
		return a
	case a.Kind() == fact.Number || a.Kind() == fact.Version:
		if b.Compare(a) > 0 {
			return b
		}
	case a.Kind() == fact.Set:
		return fact.Items(union(a.Set(), b.Set()))
	}
	return a
}

func union(a, b []string) []string {
	out := slices.Clone(a)
	for _, s := range b {
		if !slices.ContainsFunc(out, func(t string) bool { return strings.EqualFold(s, t) }) {
			out = append(out, s)
		}
	}
	return out
}

// needed is the least value of a fact that meets a need, where the facts do
// not meet it yet.
func needed(n need.Need, id fact.ID, f *fact.Facts) (out fact.Value, ok bool) {
	switch x := n.(type) {
	case *need.AllOf:
		for _, p := range x.Parts {
			if v, also := needed(p, id, f); also {
				out, ok = larger(out, v), true
			}
		}
		return out, ok
	case *need.AnyOf:
		for _, p := range x.Parts {
			if v, also := needed(p, id, f); also && (!ok || v.Kind() == fact.Number && v.Compare(out) < 0) {
				out, ok = v, true
			}
		}
		return out, ok
	case *need.Each:
		if x.Fact() != id {
			return needed(x.Part, id, f)
		}
		return fact.Value{}, false
	case need.Leaf:
		if x.Fact() != id || x.Test(f.View()) == need.True {
			return fact.Value{}, false
		}
		return neededBy(x, id, f)
	}
	return fact.Value{}, false
}

func neededBy(l need.Leaf, id fact.ID, f *fact.Facts) (fact.Value, bool) {
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
		return fact.Items(union(f.Value(id).Set(), x.Items)), true
	case *need.HasAny:
		for _, item := range x.Items {
			if f.Value(fact.ProcessorFeaturesOff).Has(item) {
				return fact.Items(union(f.Value(id).Set(), []string{item})), true
			}
		}
	}
	return fact.Value{}, false
}

// prune drops remedies that others make needless: what is chosen does not depend
// on the order in which it was looked for.
func (s *solver) prune() {
	for again := true; again; {
		again = false
		for _, i := range s.droppable() {
			if s.without(i) {
				again = true
				break
			}
		}
	}
}

// droppable are remedies all of whose effects another one has, too, the least first.
func (s *solver) droppable() []int {
	var out []int
	for k := range s.chosen {
		p := &s.chosen[k]
		if p.Class == NoClass || p.Always != nil || p.index == s.install || s.pulledByOther(p.index) {
			continue
		}
		if !slices.ContainsFunc(p.effects,
			func(c stepEffect) bool { return s.goalReads(c.id) && !s.otherChanges(p.index, c.id) }) {
			out = append(out, p.index)
		}
	}
	slices.SortStableFunc(out, func(a, b int) int { return int(s.lib.steps[a].Class) - int(s.lib.steps[b].Class) })
	return out
}

func (s *solver) pulledByOther(i int) bool {
	return slices.ContainsFunc(s.chosen, func(p Planned) bool { return p.index != i && slices.Contains(p.pulls, i) })
}

func (s *solver) otherChanges(i int, id fact.ID) bool {
	return slices.ContainsFunc(s.chosen, func(p Planned) bool {
		return p.index != i && slices.ContainsFunc(p.effects, func(c stepEffect) bool { return c.id == id })
	})
}

func (s *solver) goalReads(id fact.ID) bool {
	return slices.ContainsFunc(s.goals, func(fd *check.Finding) bool { return need.Reads(fd.Requirement.Need, id) })
}

// without chooses everything again but for one remedy, and keeps that where all
// goals stay as they are.
func (s *solver) without(drop int) bool {
	var met []*check.Finding
	for _, fd := range s.goals {
		if s.met(fd.Requirement.Need) {
			met = append(met, fd)
		}
	}
	again := *s
	again.enter()
	ok := true
	for k := range s.chosen {
		p := &s.chosen[k]
		if p.index == drop || p.Class == NoClass && p.Always == nil || again.has(p.index) {
			continue
		}
		if p.index != s.install && !again.possible(p.can(again.sim)) && p.Unlikely == nil || !again.apply(p.index) {
			ok = false
			break
		}
	}
	ok = ok && !again.has(drop) &&
		!slices.ContainsFunc(met, func(fd *check.Finding) bool { return !again.met(fd.Requirement.Need) })
	if !ok {
		again.leave()
		return false
	}
	s.leave()
	*s = again
	return true
}

// fillSettles notes for each remedy which requirements it settles, in the order of
// the document.
func (s *solver) fillSettles(res *check.Result) {
	for k := range s.chosen {
		s.chosen[k].Settles = nil
	}
	for i := range res.Findings {
		fd := &res.Findings[i]
		if !s.takesCareOf(fd) {
			continue
		}
		aside, settled := -1, false
		for k := range s.chosen {
			p := &s.chosen[k]
			switch {
			case s.settles(p, fd):
				p.Settles, settled = append(p.Settles, fd.Requirement.ID), true
			case p.touches(fd.Requirement.Need):
				aside = k
			}
		}
		// It may be met as a side effect of what is done for others.
		if !settled && aside >= 0 && s.met(fd.Requirement.Need) {
			s.chosen[aside].Settles = append(s.chosen[aside].Settles, fd.Requirement.ID)
		}
	}
}

// takesCareOf says whether a finding fails, or is one that is not known and that
// what was chosen settles.
func (s *solver) takesCareOf(fd *check.Finding) bool {
	return slices.Contains(s.failing, fd) || slices.Contains(s.open, fd) && s.settledForGood(fd)
}

// settles: the step changes something that the requirement needs and has not.
func (s *solver) settles(p *Planned, fd *check.Finding) bool {
	if p.Class == NoClass && p.Always == nil {
		return false
	}
	return need.SomeLeaf(fd.Requirement.Need,
		func(l need.Leaf) bool { return s.brings(p.effects, l) || s.brings(p.assumes, l) })
}

// brings says whether one of the effects is what a comparison asks for and had not.
func (s *solver) brings(effects []stepEffect, l need.Leaf) bool {
	for i := range effects {
		c := &effects[i]
		if c.id == l.Fact() && meets(l, c.value) &&
			(c.id.Group() != fact.NoGroup || l.Test(s.was.View()) != need.True) {
			return true
		}
	}
	return false
}

// meets says whether a value that a step leaves is one that a comparison asks for. A
// value that is not known stands for the one that is needed.
func meets(l need.Leaf, v fact.Value) bool {
	if !v.Known() {
		return true
	}
	is := func(w fact.Value) bool { return v.Equal(w) }
	switch x := l.(type) {
	case *need.OneOf:
		return slices.ContainsFunc(x.Values, is)
	case *need.NoneOf:
		return !slices.ContainsFunc(x.Values, is)
	case *need.AtLeast:
		return v.Compare(x.Limit) >= 0
	case *need.AtMost:
		return v.Compare(x.Limit) <= 0
	}
	return true
}

func (s *solver) settlesAny(p *Planned) bool {
	return slices.ContainsFunc(s.failing, func(fd *check.Finding) bool { return s.settles(p, fd) })
}
