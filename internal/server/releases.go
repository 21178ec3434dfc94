package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"reflect"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
	"rolltop.example/rolltop/internal/tables"
)

type releaseInput struct {
	ID       string `path:"id" maxLength:"64"`
	Revision int    `query:"revision" minimum:"0" doc:"The latest where it is not given"`
}

func noRelease(id string) string {
	return fmt.Sprintf("there is no release %q; rolltop releases lists them", id)
}

func (s *Server) releases(a huma.API) {
	tag := []string{"Releases"}
	huma.Register(a, secured(huma.Operation{OperationID: "releases", Method: http.MethodGet, Path: "/releases", Summary: "List release documents", Tags: tag}, ScopeRead), s.listReleases)
	huma.Register(a, secured(huma.Operation{OperationID: "release", Method: http.MethodGet, Path: "/releases/{id}", Summary: "One release in sentences", Tags: tag, Errors: []int{http.StatusNotFound}}, ScopeRead), s.showRelease)
	huma.Register(a, secured(huma.Operation{OperationID: "release-document", Method: http.MethodGet, Path: "/releases/{id}/document", Summary: "A release document as it was given; with the files it names, a bundle", Tags: tag, Errors: []int{http.StatusNotFound},
		Responses: map[string]*huma.Response{"200": {Description: "The document, or rolltop-bundle/1", Content: map[string]*huma.MediaType{"application/yaml": {}}}}}, ScopeRead),
		func(ctx context.Context, in *releaseInput) (*raw, error) {
			src, err := s.store.ReleaseSource(ctx, in.ID, in.Revision)
			if err != nil {
				return nil, s.problem(err, noRelease(in.ID))
			}
			return &raw{ContentType: "application/yaml", Body: src}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "release-text", Method: http.MethodGet, Path: "/releases/{id}/text", Summary: "A release document and its files, for editing", Tags: tag, Errors: []int{http.StatusNotFound}}, ScopeRead), s.releaseText)
	huma.Register(a, secured(huma.Operation{OperationID: "release-difference", Method: http.MethodGet, Path: "/releases/{id}/difference", Summary: "How a revision differs from another, or from another release", Tags: tag, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity}}, ScopeRead), s.releaseDifference)
	huma.Register(a, secured(huma.Operation{OperationID: "skeleton", Method: http.MethodGet, Path: "/skeleton", Summary: "A commented release document to fill in", Tags: tag}, ScopeRead),
		func(_ context.Context, in *struct {
			Class string `query:"class" enum:"pc,mac" default:"pc"`
		}) (*struct{ Body api.ReleaseText }, error) {
			text := release.Skeleton("new-release", "New release", in.Class, s.now())
			return &struct{ Body api.ReleaseText }{api.ReleaseText{Document: text, Files: []release.BundleFile{}}}, nil
		})
	validate := documentOperation(a, huma.Operation{OperationID: "validate-release", Method: http.MethodPost, Path: "/releases/validate", Summary: "Read a release document without keeping it", Tags: tag}, reflect.TypeFor[release.Document]())
	huma.Register(a, secured(validate, ScopeManage), s.validateRelease)
	imp := huma.Operation{OperationID: "import-list", Method: http.MethodPost, Path: "/lists/import", Summary: "Make a list from a table in a file, without keeping it", Tags: tag, MaxBodyBytes: tables.MaxBytes*4/3 + 4096, BodyReadTimeout: time.Minute, Errors: []int{http.StatusUnprocessableEntity}}
	huma.Register(a, secured(imp, ScopeManage), s.importList)
	huma.Register(a, secured(huma.Operation{OperationID: "titles", Method: http.MethodGet, Path: "/titles", Summary: "Titles that collectors should look for: those that the targets know", Tags: tag}, ScopeSubmit), s.titles)
	op := documentOperation(a, huma.Operation{OperationID: "add-release", Method: http.MethodPost, Path: "/releases", Summary: "Add a release document, or a revision of one", Tags: tag, Errors: []int{http.StatusConflict}}, reflect.TypeFor[release.Document]())
	huma.Register(a, secured(op, ScopeManage), s.addRelease)
	huma.Register(a, secured(huma.Operation{OperationID: "targets", Method: http.MethodGet, Path: "/targets", Summary: "The target release of each class of hardware", Tags: tag}, ScopeRead),
		func(context.Context, *struct{}) (*struct{ Body api.TargetSet }, error) {
			return &struct{ Body api.TargetSet }{s.targetSet()}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "set-targets", Method: http.MethodPut, Path: "/targets", Summary: "Choose target releases; the fleet is judged again", Tags: tag, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity}}, ScopeManage), s.setTargets)
}

func targetsText(t api.TargetSet) string {
	return fmt.Sprintf("PCs: %s; Macs: %s", cmp.Or(t.PC, "none"), cmp.Or(t.Mac, "none"))
}

func (s *Server) targetSet() api.TargetSet {
	var out api.TargetSet
	if t, ok := s.target(fact.PC); ok {
		out.PC = t.release.ID
	}
	if t, ok := s.target(fact.Mac); ok {
		out.Mac = t.release.ID
	}
	return out
}

