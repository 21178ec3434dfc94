package server

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
	"rolltop.example/rolltop/internal/tables"
)

// handing is what is handed over, and what of the wave is not.
func (s *Server) handing(ctx context.Context, id int64) (*wave.Wave, *api.HandOff, error) {
	all, w, err := s.found(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	got, err := s.wave(ctx, all, w)
	if err != nil {
		return nil, nil, err
	}
	out := &api.HandOff{Format: "rolltop-handoff/1", Wave: w.Name, Release: w.Release, At: s.now().UTC(), Machines: []api.WaveMachine{}, Refused: []api.WaveMachine{}}
	for _, m := range got.Members {
		switch {
		case m.Refused:
			out.Refused = append(out.Refused, m)
		case m.Outcome == wave.Waiting || m.Outcome == wave.Handed:
			out.Machines = append(out.Machines, m)
		}
	}
	return w, out, nil
}

var handOffHeads = []string{"machine", "key", "place", "model", "day", "way", "edition", "package", "file", "sha256"}

func (s *Server) handOff(ctx context.Context, in *struct {
	WaveInput
	Format string `query:"format" enum:"json,csv,ndjson" default:"json"`
}) (*raw, error) {
	_, out, err := s.handing(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	rows := make([][]string, len(out.Machines))
	for i, m := range out.Machines {
		rows[i] = []string{m.Name, m.Key, m.Place, m.Model, m.Day, m.Way, m.Edition, m.Package, m.File, m.SHA256}
	}
	var b bytes.Buffer
	kind := "application/json"
	switch in.Format {
	case "csv":
		kind, err = "text/csv; charset=utf-8", writeTable(&b, handOffHeads, rows)
	case "ndjson":
		kind = "application/x-ndjson"
		enc := json.NewEncoder(&b)
		for i := range out.Machines {
			err = errors.Join(err, enc.Encode(&out.Machines[i]))
		}
	default:
		err = json.NewEncoder(&b).Encode(out)
	}
	if err != nil {
		return nil, s.problem(err, "")
	}
	return &raw{ContentType: kind, Body: b.Bytes()}, nil
}

// writeTable writes comma-separated values that spreadsheet programs open right.
func writeTable(w io.Writer, heads []string, rows [][]string) error {
	out := csv.NewWriter(w)
	if err := out.Write(heads); err != nil { // our own words, shared by all calls
		return err
	}
	for _, row := range rows {
		for i := range row {
			row[i] = say.Cell(row[i])
		}
		if err := out.Write(row); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

func (s *Server) handed(ctx context.Context, in *WaveInput) (*struct{ Body api.HandOff }, error) {
	w, out, err := s.handing(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if today := wave.On(s.now()); w.Starts > today {
		return nil, refuse("Too early", "the wave %q starts on %s; today is %s", w.Name, w.Starts, today)
	}
	dark, err := s.store.Blackouts(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	for _, b := range dark {
		if b.Covers(wave.On(s.now())) {
			return nil, refuse("A blackout day", "nothing is upgraded from %s to %s (%s)", b.From, b.To, b.Reason)
		}
	}
	var ids []int64
	for _, m := range out.Machines {
		if m.Outcome != wave.Waiting {
			continue
		}
		d, err := s.store.DeviceByKey(ctx, m.Key)
		if err != nil {
			return nil, s.problem(err, noDevice(m.Key))
		}
		ids = append(ids, d.ID)
	}
	store.Note(ctx, "", fmt.Sprintf("%s: %s handed over", w.Name, say.Count(len(ids), "machine", "machines")))
	if err := s.store.Hand(ctx, w, ids, s.now()); err != nil {
		return nil, s.problem(err, "")
	}
	s.live.touch(ids...)
	return &struct{ Body api.HandOff }{*out}, nil
}

func (s *Server) outcomes(ctx context.Context, in *struct {
	WaveInput
	Body api.Outcomes
}) (*struct{ Body api.OutcomesTaken }, error) {
	return s.take(ctx, in.ID, in.Body.Outcomes)
}

func (s *Server) outcomesFile(ctx context.Context, in *struct {
	WaveInput
	Body api.OutcomesFile
}) (*struct{ Body api.OutcomesTaken }, error) {
	list, err := readOutcomes(in.Body.Name, in.Body.Content)
	if err != nil {
		return nil, refuse("The file cannot be used", "%s", err)
	}
	return s.take(ctx, in.ID, list)
}

// take keeps what was told of machines of a wave, and says what it does not keep.
func (s *Server) take(ctx context.Context, number int64, told []api.SaidOutcome) (*struct{ Body api.OutcomesTaken }, error) {
	all, w, err := s.found(ctx, number)
	if err != nil {
		return nil, err
	}
	_, rows, _, err := s.candidates(ctx, all, w)
	if err != nil {
		return nil, err
	}
	at := map[string]int64{}
	for _, m := range all.members[w.ID] {
		if r, ok := rows[m.DeviceID]; ok {
			at[r.Key], at[strings.ToLower(r.Name)] = r.ID, r.ID
		}
	}
	out := api.OutcomesTaken{}
	for i, o := range told {
		id, ok := at[strings.ToLower(o.Machine)]
		switch {
		case !ok:
			out.Problems = append(out.Problems, fmt.Sprintf("%d: %q is no machine of the wave %q", i+1, o.Machine, w.Name))
			continue
		case !slices.Contains([]string{wave.Arrived, wave.Failed, wave.Back, wave.Waiting}, o.Outcome):
			out.Problems = append(out.Problems, fmt.Sprintf("%d: %q is no outcome; it may be arrived, failed, back, or waiting to let it go once more", i+1, o.Outcome))
			continue
		case o.Outcome == wave.Failed && strings.TrimSpace(o.Reason) == "":
			out.Problems = append(out.Problems, fmt.Sprintf("%d: %s failed without a reason; say it, for whoever looks at it next", i+1, o.Machine))
			continue
		}
		if err := s.store.SayOutcome(ctx, w.ID, id, o.Outcome, strings.TrimSpace(o.Reason), s.now()); err != nil {
			return nil, s.problem(err, noWave(w.ID))
		}
		out.Taken++
	}
	store.Note(ctx, "", fmt.Sprintf("%s: %s", w.Name, say.Count(out.Taken, "outcome", "outcomes")))
	s.live.touch()
	return &struct{ Body api.OutcomesTaken }{out}, nil
}

// readOutcomes reads a table with the columns machine, outcome and reason, or one object a
// line.
func readOutcomes(name string, src []byte) ([]api.SaidOutcome, error) {
	var out []api.SaidOutcome
	if bytes.HasPrefix(bytes.TrimSpace(src), []byte("{")) {
		dec := json.NewDecoder(bytes.NewReader(src))
		dec.DisallowUnknownFields()
		for n := 1; ; n++ {
			var o api.SaidOutcome
			switch err := dec.Decode(&o); {
			case err == io.EOF:
				return out, nil
			case err != nil:
				return nil, fmt.Errorf("%s: object %d cannot be read: %w; one has machine, outcome and, where it failed, reason", name, n, err)
			}
			out = append(out, o)
		}
	}
	sheets, err := tables.Read(name, src)
	if err != nil {
		return nil, err
	}
	at := map[string]int{}
	for _, head := range []string{"machine", "outcome", "reason"} {
		at[head] = slices.IndexFunc(sheets[0].Heads, func(h string) bool { return strings.EqualFold(h, head) })
		if at[head] < 0 && head != "reason" {
			return nil, fmt.Errorf("%s has no column %q; it has %s, and the columns machine, outcome and reason are read", name, head, strings.Join(sheets[0].Heads, ", "))
		}
	}
	for _, row := range sheets[0].Rows {
		out = append(out, api.SaidOutcome{Machine: cell(row, at["machine"]), Outcome: strings.ToLower(cell(row, at["outcome"])), Reason: cell(row, at["reason"])})
	}
	return out, nil
}

func cell(row []string, at int) string {
	if at < 0 || at >= len(row) {
		return ""
	}
	return strings.TrimSpace(row[at])
}
