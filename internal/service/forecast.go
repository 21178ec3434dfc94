package service

import (
	"context"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/store"
)

// Forecast says of a class with a target whether its machines arrive in time.
type Forecast struct {
	wave.Forecast
	Class   string
	Release string // name
}

// Expected are the machines that should report and that the viewer sees, each with its site.
func (w *Work) Expected(ctx context.Context) ([]store.Expected, error) {
	list, err := w.Store.Expected(ctx)
	if err != nil {
		return nil, err
	}
	sites, err := w.Store.Sites(ctx)
	if err != nil {
		return nil, err
	}
	who := ViewerOf(ctx)
	var out []store.Expected
	for _, e := range list {
		if e.Site == "" {
			e.Site = SiteOfName(e.Name, sites)
		}
		if who.Sees(e.Site) {
			out = append(out, e)
		}
	}
	return out, nil
}

// Forecasts are the forecasts of all classes that have a target, for the machines of a filter. A pace of 0 is the
// actual one.
func (w *Work) Forecasts(
	ctx context.Context,
	cal *wave.Calendar,
	staleDays int,
	pace float64,
	where string,
) ([]Forecast, error) {
	unseen := 0
	if where == "" { // nothing else is known of them
		expected, err := w.Expected(ctx)
		if err != nil {
			return nil, err
		}
		for i := range expected {
			if expected[i].Machine == "" {
				unseen++
			}
		}
	}
	var out []Forecast
	for _, class := range Classes() {
		t, ok := w.releases.Target(class)
		if !ok {
			continue
		}
		f, arrivals, err := w.standing(ctx, fleet.And(where, fleet.Term("class", class)), t, staleDays)
		if err != nil {
			return nil, err
		}
		if class == fact.PC { // which class an expected machine is of is not known; most are PCs
			f.Unseen = unseen
			f.Machines += unseen
		}
		if f.Parts > 0 {
			if f.LeadDays, err = w.slowestPart(ctx, fleet.And(where, fleet.Term("class", class))); err != nil {
				return nil, err
			}
		}
		out = append(out, Forecast{f.Predict(arrivals, cal, pace, w.Now()), class, t.Release.Name})
	}
	return out, nil
}

// standing is where the machines of a filter are that the viewer sees, and when those that came to
// the target did.
func (w *Work) standing(
	ctx context.Context, where string, t Target, staleDays int,
) (f wave.Forecast, arrivals []time.Time, err error) {
	mine, err := w.index.Where(ctx, where)
	if err != nil {
		return f, nil, err
	}
	came, err := w.Store.Arrivals(ctx, t.Release.ID)
	if err != nil {
		return f, nil, err
	}
	count := wave.NewStanding(t.Release, w.Now().AddDate(0, 0, -staleDays))
	err = w.index.Each(ctx, mine, func(r *fleet.Row) {
		if at, ok := came[r.ID]; ok {
			arrivals = append(arrivals, at)
		}
		count.Add(r)
	})
	return count.Counted(), arrivals, err
}

// slowestPart is how many days the part that takes the longest of those that are to be ordered
// takes.
func (w *Work) slowestPart(ctx context.Context, where string) (int, error) {
	machines, err := w.workers(ctx, where)
	if err != nil {
		return 0, err
	}
	lines, err := w.purchase(ctx, machines)
	if err != nil {
		return 0, err
	}
	days := 0
	for _, l := range lines {
		if l.ToOrder > 0 {
			days = max(days, l.LeadDays)
		}
	}
	return days, nil
}
