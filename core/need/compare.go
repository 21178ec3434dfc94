package need

import (
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
)

// Change says how a need became another.
type Change int8

// The changes. Tighter: every machine that meets the new one met the old one.
// Looser: the other way round. Other: neither is known to follow from the
// other.
const (
	Same Change = iota
	Tighter
	Looser
	Other
)

func (c Change) String() string { return [...]string{"same", "tighter", "looser", "other"}[c] }

// reversed is the change of the negative.
func (c Change) reversed() Change {
	switch c {
	case Tighter:
		return Looser
	case Looser:
		return Tighter
	}
	return c
}

// And is the change of two parts that both changed.
func (c Change) And(d Change) Change {
	switch {
	case c == Same:
		return d
	case d == Same || c == d:
		return c
	}
	return Other
}

// Compare says how one need became another, from how they are written: Tighter
// and Looser are certain, Other may hide either. Nil is the need that everything
// meets.
func Compare(was, is Need) Change {
	switch {
	case was == nil && is == nil:
		return Same
	case was == nil:
		return Tighter
	case is == nil:
		return Looser
	}
	if a, ok := was.(Leaf); ok {
		if b, ok := is.(Leaf); ok && a.Fact() == b.Fact() {
			if c := compareLeaves(a, b); c != Other {
				return c
			}
		}
	}
	switch b := is.(type) {
	case *NotOf:
		if a, ok := was.(*NotOf); ok {
			return Compare(a.Part, b.Part).reversed()
		}
	case *AnyOf:
		return matchParts(anyParts(was), b.Parts, Looser)
	case *AllOf:
		if _, any := was.(*AnyOf); !any {
			return matchParts(allParts(was), b.Parts, Tighter)
		}
	}
	if a, ok := was.(*AnyOf); ok {
		return matchParts(a.Parts, anyParts(is), Looser)
	}
	if a, ok := was.(*AllOf); ok {
		return matchParts(a.Parts, allParts(is), Tighter)
	}
	return Other
}

func allParts(n Need) []Need {
	if a, ok := n.(*AllOf); ok {
		return a.Parts
	}
	return []Need{n}
}

func anyParts(n Need) []Need {
	if a, ok := n.(*AnyOf); ok {
		return a.Parts
	}
	return []Need{n}
}

// matchParts compares the parts of two lists. more is what a part that came
// makes of the whole: tighter where all are needed, looser where one is enough.
func matchParts(was, is []Need, more Change) Change {
	sum := Same
	left := slices.Clone(was)
	for _, b := range is {
		best, at := Other, -1
		for i, a := range left {
			if c := Compare(a, b); c < best {
				best, at = c, i
			}
		}
		if at < 0 {
			sum = sum.And(more)
			continue
		}
		left = slices.Delete(left, at, at+1)
		sum = sum.And(best)
	}
	if len(left) > 0 {
		sum = sum.And(more.reversed())
	}
	return sum
}

func compareLeaves(was, is Leaf) Change {
	switch b := is.(type) {
	case *AtLeast:
		if a, ok := was.(*AtLeast); ok {
			return order(b.Limit.Compare(a.Limit))
		}
	case *AtMost:
		if a, ok := was.(*AtMost); ok {
			return order(a.Limit.Compare(b.Limit))
		}
	case *OneOf:
		if a, ok := was.(*OneOf); ok {
			return subsets(a.Values, b.Values, fact.Value.Equal)
		}
	case *NoneOf:
		if a, ok := was.(*NoneOf); ok {
			return subsets(a.Values, b.Values, fact.Value.Equal).reversed()
		}
	case *HasAny:
		if a, ok := was.(*HasAny); ok {
			return subsets(a.Items, b.Items, strings.EqualFold)
		}
	case *HasAll:
		if a, ok := was.(*HasAll); ok {
			return subsets(a.Items, b.Items, strings.EqualFold).reversed()
		}
	case *BeginsWith:
		if a, ok := was.(*BeginsWith); ok {
			return subsets(a.Texts, b.Texts, strings.EqualFold)
		}
	case *Empty:
		if _, ok := was.(*Empty); ok {
			return Same
		}
	case *Listed:
		if a, ok := was.(*Listed); ok && a.List.ID == b.List.ID {
			return Same // how the list itself changed is another question
		}
	case *RowAsks:
		if a, ok := was.(*RowAsks); ok && a.List.ID == b.List.ID && a.Only.ID == b.Only.ID {
			return Same
		}
	case *Each:
		if a, ok := was.(*Each); ok && a.Group == b.Group && a.How == b.How {
			if c := Compare(a.Part, b.Part); b.How == None {
				return c.reversed()
			} else {
				return c
			}
		}
	}
	return Other
}

// order: a higher limit is tighter.
func order(c int) Change {
	switch {
	case c > 0:
		return Tighter
	case c < 0:
		return Looser
	}
	return Same
}

// subsets: fewer allowed values are tighter.
func subsets[T any](was, is []T, equal func(a, b T) bool) Change {
	within := func(a, b []T) bool {
		return !slices.ContainsFunc(a,
			func(x T) bool { return !slices.ContainsFunc(b, func(y T) bool { return equal(x, y) }) })
	}
	switch fewer, more := within(is, was), within(was, is); {
	case fewer && more:
		return Same
	case fewer:
		return Tighter
	case more:
		return Looser
	}
	return Other
}
