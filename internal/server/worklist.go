package server

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/report"
	"rolltop.example/rolltop/internal/store"
)

// The work of the whole fleet: who goes where, what is done from afar, what is bought,
// what is found out, and what should not be left as it is.
func (s *Server) worklists(a huma.API) {
	tag := []string{"Work"}
	huma.Register(a, secured(huma.Operation{OperationID: "worklist", Method: http.MethodGet, Path: "/work", Summary: "Visits, batches, the parts order, questions and the watch list", Tags: tag, Errors: []int{http.StatusUnprocessableEntity}}, ScopeRead), s.worklist)
	huma.Register(a, secured(huma.Operation{OperationID: "assign", Method: http.MethodPost, Path: "/work/assign", Summary: "Give the work on machines to somebody", Tags: tag, Errors: []int{http.StatusUnprocessableEntity}}, ScopeWork), s.assign)
	huma.Register(a, whole(secured(huma.Operation{OperationID: "put-stock", Method: http.MethodPut, Path: "/work/stock", Summary: "Note what is there of a part, and how long the rest takes", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusUnprocessableEntity}}, ScopeWork)), s.putStock)
	huma.Register(a, secured(huma.Operation{OperationID: "messages", Method: http.MethodGet, Path: "/work/messages", Summary: "What to tell the people whose machines are worked on", Tags: tag, Errors: []int{http.StatusUnprocessableEntity}}, ScopeRead), s.messages)
	huma.Register(a, secured(huma.Operation{OperationID: "visit-sheet", Method: http.MethodGet, Path: "/work/sheet", Summary: "The visits of a place for printing, with the guides of exactly those boards and no serial numbers", Tags: tag, Errors: []int{http.StatusUnprocessableEntity},
		Responses: map[string]*huma.Response{"200": {Description: "A page that stands by itself", Content: map[string]*huma.MediaType{"text/html": {}}}}}, ScopeRead), s.visitSheet)
}

const (
	visitsShown  = 200 // of one place
	sheetMost    = 100 // machines on one sheet
	messagesMost = 500
)

// workers are the machines of a filter that have work: those that stay on their release
// have none.
func (s *Server) workers(ctx context.Context, where string) (list []work.Machine, plans []fleet.Planned, err error) {
	f, err := s.where(ctx, where)
	if err != nil {
		return nil, nil, err
	}
	parsed := map[string]work.Plan{}
	if err := s.look(ctx, func(x *fleet.Index) {
		picked := x.Select(f)
		plans = picked.Plans()
		picked.Each(func(r *fleet.Row) {
			if !r.Judged || r.Decided&fleet.Stays != 0 || r.Disposition <= remedy.Ready {
				return
			}
			p, ok := parsed[r.Plan]
			if !ok {
				p = work.Parse(r.Plan)
				parsed[r.Plan] = p
			}
			list = append(list, work.Machine{ID: r.ID, Key: r.Key, Name: r.Name, Place: r.Place, Model: strings.TrimSpace(r.Manufacturer + " " + r.Model), Plan: p, Disposition: r.Disposition, Later: r.Later})
		})
	}); err != nil {
		return nil, nil, s.problem(err, "")
	}
	given, err := s.store.Assignments(ctx)
	if err != nil {
		return nil, nil, s.problem(err, "")
	}
	working := map[int64]bool{}
	for i := range list {
		a := given[list[i].ID]
		list[i].Who, list[i].Note = a.Who, a.Note
		working[list[i].ID] = true
	}
	for i := range plans {
		plans[i].Machines = slices.DeleteFunc(plans[i].Machines, func(id int64) bool { return !working[id] })
	}
	return list, plans, nil
}

type worklistInput struct {
	Where string `query:"where" maxLength:"2000"`
}

