package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/store"
)

// HandOff is the machines of a wave for a deployment system.
type HandOff struct {
	Wave     wave.Wave
	To       string         // name of the release
	Paused   string         // why nothing is handed over; "": it is
	Machines []wave.Machine // that are handed over
	Refused  []wave.Machine // in the wave, and not to be upgraded now
}

// HandOff is what of a wave is handed over now. Of a wave that is paused nothing is.
func (w *Waves) HandOff(ctx context.Context, id int64) (*HandOff, error) {
	got, err := w.Get(ctx, id)
	if err != nil {
		return nil, err
	}
	out := &HandOff{
		Wave:     got.Wave.Wave,
		To:       got.To,
		Paused:   got.Paused,
		Machines: []wave.Machine{},
		Refused:  []wave.Machine{},
	}
	for _, m := range got.Members {
		switch {
		case m.Outcome == wave.Waiting && got.Paused != "":
			m.Refused, m.Reason = true, "the wave is paused: "+got.Paused
			out.Refused = append(out.Refused, m)
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
	if out.Paused != "" {
		return nil, refuse(
			"The wave is paused",
			"the wave %q is paused: %s. Resume it first",
			out.Wave.Name,
			out.Paused,
		)
	}
	today := wave.On(w.Now())
	if out.Wave.Starts > today {
		return nil, refuse(
			"Too early",
			"the wave %q starts on %s; today is %s",
			out.Wave.Name,
			out.Wave.Starts,
			today,
		)
	}
	cal, err := w.Calendar(ctx)
	if err != nil {
		return nil, err
	}
	if why := cal.Off(today); why != "" {
		return nil, refuse("Nothing is upgraded today", "today, %s, is %s; the next allowed day is %s", today, why,
			cal.Next(today))
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

// SaidOutcome is what a deployment system tells of a machine, which it names by key or name. Release is the
// intermediate release that it is about; "" is the target.
type SaidOutcome struct{ Machine, Outcome, Reason, Release string }

// TakeOutcomes keeps what was told of machines of a wave, and says line by line what it does not
// keep. In a trial nothing is kept.
func (w *Waves) TakeOutcomes(
	ctx context.Context, id int64, told []SaidOutcome, trial bool,
) (taken int, problems []string, err error) {
	all, one, err := w.find(ctx, id)
	if err != nil {
		return 0, nil, err
	}
	at, some := map[string]*store.Member{}, map[int64]bool{}
	members := all.members[one.ID]
	for i := range members {
		some[members[i].MachineID] = true
	}
	rows, err := w.index.seen(ctx, some)
	if err != nil {
		return 0, nil, err
	}
	for i := range members {
		if r := rows[members[i].MachineID]; r != nil {
			at[r.Key], at[strings.ToLower(r.Name)] = &members[i], &members[i]
		}
	}
	now := w.Now().UnixMilli()
	for i, o := range told {
		m := at[strings.ToLower(o.Machine)]
		if wrong := outcomeMistake(&o, m, one, w.nameOf(one)); wrong != "" {
			problems = append(problems, fmt.Sprintf("%d: %s", i+1, wrong))
			continue
		}
		taken++
		if trial {
			continue
		}
		if o.Release == w.nameOf(one) {
			o.Release = ""
		}
		if err := w.Store.SayOutcome(ctx, &store.WaveRecord{WaveID: one.ID, MachineID: m.MachineID, Release: o.Release,
			Outcome: o.Outcome, Reason: strings.TrimSpace(o.Reason), By: by(ctx), Millis: now}); err != nil {
			return 0, nil, orMissing(err, NoWave(one.ID))
		}
	}
	store.Note(ctx, "", fmt.Sprintf("%s: %s", one.Name, countOutcomes(told, problems, taken)))
	w.index.Changed()
	return taken, problems, nil
}

// nameOf is the name of the release that a wave brings.
func (w *Waves) nameOf(one *wave.Wave) string {
	if t, ok := w.releases.TargetOf(one.Release); ok {
		return t.Release.Name
	}
	return one.Release
}

// countOutcomes says how many outcomes there were of each kind, for the audit log.
func countOutcomes(told []SaidOutcome, problems []string, taken int) string {
	text := say.Count(taken, "outcome", "outcomes")
	if len(problems) == 0 && len(told) <= 20 {
		var each []string
		for _, o := range told {
			each = append(each, strings.TrimSpace(o.Machine+" "+o.Outcome+" "+o.Release))
		}
		text += " (" + strings.Join(each, ", ") + ")"
	}
	return text
}

func outcomeMistake(o *SaidOutcome, m *store.Member, one *wave.Wave, target string) string {
	known := []string{wave.Arrived, wave.Failed, wave.Back, wave.Waiting}
	switch {
	case m == nil:
		return fmt.Sprintf("the machine %q is not in the wave %q", o.Machine, one.Name)
	case !slices.Contains(known, o.Outcome):
		return fmt.Sprintf("unknown outcome %q; use arrived, failed, back, or waiting to try again",
			o.Outcome)
	case m.HandedOffAt == 0 && m.ArrivedAt == 0:
		return fmt.Sprintf("%s was not handed off yet, so it has no outcome; record the hand-off of the wave first",
			o.Machine)
	case o.Outcome == wave.Failed && strings.TrimSpace(o.Reason) == "":
		return fmt.Sprintf("the reason why %s failed is missing", o.Machine)
	}
	if o.Release == "" || o.Release == target {
		return ""
	}
	hops := make([]string, 0, len(m.Hops)+1)
	for i := range m.Hops {
		hops = append(hops, m.Hops[i].Release)
	}
	if !slices.Contains(hops, o.Release) {
		return fmt.Sprintf("%s does not go by %q; %s", o.Machine, o.Release, suggest(o.Release, append(hops, target)))
	}
	return ""
}

// lost are the machines of a selection that failed in a wave or went back, of waves that have not ended.
func (s *state) lost(picked fleet.Selection) []watch.Item {
	var out []watch.Item
	for i := range s.waves {
		one := &s.waves[i]
		if one.Ended {
			continue
		}
		for k := range s.members[one.ID] {
			m := &s.members[one.ID][k]
			r := picked.Row(m.MachineID)
			if r == nil {
				continue
			}
			if item, ok := watch.InWave(r, one, outcomeOf(m, r.TakenAt), m.Reason); ok {
				out = append(out, item)
			}
		}
	}
	return out
}
