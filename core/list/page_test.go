package list_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/internal/expect"
)

// rowsOf is what a sheet holds: its title, its heading, its rows, its footnotes.
func rowsOf(s *list.Sheet) string {
	lines := []string{strings.Join(s.Above, " / "), strings.Join(s.Heads, "|")}
	for i, r := range s.Rows {
		line := strings.Join(r, "|")
		for j := range r {
			if c := s.Cells[list.At{Row: i, Column: j}]; len(c.Marks) > 0 {
				line += fmt.Sprint(" ", c.Marks)
			}
		}
		lines = append(lines, line)
	}
	for _, n := range s.Notes {
		lines = append(lines, n.Mark+"="+n.Text)
	}
	return strings.Join(lines, "\n")
}

// The heading is found below lines of title, in one column and in several.
func TestHeadingIsFound(t *testing.T) {
	for _, tt := range []struct{ name, src, want string }{
		{"at the top", "Model|Cores/K5-8400|6", "\nModel|Cores\nK5-8400|6"},
		{"below a title and an empty line", "Supported processors||/||/As of June||/Brand|Model|Cores/K5|8400|6",
			"Supported processors / As of June\nBrand|Model|Cores\nK5|8400|6"},
		{"below a title that has a comma", "Processors|2026 edition/Model|Cores/K5-8400|6",
			"Processors 2026 edition\nModel|Cores\nK5-8400|6"},
		{"a word of a heading in a row", "Machine|Outcome|Reason/Gull|failed|part/Tern|done|",
			"\nMachine|Outcome|Reason\nGull|failed|part\nTern|done|"},
		{"without a known heading", "Prices|/Price|Weight/1|2", "Prices\nPrice|Weight\n1|2"},
		{"one column", "Supported machines/Model identifier/A3,4", "Supported machines\nModel identifier\nA3,4"},
		{"one column without a title", "Model/K5-8400", "\nModel\nK5-8400"},
		{"marks and footnotes", "Model ¹|Cores/K5-8400²|6/K5-8500 [3]*|8/² Sold without a TPM.|/* Not in Gull Quay|",
			"\nModel|Cores\nK5-8400|6 [2]\nK5-8500|8 [3 *]\n2=Sold without a TPM.\n*=Not in Gull Quay"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var rows [][]string
			for _, line := range strings.Split(tt.src, "/") {
				rows = append(rows, strings.Split(line, "|"))
			}
			s, ok := list.Table("table 1", rows, nil, nil)
			expect.That(t, "it is a table", ok)
			expect.Same(t, "the table", rowsOf(&s), tt.want)
			first := strings.Join(strings.Split(strings.Split(tt.src, "/")[s.First-1], "|"), "|")
			expect.Contains(t, first, s.Rows[0][0])
		})
	}
	for _, rows := range [][][]string{nil, {{"Model"}}, {{"", ""}, {"", ""}}, {{"Model"}, {""}}} {
		_, ok := list.Table("table 1", rows, nil, nil)
		expect.That(t, fmt.Sprint(rows, " is no table"), !ok)
	}
}

// A mark is a sign, a raised digit, or a digit in brackets; parts of words are none.
func TestMarks(t *testing.T) {
	for text, want := range map[string]string{
		"K5-8400": "K5-8400 []", "K5-8400*": "K5-8400 [*]", "K5-8400²": "K5-8400 [2]", "K5-8400 ¹²": "K5-8400 [12]",
		"K5-8400 [1] [2]": "K5-8400 [1 2]", "K5-8400 †‡": "K5-8400 [† ‡]", "[2]": "[2] []",
		"Foldbook9,1": "Foldbook9,1 []",
		"K5 (2024)":   "K5 (2024) []", "Onyx [mobile]": "Onyx [mobile] []",
	} {
		t.Run(text, func(t *testing.T) {
			plain, marks := list.Unmark(text)
			expect.Same(t, text, fmt.Sprint(plain, " ", marks), want)
		})
	}
	for text, want := range map[string]string{
		"² Only with four modules": "2: Only with four modules", "[3] Sold out": "3: Sold out",
		"** Not here": "**: Not here", "*": ": ", "Corvane K5": ": ", "² x": ": ", "2 modules": ": ",
	} {
		t.Run(text, func(t *testing.T) {
			mark, note := list.NoteIn(text)
			expect.Same(t, text, mark+": "+note, want)
		})
	}
	for text, want := range map[string]bool{
		"2": true, "a": true, "*": true, "12": true, "th": false, "TM": false, "": false, "®": false,
	} {
		t.Run(text, func(t *testing.T) {
			expect.Same(t, "whether "+text+" is a mark", list.IsMark(text), want)
		})
	}
}

