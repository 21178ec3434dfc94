package service

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/store"
)

// Overlay lays decisions over the index. Decisions depend on the clock: they are in no verdict,
// and one that ends needs no judging.
//
// Except for list and counts, its fields belong to whoever refreshes the index.
type Overlay struct {
	Records
	releases  *Releases
	knowledge *Knowledge

	outdated atomic.Bool // the list in the database is another

	mu     sync.Mutex
	list   []decision.Decision
	counts map[int64]int // machines by the number of the decision

	loaded bool
	next   time.Time // when the first of them ends; zero: none does
	layers []layer
	waived map[int64]waivedJudgement
	packed map[int64]packedFacts // read ahead, for lay
	late   int                   // machines that were not, for tests
}

// layer is a decision that counts, with the machines that it is for.
type layer struct {
	*decision.Decision
	filter fleet.Filter
}

// waivedJudgement is what a machine takes with requirements waived, and what that rests on beside
// the machine's facts.
type waivedJudgement struct {
	assess.Judgement
	waived  string
	release *release.Release
	base    *knowledge.Base
}

type packedFacts struct {
	class string
	facts []byte
}

// invalidate notes that the list of decisions is another one.
func (o *Overlay) invalidate() { o.outdated.Store(true) }

// current says whether what is laid over the index still counts.
func (o *Overlay) current() bool {
	return !o.outdated.Load() && o.loaded && (o.next.IsZero() || o.Now().Before(o.next))
}

// forget drops what was judged of machines that were changed.
func (o *Overlay) forget(ids []int64, all bool) {
	if all {
		o.waived = nil
	}
	for _, id := range ids {
		delete(o.waived, id)
	}
}

// read reads the list where it is another one, and finds the machines that its filters name.
func (o *Overlay) read(ctx context.Context) error {
	o.packed = nil
	if o.outdated.Swap(false) || !o.loaded {
		list, err := o.Store.Decisions(ctx)
		if err != nil {
			o.outdated.Store(true)
			return err
		}
		o.mu.Lock()
		o.list, o.loaded = list, true
		o.mu.Unlock()
	}
	now := o.Now()
	o.next, o.layers = time.Time{}, nil
	for i := range o.list {
		d := &o.list[i]
		if !d.Counts(now) {
			continue
		}
		if o.next.IsZero() || d.Until.Before(o.next) {
			o.next = d.Until
		}
		f, err := o.scope(ctx, d)
		if err != nil { // it was read when it was made; a newer version may know fewer keys
			o.Log.Error("a decision's machines cannot be found", "decision", d.ID, "error", err)
			continue
		}
		o.layers = append(o.layers, layer{d, f.At(now)})
	}
	return nil
}

// scope is the filter of a decision, with the machines that it names.
func (o *Overlay) scope(ctx context.Context, d *decision.Decision) (fleet.Filter, error) {
	f, err := fleet.Parse(d.Scope)
	if err != nil {
		return f, err
	}
	for _, sought := range f.External() {
		var ids []int64
		if sought.Naming() { // the other keys cannot pick the machines of a decision
			if ids, err = o.Store.Named(ctx, sought.What, sought.Value); err != nil {
				return f, err
			}
		}
		f = f.Found(sought.Key, ids)
	}
	return f, nil
}

// prepare reads from the database what lay needs: the list, and the facts of machines of which
// requirements are waived. x is the index as it is before the changes.
func (o *Overlay) prepare(ctx context.Context, x *fleet.Index, changed map[int64]changedRow) error {
	was := o.current()
	if err := o.read(ctx); err != nil {
		return err
	}
	o.packed = make(map[int64]packedFacts, len(changed))
	for id, c := range changed {
		o.packed[id] = packedFacts{c.row.Class, c.packed}
	}
	if was {
		return nil // what is not in changed was judged before
	}
	ids := map[int64]bool{}
	for id := range o.waived {
		ids[id] = true
	}
	for _, l := range o.layers {
		if l.Kind == decision.Waive {
			x.Select(l.filter).Each(func(r *fleet.Row) { ids[r.ID] = true })
		}
	}
	for id := range o.packed {
		delete(ids, id)
	}
	if len(ids) == 0 {
		return nil
	}
	return o.Store.EachRow(ctx, nil, fact.Catalogue, slices.Sorted(maps.Keys(ids)), func(rows []store.Row) error {
		for i := range rows {
			o.packed[rows[i].ID] = packedFacts{rows[i].Class, bytes.Clone(rows[i].Packed)}
		}
		return nil
	})
}

