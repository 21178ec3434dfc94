// Package list decides whether a processor or a model is on a published list.
//
// A list has rows (exact names, after [Normal]) and may have naming rules that
// read the generation out of a maker's model names. A rule is a short table of
// tokens, not a pattern language; [Compile] refuses rules under which a name
// could be read in two ways, so that a rule can neither be ambiguous in secret
// nor slow.
package list

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
)

// Of what a list is.
const (
	Processors = "processors"
	Models     = "models"
)

// Document is a list as it stands in a release document.
type Document struct {
	ID       string    `json:"id"`
	Of       string    `json:"of" enum:"processors,models"`
	Complete bool      `json:"complete,omitempty" doc:"Whether the publisher states that unlisted items are not supported"`
	Source   string    `json:"source,omitempty" doc:"Address of the page it was taken from"`
	Rows     []RowDoc  `json:"rows,omitempty"`
	File     string    `json:"file,omitempty" doc:"Name of a CSV file with the rows"`
	Naming   []RuleDoc `json:"naming,omitempty" doc:"How to read the generation from a model name"`

	Node *doc.Node `json:"-"`
}

// RowDoc is one published name. What else it says fills gaps of machines that
// match it.
type RowDoc struct {
	Name         string   `json:"name"`
	Cores        int      `json:"cores,omitempty" minimum:"1" maximum:"65536"`
	RatedMHz     int      `json:"rated_mhz,omitempty" minimum:"1" maximum:"100000"`
	Architecture string   `json:"architecture,omitempty" enum:"x86,x86-64,arm64"`
	BuiltInTPM   *bool    `json:"built_in_tpm,omitempty"`
	Features     []string `json:"features,omitempty"`
	ModelYear    int      `json:"model_year,omitempty" minimum:"1970" maximum:"2200" doc:"Year in which the model came out"`
	Only         string   `json:"only,omitempty" doc:"Id of a condition of the document: the row counts only on machines on which it holds"`
	Note         string   `json:"note,omitempty" doc:"Shown with the row; has no effect"`

	Node *doc.Node `json:"-"`
}

// Row is a published name with the facts it carries.
type Row struct {
	Name   string
	Only   string // id of the condition under which it counts; "": always
	Note   string
	Facts  []Carried
	Source string // of the facts it carries
	number int    // in the document, from 1; a row with a mistake is none of the list
}

// Carried is a fact that a row says of its part.
type Carried struct {
	ID    fact.ID
	Value fact.Value
}

// List is a compiled list.
type List struct {
	ID       string
	Of       string
	Complete bool
	Source   string
	Rows     []Row
	Rules    []Rule

	byName map[string]int
	sorted []string // normal names in their order, for the nearest row
}

// Result says how a name was judged.
type Result int8

// The results. Unread: no rule reads the name, or the list is not complete, so
// that its absence says nothing.
const (
	Unread Result = iota
	On
	Off
)

// Match is the judgement of one name with its evidence.
type Match struct {
	Result     Result
	Row        *Row   // the row that matched
	Rule       *Rule  // the rule that read the name
	Generation int    // as read by Rule
	Excepted   bool   // an exception decided, against the generation
	Ending     string // what the name ends in, where the rule says that this tells nothing
}

// Compile checks a list and makes it ready. Mistakes go to r.
func Compile(d *Document, r *doc.Report) *List {
	l := &List{ID: d.ID, Of: d.Of, Complete: d.Complete, Source: d.Source, byName: make(map[string]int, len(d.Rows))}
	if len(d.Rows) == 0 && len(d.Naming) == 0 {
		r.Add(d.Node, "the list is empty", "give rows, or naming rules, or both")
	}
	for i := range d.Rows {
		rd := &d.Rows[i]
		key := l.normal(rd.Name)
		if key == "" {
			r.Add(rd.Node.Of("name"), "the row has no name", "give the name as the publisher writes it")
			continue
		}
		if j, twice := l.byName[key]; twice {
			r.Add(rd.Node.Of("name"), fmt.Sprintf("%q appears twice in the list", rd.Name),
				fmt.Sprintf("row %d has the same name, ignoring marks and spaces", l.Rows[j].number))
			continue
		}
		if rd.ModelYear > 0 && d.Of != Models {
			r.Add(rd.Node.Of("model_year"), "only a list of models has years of models",
				"leave it out; note: keeps what the publisher says beside a name")
		}
		l.byName[key] = len(l.Rows)
		l.sorted = append(l.sorted, key)
		l.Rows = append(l.Rows, Row{
			Name:   rd.Name,
			Only:   rd.Only,
			Note:   rd.Note,
			Facts:  carried(rd),
			Source: fmt.Sprintf("the list %s, row %s", l.ID, rd.Name),
			number: i + 1,
		})
	}
	slices.Sort(l.sorted)
	l.compileRules(d, r)
	return l
}

