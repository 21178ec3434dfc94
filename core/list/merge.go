package list

import (
	"fmt"
	"slices"
	"strings"
)

// Update is a list after a newer page was read.
type Update struct {
	Rows    []RowDoc
	Added   []string // names that the page has and the list had not
	Removed []string // names that the page has no longer
	Changed []string // sentences: what the page changes of a row
	Kept    []string // sentences: corrections made by hand that stay
}

// Merge brings the rows of a list up to a newer page. current are the rows as they are, former those
// that the earlier page gave, fresh those of the newer page. What differs between former and current
// was corrected by hand and stays, rows that were added or taken out by hand included; without former,
// nothing is known to be a correction, but a value that the page does not have stays.
func Merge(current, former, fresh []RowDoc) Update {
	was, page := byKey(former), byKey(fresh)
	have := byKey(current)
	var out Update
	kept := func(format string, args ...any) { out.Kept = append(out.Kept, fmt.Sprintf(format, args...)) }
	for i := range current {
		row := current[i]
		key := Normal(row.Name)
		before, wasThere := was[key]
		now, isThere := page[key]
		switch {
		case isThere:
			out.Rows = append(out.Rows, out.merge(&row, before, now))
		case len(former) > 0 && !wasThere:
			kept("%s: added by hand.", row.Name)
			out.Rows = append(out.Rows, row)
		default:
			out.Removed = append(out.Removed, row.Name)
		}
	}
	for i := range fresh {
		key := Normal(fresh[i].Name)
		if have[key] != nil {
			continue
		}
		if was[key] != nil {
			kept("%s: taken out by hand.", fresh[i].Name)
			continue
		}
		out.Added = append(out.Added, fresh[i].Name)
		out.Rows = append(out.Rows, fresh[i])
	}
	return out
}

// merge is a row with what the page changes of it.
func (u *Update) merge(row, before, now *RowDoc) RowDoc {
	out := *now
	out.Name = row.Name
	for _, field := range columns[1:] {
		have, page := row.text(field), now.text(field)
		if have == page {
			continue
		}
		corrected := before != nil && before.text(field) != have
		if corrected || before == nil && page == "" {
			out.copyField(row, field)
			u.Kept = append(u.Kept, fmt.Sprintf("%s: %s stays %s; the page says %s.", row.Name, field,
				orNothing(have), orNothing(page)))
			continue
		}
		u.Changed = append(u.Changed, fmt.Sprintf("%s: %s was %s and is %s.", row.Name, field, orNothing(have),
			orNothing(page)))
	}
	return out
}

func orNothing(s string) string {
	if s == "" {
		return "empty"
	}
	return s
}

func byKey(rows []RowDoc) map[string]*RowDoc {
	out := make(map[string]*RowDoc, len(rows))
	for i := range rows {
		out[Normal(rows[i].Name)] = &rows[i]
	}
	return out
}

// text is a field of a row as a file of rows has it.
func (row *RowDoc) text(field string) string {
	cells := row.cells()
	return cells[slices.Index(columns, field)]
}

func (row *RowDoc) copyField(from *RowDoc, field string) {
	switch field {
	case "cores":
		row.Cores = from.Cores
	case "rated_mhz":
		row.RatedMHz = from.RatedMHz
	case "architecture":
		row.Architecture = from.Architecture
	case "built_in_tpm":
		row.BuiltInTPM = from.BuiltInTPM
	case "features":
		row.Features = slices.Clone(from.Features)
	case "model_year":
		row.ModelYear = from.ModelYear
	case "note":
		row.Note = strings.Clone(from.Note)
	}
}