// What the page says with signs and in sentences becomes rows: names of one cell, struck-out rows,
// footnotes, statements about all rows but some.
func TestWhatAPageSays(t *testing.T) {
	rows := [][]string{
		{"Model", "Cores", "Remark"},
		{"K5-8400²", "6", ""},
		{"K5-8500; K5-8600", "6", "old"},
		{"Onyx 5 2600, 2700", "8", ""},
		{"K5-8800", "4", ""},
		{"A3,4", "8", ""},
		{"K9-9000¹²", "8", ""},
		{"Cabin, large", "2", ""},
	}
	struck := map[list.At]list.Cell{
		{Row: 4, Column: 0}: {Struck: true},
		{Row: 5, Column: 0}: {Lines: []string{"A3,4", "A4,1*"}},
	}
	notes := []list.Note{{Mark: "1", Text: "New."}, {Mark: "2", Text: "Sold without a TPM."}}
	s, ok := list.Table("table 1", rows, struck, notes)
	expect.That(t, "it is a table", ok)
	im, err := list.Import(s, list.ImportOptions{
		Set:          map[string]string{"built_in_tpm": "true", "rated_mhz": "2400"},
		ExceptMarked: []string{"²"},
	})
	expect.NoError(t, err)
	expect.Same(t, "the rows", string(list.WriteRows(im.Rows)), `name,cores,rated_mhz,built_in_tpm,note
K5-8400,6,,,Sold without a TPM.
K5-8500,6,2400,true,old
K5-8600,6,2400,true,old
Onyx 5 2600,8,2400,true,
Onyx 5 2700,8,2400,true,
"A3,4",8,2400,true,
"A4,1",8,2400,true,footnote *
K9-9000,8,,,New.; Sold without a TPM.
"Cabin, large",2,2400,true,
`)
	expect.Same(t, "what is left out", fmt.Sprint(im.Dropped), "[{4 K5-8800 4 it is struck out on the page false}]")
	expect.Same(t, "what is assumed", strings.Join(im.Guessed, " "),
		"3 rows have several names in a cell; each name is a row.")
	var marked []string
	for _, m := range im.Marked {
		marked = append(marked, fmt.Sprintf("%s (%s): %s", m.Mark, m.Text, strings.Join(m.Names, ", ")))
	}
	expect.Same(t, "the footnotes", strings.Join(marked, "\n"), "2 (Sold without a TPM.): K5-8400, K9-9000\n"+
		"* (): A4,1\n1 (New.): K9-9000")
	for set, want := range map[[2]string]string{
		{"core", "4"}:           `no field "core" that can be set; did you mean "cores"?`,
		{"name", "x"}:           `no field "name" that can be set`,
		{"cores", "four"}:       `cores=four: cores "four" is not a whole number`,
		{"built_in_tpm", "may"}: `"may" is neither yes nor no`,
		{"note", ""}:            "note=: a value is missing",
	} {
		_, err := list.Import(s, list.ImportOptions{Set: map[string]string{set[0]: set[1]}})
		expect.Error(t, err, want)
	}
}

