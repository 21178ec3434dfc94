package fleet

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/remedy"
)

// Orders are the keys that machines can be sorted by, beside facts and the
// requirements of targets.
var Orders = []string{"name", "site", "disposition", "model", "installed", "fails", "taken", "ends"}

// Order is how machines are sorted: one of [Orders], the name of a fact, or
// “needs.” and a requirement's id, for those that fail it first. A leading minus
// reverses it. Machines that are equal by it stay in the order of their names,
// and then of their numbers, so that pages neither overlap nor leave gaps.
type Order struct {
	text string
	by   string
	down bool
	def  *fact.Def
}

// NeedsPrefix begins the order by a requirement.
const NeedsPrefix = "needs."

// ParseOrder reads an order; "" is by name.
func ParseOrder(text string) (Order, error) {
	o := Order{text: text, by: strings.TrimPrefix(text, "-"), down: strings.HasPrefix(text, "-")}
	if o.by == "" {
		o.by = "name"
	}
	if slices.Contains(Orders, o.by) || strings.HasPrefix(o.by, NeedsPrefix) {
		return o, nil
	}
	o.def = fact.ByName(o.by)
	if err := ofEachRow(o.def); err != nil {
		return o, err
	}
	if o.def == nil || identifying[o.def.ID] {
		return o, fmt.Errorf("machines cannot be sorted by %q; %s", o.by,
			cmp.Or(doc.Suggest(o.by, append(slices.Clone(Orders), fact.Names()...)),
				"use "+strings.Join(Orders, ", ")+", or a fact"))
	}
	return o, nil
}

// Unknown says that an order is by a requirement that does not exist, and which was probably meant;
// "" if it exists. Without requirements nothing is compared.
func (o Order) Unknown(requirements []string) string {
	id, ok := strings.CutPrefix(o.by, NeedsPrefix)
	if !ok || len(requirements) == 0 || slices.Contains(requirements, id) {
		return ""
	}
	return doc.With(fmt.Sprintf("%s: there is no requirement %q", o.by, id), doc.Suggest(id, requirements))
}

// Page copies some machines of a selection. Only as much is sorted as it needs.
func (s Selection) Page(o Order, from, count int) []Row {
	from = min(max(from, 0), len(s.at))
	to := min(from+max(count, 0), len(s.at))
	if from == to {
		return nil
	}
	list := s.keyed(o)
	part(list, from)
	part(list[from:], to-from)
	slices.SortFunc(list[from:to], sortKey.compare)
	return s.rows(list[from:to])
}

func (s Selection) rows(list []sortKey) []Row {
	out := make([]Row, 0, len(list))
	for _, k := range list {
		out = append(out, s.x.rows[k.at])
	}
	return out
}

// Mark is a place in an order, behind a machine: where a page ends and the next
// one begins, whatever comes and goes in between.
type Mark struct {
	Value string `json:"v,omitempty"` // what the machine is sorted by, where it is a text
	Key   int64  `json:"k,omitempty"` // or a number
	Name  string `json:"n"`
	ID    int64  `json:"i"`
}

// MarkOf is the place behind a machine.
func (x *Index) MarkOf(o Order, id int64) (Mark, bool) {
	at, ok := x.at[id]
	if !ok {
		return Mark{}, false
	}
	m := Mark{Name: x.rows[at].Name, ID: id}
	if c := x.sortColumn(o); c != nil {
		m.Value, m.Key = c.sortValue(at)
	} else {
		m.Key = x.number(o)(at)
	}
	return m, true
}

// After copies the machines behind a mark; before is how many of the selection
// stand in front of them.
func (s Selection) After(o Order, m Mark, count int) (rows []Row, before int) {
	list := s.keyed(o)
	edge := s.x.edge(o, m)
	behind := list[:0]
	for _, k := range list {
		if k.compare(edge) > 0 {
			behind = append(behind, k)
		}
	}
	before = len(s.at) - len(behind)
	n := min(max(count, 0), len(behind))
	part(behind, n)
	slices.SortFunc(behind[:n], sortKey.compare)
	return s.rows(behind[:n]), before
}

// sortKey is a machine as it is sorted: numbers beside each other, so that
// sorting looks at no rows. Ranks are even; a mark between two of them is odd.
type sortKey struct {
	key  int64
	name int32 // rank of the name, which no two machines share
	at   int32
}

func (a sortKey) compare(b sortKey) int {
	return cmp.Or(cmp.Compare(a.key, b.key), cmp.Compare(a.name, b.name))
}

