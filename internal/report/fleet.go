package report

import (
	"html/template"
	"io"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/build"
)

// maxDays are the days of progress that a report shows: the first of each week.
const maxDays = 14

// Fleet writes what a fleet looks like as one page that needs nothing beside it.
func Fleet(w io.Writer, f *api.Fleet, p *api.Progress, made time.Time) error {
	return templates.ExecuteTemplate(w, "fleet.html", struct {
		Style   template.CSS
		Fleet   *api.Fleet
		Days    []api.ProgressDay
		Made    time.Time
		Version string
	}{template.CSS(style), f, weekly(p.Days), made, build.Version})
}

// weekly takes a day of each week, and the last.
func weekly(days []api.ProgressDay) []api.ProgressDay {
	var out []api.ProgressDay
	for i := len(days) - 1; i >= 0 && len(out) < maxDays; i -= 7 {
		out = append([]api.ProgressDay{days[i]}, out...)
	}
	return out
}

// Briefing writes the page for the head of the organisation, which needs nothing beside it and fits one sheet of A4.
func Briefing(w io.Writer, b *api.Briefing) error {
	return templates.ExecuteTemplate(w, "briefing.html", struct {
		Style   template.CSS
		Brief   *api.Briefing
		Version string
	}{template.CSS(style), b, build.Version})
}
