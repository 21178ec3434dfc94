// Package list decides whether a processor or a model is on a published list.
//
// A list has rows (exact names, after [Normal]) and may have naming rules that
// read the generation out of a maker's model names. A rule is a short table of
// tokens, not a pattern language, so that it can neither be ambiguous in secret
// nor slow.
package list

import (
	"fmt"
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
	Complete bool      `json:"complete,omitempty" doc:"Whether the publisher says that what is not listed is not supported"`
	Source   string    `json:"source,omitempty" doc:"Address of the page it was taken from"`
	Rows     []RowDoc  `json:"rows,omitempty"`
	Naming   []RuleDoc `json:"naming,omitempty" doc:"How to read the generation out of a model name"`

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

	Node *doc.Node `json:"-"`
}

// RuleDoc reads names of one maker's scheme: one of the prefixes, so many
// digits, one of the suffixes, and nothing more.
type RuleDoc struct {
	ID               string   `json:"id"`
	Prefixes         []string `json:"prefixes" doc:"What stands before the digits"`
	Digits           int      `json:"digits" minimum:"1" maximum:"9" doc:"How many digits follow"`
	GenerationDigits int      `json:"generation_digits" minimum:"1" maximum:"4" doc:"How many of them, from the left, are the generation"`
	Suffixes         []string `json:"suffixes,omitempty" doc:"What may stand behind the digits; nothing is always allowed"`
	From             int      `json:"from,omitempty" minimum:"1" maximum:"9999" doc:"From this generation on, inclusive, a name is on the list"`
	Except           []string `json:"except,omitempty" doc:"Names that the rule would take and the publisher does not"`
	BuiltInTPM       *bool    `json:"built_in_tpm,omitempty" doc:"What is known of all parts that the rule takes"`

	Node *doc.Node `json:"-"`
}

// Row is a published name with the facts it carries.
type Row struct {
	Name  string
	Facts []Carried
}

// Carried is a fact that a row says of its part.
type Carried struct {
	ID    fact.ID
	Value fact.Value
}

// Rule is a compiled naming rule.
type Rule struct {
	RuleDoc
	except map[string]bool
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
	Name       string // as judged, after Normal
	Row        *Row   // the row that matched
	Rule       *Rule  // the rule that read the name
	Generation int    // as read by Rule
	Excepted   bool   // the rule takes it and an exception does not
	Nearest    *Row   // for Off: the row most like it
}

// Compile checks a list and makes it ready. Mistakes go to r.
func Compile(d *Document, r *doc.Report) *List {
	l := &List{ID: d.ID, Of: d.Of, Complete: d.Complete, Source: d.Source, byName: make(map[string]int, len(d.Rows))}
	if len(d.Rows) == 0 && len(d.Naming) == 0 {
		r.Add(d.Node, "the list is empty", "give rows, or naming rules, or both")
	}
	for i := range d.Rows {
		rd := &d.Rows[i]
		key := Normal(rd.Name)
		if key == "" {
			r.Add(rd.Node.Of("name"), "the row has no name", "")
			continue
		}
		if j, twice := l.byName[key]; twice {
			r.Add(rd.Node.Of("name"), fmt.Sprintf("%q stands twice in the list", rd.Name), fmt.Sprintf("row %d has the same name after marks and blanks are set aside", j+1))
			continue
		}
		l.byName[key] = len(l.Rows)
		l.Rows = append(l.Rows, Row{Name: rd.Name, Facts: carried(rd)})
	}
	for i := range d.Naming {
		rd := &d.Naming[i]
		if rd.GenerationDigits > rd.Digits {
			r.Add(rd.Node.Of("generation_digits"), "the generation has more digits than the name", fmt.Sprintf("at most %d", rd.Digits))
		}
		if len(rd.Prefixes) == 0 {
			r.Add(rd.Node, "the naming rule has no prefixes", "say what stands before the digits")
		}
		rule := Rule{RuleDoc: *rd, except: make(map[string]bool)}
		for j, p := range rule.Prefixes {
			if rule.Prefixes[j] = Normal(p); rule.Prefixes[j] == "" {
				r.Add(rd.Node.Of("prefixes"), "a prefix is empty", "a rule without a prefix would read every number")
			}
		}
		for j, s := range rule.Suffixes {
			rule.Suffixes[j] = strings.ToLower(s)
		}
		for _, e := range rd.Except {
			rule.except[Normal(e)] = true
		}
		l.Rules = append(l.Rules, rule)
	}
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
	return c
}