// keyed gives the keys of a selection in an order.
func (s Selection) keyed(o Order) []sortKey {
	x := s.x
	key := x.number(o)
	if c := x.sortColumn(o); c != nil {
		key = c.ranked()
	}
	sign := o.sign()
	out := make([]sortKey, len(s.at))
	for i, at := range s.at {
		out[i] = sortKey{sign * key(at), 2 * x.ranks[at], at}
	}
	return out
}

func (o Order) byName() bool { return o.by == "name" || o.by == "" }

func (o Order) sign() int64 {
	if o.down {
		return -1
	}
	return 1
}

// edge is where a mark stands among the keys.
func (x *Index) edge(o Order, m Mark) sortKey {
	key := m.Key
	if c := x.sortColumn(o); c != nil {
		key = c.rankOf(m)
	}
	n, found := slices.BinarySearchFunc(x.order, m, func(at int32, m Mark) int {
		return cmp.Or(strings.Compare(x.rows[at].Name, m.Name), cmp.Compare(x.ids[at], m.ID))
	})
	name := int32(2 * n)
	if !found {
		name--
	}
	if o.byName() {
		key = int64(name)
	}
	return sortKey{o.sign() * key, name, 0}
}

// sortColumn is the column whose values an order goes by, or nil.
func (x *Index) sortColumn(o Order) *column {
	switch o.by {
	case "site":
		return &x.texts[textPlace]
	case "model":
		return &x.texts[textWhole]
	case "installed":
		return &x.texts[textInstalled]
	}
	if o.def == nil {
		return nil
	}
	if c := x.facts[o.def.ID]; c != nil {
		return c
	}
	return &column{values: []fact.Value{{}}}
}

// number gives what a machine is sorted by, where it is a number.
func (x *Index) number(o Order) func(int32) int64 {
	switch o.by {
	case "disposition":
		return func(at int32) int64 {
			if !x.rows[at].Judged {
				return int64(remedy.Undetermined) + 1
			}
			return int64(x.rows[at].Disposition)
		}
	case "fails":
		return func(at int32) int64 { return int64(x.rows[at].Fails) }
	case "taken":
		return func(at int32) int64 { return x.taken[at] }
	case "ends":
		return x.byUrgency
	}
	if id, ok := strings.CutPrefix(o.by, NeedsPrefix); ok {
		letter := x.letters(id)
		return func(at int32) int64 { return int64(strings.IndexByte("fupn", letter(at))) }
	}
	return func(at int32) int64 { return 2 * int64(x.ranks[at]) } // by name
}

// ordered gives the codes of a column in the order of their values.
func (c *column) ordered() []int {
	order := make([]int, len(c.values))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return compareValues(c.values[a], c.values[b]) })
	return order
}

// compareValues orders values; what is not known is first.
func compareValues(a, b fact.Value) int {
	switch {
	case !a.Known() || !b.Known():
		return cmp.Compare(truth(a.Known()), truth(b.Known()))
	case a.Kind() == fact.Number || a.Kind() == fact.Bool:
		return cmp.Compare(a.Float(), b.Float())
	case a.Kind() == fact.Version:
		return a.Compare(b)
	}
	return strings.Compare(a.Plain(), b.Plain())
}

func truth(b bool) int {
	if b {
		return 1
	}
	return 0
}

// ranked gives the rank of a machine's value among those of the column, an even
// number.
func (c *column) ranked() func(int32) int64 {
	rank := make([]int64, len(c.values))
	for i, n := range c.ordered() {
		rank[n] = 2 * int64(i)
	}
	return func(at int32) int64 {
		if int(at) >= len(c.codes) {
			return rank[0]
		}
		return rank[c.codes[at]]
	}
}

// sortValue is a machine's value as a mark has it. Key tells what is known and
// which kind Value is of.
func (c *column) sortValue(at int32) (text string, kind int64) {
	if int(at) >= len(c.codes) || c.codes[at] == 0 {
		return "", 0
	}
	v := c.values[c.codes[at]]
	return v.Plain(), int64(v.Kind())
}

// rankOf is the rank of a mark's value: an odd one where no machine has it any
// more.
func (c *column) rankOf(m Mark) int64 {
	order := c.ordered()
	v := m.value()
	n, found := slices.BinarySearchFunc(order, v,
		func(i int, v fact.Value) int { return compareValues(c.values[i], v) })
	if found {
		return 2 * int64(n)
	}
	return 2*int64(n) - 1
}

func (m Mark) value() fact.Value {
	switch kind := fact.Kind(m.Key); kind {
	case 0:
		return fact.Value{}
	case fact.Number:
		f, _ := strconv.ParseFloat(m.Value, 64)
		return fact.Num(f)
	case fact.Bool:
		return fact.Truth(m.Value == "true")
	case fact.Set:
		return fact.Items(strings.Split(m.Value, ", "))
	default:
		return fact.Of(kind, m.Value)
	}
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
