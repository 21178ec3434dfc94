package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/question"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/watch"
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

// workers are machines that have work, and the plans of the machines that were picked.
type workers struct {
	machines []work.Machine
	further  []work.Machine // those with further work, whatever else they have
	plans    []fleet.Planned
}

// workers are the machines of a filter that have work: those that stay on their release have none.
func (w *Work) workers(ctx context.Context, where string) (*workers, error) {
	f, err := w.index.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	out := &workers{}
	parsed, further := map[string]work.Plan{}, map[string]work.Plan{}
	err = w.index.View(ctx, func(x *fleet.Index) {
		picked := x.Select(f)
		out.plans = picked.Plans()
		picked.Each(func(r *fleet.Row) {
			if !r.Judged || r.Decided&fleet.Stays != 0 || r.Disposition < remedy.Ready {
				return
			}
			more, ok := further[r.Plan]
			if !ok {
				more = work.ParseFurther(r.Plan)
				further[r.Plan] = more
			}
			if len(more) > 0 {
				out.further = append(out.further, worker(r, nil, more))
			}
			if r.Disposition == remedy.Ready {
				return
			}
			p, ok := parsed[r.Plan]
			if !ok {
				p = work.Parse(r.Plan)
				parsed[r.Plan] = p
			}
			out.machines = append(out.machines, worker(r, p, nil))
		})
	})
	if err != nil {
		return nil, err
	}
	given, err := w.Store.Assignments(ctx)
	if err != nil {
		return nil, err
	}
	working := map[int64]bool{}
	for i := range out.machines {
		m := &out.machines[i]
		m.Who, m.Note, m.Day, m.Half = given[m.ID].Who, given[m.ID].Note, given[m.ID].Day, given[m.ID].Half
		working[m.ID] = true
	}
	for i := range out.plans {
		p := &out.plans[i]
		p.Machines = slices.DeleteFunc(p.Machines, func(id int64) bool { return !working[id] })
	}
	return out, nil
}

// worker is a machine that has work.
func worker(r *fleet.Row, plan, further work.Plan) work.Machine {
	return work.Machine{
		ID:          r.ID,
		Key:         r.Key,
		Name:        r.Name,
		Site:        r.Site,
		Model:       r.ModelName(),
		Plan:        plan,
		Further:     further,
		Disposition: r.Disposition,
		Later:       r.Later,
	}
}

// List is the work of the machines of a filter.
type List struct {
	Stops     []work.Stop
	Batches   []work.Batch
	Further   []work.Batch // what no requirement asks for
	Order     []work.Line
	Questions []question.Question
	Watch     []watch.Item
	Said      map[int64][]string // ids of steps that somebody says are done, by machine

	Refs map[int64]work.MachineRef // of machines that get parts

	Packages map[string][]Delivered // of batches that install something, by step
}

// List puts the work of the machines of a filter together.
func (w *Work) List(ctx context.Context, where string) (*List, error) {
	machines, err := w.workers(ctx, where)
	if err != nil {
		return nil, err
	}
	ticks, err := w.Store.ItemTicks(ctx, assess.TickStep)
	if err != nil {
		return nil, err
	}
	steps, now := w.knowledge.Base().Steps, w.Now()
	out := &List{
		Stops:   work.Visits(machines.machines, steps, now),
		Batches: work.Batches(machines.machines, steps, now),
		Further: work.FurtherBatches(machines.further, steps, now),
		Said:    map[int64][]string{},
	}
	for _, t := range ticks {
		if t.State == "done" {
			out.Said[t.MachineID] = append(out.Said[t.MachineID], strings.TrimPrefix(t.Item, assess.TickStep))
		}
	}
	if out.Packages, err = w.deliveries(ctx, out.Batches); err != nil {
		return nil, err
	}
	if out.Order, err = w.purchase(ctx, machines.plans); err != nil {
		return nil, err
	}
	out.Refs = refsOf(machines.machines, out.Order)
	if out.Questions, err = w.questions(ctx, where); err != nil {
		return nil, err
	}
	if err = w.marked(ctx, out.Questions); err != nil {
		return nil, err
	}
	if out.Watch, err = w.watch(ctx, where, ticks); err != nil {
		return nil, err
	}
	return out, nil
}