func (s *Server) worklist(ctx context.Context, in *worklistInput) (*struct{ Body api.Worklist }, error) {
	list, plans, err := s.workers(ctx, in.Where)
	if err != nil {
		return nil, err
	}
	m, now := s.toolbox(), s.now()
	ticks, err := s.store.ItemTicks(ctx, assess.TickStep)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := api.Worklist{Where: in.Where, Stops: []api.Stop{}, Batches: []api.Batch{}, Order: []api.OrderLine{}, Questions: []api.Question{}, Watch: []api.Watch{}}
	said := map[int64][]string{}
	for _, t := range ticks {
		if t.State == "done" {
			said[t.DeviceID] = append(said[t.DeviceID], strings.TrimPrefix(t.Item, assess.TickStep))
		}
	}
	for _, stop := range work.Visits(list, m.Steps, now) {
		out.Visits += len(stop.Visits)
		out.Minutes.Least, out.Minutes.Most = out.Minutes.Least+stop.Minutes.Least, out.Minutes.Most+stop.Minutes.Most
		out.Stops = append(out.Stops, showStop(m, &stop, said, now))
	}
	for _, b := range work.Batches(list, m.Steps, now) {
		out.Batches = append(out.Batches, showBatch(m, &b, in.Where))
	}
	if err := s.order(ctx, m, plans, in.Where, &out); err != nil {
		return nil, s.problem(err, "")
	}
	if out.Questions, err = s.questions(ctx, in.Where); err != nil {
		return nil, err
	}
	if out.Watch, err = s.watch(ctx, in.Where, ticks); err != nil {
		return nil, err
	}
	out.Says = worklistSays(&out)
	return &struct{ Body api.Worklist }{out}, nil
}

func worklistSays(w *api.Worklist) string {
	if w.Visits+len(w.Batches)+len(w.Order)+len(w.Questions) == 0 {
		return "Nothing is left to do."
	}
	var parts []string
	if w.Visits > 0 {
		parts = append(parts, fmt.Sprintf("%s at %s, %s at the desks", say.Count(w.Visits, "visit", "visits"), say.Count(len(w.Stops), "place", "places"), say.Hours(w.Minutes)))
	}
	if len(w.Batches) > 0 {
		parts = append(parts, say.Count(len(w.Batches), "batch", "batches")+" without a visit")
	}
	if len(w.Order) > 0 {
		parts = append(parts, "parts for "+w.Cost.Says)
	}
	if len(w.Questions) > 0 {
		parts = append(parts, say.Count(len(w.Questions), "question", "questions")+" to settle")
	}
	return say.Sentence(say.Capital(strings.Join(parts, "; ")))
}

func ref(m *work.Machine) api.MachineRef {
	return api.MachineRef{Key: m.Key, Name: m.Name, Place: m.Place, Model: m.Model}
}

func showStop(m *means.Means, stop *work.Stop, said map[int64][]string, now time.Time) api.Stop {
	out := api.Stop{Place: stop.Place, Machines: len(stop.Visits), Minutes: stop.Minutes, Parts: stop.Parts, Waiting: stop.Waiting, Visits: []api.Visit{}}
	for _, v := range stop.Visits[:min(len(stop.Visits), visitsShown)] {
		one := api.Visit{MachineRef: ref(v.Machine), Disposition: v.Disposition.String(), Minutes: v.Minutes, Restarts: v.Restarts, Firmware: v.Firmware, Parts: v.Parts, Who: v.Who, Note: v.Note}
		for _, s := range v.Before {
			if !slices.Contains(said[v.ID], s.ID) {
				one.Before = append(one.Before, stepRef(m, s.ID))
			}
		}
		for _, id := range v.Steps.Remedies() {
			one.Steps = append(one.Steps, stepRef(m, id))
		}
		for _, id := range said[v.ID] {
			if v.Steps.Has(id) {
				one.Ticked = append(one.Ticked, stepRef(m, id).Title)
			}
		}
		if !v.Due(now) {
			one.NotBefore = v.Later
		}
		out.Visits = append(out.Visits, one)
	}
	return out
}

