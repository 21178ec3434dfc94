package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// releasesAPI has the operations on release documents, lists and targets.
type releasesAPI struct{ *Server }

type releaseInput struct {
	ID       string `path:"id" maxLength:"64"`
	Revision int    `query:"revision" minimum:"0" doc:"Default: the latest"`
}

// findRelease is a stored revision, or the problem that there is none.
func (s releasesAPI) findRelease(ctx context.Context, id string, revision int) (*release.Release, error) {
	return s.Releases.Find(ctx, id, revision)
}

func (s releasesAPI) releaseRow(r *store.ReleaseRef) api.ReleaseRow {
	t, ok := s.Releases.Target(r.Class)
	return api.ReleaseRow{
		ID:       r.ID,
		Name:     r.Name,
		Class:    r.Class,
		Revision: r.Revision,
		Draft:    r.Draft,
		Test:     r.Test,
		AddedAt:  r.Added(),
		Target:   ok && t.Release.ID == r.ID && t.Release.Revision == r.Revision,
	}
}

func (s releasesAPI) listReleases(ctx context.Context, _ *struct{}) (api.ReleaseList, error) {
	refs, err := s.store.Releases(ctx)
	out := api.ReleaseList{Releases: []api.ReleaseRow{}}
	for i := range refs {
		out.Releases = append(out.Releases, s.releaseRow(&refs[i]))
	}
	return out, err
}

// rowOf is the row of a stored revision.
func (s releasesAPI) rowOf(ctx context.Context, rel *release.Release) (api.ReleaseRow, error) {
	refs, err := s.store.Releases(ctx)
	if err != nil {
		return api.ReleaseRow{}, err
	}
	for i := range refs {
		if refs[i].ID == rel.ID && refs[i].Revision == rel.Revision {
			return s.releaseRow(&refs[i]), nil
		}
	}
	return api.ReleaseRow{}, store.ErrNotFound
}

func (s releasesAPI) showRelease(ctx context.Context, in *releaseInput) (out api.Release, err error) {
	rel, err := s.findRelease(ctx, in.ID, in.Revision)
	if err != nil {
		return out, err
	}
	refs, err := s.store.Releases(ctx)
	if err != nil {
		return out, err
	}
	out = describeRelease(rel)
	for i := range refs {
		if refs[i].ID != rel.ID {
			continue
		}
		row := s.releaseRow(&refs[i])
		out.Revisions = append(out.Revisions, row)
		if row.Revision == rel.Revision {
			out.ReleaseRow = row
		}
	}
	return out, nil
}

// describeRelease says a release in sentences.
func describeRelease(rel *release.Release) api.Release {
	out := api.Release{
		ReleaseRow: api.ReleaseRow{
			ID:       rel.ID,
			Name:     rel.Name,
			Class:    rel.InstallsOn,
			Revision: rel.Revision,
			Draft:    rel.Draft,
			Test:     rel.TestRelease,
		},
		Published:    rel.Published,
		Source:       rel.Source,
		EnteredBy:    rel.EnteredBy,
		Follows:      rel.Follows,
		Revisions:    []api.ReleaseRow{},
		Requirements: []api.RequirementRow{},
		Sections:     []api.ReleaseSection{},
		Pages:        keptPages(rel),
	}
	if !rel.Retrieved.IsZero() {
		out.Retrieved = &rel.Retrieved
	}
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		row := api.RequirementRow{
			ID:          q.ID,
			Title:       q.Title,
			Level:       q.Level,
			AskedBy:     q.AskedBy,
			Feature:     q.Feature,
			Says:        say.Requirement(q),
			Reason:      q.Reason,
			Consequence: say.Consequence(q),
			Quoted:      say.Quoted(q),
		}
		if q.Interim != nil {
			row.Interim = q.Interim.Name
		}
		out.Requirements = append(out.Requirements, row)
	}
	for _, sec := range say.Release(rel) {
		out.Sections = append(out.Sections, api.ReleaseSection{Title: sec.Title, Lines: sec.Lines})
	}
	return out
}

