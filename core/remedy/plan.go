package remedy

import (
	"slices"

	"rolltop.example/rolltop/core/release"
)

// plan orders what was chosen and adds what belongs to any plan: closing the
// unknowns, checking again, resuming encryption, and the installation itself.
// A machine to replace gets no other step: nobody is sent to it in vain.
func (s *solver) plan(v *Verdict) []Planned {
	if v.Disposition == Replace {
		return []Planned{{Step: &s.lib.steps[s.lib.at["replace"]], Settles: v.NoRemedy}}
	}
	if s.was.Planned() {
		return s.order() // nobody can read or visit it yet
	}
	if len(v.Open) > 0 {
		s.add("read-again", v.Open)
	}
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

// order sorts the plan so that every step stands behind those it comes after;
// where that leaves a choice, the order of the step files decides.
func (s *solver) order() []Planned {
	left := slices.Clone(s.chosen)
	slices.SortFunc(left, func(a, b Planned) int { return a.index - b.index })
	var out []Planned
	for len(left) > 0 {
		next := slices.IndexFunc(left, func(p Planned) bool {
			return !slices.ContainsFunc(p.after, func(i int) bool {
				return slices.ContainsFunc(left, func(q Planned) bool { return q.index == i && q.index != p.index })
			})
		})
		next = max(next, 0) // a circle is refused by the tests of the step files
		out = append(out, left[next])
		left = slices.Delete(left, next, next+1)
	}
	return out
}
