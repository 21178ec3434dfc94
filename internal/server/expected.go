package server

import (
	"context"
	"slices"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// expectedAPI has the operations on machines that should report.
type expectedAPI struct{ *Server }

func (s expectedAPI) listExpected(ctx context.Context, _ *struct{}) (api.ExpectedList, error) {
	list, err := s.Work.Expected(ctx)
	who, out := callerOf(ctx), api.ExpectedList{Machines: []api.ExpectedRow{}}
	for i := range list {
		e := &list[i]
		row := api.ExpectedRow{ID: e.ID, Machine: e.Machine, Expected: api.Expected{
			Name:   e.Name,
			Serial: e.Serial,
			Maker:  e.Maker,
			Model:  e.Model,
			Site:   e.Site,
			Reason: e.Reason,
			Note:   e.Note,
		}}
		if !who.Plain {
			row.Serial = ""
		}
		if e.Machine == "" {
			out.Missing++
		} else {
			out.Reported++
		}
		out.Machines = append(out.Machines, row)
	}
	return out, err
}

func (s expectedAPI) setExpected(ctx context.Context, in *struct{ Body api.SetExpected }) (api.ExpectedList, error) {
	seen := map[string]int{}
	list := make([]store.Expected, len(in.Body.Machines))
	for i, e := range in.Body.Machines {
		key := e.Name
		if e.Serial != "" {
			key = e.Maker + " " + e.Serial
		}
		if first, twice := seen[key]; twice {
			return api.ExpectedList{}, refuse("The list was refused",
				"machine %d of the list is the same as machine %d (%s); remove one of them", i+1, first+1, key)
		}
		seen[key] = i
		list[i] = store.Expected{
			Name:   e.Name,
			Serial: e.Serial,
			Maker:  e.Maker,
			Model:  e.Model,
			Site:   e.Site,
			Reason: e.Reason,
			Note:   e.Note,
			Millis: s.now().UnixMilli(),
		}
	}
	store.Note(ctx, "", say.Count(len(list), "machine", "machines"))
	if err := s.store.SetExpected(ctx, list); err != nil {
		return api.ExpectedList{}, err
	}
	return s.listExpected(ctx, nil)
}

func (s expectedAPI) setReason(ctx context.Context, in *struct {
	ID   int64 `path:"id" minimum:"1"`
	Body api.SetReason
}) error {
	const none = "there is no expected machine %d"
	if callerOf(ctx).Limited() {
		seen, err := s.Work.Expected(ctx)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(seen, func(e store.Expected) bool { return e.ID == in.ID }) {
			return missing(none, in.ID)
		}
	}
	store.Note(ctx, "", in.Body.Reason+" "+in.Body.Note)
	return orMissing(s.store.SetReason(ctx, in.ID, in.Body.Reason, in.Body.Note, s.now()), none, in.ID)
}
