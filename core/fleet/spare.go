package fleet

import (
	"slices"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Spare adds to a what-if the machines of a selection that the other release leaves as
// they are, where the facts that the index holds show that, and gives the numbers of the
// rest: those whose packed facts have to be read and judged. The rows stand as the
// release Was judged them.
//
// A draft that changes a floor or two leaves most machines alone. Where anything but
// requirements differs, or what a changed requirement compares is not held, all of them
// are the rest.
func (s Selection) Spare(w *WhatIf) (rest []int64) {
	changed, facts := w.changedMusts(s.x)
	if changed == nil {
		for _, at := range s.at {
			rest = append(rest, s.x.ids[at])
		}
		return rest
	}
	scratch := new(fact.Facts)
	type kind struct {
		codes [maxCompared]uint32
		class string
	}
	known := map[kind]string{} // letters of the changed requirements; "": not to be told
	for _, at := range s.at {
		r := &s.x.rows[at]
		k := kind{class: r.Class}
		for i, id := range facts {
			if c := s.x.facts[id]; c != nil && int(at) < len(c.codes) {
				k.codes[i] = c.codes[at]
			}
		}
		letters, had := known[k]
		if !had {
			letters = w.outcomesOf(s.x, scratch, r.Class, changed, facts, k.codes[:])
			known[k] = letters
		}
		if (letters != "" || len(changed) == 0) && w.stays(r, changed, letters) {
			stands := Standpoint{r.Disposition, r.Outcomes}
			w.Add(r.ID, r.Site, stands, stands, nil)
		} else {
			rest = append(rest, s.x.ids[at])
		}
	}
	return rest
}

// Foreseen adds the machines of a selection of which it was worked out already where they stand by the release Is, the
// one that follows the release that they were judged by, and gives the rest. A machine with an open requirement is one
// of the rest: its facts say what is not known.
func (s Selection) Foreseen(w *WhatIf) (rest []int64) {
	known := map[string]bool{} // lines of outcomes: nothing is open
	for _, at := range s.at {
		r := &s.x.rows[at]
		closed, had := known[r.NextOutcomes]
		if !had {
			closed = len(r.NextOutcomes) == len(w.changes) && !w.opens(r.NextOutcomes)
			known[r.NextOutcomes] = closed
		}
		if r.Judged && r.Next != NoNext && closed {
			w.Add(r.ID, r.Site, Standpoint{r.Disposition, r.Outcomes},
				Standpoint{remedy.Disposition(r.Next), r.NextOutcomes}, nil)
		} else {
			rest = append(rest, r.ID)
		}
	}
	return rest
}

// opens says that outcomes leave open whether something is met that Is requires.
func (w *WhatIf) opens(outcomes string) bool {
	for i := range w.changes {
		if outcomes[i] == 'u' && w.changes[i].Requirement.Level == release.Must {
			return true
		}
	}
	return false
}

// maxCompared bounds the facts that changed requirements may compare.
const maxCompared = 6

// changedMusts are the places of the requirements that differ, and the facts that they
// compare; nil where that alone does not decide.
func (w *WhatIf) changedMusts(x *Index) (changed []int, facts []fact.ID) {
	if !w.steady {
		return nil, nil
	}
	changed = []int{}
	for i := range w.Is.Requirements {
		q := &w.Is.Requirements[i]
		if w.alike[i] || q.Level != release.Must && w.Was.Requirements[w.before[i]].Level != release.Must {
			continue
		}
		changed = append(changed, i)
		for _, n := range []need.Need{q.Need, q.When} {
			if n == nil {
				continue
			}
			for leaf := range n.Leaves() {
				id := leaf.Fact()
				if _, listed := leaf.(*need.Listed); listed || q.Interim != nil || id.Group() != fact.NoGroup ||
					id.Def().Derived || identifying[id] {
					return nil, nil
				}
				if !slices.Contains(facts, id) {
					facts = append(facts, id)
				}
			}
		}
	}
	if len(facts) > maxCompared {
		return nil, nil
	}
	return changed, facts
}

// outcomesOf are the outcomes of changed requirements on facts by their codes; "" where
// one of the facts is not known.
func (w *WhatIf) outcomesOf(
	x *Index, f *fact.Facts, class string, changed []int, facts []fact.ID, codes []uint32,
) string {
	*f = fact.Facts{}
	f.Set(fact.DeviceClass, fact.Of(fact.Word, class), "")
	for i, id := range facts {
		if codes[i] == 0 {
			return ""
		}
		f.Set(id, x.facts[id].values[codes[i]], "")
	}
	letters := make([]byte, len(changed))
	for i, at := range changed {
		o, _ := check.Judge(&w.Is.Requirements[at], f, nil)
		letters[i] = o.Letter()
	}
	return string(letters)
}

// stays says that a machine cannot change: the requirements that changed come out for it
// as before, and are met or do not apply, and it leaves nothing open. What is not known
// of a machine takes more to say.
func (w *WhatIf) stays(r *Row, changed []int, letters string) bool {
	if !r.Judged || r.Release != w.Was || r.WaivedMusts != "" || len(r.Outcomes) != len(w.before) {
		return false
	}
	for i := range w.Is.Requirements {
		if w.Is.Requirements[i].Level == release.Must && r.Outcomes[w.before[i]] == 'u' {
			return false
		}
	}
	for i, at := range changed {
		if was := r.Outcomes[w.before[at]]; letters[i] != was || was != 'p' && was != 'n' {
			return false
		}
	}
	return true
}
