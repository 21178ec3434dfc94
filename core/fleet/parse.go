package fleet

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// join says how a part of a filter joins the parts below it.
type join byte

const (
	leaf  join = iota // a term
	every             // all parts match
	some              // at least one part matches
	not               // the only part does not match
)

// node is a part of a filter.
type node struct {
	join  join
	parts []*node
	term  *term
}

// MaxFilterParts bounds the parts of a filter, and how deep its parentheses go.
const (
	MaxFilterParts = 400
	maxDepth       = 20
)

// parser reads a filter from its tokens.
type parser struct {
	tokens []string
	at     int
	parts  int
}

// Parse reads a filter. The error says which part is wrong and what would be right.
func Parse(text string) (Filter, error) {
	tokens, err := tokensOf(text)
	if err != nil {
		return Filter{}, err
	}
	if len(tokens) == 0 {
		return Filter{}, nil
	}
	p := parser{tokens: joined(tokens)}
	root, err := p.some(0)
	if err == nil && p.at < len(p.tokens) {
		err = errors.New("a parenthesis is closed that was not opened; put a text with ) in double quotes")
	}
	if err != nil {
		return Filter{}, err
	}
	return Filter{root: root}, nil
}

// tokensOf cuts a filter into parentheses and words. A word ends at a space outside quotes,
// or at a parenthesis that was not opened in it.
func tokensOf(text string) ([]string, error) {
	var out []string
	start, depth, quoted := -1, 0, false
	end := func(i int) {
		if start >= 0 && unquote(text[start:i]) != "" {
			out = append(out, text[start:i])
		}
		start, depth = -1, 0
	}
	for i, c := range text {
		switch {
		case c == '"':
			quoted = !quoted
			if start < 0 {
				start = i
			}
		case quoted:
		case c == ' ' || c == '\t' || c == '\n':
			end(i)
		case c == '(' && (start < 0 || operator(text[start:i]) != ""):
			end(i)
			out = append(out, "(")
		case c == '(':
			depth++
		case c == ')' && depth == 0:
			end(i)
			out = append(out, ")")
		case c == ')':
			depth--
		case start < 0:
			start = i
		}
	}
	if quoted {
		return nil, errors.New("the filter has an unclosed quote")
	}
	end(len(text))
	return out, nil
}

// joined joins keys, comparisons and values that blanks part: os.version > 11 is os.version>11.
func joined(tokens []string) []string {
	var out []string
	for _, token := range tokens {
		last := ""
		if len(out) > 0 {
			last = out[len(out)-1]
		}
		key, op, _ := compared(token)
		_, opBefore, valueBefore := compared(last)
		goesOn := op != "" && key == "" && isKey(last) && operator(last) == ""
		isValue := opBefore != "" && valueBefore == "" && token != "(" && token != ")" && operator(token) == ""
		if goesOn || isValue {
			out[len(out)-1] += token
			continue
		}
		out = append(out, token)
	}
	return out
}

// operator is what a word stands for: or, not, and; "" for any other.
func operator(word string) string {
	switch lower := strings.ToLower(word); lower {
	case "or", "not", "and":
		return lower
	}
	return ""
}

// next is the token that comes, "" at the end.
func (p *parser) next() string {
	if p.at < len(p.tokens) {
		return p.tokens[p.at]
	}
	return ""
}

// some reads parts with “or” between them.
func (p *parser) some(depth int) (*node, error) {
	if depth > maxDepth {
		return nil, errTooDeep
	}
	out := &node{join: some}
	for {
		part, err := p.every(depth)
		if err != nil {
			return nil, err
		}
		out.parts = append(out.parts, part)
		if operator(p.next()) != "or" {
			return single(out), nil
		}
		p.at++
	}
}

// every reads parts that must all match.
func (p *parser) every(depth int) (*node, error) {
	out := &node{join: every}
	for {
		switch token := p.next(); {
		case token == "" || token == ")" || operator(token) == "or":
			if len(out.parts) == 0 {
				return nil, p.lacking()
			}
			return single(out), nil
		case operator(token) == "and":
			if len(out.parts) == 0 {
				return nil, lackingTerm("in front of", token)
			}
			if p.at++; !p.begins() {
				return nil, p.lacking()
			}
		default:
			part, err := p.part(depth)
			if err != nil {
				return nil, err
			}
			out.parts = append(out.parts, part)
		}
	}
}

