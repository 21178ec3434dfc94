package report

import (
	"io"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"

	"rolltop.example/rolltop/core/say"
	visits "rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
)

// Calendar writes the visits that have a day as an iCalendar file (RFC 5545): one event for each technician, site and
// part of a day. Times are those of the working hours, without a time zone: they are local wherever the file is opened.
func Calendar(w io.Writer, list []work.Visit, hours wave.Hours, made time.Time) error {
	c := ics.NewCalendarFor("Rolltop")
	c.SetMethod(ics.MethodPublish)
	type round struct{ day, half, who, site string }
	var order []round
	machines := map[round][]*work.Visit{}
	for i := range list {
		v := &list[i]
		if v.Day == "" {
			continue
		}
		r := round{v.Day, v.Half, v.Who, v.Site}
		if machines[r] == nil {
			order = append(order, r)
		}
		machines[r] = append(machines[r], v)
	}
	for _, r := range order {
		day, err := time.Parse(time.DateOnly, r.day)
		if err != nil {
			return err
		}
		from, to := hours.From, hours.To
		switch middle := (hours.From + hours.To) / 2; r.half {
		case visits.Morning:
			to = middle
		case visits.Afternoon:
			from = middle
		}
		var lines []string
		most := 0
		for _, v := range machines[r] {
			lines = append(
				lines,
				strings.TrimSpace(v.Name+" "+v.Model)+", up to "+say.Count(v.Minutes.Most, "minute", "minutes"),
			)
			most += v.Minutes.Most
		}
		e := c.AddEvent(strings.NewReplacer(" ", "-", ",", "").Replace(strings.ToLower(
			strings.Join([]string{r.day, r.half, r.who, r.site}, "-"))) + "@rolltop")
		e.SetDtStampTime(made.UTC())
		local := "20060102T150405"
		e.SetProperty(ics.ComponentPropertyDtStart, day.Add(time.Duration(from)*time.Minute).Format(local))
		e.SetProperty(ics.ComponentPropertyDtEnd, day.Add(time.Duration(to)*time.Minute).Format(local))
		title := say.Count(len(lines), "visit", "visits")
		if r.site != "" {
			title += " at " + r.site
		}
		if r.who != "" {
			title += ": " + r.who
		}
		e.SetSummary(say.Capital(title))
		e.SetLocation(r.site)
		e.SetDescription(strings.Join(lines, "\n") + "\nTogether up to " + say.Count(most, "minute", "minutes") + ".")
	}
	return c.SerializeTo(w)
}
