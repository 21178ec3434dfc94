package list_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/internal/expect"
)

func compile(src string) (*list.List, error) {
	var d list.Document
	if err := doc.Decode("list", []byte(src), &d); err != nil {
		return nil, err
	}
	r := &doc.Report{Name: "list"}
	l := list.Compile(&d, r)
	return l, r.Err()
}

const processors = `
id: cpus
of: processors
complete: true
rows:
  - {name: Corvane K7-7920HQ, cores: 4, built_in_tpm: true}
  - {name: Tessaly Onyx 5 2600, built_in_tpm: false}
naming:
  - {id: four, reads: [{text: [Corvane K3-, Corvane K5-, Corvane K7-]}, {generation: 1}, {digits: 3}, {maybe: [U, H, HQ]}], from: 8, except: [Corvane K3-8130U], built_in_tpm: true}
  - {id: five, reads: [{text: [Corvane K3-, Corvane K5-, Corvane K7-]}, {generation: 2}, {digits: 3}, {maybe: [U, H]}], from: 8}
  - {id: onyx, reads: [{text: [Tessaly Onyx 5, Tessaly Onyx 7]}, {generation: 1}, {digits: 3}, {maybe: [G, X]}], from: 3}
`

func TestFind(t *testing.T) {
	l, err := compile(processors)
	if err != nil {
		t.Fatal(err)
	}
	tests := []struct {
		name       string
		result     list.Result
		rule       string
		generation int
	}{
		{"Corvane K5-8250U", list.On, "four", 8},
		{"Corvane(R) K5-8250U CPU @ 1.60GHz", list.On, "four", 8},
		{"CORVANE   k5-8250u", list.On, "four", 8},
		{"Corvane K5-7300U", list.Off, "four", 7},
		{"Corvane K7-7920HQ", list.On, "four", 7}, // listed by its row
		{"Corvane K3-8130U", list.Off, "four", 8}, // an exception
		{"Corvane K7-11800H", list.On, "five", 11},
		{"Corvane K5-10500", list.On, "five", 10},
		{"Corvane K5-07500", list.Off, "five", 7},
		{"Corvane K5-8250Z", list.Unread, "", 0}, // no such suffix: nobody guesses
		{"Corvane K5-825U", list.Unread, "", 0},
		{"Corvane K5-825000", list.Unread, "", 0},
		{"Corvane K9-9400", list.Unread, "", 0},
		{"Corvane K5-8250U sample", list.Unread, "", 0},
		{"Tessaly Onyx 5 3600", list.On, "onyx", 3},
		{"Tessaly Onyx 5 3600G with Built-in Graphics", list.On, "onyx", 3},
		{"Tessaly Onyx 5 3600 6-Core Processor", list.On, "onyx", 3},
		{"Tessaly Onyx 5 2600", list.On, "onyx", 2},
		{"Tessaly Onyx 5 1600", list.Off, "onyx", 1},
		{"Tessaly Onyx 55 3600", list.Unread, "", 0},
		{"Boathouse virtual CPU", list.Unread, "", 0},
		{"", list.Unread, "", 0},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			m := l.Find(tt.name)
			rule := ""
			if m.Rule != nil {
				rule = m.Rule.ID
			}
			expect.Same(t, "m.Result", m.Result, tt.result)
			expect.Same(t, "rule", rule, tt.rule)
			expect.Same(t, "m.Generation", m.Generation, tt.generation)
		})
	}
}

func TestEvidenceOfAMatch(t *testing.T) {
	l, _ := compile(processors)
	if m := l.Find("Corvane K3-8130U"); !m.Excepted {
		t.Error("the exception is not named")
	}
	if near := l.Nearest("Corvane K7-7700"); near == nil || near.Name != "Corvane K7-7920HQ" {
		t.Errorf("nearest row: %+v", near)
	}
	carries := func(name string) string {
		m := l.Find(name)
		facts, source := m.Carries()
		if len(facts) > 0 && !strings.Contains(source, "the list cpus, ") {
			t.Errorf("%s: the source is %q", name, source)
		}
		for _, c := range facts {
			if c.ID == fact.ProcessorTPM {
				return map[bool]string{true: "yes", false: "no"}[c.Value.Bool()]
			}
		}
		return "not said"
	}
	for name, want := range map[string]string{
		"Corvane K7-7920HQ":   "yes",
		"Tessaly Onyx 5 2600": "no",
		"Corvane K5-8250U":    "yes",
		"Corvane K5-7300U":    "not said",
		"Tessaly Onyx 5 3600": "not said",
	} {
		t.Run(name, func(t *testing.T) {
			if got := carries(name); got != want {
				t.Errorf("%s: built-in TPM %s, want %s", name, got, want)
			}
		})
	}
}

func TestAnIncompleteListProvesNoAbsence(t *testing.T) {
	l, err := compile("{id: a, of: processors, rows: [{name: Corvane K5-9400}], naming: [{id: r, reads: [{text: " +
		"[Corvane K5-]}, {generation: 1}, {digits: 3}]}]}")
	if err != nil {
		t.Fatal(err)
	}
	if m := l.Find("Corvane K5-9500"); m.Result != list.Unread || m.Rule == nil {
		t.Errorf("got %+v", m)
	}
	models, err := compile("{id: m, of: models, complete: true, rows: [{name: 'Deskline4,1'}]}")
	if err != nil {
		t.Fatal(err)
	}
	// The exact identifier counts, not the family.
	for name, want := range map[string]list.Result{
		"Deskline4,1": list.On,
		"deskline4,1": list.On,
		"Deskline4,2": list.Off,
		"Deskline4":   list.Off,
	} {
		t.Run(name, func(t *testing.T) {
			if got := models.Find(name).Result; got != want {
				t.Errorf("%s: %d, want %d", name, got, want)
			}
		})
	}
}

