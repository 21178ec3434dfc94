package list_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/internal/expect"
)

// Four schemes, made up: K has the generation in front of three digits; Onyx
// has a series in front, the generation behind it; Strand names generations;
// Halyard writes them behind a letter, in the middle.
const schemes = `
id: s
of: processors
complete: true
naming:
  - {id: k, reads: [{text: [Corvane K3-, Corvane K5-, Corvane K7-]}, {generation: 1}, {digits: 3}, {maybe: [U, H, HQ, T]}], from: 8, up_to: 9, except: [Corvane K3-8130U], also: [Corvane K7-7920HQ]}
  - {id: k-two, reads: [{text: [Corvane K3-, Corvane K5-, Corvane K7-]}, {generation: 2}, {digits: 3}, {maybe: [U, H, P, T]}], from: 10}
  - {id: onyx, reads: [{text: [Tessaly Onyx 3, Tessaly Onyx 5, Tessaly Onyx 7, Tessaly Onyx Pro 5]}, {digits: 1}, {generation: 1}, {digits: 2}, {maybe: [U, G, X, XT]}], from: 3}
  - {id: strand, reads: [{text: [Tessaly Strand]}, {named: {One: 1, Two: 2, Three: 3, Three Plus: 4}}, {maybe: [Wide]}], from: 2}
  - {id: halyard, reads: [{text: [Fennick Halyard]}, {text: [A, B]}, {digits: 2}, {text: [g]}, {generation: 2}], from: 12}
`

func TestNamesOfFourSchemes(t *testing.T) {
	l, err := compile(schemes)
	if err != nil {
		t.Fatal(err)
	}
	type want struct {
		rule       string
		generation int
		result     list.Result
	}
	cases := map[string]want{}
	add := func(name, rule string, generation int, on bool) {
		r := list.Off
		if on {
			r = list.On
		}
		cases[name] = want{rule, generation, r}
	}
	// Every tier, generation and suffix, in several writings.
	for _, tier := range []string{"K3", "K5", "K7"} {
		for gen := 4; gen <= 9; gen++ {
			add(fmt.Sprintf("Corvane %s-%d400", tier, gen), "k", gen, gen >= 8)
			add(fmt.Sprintf("Corvane(R) %s-%d250U CPU @ 1.60GHz", tier, gen), "k", gen, gen >= 8)
			add(fmt.Sprintf("CORVANE %s-%d750hq", strings.ToLower(tier), gen), "k", gen, gen >= 8)
		}
		for gen := 9; gen <= 14; gen++ {
			add(fmt.Sprintf("Corvane %s-%02d400", tier, gen), "k-two", gen, gen >= 10)
			add(fmt.Sprintf("%dth Gen Corvane(R) %s-%02d35P", gen, tier, gen)+"0", "", 0, false)
			// a digit behind the suffix
			cases[fmt.Sprintf("%dth Gen Corvane(R) %s-%02d35P", gen, tier, gen)+"0"] = want{"", 0, list.Unread}
			add(fmt.Sprintf("%dth Gen Corvane(TM) %s-%02d350P Processor", gen, tier, gen), "k-two", gen, gen >= 10)
		}
	}
	for _, series := range []string{"3", "5", "7", "Pro 5"} {
		for gen := 1; gen <= 6; gen++ {
			add(fmt.Sprintf("Tessaly Onyx %s 5%d50", series, gen), "onyx", gen, gen >= 3)
			add(fmt.Sprintf("Tessaly Onyx %s 7%d00U with Built-in Graphics", series, gen), "onyx", gen, gen >= 3)
			add(fmt.Sprintf("Tessaly Onyx™ %s 6%d00XT 8-Core Processor", series, gen), "onyx", gen, gen >= 3)
		}
	}
	for i, name := range []string{"One", "Two", "Three", "Three Plus"} {
		add("Tessaly Strand "+name, "strand", i+1, i+1 >= 2)
		add("tessaly  strand "+strings.ToUpper(name)+" Wide", "strand", i+1, i+1 >= 2)
	}
	for gen := 10; gen <= 14; gen++ {
		add(fmt.Sprintf("Fennick Halyard A40g%d", gen), "halyard", gen, gen >= 12)
		add(fmt.Sprintf("Fennick Halyard B75 G%d", gen), "halyard", gen, gen >= 12)
	}
	add("Corvane K3-8130U", "k", 8, false)
	add("Corvane K7-7920HQ", "k", 7, true)
	// Refusals: nobody guesses.
	for _, name := range []string{
		"Corvane K5-", "Corvane K5-82", "Corvane K5-825", "Corvane K5-8250Z", "Corvane K5-8250UU", "Corvane K5-825000",
		"Corvane K5 8250", "Corvane K9-8250", "K5-8250U", "Corvane K5-8250U sample", "Corvane K5-8250U 2",
		"Tessaly Onyx 53600", "Tessaly Onyx 55 3600", "Tessaly Onyx 5 360", "Tessaly Onyx Pro 3 5350", "Tessaly Strand",
		"Tessaly Strand Four", "Tessaly Strand Three Wide Plus", "Fennick Halyard C40g12", "Fennick Halyard A4g12",
		"Fennick Halyard A40g1", "Fennick Halyard A40g123", "Boathouse virtual CPU", "0000", "", "   ", "@ 3.2GHz",
	} {
		cases[name] = want{"", 0, list.Unread}
	}
	if len(cases) < 150 {
		t.Fatalf("only %d names", len(cases))
	}
	for name, w := range cases {
		m := l.Find(name)
		rule := ""
		if m.Rule != nil {
			rule = m.Rule.ID
		}
		expect.Same(t, name+": rule", rule, w.rule)
		expect.Same(t, name+": generation", m.Generation, w.generation)
		expect.Same(t, name+": result", m.Result, w.result)
	}
	t.Logf("%d names", len(cases))
}

