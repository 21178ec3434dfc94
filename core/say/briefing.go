package say

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
)

// Week is what the last seven days have changed.
type Week struct {
	Since     string         // the day a week ago
	WasOn     string         // day of Was: that one, or the last before it on which machines were counted
	Was, Is   map[string]int // machines by disposition then and now; Was is nil if nothing was counted
	Arrived   int            // machines that came to their target
	Failed    int            // failures and returns that were recorded
	Decided   int            // decisions that were made
	Placed    int            // orders that were placed
	Delivered int            // parts that arrived
	Rules     int            // changes of the requirements in force
}

// Says says what has changed, in sentences; what has not is left out.
func (w *Week) Says() []string {
	out := []string{}
	add := func(n int, one, many string) {
		if n > 0 {
			out = append(out, Sentence(Capital(Count(n, one, many))))
		}
	}
	add(w.Arrived, "machine came to its target", "machines came to their target")
	if w.Was != nil {
		for _, d := range []remedy.Disposition{
			remedy.Done, remedy.Ready, remedy.Reconfigure, remedy.Refit, remedy.Decide, remedy.Replace,
			remedy.Undetermined,
		} {
			if was, is := w.Was[d.String()], w.Is[d.String()]; was != is {
				out = append(out, fmt.Sprintf("%s: %d now, %d on %s.", Capital(d.String()), is, was,
					dayText(w.WasOn)))
			}
		}
	}
	add(w.Failed, "upgrade failed or was taken back", "upgrades failed or were taken back")
	add(w.Decided, "decision was made", "decisions were made")
	add(w.Placed, "order was placed", "orders were placed")
	add(w.Delivered, "part arrived", "parts arrived")
	add(w.Rules, "change of the requirements came into force", "changes of the requirements came into force")
	if len(out) == 0 {
		out = append(out, "Nothing has changed.")
	}
	return out
}

// VisitTime says how long visits take, and how many days that is with all technicians at work.
func VisitTime(m remedy.Minutes, days [2]int) string {
	if m.Most == 0 {
		return "no time at the desks"
	}
	s := Hours(m) + " at the desks"
	switch {
	case days[1] == 0:
		return s
	case days[0] == days[1]:
		return s + ", " + Count(days[1], "working day", "working days") + " with all technicians"
	}
	return fmt.Sprintf("%s, %d to %d working days with all technicians", s, days[0], days[1])
}

// Spent says an exact sum, which may be nothing.
func Spent(currency string, sum int64) string {
	if sum == 0 {
		return "nothing"
	}
	return currency + " " + price.Range{Least: sum, Most: sum}.String()
}

// ExtendedCost says what support beyond its end costs for machines that stay. known says that all of them have a price.
func ExtendedCost(currency string, r price.Range, machines int, known bool) string {
	switch {
	case machines == 0:
		return "nothing"
	case !known && r.Zero():
		return "no price is known, for " + Count(machines, "machine", "machines")
	case !known:
		return fmt.Sprintf("%s %s at least, for %s", currency, r, Count(machines, "machine", "machines"))
	}
	return fmt.Sprintf("%s %s for %s", currency, r, Count(machines, "machine", "machines"))
}

// Sums are what was paid, what is ordered, and what is needed.
type Sums struct {
	Currency       string
	Spent, Ordered int64
	Needed         price.Range
	Unpriced       int // parts to order without a price
	NoPrice        int // parts of orders without a price
}

// BriefMoney says what was paid, what is ordered, and what is needed.
func BriefMoney(s *Sums) string {
	needed := "nothing"
	if !s.Needed.Zero() || s.Unpriced > 0 {
		needed = Money(s.Currency, s.Needed, s.Unpriced)
	}
	out := fmt.Sprintf("Spent %s; ordered %s; still needed %s", Spent(s.Currency, s.Spent),
		Spent(s.Currency, s.Ordered), needed)
	if s.NoPrice > 0 {
		out += ". " + Capital(Count(s.NoPrice, "part of the orders has no price", "parts of the orders have no price"))
		if s.Currency != "" {
			out += " in " + s.Currency
		}
	}
	return Sentence(out)
}

// Effort says what machines take until they can take a release. parts is what Money says.
func Effort(release string, visits, replaced int, m remedy.Minutes, days [2]int, parts string) string {
	out := []string{Count(visits, "visit", "visits")}
	if visits > 0 {
		out[0] += " (" + VisitTime(m, days) + ")"
	}
	if replaced > 0 {
		out = append(out, Count(replaced, "machine is replaced", "machines are replaced"))
	}
	out = append(out, "parts: "+parts)
	return Sentence(release + ": " + strings.Join(out, "; "))
}
