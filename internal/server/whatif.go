package server

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
)

// changesAPI has the operations on what other rules would do, and did.
type changesAPI struct{ *Server }

func (s changesAPI) whatIf(ctx context.Context, in *struct{ Body api.AskWhatIf }) (out api.WhatIf, err error) {
	ask := service.Ask(in.Body)
	w, err := s.WhatIf.Run(ctx, &ask)
	if err != nil {
		return out, err
	}
	out = api.WhatIf{
		Was:      w.Was.Ref(),
		Becomes:  w.Is.Ref(),
		Draft:    w.Is.Draft,
		Where:    ask.Where,
		Machines: w.Machines,
		Moved:    w.Shifts.Moved(),
		Before:   map[string]int{},
		After:    map[string]int{},
		Shifts:   shifts(&w.Shifts),
		Sites:    []api.SiteShift{},
		Changes:  []api.RequirementShift{},
		Missing:  []api.MissingFact{},
		Took:     w.Took,
	}
	for was := range w.Shifts {
		for is, n := range w.Shifts[was] {
			out.Before[remedy.Disposition(was).String()] += n
			out.After[remedy.Disposition(is).String()] += n
		}
	}
	for _, p := range w.Sites() {
		out.Sites = append(out.Sites, api.SiteShift{Site: p.Site, Moved: p.Moved(), Shifts: shifts(&p.Shifts)})
	}
	titles := map[string]string{}
	for i := range w.Is.Requirements {
		titles[w.Is.Requirements[i].ID] = w.Is.Requirements[i].Title
	}
	for _, c := range w.Changes() {
		q := c.Requirement
		out.Changes = append(out.Changes, api.RequirementShift{
			Requirement: q.ID,
			Title:       q.Title,
			Needs:       say.Requirement(q),
			New:         c.New,
			Fails:       c.Fails,
			Passes:      c.Passes,
			Opens:       c.Opens,
			FailsNow:    c.FailsNow,
			Unknown:     c.UnknownsNow,
		})
	}
	for _, m := range w.Missing() {
		def := m.Fact.Def()
		out.Missing = append(out.Missing, api.MissingFact{
			Fact:     def.Name,
			Label:    def.Label,
			Machines: m.Machines,
			NotAsked: m.NotAsked,
			Where:    fleet.Term("missing", def.Name),
		})
	}
	out.Changed = changedMachines(w.Named, titles)
	if len(w.Efforts) == 2 {
		out.EffortBefore, out.EffortAfter = s.effort(w, 0), s.effort(w, 1)
	}
	failed, passed := w.Unanimous()
	out.Notes = append([]string{}, say.Unanimous(failed, passed, out.Machines)...)
	out.Says = say.WhatIf(out.Machines, out.Moved, w.Shifts.Net(remedy.Ready))
	return out, nil
}

// effort is what machines take by one side of a what-if.
func (s changesAPI) effort(w *service.Answered, side int) *api.Effort {
	base, e, name := s.Knowledge.Base(), &w.Efforts[side], w.Was.Name
	if side > 0 {
		name = w.Is.Name
	}
	if w.Was.Name == w.Is.Name {
		name = fmt.Sprintf("%s, revision %d", name, []int{w.Was.Revision, w.Is.Revision}[side])
	}
	least, most := e.Days(w.Minutes)
	cost, known := base.Prices.Hours(e.Minutes)
	out := &api.Effort{
		Machines: e.Machines, Visits: e.Visits, Minutes: api.Span(e.Minutes), Days: api.Span{Least: least, Most: most},
		Replaced: e.Replaced, Parts: money(base, e.Parts, e.Unpriced), Labour: labour(base, cost, known),
	}
	out.Says = say.Effort(name, e.Visits, e.Replaced, e.Minutes, [2]int{least, most}, out.Parts.Says)
	return out
}

// changedMachines are machines that change, with the titles of the requirements that do it.
func changedMachines(list []service.Flip, titles map[string]string) []api.ChangedMachine {
	out := []api.ChangedMachine{}
	for i := range list {
		f := &list[i]
		row := api.ChangedMachine{
			Key:     f.Key,
			Name:    f.Name,
			Site:    f.Site,
			Model:   f.Model,
			Was:     f.Was.String(),
			Becomes: f.Becomes.String(),
			By:      []string{},
		}
		for _, id := range f.By {
			row.By = append(row.By, cmp.Or(titles[id], id))
		}
		out = append(out, row)
	}
	return out
}

func shifts(s *fleet.Shifts) []api.Shift {
	out := []api.Shift{}
	for was := range s {
		for is, n := range s[was] {
			if was != is && n > 0 {
				out = append(out, api.Shift{Was: dispositionName(was), Becomes: dispositionName(is), Machines: n})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b api.Shift) int { return b.Machines - a.Machines })
	return out
}

func (s changesAPI) judging(ctx context.Context, _ *struct{}) (api.Judging, error) {
	out := api.Judging(s.Judge.Progress())
	if callerOf(ctx).Limited() {
		out.Machines, out.Done = 0, 0 // of the whole fleet
	}
	return out, nil
}

func (s changesAPI) listRuleChanges(ctx context.Context, _ *struct{}) (api.RuleChangeList, error) {
	list, err := s.RuleChanges.List(ctx)
	out := api.RuleChangeList{Changes: []api.RuleChange{}}
	for _, c := range list {
		out.Changes = append(out.Changes, ruleChange(c))
	}
	return out, err
}

func (s changesAPI) showRuleChange(ctx context.Context, in *struct {
	ID int64 `path:"id" minimum:"1"`
}) (api.RuleChange, error) {
	c, err := s.RuleChanges.Get(ctx, in.ID)
	if err != nil {
		return api.RuleChange{}, err
	}
	out := ruleChange(c)
	out.Changed = changedMachines(c.Named, c.Titles)
	return out, nil
}

// ruleChange is a change without its machines.
func ruleChange(c *service.RuleChange) api.RuleChange {
	out := api.RuleChange{
		ID:       c.ID,
		Says:     c.Says,
		At:       c.At,
		Release:  c.Is,
		Was:      c.Was,
		Machines: c.Machines,
		Moved:    c.Moved,
		Shifts:   shifts(&c.Shifts),
		By:       []api.Count{},
		Where:    c.Where,
	}
	for id, n := range c.By {
		out.By = append(out.By, api.Count{Name: cmp.Or(c.Titles[id], id), Count: n})
	}
	slices.SortFunc(out.By, func(a, b api.Count) int {
		return cmp.Or(b.Count-a.Count, strings.Compare(a.Name, b.Name))
	})
	return out
}
