package remedy

import (
	"slices"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// on says whether a step belongs to a route and to the kind of machine.
func (s *Step) on(route string, guest bool) bool {
	if len(s.Routes) > 0 && !slices.Contains(s.Routes, route) {
		return false
	}
	return s.Phase != Desk && s.Phase != Host || guest == (s.Phase == Host)
}

// can says whether the step can be done under facts.
func (s *Step) can(f *fact.Facts) need.Truth {
	t := need.True
	if s.When != nil {
		t = s.When.Test(f.View())
	}
	if t == need.Unknown && s.WhenNotNo {
		t = need.True
	}
	if s.Unless != nil && s.Unless.Test(f.View()) == need.True {
		return need.False
	}
	if s.InDoubt {
		t = min(t, need.Unknown)
	}
	return t
}

// sure says whether the effect is certain under facts.
func (s *Step) sure(f *fact.Facts) bool {
	return !s.SureNever && !s.InDoubt && (s.Sure == nil || s.Sure.Test(f.View()) == need.True)
}

func (s *Step) touches(n need.Need) bool {
	return slices.ContainsFunc(s.effects, func(c change) bool { return need.Reads(n, c.id) })
}

// shows says whether the step makes a fact known that a need reads.
func (s *Step) shows(n need.Need) bool {
	return s.touches(n) || slices.ContainsFunc(s.assumes, func(c change) bool { return need.Reads(n, c.id) })
}

// Cautions are what to mind with the step on a machine: always, and for what
// is so on this one.
func (s *Step) Cautions(f *fact.Facts) []string {
	var out []string
	if s.Caution != "" {
		out = append(out, s.Caution)
	}
	for _, w := range s.warnings {
		if t := w.when.Test(f.View()); t == need.True || t == need.Unknown && w.unknown {
			out = append(out, w.say)
		}
	}
	return out
}

// By is who can do the step.
func (s *Step) By() string {
	if s.Who != "" {
		return s.Who
	}
	return map[string]string{Remote: "administrator", Desk: "technician", Host: "host-administrator", Install: "administrator"}[s.Phase]
}

// Predecessors are the steps that come before this one where both stand.
func (s *Step) Predecessors(l *Library) []string {
	out := make([]string, len(s.after))
	for i, j := range s.after {
		out[i] = l.steps[j].ID
	}
	return out
}

// Shown says what facts taken after the work show of the step: that it was done,
// that it was not, or nothing.
func (s *Step) Shown(f *fact.Facts) need.Truth {
	switch {
	case s.Seen != nil && s.Seen.Test(f.View()) == need.True:
		return need.True
	case s.Unseen != nil && s.Unseen.Test(f.View()) == need.True:
		return need.False
	}
	return need.Unknown
}
