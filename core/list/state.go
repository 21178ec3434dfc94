package list

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
)

// settable refuses fields that a statement cannot fill, and values that they do not take.
func (im *importer) settable() error {
	for field, value := range im.o.Set {
		if !slices.Contains(columns[1:], field) {
			return fmt.Errorf("a list has no field %q that can be set; %s", field, doc.Suggest(field, columns[1:]))
		}
		head := field
		if field == "rated_mhz" {
			head = "MHz"
		}
		if why := im.set(&RowDoc{}, field, value, head); why != "" || value == "" {
			return fmt.Errorf("%s=%s: %s", field, value, strings.TrimSuffix(cmp.Or(why, "a value is missing"),
				"; the value was ignored"))
		}
	}
	return nil
}

// state gives a row what the page states of all rows but those with some marks.
func (im *importer) state(row *RowDoc, marks []string) {
	for _, m := range im.o.ExceptMarked {
		if slices.Contains(marks, MarkOf(m)) {
			return
		}
	}
	for _, field := range columns[1:] {
		if value, ok := im.o.Set[field]; ok && !row.has(field) {
			head := field
			if field == "rated_mhz" {
				head = "MHz"
			}
			im.set(row, field, value, head)
		}
	}
}

// only gives a row the condition of its mark.
func (im *importer) only(n int, row *RowDoc, marks []string) {
	for _, mark := range slices.Sorted(maps.Keys(im.o.OnlyMarked)) {
		if !slices.Contains(marks, MarkOf(mark)) {
			continue
		}
		if id := im.o.OnlyMarked[mark]; row.Only == "" {
			row.Only = id
		} else if row.Only != id {
			im.out.Dropped = append(im.out.Dropped, Dropped{n, clip(row.Name),
				fmt.Sprintf("it has the marks of two conditions; %s is left out, and has to be part of %s", id,
					row.Only), true})
		}
	}
}

// has says whether a row has a value of a field.
func (row *RowDoc) has(field string) bool {
	switch field {
	case "cores":
		return row.Cores > 0
	case "rated_mhz":
		return row.RatedMHz > 0
	case "architecture":
		return row.Architecture != ""
	case "built_in_tpm":
		return row.BuiltInTPM != nil
	case "features":
		return row.Features != nil
	case "model_year":
		return row.ModelYear > 0
	}
	return row.Note != ""
}
