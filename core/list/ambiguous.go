package list

import (
	"fmt"

	"rolltop.example/rolltop/core/doc"
)

// What a naming rule reads is the language of a small automaton. A name could
// be read in two ways exactly where two different ways through the automata of
// all rules accept one text; walking pairs of states finds such a text, or
// shows that there is none.

// edge leads to a state by any byte from lo to hi.
type edge struct {
	lo, hi byte
	to     int
}

// automaton is the states of all rules of a list; state 0 begins each of them.
type automaton struct {
	edges  [][]edge
	accept []int // 1 + the rule that ends here, or 0
}

func (a *automaton) state() int {
	a.edges, a.accept = append(a.edges, nil), append(a.accept, 0)
	return len(a.edges) - 1
}

// front is a state where reading goes on.
type front struct {
	state int
	digit bool // a digit stands before, which no other may follow
	ends  bool // a name may end here: no blank stands before
	fresh bool // a blank may still be added behind it
}

func (a *automaton) add(rule int, tokens []token) {
	fronts := []front{{}}
	for i, t := range tokens {
		var next []front
		// A blank may stand between texts, and between a text and digits.
		if i > 0 && (tokens[i-1].texts != nil || t.texts != nil) {
			fronts = append(fronts, a.blanks(fronts)...)
		}
		if t.optional {
			next = append(next, fronts...)
		}
		if t.texts == nil {
			next = append(next, a.number(fronts, t.digits, i+1 == len(tokens) || tokens[i+1].texts != nil))
		}
		for _, s := range t.texts {
			next = append(next, a.text(fronts, s))
		}
		fronts = next
	}
	for _, f := range fronts {
		if f.ends {
			a.accept[f.state] = rule + 1
		}
	}
}

// blanks adds a state behind a blank for every front.
func (a *automaton) blanks(fronts []front) []front {
	var out []front
	for i := range fronts {
		f := &fronts[i]
		if !f.fresh {
			continue // two blanks never stand together
		}
		f.fresh = false
		to := a.state()
		a.edges[f.state] = append(a.edges[f.state], edge{' ', ' ', to})
		out = append(out, front{state: to})
	}
	return out
}

// enter adds the first byte of a token behind every front that it may follow.
func (a *automaton) enter(fronts []front, lo, hi byte, to int) {
	for _, f := range fronts {
		if f.digit && isDigit(lo) {
			continue // a blank must part two numbers
		}
		a.edges[f.state] = append(a.edges[f.state], edge{lo, hi, to})
	}
}

func (a *automaton) text(fronts []front, s string) front {
	at := a.state()
	a.enter(fronts, s[0], s[0], at)
	for i := 1; i < len(s); i++ {
		to := a.state()
		a.edges[at] = append(a.edges[at], edge{s[i], s[i], to})
		at = to
	}
	return front{state: at, digit: isDigit(s[len(s)-1]), ends: true, fresh: true}
}

func (a *automaton) number(fronts []front, n int, ends bool) front {
	at := a.state()
	a.enter(fronts, '0', '9', at)
	for range n - 1 {
		to := a.state()
		a.edges[at] = append(a.edges[at], edge{'0', '9', to})
		at = to
	}
	return front{state: at, digit: ends, ends: true, fresh: true}
}

// maxPairs bounds the walk; rules that need more are refused as too large.
const maxPairs = 400_000

type pair struct {
	p, q     int
	diverged bool
}

type step struct {
	from pair
	by   byte
}

// refuseAmbiguous reports a name that could be read in two ways.
func (l *List) refuseAmbiguous(r *doc.Report) {
	a := &automaton{}
	a.state()
	for i := range l.Rules {
		a.add(i, l.Rules[i].tokens)
	}
	came := map[pair]step{{0, 0, false}: {}}
	queue := []pair{{0, 0, false}}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		if at.diverged && a.accept[at.p] > 0 && a.accept[at.q] > 0 {
			one, two := &l.Rules[a.accept[at.p]-1], &l.Rules[a.accept[at.q]-1]
			name := witness(came, at)
			if one == two {
				r.Add(one.Node.Of("reads"), fmt.Sprintf("the rule %s reads %q in two ways", one.ID, name),
					"write its parts so that every name can be split in only one way")
			} else {
				r.Add(two.Node.Of("reads"), fmt.Sprintf("the rules %s and %s both read %q", one.ID, two.ID, name),
					"a name belongs to one rule; narrow one of them")
			}
			return
		}
		if len(came) > maxPairs {
			r.Add(l.Rules[0].Node, "the naming rules are too large to compare",
				"use fewer or shorter texts")
			return
		}
		for i, e := range a.edges[at.p] {
			for j, f := range a.edges[at.q] {
				lo, hi := max(e.lo, f.lo), min(e.hi, f.hi)
				if lo > hi {
					continue
				}
				to := pair{e.to, f.to, at.diverged || at.p != at.q || i != j}
				if _, seen := came[to]; !seen {
					came[to] = step{at, lo}
					queue = append(queue, to)
				}
			}
		}
	}
}

// witness is the text that led to a pair of states.
func witness(came map[pair]step, at pair) string {
	var out []byte
	for at != (pair{}) {
		s := came[at]
		out = append([]byte{s.by}, out...)
		at = s.from
	}
	return string(out)
}
