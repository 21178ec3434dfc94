package wave

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/say"
)

// outcomeWords say how many machines there are of an outcome.
var outcomeWords = []struct{ outcome, name, one, many string }{
	{Arrived, "on the release", "is on the release", "are on the release"},
	{Handed, "under way", "is under way", "are under way"},
	{Failed, "failed", "has failed", "have failed"},
	{Back, "went back", "went back", "went back"},
	{Waiting, "waiting", "is waiting", "are waiting"},
}

// OutcomeNames are what outcomes are called, by their ids.
func OutcomeNames() map[string]string {
	out := make(map[string]string, len(outcomeWords))
	for _, o := range outcomeWords {
		out[o.outcome] = o.name
	}
	return out
}

// Says is how a wave stands, in a sentence. outcomes are its machines by outcome.
func (w *Wave) Says(outcomes map[string]int) string {
	total := 0
	for _, n := range outcomes {
		total += n
	}
	if total == 0 {
		if w.Ended {
			return "It has ended without machines."
		}
		return fmt.Sprintf("No machines yet; at most %s.", say.Number(w.Most))
	}
	var parts []string
	for _, o := range outcomeWords {
		if n := outcomes[o.outcome]; n > 0 {
			parts = append(parts, say.Count(n, o.one, o.many))
		}
	}
	s := fmt.Sprintf("Of %s, %s.", say.Count(total, "machine", "machines"), say.And(parts))
	if len(parts) == 1 {
		s = say.Capital(parts[0]) + "."
	}
	switch free := w.Most - total; {
	case w.Ended:
		s += " It has ended."
	case free > 0:
		s += fmt.Sprintf(" There is room for %s.", say.Number(free))
	}
	return s
}

// Says is whether the machines arrive in time, in a few sentences.
func (f *Forecast) Says(release string) string {
	left := f.Machines - f.On
	switch {
	case f.Machines == 0:
		return "No machine is to get " + release + "."
	case left == 0:
		return fmt.Sprintf(
			"All of %s that are to get %s run it.",
			say.Count(f.Machines, "machine", "machines"),
			release,
		)
	}
	runs := "run"
	if f.On == 1 {
		runs = "runs"
	}
	s := fmt.Sprintf(
		"%s of %s that are to get %s %s it.",
		say.Number(f.On),
		say.Count(f.Machines, "machine", "machines"),
		release,
		runs,
	)
	if f.Overdue > 0 {
		s += fmt.Sprintf(" %s what is out of support already.",
			say.Capital(say.Count(f.Overdue, "machine runs", "machines run")))
	}
	return s + " " + f.arrivals(left)
}

// Needs is the pace that meets the ends of support that are still ahead, in a sentence; "" if there is none.
func (f *Forecast) Needs() string {
	if f.Needed == 0 {
		return ""
	}
	return fmt.Sprintf("To meet %s, %s on each working day from tomorrow on.", f.ends(),
		machinesADay(f.Needed, "machine must arrive", "machines must arrive"))
}

// ends names the ends of support that are still ahead.
func (f *Forecast) ends() string {
	var ahead []string
	for _, d := range f.Deadlines {
		if d.Days > 0 {
			ahead = append(ahead, say.Day(d.Day.Time()))
		}
	}
	if len(ahead) == 1 {
		return "the end of support on " + ahead[0]
	}
	return "the ends of support from " + ahead[0] + " on"
}

// arrivals says what becomes of the machines that are left at the assumed pace.
func (f *Forecast) arrivals(left int) string {
	at := fmt.Sprintf("At the pace of the last %d days (%s a working day)", f.Days, pace(f.Assumed))
	switch {
	case f.Assumed != f.Pace:
		at = fmt.Sprintf(
			"At a pace of %s",
			machinesADay(f.Assumed, "machine a working day", "machines a working day"),
		)
	case f.Pace == 0:
		return fmt.Sprintf("None arrived in the last %d days, so no day can be named for the other %s.", f.Days,
			say.Number(left))
	}
	last := "no day within ten years can be named for the last"
	if f.Done != "" {
		last = "the last arrives on " + say.Day(f.Done.Time())
	}
	switch {
	case len(f.Deadlines) == 0:
		return fmt.Sprintf("%s, %s.", at, last)
	case f.Late == 0:
		return fmt.Sprintf("%s, none loses support before it arrives; %s.", at, last)
	}
	s := fmt.Sprintf(
		"%s, %s support before they arrive; %s.",
		at,
		say.Count(f.Late, "machine loses", "machines lose"),
		last,
	)
	if f.Late == 1 {
		s = strings.Replace(s, "before they arrive", "before it arrives", 1)
	}
	if f.Firm < f.InTime {
		s += fmt.Sprintf(" Of those in time, only %s ready now.", say.Count(f.Firm-f.On, "is", "are"))
	}
	return s
}

