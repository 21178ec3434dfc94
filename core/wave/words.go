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

// Says is whether the machines arrive in time, in a sentence or two.
func (f *Forecast) Says(release string) string {
	left := f.Machines - f.On
	switch {
	case f.Machines == 0:
		return "No machine will get " + release + "."
	case left == 0:
		return fmt.Sprintf("All of %s run %s.", say.Count(f.Machines, "machine", "machines"), release)
	}
	s := fmt.Sprintf("%s of %s on %s.", say.Number(f.On), say.Count(f.Machines, "machine is", "machines are"), release)
	if f.Pace == 0 {
		return s + fmt.Sprintf(" None arrived in the last %d days, so no day can be named for the other %s.", f.Days,
			say.Number(left))
	}
	s += fmt.Sprintf(" At the pace of the last %d days (%s a day)", f.Days, pace(f.Pace))
	if f.End == "" {
		return s + fmt.Sprintf(" the last of the other %s arrives on %s.", say.Number(left), say.Day(f.Done.Time()))
	}
	late := f.Machines - f.InTime
	if late == 0 {
		s += fmt.Sprintf(" the last arrives on %s, before support ends on %s", say.Day(f.Done.Time()),
			say.Day(f.End.Time()))
	} else {
		s += fmt.Sprintf(" %s not on the target when support ends on %s", say.Count(late, "is", "are"),
			say.Day(f.End.Time()))
		if f.Done != "" {
			s += fmt.Sprintf("; the last arrives on %s", say.Day(f.Done.Time()))
		}
	}
	s += "."
	if f.Firm < f.InTime {
		s += fmt.Sprintf(" Only %s of them are ready now.", say.Number(f.Firm-f.On))
	}
	return s
}

func pace(p float64) string {
	return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.2f", p), "0"), ".")
}

// Assumes is what the forecast takes for granted and what it does not, a sentence each.
func (f *Forecast) Assumes() []string {
	out := []string{fmt.Sprintf("The pace of the last %d days continues on all days that are not blackout days.",
		f.Days)}
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
