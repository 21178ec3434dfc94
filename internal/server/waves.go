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
	"strings"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
)

// wavesAPI has the operations on waves and blackout days.
type wavesAPI struct{ *Server }

// WaveInput names a wave.
type WaveInput struct {
	ID int64 `path:"id" minimum:"1"`
}

func (s wavesAPI) listWaves(ctx context.Context, _ *struct{}) (out api.WaveList, err error) {
	waves, cal, err := s.Waves.List(ctx)
	if err != nil {
		return out, err
	}
	out = api.WaveList{Waves: []api.Wave{}, Blackout: []api.Blackout{}, Forecasts: []api.Forecast{}}
	for i := range waves {
		out.Waves = append(out.Waves, waveRow(&waves[i]))
	}
	for _, b := range cal.Dark {
		out.Blackout = append(out.Blackout, api.Blackout{From: string(b.From), To: string(b.To), Reason: b.Reason})
	}
	out.Forecasts, err = s.forecasts(ctx, cal, 0, "")
	return out, err
}

func (s wavesAPI) forecasts(
	ctx context.Context,
	cal *wave.Calendar,
	pace float64,
	where string,
) ([]api.Forecast, error) {
	list, err := s.Work.Forecasts(ctx, cal, s.Settings.Get().StaleDays, pace, where)
	out := []api.Forecast{}
	for i := range list {
		out = append(out, forecast(&list[i]))
	}
	return out, err
}

func (s wavesAPI) showForecast(ctx context.Context, in *struct {
	Where string  `query:"where" maxLength:"2000" doc:"A filter"`
	Pace  float64 `query:"pace" minimum:"0" maximum:"100000" doc:"Machines a working day to assume; 0: the pace of the last 28 days"`
}) (out api.ForecastList, err error) {
	cal, err := s.Waves.Calendar(ctx)
	if err != nil {
		return out, err
	}
	out.Forecasts, err = s.forecasts(ctx, cal, in.Pace, in.Where)
	return out, err
}

func forecast(f *service.Forecast) api.Forecast {
	out := api.Forecast{
		Deadlines: []api.Deadline{},

		Late:     f.Late,
		Overdue:  f.Overdue,
		Assumed:  f.Assumed,
		Needed:   f.Needed,
		Says:     f.Says(f.Release),
		Needs:    f.Needs(),
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
	for i := range f.Deadlines {
		d := &f.Deadlines[i]
		out.Deadlines = append(out.Deadlines, api.Deadline{
			Day:      string(d.Day),
			Machines: d.Machines,
			Due:      d.Due,
			InTime:   d.InTime,
			Days:     d.Days,
			Needed:   d.Needed,
			Start:    string(d.Start),
			Says:     d.Says(),
		})
	}
	return out
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

		StopPercent: w.StopPercent,
		Paused:      w.Paused,
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

		StopPercent: b.StopPercent,
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
	if id, err = s.Waves.Put(ctx, service.Change{Wave: w, Reschedule: b.Reschedule}); err != nil {
		return out, err
	}
	return s.showWave(ctx, &WaveInput{id})
}

func (s wavesAPI) endWave(ctx context.Context, in *WaveInput) error { return s.Waves.End(ctx, in.ID) }

func (s wavesAPI) fillWave(ctx context.Context, in *struct {
	WaveInput
	Body api.FillWave
}) (api.WaveFilled, error) {
	f := service.Filling{Keys: in.Body.Keys, ByName: in.Body.ByName}
	if in.Body.Day != "" {
		var err error
		if f.Day, err = wave.ReadDay(in.Body.Day); err != nil {
			return api.WaveFilled{}, refuse("Not a day", "%s", err)
		}
	}
	got, err := s.Waves.Fill(ctx, in.ID, f)
	return api.WaveFilled(got), err
}

func (s wavesAPI) resumeWave(ctx context.Context, in *struct {
	WaveInput
	Body api.ResumeWave
}) (api.WaveDetail, error) {
	if err := s.Waves.Resume(ctx, in.ID, in.Body.Reason); err != nil {
		return api.WaveDetail{}, err
	}
	return s.showWave(ctx, &in.WaveInput)
}

func (s wavesAPI) removeMember(ctx context.Context, in *struct {
	WaveInput
	Key string `path:"key" maxLength:"80"`
}) error {
	return s.Waves.Drop(ctx, in.ID, in.Key)
}

func (s wavesAPI) listBlackout(ctx context.Context, _ *struct{}) (api.Blackouts, error) {
	out := api.Blackouts{Days: []api.Blackout{}}
	cal, err := s.Waves.Calendar(ctx)
	if err != nil {
		return out, err
	}
	for _, b := range cal.Dark {
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

var handOffHeads = []string{
	"machine", "key", "site", "model", "day", "way", "edition", "package", "file", "sha256", "release", "hop",
}

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
		var rows [][]string
		for i := range out.Machines {
			rows = append(rows, handOffRows(&out.Machines[i], got.To)...)
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

// handOffRows are the lines of a machine in the table of a hand-off: one for each release on its way that is still to
// be installed, the target last.
func handOffRows(m *wave.Machine, target string) [][]string {
	hops := m.Hops
	if len(hops) == 0 {
		hops = []wave.Hop{{Release: target, Day: m.Day, Edition: m.Edition, Package: m.Package, File: m.File,
			SHA256: m.SHA256}}
	}
	var out [][]string
	for i := range hops {
		if h := &hops[i]; h.Outcome != wave.Arrived {
			out = append(
				out,
				[]string{m.Name, m.Key, m.Site, m.Model, h.Day, m.Way, h.Edition, h.Package, h.File, h.SHA256,
					h.Release, fmt.Sprintf("%d of %d", i+1, len(hops))},
			)
		}
	}
	return out
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
	told := make([]service.SaidOutcome, len(in.Body.Outcomes))
	for i, o := range in.Body.Outcomes {
		told[i] = service.SaidOutcome(o)
	}
	taken, problems, err := s.Waves.TakeOutcomes(ctx, in.ID, told, false)
	return api.OutcomesTaken{Taken: taken, Problems: problems}, err
}

// previewOutcomes is how many outcomes of a file an answer shows.
const previewOutcomes = 100

func (s wavesAPI) outcomesFile(ctx context.Context, in *struct {
	WaveInput
	Body api.OutcomesFile
}) (out api.OutcomesTaken, err error) {
	b := &in.Body
	told, heads, err := readOutcomes(b.Name, b.Content, &wave.Mapping{Columns: b.Columns, Words: b.Words})
	if err != nil {
		return out, refuse("The file cannot be used", "%s", err)
	}
	out.Headings = heads
	for _, o := range told[:min(len(told), previewOutcomes)] {
		out.Outcomes = append(out.Outcomes, api.SaidOutcome(o))
	}
	out.Taken, out.Problems, err = s.Waves.TakeOutcomes(ctx, in.ID, told, b.DryRun)
	return out, err
}