// applyDecisions lays the decisions that count over an index.
func (o *Overlay) applyDecisions(ctx context.Context, x *fleet.Index) error {
	x.ClearOverlay()
	counts := map[int64]int{}
	waived, waivers := map[int64][]string{}, map[int64][]int64{}
	for _, l := range o.layers {
		var ids []int64
		x.Select(l.filter).Each(func(r *fleet.Row) {
			if l.Kind != decision.Waive || Fails(r, l.Decision) {
				ids = append(ids, r.ID)
			}
		})
		counts[l.ID] = len(ids)
		for _, id := range ids {
			if l.Kind == decision.Waive {
				waived[id], waivers[id] = append(waived[id], l.Requirement), append(waivers[id], l.ID)
				continue
			}
			x.Overlay(id, func(r *fleet.Row) { decide(r, l.Decision) })
		}
	}
	if err := o.waive(ctx, x, waived); err != nil {
		return err
	}
	for id, numbers := range waivers {
		x.Overlay(id, func(r *fleet.Row) {
			for _, n := range numbers {
				r.DecidedBy += number(n)
			}
		})
	}
	o.packed = nil
	o.mu.Lock()
	defer o.mu.Unlock()
	o.counts = counts
	return nil
}

// number is how a row names a decision.
func number(id int64) string { return fmt.Sprintf(" %d ", id) }

// Fails says that a machine fails the requirement that a waiver is for, and that it may be waived.
func Fails(r *fleet.Row, d *decision.Decision) bool {
	if !r.Judged || r.Release == nil || r.Release.ID != d.Release {
		return false
	}
	for i := range min(len(r.Outcomes), len(r.Release.Requirements)) {
		if q := &r.Release.Requirements[i]; q.ID == d.Requirement {
			return r.Outcomes[i] == 'f' && q.Waivable()
		}
	}
	return false
}

func decide(r *fleet.Row, d *decision.Decision) {
	r.DecidedBy += number(d.ID)
	switch d.Kind {
	case decision.Stay:
		r.Decided |= fleet.Stays
	case decision.Hold:
		r.Decided |= fleet.Held
	case decision.Later:
		r.Decided |= fleet.Later
		if d.Until.After(r.Later) {
			r.Later = d.Until
		}
	}
}

// waive puts what machines take with requirements waived into the index.
func (o *Overlay) waive(ctx context.Context, x *fleet.Index, waived map[int64][]string) error {
	if err := o.judge(ctx, waived); err != nil {
		return err
	}
	for id, requirements := range waived {
		g, ok := o.waived[id]
		if !ok {
			continue // its facts cannot be read
		}
		x.Overlay(id, func(r *fleet.Row) {
			r.Decided |= fleet.Waived
			r.WaivedMusts = strings.Join(requirements, "\n")
			r.Disposition, r.Publisher, r.Certain = g.Disposition, g.Publisher, g.Confirmed
			r.Fails, r.Sole, r.Outcomes = g.Fails, g.Sole, g.Outcomes
			r.Plan, r.Way = g.Plan, g.Way
		})
	}
	return nil
}

// judge works out what machines take with requirements waived, where it is not known yet. Facts
// that were not read ahead are read now, which is seldom: a filter that looks at the clock picks
// other machines than a moment before.
func (o *Overlay) judge(ctx context.Context, waived map[int64][]string) error {
	judges, base, f := map[*release.Release]*assess.Judge{}, o.knowledge.Base(), new(fact.Facts)
	one := func(id int64, class string, packed []byte) error {
		t, ok := o.releases.Target(class)
		if !ok || packed == nil || f.Unpack(packed) != nil {
			return nil
		}
		if judges[t.Release] == nil {
			judges[t.Release] = assess.NewJudge(base, t.Release)
		}
		got, err := judges[t.Release].Judge(f, waived[id]...)
		if err == nil {
			o.waived[id] = waivedJudgement{got, strings.Join(waived[id], "\n"), t.Release, base}
		}
		return err
	}
	if o.waived == nil {
		o.waived = map[int64]waivedJudgement{}
	}
	var unread []int64
	for id, requirements := range waived {
		if g, ok := o.waived[id]; ok && g.waived == strings.Join(requirements, "\n") && g.base == base {
			if t, ok := o.releases.TargetOf(g.release.ID); ok && t.Release == g.release {
				continue
			}
		}
		delete(o.waived, id)
		p, ok := o.packed[id]
		if !ok {
			unread = append(unread, id)
			continue
		}
		if err := one(id, p.class, p.facts); err != nil {
			return err
		}
	}
	for id := range o.waived {
		if waived[id] == nil {
			delete(o.waived, id)
		}
	}
	if unread == nil {
		return nil
	}
	o.late += len(unread)
	slices.Sort(unread)
	return o.Store.EachRow(ctx, nil, fact.Catalogue, unread, func(rows []store.Row) error {
		for i := range rows {
			if err := one(rows[i].ID, rows[i].Class, rows[i].Packed); err != nil {
				return err
			}
		}
		return nil
	})
}

// decisions are the decisions of the list, and how many machines each is for.
func (o *Overlay) decisions() ([]decision.Decision, map[int64]int) {
	o.mu.Lock()
	defer o.mu.Unlock()
	return slices.Clone(o.list), maps.Clone(o.counts)
}
