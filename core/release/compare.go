package release

import (
	"slices"

	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
)

// Pair is a requirement in two revisions; one of them is nil where it came or
// went.
type Pair struct {
	Was, Is *Requirement
	Need    need.Change
	When    need.Change // Tighter: it applies to fewer machines
	Advised need.Change
}

// Changed says whether anything that decides differs.
func (p *Pair) Changed() bool {
	return p.Was == nil || p.Is == nil || p.Need != need.Same || p.When != need.Same || p.Advised != need.Same ||
		p.Was.Level != p.Is.Level || p.Was.Consequence != p.Is.Consequence || p.Was.AskedBy != p.Is.AskedBy
}

// Change is what became of the requirement for machines as a whole: Tighter,
// where no machine has it easier; Looser the other way round; Other where it is
// not certain, or where both came together.
func (p *Pair) Change() need.Change {
	c := p.Need
	switch p.When { // a condition that holds for more machines asks for more
	case need.Tighter:
		c = c.And(need.Looser)
	case need.Looser:
		c = c.And(need.Tighter)
	case need.Other:
		c = need.Other
	}
	return c.And(steps(levels, p.Was.Level, p.Is.Level)).And(steps(consequences, p.Was.Consequence, p.Is.Consequence))
}

var (
	levels       = []string{Feature, Should, Must}
	consequences = []string{"", "works-less-well", "unsupported", "installer-refuses", "will-not-start"}
)

func steps(order []string, was, is string) need.Change {
	switch a, b := slices.Index(order, was), slices.Index(order, is); {
	case a < b:
		return need.Tighter
	case a > b:
		return need.Looser
	}
	return need.Same
}

// Compare pairs the requirements of two revisions, or of two releases, by their
// ids: those of the new one in its order, then those that went. Pairs in which
// nothing differs are left out.
func Compare(was, is *Release) []Pair {
	var out []Pair
	for i := range is.Requirements {
		q := &is.Requirements[i]
		p := Pair{Was: was.Requirement(q.ID), Is: q}
		if p.Was != nil {
			p.Need, p.When, p.Advised = need.Compare(p.Was.Need, q.Need), need.Compare(p.Was.When, q.When),
				need.Compare(p.Was.Advised, q.Advised)
		}
		if p.Changed() {
			out = append(out, p)
		}
	}
	for i := range was.Requirements {
		if q := &was.Requirements[i]; is.Requirement(q.ID) == nil {
			out = append(out, Pair{Was: q})
		}
	}
	return out
}

// ListPair is a list in two revisions; one of them is nil where it came or went.
type ListPair struct {
	Was, Is *list.List
	Came    []string // names of rows
	Went    []string
}

// CompareLists pairs the lists of two revisions by their ids, where their rows
// differ, or the one came or went.
func CompareLists(was, is *Release) []ListPair {
	var out []ListPair
	for _, b := range is.Lists {
		a := was.list(b.ID)
		p := ListPair{Was: a, Is: b}
		if a != nil {
			p.Came, p.Went = missing(a, b), missing(b, a)
		}
		if a == nil || len(p.Came)+len(p.Went) > 0 {
			out = append(out, p)
		}
	}
	for _, a := range was.Lists {
		if is.list(a.ID) == nil {
			out = append(out, ListPair{Was: a})
		}
	}
	return out
}

func (rel *Release) list(id string) *list.List {
	for _, l := range rel.Lists {
		if l.ID == id {
			return l
		}
	}
	return nil
}

// missing are the names of b that a does not have.
func missing(a, b *list.List) []string {
	var out []string
	for i := range b.Rows {
		if name := b.Rows[i].Name; !a.Has(name) {
			out = append(out, name)
		}
	}
	return out
}
