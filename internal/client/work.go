package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"rolltop.example/rolltop/internal/api"
)

// where is a query of a filter and more.
func where(filter string, more ...string) url.Values {
	q := url.Values{}
	if filter != "" {
		q.Set("where", filter)
	}
	for i := 0; i+1 < len(more); i += 2 {
		if more[i+1] != "" {
			q.Set(more[i], more[i+1])
		}
	}
	return q
}

// Wins gets the fixes that make most machines ready.
func (c *Client) Wins(ctx context.Context, filter, order string) (e api.Wins, err error) {
	err = c.get(ctx, "work/wins", where(filter, "order", order), &e)
	return e, err
}

// WhatIf is who would change disposition.
func (c *Client) WhatIf(ctx context.Context, ask api.AskWhatIf) (w api.WhatIf, err error) {
	err = c.send(ctx, http.MethodPost, "what-if", ask, &w)
	return w, err
}

// Decisions are what people decided about machines.
func (c *Client) Decisions(ctx context.Context, all bool) (l api.DecisionList, err error) {
	q := url.Values{}
	if all {
		q.Set("all", "true")
	}
	err = c.get(ctx, "decisions", q, &l)
	return l, err
}

// Decide decides something about machines, until a date.
func (c *Client) Decide(ctx context.Context, d api.MakeDecision) (out api.Decision, err error) {
	err = c.send(ctx, http.MethodPost, "decisions", d, &out)
	return out, err
}

// EndDecision ends a decision before its date.
func (c *Client) EndDecision(ctx context.Context, id int64) error {
	return c.call(ctx, http.MethodDelete, "decisions/"+strconv.FormatInt(id, 10), "", nil, nil)
}

// Work is the work of the machines that a filter picks.
func (c *Client) Work(ctx context.Context, filter string) (w api.Work, err error) {
	err = c.get(ctx, "work", where(filter), &w)
	return w, err
}

// Assign gives the work on machines to somebody.
func (c *Client) Assign(ctx context.Context, a api.Assign) (out api.Assigned, err error) {
	err = c.send(ctx, http.MethodPost, "work/assign", a, &out)
	return out, err
}

// SetStock records the stock and the lead time of a part.
func (c *Client) SetStock(ctx context.Context, p api.SetStock) error {
	return c.send(ctx, http.MethodPut, "work/stock", p, nil)
}

// Messages are what to tell the people whose machines are worked on.
func (c *Client) Messages(ctx context.Context, filter string) (l api.MessageList, err error) {
	err = c.get(ctx, "work/messages", where(filter), &l)
	return l, err
}

// VisitSheet is the page of the visits of machines, to be printed.
func (c *Client) VisitSheet(ctx context.Context, filter string) (page []byte, err error) {
	err = c.get(ctx, "work/sheet", where(filter), &page)
	return page, err
}

// Waves are all waves, with the days on which nothing is upgraded and the forecasts.
func (c *Client) Waves(ctx context.Context) (l api.WaveList, err error) {
	err = c.get(ctx, "waves", nil, &l)
	return l, err
}

// Wave is one wave with its machines, and why others may not enter.
func (c *Client) Wave(ctx context.Context, id int64) (w api.WaveDetail, err error) {
	err = c.get(ctx, wavePath(id), nil, &w)
	return w, err
}

func wavePath(id int64) string { return "waves/" + strconv.FormatInt(id, 10) }

// SetWave adds a wave where id is 0, or changes one.
func (c *Client) SetWave(ctx context.Context, id int64, w api.MakeWave) (out api.WaveDetail, err error) {
	if id == 0 {
		err = c.send(ctx, http.MethodPost, "waves", w, &out)
		return out, err
	}
	err = c.send(ctx, http.MethodPut, wavePath(id), w, &out)
	return out, err
}

// EndWave ends a wave; machines that were not handed over are free again.
func (c *Client) EndWave(ctx context.Context, id int64) error {
	return c.call(ctx, http.MethodDelete, wavePath(id), "", nil, nil)
}

// FillWave puts machines into a wave.
func (c *Client) FillWave(ctx context.Context, id int64, f api.FillWave) (out api.WaveFilled, err error) {
	err = c.send(ctx, http.MethodPost, wavePath(id)+"/machines", f, &out)
	return out, err
}

// LeaveWave takes a machine out of a wave.
func (c *Client) LeaveWave(ctx context.Context, id int64, key string) error {
	return c.call(ctx, http.MethodDelete, wavePath(id)+"/machines/"+url.PathEscape(key), "", nil, nil)
}

// HandOff is the machines of a wave for a deployment system: as rolltop-handoff/1, csv or
// ndjson.
func (c *Client) HandOff(ctx context.Context, id int64, format string) (body []byte, err error) {
	err = c.get(ctx, wavePath(id)+"/hand-off", url.Values{"format": {format}}, &body)
	return body, err
}

// HandedOff records that the machines of a wave were handed off.
func (c *Client) HandedOff(ctx context.Context, id int64) (h api.HandOff, err error) {
	err = c.send(ctx, http.MethodPost, wavePath(id)+"/hand-off", struct{}{}, &h)
	return h, err
}

// Outcomes tells what became of machines of a wave.
func (c *Client) Outcomes(ctx context.Context, id int64, o api.Outcomes) (out api.OutcomesTaken, err error) {
	err = c.send(ctx, http.MethodPost, wavePath(id)+"/outcomes", o, &out)
	return out, err
}

// OutcomesFile tells what became of machines of a wave by a file.
func (c *Client) OutcomesFile(ctx context.Context, id int64, f api.OutcomesFile) (out api.OutcomesTaken, err error) {
	err = c.send(ctx, http.MethodPost, wavePath(id)+"/outcomes/file", f, &out)
	return out, err
}

// ExportWork is a list of the fleet's work as a table: csv, json or ndjson.
func (c *Client) ExportWork(ctx context.Context, list, filter, order, format string) (body []byte, err error) {
	err = c.get(ctx, "work/export", where(filter, "list", list, "order", order, "format", format), &body)
	return body, err
}

// SetBlackout replaces the days on which nothing is upgraded.
func (c *Client) SetBlackout(ctx context.Context, b api.Blackouts) error {
	return c.send(ctx, http.MethodPut, "blackout", b, nil)
}

// RuleChanges are the rules that were put in force, the latest first.
func (c *Client) RuleChanges(ctx context.Context) (l api.RuleChangeList, err error) {
	err = c.get(ctx, "rule-changes", nil, &l)
	return l, err
}

// RuleChange is one of them with the machines that changed.
func (c *Client) RuleChange(ctx context.Context, id int64) (r api.RuleChange, err error) {
	err = c.get(ctx, "rule-changes/"+strconv.FormatInt(id, 10), nil, &r)
	return r, err
}

// Judging is how far the judging of the fleet has come.
func (c *Client) Judging(ctx context.Context) (j api.Judging, err error) {
	err = c.get(ctx, "judging", nil, &j)
	return j, err
}