// begins says whether a part can begin here.
func (p *parser) begins() bool {
	token := p.next()
	return token != "" && token != ")" && operator(token) != "or" && operator(token) != "and"
}

// lacking says that a term is missing, after the token before or in front of the next one.
func (p *parser) lacking() error {
	if p.at > 0 {
		return lackingTerm("after", p.tokens[p.at-1])
	}
	return lackingTerm("in front of", p.next())
}

func lackingTerm(side, token string) error {
	return fmt.Errorf("a term is missing %s %s; to search for %[2]s itself, put it in double quotes", side, token)
}

// errTooDeep says that parentheses, or “not”, go too deep.
var errTooDeep = errors.New("the parentheses are nested too deeply")

// part reads a term, parentheses, or “not” with one of them.
func (p *parser) part(depth int) (*node, error) {
	if p.parts++; p.parts > MaxFilterParts {
		return nil, fmt.Errorf("the filter has more than %d terms", MaxFilterParts)
	}
	token := p.next()
	p.at++
	switch {
	case operator(token) == "not":
		if !p.begins() {
			return nil, p.lacking()
		}
		if depth >= maxDepth {
			return nil, errTooDeep
		}
		inner, err := p.part(depth + 1)
		if err != nil {
			return nil, err
		}
		return &node{join: not, parts: []*node{inner}}, nil
	case token == "(":
		inner, err := p.some(depth + 1)
		if err != nil {
			return nil, err
		}
		if p.next() != ")" {
			return nil, errors.New("a parenthesis is not closed; close it, or put a text with ( in double quotes")
		}
		p.at++
		return inner, nil
	}
	t, err := readTerm(token)
	if err != nil {
		return nil, err
	}
	return &node{term: t}, nil
}

// single is a node, or the only part of it.
func single(n *node) *node {
	if len(n.parts) == 1 {
		return n.parts[0]
	}
	return n
}

// comparisons are how a key and its values are compared, the longer ones first.
var comparisons = []string{"!=", "<=", ">=", "=", "<", ">"}

// otherNames are names that a list's columns have, and the facts that they are.
var otherNames = map[string]string{"name": "device.name", "serial": "device.serial", "uuid": "device.uuid"}

// compared cuts a word at its comparison; op is "" where it has none.
func compared(token string) (key, op, value string) {
	at := -1
	quote := strings.IndexByte(token, '"')
	for _, c := range comparisons {
		if i := strings.Index(token, c); i >= 0 && (quote < 0 || i < quote) && (at < 0 || i < at) {
			at, op = i, c
		}
	}
	if at < 0 || (op == "<" || op == ">") && at > 0 && !isKey(token[:at]) {
		return token, "", ""
	}
	return token[:at], op, token[at+len(op):]
}

// readTerm reads a word, or a key with a comparison and values.
func readTerm(token string) (*term, error) {
	key, op, value := compared(token)
	if op == "" {
		return &term{values: []string{strings.ToLower(pattern(token))}}, nil
	}
	t := &term{key: strings.ToLower(key), op: op}
	if other := otherNames[t.key]; other != "" {
		t.key = other
	}
	return t, t.read(value)
}

// isKey says whether a text has the form of a key.
func isKey(text string) bool {
	return text != "" && !strings.ContainsFunc(text, func(c rune) bool {
		return c >= utf8.RuneSelf || c != '_' && c != '.' && (c < 'a' || c > 'z') && (c < 'A' || c > 'Z')
	})
}

// ofEachRow says that a fact is one of each row of a list, by which no machine is picked or sorted; nil for others.
func ofEachRow(def *fact.Def) error {
	if def == nil || def.ID.Group() == fact.NoGroup {
		return nil
	}
	g := def.ID.Group()
	return fmt.Errorf("%s is a fact of each %s; machines are picked and sorted by facts of the whole machine, such as "+
		"%s (how many there are)", def.Name, g.One(), g)
}

