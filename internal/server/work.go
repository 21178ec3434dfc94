package server

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/report"
	"rolltop.example/rolltop/internal/service"
)

// workAPI has the operations on the work of the fleet.
type workAPI struct{ *Server }

const (
	visitsShown = 200 // of one site
	sheetMax    = 100 // machines on one sheet
	maxMessages = 500
)

type workInput struct {
	Where string `query:"where" maxLength:"2000"`
}

func (s workAPI) showWork(ctx context.Context, in *workInput) (out api.Work, err error) {
	got, err := s.Work.List(ctx, in.Where)
	if err != nil {
		return out, err
	}
	out = api.Work{
		Where:     in.Where,
		Stops:     []api.Stop{},
		Batches:   []api.Batch{},
		Further:   []api.Batch{},
		Order:     []api.OrderLine{},
		Questions: got.Questions,
		Watch:     got.Watch,
	}
	base := s.Knowledge.Base()
	for i := range got.Stops {
		stop := &got.Stops[i]
		out.Visits += len(stop.Visits)
		out.Minutes = api.Minutes(remedy.Minutes(out.Minutes).Plus(stop.Minutes))
		shown := s.stop(base, stop, got.Said)
		shown.Where = fleet.And(in.Where, fleet.Term("site", stop.Site))
		out.Stops = append(out.Stops, shown)
	}
	for i := range got.Batches {
		b := showBatch(base, &got.Batches[i], in.Where)
		for _, d := range got.Packages[b.Step] {
			b.Packages = append(b.Packages, api.BatchPackage(d))
		}
		out.Batches = append(out.Batches, b)
	}
	for i := range got.Further {
		out.Further = append(out.Further, showBatch(base, &got.Further[i], in.Where))
	}
	s.addOrder(base, got.Order, got.Refs, &out)
	cost, known := base.Prices.Hours(remedy.Minutes(out.Minutes))
	out.Labour = labour(base, cost, known)
	out.Says = say.Worklist(out.Visits, len(out.Stops), remedy.Minutes(out.Minutes),
		len(out.Batches), len(out.Order), out.Cost.Says, len(out.Questions))
	return out, nil
}

// stop is the visits at one site. said are the steps that somebody says are done.
func (s workAPI) stop(base *knowledge.Base, stop *work.Stop, said map[int64][]string) api.Stop {
	out := api.Stop{
		Site:     stop.Site,
		Machines: len(stop.Visits),
		Minutes:  api.Minutes(stop.Minutes),
		Parts:    stop.Parts,
		Waiting:  stop.Waiting,
		Visits:   []api.Visit{},
	}
	for i := range stop.Visits[:min(len(stop.Visits), visitsShown)] {
		v := &stop.Visits[i]
		one := api.Visit{
			MachineRef:  v.Ref(),
			Disposition: v.Disposition.String(),
			Minutes:     api.Minutes(v.Minutes),
			Restarts:    v.Restarts,
			Firmware:    v.Firmware,
			Parts:       v.Parts,
			Who:         v.Who,
			Note:        v.Note,
			Day:         v.Day,
			Half:        v.Half,
		}
		for _, st := range v.Before {
			if !slices.Contains(said[v.ID], st.ID) {
				one.Before = append(one.Before, stepRef(base, st.ID))
			}
		}
		for _, id := range v.Steps.Remedies() {
			one.Steps = append(one.Steps, stepRef(base, id))
		}
		for _, id := range said[v.ID] {
			if v.Steps.Has(id) {
				one.Ticked = append(one.Ticked, stepRef(base, id).Title)
			}
		}
		if !v.Due(s.now()) {
			one.NotBefore = v.Later
		}
		out.Visits = append(out.Visits, one)
	}
	return out
}

func stepRef(base *knowledge.Base, id string) api.StepRef {
	if step := base.Steps.Find(id); step != nil {
		return api.StepRef{Step: id, Title: say.AnyTitle(step)}
	}
	return api.StepRef{Step: id, Title: id}
}

