package fleet_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/internal/expect"
)

func TestFilterLanguage(t *testing.T) {
	const all = "GULL-001 GULL-002 GULL-003 HOLM-001 HOLM-002 HOLM-M01"
	x := index()
	for _, tt := range []struct{ where, want string }{
		// or, not, parentheses
		{"disposition=refit or class=mac", "GULL-002 GULL-003 HOLM-M01"},
		{"class=mac OR disposition=refit", "GULL-002 GULL-003 HOLM-M01"},
		{"not class=mac", "GULL-001 GULL-002 GULL-003 HOLM-001 HOLM-002"},
		{"NOT (class=mac or disposition=refit)", "GULL-001 HOLM-001 HOLM-002"},
		{"not(class=mac or disposition=refit)", "GULL-001 HOLM-001 HOLM-002"},
		{"not not class=mac", "HOLM-M01"},
		{`class=mac or disposition=refit site="Gull Quay"`, "GULL-002 GULL-003 HOLM-M01"},
		{`(class=mac or disposition=refit) site="Gull Quay"`, "GULL-002 GULL-003"},
		{"class=pc and disposition=refit", "GULL-002 GULL-003"},
		{"((class=mac))", "HOLM-M01"},
		{"not class=pc or gull-001", "GULL-001 HOLM-M01"},
		// comparisons
		{"memory.installed_bytes<8GiB", "GULL-001"}, {"memory.installed_bytes<=8GiB", "GULL-001 GULL-002"},
		{"memory.installed_bytes>8GiB", "GULL-003 HOLM-001 HOLM-002 HOLM-M01"},
		{"memory.installed_bytes>=8GiB", "GULL-002 GULL-003 HOLM-001 HOLM-002 HOLM-M01"},
		{"memory.installed_bytes!=8GiB", "GULL-001 GULL-003 HOLM-001 HOLM-002 HOLM-M01"},
		{"tpm.state!=ready", "GULL-002 HOLM-001 HOLM-M01"}, // unknown is not known to differ
		{"not tpm.state=ready", all},
		{"not memory.installed_bytes=8GiB", "GULL-001 GULL-003 HOLM-001 HOLM-002 HOLM-M01"},
		{"memory.installed_bytes!=4GiB,8GiB", "GULL-003 HOLM-001 HOLM-002 HOLM-M01"},
		{"disposition!=refit class!=mac", "GULL-001 HOLM-001 HOLM-002"},
		{"name!=gull-001 site=\"Gull Quay\"", "GULL-002 GULL-003"},
		{"os.version>11.3", "GULL-002 HOLM-002"}, {"os.version<11.3 os.version>=11", "GULL-001 HOLM-001"},
		// blanks around a comparison
		{"os.version > 11.3", "GULL-002 HOLM-002"}, {"os.version< 11.3 os.version >=11", "GULL-001 HOLM-001"},
		{`site = "Gull Quay"`, "GULL-001 GULL-002 GULL-003"},
		{"not(class =mac)", "GULL-001 GULL-002 GULL-003 HOLM-001 HOLM-002"},
		{"class = mac or disposition != refit class = pc", "GULL-001 HOLM-001 HOLM-002 HOLM-M01"},
		{`">" 11`, ""},
		// names of columns, case, *
		{"name=gull-001", "GULL-001"}, {"NAME=GULL-*", "GULL-001 GULL-002 GULL-003"},
		{"name=*-00*", "GULL-001 GULL-002 GULL-003 HOLM-001 HOLM-002"},
		{"site=gull*", "GULL-001 GULL-002 GULL-003"}, {"site=*quay,holm*", all},
		{"Disposition=REFIT", "GULL-002 GULL-003"}, {"fails=TPM", "GULL-003 HOLM-001"},
		{"tpm.state=NOT-SEEN", "GULL-002 HOLM-001 HOLM-M01"}, {"tpm.state=not-*", "GULL-002 HOLM-001 HOLM-M01"},
		{`storage.other_systems=lodestar*`, "GULL-001 GULL-003 HOLM-002"},
		{"gull*1", "GULL-001"}, {"sl*way holm", "HOLM-001 HOLM-002"}, {`site="gull"*`, "GULL-001 GULL-002 GULL-003"},
		// quotes take the meaning away
		{`site="gull*"`, ""}, {`"gull*1"`, ""}, {`name="GULL-"*"1"`, "GULL-001"},
		{`"or"`, ""}, {`"not"`, ""}, {`"(gull"`, ""}, {"gull(001)", ""},
	} {
		t.Run(tt.where, func(t *testing.T) {
			expect.Same(t, "the machines", strings.Join(picks(t, x, tt.where), " "), tt.want)
			f, err := fleet.Parse(tt.where)
			expect.NoError(t, err)
			expect.Same(t, "the machines of "+f.String(), strings.Join(picks(t, x, f.String()), " "), tt.want)
		})
	}
}

