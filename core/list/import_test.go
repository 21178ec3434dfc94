package list_test

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/internal/expect"
)

func sheet(heads string, rows ...string) list.Sheet {
	all := [][]string{strings.Split(heads, "|")}
	for _, r := range rows {
		all = append(all, strings.Split(r, "|"))
	}
	s, _ := list.Table("table 1", all, nil, nil)
	return s
}

func TestImport(t *testing.T) {
	tests := []struct {
		name    string
		sheet   list.Sheet
		o       list.ImportOptions
		rows    string // name/cores/mhz/tpm
		dropped string
		ignored string
	}{
		{"headings as pages have them",
			sheet("Manufacturer|Brand|Model|# of Cores|Base Frequency (GHz)|Launch",
				"Corvane|Corvane K5|8400|6|2.8|2018", "Tessaly|Onyx 5|2600|6|3,4|2018"), list.ImportOptions{},
			"Corvane K5 8400/6/2800/, Tessaly Onyx 5 2600/6/3400/", "", "Launch"},
		{"unit in the cell", sheet("Processor|Clock", "K5-8400|2.80 GHz", "K5-8500|2800 MHz"), list.ImportOptions{},
			"K5-8400/0/2800/, K5-8500/0/2800/", "", ""},
		{"thousands parted", sheet("Processor|Clock (MHz)", "K5-8400|2,800", "K5-8500|1.900 MHz", "K5-8600|2800.5",
			"K5-8700|3.4 GHz", "K5-8800|2.800 GHz"), list.ImportOptions{},
			"K5-8400/0/2800/, K5-8500/0/1900/, K5-8600/0/2801/, K5-8700/0/3400/, K5-8800/0/2800/", "", ""},
		{"a prefix that the page leaves out", sheet("Name", "K5-8400", "Corvane K5-8500"),
			list.ImportOptions{Prefix: "Corvane"}, "Corvane K5-8400/0/0/, Corvane K5-8500/0/0/", "", ""},
		{"columns by option", sheet("A|B|C", "x|Bollard|4", "y|Tern|2"),
			list.ImportOptions{Columns: map[string]string{"name": "a + B", "cores": "C"}},
			"x Bollard/4/0/, y Tern/2/0/", "", ""},
		{"a text between columns", sheet("Maker|Brand|Model", "Corvane|K5|8400"),
			list.ImportOptions{Columns: map[string]string{"name": "Maker+Brand+'-'+Model"}}, "Corvane K5-8400/0/0/", "",
			""},
		{"marks of footnotes", sheet("Model", "K5-8400*", "K5-8500 [2]", "K5-8600 †"), list.ImportOptions{},
			"K5-8400/0/0/, K5-8500/0/0/, K5-8600/0/0/", "", ""},
		{"headings within the table, repeated headings, empty rows",
			sheet("Model|Cores", "Ninth generation|", "Model|Cores", "|", "K5-9400|6", "K5-9500|K5-9500"),
			list.ImportOptions{}, "K5-9400/6/0/",
			"1 only one cell has text, 2 it repeats the heading, 5 only one cell has text", ""},
		{"the same name twice", sheet("Model|Cores", "K5-9400|6", "K5 (R) x|2", "k5-9400 CPU|8"), list.ImportOptions{},
			"K5-9400/6/0/, K5 (R) x/2/0/", "3 the same name as in row 1", ""},
		{"values that cannot be read are left out, the row stays",
			sheet("Model|Cores|Base speed|TPM", "K5-9400|4+8|2.9|yes", "K5-9500|six|fast|maybe", "K5-9600|-|n/a|no"),
			list.ImportOptions{}, "K5-9400/0/0/true, K5-9500/0/0/, K5-9600/0/0/false",
			"1+ is not a whole number, 1+ has no known unit, 2+ is not a whole number, 2+ has no known unit, 2+ " +
				"neither yes nor no",
			""},
		{"short rows", sheet("Model|Cores|Note", "K5-9400|6", "K5-9500|6|sold without TPM"), list.ImportOptions{},
			"K5-9400/6/0/, K5-9500/6/0/", "", ""},
		{"model identifiers stay alone",
			sheet("Maker|Model identifier|Year", "Tessaly|Foldbook9,1|2024", "Tessaly|Foldbook9,2|2024"),
			list.ImportOptions{}, "Foldbook9,1/0/0/, Foldbook9,2/0/0/", "", "Maker"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, err := list.Import(tt.sheet, tt.o)
			if err != nil {
				t.Fatal(err)
			}
			var rows []string
			for _, r := range got.Rows {
				tpm := ""
				if r.BuiltInTPM != nil {
					tpm = fmt.Sprint(*r.BuiltInTPM)
				}
				rows = append(rows, fmt.Sprintf("%s/%d/%d/%s", r.Name, r.Cores, r.RatedMHz, tpm))
			}
			if s := strings.Join(rows, ", "); s != tt.rows {
				t.Errorf("rows %s\nwant %s", s, tt.rows)
			}
			var want []string
			if tt.dropped != "" {
				want = strings.Split(tt.dropped, ", ")
			}
			if len(want) != len(got.Dropped) {
				t.Fatalf("left out: %+v", got.Dropped)
			}
			for i, w := range want {
				n, why, _ := strings.Cut(w, " ")
				d := got.Dropped[i]
				expect.Same(t, w+": the row", fmt.Sprint(d.Row), strings.TrimSuffix(n, "+"))
				expect.Same(t, w+": whether it is kept", d.Kept, strings.HasSuffix(n, "+"))
				expect.Contains(t, d.Why, why)
			}
			if s := strings.Join(got.Ignored, ", "); s != tt.ignored {
				t.Errorf("not used: %s", s)
			}
		})
	}
}

