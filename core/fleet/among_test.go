package fleet_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/internal/expect"
)

// What is picked among a selection is what both filters pick together, in whichever order machines came and went.
func TestAmong(t *testing.T) {
	x, r := fleet.NewIndex(), rand.New(rand.NewPCG(30, 12))
	for n := range 300 {
		row, f := drawn(r, n)
		row.ID = int64(n + 1)
		x.Put(row.ID, row, f)
	}
	x.Sort()
	ids := func(s fleet.Selection) (out []int64) {
		s.Each(func(r *fleet.Row) { out = append(out, r.ID) })
		slices.Sort(out)
		return out
	}
	all := ids(x.Select(parsed(t, "retired=yes,no")))
	for n, id := range all {
		switch row := *x.Row(id); r.IntN(5) {
		case 0:
			x.Drop(id)
		case 1:
			row.Retired = n%2 == 0
			x.Put(id, row, nil)
		}
	}
	x.Sort()
	filters := []string{"disposition=ready", "class=pc", "retired=yes,no", "older=0", "NOT disposition=refit"}
	for _, one := range filters {
		for _, other := range filters {
			t.Run(one+" "+other, func(t *testing.T) {
				picked := x.Select(parsed(t, one))
				both := picked.Among(parsed(t, other))
				var want []int64
				other := ids(x.Select(parsed(t, fleet.And(other, "retired=yes,no"))))
				picked.Each(func(r *fleet.Row) {
					if slices.Contains(other, r.ID) {
						want = append(want, r.ID)
					}
				})
				slices.Sort(want)
				expect.That(t, "the machines", slices.Equal(ids(both), want))
				expect.Same(t, "any", picked.Any(parsed(t, "disposition=decide")),
					picked.Among(parsed(t, "disposition=decide")).Len() > 0)
				for _, id := range all {
					expect.Same(t, "one of them", both.Row(id) != nil, slices.Contains(want, id))
				}
				var names []string
				both.EachByName(func(r *fleet.Row) { names = append(names, r.Name) })
				expect.Same(t, "machines by name", len(names), both.Len())
				expect.That(t, "the order of names", slices.IsSortedFunc(names, strings.Compare))
			})
		}
	}
}
