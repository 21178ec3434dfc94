package tables_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/tables"
)

func said(sheets []list.Sheet) string {
	var out []string
	for _, s := range sheets {
		lines := []string{s.Where, strings.Join(s.Heads, "|")}
		for _, r := range s.Rows {
			lines = append(lines, strings.Join(r, "|"))
		}
		out = append(out, strings.Join(lines, "\n"))
	}
	return strings.Join(out, "\n--\n")
}

func utf16le(s string) string {
	b := []byte("\xff\xfe")
	for _, c := range s {
		b = append(b, byte(c), byte(c>>8))
	}
	return string(b)
}

func TestRead(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"comma", "a,b\n1,\"2,3\"\n", "the table in f\na|b\n1|2,3"},
		{"semicolon", "a;b\n1,5;2\n3;4\n", "the table in f\na|b\n1,5|2\n3|4"},
		{"tab", "a\tb\n1\t2\n", "the table in f\na|b\n1|2"},
		{"bar", "a|b\n1|2\n", "the table in f\na|b\n1|2"},
		{"byte order mark", "\xef\xbb\xbfa,b\n1,2\n", "the table in f\na|b\n1|2"},
		{"UTF-16", utf16le("a;ü\n1;é\n"), "the table in f\na|ü\n1|é"},
		{"an old encoding", "a;b\nK\xf6nig;\x96\n", "the table in f\na|b\nKönig|–"},
		{"stray quotes", "a,b\n7\" panel,x\n", "the table in f\na|b\n7\" panel|x"},
		{"a page", "<!doctype html><h2>Processors</h2><table><thead><tr><th>Model<th>Cores</thead><tbody><tr><td>K5 " +
			"<b>8400</b><sup>1</sup><td>6</table>", "table 1 (Processors)\nModel|Cores\nK5 8400|6"},
		{"caption", "<table><caption>Old</caption><tr><th>A<tr><td>1</table>", "table 1 (Old)\nA\n1"},
		{"two tables, one within the other",
			"<table><tr><th>A<th>B<tr><td>1<td><table><tr><th>C<tr><td>2</table></table>" +
				"<table><tr><th>D<tr><td>3</table>",
			"table 1\nA|B\n1|C 2\n--\ntable 2\nC\n2\n--\ntable 3\nD\n3"},
		{"spans", "<table><tr><th>Brand<th>Model<th>Cores<tr><td rowspan=2>Corvane<td>K5<td>6<tr><td>K7<td>8<tr><td " +
			"colspan=3>end</table>", "table 1\nBrand|Model|Cores\nCorvane|K5|6\nCorvane|K7|8\nend|end|end"},
		{"encoding named by the page", "<html><meta charset=iso-8859-1><table><tr><th>A<tr><td>\xfc</table>",
			"table 1\nA\nü"},
		{"scripts are not read", "<table><tr><th>A<tr><td>1<script>var x = 2</script></table>", "table 1\nA\n1"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, err := tables.Read("f", []byte(tt.src))
			if err != nil || said(got) != tt.want {
				t.Errorf("%v\n%q\nwant\n%q", err, said(got), tt.want)
			}
		})
	}
}

func TestReadRefuses(t *testing.T) {
	tests := []struct{ src, want string }{
		{"", "f is empty"}, {"  \n", "f is empty"},
		{"<html><p>No table here</p>", "f contains no table; save the complete page"},
		{"<table><tr><th>A</table>", "f contains no table"},
		{"just one line", "a heading and at least one row"},
		{"PK\x03\x04rest", "f cannot be read as a workbook"},
		{strings.Repeat("a\n", 100_003), "more than 100000 rows"},
		{"<table>" + strings.Repeat("<tr><td>a", 100_002) + "</table>", "table 1 of f has more than 100000 rows"},
		{strings.Repeat("x", tables.MaxBytes+1), "too large"},
	}
	for _, tt := range tests {
		t.Run(tt.src, func(t *testing.T) {
			if _, err := tables.Read("f", []byte(tt.src)); err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Errorf("%.30q: got %v, want %s", tt.src, err, tt.want)
			}
		})
	}
}

// A page that claims enormous spans does not make an enormous table.
func TestSpansAreBounded(t *testing.T) {
	src := "<table><tr><th>A<th>B<tr>" + strings.Repeat(`<td colspan=99999999 rowspan=99999999>x`,
		50) + strings.Repeat("<tr><td>y", 50) + "</table>"
	got, err := tables.Read("f", []byte(src))
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range got[0].Rows {
		if len(r) > 200 {
			t.Fatalf("a row of %d cells", len(r))
		}
	}
}

