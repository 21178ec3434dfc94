// Package price is the table of what parts cost, rolltop-prices/1: ranges in one
// currency, with the day they were looked up. An administrator keeps it.
package price

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/remedy"
)

// Format is the value of the key “format”.
const Format = "rolltop-prices/1"

// What is paid for and is no part.
const (
	Labour          = "labour"           // an hour of a technician
	ExtendedSupport = "extended-support" // of one machine, beyond the end of support of its release
)

// Document is a table of prices as it is written.
type Document struct {
	Format   string    `json:"format" enum:"rolltop-prices/1"`
	Currency string    `json:"currency" doc:"Three letters, as in ISO 4217; all prices of a table are in it"`
	AsOf     time.Time `json:"as_of" doc:"The day on which they were looked up"`
	Source   string    `json:"source,omitempty" doc:"Where they are from"`
	Prices   []RowDoc  `json:"prices"`
}

// RowDoc is what a part costs. A row is for every part that all it states is
// true of.
type RowDoc struct {
	Part     string     `json:"part" enum:"memory-module,drive,tpm-module,graphics-card,display,title,machine,labour,extended-support" doc:"What is paid for; labour is an hour of a technician, extended-support one machine beyond the end of support"`
	Type     string     `json:"type,omitempty" doc:"Of a memory module: DDR4; of a drive: its bus"`
	Form     string     `json:"form,omitempty" doc:"Of a memory module: SODIMM; of a machine: laptop"`
	Size     doc.Scalar `json:"size,omitempty" doc:"Of a memory module or a drive: 8 GiB, 256 GB; the row is for parts of this size or smaller"`
	Name     string     `json:"name,omitempty" doc:"Of a title; of extended support: the release"`
	Least    doc.Scalar `json:"least" doc:"The lowest price of one: 18 or 18.50"`
	Most     doc.Scalar `json:"most" doc:"The highest price of one"`
	Currency string     `json:"currency,omitempty" doc:"Where it is given, the one of the table"`
	Note     string     `json:"note,omitempty"`

	Node *doc.Node `json:"-"`
}

// Table is a table that was read. The nil table knows no price.
type Table struct {
	Currency string
	AsOf     time.Time
	Source   string
	rows     []row
}

type row struct {
	RowDoc
	bytes int64
	cost  Range
}

// Range is a price range in hundredths of the currency's unit.
type Range struct {
	Least, Most int64
}

// Add adds ranges.
func (r Range) Add(o Range) Range { return Range{r.Least + o.Least, r.Most + o.Most} }

// Times is the price of several.
func (r Range) Times(n int) Range { return Range{r.Least * int64(n), r.Most * int64(n)} }

// Zero says whether nothing is paid.
func (r Range) Zero() bool { return r == Range{} }

// String says a range, to the unit where it is even: 18–30, 18.50.
func (r Range) String() string {
	if r.Least == r.Most {
		return amount(r.Least)
	}
	return amount(r.Least) + "–" + amount(r.Most)
}

func amount(hundredths int64) string {
	whole := strconv.FormatInt(hundredths/100, 10)
	if len(whole) > 3 { // long numbers are read in threes
		for i := len(whole) - 3; i > 0; i -= 3 {
			whole = whole[:i] + "," + whole[i:]
		}
	}
	if hundredths%100 == 0 {
		return whole
	}
	return fmt.Sprintf("%s.%02d", whole, hundredths%100)
}

func isCurrency(s string) bool {
	return len(s) == 3 && !strings.ContainsFunc(s, func(r rune) bool { return r < 'A' || r > 'Z' })
}

// Read reads a table. The error is [*doc.Mistakes].
func Read(name string, src []byte) (*Table, error) {
	d := new(Document)
	n, r, err := doc.Open(name, src, Format, d)
	if err != nil {
		return nil, err
	}
	if d.Currency != "" && !isCurrency(d.Currency) {
		r.Add(n.Of("currency"), fmt.Sprintf("%q is not a currency", d.Currency), "write its three letters: EUR")
	}
	t := &Table{Currency: d.Currency, AsOf: d.AsOf, Source: d.Source}
	for i := range d.Prices {
		if one, ok := compile(&d.Prices[i], d.Currency, r); ok {
			if k := slices.IndexFunc(t.rows, one.same); k >= 0 {
				r.Add(one.Node, "another row is for the same part", "keep one of the two")
			}
			t.rows = append(t.rows, one)
		}
	}
	// The narrowest row counts: one that states more, then the smaller size.
	slices.SortStableFunc(t.rows, func(a, b row) int {
		if d := b.stated() - a.stated(); d != 0 {
			return d
		}
		return int(max(-1, min(1, a.bytes-b.bytes)))
	})
	return t, r.Err()
}