func (s *Server) releaseRow(r *store.ReleaseRef) api.ReleaseRow {
	t, ok := s.target(r.Class)
	return api.ReleaseRow{ID: r.ID, Name: r.Name, Class: r.Class, Revision: r.Revision, Draft: r.Draft, Test: r.Test, AddedAt: r.Added(),
		Target: ok && t.release.ID == r.ID && t.release.Revision == r.Revision}
}

func (s *Server) listReleases(ctx context.Context, _ *struct{}) (*struct{ Body api.ReleaseList }, error) {
	refs, err := s.store.Releases(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := api.ReleaseList{Releases: []api.ReleaseRow{}}
	for i := range refs {
		out.Releases = append(out.Releases, s.releaseRow(&refs[i]))
	}
	return &struct{ Body api.ReleaseList }{out}, nil
}

func (s *Server) showRelease(ctx context.Context, in *releaseInput) (*struct{ Body api.Release }, error) {
	rel, err := s.release(ctx, in.ID, in.Revision)
	if err != nil {
		return nil, s.problem(err, noRelease(in.ID))
	}
	refs, err := s.store.Releases(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := describeRelease(rel)
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
	return &struct{ Body api.Release }{out}, nil
}

// describeRelease says a release in sentences.
func describeRelease(rel *release.Release) api.Release {
	out := api.Release{ReleaseRow: api.ReleaseRow{ID: rel.ID, Name: rel.Name, Class: rel.InstallsOn, Revision: rel.Revision, Draft: rel.Draft, Test: rel.TestRelease},
		Published: rel.Published, Source: rel.Source, EnteredBy: rel.EnteredBy, Follows: rel.Follows, Revisions: []api.ReleaseRow{}, Requirements: []api.RequirementRow{}, Sections: []api.ReleaseSection{}}
	if !rel.Retrieved.IsZero() {
		out.Retrieved = &rel.Retrieved
	}
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		row := api.RequirementRow{ID: q.ID, Title: q.Title, Level: q.Level, AskedBy: q.AskedBy, Feature: q.Feature, Says: say.Requirement(q), Reason: q.Reason, Consequence: say.Consequence(q)}
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

func (s *Server) addRelease(ctx context.Context, in *document) (*struct{ Body api.ReleaseAdded }, error) {
	if err := in.typed(); err != nil {
		return nil, err
	}
	rel, err := release.Read("the release document", in.RawBody, nil)
	if err != nil {
		return nil, s.problem(err, "")
	}
	store.Note(ctx, "", fmt.Sprintf("%s, revision %d", rel.ID, rel.Revision))
	added, err := s.store.AddRelease(ctx, rel, in.RawBody, s.now())
	if err != nil {
		return nil, s.problem(err, "")
	}
	var change *api.RuleChange
	if t, ok := s.target(rel.InstallsOn); added && ok && !rel.Draft && (t.release.ID == rel.ID || t.release.ID == rel.Follows) {
		if err := s.aim(ctx, rel.InstallsOn, t.release.ID); err != nil {
			return nil, s.problem(err, "")
		}
		if change, err = s.latestChange(ctx, rel); err != nil {
			return nil, err
		}
	}
	ref := store.ReleaseRef{ID: rel.ID, Revision: rel.Revision, Name: rel.Name, Class: rel.InstallsOn, Draft: rel.Draft, Test: rel.TestRelease, AddedAt: s.now().UnixMilli()}
	return &struct{ Body api.ReleaseAdded }{api.ReleaseAdded{ReleaseRow: s.releaseRow(&ref), Added: added, Change: change}}, nil
}

func (s *Server) setTargets(ctx context.Context, in *struct{ Body api.TargetSet }) (*struct{ Body api.TargetSet }, error) {
	chosen := map[string]string{fact.PC: in.Body.PC, fact.Mac: in.Body.Mac}
	for class, id := range chosen {
		if id == "" {
			continue
		}
		rel, err := s.release(ctx, id, 0)
		if err != nil {
			return nil, s.problem(err, noRelease(id))
		}
		wrong := ""
		if rel.InstallsOn != class {
			wrong = fmt.Sprintf("%s installs on another class of hardware (%s) and cannot be the target of %s", rel.Name, rel.InstallsOn, class)
		} else if _, err := s.store.FinalRevision(ctx, id); err != nil {
			wrong = fmt.Sprintf("%s has no revision but drafts, and a draft cannot judge the fleet", rel.Name)
		}
		if wrong != "" {
			return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The target cannot be chosen", Detail: wrong}
		}
	}
	was := s.targetSet()
	store.Note(ctx, targetsText(was), targetsText(api.TargetSet{PC: cmp.Or(in.Body.PC, was.PC), Mac: cmp.Or(in.Body.Mac, was.Mac)}))
	for class, id := range chosen {
		if id == "" {
			continue
		}
		if err := s.store.SetTarget(ctx, class, id); err != nil {
			return nil, s.problem(err, "")
		}
		if err := s.aim(ctx, class, id); err != nil {
			return nil, s.problem(err, "")
		}
	}
	return &struct{ Body api.TargetSet }{s.targetSet()}, nil
}
