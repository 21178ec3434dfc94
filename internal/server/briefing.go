package server

import (
	"bytes"
	"context"
	"slices"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/report"
	"rolltop.example/rolltop/internal/service"
)

// decisionsBriefed bounds the decisions of a briefing: it is one page.
const decisionsBriefed = 8

func (s fleetAPI) briefing(ctx context.Context, _ *struct{}) (out api.Briefing, err error) {
	b, err := s.Briefings.Briefing(ctx, s.Settings.Get().StaleDays)
	if err != nil {
		return out, err
	}
	out = api.Briefing{
		At: b.At, Headline: b.Headline, Classes: []api.ClassBriefing{}, Visits: b.Effort.Visits,
		Time: say.VisitTime(b.Effort.Minutes, b.Days), Decisions: []api.Decision{}, Since: b.Week.Since,
		Money: s.briefMoney(&b.Money),
	}
	for i := range b.Classes {
		if b.Classes[i].Machines > 0 {
			out.Classes = append(out.Classes, classBriefing(&b.Classes[i]))
		}
	}
	for i := range b.Decisions[:min(len(b.Decisions), decisionsBriefed)] {
		out.Decisions = append(out.Decisions, decided(&b.Decisions[i]))
	}
	out.Week = b.Week.Says()
	return out, nil
}

// classBriefing is where a class stands, every number with the filter that lists its machines.
func classBriefing(c *service.ClassBriefing) api.ClassBriefing {
	of := func(name string, n int, term string) api.Count {
		return api.Count{Name: name, Count: n, Where: fleet.Term("class", c.Class) + " " + term}
	}
	takes := fleet.Term("disposition", remedy.Reconfigure.String(), remedy.Refit.String(), remedy.Decide.String(),
		remedy.Replace.String())
	moving := " decision!=stay"
	return api.ClassBriefing{
		Class: c.Class, Release: c.Release, Machines: c.Machines,
		Done:     of("done", c.On, "disposition=done"),
		OnTheWay: api.Count{Name: "on-the-way", Count: c.OnTheWay, Where: c.Way},
		Ready:    of("ready", c.Ready, "disposition=ready"+moving),
		Blocked:  of("blocked", c.Blocked, takes+moving),
		Unknown:  of("undetermined", c.Unknown, "disposition=undetermined"+moving),
		Stay:     of("stay", c.Stay, "decision=stay"),
		Unseen:   c.Unseen,
		AtRisk:   c.AtRisk, End: string(c.End), Pace: c.Pace, Needed: c.Needed,
		Says: slices.DeleteFunc([]string{c.Forecast.Says(c.Release), c.Needs()},
			func(s string) bool { return s == "" }),
	}
}

func (s fleetAPI) briefMoney(m *service.Money) api.BriefMoney {
	exact := func(n int64) price.Range { return price.Range{Least: n, Most: n} }
	base := s.Knowledge.Base()
	out := api.BriefMoney{
		Spent:    money(base, exact(m.Spent), 0),
		Ordered:  money(base, exact(m.Ordered), 0),
		Needed:   money(base, m.Needed, m.Unpriced),
		Labour:   labour(base, m.Labour, m.Hours),
		Extended: money(base, m.Extended, 0),
	}
	out.Spent.Says, out.Ordered.Says = say.Spent(m.Currency, m.Spent), say.Spent(m.Currency, m.Ordered)
	out.Extended.Says = say.ExtendedCost(m.Currency, m.Extended, m.Stay, m.Support)
	out.Says = say.BriefMoney(&say.Sums{Currency: m.Currency, Spent: m.Spent, Ordered: m.Ordered, Needed: m.Needed,
		Unpriced: m.Unpriced, NoPrice: m.NoPrice})
	return out
}

func (s fleetAPI) briefingPage(ctx context.Context, _ *struct{}) (*page, error) {
	got, err := s.briefing(ctx, nil)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := report.Briefing(&b, &got); err != nil {
		return nil, err
	}
	return &page{ContentType: htmlType, Policy: report.Policy, Body: b.Bytes()}, nil
}
