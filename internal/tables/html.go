package tables

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/charset"

	"rolltop.example/rolltop/core/list"
)

func isHTML(src []byte) bool {
	head := bytes.ToLower(src[:min(len(src), 4096)])
	return bytes.Contains(head, []byte("<html")) || bytes.Contains(head, []byte("<!doctype html")) ||
		bytes.Contains(head, []byte("<table")) || bytes.Contains(head, []byte("<body"))
}

func readHTML(name string, src []byte) ([]list.Sheet, error) {
	in, err := charset.NewReader(bytes.NewReader(src), "text/html")
	if err != nil {
		return nil, fmt.Errorf("the encoding of %s cannot be read: %w", name, err)
	}
	root, err := html.Parse(in)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read as HTML: %w", name, err)
	}
	f := &finder{}
	f.walk(root)
	f.footnotes()
	if f.long != "" {
		return nil, fmt.Errorf("%s of %s has more than %d rows; split it", f.long, name, maxRows)
	}
	if len(f.sheets) == 0 {
		return nil, fmt.Errorf("%s contains no table; save the complete page after the table is shown, or copy the "+
			"table to a spreadsheet and save it as CSV", name)
	}
	return f.sheets, nil
}

// finder walks a page and keeps the last heading before each table.
type finder struct {
	sheets  []list.Sheet
	heading string
	long    string // a table with too many rows
	notes   []list.Note
}

func (f *finder) walk(n *html.Node) {
	if n.Type == html.ElementNode {
		switch n.Data {
		case "h1", "h2", "h3", "h4":
			f.heading = text(n)
		case "script", "style", "template", "noscript":
			return
		case "table":
			if s, ok := f.table(n); ok && len(f.sheets) < maxTables {
				f.sheets = append(f.sheets, s)
			}
		case "p", "li", "dd", "small", "div":
			f.note(n)
		case "td":
			if alone(n) {
				f.note(n)
			}
		}
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		f.walk(c)
	}
}

// maxNotes and maxNoteText bound what is kept of footnotes.
const (
	maxNotes    = 500
	maxNoteText = 500
)

// note takes a block of text as a footnote where it begins with a mark, or is an item of a list of
// footnotes.
func (f *finder) note(n *html.Node) {
	if len(f.notes) >= maxNotes || holdsBlocks(n) {
		return
	}
	c := readCell(n)
	mark, note := list.NoteIn(c.text)
	if mark == "" && n.Data == "li" {
		mark, note = ordinal(n), c.text
	}
	if mark == "" || len(note) < 3 {
		return
	}
	if len(note) > maxNoteText {
		note = strings.ToValidUTF8(note[:maxNoteText], "") + "…"
	}
	f.notes = append(f.notes, list.Note{Mark: mark, Text: note})
}

// holdsBlocks says whether a node has parts that are texts of their own.
func holdsBlocks(n *html.Node) bool {
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if c.Type == html.ElementNode &&
			slices.Contains([]string{"p", "li", "ul", "ol", "div", "table", "dl", "dd", "section", "tr"}, c.Data) {
			return true
		}
	}
	return false
}

// alone says whether a cell is the only one of its row.
func alone(td *html.Node) bool {
	for c := range td.Parent.ChildNodes() {
		if c != td && c.Type == html.ElementNode {
			return false
		}
	}
	return true
}

// ordinal is the number of an item in a numbered list whose name says that it has notes, or "".
func ordinal(li *html.Node) string {
	ol := li.Parent
	if ol == nil || ol.Data != "ol" {
		return ""
	}
	name := strings.ToLower(attribute(ol, "class") + " " + attribute(ol, "id"))
	if !strings.Contains(name, "note") {
		return ""
	}
	n := 1
	for c := li.PrevSibling; c != nil; c = c.PrevSibling {
		if c.Type == html.ElementNode && c.Data == "li" {
			n++
		}
	}
	return strconv.Itoa(n)
}

