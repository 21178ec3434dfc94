package wave

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// Day is a day of the calendar, as 2026-11-23: waves go by days, not by hours.
type Day string

// ReadDay reads one.
func ReadDay(text string) (Day, error) {
	if _, err := time.Parse(time.DateOnly, text); err != nil {
		return "", fmt.Errorf("%q is not a day; write it as 2026-12-01", text)
	}
	return Day(text), nil
}

// On is the day of a time.
func On(t time.Time) Day { return Day(t.UTC().Format(time.DateOnly)) }

// Time is its beginning.
func (d Day) Time() time.Time {
	t, _ := time.Parse(time.DateOnly, string(d)) // it was read
	return t
}

// Add is the day some days later.
func (d Day) Add(days int) Day { return On(d.Time().AddDate(0, 0, days)) }

// Blackout is days on which nothing is upgraded.
type Blackout struct {
	From, To Day // both belong to it
	Reason   string
}

// Covers says whether a day is one of them.
func (b *Blackout) Covers(d Day) bool { return b.From <= d && d <= b.To }

// Calendar is the days on which nothing is upgraded. The zero Calendar has none.
type Calendar struct {
	Dark []Blackout
	Free [7]bool // days of the week without work, by time.Weekday
}

// weekdays are the days of the week as settings write them, by time.Weekday.
var weekdays = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

// ReadWorkingDays reads days of the week on which people work, as mon,tue,wed,thu,fri, and gives those without work.
func ReadWorkingDays(text string) (free [7]bool, err error) {
	for i := range free {
		free[i] = true
	}
	for _, word := range strings.Split(text, ",") {
		i := slices.Index(weekdays, strings.ToLower(strings.TrimSpace(word)))
		if i < 0 {
			return free, fmt.Errorf("%q is not a day of the week; use sun, mon, tue, wed, thu, fri, sat, separated by "+
				"commas", strings.TrimSpace(word))
		}
		free[i] = false
	}
	return free, nil
}

// Hours are the working hours of a day, in minutes after midnight.
type Hours struct{ From, To int }

// Minutes is how long a working day is.
func (h Hours) Minutes() int { return h.To - h.From }

// ReadHours reads working hours, as 08:00-16:00.
func ReadHours(text string) (Hours, error) {
	const form = "15:04"
	from, to, _ := strings.Cut(text, "-")
	a, err := time.Parse(form, strings.TrimSpace(from))
	b, other := time.Parse(form, strings.TrimSpace(to))
	if err != nil || other != nil || !a.Before(b) {
		return Hours{}, fmt.Errorf("%q are not working hours; write them as 08:00-16:00", text)
	}
	return Hours{a.Hour()*60 + a.Minute(), b.Hour()*60 + b.Minute()}, nil
}

// Off says why nothing is upgraded on a day, as words that follow “is”, or "" if something is.
func (c *Calendar) Off(d Day) string {
	if day := d.Time().Weekday(); c.Free[day] {
		return "a " + day.String() + ", not a working day"
	}
	for i := range c.Dark {
		if b := &c.Dark[i]; b.Covers(d) {
			if b.Reason == "" {
				return "a blackout day"
			}
			return "a blackout day (" + b.Reason + ")"
		}
	}
	return ""
}

// works says whether something is upgraded on a day.
func (c *Calendar) works(d Day) bool { return c.Off(d) == "" }

// Days are the days from one to another, both included, on which something is upgraded.
func (c *Calendar) Days(from, to Day) []Day {
	var out []Day
	for d := from; d <= to; d = d.Add(1) {
		if c.works(d) {
			out = append(out, d)
		}
	}
	return out
}

// Between is how many days there are from one to another, both included, on which something is upgraded.
func (c *Calendar) Between(from, to Day) int { return len(c.Days(from, to)) }

// maxSearched bounds how far ahead or back a day is searched.
const maxSearched = 3660

// Next is the first day from one on, this one included, on which something is upgraded.
func (c *Calendar) Next(from Day) Day {
	for range maxSearched {
		if c.works(from) {
			break
		}
		from = from.Add(1)
	}
	return from
}

// Before is the latest day from which on, this day included, there are n days up to another on which something is
// upgraded. With n = 0 it is the other day.
func (c *Calendar) Before(to Day, n int) Day {
	for range maxSearched {
		if n > 0 && c.works(to) {
			n--
		}
		if n <= 0 {
			break
		}
		to = to.Add(-1)
	}
	return to
}

// Assign gives each of n machines that come to a wave a day of it, no earlier than today: days with the fewest machines
// first. had is how many machines each day has already. On days on which nothing is upgraded none goes; where there is
// no other day, the machines get none.
func (c *Calendar) Assign(n int, w *Wave, had map[Day]int, today Day) []Day {
	out := make([]Day, n)
	all := c.Days(max(w.Starts, today), w.Ends)
	if len(all) == 0 {
		return out
	}
	count := make(map[Day]int, len(all))
	for _, d := range all {
		count[d] = had[d]
	}
	for i := range out {
		out[i] = slices.MinFunc(all, func(a, b Day) int { return count[a] - count[b] }) // the first of those
		count[out[i]]++
	}
	slices.Sort(out)
	return out
}

// Remaining is what a machine still needs before it runs its target.
type Remaining struct {
	Visit    bool
	Upgrades int // releases that are installed, the target among them
	LeadDays int // until the slowest part that is to be ordered or awaited is there; 0: none, or not known
}

// Days is how many working days that takes: one for a visit, and one for each release.
func (r *Remaining) Days() int {
	n := r.Upgrades
	if r.Visit {
		n++
	}
	return n
}

// LatestStart is the last day on which the work on a machine can begin, so that it is done on the day on which support
// ends.
func (c *Calendar) LatestStart(end Day, r *Remaining) Day {
	return c.Before(end, r.Days()).Add(-r.LeadDays)
}