func TestExceptionsSayThatTheyDecided(t *testing.T) {
	l, err := compile(schemes)
	if err != nil {
		t.Fatal(err)
	}
	for name, on := range map[string]list.Result{"Corvane K3-8130U": list.Off, "Corvane K7-7920HQ": list.On} {
		t.Run(name, func(t *testing.T) {
			if m := l.Find(name); !m.Excepted || m.Result != on {
				t.Errorf("%s: %+v", name, m)
			}
		})
	}
}

// An ordinal is left out in front of the word “gen” alone, in any case.
func TestOrdinals(t *testing.T) {
	for name, want := range map[string]string{
		"11th Gen Corvane K5": "corvane k5", "2nd gen Corvane": "corvane", "3RD   GEN Corvane": "corvane",
		"1st Gen":          "",
		"11th Den Corvane": "11th den corvane", "11th Fen Corvane": "11th fen corvane",
		"11th Geo": "11th geo", "11th Genuine": "11th genuine", "11th": "11th",
		"th Gen Corvane": "th gen corvane", "Gen 11": "gen 11",
		"11 Gen": "11 gen",
	} {
		t.Run(name, func(t *testing.T) {
			if got := list.Normal(name); got != want {
				t.Errorf("%q becomes %q, want %q", name, got, want)
			}
		})
	}
}

// Names of models are compared whole: no word of an identifier is left out.
func TestModelsKeepTheirWords(t *testing.T) {
	l, err := compile("{id: m, of: models, complete: true, rows: [{name: 'Bollard with dock'}, {name: 'Bollard " +
		"CPU'}, {name: 'Bollard'}]}")
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{
		"bollard  WITH dock": "Bollard with dock",
		"Bollard":            "Bollard",
		"Bollard CPU":        "Bollard CPU",
	} {
		t.Run(name, func(t *testing.T) {
			if m := l.Find(name); m.Row == nil || m.Row.Name != want {
				t.Errorf("%q: %+v", name, m.Row)
			}
		})
	}
	if m := l.Find("Bollard with"); m.Result != list.Off {
		t.Errorf("half a name: %+v", m)
	}
}

// What Compile lets through reads every name in one way: many small schemes
// against all short names, counted by brute force.
func TestAmbiguityByBruteForce(t *testing.T) {
	parts := []string{
		"{text: [k]}", "{text: [k, kk]}", "{text: [k3]}", "{maybe: [a]}", "{maybe: [a, aa]}", "{digits: 1}",
		"{generation: 1}", "{text: [a]}",
	}
	var rules []string
	for _, a := range []int{0, 1, 2} {
		for _, b := range []int{3, 4, 5, 7} {
			for _, c := range []int{3, 4, 5} {
				rules = append(rules, fmt.Sprintf("[%s, %s, %s, {generation: 1}]", parts[a], parts[b], parts[c]))
			}
		}
	}
	names := []string{""}
	for range 6 {
		var next []string
		for _, n := range names {
			for _, c := range "ka31 " {
				next = append(next, n+string(c))
			}
		}
		names = append(next, names...)
		if len(names) > 40_000 {
			break
		}
	}
	refused, kept := 0, 0
	for _, r := range rules {
		_, err := compile("{id: x, of: processors, naming: [{id: r, reads: " + r + "}]}")
		if err != nil && !strings.Contains(err.Error(), "in two ways") {
			continue // refused for another reason
		}
		twice := ""
		for _, n := range names {
			if ways(r, strings.TrimSpace(n)) > 1 {
				twice = n
				break
			}
		}
		if (err != nil) != (twice != "") {
			t.Errorf("%s: %v, and by brute force %q", r, err, twice)
		}
		if err != nil {
			refused++
		} else {
			kept++
		}
	}
	if refused < 3 || kept < 10 {
		t.Errorf("%d refused, %d kept: the test says little", refused, kept)
	}
}

