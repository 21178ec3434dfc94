// Package need is what a requirement asks of the facts, and what a step says
// of when it can be done: a closed set of small structs that compare facts, and
// their combinations.
//
// Needs are structs and not functions, since several walkers use them: the
// test itself, the sentence a person reads, the evidence, the list of facts
// needed, the comparison of two revisions. Truth has three values; a fact that
// is not known makes a test Unknown, never False.
package need

import (
	"iter"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
)

// Truth is a value of Kleene's three-valued logic: all is the least of its
// parts, any the greatest, not the negative.
type Truth int8

// The truths.
const (
	False Truth = iota - 1
	Unknown
	True
)

func (t Truth) String() string { return [...]string{"false", "unknown", "true"}[t+1] }

func truth(b bool) Truth {
	if b {
		return True
	}
	return False
}

// Need is a statement about the facts of a machine.
type Need interface {
	// Test decides from the facts, without looking at what sources disagree on.
	Test(fact.View) Truth
	// Leaves are the comparisons it is made of. All of them, whatever decides:
	// what stands in the way is shown from the first run.
	Leaves() iter.Seq[Leaf]

	closed()
}

// Leaf is a need that reads one fact.
type Leaf interface {
	Need
	Fact() fact.ID
}

type on struct{ ID fact.ID }

// Fact is the fact that is compared.
func (o on) Fact() fact.ID { return o.ID }
func (on) closed()         {}

// AtLeast needs a number or a version not below a limit; the limit itself is
// enough. A drive may hold a little less than it is sold as, see [Sold].
type AtLeast struct {
	on
	Limit fact.Value
}

// AtMost needs a number or a version not above a limit; the limit itself is
// still right.
type AtMost struct {
	on
	Limit fact.Value
}

// OneOf needs one of some values.
type OneOf struct {
	on
	Values []fact.Value
}

// NoneOf needs a value that is none of some.
type NoneOf struct {
	on
	Values []fact.Value
}

// HasAll needs every one of some items in a set.
type HasAll struct {
	on
	Items []string
}

// HasAny needs at least one of some items in a set.
type HasAny struct {
	on
	Items []string
}

// Empty needs a set with nothing in it.
type Empty struct{ on }

// BeginsWith needs a text that is one of some, or begins with one of them and
// goes on with another word: a title with its version behind it.
type BeginsWith struct {
	on
	Texts []string
}

// Listed needs a name that is on a list.
type Listed struct {
	on
	List *list.List
}

// RowAsks is whether the row of a name asks for a condition.
type RowAsks struct {
	on
	List *list.List
	Only Only
}

// Only is a condition under which some rows of a list count.
type Only struct {
	ID, Says string
	Need     Need
}

// List is a list of a document, with the conditions of its rows.
type List struct {
	*list.List
	Only []Only // those that some row asks for
}

// AllOf needs every part.
type AllOf struct{ Parts []Need }

// AnyOf needs one part at least.
type AnyOf struct{ Parts []Need }

// Conditional parts an either/or of the form “unless its row asks for it” into what the row asks for and what is
// needed then; nil of another one.
func (n *AnyOf) Conditional() (asks *RowAsks, then Need) {
	if len(n.Parts) != 2 {
		return nil, nil
	}
	not, ok := n.Parts[0].(*NotOf)
	if !ok {
		return nil, nil
	}
	if asks, ok = not.Part.(*RowAsks); !ok {
		return nil, nil
	}
	return asks, n.Parts[1]
}

// NotOf needs its part to be false.
type NotOf struct{ Part Need }

// Quantifier says of how many rows of a list something must be true.
type Quantifier int8

// The quantifiers.
const (
	Every Quantifier = iota
	Some
	None
)

func (q Quantifier) String() string { return [...]string{"every", "some", "none"}[q] }