func showBatch(base *knowledge.Base, b *work.Batch, where string) api.Batch {
	step := base.Steps.Find(b.Step)
	out := api.Batch{
		StepRef:  stepRef(base, b.Step),
		By:       say.People[step.By()],
		Host:     step.Phase == remedy.Host,
		Closes:   len(step.Closes) > 0,
		Machines: len(b.Machines),
		Expected: b.Expected,
		Waiting:  b.Waiting,
		Minutes:  api.Minutes(step.Minutes),
		Installs: b.Installs,
		Now:      b.Now,
	}
	of := []string{remedy.Reconfigure.String(), remedy.Refit.String()}
	key := "step"
	switch {
	case b.Weights != nil:
		key, of = "further", append([]string{remedy.Ready.String()}, of...)
		w := &api.Weights{
			Required: b.Weights[release.Required],
			Advised:  b.Weights[release.Advised],
			Optional: b.Weights[release.AtWill],
		}
		w.Says = say.Weighed(w.Required, w.Advised, w.Optional)
		out.Weights, out.Closes = w, false
	case out.Closes:
		of = []string{remedy.Undetermined.String()}
	}
	out.Where = fleet.And(where, fleet.Term(key, b.Step)+" "+fleet.Term("disposition", of...))
	for _, p := range b.Pilot {
		out.Pilot = append(out.Pilot, p.Ref())
	}
	out.Says = say.Batch(out.Title, out.Machines, len(out.Pilot))
	return out
}

// addOrder adds what is bought.
func (s workAPI) addOrder(
	base *knowledge.Base, lines []work.Line, refs map[int64]work.MachineRef, out *api.Work,
) {
	var sum price.Range
	unpriced := 0
	for i := range lines {
		l := &lines[i]
		sum, unpriced = sum.Add(l.Price), unpriced+l.Unpriced
		out.Order = append(out.Order, api.OrderLine{
			Part:     l.Name,
			Kind:     l.Part.Kind,
			Quantity: l.Quantity,
			OnHand:   l.OnHand,

			FromStock: l.FromStock,
			Ordered:   l.Ordered,
			Arrived:   l.Arrived,
			Fitted:    l.Fitted,
			Shares:    shares(l, refs),

			ToOrder:  l.ToOrder,
			LeadDays: l.LeadDays,
			Price:    money(base, l.Price, l.Unpriced),
			Confirm:  l.Confirm,
			Voids:    l.Voids,
			Machines: len(l.Machines),
			Where:    fleet.And(out.Where, fleet.Term(fleet.ExternalPart, l.Name)),
		})
	}
	out.Cost = money(base, sum, unpriced)
}

// shares are where the part of each machine of a line is.
func shares(l *work.Line, refs map[int64]work.MachineRef) []api.PartShare {
	named := l.Shares[:min(len(l.Shares), service.SharesNamed)]
	out := make([]api.PartShare, 0, len(named))
	for _, s := range named {
		out = append(out, api.PartShare{MachineRef: refs[s.Machine], ToOrder: s.ToOrder, FromStock: s.FromStock,
			Ordered: s.Ordered, Arrived: s.Arrived, Fitted: s.Fitted, Says: say.PartsAt(&s)})
	}
	return out
}

func money(base *knowledge.Base, r price.Range, unpriced int) api.Money {
	out := api.Money{Least: r.Least, Most: r.Most, Unpriced: unpriced}
	if base.Prices != nil {
		out.Currency = base.Prices.Currency
	}
	out.Says = say.Money(out.Currency, r, unpriced)
	return out
}

func (s workAPI) assign(ctx context.Context, in *struct{ Body api.Assign }) (api.ManyChanged, error) {
	b := &in.Body
	got, err := s.Work.Assign(ctx, service.Picking{Where: b.Where, Keys: b.Keys, Trial: b.DryRun}, &service.Assigning{
		Who: b.Who, Note: b.Note, Day: b.Day, Half: b.Half, Overwrite: b.Overwrite, Overbook: b.Overbook,
	})
	return manyChanged(&got, b.DryRun), err
}