func compile(d *RowDoc, table string, r *doc.Report) (row, bool) {
	if d.Node == nil {
		return row{}, false // the reader has said so
	}
	one, before := row{RowDoc: *d}, r.Count()
	if d.Currency != "" && d.Currency != table {
		r.Add(d.Node.Of("currency"), fmt.Sprintf("the price is in %s, and the table in %s", d.Currency, table),
			"a table has one currency; convert the price, or keep another table")
	}
	if !d.Node.Has("least") || !d.Node.Has("most") || !d.Node.Has("part") {
		return row{}, false // the reader has said so
	}
	one.cost.Least, one.cost.Most = money(d.Least, d.Node.Of("least"), table, r),
		money(d.Most, d.Node.Of("most"), table, r)
	if one.cost.Least > one.cost.Most {
		r.Add(d.Node.Of("least"), "the lowest price is above the highest", "put the smaller number at least")
	}
	if d.Size != "" {
		def := map[string]fact.ID{part.Memory: fact.MemoryInstalled, part.Drive: fact.DiskBytes}[d.Part]
		if def == 0 {
			r.Add(d.Node.Of("size"), fmt.Sprintf("a %s has no size here", d.Part), "take the key out")
		} else if v, right := need.Value(def.Def(), string(d.Size)); !v.Known() {
			r.Add(d.Node.Of("size"), fmt.Sprintf("%q is not a size", d.Size), right)
		} else {
			one.bytes = int64(v.Float())
		}
	}
	if d.Name != "" && d.Part != part.Title && d.Part != ExtendedSupport {
		r.Add(d.Node.Of("name"), fmt.Sprintf("only a title and extended support have a name, and this is a %s", d.Part),
			"take the key out")
	}
	return one, r.Count() == before
}

// money reads 18 or 18.50, in hundredths.
func money(s doc.Scalar, at *doc.Node, table string, r *doc.Report) int64 {
	text := string(s)
	if number, unit, ok := strings.Cut(strings.TrimSpace(text), " "); ok {
		if unit != table {
			r.Add(at, fmt.Sprintf("the price is in %s, and the table in %s", unit, table),
				"a table has one currency; convert the price, or keep another table")
			return 0
		}
		text = number
	}
	x, err := strconv.ParseFloat(text, 64)
	if cents := math.Round(x * 100); err == nil && x >= 0 && x < 1e9 && math.Abs(x*100-cents) < 1e-6 {
		return int64(cents)
	}
	r.Add(at, fmt.Sprintf("%q is not a price", s), "write a number with at most two places: 18 or 18.50")
	return 0
}

func (a row) same(b row) bool {
	return a.Part == b.Part && strings.EqualFold(a.Type, b.Type) && strings.EqualFold(a.Form, b.Form) &&
		a.bytes == b.bytes && strings.EqualFold(a.Name, b.Name)
}

func (a row) stated() int {
	n := 0
	for _, s := range []string{a.Type, a.Form, a.Name} {
		if s != "" {
			n++
		}
	}
	return n
}

// fits says whether the row is for a part.
func (a *row) fits(p *part.Part) bool {
	like := func(stated, is string) bool { return stated == "" || strings.EqualFold(stated, is) }
	return a.Part == p.Kind && like(a.Type, p.Type) && like(a.Form, p.Form) &&
		(a.bytes == 0 || p.Bytes > 0 && p.Bytes <= a.bytes) &&
		(a.Name == "" || len(p.For) >= len(a.Name) && strings.EqualFold(p.For[:len(a.Name)], a.Name))
}

// Of is what the parts of one kind cost together; false where the table does
// not know.
func (t *Table) Of(p *part.Part) (Range, bool) {
	if t == nil {
		return Range{}, false
	}
	for i := range t.rows {
		if t.rows[i].fits(p) {
			return t.rows[i].cost.Times(p.Count), true
		}
	}
	return Range{}, false
}

// Hours is what the work of technicians costs, to the unit of the currency: minutes are estimates. It is false where
// the table does not know.
func (t *Table) Hours(m remedy.Minutes) (Range, bool) {
	hour, ok := t.Of(&part.Part{Kind: Labour, Count: 1})
	cost := func(price int64, minutes int) int64 {
		return int64(math.Round(float64(price)*float64(minutes)/60/100)) * 100
	}
	return Range{cost(hour.Least, m.Least), cost(hour.Most, m.Most)}, ok
}

// Extended is what support beyond its end costs for machines that run a release; false where the table does not know.
func (t *Table) Extended(release string, machines int) (Range, bool) {
	return t.Of(&part.Part{Kind: ExtendedSupport, For: release, Count: machines})
}
