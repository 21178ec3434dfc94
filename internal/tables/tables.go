// Package tables finds the tables of a file that was saved or exported: the
// tables of an HTML page, those of a workbook, or one of comma-separated values in
// whatever encoding and with whatever separator a spreadsheet wrote it.
package tables

import (
	"bytes"
	"fmt"

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
		return readWorkbook(name, src)
	case isHTML(src):
		return readHTML(name, src)
	}
	return readCSV(name, src)
}
