package remedy

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
)

// refuseCircles refuses steps that wait for each other, or that pull each
// other.
func (l *Library) refuseCircles(own map[string]bool, r *doc.Report) {
	for _, kind := range []struct {
		key, says string
		next      func(*Step) []int
	}{
		{"after", "the steps wait for each other: ", func(s *Step) []int { return s.after }},
		{"pulls", "the steps pull each other: ", func(s *Step) []int { return s.pulls }},
	} {
		if ring := l.circle(kind.next); ring != nil {
			at := &l.steps[ring[0]]
			var names []string
			for _, i := range ring {
				if names = append(names, l.steps[i].ID); own[l.steps[i].ID] {
					at = &l.steps[i]
				}
			}
			r.Add(at.Node.Of(kind.key), kind.says+strings.Join(append(names, names[0]), " → "),
				"take one of these out of "+kind.key)
		}
	}
}

// refuseUndoing refuses steps that come together and undo each other.
func (l *Library) refuseUndoing(r *doc.Report) {
	for i := range l.steps {
		a := &l.steps[i]
		for j := range l.steps {
			b := &l.steps[j]
			together := slices.Contains(a.pulls, j) || i < j && a.Always != nil && b.Always != nil
			if !together || !a.Own && !b.Own {
				continue
			}
			for _, c := range a.effects {
				for _, d := range b.effects {
					beside := slices.Contains(a.Beside, c.id.String()) || slices.Contains(b.Beside, c.id.String())
					if c.id != d.id || beside || !c.value.Known() || !d.value.Known() || c.value.Equal(d.value) {
						continue
					}
					at := a
					if !a.Own {
						at = b
					}
					r.Add(at.Node.Of("effect").Of(c.id.String()),
						fmt.Sprintf("the steps undo each other: %s sets %s to %s, and %s to %s", a.ID, c.id,
							c.value.Plain(), b.ID, d.value.Plain()),
						"leave the change to one of them, or let them not come together")
				}
			}
		}
	}
}

// circle follows edges and gives the steps of a ring, or nil.
func (l *Library) circle(next func(*Step) []int) []int {
	state := make([]int, len(l.steps)) // 1 on the way, 2 done
	var way []int
	var visit func(int) []int
	visit = func(i int) []int {
		switch state[i] {
		case 1:
			return way[slices.Index(way, i):]
		case 2:
			return nil
		}
		state[i] = 1
		way = append(way, i)
		for _, j := range next(&l.steps[i]) {
			if ring := visit(j); ring != nil {
				return ring
			}
		}
		way = way[:len(way)-1]
		state[i] = 2
		return nil
	}
	for i := range l.steps {
		if ring := visit(i); ring != nil {
			return ring
		}
	}
	return nil
}
