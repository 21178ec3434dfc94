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

func (s marksAPI) mark(ctx context.Context, in *struct{ Body api.MachineChanges }) (api.ManyChanged, error) {
	b := &in.Body
	if err := markMistake(callerOf(ctx), b); err != nil {
		return api.ManyChanged{}, err
	}
	m := &store.Change{Tag: b.Tag, Untag: b.Untag, Site: b.Site, Retire: b.Retire, Contact: trimmed(b.Contact),
		Desk: trimmed(b.Desk)}
	note := func(n int) string { return markText(b, n) }
	got, err := s.Bulk.Marks(ctx, service.Picking{Where: b.Where, Keys: b.Keys, Trial: b.DryRun}, m, note)
	return manyChanged(&got, b.DryRun), err
}

func trimmed(text *string) *string {
	if text == nil {
		return nil
	}
	t := strings.TrimSpace(*text)
	return &t
}

// manyChanged says what a change of many machines came to.
func manyChanged(m *service.ManyChanged, trial bool) api.ManyChanged {
	return api.ManyChanged{
		Picked:   m.Picked,
		Changed:  m.Changed,
		Skipped:  m.Skipped,
		Machines: append([]api.MachineRef{}, m.Some...),
		Change:   m.ID,
		DryRun:   trial,
		Says:     say.ManyChanged(m.Picked-m.Skipped, m.Changed, m.Skipped, trial),
	}
}

func (s marksAPI) undo(ctx context.Context, in *struct {
	ID     int64 `path:"id" minimum:"1"`
	DryRun bool  `query:"dry_run" doc:"Only show which machines would be what they were"`
}) (out api.Undone, err error) {
	got, err := s.Bulk.Undo(ctx, in.ID, in.DryRun)
	if err != nil {
		return out, err
	}
	return api.Undone{
		Undone:       got.Undone,
		Kept:         got.Kept,
		Machines:     append([]api.MachineRef{}, got.Some...),
		KeptMachines: append([]api.MachineRef{}, got.KeptOf...),
		DryRun:       in.DryRun,
		Says:         say.Undone(got.Says, got.Undone, got.Kept, in.DryRun),
	}, nil
}

func markMistake(who *caller, m *api.MachineChanges) error {
	const title = "Nothing was changed"
	for _, t := range slices.Concat(m.Tag, m.Untag) {
		if !goodTag(t) {
			return refuse(title, "%q is not a tag; a tag has at most 64 letters, digits, - and _", t)
		}
	}
	texts := m.Site == nil && m.Contact == nil && m.Desk == nil
	nothing := len(m.Tag)+len(m.Untag) == 0 && texts && m.Retire == nil
	switch {
	case nothing:
		return refuse(title, "the change is missing; give tag, untag, site, contact, desk or retire")
	case m.Where == "" && len(m.Keys) == 0:
		return refuse(title, "the machines are missing; give a filter in where, or keys")
	case m.Site == nil:
	case strings.ContainsAny(*m.Site, "\"\n"):
		return refuse(title, "a site cannot contain quotes or line breaks")
	case !who.Sees(*m.Site):
		return refuse(title, "you can see only the machines of %s and would lose these", strings.Join(who.Sites, ", "))
	}
	return nil
}

func goodTag(t string) bool {
	const letters = "abcdefghijklmnopqrstuvwxyz0123456789-_"
	return t != "" && len(t) <= 64 && strings.Trim(strings.ToLower(t), letters) == ""
}

