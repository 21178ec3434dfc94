package fleet

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
)

// Filter picks machines. Its text is one language for the address bar, --where and the API.
// Terms separated by spaces must all match; “or”, “not” and parentheses combine them. A term
// is a word that the machine's texts contain, or a key with a comparison and values:
// key=value[,value], key!=value, and for numbers and versions also <, <=, > and >=. Words
// compare without case, * in a value stands for any characters, and values with spaces stand
// in double quotes. A key may be a fact; a machine of which the fact is unknown never
// matches its comparisons, != included. missing= picks machines of which a fact is unknown,
// older= those whose latest inventory is more than some days old, ends= those whose release
// goes out of support within some days. Retired machines are left out if no term has the key
// retired.
//
//	disposition=refit,replace site="Gull Quay" fails=tpm slipway
//	(memory.installed_bytes<8GiB or tpm.state=not-*) not tag=kiosk missing=tpm.header
type Filter struct {
	root  *node // nil: every machine
	now   time.Time
	found map[string]map[int64]bool // of what names one machine: the machines, by the key of External
}

// terms are all terms of a filter, wherever they stand in it.
func (f Filter) terms() []*term {
	var out []*term
	var walk func(*node)
	walk = func(n *node) {
		if n.term != nil {
			out = append(out, n.term)
		}
		for _, p := range n.parts {
			walk(p)
		}
	}
	if f.root != nil {
		walk(f.root)
	}
	return out
}

// External is a part of a filter that names machines one by one, by a serial number or a
// UUID, or that is about what people do with them: an index holds no such thing, and
// whoever keeps it finds the machines. A word may be a serial number, too.
type External struct {
	Key   string // for [Filter.Found]
	What  string // name of the fact, or the key
	Value string
}

// Keys of terms that are looked up outside and are not facts: the number of a wave that machines are
// in, what became of them there, who has the work on them, and the number of a change of
// rules that turned them.
const (
	ExternalWave    = "wave"
	ExternalOutcome = "outcome"
	ExternalWho     = "assigned"
	ExternalChanged = "rule_change"
	ExternalVisit   = "visit" // the day of a visit
	ExternalOrder   = "order" // the number of an order that was placed
	ExternalPart    = "part"  // that the plan takes
	ExternalOffer   = "offer" // when the target is offered: it depends on the day and on many facts
)

var externalKeys = []string{
	ExternalOutcome, ExternalChanged, ExternalWave, ExternalWho, ExternalOffer, ExternalVisit, ExternalOrder,
	ExternalPart,
}

// Naming says whether the part names one machine.
func (s External) Naming() bool { return !slices.Contains(externalKeys, s.What) }

// External are those parts.
func (f Filter) External() []External {
	var out []External
	serial := fact.DeviceSerial.Def().Name
	for _, t := range f.terms() {
		for i, v := range t.values {
			switch {
			case t.key == "" && !strings.Contains(v, " "):
				out = append(out, External{externalKey(serial, v), serial, v})
			case t.def != nil && identifying[t.def.ID]:
				v = t.wanted[i].Text()
				out = append(out, External{externalKey(t.def.Name, v), t.def.Name, v})
			case slices.Contains(externalKeys, t.key):
				out = append(out, External{externalKey(t.key, v), t.key, v})
			}
		}
	}
	return out
}

func externalKey(what, v string) string { return what + "=" + strings.ToLower(v) }

// Found is the filter with the machines that a part of it names.
func (f Filter) Found(key string, machines []int64) Filter {
	all := map[string]map[int64]bool{}
	for k, v := range f.found {
		all[k] = v
	}
	all[key] = map[int64]bool{}
	for _, id := range machines {
		all[key][id] = true
	}
	f.found = all
	return f
}

// Asks says whether a term is about a fact.
func (f Filter) Asks(id fact.ID) bool {
	return slices.ContainsFunc(f.terms(), func(t *term) bool { return t.def != nil && t.def.ID == id })
}

// Existing is what a fleet has, of what a filter can name. A nil list is not compared with.
type Existing struct{ Requirements, Steps, Sites, Tags []string }

