package say

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"
)

// InWave is how a machine stands in a wave, as its sentence needs it.
type InWave struct {
	Wave, Outcome, Reason, Day string
	HandedOff                  time.Time
	Paused                     string
	Hops                       []string // releases on the way, each with day and outcome
}

// Standing says how a machine stands in a wave. outcome is its outcome in words.
func (w *InWave) Standing(outcome string) string {
	s := fmt.Sprintf("It is in the wave “%s”: %s", w.Wave, outcome)
	if w.Day != "" {
		s += ", upgrade on " + dayText(w.Day)
	}
	if !w.HandedOff.IsZero() {
		s += ", handed off on " + Day(w.HandedOff)
	}
	if w.Reason != "" {
		s += ": " + strings.TrimSuffix(w.Reason, ".")
	}
	s = Sentence(s)
	if len(w.Hops) > 0 {
		s += " On the way: " + strings.Join(w.Hops, "; ") + "."
	}
	if w.Paused != "" {
		s += " The wave is paused: " + w.Paused + "."
	}
	return s
}

// dayText is a day as 2026-12-03 in prose; another text stays as it is.
func dayText(day string) string { return PlainDay(day) }

// PlainDay says a day that is written as 2026-12-03: 3 December 2026. Another text stays as it is.
func PlainDay(day string) string {
	if t, err := time.Parse(time.DateOnly, day); err == nil {
		return Day(t)
	}
	return day
}

// Hop says a release on the way of a machine, with its day and what became of it.
func Hop(release, day, outcome string) string {
	s := release
	if day != "" {
		s += " on " + dayText(day)
	}
	return s + " (" + outcome + ")"
}

// Recorded says an outcome that was recorded for a machine in a wave that it is no longer in, or before.
func Recorded(wave, release, outcome, reason string, at time.Time) string {
	s := fmt.Sprintf("On %s it was recorded in the wave “%s”: %s, %s", Day(at), wave, release, outcome)
	if reason != "" {
		s += ": " + strings.TrimSuffix(reason, ".")
	}
	return Sentence(s)
}

// Assigned says who goes to a machine, and when. half is a part of the day in a word.
func Assigned(who, day, half, note string) string {
	s := "Its visit is not assigned"
	if who != "" {
		s = "Its visit is assigned to " + who
	}
	if day != "" {
		s += ", on " + dayText(day)
	}
	if half != "" {
		s += ", " + half
	}
	if note != "" {
		s += ": " + strings.TrimSuffix(note, ".")
	}
	return Sentence(s)
}

// Ticked says how far the steps of a machine are, by what people recorded.
func Ticked(done, refused, of int, by string, at time.Time) string {
	s := fmt.Sprintf("%s of %s recorded as done", Number(done), Count(of, "step", "steps"))
	if refused > 0 {
		s += fmt.Sprintf(", %s refused", Number(refused))
	}
	return fmt.Sprintf("%s; the last on %s by %s.", s, Day(at), by)
}

// Noted says a note on a machine.
func Noted(text, by string, at time.Time) string {
	return fmt.Sprintf("Note of %s by %s: %s", Day(at), by, text)
}

// Reached says whom to ask about a machine, and where it stands.
func Reached(contact, desk string) string {
	switch {
	case desk == "":
		return Sentence("contact: " + contact)
	case contact == "":
		return Sentence("desk: " + desk)
	}
	return Sentence("contact: " + contact + ", desk: " + desk)
}

// Round is what some visits are called: how many, where, on which day and by whom, as far as all of them share it.
func Round(visits int, site, day, half, who string) string {
	s := Count(visits, "visit", "visits")
	if site != "" {
		s += " at " + site
	}
	if day != "" {
		s += " on " + dayText(day)
	}
	if half != "" {
		s += ", " + half
	}
	if who != "" {
		s += ": " + who
	}
	return Capital(s)
}

// Asked says whom a question was put to.
func Asked(who string, at time.Time, due, note string, late bool) string {
	s := "Asked " + who + " on " + Day(at)
	switch {
	case late:
		s += "; the answer was due on " + dayText(due) + " and is overdue"
	case due != "":
		s += "; an answer is expected by " + dayText(due)
	default:
		s += "; an answer is awaited"
	}
	if note != "" {
		s += " (" + note + ")"
	}
	return Sentence(s)
}

// ToldElsewhere says what other machines tell of the same adapter: on how many machines it has which value. If not all
// machines were looked at, most is true, and the numbers are the least.
func ToldElsewhere(machines map[string]int, most bool) string {
	if len(machines) == 0 {
		return ""
	}
	var parts []string
	for _, value := range slices.SortedFunc(maps.Keys(machines), func(a, b string) int {
		return cmp.Or(machines[b]-machines[a], strings.Compare(a, b))
	}) {
		on := Count(machines[value], "machine", "machines")
		if most {
			on = "at least " + on
		}
		parts = append(parts, value+" ("+on+")")
	}
	return "Other machines with this adapter tell " + And(parts) + "; a driver may tell less than the adapter can do."
}

// AnsweredFact says what an answer enters on how many machines.
func AnsweredFact(label, value string, machines int, model bool) string {
	where := "on " + Count(machines, "machine", "machines")
	if model {
		where = "for the model, on " + Count(machines, "machine", "machines") + " of this question"
	}
	return fmt.Sprintf("“%s” is %s %s.", label, value, where)
}

// AnsweredRow says which revision an answer proposes.
func AnsweredRow(about, value, id string, revision int) string {
	if value == "yes" {
		value = "supported"
	}
	return fmt.Sprintf("%s: %s. Proposed as %s@%d, which is not in force; activate it when you have read what it "+
		"changes.", about, value, id, revision)
}

// Left is what a machine still needs before it runs its target.
type Left struct {
	Visit    bool
	Upgrades int
	LeadDays int
	Unknown  bool // how long a part takes
	Replaced bool // a new machine takes its place
}

// LatestStart says by when the work on a machine has to begin. day and end are days; late says that the day has passed.
func LatestStart(day, end string, late bool, l *Left) string {
	var takes []string
	if l.LeadDays > 0 {
		takes = append(takes, "parts take "+Count(l.LeadDays, "day", "days"))
	}
	if l.Visit {
		takes = append(takes, "a visit is counted as one day")
	}
	if l.Replaced {
		takes = append(takes, "setting up the new machine is counted as one day")
	} else {
		takes = append(takes, Count(l.Upgrades, "upgrade is counted as one day", "upgrades are counted as a day each"))
	}
	begin := "Begin by " + dayText(day) + " at the latest"
	if late {
		begin = "The work should have begun by " + dayText(day)
	}
	if l.Unknown {
		takes = append(takes, "how long its parts take is unknown, so begin earlier")
	}
	s := fmt.Sprintf("%s: support ends on %s. %s", begin, dayText(end), Capital(strings.Join(takes, "; ")))
	return Sentence(s)
}
