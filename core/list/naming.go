package list

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strconv"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
)

// RuleDoc reads names of one maker's scheme: its tokens from left to right, and
// nothing more.
type RuleDoc struct {
	ID         string     `json:"id"`
	Reads      []TokenDoc `json:"reads" doc:"The parts of a name from left to right; a name with other parts is not read"`
	From       int        `json:"from,omitempty" minimum:"1" maximum:"9999" doc:"From this generation on, inclusive, a name is on the list"`
	UpTo       int        `json:"up_to,omitempty" minimum:"1" maximum:"9999" doc:"Up to this generation, inclusive"`
	Ignored    []string   `json:"ignored_endings,omitempty" doc:"Endings that do not matter: a name with one of them is read as the name without it"`
	Unclear    []string   `json:"unclear_endings,omitempty" doc:"Endings that say nothing: whether a name with one of them is on the list is unknown, unless it is a row"`
	Except     []string   `json:"except,omitempty" doc:"Exceptions: names that the generations include but the publisher does not"`
	Also       []string   `json:"also,omitempty" doc:"Exceptions: names that the generations exclude but the publisher includes"`
	BuiltInTPM *bool      `json:"built_in_tpm,omitempty" doc:"What applies to all parts that the rule includes"`

	Node *doc.Node `json:"-"`
}

// TokenDoc is one part of a name; exactly one of its keys is given.
type TokenDoc struct {
	Text       []string       `json:"text,omitempty" doc:"One of these texts"`
	Maybe      []string       `json:"maybe,omitempty" doc:"One of these texts, or nothing"`
	Digits     int            `json:"digits,omitempty" minimum:"1" maximum:"9" doc:"Number of digits"`
	Generation int            `json:"generation,omitempty" minimum:"1" maximum:"4" doc:"Number of digits that are the generation"`
	Named      map[string]int `json:"named,omitempty" doc:"One of these texts, each with its generation"`

	Node *doc.Node `json:"-"`
}

// Rule is a compiled naming rule.
type Rule struct {
	RuleDoc
	tokens       []token
	except, also map[string]bool
	facts        []Carried
	source       string
}

// token is a part of a name: some texts, or so many digits.
type token struct {
	texts    []string // nil: digits
	means    []int    // the generation that each text stands for, or nil
	optional bool
	digits   int
	counts   bool // the digits are the generation
}

// Limits of naming rules, far above what makers need.
const (
	maxTokens = 12
	maxTexts  = 200
	maxRules  = 100
)

// bounded: the rule itself says which generations are on the list.
func (r *Rule) bounded() bool { return r.From > 0 || r.UpTo > 0 }

func (r *Rule) holds(generation int) bool {
	return generation >= r.From && (r.UpTo == 0 || generation <= r.UpTo)
}

// Generations says which generations the rule takes: 8 and later, 8 to 14.
func (r *Rule) Generations() string {
	switch {
	case r.From > 0 && r.UpTo > 0:
		return fmt.Sprintf("%d to %d", r.From, r.UpTo)
	case r.UpTo > 0:
		return fmt.Sprintf("%d and earlier", r.UpTo)
	}
	return fmt.Sprintf("%d and later", r.From)
}

func (l *List) compileRules(d *Document, r *doc.Report) {
	if len(d.Naming) > maxRules {
		r.Add(d.Node.Of("naming"), fmt.Sprintf("%d naming rules are too many", len(d.Naming)),
			fmt.Sprintf("at most %d; a rule can read several series", maxRules))
		return
	}
	seen := map[string]bool{}
	sound := true
	for i := range d.Naming {
		rd := &d.Naming[i]
		if seen[rd.ID] {
			r.Add(rd.Node.Of("id"), fmt.Sprintf("the rule %q appears twice", rd.ID),
				"results name the rule; give each its own id")
		}
		seen[rd.ID] = true
		rule, ok := compileRule(rd, r)
		rule.source = fmt.Sprintf("the list %s, rule %s", l.ID, rd.ID)
		sound = sound && ok
		l.Rules = append(l.Rules, rule)
	}
	if sound {
		for i := range l.Rules {
			l.exceptions(&l.Rules[i], r)
		}
		l.refuseAmbiguous(r)
	}
}

