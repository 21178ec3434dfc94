package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/store"
)

// HandOff is the machines of a wave for a deployment system.
type HandOff struct {
	Wave     wave.Wave
	Machines []wave.Machine // that are handed over
	Refused  []wave.Machine // in the wave, and not to be upgraded now
}

// HandOff is what of a wave is handed over now.
func (w *Waves) HandOff(ctx context.Context, id int64) (*HandOff, error) {
	got, err := w.Get(ctx, id)
	if err != nil {
		return nil, err
	}
	out := &HandOff{Wave: got.Wave.Wave, Machines: []wave.Machine{}, Refused: []wave.Machine{}}
	for _, m := range got.Members {
		switch {
		case m.Refused:
			out.Refused = append(out.Refused, m)
		case m.Outcome == wave.Waiting || m.Outcome == wave.Handed:
			out.Machines = append(out.Machines, m)
		}
	}
	return out, nil
}

// Hand notes that the machines of a wave were handed over.
func (w *Waves) Hand(ctx context.Context, id int64) (*HandOff, error) {
	out, err := w.HandOff(ctx, id)
	if err != nil {
		return nil, err
	}
	today := wave.On(w.Now())
	if out.Wave.Starts > today {
		return nil, refuse("Too early", "the wave %q starts on %s; today is %s", out.Wave.Name, out.Wave.Starts, today)
	}
	dark, err := w.Store.Blackouts(ctx)
	if err != nil {
		return nil, err
	}
	for _, b := range dark {
		if b.Covers(today) {
			return nil, refuse("Blackout day", "nothing is upgraded from %s to %s (%s)", b.From, b.To, b.Reason)
		}
	}
	var ids []int64
	for _, m := range out.Machines {
		if m.Outcome != wave.Waiting {
			continue
		}
		d, err := w.Store.MachineByKey(ctx, m.Key)
		if err != nil {
			return nil, orMissing(err, NoMachine(m.Key))
		}
		ids = append(ids, d.ID)
	}
	note := fmt.Sprintf("%s: %s handed off", out.Wave.Name, say.Count(len(ids), "machine", "machines"))
	store.Note(ctx, "", note)
	if err := w.Store.Hand(ctx, &out.Wave, ids, w.Now()); err != nil {
		return nil, err
	}
	w.index.Changed(ids...)
	return out, nil
}

// SaidOutcome is what a deployment system tells of a machine, which it names by key or name.
type SaidOutcome struct{ Machine, Outcome, Reason string }

// TakeOutcomes keeps what was told of machines of a wave, and says line by line what it does not
// keep.
func (w *Waves) TakeOutcomes(
	ctx context.Context, id int64, told []SaidOutcome,
) (taken int, problems []string, err error) {
	all, one, err := w.find(ctx, id)
	if err != nil {
		return 0, nil, err
	}
	c, err := w.candidates(ctx, all, one)
	if err != nil {
		return 0, nil, err
	}
	at := map[string]int64{}
	for _, m := range all.members[one.ID] {
		if r := c.rows[m.MachineID]; r != nil {
			at[r.Key], at[strings.ToLower(r.Name)] = r.ID, r.ID
		}
	}
	for i, o := range told {
		machine, ok := at[strings.ToLower(o.Machine)]
		if wrong := outcomeMistake(&o, ok, one); wrong != "" {
			problems = append(problems, fmt.Sprintf("%d: %s", i+1, wrong))
			continue
		}
		if err := w.Store.SayOutcome(ctx, one.ID, machine, o.Outcome, strings.TrimSpace(o.Reason),
			w.Now()); err != nil {
			return 0, nil, orMissing(err, NoWave(one.ID))
		}
		taken++
	}
	store.Note(ctx, "", fmt.Sprintf("%s: %s", one.Name, say.Count(taken, "outcome", "outcomes")))
	w.index.Changed()
	return taken, problems, nil
}

func outcomeMistake(o *SaidOutcome, inWave bool, one *wave.Wave) string {
	known := []string{wave.Arrived, wave.Failed, wave.Back, wave.Waiting}
	switch {
	case !inWave:
		return fmt.Sprintf("the machine %q is not in the wave %q", o.Machine, one.Name)
	case !slices.Contains(known, o.Outcome):
		return fmt.Sprintf("unknown outcome %q; use arrived, failed, back, or waiting to try again",
			o.Outcome)
	case o.Outcome == wave.Failed && strings.TrimSpace(o.Reason) == "":
		return fmt.Sprintf("the reason why %s failed is missing", o.Machine)
	}
	return ""
}

// lost are the machines of waves that failed or went back.
func (w *Waves) lost(ctx context.Context, where string) ([]watch.Item, error) {
	f, err := w.index.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	all, err := w.state(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := w.index.rowsOf(ctx, f, all.machines())
	if err != nil {
		return nil, err
	}
	var out []watch.Item
	for i := range all.waves {
		one := &all.waves[i]
		if one.Ended {
			continue
		}
		for k := range all.members[one.ID] {
			m := &all.members[one.ID][k]
			r := rows[m.MachineID]
			if r == nil || r.Retired && !f.Has("retired") {
				continue
			}
			if item, ok := watch.InWave(r, one, outcomeOf(m, r.TakenAt), m.Reason); ok {
				out = append(out, item)
			}
		}
	}
	return out, nil
}
