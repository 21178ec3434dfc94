package list_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/list"
)

func TestNumbersOfARow(t *testing.T) {
	for text, right := range map[string]bool{"0": false, "1": true, "65536": true, "65537": false, "-1": false} {
		r := &doc.Report{Name: "x"}
		if list.ReadRows("x.csv", []byte("name,cores\na,"+text+"\n"), r); (r.Err() == nil) != right {
			t.Errorf("%s cores: %v", text, r.Err())
		}
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
		"name,note\na,\"for one, alone\"\n": {Name: "a", Note: "for one, alone"},
	} {
		if got := string(list.WriteRows([]list.RowDoc{row})); got != want {
			t.Errorf("%q, want %q", got, want)
		}
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
	}
}
