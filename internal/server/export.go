package server

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func (s *Server) exports(a huma.API) {
	huma.Register(a, secured(huma.Operation{OperationID: "export", Method: http.MethodGet, Path: "/export", Summary: "Every machine that a filter picks, as a table", Tags: []string{"Devices"}, Errors: []int{http.StatusUnprocessableEntity},
		Description: "CSV opens right in spreadsheet programs: a text that one would take for a formula gets an apostrophe. NDJSON has one object a line.",
		Responses:   map[string]*huma.Response{"200": {Description: "The table", Content: map[string]*huma.MediaType{"text/csv": {}, "application/json": {}, "application/x-ndjson": {}}}}}, ScopeRead), s.export)
}

type exportInput struct {
	Where  string   `query:"where" maxLength:"2000" doc:"A filter"`
	Format string   `query:"format" default:"csv" enum:"csv,json,ndjson"`
	Facts  []string `query:"facts" maxItems:"40" doc:"Facts that become columns, parted by commas: tpm.state,memory.installed_bytes"`
}

// exported is a machine in an export.
type exported struct{ api.DeviceRow }

// batch is how many machines an export works out at once.
const batch = 500

func (s *Server) export(ctx context.Context, in *exportInput) (*huma.StreamResponse, error) {
	f, err := s.where(ctx, in.Where)
	if err != nil {
		return nil, err
	}
	defs, err := factsNamed(callerOf(ctx), in.Facts)
	if err != nil {
		return nil, err
	}
	var rows []fleet.Row
	if err := s.look(ctx, func(x *fleet.Index) {
		picked := x.Select(f)
		rows = picked.Page(fleet.Order{}, 0, picked.Len())
	}); err != nil {
		return nil, s.problem(err, "")
	}
	return &huma.StreamResponse{Body: func(c huma.Context) {
		kind, ending, write := "text/csv; charset=utf-8", "csv", s.table
		switch in.Format {
		case "ndjson":
			kind, ending, write = "application/x-ndjson", "ndjson", s.lines
		case "json":
			kind, ending, write = "application/json", "json", s.array
		}
		c.SetHeader("Content-Type", kind)
		c.SetHeader("Content-Disposition", `attachment; filename="machines.`+ending+`"`)
		if err := write(ctx, c.BodyWriter(), rows, defs); err != nil {
			s.log.Warn("an export was not written to its end", "error", err)
		}
	}}, nil
}

// each works machines out piece by piece.
func (s *Server) each(ctx context.Context, rows []fleet.Row, defs []*fact.Def, f func(*exported) error) error {
	for len(rows) > 0 {
		some := rows[:min(batch, len(rows))]
		rows = rows[len(some):]
		got, err := s.answers(ctx, some, defs)
		if err != nil {
			return err
		}
		for i := range some {
			e := exported{s.deviceRow(&some[i])}
			e.Answer, e.Facts = assess.Dated(got[some[i].ID].says, e.Disposition, e.TakenAt, s.now()), got[some[i].ID].facts
			if err := f(&e); err != nil {
				return err
			}
		}
	}
	return nil
}

func (s *Server) lines(ctx context.Context, w io.Writer, rows []fleet.Row, defs []*fact.Def) error {
	enc := json.NewEncoder(w)
	return s.each(ctx, rows, defs, func(e *exported) error { return enc.Encode(e) })
}

func (s *Server) array(ctx context.Context, w io.Writer, rows []fleet.Row, defs []*fact.Def) error {
	before := "[\n"
	err := s.each(ctx, rows, defs, func(e *exported) error {
		b, err := json.Marshal(e)
		if err != nil {
			return err
		}
		_, err = fmt.Fprintf(w, "%s%s", before, b)
		before = ",\n"
		return err
	})
	if err != nil {
		return err // what was written is no whole array, and nobody takes it for one
	}
	if len(rows) == 0 {
		before = "["
	} else {
		before = "\n"
	}
	_, err = io.WriteString(w, before+"]\n")
	return err
}

func (s *Server) table(ctx context.Context, w io.Writer, rows []fleet.Row, defs []*fact.Def) error {
	out := csv.NewWriter(w)
	heads := []string{"key", "name", "place", "class", "manufacturer", "model", "installed", "taken_at", "release", "disposition", "certainty", "fails", "answer"}
	for _, d := range defs {
		heads = append(heads, d.Name)
	}
	heads = append(heads, "tags")
	if err := out.Write(heads); err != nil {
		return err
	}
	err := s.each(ctx, rows, defs, func(e *exported) error {
		cells := []string{e.Key, e.Name, e.Place, e.Class, e.Manufacturer, e.Model, e.Installed, e.TakenAt.UTC().Format(time.RFC3339), e.Release, e.Disposition, e.Certainty, strconv.Itoa(e.Fails), e.Answer}
		for _, d := range defs {
			cells = append(cells, e.Facts[d.Name])
		}
		cells = append(cells, strings.Join(e.Tags, " "))
		for i := range cells {
			cells[i] = say.Cell(cells[i])
		}
		return out.Write(cells)
	})
	out.Flush()
	if err != nil {
		return err
	}
	return out.Error()
}

// inWords is the facts of a machine that an export asks for; those that are not
// known are left out.
func inWords(f *fact.Facts, defs []*fact.Def) map[string]string {
	out := map[string]string{}
	for _, d := range defs {
		if v := f.Value(d.ID); v.Known() {
			out[d.Name] = say.Value(d, v)
		}
	}
	return out
}
