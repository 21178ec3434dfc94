package server

import (
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/tables"
)

// wavesAPI has the operations on waves and blackout days.
type wavesAPI struct{ *Server }

// WaveInput names a wave.
type WaveInput struct {
	ID int64 `path:"id" minimum:"1"`
}

func (s wavesAPI) listWaves(ctx context.Context, _ *struct{}) (out api.WaveList, err error) {
	waves, dark, err := s.Waves.List(ctx)
	if err != nil {
		return out, err
	}
	out = api.WaveList{Waves: []api.Wave{}, Blackout: []api.Blackout{}, Forecasts: []api.Forecast{}}
	for i := range waves {
		out.Waves = append(out.Waves, waveRow(&waves[i]))
	}
	for _, b := range dark {
		out.Blackout = append(out.Blackout, api.Blackout{From: string(b.From), To: string(b.To), Reason: b.Reason})
	}
	forecasts, err := s.Work.Forecasts(ctx, dark, s.Settings.Get().StaleDays)
	for i := range forecasts {
		out.Forecasts = append(out.Forecasts, forecast(&forecasts[i]))
	}
	return out, err
}

func forecast(f *service.Forecast) api.Forecast {
	return api.Forecast{
		Says:     f.Says(f.Release),
		Class:    f.Class,
		Release:  f.Release,
		Pace:     f.Pace,
		Days:     f.Days,
		Machines: f.Machines,
		On:       f.On,
		Ready:    f.Ready,
		Blocked:  f.Blocked,
		Unknown:  f.Unknown,
		Parts:    f.Parts,
		Unseen:   f.Unseen,
		Silent:   f.Silent,
		Held:     f.Held,
		Stay:     f.Stay,
		End:      string(f.End),
		Done:     string(f.Done),
		InTime:   f.InTime,
		Firm:     f.Firm,
		Assumes:  f.Assumes(),
	}
}

func waveRow(w *service.Wave) api.Wave {
	return api.Wave{
		ID:       w.ID,
		Name:     w.Name,
		Release:  w.Release,
		To:       w.To,
		Pilot:    w.Pilot,
		Rule:     w.Rule,
		Most:     w.Most,
		Starts:   string(w.Starts),
		Ends:     string(w.Ends),
		Note:     w.Note,
		Ended:    w.Ended,
		Machines: w.Machines,
		Outcomes: w.Outcomes,
		Says:     w.Says,
	}
}

func (s wavesAPI) showWave(ctx context.Context, in *WaveInput) (api.WaveDetail, error) {
	got, err := s.Waves.Get(ctx, in.ID)
	if err != nil {
		return api.WaveDetail{}, err
	}
	return api.WaveDetail{
		Wave:     waveRow(&got.Wave),
		Members:  got.Members,
		Free:     got.Free,
		Refusals: got.Refusals,

		OutcomeNames: wave.OutcomeNames(),
	}, nil
}

func (s wavesAPI) addWave(ctx context.Context, in *struct{ Body api.MakeWave }) (api.WaveDetail, error) {
	return s.saveWave(ctx, &in.Body, 0)
}

func (s wavesAPI) setWave(ctx context.Context, in *struct {
	WaveInput
	Body api.MakeWave
}) (api.WaveDetail, error) {
	return s.saveWave(ctx, &in.Body, in.ID)
}

func (s wavesAPI) saveWave(ctx context.Context, b *api.MakeWave, id int64) (out api.WaveDetail, err error) {
	w := wave.Wave{
		ID:      id,
		Name:    strings.TrimSpace(b.Name),
		Release: b.Release,
		Pilot:   b.Pilot,
		Rule:    strings.TrimSpace(b.Rule),
		Most:    b.Most,
		Note:    b.Note,
	}
	for _, d := range []struct {
		text string
		to   *wave.Day
	}{{b.Starts, &w.Starts}, {b.Ends, &w.Ends}} {
		if d.text == "" {
			continue
		}
		if *d.to, err = wave.ReadDay(d.text); err != nil {
			return out, refuse("Not a wave", "%s", err)
		}
	}
	if id, err = s.Waves.Put(ctx, w); err != nil {
		return out, err
	}
	return s.showWave(ctx, &WaveInput{id})
}

func (s wavesAPI) endWave(ctx context.Context, in *WaveInput) error { return s.Waves.End(ctx, in.ID) }

func (s wavesAPI) fillWave(ctx context.Context, in *struct {
	WaveInput
	Body api.FillWave
}) (api.WaveFilled, error) {
	added, refusals, err := s.Waves.Fill(ctx, in.ID, in.Body.Keys, in.Body.ByName)
	return api.WaveFilled{Added: added, Refusals: refusals}, err
}

func (s wavesAPI) removeMember(ctx context.Context, in *struct {
	WaveInput
	Key string `path:"key" maxLength:"80"`
}) error {
	return s.Waves.Drop(ctx, in.ID, in.Key)
}

func (s wavesAPI) listBlackout(ctx context.Context, _ *struct{}) (api.Blackouts, error) {
	_, dark, err := s.Waves.List(ctx)
	out := api.Blackouts{Days: []api.Blackout{}}
	for _, b := range dark {
		out.Days = append(out.Days, api.Blackout{From: string(b.From), To: string(b.To), Reason: b.Reason})
	}
	return out, err
}

func (s wavesAPI) setBlackout(ctx context.Context, in *struct{ Body api.Blackouts }) error {
	var list []wave.Blackout
	for _, d := range in.Body.Days {
		b := wave.Blackout{Reason: strings.TrimSpace(d.Reason)}
		var err error
		if b.From, err = wave.ReadDay(d.From); err == nil {
			b.To, err = wave.ReadDay(cmp.Or(d.To, d.From))
		}
		if err != nil {
			return refuse("Not blackout days", "%s", err)
		}
		list = append(list, b)
	}
	return s.Waves.SetBlackouts(ctx, list)
}

