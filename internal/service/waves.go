package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Waves bring machines to their target in groups.
type Waves struct {
	Records
	releases *Releases
	index    *Index
}

// state is all waves with their machines.
type state struct {
	waves   []wave.Wave
	dark    []wave.Blackout
	members map[int64][]store.Member // by wave
	in      map[int64]int64          // machine → a wave that has not ended
}

func (w *Waves) state(ctx context.Context) (*state, error) {
	var out state
	var err error
	if out.waves, err = w.Store.Waves(ctx); err != nil {
		return nil, err
	}
	if out.dark, err = w.Store.Blackouts(ctx); err != nil {
		return nil, err
	}
	all, err := w.Store.Members(ctx)
	if err != nil {
		return nil, err
	}
	out.members, out.in = map[int64][]store.Member{}, map[int64]int64{}
	for _, m := range all {
		out.members[m.WaveID] = append(out.members[m.WaveID], m)
		if one := out.wave(m.WaveID); one != nil && !one.Ended {
			out.in[m.MachineID] = m.WaveID
		}
	}
	return &out, nil
}

func (s *state) wave(id int64) *wave.Wave {
	for i := range s.waves {
		if s.waves[i].ID == id {
			return &s.waves[i]
		}
	}
	return nil
}

// machines are those that are or were in a wave.
func (s *state) machines() map[int64]bool {
	out := map[int64]bool{}
	for _, members := range s.members {
		for i := range members {
			out[members[i].MachineID] = true
		}
	}
	return out
}

func outcomeOf(m *store.Member, takenAt time.Time) string {
	return wave.Outcome(m.HandedOff(), m.Arrived(), m.Left(), m.Said(), m.Outcome, takenAt)
}

// find is a wave with all others, or the refusal that there is none.
func (w *Waves) find(ctx context.Context, id int64) (*state, *wave.Wave, error) {
	all, err := w.state(ctx)
	if err != nil {
		return nil, nil, err
	}
	one := all.wave(id)
	if one == nil {
		return nil, nil, missing("%s", NoWave(id))
	}
	return all, one, nil
}

// Wave is a wave as a viewer sees it.
type Wave struct {
	wave.Wave
	To       string // name of its release
	Machines int
	Outcomes map[string]int // machines by outcome
	Says     string
}

// List are the waves of which the viewer sees a machine, and the days on which nothing is upgraded.
func (w *Waves) List(ctx context.Context) ([]Wave, []wave.Blackout, error) {
	all, err := w.state(ctx)
	if err != nil {
		return nil, nil, err
	}
	seen, err := w.index.seen(ctx, all.machines())
	if err != nil {
		return nil, nil, err
	}
	var out []Wave
	for i := range all.waves {
		one := &all.waves[i]
		if !ViewerOf(ctx).Limited() || anySeen(all.members[one.ID], seen) {
			out = append(out, w.show(ctx, one, all.members[one.ID], seen))
		}
	}
	return out, all.dark, nil
}

// anySeen says that one of the members is among machines.
func anySeen(members []store.Member, seen map[int64]*fleet.Row) bool {
	return slices.ContainsFunc(members, func(m store.Member) bool { return seen[m.MachineID] != nil })
}

// show says a wave as a viewer may see it: its rule may name sites that they do not see.
func (w *Waves) show(ctx context.Context, one *wave.Wave, members []store.Member, seen map[int64]*fleet.Row) Wave {
	out := Wave{Wave: *one, To: one.Release, Outcomes: map[string]int{}}
	if ViewerOf(ctx).Limited() {
		out.Rule = fleet.Term(fleet.ExternalWave, strconv.FormatInt(one.ID, 10))
	}
	for i := range members {
		if r := seen[members[i].MachineID]; r != nil {
			out.Machines++
			out.Outcomes[outcomeOf(&members[i], r.TakenAt)]++
		}
	}
	if t, ok := w.releases.TargetOf(one.Release); ok {
		out.To = t.Release.Name
	}
	out.Says = one.Says(out.Outcomes)
	return out
}

// Detail is a wave with its machines.
type Detail struct {
	Wave
	Members  []wave.Machine
	Free     int // machines that the rule picks and that may enter
	Refusals []wave.Refusal
}

