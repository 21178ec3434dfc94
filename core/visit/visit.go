// Package visit plans who goes to which machines on which day: technicians with the time that they have, and what a
// round of visits takes along.
package visit

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
)

// Halves of a day; "" is the whole day.
const (
	Morning   = "am"
	Afternoon = "pm"
)

// HalfName is a half of a day in a word; "" of the whole day.
func HalfName(half string) string {
	return map[string]string{Morning: "morning", Afternoon: "afternoon"}[half]
}

// Technician is somebody who visits machines.
type Technician struct {
	Name    string
	Minutes int      // for visits on a day
	LeftOn  wave.Day // "": is there
}

// room is how many minutes there are for visits on a day, or on a half of it.
func (t *Technician) room(half string) int {
	if half == "" {
		return t.Minutes
	}
	return t.Minutes / 2
}

// Appointment is who goes to a machine, and when.
type Appointment struct {
	Who  string
	Day  wave.Day // "": no day yet
	Half string
}

// Booked is a visit that has an appointment.
type Booked struct {
	Machine int64
	Appointment
	Minutes int // at most
}

// Check refuses an appointment that cannot be: a day that is over or on which nobody works, or somebody who has left.
// Without technicians any name is taken.
func Check(a *Appointment, technicians []Technician, cal *wave.Calendar, today wave.Day) error {
	if a.Half != "" && HalfName(a.Half) == "" {
		return fmt.Errorf("unknown half of a day %q; use am or pm", a.Half)
	}
	if a.Half != "" && a.Day == "" {
		return errors.New("a half of a day needs a day; give the day as well")
	}
	if a.Day != "" {
		if a.Day < today {
			return fmt.Errorf("%s is in the past; today is %s", a.Day, today)
		}
		if why := cal.Off(a.Day); why != "" {
			return fmt.Errorf("%s is %s; the next allowed day is %s", a.Day, why, cal.Next(a.Day))
		}
	}
	if a.Who == "" || len(technicians) == 0 {
		return nil
	}
	t := find(technicians, a.Who)
	if t == nil {
		var names []string
		for i := range technicians {
			names = append(names, technicians[i].Name)
		}
		return errors.New(doc.With(fmt.Sprintf("there is no technician %q", a.Who), doc.Suggest(a.Who, names)))
	}
	if last := cmp.Or(a.Day, today); t.LeftOn != "" && t.LeftOn <= last {
		return fmt.Errorf("%s has left on %s; assign somebody else", t.Name, t.LeftOn)
	}
	return nil
}

func find(list []Technician, name string) *Technician {
	i := slices.IndexFunc(list, func(t Technician) bool { return strings.EqualFold(t.Name, name) })
	if i < 0 {
		return nil
	}
	return &list[i]
}

// Full says that the visits of somebody on a day take more time than there is, with those that come to it, or "". A
// technician who is not known has all the time of a working day.
func Full(a *Appointment, more int, booked []Booked, technicians []Technician, hours wave.Hours) string {
	if a.Who == "" || a.Day == "" {
		return ""
	}
	t := find(technicians, a.Who)
	if t == nil {
		t = &Technician{Name: a.Who, Minutes: hours.Minutes()}
	}
	had, day := 0, 0
	for i := range booked {
		b := &booked[i]
		if !strings.EqualFold(b.Who, a.Who) || b.Day != a.Day {
			continue
		}
		day += b.Minutes
		if a.Half == "" || b.Half == a.Half {
			had += b.Minutes
		}
	}
	switch room := t.room(a.Half); {
	case had+more > room:
		return fmt.Sprintf("%s has %d minutes for visits on %s, and these would take up to %d", t.Name, room,
			words(a), had+more)
	case day+more > t.Minutes:
		return fmt.Sprintf(
			"%s has %d minutes for visits on %s, and these would take up to %d",
			t.Name,
			t.Minutes,
			a.Day,
			day+more,
		)
	}
	return ""
}

// words is the day of an appointment, with its half.
func words(a *Appointment) string {
	if a.Half == "" {
		return string(a.Day)
	}
	return fmt.Sprintf("the %s of %s", HalfName(a.Half), a.Day)
}

// Cover is what a round of visits takes along and has ready.
type Cover struct {
	Machines  []Stop
	Minutes   remedy.Minutes
	Restarts  int
	Bring     []string // tools, media
	Parts     []Needed
	Passwords []string // what has to be at hand, with the machines that it is for
	Questions []string // that have to be answered before
}

// Stop is a machine of the round.
type Stop struct {
	Name, Model, Desk, Contact string
	Minutes                    remedy.Minutes
}

// Needed is a part with the machines that get it.
type Needed struct {
	Says     string
	Count    int
	Machines []string
}

// Passwords that a visit may need.
const (
	recoveryKeys = "Recovery keys of the encrypted disks"
	firmware     = "Firmware passwords"
)

// CoverOf puts together what a round of visits takes along. desks are desk and contact of each machine, by its name.
func CoverOf(checks []*assess.Document, desks map[string][2]string) Cover {
	var out Cover
	keys, locked := []string{}, []string{}
	for _, d := range checks {
		stop := Stop{Name: d.Machine.Name, Model: strings.TrimSpace(d.Machine.Manufacturer + " " + d.Machine.Model),
			Desk: desks[d.Machine.Name][0], Contact: desks[d.Machine.Name][1]}
		for i := range d.Plan {
			s := &d.Plan[i]
			if s.Phase != remedy.Desk {
				continue
			}
			stop.Minutes.Least, stop.Minutes.Most = stop.Minutes.Least+s.Minutes.Least, stop.Minutes.Most+s.Minutes.Most
			out.Restarts += s.Restarts
			for k := range s.Parts {
				out.need(s.Parts[k].Part, d.Machine.Name)
			}
		}
		for _, item := range d.Bring {
			if !slices.Contains(out.Bring, item) && !isPart(d, item) {
				out.Bring = append(out.Bring, item)
			}
		}
		if d.Encrypted {
			keys = append(keys, d.Machine.Name)
		}
		if d.FirmwarePassword {
			locked = append(locked, d.Machine.Name)
		}
		out.Machines = append(out.Machines, stop)
		out.Minutes = out.Minutes.Plus(stop.Minutes)
	}
	for title, names := range map[string][]string{recoveryKeys: keys, firmware: locked} {
		if len(names) > 0 {
			out.Passwords = append(out.Passwords, title+": "+strings.Join(names, ", "))
		}
	}
	slices.Sort(out.Passwords)
	return out
}

// isPart says that an item to bring is one of the parts of a machine, which stand by themselves.
func isPart(d *assess.Document, item string) bool {
	return slices.ContainsFunc(d.Plan, func(s assess.Step) bool {
		return slices.ContainsFunc(s.Parts, func(p assess.Part) bool {
			p.Manual = false // it was confirmed before it was ordered
			return say.Part(&p.Part) == item
		})
	})
}

// need adds a part of a machine.
func (c *Cover) need(p part.Part, machine string) {
	p.Manual = false // it was confirmed before it was ordered
	says := say.Part(&p)
	i := slices.IndexFunc(c.Parts, func(n Needed) bool { return n.Says == says })
	if i < 0 {
		i = len(c.Parts)
		c.Parts = append(c.Parts, Needed{Says: says})
	}
	n := &c.Parts[i]
	n.Count += max(1, p.Count)
	n.Machines = append(n.Machines, machine)
}