var handOffHeads = []string{"machine", "key", "site", "model", "day", "way", "edition", "package", "file", "sha256"}

func (s wavesAPI) handingOver(h *service.HandOff) api.HandOff {
	return api.HandOff{
		Format:   "rolltop-handoff/1",
		Wave:     h.Wave.Name,
		Release:  h.Wave.Release,
		At:       s.now().UTC(),
		Machines: h.Machines,
		Refused:  h.Refused,
	}
}

func (s wavesAPI) handOff(ctx context.Context, in *struct {
	WaveInput
	Format string `query:"format" enum:"json,csv,ndjson" default:"json"`
}) (*raw, error) {
	got, err := s.Waves.HandOff(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	out := s.handingOver(got)
	var b bytes.Buffer
	kind := "application/json"
	switch in.Format {
	case "csv":
		rows := make([][]string, len(out.Machines))
		for i, m := range out.Machines {
			rows[i] = []string{m.Name, m.Key, m.Site, m.Model, m.Day, m.Way, m.Edition, m.Package, m.File, m.SHA256}
		}
		kind, err = "text/csv; charset=utf-8", writeTable(&b, handOffHeads, rows)
	case "ndjson":
		kind = linesType
		enc := json.NewEncoder(&b)
		for i := range out.Machines {
			err = errors.Join(err, enc.Encode(&out.Machines[i]))
		}
	default:
		err = json.NewEncoder(&b).Encode(&out)
	}
	return &raw{ContentType: kind, Body: b.Bytes()}, err
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

func (s wavesAPI) handedOff(ctx context.Context, in *WaveInput) (api.HandOff, error) {
	got, err := s.Waves.Hand(ctx, in.ID)
	if err != nil {
		return api.HandOff{}, err
	}
	return s.handingOver(got), nil
}

func (s wavesAPI) outcomes(ctx context.Context, in *struct {
	WaveInput
	Body api.Outcomes
}) (api.OutcomesTaken, error) {
	return s.takeOutcomes(ctx, in.ID, in.Body.Outcomes)
}

func (s wavesAPI) outcomesFile(ctx context.Context, in *struct {
	WaveInput
	Body api.OutcomesFile
}) (api.OutcomesTaken, error) {
	list, err := readOutcomes(in.Body.Name, in.Body.Content)
	if err != nil {
		return api.OutcomesTaken{}, refuse("The file cannot be used", "%s", err)
	}
	return s.takeOutcomes(ctx, in.ID, list)
}

func (s wavesAPI) takeOutcomes(ctx context.Context, id int64, list []api.SaidOutcome) (api.OutcomesTaken, error) {
	told := make([]service.SaidOutcome, len(list))
	for i, o := range list {
		told[i] = service.SaidOutcome(o)
	}
	taken, problems, err := s.Waves.TakeOutcomes(ctx, id, told)
	return api.OutcomesTaken{Taken: taken, Problems: problems}, err
}

// readOutcomes reads a table with the columns machine, outcome and reason, or one object a line.
func readOutcomes(name string, src []byte) ([]api.SaidOutcome, error) {
	if bytes.HasPrefix(bytes.TrimSpace(src), []byte("{")) {
		return readOutcomeLines(name, src)
	}
	sheets, err := tables.Read(name, src)
	if err != nil {
		return nil, err
	}
	at := map[string]int{}
	for _, head := range []string{"machine", "outcome", "reason"} {
		at[head] = slices.IndexFunc(sheets[0].Heads, func(h string) bool { return strings.EqualFold(h, head) })
		if at[head] < 0 && head != "reason" {
			return nil, fmt.Errorf(
				"%s has no column %q; it has %s. Expected are machine, outcome and reason",
				name, head, strings.Join(sheets[0].Heads, ", "))
		}
	}
	var out []api.SaidOutcome
	for _, row := range sheets[0].Texts() {
		out = append(out, api.SaidOutcome{
			Machine: cell(row, at["machine"]),
			Outcome: strings.ToLower(cell(row, at["outcome"])),
			Reason:  cell(row, at["reason"]),
		})
	}
	return out, nil
}

// readOutcomeLines reads outcomes as JSON objects, one after another.
func readOutcomeLines(name string, src []byte) ([]api.SaidOutcome, error) {
	const form = "an object has machine, outcome and, for a failure, reason"
	var out []api.SaidOutcome
	dec := json.NewDecoder(bytes.NewReader(src))
	for n := 1; ; n++ {
		var object map[string]any
		switch err := dec.Decode(&object); {
		case err == io.EOF:
			return out, nil
		case err != nil:
			return nil, fmt.Errorf("%s: object %d is not valid JSON; %s", name, n, form)
		}
		var o api.SaidOutcome
		fields := map[string]*string{"machine": &o.Machine, "outcome": &o.Outcome, "reason": &o.Reason}
		for _, key := range slices.Sorted(maps.Keys(object)) {
			text, ok := object[key].(string)
			switch {
			case fields[key] == nil:
				return nil, fmt.Errorf("%s: object %d has the unknown key %q; %s", name, n, key, form)
			case !ok:
				return nil, fmt.Errorf("%s: %s of object %d is not a text; %s", name, key, n, form)
			}
			*fields[key] = text
		}
		out = append(out, o)
	}
}

func cell(row []string, at int) string {
	if at < 0 || at >= len(row) {
		return ""
	}
	return strings.TrimSpace(row[at])
}