// Unknown says which requirement, step, site or tag of a filter does not exist, and which was probably
// meant, such as “fails=tmp: there is no requirement "tmp"; did you mean "tpm"?”; "" if all exist.
func (f Filter) Unknown(e Existing) string {
	for _, t := range f.terms() {
		what, exist := "", []string(nil)
		switch t.key {
		case "alone", "fails", "unknown", "waived":
			what, exist = "requirement", e.Requirements
		case "fixed_by", "further", "step":
			what, exist = "step", e.Steps
		case "site":
			what, exist = "site", e.Sites
		case "tag":
			what, exist = "tag", e.Tags
		}
		for _, v := range t.values {
			if t.key == "alone" && v == AnyRequirement {
				continue
			}
			if exist != nil && !slices.ContainsFunc(exist, func(x string) bool { return matches(x, v) }) {
				wrong := fmt.Sprintf("%s%s%s: there is no %s %q", t.key, t.op, shown(v), what, shown(v))
				return doc.With(wrong, doc.Suggest(v, exist))
			}
		}
	}
	return ""
}

// At is the filter at a time, which older= counts back from.
func (f Filter) At(now time.Time) Filter {
	f.now = now
	return f
}

type term struct {
	key    string // "" for a plain word
	op     string // one of comparisons
	values []string
	def    *fact.Def    // of a key that is a fact
	wanted []fact.Value // of a fact: the values
}

// whole is the whole number that the term has; it was read and checked.
func (t *term) whole() int {
	n, _ := strconv.Atoi(t.values[0])
	return n
}

// OutcomeNames are what may have become of a machine in a wave, as package wave has them.
var OutcomeNames = []string{"waiting", "handed-off", "arrived", "failed", "back"}

// String writes the filter in its language; Parse of it is the same filter.
func (f Filter) String() string {
	if f.root == nil {
		return ""
	}
	return f.root.text(some)
}

// text writes a part of a filter that stands in another one.
func (n *node) text(in join) string {
	if n.term != nil {
		return n.term.text()
	}
	parts := make([]string, len(n.parts))
	for i, p := range n.parts {
		parts[i] = p.text(n.join)
	}
	switch n.join {
	case not:
		return "not " + parts[0]
	case every:
		if in == not {
			return "(" + strings.Join(parts, " ") + ")"
		}
		return strings.Join(parts, " ")
	}
	if in != some {
		return "(" + strings.Join(parts, " or ") + ")"
	}
	return strings.Join(parts, " or ")
}

func (t *term) text() string {
	values := make([]string, len(t.values))
	for j, v := range t.values {
		values[j] = written(v, t.key == "" && operator(v) != "")
	}
	if t.key == "" {
		return values[0]
	}
	return t.key + t.op + strings.Join(values, ",")
}

// written is a value with the quotes that it needs; no value has a quote in it.
func written(v string, quote bool) string {
	parts := strings.Split(v, anything)
	for i, p := range parts {
		if quote || strings.ContainsAny(p, " \t\n,=()<>!*") {
			parts[i] = `"` + p + `"`
		}
	}
	return strings.Join(parts, "*")
}

// Has says whether a term has a key.
func (f Filter) Has(key string) bool {
	return slices.ContainsFunc(f.terms(), func(t *term) bool { return t.key == key })
}

// Within is the filter with one more term, of a key that takes texts.
func (f Filter) Within(key string, values ...string) Filter {
	more := &node{term: &term{key: key, op: "=", values: values}}
	switch {
	case f.root == nil:
		f.root = more
	case f.root.join == every:
		f.root = &node{join: every, parts: append(slices.Clip(f.root.parts), more)}
	default:
		f.root = &node{join: every, parts: []*node{f.root, more}}
	}
	return f
}

// Term writes one term of a filter.
func Term(key string, values ...string) string {
	t := term{key: key, op: "=", values: values}
	return t.text()
}

// And is a filter, as text, with a term more; the filter may be empty.
func And(where, term string) string {
	f, err := Parse(where)
	switch {
	case where == "":
		return term
	case err == nil && f.root != nil && f.root.join == some:
		return "(" + where + ") " + term
	}
	return where + " " + term
}
