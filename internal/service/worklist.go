package service

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/question"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// List is the work of the machines of a filter.
type List struct {
	Stops     []work.Stop
	Batches   []work.Batch
	Further   []work.Batch // what no requirement asks for
	Order     []work.Line
	Questions []question.Question
	Watch     []watch.Item
	Said      map[int64][]string // ids of steps that somebody says are done, by machine

	Refs map[int64]work.MachineRef // of the first [SharesNamed] machines that get a part

	Packages map[string][]Delivered // of batches that install something, by step
}

// List puts the work of the machines of a filter together. The index is gone through once, so that all of it speaks of
// the same machines.
func (w *Work) List(ctx context.Context, where string) (*List, error) {
	f, err := w.index.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	var given map[int64]store.Assignment
	var ticks []store.ItemTick
	var look *lookout
	reading, within := errgroup.WithContext(ctx)
	reading.Go(func() (err error) {
		given, err = w.Store.Assignments(within)
		return err
	})
	reading.Go(func() (err error) {
		if ticks, err = w.Store.ItemTicks(within, assess.TickStep); err == nil {
			look, err = w.lookout(within, where, ticks)
		}
		return err
	})
	if err := reading.Wait(); err != nil {
		return nil, err
	}
	var machines *workers
	asks := w.inquiry(where)
	err = w.index.View(ctx, func(x *fleet.Index) {
		picked := x.Select(f)
		var looking sync.WaitGroup
		looking.Go(func() {
			picked.Each(func(r *fleet.Row) {
				asks.take(r)
				look.see(r)
			})
			look.take(picked)
		})
		machines = gather(picked, given)
		looking.Wait()
	})
	if err != nil {
		return nil, err
	}
	out := &List{Said: map[int64][]string{}, Watch: look.items()}
	for _, t := range ticks {
		if t.State == "done" {
			out.Said[t.MachineID] = append(out.Said[t.MachineID], strings.TrimPrefix(t.Item, assess.TickStep))
		}
	}
	g, ctx := errgroup.WithContext(ctx)
	g.Go(func() (err error) {
		steps, now := w.knowledge.Base().Steps, w.Now()
		out.Stops = work.Visits(machines.machines, steps, now)
		out.Batches = work.Batches(machines.machines, steps, now)
		out.Further = work.FurtherBatches(steps, now, machines.machines, machines.ready)
		out.Packages, err = w.deliveries(ctx, out.Batches)
		return err
	})
	g.Go(func() (err error) {
		if out.Order, err = w.purchase(ctx, machines); err == nil {
			out.Refs = refsOf(machines.machines, out.Order)
		}
		return err
	})
	g.Go(func() (err error) {
		if out.Questions, err = w.answered(ctx, asks); err == nil {
			err = errors.Join(w.marked(ctx, out.Questions), w.told(ctx, out.Questions))
		}
		return err
	})
	return out, g.Wait()
}

// workers are machines that have work, by name, and the plans of those that have it.
type workers struct {
	machines []work.Machine
	ready    []work.Machine // those that are ready, with further work alone
	plans    []fleet.Planned
}

// workers are the machines of a filter that have work: those that stay on their release have none.
func (w *Work) workers(ctx context.Context, where string) (out *workers, err error) {
	f, err := w.index.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	given, err := w.Store.Assignments(ctx)
	if err != nil {
		return nil, err
	}
	err = w.index.View(ctx, func(x *fleet.Index) { out = gather(x.Select(f), given) })
	return out, err
}

// parsed is a plan, with the machines that have it, by what they take.
type parsed struct {
	text           string
	steps, further work.Plan
	machines       [remedy.Undetermined + 1][]int64
}

