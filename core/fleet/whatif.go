package fleet

import (
	"cmp"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Standpoint is what one release, or one revision of it, says of a machine.
type Standpoint struct {
	Disposition remedy.Disposition
	Outcomes    string // a letter for each requirement of its release
}

// Shifts counts machines by their disposition before and after.
type Shifts [remedy.Undetermined + 1][remedy.Undetermined + 1]int

// Moved is how many change.
func (s *Shifts) Moved() int {
	n := 0
	for was := range s {
		for is, machines := range s[was] {
			if was != is {
				n += machines
			}
		}
	}
	return n
}

// Net is how many more machines have a disposition after than before; negative where fewer have.
func (s *Shifts) Net(d remedy.Disposition) int {
	n := 0
	for other := range s {
		n += s[other][d] - s[d][other]
	}
	return n
}

// SiteShifts are the shifts at one site.
type SiteShifts struct {
	Site string
	Shifts
}

// RequirementShift is what becomes of one requirement.
type RequirementShift struct {
	Requirement           *release.Requirement
	Fails, Passes, Opens  int // machines that newly fail it, no longer fail it, or leave it unknown
	New                   bool
	FailsNow, UnknownsNow int
}

// Uncollected is a fact that decides and is not known.
type Uncollected struct {
	Fact     fact.ID
	Machines int
	NotAsked int // of these, machines that were never asked for it
}

// Flip is a machine whose disposition changes.
type Flip struct {
	ID          int64
	Was, Is     remedy.Disposition
	Requirement []string // that it newly fails or leaves unknown, or no longer
}

// WhatIf puts two standpoints beside each other over many machines.
type WhatIf struct {
	Was, Is  *release.Release
	Machines int
	Shifts   Shifts
	Flips    []Flip

	sites   map[string]*SiteShifts
	changes []RequirementShift
	before  []int // requirement of Is → its place in Was, or -1
	alike   []bool
	short   int  // machines without an outcome of every requirement: nothing is said of them
	steady  bool // nothing but requirements differs, and they are the same by their ids
	missing map[fact.ID]*Uncollected
}

// NewWhatIf begins a comparison. Requirements of the two are the same where their ids
// are.
func NewWhatIf(was, is *release.Release) *WhatIf {
	w := &WhatIf{Was: was, Is: is, sites: map[string]*SiteShifts{}, missing: map[fact.ID]*Uncollected{}}
	same, all := is.SameBut(was)
	w.steady = all && len(is.Requirements) == len(was.Requirements)
	for i := range is.Requirements {
		q := &is.Requirements[i]
		w.alike = append(w.alike, same[q.ID])
		at := slices.IndexFunc(was.Requirements, func(o release.Requirement) bool { return o.ID == q.ID })
		w.before = append(w.before, at)
		w.steady = w.steady && at >= 0
		w.changes = append(w.changes, RequirementShift{Requirement: q, New: at < 0})
	}
	return w
}

// Add counts a machine. f are its facts, for what is not known of them.
func (w *WhatIf) Add(id int64, site string, was, is Standpoint, f *fact.Facts) {
	w.Machines++
	w.Shifts[was.Disposition][is.Disposition]++
	p := w.sites[site]
	if p == nil {
		p = &SiteShifts{Site: site}
		w.sites[site] = p
	}
	p.Shifts[was.Disposition][is.Disposition]++
	if len(is.Outcomes) < len(w.changes) {
		w.short++
	}
	var why []string
	for i := range min(len(is.Outcomes), len(w.changes)) {
		c := &w.changes[i]
		if c.Requirement.Level != release.Must {
			continue
		}
		now, then := is.Outcomes[i], w.then(i, was.Outcomes)
		switch now {
		case 'f':
			c.FailsNow++
		case 'u':
			c.UnknownsNow++
			w.unknown(c.Requirement, f)
		}
		if now == then {
			continue
		}
		switch {
		case now == 'f':
			c.Fails++
		case now == 'u':
			c.Opens++
		case then == 'f':
			c.Passes++
		}
		if turns(now, then) {
			why = append(why, c.Requirement.ID)
		}
	}
	if was.Disposition != is.Disposition {
		w.Flips = append(w.Flips, Flip{id, was.Disposition, is.Disposition, why})
	}
}

// then is the outcome that a machine had of the requirement at a place.
func (w *WhatIf) then(i int, outcomes string) byte {
	if at := w.before[i]; at >= 0 && at < len(outcomes) {
		return outcomes[at]
	}
	return 'n'
}

// turns says whether a change of outcome may change a disposition.
func turns(now, then byte) bool {
	return now != then && (now == 'f' || now == 'u' || then == 'f' || then == 'u')
}

// Changed are the ids of the requirements that tell two lines of outcomes apart: those of
// one machine under each of the two releases.
func (w *WhatIf) Changed(was, is string) []string {
	var out []string
	for i := range min(len(is), len(w.changes)) {
		if q := w.changes[i].Requirement; q.Level == release.Must && turns(is[i], w.then(i, was)) {
			out = append(out, q.ID)
		}
	}
	return out
}

// Unmoved says that a machine with these outcomes cannot change disposition, so that
// nobody needs to work it out: all of them are as they were, and what is not met or not
// known is asked for as before.
func (w *WhatIf) Unmoved(was, is string) bool {
	if !w.steady || len(was) != len(is) || len(is) != len(w.before) {
		return false
	}
	for i := range len(is) {
		if is[i] != was[w.before[i]] || is[i] != 'p' && is[i] != 'n' && !w.alike[i] {
			return false
		}
	}
	return true
}

// unknown notes which facts of a requirement are missing.
func (w *WhatIf) unknown(q *release.Requirement, f *fact.Facts) {
	if q.Need == nil || f == nil {
		return
	}
	seen := fact.ID(0)
	for leaf := range q.Need.Leaves() {
		id := leaf.Fact()
		if id == seen || id.Group() != fact.NoGroup {
			continue
		}
		seen = id
		g := f.Get(id)
		if g.Value.Known() {
			continue
		}
		m := w.missing[id]
		if m == nil {
			m = &Uncollected{Fact: id}
			w.missing[id] = m
		}
		m.Machines++
		if g.Gap == nil || g.Gap.Cause == inventory.NotAsked {
			m.NotAsked++
		}
	}
}

// Merge adds what was counted elsewhere of the same two.
func (w *WhatIf) Merge(o *WhatIf) {
	w.Machines, w.short = w.Machines+o.Machines, w.short+o.short
	w.Flips = append(w.Flips, o.Flips...)
	merge(&w.Shifts, &o.Shifts)
	for name, p := range o.sites {
		if had := w.sites[name]; had != nil {
			merge(&had.Shifts, &p.Shifts)
		} else {
			w.sites[name] = p
		}
	}
	for i := range o.changes {
		c, d := &w.changes[i], &o.changes[i]
		c.Fails, c.Passes, c.Opens = c.Fails+d.Fails, c.Passes+d.Passes, c.Opens+d.Opens
		c.FailsNow, c.UnknownsNow = c.FailsNow+d.FailsNow, c.UnknownsNow+d.UnknownsNow
	}
	for id, m := range o.missing {
		if had := w.missing[id]; had != nil {
			had.Machines, had.NotAsked = had.Machines+m.Machines, had.NotAsked+m.NotAsked
		} else {
			w.missing[id] = m
		}
	}
}

func merge(a, b *Shifts) {
	for i := range a {
		for j := range a[i] {
			a[i][j] += b[i][j]
		}
	}
}

// Sites are those where anything moves, most first.
func (w *WhatIf) Sites() []SiteShifts {
	var out []SiteShifts
	for _, p := range w.sites {
		if p.Moved() > 0 {
			out = append(out, *p)
		}
	}
	slices.SortFunc(out, func(a, b SiteShifts) int {
		return cmp.Or(b.Moved()-a.Moved(), strings.Compare(a.Site, b.Site))
	})
	return out
}

// Changes are the musts of which anything changes, most first.
func (w *WhatIf) Changes() []RequirementShift {
	out := slices.DeleteFunc(slices.Clone(w.changes),
		func(c RequirementShift) bool { return c.Fails+c.Passes+c.Opens == 0 })
	slices.SortStableFunc(out, func(a, b RequirementShift) int {
		return cmp.Compare(b.Fails+b.Passes+b.Opens, a.Fails+a.Passes+a.Opens)
	})
	return out
}

// Unanimous are the musts that every machine fails, and those that none fails or leaves unknown. Where
// some machine could not be judged, there is no must that none fails.
func (w *WhatIf) Unanimous() (failed, passed []*release.Requirement) {
	for i := range w.changes {
		c := &w.changes[i]
		if c.Requirement.Level != release.Must || c.Requirement.Interim != nil || w.Machines == 0 {
			continue
		}
		switch {
		case c.FailsNow == w.Machines:
			failed = append(failed, c.Requirement)
		case c.FailsNow+c.UnknownsNow+w.short == 0:
			passed = append(passed, c.Requirement)
		}
	}
	return failed, passed
}

// Missing are the facts that decide and are not known, most first.
func (w *WhatIf) Missing() []Uncollected {
	var out []Uncollected
	for _, m := range w.missing {
		out = append(out, *m)
	}
	slices.SortFunc(out, func(a, b Uncollected) int {
		return cmp.Or(b.Machines-a.Machines, cmp.Compare(a.Fact, b.Fact))
	})
	return out
}