// Each looks at every row of a list: every one must meet the part, or some, or
// none. From a list that was not read completely, a row that may be missing
// counts as unknown. Its own fact is the one that counts the rows.
type Each struct {
	on
	Group fact.Group
	How   Quantifier
	Part  Need

	titles []string // of Titles: the only names that a row that matters can have
}

func (*AllOf) closed() {}
func (*AnyOf) closed() {}
func (*NotOf) closed() {}

// Share of the capacity a drive is sold as that it holds at least: solid-state
// and hard disks hold what they are sold as, less rounding (60 GB is no 64 GB
// drive); eMMC, UFS and cards hold less.
const (
	wholeShare = 0.995
	flashShare = 0.95
)

// Sold returns the least number of bytes that a drive of a kind holds when it
// is sold with a capacity. Where the kind is not known, or not one that the
// rule covers, it returns both bounds.
func Sold(capacity float64, kind string) (least, most float64) {
	switch kind {
	case "ssd", "hdd", "virtual":
		return capacity * wholeShare, capacity * wholeShare
	case "emmc":
		return capacity * flashShare, capacity * flashShare
	}
	return capacity * flashShare, capacity * wholeShare
}

// driveKind is the fact that says of what kind a drive is, for a fact that says
// its capacity.
func driveKind(capacity fact.ID) (kind fact.ID, drive bool) {
	switch capacity {
	case fact.DiskBytes:
		return fact.DiskKind, true
	case fact.DriveBytes:
		return fact.DriveKind, true
	}
	return 0, false
}

// Test of AtLeast: a lower bound decides where it reaches the limit.
func (n *AtLeast) Test(f fact.View) Truth {
	r := f.Get(n.ID)
	if !r.Value.Known() {
		if r.Floor().Known() && r.Floor().Compare(n.Limit) >= 0 {
			return True
		}
		if most := f.Ceiling(n.ID); most.Known() && most.Compare(n.Limit) < 0 {
			return False
		}
		return Unknown
	}
	if kind, drive := driveKind(n.ID); drive {
		least, most := Sold(n.Limit.Float(), f.Value(kind).Text())
		switch x := r.Value.Float(); {
		case x >= most:
			return True
		case x < least:
			return False
		}
		return Unknown
	}
	return truth(r.Value.Compare(n.Limit) >= 0)
}

// Test of AtMost: a bound decides where it is beyond the limit, or within it.
func (n *AtMost) Test(f fact.View) Truth {
	r := f.Get(n.ID)
	if !r.Value.Known() {
		if r.Floor().Known() && r.Floor().Compare(n.Limit) > 0 {
			return False
		}
		if most := f.Ceiling(n.ID); most.Known() && most.Compare(n.Limit) <= 0 {
			return True
		}
		return Unknown
	}
	return truth(r.Value.Compare(n.Limit) <= 0)
}

// Test of OneOf.
func (n *OneOf) Test(f fact.View) Truth {
	return among(&f.Get(n.ID).Value, n.Values)
}

// Test of NoneOf.
func (n *NoneOf) Test(f fact.View) Truth { return -among(&f.Get(n.ID).Value, n.Values) }

func among(v *fact.Value, values []fact.Value) Truth {
	if !v.Known() {
		return Unknown
	}
	for i := range values {
		if v.Equal(values[i]) {
			return True
		}
	}
	return False
}

// Test of HasAll: from a list that was not read completely, what it holds is
// there and the rest is not known.
func (n *HasAll) Test(f fact.View) Truth {
	worst := True
	for _, item := range n.Items {
		worst = min(worst, holds(f.Get(n.ID), item))
	}
	return worst
}

// Test of HasAny.
func (n *HasAny) Test(f fact.View) Truth {
	best := False
	for _, item := range n.Items {
		best = max(best, holds(f.Get(n.ID), item))
	}
	return best
}

func holds(r *fact.Reading, item string) Truth {
	switch {
	case r.Value.Has(item), r.Floor().Has(item):
		return True
	case r.Value.Known():
		return False
	}
	return Unknown
}