// A row that describes a series is not a name: it becomes naming rules, with what they include of the
// names that exist.
func TestSeries(t *testing.T) {
	fleet := []string{
		"Corvane(R) K5-8250U CPU @ 1.60GHz", "Corvane K5-8400", "Corvane K5-8130U", "Corvane K5-7300U",
		"Corvane K5-10210U", "Corvane K5-8250Z 2", "Tessaly Onyx 5 2600", "Corvane K5-8400",
	}
	for _, tt := range []struct{ row, yaml, included, excluded, why string }{
		{"Corvane K5-8000 series and later, except K5-8130U and 8140H", `- id: corvane-k5-8
  reads: [{text: ["Corvane K5-"]}, {generation: 1}, {digits: 3}]
  from: 8
  ignored_endings: ["H", "U"]
  except: ["Corvane K5-8130U", "Corvane K5-8140H"]
- id: corvane-k5-10
  reads: [{text: ["Corvane K5-"]}, {generation: 2}, {digits: 3}]
  from: 10
  ignored_endings: ["U"]
`, "Corvane(R) K5-8250U CPU @ 1.60GHz, Corvane K5-8400, Corvane K5-10210U", "Corvane K5-8130U, Corvane K5-7300U", ""},
		{"Corvane K5-8xxxU", `- id: corvane-k5-8
  reads: [{text: ["Corvane K5-"]}, {generation: 1}, {digits: 3}, {text: ["U"]}]
  from: 8
  up_to: 8
`, "Corvane(R) K5-8250U CPU @ 1.60GHz, Corvane K5-8130U", "Corvane K5-7300U", ""},
		{"Tessaly Onyx 5 2000 series", `- id: tessaly-onyx-5-2
  reads: [{text: ["Tessaly Onyx 5 "]}, {generation: 1}, {digits: 3}]
  from: 2
  up_to: 2
`, "Tessaly Onyx 5 2600", "", ""},
		{"Corvane K5-8000 series and earlier", `- id: corvane-k5-8
  reads: [{text: ["Corvane K5-"]}, {generation: 1}, {digits: 3}]
  up_to: 8
  ignored_endings: ["U"]
`, "Corvane(R) K5-8250U CPU @ 1.60GHz, Corvane K5-8400, Corvane K5-8130U, Corvane K5-7300U", "", ""},
		{"Tessaly Onyx 5 2000 series, except 5 2600 and the Pro models", `- id: tessaly-onyx-5-2
  reads: [{text: ["Tessaly Onyx 5 "]}, {generation: 1}, {digits: 3}]
  from: 2
  up_to: 2
`, "Tessaly Onyx 5 2600", "", "left: 5 2600, the Pro models"},
		{"Strand processors, all generations and later", "", "", "", "write a naming rule"},
		{"Corvane K5 8th generation and later", "", "", "", "write a naming rule"},
	} {
		t.Run(tt.row, func(t *testing.T) {
			im, err := list.Import(sheet("Model|Cores", tt.row+"|4", "Bollard 1|2"), list.ImportOptions{Names: fleet})
			expect.NoError(t, err)
			expect.Same(t, "rows", len(im.Rows), 1)
			expect.Same(t, "proposals", len(im.Series), 1)
			p := im.Series[0]
			expect.Same(t, "the rules", p.YAML(), tt.yaml)
			expect.Same(t, "what they include", strings.Join(p.Included, ", "), tt.included)
			expect.Same(t, "what they exclude", strings.Join(p.Excluded, ", "), tt.excluded)
			expect.Contains(t, p.Why+"left: "+strings.Join(p.Left, ", "), tt.why)
			_, err = compile("id: cpus\nof: processors\nrows: [{name: A}]\nnaming:\n" + "  " +
				strings.ReplaceAll(strings.TrimSpace(cmpOr(p.YAML(), "[]")), "\n", "\n  "))
			expect.NoError(t, err)
		})
	}
	for _, name := range []string{
		"11th Gen Corvane K5-1135G7", "Corvane K5-8000", "Onyx Pro", "Corvane K5-8400 with Graphics",
	} {
		im, err := list.Import(sheet("Model|Cores", name+"|4"), list.ImportOptions{})
		expect.NoError(t, err)
		expect.Same(t, name+" is a name", len(im.Series), 0)
	}
}

func cmpOr(a, b string) string {
	if a == "" {
		return b
	}
	return a
}

