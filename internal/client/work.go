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

// SetDecision moves the last day of a decision.
func (c work) SetDecision(ctx context.Context, id int64, d api.ChangeDecision) (api.Decision, error) {
	return send[api.Decision](ctx, c.conn, http.MethodPut, "decisions/"+strconv.FormatInt(id, 10), d)
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
func (c work) Assign(ctx context.Context, a api.Assign) (api.ManyChanged, error) {
	return send[api.ManyChanged](ctx, c.conn, http.MethodPost, "work/assign", a)
}

// TickMany records an item of preparation or a step on many machines.
func (c work) TickMany(ctx context.Context, t api.TickMany) (api.ManyChanged, error) {
	return send[api.ManyChanged](ctx, c.conn, http.MethodPost, "work/ticks", t)
}

// Undo undoes a change of many machines as one. In a dry run nothing is changed.
func (c work) Undo(ctx context.Context, change int64, dryRun bool) (api.Undone, error) {
	path := "bulk-changes/" + strconv.FormatInt(change, 10) + "/undo"
	if dryRun {
		path += "?dry_run=true"
	}
	return send[api.Undone](ctx, c.conn, http.MethodPost, path, struct{}{})
}

// Technicians lists those who visit machines.
func (c work) Technicians(ctx context.Context) (api.TechnicianList, error) {
	return get[api.TechnicianList](ctx, c.conn, "technicians", nil)
}

// SetTechnician adds or changes somebody who visits machines.
func (c work) SetTechnician(ctx context.Context, name string, t api.SetTechnician) (api.TechnicianList, error) {
	return send[api.TechnicianList](ctx, c.conn, http.MethodPut, "technicians/"+url.PathEscape(name), t)
}

// RemoveTechnician removes somebody who visits machines.
func (c work) RemoveTechnician(ctx context.Context, name string) error {
	return c.remove(ctx, "technicians/"+url.PathEscape(name))
}

// AddNote writes a note about a machine.
func (c work) AddNote(ctx context.Context, key, text string) (api.NoteList, error) {
	return send[api.NoteList](ctx, c.conn, http.MethodPost, "machines/"+url.PathEscape(key)+"/notes",
		api.AddNote{Text: text})
}

// RemoveNote removes a note about a machine.
func (c work) RemoveNote(ctx context.Context, key string, id int64) error {
	return c.remove(ctx, "machines/"+url.PathEscape(key)+"/notes/"+strconv.FormatInt(id, 10))
}

// Calendar is the visits of a filter that have a day, as an iCalendar file.
func (c work) Calendar(ctx context.Context, where string) ([]byte, error) {
	return get[[]byte](ctx, c.conn, "work/calendar", url.Values{"where": {where}})
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