// Test of Empty.
func (n *Empty) Test(f fact.View) Truth {
	r := f.Get(n.ID)
	switch {
	case len(r.Value.Set()) > 0, len(r.Floor().Set()) > 0:
		return False
	case r.Value.Known():
		return True
	}
	return Unknown
}

// Test of Listed.
func (n *Listed) Test(f fact.View) Truth {
	v := f.Value(n.ID)
	if !v.Known() {
		return Unknown
	}
	switch n.List.Find(v.Text()).Result {
	case list.On:
		return True
	case list.Off:
		return False
	}
	return Unknown
}

// Test of RowAsks: a name that has no row asks for nothing.
func (n *RowAsks) Test(f fact.View) Truth {
	v := f.Value(n.ID)
	if !v.Known() {
		return Unknown
	}
	row := n.List.Find(v.Text()).Row
	return truth(row != nil && row.Only == n.Only.ID)
}

// Test of BeginsWith.
func (n *BeginsWith) Test(f fact.View) Truth {
	v := f.Value(n.ID)
	if !v.Known() {
		return Unknown
	}
	return truth(slices.ContainsFunc(n.Texts, func(t string) bool { return Begins(v.Text(), t) }))
}

// marks are the signs that publishers put behind names, and that no name contains.
var marks = strings.NewReplacer("®", "", "™", "", "©", "", "℠", "", "(R)", "", "(TM)", "", "(C)", "", "(r)", "",
	"(tm)", "", "(c)", "")

// Unmarked leaves a name without trademark signs.
func Unmarked(name string) string {
	if !strings.ContainsAny(name, "®™©℠(") {
		return name // nearly all
	}
	return strings.Join(strings.Fields(marks.Replace(name)), " ")
}

// Begins says whether a title is a name, or begins with it and goes on with
// something that is no part of a word. Case does not matter.
func Begins(title, name string) bool {
	if len(title) < len(name) || !strings.EqualFold(title[:len(name)], name) {
		return false
	}
	if len(title) == len(name) {
		return true
	}
	c := title[len(name)]
	return !(c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c >= 0x80)
}

// Called says whether a title is the product with a name: the name alone, or with what is
// no part of a name behind it, such as its version, or words in brackets. “Counterfoil
// Viewer” is not Counterfoil. Case and trademark signs do not matter.
func Called(title, name string) bool {
	title, name = Unmarked(title), Unmarked(name)
	if !Begins(title, name) {
		return false
	}
	inside := false
	for _, w := range strings.Fields(title[len(name):]) {
		if inside = inside || strings.HasPrefix(w, "("); inside {
			inside = !strings.HasSuffix(w, ")")
			continue
		}
		if !versionLike(w) {
			return false
		}
	}
	return true
}

// Stem is a title without what is no part of its name: its version, its word size, words in brackets,
// trademark signs.
func Stem(title string) string {
	words := strings.Fields(Unmarked(title))
	for n := len(words); n > 1; n-- {
		stem := strings.Join(words[:n-1], " ")
		if !Called(strings.Join(words, " "), stem) {
			return strings.Join(words[:n], " ")
		}
	}
	if len(words) == 0 {
		return title
	}
	return words[0]
}

// versionLike says whether a word behind a name is a version or a word size: 4.2, v5,
// x64, 64-bit, –.
func versionLike(w string) bool {
	w = strings.TrimLeft(w, "-–,.")
	if w == "" || strings.EqualFold(w, "x64") || strings.EqualFold(w, "x86") || strings.EqualFold(w, "arm64") ||
		strings.EqualFold(w, "version") {
		return true
	}
	if (w[0] == 'v' || w[0] == 'V') && len(w) > 1 {
		w = w[1:]
	}
	return w[0] >= '0' && w[0] <= '9'
}