func compileRule(rd *RuleDoc, r *doc.Report) (Rule, bool) {
	rule := Rule{RuleDoc: *rd, except: map[string]bool{}, also: map[string]bool{}}
	ok := true
	wrong := func(at *doc.Node, wrong, right string) { ok = false; r.Add(at, wrong, right) }
	if len(rd.Reads) == 0 || len(rd.Reads) > maxTokens {
		wrong(rd.Node.Of("reads"), fmt.Sprintf("the rule reads %d parts", len(rd.Reads)),
			fmt.Sprintf("from one to %d: text, digits, generation, named or maybe", maxTokens))
	}
	generations, most := 0, 0
	for i := range rd.Reads {
		td := &rd.Reads[i]
		t, problem, right := compileToken(td)
		if problem != "" {
			wrong(td.Node, problem, right)
			continue
		}
		if t.counts || t.means != nil {
			generations++
			most = t.most()
		}
		if rule.splitsNumber(&t) {
			wrong(td.Node, digitsGoOn, digitsTogether)
		}
		rule.tokens = append(rule.tokens, t)
	}
	if endings := slices.Concat(rd.Ignored, rd.Unclear); len(endings) > 0 {
		at := rd.Node.Of("ignored_endings")
		if len(rd.Ignored) == 0 {
			at = rd.Node.Of("unclear_endings")
		}
		t, problem, right := compileToken(&TokenDoc{Maybe: endings})
		switch {
		case problem != "":
			wrong(at, problem, right)
		case rule.splitsNumber(&t):
			wrong(at, digitsGoOn, digitsTogether)
		}
		rule.tokens = append(rule.tokens, t)
	}
	if ok && rule.tokens[0].texts == nil || ok && rule.tokens[0].optional {
		wrong(rd.Reads[0].Node, "the rule must begin with a text",
			"begin with the beginning of the maker's names; otherwise the rule would read every number")
	}
	if ok && generations != 1 {
		wrong(rd.Node.Of("reads"), fmt.Sprintf("the rule reads the generation %d times", generations),
			"exactly one part is generation or named")
	}
	if ok && rd.From > most {
		wrong(rd.Node.Of("from"),
			fmt.Sprintf("the rule can read generations up to %d, so from %d it matches nothing", most, rd.From),
			"use more digits for the generation, or a lower from")
	}
	if rd.UpTo > 0 && rd.UpTo < rd.From {
		wrong(rd.Node.Of("up_to"), fmt.Sprintf("up to %d and from %d leave nothing", rd.UpTo, rd.From),
			"up_to is not below from")
	}
	if rd.BuiltInTPM != nil {
		rule.facts = []Carried{{fact.ProcessorTPM, fact.Truth(*rd.BuiltInTPM)}}
	}
	return rule, ok
}

// What is wrong with a text behind digits, and what would be right.
const (
	digitsGoOn     = "a text that begins with a digit must not follow digits"
	digitsTogether = "include its digits in the digits before it"
)

// splitsNumber says whether a token would split a number that the rule has begun to read.
func (r *Rule) splitsNumber(next *token) bool {
	n := len(r.tokens)
	return n > 0 && r.tokens[n-1].texts == nil && next.texts != nil && next.startsWithDigit()
}

func compileToken(td *TokenDoc) (t token, wrong, right string) {
	kinds := 0
	for _, given := range []bool{td.Text != nil, td.Maybe != nil, td.Digits > 0, td.Generation > 0, td.Named != nil} {
		if given {
			kinds++
		}
	}
	if kinds != 1 {
		return t, fmt.Sprintf(
				"a part of a name is one of text, maybe, digits, generation and named; this has %d of them", kinds),
			"write each part as an item of its own"
	}
	t = token{digits: td.Digits + td.Generation, counts: td.Generation > 0, optional: td.Maybe != nil}
	texts := append(td.Text, td.Maybe...)
	for s := range td.Named {
		texts = append(texts, s)
	}
	if t.digits > 0 {
		return t, "", ""
	}
	if len(texts) == 0 || len(texts) > maxTexts {
		return t, fmt.Sprintf("this part has %d texts", len(texts)), fmt.Sprintf("from one to %d", maxTexts)
	}
	seen := map[string]bool{}
	for _, s := range texts {
		n := string(appendPlain(nil, s))
		if n == "" {
			return t, "a text is empty", "leave it out; maybe allows nothing by itself"
		}
		if seen[n] {
			return t, fmt.Sprintf("the text %q appears twice", s), "case and blanks make no difference"
		}
		seen[n] = true
		t.texts = append(t.texts, n)
		if td.Named != nil {
			t.means = append(t.means, td.Named[s])
		}
	}
	return t, "", ""
}

// most is the highest generation that the token can read.
func (t *token) most() int {
	if t.means == nil {
		return int(math.Pow10(t.digits)) - 1
	}
	most := 0
	for _, g := range t.means {
		most = max(most, g)
	}
	return most
}

