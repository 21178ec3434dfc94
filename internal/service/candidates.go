package service

import (
	"context"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// candidates are the machines of a wave, and those that its rule picks beside them.
type candidates struct {
	w    *Waves
	all  *state
	one  *wave.Wave
	rel  *release.Release
	now  time.Time
	said map[tickedItem]bool
	mine map[int64]*store.Member

	rows map[int64]*fleet.Row // of machines in the wave
	open []open               // machines that the index keeps from no wave: what they get decides; by name
	no   wave.Refusals        // of those that it does
	left map[string]bool      // keys of machines that were named and that the rule does not pick
	bad  map[int64]bool       // machines of open and rows whose system disk fails
}

// open is a machine that may enter a wave if it gets something.
type open struct {
	id  int64
	way string
}

type tickedItem struct {
	machine int64
	item    string
}

// candidates looks at the machines of a wave and at those that its rule picks; named are the keys of those that alone
// are looked at, nil is all of them. admitted is who lets the named ones in although something has to be confirmed.
func (w *Waves) candidates(
	ctx context.Context, all *state, one *wave.Wave, named map[string]bool, admitted string,
) (*candidates, error) {
	c := &candidates{
		w: w, all: all, one: one, now: w.Now(), said: map[tickedItem]bool{}, mine: map[int64]*store.Member{},
		rows: map[int64]*fleet.Row{}, no: wave.Refusals{}, left: map[string]bool{},
		bad: map[int64]bool{},
	}
	for i := range all.members[one.ID] {
		m := &all.members[one.ID][i]
		c.mine[m.MachineID] = m
	}
	for key := range named {
		c.left[key] = true
	}
	rule, err := w.index.Stored(ctx, one.Rule)
	if err != nil {
		return nil, err
	}
	everybody, err := w.index.Where(ctx, "")
	if err != nil {
		return nil, err
	}
	failing, err := w.index.Stored(ctx, fleet.Term(fact.DiskHealth.Def().Name, "bad"))
	if err != nil {
		return nil, err
	}
	if c.rel, err = w.releases.Get(ctx, one.Release, 0); err != nil {
		return nil, orMissing(err, NoRelease(one.Release))
	}
	said, err := w.Store.ItemTicks(ctx, assess.TickPreparation)
	if err != nil {
		return nil, err
	}
	for _, t := range said {
		c.said[tickedItem{t.MachineID, t.Item}] = true
	}
	err = w.index.View(ctx, func(x *fleet.Index) {
		x.Select(failing).Each(func(r *fleet.Row) { c.bad[r.ID] = true })
		c.members(x.Select(everybody.Within("retired", "yes", "no")))
		x.Select(rule).EachByName(func(r *fleet.Row) {
			asked := c.mine[r.ID] == nil && (named == nil || named[r.Key])
			if asked && r.Release != nil && r.Release.ID == one.Release {
				c.look(r, named != nil, admitted)
			}
		})
	})
	return c, err
}

// gets finds what the machines in the wave get.
func (c *candidates) gets(ctx context.Context) (map[int64]*gets, error) {
	ways := make(map[int64]string, len(c.rows))
	for id, r := range c.rows {
		ways[id] = r.Way
	}
	return c.w.gets(ctx, c.rel, ways)
}

// members takes the machines of the wave that the viewer sees.
func (c *candidates) members(seen fleet.Selection) {
	for id := range c.mine {
		if r := seen.Row(id); r != nil {
			own := *r
			c.rows[id] = &own
			delete(c.left, r.Key)
		}
	}
}

// look sorts a machine of the rule by what the index knows of it.
func (c *candidates) look(r *fleet.Row, named bool, admitted string) {
	delete(c.left, r.Key)
	is := c.candidate(r, admitted)
	if !named {
		is.Fails = "" // many machines: the kinds of reasons are enough
	}
	why := wave.Refuse(&is, c.now)
	if why == "" || named && len(is.Waived) > 0 { // of a waiver it is said what the upgrade removes, too
		c.open = append(c.open, open{r.ID, r.Way})
		return
	}
	c.no.Add(why, r.Ref)
}

// candidate is what the index knows of a machine. admitted is who lets it in although something has to be confirmed.
func (c *candidates) candidate(r *fleet.Row, admitted string) wave.Candidate {
	is := wave.Candidate{
		Key:         r.Key,
		Name:        r.Name,
		Judged:      r.Judged && r.Release != nil && r.Release.ID == c.one.Release,
		Disposition: r.Disposition,
		TakenAt:     r.TakenAt,
		Decided:     r.Decided,
		Later:       r.Later,
		Retired:     r.Retired,
		Clean:       r.Way == release.Reinstall,
		Failing:     c.bad[r.ID],
		ByName:      admitted,
	}
	is.OnlyWay = is.Disposition == remedy.Reconfigure && work.Parse(r.Plan).OnlyWay(c.w.knowledge.Base().Steps)
	if r.Release != nil {
		is.On = r.Installed == r.Release.Name || r.Judged && r.Disposition == remedy.Done
		is.Waived = r.TitlesAt('w')
		if r.Fails > 0 {
			is.Fails = strings.Join(r.TitlesAt('f'), ", ")
		}
	}
	if other := c.all.in[r.ID]; other != 0 && other != c.one.ID {
		is.Elsewhere = c.all.wave(other).Name
	}
	return is
}

// refuse says why a machine may not enter the wave, or "". got is what it gets, nil if its facts cannot be read.
func (c *candidates) refuse(r *fleet.Row, got *gets, admitted string) string {
	is := c.candidate(r, admitted)
	if is.NoPackage = wave.FactsNotRead; got != nil {
		is.NoPackage, is.Loses = got.Nothing, got.Machine.Loses
	}
	return wave.Refuse(&is, c.now)
}

// machine is a machine in the wave. got is what it gets, nil if its facts cannot be read.
func (c *candidates) machine(r *fleet.Row, got *gets) wave.Machine {
	if got == nil {
		return wave.Machine{MachineRef: r.Ref(), Way: r.Way}
	}
	m := got.Machine
	m.MachineRef = r.Ref()
	for _, p := range got.Prepare {
		if prep := &c.rel.Prepare[p]; !c.said[tickedItem{r.ID, assess.TickPreparation + prep.ID}] {
			m.Prepare = append(m.Prepare, prep.Title)
		}
	}
	return m
}

// consider goes through open machines, by name, with why each may not enter, or "". f must not keep the row.
func (c *candidates) consider(
	ctx context.Context, some []open, admitted string, f func(r *fleet.Row, got *gets, why string),
) error {
	ways := make(map[int64]string, len(some))
	for _, m := range some {
		ways[m.id] = m.way
	}
	got, err := c.w.gets(ctx, c.rel, ways)
	if err != nil {
		return err
	}
	return c.w.index.View(ctx, func(x *fleet.Index) {
		for _, m := range some {
			if r := x.Row(m.id); r != nil {
				f(r, got[m.id], c.refuse(r, got[m.id], admitted))
			}
		}
	})
}
