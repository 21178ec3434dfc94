package fleet

import (
	"cmp"
	"slices"
	"strings"
)

// Orders are the keys that machines can be sorted by.
var Orders = []string{"name", "place", "disposition", "model", "installed", "fails", "taken"}

// Page copies some machines of a selection, in one of [Orders]; a leading minus
// turns it round. Machines that are equal by it stay in the order of their
// names, and then of their numbers, so that pages neither overlap nor leave
// gaps. Only as much is sorted as the page needs.
func (s Selection) Page(order string, from, count int) []Row {
	from = min(max(from, 0), len(s.at))
	to := min(from+max(count, 0), len(s.at))
	if from == to {
		return nil
	}
	list := s.keyed(order)
	part(list, from)
	part(list[from:], to-from)
	slices.SortFunc(list[from:to], sortKey.compare)
	out := make([]Row, 0, to-from)
	for _, k := range list[from:to] {
		out = append(out, s.x.rows[k.at])
	}
	return out
}

// sortKey is a machine as it is sorted: numbers beside each other, so that
// sorting looks at no rows.
type sortKey struct {
	key  int64
	name int32 // rank of the name, which no two machines share
	at   int32
}

func (a sortKey) compare(b sortKey) int {
	return cmp.Or(cmp.Compare(a.key, b.key), cmp.Compare(a.name, b.name))
}

// keyed gives the keys of a selection in an order.
func (s Selection) keyed(order string) []sortKey {
	by, down := strings.CutPrefix(order, "-")
	x := s.x
	var key func(int32) int64
	switch by {
	case "place":
		key = x.texts[textPlace].ranked()
	case "model":
		maker, model := x.texts[textMaker].ranked(), x.texts[textModel].ranked()
		key = func(at int32) int64 { return maker(at)<<32 + model(at) }
	case "installed":
		key = x.texts[textInstalled].ranked()
	case "disposition":
		key = func(at int32) int64 { return int64(x.rows[at].Disposition) }
	case "fails":
		key = func(at int32) int64 { return int64(x.rows[at].Fails) }
	case "taken":
		key = func(at int32) int64 { return x.taken[at] }
	default:
		key = func(at int32) int64 { return int64(x.ranks[at]) }
	}
	sign := int64(1)
	if down {
		sign = -1
	}
	out := make([]sortKey, len(s.at))
	for i, at := range s.at {
		out[i] = sortKey{sign * key(at), x.ranks[at], at}
	}
	return out
}

// ranked gives the rank of a machine's text among those of the column.
func (c *column) ranked() func(int32) int64 {
	order := make([]int, len(c.values))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return strings.Compare(c.values[a].Text(), c.values[b].Text()) })
	rank := make([]int64, len(order))
	for i, n := range order {
		rank[n] = int64(i)
	}
	return func(at int32) int64 { return rank[c.codes[at]] }
}

// part moves the n least to the front, in any order (quickselect: Hoare, “Find”,
// CACM 4, 1961).
func part(list []sortKey, n int) {
	for len(list) > 1 && n > 0 && n < len(list) {
		if len(list) <= 32 {
			slices.SortFunc(list, sortKey.compare)
			return
		}
		// The median of three keeps sorted input quick.
		a, b, c := list[0], list[len(list)/2], list[len(list)-1]
		if a.compare(b) > 0 {
			a, b = b, a
		}
		if b.compare(c) > 0 {
			if b = c; a.compare(b) > 0 {
				b = a
			}
		}
		i, j := 0, len(list)-1
		for i <= j {
			for list[i].compare(b) < 0 {
				i++
			}
			for list[j].compare(b) > 0 {
				j--
			}
			if i <= j {
				list[i], list[j] = list[j], list[i]
				i, j = i+1, j-1
			}
		}
		switch { // list[:j+1] ≤ b ≤ list[i:]
		case n <= j+1:
			list = list[:j+1]
		case n >= i:
			list, n = list[i:], n-i
		default:
			return
		}
	}
}
