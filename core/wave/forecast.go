package wave

import (
	"maps"
	"math"
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
	End      Day     // on which support of most of those that are not there ends; "": not known
	Done     Day     // at the assumed pace; "": no machine arrives
	InTime   int     // machines that arrive before their support ends, if all that blocks them is settled in time
	Firm     int     // the same for those alone that could go now
	Late     int     // machines that are not there when support of what they run ends
	Overdue  int     // machines whose support has ended already
	Assumed  float64 // the pace that the forecast goes by: Pace, or one that was asked for
	Needed   float64 // machines a working day that meet every deadline; 0: no deadline, or no day is left

	Deadlines []Deadline // the first comes first
}

// paceDays is over how long a pace is counted.
const paceDays = 28

// Deadline is a day on which support of what some machines run ends, by their editions.
type Deadline struct {
	Day      Day
	Machines int     // whose support ends on this day, that are not there yet
	Due      int     // these and those of earlier days
	InTime   int     // of Due, at the pace, the most urgent first
	Days     int     // working days left, today not included
	Needed   float64 // machines a working day for all of Due; 0 where no day is left
	Start    Day     // the latest first day for all of Due at the pace; "": there is no pace, or the day has passed
}

// Predict fills in what follows: arrivals are the times at which machines arrived. Machines whose support ends first
// are taken to arrive first. A pace of 0 is the actual one of the last 28 days.
func (f Forecast) Predict(arrivals []time.Time, cal *Calendar, pace float64, now time.Time) Forecast {
	today := On(now)
	first := today.Add(-paceDays)
	n := 0
	for _, a := range arrivals {
		if On(a) > first {
			n++
		}
	}
	f.Days = paceDays
	if worked := cal.Between(first.Add(1), today); worked > 0 {
		f.Pace = float64(n) / float64(worked)
	}
	f.Assumed = f.Pace
	if pace > 0 {
		f.Assumed = pace
	}
	f.meet(cal, today)
	left := f.Machines - f.On
	f.Firm = f.On + min(f.Ready, f.InTime-f.On)
	switch days := daysFor(left, f.Assumed); {
	case left == 0:
		f.Done = today
	case days > 0 && days < maxSearched:
		f.Done = nth(cal, today.Add(1), days)
	}
	return f
}

// meet works out how many machines meet their deadlines, and what that takes.
func (f *Forecast) meet(cal *Calendar, today Day) {
	due, met, most := 0, 0, 0
	f.Needed, f.Overdue = 0, 0
	for i := range f.Deadlines {
		d := &f.Deadlines[i]
		due += d.Machines
		d.Due = due
		if d.Day >= today {
			d.Days = cal.Between(today.Add(1), d.Day)
		} else {
			f.Overdue = due
		}
		met = min(met+d.Machines, int(f.Assumed*float64(d.Days)+rounding))
		d.InTime = met
		if d.Days > 0 {
			d.Needed = float64(due) / float64(d.Days)
			f.Needed = max(f.Needed, d.Needed)
		}
		if n := daysFor(due, f.Assumed); n > 0 && n <= d.Days {
			d.Start = cal.Before(d.Day, n)
		}
		if d.Machines > most {
			most, f.End = d.Machines, d.Day
		}
	}
	f.Late = due - met
	f.InTime = f.Machines - f.Late
}

// rounding makes up for what is lost when a pace is a fraction: three days of a third are one machine.
const rounding = 1e-9

// daysFor is how many working days some machines take at a pace; 0 where there is no pace.
func daysFor(machines int, pace float64) int {
	if pace <= 0 {
		return 0
	}
	return max(1, int(math.Ceil(float64(machines)/pace-rounding)))
}

// nth is the day on which the nth working day ends, counted from a day on.
func nth(cal *Calendar, from Day, n int) Day {
	for range 2 * maxSearched {
		if cal.works(from) {
			if n--; n == 0 {
				break
			}
		}
		from = from.Add(1)
	}
	return from
}

// Standing counts where the machines of a class stand to their target.
type Standing struct {
	Forecast
	target      *release.Release
	silentSince time.Time
	ends        map[Day]int // machines by the day on which support of what they run ends
}

// NewStanding begins to count. Machines whose latest inventory is from before silentSince have
// not reported for long.
func NewStanding(target *release.Release, silentSince time.Time) *Standing {
	return &Standing{target: target, silentSince: silentSince, ends: map[Day]int{}}
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
	if end := r.SupportEnds(); !end.IsZero() {
		s.ends[On(end)]++
	}
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

// Counted is the forecast so far, with the days on which support of what machines run ends.
func (s *Standing) Counted() Forecast {
	out := s.Forecast
	for _, day := range slices.Sorted(maps.Keys(s.ends)) {
		out.Deadlines = append(out.Deadlines, Deadline{Day: day, Machines: s.ends[day]})
	}
	return out
}
