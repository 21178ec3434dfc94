package remedy

import (
	"slices"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/need"
)

// Alternative is a step that would settle the same as one of the plan: either
// the one or the other is done, never both.
type Alternative struct {
	*Step
	Settles []string // requirements
	More    bool     // it asks for a class of work that is above the chosen one's
	InDoubt bool     // whether it can be done is not known
}

// Instead lists, for each step of a plan, what could be done in its place. It
// is for showing; nothing is decided by it.
func (l *Library) Instead(res *check.Result, v *Verdict) map[string][]Alternative {
	out := map[string][]Alternative{}
	for i := range v.Plan {
		p := &v.Plan[i]
		if p.Class == NoClass || p.Class >= Decision || p.Installs || len(p.Settles) == 0 {
			continue
		}
		s := l.without(res, v, p)
		for j := range l.steps {
			st := &l.steps[j]
			if st.Class == NoClass || st.Class >= Decision || st.Installs || st.Always != nil ||
				!st.on(v.Route, v.Guest) || s.has(j) || j == p.index {
				continue
			}
			can := st.can(s.sim)
			if can == need.False {
				continue
			}
			if settles := s.would(j, p.Settles, res); settles != nil {
				out[p.ID] = append(out[p.ID],
					Alternative{st, settles, st.Class > p.Class, can == need.Unknown || !st.sure(s.was)})
			}
		}
	}
	return out
}

// without simulates the rest of a plan, leaving out a step and what is done for
// it alone.
func (l *Library) without(res *check.Result, v *Verdict, p *Planned) *solver {
	s := &solver{
		lib:     l,
		world:   likely,
		was:     res.Facts,
		sim:     copyOf(res.Facts),
		route:   v.Route,
		guest:   v.Guest,
		install: -1,
	}
	for i := range v.Plan {
		q := v.Plan[i]
		if q.index == p.index || q.Class != NoClass && (slices.Contains(q.pulls, p.index) || q.Installs) {
			continue
		}
		s.simulate(&q, nil)
		s.chosen = append(s.chosen, q)
	}
	return s
}

// would names those of some requirements that a step settles by itself, and
// that are not settled without it.
func (s *solver) would(step int, ids []string, res *check.Result) []string {
	var out []string
	for k := range res.Findings {
		q := res.Findings[k].Requirement
		if !slices.Contains(ids, q.ID) || res.Findings[k].Outcome != check.Fail || !s.lib.steps[step].touches(q.Need) ||
			q.Need.Test(s.sim.View()) == need.True || s.below(&s.lib.steps[step], q.Need) == need.False {
			continue
		}
		p := Planned{Step: &s.lib.steps[step], index: step}
		was := s.sim
		s.sim = copyOf(was)
		s.simulate(&p, q)
		if q.Need.Test(s.sim.View()) == need.True {
			out = append(out, q.ID)
		}
		s.sim = was
	}
	return out
}
