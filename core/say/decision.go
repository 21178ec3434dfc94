package say

import (
	"fmt"
	"time"
)

// DecisionKinds are the kinds of decision in words.
var DecisionKinds = map[string]string{"waive": "Waiver", "stay": "Stays", "hold": "On hold", "later": "Postponed"}

// Deciding is what a decision is, see package decision, which must not be imported here.
type Deciding interface {
	Says() (kind, reason, by string, until, ended time.Time)
}

// Decision says a decision in a sentence. title is of the requirement of a waiver.
func Decision(d Deciding, title string, now time.Time) string {
	kind, reason, by, until, ended := d.Says()
	last := until.Add(-time.Second).UTC().Format("2 January 2006") // the last day that it counts
	var s string
	switch kind {
	case "waive":
		s = fmt.Sprintf("“%s” may fail until %s", title, last)
	case "stay":
		s = "Stays on its release until " + last
	case "hold":
		s = "On hold until " + last
	default:
		s = "Postponed until " + last
	}
	switch {
	case !ended.IsZero():
		s += ", ended on " + ended.UTC().Format("2 January 2006")
	case !now.Before(until):
		s += ", which is over"
	}
	return s + ": " + Sentence(reason) + " Decided by " + by + "."
}
