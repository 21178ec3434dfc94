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
var Marks = map[string]string{"ready": "●", "reconfigure": "◐", "refit": "◆", "replace": "■", "undetermined": "?"}

// Phases are the headings of a plan's parts.
var Phases = map[string]string{remedy.Remote: "Without a visit", remedy.Desk: "At the desk", remedy.Host: "At the host of the virtual machine", remedy.Install: "The installation"}

// Preparations are the words of where an item of preparation stands.
var Preparations = map[string]string{"done": "done", "not-done": "not done", "not-known": "not known", "by-hand": "to be said by a person", "not-needed": "not needed", "refused": "refused"}

// Plain is a verdict for the person whose machine it is: no word of the trade,
// nothing to look up.
func Plain(v *remedy.Verdict, rel *release.Release) []string {
	var out []string
	switch v.Disposition {
	case remedy.Ready:
		out = append(out, fmt.Sprintf("This machine can take the new system, %s, as it is.", rel.Name))
	case remedy.Reconfigure:
		out = append(out, fmt.Sprintf("This machine can take the new system, %s, once some of its settings are changed. It needs no new part.", rel.Name))
	case remedy.Refit:
		out = append(out, fmt.Sprintf("This machine can take the new system, %s, once it has a new part.", rel.Name))
	case remedy.Replace:
		return []string{fmt.Sprintf("This machine cannot take the new system, %s. It works as before until it is replaced.", rel.Name)}
	case remedy.Undetermined:
		return []string{fmt.Sprintf("It is not known yet whether this machine can take the new system, %s. Somebody looks at it first.", rel.Name)}
	}
	if !v.Confirmed {
		out = append(out, "This is what we expect; some of it shows only when we look.")
	}
	return out
}