// ways counts how a rule's tokens can cut a name, by the words of the
// documentation and not by the code: texts, digits that are not cut, and a blank
// between parts unless both are digits.
func ways(rule, name string) int {
	type tok struct {
		texts  []string
		digits int
		maybe  bool
	}
	var toks []tok
	for _, p := range strings.Split(strings.Trim(rule, "[]"), "}, {") {
		p = strings.Trim(p, "{}")
		kind, rest, _ := strings.Cut(p, ": ")
		rest = strings.Trim(rest, "[]")
		switch kind {
		case "text", "maybe":
			toks = append(toks, tok{texts: strings.Split(rest, ", "), maybe: kind == "maybe"})
		default:
			toks = append(toks, tok{digits: 1})
		}
	}
	digit := func(s string, i int) bool { return i >= 0 && i < len(s) && s[i] >= '0' && s[i] <= '9' }
	var count func(i int, at int, after string) int
	count = func(i, at int, after string) int {
		if i == len(toks) {
			if at == len(name) {
				return 1
			}
			return 0
		}
		n := 0
		starts := []int{at}
		// A blank may stand behind a text, and between digits and a text.
		inside := at > 0 && at < len(name)
		mayPart := after == "text" || toks[i].texts != nil
		parts := inside && name[at] == ' ' && name[at-1] != ' '
		if mayPart && parts {
			starts = append(starts, at+1)
		}
		tk := toks[i]
		if tk.maybe {
			n += count(i+1, at, after)
		}
		for _, s := range starts {
			if tk.digits > 0 {
				joined := s == at && after == "text" && digit(name, at-1)
				numbers := after == "digits" && s == at
				if digit(name, s) && !joined {
					if after != "digits" || numbers {
						if last := i+1 == len(toks) || toks[i+1].texts != nil; last && digit(name, s+1) {
							continue
						}
						n += count(i+1, s+1, "digits")
					}
				}
				continue
			}
			for _, text := range tk.texts {
				betweenDigits := s == at && digit(name, at-1) && digit(text, 0)
				if strings.HasPrefix(name[s:], text) && !betweenDigits {
					n += count(i+1, s+len(text), "text")
				}
			}
		}
		return n
	}
	return count(0, 0, "")
}

// Names that two rules read only where a blank stands between a text and digits.
func TestAmbiguityBehindABlank(t *testing.T) {
	const one, two = "{id: r, reads: [{text: [k3]}, {generation: 1}]}", "{id: s, reads: [{text: [k]}, {digits: 1}, " +
		"{maybe: [a]}, {generation: 1}]}"
	if _, err := compile("{id: x, of: processors, naming: [" + one + "]}"); err != nil {
		t.Fatal(err)
	}
	if _, err := compile("{id: x, of: processors, naming: [" + two + "]}"); err != nil {
		t.Fatal(err)
	}
	if _, err := compile("{id: x, of: processors, naming: [" + one + ", " + two + "]}"); err == nil {
		t.Error(`"k3 1" is read by both rules, and nobody says so`)
	}
}

// Some endings of a name do not matter, others say nothing: the publisher's exceptions and rows decide
// before them.
func TestEndings(t *testing.T) {
	l, err := compile(`
id: cpus
of: processors
complete: true
rows: [{name: Corvane K5-9400ES}]
naming:
  - id: k
    reads: [{text: [Corvane K5-]}, {generation: 1}, {digits: 3}]
    from: 8
    ignored_endings: [U, HQ]
    unclear_endings: [ES, Q]
    also: [Corvane K5-7600ES]
    except: [Corvane K5-8130Q]
`)
	expect.NoError(t, err)
	for _, tt := range []struct {
		name, ending string
		result       list.Result
	}{
		{"Corvane K5-8250", "", list.On},
		{"Corvane K5-8250U", "", list.On},
		{"Corvane K5-8250 U", "", list.On},
		{"Corvane K5-7250HQ", "", list.Off},
		{"Corvane K5-8250ES", "ES", list.Unread},
		{"Corvane(R) K5-8250 ES CPU @ 1.60GHz", "ES", list.Unread},
		{"Corvane K5-7250Q", "Q", list.Unread},
		{"Corvane K5-9400ES", "", list.On},
		{"Corvane K5-7600ES", "", list.On},
		{"Corvane K5-8130Q", "", list.Off},
		{"Corvane K5-8250X", "", list.Unread},
		{"Corvane K5-8250UES", "", list.Unread},
	} {
		t.Run(tt.name, func(t *testing.T) {
			m := l.Find(tt.name)
			expect.Same(t, "the result", m.Result, tt.result)
			expect.Same(t, "the ending that says nothing", m.Ending, tt.ending)
		})
	}
	for body, want := range map[string]string{
		"ignored_endings: [U], unclear_endings: [u]":                                `the text "u" appears twice`,
		`reads: [{text: [K]}, {generation: 1}, {maybe: [U]}], ignored_endings: [U]`: "two ways",
		`unclear_endings: [""]`:                                                     "a text is empty",
		`ignored_endings: ["5"]`:                                                    "must not follow digits",
	} {
		t.Run(body, func(t *testing.T) {
			if !strings.Contains(body, "reads:") {
				body = "reads: [{text: [K]}, {generation: 1}], " + body
			}
			_, err := compile("id: cpus\nof: processors\nrows: [{name: A}]\nnaming: [{id: k, from: 1, " + body + "}]\n")
			expect.Error(t, err, want)
		})
	}
}
