package work

import (
	"cmp"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/price"
)

// Bought is a part that one machine's plan takes.
type Bought struct {
	Machine int64
	Name    string // as the parts order names it
	Part    part.Part
	Price   price.Range // of all of them
	Priced  bool
	Voids   bool // fitting it ends a warranty
}

// Stock is what is there of a part, and how long the rest takes.
type Stock struct {
	OnHand   int
	LeadDays int // 0: not known
}

// States of a part of a placed order.
const (
	Ordered   = "ordered"
	Arrived   = "arrived"   // it is there, and set aside for its machine
	Fitted    = "fitted"    // it is in its machine; of a machine or a title: it is in use
	InStock   = "stock"     // it arrived, and went to the stock
	Cancelled = "cancelled" // it never comes
)

// ItemStates lists the states of a part of a placed order, in their order.
func ItemStates() []string { return []string{Ordered, Arrived, Fitted, InStock, Cancelled} }

// Item is a part of a placed order for one machine.
type Item struct {
	Machine int64
	Name    string
	Count   int
	State   string
}

// Share is where the parts of one kind for one machine are. Their sum is what the machine needs.
type Share struct {
	Machine   int64
	ToOrder   int
	FromStock int // the stock has them for it
	Ordered   int
	Arrived   int
	Fitted    int
}

// Add adds counts.
func (s *Share) Add(o *Share) {
	s.ToOrder, s.FromStock, s.Ordered = s.ToOrder+o.ToOrder, s.FromStock+o.FromStock, s.Ordered+o.Ordered
	s.Arrived, s.Fitted = s.Arrived+o.Arrived, s.Fitted+o.Fitted
}

// PartCount is how many parts of one kind there are.
type PartCount struct {
	Part  string `json:"part"`
	Count int    `json:"count"`
}

// AddPart adds parts to counts by kind.
func AddPart(list []PartCount, part string, n int) []PartCount {
	i := slices.IndexFunc(list, func(p PartCount) bool { return p.Part == part })
	if i < 0 {
		return append(list, PartCount{part, n})
	}
	list[i].Count += n
	return list
}

// Wanted names the parts of one kind for one machine.
type Wanted struct {
	Machine int64
	Name    string
}

// Allot says where each part is that machines need: what placed orders have for them, then what the stock has, machine
// by machine in the order in which they stand in bought, then what is to be ordered. bought is the whole fleet's: the
// stock is one pool, and what it gives to one machine it does not give to another.
func Allot(bought []Bought, items []Item, stock map[string]Stock) map[Wanted]Share {
	placed := map[Wanted]Share{}
	for _, it := range items {
		w := Wanted{it.Machine, it.Name}
		s := placed[w]
		switch it.State {
		case Ordered:
			s.Ordered += it.Count
		case Arrived:
			s.Arrived += it.Count
		case Fitted:
			s.Fitted += it.Count
		}
		placed[w] = s
	}
	need := map[Wanted]int{}
	var order []Wanted
	for _, b := range bought {
		w := Wanted{b.Machine, b.Name}
		if need[w] == 0 {
			order = append(order, w)
		}
		need[w] += b.Part.Count
	}
	left := map[string]int{}
	for name, s := range stock {
		left[name] = s.OnHand
	}
	out := make(map[Wanted]Share, len(order))
	for _, w := range order {
		had, n := placed[w], need[w]
		take := func(from int) int {
			got := min(n, from)
			n -= got
			return got
		}
		s := Share{Machine: w.Machine, Fitted: take(had.Fitted), Arrived: take(had.Arrived), Ordered: take(had.Ordered)}
		s.FromStock = take(left[w.Name])
		left[w.Name] -= s.FromStock
		s.ToOrder = n
		out[w] = s
	}
	return out
}

// Line is one line of an order.
type Line struct {
	Name     string
	Part     part.Part // one of them, without the slot that it goes into
	Quantity int
	OnHand   int // in the stock, for the whole fleet
	Share        // where they are, of all machines together
	LeadDays int
	Price    price.Range // of what is to be ordered
	Unpriced int         // of these, parts that no price is known of
	Confirm  int         // to be confirmed in the maker's manual before they are ordered
	Voids    int         // machines whose warranty ends when it is fitted
	Machines []int64
	Shares   []Share // of each machine, in the order in which they get from the stock
}

// Purchase puts parts together. stock is by the names of parts; allotted says where the part of each machine is.
func Purchase(
	bought []Bought, prices *price.Table, stock map[string]Stock, allotted map[Wanted]Share,
) []Line {
	var out []Line
	at := map[string]int{}
	for _, b := range bought {
		i, ok := at[b.Name]
		if !ok {
			i = len(out)
			at[b.Name] = i
			out = append(out, Line{Name: b.Name, Part: Alike(b.Part)})
		}
		l := &out[i]
		l.Quantity += b.Part.Count
		if b.Part.Manual {
			l.Confirm += b.Part.Count
		}
		if n := len(l.Machines); n > 0 && l.Machines[n-1] == b.Machine {
			continue
		}
		l.Machines = append(l.Machines, b.Machine)
		if b.Voids {
			l.Voids++
		}
		share := allotted[Wanted{b.Machine, b.Name}]
		share.Machine = b.Machine
		l.Shares = append(l.Shares, share)
		l.Share.Add(&share)
	}
	for i := range out {
		l := &out[i]
		have := stock[l.Name]
		l.OnHand, l.LeadDays = have.OnHand, have.LeadDays
		if r, ok := prices.Of(&l.Part); ok {
			l.Price = r.Times(l.ToOrder)
		} else {
			l.Unpriced = l.ToOrder
		}
	}
	slices.SortFunc(out, func(a, b Line) int {
		return cmp.Or(strings.Compare(a.Part.Kind, b.Part.Kind), b.Quantity-a.Quantity,
			cmp.Compare(a.Part.Bytes, b.Part.Bytes), strings.Compare(a.Name, b.Name))
	})
	return out
}

// Alike is a part as it is ordered: one of it, without the slot that it goes into, which is the visit's business.
// Parts that are alike are one line.
func Alike(p part.Part) part.Part {
	p.Count, p.Slots, p.Manual = 1, nil, false
	if p.Kind == part.Memory {
		p.For = ""
	}
	return p
}