func (s workAPI) tickMany(ctx context.Context, in *struct{ Body api.TickMany }) (out api.ManyChanged, err error) {
	b := &in.Body
	t := assess.Tick{Item: b.Item, State: b.State, Note: strings.TrimSpace(b.Note)}
	if t.State == "refused" && t.Note == "" {
		return out, refuse("Reason is missing", "a refusal needs a reason in note, for whoever comes next")
	}
	got, err := s.Bulk.Tick(ctx, service.Picking{Where: b.Where, Keys: b.Keys, Trial: b.DryRun}, t)
	return manyChanged(&got, b.DryRun), err
}

func (s workAPI) calendar(ctx context.Context, in *workInput) (*raw, error) {
	visits, err := s.Work.Visits(ctx, in.Where)
	if err != nil {
		return nil, err
	}
	hours, err := wave.ReadHours(s.Settings.Get().WorkingHours)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := report.Calendar(&b, visits, hours, s.now()); err != nil {
		return nil, err
	}
	return &raw{ContentType: "text/calendar; charset=utf-8", Body: b.Bytes()}, nil
}

// desks are the desk and the contact of the machines of visits, by their names, for those who may see them.
func (s workAPI) desks(ctx context.Context, visits []work.Visit) (map[string][2]string, error) {
	out := map[string][2]string{}
	if !callerOf(ctx).Plain {
		return out, nil
	}
	contacts, err := s.store.Contacts(ctx)
	for i := range visits {
		c := contacts[visits[i].ID]
		out[visits[i].Name] = [2]string{c.Desk, c.Contact}
	}
	return out, err
}

// coverTitle is what a round of visits is called: its site, day and technician, where all visits share them.
func coverTitle(visits []work.Visit) string {
	shared := func(of func(*work.Visit) string) string {
		first := of(&visits[0])
		for i := range visits {
			if of(&visits[i]) != first {
				return ""
			}
		}
		return first
	}
	return say.Round(len(visits), shared(func(v *work.Visit) string { return v.Site }),
		shared(func(v *work.Visit) string { return v.Day }),
		visit.HalfName(shared(func(v *work.Visit) string { return v.Half })),
		shared(func(v *work.Visit) string { return v.Who }))
}

func (s workAPI) visitSheet(ctx context.Context, in *struct {
	Where string `query:"where" maxLength:"2000" doc:"site=\"Gull Quay\""`
}) (*page, error) {
	visits, err := s.Work.Visits(ctx, in.Where)
	switch {
	case err != nil:
		return nil, err
	case len(visits) == 0:
		return nil, refuse("Nothing to print", "no machine that matches %q has a visit", in.Where)
	case len(visits) > sheetMax:
		return nil, refuse("Too much to print",
			"%q matches %d machines with visits, more than %d; narrow the filter, for example by site or by assignment",
			in.Where, len(visits), sheetMax)
	}
	var checks []*assess.Document
	for i := range visits {
		got, err := s.Machines.Ticked(ctx, visits[i].Key, service.Against{})
		if err != nil {
			return nil, err
		}
		checks = append(checks, got.Check)
	}
	desks, err := s.desks(ctx, visits)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	cover := visit.CoverOf(checks, desks)
	if err := report.Visits(&b, coverTitle(visits), &cover, checks); err != nil {
		return nil, err
	}
	return &page{ContentType: htmlType, Policy: report.Policy, Body: b.Bytes()}, nil
}

