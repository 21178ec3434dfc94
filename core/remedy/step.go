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

// sure says whether the effect is certain under facts, and that it can be done.
func (s *Step) sure(f *fact.Facts) bool {
	if s.Unless != nil && s.Unless.Test(f.View()) != need.False {
		return false // what is not known does not hinder it, and may
	}
	return !s.SureNever && !s.InDoubt && (s.Sure == nil || s.Sure.Test(f.View()) == need.True)
}

// touches says whether the step changes a fact that a need reads.
func (s *Step) touches(n need.Need) bool {
	return slices.ContainsFunc(s.effects, func(c stepEffect) bool { return need.Reads(n, c.id) })
}

// Spared says that a step which is done at the desk otherwise is done from the running system.
func (p *Planned) Spared() bool { return p.Step.Phase == Desk && p.Phase == Remote }

// How is what to do, where the step is done.
func (p *Planned) How() string {
	if p.Spared() {
		return p.Unvisited.Do
	}
	return p.Do
}

// By is who can do the step.
func (s *Step) By() string { return by(s, s.Phase) }

// By is who can do the step where it is done.
func (p *Planned) By() string { return by(p.Step, p.Phase) }

func by(s *Step, phase string) string {
	if s.Who != "" {
		return s.Who
	}
	return map[string]string{
		Remote:  "administrator",
		Desk:    "technician",
		Host:    "host-administrator",
		Install: "administrator",
	}[phase]
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
	case s.Seen != nil || s.Unseen != nil || s.Installs:
		return need.Unknown
	}
	return s.changed(f)
}

// changed says whether facts are as the step leaves them: the fact that it changes
// confirms it.
func (s *Step) changed(f *fact.Facts) need.Truth {
	t := need.Unknown
	for _, c := range s.effects {
		now := f.Value(c.id)
		if !c.value.Known() || !now.Known() || c.id.Group() != fact.NoGroup ||
			slices.Contains(s.Beside, c.id.String()) {
			continue
		}
		if !now.Equal(c.value) {
			return need.False
		}
		t = need.True
	}
	return t
}

// Bring are the things that have to be at hand for the step on a machine.
func (s *Step) Bring(f *fact.Facts) []string {
	var out []string
	for _, b := range s.brings {
		if b.when == nil || b.when.Test(f.View()) == need.True {
			out = append(out, b.item)
		}
	}
	return out
}

// Disturbing are the hazards of the step, by name.
func (s *Step) Disturbing() []string { return s.hazards.names() }

// Changes lists the facts that the step changes.
func (s *Step) Changes() []fact.ID {
	out := make([]fact.ID, len(s.effects))
	for i, c := range s.effects {
		out[i] = c.id
	}
	return out
}