// markText is what the audit log says of marks on so many machines.
func markText(m *api.MachineChanges, n int) string {
	var parts []string
	for _, t := range m.Tag {
		parts = append(parts, "+"+t)
	}
	for _, t := range m.Untag {
		parts = append(parts, "-"+t)
	}
	if m.Site != nil {
		parts = append(parts, "site "+*m.Site)
	}
	for _, of := range []struct {
		what string
		is   *string
	}{{"contact", m.Contact}, {"desk", m.Desk}} {
		if of.is != nil {
			parts = append(parts, strings.TrimSpace(of.what+" "+*of.is))
		}
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

func (s marksAPI) showFilter(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"100"`
}) (api.SavedFilter, error) {
	list, err := s.listFilters(ctx, nil)
	if err != nil {
		return api.SavedFilter{}, err
	}
	return named(list.Filters, func(f *api.SavedFilter) string { return f.Name }, in.Name, "saved filter")
}

func savedFilter(f *store.SavedFilter) api.SavedFilter {
	out := api.SavedFilter{Name: f.Name, Filter: f.Filter, Sort: f.Sort, By: f.By, At: f.At()}
	if f.Facts != "" {
		out.Facts = strings.Split(f.Facts, ",")
	}
	return out
}

// readFilter is a filter in its parts, as who wrote it sees it: without what limits them.
func readFilter(where string) (api.FilterRead, error) {
	f, err := fleet.Parse(where)
	if err != nil {
		return api.FilterRead{}, refuse("The filter has a mistake", "%s", err)
	}
	return filterRead(f), nil
}

func filterRead(f fleet.Filter) api.FilterRead {
	parts, simple := f.Parts()
	out := api.FilterRead{Where: f.String(), Simple: simple, Words: f.Words(), Terms: []api.FilterTerm{}}
	for i := range parts {
		out.Terms = append(out.Terms, api.FilterTerm(parts[i]))
	}
	return out
}

// changeFilter reads a filter, and replaces a part of it where that is asked for. What it names is checked.
func (s marksAPI) changeFilter(ctx context.Context, in *struct {
	Where   string   `query:"where" maxLength:"2000" doc:"A filter"`
	Replace string   `query:"replace" enum:",values,words" doc:"What to replace: the values of key, or the plain words"`
	Key     string   `query:"key" maxLength:"64" doc:"With replace=values: the key"`
	Values  []string `query:"value,explode" maxItems:"200" doc:"With replace=values: the new values; none remove the term"`
	Words   string   `query:"words" maxLength:"2000" doc:"With replace=words: the new words, which can be a filter"`
}) (out api.FilterRead, err error) {
	f, err := fleet.Parse(in.Where)
	if err == nil && in.Replace == "values" {
		f, err = f.WithValues(in.Key, in.Values)
	} else if err == nil && in.Replace == "words" {
		f, err = f.WithWords(in.Words)
	}
	if err != nil {
		return out, refuse("The filter has a mistake", "%s", err)
	}
	if _, err := s.Index.Where(ctx, f.String()); err != nil {
		return out, err
	}
	return filterRead(f), nil
}

func (s marksAPI) completeFilter(ctx context.Context, in *whereInput) (api.CompletionList, error) {
	got, err := s.Index.Complete(ctx, in.Where)
	out := api.CompletionList{Completions: []api.Completion{}}
	for _, c := range got {
		out.Completions = append(out.Completions, api.Completion(c))
	}
	return out, err
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
			return &api.Problem{Status: http.StatusForbidden, Title: "Not your filter",
				Detail: fmt.Sprintf("somebody else saved the filter %q; choose another name", name)}
		}
	}
	return nil
}

func (s marksAPI) setFilter(ctx context.Context, in *struct {
	Name string `path:"name" minLength:"1" maxLength:"100"`
	Body api.SetFilter
}) (out api.SavedFilter, err error) {
	if _, err := s.Index.Where(ctx, in.Body.Filter); err != nil {
		return out, err
	}
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
	return savedFilter(&kept), s.store.SetFilter(ctx, &kept)
}

func (s marksAPI) removeFilter(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"100"`
}) error {
	if err := s.ownFilter(ctx, in.Name); err != nil {
		return err
	}
	return orMissing(s.store.RemoveFilter(ctx, in.Name), "there is no saved filter %q", in.Name)
}