func (s releasesAPI) releaseDocument(ctx context.Context, in *releaseInput) (*raw, error) {
	src, err := s.store.ReleaseSource(ctx, in.ID, in.Revision)
	if err != nil {
		return nil, s.Releases.Absent(ctx, in.ID, in.Revision, err)
	}
	return &raw{ContentType: "application/yaml", Body: src}, nil
}

func (s releasesAPI) releaseText(ctx context.Context, in *releaseInput) (out api.ReleaseText, err error) {
	src, err := s.releaseDocument(ctx, in)
	if err != nil {
		return out, err
	}
	latest, err := s.findRelease(ctx, in.ID, 0)
	if err != nil {
		return out, err
	}
	b, err := release.Unpack(in.ID, src.Body)
	if err != nil {
		return out, err
	}
	out = api.ReleaseText{
		ID:       in.ID,
		Revision: cmp.Or(in.Revision, latest.Revision),
		Latest:   latest.Revision,
		Document: string(b.Document),
		Files:    b.Files,
	}
	if out.Files == nil {
		out.Files = []release.BundleFile{}
	}
	return out, nil
}

func (s releasesAPI) releaseDifference(ctx context.Context, in *struct {
	ID              string `path:"id" maxLength:"64"`
	Revision        int    `query:"revision" minimum:"0" doc:"Default: the latest"`
	Against         string `query:"against" maxLength:"64" doc:"Id of another release (default: the same release)"`
	AgainstRevision int    `query:"against_revision" minimum:"0" doc:"Default: the previous revision, or the latest of another release"`
}) (out api.ReleaseDifference, err error) {
	is, err := s.findRelease(ctx, in.ID, in.Revision)
	if err != nil {
		return out, err
	}
	against, revision := cmp.Or(in.Against, in.ID), in.AgainstRevision
	if against == in.ID && revision == 0 {
		if revision, err = s.Releases.Before(ctx, is); err != nil {
			return out, err
		}
		if revision == 0 {
			return out, refuse("Nothing to compare with",
				"%s has no revision before %d; name another release", is.Name, is.Revision)
		}
	}
	was, err := s.findRelease(ctx, against, revision)
	if err != nil {
		return out, err
	}
	return api.ReleaseDifference{From: was.Ref(), To: is.Ref(), Changes: changes(was, is)}, nil
}

func changes(was, is *release.Release) []api.Difference {
	out := []api.Difference{}
	for _, d := range say.Difference(was, is) {
		out = append(out, api.Difference{Kind: d.Kind, Subject: d.Subject, Says: d.Says})
	}
	return out
}

type classInput struct {
	Class string `query:"class" enum:"pc,mac" default:"pc"`
}

func (s releasesAPI) skeleton(_ context.Context, in *classInput) (api.ReleaseText, error) {
	text := release.Skeleton("new-release", "New release", in.Class, s.now())
	return api.ReleaseText{Document: text, Files: []release.BundleFile{}}, nil
}

func (s releasesAPI) validateRelease(ctx context.Context, in *document) (api.Validated, error) {
	out := api.Validated{Mistakes: []doc.Mistake{}}
	if err := typed(in.ContentType); err != nil {
		return out, err
	}
	rel, err := release.Read("the document", in.RawBody, nil)
	if wrong := new(doc.Mistakes); errors.As(err, &wrong) {
		out.Mistakes, out.More = wrong.List, wrong.More
		return out, nil
	} else if err != nil {
		return out, err
	}
	said := describeRelease(rel)
	fleet := map[fact.ID][]string{}
	for _, id := range []fact.ID{fact.OSEdition, fact.OSName, fact.OSLanguage} {
		if fleet[id], err = s.Index.Texts(ctx, id); err != nil {
			return out, err
		}
	}
	out.Release, out.Notes = &said, assess.Notes(s.Knowledge.Base(), rel, fleet)
	switch was, err := s.Releases.Get(ctx, rel.ID, 0); {
	case err == nil:
		out.Changes = changes(was, rel)
	case !errors.Is(err, store.ErrNotFound):
		return out, err
	}
	return out, nil
}