// footnotes gives every table the footnotes of the page behind its own: a table's own count first.
func (f *finder) footnotes() {
	for i := range f.sheets {
		f.sheets[i].Notes = append(f.sheets[i].Notes, f.notes...)
	}
}

// table reads the rows of a table without those of tables within it. Spans are
// filled with what they span.
func (f *finder) table(n *html.Node) (list.Sheet, bool) {
	where := fmt.Sprintf("table %d", len(f.sheets)+1)
	if f.heading != "" {
		where += " (" + f.heading + ")"
	}
	var rows [][]string
	marked := map[list.At]list.Cell{}
	heads := 0              // rows of headings that stand together at the top
	below := map[int]span{} // column → what hangs down into it
	each(n, func(tr *html.Node) {
		if len(rows) > maxRows { // the heading is one of them
			f.long = where
			return
		}
		cells, allHeads := row(tr, below)
		texts := make([]string, len(cells))
		for i := range cells {
			texts[i] = cells[i].text
			if c := cells[i].Cell; c.Struck || len(c.Lines) > 1 {
				marked[list.At{Row: len(rows), Column: i}] = c
			}
		}
		if allHeads && heads == len(rows) {
			heads++
		}
		rows = append(rows, texts)
	}, func(caption string) {
		where = fmt.Sprintf("table %d (%s)", len(f.sheets)+1, caption)
	})
	rows, marked = mergeHeads(rows, marked, heads)
	for len(rows) > 0 && strings.Join(rows[0], "") == "" {
		rows, marked = rows[1:], up(marked, 1)
	}
	if len(rows) < 2 {
		return list.Sheet{}, false // a heading and a row at least
	}
	return list.Table(where, rows, marked, nil)
}

// up moves what is known of cells to earlier rows.
func up(marked map[list.At]list.Cell, by int) map[list.At]list.Cell {
	out := map[list.At]list.Cell{}
	for at, c := range marked {
		if at.Row >= by {
			out[list.At{Row: at.Row - by, Column: at.Column}] = c
		}
	}
	return out
}

// mergeHeads makes one heading of several rows of them: what stands lowest, and what stands over it
// where the lowest is the same in several columns. A row whose cells are one text is a title and stays.
func mergeHeads(rows [][]string, marked map[list.At]list.Cell, heads int) ([][]string, map[list.At]list.Cell) {
	first := 0
	for first < heads && same(rows[first]) {
		first++
	}
	if heads-first < 2 || heads == len(rows) {
		return rows, marked
	}
	last := slices.Clone(rows[heads-1])
	for i := range last {
		others := slices.Concat(rows[heads-1][:i], rows[heads-1][i+1:])
		if last[i] != "" && !slices.Contains(others, last[i]) {
			continue // it says enough by itself
		}
		for k := heads - 2; k >= first; k-- {
			if i < len(rows[k]) && rows[k][i] != "" && !strings.Contains(last[i], rows[k][i]) {
				last[i] = strings.TrimSpace(rows[k][i] + " " + last[i])
			}
		}
	}
	merged := slices.Concat(rows[:first], [][]string{last}, rows[heads:])
	return merged, up(marked, heads-first-1)
}

func same(row []string) bool {
	for _, c := range row {
		if c != row[0] {
			return false
		}
	}
	return true
}

type span struct {
	left int
	cell cell
}

// cell is a cell with its text.
type cell struct {
	list.Cell
	text string // marks of footnotes stand in it as list.InText writes them
}

