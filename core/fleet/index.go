package fleet

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Index holds a fleet so that lists and counts are quick: machines with their
// verdicts, and their facts in columns of codes. It holds what is in the
// database and nothing else. It is not for concurrent use with [Index.Put],
// [Index.Drop] and [Index.Settle]; the last comes after changes and before reading.
type Index struct {
	rows  []Row
	names []string        // in lower case, for words
	at    map[int64]int32 // number of a machine → its place
	ids   []int64         // place → number
	taken []int64         // milliseconds
	ranks []int32         // place → rank of the name; good after Settle
	mixed bool            // the ranks are not good
	facts [fact.Count]*column
	texts [textCount]column
}

// The texts that words and terms look at, of which a fleet has few.
const (
	textPlace = iota
	textMaker
	textModel
	textInstalled
	textClass
	textCount
)

// column is one value of every machine, as a code; 0 is not known.
type column struct {
	codes   []uint32
	values  []fact.Value // by code
	numbers map[uint64]uint32
	texts   map[string]uint32
	last    uint32 // the code that was given last: machines in a row are often alike
}

// NewIndex makes an empty index.
func NewIndex() *Index {
	x := &Index{at: map[int64]int32{}}
	for i := range x.texts {
		x.texts[i].clear()
	}
	return x
}

func (c *column) clear() {
	c.values, c.numbers, c.texts, c.last = []fact.Value{{}}, map[uint64]uint32{}, map[string]uint32{}, 0
}

// code finds or makes the code of a value.
func (c *column) code(v fact.Value) uint32 {
	if !v.Known() {
		return 0
	}
	k := v.Kind()
	if l := c.values[c.last]; c.last > 0 && k != fact.Set && l.Float() == v.Float() && l.Text() == v.Text() {
		return c.last
	}
	n := c.find(v)
	c.last = n
	return n
}

func (c *column) find(v fact.Value) uint32 {
	var n uint32
	var ok bool
	if k := v.Kind(); k == fact.Number || k == fact.Bool {
		key := math.Float64bits(v.Float())
		if n, ok = c.numbers[key]; !ok {
			n = uint32(len(c.values))
			c.numbers[key] = n
			c.values = append(c.values, v)
		}
		return n
	}
	key := v.Text()
	if v.Kind() == fact.Set {
		key = "\x00" + strings.Join(v.Set(), "\x00")
	}
	if n, ok = c.texts[key]; !ok {
		n = uint32(len(c.values))
		c.texts[key] = n
		c.values = append(c.values, v)
	}
	return n
}

// set puts the value of the machine at a place.
func (c *column) set(at int, v fact.Value) {
	for len(c.codes) <= at {
		c.codes = append(c.codes, 0)
	}
	c.codes[at] = c.code(v)
	if len(c.values) > 2*len(c.codes)+1024 {
		c.squeeze()
	}
}

// squeeze forgets values that no machine has any more.
func (c *column) squeeze() {
	was, codes := c.values, c.codes
	c.clear()
	for i, n := range codes {
		codes[i] = c.code(was[n])
	}
}

// Len is how many machines there are.
func (x *Index) Len() int { return len(x.rows) }

// Values is how many values the columns hold.
func (x *Index) Values() int {
	n := 0
	for i := range x.texts {
		n += len(x.texts[i].values)
	}
	for _, c := range x.facts {
		if c != nil {
			n += len(c.values)
		}
	}
	return n
}

// unsought facts name one machine each: they are found by keyed reads.
var unsought = [fact.Count]bool{fact.DeviceSerial: true, fact.DeviceUUID: true, fact.BoardSerial: true, fact.DeviceName: true}

