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
	"rolltop.example/rolltop/internal/store"
)

// Waves bring machines to their target in groups.
type Waves struct {
	Records
	releases  *Releases
	knowledge *Knowledge
	index     *Index
	settings  *Settings
	getsCache getsCache
}

func (w *Waves) forget(ids []int64, all bool) { w.getsCache.forget(ids, all) }

// state is all waves with their machines.
type state struct {
	waves   []wave.Wave
	cal     *wave.Calendar
	members map[int64][]store.Member // by wave
	in      map[int64]int64          // machine → a wave that has not ended
}

func (w *Waves) state(ctx context.Context) (*state, error) {
	var out state
	var err error
	if out.waves, err = w.Store.Waves(ctx); err != nil {
		return nil, err
	}
	if out.cal, err = w.Calendar(ctx); err != nil {
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

// Calendar is the days on which nothing is upgraded: days of the week without work, and blackout days.
func (w *Waves) Calendar(ctx context.Context) (*wave.Calendar, error) {
	free, err := wave.ReadWorkingDays(w.settings.Get().WorkingDays)
	if err != nil {
		return nil, err
	}
	dark, err := w.Store.Blackouts(ctx)
	return &wave.Calendar{Dark: dark, Free: free}, err
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

// pauses says of each wave that is paused why. taken are the times of the latest inventories of all members: a wave is
// paused whoever looks at it.
func (s *state) pauses(taken map[int64]time.Time) map[int64]string {
	stopped, out := map[int64]string{}, map[int64]string{}
	for i := range s.waves {
		w := &s.waves[i]
		if w.StopPercent == 0 || w.Ended {
			continue
		}
		if why := w.Stopped(s.outcomes(w, taken)); why != "" {
			stopped[w.ID] = why
		}
	}
	for i := range s.waves {
		if why := wave.Pause(&s.waves[i], s.waves, stopped); why != "" {
			out[s.waves[i].ID] = why
		}
	}
	return out
}

// outcomes counts the machines of a wave by outcome.
func (s *state) outcomes(w *wave.Wave, taken map[int64]time.Time) map[string]int {
	out := map[string]int{}
	for i := range s.members[w.ID] {
		m := &s.members[w.ID][i]
		out[outcomeOf(m, taken[m.MachineID])]++
	}
	return out
}

// taken are the times of the latest inventories of all machines that are or were in a wave.
func (w *Waves) taken(ctx context.Context, all *state) (map[int64]time.Time, error) {
	mine, out := all.machines(), map[int64]time.Time{}
	err := w.index.Each(ctx, fleet.Filter{}.Within("retired", "yes", "no"), func(r *fleet.Row) {
		if mine[r.ID] {
			out[r.ID] = r.TakenAt
		}
	})
	return out, err
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
	Paused   string         // why it is paused; "": it is not
	Says     string
}

// List are the waves of which the viewer sees a machine, and the days on which nothing is upgraded.
func (w *Waves) List(ctx context.Context) ([]Wave, *wave.Calendar, error) {
	all, err := w.state(ctx)
	if err != nil {
		return nil, nil, err
	}
	seen, err := w.index.seen(ctx, all.machines())
	if err != nil {
		return nil, nil, err
	}
	taken, err := w.taken(ctx, all)
	if err != nil {
		return nil, nil, err
	}
	var out []Wave
	paused := all.pauses(taken)
	for i := range all.waves {
		one := &all.waves[i]
		if !ViewerOf(ctx).Limited() || anySeen(all.members[one.ID], seen) {
			out = append(out, w.show(ctx, one, all.members[one.ID], seen, paused[one.ID]))
		}
	}
	return out, all.cal, nil
}

// anySeen says that one of the members is among machines.
func anySeen(members []store.Member, seen map[int64]*fleet.Row) bool {
	return slices.ContainsFunc(members, func(m store.Member) bool { return seen[m.MachineID] != nil })
}

// show says a wave as a viewer may see it: its rule may name sites that they do not see.
func (w *Waves) show(
	ctx context.Context, one *wave.Wave, members []store.Member, seen map[int64]*fleet.Row, paused string,
) Wave {
	out := Wave{Wave: *one, To: one.Release, Outcomes: map[string]int{}, Paused: paused}
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
	if out.Says = one.Says(out.Outcomes); paused != "" {
		out.Says += " It is paused: " + paused + "."
	}
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
	c, err := w.candidates(ctx, all, one, nil, "")
	if err != nil {
		return nil, err
	}
	got, err := c.gets(ctx)
	if err != nil {
		return nil, err
	}
	taken, err := w.taken(ctx, all)
	if err != nil {
		return nil, err
	}
	members := all.members[one.ID]
	if ViewerOf(ctx).Limited() && !anySeen(members, c.rows) {
		return nil, missing("%s", NoWave(id))
	}
	out := &Detail{
		Wave:    w.show(ctx, one, members, c.rows, all.pauses(taken)[one.ID]),
		Members: []wave.Machine{},
	}
	for i := range members {
		m := &members[i]
		r := c.rows[m.MachineID]
		if r == nil {
			continue
		}
		is := c.machine(r, got[r.ID])
		is.Outcome, is.Reason, is.ByName, is.HandedOffAt = outcomeOf(m, r.TakenAt), m.Reason, m.ByName, m.HandedOff()
		is.Day, is.Hops = m.Day, hopsOf(m, &is, out.To, r.Installed)
		if is.Outcome == wave.Waiting {
			is.Reason = cmp.Or(c.refuse(r, got[r.ID], m.ByName), darkDay(&is, all.cal))
			is.Refused = is.Reason != ""
		}
		out.Members = append(out.Members, is)
	}
	slices.SortFunc(out.Members, func(a, b wave.Machine) int { return strings.Compare(a.Site+a.Name, b.Site+b.Name) })
	err = c.consider(ctx, c.open, "", func(r *fleet.Row, _ *gets, why string) {
		if why != "" {
			c.no.Add(why, r.Ref)
		} else {
			out.Free++
		}
	})
	out.Refusals = c.no.List()
	return out, err
}

// darkDay says that an announced day has become one on which nothing is upgraded, or "".
func darkDay(m *wave.Machine, cal *wave.Calendar) string {
	if m.Day == "" {
		return ""
	}
	if why := cal.Off(wave.Day(m.Day)); why != "" {
		return fmt.Sprintf("its day, %s, is %s now: give it another day", m.Day, why)
	}
	return ""
}

// hopsOf are the hops of a machine in a wave: those that were announced when it entered, with what became of them, and
// with the packages of what is still to come. The last one is the target.
func hopsOf(m *store.Member, is *wave.Machine, target, installed string) []wave.Hop {
	if len(m.Hops) == 0 {
		return is.Hops
	}
	now, outcome := is.Hops, is.Outcome
	var out []wave.Hop
	reached := 0 // hops up to the one that the machine runs
	for i := range m.Hops {
		if h := &m.Hops[i]; h.SeenAt > 0 || h.Release == installed || h.Outcome == wave.Arrived {
			reached = i + 1
		}
	}
	for i := range m.Hops {
		h := &m.Hops[i]
		hop := wave.Hop{Release: h.Release, Day: h.Day, SeenAt: h.Seen(), Outcome: wave.Waiting}
		at := slices.IndexFunc(now, func(x wave.Hop) bool { return x.Release == h.Release })
		if at >= 0 {
			p := &now[at]
			hop.Edition, hop.Package, hop.File, hop.SHA256, hop.NoPackage = p.Edition, p.Package, p.File, p.SHA256,
				p.NoPackage
		}
		switch {
		case i < reached || outcome == wave.Arrived:
			hop.Outcome, hop.NoPackage = wave.Arrived, ""
		case h.Outcome == wave.Failed:
			hop.Outcome, hop.Reason = wave.Failed, h.Reason
		case m.HandedOffAt > 0:
			hop.Outcome = wave.Handed
		}
		out = append(out, hop)
	}
	return append(out, wave.Hop{
		Release: target,
		Day:     m.Day,
		Outcome: outcome,
		Edition: is.Edition,
		Package: is.Package,
		File:    is.File,
		SHA256:  is.SHA256,
		SeenAt:  m.Arrived(),
	})
}

// Change is how a wave is added or changed.
type Change struct {
	wave.Wave
	Reschedule bool // machines that were not handed off get new days
}

// Put adds a wave, or changes the one of its number, and gives its number. Without a release it
// is to the target of PCs. Announced days stay as they are unless they are to be rescheduled.
func (w *Waves) Put(ctx context.Context, change Change) (int64, error) {
	const title = "Not a wave"
	one := change.Wave
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
	if err := wave.Check(&one, all.waves, all.cal, today); err != nil {
		return 0, refuse(title, "%s", err)
	}
	members := all.members[one.ID]
	if outside := outsideOf(&one, members); outside > 0 && !change.Reschedule {
		return 0, refuse("Announced days", "%s announced before %s or after %s; keep these days in the wave, or "+
			"reschedule", say.Count(outside, "machine has a day that was", "machines have days that were"), one.Starts,
			one.Ends)
	}
	store.Note(ctx, "", fmt.Sprintf("%s to %s, %s to %s, at most %d: %s",
		one.Name, one.Release, one.Starts, one.Ends, one.Most, one.Rule))
	id, err := w.Store.SetWave(ctx, &one, by(ctx), w.Now())
	if err != nil {
		return 0, orMissing(err, NoWave(one.ID))
	}
	if change.Reschedule {
		if err := w.reschedule(ctx, &one, members, all.cal); err != nil {
			return 0, err
		}
	}
	w.index.Changed()
	return id, nil
}

// outsideOf counts machines that were not handed off and whose announced day is not in the wave.
func outsideOf(one *wave.Wave, members []store.Member) int {
	n := 0
	for i := range members {
		m := &members[i]
		if first := wave.Day(firstDay(m)); m.HandedOffAt == 0 && first != "" &&
			(first < one.Starts || first > one.Ends) {
			n++
		}
	}
	return n
}

// Resume lets a wave that its stop rule pauses go on.
func (w *Waves) Resume(ctx context.Context, id int64, reason string) error {
	all, one, err := w.find(ctx, id)
	if err != nil {
		return err
	}
	taken, err := w.taken(ctx, all)
	if err != nil {
		return err
	}
	outcomes := all.outcomes(one, taken)
	if one.Stopped(outcomes) == "" {
		if why := all.pauses(taken)[id]; why != "" {
			return refuse("Paused by its pilot", "%s; resume the pilot", why)
		}
		return refuse("Not paused", "the wave %q is not paused", one.Name)
	}
	if strings.TrimSpace(reason) == "" {
		return refuse("Not resumed", "the reason is missing; say why the wave %q can go on", one.Name)
	}
	failures := outcomes[wave.Failed] + outcomes[wave.Back]
	store.Note(ctx, "paused: "+one.Stopped(outcomes), "goes on: "+strings.TrimSpace(reason))
	if err := w.Store.ForgiveWave(ctx, id, failures); err != nil {
		return orMissing(err, NoWave(id))
	}
	w.index.Changed()
	return nil
}

// End ends a wave; machines that were not handed over are free again.
func (w *Waves) End(ctx context.Context, id int64) error {
	if err := w.Store.EndWave(ctx, id, w.Now()); err != nil {
		return orMissing(err, NoWave(id))
	}
	w.index.Changed()
	return nil
}

// Drop takes a machine out of a wave. What was recorded of it stays.
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
	Day             string // of its upgrade, as announced
	HandedOffAt     time.Time
	Hops            []wave.Hop // intermediate releases on its way
	Paused          string
}

// Record is an outcome that was said of a machine in a wave.
type Record struct {
	store.WaveRecord
	Wave string // its name
	To   string // name of the release that it is about
}

// Recorded are the outcomes that were said of a machine in all waves, the earliest first.
func (w *Waves) Recorded(ctx context.Context, machine int64) ([]Record, error) {
	list, err := w.Store.WaveRecords(ctx, machine)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	all, err := w.Store.Waves(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]Record, len(list))
	for i := range list {
		out[i] = Record{WaveRecord: list[i], To: list[i].Release}
		at := slices.IndexFunc(all, func(one wave.Wave) bool { return one.ID == list[i].WaveID })
		if at < 0 {
			continue
		}
		out[i].Wave, out[i].To = all[at].Name, cmp.Or(list[i].Release, w.nameOf(&all[at]))
	}
	return out, nil
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
			if m.MachineID != d.ID || out != nil && !out.Ended {
				continue
			}
			outcome := outcomeOf(m, d.Taken())
			out = &Membership{Wave: *one, Outcome: outcome, Reason: m.Reason, Day: m.Day, HandedOffAt: m.HandedOff(),
				Hops: hopsOf(m, &wave.Machine{Outcome: outcome}, w.nameOf(one), d.Installed)}
		}
	}
	if out == nil {
		return nil, nil
	}
	taken, err := w.taken(ctx, all)
	if err != nil {
		return nil, err
	}
	out.Paused = all.pauses(taken)[out.ID]
	return out, nil
}
