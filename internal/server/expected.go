package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// The organisation's own list of machines, and which of them never reported.
func (s *Server) expecting(a huma.API) {
	tag := []string{"Intake"}
	huma.Register(a, secured(huma.Operation{OperationID: "expected", Method: http.MethodGet, Path: "/expected", Summary: "Machines that should be here, those that never reported first", Tags: tag}, ScopeRead), s.listExpected)
	op := huma.Operation{OperationID: "set-expected", Method: http.MethodPut, Path: "/expected", Summary: "Replace the list of machines that should be here", Tags: tag, Errors: []int{http.StatusUnprocessableEntity}, MaxBodyBytes: doc.MaxBytes * 8}
	huma.Register(a, secured(op, ScopeManage), s.setExpected)
	huma.Register(a, secured(huma.Operation{OperationID: "say-why", Method: http.MethodPut, Path: "/expected/{id}/reason", Summary: "Say why an expected machine does not report", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound}}, ScopeWork), s.sayWhy)
}

func (s *Server) listExpected(ctx context.Context, _ *struct{}) (*struct{ Body api.ExpectedList }, error) {
	list, err := s.store.Expected(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	places, err := s.store.Places(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	who, out := callerOf(ctx), api.ExpectedList{Machines: []api.ExpectedRow{}}
	for i := range list {
		e := &list[i]
		row := api.ExpectedRow{ID: e.ID, Device: e.Device, Expected: api.Expected{Name: e.Name, Serial: e.Serial, Maker: e.Maker, Model: e.Model, Place: e.Place, Reason: e.Reason, Note: e.Note}}
		if row.Place == "" {
			row.Place = placeOf(e.Name, places)
		}
		if !who.sees(row.Place) {
			continue
		}
		if !who.Plain {
			row.Serial = ""
		}
		if e.Device == "" {
			out.Missing++
		} else {
			out.Reported++
		}
		out.Machines = append(out.Machines, row)
	}
	return &struct{ Body api.ExpectedList }{out}, nil
}

func (s *Server) setExpected(ctx context.Context, in *struct{ Body api.SetExpected }) (*struct{ Body api.ExpectedList }, error) {
	seen := map[string]int{}
	list := make([]store.Expected, len(in.Body.Machines))
	for i, e := range in.Body.Machines {
		key := e.Name
		if e.Serial != "" {
			key = e.Maker + " " + e.Serial
		}
		if first, twice := seen[key]; twice {
			return nil, refuse("The list was not taken", "machine %d of the list is the same as machine %d (%s); take one of them out", i+1, first+1, key)
		}
		seen[key] = i
		list[i] = store.Expected{Name: e.Name, Serial: e.Serial, Maker: e.Maker, Model: e.Model, Place: e.Place, Reason: e.Reason, Note: e.Note, Millis: s.now().UnixMilli()}
	}
	store.Note(ctx, "", say.Count(len(list), "machine", "machines"))
	if err := s.store.SetExpected(ctx, list); err != nil {
		return nil, s.problem(err, "")
	}
	return s.listExpected(ctx, nil)
}

func (s *Server) sayWhy(ctx context.Context, in *struct {
	ID   int64 `path:"id" minimum:"1"`
	Body api.SayWhy
}) (*struct{}, error) {
	none := fmt.Sprintf("there is no expected machine %d", in.ID)
	if callerOf(ctx).limited() {
		seen, err := s.listExpected(ctx, nil)
		if err != nil {
			return nil, err
		}
		if !slices.ContainsFunc(seen.Body.Machines, func(m api.ExpectedRow) bool { return m.ID == in.ID }) {
			return nil, s.problem(store.ErrNotFound, none)
		}
	}
	store.Note(ctx, "", in.Body.Reason+" "+in.Body.Note)
	if err := s.store.SayWhy(ctx, in.ID, in.Body.Reason, in.Body.Note, s.now()); err != nil {
		return nil, s.problem(err, none)
	}
	return nil, nil
}

// progressDays are the days of progress that are shown.
const progressDays = 400

type progressInput struct {
	Days int `query:"days" default:"90" minimum:"1" maximum:"400"`
}

func (s *Server) progress(ctx context.Context, in *progressInput) (*struct{ Body api.Progress }, error) {
	since := s.now().UTC().AddDate(0, 0, -min(in.Days, progressDays)).Format(time.DateOnly)
	rows, err := s.store.Progress(ctx, since, callerOf(ctx).Places)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := api.Progress{Days: []api.ProgressDay{}}
	for _, r := range rows {
		if n := len(out.Days); n == 0 || out.Days[n-1].Day != r.Day {
			out.Days = append(out.Days, api.ProgressDay{Day: r.Day, Dispositions: map[string]int{}})
		}
		day := &out.Days[len(out.Days)-1]
		day.Total += r.Machines
		day.Dispositions[dispositionName(r.Disposition)] = r.Machines
	}
	return &struct{ Body api.Progress }{out}, nil
}
