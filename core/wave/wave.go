// Package wave brings machines to a release in groups: a pilot, then waves by rule, with
// sizes and days. Only machines that are ready, or to which nothing is left but their way
// (intermediate releases, or a clean installation), with an inventory that is recent enough,
// may enter; every other is refused with the reason. What is waived or lost needs somebody's
// name. What became of them is read from later inventories.
package wave

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
)

// Wave is a group of machines that go in the same days.
type Wave struct {
	ID           int64
	Name         string
	Release      string
	Pilot        bool
	Rule         string // a filter: which machines may enter
	Most         int    // machines
	Starts, Ends Day    // both belong to it
	Note         string
	StopPercent  int // it pauses when more of its machines that were handed off have failed; 0: never
	Forgiven     int // failures with which somebody let it go on
	Ended        bool
}

// mostMachines bounds a wave; a pilot is small.
const (
	maxMachines = 100_000
	maxPilot    = 50
)

// Check refuses a wave that cannot be, and says what would be right. others are the waves
// of the same release that have not ended.
func Check(w *Wave, others []Wave, cal *Calendar, today Day) error {
	switch {
	case strings.TrimSpace(w.Name) == "":
		return errors.New("the wave has no name")
	case w.Release == "":
		return errors.New("the release is missing; name the target that the machines get")
	case w.Starts == "" || w.Ends == "":
		return errors.New("the first and the last day are required")
	case w.Ends < w.Starts:
		return fmt.Errorf("the last day, %s, is before the first day, %s", w.Ends, w.Starts)
	case w.Starts < today:
		return fmt.Errorf("the first day, %s, is in the past; today is %s", w.Starts, today)
	case w.Most < 1 || w.Most > maxMachines:
		return fmt.Errorf("a wave of %d machines is not possible; give a size from 1 to %d", w.Most, maxMachines)
	case w.StopPercent < 0 || w.StopPercent > 100:
		return fmt.Errorf("a stop rule of %d %% is not possible; give 1 to 100, or 0 for none", w.StopPercent)
	case w.Pilot && w.Most > maxPilot:
		return fmt.Errorf("a pilot of %d machines is too large; at most %d, to limit the damage of a problem",
			w.Most, maxPilot)
	case strings.TrimSpace(w.Rule) == "":
		return errors.New("the rule is missing; give a filter, such as site=\"Gull Quay\", or class=pc for all")
	}
	if _, err := fleet.Parse(w.Rule); err != nil {
		return err
	}
	if cal.Between(w.Starts, w.Ends) == 0 {
		return fmt.Errorf("all days from %s to %s are blackout days or not working days; choose other days", w.Starts,
			w.Ends)
	}
	if why := cal.Off(w.Starts); why != "" {
		return fmt.Errorf("the first day, %s, is %s; the next allowed day is %s", w.Starts, why, cal.Next(w.Starts))
	}
	for i := range others {
		o := &others[i]
		if o.ID == w.ID || o.Ended || o.Release != w.Release {
			continue
		}
		if strings.EqualFold(o.Name, w.Name) {
			return fmt.Errorf("the wave %q already exists", o.Name)
		}
		if o.Pilot && !w.Pilot && w.Starts <= o.Ends {
			return fmt.Errorf("the first day, %s, is before the end of the pilot %q on %s; start later", w.Starts,
				o.Name,
				o.Ends)
		}
		if w.Pilot && !o.Pilot && o.Starts <= w.Ends {
			return fmt.Errorf("the pilot runs until %s, but the wave %q starts on %s; a pilot must end before all "+
				"waves",
				w.Ends, o.Name, o.Starts)
		}
		if o.Rule == w.Rule && o.Starts <= w.Ends && w.Starts <= o.Ends {
			return fmt.Errorf("the wave %q has the same rule and runs from %s to %s; waves with the same machines "+
				"cannot overlap", o.Name, o.Starts, o.Ends)
		}
	}
	return nil
}

// How old an inventory may be for a machine to enter. Free space changes by the day.
const (
	FreeSpaceDays = 7
	OtherDays     = 30
)

// Candidate is what is known of a machine that may enter.
type Candidate struct {
	Key, Name   string
	Judged      bool
	Disposition remedy.Disposition
	OnlyWay     bool     // nothing is left to do but the way itself: intermediate releases, or a clean installation
	Clean       bool     // its way is a clean installation: programs and files do not stay
	Loses       []string // titles that the upgrade removes
	Waived      []string // titles of requirements that fail and are waived
	ByName      string   // who let it in although something is waived or lost
	TakenAt     time.Time
	Decided     fleet.Decided
	Later       time.Time
	On          bool   // it runs the release
	Failing     bool   // its system disk fails
	Elsewhere   string // another wave that it is in
	Retired     bool
	Package     string // what it gets, where the release names packages
	NoPackage   string // why there is none
	Fails       string // titles of what it fails, for the reason
}

const day = 24 * time.Hour

