package say

import (
	"cmp"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// Has says what the machine has of what a finding's need compares.
func Has(fd *check.Finding) string {
	var parts []string
	seen := map[fact.ID]bool{}
	several := len(need.Facts(fd.Requirement.Need)) > 1
	for _, e := range fd.Evidence {
		id := e.Leaf.Fact()
		if e.Condition || seen[id] || e.Row != "" {
			continue
		}
		if x, ok := e.Leaf.(*need.Each); ok {
			parts = append(parts, hasRows(fd, x.Group))
			continue
		}
		seen[id] = true
		text := reading(&e, fd)
		if several && e.Reading.Value.Known() && id.Def().Kind == fact.Version {
			text = "version " + text
		}
		if several && differs(fd.Requirement.Need) {
			text = id.Def().Label + ": " + text
		}
		if id == fact.AttestedFacts {
			text = "not attested"
			if e.Truth == need.True {
				text = "attested"
			}
		}
		if !e.Reading.Value.Known() && len(seen) > 1 && moot(fd) {
			continue // the version of a TPM that is not seen says nothing
		}
		if len(parts) == 0 || parts[len(parts)-1] != text {
			parts = append(parts, text)
		}
	}
	return strings.Join(parts, ", ")
}

// differs says whether a need is an either/or, whose facts have to be named.
func differs(n need.Need) bool {
	switch x := n.(type) {
	case *need.AnyOf:
		return true
	case *need.AllOf:
		return slices.ContainsFunc(x.Parts, differs)
	case *need.NotOf:
		return composed(x.Part)
	}
	return false
}

// hasRows says of each row of a list what the need compares.
func hasRows(fd *check.Finding, g fact.Group) string {
	var rows []string
	at := map[string]int{}
	for _, e := range fd.Evidence {
		if e.Row == "" || e.Leaf.Fact().Group() != g || e.Condition {
			continue
		}
		def := e.Leaf.Fact().Def()
		text := def.Label + " " + Reading(def, e.Reading)
		if def.ID == fact.TitleName || def.ID == fact.DriverDevice {
			continue // the row is called so
		}
		if i, ok := at[e.Row]; ok {
			if !strings.Contains(rows[i], text) {
				rows[i] += ", " + text
			}
			continue
		}
		at[e.Row] = len(rows)
		rows = append(rows, e.Row+": "+text)
	}
	if rows == nil {
		for _, e := range fd.Evidence {
			if e.Leaf.Fact() == g.List() {
				if n := e.Reading.Value; n.Known() {
					return Count(int(n.Float()), g.One(), g.Many())
				}
				return "unknown"
			}
		}
	}
	return strings.Join(rows, "; ")
}

// reading shows what the machine has of a fact: of a set only what the comparisons are
// about, and of an amount as many digits as tell it from the limit.
func reading(e *check.Evidence, fd *check.Finding) string {
	def := e.Leaf.Fact().Def()
	if !e.Reading.Value.Known() {
		return Reading(def, e.Reading)
	}
	if def.Kind == fact.Number {
		return beside(e)
	}
	var items []string
	for l := range fd.Requirement.Need.Leaves() {
		if l.Fact() != def.ID {
			continue
		}
		switch x := l.(type) {
		case *need.HasAll:
			items = append(items, x.Items...)
		case *need.HasAny:
			items = append(items, x.Items...)
		default:
			return Reading(def, e.Reading)
		}
	}
	if items == nil {
		return Reading(def, e.Reading)
	}
	var has []string
	for _, i := range items {
		if e.Reading.Value.Has(i) && !slices.Contains(has, i) {
			has = append(has, i)
		}
	}
	if len(has) == 0 {
		return "none of them"
	}
	return And(has)
}

// beside is an amount with as many digits as tell it from the limit beside it.
func beside(e *check.Evidence) string {
	def, v := e.Leaf.Fact().Def(), e.Reading.Value
	switch x := e.Leaf.(type) {
	case *need.AtLeast:
		has, _ := Beside(def.Unit, v.Float(), x.Limit.Float())
		return has
	case *need.AtMost:
		has, _ := Beside(def.Unit, v.Float(), x.Limit.Float())
		return has
	}
	return Value(def, v)
}

func moot(fd *check.Finding) bool {
	for _, e := range fd.Evidence {
		if e.Leaf.Fact() == fact.TPMState && e.Truth == need.False {
			return true
		}
	}
	return false
}

// Needs says what a finding's need asks for, beside what the machine has. Of the
// alternatives of an either/or that is not met, the nearest comes first.
func Needs(fd *check.Finding) string {
	n := fd.Requirement.Need
	if x, ok := n.(*need.AnyOf); ok && fd.Outcome != check.Pass {
		n = nearestFirst(x, fd)
	}
	bare := len(need.Facts(n)) == 1
	text := phrase(n, false, bare)
	if l, leaf := n.(need.Leaf); leaf && bare && l.Fact().Def().Kind == fact.Version {
		text = "version " + text
	}
	return text
}

// nearestFirst orders the alternatives of an either/or by how far the machine is from
// each. What is not an amount comes behind what is one.
func nearestFirst(x *need.AnyOf, fd *check.Finding) *need.AnyOf {
	parts := slices.Clone(x.Parts)
	slices.SortStableFunc(parts, func(a, b need.Need) int { return cmp.Compare(farness(a, fd), farness(b, fd)) })
	return &need.AnyOf{Parts: parts}
}

// notAmount is the distance of a machine from a limit that is not an amount.
const notAmount = 1e6

// farness is the share of the limit that is missing, of all amounts of a need together.
func farness(n need.Need, fd *check.Finding) float64 {
	far := 0.0
	for l := range n.Leaves() {
		for i := range fd.Evidence {
			e := &fd.Evidence[i]
			if e.Leaf != l || e.Condition || e.Truth == need.True {
				continue
			}
			x, ok := l.(*need.AtLeast)
			if !ok || !e.Reading.Value.Known() || l.Fact().Def().Kind != fact.Number || x.Limit.Float() <= 0 {
				far += notAmount
				continue
			}
			far += (x.Limit.Float() - e.Reading.Value.Float()) / x.Limit.Float()
		}
	}
	return far
}

// met names the alternatives of either/or needs that the machine meets.
func met(n need.Need, f *fact.Facts) []string {
	var out []string
	switch x := n.(type) {
	case *need.AllOf:
		for _, p := range x.Parts {
			out = append(out, met(p, f)...)
		}
	case *need.AnyOf:
		for _, p := range x.Parts {
			if check.Decide(p, f) == need.True {
				out = append(out, strings.Replace(Need(p), ": ", " is ", 1))
			}
		}
	case *need.HasAny:
		for _, item := range x.Items {
			if f.Value(x.Fact()).Has(item) {
				out = append(out, item)
			}
		}
	}
	return out
}

// Distance says how much is missing, with its unit, or nothing where the need
// is not an amount. Of an either/or it is the distance to the nearest alternative.
func Distance(fd *check.Finding) string {
	if fd.Outcome == check.Pass {
		return ""
	}
	nearest, text := notAmount, ""
	either := differs(fd.Requirement.Need)
	for i := range fd.Evidence {
		e := &fd.Evidence[i]
		said, share := shortfall(e)
		switch {
		case said == "" || e.Condition || e.Row != "" || e.Not:
		case !either:
			return said
		case share < nearest:
			nearest, text = share, said+" "+e.Leaf.Fact().Def().Label
		}
	}
	return text
}

// shortfall says how much is missing of an amount, and which share of the limit that is.
func shortfall(e *check.Evidence) (says string, share float64) {
	def := e.Leaf.Fact().Def()
	if e.Truth != need.False || !e.Reading.Value.Known() || def.Kind != fact.Number {
		return "", 0
	}
	has := e.Reading.Value.Float()
	switch x := e.Leaf.(type) {
	case *need.AtLeast:
		d := x.Limit.Float() - has
		return Short(def.Unit, d) + " more", d / max(1, x.Limit.Float())
	case *need.AtMost:
		d := has - x.Limit.Float()
		return Short(def.Unit, d) + " less", d / max(1, x.Limit.Float())
	}
	return "", 0
}
