package work

import (
	"cmp"
	"math/bits"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
)

// Kind is machines that have the same plan.
type Kind struct {
	Plan        Plan
	Disposition remedy.Disposition
	Machines    int
	Cost        price.Range // of all their parts
	Unpriced    int         // parts that no price is known of
}

// Effect is what a remedy does for a fleet.
type Effect struct {
	Step     string
	Needs    int // machines that do not become ready without it
	Alone    int // of these, machines that need no other
	Expected int // of Alone, machines on which its effect is not certain
}

// Pick is what to do next for the most effect: the remedies of one kind of trouble.
type Pick struct {
	Steps    []string       // that were in no pick before
	Gain     int            // machines that become ready
	Expected int            // of these, machines on which that is not certain
	Ready    int            // machines that are ready then, all together
	Minutes  remedy.Minutes // of the plans of the machines gained
	Cost     price.Range
	Unpriced int
}

// Order says by what the next pick is chosen.
type Order int

// The orders.
const (
	MaxMachines Order = iota // a remedy
	LeastTime                // a machine
)

// Orders are their names.
var Orders = []string{"machines", "time"}

// Effects is what frees most.
type Effects struct {
	Machines     int
	Ready        int // before anything is done
	Undetermined int // nothing is promised of these
	Decide       int // a person has to decide on these first
	Effects      []Effect
	Picks        []Pick
}

// set holds remedies by their numbers.
type set [remedy.MaxSteps / 64]uint64

func (s *set) add(i int) { s[i/64] |= 1 << (i % 64) }

func (s set) minus(o set) set {
	for i := range s {
		s[i] &^= o[i]
	}
	return s
}

func (s set) or(o set) set {
	for i := range s {
		s[i] |= o[i]
	}
	return s
}

func (s set) len() (n int) {
	for _, w := range s {
		n += bits.OnesCount64(w)
	}
	return n
}

func (s set) within(o set) bool { return s.minus(o) == set{} }

// deficit is the machines that lack the same remedies.
type deficit struct {
	remedies set
	machines int
	expected int
	minutes  remedy.Minutes
	cost     price.Range
	unpriced int
}

func (n *deficit) add(o *deficit) {
	n.machines, n.expected, n.unpriced = n.machines+o.machines, n.expected+o.expected, n.unpriced+o.unpriced
	n.minutes.Least, n.minutes.Most = n.minutes.Least+o.minutes.Least, n.minutes.Most+o.minutes.Most
	n.cost = n.cost.Add(o.cost)
}

// Free works out what frees most. Picks are greedy: each is the remedies that one kind
// of trouble still lacks, of all kinds the one that makes the most machines ready for a
// remedy, or takes the least time a machine; replacements come last. Where several do the same it is the one
// with fewer remedies, then the first by name.
func Free(kinds []Kind, l *remedy.Library, by Order) Effects {
	var out Effects
	number := map[string]int{}
	var names []string
	gathered := map[set]*deficit{}
	effects := map[string]*Effect{}
	for i := range kinds {
		k := &kinds[i]
		out.Machines += k.Machines
		switch k.Disposition {
		case remedy.Done:
			out.Machines -= k.Machines // they are there, and nothing makes them ready
			continue
		case remedy.Ready:
			out.Ready += k.Machines
			continue
		case remedy.Undetermined:
			out.Undetermined += k.Machines
			continue
		case remedy.Decide:
			out.Decide += k.Machines
			continue
		}
		one := deficit{machines: k.Machines, cost: k.Cost, unpriced: k.Unpriced}
		if !k.Plan.Certain() {
			one.expected = k.Machines
		}
		m, _ := k.Plan.Effort(l)
		one.minutes = remedy.Minutes{Least: m.Least * k.Machines, Most: m.Most * k.Machines}
		remedies := k.Plan.Remedies()
		for _, id := range remedies {
			n, ok := number[id]
			if !ok {
				n = len(names)
				number[id], names = n, append(names, id)
				effects[id] = &Effect{Step: id}
			}
			one.remedies.add(n)
			e := effects[id]
			e.Needs += k.Machines
			if len(remedies) == 1 {
				e.Alone, e.Expected = e.Alone+k.Machines, e.Expected+one.expected
			}
		}
		if had := gathered[one.remedies]; had != nil {
			had.add(&one)
		} else {
			gathered[one.remedies] = &one
		}
	}
	for _, e := range effects {
		out.Effects = append(out.Effects, *e)
	}
	slices.SortFunc(out.Effects, func(a, b Effect) int {
		return cmp.Or(b.Alone-a.Alone, b.Needs-a.Needs, strings.Compare(a.Step, b.Step))
	})
	left := make([]*deficit, 0, len(gathered))
	for _, n := range gathered {
		left = append(left, n)
	}
	label := func(s set) (ids []string) {
		for i, id := range names {
			if s[i/64]&(1<<(i%64)) != 0 {
				ids = append(ids, id)
			}
		}
		slices.Sort(ids)
		return ids
	}
	slices.SortFunc(left, func(a, b *deficit) int { return slices.Compare(label(a.remedies), label(b.remedies)) })
	// A replacement is the last resort, however many machines it would free.
	last := func(n *deficit) bool {
		return slices.ContainsFunc(label(n.remedies), func(id string) bool {
			d := l.Find(id)
			return d != nil && d.Class == remedy.Replacement
		})
	}
	var late []*deficit
	for _, n := range left {
		if last(n) {
			late = append(late, n)
		}
	}
	out.Picks = picks(slices.DeleteFunc(left, last), out.Ready, set{}, by, label)
	ready, done := out.Ready, set{}
	for _, p := range out.Picks {
		ready = p.Ready
		for _, id := range p.Steps {
			done.add(number[id])
		}
	}
	out.Picks = append(out.Picks, picks(late, ready, done, by, label)...)
	return out
}

func picks(left []*deficit, ready int, done set, by Order, label func(set) []string) []Pick {
	var out []Pick
	for len(left) > 0 {
		best, bestOf := deficit{}, set{}
		for _, candidate := range left {
			want := candidate.remedies.minus(done)
			if best.machines > 0 && want == bestOf {
				continue
			}
			got := gain(left, done.or(want))
			if best.machines == 0 || better(&got, want.len(), &best, bestOf.len(), by) {
				best, bestOf = got, want
			}
		}
		done = done.or(bestOf)
		left = slices.DeleteFunc(left, func(n *deficit) bool { return n.remedies.within(done) })
		ready += best.machines
		out = append(out, Pick{
			Steps:    label(bestOf),
			Gain:     best.machines,
			Expected: best.expected,
			Ready:    ready,
			Minutes:  best.minutes,
			Cost:     best.cost,
			Unpriced: best.unpriced,
		})
	}
	return out
}

// gain is the machines that lack nothing any more.
func gain(left []*deficit, done set) (out deficit) {
	for _, n := range left {
		if n.remedies.within(done) {
			out.add(n)
		}
	}
	return out
}

// better compares gains without dividing, so that equals stay equal.
func better(a *deficit, remediesA int, b *deficit, remediesB int, by Order) bool {
	if by == LeastTime {
		if d := (a.minutes.Least+a.minutes.Most)*b.machines - (b.minutes.Least+b.minutes.Most)*a.machines; d != 0 {
			return d < 0
		}
	}
	if d := a.machines*remediesB - b.machines*remediesA; d != 0 {
		return d > 0
	}
	return remediesA < remediesB
}