// refsOf name the machines that get parts.
func refsOf(machines []work.Machine, lines []work.Line) map[int64]work.MachineRef {
	out := map[int64]work.MachineRef{}
	for i := range lines {
		for _, id := range lines[i].Machines {
			out[id] = work.MachineRef{}
		}
	}
	for i := range machines {
		if _, gets := out[machines[i].ID]; gets {
			out[machines[i].ID] = machines[i].Ref()
		}
	}
	return out
}

// questions are what has to be found out, once for all machines that share it: those that are
// undetermined, and what nothing is known of.
func (w *Work) questions(ctx context.Context, where string) ([]question.Question, error) {
	f, err := w.index.Where(ctx, fleet.And(where, fleet.Term("disposition", remedy.Undetermined.String())))
	if err != nil {
		return nil, err
	}
	base := w.knowledge.Base()
	list := question.List{Where: where, Steps: base.Steps}
	rows := map[int64]fleet.Row{}
	var todo []int64
	asked := w.askedCache.use(base)
	err = w.index.Each(ctx, f, func(r *fleet.Row) {
		if asks, ok := asked.of(r); ok {
			list.Note(asks)
			return
		}
		rows[r.ID], todo = *r, append(todo, r.ID)
	})
	if err != nil {
		return nil, err
	}
	slices.Sort(todo)
	facts := new(fact.Facts)
	err = w.Store.PackedOf(ctx, fact.Catalogue, todo, func(batch []store.Packed) error {
		for i := range batch {
			t, ok := w.releases.Target(batch[i].Class)
			if !ok || facts.Unpack(batch[i].Row) != nil {
				continue
			}
			base.Guides.Fill(facts)
			res, err := check.Run(t.Release, facts)
			if err != nil {
				continue
			}
			r := rows[batch[i].MachineID]
			asks := question.Asks(res, facts, &r, base.Steps)
			if r.Release == t.Release {
				asked.keep(&r, asks)
			}
			list.Note(asks)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return list.Sorted(), nil
}

// watch is what should not be left as it is. ticks are what people said of steps.
func (w *Work) watch(ctx context.Context, where string, ticks []store.ItemTick) ([]watch.Item, error) {
	f, err := w.index.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	paused, err := w.index.Where(ctx, fleet.And(where, fleet.Term(fact.EncryptionState.Def().Name, "paused")))
	if err != nil {
		return nil, err
	}
	said := map[int64][]assess.Tick{}
	for i := range ticks {
		t := &ticks[i]
		said[t.MachineID] = append(said[t.MachineID], assess.Tick{Item: t.Item, State: t.State, By: t.By, At: t.At()})
	}
	out := []watch.Item{}
	steps := w.knowledge.Base().Steps
	err = w.index.View(ctx, func(x *fleet.Index) {
		x.Select(paused).Each(func(r *fleet.Row) { out = append(out, watch.Paused(r)) })
		if len(said) > 0 {
			x.Select(f).Each(func(r *fleet.Row) { out = append(out, watch.Work(r, said[r.ID], steps)...) })
		}
	})
	if err != nil {
		return nil, err
	}
	lost, err := w.waves.lost(ctx, where)
	if err != nil {
		return nil, err
	}
	out = append(out, lost...)
	watch.Sort(out)
	list, err := w.decisions.List(ctx)
	if err != nil {
		return nil, err
	}
	for i := range list {
		d := &list[i]
		item, ok := watch.Decision(&d.Decision, d.Says, d.Where, w.Now())
		if ok {
			if ok, err = w.concerns(ctx, d.Where, where); err != nil {
				return nil, err
			}
		}
		if ok {
			out = append(out, item)
		}
	}
	return out, nil
}

// concerns reports whether a decision is for a machine of a filter. Without a filter each counts, also one that is for
// no machine at present.
func (w *Work) concerns(ctx context.Context, scope, where string) (bool, error) {
	if where == "" {
		return true, nil
	}
	both := where
	if scope != "" {
		both = fleet.And(scope, "("+where+")")
	}
	f, err := w.index.Where(ctx, both)
	if err != nil {
		return false, err
	}
	found := false
	err = w.index.View(ctx, func(x *fleet.Index) { found = x.Select(f).Len() > 0 })
	return found, err
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
