package assess_test

import (
	"encoding/json"
	"maps"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/internal/expect"
)

var (
	formDays    = regexp.MustCompile(`\b\d{1,2} [A-Z][a-z]+ 20\d\d(, \d\d:\d\d UTC)?`)
	formNumbers = regexp.MustCompile(`\d+([.,]\d+)*`)
)

// form is a sentence without what differs from machine to machine.
func form(text string) string {
	text = formDays.ReplaceAllString(text, "DAY")
	return formNumbers.ReplaceAllString(text, "#")
}

// The sentences that are made from parts, in the forms that they take on many machines:
// with one, two and many parts, and with and without each part. The record is read, and
// written anew with -update.
func TestFormsOfSentences(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes many machines to see every form")
	}
	forms := map[string]bool{}
	var gather func(v any)
	gather = func(v any) {
		switch x := v.(type) {
		case map[string]any:
			for _, v := range x {
				gather(v)
			}
		case []any:
			for _, v := range x {
				gather(v)
			}
		case string:
			if strings.HasSuffix(x, ".") && !strings.Contains(x, "\n") {
				forms[form(x)] = true
				saysOnce(t, x)
			}
		}
	}
	see := func(a *assess.Assessment) {
		t.Helper()
		text, err := json.Marshal(a.Document(now, "test"))
		if err != nil {
			t.Fatal(err)
		}
		var v any
		if err := json.Unmarshal(text, &v); err != nil {
			t.Fatal(err)
		}
		gather(v)
	}
	skerry, every := coretest.Release(t, "skerry-12"), everyRemedy(t)
	for _, d := range crowd() {
		a, err := assess.Run(skerry, d)
		if err != nil {
			t.Fatal(err)
		}
		see(a)
	}
	own := knowledgeOfTheDemo(t)
	r := rand.New(rand.NewPCG(3, 4))
	for range 400 {
		m := drawMachine(r)
		a, err := assess.With(own, every, m)
		if err != nil {
			t.Fatal(err)
		}
		see(a)
	}
	for range 150 {
		d := drawRelease(r)
		rel := d.read(t, nil)
		for range 3 {
			see(run(t, rel, drawMachine(r)))
		}
	}
	expect.Record(t, "testdata/forms.txt", strings.Join(slices.Sorted(maps.Keys(forms)), "\n")+"\n")
}

// saysOnce expects that no sentence of a text is said twice.
func saysOnce(t *testing.T, text string) {
	t.Helper()
	seen := map[string]bool{}
	for _, s := range strings.Split(strings.TrimSuffix(text, "."), ". ") {
		if seen[s] {
			t.Errorf("a sentence is said twice: %s", text)
		}
		seen[s] = true
	}
}
