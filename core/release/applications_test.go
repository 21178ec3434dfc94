package release_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

func applicationSheet(t testing.TB, rows ...string) list.Sheet {
	t.Helper()
	var cells [][]string
	for _, row := range rows {
		cells = append(cells, strings.Split(row, "|"))
	}
	s, ok := list.Table("table 1", cells, nil, nil)
	expect.That(t, "a heading was found", ok)
	return s
}

// A table of applications becomes entries that a document can hold.
func TestImportApplications(t *testing.T) {
	im, err := release.ImportApplications(applicationSheet(t,
		"Applications for Skerry 12|||||",
		"Product|Vendor|Versions|Status|Remarks|Price",
		"Tidebook|Tidewrack Ferries|4.0 or later|supported||",
		"TIDEBOOK|Tidewrack Ferries Ltd.|before 4.0|Free update|Version 4 comes with the licence.|",
		"Counterfoil|Counterfoil Works|< 5|paid update||EUR 40",
		"Lampwright||all|Not supported|Stops the system.|",
		"Hawser VPN||2.5, but before 2.8|works with limits||",
		"Hawser VPN||2.8|yes||",
		"Product|Vendor|Versions|Status|Remarks|Price",
		"Sextant||3.x|certified||", "Halyard||5.0 - 5.9|supported||", "Rudder||newest|supported||",
		"Keel||1.0|as you like||", "|Somebody|1.0|supported||", "|||||",
		"Sextant||from 3.5|update||", "Rudder|Somebody|else|1.0|supported||shifted",
	), release.ApplicationOptions{States: map[string]string{" Works with limits": release.Problem}})
	expect.NoError(t, err)
	var got []string
	for _, e := range im.Entries {
		for _, v := range e.Versions {
			got = append(
				got,
				strings.Join(strings.Fields(fmt.Sprint(e.Name[0], " by ", e.Publisher, " ", v.AtLeast, "..", v.Below,
					" ", v.Is, " ", v.Note, " ", v.Cost)), " "),
			)
		}
	}
	expect.Same(t, "the entries", strings.Join(got, "\n"), strings.Join([]string{
		"Tidebook by Tidewrack Ferries 4.0.. fine",
		"Tidebook by Tidewrack Ferries ..4.0 update Version 4 comes with the licence.",
		"Counterfoil by Counterfoil Works ..5 buy EUR 40",
		"Lampwright by .. remove Stops the system.",
		"Hawser VPN by 2.5..2.8 problem",
		"Hawser VPN by 2.8..2.9 fine",
		"Sextant by 3..4 fine",
	}, "\n"))
	var dropped []string
	for _, d := range im.Dropped {
		dropped = append(dropped, fmt.Sprint(d.Row, " ", d.Why))
	}
	for i, want := range []string{
		"7 it repeats the heading", `9 whether "5.0 - 5.9" includes corrections`, `10 "newest" is not a version or a range`,
		`11 the state "as you like" is unknown`, "12 it has no name", "14 row 8 says fine of the same versions", "15 it has more cells than the heading",
	} {
		t.Run(want, func(t *testing.T) { expect.Contains(t, dropped[i], want) })
	}
	expect.Same(t, "rows that were left out", len(dropped), 7)
	guessed := strings.Join(im.Guessed, " ")
	expect.Contains(t, guessed, "5.2 or later, but before 5.3")
	expect.Contains(t, guessed, `"not supported" is taken as remove.`)
	expect.Lacks(t, guessed, "works with limits")

	src := head + one + string(release.WriteApplications(im.Entries))
	rel, err := release.Read("f.yaml", []byte(src), nil)
	expect.NoError(t, err)
	expect.Same(t, "entries of the document", len(rel.Known), len(im.Entries))
}

func TestApplicationsThatCannotBeImported(t *testing.T) {
	sheet := applicationSheet(t, "Application|Opinion|Version", "Tidebook|supported|4")
	for name, tt := range map[string]struct {
		o     release.ApplicationOptions
		table int
		wrong string
	}{
		"no state":        {wrong: "has a heading for states; its columns are Application, Opinion, Version"},
		"no such column":  {o: release.ApplicationOptions{Columns: map[string]string{"is": "State"}}, wrong: `no column "State"`},
		"no such field":   {o: release.ApplicationOptions{Columns: map[string]string{"iss": "x"}}, wrong: `no field "iss"`},
		"no such table":   {table: 3, wrong: "table 3 does not exist; the file has 1"},
		"no row":          {o: release.ApplicationOptions{Columns: map[string]string{"is": "Version"}}, wrong: `the state "4" is`},
		"no such verdict": {o: release.ApplicationOptions{Columns: map[string]string{"is": "opinion"}, States: map[string]string{"x": "good"}}, wrong: `"good" is not a state`},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, err := release.ImportApplicationTables([]list.Sheet{sheet}, tt.table, tt.o)
			expect.Error(t, err, tt.wrong)
		})
	}
	_, _, err := release.ImportApplicationTables(nil, 0, release.ApplicationOptions{})
	expect.Error(t, err, "the file has no table")
}

// A table of one application with 2,000 versions is one entry.
func TestManyVersionsOfOneApplication(t *testing.T) {
	rows := []string{"Application|Version|Status"}
	for n := range 2000 {
		rows = append(rows, fmt.Sprintf("Tidebook|%d.%d|supported", n/50, n%50))
	}
	im, err := release.ImportApplications(applicationSheet(t, rows...), release.ApplicationOptions{})
	expect.NoError(t, err)
	expect.Same(t, "applications", len(im.Entries), 1)
	expect.Same(t, "its ranges", len(im.Entries[0].Versions), 2000)
}