func showBatch(m *means.Means, b *work.Batch, where string) api.Batch {
	out := api.Batch{StepRef: stepRef(m, b.Step), Machines: len(b.Machines), Expected: b.Expected, Waiting: b.Waiting}
	step := m.Steps.Find(b.Step)
	out.By, out.Host, out.Closes, out.Minutes = say.People[step.By()], step.Phase == remedy.Host, len(step.Closes) > 0, step.Minutes
	of := []string{"reconfigure", "refit"}
	if out.Closes {
		of = []string{"undetermined"}
	}
	out.Where = within(where, fleet.Term("step", b.Step)+" "+fleet.Term("disposition", of...))
	for _, p := range b.Pilot {
		out.Pilot = append(out.Pilot, ref(p))
	}
	out.Says = say.Sentence(out.Title + " on " + say.Count(out.Machines, "machine", "machines"))
	if n := len(out.Pilot); n > 0 {
		out.Says += fmt.Sprintf(" On %d of them first.", n)
	}
	return out
}

// order is what is bought.
func (s *Server) order(ctx context.Context, m *means.Means, plans []fleet.Planned, where string, out *api.Worklist) error {
	lines, err := s.purchase(ctx, m, plans)
	if err != nil {
		return err
	}
	var sum price.Range
	unpriced := 0
	for _, l := range lines {
		sum, unpriced = sum.Add(l.Price), unpriced+l.Unpriced
		out.Order = append(out.Order, api.OrderLine{Part: orderName(&l.Part), Kind: l.Part.Kind, Quantity: l.Quantity, OnHand: l.OnHand, ToOrder: l.ToOrder, LeadDays: l.LeadDays, Price: money(m, l.Price, l.Unpriced), Confirm: l.Confirm, Voids: l.Voids,
			Machines: len(l.Machines), Where: within(where, fleet.Term("step", stepsWith(m, l.Part.Kind)...))})
	}
	out.Cost = money(m, sum, unpriced)
	return nil
}

// orderName is how an order names a part, beside a number of them.
func orderName(p *part.Part) string {
	name := say.Part(p)
	for _, one := range []string{"one ", "a ", "an "} {
		if cut, ok := strings.CutPrefix(name, one); ok {
			return cut
		}
	}
	return name
}

// purchase puts together what plans buy, with what is there of it.
func (s *Server) purchase(ctx context.Context, m *means.Means, plans []fleet.Planned) ([]work.Line, error) {
	bills, err := s.bills(ctx, m, plans)
	if err != nil {
		return nil, err
	}
	stocks, err := s.store.Stocks(ctx)
	if err != nil {
		return nil, err
	}
	var bought []work.Bought
	for id, list := range bills {
		for _, b := range list {
			bought = append(bought, work.Bought{Machine: id, Part: b.Part, Price: b.Price, Priced: b.Priced, Voids: b.Warranty >= s.now().UTC().Format(time.DateOnly)})
		}
	}
	slices.SortStableFunc(bought, func(a, b work.Bought) int { return cmp.Compare(a.Machine, b.Machine) })
	return work.Purchase(bought, m.Prices, func(p *part.Part) work.Stock { return stocks[orderName(p)] }), nil
}

// stepsWith are the steps that a kind of part is bought for.
func stepsWith(m *means.Means, kind string) []string {
	var out []string
	for _, id := range m.Steps.IDs() {
		if m.Steps.Find(id).Part == kind {
			out = append(out, id)
		}
	}
	return out
}

