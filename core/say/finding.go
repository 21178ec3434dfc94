package say

import (
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
		text := setReading(e)
		if several && e.Reading.Value.Known() && id.Def().Kind == fact.Version {
			text = "version " + text
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
				return "not known"
			}
		}
	}
	return strings.Join(rows, "; ")
}

// setReading shows of a set only what the comparison is about.
func setReading(e check.Evidence) string {
	def := e.Leaf.Fact().Def()
	if !e.Reading.Value.Known() {
		return Reading(def, e.Reading)
	}
	var items []string
	switch x := e.Leaf.(type) {
	case *need.HasAll:
		items = x.Items
	case *need.HasAny:
		items = x.Items
	default:
		return Reading(def, e.Reading)
	}
	var has []string
	for _, i := range items {
		if e.Reading.Value.Has(i) {
			has = append(has, i)
		}
	}
	if len(has) == 0 {
		return "none of them"
	}
	return And(has)
}

func moot(fd *check.Finding) bool {
	for _, e := range fd.Evidence {
		if e.Leaf.Fact() == fact.TPMState && e.Truth == need.False {
			return true
		}
	}
	return false
}

// Needs says what a finding's need asks for, beside what the machine has.
func Needs(fd *check.Finding) string {
	var parts []string
	for l := range fd.Requirement.Need.Leaves() {
		if l.Fact().Group() != fact.NoGroup {
			continue // said with its list
		}
		t := Target(l)
		if l.Fact().Def().Kind == fact.Version {
			t = "version " + t
		}
		if len(parts) == 0 || parts[len(parts)-1] != t {
			parts = append(parts, t)
		}
	}
	if _, any := fd.Requirement.Need.(*need.AnyOf); any {
		return Or(parts)
	}
	return strings.Join(parts, ", ")
}

// Distance says how much is missing, with its unit, or nothing where the need
// is not an amount.
func Distance(fd *check.Finding) string {
	for _, e := range fd.Evidence {
		if e.Truth != need.False || e.Condition || !e.Reading.Value.Known() || e.Row != "" {
			continue
		}
		def := e.Leaf.Fact().Def()
		switch x := e.Leaf.(type) {
		case *need.AtLeast:
			if def.Kind == fact.Number {
				return gap(def, x.Limit.Float()-e.Reading.Value.Float(), "more")
			}
		case *need.AtMost:
			if def.Kind == fact.Number {
				return gap(def, e.Reading.Value.Float()-x.Limit.Float(), "less")
			}
		}
	}
	return ""
}

func gap(def *fact.Def, d float64, word string) string {
	return Amount(def.Unit, d) + " " + word
}