func (s workAPI) messages(ctx context.Context, in *workInput) (out api.MessageList, err error) {
	visits, err := s.Work.Visits(ctx, in.Where)
	if err != nil {
		return out, err
	}
	desks, err := s.desks(ctx, visits)
	if err != nil {
		return out, err
	}
	out = api.MessageList{Total: len(visits), Messages: []api.Message{}}
	for i := range visits[:min(len(visits), maxMessages)] {
		v := &visits[i]
		c, err := s.Machines.Ticked(ctx, v.Key, service.Against{})
		if err != nil {
			return out, err
		}
		d := c.Check
		subject, text := say.Message(d.Machine.Name, d.Release.Name, d.Plain, d.Tells(), v.Minutes, v.Restarts)
		desk := desks[v.Name]
		text = append(text, say.At(desk[0], v.Day, visit.HalfName(v.Half))...)
		out.Messages = append(out.Messages, api.Message{MachineRef: v.Ref(), To: desk[1], Desk: desk[0],
			Subject: subject, Text: text})
	}
	return out, nil
}

type winsInput struct {
	Where string `query:"where" maxLength:"2000"`
	Order string `query:"order" enum:"machines,time" default:"machines" doc:"Best order by machines (most machines per step) or by time (least time per machine)"`
}

// showWins shows which remedies make most machines ready.
func (s workAPI) showWins(ctx context.Context, in *winsInput) (out api.Wins, err error) {
	got, err := s.Work.Wins(ctx, in.Where, work.Order(slices.Index(work.Orders, in.Order)))
	if err != nil {
		return out, err
	}
	within := func(term string) string { return fleet.And(in.Where, term) }
	undetermined, decide := remedy.Undetermined.String(), remedy.Decide.String()
	out = api.Wins{
		Where:             in.Where,
		Order:             in.Order,
		Machines:          got.Machines,
		Ready:             got.Ready,
		Undetermined:      got.Undetermined,
		WhereUndetermined: within(fleet.Term("disposition", undetermined)),
		Decide:            got.Decide,
		WhereDecide:       within(fleet.Term("disposition", decide)),
		Remedies:          []api.Remedy{},
		Picks:             []api.Pick{},
	}
	base := s.Knowledge.Base()
	takes := fleet.Term("disposition", remedy.Reconfigure.String(), remedy.Refit.String(), remedy.Replace.String())
	for _, e := range got.Effects {
		r := api.Remedy{
			StepRef:    stepRef(base, e.Step),
			Needs:      e.Needs,
			Alone:      e.Alone,
			Expected:   e.Expected,
			WhereAlone: within(fleet.Term("fixed_by", e.Step)),
			WhereNeeds: within(fleet.Term("step", e.Step) + " " + takes),
		}
		if step := base.Steps.Find(e.Step); step != nil {
			r.Class, r.By, r.Minutes = step.Class.String(), say.People[step.By()], api.Minutes(step.Minutes)
		}
		out.Remedies = append(out.Remedies, r)
	}
	addPicks(base, got.Picks, &out)
	return out, nil
}

// addPicks adds what to do next, each with what all so far take.
func addPicks(base *knowledge.Base, picks []work.Pick, out *api.Wins) {
	var done []string
	var minutes remedy.Minutes
	var cost price.Range
	unpriced := 0
	for _, p := range picks {
		minutes, cost, unpriced = minutes.Plus(p.Minutes), cost.Add(p.Cost), unpriced+p.Unpriced
		pick := api.Pick{
			Gain:     p.Gain,
			Expected: p.Expected,
			Ready:    p.Ready,
			Minutes:  api.Minutes(p.Minutes),
			SoFar:    api.Minutes(minutes),
			Cost:     money(base, p.Cost, p.Unpriced),
			CostSums: money(base, cost, unpriced),
		}
		for _, id := range p.Steps {
			pick.Steps = append(pick.Steps, stepRef(base, id))
		}
		done = append(done, p.Steps...)
		// Freed by all steps so far, and not without those of this pick.
		pick.Where = fleet.And(out.Where, fleet.Term("fixed_by", done...)+" "+fleet.Term("step", p.Steps...))
		out.Picks = append(out.Picks, pick)
	}
}
