package list

import (
	"cmp"
	"fmt"
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
	}
	return row.Note != ""
}