// row reads the cells of a row, and says whether all of them are headings.
func row(tr *html.Node, below map[int]span) (out []cell, heads bool) {
	hang := func() {
		for b := below[len(out)]; b.left > 0 && len(out) < maxCells; b = below[len(out)] {
			b.left--
			below[len(out)] = b
			out = append(out, b.cell)
		}
	}
	heads = true
	for c := tr.FirstChild; c != nil; c = c.NextSibling {
		if c.Type != html.ElementNode || c.Data != "td" && c.Data != "th" {
			continue
		}
		heads = heads && c.Data == "th"
		hang()
		t, wide, deep := readCell(c), number(c, "colspan"), number(c, "rowspan")
		for range wide {
			if len(out) >= maxCells {
				return out, heads
			}
			if deep > 1 {
				below[len(out)] = span{deep - 1, t}
			}
			out = append(out, t)
		}
	}
	hang()
	return out, heads && len(out) > 0
}

// each calls for every row of a table that is not in a table within it.
func each(n *html.Node, tr func(*html.Node), caption func(string)) {
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if c.Type != html.ElementNode {
			continue
		}
		switch c.Data {
		case "tr":
			tr(c)
		case "caption":
			if t := text(c); t != "" {
				caption(t)
			}
		case "table":
		default:
			each(c, tr, caption)
		}
	}
}

// maxSpan bounds what a cell may claim to span.
const maxSpan = 1000

func number(n *html.Node, key string) int {
	for _, a := range n.Attr {
		if a.Key == key {
			var x int
			if _, err := fmt.Sscanf(a.Val, "%d", &x); err == nil && x >= 1 {
				return min(x, maxSpan)
			}
		}
	}
	return 1
}

func attribute(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

// readCell reads what a reader sees of a node: marks of footnotes and struck-out text apart.
func readCell(n *html.Node) cell {
	r := reader{}
	r.walk(n, false)
	out := cell{text: flat(r.plain.String())}
	if out.text == "" && r.struck.Len() > 0 {
		out.text, out.Struck = flat(r.struck.String()), flat(r.struck.String()) != ""
	}
	for _, line := range strings.Split(r.plain.String(), "\n") {
		if line = flat(line); line != "" {
			out.Lines = append(out.Lines, line)
		}
	}
	if len(out.Lines) < 2 {
		out.Lines = nil
	}
	return out
}

// text is what a reader sees of a node, in one line and without marks of footnotes.
func text(n *html.Node) string {
	plain, _ := list.Unmark(list.Plain(readCell(n).text))
	return plain
}

func flat(s string) string { return strings.Join(strings.Fields(s), " ") }

// reader puts the text of a node together.
type reader struct {
	plain, struck strings.Builder
}

func (r *reader) walk(n *html.Node, struck bool) {
	to := &r.plain
	if struck {
		to = &r.struck
	}
	if n.Type == html.TextNode {
		to.WriteString(n.Data)
		return
	}
	if n.Type == html.ElementNode {
		switch n.Data {
		case "script", "style", "template", "noscript":
			return
		case "sup":
			if r.mark(n) {
				return
			}
		case "br", "p", "li", "div":
			to.WriteByte('\n')
		case "td", "th":
			to.WriteByte(' ')
		}
		struck = struck || lineThrough(n)
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		r.walk(c, struck)
	}
}

// lineThrough says whether an element strikes out what it holds.
func lineThrough(n *html.Node) bool {
	style := strings.ReplaceAll(strings.ToLower(attribute(n, "style")), " ", "")
	return n.Data == "s" || n.Data == "del" || n.Data == "strike" || strings.Contains(style, "line-through")
}

// mark takes a text above the line as marks of footnotes; it says false for a text that is a part of
// the line, such as the th of 11th.
func (r *reader) mark(sup *html.Node) bool {
	var inner reader
	for c := sup.FirstChild; c != nil; c = c.NextSibling {
		inner.walk(c, false)
	}
	t := flat(inner.plain.String())
	parts := strings.FieldsFunc(t, func(c rune) bool { return c == ',' || c == ' ' || c == ';' })
	for _, p := range parts {
		if !list.IsMark(p) {
			return !slices.Contains([]string{"st", "nd", "rd", "th"}, strings.ToLower(t))
		}
	}
	for _, p := range parts {
		r.plain.WriteString(list.InText(p))
	}
	return true
}