// Whole says whether every row that matters to the need is among those that are known:
// the list was read completely, or all titles that the need names were asked for.
func (n *Each) Whole(f *fact.Facts) bool {
	return f.Complete(n.Group) || n.Group == fact.Titles && f.AskedFor(n.titles)
}

// Test of Each: the least, or the greatest, of the rows.
func (n *Each) Test(f fact.View) Truth {
	t := Unknown
	if n.Whole(f.Facts) {
		t = True // none of no rows breaks it
		if n.How == Some {
			t = False
		}
	}
	for i := range f.Rows(n.Group) {
		row := testRow(n.Part, f.Row(n.Group, i))
		switch n.How {
		case Every:
			t = min(t, row)
		case Some:
			t = max(t, row)
		case None:
			t = min(t, -row)
		}
	}
	return t
}

// testRow tests a part on one row. Where sources disagree on the row, it is
// what it is under each reading, or unknown.
func testRow(part Need, row fact.View) Truth {
	t := part.Test(row)
	if t != Unknown {
		return t
	}
	for i, w := range row.Worlds() {
		switch now := part.Test(w); {
		case i == 0:
			t = now
		case now != t:
			return Unknown
		}
	}
	return t
}

// Test of AllOf: the least of the parts.
func (n *AllOf) Test(f fact.View) Truth {
	t := True
	for _, p := range n.Parts {
		t = min(t, p.Test(f))
	}
	return t
}

// Test of AnyOf: the greatest of the parts.
func (n *AnyOf) Test(f fact.View) Truth {
	t := False
	for _, p := range n.Parts {
		t = max(t, p.Test(f))
	}
	return t
}

// Test of NotOf: the negative.
func (n *NotOf) Test(f fact.View) Truth { return -n.Part.Test(f) }

func single(l Leaf) iter.Seq[Leaf] {
	return func(yield func(Leaf) bool) { yield(l) }
}

func several(parts []Need) iter.Seq[Leaf] {
	return func(yield func(Leaf) bool) {
		for _, p := range parts {
			for l := range p.Leaves() {
				if !yield(l) {
					return
				}
			}
		}
	}
}

// Leaves of a comparison is itself.
func (n *AtLeast) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a comparison is itself.
func (n *AtMost) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a comparison is itself.
func (n *OneOf) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a comparison is itself.
func (n *NoneOf) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a comparison is itself.
func (n *HasAll) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a comparison is itself.
func (n *HasAny) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a comparison is itself.
func (n *Empty) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a comparison is itself.
func (n *Listed) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a comparison is itself.
func (n *RowAsks) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a comparison is itself.
func (n *BeginsWith) Leaves() iter.Seq[Leaf] { return single(n) }

// Leaves of a look at a list is the count of its rows, then what is compared of
// each row.
func (n *Each) Leaves() iter.Seq[Leaf] {
	return func(yield func(Leaf) bool) {
		if !yield(n) {
			return
		}
		for l := range n.Part.Leaves() {
			if !yield(l) {
				return
			}
		}
	}
}

// Leaves of all parts.
func (n *AllOf) Leaves() iter.Seq[Leaf] { return several(n.Parts) }

// Leaves of all parts.
func (n *AnyOf) Leaves() iter.Seq[Leaf] { return several(n.Parts) }

// Leaves of the part.
func (n *NotOf) Leaves() iter.Seq[Leaf] { return n.Part.Leaves() }

// Facts are the facts that a need reads, each once, in order.
func Facts(n Need) []fact.ID {
	var ids []fact.ID
	for l := range n.Leaves() {
		if !slices.Contains(ids, l.Fact()) {
			ids = append(ids, l.Fact())
		}
	}
	return ids
}

// Missing lists the items of a set comparison that are not in a set.
func Missing(items []string, v fact.Value) []string {
	var out []string
	for _, i := range items {
		if !v.Has(i) {
			out = append(out, strings.ToLower(i))
		}
	}
	return out
}
