package fleet

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
)

// Index holds a fleet so that lists and counts are quick: machines with their
// verdicts, and their facts in columns of codes. It holds what is in the
// database and nothing else. It is not for concurrent use with [Index.Put],
// [Index.Drop] and [Index.Sort]; the last comes after changes and before reading.
type Index struct {
	rows  []Row
	names []string        // in lower case, for words
	at    map[int64]int32 // number of a machine → its place
	ids   []int64         // place → number
	taken []int64         // milliseconds
	gone  []bool          // out of use: asked of every machine for every list
	ranks []int32         // place → rank of the name; good after Sort
	mixed bool            // the ranks are not good
	facts [fact.Count]*column
	texts [textCount]column
	tags  column
	base  map[int64]Row // rows that decisions are laid over, as they are without
	order []int32       // rank of the name → place; good after Sort

	supportDays map[supportKey]int32 // that were looked up
	lines       map[string]string    // outcomes of machines, one copy of each
}

// The texts that words and terms look at, of which a fleet has few.
const (
	textPlace = iota
	textMaker
	textModel
	textInstalled
	textClass
	textWhole // maker and model, to sort by
	textPlan
	textCount
)

// searched are the texts that words look into.
const searched = textClass

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
	x := &Index{at: map[int64]int32{}, lines: map[string]string{}}
	for i := range x.texts {
		x.texts[i].clear()
	}
	x.tags.clear()
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
		c.compact()
	}
}

// compact forgets values that no machine has any more.
func (c *column) compact() {
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

// identifying facts name one machine each: they are found by keyed reads.
var identifying = [fact.Count]bool{
	fact.DeviceSerial: true,
	fact.DeviceUUID:   true,
	fact.BoardSerial:  true,
	fact.DeviceName:   true,
}

// Put adds a machine, or replaces what is held of it. f may be nil where
// nothing is known.
func (x *Index) Put(id int64, r Row, f *fact.Facts) {
	at, ok := x.at[id]
	if !ok {
		at = int32(len(x.rows))
		x.at[id] = at
		x.rows, x.names, x.ids = append(x.rows, Row{}), append(x.names, ""), append(x.ids, id)
		x.taken, x.gone, x.ranks, x.mixed = append(x.taken, 0), append(x.gone, false), append(x.ranks, 0), true
	}
	r.whole = ""
	r.whole = r.ModelName()
	for i, s := range [textCount]*string{
		&r.Site, &r.Manufacturer, &r.Model, &r.Installed, &r.Class, &r.whole, &r.Plan,
	} {
		v := fact.Of(fact.Text, *s)
		if *s == "" {
			v = fact.Value{}
		}
		x.texts[i].set(int(at), v)
		if v.Known() {
			*s = x.texts[i].values[x.texts[i].codes[at]].Text() // one copy for all machines
		}
	}
	var tags fact.Value
	if r.Tags != "" {
		tags = fact.Items(strings.Split(r.Tags, "\n"))
	}
	x.tags.set(int(at), tags)
	r.Outcomes, r.NextOutcomes = x.oneCopy(r.Outcomes), x.oneCopy(r.NextOutcomes)
	r.Causes, r.supportDay = causesOf(&r, f), x.supportDayOf(&r, f)
	x.mixed = x.mixed || x.rows[at].Name != r.Name
	delete(x.base, id)
	x.rows[at], x.taken[at], x.gone[at] = r, r.TakenAt.UnixMilli(), r.Retired
	if name := strings.ToLower(r.Name); x.names[at] != name {
		x.names[at] = name
	}
	for id := range fact.ID(fact.Count) {
		var v fact.Value
		if f != nil && !identifying[id] {
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

// oneCopy is a line of outcomes that all machines share that have it.
func (x *Index) oneCopy(outcomes string) string {
	if had, ok := x.lines[outcomes]; ok {
		return had
	}
	x.lines[outcomes] = outcomes
	return outcomes
}

// Row is a machine's row; nil where the index does not hold it. It must not be kept.
func (x *Index) Row(id int64) *Row {
	if at, ok := x.at[id]; ok {
		return &x.rows[at]
	}
	return nil
}

// Sort makes an index ready to be read after changes.
func (x *Index) Sort() {
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
	x.order, x.mixed = order, false
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
	move(&x.tags)
	for _, c := range x.facts {
		if c != nil {
			move(c)
		}
	}
	x.rows[at], x.names[at], x.ids[at] = x.rows[last], x.names[last], x.ids[last]
	x.taken[at], x.gone[at], x.ranks[at] = x.taken[last], x.gone[last], x.ranks[last]
	x.rows[last] = Row{}
	x.rows, x.names, x.ids, x.taken, x.gone, x.ranks = x.rows[:last], x.names[:last], x.ids[:last], x.taken[:last],
		x.gone[:last], x.ranks[:last]
	delete(x.at, id)
	delete(x.base, id)
	x.mixed = true
	if at != last {
		x.at[x.ids[at]] = at
	}
}

// Sites are the sites that machines have.
func (x *Index) Sites() []string { return x.texts[textPlace].items() }

// Texts are the values of a text fact that machines have, each once; none of a fact that identifies
// one machine.
func (x *Index) Texts(id fact.ID) []string {
	if x.facts[id] == nil {
		return nil
	}
	return x.facts[id].items()
}

// Tags are the tags that machines have.
func (x *Index) Tags() []string { return x.tags.items() }

// items are the texts, or the items of sets, in a column, each once.
func (c *column) items() []string {
	var out []string
	for _, v := range c.values {
		switch {
		case !v.Known():
		case v.Kind() == fact.Set:
			out = append(out, v.Set()...)
		default:
			out = append(out, v.Text())
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
