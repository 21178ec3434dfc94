package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"rolltop.example/rolltop/internal/api"
)

// waves are the operations on waves.
type waves struct{ *conn }

// Waves are all waves, with the days on which nothing is upgraded and the forecasts.
func (c waves) Waves(ctx context.Context) (api.WaveList, error) {
	return get[api.WaveList](ctx, c.conn, "waves", nil)
}

// Wave is one wave with its machines, and why others may not enter.
func (c waves) Wave(ctx context.Context, id int64) (api.WaveDetail, error) {
	return get[api.WaveDetail](ctx, c.conn, wavePath(id), nil)
}

// SetWave adds a wave where id is 0, or changes one.
func (c waves) SetWave(ctx context.Context, id int64, w api.MakeWave) (api.WaveDetail, error) {
	if id == 0 {
		return send[api.WaveDetail](ctx, c.conn, http.MethodPost, "waves", w)
	}
	return send[api.WaveDetail](ctx, c.conn, http.MethodPut, wavePath(id), w)
}

// ResumeWave lets a wave go on that its stop rule paused.
func (c waves) ResumeWave(ctx context.Context, id int64, reason string) (api.WaveDetail, error) {
	return send[api.WaveDetail](ctx, c.conn, http.MethodPost, wavePath(id)+"/resume", api.ResumeWave{Reason: reason})
}

// Forecast forecasts whether the machines of a filter arrive before their support ends. A pace of 0 is the present one.
func (c waves) Forecast(ctx context.Context, where string, pace float64) (api.ForecastList, error) {
	q := url.Values{"where": {where}, "pace": {strconv.FormatFloat(pace, 'f', -1, 64)}}
	return get[api.ForecastList](ctx, c.conn, "forecast", q)
}

// EndWave ends a wave; machines that were not handed over are free again.
func (c waves) EndWave(ctx context.Context, id int64) error {
	return c.remove(ctx, wavePath(id))
}

// FillWave puts machines into a wave.
func (c waves) FillWave(ctx context.Context, id int64, f api.FillWave) (api.WaveFilled, error) {
	return send[api.WaveFilled](ctx, c.conn, http.MethodPost, wavePath(id)+"/machines", f)
}

// LeaveWave takes a machine out of a wave.
func (c waves) LeaveWave(ctx context.Context, id int64, key string) error {
	return c.remove(ctx, wavePath(id)+"/machines/"+url.PathEscape(key))
}

// HandOff is the machines of a wave for a deployment system: as rolltop-handoff/1, csv or
// ndjson.
func (c waves) HandOff(ctx context.Context, id int64, format string) ([]byte, error) {
	return get[[]byte](ctx, c.conn, wavePath(id)+"/hand-off", url.Values{"format": {format}})
}

// HandedOff records that the machines of a wave were handed off.
func (c waves) HandedOff(ctx context.Context, id int64) (api.HandOff, error) {
	return send[api.HandOff](ctx, c.conn, http.MethodPost, wavePath(id)+"/hand-off", struct{}{})
}

// Outcomes tells what became of machines of a wave.
func (c waves) Outcomes(ctx context.Context, id int64, o api.Outcomes) (api.OutcomesTaken, error) {
	return send[api.OutcomesTaken](ctx, c.conn, http.MethodPost, wavePath(id)+"/outcomes", o)
}

// OutcomesFile tells what became of machines of a wave by a file.
func (c waves) OutcomesFile(ctx context.Context, id int64, f api.OutcomesFile) (api.OutcomesTaken, error) {
	return send[api.OutcomesTaken](ctx, c.conn, http.MethodPost, wavePath(id)+"/outcomes/file", f)
}

// Blackout lists the days on which nothing is upgraded.
func (c waves) Blackout(ctx context.Context) (api.Blackouts, error) {
	return get[api.Blackouts](ctx, c.conn, "blackout", nil)
}

// SetBlackout replaces the days on which nothing is upgraded.
func (c waves) SetBlackout(ctx context.Context, b api.Blackouts) error {
	return c.send(ctx, http.MethodPut, "blackout", b)
}

func wavePath(id int64) string { return "waves/" + strconv.FormatInt(id, 10) }
