package work

import (
	"math"

	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
)

// Effort is what it takes until machines can take a release: visits with their time, and what is bought.
type Effort struct {
	Machines int // that are not ready yet and have work
	Visits   int
	Minutes  remedy.Minutes // at the desks
	Replaced int            // machines that are replaced
	Parts    price.Range    // of all that is bought
	Unpriced int            // parts that no price is known of
}

// Add counts a machine with its plan, and what the plan buys.
func (e *Effort) Add(d remedy.Disposition, plan Plan, l *remedy.Library, bought []Bought) {
	if d <= remedy.Ready {
		return
	}
	if d == remedy.Replace {
		e.Replaced++
	}
	if d == remedy.Replace || d.Takes() {
		e.Machines++
	}
	// What is known to be bought for a machine that is undetermined is bought, too.
	if desk := plan.In(l, remedy.Desk); d.Takes() && desk.repairs() {
		e.Visits++
		m, _ := desk.Effort(l)
		e.Minutes = e.Minutes.Plus(m)
	}
	for _, b := range bought {
		if b.Priced {
			e.Parts = e.Parts.Add(b.Price)
		} else {
			e.Unpriced += b.Part.Count
		}
	}
}

// Merge adds what other machines take.
func (e *Effort) Merge(o *Effort) {
	e.Machines, e.Visits, e.Replaced = e.Machines+o.Machines, e.Visits+o.Visits, e.Replaced+o.Replaced
	e.Minutes, e.Parts, e.Unpriced = e.Minutes.Plus(o.Minutes), e.Parts.Add(o.Parts), e.Unpriced+o.Unpriced
}

// Days is how many days the visits take with so many minutes for visits on each, at least and at most.
func (e *Effort) Days(minutes int) (least, most int) {
	if minutes <= 0 {
		return 0, 0
	}
	up := func(n int) int { return int(math.Ceil(float64(n) / float64(minutes))) }
	return up(e.Minutes.Least), up(e.Minutes.Most)
}
