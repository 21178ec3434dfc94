package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// Machines beside the requirements of the target of their class.
func (s *Server) grids(a huma.API) {
	huma.Register(a, secured(huma.Operation{OperationID: "grid", Method: http.MethodGet, Path: "/grid", Summary: "Machines beside requirements: what each has, and what is missing", Tags: []string{"Fleet"}, Errors: []int{http.StatusUnprocessableEntity}}, ScopeRead), s.grid)
}

func (s *Server) grid(ctx context.Context, in *struct {
	ListInput
	Class string `query:"class" default:"pc" enum:"pc,mac" doc:"Whose target the requirements are of"`
}) (*struct{ Body api.Grid }, error) {
	t, ok := s.target(in.Class)
	if !ok {
		return nil, noTarget()
	}
	out := api.Grid{Release: t.release.Name, Requirements: []api.GridColumn{}, Rows: []api.GridRow{}}
	said := in.Where
	in.Where = within(in.Where, fleet.Term("class", in.Class))
	var standings []fleet.Standing
	got, err := s.list(ctx, &in.ListInput, func(_ *fleet.Index, picked fleet.Selection) { standings = picked.Standings(t.release) })
	if err != nil {
		return nil, err
	}
	out.Total, out.From, out.Next, out.Where = got.total, got.from, got.next, said
	var shown []int // features are not shown: they decide nothing
	for i := range t.release.Requirements {
		q := &t.release.Requirements[i]
		if q.Level != release.Must && q.Level != release.Should {
			continue
		}
		shown = append(shown, i)
		o := standings[i]
		out.Requirements = append(out.Requirements, api.GridColumn{Requirement: q.ID, Title: q.Title, Needs: say.Requirement(q), Level: q.Level, Fails: o.Fails, Unknown: o.Unknown, WhereFails: within(in.Where, fleet.Term("fails", q.ID))})
	}
	cells, err := s.cells(ctx, t, got.rows, shown)
	if err != nil {
		return nil, s.problem(err, "")
	}
	for i := range got.rows {
		r := &got.rows[i]
		out.Rows = append(out.Rows, api.GridRow{Key: r.Key, Name: r.Name, Place: r.Place, Disposition: r.Disposition.String(), Cells: cells[r.ID]})
	}
	return &struct{ Body api.Grid }{out}, nil
}

// within is a filter with a term more.
func within(where, term string) string {
	if where == "" {
		return term
	}
	return where + " " + term
}

// cells are worked out from packed facts; by the numbers of the machines.
func (s *Server) cells(ctx context.Context, t target, rows []fleet.Row, shown []int) (map[int64][]api.GridCell, error) {
	out := map[int64][]api.GridCell{}
	var ids []int64
	waived := map[int64][]string{}
	for i := range rows {
		ids = append(ids, rows[i].ID)
		waived[rows[i].ID] = lines(rows[i].WaivedMusts)
	}
	if ids == nil {
		return out, nil
	}
	f := new(fact.Facts)
	err := s.store.EachRow(ctx, nil, fact.Catalogue, ids, func(list []store.Row) error {
		for i := range list {
			if list[i].Packed == nil {
				continue
			}
			if err := f.Unpack(list[i].Packed); err != nil {
				return err
			}
			all, err := assess.Cells(s.toolbox(), t.release, f, waived[list[i].ID]...)
			if err != nil {
				return err
			}
			for _, n := range shown {
				out[list[i].ID] = append(out[list[i].ID], api.GridCell(all[n]))
			}
		}
		return nil
	})
	return out, err
}
