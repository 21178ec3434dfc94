package need

import "rolltop.example/rolltop/core/fact"

// Reads says whether a need reads a fact.
func Reads(n Need, id fact.ID) bool {
	return SomeLeaf(n, func(l Leaf) bool { return l.Fact() == id })
}

// SomeLeaf says whether something holds of one of the comparisons of a need. Plans ask
// often: it is a walk without iterators, which allocate.
func SomeLeaf(n Need, holds func(Leaf) bool) bool {
	switch x := n.(type) {
	case *AllOf:
		return someLeafOf(x.Parts, holds)
	case *AnyOf:
		return someLeafOf(x.Parts, holds)
	case *NotOf:
		return SomeLeaf(x.Part, holds)
	case *Each:
		return holds(x) || SomeLeaf(x.Part, holds)
	case Leaf:
		return holds(x)
	}
	return false
}

func someLeafOf(parts []Need, holds func(Leaf) bool) bool {
	for _, p := range parts {
		if SomeLeaf(p, holds) {
			return true
		}
	}
	return false
}

// Demands are the comparisons that must hold for a need to hold: those that stand alone
// or below “all”.
func Demands(n Need) func(func(Leaf) bool) {
	return func(yield func(Leaf) bool) { demands(n, yield) }
}

func demands(n Need, yield func(Leaf) bool) bool {
	switch x := n.(type) {
	case *AllOf:
		for _, p := range x.Parts {
			if !demands(p, yield) {
				return false
			}
		}
	case *AnyOf, *NotOf, *Each, nil:
	case Leaf:
		return yield(x)
	}
	return true
}
