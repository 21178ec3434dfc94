package tables

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"rolltop.example/rolltop/core/list"
)

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
	s, ok := list.Table("the table in "+name, rows, nil, nil)
	if !ok {
		return nil, fmt.Errorf("%s has no table; a heading and at least one row are needed", name)
	}
	return []list.Sheet{s}, nil
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

// separator is the one that cuts most of the first lines into the same number of fields, and into the
// most: titles above a table have fewer.
func separator(src []byte) rune {
	best, score := ',', 0
	for _, sep := range []rune{',', ';', '\t', '|'} {
		in := csv.NewReader(bytes.NewReader(src))
		in.Comma, in.LazyQuotes, in.FieldsPerRecord = sep, true, -1
		lines := map[int]int{}
		for range 30 {
			rec, err := in.Read()
			if err != nil {
				break
			}
			lines[len(rec)]++
		}
		for fields, n := range lines {
			if s := (fields - 1) * n; s > score {
				best, score = sep, s
			}
		}
	}
	return best
}