func (s releasesAPI) addRelease(ctx context.Context, in *document) (out api.ReleaseAdded, err error) {
	if err := typed(in.ContentType); err != nil {
		return out, err
	}
	rel, err := release.Read("the release document", in.RawBody, nil)
	if err != nil {
		return out, err
	}
	store.Note(ctx, "", fmt.Sprintf("%s, revision %d", rel.ID, rel.Revision))
	if out.Added, err = s.store.AddRelease(ctx, rel, in.RawBody, s.now()); err != nil {
		return out, err
	}
	if t, ok := s.Releases.Target(rel.InstallsOn); ok && out.Added && !rel.Draft && t.Release.ID == rel.Follows {
		// It is what comes after the target: what machines take for it is another one now.
		if err := s.Judge.SetTargets(ctx); err != nil {
			return out, err
		}
	}
	if out.ReleaseRow, err = s.rowOf(ctx, rel); err != nil {
		return out, err
	}
	return out, nil
}

func (s releasesAPI) activate(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"64"`
	Body api.Activate
}) (out api.Activated, err error) {
	last, err := s.lastChange(ctx)
	if err != nil {
		return out, err
	}
	rel, err := s.Judge.Choose(ctx, "", store.Aim{ID: in.ID, Revision: in.Body.Revision}, in.Body.Testing)
	if err != nil {
		return out, err
	}
	if err := s.Judge.Activate(ctx, rel); err != nil {
		return out, err
	}
	if out.ReleaseRow, err = s.rowOf(ctx, rel); err != nil {
		return out, err
	}
	change, err := s.RuleChanges.By(ctx, rel)
	if err == nil && change != nil && change.ID != last {
		shown := ruleChange(change)
		out.Change = &shown
	}
	return out, err
}

// lastChange is the number of the latest change of rules; 0: there is none.
func (s releasesAPI) lastChange(ctx context.Context) (int64, error) {
	list, err := s.store.RuleChanges(ctx, 1)
	if err != nil || len(list) == 0 {
		return 0, err
	}
	return list[0].ID, nil
}

func (s releasesAPI) showTargets(context.Context, *struct{}) (api.TargetSet, error) {
	return s.targets(), nil
}

func (s releasesAPI) targets() api.TargetSet {
	var out api.TargetSet
	if t, ok := s.Releases.Target(fact.PC); ok {
		out.PC, out.PCRevision = t.Release.ID, t.Release.Revision
	}
	if t, ok := s.Releases.Target(fact.Mac); ok {
		out.Mac, out.MacRevision = t.Release.ID, t.Release.Revision
	}
	return out
}

func (s releasesAPI) setTargets(
	ctx context.Context,
	in *struct{ Body api.TargetSet },
) (out api.TargetSet, err error) {
	chosen := map[string]store.Aim{}
	for class, text := range map[string]string{fact.PC: in.Body.PC, fact.Mac: in.Body.Mac} {
		if text == "" {
			continue
		}
		aim := store.Aim{ID: text}
		if id, revision, ok := strings.Cut(text, "@"); ok {
			n, err := strconv.Atoi(revision)
			if err != nil || n < 1 {
				return out, refuse(
					"The target cannot be chosen",
					"%q is not a revision; write it as %s@5",
					revision,
					id,
				)
			}
			aim = store.Aim{ID: id, Revision: n}
		}
		chosen[class] = aim
	}
	var rels []*release.Release
	for _, class := range service.Classes() {
		aim, ok := chosen[class]
		if !ok {
			continue
		}
		rel, err := s.Judge.Choose(ctx, class, aim, in.Body.Testing)
		if err != nil {
			return out, err
		}
		rels = append(rels, rel)
	}
	if err := s.Judge.Activate(ctx, rels...); err != nil {
		return out, err
	}
	return s.targets(), nil
}

func (s releasesAPI) titles(context.Context, *struct{}) (api.Titles, error) {
	out := api.Titles{Titles: []string{}}
	for _, class := range service.Classes() {
		if t, ok := s.Releases.Target(class); ok {
			out.Titles = append(out.Titles, t.Release.Titles()...)
		}
	}
	slices.SortFunc(out.Titles,
		func(a, b string) int { return strings.Compare(strings.ToLower(a), strings.ToLower(b)) })
	out.Titles = slices.CompactFunc(out.Titles, strings.EqualFold)
	return out, nil
}