// gather are the machines of a selection that have work, with whom it was given to.
func gather(picked fleet.Selection, given map[int64]store.Assignment) *workers {
	count := 0
	picked.Each(func(r *fleet.Row) {
		if works(r) && r.Disposition != remedy.Ready {
			count++
		}
	})
	out := &workers{machines: make([]work.Machine, 0, count)}
	known := map[string]*parsed{}
	var plans []*parsed
	picked.EachByName(func(r *fleet.Row) {
		if !works(r) {
			return
		}
		p := known[r.Plan]
		if p == nil {
			p = &parsed{text: r.Plan, steps: work.Parse(r.Plan), further: work.ParseFurther(r.Plan)}
			known[r.Plan], plans = p, append(plans, p)
		}
		if r.Disposition == remedy.Ready {
			if len(p.further) > 0 {
				out.ready = append(out.ready, worker(r, nil, p.further))
			}
			return
		}
		p.machines[r.Disposition] = append(p.machines[r.Disposition], r.ID)
		out.machines = append(out.machines, worker(r, p.steps, p.further))
		if g, ok := given[r.ID]; ok {
			m := &out.machines[len(out.machines)-1]
			m.Who, m.Note, m.Day, m.Half = g.Who, g.Note, g.Day, g.Half
		}
	})
	for _, p := range plans {
		for d, ids := range p.machines {
			if len(ids) > 0 {
				out.plans = append(out.plans,
					fleet.Planned{Plan: p.text, Disposition: remedy.Disposition(d), Machines: ids})
			}
		}
	}
	return out
}

// works says that a machine is ready or has work: one that stays on its release has none.
func works(r *fleet.Row) bool {
	return r.Judged && r.Decided&fleet.Stays == 0 && r.Disposition >= remedy.Ready
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
		SupportEnds: r.SupportEnds(),
	}
}

// SharesNamed is how many machines of a line of the parts order are named.
const SharesNamed = 200

// refsOf name machines that get parts, of each part the first ones.
func refsOf(machines []work.Machine, lines []work.Line) map[int64]work.MachineRef {
	out := map[int64]work.MachineRef{}
	for i := range lines {
		for _, share := range lines[i].Shares[:min(len(lines[i].Shares), SharesNamed)] {
			out[share.Machine] = work.MachineRef{}
		}
	}
	for i := range machines {
		if _, gets := out[machines[i].ID]; gets {
			out[machines[i].ID] = machines[i].Ref()
		}
	}
	return out
}

// inquiry gathers what has to be found out, once for all machines that share it: those that are undetermined, and what
// nothing is known of.
type inquiry struct {
	list  question.List
	base  *knowledge.Base
	asked *askedCache
	rows  map[int64]fleet.Row // of machines whose questions are still to be worked out
}

// inquiry begins to ask about the machines of a filter.
func (w *Work) inquiry(where string) *inquiry {
	base := w.knowledge.Base()
	return &inquiry{
		list:  question.List{Where: where, Steps: base.Steps},
		base:  base,
		asked: w.askedCache.use(base),
		rows:  map[int64]fleet.Row{},
	}
}

// take takes what is known of a machine.
func (q *inquiry) take(r *fleet.Row) {
	if !r.Judged || r.Disposition != remedy.Undetermined {
		return
	}
	if asks, ok := q.asked.of(r); ok {
		q.list.Note(asks)
	} else {
		q.rows[r.ID] = *r
	}
}

// questions are what has to be found out of the machines of a filter.
func (w *Work) questions(ctx context.Context, where string) ([]question.Question, error) {
	f, err := w.index.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	asks := w.inquiry(where)
	if err := w.index.View(ctx, func(x *fleet.Index) { x.Select(f).Each(asks.take) }); err != nil {
		return nil, err
	}
	return w.answered(ctx, asks)
}

