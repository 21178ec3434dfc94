package server

import (
	"context"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/tables"
)

func (s releasesAPI) importApplications(
	_ context.Context, in *struct{ Body api.ImportApplications },
) (out api.ImportedApplications, err error) {
	const refused = "The applications cannot be imported"
	sheets, err := tables.Read(in.Body.Name, in.Body.Content)
	if err != nil {
		return out, refuse(refused, "%s", err)
	}
	at, got, err := release.ImportApplicationTables(sheets, in.Body.Table, release.ApplicationOptions{
		Columns: in.Body.Columns,
		States:  in.Body.States,
	})
	if err != nil {
		return out, refuse(refused, "%s", err)
	}
	out = api.ImportedApplications{
		Tables:   []api.FoundTable{},
		Chosen:   at + 1,
		Heads:    sheets[at].Heads,
		Used:     []api.UsedColumn{},
		Ignored:  append([]string{}, got.Ignored...),
		Guessed:  append([]string{}, got.Guessed...),
		Dropped:  []api.DroppedRow{},
		Rows:     []api.ImportedApplication{},
		Document: string(release.WriteApplications(got.Entries)),
		Total:    len(got.Entries),
	}
	for _, sheet := range sheets {
		out.Tables = append(out.Tables, api.FoundTable{Where: sheet.Where, Rows: len(sheet.Rows), Heads: sheet.Heads})
	}
	for _, u := range got.Used {
		out.Used = append(out.Used, api.UsedColumn{Field: u.Field, From: u.From})
	}
	for i, d := range got.Dropped {
		if i == previewDropped {
			break
		}
		out.Dropped = append(out.Dropped, api.DroppedRow{Row: d.Row, Text: d.Text, Why: d.Why})
	}
	for i := range got.Entries {
		e := &got.Entries[i]
		for j := range e.Versions {
			if v := &e.Versions[j]; len(out.Rows) < previewRows {
				out.Rows = append(out.Rows, api.ImportedApplication{
					Name:      e.Name[0],
					Publisher: e.Publisher,
					Versions:  say.VersionRange(v),
					Says:      say.Known(v.Is),
					Weighs:    say.Weight(v.Work()),
					Note:      v.Note,
					Terms:     say.Terms(v.Cure, v.Cost, v.Decides),
				})
			}
		}
	}
	return out, nil
}