func (s *Server) assign(ctx context.Context, in *struct{ Body api.Assign }) (*struct{ Body api.Assigned }, error) {
	b := &in.Body
	if b.Where == "" && len(b.Keys) == 0 {
		return nil, refuse("Nothing to assign", "say which machines: by a filter, or by their keys")
	}
	ids, err := s.picked(ctx, b.Where, b.Keys)
	if err != nil {
		return nil, err
	}
	store.Note(ctx, "", fmt.Sprintf("%s: %s", say.Count(len(ids), "machine", "machines"), cmp.Or(strings.TrimSpace(b.Who+" "+b.Note), "nobody")))
	if err := s.store.Assign(ctx, ids, &store.Assignment{Who: strings.TrimSpace(b.Who), Note: strings.TrimSpace(b.Note), By: by(ctx), Millis: s.now().UnixMilli()}); err != nil {
		return nil, s.problem(err, "")
	}
	s.live.touch()
	return &struct{ Body api.Assigned }{api.Assigned{Machines: len(ids)}}, nil
}

func (s *Server) putStock(ctx context.Context, in *struct{ Body api.PutStock }) (*struct{}, error) {
	b := &in.Body
	store.Note(ctx, "", fmt.Sprintf("%s: %d on hand, %d days", b.Part, b.OnHand, b.LeadDays))
	if err := s.store.PutStock(ctx, b.Part, work.Stock{OnHand: b.OnHand, LeadDays: b.LeadDays}, by(ctx), s.now()); err != nil {
		return nil, s.problem(err, "")
	}
	return nil, nil
}

// visited are the keys of the machines of a filter that are visited, by place and name.
func (s *Server) visited(ctx context.Context, where string) ([]work.Visit, error) {
	list, _, err := s.workers(ctx, where)
	if err != nil {
		return nil, err
	}
	var out []work.Visit
	for _, stop := range work.Visits(list, s.toolbox().Steps, s.now()) {
		out = append(out, stop.Visits...)
	}
	return out, nil
}

func (s *Server) visitSheet(ctx context.Context, in *struct {
	Where string `query:"where" maxLength:"2000" doc:"place=\"Gull Quay\""`
}) (*raw, error) {
	visits, err := s.visited(ctx, in.Where)
	switch {
	case err != nil:
		return nil, err
	case len(visits) == 0:
		return nil, refuse("Nothing to print", "no machine that %q picks is visited", in.Where)
	case len(visits) > sheetMost:
		return nil, refuse("Too much to print", "%q picks %d machines that are visited; %d is the most, so narrow it, by place or by who has the work", in.Where, len(visits), sheetMost)
	}
	var checks []*assess.Document
	for i := range visits {
		_, got, err := s.judged(ctx, visits[i].Key)
		if err != nil {
			return nil, err
		}
		checks = append(checks, got)
	}
	var b bytes.Buffer
	if err := report.Visits(&b, checks); err != nil {
		return nil, s.problem(err, "")
	}
	return &raw{ContentType: "text/html; charset=utf-8", Body: b.Bytes()}, nil
}

func (s *Server) messages(ctx context.Context, in *worklistInput) (*struct{ Body api.MessageList }, error) {
	visits, err := s.visited(ctx, in.Where)
	if err != nil {
		return nil, err
	}
	out := api.MessageList{Total: len(visits), Messages: []api.Message{}}
	for i := range visits[:min(len(visits), messagesMost)] {
		_, got, err := s.judged(ctx, visits[i].Key)
		if err != nil {
			return nil, err
		}
		subject, text := say.Message(got.Machine.Name, got.Release.Name, got.Plain, tells(got), visits[i].Minutes, visits[i].Restarts)
		out.Messages = append(out.Messages, api.Message{MachineRef: ref(visits[i].Machine), Subject: subject, Text: text})
	}
	return &struct{ Body api.MessageList }{out}, nil
}

// tells are what the steps at the desk mean for the person whose machine it is.
func tells(d *assess.Document) []string {
	var out []string
	for i := range d.Plan {
		if st := &d.Plan[i]; (st.Phase == remedy.Desk || st.Phase == remedy.Remote) && st.Tell != "" && !slices.Contains(out, st.Tell) && !st.Closes {
			out = append(out, st.Tell)
		}
	}
	return out
}
