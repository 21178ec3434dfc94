package say

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
)

// Hours says how long something takes, roughly: 25 to 40 minutes, 12 to 28 hours.
func Hours(m remedy.Minutes) string {
	if m.Most == 0 {
		return "not counted"
	}
	if m.Most < 120 {
		if m.Least == m.Most {
			return fmt.Sprintf("%d minutes", m.Most)
		}
		return fmt.Sprintf("%d to %d minutes", m.Least, m.Most)
	}
	least, most := (m.Least+30)/60, (m.Most+30)/60
	if least == most {
		return fmt.Sprintf("%s hours", Number(most))
	}
	return fmt.Sprintf("%s to %s hours", Number(least), Number(most))
}

// Message is what the person whose machine it is should know before a visit: what will
// happen, how long it takes, what to have ready. tells are what the steps mean for them.
func Message(
	name, release string, plain, tells []string, m remedy.Minutes, restarts int,
) (subject string, text []string) {
	subject = "Your computer " + name + " is prepared for " + release
	text = append(text, strings.Join(plain, " "))
	takes := "A technician will come to your desk for about " + Hours(m)
	if restarts > 0 {
		takes += fmt.Sprintf("; the computer will restart %s", times(restarts))
	}
	text = append(text, takes+". You cannot use it during that time.")
	tells = slices.DeleteFunc(slices.Clone(tells), func(t string) bool { return t == NothingToDo })
	if len(tells) > 0 {
		text = append(text, strings.Join(tells, " "))
	}
	return subject, append(text,
		"Before that: save your work and close all programs. Leave the computer turned on, and connect a laptop to "+
			"its charger.")
}

// At says where and when the visit is, in a paragraph of a message; none if neither is known.
func At(desk, day, half string) []string {
	if day == "" && desk == "" {
		return nil
	}
	s := "The visit is"
	if day != "" {
		s += " on " + dayText(day)
		if half != "" {
			s += ", in the " + half
		}
	}
	if desk != "" {
		s += " at the desk " + desk
	}
	return []string{Sentence(s)}
}

func times(n int) string {
	switch n {
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}

// Worklist is the work of a fleet in one sentence: visits at so many sites with their time, remote
// batches, what parts cost, and open questions. cost is what Money says.
func Worklist(visits, sites int, m remedy.Minutes, batches, orders int, cost string, questions int) string {
	if visits+batches+orders+questions == 0 {
		return "Nothing is left to do."
	}
	var parts []string
	if visits > 0 {
		parts = append(parts, fmt.Sprintf("%s at %s, %s at the desks",
			Count(visits, "visit", "visits"), Count(sites, "site", "sites"), Hours(m)))
	}
	if batches > 0 {
		parts = append(parts, Count(batches, "remote batch", "remote batches"))
	}
	if orders > 0 {
		parts = append(parts, "parts for "+cost)
	}
	if questions > 0 {
		parts = append(parts, Count(questions, "open question", "open questions"))
	}
	return Sentence(Capital(strings.Join(parts, "; ")))
}

// Batch is one step on many machines in a sentence or two. pilot is on how many it is done first.
func Batch(title string, machines, pilot int) string {
	s := Sentence(title + " on " + Count(machines, "machine", "machines"))
	if pilot > 0 {
		s += fmt.Sprintf(" On %d of them first.", pilot)
	}
	return s
}

// Money is what parts cost, with how many of them have no price.
func Money(currency string, r price.Range, unpriced int) string {
	without := fmt.Sprintf("%s without a price", Count(unpriced, "part", "parts"))
	switch {
	case r.Zero() && unpriced == 0:
		return "nothing to buy"
	case r.Zero():
		return without
	case unpriced > 0:
		return currency + " " + r.String() + ", and " + without
	}
	return currency + " " + r.String()
}