// Normal brings a name into the form in which names are compared: lower case,
// trade marks and the clock suffix gone, “with … graphics” gone, the words CPU
// and Processor gone, blanks collapsed.
func Normal(name string) string {
	s := strings.ToLower(name)
	for _, mark := range []string{"(r)", "(tm)", "(c)", "®", "™", "©"} {
		s = strings.ReplaceAll(s, mark, " ")
	}
	if i := strings.Index(s, "@"); i >= 0 {
		s = s[:i]
	}
	words := strings.Fields(s)
	out := words[:0]
	for _, w := range words {
		if w == "with" || w == "w/" {
			break // what follows names the graphics
		}
		if w != "cpu" && w != "processor" && !strings.HasSuffix(w, "-core") {
			out = append(out, w)
		}
	}
	return strings.Join(out, " ")
}

// Find judges a name.
func (l *List) Find(name string) Match {
	m := Match{Name: Normal(name)}
	if m.Name == "" {
		return m
	}
	if i, ok := l.byName[m.Name]; ok {
		m.Result, m.Row = On, &l.Rows[i]
	}
	for i := range l.Rules {
		if gen, ok := l.Rules[i].read(m.Name); ok {
			m.Rule, m.Generation = &l.Rules[i], gen
			break
		}
	}
	if m.Row != nil {
		return m
	}
	if m.Rule != nil && m.Rule.From > 0 && m.Generation >= m.Rule.From {
		if m.Rule.except[m.Name] {
			m.Excepted, m.Result = true, Off
		} else {
			m.Result = On
		}
		return m
	}
	understood := m.Rule != nil || l.Of == Models
	if understood && l.Complete || m.Rule != nil && m.Rule.From > 0 {
		m.Result = Off
		m.Nearest = l.nearest(m.Name)
	}
	return m
}

// read returns the generation in a name of the rule's scheme.
func (r *Rule) read(name string) (generation int, ok bool) {
	for _, p := range r.Prefixes {
		rest, found := strings.CutPrefix(name, p)
		if !found {
			continue
		}
		rest = strings.TrimPrefix(rest, " ")
		n := 0
		for n < len(rest) && rest[n] >= '0' && rest[n] <= '9' {
			n++
		}
		if n != r.Digits || !r.allows(strings.TrimSpace(rest[n:])) {
			continue
		}
		for _, c := range rest[:min(r.GenerationDigits, n)] {
			generation = generation*10 + int(c-'0')
		}
		return generation, true
	}
	return 0, false
}

func (r *Rule) allows(suffix string) bool {
	if suffix == "" {
		return true
	}
	for _, s := range r.Suffixes {
		if s == suffix {
			return true
		}
	}
	return false
}

// Carries is what the match says of the part beyond its being listed.
func (m Match) Carries() []Carried {
	if m.Row != nil {
		return m.Row.Facts
	}
	if m.Rule != nil && m.Rule.BuiltInTPM != nil && m.Result == On {
		return []Carried{{fact.ProcessorTPM, fact.Truth(*m.Rule.BuiltInTPM)}}
	}
	return nil
}

// nearest is the row that shares the longest beginning with a name, so that a
// reader sees what was looked through.
func (l *List) nearest(name string) *Row {
	best, at := 3, -1
	for i := range l.Rows {
		key := Normal(l.Rows[i].Name)
		n := 0
		for n < len(key) && n < len(name) && key[n] == name[n] {
			n++
		}
		if n > best {
			best, at = n, i
		}
	}
	if at < 0 {
		return nil
	}
	return &l.Rows[at]
}
