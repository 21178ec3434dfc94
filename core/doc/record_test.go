package doc_test

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/internal/expect"
)

// What is read of damaged documents, and what is said of them, is as recorded: a sum for each kind of damage, with the
// first mistake. The other tests say what is right.
func TestDamagedDocumentsAreAsRecorded(t *testing.T) {
	texts := map[string]string{
		"YAML": "name: quay\nkind: box\nweight: 12\nratio: 2.5\nopen: true\nat: 2026-11-22\nmarks: [a, \"b: c\"]\n" +
			"tags:\n  one: x\n  two: y\ninner:\n  name: first\n  weight: 0x10\n  inner: {name: second}\nscale: 1.20\n",
		"JSON": `{"name":"quay","kind":"box","weight":12,"ratio":2.5e0,"open":true,"marks":["a","b\u00e9\n"],` +
			`"tags":{"one":"1"},"inner":{"name":"first","weight":1,"inner":{"name":"second"}},"scale":1.20}`,
	}
	var out strings.Builder
	for _, form := range []string{"JSON", "YAML"} {
		for _, damage := range damages(texts[form]) {
			out.WriteString(form + ", " + damaged(t, texts[form], damage) + "\n")
		}
	}
	expect.Record(t, "testdata/damaged.txt", out.String())
}

// damage is a way to damage a text at a place.
type damage struct {
	name string
	of   func(at int) string
}

func damages(text string) []damage {
	return []damage{
		{"cut", func(at int) string { return text[:at] }},
		{"without a character", func(at int) string { return text[:at] + text[at+1:] }},
		{"a character twice", func(at int) string { return text[:at] + text[at:at+1] + text[at:] }},
		{"a quotation mark", func(at int) string { return text[:at] + `"` + text[at+1:] }},
		{"a colon", func(at int) string { return text[:at] + ":" + text[at+1:] }},
		{"a bracket", func(at int) string { return text[:at] + "[" + text[at+1:] }},
		{"a brace", func(at int) string { return text[:at] + "}" + text[at+1:] }},
		{"a digit", func(at int) string { return text[:at] + "7" + text[at+1:] }},
		{"a minus", func(at int) string { return text[:at] + "-" + text[at+1:] }},
		{"a null byte", func(at int) string { return text[:at] + "\x00" + text[at+1:] }},
		{"a byte of no text", func(at int) string { return text[:at] + "\xff" + text[at+1:] }},
		{"a line more", func(at int) string { return text[:at] + "\n" + text[at:] }},
		{"a space more", func(at int) string { return text[:at] + " " + text[at:] }},
		{"a tab", func(at int) string { return text[:at] + "\t" + text[at+1:] }},
		{"a backslash", func(at int) string { return text[:at] + `\` + text[at+1:] }},
	}
}

// damaged damages a text at each place in turn, and gives a sum over what is read and said, with the first mistake.
func damaged(t *testing.T, text string, d damage) string {
	t.Helper()
	sum, wrong, first := fnv.New64a(), 0, ""
	for at := range len(text) {
		var c crate
		err := doc.Decode("a crate", []byte(d.of(at)), &c)
		b, merr := json.Marshal(c)
		expect.NoError(t, merr)
		fmt.Fprintf(sum, "%s %v\n", b, err)
		if err != nil {
			if wrong++; first == "" {
				first = strings.Join(strings.Fields(err.Error()), " ")
			}
		}
	}
	return fmt.Sprintf("%s: %016x %d of %d; %s", d.name, sum.Sum64(), wrong, len(text),
		strings.ToValidUTF8(first[:min(len(first), 120)], "?"))
}