// Refuse says why a machine may not enter a wave at a time, or "" where it may.
func Refuse(c *Candidate, now time.Time) string {
	switch {
	case c.Retired:
		return "it is retired"
	case c.On, c.Judged && c.Disposition == remedy.Done:
		return "it already runs the release"
	case c.Elsewhere != "":
		return fmt.Sprintf("it is in the wave %q", c.Elsewhere)
	case !c.Judged:
		return "it was not checked: no target is set for its class of hardware"
	case c.Decided&fleet.Held != 0:
		return "it is on hold by a decision"
	case c.Decided&fleet.Stays != 0:
		return "it stays on its release by a decision"
	case c.Disposition == remedy.Undetermined:
		return "it is undetermined: find out first what is unknown"
	case c.Disposition != remedy.Ready && !c.OnlyWay:
		return fmt.Sprintf("it is not ready (%s)%s", c.Disposition, failing(c.Fails))
	case c.Failing:
		return "its system disk is failing: replace it first"
	case now.Before(c.Later):
		return "it is postponed until " + string(On(c.Later.Add(-time.Second))) // the last day that it counts
	case now.Sub(c.TakenAt) > OtherDays*day:
		return fmt.Sprintf("its inventory is from %s, older than %d days: read it again", On(c.TakenAt), OtherDays)
	case now.Sub(c.TakenAt) > FreeSpaceDays*day:
		return fmt.Sprintf("its free space was read on %s, more than %d days ago: read it again", On(c.TakenAt),
			FreeSpaceDays)
	case c.ByName == "" && c.confirm() != "":
		return c.confirm() + ": it can enter only by name"
	case c.NoPackage != "":
		return c.NoPackage
	}
	return ""
}

// confirm says what a person has to confirm before the machine may enter, or "" if nothing.
func (c *Candidate) confirm() string {
	var out []string
	if len(c.Waived) > 0 {
		out = append(out, "a requirement is waived ("+strings.Join(c.Waived, ", ")+")")
	}
	if c.Clean {
		out = append(out, "a clean installation keeps no programs and files")
	} else if len(c.Loses) > 0 {
		out = append(out, "the upgrade removes "+strings.Join(c.Loses, ", "))
	}
	return strings.Join(out, ", and ")
}

func failing(titles string) string {
	if titles == "" {
		return ""
	}
	return ": " + titles
}

// Outcomes of a machine in a wave.
const (
	Waiting = "waiting"    // not handed to the deployment system yet
	Handed  = "handed-off" // and not on the release yet
	Arrived = "arrived"
	Failed  = "failed"
	Back    = "back" // it had arrived, and runs another release again
)

// Outcome is what became of a machine: what an inventory shows counts more than what was
// said before it. arrived and left are when it was seen on the release and off it again;
// said is an outcome that somebody told, at a time: waiting lets it go once more.
func Outcome(handed, arrived, left, saidAt time.Time, said string, takenAt time.Time) string {
	again := said == Waiting && saidAt.After(left)
	switch {
	case left.IsZero() && !arrived.IsZero():
		return Arrived
	case !left.IsZero() && !again && !handed.After(left):
		return Back
	case said == Arrived && !takenAt.After(saidAt): // no inventory since
		return Arrived
	case said == Failed || said == Back:
		return said
	case handed.IsZero():
		return Waiting
	}
	return Handed
}

// Stopped says why the stop rule of a wave pauses it, or "" if it does not. outcomes are its machines by outcome. When
// somebody lets a wave go on, the failures until then are forgiven: one more pauses it again.
func (w *Wave) Stopped(outcomes map[string]int) string {
	bad := outcomes[Failed] + outcomes[Back]
	gone := bad + outcomes[Arrived] + outcomes[Handed]
	if w.StopPercent == 0 || w.Ended || bad <= w.Forgiven || bad*100 <= w.StopPercent*gone {
		return ""
	}
	return fmt.Sprintf("%d of %d machines that were handed off failed or went back, more than %d %%", bad, gone,
		w.StopPercent)
}

// Pause is why a wave is paused, or "": by its own stop rule, or because a pilot to the same release is paused. stopped
// are the waves that their own rules pause, by number.
func Pause(w *Wave, all []Wave, stopped map[int64]string) string {
	if why := stopped[w.ID]; why != "" || w.Pilot || w.Ended {
		return why
	}
	for i := range all {
		if p := &all[i]; p.Pilot && p.Release == w.Release && stopped[p.ID] != "" {
			return fmt.Sprintf("the pilot %q is paused: %s", p.Name, stopped[p.ID])
		}
	}
	return ""
}

// Sorted puts waves in their order: the pilot first, then by day and name.
func Sorted(waves []Wave) []Wave {
	slices.SortFunc(waves, func(a, b Wave) int {
		pilot := 0
		if a.Pilot != b.Pilot {
			if pilot = 1; a.Pilot {
				pilot = -1
			}
		}
		return cmp.Or(pilot, strings.Compare(string(a.Starts), string(b.Starts)), strings.Compare(a.Name, b.Name))
	})
	return waves
}
