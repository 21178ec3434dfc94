package say

import (
	"cmp"
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/work"
)

// NothingToOrder says why there is nothing to order for machines, from where their parts are.
func NothingToOrder(s *work.Share) string {
	return "nothing is to be ordered for these machines: " + partsAt(s)
}

// NothingInStock says why the stock has nothing for machines, from where their parts are.
func NothingInStock(s *work.Share) string {
	return "the stock has nothing for these machines: " + partsAt(s)
}

func partsAt(s *work.Share) string {
	return cmp.Or(PartsAt(s), "their plans take no part")
}

// PartsAt says where parts are: 2 to order, 1 in the stock. It is "" where there are none.
func PartsAt(s *work.Share) string {
	var out []string
	for _, one := range []struct {
		n    int
		says string
	}{
		{s.ToOrder, "to order"}, {s.FromStock, "in the stock"}, {s.Ordered, "ordered"}, {s.Arrived, "arrived"},
		{s.Fitted, "fitted"},
	} {
		if one.n > 0 {
			out = append(out, fmt.Sprintf("%s %s", Number(one.n), one.says))
		}
	}
	return strings.Join(out, ", ")
}

// PartCounts says counts of parts: 3 × new laptop.
func PartCounts(list []work.PartCount) string {
	var out []string
	for _, p := range list {
		out = append(out, fmt.Sprintf("%d × %s", p.Count, p.Part))
	}
	return strings.Join(out, ", ")
}

// itemWords are the states of a part of an order, in words.
var itemWords = map[string]string{
	work.Ordered: "ordered", work.Arrived: "arrived", work.Fitted: "fitted", work.InStock: "put into the stock",
	work.Cancelled: "cancelled",
}

// ItemState is the state of a part of an order in words: put into the stock.
func ItemState(state string) string { return itemWords[state] }

// OrderedPart is a part of an order for one machine.
type OrderedPart struct {
	Part, State, Day           string // Day: since when it is in this state
	Number, Supplier, Expected string // of the order; Number "": from the stock
	Count                      int
}

// Says says what became of the part, as whoever is asked about the machine needs it.
func (p *OrderedPart) Says() string {
	s := p.Part
	if p.Count > 1 {
		s = fmt.Sprintf("%d × %s", p.Count, p.Part)
	}
	from := "from the stock"
	if p.Number != "" {
		from = "order " + p.Number
		if p.Supplier != "" {
			from += " from " + p.Supplier
		}
	}
	state := ItemState(p.State)
	if p.Number == "" && p.State == work.Arrived {
		state = "set aside"
	}
	s += fmt.Sprintf(": %s on %s (%s)", state, dayText(p.Day), from)
	if p.State == work.Ordered && p.Expected != "" {
		s += "; it should arrive on " + dayText(p.Expected)
	}
	return Sentence(Capital(s))
}

// OrderText is an order in one sentence: its parts, what there is of them by state, for how many machines.
func OrderText(parts []work.PartCount, states map[string]int, machines int, late bool) string {
	var out []string
	for _, state := range work.ItemStates() {
		if n := states[state]; n > 0 {
			out = append(out, Number(n)+" "+ItemState(state))
		}
	}
	s := fmt.Sprintf("%s, for %s", strings.Join(out, ", "), Count(machines, "machine", "machines"))
	if len(parts) > 0 {
		s = PartCounts(parts) + ": " + s
	}
	if late {
		s += "; it is late"
	}
	return Sentence(s)
}

// Replaced says which machine takes the place of an old one, and how far that is. disposition is that of the new
// machine in words; "" if it has not reported yet. hidden says that this cannot be told.
func Replaced(newName, disposition string, hidden bool, moved, of int) string {
	s := newName + " takes its place"
	switch {
	case hidden:
	case disposition == "":
		s += "; it has not reported yet"
	default:
		s += "; it has reported: " + disposition
	}
	switch moved {
	case 0:
		s += ". Nothing of the hand-over is recorded yet"
	case of:
		s += ". The hand-over is complete"
	default:
		s += fmt.Sprintf(". %d of %d items of the hand-over are recorded", moved, of)
	}
	return Sentence(s)
}

// OrderChanged says what the recording of an order, or of what became of it, came to. counts are what it is about.
func OrderChanged(number string, counts []work.PartCount, state string, machines int, trial bool) string {
	parts := PartCounts(counts)
	is := "is recorded as "
	if trial {
		is = "would be recorded as "
	}
	from := "Order " + number
	if number == stockOrder {
		from = "From the stock"
		if state == work.Arrived {
			return Sentence(
				fmt.Sprintf("%s: %s %sset aside for %s", from, parts, is, Count(machines, "machine", "machines")),
			)
		}
	}
	return Sentence(fmt.Sprintf("%s: %s %s%s, for %s", from, parts, is, ItemState(state),
		Count(machines, "machine", "machines")))
}

// stockOrder is the number of the order that stands for the stock.
const stockOrder = "stock"

// NoHourlyPrice stands where the table of prices has no row for labour.
const NoHourlyPrice = "no price of an hour is known"
