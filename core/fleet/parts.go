package fleet

import (
	"cmp"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// Part is one term of a filter as a person wrote it.
type Part struct {
	Key    string // "" of a word
	Op     string // "" of a word; otherwise =, !=, <, <=, > or >=
	Values []string
	Text   string
}

// simple are the terms of a filter whose terms must all match; ok is false for another one.
func (f Filter) simple() (terms []*node, ok bool) {
	switch {
	case f.root == nil:
		return nil, true
	case f.root.term != nil:
		return []*node{f.root}, true
	case f.root.join != every:
		return nil, false
	}
	ok = !slices.ContainsFunc(f.root.parts, func(n *node) bool { return n.term == nil })
	return f.root.parts, ok
}

// Parts are the terms of a filter whose terms must all match. Of another one, which or, not or parentheses
// join, there are none, and ok is false.
func (f Filter) Parts() (parts []Part, ok bool) {
	terms, ok := f.simple()
	if !ok {
		return nil, false
	}
	for _, n := range terms {
		p := Part{Key: n.term.key, Op: n.term.op, Text: n.term.text()}
		for _, v := range n.term.values {
			p.Values = append(p.Values, shown(v))
		}
		parts = append(parts, p)
	}
	return parts, true
}

// Words are the plain words of a filter whose terms must all match; another filter is its words as a whole.
func (f Filter) Words() string {
	terms, ok := f.simple()
	if !ok {
		return f.String()
	}
	var words []string
	for _, n := range terms {
		if n.term.key == "" {
			words = append(words, n.term.text())
		}
	}
	return strings.Join(words, " ")
}

// WithWords is a filter, as text, with its plain words replaced by another filter.
func (f Filter) WithWords(words string) (Filter, error) {
	more, err := Parse(words)
	terms, ok := f.simple()
	if err != nil || !ok {
		return more, err
	}
	rest := slices.DeleteFunc(slices.Clone(terms), func(n *node) bool { return n.term.key == "" })
	switch {
	case more.root == nil:
	case more.root.term == nil && more.root.join == every:
		rest = append(rest, more.root.parts...)
	default:
		rest = append(rest, more.root)
	}
	return all(rest), nil
}

// WithValues is a filter with other values of a key, at the place of those that it had. No values remove the
// term. The values of a filter that or, not or parentheses join are not replaced; the term is added to it.
func (f Filter) WithValues(key string, values []string) (Filter, error) {
	var parts []*node
	if len(values) > 0 {
		quoted := make([]string, len(values))
		for i, v := range values {
			quoted[i] = written(v, strings.Contains(v, "*"))
		}
		one, err := Parse(key + "=" + strings.Join(quoted, ","))
		if err != nil {
			return f, err
		}
		parts = []*node{one.root}
	}
	terms, ok := f.simple()
	switch {
	case !ok && len(parts) == 0:
		return f, nil
	case !ok:
		return all([]*node{f.root, parts[0]}), nil
	}
	is := func(n *node) bool { return n.term.key == key && n.term.op == "=" }
	at := slices.IndexFunc(terms, is)
	rest := slices.DeleteFunc(slices.Clone(terms), is)
	if at < 0 {
		at = len(rest)
	}
	return all(slices.Insert(rest, min(at, len(rest)), parts...)), nil
}

// all is a filter of which every part must match.
func all(parts []*node) Filter {
	if len(parts) == 0 {
		return Filter{}
	}
	return Filter{root: single(&node{join: every, parts: parts})}
}

// Completion is a way to go on with a filter.
type Completion struct {
	Text string // the whole filter
	Says string // what was added, in a few words
}

// maxCompletions is how many ways to go on are listed.
const maxCompletions = 100

// Complete lists ways to go on at the end of a filter: keys, and behind a key and its comparison values.
func Complete(text string, e Existing) []Completion {
	before, token := lastToken(text)
	var out []Completion
	for _, c := range completions(token, e) {
		out = append(out, Completion{Text: before + c.Text, Says: c.Says})
		if len(out) == maxCompletions {
			break
		}
	}
	return out
}

// lastToken cuts a filter before the word that is being written.
func lastToken(text string) (before, token string) {
	quoted, start := false, 0
	for i, c := range text {
		switch {
		case c == '"':
			quoted = !quoted
		case !quoted && (c == ' ' || c == '(' && (start == i || operator(text[start:i]) != "")):
			start = i + 1
		}
	}
	return text[:start], text[start:]
}

func completions(token string, e Existing) []Completion {
	at := strings.IndexAny(token, "=<>!")
	if at < 0 {
		return keysLike(token)
	}
	key := cmp.Or(otherNames[strings.ToLower(token[:at])], strings.ToLower(token[:at]))
	values := strings.LastIndexAny(token, "=<>,") + 1
	if values == 0 {
		return nil
	}
	typed := strings.ToLower(unquote(token[values:]))
	var out []Completion
	for _, v := range valuesLike(key, e) {
		if strings.HasPrefix(strings.ToLower(v), typed) {
			out = append(out, Completion{Text: token[:values] + written(v, false), Says: v})
		}
	}
	return out
}

// keysLike are the keys that begin with what was typed; facts only behind their group.
func keysLike(typed string) []Completion {
	typed = strings.ToLower(typed)
	var out []Completion
	add := func(name, says string) {
		if strings.HasPrefix(name, typed) {
			out = append(out, Completion{Text: name + "=", Says: cmp.Or(says, name)})
		}
	}
	for i := range keys {
		add(keys[i].name, keys[i].doc)
	}
	for name := range otherNames {
		add(name, "of the machine")
	}
	slices.SortFunc(out, func(a, b Completion) int { return strings.Compare(a.Text, b.Text) })
	if typed == "" {
		return out
	}
	for _, d := range fact.All() {
		if d.ID.Group() == fact.NoGroup {
			add(d.Name, d.Label)
		}
	}
	return out
}

// valuesLike are the values that a key can have, as far as they can be listed.
func valuesLike(key string, e Existing) []string {
	switch key {
	case "alone", "fails", "unknown", "waived":
		return e.Requirements
	case "fixed_by", "further", "step":
		return e.Steps
	case "site":
		return e.Sites
	case "tag":
		return e.Tags
	case "decision":
		return DecisionNames[:]
	case "missing":
		return fact.Names()
	}
	if k := byName[key]; k != nil {
		return k.words
	}
	if d := fact.ByName(key); d != nil && (d.Kind == fact.Word || d.Kind == fact.Bool) {
		return need.Choices(d)
	}
	return nil
}
