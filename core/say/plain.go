package say

import (
	"fmt"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// NothingToDo is what a step tells the machine's user who does not notice it.
const NothingToDo = "Nothing to do."

// Marks are the signs that stand beside the words of dispositions where
// nothing can be drawn, so that colour is never alone.
var Marks = map[string]string{
	"done": "◉", "ready": "●", "reconfigure": "◐", "refit": "◆", "decide": "▲", "replace": "■", "undetermined": "?",
}

// Phases are the headings of a plan's parts.
var Phases = map[string]string{
	remedy.Remote:  "Remotely",
	remedy.Desk:    "At the desk",
	remedy.Host:    "On the host of the virtual machine",
	remedy.Install: "Installation",
}

// Preparations are the words of where an item of preparation stands.
var Preparations = map[string]string{
	"done":       "done",
	"not-done":   "not done",
	"not-known":  "unknown",
	"by-hand":    "a person confirms it",
	"not-needed": "not needed",
	"refused":    "refused",
}

// Plain is a verdict for the person whose machine it is: no word of the trade,
// nothing to look up.
func Plain(v *remedy.Verdict, rel *release.Release) []string {
	var out []string
	if v.Planned {
		return []string{"This machine is only planned; nobody uses it yet."}
	}
	switch v.Disposition {
	case remedy.Done:
		if len(v.Unsupported) > 0 {
			return []string{fmt.Sprintf("This machine already has the new system, %s. Its publisher does not "+
				"support the system on this machine; somebody will decide what happens next.", rel.Name)}
		}
		return []string{fmt.Sprintf(
			"This machine already has the new system, %s, or a later one. Nothing needs to be done.", rel.Name)}
	case remedy.Ready:
		out = append(out, fmt.Sprintf("This machine can take the new system, %s, as it is.", rel.Name))
	case remedy.Reconfigure:
		out = append(out, fmt.Sprintf("This machine can take the new system, %s, after some of its settings or "+
			"programs are changed.", rel.Name))
		if v.Worst == remedy.Reconfigure {
			out[0] += " It needs no new part."
		}
	case remedy.Refit:
		out = append(out, fmt.Sprintf("This machine can take the new system, %s, after it gets a new part.", rel.Name))
	case remedy.Decide:
		return []string{decidePlain(v, rel)}
	case remedy.Replace:
		return []string{fmt.Sprintf("This machine cannot take the new system, %s. It continues to work until it is "+
			"replaced.", rel.Name)}
	case remedy.Undetermined:
		return []string{fmt.Sprintf("We do not know yet whether this machine can take the new system, %s. Somebody "+
			"will look at it first.", rel.Name)}
	}
	if !v.Confirmed {
		out = append(out, "This is what we expect; we will be sure after we have looked at the machine.")
	}
	return out
}

// decidePlain says what the decision is about: a system that installs and is not
// supported is not one that cannot be installed.
func decidePlain(v *remedy.Verdict, rel *release.Release) string {
	if v.Astray {
		return "A technician will ask you which system this machine should run before anything is planned."
	}
	worst := ""
	for _, id := range v.NoRemedy {
		q := rel.Requirement(id)
		switch {
		case q == nil:
		case !q.Waivable():
			return fmt.Sprintf("We do not know a way yet to install the new system, %s, on this machine. Somebody "+
				"will decide what happens next; the machine continues to work until then.", rel.Name)
		case q.Consequence == "unsupported":
			worst = "its publisher does not support it on this machine"
		case worst == "":
			worst = "some of it works less well on this machine"
		}
	}
	if worst == "" {
		worst = "it does not meet a standard of your organisation"
	}
	return fmt.Sprintf("The new system, %s, can be installed, but %s. Somebody will decide what happens next; the "+
		"machine continues to work until then.", rel.Name, worst)
}
