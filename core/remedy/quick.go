package remedy

import (
	"fmt"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// What it takes depends on a machine only through what the solver asks: the
// outcomes of the requirements, the truth of every comparison in those that are
// not met and in the conditions of steps, and a few values. Machines that agree
// in all of that share a verdict, however they differ otherwise; Key names what
// they share. A fleet has few kinds of trouble, so judging it anew is mostly
// looking up.

// Key appends to b what a verdict for a machine depends on. outcomes are the
// letters of [check.Outcomes] on these facts, paths the ways to the release that are
// possible.
func (l *Library) Key(b []byte, rel *release.Release, f *fact.Facts, outcomes []byte, paths []release.Path) []byte {
	l = l.under(rel)
	v := f.View()
	b = append(b, outcomes...)
	b = append(b, '|', '0'+byte(rel.RunsOn(f)))
	for i := range paths {
		p := &paths[i]
		b = append(b, '|', byte('0'+len(p.Interim)), byte('1'+p.Truth))
		b = append(b, p.Way...)
	}
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		if q.Level != release.Must || outcomes[i] == 'p' || outcomes[i] == 'n' {
			continue
		}
		if q.When != nil {
			b = append(b, 'w', truthByte(check.Decide(q.When, f)))
		}
		b = keyNeed(append(b, ';'), q.Need, v, f)
	}
	for _, n := range l.conditions() {
		b = keyNeed(b, n, v, f)
	}
	for i := range l.steps {
		s := &l.steps[i]
		for _, c := range s.assumes {
			b = append(b, known(f.Value(c.id)))
		}
		if s.ceiling != nil {
			b = keyCeiling(b, rel, f, s, outcomes)
		}
	}
	for i := range fixtures {
		b = append(b, truthByte(fixed(fixtures[i].id, f)))
	}
	b = l.keyFurther(b, rel, v, f, outcomes)
	for id := fact.ID(1); id < fact.Count; id++ { // what only some machines can be relied on for
		if id.Change() == fact.ByNothing && !f.FirstHand(id) {
			b = append(b, byte(id))
		}
	}
	// What the solver reads as it is.
	b = append(b, f.Value(fact.OSPlatform).Text()...)
	b = append(b, '|')
	b = append(b, f.Value(fact.TPMState).Text()...)
	b = append(b, yesNo(f.Is(fact.Attestation, "contradicted")))
	for _, s := range f.Value(fact.ProcessorFeaturesOff).Set() {
		b = append(append(b, ','), s...)
	}
	return append(b, yesNo(f.Guest()), yesNo(f.Planned()))
}

// keyFurther appends what further work depends on beside the plan.
func (l *Library) keyFurther(b []byte, rel *release.Release, v fact.View, f *fact.Facts, outcomes []byte) []byte {
	for i := range rel.Requirements {
		if q := &rel.Requirements[i]; q.Level == release.Should && outcomes[i] == 'f' {
			b = keyNeed(append(b, ';'), q.Need, v, f)
		}
	}
	some := false
	for _, id := range worthDoing {
		r := f.Get(id)
		has := len(r.Value.Set())+len(r.Floor().Set()) > 0
		b, some = append(b, yesNo(has)), some || has
	}
	if some {
		weights := check.Weights(rel, f)
		for _, id := range worthDoing {
			b = append(append(b, '|'), weights[id]...)
		}
	}
	return b
}

// conditions are the comparisons in the conditions of all steps, each once however many
// steps make it: the conditions follow from them.
func (l *Library) conditions() []need.Need {
	l.asking.Do(func() {
		seen := map[string]bool{}
		var add func(need.Need)
		add = func(n need.Need) {
			switch x := n.(type) {
			case nil:
			case *need.AllOf:
				for _, p := range x.Parts {
					add(p)
				}
			case *need.AnyOf:
				for _, p := range x.Parts {
					add(p)
				}
			case *need.NotOf:
				add(x.Part)
			default:
				if name := fmt.Sprintf("%T %+v", n, n); !seen[name] {
					seen[name] = true
					l.asked = append(l.asked, n)
				}
			}
		}
		for i := range l.steps {
			s := &l.steps[i]
			for _, n := range [...]need.Need{s.When, s.Unless, s.Skip, s.Sure, s.Always, s.Unlikely, s.afar} {
				add(n)
			}
		}
		for i := range l.guards {
			add(l.guards[i].unless)
			add(l.guards[i].only)
		}
	})
	return l.asked
}

func truthByte(t need.Truth) byte { return byte('1' + t) }

func known(v fact.Value) byte { return yesNo(v.Known()) }

func yesNo(b bool) byte {
	if b {
		return 'y'
	}
	return '-'
}

// keyNeed adds the truth of every comparison of a need, of rows of lists one
// after the other.
func keyNeed(b []byte, n need.Need, v fact.View, f *fact.Facts) []byte {
	switch x := n.(type) {
	case *need.AllOf:
		for _, p := range x.Parts {
			b = keyNeed(b, p, v, f)
		}
	case *need.AnyOf:
		for _, p := range x.Parts {
			b = keyNeed(b, p, v, f)
		}
	case *need.NotOf:
		b = keyNeed(b, x.Part, v, f)
	case *need.Each:
		b = append(b, truthByte(x.Test(v)), yesNo(x.Whole(f)))
		for i := range f.Rows(x.Group) {
			b = keyNeed(append(b, '/'), x.Part, f.Row(x.Group, i), f)
		}
	case *need.HasAll:
		b = keyWhy(keyItems(b, x.Items, v.Get(x.Fact())), v.Get(x.Fact()))
	case *need.HasAny:
		b = keyWhy(keyItems(b, x.Items, v.Get(x.Fact())), v.Get(x.Fact()))
	default:
		t := n.Test(v)
		b = append(b, truthByte(t))
		if leaf, ok := n.(need.Leaf); ok && t == need.Unknown {
			b = keyWhy(b, v.Get(leaf.Fact()))
		}
	}
	return b
}

// keyWhy adds why a fact is not known: what finds it out depends on that.
func keyWhy(b []byte, r *fact.Reading) []byte {
	switch {
	case r.Value.Known():
		return append(b, 'k')
	case r.Gap != nil:
		return append(b, r.Gap.Cause...)
	}
	return append(b, '?')
}

func keyItems(b []byte, items []string, r *fact.Reading) []byte {
	b = append(b, known(r.Value))
	for _, i := range items {
		b = append(b, yesNo(r.Value.Has(i) || r.Floor().Has(i)))
	}
	return b
}

// keyCeiling adds whether what is needed is below what the machine takes.
func keyCeiling(b []byte, rel *release.Release, f *fact.Facts, s *Step, outcomes []byte) []byte {
	most := f.Value(s.ceiling.ID)
	if !most.Known() {
		return append(b, '?')
	}
	b = append(b, yesNo(f.FirstHand(s.ceiling.ID)))
	for i := range rel.Requirements {
		if q := &rel.Requirements[i]; q.Level == release.Must && outcomes[i] != 'p' && outcomes[i] != 'n' {
			for _, c := range s.effects {
				if v, ok := needed(q.Need, c.id, f); ok {
					b = append(b, yesNo(v.Float() > most.Float()))
				}
			}
		}
	}
	return b
}
