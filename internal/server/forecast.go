package server

import (
	"context"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
)

// forecasts say of each class with a target whether its machines arrive in time.
func (s *Server) forecasts(ctx context.Context, dark []wave.Blackout) ([]api.Forecast, error) {
	expected, err := s.listExpected(ctx, nil)
	if err != nil {
		return nil, err
	}
	out := []api.Forecast{}
	for _, class := range []string{fact.PC, fact.Mac} {
		t, ok := s.target(class)
		if !ok {
			continue
		}
		f, arrivals, err := s.standing(ctx, class, t)
		if err != nil {
			return nil, err
		}
		if class == fact.PC { // which class an expected machine is of is not known; most are PCs
			f.Unseen = expected.Body.Missing
			f.Machines += f.Unseen
		}
		if f.Parts > 0 {
			if f.LeadDays, err = s.slowest(ctx, class); err != nil {
				return nil, err
			}
		}
		f = f.Predict(arrivals, dark, s.now())
		out = append(out, api.Forecast{Says: f.Says(t.release.Name), Class: class, Release: t.release.Name, Pace: f.Pace, Days: f.Days, Machines: f.Machines, On: f.On, Ready: f.Ready, Blocked: f.Blocked, Parts: f.Parts, Unknown: f.Unknown,
			Unseen: f.Unseen, Silent: f.Silent, Held: f.Held, Stay: f.Stay, End: string(f.End), Done: string(f.Done), InTime: f.InTime, Firm: f.Firm, Assumes: f.Assumes()})
	}
	return out, nil
}

// standing is where the machines of a class are that a caller sees, and when those that
// came to the target did.
func (s *Server) standing(ctx context.Context, class string, t target) (f wave.Forecast, arrivals []time.Time, err error) {
	mine, err := s.where(ctx, fleet.Term("class", class))
	if err != nil {
		return f, nil, err
	}
	came, err := s.store.Arrivals(ctx, t.release.ID)
	if err != nil {
		return f, nil, s.problem(err, "")
	}
	silent := s.now().AddDate(0, 0, -s.settings().StaleDays)
	run := map[string]int{} // machines by the release they run
	err = s.look(ctx, func(x *fleet.Index) {
		x.Select(mine).Each(func(r *fleet.Row) {
			if at, ok := came[r.ID]; ok {
				arrivals = append(arrivals, at)
			}
			if r.Installed == t.release.Name || r.Judged && r.Disposition == remedy.Done {
				f.Machines, f.On = f.Machines+1, f.On+1
				return
			}
			if r.Decided&fleet.Stays != 0 {
				f.Stay++
				return
			}
			f.Machines++
			run[r.Installed]++
			if r.Decided&fleet.Held != 0 {
				f.Held++
			}
			if r.TakenAt.Before(silent) {
				f.Silent++
			}
			switch {
			case !r.Judged || r.Disposition == remedy.Undetermined:
				f.Unknown++
			case r.Disposition == remedy.Ready:
				f.Ready++
			default:
				f.Blocked++
				if r.Disposition != remedy.Reconfigure {
					f.Parts++
				}
			}
		})
	})
	if err != nil {
		return f, nil, s.problem(err, "")
	}
	most := ""
	for name, n := range run {
		if t.release.SupportEnds(name, "") != nil && (n > run[most] || n == run[most] && name < most) {
			most = name
		}
	}
	if end := t.release.SupportEnds(most, ""); end != nil {
		f.End = wave.On(end.Ends)
	}
	return f, arrivals, nil
}

// slowest is how many days the part that takes the longest of those that are to be
// ordered takes.
func (s *Server) slowest(ctx context.Context, class string) (int, error) {
	where := fleet.Term("class", class)
	_, plans, err := s.workers(ctx, where)
	if err != nil {
		return 0, err
	}
	lines, err := s.purchase(ctx, s.toolbox(), plans)
	if err != nil {
		return 0, s.problem(err, "")
	}
	days := 0
	for _, l := range lines {
		if l.ToOrder > 0 {
			days = max(days, l.LeadDays)
		}
	}
	return days, nil
}
