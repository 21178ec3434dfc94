// Package decision is what people decide about machines, until a date: that a failing
// requirement is accepted, that a machine stays on its release, is held back, or is not
// to be visited before a day. A decision never makes a fact and never changes what was
// found; it is laid over a verdict, and falls away at its date.
package decision

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
)

// Kinds of decision.
const (
	Waive = "waive" // a requirement that fails is accepted
	Stay  = "stay"  // the machine stays on the release that it runs
	Hold  = "hold"  // the organisation keeps it from being upgraded
	Later = "later" // nobody visits or upgrades it before the date
)

// Kinds are all of them.
func Kinds() []string { return []string{Waive, Stay, Hold, Later} }

// longest is how far ahead a decision may be made: whoever makes it should look at it
// again.
const longest = 3 // years

// Decision is one.
type Decision struct {
	ID          int64
	Kind        string
	Scope       string // a filter: which machines
	Release     string // of Waive: the release whose requirement it is
	Requirement string // of Waive
	Reason      string
	By          string
	At, Until   time.Time
	Ended       time.Time // by a person, before its date; zero: it was not
	EndedBy     string
}

// Counts says whether it counts at a time.
func (d *Decision) Counts(now time.Time) bool {
	return d.Ended.IsZero() && now.Before(d.Until)
}

// Check refuses a decision that nobody may make, and says what would be right. rel is the
// release of a waiver; nil where there is none.
func Check(d *Decision, rel *release.Release, now time.Time) error {
	if !slices.Contains(Kinds(), d.Kind) {
		return fmt.Errorf("unknown kind of decision %q; use %s", d.Kind, strings.Join(Kinds(), ", "))
	}
	switch {
	case strings.TrimSpace(d.Scope) == "":
		return errors.New("no machines selected; give a filter, such as site=\"Gull Quay\", or name a machine")
	case strings.TrimSpace(d.Reason) == "":
		return errors.New("the reason is missing")
	}
	if err := CheckUntil(d, now); err != nil {
		return err
	}
	f, err := fleet.Parse(d.Scope)
	if err != nil {
		return err
	}
	for _, key := range []string{
		"disposition", "publisher", "certainty", "alone", "step", "fixed_by", "decision", "next", "wave", "outcome",
		"assigned",
		"rule_change",
	} {
		if f.Has(key) {
			return fmt.Errorf("the filter of a decision cannot use %s, because decisions change it; use fails=, "+
				"site, tag, model or a fact", key)
		}
	}
	if d.Kind != Waive {
		if d.Requirement != "" {
			return fmt.Errorf("a decision of the kind %s does not concern a requirement; omit %q, or use the kind "+
				"waive", d.Kind, d.Requirement)
		}
		return nil
	}
	return waivable(d, rel)
}

// CheckUntil refuses a last day that is missing, over or too far ahead.
func CheckUntil(d *Decision, now time.Time) error {
	switch {
	case d.Until.IsZero():
		return errors.New("the last day is missing")
	case !d.Until.After(now):
		return fmt.Errorf("%s is in the past; give a last day in the future", d.lastDay())
	case d.Until.After(now.AddDate(longest, 0, 0)):
		return fmt.Errorf("%s is more than %d years ahead; give an earlier last day",
			d.lastDay(), longest)
	}
	return nil
}

func waivable(d *Decision, rel *release.Release) error {
	if d.Requirement == "" {
		return errors.New("the waiver names no requirement")
	}
	if rel == nil {
		return fmt.Errorf("the release %q of the waiver does not exist", d.Release)
	}
	q := rel.Requirement(d.Requirement)
	if q == nil {
		var ids []string
		for i := range rel.Requirements {
			ids = append(ids, rel.Requirements[i].ID)
		}
		return fmt.Errorf("%s has no requirement %q; it has %s", rel.Name, d.Requirement, strings.Join(ids, ", "))
	}
	if q.Level != release.Must {
		return fmt.Errorf("%q is only a recommendation; it needs no waiver", q.Title)
	}
	if !q.Waivable() {
		return fmt.Errorf("%q cannot be waived: without it %s. Use the kind stay instead", q.Title, consequence(q))
	}
	return nil
}

func consequence(q *release.Requirement) string {
	if q.Consequence == "installer-refuses" {
		return "the installer refuses"
	}
	return "the system will not start"
}

// lastDay is the last day on which it holds, as it was typed.
func (d *Decision) lastDay() string { return d.Until.AddDate(0, 0, -1).Format(time.DateOnly) }

// Says is what package say needs of it.
func (d *Decision) Says() (kind, reason, by string, until, ended time.Time) {
	return d.Kind, d.Reason, d.By, d.Until, d.Ended
}