// Get is a wave with its machines, and with why others may not enter.
func (w *Waves) Get(ctx context.Context, id int64) (*Detail, error) {
	all, one, err := w.find(ctx, id)
	if err != nil {
		return nil, err
	}
	c, err := w.candidates(ctx, all, one)
	if err != nil {
		return nil, err
	}
	packages, err := w.packages(ctx, one, c)
	if err != nil {
		return nil, err
	}
	members, now := all.members[one.ID], w.Now()
	if ViewerOf(ctx).Limited() && !anySeen(members, c.rows) {
		return nil, missing("%s", NoWave(id))
	}
	out := &Detail{Wave: w.show(ctx, one, members, c.rows), Members: []wave.Machine{}}
	mine := map[int64]bool{}
	for i := range members {
		m := &members[i]
		r := c.rows[m.MachineID]
		if r == nil {
			continue
		}
		mine[r.ID] = true
		is := packages[r.ID]
		is.Outcome, is.Reason, is.ByName, is.HandedOffAt = outcomeOf(m, r.TakenAt), m.Reason, m.ByName, m.HandedOff()
		if is.Outcome == wave.Waiting {
			is.Reason = wave.Refuse(c.of[r.ID], now)
			is.Refused = is.Reason != ""
		}
		out.Members = append(out.Members, is)
	}
	slices.SortFunc(out.Members, func(a, b wave.Machine) int { return strings.Compare(a.Site+a.Name, b.Site+b.Name) })
	days, err := w.days(ctx, members, one, all.dark)
	if err != nil {
		return nil, err
	}
	for i := range out.Members {
		out.Members[i].Day = string(days[out.Members[i].Key])
	}
	no := wave.Refusals{}
	for _, id := range c.picked {
		if mine[id] {
			continue
		}
		c.of[id].Fails = "" // many machines: the kinds of reasons are enough
		if why := wave.Refuse(c.of[id], now); why != "" {
			no.Add(why, c.rows[id].Ref())
		} else {
			out.Free++
		}
	}
	out.Refusals = no.List()
	return out, nil
}

// days are the days on which the machines of a wave go, by their keys. They are the same whoever
// asks: spread over all members, and not over those that somebody sees.
func (w *Waves) days(
	ctx context.Context, members []store.Member, one *wave.Wave, dark []wave.Blackout,
) (map[string]wave.Day, error) {
	mine := make(map[int64]bool, len(members))
	for i := range members {
		mine[members[i].MachineID] = true
	}
	type standing struct{ at, key string }
	var list []standing
	err := w.index.Each(ctx, fleet.Filter{}.Within("retired", "yes", "no"), func(r *fleet.Row) {
		if mine[r.ID] {
			list = append(list, standing{r.Site + r.Name, r.Key})
		}
	})
	if err != nil {
		return nil, err
	}
	slices.SortFunc(list, func(a, b standing) int {
		return cmp.Or(strings.Compare(a.at, b.at), strings.Compare(a.key, b.key))
	})
	out := make(map[string]wave.Day, len(list))
	for i, day := range wave.Spread(len(list), one.Starts, one.Ends, dark) {
		out[list[i].key] = day
	}
	return out, nil
}

// Put adds a wave, or changes the one of its number, and gives its number. Without a release it
// is to the target of PCs.
func (w *Waves) Put(ctx context.Context, one wave.Wave) (int64, error) {
	const title = "Not a wave"
	if t, ok := w.releases.Target(fact.PC); ok && one.Release == "" {
		one.Release = t.Release.ID
	}
	if _, ok := w.releases.TargetOf(one.Release); !ok {
		return 0, refuse(title, "%q is not a target; a wave needs a target release", one.Release)
	}
	all, err := w.state(ctx)
	if err != nil {
		return 0, err
	}
	today := wave.On(w.Now())
	old := all.wave(one.ID)
	if old != nil && old.Starts < today && one.Starts == old.Starts {
		today = old.Starts // it has begun, and goes on
	}
	if old == nil || old.Rule != one.Rule { // a rule that stays may name what has gone since
		if _, err := w.index.Where(ctx, one.Rule); err != nil {
			return 0, err
		}
	}
	if err := wave.Check(&one, all.waves, all.dark, today); err != nil {
		return 0, refuse(title, "%s", err)
	}
	store.Note(ctx, "", fmt.Sprintf("%s to %s, %s to %s, at most %d: %s",
		one.Name, one.Release, one.Starts, one.Ends, one.Most, one.Rule))
	id, err := w.Store.SetWave(ctx, &one, by(ctx), w.Now())
	if err != nil {
		return 0, orMissing(err, NoWave(one.ID))
	}
	w.index.Changed()
	return id, nil
}

// End ends a wave; machines that were not handed over are free again.
func (w *Waves) End(ctx context.Context, id int64) error {
	if err := w.Store.EndWave(ctx, id, w.Now()); err != nil {
		return orMissing(err, NoWave(id))
	}
	w.index.Changed()
	return nil
}

