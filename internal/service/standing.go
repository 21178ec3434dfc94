package service

import (
	"context"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Kinds of what was decided about a machine and what is under way, in the order in which they are shown.
const (
	StandsRetired  = "retired"
	StandsDecided  = "decision"
	StandsInWave   = "wave"
	StandsRecorded = "record"
	StandsVisit    = "visit"
	StandsTicks    = "ticks"
	StandsNote     = "note"
	StandsContact  = "contact"
	StandsPart     = "part"
	StandsReplaced = "replacement"
	StandsStart    = "start"
	StandsAfter    = "after"
)

// Standings says what was decided about a machine and what is under way.
type Standings struct {
	Records
	work   *Work
	orders *Orders
}

// Standing is one thing that was decided about a machine, or that is under way.
type Standing struct {
	Kind, Says string
	ID         int64  // of a wave or a decision
	Day        string // of a latest start
}

// Of says what was decided about a machine and what is under way, for whoever is asked about it on the
// phone. Notes and contacts are for those who see what identifies machines.
func (w *Standings) Of(ctx context.Context, d *store.Machine) ([]Standing, error) {
	var out []Standing
	if d.RetiredAt > 0 {
		out = append(out, Standing{Kind: StandsRetired,
			Says: "It is retired since " + say.Day(
				time.UnixMilli(d.RetiredAt).UTC(),
			) + "; nothing more is planned for it."})
	}
	for _, add := range []func(context.Context, *store.Machine) ([]Standing, error){
		w.standsDecided, w.standsInWave, w.standsAfter, w.standsStart, w.standsVisit, w.standsParts, w.standsTicks,
		w.standsNoted,
	} {
		more, err := add(ctx, d)
		if err != nil {
			return nil, err
		}
		out = append(out, more...)
	}
	return out, nil
}

func (w *Standings) standsDecided(ctx context.Context, d *store.Machine) ([]Standing, error) {
	list, err := w.work.decisions.On(ctx, d.Key)
	var out []Standing
	for i := range list {
		shown := w.work.decisions.Show(ctx, &list[i], 1)
		out = append(out, Standing{Kind: StandsDecided, Says: shown.Says, ID: list[i].ID})
	}
	return out, err
}

func (w *Standings) standsInWave(ctx context.Context, d *store.Machine) ([]Standing, error) {
	var out []Standing
	names := wave.OutcomeNames()
	in, err := w.work.waves.Of(ctx, d)
	if err != nil {
		return nil, err
	}
	if in != nil {
		is := say.InWave{
			Wave:      in.Name,
			Outcome:   in.Outcome,
			Reason:    in.Reason,
			Day:       in.Day,
			HandedOff: in.HandedOffAt,
			Paused:    in.Paused,
		}
		for _, h := range in.Hops {
			is.Hops = append(is.Hops, say.Hop(h.Release, h.Day, names[h.Outcome]))
		}
		out = append(out, Standing{Kind: StandsInWave, Says: is.Standing(names[in.Outcome]), ID: in.ID})
	}
	records, err := w.work.waves.Recorded(ctx, d.ID)
	for i := range records {
		r := &records[i]
		if in != nil && r.WaveID == in.ID && r.Outcome == in.Outcome {
			continue // the wave says it
		}
		out = append(out, Standing{Kind: StandsRecorded, ID: r.WaveID,
			Says: say.Recorded(r.Wave, r.To, names[r.Outcome], r.Reason, r.At())})
	}
	return out, err
}

func (w *Standings) standsVisit(ctx context.Context, d *store.Machine) ([]Standing, error) {
	given, err := w.Store.Assignments(ctx)
	a, ok := given[d.ID]
	if err != nil || !ok {
		return nil, err
	}
	return []Standing{{Kind: StandsVisit, Says: say.Assigned(a.Who, a.Day, visit.HalfName(a.Half), a.Note)}}, nil
}

// standsParts says which parts were ordered for a machine, and which machine takes its place.
func (w *Standings) standsParts(ctx context.Context, d *store.Machine) ([]Standing, error) {
	items, of, err := w.orders.For(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	var out []Standing
	for i := range items {
		it, order := &items[i], of[items[i].PurchaseID]
		p := say.OrderedPart{Part: it.Part, State: it.State, Day: it.Day, Count: it.Count, Number: order.Number,
			Supplier: order.Supplier, Expected: order.Expected}
		if order.Number == store.FromStock {
			p.Number = ""
		}
		out = append(out, Standing{Kind: StandsPart, Says: p.Says()})
	}
	pairs, err := w.orders.Pairs(ctx)
	for i := range pairs {
		if pairs[i].Old.Key == d.Key {
			out = append(out, Standing{Kind: StandsReplaced, Says: pairs[i].Says})
		} else if pairs[i].New.Key == d.Key {
			out = append(out, Standing{Kind: StandsReplaced, Says: "It takes the place of " + pairs[i].Old.Name + "."})
		}
	}
	return out, err
}

// standsStart says by when the work on a machine has to begin.
func (w *Standings) standsStart(ctx context.Context, d *store.Machine) ([]Standing, error) {
	start, err := w.latestStart(ctx, d)
	if err != nil || start == nil {
		return nil, err
	}
	return []Standing{{Kind: StandsStart, Says: start.Says, Day: string(start.Day)}}, nil
}

// start is by when the work on a machine has to begin.
type start struct {
	Day  wave.Day
	Says string
}

// latestStart is by when the work on a machine has to begin, so that it runs its target when support of what it runs
// ends; nil if no such day is known, or if there is nothing that could begin.
func (w *Standings) latestStart(ctx context.Context, d *store.Machine) (*start, error) {
	var r *fleet.Row
	err := w.work.index.View(ctx, func(x *fleet.Index) {
		if row := x.Row(d.ID); row != nil {
			own := *row
			r = &own
		}
	})
	if err != nil || r == nil || r.Retired || !r.Judged {
		return nil, err
	}
	takes := r.Disposition == remedy.Ready || r.Disposition.Takes() || r.Disposition == remedy.Replace
	end := r.SupportEnds()
	if !takes || end.IsZero() || r.Decided&fleet.Stays != 0 {
		return nil, nil
	}
	cal, err := w.work.waves.Calendar(ctx)
	if err != nil {
		return nil, err
	}
	steps, plan := w.work.knowledge.Base().Steps, work.Parse(r.Plan)
	left := wave.Remaining{Upgrades: 1}
	for _, st := range plan {
		if def := steps.Find(st.ID); def != nil && def.Class == remedy.Interim {
			left.Upgrades++
		}
	}
	for _, st := range plan.In(steps, remedy.Desk) {
		left.Visit = left.Visit || st.Remedy
	}
	known := true
	if left.LeadDays, known, err = w.leadDays(ctx, r); err != nil {
		return nil, err
	}
	day := wave.On(end)
	out := &start{Day: cal.LatestStart(day, &left)}
	out.Says = say.LatestStart(string(out.Day), string(day), out.Day < wave.On(w.Now()), &say.Left{
		Visit: left.Visit, Upgrades: left.Upgrades, LeadDays: left.LeadDays, Unknown: !known,
		Replaced: r.Disposition == remedy.Replace,
	})
	return out, nil
}

// leadDays are the days until the slowest part that a machine waits for is there: that of the stock's table for parts
// to order, the rest of the way for parts that are ordered. known says that they are known for each of them.
func (w *Standings) leadDays(ctx context.Context, r *fleet.Row) (days int, known bool, err error) {
	lines, err := w.work.lines(ctx, fleet.Term("key", r.Key))
	if err != nil || len(lines) == 0 {
		return 0, true, err
	}
	known = true
	awaited := false
	for i := range lines {
		if lines[i].ToOrder > 0 {
			days, known = max(days, lines[i].LeadDays), known && lines[i].LeadDays > 0
		}
		awaited = awaited || lines[i].Ordered > 0
	}
	if !awaited {
		return days, known, nil
	}
	items, of, err := w.orders.For(ctx, r.ID)
	today := wave.On(w.Now()).Time()
	for i := range items {
		if items[i].State != work.Ordered {
			continue
		}
		expected := of[items[i].PurchaseID].Expected
		known = known && expected != ""
		if expected != "" {
			days = max(days, int(wave.Day(expected).Time().Sub(today).Hours()/hoursOfDay))
		}
	}
	return days, known, err
}

const hoursOfDay = 24

// standsAfter says what the upgrade of a machine has left of its titles and its free space.
func (w *Standings) standsAfter(ctx context.Context, d *store.Machine) ([]Standing, error) {
	kept, err := w.keptAfter(ctx, d)
	if err != nil || kept == nil {
		return nil, err
	}
	return []Standing{{Kind: StandsAfter, Says: "After the upgrade: " + say.Lower(kept.Says)}}, nil
}

// keptAfter compares the titles and the free space of a machine with those before its upgrade: with its latest
// inventory by which it ran another release; nil if it has no such inventory, or does not run its target.
func (w *Standings) keptAfter(ctx context.Context, d *store.Machine) (*results.Kept, error) {
	t, ok := w.work.releases.Target(d.Class)
	if !ok || d.Installed != t.Release.Name {
		return nil, nil
	}
	history, err := w.Store.History(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	var now *inventory.Document
	for _, h := range history[:min(len(history), historySearched)] { // the latest first
		one, err := w.Store.Inventory(ctx, d.ID, h.ID)
		if err != nil {
			return nil, err
		}
		if h.ID == d.InventoryID {
			now = one
		}
		if name := one.OS.Name.Or(""); now != nil && name != "" && name != d.Installed {
			kept := results.KeptOf(one, now)
			return &kept, nil
		}
	}
	return nil, nil
}

// historySearched bounds how many inventories are read for one from before the upgrade.
const historySearched = 50

func (w *Standings) standsTicks(ctx context.Context, d *store.Machine) ([]Standing, error) {
	ticks, err := w.Store.Ticks(ctx, d.ID)
	if err != nil || len(ticks) == 0 {
		return nil, err
	}
	done, refused := 0, 0
	last := &ticks[0]
	for i := range ticks {
		t := &ticks[i]
		if strings.HasPrefix(t.Item, assess.TickLeaving) || strings.HasPrefix(t.Item, assess.TickAfter) {
			continue
		}
		if t.State == "refused" {
			refused++
		} else {
			done++
		}
		if !t.At.Before(last.At) {
			last = t
		}
	}
	if done+refused == 0 {
		return nil, nil
	}
	items := 0
	if c, err := w.work.machines.Ticked(ctx, d.Key, Against{}); err == nil {
		items = len(c.Check.Items())
	}
	return []Standing{
		{Kind: StandsTicks, Says: say.Ticked(done, refused, max(items, done+refused), last.By, last.At)},
	}, nil
}

func (w *Standings) standsNoted(ctx context.Context, d *store.Machine) ([]Standing, error) {
	if !ViewerOf(ctx).Plain {
		return nil, nil
	}
	notes, err := w.Store.Notes(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	var out []Standing
	for i := range notes[:min(len(notes), 1)] {
		out = append(out, Standing{Kind: StandsNote, Says: say.Noted(notes[i].Text, notes[i].By, notes[i].At()),
			ID: notes[i].ID})
	}
	contacts, err := w.Store.Contacts(ctx)
	if c := contacts[d.ID]; c.Contact+c.Desk != "" {
		out = append(out, Standing{Kind: StandsContact, Says: say.Reached(c.Contact, c.Desk)})
	}
	return out, err
}

// AddNote writes a note about a machine.
func (w *Standings) AddNote(ctx context.Context, key, text string) error {
	d, err := w.work.machines.Find(ctx, key)
	if err != nil {
		return err
	}
	text = strings.TrimSpace(text)
	if text == "" {
		return refuse("No note", "the note is empty")
	}
	store.Note(ctx, "", text)
	_, err = w.Store.AddNote(
		ctx,
		&store.MachineNote{MachineID: d.ID, Text: text, By: by(ctx), Millis: w.Now().UnixMilli()},
	)
	return err
}

// RemoveNote removes a note about a machine.
func (w *Standings) RemoveNote(ctx context.Context, key string, id int64) error {
	d, err := w.work.machines.Find(ctx, key)
	if err != nil {
		return err
	}
	notes, err := w.Store.Notes(ctx, d.ID)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(notes, func(n store.MachineNote) bool { return n.ID == id })
	if at < 0 {
		return missing("the machine %q has no note %d", key, id)
	}
	store.Note(ctx, notes[at].Text, "")
	return w.Store.EndNote(ctx, d.ID, id, by(ctx), w.Now())
}
