package remedy

import (
	"slices"

	"rolltop.example/rolltop/core/need"
)

// achieve chooses steps within a class that make a need true in this world. Where it
// fails, nothing is chosen.
func (s *solver) achieve(n need.Need, budget Class) bool {
	if s.met(n) {
		return true
	}
	switch x := n.(type) {
	case *need.AllOf:
		at := s.mark()
		for _, p := range x.Parts {
			if !s.achieve(p, budget) {
				s.undo(at)
				return false
			}
		}
		return s.met(n)
	case *need.AnyOf:
		return s.cheapest(x.Parts, budget)
	}
	var room [8]int
	list := s.options(room[:0], n, budget)
	if len(list) == 0 {
		return false
	}
	if s.single(n, list, budget) {
		return true
	}
	if _, leaf := n.(need.Leaf); leaf {
		if _, each := n.(*need.Each); !each {
			return false
		}
	}
	return s.pair(n, list, budget)
}

// cheapest achieves the part of an either/or that takes least.
func (s *solver) cheapest(parts []need.Need, budget Class) bool {
	at := s.mark()
	best, cost := -1, [3]int{}
	for i, p := range parts {
		if !s.achieve(p, budget) {
			continue
		}
		c := s.cost(at.chosen)
		s.undo(at)
		if best < 0 || slices.Compare(c[:], cost[:]) < 0 {
			best, cost = i, c
		}
	}
	return best >= 0 && s.achieve(parts[best], budget)
}

// cost is what the steps from one on take: their class, how many are remedies, and
// the first of them in the order of the files.
func (s *solver) cost(from int) [3]int {
	c := [3]int{0, 0, len(s.lib.steps)}
	for i := from; i < len(s.chosen); i++ {
		if p := &s.chosen[i]; p.Class != NoClass {
			c[0], c[1], c[2] = max(c[0], int(s.class(p.Step))), c[1]+1, min(c[2], p.index)
		}
	}
	return c
}

// single achieves a comparison with one step.
func (s *solver) single(n need.Need, list []int, budget Class) bool {
	at := s.mark()
	for _, i := range list {
		if s.bring(i, budget) && s.met(n) {
			return true
		}
		s.undo(at)
	}
	return false
}

// pair achieves with two steps what one alone does not: a look at a list, a
// negation of several things.
func (s *solver) pair(n need.Need, list []int, budget Class) bool {
	at := s.mark()
	for _, i := range list {
		for _, j := range list {
			if i != j && s.bring(i, budget) && s.bring(j, budget) && s.met(n) {
				return true
			}
			s.undo(at)
		}
	}
	return false
}

// options appends to out the steps that could change what a need reads: first those
// that can surely be done, then the least, then the order of the files.
func (s *solver) options(out []int, n need.Need, budget Class) []int {
	out = s.gather(out, n, n, budget)
	slices.Sort(out)
	for k := range out {
		out[k] &= 1<<optionBits - 1
	}
	return out
}

// gather looks at every fact that a need reads. It is a walk of its own since it is
// the one that is taken most.
func (s *solver) gather(out []int, n, whole need.Need, budget Class) []int {
	switch x := n.(type) {
	case *need.AllOf:
		for _, p := range x.Parts {
			out = s.gather(out, p, whole, budget)
		}
		return out
	case *need.AnyOf:
		for _, p := range x.Parts {
			out = s.gather(out, p, whole, budget)
		}
		return out
	case *need.NotOf:
		return s.gather(out, x.Part, whole, budget)
	case *need.Each:
		out = s.gather(out, x.Part, whole, budget)
	}
	l, ok := n.(need.Leaf)
	if !ok {
		return out
	}
	for _, i := range s.lib.changing[l.Fact()] {
		if rank, ok := s.option(i, whole, budget); ok && !slices.Contains(out, rank) {
			out = append(out, rank)
		}
	}
	return out
}

// optionBits is how many bits of a rank are the step's number.
const optionBits = 16

// option ranks a step as one that could change what a need reads.
func (s *solver) option(i int, n need.Need, budget Class) (rank int, ok bool) {
	st := &s.lib.steps[i]
	if st.Class == NoClass || st.Class > budget || st.Installs || st.Always != nil || !st.on(s.route, s.guest) ||
		s.has(i) || slices.Contains(s.asking, i) {
		return 0, false
	}
	if !s.unsure && !st.sure(s.was) {
		s.unsure = true
	}
	s.chance = s.chance || st.Unlikely != nil && st.Unlikely.Test(s.was.View()) != need.False
	below := s.below(st, n)
	s.doubt = s.doubt || below == need.Unknown
	if s.class(st) > budget || !s.available(st) || !s.possible(below) {
		return 0, false
	}
	doubtful := 0
	if below == need.Unknown || st.can(s.sim) == need.Unknown {
		doubtful = 1
	}
	return (doubtful<<8|int(s.class(st)))<<optionBits | i, true
}

// below says whether what is needed is within what the machine takes. A firmware's
// claim that it is not decides nothing: it is often wrong.
func (s *solver) below(st *Step, n need.Need) need.Truth {
	if st.ceiling == nil {
		return need.True
	}
	most := s.was.Value(st.ceiling.ID)
	if !most.Known() {
		s.unsure = true
		if !s.world.works {
			return need.False
		}
		return need.True
	}
	for _, c := range st.effects {
		if v, ok := s.least(c.id, n); ok && v.Float() > most.Float() {
			if s.was.FirstHand(st.ceiling.ID) {
				return need.False
			}
			return need.Unknown
		}
	}
	return need.True
}

// maxAsking bounds how many steps in a row are brought about for the sake of one.
const maxAsking = 3

// bring applies a step, after those that make it possible. Where it fails, the
// caller takes back what was done.
func (s *solver) bring(i int, budget Class) bool {
	st := &s.lib.steps[i]
	can := st.can(s.sim)
	if can == need.False && s.world.luck && st.Unlikely != nil && st.Unlikely.Test(s.was.View()) != need.False {
		can = need.True
	}
	if !s.possible(can) {
		if st.When == nil || st.InDoubt || len(s.asking) >= maxAsking {
			s.doubt = s.doubt || can == need.Unknown
			return false
		}
		s.asking = append(s.asking, i)
		brought := s.achieve(st.When, budget)
		s.asking = s.asking[:len(s.asking)-1]
		if can = st.can(s.sim); !brought || !s.possible(can) {
			s.doubt = s.doubt || can == need.Unknown
			return false
		}
	}
	s.doubt = s.doubt || can == need.Unknown
	return s.apply(i)
}
