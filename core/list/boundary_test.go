package list_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/internal/expect"
)

func TestNumbersOfARow(t *testing.T) {
	for text, right := range map[string]bool{"0": false, "1": true, "65536": true, "65537": false, "-1": false} {
		t.Run(text, func(t *testing.T) {
			r := &doc.Report{Name: "x"}
			if list.ReadRows("x.csv", []byte("name,cores\na,"+text+"\n"), r); (r.Err() == nil) != right {
				t.Errorf("%s cores: %v", text, r.Err())
			}
		})
	}
}

// Each column is written where one row has it, and only there.
func TestColumnsThatRowsHave(t *testing.T) {
	no := false
	for want, row := range map[string]list.RowDoc{
		"name,cores\na,1\n":                 {Name: "a", Cores: 1},
		"name,rated_mhz\na,1\n":             {Name: "a", RatedMHz: 1},
		"name,architecture\na,arm64\n":      {Name: "a", Architecture: "arm64"},
		"name,built_in_tpm\na,false\n":      {Name: "a", BuiltInTPM: &no},
		"name,features\na,avx2 sse4.2\n":    {Name: "a", Features: []string{"avx2", "sse4.2"}},
		"name,model_year\na,1970\n":         {Name: "a", ModelYear: 1970},
		"name,note\na,\"for one, alone\"\n": {Name: "a", Note: "for one, alone"},
	} {
		t.Run(want, func(t *testing.T) {
			if got := string(list.WriteRows([]list.RowDoc{row})); got != want {
				t.Errorf("%q, want %q", got, want)
			}
		})
	}
}

// The year of a model is the only one that a cell names.
func TestModelYears(t *testing.T) {
	for cell, want := range map[string]int{
		"2019": 2019, "early 2020": 2020, "2019 (2019)": 2019, "Mar. 2021": 2021, "1970": 1970, "2200": 2200, "": 0,
		"1969": 0, "2201": 0, "2019–2020": 0, "20190101": 0, "new": 0,
	} {
		t.Run(cell, func(t *testing.T) {
			got, err := list.Import(sheet("Model|Cores|Model year", "K5-9400|6|"+cell), list.ImportOptions{})
			expect.NoError(t, err)
			expect.Same(t, "the year", got.Rows[0].ModelYear, want)
		})
	}
}

// A row repeats the heading where at least half of its cells do.
func TestRepeatedHeading(t *testing.T) {
	for row, repeats := range map[string]bool{
		"Model|Cores|x|y":   true,
		"Model|4|x|y":       false,
		"Model|Cores":       true,
		"MODEL|CORES|Note|": true,
	} {
		t.Run(row, func(t *testing.T) {
			got, err := list.Import(sheet("Model|Cores|Note|TPM", "K5-9400|6|sold|yes", row), list.ImportOptions{})
			if err != nil {
				t.Fatal(err)
			}
			found := false
			for _, d := range got.Dropped {
				found = found || strings.Contains(d.Why, "repeats the heading")
			}
			if found != repeats {
				t.Errorf("%q repeats the heading: %v", row, found)
			}
		})
	}
	// Of two headings one is half.
	got, err := list.Import(sheet("Model|Cores", "K5-9400|6", "K5-9500|Cores"), list.ImportOptions{})
	if err != nil || len(got.Rows) != 1 {
		t.Errorf("%+v: %v", got, err)
	}
}

// Speeds that a clock can have, in megahertz.
func TestSpeedsAtTheirBounds(t *testing.T) {
	for text, want := range map[string]int{
		"1 MHz":      1,
		"0.4 MHz":    0,
		"100000 MHz": 100_000,
		"100001 MHz": 0,
		"1.9 GHz":    1900,
		"100 GHz":    100_000,
	} {
		t.Run(text, func(t *testing.T) {
			got, err := list.Import(sheet("Name|Base frequency", "K5-8000|"+text), list.ImportOptions{})
			if err != nil {
				t.Fatal(err)
			}
			mhz := 0
			if len(got.Rows) == 1 {
				mhz = got.Rows[0].RatedMHz
			}
			if mhz != want {
				t.Errorf("%s: %d, want %d", text, mhz, want)
			}
		})
	}
}

