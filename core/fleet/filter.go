package fleet

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// Filter picks machines. Its text is one grammar for the address bar, --where
// and the API: terms separated by blanks, every one of which must hold; a term is
// key=value[,value…] or a word that the machine's texts contain. Values with
// blanks stand in double quotes. A key may be a fact, which amounts and versions
// can be compared with, too; missing= picks machines of which a fact is not
// known, older= those whose latest inventory is more than some days old, ends= those
// whose release goes out of support within some days. Machines out of use are left
// out where no term has the key retired.
//
//	disposition=refit,replace site="Gull Quay" fails=tpm slipway
//	memory.installed_bytes<=4GiB tpm.state=not-seen missing=tpm.header
type Filter struct {
	terms []term
	now   time.Time
	found map[string]map[int64]bool // of what names one machine: the machines, by the key of External
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
)

var externalKeys = []string{ExternalOutcome, ExternalChanged, ExternalWave, ExternalWho}

// Naming says whether the part names one machine.
func (s External) Naming() bool { return !slices.Contains(externalKeys, s.What) }

// External are those parts.
func (f Filter) External() []External {
	var out []External
	serial := fact.DeviceSerial.Def().Name
	for _, t := range f.terms {
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
	return slices.ContainsFunc(f.terms, func(t term) bool { return t.def != nil && t.def.ID == id })
}

// Unknown says which requirement or step of a filter does not exist, and which was probably meant,
// such as “fails=tmp: there is no requirement "tmp"; did you mean "tpm"?”; "" if all exist. Without
// requirements, as before the first target is chosen, those are not compared.
func (f Filter) Unknown(requirements, steps []string) string {
	for _, t := range f.terms {
		what, exist := "requirement", requirements
		switch t.key {
		case "alone", "fails", "unknown", "waived":
		case "fixed_by", "step":
			what, exist = "step", steps
		default:
			continue
		}
		for _, v := range t.values {
			if len(exist) > 0 && !slices.Contains(exist, v) {
				return doc.With(fmt.Sprintf("%s=%s: there is no %s %q", t.key, v, what, v), doc.Suggest(v, exist))
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
	op     string // "=", ">=" or "<="
	values []string
	def    *fact.Def    // of a key that is a fact
	wanted []fact.Value // of a fact: the values
}

// OutcomeNames are what may have become of a machine in a wave, as package wave has them.
var OutcomeNames = []string{"waiting", "handed-off", "arrived", "failed", "back"}

// Parse reads a filter. The error says which term is wrong and what would be
// right.
func Parse(text string) (Filter, error) {
	var f Filter
	parts, err := split(text)
	if err != nil {
		return f, err
	}
	for _, p := range parts {
		key, value, isTerm := strings.Cut(p, "=")
		if !isTerm {
			at := strings.IndexAny(p, "<>")
			if at > 0 && fact.ByName(p[:at]) != nil {
				return Filter{}, fmt.Errorf("%s: %c alone is not a comparison; write %s%c=", p, p[at], p[:at], p[at])
			}
			if word := strings.ToLower(unquote(p)); word != "" {
				f.terms = append(f.terms, term{values: []string{word}})
			}
			continue
		}
		t := term{key: key, op: "="}
		if n := len(key) - 1; n > 0 && (key[n] == '<' || key[n] == '>') {
			t.key, t.op = key[:n], key[n:]+"="
		}
		if err := t.read(value); err != nil {
			return Filter{}, err
		}
		f.terms = append(f.terms, t)
	}
	return f, nil
}

// read takes the values of a term.
func (t *term) read(text string) error {
	if byName[t.key] == nil {
		if t.def = fact.ByName(t.key); t.def == nil || t.def.ID.Group() != fact.NoGroup {
			return fmt.Errorf("unknown key %q; %s", t.key, orKeys(t.key))
		}
	}
	if t.op != "=" && (t.def == nil || t.def.Kind != fact.Number && t.def.Kind != fact.Version) {
		return fmt.Errorf("%s is not a number and cannot be compared with %s; write %s=", t.key, t.op, t.key)
	}
	for _, v := range splitValues(text) {
		if v = unquote(v); v == "" {
			return fmt.Errorf("%s%s has no value; give a value, or omit the term", t.key, t.op)
		}
		if err := t.check(v); err != nil {
			return err
		}
		t.values = append(t.values, v)
	}
	return nil
}

// check refuses a value that no machine can have.
func (t *term) check(v string) error {
	if k := byName[t.key]; k != nil {
		return k.allows(v)
	}
	switch {
	case t.def == nil:
	case t.def.Kind == fact.Set:
		t.wanted = append(t.wanted, fact.Items([]string{v}))
	default:
		value, right := need.Value(t.def, v)
		if !value.Known() {
			return fmt.Errorf("%s%s%s: not a valid value; %s", t.key, t.op, v, right)
		}
		t.wanted = append(t.wanted, value)
	}
	return nil
}

func orKeys(key string) string {
	if s := doc.Suggest(key, append(Keys(), fact.Names()...)); s != "" {
		return s
	}
	return "use " + strings.Join(Keys(), ", ") + ", or a fact, as memory.installed_bytes>=8GiB"
}

// split cuts at blanks outside quotes.
func split(text string) ([]string, error) {
	var out []string
	var b strings.Builder
	quoted := false
	for _, c := range text {
		switch {
		case c == '"':
			quoted = !quoted
			b.WriteRune(c)
		case !quoted && (c == ' ' || c == '\t' || c == '\n'):
			if b.Len() > 0 {
				out = append(out, b.String())
				b.Reset()
			}
		default:
			b.WriteRune(c)
		}
	}
	if quoted {
		return nil, fmt.Errorf("the filter has an unclosed quote")
	}
	if b.Len() > 0 {
		out = append(out, b.String())
	}
	return out, nil
}

func splitValues(s string) []string {
	var out []string
	start, quoted := 0, false
	for i, c := range s {
		switch {
		case c == '"':
			quoted = !quoted
		case c == ',' && !quoted:
			out = append(out, s[start:i])
			start = i + 1
		}
	}
	return append(out, s[start:])
}

func unquote(s string) string { return strings.ReplaceAll(s, `"`, "") }

// String writes the filter in its grammar; Parse of it is the same filter.
func (f Filter) String() string {
	parts := make([]string, len(f.terms))
	for i, t := range f.terms {
		values := make([]string, len(t.values))
		for j, v := range t.values {
			if values[j] = v; strings.ContainsAny(v, " \t\n,=") {
				values[j] = `"` + v + `"` // no value has a quote in it
			}
		}
		if parts[i] = strings.Join(values, ","); t.key != "" {
			parts[i] = t.key + t.op + parts[i]
		}
	}
	return strings.Join(parts, " ")
}

// Has says whether a term has a key.
func (f Filter) Has(key string) bool {
	return slices.ContainsFunc(f.terms, func(t term) bool { return t.key == key })
}

// Within is the filter with one more term, of a key that takes texts.
func (f Filter) Within(key string, values ...string) Filter {
	f.terms = append(slices.Clip(f.terms), term{key: key, op: "=", values: values})
	return f
}

// Term writes one term of a filter.
func Term(key string, values ...string) string {
	return Filter{terms: []term{{key: key, op: "=", values: values}}}.String()
}

// And is a filter, as text, with a term more; the filter may be empty.
func And(where, term string) string {
	if where == "" {
		return term
	}
	return where + " " + term
}
