package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Filling is which machines are put into a wave.
type Filling struct {
	Keys   []string // none: as many of the rule as there is room for
	ByName bool     // lets the named ones in although a requirement is waived, or something is lost
	Day    wave.Day // on which the named ones are upgraded, also those that are in the wave; "": the next one with room
}

// Filled is what became of it.
type Filled struct {
	Added, Moved int
	Refusals     []wave.Refusal
}

// Fill puts machines into a wave: those that are named by their keys, or as many of the rule as
// there is room for. Each gets a day, which stays until somebody gives it another one.
func (w *Waves) Fill(ctx context.Context, id int64, f Filling) (out Filled, err error) {
	all, one, err := w.find(ctx, id)
	if err != nil {
		return out, err
	}
	if err := w.fillable(one, all.cal, &f); err != nil {
		return out, err
	}
	if f.Keys, err = w.index.Keys(ctx, f.Keys); err != nil {
		return out, err
	}
	who := ""
	if f.ByName {
		who = by(ctx)
	}
	var named map[string]bool
	if len(f.Keys) > 0 {
		named = map[string]bool{}
		for _, key := range f.Keys {
			named[key] = true
		}
	}
	c, err := w.candidates(ctx, all, one, named, who)
	if err != nil {
		return out, err
	}
	add, err := c.enter(ctx, who)
	if err != nil {
		return out, err
	}
	members, moved := c.scheduled(add, who, &f)
	out = Filled{Added: len(add), Moved: moved, Refusals: c.no.List()}
	store.Note(
		ctx,
		"",
		fmt.Sprintf("%s: %s more, %s moved to %s", one.Name, say.Count(len(add), "machine", "machines"),
			say.Number(moved), cmp.Or(string(f.Day), "no other day")),
	)
	if err := w.Store.SetMembers(ctx, members); err != nil {
		return out, err
	}
	w.index.Changed()
	return out, nil
}

// fillable refuses machines for a wave that takes none, or for a day that it does not have.
func (w *Waves) fillable(one *wave.Wave, cal *wave.Calendar, f *Filling) error {
	if one.Ended {
		return refuse("The wave has ended", "the wave %q has ended and accepts no machines", one.Name)
	}
	if f.ByName && len(f.Keys) == 0 {
		return refuse("By name", "machines that somebody has to confirm enter by name only: give their keys")
	}
	if f.Day == "" {
		return nil
	}
	const title = "Not a day of the wave"
	switch today := wave.On(w.Now()); {
	case len(f.Keys) == 0:
		return refuse(title, "a day is given to machines by name: give their keys")
	case f.Day < one.Starts || f.Day > one.Ends:
		return refuse(
			title,
			"%s is not in the wave %q, which runs from %s to %s",
			f.Day,
			one.Name,
			one.Starts,
			one.Ends,
		)
	case f.Day < today:
		return refuse(title, "%s is in the past; today is %s", f.Day, today)
	case cal.Off(f.Day) != "":
		return refuse(title, "%s is %s; the next allowed day is %s", f.Day, cal.Off(f.Day), cal.Next(f.Day))
	}
	return nil
}

// entrant is a machine that enters a wave, with what it gets.
type entrant struct {
	id         int64
	site, name string
	got        *gets
}

// atOnce is how many machines are looked at closely before it is asked again whether a wave is full.
const atOnce = 500

// enter picks the machines that may enter a wave, by name, until it is full, and notes why the others may not. What
// the others get is not looked at.
func (c *candidates) enter(ctx context.Context, admitted string) (add []entrant, err error) {
	full := fmt.Sprintf("the wave is full (%d machines)", c.one.Most)
	room := c.one.Most - len(c.mine)
	open := c.open
	for len(open) > 0 && len(add) < room {
		some := open[:min(len(open), max(room-len(add), atOnce))]
		open = open[len(some):]
		err := c.consider(ctx, some, admitted, func(r *fleet.Row, got *gets, why string) {
			switch {
			case why != "":
				c.no.Add(why, r.Ref)
			case len(add) >= room:
				c.no.Add(full, r.Ref)
			default:
				add = append(add, entrant{r.ID, r.Site, r.Name, got})
			}
		})
		if err != nil {
			return nil, err
		}
	}
	err = c.w.index.View(ctx, func(x *fleet.Index) {
		for _, m := range open {
			if r := x.Row(m.id); r != nil {
				c.no.Add(full, r.Ref)
			}
		}
	})
	for key := range c.left {
		c.no.Add("the machine does not match the rule of the wave",
			func() work.MachineRef { return work.MachineRef{Key: key, Name: key} })
	}
	return add, err
}

// scheduled are the machines that come to a wave, with their days and hops, and those of it that move to another day.
func (c *candidates) scheduled(add []entrant, admitted string, f *Filling) (out []store.Member, moved int) {
	all, one := c.all, c.one
	had := map[wave.Day]int{}
	for i := range all.members[one.ID] {
		m := &all.members[one.ID][i]
		had[wave.Day(firstDay(m))]++
		r := c.rows[m.MachineID]
		if f.Day == "" || m.HandedOffAt > 0 || r == nil || !slices.Contains(f.Keys, r.Key) ||
			firstDay(m) == string(f.Day) {
			continue
		}
		moving := *m
		all.schedule(&moving, f.Day)
		out, moved = append(out, moving), moved+1
	}
	days := all.cal.Assign(len(add), one, had, wave.On(c.now))
	slices.SortFunc(add, func(a, b entrant) int {
		return cmp.Or(strings.Compare(a.site+a.name, b.site+b.name), cmp.Compare(a.id, b.id))
	})
	for i := range add {
		a := &add[i]
		m := store.Member{WaveID: one.ID, MachineID: a.id, ByName: admitted}
		if a.got != nil && len(a.got.Machine.Hops) > 0 {
			hops := a.got.Machine.Hops
			for n, h := range hops[:len(hops)-1] { // the last one is the target
				m.Hops = append(m.Hops, store.Hop{WaveID: one.ID, MachineID: a.id, Number: n + 1, Release: h.Release})
			}
		}
		all.schedule(&m, cmp.Or(f.Day, days[i]))
		out = append(out, m)
	}
	return out, moved
}

// schedule gives a machine its first day; each further release on its way follows on the next working day.
func (s *state) schedule(m *store.Member, day wave.Day) {
	for i := range m.Hops {
		m.Hops[i].Day = string(day)
		if day != "" {
			day = s.cal.Next(day.Add(1))
		}
	}
	m.Day = string(day)
}

// firstDay is the day on which the first release on the way of a machine is installed.
func firstDay(m *store.Member) string {
	if len(m.Hops) > 0 {
		return m.Hops[0].Day
	}
	return m.Day
}

// reschedule gives all machines of a wave that were not handed off new days.
func (w *Waves) reschedule(ctx context.Context, one *wave.Wave, members []store.Member, cal *wave.Calendar) error {
	var waiting []store.Member
	had := map[wave.Day]int{}
	for i := range members {
		if members[i].HandedOffAt == 0 {
			waiting = append(waiting, members[i])
		} else {
			had[wave.Day(firstDay(&members[i]))]++
		}
	}
	days := cal.Assign(len(waiting), one, had, wave.On(w.Now()))
	s := state{cal: cal}
	for i := range waiting {
		s.schedule(&waiting[i], days[i])
	}
	return w.Store.SetMembers(ctx, waiting)
}
