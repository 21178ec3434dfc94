package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Assigning is who gets the work on machines, and when. What is empty stays as it is, unless all of it is empty: then
// the work is nobody's again.
type Assigning struct {
	Who, Note, Day, Half string

	Overwrite bool // machines that somebody else has are given away
	Overbook  bool // the technician's day may be too short
}

// nobody says that the work is nobody's again.
func (a *Assigning) nobody() bool { return a.Who == "" && a.Note == "" && a.Day == "" }

// over is an assignment with what is given.
func (a *Assigning) over(was *store.Assignment) store.Assignment {
	if a.nobody() {
		return store.Assignment{}
	}
	out := store.Assignment{Who: cmp.Or(a.Who, was.Who), Note: cmp.Or(a.Note, was.Note), Day: was.Day, Half: was.Half}
	if a.Day != "" {
		out.Day, out.Half = a.Day, a.Half
	}
	return out
}

// notAssigned is the title of a refusal.
const notAssigned = "Nothing was assigned"

// Assign gives the work on machines to somebody, on a day. It asks before it takes work from somebody else, and
// before it fills a day with more than it holds.
func (w *Work) Assign(ctx context.Context, p Picking, a *Assigning) (ManyChanged, error) {
	if p.Where == "" && len(p.Keys) == 0 {
		return ManyChanged{}, refuse(notAssigned, "the machines are missing; give a filter, or keys")
	}
	a.Who, a.Note = strings.TrimSpace(a.Who), strings.TrimSpace(a.Note)
	ids, err := w.index.Picked(ctx, p.Where, p.Keys)
	if err != nil {
		return ManyChanged{}, err
	}
	given, err := w.Store.Assignments(ctx)
	if err != nil {
		return ManyChanged{}, err
	}
	if err := w.appoint(ctx, a, ids, given); err != nil {
		return ManyChanged{}, err
	}
	if err := w.taken(ctx, a, ids, given); err != nil {
		return ManyChanged{}, err
	}
	who, now := by(ctx), w.Now().UnixMilli()
	words := strings.Join(strings.Fields(strings.Join([]string{a.Who, a.Day, a.Half, a.Note}, " ")), " ")
	says := func(n int) string {
		return fmt.Sprintf("%s: %s", say.Count(n, "machine", "machines"), cmp.Or(words, "nobody"))
	}
	return w.bulk.change(ctx, store.BulkWork, ids, p.Trial, says, func(t *store.Tx, id int64) error {
		was := given[id]
		becomes := a.over(&was)
		becomes.By, becomes.Millis = who, now
		return t.Assign(id, &becomes)
	})
}

// appoint refuses an appointment that cannot be, or for which the time is too short.
func (w *Work) appoint(ctx context.Context, a *Assigning, ids []int64, given map[int64]store.Assignment) error {
	at := visit.Appointment{Who: a.Who, Half: a.Half}
	if a.Day != "" {
		day, err := wave.ReadDay(a.Day)
		if err != nil {
			return refuse(notAssigned, "%s", err)
		}
		at.Day = day
	}
	technicians, err := w.Store.Technicians(ctx)
	if err != nil {
		return err
	}
	cal, err := w.waves.Calendar(ctx)
	if err != nil {
		return err
	}
	if err := visit.Check(&at, technicians, cal, wave.On(w.Now())); err != nil {
		return refuse(notAssigned, "%s", err)
	}
	if at.Day == "" || a.Overbook {
		return nil
	}
	return w.roomFor(ctx, &at, ids, given, technicians)
}

