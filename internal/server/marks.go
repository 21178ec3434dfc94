package server

import (
	"context"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// What people write on many machines, and the filters that they keep.
func (s *Server) marks(a huma.API) {
	tag := []string{"Devices"}
	huma.Register(a, secured(huma.Operation{OperationID: "mark", Method: http.MethodPost, Path: "/marks", Summary: "Tag machines, place them, take them out of use: those that a filter picks", Tags: tag, Errors: []int{http.StatusUnprocessableEntity},
		Description: "All of them are changed, or none."}, ScopeWork), s.mark)
	huma.Register(a, secured(huma.Operation{OperationID: "tags", Method: http.MethodGet, Path: "/tags", Summary: "The tags that machines bear", Tags: tag}, ScopeRead),
		func(ctx context.Context, _ *struct{}) (*struct{ Body api.TagList }, error) {
			f, err := s.where(ctx, "")
			if err != nil {
				return nil, err
			}
			counts := map[string]int{}
			if err := s.look(ctx, func(x *fleet.Index) {
				x.Select(f).Each(func(r *fleet.Row) {
					for _, t := range lines(r.Tags) {
						counts[t]++
					}
				})
			}); err != nil {
				return nil, s.problem(err, "")
			}
			out := api.TagList{Tags: []api.Count{}}
			for _, t := range slices.Sorted(maps.Keys(counts)) {
				out.Tags = append(out.Tags, api.Count{Name: t, Count: counts[t], Where: fleet.Term("tag", t)})
			}
			return &struct{ Body api.TagList }{out}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "saved-filters", Method: http.MethodGet, Path: "/filters", Summary: "List saved filters", Tags: tag}, ScopeRead), s.listFilters)
	huma.Register(a, secured(huma.Operation{OperationID: "save-filter", Method: http.MethodPut, Path: "/filters/{name}", Summary: "Save a filter for everybody, or replace one", Tags: tag, Errors: []int{http.StatusUnprocessableEntity}}, ScopeWork), s.saveFilter)
	huma.Register(a, secured(huma.Operation{OperationID: "drop-filter", Method: http.MethodDelete, Path: "/filters/{name}", Summary: "Forget a saved filter", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound}}, ScopeWork),
		func(ctx context.Context, in *struct {
			Name string `path:"name" maxLength:"100"`
		}) (*struct{}, error) {
			if err := s.ownFilter(ctx, in.Name); err != nil {
				return nil, err
			}
			if err := s.store.DropFilter(ctx, in.Name); err != nil {
				return nil, s.problem(err, fmt.Sprintf("there is no saved filter %q", in.Name))
			}
			return nil, nil
		})
}

// refuse is a problem with what was asked for.
func refuse(title, format string, args ...any) error {
	return &api.Problem{Status: http.StatusUnprocessableEntity, Title: title, Detail: fmt.Sprintf(format, args...)}
}

func (s *Server) mark(ctx context.Context, in *struct{ Body api.Marks }) (*struct{ Body api.Marked }, error) {
	const title = "Nothing was marked"
	m := store.Marking{Tag: in.Body.Tag, Untag: in.Body.Untag, Place: in.Body.Place, Retire: in.Body.Retire}
	for _, t := range slices.Concat(m.Tag, m.Untag) {
		if !goodTag(t) {
			return nil, refuse(title, "%q is no tag; a tag has letters, digits, - and _, and 64 of them at most", t)
		}
	}
	who := callerOf(ctx)
	switch {
	case len(m.Tag)+len(m.Untag) == 0 && m.Place == nil && m.Retire == nil:
		return nil, refuse(title, "say what to write on the machines: tag, untag, place or retire")
	case in.Body.Where == "" && len(in.Body.Keys) == 0:
		return nil, refuse(title, "say which machines: a filter in where, or their keys")
	case m.Place != nil && strings.ContainsAny(*m.Place, "\"\n"):
		return nil, refuse(title, "a place has no quotes and no line ends")
	case m.Place != nil && !who.sees(*m.Place):
		return nil, refuse(title, "you see the machines of %s only, and would lose these", strings.Join(who.Places, ", "))
	}
	ids, err := s.picked(ctx, in.Body.Where, in.Body.Keys)
	if err != nil {
		return nil, err
	}
	store.Note(ctx, "", markText(&in.Body, len(ids)))
	changed, err := s.store.Mark(ctx, ids, &m, s.now())
	if err != nil {
		return nil, s.problem(err, "")
	}
	s.live.touch(ids...)
	return &struct{ Body api.Marked }{api.Marked{Picked: len(ids), Changed: changed}}, nil
}

func goodTag(t string) bool {
	return t != "" && len(t) <= 64 && strings.Trim(strings.ToLower(t), "abcdefghijklmnopqrstuvwxyz0123456789-_") == ""
}

