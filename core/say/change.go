package say

import (
	"cmp"
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/fact"
	entered "rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/release"
)

// WhatIf is in one sentence what other requirements would do: how many of the machines would
// change, and how many more, or fewer where it is negative, would be ready.
func WhatIf(machines, moved, ready int) string {
	if moved == 0 {
		return fmt.Sprintf("No machine of %s would change its disposition.", Number(machines))
	}
	s := Capital(Count(moved, "machine", "machines")) + fmt.Sprintf(" of %s would change", Number(machines))
	switch {
	case ready > 0:
		s += fmt.Sprintf("; %s more would be ready", Number(ready))
	case ready < 0:
		s += fmt.Sprintf("; %s fewer would be ready", Number(-ready))
	default:
		s += "; as many would be ready as now"
	}
	return s + "."
}

// Unanimous says of which requirements nothing tells machines apart: those that all of them fail, and
// those that none fails.
func Unanimous(failed, passed []*release.Requirement, machines int) []string {
	titles := func(list []*release.Requirement) string {
		out := make([]string, len(list))
		for i, q := range list {
			out[i] = "“" + q.Title + "”"
		}
		return And(out)
	}
	var out []string
	if len(failed) > 0 {
		out = append(out, fmt.Sprintf("No machine of %s meets %s. Check the limit and its unit.", Number(machines),
			titles(failed)))
	}
	if len(passed) > 0 {
		out = append(out, fmt.Sprintf("No machine of %s fails %s.", Number(machines), titles(passed)))
	}
	return out
}

// RuleChange is in one sentence what the rules of a release in force did, instead of earlier
// ones: how many machines changed, and how many more, or fewer where it is negative, are ready.
func RuleChange(was, is release.Ref, moved, ready int) string {
	s := fmt.Sprintf("%s, revision %d", is.Name, is.Revision)
	switch {
	case is.ID != was.ID:
		s += " instead of " + was.Name
	case is.Revision == was.Revision:
		s += ", with other steps, guides or another version of the program"
	}
	if moved == 0 {
		return s + ": no machine changed."
	}
	s = fmt.Sprintf("%s: %s changed", s, Count(moved, "machine", "machines"))
	switch {
	case ready > 0:
		s += ", " + Count(ready, "more is ready", "more are ready")
	case ready < 0:
		s += ", " + Count(-ready, "fewer is ready", "fewer are ready")
	}
	return s + "."
}

// ManyChanged says what a change of many machines came to, or would come to. skipped are machines that it does not
// concern.
func ManyChanged(picked, changed, skipped int, trial bool) string {
	s := MachinesChanged(picked, changed)
	if trial {
		s = Sentence(Count(changed, "machine would be changed", "machines would be changed"))
		if same := picked - changed; same > 0 {
			s += " " + Sentence(Count(same, "machine is so already", "machines are so already"))
		}
	}
	if skipped > 0 {
		s += " " + Sentence(Count(skipped, "machine is not concerned", "machines are not concerned"))
	}
	return s
}

// Undone says what became of a change of many machines that was undone, or would become of it.
func Undone(what string, undone, kept int, trial bool) string {
	verb := "undone on"
	if trial {
		verb = "would be undone on"
	}
	s := Sentence(fmt.Sprintf("“%s” %s %s", what, verb, Count(undone, "machine", "machines")))
	if kept > 0 {
		s += " " + Sentence(Count(kept, "machine was changed again since and stays as it is",
			"machines were changed again since and stay as they are"))
	}
	return s
}

// MachinesChanged says how many of the machines that were picked a change concerned.
func MachinesChanged(picked, changed int) string {
	switch same := picked - changed; {
	case picked == 0:
		return "No machine matches; nothing was changed."
	case same == 0:
		return Sentence(Count(changed, "machine was", "machines were") + " changed")
	case changed == 0:
		return Sentence(Count(same, "machine is", "machines are") + " so already; nothing was changed")
	default:
		return Sentence(fmt.Sprintf("%s changed; %s so already", Count(changed, "machine was", "machines were"),
			Count(same, "was", "were")))
	}
}

// ImportRow says what becomes of a row of a spreadsheet. why is why it may be another machine, or has no effect.
func ImportRow(state, machine, why string, merged []entered.Merged) string {
	var fills, differs []string
	for _, m := range merged {
		label := m.Fact
		if def := fact.ByName(m.Fact); def != nil {
			label = def.Label
		}
		if m.Conflict {
			differs = append(differs, fmt.Sprintf("%s: known %s, row %s", label, cmp.Or(m.Has, "in conflict"), m.Row))
		} else {
			fills = append(fills, label+" "+m.Row)
		}
	}
	s := map[string]string{
		"new":         "A new machine.",
		"duplicate":   "A new machine that may be one that is known.",
		"replaces":    "Replaces what an earlier import said of " + machine + ".",
		"fills-gaps":  machine + " is known.",
		"conflict":    machine + " is known, and differs.",
		"nothing-new": machine + " is known; nothing is new.",
		"no-effect":   machine + " is known; the row has no effect.",
	}[state]
	if why != "" {
		s += " " + Sentence(why)
	}
	if len(fills) > 0 {
		s += " Fills: " + strings.Join(fills, "; ") + "."
	}
	if len(differs) > 0 {
		s += " Conflict: " + strings.Join(differs, "; ") + "."
	}
	return s
}