// roomFor refuses visits on a day for which the time is too short. Visits of machines that are not given anew count
// for whom they are.
func (w *Work) roomFor(
	ctx context.Context, at *visit.Appointment, ids []int64, given map[int64]store.Assignment,
	technicians []visit.Technician,
) error {
	hours, err := wave.ReadHours(w.settings.Get().WorkingHours)
	if err != nil {
		return err
	}
	everybody, err := w.workers(ByItself(ctx), "") // a day is full whoever sees its visits
	if err != nil {
		return err
	}
	var booked []visit.Booked
	more := map[string]int{} // minutes by technician
	for _, stop := range work.Visits(everybody.machines, w.knowledge.Base().Steps, w.Now()) {
		for i := range stop.Visits {
			v := &stop.Visits[i]
			if slices.Contains(ids, v.ID) {
				more[cmp.Or(at.Who, given[v.ID].Who)] += v.Minutes.Most
				continue
			}
			booked = append(booked, visit.Booked{Machine: v.ID, Minutes: v.Minutes.Most,
				Appointment: visit.Appointment{Who: v.Who, Day: wave.Day(v.Day), Half: v.Half}})
		}
	}
	for who, minutes := range more {
		one := visit.Appointment{Who: who, Day: at.Day, Half: at.Half}
		if why := visit.Full(&one, minutes, booked, technicians, hours); why != "" {
			return refuse("The day is full", "%s; choose another day, or overbook it", why)
		}
	}
	return nil
}

// taken refuses to take work from somebody without a word.
func (w *Work) taken(ctx context.Context, a *Assigning, ids []int64, given map[int64]store.Assignment) error {
	if a.Overwrite || a.Who == "" {
		return nil
	}
	var others []int64
	names := map[string]bool{}
	for _, id := range ids {
		if had := given[id].Who; had != "" && !strings.EqualFold(had, a.Who) {
			others = append(others, id)
			names[had] = true
		}
	}
	if len(others) == 0 {
		return nil
	}
	some, err := w.bulk.refs(ctx, others)
	if err != nil {
		return err
	}
	var machines, who []string
	for _, m := range some[:min(len(some), 5)] {
		machines = append(machines, m.Name)
	}
	for name := range names {
		who = append(who, name)
	}
	slices.Sort(who)
	return refuse("Somebody else has the work", "%s to %s (%s); overwrite this, or narrow the filter",
		say.Count(len(others), "machine is assigned", "machines are assigned"), strings.Join(who, " and "),
		strings.Join(machines, ", "))
}

// Technician is somebody who visits machines, with what is booked.
type Technician struct {
	visit.Technician
	Booked map[string]int // minutes by day, from today on
	Visits map[string]int // number by day
}

// Technicians are those who visit machines, with the minutes that are booked on each day.
func (w *Work) Technicians(ctx context.Context) ([]Technician, error) {
	list, err := w.Store.Technicians(ctx)
	if err != nil {
		return nil, err
	}
	visits, err := w.Visits(ctx, "")
	if err != nil {
		return nil, err
	}
	today := string(wave.On(w.Now()))
	out := make([]Technician, len(list))
	for i := range list {
		out[i] = Technician{list[i], map[string]int{}, map[string]int{}}
		for k := range visits {
			if v := &visits[k]; v.Day >= today && strings.EqualFold(v.Who, list[i].Name) {
				out[i].Booked[v.Day] += v.Minutes.Most
				out[i].Visits[v.Day]++
			}
		}
	}
	return out, nil
}

// SetTechnician adds or changes somebody who visits machines.
func (w *Work) SetTechnician(ctx context.Context, t *visit.Technician) error {
	store.Note(ctx, "", fmt.Sprintf("%s: %d minutes a day%s", t.Name, t.Minutes, leftText(t.LeftOn)))
	return w.Store.SetTechnician(ctx, t, by(ctx), w.Now())
}

func leftText(day wave.Day) string {
	if day == "" {
		return ""
	}
	return ", left on " + string(day)
}

// RemoveTechnician removes somebody who visits machines; what is assigned to them stays.
func (w *Work) RemoveTechnician(ctx context.Context, name string) error {
	return orMissing(w.Store.RemoveTechnician(ctx, name), fmt.Sprintf("there is no technician %q", name))
}