// answered works out the questions of the remaining machines from their packed facts.
func (w *Work) answered(ctx context.Context, q *inquiry) ([]question.Question, error) {
	facts, base := new(fact.Facts), q.base
	todo := slices.Sorted(maps.Keys(q.rows))
	err := w.Store.PackedOf(ctx, fact.Catalogue, todo, func(batch []store.Packed) error {
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
			r := q.rows[batch[i].MachineID]
			asks := question.Asks(res, facts, &r, base.Steps)
			if r.Release == t.Release {
				q.asked.keep(&r, asks)
			}
			q.list.Note(asks)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return q.list.Sorted(), nil
}

// lookout finds what should not be left as it is.
type lookout struct {
	paused    fleet.Filter
	said      map[int64][]assess.Tick // what people said of steps, by machine
	steps     *remedy.Library
	waves     *state
	decisions []ending
	everybody bool            // a decision concerns whoever asks, also one that is for no machine at present
	decided   map[string]bool // what machines that were seen are decided by

	machines []watch.Item
	ends     []watch.Item
}

// ending is a decision that ends soon, or ended lately, and the machines that it is for.
type ending struct {
	watch.Item
	id     int64
	counts bool
	of     fleet.Filter // of one that no longer counts: then no machine is decided by it
}

// lookout reads what is needed to look out for machines of a filter. ticks are what people said of steps.
func (w *Work) lookout(ctx context.Context, where string, ticks []store.ItemTick) (*lookout, error) {
	out := &lookout{said: map[int64][]assess.Tick{}, steps: w.knowledge.Base().Steps, everybody: where == "",
		decided: map[string]bool{}}
	for i := range ticks {
		t := &ticks[i]
		out.said[t.MachineID] = append(
			out.said[t.MachineID],
			assess.Tick{Item: t.Item, State: t.State, By: t.By, At: t.At()},
		)
	}
	var err error
	if out.paused, err = w.index.Stored(ctx, fleet.Term(fact.EncryptionState.Def().Name, "paused")); err != nil {
		return nil, err
	}
	if out.waves, err = w.waves.state(ctx); err != nil {
		return nil, err
	}
	list, err := w.decisions.List(ctx)
	if err != nil {
		return nil, err
	}
	for i := range list {
		d := &list[i]
		item, ok := watch.Decision(&d.Decision, d.Says, d.Where, w.Now())
		if !ok {
			continue
		}
		e := ending{Item: item, id: d.ID, counts: d.Decision.Counts(w.Now())}
		if !out.everybody && !e.counts {
			switch e.of, err = w.index.Stored(ctx, d.Where); {
			case errors.As(err, new(*Refusal)): // it asks for what the viewer may not see: they are not told of it
				continue
			case err != nil:
				return nil, err
			}
		}
		out.decisions = append(out.decisions, e)
	}
	return out, nil
}

// see looks at a machine of the selection.
func (l *lookout) see(r *fleet.Row) {
	if r.DecidedBy != "" {
		l.decided[r.DecidedBy] = true
	}
}

// concerns says that a decision is for a machine of a selection that was seen.
func (l *lookout) concerns(d *ending, picked fleet.Selection) bool {
	if !d.counts {
		return picked.Any(d.of)
	}
	for by := range l.decided {
		if strings.Contains(by, number(d.id)) {
			return true
		}
	}
	return false
}

// take looks at a selection of which every machine was seen.
func (l *lookout) take(picked fleet.Selection) {
	picked.Among(l.paused).Each(func(r *fleet.Row) { l.machines = append(l.machines, watch.Paused(r)) })
	for _, id := range slices.Sorted(maps.Keys(l.said)) {
		if r := picked.Row(id); r != nil {
			l.machines = append(l.machines, watch.Work(r, l.said[id], l.steps)...)
		}
	}
	l.machines = append(l.machines, l.waves.lost(picked)...)
	for i := range l.decisions {
		if d := &l.decisions[i]; l.everybody || l.concerns(d, picked) {
			l.ends = append(l.ends, d.Item)
		}
	}
}

// items are what was found: machines by what is wrong with them and by name, then decisions.
func (l *lookout) items() []watch.Item {
	watch.Sort(l.machines)
	return slices.Concat([]watch.Item{}, l.machines, l.ends)
}