// machinesADay is a pace with its unit.
func machinesADay(p float64, one, many string) string {
	if text := pace(p); text != "1" {
		return text + " " + many
	}
	return "one " + one
}

// Says is a deadline in a sentence.
func (d *Deadline) Says() string {
	s := fmt.Sprintf("Support ends on %s for %s", say.Day(d.Day.Time()), say.Count(d.Machines, "machine", "machines"))
	if d.Due > d.Machines {
		s += fmt.Sprintf(" (%s with earlier days)", say.Number(d.Due))
	}
	switch {
	case d.Days == 0 && d.InTime == 0:
		return s + "; no working day is left."
	case d.InTime >= d.Due && d.Start != "":
		return s + fmt.Sprintf("; all are in time at this pace if upgrading starts by %s.", say.Day(d.Start.Time()))
	}
	return s + fmt.Sprintf(
		"; %s of %s in time at this pace; it takes %s.",
		say.Number(d.InTime),
		say.Count(d.Due, "is",
			"are"),
		machinesADay(d.Needed, "machine a working day", "machines a working day"),
	)
}

func pace(p float64) string {
	return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.2f", p), "0"), ".")
}

// Assumes is what the forecast takes for granted and what it does not, a sentence each.
func (f *Forecast) Assumes() []string {
	out := []string{
		fmt.Sprintf("The pace of the last %d days continues on all working days that are not blackout days.",
			f.Days),
	}
	if f.Assumed != f.Pace {
		out[0] = fmt.Sprintf(
			"The pace holds on all working days that are not blackout days; that of the last %d days was "+
				"%s.",
			f.Days,
			pace(f.Pace),
		)
	}
	if len(f.Deadlines) > 0 {
		out = append(out, "Machines whose support ends first arrive first.")
	}
	if f.Ready > 0 {
		out = append(out, fmt.Sprintf("%s ready and stay ready.", say.Count(f.Ready, "machine is", "machines are")))
	}
	if f.Blocked > 0 {
		out = append(out, fmt.Sprintf("%s not ready. The forecast assumes that they become ready in time.",
			say.Count(f.Blocked, "machine is", "machines are")))
	}
	if f.Parts > 0 {
		s := fmt.Sprintf("%s for parts or another machine", say.Count(f.Parts, "of these waits", "of these wait"))
		if f.LeadDays > 0 {
			s += fmt.Sprintf("; the longest delivery takes %s", say.Count(f.LeadDays, "day", "days"))
		}
		out = append(out, s+".")
	}
	if f.Unknown > 0 {
		out = append(out, fmt.Sprintf("%s undetermined and included: some may need a part, or may not be possible "+
			"at all.", say.Count(f.Unknown, "machine is", "machines are")))
	}
	if f.Unseen > 0 {
		out = append(out, fmt.Sprintf("%s expected but never reported; they are included, although nothing is "+
			"known about them.",
			say.Count(f.Unseen, "machine was", "machines were")))
	}
	if f.Silent > 0 {
		out = append(out, fmt.Sprintf("%s not reported recently; the forecast assumes no change.",
			say.Count(f.Silent, "machine has", "machines have")))
	}
	if f.Held > 0 {
		out = append(out, fmt.Sprintf("%s on hold and included, because decisions end.",
			say.Count(f.Held, "machine is", "machines are")))
	}
	if f.Stay > 0 {
		out = append(out, say.Count(f.Stay, "machine stays on its release by decision and is not included.",
			"machines stay on their release by decision and are not included."))
	}
	for i := range out {
		out[i] = say.Capital(out[i])
	}
	return out
}
