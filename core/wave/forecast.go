package wave

import (
	"slices"
	"time"
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
