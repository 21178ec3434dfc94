package fleet

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/remedy"
)

// Filter picks machines. Its text is one grammar for the address bar, --where
// and the API: terms parted by blanks, every one of which must hold; a term is
// key=value[,value…] or a word that the machine's texts contain. Values with
// blanks stand in double quotes.
//
//	disposition=refit,replace place="Gull Quay" fails=tpm slipway
type Filter struct {
	terms []term
}

type term struct {
	key    string // "" for a plain word
	values []string
}

// keys of terms with what they match.
var keys = map[string]func(*Row, string) bool{
	"disposition": func(r *Row, v string) bool { return r.Judged && r.Disposition.String() == v },
	"publisher":   func(r *Row, v string) bool { return r.Judged && r.Publisher.String() == v },
	"certainty":   func(r *Row, v string) bool { return r.Judged && r.Certain == (v == "confirmed") },
	"place":       func(r *Row, v string) bool { return strings.EqualFold(r.Place, v) },
	"class":       func(r *Row, v string) bool { return r.Class == v },
	"installed":   func(r *Row, v string) bool { return strings.EqualFold(r.Installed, v) },
	"model":       func(r *Row, v string) bool { return strings.EqualFold(r.Model, v) },
	"maker":       func(r *Row, v string) bool { return strings.EqualFold(r.Manufacturer, v) },
	"fails":       func(r *Row, v string) bool { return r.Outcome(v) == 'f' },
	"unknown":     func(r *Row, v string) bool { return r.Outcome(v) == 'u' },
	"alone":       func(r *Row, v string) bool { return r.Sole == v },
	"judged":      func(r *Row, v string) bool { return r.Judged == (v == "yes") },
}

// words of keys that take only these.
var words = map[string][]string{
	"disposition": remedy.Dispositions(),
	"publisher":   remedy.Dispositions(),
	"certainty":   {"confirmed", "expected"},
	"class":       {"pc", "mac"},
	"judged":      {"yes", "no"},
}

// Keys lists the keys of terms.
func Keys() []string {
	out := make([]string, 0, len(keys))
	for k := range keys {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

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
			if word := strings.ToLower(unquote(p)); word != "" {
				f.terms = append(f.terms, term{values: []string{word}})
			}
			continue
		}
		if keys[key] == nil {
			return Filter{}, fmt.Errorf("the filter has no key %q; %s", key, orKeys(key))
		}
		t := term{key: key}
		for _, v := range splitValues(value) {
			if v = unquote(v); v == "" {
				return Filter{}, fmt.Errorf("the filter's %s= has an empty value; leave the term out, or give a value", key)
			}
			if allowed := words[key]; allowed != nil && !slices.Contains(allowed, v) {
				return Filter{}, fmt.Errorf("the filter's %s=%s is not known; %s", key, v, doc.Suggest(v, allowed))
			}
			t.values = append(t.values, v)
		}
		f.terms = append(f.terms, t)
	}
	return f, nil
}

func orKeys(key string) string {
	if s := doc.Suggest(key, Keys()); s != "" {
		return s
	}
	return "it may be " + strings.Join(Keys(), ", ")
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
		return nil, fmt.Errorf("the filter has a quote that does not end")
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
			parts[i] = t.key + "=" + parts[i]
		}
	}
	return strings.Join(parts, " ")
}

// Match says whether a row is picked.
func (f Filter) Match(r *Row) bool {
	for _, t := range f.terms {
		ok := false
		for _, v := range t.values {
			if t.key == "" {
				ok = ok || r.contains(v)
			} else {
				ok = ok || keys[t.key](r, v)
			}
		}
		if !ok {
			return false
		}
	}
	return true
}

func (r *Row) contains(word string) bool {
	for _, s := range [...]string{r.Name, r.Model, r.Manufacturer, r.Place, r.Installed} {
		if strings.Contains(strings.ToLower(s), word) {
			return true
		}
	}
	return false
}

// Select returns the rows that the filter picks.
func (f Filter) Select(rows []Row) []Row {
	out := make([]Row, 0, len(rows))
	for i := range rows {
		if f.Match(&rows[i]) {
			out = append(out, rows[i])
		}
	}
	return out
}

// Term writes one term of a filter.
func Term(key string, values ...string) string {
	return Filter{[]term{{key, values}}}.String()
}
