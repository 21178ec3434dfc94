package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Work is the work of the whole fleet: who goes where, what is done from afar, what is bought,
// what is found out, and what should not be left as it is.
type Work struct {
	Records
	releases   *Releases
	knowledge  *Knowledge
	index      *Index
	machines   *Machines
	decisions  *Decisions
	waves      *Waves
	settings   *Settings
	bulk       *Bulk
	partsCache partsCache
	askedCache askedCache
	wholeCache wholeCache
}

func (w *Work) forget(ids []int64, all bool) {
	w.partsCache.forget(ids, all)
	w.askedCache.forget(ids, all)
}

// Visits are the visits to the machines of a filter, by site and name.
func (w *Work) Visits(ctx context.Context, where string) ([]work.Visit, error) {
	machines, err := w.workers(ctx, where)
	if err != nil {
		return nil, err
	}
	var out []work.Visit
	for _, stop := range work.Visits(machines.machines, w.knowledge.Base().Steps, w.Now()) {
		out = append(out, stop.Visits...)
	}
	return out, nil
}

// nothingSaid is what the audit log says of an item before anybody said anything.
const nothingSaid = "nothing was said"

// SetTick keeps what somebody says of an item of preparation or of a step.
func (w *Work) SetTick(ctx context.Context, key string, t assess.Tick) error {
	c, err := w.machines.Ticked(ctx, key, Against{})
	if err != nil {
		return err
	}
	if items := c.Check.Items(); !slices.Contains(items, t.Item) {
		return missing("the machine %q has no %s; %s", key, t.Item, suggest(t.Item, items))
	}
	before := nothingSaid
	if old := c.Check.Ticked(t.Item); old != nil {
		before = old.Says()
	}
	return w.putTick(ctx, c.Machine.ID, before, t)
}

func (w *Work) putTick(ctx context.Context, machine int64, before string, t assess.Tick) error {
	t.By, t.At = by(ctx), w.Now().UTC()
	store.Note(ctx, before, t.Says())
	return w.Store.PutTick(ctx, machine, &t)
}

// RemoveTick removes the record of an item or a step.
func (w *Work) RemoveTick(ctx context.Context, key, item string) error {
	d, err := w.machines.Find(ctx, key)
	if err != nil {
		return err
	}
	err = w.Store.EndTick(ctx, d.ID, item, by(ctx), w.Now())
	return orMissing(err, fmt.Sprintf("nothing is recorded for %s on the machine %q", item, key))
}

// AfterUpgrade keeps what somebody says of a question to the user of a machine that was upgraded.
func (w *Work) AfterUpgrade(ctx context.Context, key, what string, t assess.Tick) error {
	d, err := w.machines.Find(ctx, key)
	if err != nil {
		return err
	}
	if work.UserQuestionOf(what) == nil {
		var items []string
		for _, q := range work.UserQuestions {
			items = append(items, assess.TickAfter+q.ID)
		}
		return missing("there is no %s; %s", t.Item, suggest(t.Item, items))
	}
	if to, ok := w.releases.Target(d.Class); !ok || d.Installed != to.Release.Name {
		return refuse("Not upgraded yet", "%s does not run its target yet; ask after the upgrade", d.Name)
	}
	ticks, err := w.Store.Ticks(ctx, d.ID)
	if err != nil {
		return err
	}
	before := nothingSaid
	for _, old := range ticks {
		if old.Item == t.Item {
			before = old.Says()
		}
	}
	return w.putTick(ctx, d.ID, before, t)
}

// Leave keeps what somebody says of a machine that leaves. Closing its record takes it out of use.
func (w *Work) Leave(ctx context.Context, key, what string, t assess.Tick) error {
	const open = "The record cannot be refused"
	d, err := w.machines.Find(ctx, key)
	if err != nil {
		return err
	}
	if work.LeavingOf(what) == nil {
		var items []string
		for _, l := range work.Leavings {
			items = append(items, assess.TickLeaving+l.ID)
		}
		return missing("there is no %s; %s", t.Item, suggest(t.Item, items))
	}
	ticks, err := w.Store.Ticks(ctx, d.ID)
	if err != nil {
		return err
	}
	before, said := nothingSaid, map[string]bool{}
	for _, old := range ticks {
		if id, ok := strings.CutPrefix(old.Item, assess.TickLeaving); ok {
			said[id] = true
			if id == what {
				before = old.Says()
			}
		}
	}
	closes := what == work.Closed
	if closes {
		if t.State == "refused" {
			return refuse(open, "closing the record cannot be refused; leave it open")
		}
		if err := work.Close(said); err != nil {
			return refuse(open, "%s", err)
		}
	}
	if err := w.putTick(ctx, d.ID, before, t); err != nil || !closes {
		return err
	}
	return w.machines.Retire(ctx, d.ID)
}
