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

// Effects is which remedies free the most machines.
func (c *Client) Effects(ctx context.Context, filter, order string) (e api.Effects, err error) {
	return e, c.get(ctx, "work/effects", where(filter, "order", order), &e)
}

// WhatIf is who would change disposition.
func (c *Client) WhatIf(ctx context.Context, ask api.AskWhatIf) (w api.WhatIf, err error) {
	return w, c.send(ctx, http.MethodPost, "what-if", ask, &w)
}

// Decisions are what people decided about machines.
func (c *Client) Decisions(ctx context.Context, all bool) (l api.DecisionList, err error) {
	q := url.Values{}
	if all {
		q.Set("all", "true")
	}
	return l, c.get(ctx, "decisions", q, &l)
}

// Decide decides something about machines, until a date.
func (c *Client) Decide(ctx context.Context, d api.MakeDecision) (out api.Decision, err error) {
	return out, c.send(ctx, http.MethodPost, "decisions", d, &out)
}

// EndDecision ends a decision before its date.
func (c *Client) EndDecision(ctx context.Context, id int64) error {
	return c.call(ctx, http.MethodDelete, "decisions/"+strconv.FormatInt(id, 10), "", nil, nil)
}
