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

// Line is one line of an order.
type Line struct {
	Part     part.Part // one of them, without the slot that it goes into
	Quantity int
	OnHand   int
	ToOrder  int
	LeadDays int
	Price    price.Range // of what is to be ordered
	Unpriced int         // of these, parts that no price is known of
	Confirm  int         // to be confirmed in the maker's manual before they are ordered
	Voids    int         // machines whose warranty ends when it is fitted
	Machines []int64
}

// alike is a part as it is ordered: where it goes is the visit's business.
func alike(p part.Part) part.Part {
	p.Count, p.Slots, p.Manual = 1, nil, false
	if p.Kind == part.Memory {
		p.For = ""
	}
	return p
}

// Same says whether two parts are one line of an order.
func Same(a, b part.Part) bool {
	a, b = alike(a), alike(b)
	return a.Kind == b.Kind && a.Bytes == b.Bytes && a.Type == b.Type && a.Form == b.Form && a.MTS == b.MTS &&
		a.ECC == b.ECC && a.Buffer == b.Buffer && a.MV == b.MV && a.For == b.For && a.Needs == b.Needs
}

// Purchase puts parts together. stock is asked for each kind of part once.
func Purchase(bought []Bought, prices *price.Table, stock func(*part.Part) Stock) []Line {
	var out []Line
	for _, b := range bought {
		i := slices.IndexFunc(out, func(l Line) bool { return Same(l.Part, b.Part) })
		if i < 0 {
			i = len(out)
			out = append(out, Line{Part: alike(b.Part)})
		}
		l := &out[i]
		l.Quantity += b.Part.Count
		if b.Part.Manual {
			l.Confirm += b.Part.Count
		}
		if !slices.Contains(l.Machines, b.Machine) {
			l.Machines = append(l.Machines, b.Machine)
			if b.Voids {
				l.Voids++
			}
		}
	}
	for i := range out {
		l := &out[i]
		have := stock(&l.Part)
		l.OnHand, l.LeadDays = have.OnHand, have.LeadDays
		l.ToOrder = max(0, l.Quantity-l.OnHand)
		if r, ok := prices.Of(&l.Part); ok {
			l.Price = r.Times(l.ToOrder)
		} else {
			l.Unpriced = l.ToOrder
		}
	}
	slices.SortFunc(out, func(a, b Line) int {
		return cmp.Or(strings.Compare(a.Part.Kind, b.Part.Kind), b.Quantity-a.Quantity,
			cmp.Compare(a.Part.Bytes, b.Part.Bytes),
			strings.Compare(a.Part.For+a.Part.Type+a.Part.Form, b.Part.For+b.Part.Type+b.Part.Form))
	})
	return out
}
