package release_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

// A title that a need names and that is nearly one of the known software is noted; known software by itself is not.
func TestTitlesThatMatchNothing(t *testing.T) {
	const software = "software:\n  - {name: [Hawser, Hawser VPN], versions: [{is: fine}]}\n" +
		"  - {name: [Tidebook], versions: [{is: fine}]}\n  - {name: [Tidebooks], versions: [{is: fine}]}\n"
	for _, tt := range []struct{ name, ends, want string }{
		{"known software alone", "", ""},
		{"the same name", "equals: Tidebook", ""},
		{"a slip", "equals: Hawsre VPN", "Hawsre VPN near Hawser VPN"},
		{"a slip at the beginning", "begins_with: [Tidebok]", "Tidebok near Tidebook"},
		{"another title", "equals: Lampwright", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			src := head + one + software
			if tt.ends != "" {
				src += "ends: [{id: x, what: title, title: X, how: gone, says: It goes., " +
					"when: {in: software, some: {fact: software.name, " + tt.ends + "}}}]\n"
			}
			rel, err := release.Read("f", []byte(src), nil)
			expect.NoError(t, err)
			var got []string
			for _, x := range rel.Strangers(nil) {
				if x.Of == fact.TitleName {
					got = append(got, x.Name+" near "+x.Near)
				}
			}
			expect.Same(t, "titles that match nothing", strings.Join(got, ", "), tt.want)
		})
	}
}

// Two lists of one kind that state different facts of a name are noted, with what each says.
func TestListsThatContradictEachOther(t *testing.T) {
	src := head + one + `lists:
  - {id: a, of: processors, rows: [{name: Corvane K5-8400, cores: 6, built_in_tpm: true}, {name: Corvane K7-8700, cores: 6}]}
  - {id: b, of: processors, rows: [{name: corvane k5-8400, cores: 4, built_in_tpm: true}, {name: Corvane K7-8700, cores: 6}]}
  - {id: c, of: models, rows: [{name: Corvane K5-8400}]}
`
	rel, err := release.Read("f", []byte(src), nil)
	expect.NoError(t, err)
	var got []string
	for _, x := range rel.ListsDiffer() {
		got = append(
			got,
			fmt.Sprint(x.Name, " ", x.Of, " ", x.A.ID, " ", x.SaysA.Plain(), " ", x.B.ID, " ", x.SaysB.Plain()),
		)
	}
	expect.Same(t, "what differs", strings.Join(got, "; "), "corvane k5-8400 processor.cores a 6 b 4")
}

// A language that no machine has is noted once; one with its regions counts as the language.
func TestLanguagesThatNobodyHas(t *testing.T) {
	rel, err := release.Read("f", []byte(head+one+`upgrade:
  - {platform: windows, language: [de, en-GB, fr, FR], way: in-place}
  - {platform: windows, language: [fr], way: image}
`), nil)
	expect.NoError(t, err)
	for _, tt := range []struct{ has, want string }{
		{"", ""}, {"de-AT en-GB fr-CH", ""}, {"de en-US", "en-GB fr"}, {"it", "de en-GB fr"},
	} {
		t.Run(tt.has, func(t *testing.T) {
			var got []string
			for _, x := range rel.Strangers(map[fact.ID][]string{fact.OSLanguage: strings.Fields(tt.has)}) {
				got = append(got, x.Name)
			}
			expect.Same(t, "languages that nobody has", strings.Join(got, " "), tt.want)
		})
	}
}
