package server

import (
	"context"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/tables"
)

// keptPages are the pages that a release keeps as evidence.
func keptPages(rel *release.Release) []api.KeptPage {
	out := []api.KeptPage{}
	for _, p := range rel.Pages {
		out = append(out, api.KeptPage{
			ID: p.ID, Source: p.Source, Saved: p.Saved, SHA256: p.SHA256, Sentences: p.Lines,
		})
	}
	return out
}

func (s releasesAPI) comparePage(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body api.ComparePage
}) (out api.PageComparison, err error) {
	rel, err := s.findRelease(ctx, in.ID, in.Body.Revision)
	if err != nil {
		return out, err
	}
	page := rel.PageOf(in.Body.Page)
	if page == nil {
		return out, refuse("The page cannot be compared", "%s", say.NoPage(rel, in.Body.Page))
	}
	text, err := tables.PageText(in.Body.Name, in.Body.Content)
	if err != nil {
		return out, refuse("The page cannot be compared", "%s", err)
	}
	return api.ComparedPage(rel.ComparePage(page, text)), nil
}