// From a page to the rows of a list, as a person would do it.
func TestFromPageToList(t *testing.T) {
	var b strings.Builder
	b.WriteString("<html><h1>Supported processors</h1><table><tr><th>Read " +
		"me<tr><td>nothing</table><h2>Corvane</h2><table><tr><th>Model<th>Base frequency<th>Cores")
	for i := range 2000 {
		fmt.Fprintf(&b, "<tr><td>K5-%d<td>2.%d GHz<td>6", 8000+i, i%10)
	}
	sheets, err := tables.Read("f", []byte(b.String()+"</table>"))
	if err != nil {
		t.Fatal(err)
	}
	at, got, err := list.ImportTables(sheets, nil, list.ImportOptions{Prefix: "Corvane"})
	expect.NoError(t, err)
	expect.Same(t, "the table", fmt.Sprint(at), "[1]")
	expect.Same(t, "len(got.Rows)", len(got.Rows), 2000)
	expect.Same(t, "got.Rows[1999].Name", got.Rows[1999].Name, "Corvane K5-9999")
	expect.Same(t, "got.Rows[1999].RatedMHz", got.Rows[1999].RatedMHz, 2900)
}

func FuzzRead(f *testing.F) {
	book := excelize.NewFile()
	expect.NoError(f, book.SetSheetRow("Sheet1", "A1", &[]any{"Model", "Cores"}))
	expect.NoError(f, book.SetSheetRow("Sheet1", "A2", &[]any{"K5-8400", 6}))
	b, err := book.WriteToBuffer()
	expect.NoError(f, err)
	f.Add(b.Bytes())
	f.Add([]byte("a,b\n1,2\n"))
	f.Add([]byte("<table><tr><th rowspan=9>A<th colspan=3>B<tr><td>1</table>"))
	f.Add([]byte("<table><tr><th>A<sup>1</sup><tr><td><s>1</s><br>2;3<sup>a,b</sup></table><p><sup>1</sup> note"))
	f.Add([]byte("\xff\xfea\x00;\x00b\x00"))
	f.Fuzz(func(t *testing.T, src []byte) {
		sheets, err := tables.Read("f", src)
		if err != nil {
			return
		}
		for _, s := range sheets {
			expect.That(t, "len(s.Heads) != 0", len(s.Heads) != 0)
			expect.That(t, "len(s.Rows) != 0", len(s.Rows) != 0)
			expect.That(t, "len(s.Heads) <= 200", len(s.Heads) <= 200)
			_, _ = list.Import(s, list.ImportOptions{})
		}
	})
}

// A page as publishers have them: titles within tables, headings in two rows, spans, struck-out rows,
// marks of footnotes above the line, several names in a cell, a list of footnotes below.
func TestAMessyPage(t *testing.T) {
	src, err := os.ReadFile("testdata/messy.html")
	expect.NoError(t, err)
	sheets, err := tables.Read("messy.html", src)
	expect.NoError(t, err)
	expect.Same(t, "tables", len(sheets), 3)
	expect.Same(t, "the title of the second", strings.Join(sheets[1].Above, ""), "Corvane processors for offices")
	expect.Same(t, "its heading", strings.Join(sheets[1].Heads, "|"), "Brand|Model|Base frequency (GHz)|Cores")
	_, im, err := list.ImportTables(sheets, []int{2, 3}, list.ImportOptions{
		Set:          map[string]string{"built_in_tpm": "true"},
		ExceptMarked: []string{"2"},
	})
	expect.NoError(t, err)
	expect.Same(t, "the rows", string(list.WriteRows(im.Rows)), `name,cores,rated_mhz,built_in_tpm,note
Corvane K5-8400,6,2800,true,Only with firmware 2 or later.
Corvane K5-8500,6,3000,true,
Corvane K5-8600,6,3000,,Sold without a TPM.
Tessaly Onyx 5 2600,6,3400,true,
Tessaly Onyx 7 2700,8,3200,true,
Tessaly Onyx 7 2700X,8,3200,,Sold without a TPM.
`)
	expect.Same(t, "series", len(im.Series), 1)
	expect.Same(t, "struck out", im.Dropped[0].Why, "it is struck out on the page")
}

// A workbook gives a table of each sheet; titles above a heading and struck-out cells are understood.
func TestWorkbook(t *testing.T) {
	f := excelize.NewFile()
	strike, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Strike: true}})
	expect.NoError(t, err)
	for at, v := range map[string]any{
		"A1": "Supported processors", "A3": "Model", "B3": "Cores", "A4": "Corvane K5-8400", "B4": 6,
		"A5": "Corvane K5-8130U", "B5": 2,
	} {
		t.Run(at, func(t *testing.T) {
			expect.NoError(t, f.SetCellValue("Sheet1", at, v))
		})
	}
	expect.NoError(t, f.SetCellStyle("Sheet1", "A5", "B5", strike))
	_, err = f.NewSheet("Other")
	expect.NoError(t, err)
	b, err := f.WriteToBuffer()
	expect.NoError(t, err)
	sheets, err := tables.Read("list.xlsx", b.Bytes())
	expect.NoError(t, err)
	expect.Same(t, "tables", len(sheets), 1)
	_, im, err := list.ImportTables(sheets, nil, list.ImportOptions{})
	expect.NoError(t, err)
	expect.Same(t, "the rows", string(list.WriteRows(im.Rows)), "name,cores\nCorvane K5-8400,6\n")
	expect.Same(t, "struck out", im.Dropped[0].Why, "it is struck out on the page")
	empty, err := excelize.NewFile().WriteToBuffer()
	expect.NoError(t, err)
	_, err = tables.Read("empty.xlsx", empty.Bytes())
	expect.Error(t, err, "empty.xlsx has no table")
}
