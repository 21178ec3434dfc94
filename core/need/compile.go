package need

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
)

// Document is a need as it is written: one fact with one comparison, or one
// combination.
type Document struct {
	All []Document `json:"all,omitempty" doc:"Every part is needed"`
	Any []Document `json:"any,omitempty" doc:"One part is enough"`
	Not *Document  `json:"not,omitempty" doc:"The part must be false"`

	In    string    `json:"in,omitempty" enum:"graphics,displays,storage.disks,memory.modules,software,drivers" doc:"A list; with every, some or none for what its rows must be"`
	Every *Document `json:"every,omitempty" doc:"Each row of the list meets this"`
	Some  *Document `json:"some,omitempty" doc:"One row of the list at least meets this"`
	None  *Document `json:"none,omitempty" doc:"No row of the list meets this"`

	Fact    string       `json:"fact,omitempty" doc:"Name of the fact that is compared"`
	AtLeast doc.Scalar   `json:"at_least,omitempty" doc:"Inclusive; sizes and speeds with their unit: 8 GiB, 64 GB, 1.8 GHz"`
	AtMost  doc.Scalar   `json:"at_most,omitempty" doc:"Inclusive"`
	Equals  doc.Scalar   `json:"equals,omitempty"`
	OneOf   []doc.Scalar `json:"one_of,omitempty"`
	NoneOf  []doc.Scalar `json:"none_of,omitempty"`
	HasAll  []string     `json:"has_all,omitempty" doc:"Items that a set must hold"`
	HasAny  []string     `json:"has_any,omitempty" doc:"Items of which a set must hold one"`
	Empty   bool         `json:"empty,omitempty" doc:"The set must hold nothing"`
	Begins  []string     `json:"begins_with,omitempty" doc:"Names of which the text is one, or begins with one"`
	OnList  string       `json:"on_list,omitempty" doc:"Id of a list in this document"`

	Node *doc.Node `json:"-"`
}

// Compile makes a need from its written form. Mistakes go to r; then it returns
// nil. Lists are looked up in lists.
func Compile(d *Document, lists map[string]*List, r *doc.Report) Need {
	c, before := compiler{lists: lists, r: r}, r.Count()
	if n := c.need(d); r.Count() == before && whole(n) {
		return n
	}
	return nil
}

// whole says that no part of a need is missing. The reader notes a part that is not a group of
// keys before anything is compiled, so the number of mistakes alone does not tell.
func whole(n Need) bool {
	switch x := n.(type) {
	case nil:
		return false
	case *AllOf:
		return !slices.ContainsFunc(x.Parts, missing)
	case *AnyOf:
		return !slices.ContainsFunc(x.Parts, missing)
	case *NotOf:
		return whole(x.Part)
	case *Each:
		return whole(x.Part)
	}
	return true
}

func missing(n Need) bool { return !whole(n) }

type compiler struct {
	lists map[string]*List
	r     *doc.Report
	group fact.Group // whose rows are looked at
}

func (c *compiler) need(d *Document) Need {
	if d == nil || d.Node == nil { // not a group of keys: the reader has said so
		return nil
	}
	var form []string
	for _, k := range []string{"all", "any", "not", "in", "fact"} {
		if d.Node.Has(k) {
			form = append(form, k)
		}
	}
	if len(form) != 1 {
		c.r.Add(d.Node, fmt.Sprintf("a need has one of fact, all, any, not and in; this has %d of them", len(form)),
			"to ask for several things, put them below all or any")
		return nil
	}
	if form[0] == "fact" {
		switch l := c.leaf(d).(type) {
		case nil:
			return nil
		case *Listed:
			return l.under(c.lists[d.OnList].Only)
		default:
			return l
		}
	}
	for i := range kinds {
		if k := kinds[i].key; d.Node.Has(k) {
			c.r.Add(d.Node.Of(k), fmt.Sprintf("%s cannot be combined with %s", k, form[0]),
				"a comparison belongs to a fact")
		}
	}
	switch form[0] {
	case "all":
		parts := c.parts(d.All, d.Node.Of("all"))
		c.contradict(parts, d.Node.Of("all"))
		return &AllOf{parts}
	case "in":
		return c.each(d)
	case "not":
		return &NotOf{c.need(d.Not)}
	}
	return &AnyOf{c.parts(d.Any, d.Node.Of("any"))}
}

