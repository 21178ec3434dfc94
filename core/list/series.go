package list

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/pattern"
)

// Proposal is a row of a page that describes a series of names, with the naming rules that say the same.
type Proposal struct {
	Row      int       // 1 is the first below the heading
	Says     string    // the row
	Rules    []RuleDoc // none where the row cannot be read as rules
	Why      string    // why there are none
	Included []string  // of the names that exist, those that the rules include
	Excluded []string  // and those that they read and do not include
	Left     []string  // exceptions of the page that no rule reads: they have to be added by hand

	stem string // what the names of the series begin with
}

// What a page writes of series: K5-8000 series and later, except K5-8130U; K5-8xxxU.
var (
	numbered = pattern.Of(`(?i)^(.*[^0-9])(\d{2,6})([a-z]{0,2})[- ]?(?:series|family)\b(.*)$`)
	wild     = pattern.Of(`(?i)^(.*[^0-9x])(\d{1,4})(x{2,4})([a-z]{0,2})\b(.*)$`)
	later    = pattern.Of(`(?i)^\s*(\+|(and|or)\s+(later|newer|above|higher|up))`)
	earlier  = pattern.Of(`(?i)^\s*(and|or)\s+(earlier|older|below|lower)`)
	excepted = pattern.Of(`(?i)\b(except|excluding|but not)\b:?\s*(for\s+)?(.*)$`)
	series   = pattern.Of(`(?i)\b(series|family)\b|\b(generation|gen)s?\b.*\b(later|newer|earlier|older)\b`)
)

// maxParts is how many digits of a number at most tell the parts of a series apart.
const maxParts = 3

// readSeries reads a name that describes a series; ok is false where it is a name.
func readSeries(name string) (p Proposal, ok bool) {
	if m := wild().FindStringSubmatch(name); m != nil {
		p.stem = m[1]
		p.rules(m[2], len(m[3]), m[4], m[5])
		return p, true
	}
	if !series().MatchString(name) && !excepted().MatchString(name) {
		return p, false
	}
	p.Why = "it describes a series in words that no rule can be made of; write a naming rule for it"
	m := numbered().FindStringSubmatch(name)
	if m == nil {
		return p, true
	}
	zeros := len(m[2]) - len(strings.TrimRight(m[2], "0"))
	parts := min(zeros, maxParts)
	if number := m[2][:len(m[2])-parts]; parts >= 2 && number != "" && len(number) <= 4 {
		p.stem, p.Why = m[1], ""
		p.rules(number, parts, m[3], m[4])
	}
	return p, true
}

// rules makes the rules of a series: of numbers that begin with a generation, and, where later ones
// belong to it, of those with a digit more.
func (p *Proposal) rules(number string, parts int, ending, rest string) {
	generation, _ := strconv.Atoi(number)
	rule := RuleDoc{
		ID:    ruleID(p.stem, number),
		Reads: []TokenDoc{{Text: []string{p.stem}}, {Generation: len(number)}, {Digits: parts}},
		From:  generation,
		UpTo:  generation,
	}
	if ending != "" {
		rule.Reads = append(rule.Reads, TokenDoc{Text: []string{ending}})
	}
	switch {
	case later().MatchString(rest):
		rule.UpTo = 0
	case earlier().MatchString(rest):
		rule.From = 0
	}
	p.Rules = []RuleDoc{rule}
	if rule.UpTo == 0 && len(number) == 1 {
		more := rule
		more.ID = ruleID(p.stem, "10")
		more.Reads = slices.Clone(rule.Reads)
		more.Reads[1] = TokenDoc{Generation: 2}
		more.From = 10
		p.Rules = append(p.Rules, more)
	}
	if m := excepted().FindStringSubmatch(rest); m != nil {
		p.except(m[3])
	}
}

// except gives the exceptions to the rule that reads them.
func (p *Proposal) except(text string) {
	text = strings.NewReplacer(" and ", ", ", " or ", ", ", ";", ",").Replace(strings.TrimRight(text, ". "))
	lead := strings.Fields(p.stem)
	for _, name := range strings.Split(text, ",") {
		if name = strings.TrimSpace(name); name == "" {
			continue
		}
		said := name
		// An exception may leave out the maker, or all but the number.
		switch {
		case strings.HasPrefix(strings.ToLower(name), strings.ToLower(p.stem)):
		case len(lead) > 0 && strings.HasPrefix(strings.ToLower(name), strings.ToLower(lead[len(lead)-1])):
			name = strings.TrimSuffix(p.stem, lead[len(lead)-1]) + name
		default:
			name = p.stem + name
		}
		if !p.excepts(name) {
			p.Left = append(p.Left, said)
		}
	}
}

