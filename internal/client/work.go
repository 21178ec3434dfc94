package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"rolltop.example/rolltop/internal/api"
)

// work is the operations on work and decisions.
type work struct{ *conn }

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
func (c work) Wins(ctx context.Context, filter, order string) (api.Wins, error) {
	return get[api.Wins](ctx, c.conn, "work/wins", where(filter, "order", order))
}

// Applications are the applications of the machines of a filter, and what they take.
func (c work) Applications(ctx context.Context, filter string) (api.ApplicationList, error) {
	return get[api.ApplicationList](ctx, c.conn, "applications", where(filter))
}

// ApplicationMachines are the machines of a filter that have an application.
func (c work) ApplicationMachines(ctx context.Context, name, filter string) (api.ApplicationMachines, error) {
	return get[api.ApplicationMachines](ctx, c.conn, "applications/machines", where(filter, "name", name))
}

// Decisions are what people decided about machines.
func (c work) Decisions(ctx context.Context, all bool) (api.DecisionList, error) {
	q := url.Values{}
	if all {
		q.Set("all", "true")
	}
	return get[api.DecisionList](ctx, c.conn, "decisions", q)
}

// Decide decides something about machines, until a date.
func (c work) Decide(ctx context.Context, d api.MakeDecision) (api.Decision, error) {
	return send[api.Decision](ctx, c.conn, http.MethodPost, "decisions", d)
}

// EndDecision ends a decision before its date.
func (c work) EndDecision(ctx context.Context, id int64) error {
	return c.remove(ctx, "decisions/"+strconv.FormatInt(id, 10))
}

// Work is the work of the machines that a filter picks.
func (c work) Work(ctx context.Context, filter string) (api.Work, error) {
	return get[api.Work](ctx, c.conn, "work", where(filter))
}

// Assign gives the work on machines to somebody.
func (c work) Assign(ctx context.Context, a api.Assign) (api.Assigned, error) {
	return send[api.Assigned](ctx, c.conn, http.MethodPost, "work/assign", a)
}

// SetStock records the stock and the lead time of a part.
func (c work) SetStock(ctx context.Context, p api.SetStock) error {
	return c.send(ctx, http.MethodPut, "work/stock", p)
}

// Messages are what to tell the people whose machines are worked on.
func (c work) Messages(ctx context.Context, filter string) (api.MessageList, error) {
	return get[api.MessageList](ctx, c.conn, "work/messages", where(filter))
}

// VisitSheet is the page of the visits of machines, to be printed.
func (c work) VisitSheet(ctx context.Context, filter string) ([]byte, error) {
	return get[[]byte](ctx, c.conn, "work/sheet", where(filter))
}

// ExportWork is a list of the fleet's work as a table: csv, json or ndjson.
func (c work) ExportWork(ctx context.Context, list, filter, order, format string) ([]byte, error) {
	return get[[]byte](ctx, c.conn, "work/export", where(filter, "list", list, "order", order, "format", format))
}