func carried(rd *RowDoc) []Carried {
	var c []Carried
	add := func(id fact.ID, v fact.Value) { c = append(c, Carried{id, v}) }
	if rd.Cores > 0 {
		add(fact.ProcessorCores, fact.Num(float64(rd.Cores)))
	}
	if rd.RatedMHz > 0 {
		add(fact.ProcessorMHz, fact.Num(float64(rd.RatedMHz)))
	}
	if rd.Architecture != "" {
		add(fact.ProcessorArch, fact.Of(fact.Word, rd.Architecture))
	}
	if rd.BuiltInTPM != nil {
		add(fact.ProcessorTPM, fact.Truth(*rd.BuiltInTPM))
	}
	if rd.Features != nil {
		add(fact.ProcessorFeatures, fact.Items(rd.Features))
	}
	if rd.ModelYear > 0 {
		add(fact.DeviceModelYear, fact.Num(float64(rd.ModelYear)))
	}
	return c
}

// normal is the form in which names on the list are compared.
func (l *List) normal(name string) string {
	return string(l.appendNormal(nil, name))
}

func (l *List) appendNormal(to []byte, name string) []byte {
	if l.Of == Models {
		return appendPlain(to, name)
	}
	return appendNormal(to, name)
}

// Find judges a name. It does not allocate for names of ordinary length.
func (l *List) Find(name string) Match {
	var room [normalRoom]byte
	key := l.appendNormal(room[:0], name)
	var m Match
	if len(key) == 0 {
		return m
	}
	if i, ok := l.byName[string(key)]; ok {
		m.Result, m.Row = On, &l.Rows[i]
	}
	for i := range l.Rules {
		if gen, ok := l.Rules[i].read(key); ok {
			m.Rule, m.Generation = &l.Rules[i], gen
			break
		}
	}
	if m.Row != nil {
		return m
	}
	if r := m.Rule; r != nil && len(r.Unclear) > 0 && !r.except[string(key)] && !r.also[string(key)] {
		if m.Ending = r.unclear(key); m.Ending != "" {
			return m
		}
	}
	if r := m.Rule; r != nil && r.bounded() {
		in := r.holds(m.Generation)
		m.Excepted = in && r.except[string(key)] || !in && r.also[string(key)]
		switch {
		case in != m.Excepted:
			m.Result = On
		case m.Excepted || l.Complete: // an exception is named, whatever else is missing
			m.Result = Off
		}
		return m
	}
	if (m.Rule != nil || l.Of == Models) && l.Complete {
		m.Result = Off
	}
	return m
}

// Has says whether a name, after [Normal], is that of a row.
func (l *List) Has(name string) bool {
	_, ok := l.byName[l.normal(name)]
	return ok
}

// Carries is what the match says of the part beyond its being listed, with the
// source.
func (m *Match) Carries() (facts []Carried, source string) {
	if m.Row != nil {
		return m.Row.Facts, m.Row.Source
	}
	if m.Rule != nil && m.Result == On {
		return m.Rule.facts, m.Rule.source
	}
	return nil, ""
}

// leastAlike is how long a beginning two names share at least, to be called
// alike.
const leastAlike = 4

// Nearest is the row that is most like a name, so that a reader sees what was looked
// through; nil where none is like it. Where a naming rule reads the name, it is a row of
// the same scheme: the one of the nearest generation, and of those the one with the
// longest common beginning. Otherwise it is the one with the longest common beginning.
func (l *List) Nearest(name string) *Row {
	key := l.normal(name)
	for i := range l.Rules {
		if gen, ok := l.Rules[i].read([]byte(key)); ok {
			return l.nearestOf(&l.Rules[i], gen, key)
		}
	}
	best, row := leastAlike-1, (*Row)(nil)
	at, _ := slices.BinarySearch(l.sorted, key)
	for _, i := range []int{at - 1, at} { // names with a common beginning stand together
		if i < 0 || i >= len(l.sorted) {
			continue
		}
		if n := common(l.sorted[i], key); n > best {
			best, row = n, &l.Rows[l.byName[l.sorted[i]]]
		}
	}
	return row
}

// nearestOf is the row that a rule reads with the nearest generation.
func (l *List) nearestOf(r *Rule, generation int, key string) *Row {
	var row *Row
	var best [3]int
	for _, k := range l.sorted {
		gen, ok := r.read([]byte(k))
		if !ok || common(k, key) < leastAlike {
			continue
		}
		far := [3]int{0, max(gen-generation, generation-gen), -common(k, key)}
		if line(k) != line(key) {
			far[0] = 1
		}
		if row == nil || slices.Compare(far[:], best[:]) < 0 {
			best, row = far, &l.Rows[l.byName[k]]
		}
	}
	return row
}

// line is a name without the number and the letters behind it: corvane k5- of
// corvane k5-7300u.
func line(key string) string {
	digit := func(r rune) bool { return r >= '0' && r <= '9' }
	return strings.TrimRightFunc(strings.TrimRightFunc(key, func(r rune) bool { return !digit(r) }), digit)
}

func common(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return n
}

// join writes words for sentences about rules.
func join(words []string) string { return strings.Join(words, ", ") }
