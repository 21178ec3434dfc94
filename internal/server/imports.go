package server

import (
	"context"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/tables"
)

// Rows, values and names of an import that an answer shows; the file holds all.
const (
	previewRows    = 100
	previewDropped = 200
	previewNames   = 20
)

const notImported = "The list cannot be imported"

func (s releasesAPI) importList(
	ctx context.Context, in *struct{ Body api.ImportList },
) (out api.ImportedList, err error) {
	sheets, err := tables.Read(in.Body.Name, in.Body.Content)
	if err != nil {
		return out, refuse(notImported, "%s", err)
	}
	o := list.ImportOptions{
		Columns:      in.Body.Columns,
		Prefix:       in.Body.Prefix,
		Set:          in.Body.Set,
		ExceptMarked: in.Body.Except,
		OnlyMarked:   in.Body.Only,
	}
	if o.Names, err = s.Index.Texts(ctx, fact.ProcessorName, fact.DeviceModelID); err != nil {
		return out, err
	}
	at, got, err := list.ImportTables(sheets, in.Body.Tables, o)
	if err != nil {
		return out, refuse(notImported, "%s", err)
	}
	changes, err := update(&in.Body, got, o)
	if err != nil {
		return out, err
	}
	out = imported(sheets, at, got)
	out.Changes = changes
	return out, nil
}

// update compares what was imported with the rows that the list has, and keeps corrections.
func update(in *api.ImportList, got *list.Imported, o list.ImportOptions) (*api.ListChanges, error) {
	if in.Current == "" {
		return nil, nil
	}
	r := &doc.Report{Name: "the current rows"}
	current := list.ReadRows("the current rows", []byte(in.Current), r)
	if err := r.Err(); err != nil {
		return nil, refuse(notImported, "%s", err)
	}
	var former []list.RowDoc
	if len(in.Former) > 0 {
		sheets, err := tables.Read("the former file", in.Former)
		if err != nil {
			return nil, refuse(notImported, "%s", err)
		}
		_, was, err := list.ImportTables(sheets, in.Tables, o)
		if err != nil {
			return nil, refuse(notImported, "the former file: %s", err)
		}
		former = was.Rows
	}
	u := list.Merge(current, former, got.Rows)
	got.Rows = u.Rows
	return &api.ListChanges{
		Added: few(u.Added), Removed: few(u.Removed), Changed: few(u.Changed), Kept: few(u.Kept),
	}, nil
}

// imported says what became of a file.
func imported(sheets []list.Sheet, at []int, got *list.Imported) api.ImportedList {
	out := api.ImportedList{
		Tables:  []api.FoundTable{},
		Heads:   []string{},
		Above:   []string{},
		Used:    []api.UsedColumn{},
		Ignored: append([]string{}, got.Ignored...),
		Guessed: append([]string{}, got.Guessed...),
		Notes:   []api.Footnote{},
		Series:  []api.Series{},
		Rows:    append([]list.RowDoc{}, got.Rows[:min(len(got.Rows), previewRows)]...),
		Total:   len(got.Rows),
		Dropped: []api.DroppedRow{},
		CSV:     string(list.WriteRows(got.Rows)),
	}
	for _, i := range at {
		out.Chosen = append(out.Chosen, i+1)
		out.Heads = append(out.Heads, sheets[i].Heads...)
		out.Above = append(out.Above, sheets[i].Above...)
	}
	for _, sh := range sheets {
		out.Tables = append(out.Tables, api.FoundTable{Where: sh.Where, Heads: sh.Heads, Rows: len(sh.Rows)})
	}
	for _, u := range got.Used {
		out.Used = append(out.Used, api.UsedColumn{Field: u.Field, From: u.From})
	}
	for _, m := range got.Marked {
		out.Notes = append(out.Notes, api.Footnote{Mark: m.Mark, Text: m.Text, Names: few(m.Names), Rows: len(m.Names)})
	}
	for i := range got.Series {
		p := &got.Series[i]
		out.Series = append(out.Series, api.Series{
			Row:      p.Row,
			Says:     p.Says,
			Rules:    p.YAML(),
			Why:      sentence(p.Why),
			Included: few(p.Included),
			Excluded: few(p.Excluded),
			Left:     few(p.Left),
		})
	}
	for _, d := range got.Dropped {
		if !d.Kept {
			out.Left++
		}
		if len(out.Dropped) < previewDropped {
			out.Dropped = append(out.Dropped, api.DroppedRow(d))
		}
	}
	return out
}

// sentence is a reason as a sentence; "" where there is none.
func sentence(why string) string {
	if why == "" {
		return ""
	}
	return say.Sentence(why)
}

// few are the first of some names; never nil, so that an answer has a list.
func few(names []string) []string {
	return append([]string{}, names[:min(len(names), previewNames)]...)
}
