package server

import (
	"context"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// marksAPI has the operations on tags, sites and saved filters.
type marksAPI struct{ *Server }

func (s marksAPI) listTags(ctx context.Context, _ *struct{}) (out api.TagList, err error) {
	f, err := s.Index.Where(ctx, "")
	if err != nil {
		return out, err
	}
	counts := map[string]int{}
	err = s.Index.Each(ctx, f, func(r *fleet.Row) {
		for _, t := range service.Lines(r.Tags) {
			counts[t]++
		}
	})
	out.Tags = []api.Count{}
	for _, t := range slices.Sorted(maps.Keys(counts)) {
		out.Tags = append(out.Tags, api.Count{Name: t, Count: counts[t], Where: fleet.Term("tag", t)})
	}
	return out, err
}

func (s marksAPI) mark(ctx context.Context, in *struct{ Body api.Marks }) (api.Marked, error) {
	if err := markMistake(callerOf(ctx), &in.Body); err != nil {
		return api.Marked{}, err
	}
	m := &store.Marking{Tag: in.Body.Tag, Untag: in.Body.Untag, Place: in.Body.Place, Retire: in.Body.Retire}
	note := func(n int) string { return markText(&in.Body, n) }
	picked, changed, err := s.Machines.Mark(ctx, in.Body.Where, in.Body.Keys, m, note)
	return api.Marked{Picked: picked, Changed: changed}, err
}

func markMistake(who *caller, m *api.Marks) error {
	const title = "Nothing was marked"
	for _, t := range slices.Concat(m.Tag, m.Untag) {
		if !goodTag(t) {
			return refuse(title, "%q is no tag; a tag has letters, digits, - and _, and 64 of them at most", t)
		}
	}
	nothing := len(m.Tag)+len(m.Untag) == 0 && m.Place == nil && m.Retire == nil
	switch {
	case nothing:
		return refuse(title, "say what to write on the machines: tag, untag, place or retire")
	case m.Where == "" && len(m.Keys) == 0:
		return refuse(title, "say which machines: a filter in where, or their keys")
	case m.Place == nil:
	case strings.ContainsAny(*m.Place, "\"\n"):
		return refuse(title, "a place has no quotes and no line ends")
	case !who.Sees(*m.Place):
		return refuse(title, "you see the machines of %s only, and would lose these", strings.Join(who.Sites, ", "))
	}
	return nil
}

func goodTag(t string) bool {
	const letters = "abcdefghijklmnopqrstuvwxyz0123456789-_"
	return t != "" && len(t) <= 64 && strings.Trim(strings.ToLower(t), letters) == ""
}

// markText is what the audit log says of marks on so many machines.
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
	switch {
	case m.Retire == nil:
	case *m.Retire:
		parts = append(parts, "out of use")
	default:
		parts = append(parts, "in use")
	}
	which := strings.TrimSpace(m.Where + " " + strings.Join(m.Keys[:min(len(m.Keys), 20)], " "))
	return fmt.Sprintf("%s on %s: %s", strings.Join(parts, " "), say.Count(n, "machine", "machines"), which)
}

func (s marksAPI) listFilters(ctx context.Context, _ *struct{}) (api.SavedFilterList, error) {
	list, err := s.store.SavedFilters(ctx)
	who, out := callerOf(ctx), api.SavedFilterList{Filters: []api.SavedFilter{}}
	for i := range list {
		f := &list[i]
		if who.Limited() && f.By != who.Name {
			continue // it may name sites that they do not see
		}
		out.Filters = append(out.Filters, savedFilter(f))
	}
	return out, err
}

func savedFilter(f *store.SavedFilter) api.SavedFilter {
	out := api.SavedFilter{Name: f.Name, Filter: f.Filter, Sort: f.Sort, By: f.By, At: f.At()}
	if f.Facts != "" {
		out.Facts = strings.Split(f.Facts, ",")
	}
	return out
}

// ownFilter refuses to whoever is limited to some sites a filter that somebody else saved.
func (s marksAPI) ownFilter(ctx context.Context, name string) error {
	who := callerOf(ctx)
	if !who.Limited() {
		return nil
	}
	list, err := s.store.SavedFilters(ctx)
	if err != nil {
		return err
	}
	for i := range list {
		if list[i].Name == name && list[i].By != who.Name {
			return &api.Problem{Status: http.StatusForbidden, Title: "Not yours",
				Detail: fmt.Sprintf("somebody else saved a filter called %q; choose another name", name)}
		}
	}
	return nil
}

func (s marksAPI) saveFilter(ctx context.Context, in *struct {
	Name string `path:"name" minLength:"1" maxLength:"100"`
	Body api.SaveFilter
}) (out api.SavedFilter, err error) {
	f, err := fleet.Parse(in.Body.Filter)
	if err != nil {
		return out, refuse("The filter has a mistake", "%s", err)
	}
	if _, err := fleet.ParseOrder(in.Body.Sort); err != nil {
		return out, refuse("The order has a mistake", "%s", err)
	}
	if _, err := s.Index.Facts(ctx, in.Body.Facts); err != nil {
		return out, err
	}
	if err := s.ownFilter(ctx, in.Name); err != nil {
		return out, err
	}
	kept := store.SavedFilter{
		Name:   in.Name,
		Filter: f.String(),
		Sort:   in.Body.Sort,
		Facts:  strings.Join(in.Body.Facts, ","),
		By:     callerOf(ctx).Name,
		Millis: s.now().UnixMilli(),
	}
	store.Note(ctx, "", kept.Filter)
	return savedFilter(&kept), s.store.SaveFilter(ctx, &kept)
}

func (s marksAPI) dropFilter(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"100"`
}) error {
	if err := s.ownFilter(ctx, in.Name); err != nil {
		return err
	}
	return orMissing(s.store.DropFilter(ctx, in.Name), "there is no saved filter %q", in.Name)
}