func rule(body string) string {
	return "{id: a, of: processors, naming: [{id: r, " + body + "}]}"
}

func TestBadLists(t *testing.T) {
	tests := []struct{ src, want string }{
		{"{id: a, of: processors}", "the list is empty"},
		{"{id: a, of: procesors, rows: [{name: x}]}", `did you mean "processors"?`},
		{"{id: a, of: processors, rows: [{name: K3}, {name: K5}, {name: 'k5 (R) CPU'}]}",
			"appears twice in the list; row 2 has the same name"},
		{"{id: a, of: processors, rows: [{name: ' '}]}", "the row has no name"},
		{"{id: a, of: processors, rows: [{name: K5, model_year: 2019}]}", "only a list of models has years of models"},
		{rule("reads: []"), "the rule reads 0 parts"},
		{rule("reads: [{text: [' ']}, {generation: 1}]"), "a text is empty"},
		{rule("reads: [{text: [K, k]}, {generation: 1}]"), `the text "k" appears twice`},
		{rule("reads: [{generation: 1}]"), "must begin with a text"},
		{rule("reads: [{maybe: [K]}, {generation: 1}]"), "must begin with a text"},
		{rule("reads: [{text: [K]}, {digits: 3}]"), "the generation 0 times"},
		{rule("reads: [{text: [K]}, {generation: 1}, {generation: 1}]"), "the generation 2 times"},
		{rule("reads: [{text: [K], digits: 2}, {generation: 1}]"), "this has 2 of them"},
		{rule("reads: [{text: [K]}, {generation: 1}, {text: [3X]}]"), "a text that begins with a digit must not " +
			"follow digits"},
		{rule("reads: [{text: [K]}, {generation: 1}], from: 12"), "up to 9, so from 12 it matches nothing"},
		{rule("reads: [{text: [K]}, {named: {A: 1, B: 2}}], from: 3"), "up to 2, so from 3 it matches nothing"},
		{rule("reads: [{text: [K]}, {generation: 1}], from: 8, up_to: 7"), "leave nothing"},
		{rule("reads: [{text: [K]}, {generation: 1}], from: 8, except: [K77]"), `does not read "K77"`},
		{rule("reads: [{text: [K]}, {generation: 1}], from: 8, except: [K7]"), "decides the same without"},
		{rule("reads: [{text: [K]}, {generation: 1}], from: 8, also: [K9]"), "decides the same without"},
		{rule("reads: [{text: [K]}, {generation: 1}], except: [K7]"), "except goes with from"},
		{rule("reads: [{text: [K]}, {maybe: [a, aa]}, {maybe: [a, aa]}, {generation: 1}]"), "in two ways"},
		{"{id: a, of: processors, naming: [{id: one, reads: [{text: [K, L]}, {generation: 2}]}, {id: two, reads: " +
			"[{text: [L]}, {digits: 1}, {generation: 1}]}]}", `both read "l00"`},
		{"{id: a, of: processors, naming: [{id: one, reads: [{text: [K]}, {generation: 2}]}, {id: one, reads: " +
			"[{text: [L]}, {generation: 1}]}]}", `"one" appears twice`},
		{"{id: a, of: processors, rows: [{name: x, cores: 0}]}", "0 is out of range"},
	}
	for _, tt := range tests {
		t.Run(tt.src, func(t *testing.T) {
			_, err := compile(tt.src)
			coretest.Refused(t, err, tt.want)
		})
	}
}

// Rules that would be slow are refused, and refusing is quick.
func TestHostileRules(t *testing.T) {
	var texts []string
	for i := range 201 {
		texts = append(texts, fmt.Sprintf("k%da", i))
	}
	many := "[" + strings.Join(texts, ", ") + "]"
	var parts []string
	for range 12 {
		parts = append(parts, "{maybe: [a, aa, aaa, aaaa]}")
	}
	for name, src := range map[string]string{
		"too many texts":      rule("reads: [{text: " + many + "}, {generation: 1}]"),
		"too many parts":      rule("reads: [{text: [k]}, " + strings.Join(parts, ", ") + ", {generation: 1}]"),
		"parts that multiply": rule("reads: [{text: [k]}, " + strings.Join(parts[:10], ", ") + ", {generation: 1}]"),
		"too many rules": "{id: a, of: processors, naming: [" +
			strings.Repeat("{id: r, reads: [{text: [k]}, {generation: 1}]}, ", 101) + "]}",
	} {
		t.Run(name, func(t *testing.T) {
			if _, err := compile(src); err == nil {
				t.Errorf("%s are taken", name)
			}
		})
	}
}

func FuzzFind(f *testing.F) {
	l, err := compile(processors)
	if err != nil {
		f.Fatal(err)
	}
	for _, s := range []string{"Corvane K5-8250U", "corvane k5-", "@", "with", "K5-\xff", "Tessaly Onyx 5 36００"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, name string) {
		m := l.Find(name)
		shown := m.Row != nil || m.Rule != nil
		if m.Result == list.On && !shown {
			t.Errorf("%q is on the list without a row or a rule", name)
		}
		if list.Normal(list.Normal(name)) != list.Normal(name) && !strings.Contains(name, "@") {
			t.Errorf("Normal is not settled: %q → %q → %q", name, list.Normal(name), list.Normal(list.Normal(name)))
		}
	})
}