func TestMistakesInFilters(t *testing.T) {
	for where, want := range map[string]string{
		"(class=pc":                       "a parenthesis is not closed",
		"class=pc)":                       "a parenthesis is closed that was not opened",
		"class=pc or":                     "a term is missing after or; to search for or itself",
		"or class=pc":                     "a term is missing in front of or; to search for or itself",
		"and class=pc":                    "a term is missing in front of and",
		"not":                             "a term is missing after not",
		"not or class=pc":                 "a term is missing after not",
		"class=pc and":                    "a term is missing after and",
		"()":                              "a term is missing after (",
		"serial=TW*":                      "device.serial is compared as a whole; write it without *",
		"fails=tp*":                       "* stands for other characters only in names and texts",
		"disposition=re*":                 "unknown value disposition=re*",
		"memory.installed_bytes=8*":       "memory.installed_bytes=8*: not a valid value",
		"disposition>ready":               "cannot be compared with >; write disposition=",
		"memory.installed_byte>8GiB":      `did you mean "memory.installed_bytes"?`,
		"=ready":                          "=ready has no key",
		"> 11":                            ">11 has no key",
		"not = x":                         "=x has no key",
		"tern > 3":                        `unknown key "tern"`,
		"os.version > or class=pc":        "os.version> has no value",
		"os.version > (11)":               "os.version> has no value",
		"nmae=x":                          `did you mean "name"?`,
		strings.Repeat("(", 30) + "a":     "nested too deeply",
		strings.Repeat("not ", 30) + "a":  "nested too deeply",
		strings.Repeat("a ", 500) + "end": "more than 400 terms",
	} {
		t.Run(where, func(t *testing.T) {
			_, err := fleet.Parse(where)
			expect.Error(t, err, want)
		})
	}
	f, err := fleet.Parse("fails=tmp or not site=Gul* tag=kisok")
	expect.NoError(t, err)
	for _, tt := range []struct {
		exist fleet.Existing
		want  string
	}{
		{fleet.Existing{Requirements: []string{"tpm"}}, `fails=tmp: there is no requirement "tmp"; did you mean "tpm"?`},
		{fleet.Existing{Sites: []string{"Holm Ferry"}}, `site=Gul*: there is no site "Gul*"; use Holm Ferry`},
		{fleet.Existing{Sites: []string{"Gull Quay"}, Tags: []string{"kiosk"}},
			`tag=kisok: there is no tag "kisok"; did you mean "kiosk"?`},
		{fleet.Existing{Sites: []string{"gull quay"}}, ""},
	} {
		t.Run(tt.want, func(t *testing.T) {
			expect.Same(t, "what does not exist", f.Unknown(tt.exist), tt.want)
		})
	}
}

// A combined filter picks what its parts pick, taken together machine by machine.
func TestCombinedFiltersPickWhatTheirPartsPick(t *testing.T) {
	x := index()
	leaves := []string{
		"class=mac", "disposition=refit", `site="Gull Quay"`, "fails=tpm", "memory.installed_bytes>4GiB", "slipway",
		"missing=tpm.state", "tpm.state!=ready", "name=*1",
	}
	all := picks(t, x, "")
	r := rand.New(rand.NewPCG(7, 7))
	var draw func(depth int) (text string, in map[string]bool)
	draw = func(depth int) (string, map[string]bool) {
		in := map[string]bool{}
		if depth == 0 || r.IntN(4) == 0 {
			text := leaves[r.IntN(len(leaves))]
			for _, n := range picks(t, x, text) {
				in[n] = true
			}
			return text, in
		}
		a, inA := draw(depth - 1)
		b, inB := draw(depth - 1)
		form, joined := []string{"(%s) (%s)", "(%s) or (%s)", "not (%s) and (%s)"}[r.IntN(3)], ""
		joined = fmt.Sprintf(form, a, b)
		for _, n := range all {
			switch form[0:3] + form[len(form)-6:] {
			case "(%s" + ") (%s)":
				in[n] = inA[n] && inB[n]
			case "(%s" + "r (%s)":
				in[n] = inA[n] || inB[n]
			default:
				in[n] = !inA[n] && inB[n]
			}
		}
		return joined, in
	}
	for range 2000 {
		text, in := draw(4)
		var want []string
		for _, n := range all {
			if in[n] {
				want = append(want, n)
			}
		}
		if got := picks(t, x, text); !slices.Equal(got, want) {
			t.Fatalf("%s picks %v, want %v", text, got, want)
		}
	}
}

// One more term narrows a filter, whatever it is made of.
func TestAndKeepsAFilterTogether(t *testing.T) {
	for where, want := range map[string]string{
		"":                         "tag=a",
		"class=pc":                 "class=pc tag=a",
		"class=pc or class=mac":    "(class=pc or class=mac) tag=a",
		"not class=pc":             "not class=pc tag=a",
		"(class=pc or class=mac)":  "((class=pc or class=mac)) tag=a",
		"(class=pc or gull) class": "(class=pc or gull) class tag=a",
	} {
		t.Run(where, func(t *testing.T) {
			expect.Same(t, where, fleet.And(where, fleet.Term("tag", "a")), want)
			f, err := fleet.Parse(where)
			expect.NoError(t, err)
			again, err := fleet.Parse(fleet.And(where, fleet.Term("tag", "a")))
			expect.NoError(t, err)
			expect.Same(t, where, f.Within("tag", "a").String(), again.String())
		})
	}
}

// Whoever is limited to a site sees that one, whatever its name: a * in it stands for itself.
func TestWithinIsExact(t *testing.T) {
	x := index()
	f := fleet.Filter{}.Within("site", "gull*", "Holm Ferry")
	expect.Same(t, "the filter", f.String(), `site="gull*","Holm Ferry"`)
	again, err := fleet.Parse(f.String())
	expect.NoError(t, err)
	holm := x.Select(f).Len()
	expect.Same(t, "machines", x.Select(again).Len(), holm)
	alone, err := fleet.Parse(`site="Holm Ferry"`)
	expect.NoError(t, err)
	expect.Same(t, "machines", holm, x.Select(alone).Len())
}
