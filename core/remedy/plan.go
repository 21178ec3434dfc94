package remedy

import (
	"cmp"
	"slices"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// planner makes a plan of what a solver chose.
type planner struct{ *solver }

// plan orders what was chosen and adds what belongs to any plan: closing the
// unknowns, checking again, resuming encryption, and the installation itself.
// A machine to replace gets no other step: nobody is sent to it in vain.
func (s planner) plan(v *Verdict) []Planned {
	switch v.Disposition {
	case Replace:
		v.Withheld = s.withheld()
		return []Planned{{Step: s.lib.Step(Replacing), Phase: Install, Settles: v.NoRemedy}}
	case Decide:
		v.Withheld = s.withheld()
		return s.undecided(v)
	}
	if s.was.Planned() {
		return s.order() // nobody can read or visit it yet
	}
	s.close(v.Open)
	if len(v.NoRemedy) > 0 {
		s.add(Deciding, v.NoRemedy)
	}
	if v.Route == release.ByInterim {
		s.add(Interposing, nil)
	}
	if s.install < 0 {
		role := Upgrading
		if v.Route == release.Image {
			role = Imaging
		}
		s.apply(s.lib.playing[role])
	}
	s.spareVisit()
	s.guard()
	return s.order()
}

// spareVisit moves what is done at the desk to the running system where all of it can be done from there: a visit that
// takes place anyway settles everything, in the order of a visit.
func (s planner) spareVisit() {
	for k := range s.chosen {
		p := &s.chosen[k]
		if p.Phase == Desk && (p.afar == nil || p.afar.Test(s.was.View()) != need.True) {
			return
		}
	}
	for k := range s.chosen {
		if s.chosen[k].Phase == Desk {
			s.chosen[k].Phase = Remote
		}
	}
}

// withheld are the chosen steps that would settle something.
func (s planner) withheld() []Planned {
	var out []Planned
	for _, p := range s.chosen {
		if p.Class != NoClass && p.Class < Decision {
			out = append(out, p)
		}
	}
	return out
}

// undecided is the plan of a machine on which somebody has to decide first: a look at
// what is unlikely and not ruled out, then the decision.
func (s planner) undecided(v *Verdict) []Planned {
	s.undo(place{})
	s.alwaysThere()
	for _, id := range v.NoRemedy {
		fd := s.finding(id)
		for i := range s.lib.steps {
			st := &s.lib.steps[i]
			if st.Unlikely == nil || st.Unlikely.Test(s.was.View()) == need.False || !st.on(s.route, s.guest) ||
				fd == nil || !st.touches(fd.Requirement.Need) {
				continue
			}
			s.apply(i)
			for k := range s.chosen {
				if p := &s.chosen[k]; p.index == i {
					p.Expected = true
					if !slices.Contains(p.Settles, id) {
						p.Settles = append(p.Settles, id)
					}
				}
			}
		}
	}
	s.guard()
	s.add(Deciding, v.NoRemedy)
	return s.order()
}

func (s planner) finding(id string) *check.Finding {
	for _, fd := range s.failing {
		if fd.Requirement.ID == id {
			return fd
		}
	}
	return nil
}

// close adds the steps that find out what is not known, by why it is not.
func (s planner) close(open []string) {
	found := map[string]bool{}
	for i := range s.lib.steps {
		st := &s.lib.steps[i]
		if len(st.Closes) == 0 || !st.on(s.route, s.guest) {
			continue
		}
		var settles []string
		for _, fd := range slices.Concat(s.open, s.failing) {
			if id := fd.Requirement.ID; slices.Contains(open, id) &&
				slices.ContainsFunc(s.openFor(fd), func(c string) bool { return slices.Contains(st.Closes, c) }) {
				settles = append(settles, id)
				found[id] = true
			}
		}
		if settles != nil {
			s.addStep(i, settles)
		}
	}
	var rest []string
	for _, id := range open {
		if !found[id] {
			rest = append(rest, id)
		}
	}
	if rest != nil { // what decides it is asked of a person
		s.add(EnteringByHand, append(s.settling(EnteringByHand), rest...))
	}
}

func (s planner) settling(r Role) []string {
	for i := range s.chosen {
		if s.chosen[i].Plays(r) {
			return s.chosen[i].Settles
		}
	}
	return nil
}

// openFor lists why a requirement is not known: the causes of its gaps.
func (s planner) openFor(fd *check.Finding) []string {
	var out []string
	for _, e := range fd.Evidence {
		switch {
		case e.Truth != need.Unknown:
		case e.Reading.Value.Known() && e.Match != nil:
			out = append(out, NotListed)
		case e.Reading.Gap != nil && e.Reading.Gap.Cause == inventory.Disagree && e.Leaf.Fact().Attestable() &&
			s.was.Is(fact.Attestation, "contradicted"):
			out = append(out, Contradicted)
		case e.Reading.Gap != nil:
			out = append(out, e.Reading.Gap.Cause)
		case e.Leaf.Fact() == fact.DiskBytes: // the kind of the drive decides
			out = append(out, inventory.NotOffered)
		}
	}
	return out
}

func (s planner) add(r Role, settles []string) { s.addStep(s.lib.playing[r], settles) }

func (s planner) addStep(i int, settles []string) {
	if !s.has(i) {
		s.apply(i)
	}
	for k := range s.chosen {
		if s.chosen[k].index == i && settles != nil {
			s.chosen[k].Settles = settles
		}
	}
}

// order sorts the plan so that every step stands behind those it comes after.
// Where that leaves a choice, what needs no visit comes before what does, and
// then the order of the step files decides.
func (s planner) order() []Planned {
	left := make([]*Planned, len(s.chosen))
	waits := make([]bool, len(s.lib.steps)) // steps that are not placed yet
	for k := range s.chosen {
		left[k] = &s.chosen[k]
		waits[left[k].index] = true
	}
	slices.SortFunc(left, func(a, b *Planned) int {
		return cmp.Or(phaseRank[a.Phase]-phaseRank[b.Phase], a.rank-b.rank, a.index-b.index)
	})
	out := make([]Planned, 0, len(left))
	due := -1 // the step that has to follow before the machine is started
	for len(left) > 0 {
		at := 0 // steps that wait for each other are refused when they are read
		for i, p := range left {
			if slices.ContainsFunc(p.after, func(j int) bool { return waits[j] && j != p.index }) {
				continue
			}
			if at = i; due < 0 || p.index == due || s.lib.waitsFor(due, p.index) {
				break
			}
		}
		next := left[at]
		waits[next.index] = false
		out = append(out, *next)
		if due == next.index {
			due = -1
		}
		for _, c := range next.leaves {
			if k := slices.IndexFunc(left, func(p *Planned) bool { return p.sets(c.id, c.value.Text()) }); k >= 0 {
				due = left[k].index
			}
		}
		left = slices.Delete(left, at, at+1)
	}
	for k := range out {
		out[k].Amounts = s.amounts(&out[k])
	}
	if s.was.Planned() {
		return out
	}
	return s.startOnce(out)
}

// amounts is what a step has to bring of each thing that is not enough.
func (s planner) amounts(p *Planned) []Amount {
	var out []Amount
	for _, c := range p.effects {
		if c.value.Known() || c.id.Def().Kind == fact.Set {
			continue
		}
		var most fact.Value
		for _, list := range [][]*check.Finding{s.failing, s.open} {
			for _, fd := range list {
				if v, ok := needed(fd.Requirement.Need, c.id, s.was); ok {
					most = larger(most, v)
				}
			}
		}
		if most.Known() {
			out = append(out, Amount{c.id, most})
		}
	}
	return out
}

var phaseRank = map[string]int{Remote: 0, Desk: 1, Host: 1, Install: 2}