// contradict refuses parts of which no value meets both: at least 8 and at most 4.
func (c *compiler) contradict(parts []Need, at *doc.Node) {
	for i, p := range parts {
		for _, q := range parts[i+1:] {
			low, isLow := p.(*AtLeast)
			high, isHigh := q.(*AtMost)
			if !isLow || !isHigh {
				low, isLow = q.(*AtLeast)
				high, isHigh = p.(*AtMost)
			}
			if isLow && isHigh && low.ID == high.ID && low.Limit.Compare(high.Limit) > 0 {
				c.r.Add(at, fmt.Sprintf("nothing meets both limits of %s: the lower one is above the upper one",
					low.ID), "put the smaller value at at_least")
			}
			one, isOne := p.(*OneOf)
			two, isTwo := q.(*OneOf)
			if isOne && isTwo && one.ID == two.ID && one.ID.Def().Kind != fact.Set &&
				!slices.ContainsFunc(one.Values,
					func(v fact.Value) bool { return slices.ContainsFunc(two.Values, v.Equal) }) {
				c.r.Add(at, fmt.Sprintf("nothing meets both: %s has one value at a time", one.ID),
					"put the two below any, or take one out")
			}
		}
	}
}

// each compiles a look at the rows of a list.
func (c *compiler) each(d *Document) Need {
	g := fact.GroupByName(d.In)
	if g == fact.NoGroup {
		return nil // the reader has said so
	}
	if c.group != fact.NoGroup {
		c.r.Add(d.Node.Of("in"), fmt.Sprintf("%s stands within %s", d.In, c.group),
			"a row of a list has no list of its own; put the two beside each other below all")
		return nil
	}
	parts := []*Document{d.Every, d.Some, d.None}
	var how []Quantifier
	for q := Every; q <= None; q++ {
		if parts[q] != nil {
			how = append(how, q)
		}
	}
	if len(how) != 1 {
		c.r.Add(d.Node, fmt.Sprintf("in: %s goes with one of every, some and none; this has %d of them", d.In,
			len(how)), "every: all rows must be so; some: one is enough; none: no row may be so")
		return nil
	}
	inner := compiler{lists: c.lists, r: c.r, group: g}
	n := &Each{on: on{g.List()}, Group: g, How: how[0], Part: inner.need(parts[how[0]])}
	if g == fact.Titles && n.How != Every {
		n.titles, _ = titlesOf(n.Part)
	}
	return n
}

// titlesOf are the names that a title must begin with to meet a need; ok is false where
// others may meet it.
func titlesOf(n Need) (names []string, ok bool) {
	switch x := n.(type) {
	case *BeginsWith:
		if x.Fact() != fact.TitleName {
			return nil, false
		}
		return x.Texts, true
	case *OneOf:
		if x.Fact() != fact.TitleName {
			return nil, false
		}
		for _, v := range x.Values {
			names = append(names, v.Text())
		}
		return names, true
	case *AllOf:
		for _, p := range x.Parts {
			if names, ok = titlesOf(p); ok {
				return names, true
			}
		}
	case *AnyOf:
		for _, p := range x.Parts {
			more, all := titlesOf(p)
			if !all {
				return nil, false
			}
			names = append(names, more...)
		}
		return names, len(names) > 0
	}
	return nil, false
}

func (c *compiler) parts(docs []Document, at *doc.Node) []Need {
	if len(docs) == 0 {
		c.r.Add(at, "the list is empty", "give one need at least")
	}
	parts := make([]Need, len(docs))
	for i := range docs {
		parts[i] = c.need(&docs[i])
	}
	return parts
}