func TestImportRefuses(t *testing.T) {
	tests := []struct {
		sheet list.Sheet
		o     list.ImportOptions
		want  string
	}{
		{sheet("Price|Weight", "1|2"), list.ImportOptions{},
			"no column of table 1 has a heading for names; its columns are Price, Weight"},
		{sheet("Model", "Model"), list.ImportOptions{}, "no row of table 1 can be used: it repeats the heading"},
		{sheet("Model", "x"), list.ImportOptions{Columns: map[string]string{"name": "Modle"}},
			`table 1 has no column "Modle"; its columns are Model`},
		{sheet("Model", "x"), list.ImportOptions{Columns: map[string]string{"name": "'-'"}},
			"'-' does not name a column"},
		{sheet("Model", "x"), list.ImportOptions{Columns: map[string]string{"core": "Model"}},
			`a list has no field "core"; did you mean "cores"?`},
	}
	for _, tt := range tests {
		t.Run(tt.want, func(t *testing.T) {
			_, err := list.Import(tt.sheet, tt.o)
			coretest.Refused(t, err, tt.want)
		})
	}
	_, _, err := list.ImportTables([]list.Sheet{sheet("Price", "1")}, []int{2}, list.ImportOptions{})
	expect.Error(t, err, "table 2 does not exist; the file has 1")
	_, _, err = list.ImportTables([]list.Sheet{sheet("Model", "a")}, []int{1, 1}, list.ImportOptions{})
	expect.Error(t, err, "table 1 is named twice")
	three := []list.Sheet{sheet("Price", "1"), sheet("Model", "a"), sheet("Model", "a", "b")}
	at, got, err := list.ImportTables(three, nil, list.ImportOptions{})
	expect.NoError(t, err)
	expect.Same(t, "the table", fmt.Sprint(at), "[2]")
	expect.Same(t, "len(got.Rows)", len(got.Rows), 2)
	at, got, err = list.ImportTables(three, []int{3, 2}, list.ImportOptions{})
	expect.NoError(t, err)
	expect.Same(t, "the tables", fmt.Sprint(at), "[2 1]")
	expect.Same(t, "rows of both", len(got.Rows), 2)
	expect.Same(t, "what stands in both", got.Dropped[0].Why, "the same name as in row 1")
	expect.Contains(t, strings.Join(got.Guessed, " "), "2 tables are joined")
}

// What is written is read again as it was.
func TestRowsThereAndBack(t *testing.T) {
	yes, no := true, false
	rows := []list.RowDoc{{
		Name:       `Corvane "K5", 9400`,
		Cores:      6,
		RatedMHz:   2900,
		BuiltInTPM: &yes,
		Features:   []string{"avx2", "nx"},
	}, {Name: "Tessaly Onyx 5 2600", BuiltInTPM: &no, Note: "sold, without TPM"}}
	r := &doc.Report{Name: "x"}
	got := list.ReadRows("x.csv", list.WriteRows(rows), r)
	for i := range got {
		got[i].Node = nil
	}
	if r.Err() != nil || !reflect.DeepEqual(got, rows) {
		t.Errorf("%v\n%+v\n%+v", r.Err(), got, rows)
	}
	if text := string(list.WriteRows([]list.RowDoc{{Name: "a"}})); text != "name\na\n" {
		t.Errorf("columns that nothing has are written: %q", text)
	}
}

