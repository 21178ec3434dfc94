package fleet

import (
	"cmp"
	"slices"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Causes says why a machine is undetermined: a bit for each of CauseNames.
type Causes uint8

// NotListed is the cause where every fact is known and the release's lists do not
// decide.
const NotListed = "not-listed"

// CauseNames are the causes of gaps in facts that decide, and NotListed.
var CauseNames = []string{
	inventory.NeedsRights, inventory.NotOffered, inventory.ReadFailed, inventory.NotAsked, inventory.Disagree,
	NotListed,
}

const causeCount = 6

// CauseCount is how many undetermined machines have a cause. A machine may have
// several.
type CauseCount struct {
	Cause    string
	Machines int
}

func (c Causes) count(n *[causeCount]int) {
	for i := range n {
		if c&(1<<i) != 0 {
			n[i]++
		}
	}
}

func counted(n *[causeCount]int) []CauseCount {
	var out []CauseCount
	for i, machines := range n {
		if machines > 0 {
			out = append(out, CauseCount{CauseNames[i], machines})
		}
	}
	slices.SortStableFunc(out, func(a, b CauseCount) int { return cmp.Compare(b.Machines, a.Machines) })
	return out
}

// causesOf are why a machine is undetermined.
func causesOf(r *Row, f *fact.Facts) Causes {
	if !r.Judged || r.Disposition != remedy.Undetermined || r.Release == nil || f == nil {
		return 0
	}
	var out Causes
	for i := range min(len(r.Outcomes), len(r.Release.Requirements)) {
		q := &r.Release.Requirements[i]
		if r.Outcomes[i] != 'u' || q.Level != release.Must || q.Need == nil {
			continue
		}
		known := true
		for leaf := range q.Need.Leaves() {
			if leaf.Fact().Group() != fact.NoGroup {
				continue
			}
			if g := f.Get(leaf.Fact()); !g.Value.Known() && !leaf.Fact().Def().Derived {
				known = false
				out |= bit(g.Gap)
			}
		}
		if known {
			out |= 1 << slices.Index(CauseNames, NotListed)
		}
	}
	return out
}

func bit(g *inventory.Gap) Causes {
	if g == nil {
		return 0
	}
	return 1 << max(0, slices.Index(CauseNames, g.Cause))
}