// Fill puts machines into a wave: those that are named by their keys, or as many of the rule as
// there is room for. byName lets named ones in although a requirement is waived.
func (w *Waves) Fill(
	ctx context.Context, id int64, keys []string, byName bool,
) (added int, no []wave.Refusal, err error) {
	all, one, err := w.find(ctx, id)
	if err != nil {
		return 0, nil, err
	}
	if one.Ended {
		return 0, nil, refuse("The wave has ended", "the wave %q has ended and accepts no machines", one.Name)
	}
	if byName && len(keys) == 0 {
		return 0, nil, refuse("By name", "machines with a waived requirement enter by name only: give their keys")
	}
	if keys, err = w.index.Keys(ctx, keys); err != nil {
		return 0, nil, err
	}
	c, err := w.candidates(ctx, all, one)
	if err != nil {
		return 0, nil, err
	}
	if _, err := w.packages(ctx, one, c); err != nil {
		return 0, nil, err
	}
	who := ""
	if byName {
		who = by(ctx)
	}
	add, refusals := w.enter(all, one, c, keys, who)
	store.Note(ctx, "", fmt.Sprintf("%s: %s more", one.Name, say.Count(len(add), "machine", "machines")))
	if err := w.Store.AddMembers(ctx, one.ID, add, who); err != nil {
		return 0, nil, err
	}
	w.index.Changed()
	return len(add), refusals.List(), nil
}

// enter picks the machines that may enter a wave, and says why the others may not.
func (w *Waves) enter(
	all *state, one *wave.Wave, c *candidates, keys []string, byName string,
) ([]int64, wave.Refusals) {
	named, only := map[string]bool{}, len(keys) > 0
	for _, k := range keys {
		named[k] = true
	}
	members := all.members[one.ID]
	mine := map[int64]bool{}
	for i := range members {
		mine[members[i].MachineID] = true
	}
	var add []int64
	no, now := wave.Refusals{}, w.Now()
	for _, id := range c.picked {
		r, is := c.rows[id], c.of[id]
		skip := mine[id] || only && !named[r.Key]
		if delete(named, r.Key); skip {
			continue
		}
		if !only {
			is.Fails = "" // many machines: the kinds of reasons are enough
		}
		is.ByName = cmp.Or(byName, is.ByName)
		switch why := wave.Refuse(is, now); {
		case why != "":
			no.Add(why, r.Ref())
		case len(members)+len(add) >= one.Most:
			no.Add(fmt.Sprintf("the wave is full (%d machines)", one.Most), r.Ref())
		default:
			add = append(add, id)
		}
	}
	for key := range named {
		no.Add("the machine does not match the rule of the wave", work.MachineRef{Key: key, Name: key})
	}
	return add, no
}

// Drop takes a machine out of a wave.
func (w *Waves) Drop(ctx context.Context, id int64, key string) error {
	d, err := w.Store.MachineByKey(ctx, key)
	if err == nil {
		err = w.Store.RemoveMember(ctx, id, d.ID)
	}
	if err != nil {
		return orMissing(err, fmt.Sprintf("the machine %q is not in wave %d", key, id))
	}
	w.index.Changed()
	return nil
}

// SetBlackouts replaces the days on which nothing is upgraded.
func (w *Waves) SetBlackouts(ctx context.Context, list []wave.Blackout) error {
	for _, b := range list {
		if b.To < b.From {
			return refuse("Not blackout days", "the last day, %s, is before the first day, %s", b.To, b.From)
		}
	}
	store.Note(ctx, "", say.Count(len(list), "range of blackout days", "ranges of blackout days"))
	if err := w.Store.SetBlackouts(ctx, list); err != nil {
		return err
	}
	w.index.Changed()
	return nil
}

// Membership is how a machine stands in a wave.
type Membership struct {
	wave.Wave
	Outcome, Reason string
}

// Of is the wave that a machine is in, or was in last; nil where it was in none.
func (w *Waves) Of(ctx context.Context, d *store.Machine) (*Membership, error) {
	all, err := w.state(ctx)
	if err != nil {
		return nil, err
	}
	var out *Membership
	for i := range all.waves { // in their order: of several that have ended, the last counts
		one := &all.waves[i]
		for k := range all.members[one.ID] {
			m := &all.members[one.ID][k]
			if m.MachineID == d.ID && (out == nil || out.Ended) {
				out = &Membership{Wave: *one, Outcome: outcomeOf(m, d.Taken()), Reason: m.Reason}
			}
		}
	}
	return out, nil
}
