package list

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Sheet is a table as it was found on a page or in a file: a heading, and rows of cells.
type Sheet struct {
	Where string   // its caption, or its place: table 2
	Above []string // lines above the heading, such as a title
	Heads []string
	Rows  [][]string
	Cells map[At]Cell // what is known of some cells beside their texts
	Notes []Note      // the footnotes of the page
	First int         // the row of the file that the first row is, from 1

	raw [][]string // the rows as they were found
}

// At is the place of a cell: its row below the heading, and its column, both from 0.
type At struct{ Row, Column int }

// Cell is what is known of a cell beside its text.
type Cell struct {
	Marks  []string // of footnotes
	Struck bool     // the text is struck out
	Lines  []string // the lines of the text, where there are several
}

// Marks of footnotes within a text stand between these two, from the private use area of Unicode, which
// no page uses for what is read.
const markOpen, markClose = '\uE000', '\uE001'

// InText is the mark of a footnote as it stands within the text of a cell.
func InText(mark string) string { return string(markOpen) + MarkOf(mark) + string(markClose) }

// Plain is a text without the marks within it.
func Plain(text string) string {
	plain, _ := marksIn(text)
	return plain
}

// marksIn takes the marks within a text, and those at its end, off it.
func marksIn(text string) (plain string, marks []string) {
	var b strings.Builder
	for {
		before, rest, found := strings.Cut(text, string(markOpen))
		b.WriteString(before)
		if !found {
			break
		}
		mark, after, closed := strings.Cut(rest, string(markClose))
		if !closed {
			b.WriteString(rest)
			break
		}
		if text = after; mark != "" {
			marks = append(marks, mark)
		}
	}
	plain, more := Unmark(strings.Join(strings.Fields(b.String()), " "))
	return plain, append(marks, more...)
}

// Note is a footnote: its mark, and its text.
type Note struct{ Mark, Text string }

// Texts are the rows as they were written, with whatever looks like a footnote or its mark: for tables
// of machines, in which it is a part of a name or a serial number.
func (s *Sheet) Texts() [][]string {
	rows := make([][]string, len(s.raw))
	for i, row := range s.raw {
		rows[i] = make([]string, len(row))
		for j, text := range row {
			rows[i][j] = unraised(text)
		}
	}
	return rows
}

// unraised is a text without the marks that stood above its line.
func unraised(text string) string {
	for {
		before, rest, found := strings.Cut(text, string(markOpen))
		if !found {
			return text
		}
		_, after, _ := strings.Cut(rest, string(markClose))
		text = before + after
	}
}

// lookFor are how many rows are looked through for the heading.
const lookFor = 20

// Table makes a sheet of rows of cells: it finds the heading, takes the marks of footnotes off the cells
// and the footnotes off the rows. marked are the cells of which something more is known, by their place
// in all rows. It is not ok where there is no heading with a row below it.
func Table(where string, rows [][]string, marked map[At]Cell, notes []Note) (s Sheet, ok bool) {
	at := headingRow(rows)
	if at < 0 || at+1 >= len(rows) {
		return Sheet{Where: where}, false
	}
	s = Sheet{Where: where, Heads: make([]string, len(rows[at])), Cells: map[At]Cell{}, Notes: slices.Clone(notes)}
	for _, row := range rows[:at] {
		if line, _ := marksIn(shown(row)); line != "" {
			s.Above = append(s.Above, line)
		}
	}
	for i, h := range rows[at] {
		s.Heads[i], _ = marksIn(h)
	}
	s.First = at + 2
	for i, row := range rows[at+1:] {
		if mark, text := noteOf(row); mark != "" {
			s.Notes = append(s.Notes, Note{mark, text})
			row = nil // it stays as an empty one, so that numbers of rows are those of the file
		}
		cells := make([]string, len(row))
		for j, text := range row {
			c := marked[At{i + at + 1, j}]
			cells[j], c.Marks = marksIn(text)
			if len(c.Marks) > 0 || c.Struck || len(c.Lines) > 1 {
				s.Cells[At{i, j}] = c
			}
		}
		s.Rows = append(s.Rows, cells)
	}
	s.Rows, s.raw = ended(s.Rows), ended(rows[at+1:])
	return s, len(s.Rows) > 0
}

// ended are rows without the empty ones at their end.
func ended(rows [][]string) [][]string {
	for len(rows) > 0 && filled(rows[len(rows)-1]) == 0 {
		rows = rows[:len(rows)-1]
	}
	return rows
}