// Put adds a machine, or replaces what is held of it. f may be nil where
// nothing is known.
func (x *Index) Put(id int64, r Row, f *fact.Facts) {
	at, ok := x.at[id]
	if !ok {
		at = int32(len(x.rows))
		x.at[id] = at
		x.rows, x.names, x.ids = append(x.rows, Row{}), append(x.names, ""), append(x.ids, id)
		x.taken, x.ranks, x.mixed = append(x.taken, 0), append(x.ranks, 0), true
	}
	for i, s := range [textCount]*string{&r.Place, &r.Manufacturer, &r.Model, &r.Installed, &r.Class} {
		v := fact.Of(fact.Text, *s)
		if *s == "" {
			v = fact.Value{}
		}
		x.texts[i].set(int(at), v)
		if v.Known() {
			*s = x.texts[i].values[x.texts[i].codes[at]].Text() // one copy for all machines
		}
	}
	x.mixed = x.mixed || x.rows[at].Name != r.Name
	x.rows[at], x.taken[at] = r, r.TakenAt.UnixMilli()
	if name := strings.ToLower(r.Name); x.names[at] != name {
		x.names[at] = name
	}
	for id := range fact.ID(fact.Count) {
		var v fact.Value
		if f != nil && !unsought[id] {
			v = f.Value(id)
		}
		c := x.facts[id]
		if c == nil {
			if !v.Known() {
				continue
			}
			c = new(column)
			c.clear()
			x.facts[id] = c
		}
		c.set(int(at), v)
	}
}

// Settle makes an index ready to be read after changes.
func (x *Index) Settle() {
	if !x.mixed {
		return
	}
	order := make([]int32, len(x.rows))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int {
		return cmp.Or(strings.Compare(x.rows[a].Name, x.rows[b].Name), cmp.Compare(x.ids[a], x.ids[b]))
	})
	for rank, at := range order {
		x.ranks[at] = int32(rank)
	}
	x.mixed = false
}

// Drop takes a machine out.
func (x *Index) Drop(id int64) {
	at, ok := x.at[id]
	if !ok {
		return
	}
	last := int32(len(x.rows) - 1)
	move := func(c *column) {
		if int(last) < len(c.codes) {
			c.codes[at] = c.codes[last]
			c.codes = c.codes[:last]
		} else if int(at) < len(c.codes) {
			c.codes[at] = 0
		}
	}
	for i := range x.texts {
		move(&x.texts[i])
	}
	for _, c := range x.facts {
		if c != nil {
			move(c)
		}
	}
	x.rows[at], x.names[at], x.ids[at] = x.rows[last], x.names[last], x.ids[last]
	x.taken[at], x.ranks[at] = x.taken[last], x.ranks[last]
	x.rows[last] = Row{}
	x.rows, x.names, x.ids, x.taken, x.ranks = x.rows[:last], x.names[:last], x.ids[:last], x.taken[:last], x.ranks[:last]
	delete(x.at, id)
	if at != last {
		x.at[x.ids[at]] = at
	}
}

// Selection is machines that a filter picked. It is good until the index is
// changed.
type Selection struct {
	x  *Index
	at []int32
}

// Len is how many they are.
func (s Selection) Len() int { return len(s.at) }

// Select picks machines.
func (x *Index) Select(f Filter) Selection {
	s := Selection{x, make([]int32, 0, len(x.rows))}
	tests := make([]func(int32) bool, len(f.terms))
	for i := range f.terms {
		tests[i] = x.test(&f.terms[i], f.now)
	}
	for at := range int32(len(x.rows)) {
		ok := true
		for _, t := range tests {
			if ok = t(at); !ok {
				break
			}
		}
		if ok {
			s.at = append(s.at, at)
		}
	}
	return s
}

// by makes a test of a column: the question is asked once for each value.
func (c *column) by(ask func(fact.Value) bool) func(int32) bool {
	yes := make([]bool, len(c.values))
	for i, v := range c.values {
		yes[i] = i > 0 && ask(v)
	}
	return func(at int32) bool { return int(at) < len(c.codes) && yes[c.codes[at]] }
}