func TestBadRows(t *testing.T) {
	tests := []struct{ src, want string }{
		{"", "x.csv:1:1: the file is empty; its first line names the columns"},
		{"name\n", "the list has no rows"},
		{"nmae,cores\na,1\n", `x.csv:1:1: unknown column "nmae"; did you mean "name"?`},
		{"name,cores,cores\na,1,2\n", `x.csv:1:12: the column "cores" appears twice`},
		{"cores\n1\n", `the column "name" is missing`},
		{"name,cores\na,1\nb\n", "x.csv:3:1: the row has 1 fields and the heading 2"},
		{"name,cores\na,six\n", `x.csv:2:3: "six" is not a number for cores; digits alone, from 1 to 65536`},
		{"name,rated_mhz\na,2.8\n", `"2.8" is not a number for rated_mhz`},
		{"name,model_year\na,1969\n", `"1969" is not a number for model_year; digits alone, from 1970 to 2200`},
		{"name,model_year\na,2201\n", `"2201" is not a number for model_year`},
		{"name,built_in_tpm\na,yes\n", `"yes" is not true or false`},
		{"name,architecture\na,x64\n", `"x64" is not an architecture; use x86, x86-64, arm64`},
		{"name\n\"a\nb", "put texts with commas or quotes in double quotes"},
	}
	for _, tt := range tests {
		t.Run(tt.src, func(t *testing.T) {
			r := &doc.Report{Name: "release.yaml"}
			list.ReadRows("x.csv", []byte(tt.src), r)
			coretest.Refused(t, r.Err(), tt.want)
		})
	}
	r := &doc.Report{}
	list.ReadRows("x.csv", []byte("name\n"+strings.Repeat("a\n", list.MaxRows+1)), r)
	if err := r.Err(); err == nil || !strings.Contains(err.Error(), "more than 100000 rows") {
		t.Errorf("a huge list: %v", err)
	}
}

func FuzzImport(f *testing.F) {
	f.Add("Model|Cores|Base (GHz)", "K5-9400|6|2.9", "name=Model")
	f.Add("a|b", "|", "cores=a+b")
	f.Fuzz(func(t *testing.T, heads, row, column string) {
		field, heading, _ := strings.Cut(column, "=")
		o := list.ImportOptions{}
		if field != "" {
			o.Columns = map[string]string{field: heading}
		}
		got, err := list.Import(sheet(heads, row, row), o)
		if err != nil {
			return
		}
		// Whatever was imported is a file that a release document can name.
		r := &doc.Report{}
		again := list.ReadRows("x.csv", list.WriteRows(got.Rows), r)
		if strings.ContainsAny(row, "\x00\r\"") || !strings.Contains(string(list.WriteRows(got.Rows)), "\n") {
			return // quoting and line ends are the CSV package's
		}
		if r.Err() != nil || len(again) != len(got.Rows) {
			t.Errorf("%q %q: %v, %d rows of %d", heads, row, r.Err(), len(again), len(got.Rows))
		}
	})
}

func FuzzReadRows(f *testing.F) {
	f.Add([]byte("name,cores\na,1\n"))
	f.Add([]byte("\xef\xbb\xbfname\n\"x\ny\"\n"))
	f.Add([]byte("name,cores\n,"))
	f.Fuzz(func(t *testing.T, src []byte) {
		r := &doc.Report{}
		rows := list.ReadRows("x.csv", src, r)
		// A row without a name has its own mistake, said when the list is compiled;
		// alone in its line it would be written as a blank one.
		nameless := slices.ContainsFunc(rows, func(row list.RowDoc) bool { return row.Name == "" })
		if r.Err() != nil || nameless {
			return
		}
		back := list.ReadRows("x.csv", list.WriteRows(rows), r)
		if len(back) != len(rows) && !strings.Contains(string(src), "\"") {
			t.Errorf("%q: %d rows, then %d: %v", src, len(rows), len(back), r.Err())
		}
	})
}

// Of several tables of which none can be used, the first one's reason is given; a file
// without a table says so.
func TestImportBestSaysWhy(t *testing.T) {
	bad := []list.Sheet{sheet("Price|Weight", "1|2"), sheet("Model", "Model")}
	_, im, err := list.ImportTables(bad, nil, list.ImportOptions{})
	expect.That(t, "im == nil", im == nil)
	expect.That(t, "err != nil", err != nil)
	expect.Contains(t, err.Error(), "has a heading for names")
	at, im, err := list.ImportTables(append(bad, sheet("Model", "Onyx 5")), nil, list.ImportOptions{})
	expect.NoError(t, err)
	expect.Same(t, "the table", fmt.Sprint(at), "[2]")
	expect.Same(t, "len(im.Rows)", len(im.Rows), 1)
	_, _, err = list.ImportTables(nil, nil, list.ImportOptions{})
	expect.Error(t, err, "the file has no table")
}
