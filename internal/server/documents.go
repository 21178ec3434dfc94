package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
	"rolltop.example/rolltop/internal/tables"
)

func (s *Server) releaseText(ctx context.Context, in *releaseInput) (*struct{ Body api.ReleaseText }, error) {
	src, err := s.store.ReleaseSource(ctx, in.ID, in.Revision)
	if err != nil {
		return nil, s.problem(err, noRelease(in.ID))
	}
	latest, err := s.release(ctx, in.ID, 0)
	if err != nil {
		return nil, s.problem(err, noRelease(in.ID))
	}
	b, err := release.Unpack(in.ID, src)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := api.ReleaseText{ID: in.ID, Revision: cmp.Or(in.Revision, latest.Revision), Latest: latest.Revision, Document: string(b.Document), Files: b.Files}
	if out.Files == nil {
		out.Files = []release.BundleFile{}
	}
	return &struct{ Body api.ReleaseText }{out}, nil
}

func (s *Server) releaseDifference(ctx context.Context, in *struct {
	ID              string `path:"id" maxLength:"64"`
	Revision        int    `query:"revision" minimum:"0" doc:"The latest where it is not given"`
	Against         string `query:"against" maxLength:"64" doc:"Id of another release; another revision of the same one where it is not given"`
	AgainstRevision int    `query:"against_revision" minimum:"0" doc:"The revision before, or the latest of another release, where it is not given"`
}) (*struct{ Body api.ReleaseDifference }, error) {
	is, err := s.release(ctx, in.ID, in.Revision)
	if err != nil {
		return nil, s.problem(err, noRelease(in.ID))
	}
	against, revision := cmp.Or(in.Against, in.ID), in.AgainstRevision
	if against == in.ID && revision == 0 {
		if revision, err = s.before(ctx, is); err != nil {
			return nil, s.problem(err, "")
		}
		if revision == 0 {
			return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "There is nothing to compare with", Detail: fmt.Sprintf("%s has no revision before %d; name another release to compare it with", is.Name, is.Revision)}
		}
	}
	was, err := s.release(ctx, against, revision)
	if err != nil {
		return nil, s.problem(err, noRelease(against))
	}
	return &struct{ Body api.ReleaseDifference }{api.ReleaseDifference{From: was.Ref(), To: is.Ref(), Changes: changes(was, is)}}, nil
}

// before is the revision before one, or 0.
func (s *Server) before(ctx context.Context, rel *release.Release) (int, error) {
	refs, err := s.store.Releases(ctx)
	best := 0
	for _, r := range refs {
		if r.ID == rel.ID && r.Revision < rel.Revision {
			best = max(best, r.Revision)
		}
	}
	return best, err
}

func changes(was, is *release.Release) []api.Difference {
	out := []api.Difference{}
	for _, d := range say.Difference(was, is) {
		out = append(out, api.Difference{Kind: d.Kind, Subject: d.Subject, Says: d.Says})
	}
	return out
}

func (s *Server) validateRelease(ctx context.Context, in *document) (*struct{ Body api.Validated }, error) {
	if err := in.typed(); err != nil {
		return nil, err
	}
	out := api.Validated{Mistakes: []doc.Mistake{}}
	rel, err := release.Read("the document", in.RawBody, nil)
	if wrong := new(doc.Mistakes); errors.As(err, &wrong) {
		out.Mistakes, out.More = wrong.List, wrong.More
		return &struct{ Body api.Validated }{out}, nil
	} else if err != nil {
		return nil, s.problem(err, "")
	}
	said := describeRelease(rel)
	out.Release, out.Notes = &said, assess.Notes(s.toolbox(), rel)
	switch was, err := s.release(ctx, rel.ID, 0); {
	case err == nil:
		out.Changes = changes(was, rel)
	case !errors.Is(err, store.ErrNotFound):
		return nil, s.problem(err, "")
	}
	return &struct{ Body api.Validated }{out}, nil
}

// following are the latest revisions of releases that follow another: what
// comes next. Drafts do not count.
func (s *Server) following(ctx context.Context, id string) ([]*release.Release, error) {
	refs, err := s.store.Releases(ctx)
	if err != nil {
		return nil, err
	}
	var out []*release.Release
	seen := map[string]bool{}
	for _, r := range refs { // the latest of each first
		if r.Follows != id || r.Draft || seen[r.ID] {
			continue
		}
		seen[r.ID] = true
		rel, err := s.release(ctx, r.ID, r.Revision)
		if err != nil {
			return nil, err
		}
		out = append(out, rel)
	}
	return out, nil
}

func (s *Server) titles(context.Context, *struct{}) (*struct{ Body api.Titles }, error) {
	out := api.Titles{Titles: []string{}}
	for _, class := range []string{fact.PC, fact.Mac} {
		if t, ok := s.target(class); ok {
			out.Titles = append(out.Titles, t.release.Names...)
		}
	}
	slices.SortFunc(out.Titles, func(a, b string) int { return strings.Compare(strings.ToLower(a), strings.ToLower(b)) })
	out.Titles = slices.CompactFunc(out.Titles, strings.EqualFold)
	return &struct{ Body api.Titles }{out}, nil
}

// Rows of an import that an answer shows; the file holds all.
const (
	previewRows    = 100
	previewDropped = 200
)

func (s *Server) importList(_ context.Context, in *struct{ Body api.ImportList }) (*struct{ Body api.ImportedList }, error) {
	refuse := func(err error) error {
		return &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The list cannot be imported", Detail: err.Error()}
	}
	sheets, err := tables.Read(in.Body.Name, in.Body.Content)
	if err != nil {
		return nil, refuse(err)
	}
	o := list.ImportOptions{Columns: in.Body.Columns, Prefix: in.Body.Prefix}
	at, got, err := list.ImportBest(sheets, in.Body.Table, o)
	out := api.ImportedList{Tables: []api.FoundTable{}, Used: []api.UsedColumn{}, Ignored: []string{}, Rows: []list.RowDoc{}, Dropped: []api.DroppedRow{}, Heads: []string{}}
	for _, sh := range sheets {
		out.Tables = append(out.Tables, api.FoundTable{Where: sh.Where, Heads: sh.Heads, Rows: len(sh.Rows)})
	}
	if err != nil {
		return nil, refuse(err)
	}
	out.Table, out.Heads, out.Total, out.CSV = at+1, sheets[at].Heads, len(got.Rows), string(list.WriteRows(got.Rows))
	out.Rows = got.Rows[:min(len(got.Rows), previewRows)]
	out.Ignored = append(out.Ignored, got.Ignored...)
	for _, u := range got.Used {
		out.Used = append(out.Used, api.UsedColumn{Field: u.Field, From: u.From})
	}
	for _, d := range got.Dropped {
		if !d.Kept {
			out.Left++
		}
		if len(out.Dropped) < previewDropped {
			out.Dropped = append(out.Dropped, api.DroppedRow(d))
		}
	}
	return &struct{ Body api.ImportedList }{out}, nil
}
