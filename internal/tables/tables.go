// Package tables finds the tables of a file that was saved or exported: the
// tables of an HTML page, or one of comma-separated values in whatever encoding
// and with whatever separator a spreadsheet wrote it.
package tables

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html"
	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"rolltop.example/rolltop/core/list"
)

// Limits of what is read.
const (
	MaxBytes  = 32 << 20
	maxTables = 500
	maxRows   = list.MaxRows
	maxCells  = 200 // in a row
)

// Read finds the tables in a file.
func Read(name string, src []byte) ([]list.Sheet, error) {
	switch {
	case len(src) > MaxBytes:
		return nil, fmt.Errorf("%s is too large: at most %d MiB", name, MaxBytes>>20)
	case len(bytes.TrimSpace(src)) == 0:
		return nil, fmt.Errorf("%s is empty", name)
	case bytes.HasPrefix(src, []byte("PK\x03\x04")):
		return nil, fmt.Errorf("%s is a spreadsheet file; save it as CSV first", name)
	case isHTML(src):
		return readHTML(name, src)
	}
	return readCSV(name, src)
}

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
}

func (f *finder) walk(n *html.Node) {
	if n.Type == html.ElementNode {
		switch n.Data {
		case "h1", "h2", "h3", "h4":
			f.heading = text(n)
		case "script", "style", "template":
			return
		case "table":
			if s, ok := f.table(n); ok && len(f.sheets) < maxTables {
				f.sheets = append(f.sheets, s)
			}
		}
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		f.walk(c)
	}
}

// table reads the rows of a table without those of tables within it. Spans are
// filled with what they span.
func (f *finder) table(n *html.Node) (list.Sheet, bool) {
	s := list.Sheet{Where: fmt.Sprintf("table %d", len(f.sheets)+1)}
	if f.heading != "" {
		s.Where += " (" + f.heading + ")"
	}
	var rows [][]string
	below := map[int]span{} // column → what hangs down into it
	each(n, func(tr *html.Node) {
		if len(rows) > maxRows { // the heading is one of them
			f.long = s.Where
			return
		}
		rows = append(rows, row(tr, below))
	}, func(caption string) {
		s.Where = fmt.Sprintf("table %d (%s)", len(f.sheets)+1, caption)
	})
	for len(rows) > 0 && strings.Join(rows[0], "") == "" {
		rows = rows[1:]
	}
	if len(rows) < 2 {
		return s, false // a heading and a row at least
	}
	s.Heads, s.Rows = rows[0], rows[1:]
	return s, true
}

type span struct {
	left int
	text string
}

func row(tr *html.Node, below map[int]span) []string {
	var out []string
	hang := func() {
		for b := below[len(out)]; b.left > 0 && len(out) < maxCells; b = below[len(out)] {
			b.left--
			below[len(out)] = b
			out = append(out, b.text)
		}
	}
	for c := tr.FirstChild; c != nil; c = c.NextSibling {
		if c.Type != html.ElementNode || c.Data != "td" && c.Data != "th" {
			continue
		}
		hang()
		t, wide, deep := text(c), number(c, "colspan"), number(c, "rowspan")
		for range wide {
			if len(out) >= maxCells {
				return out
			}
			if deep > 1 {
				below[len(out)] = span{deep - 1, t}
			}
			out = append(out, t)
		}
	}
	hang()
	return out
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

// text is what a reader sees of a node: no footnote marks, one blank for any.
func text(n *html.Node) string {
	var b strings.Builder
	var walk func(*html.Node)
	walk = func(n *html.Node) {
		switch {
		case n.Type == html.TextNode:
			b.WriteString(n.Data)
		case n.Type == html.ElementNode && (n.Data == "sup" || n.Data == "script" || n.Data == "style"):
			return
		case n.Type == html.ElementNode &&
			(n.Data == "br" || n.Data == "p" || n.Data == "li" || n.Data == "div" || n.Data == "td" || n.Data == "th"):
			b.WriteByte(' ')
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		walk(c)
	}
	return strings.Join(strings.Fields(b.String()), " ")
}

func readCSV(name string, src []byte) ([]list.Sheet, error) {
	plain, err := decode(src)
	if err != nil {
		return nil, fmt.Errorf("the encoding of %s cannot be read: %w", name, err)
	}
	in := csv.NewReader(bytes.NewReader(plain))
	in.Comma, in.LazyQuotes, in.FieldsPerRecord = separator(plain), true, -1
	var rows [][]string
	for {
		rec, err := in.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read as a table: %w", name, err)
		}
		if len(rows) > maxRows {
			return nil, fmt.Errorf("%s has more than %d rows; split it", name, maxRows)
		}
		rows = append(rows, rec[:min(len(rec), maxCells)])
	}
	if len(rows) < 2 {
		return nil, fmt.Errorf("%s has no table; a heading and at least one row are needed", name)
	}
	for i := range rows[0] {
		rows[0][i] = strings.TrimSpace(rows[0][i])
	}
	return []list.Sheet{{Where: "the table in " + name, Heads: rows[0], Rows: rows[1:]}}, nil
}

// decode brings text to UTF-8: by its byte order mark, as it is where it is
// UTF-8 already, and otherwise from the usual encoding of spreadsheets.
func decode(src []byte) ([]byte, error) {
	switch {
	case bytes.HasPrefix(src, []byte("\xef\xbb\xbf")):
		return src[3:], nil
	case bytes.HasPrefix(src, []byte("\xff\xfe")), bytes.HasPrefix(src, []byte("\xfe\xff")):
		return unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder().Bytes(src)
	case utf8.Valid(src):
		return src, nil
	}
	return charmap.Windows1252.NewDecoder().Bytes(src)
}

// separator is the one that cuts the first lines into the most fields, the same
// number in each.
func separator(src []byte) rune {
	best, score := ',', 0
	for _, sep := range []rune{',', ';', '\t', '|'} {
		in := csv.NewReader(bytes.NewReader(src))
		in.Comma, in.LazyQuotes, in.FieldsPerRecord = sep, true, -1
		fields, same := 0, 0
		for range 20 {
			rec, err := in.Read()
			if err != nil {
				break
			}
			if fields == 0 {
				fields = len(rec)
			}
			if len(rec) == fields {
				same++
			}
		}
		if s := (fields - 1) * same; s > score {
			best, score = sep, s
		}
	}
	return best
}
