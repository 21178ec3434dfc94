package wave

import (
	"slices"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Forecast is whether a fleet arrives in time, with what it does not assume.
type Forecast struct {
	Machines int     // that are to get there; those that stay, and those out of use, are not
	On       int     // there already
	Pace     float64 // machines a day, over the last days
	Days     int     // over which the pace was counted
	Ready    int     // could go now
	Blocked  int     // need settings, parts or a replacement first
	Unknown  int     // undetermined
	Unseen   int     // expected and never reported
	Parts    int     // of Blocked, machines that need a part or are replaced
	LeadDays int     // of the part that takes the longest to come; 0: none is to be ordered, or it is not known
	Silent   int     // of all, machines that have not reported for long
	Held     int     // of all, machines that are held back by a decision
	Stay     int     // stay on their release by a decision; not in Machines
	End      Day     // of support; "": not known
	Done     Day     // at this pace; "": no machine arrives
	InTime   int     // machines that arrive by the end at this pace, if all that blocks them is settled in time
	Firm     int     // the same for those alone that could go now
}

// paceDays is over how long a pace is counted.
const paceDays = 28

// Predict fills in what follows: arrivals are the times at which machines arrived.
func (f Forecast) Predict(arrivals []time.Time, dark []Blackout, now time.Time) Forecast {
	today := On(now)
	first := today.Add(-paceDays)
	n := 0
	for _, a := range arrivals {
		if On(a) > first {
			n++
		}
	}
	f.Days = paceDays
	worked := len(days(first.Add(1), today, dark))
	if worked > 0 {
		f.Pace = float64(n) / float64(worked)
	}
	left := f.Machines - f.On
	f.InTime, f.Firm = f.On, f.On
	if f.Pace == 0 {
		if left == 0 {
			f.Done = today
		}
		return f
	}
	done := 0.0
	for d, i := today.Add(1), 0; i < 3650; d, i = d.Add(1), i+1 {
		if !slices.ContainsFunc(dark, func(b Blackout) bool { return b.Covers(d) }) {
			done += f.Pace
		}
		if f.End != "" && d <= f.End {
			f.InTime, f.Firm = f.On+min(left, int(done)), f.On+min(f.Ready, int(done))
		}
		if f.Done == "" && int(done) >= left {
			f.Done = d
		}
		if f.Done != "" && (f.End == "" || d > f.End) {
			break
		}
	}
	return f
}

// Standing counts where the machines of a class stand to their target.
type Standing struct {
	Forecast
	target      *release.Release
	silentSince time.Time
	running     map[string]int // machines by the release that they run
}

// NewStanding begins to count. Machines whose latest inventory is from before silentSince have
// not reported for long.
func NewStanding(target *release.Release, silentSince time.Time) *Standing {
	return &Standing{target: target, silentSince: silentSince, running: map[string]int{}}
}

// Add counts a machine.
func (s *Standing) Add(r *fleet.Row) {
	if r.Installed == s.target.Name || r.Judged && r.Disposition == remedy.Done {
		s.Machines, s.On = s.Machines+1, s.On+1
		return
	}
	if r.Decided&fleet.Stays != 0 {
		s.Stay++
		return
	}
	s.Machines++
	s.running[r.Installed]++
	if r.Decided&fleet.Held != 0 {
		s.Held++
	}
	if r.TakenAt.Before(s.silentSince) {
		s.Silent++
	}
	switch {
	case !r.Judged || r.Disposition == remedy.Undetermined:
		s.Unknown++
	case r.Disposition == remedy.Ready:
		s.Ready++
	default:
		s.Blocked++
		if r.Disposition != remedy.Reconfigure {
			s.Parts++
		}
	}
}

// Counted is the forecast so far, with the end of support of the release that most machines run
// of those of which the target's document names an end.
func (s *Standing) Counted() Forecast {
	out, most := s.Forecast, ""
	for name, n := range s.running {
		more := n > s.running[most] || n == s.running[most] && name < most
		if end := s.target.SupportEnds(name, ""); more && end != nil && !end.Ends.IsZero() {
			most = name
		}
	}
	if end := s.target.SupportEnds(most, ""); end != nil && !end.Ends.IsZero() {
		out.End = On(end.Ends)
	}
	return out
}