// read takes the values of a term.
func (t *term) read(text string) error {
	if byName[t.key] == nil {
		if t.def = fact.ByName(t.key); t.def == nil || t.def.ID.Group() != fact.NoGroup {
			if t.key == "" {
				return fmt.Errorf("%s%s has no key; %s", t.op, text, orKeys(""))
			}
			if err := ofEachRow(t.def); err != nil {
				return err
			}
			return fmt.Errorf("unknown key %q; %s", t.key, orKeys(t.key))
		}
	}
	if t.ordered() && (t.def == nil || t.def.Kind != fact.Number && t.def.Kind != fact.Version) {
		return fmt.Errorf("%s is not a number and cannot be compared with %s; write %s=", t.key, t.op, t.key)
	}
	for _, v := range splitValues(text) {
		if v = pattern(v); v == "" {
			return fmt.Errorf("%s%s has no value; give a value, or omit the term", t.key, t.op)
		}
		v, err := t.check(v)
		if err != nil {
			return err
		}
		t.values = append(t.values, v)
	}
	return nil
}

// ordered says whether a term compares more than whether values are the same.
func (t *term) ordered() bool { return t.op != "=" && t.op != "!=" }

// check refuses a value that no machine can have, and writes others as the fleet does,
// whatever their case.
func (t *term) check(v string) (string, error) {
	if k := byName[t.key]; k != nil {
		return k.allows(v)
	}
	switch {
	case strings.Contains(v, anything) && identifying[t.def.ID] && t.def.ID != fact.DeviceName:
		return "", fmt.Errorf("%s%s%s: %s is compared as a whole; write it without *", t.key, t.op, shown(v), t.key)
	case t.def.Kind == fact.Set:
		t.wanted = append(t.wanted, fact.Items([]string{v}))
		return v, nil
	case strings.Contains(v, anything) && (t.def.Kind == fact.Text || t.def.Kind == fact.Word):
		t.wanted = append(t.wanted, fact.Of(fact.Text, v))
		return v, nil
	case t.def.Kind == fact.Word:
		v = folded(v, need.Choices(t.def))
	case t.def.Kind == fact.Bool:
		v = folded(v, []string{"true", "false"})
	}
	value, right := need.Value(t.def, v)
	if !value.Known() {
		return "", fmt.Errorf("%s%s%s: not a valid value; %s", t.key, t.op, shown(v), right)
	}
	t.wanted = append(t.wanted, value)
	return v, nil
}

// folded is the word that differs from a text at most in its case, or the text.
func folded(text string, words []string) string {
	if i := slices.IndexFunc(words, func(w string) bool { return strings.EqualFold(w, text) }); i >= 0 {
		return words[i]
	}
	return text
}

func orKeys(key string) string {
	names := append(Keys(), "name", "serial", "uuid")
	if s := doc.Suggest(key, append(slices.Clone(names), fact.Names()...)); s != "" {
		return s
	}
	slices.Sort(names)
	return "use " + strings.Join(names, ", ") + ", or a fact, as memory.installed_bytes>=8GiB"
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

// anything stands in a value for a * outside quotes, which matches any characters. It is a
// noncharacter of Unicode, so that it is no part of a text; a * in quotes is itself.
const anything = "\uffff"

// pattern is a value without its quotes.
func pattern(s string) string {
	parts := strings.Split(s, `"`)
	for i := 0; i < len(parts); i += 2 { // outside quotes
		parts[i] = strings.ReplaceAll(parts[i], "*", anything)
	}
	return strings.Join(parts, "")
}

// shown is a value as a person writes it.
func shown(v string) string { return strings.ReplaceAll(v, anything, "*") }

// matches says whether a text is like a wanted one, whatever their case.
func matches(text, wanted string) bool {
	if !strings.Contains(wanted, anything) {
		return strings.EqualFold(text, wanted)
	}
	text = strings.ToLower(text)
	parts := strings.Split(strings.ToLower(wanted), anything)
	first, last := parts[0], parts[len(parts)-1]
	if len(text) < len(first)+len(last) || !strings.HasPrefix(text, first) || !strings.HasSuffix(text, last) {
		return false
	}
	text = text[len(first) : len(text)-len(last)]
	for _, part := range parts[1 : len(parts)-1] {
		i := strings.Index(text, part)
		if i < 0 {
			return false
		}
		text = text[i+len(part):]
	}
	return true
}