func (c *compiler) leaf(d *Document) Leaf {
	def := fact.ByName(d.Fact)
	if def == nil {
		right := doc.Suggest(d.Fact, fact.Names())
		if right == "" {
			right = "docs/facts.md lists them all"
		}
		c.r.Add(d.Node.Of("fact"), fmt.Sprintf("unknown fact %q", d.Fact), right)
		return nil
	}
	if of := def.ID.Group(); of != c.group {
		switch {
		case of == fact.NoGroup:
			c.r.Add(d.Node.Of("fact"),
				fmt.Sprintf("%s is a fact of the machine, not of a row of %s", def.Name, c.group),
				"put it beside the list, below all")
		default:
			c.r.Add(d.Node.Of("fact"), fmt.Sprintf("%s is a fact of each row of a list", def.Name),
				fmt.Sprintf("write in: %s, and every, some or none with the comparison", of))
		}
		return nil
	}
	var asked []*kind
	for i := range kinds {
		if d.Node.Has(kinds[i].key) {
			asked = append(asked, &kinds[i])
		}
	}
	if len(asked) != 1 {
		wrong := "the fact is not compared with anything"
		if len(asked) > 1 {
			wrong = fmt.Sprintf("a fact is compared in one way; this has %s and %s", asked[0].key, asked[1].key)
		}
		c.r.Add(d.Node, wrong, "use one of "+strings.Join(kindsFor(def), ", "))
		return nil
	}
	k, at := asked[0], d.Node.Of(asked[0].key)
	if !slices.Contains(k.suits, def.Kind) {
		c.r.Add(at, fmt.Sprintf("%s does not suit %s, which is a %s", k.key, def.Name, def.Kind),
			"use one of "+strings.Join(kindsFor(def), ", "))
		return nil
	}
	return k.compile(c, def, d, at)
}

// under is the need of a name on a list some of whose rows count under conditions: it is on the list, and
// whatever its row asks for holds.
func (n *Listed) under(conditions []Only) Need {
	if len(conditions) == 0 {
		return n
	}
	out := &AllOf{Parts: []Need{n}}
	for _, c := range conditions {
		asks := &RowAsks{n.on, n.List, c}
		out.Parts = append(out.Parts, &AnyOf{[]Need{&NotOf{asks}, c.Need}})
	}
	return out
}

func (c *compiler) listed(def *fact.Def, id string, at *doc.Node) Leaf {
	l := c.lists[id]
	if l == nil {
		ids := make([]string, 0, len(c.lists))
		for k := range c.lists {
			ids = append(ids, k)
		}
		slices.Sort(ids)
		c.r.Add(at, fmt.Sprintf("there is no list %q in this document", id), doc.Suggest(id, ids))
		return nil
	}
	if want := map[string]bool{
		list.Processors: def.ID == fact.ProcessorName,
		list.Models:     def.ID == fact.DeviceModelID || def.ID == fact.DeviceModel,
	}; !want[l.Of] {
		c.r.Add(at, fmt.Sprintf("the list %q is a list of %s, and the fact is %s", id, l.Of, def.Name),
			"a list of processors goes with processor.name, one of models with device.model or device.model_id")
		return nil
	}
	return &Listed{on{def.ID}, l.List}
}

func (c *compiler) items(items []string, at *doc.Node) []string {
	if len(items) == 0 {
		c.r.Add(at, "the list is empty", "give one item at least")
	}
	return items
}

func (c *compiler) values(def *fact.Def, list []doc.Scalar, at *doc.Node) []fact.Value {
	if len(list) == 0 {
		c.r.Add(at, "the list is empty", "give one value at least")
	}
	out := make([]fact.Value, len(list))
	for i, s := range list {
		out[i] = c.value(def, s, at.Items[i])
	}
	return out
}

func (c *compiler) value(def *fact.Def, s doc.Scalar, at *doc.Node) fact.Value {
	v, right := Value(def, string(s))
	if !v.Known() {
		c.r.Add(at, fmt.Sprintf("%q is not a value of %s", s, def.Name), right)
	}
	return v
}