// What an import cannot read is named, cut after 40 letters, and cores have the bounds that rows have.
func TestImportedNumbers(t *testing.T) {
	for text, cores := range map[string]int{"65536": 65536, "65537": 0, "1": 1, "0": 0, "4+4": 0} {
		t.Run(text, func(t *testing.T) {
			got, err := list.Import(sheet("Model|Cores", "K5-8400|"+text, "K5-8500|4"), list.ImportOptions{})
			if err != nil || got.Rows[0].Cores != cores {
				t.Errorf("%s cores are read as %+v, %v", text, got, err)
			}
		})
	}
	for text, shown := range map[string]string{
		strings.Repeat("x", 40):           strings.Repeat("x", 40),
		strings.Repeat("x", 41):           strings.Repeat("x", 37) + "…",
		strings.Repeat("x", 35) + "éyz!":  strings.Repeat("x", 35) + "éyz!",
		strings.Repeat("x", 36) + "éyz!?": strings.Repeat("x", 36) + "…", // never half a letter
	} {
		t.Run(text, func(t *testing.T) {
			got, err := list.Import(sheet("Model|Cores", "K5-8400|"+text, "K5-8500|4"), list.ImportOptions{})
			if err != nil {
				t.Fatal(err)
			}
			found := false
			for _, d := range got.Dropped {
				found = found || strings.Contains(d.Why, `"`+shown+`"`)
			}
			if !found {
				t.Errorf("%q is named in %+v", text, got.Dropped)
			}
		})
	}
}

// Rows without a number carry none: not nought.
func TestRowsCarryWhatTheyState(t *testing.T) {
	read := func(row string) []list.Carried {
		var d list.Document
		if err := doc.Decode("list", []byte("{id: a, of: processors, rows: ["+row+"]}"), &d); err != nil {
			t.Fatal(err)
		}
		r := &doc.Report{Name: "list"}
		l := list.Compile(&d, r)
		if r.Err() != nil {
			t.Fatal(r.Err())
		}
		return l.Find("K5-9400").Row.Facts
	}
	for row, n := range map[string]int{
		"{name: K5-9400}": 0, "{name: K5-9400, cores: 1}": 1, "{name: K5-9400, rated_mhz: 1}": 1,
		"{name: K5-9400, cores: 6, rated_mhz: 2900, built_in_tpm: false}": 3,
	} {
		t.Run(row, func(t *testing.T) {
			if got := read(row); len(got) != n {
				t.Errorf("%s carries %+v", row, got)
			}
		})
	}
}

// Names compare without case and with any space; signs of other scripts are letters.
func TestNamesInOtherScripts(t *testing.T) {
	for _, tt := range []struct {
		row, name string
		same      bool
	}{
		{"Zéphyr K5", "ZÉPHYR K5", true}, {"Zéphyr K5", "Zephyr K5", false}, {"K5\u00a09400", "K5 9400", true},
		{"К5-9400", "K5-9400", false}, {"K5™-9400", "K5-9400", false}, {"K5(R) 9400", "K5 9400", true},
		{"K5® 9400", "k5 9400", true}, {"Aé", "aÉ", true}, {"Z{5", "z{5", true}, {"Z[5", "z{5", false},
	} {
		t.Run(tt.row, func(t *testing.T) {
			var d list.Document
			if err := doc.Decode("list", []byte(`{id: a, of: processors, rows: [{name: "`+tt.row+`"}]}`), &d); err != nil {
				t.Fatal(err)
			}
			r := &doc.Report{Name: "list"}
			l := list.Compile(&d, r)
			if r.Err() != nil {
				t.Fatal(r.Err())
			}
			if got := l.Find(tt.name).Row != nil; got != tt.same {
				t.Errorf("%q is %q: %v", tt.row, tt.name, got)
			}
		})
	}
}

// A mark of a footnote has at most three signs in its brackets; what is longer is part of the name.
func TestFootnotesAtTheirBounds(t *testing.T) {
	for text, name := range map[string]string{
		"K5-8600 [1]": "K5-8600", "K5-8600 [123]": "K5-8600", "K5-8600 [1234]": "K5-8600 [1234]", "[1]": "[1]",
		"K5-8600 [1][2] *": "K5-8600",
	} {
		t.Run(text, func(t *testing.T) {
			got, err := list.Import(sheet("Model|Cores", text+"|6", "K5-8700|6"), list.ImportOptions{})
			if err != nil || got.Rows[0].Name != name {
				t.Errorf("%q is read as %+v, %v", text, got, err)
			}
		})
	}
}