// headingRow finds the heading: the first row that is as wide as the table. A title with a comma in it
// is as wide as a table of two columns, so there, and where nothing is wide, the first row with the
// heading of a list counts before. It is -1 where there is none.
func headingRow(rows [][]string) int {
	rows = rows[:min(len(rows), lookFor)]
	wide := 0
	for _, row := range rows {
		wide = max(wide, different(row))
	}
	if wide == 0 {
		return -1
	}
	first := slices.IndexFunc(rows, func(row []string) bool { return different(row) >= min(wide, 2) })
	if wide > 2 && different(rows[first]) == wide {
		return first
	}
	known := slices.IndexFunc(rows, func(row []string) bool {
		return different(row) >= min(wide, 2) && headings.any(row)
	})
	return max(first, known)
}

// applicationHeadings are headings of names in tables of applications.
var applicationHeadings = []string{"application", "application name", "title", "program", "software", "product name"}

// any says whether a row has the heading of names.
func (h fieldHeadings) any(row []string) bool {
	return slices.ContainsFunc(row, func(cell string) bool {
		cell, _ = marksIn(cell)
		plain := PlainHeading(cell)
		return slices.Contains(h["name"], plain) || slices.Contains(applicationHeadings, plain)
	})
}

func filled(row []string) int {
	n := 0
	for _, c := range row {
		if strings.TrimSpace(c) != "" {
			n++
		}
	}
	return n
}

// different counts the different texts of a row: a cell that spans others is one.
func different(row []string) int {
	seen := map[string]bool{}
	for _, c := range row {
		if c = strings.TrimSpace(c); c != "" {
			seen[c] = true
		}
	}
	return len(seen)
}

// noteOf is the footnote that a row of one text is: * Only with four modules.
func noteOf(row []string) (mark, text string) {
	if different(row) != 1 {
		return "", ""
	}
	for _, c := range row {
		if c = strings.TrimSpace(c); c != "" {
			return NoteIn(c)
		}
	}
	return "", ""
}

// raised are the digits above the line, which mark footnotes.
const raised = "⁰¹²³⁴⁵⁶⁷⁸⁹"

// signs are the other marks of footnotes.
const signs = "*†‡§¶"

// NoteIn reads a footnote: a mark, and a text behind it. The mark is empty where the text is none.
func NoteIn(text string) (mark, note string) {
	text = strings.TrimSpace(text)
	end := 0
	switch {
	case strings.HasPrefix(text, string(markOpen)):
		i := strings.IndexRune(text, markClose)
		if i < 0 {
			return "", ""
		}
		mark, end = text[utf8.RuneLen(markOpen):i], i+utf8.RuneLen(markClose)
	case strings.HasPrefix(text, "["):
		i := strings.IndexByte(text, ']')
		if i < 2 || i > 3 {
			return "", ""
		}
		mark, end = text[1:i], i+1
	default:
		end = len(text) - len(strings.TrimLeft(text, raised+signs))
		mark = MarkOf(text[:end])
	}
	note, _ = marksIn(strings.TrimLeft(text[end:], " .:)\u00a0"))
	if mark == "" || len(note) < 3 {
		return "", ""
	}
	return mark, note
}

// MarkOf is a mark of a footnote in the form in which marks are compared: ² is 2.
func MarkOf(mark string) string {
	var b strings.Builder
	for _, c := range strings.Trim(strings.TrimSpace(mark), "[]()") {
		if i := strings.IndexRune(raised, c); i >= 0 {
			b.WriteString(strconv.Itoa(utf8.RuneCountInString(raised[:i])))
			continue
		}
		b.WriteRune(c)
	}
	return b.String()
}

// IsMark says whether a text above the line is a mark of a footnote, and not a part of a word: 2, a, *,
// and not th or TM.
func IsMark(text string) bool {
	m := MarkOf(text)
	switch {
	case m == "":
		return false
	case strings.Trim(m, signs) == "":
		return true
	case utf8.RuneCountInString(m) == 1:
		return unicode.IsLetter([]rune(m)[0]) || unicode.IsDigit([]rune(m)[0])
	}
	return len(m) <= 3 && strings.Trim(m, "0123456789") == ""
}

// Unmark takes the marks of footnotes off the end of a text: signs, raised digits, and digits or one
// letter in square brackets.
func Unmark(s string) (plain string, marks []string) {
	for {
		s = strings.TrimRight(s, " \u00a0,")
		digits := strings.TrimRight(s, raised)
		c, n := utf8.DecodeLastRuneInString(s)
		i := strings.LastIndexByte(s, '[')
		switch {
		case len(digits) < len(s):
			marks, s = append(marks, MarkOf(s[len(digits):])), digits
		case n > 0 && strings.ContainsRune(signs, c):
			marks, s = append(marks, MarkOf(string(c))), s[:len(s)-n]
		case i > 0 && strings.HasSuffix(s, "]") && IsMark(s[i:]):
			marks, s = append(marks, MarkOf(s[i:])), s[:i]
		default:
			slices.Reverse(marks)
			return s, marks
		}
	}
}