func markText(m *api.Marks, n int) string {
	var parts []string
	for _, t := range m.Tag {
		parts = append(parts, "+"+t)
	}
	for _, t := range m.Untag {
		parts = append(parts, "-"+t)
	}
	if m.Place != nil {
		parts = append(parts, "place "+*m.Place)
	}
	if m.Retire != nil {
		parts = append(parts, map[bool]string{true: "out of use", false: "in use"}[*m.Retire])
	}
	return fmt.Sprintf("%s on %s: %s", strings.Join(parts, " "), say.Count(n, "machine", "machines"), strings.TrimSpace(m.Where+" "+strings.Join(m.Keys[:min(len(m.Keys), 20)], " ")))
}

// picked are the numbers of the machines that a filter picks, or that are named.
func (s *Server) picked(ctx context.Context, where string, keys []string) ([]int64, error) {
	f, err := s.where(ctx, where)
	if err != nil {
		return nil, err
	}
	if len(keys) > 0 && !f.Has("retired") {
		f = f.Within("retired", "yes", "no") // who names a machine means it
	}
	named := make(map[string]bool, len(keys))
	for _, k := range keys {
		named[k] = true
	}
	var ids []int64
	if err := s.look(ctx, func(x *fleet.Index) {
		p := x.Select(f)
		for _, r := range p.Page(fleet.Order{}, 0, p.Len()) {
			if len(keys) == 0 || named[r.Key] {
				ids = append(ids, r.ID)
				delete(named, r.Key)
			}
		}
	}); err != nil {
		return nil, s.problem(err, "")
	}
	for _, k := range keys {
		if named[k] {
			return nil, &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: noDevice(k)}
		}
	}
	return ids, nil
}

func (s *Server) listFilters(ctx context.Context, _ *struct{}) (*struct{ Body api.SavedFilterList }, error) {
	list, err := s.store.SavedFilters(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	who, out := callerOf(ctx), api.SavedFilterList{Filters: []api.SavedFilter{}}
	for i := range list {
		f := &list[i]
		if who.limited() && f.By != who.Name {
			continue // it may name sites that they do not see
		}
		one := api.SavedFilter{Name: f.Name, Filter: f.Filter, Sort: f.Sort, By: f.By, At: f.At()}
		if f.Facts != "" {
			one.Facts = strings.Split(f.Facts, ",")
		}
		out.Filters = append(out.Filters, one)
	}
	return &struct{ Body api.SavedFilterList }{out}, nil
}

// ownFilter refuses to whoever is limited to some sites a filter that somebody else saved.
func (s *Server) ownFilter(ctx context.Context, name string) error {
	who := callerOf(ctx)
	if !who.limited() {
		return nil
	}
	list, err := s.store.SavedFilters(ctx)
	if err != nil {
		return s.problem(err, "")
	}
	for i := range list {
		if list[i].Name == name && list[i].By != who.Name {
			return &api.Problem{Status: http.StatusForbidden, Title: "Not yours", Detail: fmt.Sprintf("somebody else saved a filter called %q; choose another name", name)}
		}
	}
	return nil
}

func (s *Server) saveFilter(ctx context.Context, in *struct {
	Name string `path:"name" minLength:"1" maxLength:"100"`
	Body api.SaveFilter
}) (*struct{ Body api.SavedFilter }, error) {
	f, err := fleet.Parse(in.Body.Filter)
	if err != nil {
		return nil, refuse("The filter has a mistake", "%s", err)
	}
	if _, err := fleet.ParseOrder(in.Body.Sort); err != nil {
		return nil, refuse("The order has a mistake", "%s", err)
	}
	if _, err := factsNamed(callerOf(ctx), in.Body.Facts); err != nil {
		return nil, err
	}
	if err := s.ownFilter(ctx, in.Name); err != nil {
		return nil, err
	}
	kept := store.SavedFilter{Name: in.Name, Filter: f.String(), Sort: in.Body.Sort, Facts: strings.Join(in.Body.Facts, ","), By: by(ctx), Millis: s.now().UnixMilli()}
	store.Note(ctx, "", kept.Filter)
	if err := s.store.SaveFilter(ctx, &kept); err != nil {
		return nil, s.problem(err, "")
	}
	return &struct{ Body api.SavedFilter }{api.SavedFilter{Name: kept.Name, Filter: kept.Filter, Sort: kept.Sort, Facts: in.Body.Facts, By: kept.By, At: kept.At()}}, nil
}

// hidden are the facts that name one machine: who does not see them cannot list
// them, or read them where somebody entered them by hand.
var hidden = []fact.ID{fact.DeviceSerial, fact.DeviceUUID, fact.BoardSerial, fact.DeviceAssetTag}

// factsNamed are facts that become columns.
func factsNamed(who *caller, names []string) ([]*fact.Def, error) {
	var defs []*fact.Def
	for _, name := range names {
		def := fact.ByName(name)
		if def == nil || def.ID.Group() != fact.NoGroup {
			return nil, refuse("No such fact", "%s", doc.With(fmt.Sprintf("there is no fact %q", name), doc.Suggest(name, fact.Names())))
		}
		if !who.Plain && slices.Contains(hidden, def.ID) {
			return nil, &api.Problem{Status: http.StatusForbidden, Title: "Not for you", Detail: fmt.Sprintf("%s names one machine, and your role does not show that", name)}
		}
		defs = append(defs, def)
	}
	return defs, nil
}
