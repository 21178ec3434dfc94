package tables

import (
	"bytes"
	"fmt"

	"github.com/xuri/excelize/v2"

	"rolltop.example/rolltop/core/list"
)

// Limits of a workbook, which is compressed: what it may unpack to, in bytes.
const (
	maxWorkbook = 256 << 20
	maxPart     = 16 << 20 // beyond it a part is unpacked to a file
)

// readWorkbook finds the tables of a workbook: one of each of its sheets.
func readWorkbook(name string, src []byte) ([]list.Sheet, error) {
	f, err := excelize.OpenReader(bytes.NewReader(src),
		excelize.Options{UnzipSizeLimit: maxWorkbook, UnzipXMLSizeLimit: maxPart, RawCellValue: true})
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read as a workbook; save it again as XLSX, or as CSV", name)
	}
	defer f.Close()
	var out []list.Sheet
	for _, sheet := range f.GetSheetList() {
		if len(out) == maxTables {
			break
		}
		rows, err := f.Rows(sheet)
		if err != nil {
			return nil, fmt.Errorf("the sheet %s of %s cannot be read; save it again", sheet, name)
		}
		texts, err := rowsOf(rows, name, sheet)
		if err != nil {
			return nil, err
		}
		if s, ok := list.Table("the sheet "+sheet, texts, struckOut(f, sheet, texts), nil); ok {
			out = append(out, s)
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%s has no table; a heading and at least one row are needed", name)
	}
	return out, nil
}

// rowsOf reads the rows of a sheet up to the limit.
func rowsOf(rows *excelize.Rows, name, sheet string) ([][]string, error) {
	defer rows.Close()
	var out [][]string
	for rows.Next() {
		if len(out) > maxRows {
			return nil, fmt.Errorf("the sheet %s of %s has more than %d rows; split it", sheet, name, maxRows)
		}
		cells, err := rows.Columns()
		if err != nil {
			return nil, fmt.Errorf("the sheet %s of %s cannot be read; save it again", sheet, name)
		}
		out = append(out, cells[:min(len(cells), maxCells)])
	}
	return out, nil
}

// lookedAt are the rows whose style is looked at: it is read cell by cell.
const lookedAt = 5000

// struckOut finds the cells whose text is struck out.
func struckOut(f *excelize.File, sheet string, rows [][]string) map[list.At]list.Cell {
	out := map[list.At]list.Cell{}
	strikes := map[int]bool{}
	for i := range rows[:min(len(rows), lookedAt)] {
		for j, text := range rows[i] {
			at, err := excelize.CoordinatesToCellName(j+1, i+1)
			if err != nil || text == "" {
				continue
			}
			id, err := f.GetCellStyle(sheet, at)
			if err != nil {
				continue
			}
			struck, known := strikes[id]
			if !known {
				style, err := f.GetStyle(id)
				struck = err == nil && style.Font != nil && style.Font.Strike
				strikes[id] = struck
			}
			if struck {
				out[list.At{Row: i, Column: j}] = list.Cell{Struck: true}
			}
		}
	}
	return out
}