var units = map[fact.Unit]struct {
	names []string
	sizes []float64
	right string
}{
	fact.Binary: {[]string{"MiB", "GiB", "TiB"}, []float64{1 << 20, 1 << 30, 1 << 40},
		"memory is written with MiB, GiB or TiB: 8 GiB"},
	fact.Drive: {[]string{"MB", "GB", "TB"}, []float64{1e6, 1e9, 1e12},
		"storage is written with MB, GB or TB: 64 GB"},
	fact.Space: {[]string{"MB", "GB", "TB"}, []float64{1e6, 1e9, 1e12},
		"storage is written with MB, GB or TB: 30 GB"},
	fact.MHz:     {[]string{"MHz", "GHz"}, []float64{1, 1000}, "speed is written with MHz or GHz: 1.8 GHz"},
	fact.Inches:  {[]string{"in"}, []float64{1}, "lengths are written with in: 9 in"},
	fact.Percent: {[]string{"%"}, []float64{1}, "write it with %: 40 %"},
	fact.Bits:    {[]string{"bit"}, []float64{1}, "write it with bit: 64 bit"},
	fact.NoUnit:  {[]string{""}, []float64{1}, "write a number without a unit"},
}

// Choices are the values that a fact can have, where they are few.
func Choices(def *fact.Def) []string {
	if def.Kind == fact.Bool {
		return []string{"true", "false"}
	}
	words := make([]string, 0, len(def.Words))
	for w := range def.Words {
		words = append(words, w)
	}
	slices.Sort(words)
	return words
}

// Example says how a value of a fact is written.
func Example(def *fact.Def) string {
	switch def.Kind {
	case fact.Number:
		return units[def.Unit].right
	case fact.Version:
		return "a version: 2.0"
	case fact.Set:
		return "items with blanks between them"
	}
	return ""
}

// Written is a value of a fact as documents write it, with the largest unit in which it is exact; [Value] reads it.
func Written(def *fact.Def, v fact.Value) string {
	if def.Kind != fact.Number {
		if def.Kind == fact.Set {
			return strings.Join(v.Set(), " ")
		}
		return v.Plain()
	}
	u, x := units[def.Unit], v.Float()
	at := 0
	for i, size := range u.sizes {
		if whole := x / size; whole == math.Trunc(whole*1000)/1000 && whole >= 1 {
			at = i
		}
	}
	return strings.TrimSpace(strconv.FormatFloat(x/u.sizes[at], 'f', -1, 64) + " " + u.names[at])
}

// Value reads a value of a fact as documents write it, with its unit. Without
// a value it says what would be right.
func Value(def *fact.Def, s string) (v fact.Value, right string) {
	switch def.Kind {
	case fact.Number:
		u := units[def.Unit]
		num, unit := strings.TrimSpace(s), ""
		if i := strings.LastIndexAny(num, "0123456789."); i >= 0 {
			num, unit = num[:i+1], strings.TrimSpace(num[i+1:])
		}
		x, err := strconv.ParseFloat(num, 64)
		at := slices.Index(u.names, unit)
		if err != nil || at < 0 || x < 0 || math.IsInf(x, 0) || x*u.sizes[at] > 1<<60 {
			return fact.Value{}, u.right
		}
		return fact.Num(math.Round(x * u.sizes[at])), ""
	case fact.Bool:
		if s != "true" && s != "false" {
			return fact.Value{}, "write true or false"
		}
	case fact.Word:
		words := Choices(def)
		if !slices.Contains(words, s) {
			return fact.Value{}, doc.Suggest(s, words)
		}
	case fact.Version:
		if s == "" || s[0] < '0' || s[0] > '9' {
			return fact.Value{}, "write a version in quotes: \"2.0\""
		}
	}
	if v, ok := fact.Parse(def.Kind, s); ok {
		return v, ""
	}
	return fact.Value{}, "give a value"
}
