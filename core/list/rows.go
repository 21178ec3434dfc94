package list

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/doc"
)

// MaxRows is how many rows a list may have.
const MaxRows = 100_000

// Years in which models came out.
const (
	firstYear = 1970
	lastYear  = 2200
)

// columns of a file of rows, in the order in which they are written.
var columns = []string{"name", "cores", "rated_mhz", "architecture", "built_in_tpm", "features", "model_year", "only",
	"note"}

// ReadRows reads the rows of a list from a CSV file (RFC 4180) whose first line
// names the columns. Mistakes go to r with their line and column in the file.
func ReadRows(file string, src []byte, r *doc.Report) []RowDoc {
	if len(src) > doc.MaxBytes {
		r.AddIn(file, 1, 1, "the file is too large", fmt.Sprintf("at most %d MiB", doc.MaxBytes>>20))
		return nil
	}
	in := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(src, []byte("\xef\xbb\xbf"))))
	in.ReuseRecord = true
	in.FieldsPerRecord = -1
	var heads []string
	var out []RowDoc
	for {
		rec, err := in.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if wrong := new(csv.ParseError); errors.As(err, &wrong) {
			r.AddIn(file, wrong.Line, wrong.Column, wrong.Err.Error(),
				"put texts with commas or quotes in double quotes")
			return nil
		}
		if heads == nil {
			if heads = readHeads(file, rec, in, r); heads == nil {
				return nil
			}
			continue
		}
		line, col := in.FieldPos(0)
		if len(rec) != len(heads) {
			r.AddIn(file, line, col, fmt.Sprintf("the row has %d fields and the heading %d", len(rec), len(heads)),
				"leave a field empty rather than out")
			continue
		}
		if len(out) == MaxRows {
			r.AddIn(file, line, col, fmt.Sprintf("the list has more than %d rows", MaxRows),
				"split it, or use naming rules")
			return nil
		}
		out = append(out, readRow(file, heads, rec, in, r))
	}
	if heads == nil {
		r.AddIn(file, 1, 1, "the file is empty", "its first line names the columns: "+strings.Join(columns, ","))
	} else if len(out) == 0 {
		r.AddIn(file, 1, 1, "the list has no rows", "give one row at least below the heading")
	}
	return out
}

// readHeads reads the names of the columns; nil where they have a mistake.
func readHeads(file string, rec []string, in *csv.Reader, r *doc.Report) []string {
	heads, before := slices.Clone(rec), r.Count()
	for i, h := range heads {
		line, col := in.FieldPos(i)
		switch {
		case !slices.Contains(columns, h):
			r.AddIn(file, line, col, fmt.Sprintf("unknown column %q", h), doc.Suggest(h, columns))
		case slices.Contains(heads[:i], h):
			r.AddIn(file, line, col, fmt.Sprintf("the column %q appears twice", h), "")
		}
	}
	if r.Count() == before && !slices.Contains(heads, "name") {
		r.AddIn(file, 1, 1, `the column "name" is missing`, "machines are compared with it")
	}
	if r.Count() > before {
		return nil
	}
	return heads
}

func readRow(file string, heads, rec []string, in *csv.Reader, r *doc.Report) RowDoc {
	var row RowDoc
	line, col := in.FieldPos(0)
	row.Node = &doc.Node{File: file, Line: line, Col: col}
	for i, h := range heads {
		text := strings.TrimSpace(rec[i])
		if text == "" {
			continue
		}
		if wrong, right := row.set(h, text); wrong != "" {
			line, col := in.FieldPos(i)
			r.AddIn(file, line, col, wrong, right)
		}
	}
	return row
}

// set reads the text of one column.
func (row *RowDoc) set(column, text string) (wrong, right string) {
	whole := func(to *int, least, most int) {
		n, err := strconv.Atoi(text)
		if err != nil || n < least || n > most {
			wrong, right = fmt.Sprintf("%q is not a number for %s", clip(text), column),
				fmt.Sprintf("digits alone, from %d to %d", least, most)
			return
		}
		*to = n
	}
	switch column {
	case "name":
		row.Name = text
	case "only":
		row.Only = text
	case "note":
		row.Note = text
	case "cores":
		whole(&row.Cores, 1, 65536)
	case "rated_mhz":
		whole(&row.RatedMHz, 1, 100_000)
	case "model_year":
		whole(&row.ModelYear, firstYear, lastYear)
	case "architecture":
		kinds := []string{"x86", "x86-64", "arm64"}
		if row.Architecture = text; !slices.Contains(kinds, text) {
			return fmt.Sprintf("%q is not an architecture", clip(text)), doc.Suggest(text, kinds)
		}
	case "built_in_tpm":
		yes := text == "true"
		if row.BuiltInTPM = &yes; !yes && text != "false" {
			return fmt.Sprintf("%q is not true or false", clip(text)),
				"write true or false, or leave it empty where nothing is known"
		}
	case "features":
		row.Features = strings.Fields(strings.ToLower(text))
	}
	return wrong, right
}

func clip(s string) string {
	if len(s) <= 40 {
		return s
	}
	return strings.ToValidUTF8(s[:37], "") + "…"
}

// WriteRows writes rows as a CSV file that [ReadRows] reads: the columns that
// some row has.
func WriteRows(rows []RowDoc) []byte {
	used := make([]bool, len(columns))
	used[0] = true
	for i := range rows {
		for j, c := range rows[i].cells() {
			used[j] = used[j] || c != ""
		}
	}
	pick := func(cells []string) []string {
		var out []string
		for j, c := range cells {
			if used[j] {
				out = append(out, c)
			}
		}
		return out
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	_ = w.Write(pick(columns)) // into memory: it cannot fail
	for i := range rows {
		_ = w.Write(pick(rows[i].cells()))
	}
	w.Flush()
	return b.Bytes()
}

// cells are the fields of a row in the order of the columns.
func (row *RowDoc) cells() []string {
	number := func(n int) string {
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	tpm := ""
	if row.BuiltInTPM != nil {
		tpm = strconv.FormatBool(*row.BuiltInTPM)
	}
	return []string{
		row.Name, number(row.Cores), number(row.RatedMHz), row.Architecture, tpm, strings.Join(row.Features, " "),
		number(row.ModelYear), row.Only, row.Note,
	}
}
