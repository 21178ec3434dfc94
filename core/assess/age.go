package assess

import (
	"time"

	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// Age is how old the inventory is on the day of the check.
type Age struct {
	Days   int    `json:"days" doc:"Negative if the inventory is dated after the check: one of the clocks is wrong"`
	Stale  bool   `json:"stale,omitempty" doc:"It is so old that its results are only expected"`
	Future bool   `json:"future,omitempty" doc:"It is dated after the check: one of the two clocks is wrong"`
	Says   string `json:"says"`
}

// StaleDays is from how many days on an inventory is so old that a verdict on it is
// only expected.
const StaleDays = 90

// ruleDays is for how many days a document counts as looked at.
const ruleDays = 365

// clockDays is how far a clock may be ahead before it is said: two machines may stand
// on either side of midnight.
const clockDays = 1

// age says how old the inventory is, and what that does to the answer. It changes
// neither the disposition nor the exit status.
func (d *Document) age(now time.Time) {
	taken := d.Machine.TakenAt
	if taken.IsZero() {
		return
	}
	n := days(taken, now)
	switch {
	case n < -clockDays:
		d.Age = &Age{Days: n, Future: true, Says: say.FutureInventory(taken, now)}
	case n >= 1:
		d.Age = &Age{Days: n, Stale: n >= StaleDays, Says: say.InventoryAge(taken, n)}
	default:
		return
	}
	if d.Age.Stale || d.Age.Future {
		if d.Disposition != remedy.Undetermined.String() {
			d.Certainty = "expected"
		}
		d.RestsOn = append(d.RestsOn, say.AgeBasis(taken, n))
	}
	d.Answer = Dated(d.Answer, d.Disposition, taken, now)
}

// asOfDays is from how many days on the answer on a ready machine gives the day it
// is of: free space and updates change within a week.
const asOfDays = 7

// Dated puts the day of the inventory into the answer on a machine that is ready, where
// that is some days ago. Where it lies ahead, the answer is of no known day.
func Dated(answer, disposition string, taken, now time.Time) string {
	switch n := days(taken, now); {
	case disposition != remedy.Ready.String():
	case n >= asOfDays:
		return say.AsOf(answer, taken, n)
	case n < -clockDays:
		return say.NotNow(answer)
	}
	return answer
}

// Stale says whether an inventory is so old, or dated so far ahead, that a verdict on
// it is only expected.
func Stale(taken, now time.Time) bool {
	n := days(taken, now)
	return n >= StaleDays || n < -clockDays
}

// ruleAge warns of a document that nobody has compared with its page for a year, and
// of dates that lie ahead.
func ruleAge(published, retrieved, now time.Time) []string {
	var out []string
	seen := published
	if retrieved.After(seen) {
		seen = retrieved
	}
	switch n := days(seen, now); {
	case n < -clockDays:
		out = append(out, say.FutureRules(seen))
	case n > ruleDays:
		out = append(out, say.OldRules(seen, n))
	}
	return out
}

// Superseded warns where a later revision of the document is known.
func (d *Document) Superseded(newest int) {
	if newest > d.Release.Revision {
		d.Warnings = append(d.Warnings, say.Superseded(d.Release.Name, d.Release.Revision, newest))
	}
}