// A newer page brings rows, takes some away and changes others; what was corrected by hand stays.
func TestMerge(t *testing.T) {
	rows := func(csv string) []list.RowDoc {
		r := &doc.Report{Name: "rows"}
		out := list.ReadRows("rows", []byte("name,cores,note\n"+csv), r)
		expect.NoError(t, r.Err())
		return out
	}
	former := rows("A1,4,\nA2,4,\nA3,4,x\nA5,2,\nA6,1,\n")
	current := rows("A1,4,\nA2,6,\nA3,4,\nB1,8,own\nA6,1,\n") // A2 and A3 corrected, B1 added, A5 taken out
	fresh := rows("a1 CPU,8,\nA2,4,\nA3,4,y\nA4,4,\nA5,2,\n")
	u := list.Merge(current, former, fresh)
	expect.Same(
		t,
		"the rows",
		string(list.WriteRows(u.Rows)),
		"name,cores,note\nA1,8,\nA2,6,\nA3,4,\nB1,8,own\nA4,4,\n",
	)
	expect.Same(t, "added", strings.Join(u.Added, ", "), "A4")
	expect.Same(t, "removed", strings.Join(u.Removed, ", "), "A6")
	expect.Same(t, "changed", strings.Join(u.Changed, " "), "A1: cores was 4 and is 8.")
	expect.Same(t, "kept", strings.Join(u.Kept, " "), "A2: cores stays 6; the page says 4. "+
		"A3: note stays empty; the page says y. B1: added by hand. A5: taken out by hand.")
	// Without the former page nothing is known to be a correction; a value that the page lacks stays.
	u = list.Merge(rows("A1,4,own note\nA9,2,\n"), nil, rows("A1,8,\n"))
	expect.Same(t, "the rows", string(list.WriteRows(u.Rows)), "name,cores,note\nA1,8,own note\n")
	expect.Same(t, "removed", strings.Join(u.Removed, ", "), "A9")
	expect.Same(t, "kept", strings.Join(u.Kept, " "), "A1: note stays own note; the page says empty.")
}

// A table of machines keeps its texts: what looks like a mark may be a part of a serial number.
func TestTextsStay(t *testing.T) {
	s, ok := list.Table("t", [][]string{
		{"Name", "Serial"}, {"GULL-001*", "X1[2]"}, {"GULL-002", "X2" + list.InText("1")}, {"a,  b,", "3"},
		{"* GULL", ""}, {"", ""},
	}, nil, nil)
	expect.That(t, "it is a table", ok)
	expect.Same(t, "the texts", fmt.Sprintf("%q", s.Texts()),
		`[["GULL-001*" "X1[2]"] ["GULL-002" "X2"] ["a,  b," "3"] ["* GULL" ""]]`)
	expect.Same(t, "the rows", fmt.Sprint(s.Rows), "[[GULL-001 X1] [GULL-002 X2] [a, b 3]]")
}

// A mark of two digits is two marks only where the page has both footnotes, and not one of both digits.
func TestMarksOfSeveralDigits(t *testing.T) {
	for notes, want := range map[string]string{"1 2": "1 2", "12 1 2": "12", "1": "12", "": "12"} {
		t.Run(notes, func(t *testing.T) {
			var footnotes []list.Note
			for _, mark := range strings.Fields(notes) {
				footnotes = append(footnotes, list.Note{Mark: mark, Text: "Text of " + mark})
			}
			s, _ := list.Table("t", [][]string{{"Model", "Cores"}, {"K5-8400¹²", "4"}}, nil, footnotes)
			im, err := list.Import(s, list.ImportOptions{})
			expect.NoError(t, err)
			var marks []string
			for _, m := range im.Marked {
				marks = append(marks, m.Mark)
			}
			expect.Same(t, "the marks with the footnotes "+notes, strings.Join(marks, " "), want)
		})
	}
}

// A row with more cells than the heading is left out: nobody knows which of its cells belong where.
func TestShiftedRows(t *testing.T) {
	s, ok := list.Table("table 1", [][]string{
		{"Model", "Cores"}, {"Corvane K5-8400", "6"}, {"Corvane", "K5-8500", "6"}, {"Corvane K5-8600", "6", " "},
	}, nil, nil)
	expect.That(t, "a heading was found", ok)
	im, err := list.Import(s, list.ImportOptions{})
	expect.NoError(t, err)
	expect.Same(t, "rows", len(im.Rows), 2)
	expect.Same(t, "rows that were left out", len(im.Dropped), 1)
	expect.Same(t, "why", im.Dropped[0].Why, list.Shifted)
}
