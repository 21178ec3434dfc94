package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
)

// column is a column of a list.
type column[R any] struct {
	name  string          // in CSV; "" where CSV does not have it
	head  string          // in text
	value func(*R) string // in CSV, and in text unless text is there
	text  func(*R) string
	only  bool // in CSV only
}

// listing is how the rows of a list are printed.
type listing[R any] struct {
	format  string // of the JSON document, such as rolltop-users/1
	columns []column[R]
	none    string // what is said in text where there are no rows
	after   func(*paper)
}

// print prints rows in a form: as text, as the JSON document whole, as one JSON object a line, or as CSV.
func (l *listing[R]) print(c *place, form string, whole any, rows []R) error {
	switch form {
	case "json":
		return printDocument(c.out(), l.format, whole)
	case "ndjson":
		return printLines(c.out(), rows)
	case "csv":
		return printCSV(c.out(), l.heads(false), l.cells(rows, false))
	}
	p := c.paper()
	if len(rows) == 0 && l.none != "" {
		p.line("%s", l.none)
	} else if len(rows) > 0 {
		p.table(l.heads(true), l.cells(rows, true))
	}
	if l.after != nil {
		l.after(p)
	}
	return nil
}

// has says whether text, or else CSV, has a column.
func (l *listing[R]) has(c *column[R], text bool) bool {
	return text && !c.only || !text && c.name != ""
}

func (l *listing[R]) heads(text bool) []string {
	var out []string
	for i := range l.columns {
		switch c := &l.columns[i]; {
		case !l.has(c, text):
		case text:
			out = append(out, c.head)
		default:
			out = append(out, c.name)
		}
	}
	return out
}

func (l *listing[R]) cells(rows []R, text bool) [][]string {
	out := make([][]string, len(rows))
	for r := range rows {
		for i := range l.columns {
			switch c := &l.columns[i]; {
			case !l.has(c, text):
			case text && c.text != nil:
				out[r] = append(out[r], c.text(&rows[r]))
			default:
				out[r] = append(out[r], c.value(&rows[r]))
			}
		}
	}
	return out
}

// printLines prints one JSON object a line.
func printLines[R any](to io.Writer, rows []R) error {
	e := json.NewEncoder(to)
	e.SetEscapeHTML(false)
	for i := range rows {
		if err := e.Encode(&rows[i]); err != nil {
			return err
		}
	}
	return nil
}

// printDocument prints a JSON object with its format as the first key.
func printDocument(to io.Writer, format string, v any) error {
	body, err := json.Marshal(v)
	if err != nil {
		return err
	}
	if !bytes.HasPrefix(body, []byte("{")) {
		return fmt.Errorf("a document of the format %s is not an object", format)
	}
	head := []byte(fmt.Sprintf(`{"format":%q`, format))
	if !bytes.Equal(body, []byte("{}")) {
		head = append(head, ',')
	}
	return printJSON(to, json.RawMessage(append(head, body[1:]...)))
}