// test makes the test of a term.
func (x *Index) test(t *term, now time.Time) func(int32) bool {
	if t.key == "" {
		return x.word(t.values[0])
	}
	if t.def != nil {
		c := x.facts[t.def.ID]
		if c == nil {
			return func(int32) bool { return false }
		}
		return c.by(func(v fact.Value) bool {
			return slices.ContainsFunc(t.wanted, func(w fact.Value) bool { return t.holds(v, w) })
		})
	}
	row := func(ask func(*Row, string) bool) func(int32) bool {
		return func(at int32) bool {
			r := &x.rows[at]
			return slices.ContainsFunc(t.values, func(v string) bool { return ask(r, v) })
		}
	}
	text := func(which int) func(int32) bool {
		return x.texts[which].by(func(v fact.Value) bool {
			return slices.ContainsFunc(t.values, func(s string) bool { return strings.EqualFold(v.Text(), s) })
		})
	}
	switch t.key {
	case "place":
		return text(textPlace)
	case "maker":
		return text(textMaker)
	case "model":
		return text(textModel)
	case "installed":
		return text(textInstalled)
	case "class":
		return text(textClass)
	case "disposition":
		of := dispositions(t.values)
		return func(at int32) bool { return x.rows[at].Judged && of[x.rows[at].Disposition] }
	case "publisher":
		of := dispositions(t.values)
		return func(at int32) bool { return x.rows[at].Judged && of[x.rows[at].Publisher] }
	case "certainty":
		return row(func(r *Row, v string) bool { return r.Judged && r.Certain == (v == "confirmed") })
	case "judged":
		return row(func(r *Row, v string) bool { return r.Judged == (v == "yes") })
	case "alone":
		return row(func(r *Row, v string) bool { return r.Sole == v })
	case "fails":
		return x.outcome(t.values, 'f')
	case "unknown":
		return x.outcome(t.values, 'u')
	case "older":
		days, _ := strconv.Atoi(t.values[0]) // read and checked
		since := now.AddDate(0, 0, -days).UnixMilli()
		return func(at int32) bool { return x.taken[at] < since }
	}
	return x.missing(t.values)
}

func dispositions(names []string) (of [remedy.Undetermined + 1]bool) {
	for _, n := range names {
		if d, ok := remedy.DispositionOf(n); ok {
			of[d] = true
		}
	}
	return of
}

// holds compares a machine's value with a wanted one.
func (t *term) holds(v, w fact.Value) bool {
	switch {
	case t.op == ">=":
		return v.Compare(w) >= 0
	case t.op == "<=":
		return v.Compare(w) <= 0
	case v.Kind() == fact.Set:
		return v.Has(w.Set()[0])
	}
	return v.Equal(w)
}

// word picks machines whose texts contain it.
func (x *Index) word(word string) func(int32) bool {
	var texts [textCount - 1]func(int32) bool
	for i := range texts {
		texts[i] = x.texts[i].by(func(v fact.Value) bool { return strings.Contains(strings.ToLower(v.Text()), word) })
	}
	return func(at int32) bool {
		for _, t := range texts {
			if t(at) {
				return true
			}
		}
		return strings.Contains(x.names[at], word)
	}
}

// outcome picks machines with a letter at one of some requirements.
func (x *Index) outcome(requirements []string, letter byte) func(int32) bool {
	places := map[*release.Release][]int{}
	return func(at int32) bool {
		r := &x.rows[at]
		if r.Release == nil {
			return false
		}
		where, known := places[r.Release]
		if !known {
			for i := range r.Release.Requirements {
				if slices.Contains(requirements, r.Release.Requirements[i].ID) {
					where = append(where, i)
				}
			}
			places[r.Release] = where
		}
		return slices.ContainsFunc(where, func(i int) bool { return i < len(r.Outcomes) && r.Outcomes[i] == letter })
	}
}

// missing picks machines of which one of some facts is not known, and that are
// of a class that has it.
func (x *Index) missing(names []string) func(int32) bool {
	return func(at int32) bool {
		return slices.ContainsFunc(names, func(name string) bool {
			def := fact.ByName(name)
			c := x.facts[def.ID]
			return def.Has(x.rows[at].Class) && (c == nil || int(at) >= len(c.codes) || c.codes[at] == 0)
		})
	}
}
