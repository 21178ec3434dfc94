package server

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
)

// exportAPI has the operations that write tables.
type exportAPI struct{ *Server }

type exportInput struct {
	Where  string   `query:"where" maxLength:"2000" doc:"A filter"`
	Format string   `query:"format" default:"csv" enum:"csv,json,ndjson"`
	Facts  []string `query:"facts" maxItems:"40" doc:"Facts to add as columns, separated by commas: tpm.state,memory.installed_bytes"`
}

// exported is a machine in an export.
type exported struct{ api.MachineRow }

func (s exportAPI) export(ctx context.Context, in *exportInput) (*huma.StreamResponse, error) {
	defs, err := s.Index.Facts(ctx, in.Facts)
	if err != nil {
		return nil, err
	}
	rows, err := s.Index.All(ctx, in.Where)
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(c huma.Context) {
		kind, ending, write := "text/csv; charset=utf-8", "csv", s.table
		switch in.Format {
		case "ndjson":
			kind, ending, write = linesType, "ndjson", s.lines
		case "json":
			kind, ending, write = "application/json", "json", s.array
		}
		c.SetHeader("Content-Type", kind)
		c.SetHeader("Content-Disposition", `attachment; filename="machines.`+ending+`"`)
		if err := write(ctx, c.BodyWriter(), rows, defs); err != nil {
			s.log.Warn("an export was interrupted", "error", err)
		}
	}}, nil
}

// each works machines out piece by piece.
func (s exportAPI) each(ctx context.Context, rows []fleet.Row, defs []*fact.Def, f func(*exported) error) error {
	return s.Answers.Each(ctx, rows, defs, func(r *fleet.Row, a service.Answer) error {
		return f(&exported{machinesAPI(s).answered(r, a)})
	})
}

func (s exportAPI) lines(ctx context.Context, w io.Writer, rows []fleet.Row, defs []*fact.Def) error {
	enc := json.NewEncoder(w)
	return s.each(ctx, rows, defs, func(e *exported) error { return enc.Encode(e) })
}

func (s exportAPI) array(ctx context.Context, w io.Writer, rows []fleet.Row, defs []*fact.Def) error {
	before := `{"format":"rolltop-export/1","machines":[` + "\n"
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
	if len(rows) > 0 {
		before = "\n"
	}
	_, err = io.WriteString(w, before+"]}\n")
	return err
}

// exportHeads are the columns of an export; those of facts and the tags stand behind them.
var exportHeads = []string{
	"key", "name", "site", "class", "manufacturer", "model", "installed", "taken_at",
	"release", "disposition", "certainty", "fails", "answer", "support_ends",
}

func (s exportAPI) table(ctx context.Context, w io.Writer, rows []fleet.Row, defs []*fact.Def) error {
	out := csv.NewWriter(w)
	heads := slices.Clone(exportHeads)
	for _, d := range defs {
		heads = append(heads, d.Name)
	}
	heads = append(heads, "tags")
	if err := out.Write(heads); err != nil {
		return err
	}
	err := s.each(ctx, rows, defs, func(e *exported) error {
		cells := []string{
			e.Key, e.Name, e.Site, e.Class, e.Manufacturer, e.Model, e.Installed, e.TakenAt.UTC().Format(time.RFC3339),
			e.Release, e.Disposition, e.Certainty, strconv.Itoa(e.Fails), e.Answer,
			e.SupportEnds,
		}
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