// excepts gives an exception to the rules that read it, and says whether one does.
func (p *Proposal) excepts(name string) (read bool) {
	number := name[min(len(p.stem), len(name)):]
	digits := len(number) - len(strings.TrimLeft(number, "0123456789"))
	letters := strings.ToUpper(number[digits:])
	if len(letters) > 3 || strings.Trim(letters, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") != "" {
		return false
	}
	for i := range p.Rules {
		if digits == p.Rules[i].Reads[1].Generation+p.Rules[i].Reads[2].Digits {
			p.Rules[i].Except = append(p.Rules[i].Except, name)
			read = true
		}
	}
	return read
}

var notInID = pattern.Of(`[^a-z0-9]+`)

func ruleID(stem, number string) string {
	id := strings.Trim(notInID().ReplaceAllString(strings.ToLower(stem), "-"), "-")
	return strings.Trim(id+"-"+number, "-")
}

// propose gives the proposals the endings that names have, and says what they include of names that
// exist.
func (im *Imported) propose(names []string) {
	known := slices.Clone(names)
	for i := range im.Rows {
		known = append(known, im.Rows[i].Name)
	}
	for i := range im.Series {
		im.Series[i].apply(known, names)
	}
}

func (p *Proposal) apply(known, names []string) {
	if len(p.Rules) == 0 {
		return
	}
	p.endings(known)
	for i := range p.Rules {
		for _, x := range p.Rules[i].Except {
			p.endings([]string{x})
		}
	}
	d := Document{ID: "proposed", Of: Processors, Complete: true, Naming: p.Rules}
	r := &doc.Report{Name: "proposed"}
	l := Compile(&d, r)
	if err := r.Err(); err != nil {
		p.Rules, p.Why = nil, "it describes a series, but the rule that was made of it is not valid; write one by hand"
		return
	}
	seen := map[string]bool{}
	for _, name := range names {
		key := Normal(name)
		if seen[key] {
			continue
		}
		seen[key] = true
		switch l.Find(name).Result {
		case On:
			p.Included = append(p.Included, name)
		case Off:
			if l.Find(name).Rule != nil {
				p.Excluded = append(p.Excluded, name)
			}
		}
	}
}

// endings gives each rule the letters that names of the series end in.
func (p *Proposal) endings(names []string) {
	stem := string(appendPlain(nil, p.stem))
	for _, name := range names {
		rest, ok := strings.CutPrefix(Normal(name), stem)
		if !ok {
			continue
		}
		letters := strings.TrimLeft(rest, "0123456789")
		digits := len(rest) - len(letters)
		ending := strings.ToUpper(strings.TrimSpace(letters))
		if ending == "" || len(ending) > 3 || strings.Trim(ending, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") != "" {
			continue
		}
		for i := range p.Rules {
			rule := &p.Rules[i]
			reads := rule.Reads[1].Generation + rule.Reads[2].Digits
			if digits == reads && len(rule.Reads) == 3 && !slices.Contains(rule.Ignored, ending) {
				rule.Ignored = append(rule.Ignored, ending)
				slices.Sort(rule.Ignored)
			}
		}
	}
}

// YAML are the rules as they stand in a release document, below naming.
func (p *Proposal) YAML() string {
	var b strings.Builder
	quoted := func(list []string) string {
		out := make([]string, len(list))
		for i, s := range list {
			out[i] = strconv.Quote(s)
		}
		return "[" + strings.Join(out, ", ") + "]"
	}
	for i := range p.Rules {
		r := &p.Rules[i]
		var reads []string
		for _, t := range r.Reads {
			switch {
			case t.Generation > 0:
				reads = append(reads, fmt.Sprintf("{generation: %d}", t.Generation))
			case t.Digits > 0:
				reads = append(reads, fmt.Sprintf("{digits: %d}", t.Digits))
			default:
				reads = append(reads, "{text: "+quoted(t.Text)+"}")
			}
		}
		fmt.Fprintf(&b, "- id: %s\n  reads: [%s]\n", r.ID, strings.Join(reads, ", "))
		if r.From > 0 {
			fmt.Fprintf(&b, "  from: %d\n", r.From)
		}
		if r.UpTo > 0 {
			fmt.Fprintf(&b, "  up_to: %d\n", r.UpTo)
		}
		if len(r.Ignored) > 0 {
			fmt.Fprintf(&b, "  ignored_endings: %s\n", quoted(r.Ignored))
		}
		if len(r.Except) > 0 {
			fmt.Fprintf(&b, "  except: %s\n", quoted(r.Except))
		}
	}
	return b.String()
}
