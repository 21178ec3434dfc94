package service

import (
	"context"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
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
)

// Standing is one thing that was decided about a machine, or that is under way.
type Standing struct {
	Kind, Says string
	ID         int64 // of a wave or a decision
}

// Standings says what was decided about a machine and what is under way, for whoever is asked about it on the
// phone. Notes and contacts are for those who see what identifies machines.
func (w *Work) Standings(ctx context.Context, d *store.Machine) ([]Standing, error) {
	var out []Standing
	if d.RetiredAt > 0 {
		out = append(out, Standing{Kind: StandsRetired,
			Says: "It is retired since " + say.Day(
				time.UnixMilli(d.RetiredAt).UTC(),
			) + "; nothing more is planned for it."})
	}
	for _, add := range []func(context.Context, *store.Machine) ([]Standing, error){
		w.standsDecided, w.standsInWave, w.standsVisit, w.standsTicks, w.standsNoted,
	} {
		more, err := add(ctx, d)
		if err != nil {
			return nil, err
		}
		out = append(out, more...)
	}
	return out, nil
}

func (w *Work) standsDecided(ctx context.Context, d *store.Machine) ([]Standing, error) {
	list, err := w.decisions.On(ctx, d.Key)
	var out []Standing
	for i := range list {
		shown := w.decisions.Show(ctx, &list[i], 1)
		out = append(out, Standing{Kind: StandsDecided, Says: shown.Says, ID: list[i].ID})
	}
	return out, err
}

func (w *Work) standsInWave(ctx context.Context, d *store.Machine) ([]Standing, error) {
	var out []Standing
	names := wave.OutcomeNames()
	in, err := w.waves.Of(ctx, d)
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
	records, err := w.waves.Recorded(ctx, d.ID)
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

func (w *Work) standsVisit(ctx context.Context, d *store.Machine) ([]Standing, error) {
	given, err := w.Store.Assignments(ctx)
	a, ok := given[d.ID]
	if err != nil || !ok {
		return nil, err
	}
	return []Standing{{Kind: StandsVisit, Says: say.Assigned(a.Who, a.Day, visit.HalfName(a.Half), a.Note)}}, nil
}

func (w *Work) standsTicks(ctx context.Context, d *store.Machine) ([]Standing, error) {
	ticks, err := w.Store.Ticks(ctx, d.ID)
	if err != nil || len(ticks) == 0 {
		return nil, err
	}
	done, refused := 0, 0
	last := &ticks[0]
	for i := range ticks {
		t := &ticks[i]
		if strings.HasPrefix(t.Item, assess.TickLeaving) {
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
	if c, err := w.machines.Ticked(ctx, d.Key, Against{}); err == nil {
		items = len(c.Check.Items())
	}
	return []Standing{
		{Kind: StandsTicks, Says: say.Ticked(done, refused, max(items, done+refused), last.By, last.At)},
	}, nil
}

func (w *Work) standsNoted(ctx context.Context, d *store.Machine) ([]Standing, error) {
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
func (w *Work) AddNote(ctx context.Context, key, text string) error {
	d, err := w.machines.Find(ctx, key)
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
func (w *Work) RemoveNote(ctx context.Context, key string, id int64) error {
	d, err := w.machines.Find(ctx, key)
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
