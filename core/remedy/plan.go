package remedy

import (
	"cmp"
	"slices"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// plan orders what was chosen and adds what belongs to any plan: closing the
// unknowns, checking again, resuming encryption, and the installation itself.
// A machine to replace gets no other step: nobody is sent to it in vain.
func (s *solver) plan(v *Verdict) []Planned {
	if v.Disposition == Replace {
		for _, p := range s.chosen {
			if p.Class != NoClass {
				v.Withheld = append(v.Withheld, p)
			}
		}
		return []Planned{{Step: &s.lib.steps[s.lib.at["replace"]], Settles: v.NoRemedy}}
	}
	if s.was.Planned() {
		return s.order() // nobody can read or visit it yet
	}
	s.close(v.Open)
	if slices.ContainsFunc(s.chosen, func(p Planned) bool { return p.Phase == Desk }) {
		s.add("check-again", nil)
	}
	if s.has(s.lib.at["pause-encryption"]) {
		s.add("resume-encryption", nil)
	}
	if v.Route == release.ByInterim {
		s.add("interim", nil)
	}
	if s.installs(-1) < 0 {
		s.apply(s.lib.at["upgrade"], nil)
	}
	return s.order()
}

// close adds the steps that find out what is not known, by why it is not.
func (s *solver) close(open []string) {
	found := map[string]bool{}
	for i := range s.lib.steps {
		st := &s.lib.steps[i]
		if len(st.Closes) == 0 || !st.on(s.route, s.guest) {
			continue
		}
		var settles []string
		for _, fd := range s.open {
			if id := fd.Requirement.ID; slices.Contains(open, id) && slices.ContainsFunc(openFor(fd), func(c string) bool { return slices.Contains(st.Closes, c) }) {
				settles = append(settles, id)
				found[id] = true
			}
		}
		if settles != nil {
			s.add(st.ID, settles)
		}
	}
	var rest []string
	for _, id := range open {
		if !found[id] {
			rest = append(rest, id)
		}
	}
	if rest != nil {
		s.add("read-again", append(s.settling("read-again"), rest...))
	}
}

func (s *solver) settling(id string) []string {
	for i := range s.chosen {
		if s.chosen[i].ID == id {
			return s.chosen[i].Settles
		}
	}
	return nil
}

// openFor lists why a requirement is not known: the causes of its gaps.
func openFor(fd *check.Finding) []string {
	var out []string
	for _, e := range fd.Evidence {
		switch {
		case e.Truth != need.Unknown:
		case e.Reading.Value.Known() && e.Match != nil:
			out = append(out, NotListed)
		case e.Reading.Gap != nil:
			out = append(out, e.Reading.Gap.Cause)
		}
	}
	return out
}

func (s *solver) add(id string, settles []string) {
	i := s.lib.at[id]
	if !s.has(i) {
		s.apply(i, nil)
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
func (s *solver) order() []Planned {
	left := slices.Clone(s.chosen)
	slices.SortFunc(left, func(a, b Planned) int {
		return cmp.Or(phaseRank[a.Phase]-phaseRank[b.Phase], a.index-b.index)
	})
	waits := make([]bool, len(s.lib.steps)) // steps that are not placed yet
	for i := range left {
		waits[left[i].index] = true
	}
	out := make([]Planned, 0, len(left))
	for len(left) > 0 {
		next := 0 // steps that wait for each other are refused when they are read
		for i := range left {
			if !slices.ContainsFunc(left[i].after, func(j int) bool { return waits[j] && j != left[i].index }) {
				next = i
				break
			}
		}
		waits[left[next].index] = false
		out = append(out, left[next])
		left = slices.Delete(left, next, next+1)
	}
	return out
}

var phaseRank = map[string]int{Remote: 0, Desk: 1, Host: 1, Install: 2}