func (t *token) startsWithDigit() bool {
	for _, s := range t.texts {
		if isDigit(s[0]) {
			return true
		}
	}
	return false
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// exceptions checks that each names something that the rule reads and that the
// generations decide otherwise.
func (l *List) exceptions(rule *Rule, r *doc.Report) {
	for _, x := range []struct {
		key   string
		names []string
		to    map[string]bool
		in    bool
	}{{"except", rule.Except, rule.except, true}, {"also", rule.Also, rule.also, false}} {
		at := rule.Node.Of(x.key)
		if len(x.names) > 0 && !rule.bounded() {
			r.Add(at, x.key+" goes with from or up_to", "without them the rows alone say what is on the list")
		}
		for i, name := range x.names {
			key := l.normal(name)
			gen, reads := rule.read([]byte(key))
			switch {
			case !reads:
				r.Add(at.Items[i], fmt.Sprintf("the rule does not read %q", name),
					"an exception is a whole name of the rule's scheme")
			case rule.holds(gen) != x.in:
				r.Add(at.Items[i], fmt.Sprintf("%q is generation %d, which decides the same without the exception",
					name, gen), "leave it out")
			}
			x.to[key] = true
		}
	}
}

// read returns the generation in a name of the rule's scheme.
func (r *Rule) read(name []byte) (generation int, ok bool) {
	return match(r.tokens, name, 0)
}

// unclear is the ending of a name that the rule reads which says nothing, or "".
func (r *Rule) unclear(name []byte) string {
	for _, ending := range r.Unclear {
		plain := appendPlain(nil, ending)
		rest, ends := bytes.CutSuffix(name, plain)
		if !ends {
			continue
		}
		// The endings are the last token; no name can be read with it and without it.
		if _, ok := match(r.tokens[:len(r.tokens)-1], bytes.TrimRight(rest, " "), 0); ok {
			return ending
		}
	}
	return ""
}

// match reads tokens off the front of a name. Since no name can be read in two
// ways, it looks at each place of the name once per token at most.
func match(tokens []token, rest []byte, generation int) (int, bool) {
	if len(tokens) == 0 {
		return generation, len(rest) == 0
	}
	t := &tokens[0]
	if t.texts == nil {
		if len(rest) < t.digits {
			return 0, false
		}
		n := 0
		for _, c := range rest[:t.digits] {
			if !isDigit(c) {
				return 0, false
			}
			n = n*10 + int(c-'0')
		}
		if t.counts {
			generation = n
		}
		after := rest[t.digits:]
		if len(tokens) == 1 || tokens[1].texts != nil {
			if len(after) > 0 && isDigit(after[0]) {
				return 0, false // the number goes on
			}
			return matchBlank(tokens[1:], after, generation)
		}
		return match(tokens[1:], after, generation)
	}
	for i, s := range t.texts {
		if len(rest) < len(s) || string(rest[:len(s)]) != s {
			continue
		}
		gen, after := generation, rest[len(s):]
		if t.means != nil {
			gen = t.means[i]
		}
		// Onyx 5 3600 is no Onyx 53600: a blank parts two numbers.
		if isDigit(s[len(s)-1]) && len(after) > 0 && isDigit(after[0]) {
			continue
		}
		if g, ok := matchBlank(tokens[1:], after, gen); ok {
			return g, true
		}
	}
	if t.optional {
		return match(tokens[1:], rest, generation)
	}
	return 0, false
}

// matchBlank matches with or without a blank in front.
func matchBlank(tokens []token, rest []byte, generation int) (int, bool) {
	if len(rest) > 1 && rest[0] == ' ' {
		rest = rest[1:]
	}
	return match(tokens, rest, generation)
}

// Says writes the parts of the rule's scheme for people.
func (r *Rule) Says() []string {
	var out []string
	for i := range r.Reads {
		td := &r.Reads[i]
		switch {
		case td.Generation > 0:
			out = append(out, "the generation in "+digits(td.Generation))
		case td.Digits > 0:
			out = append(out, digits(td.Digits))
		case td.Maybe != nil:
			out = append(out, shortened(td.Maybe)+" or nothing")
		case td.Named != nil:
			names := make([]string, 0, len(td.Named))
			for s, g := range td.Named {
				names = append(names, fmt.Sprintf("%s (generation %d)", s, g))
			}
			slices.Sort(names)
			out = append(out, shortened(names))
		default:
			out = append(out, shortened(td.Text))
		}
	}
	return out
}

func digits(n int) string {
	if n == 1 {
		return "one digit"
	}
	return strconv.Itoa(n) + " digits"
}

// maxShown is how many texts of a token a sentence names.
const maxShown = 6

func shortened(texts []string) string {
	if len(texts) > maxShown {
		return fmt.Sprintf("%s or %d others", join(texts[:maxShown]), len(texts)-maxShown)
	}
	return join(texts)
}
