package service

import (
	"context"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// partsCache are the parts of machines that were worked out. One is good as long as the machine's plan
// and the knowledge are.
type partsCache struct {
	mu    sync.Mutex
	base  *knowledge.Base
	known map[int64]cachedParts
}

type cachedParts struct {
	plan  string
	parts []planned
}

// forget drops what was worked out for machines that were changed.
func (b *partsCache) forget(ids []int64, all bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if all {
		b.known = nil
	}
	for _, id := range ids {
		delete(b.known, id)
	}
}

// take puts the bills that are known into out, and gives the machines whose bills are not, each
// with its plan.
func (b *partsCache) take(base *knowledge.Base, plans []fleet.Planned, out map[int64][]planned) map[int64]string {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.base != base || b.known == nil {
		b.base, b.known = base, map[int64]cachedParts{}
	}
	todo := map[int64]string{}
	for _, p := range plans {
		if !buys(base, p.Plan) {
			continue
		}
		for _, id := range p.Machines {
			if had, ok := b.known[id]; ok && had.plan == p.Plan {
				out[id] = had.parts
			} else {
				todo[id] = p.Plan
			}
		}
	}
	return todo
}

// buys says whether a plan has a step that something is bought for.
func buys(base *knowledge.Base, plan string) bool {
	return slices.ContainsFunc(work.Parse(plan), func(st work.Step) bool {
		d := base.Steps.Find(st.ID)
		return d != nil && d.Part != ""
	})
}

// partsOf are what the plans of machines buy, by the numbers of the machines; only plans with
// parts have some. They are worked out from packed facts, on all processors.
func (w *Work) partsOf(ctx context.Context, base *knowledge.Base, plans []fleet.Planned) (map[int64][]planned,
	error) {
	out := map[int64][]planned{}
	b := &w.partsCache
	planOf := b.take(base, plans, out)
	if len(planOf) == 0 {
		return out, nil
	}
	todo := make([]int64, 0, len(planOf))
	for id := range planOf {
		todo = append(todo, id)
	}
	slices.Sort(todo)
	waived := map[int64][]string{}
	waivers := fleet.Filter{}.Within("decision", decision.Waive)
	err := w.index.Each(ctx, waivers, func(r *fleet.Row) { waived[r.ID] = Lines(r.WaivedMusts) })
	if err != nil {
		return nil, err
	}
	g, ctx := errgroup.WithContext(ctx)
	for some := range slices.Chunk(todo, pieceOf(len(todo))) {
		g.Go(func() error {
			f := new(fact.Facts)
			return w.Store.PackedOf(ctx, fact.Catalogue, some, func(batch []store.Packed) error {
				worked := make([]cachedParts, len(batch))
				for i := range batch {
					t, ok := w.releases.Target(batch[i].Class)
					if !ok || f.Unpack(batch[i].Row) != nil {
						continue
					}
					id := batch[i].MachineID
					parts, err := assess.Buys(base, t.Release, f, waived[id]...)
					if err != nil {
						return err
					}
					worked[i] = cachedParts{planOf[id], plannedOf(parts)}
				}
				b.mu.Lock()
				defer b.mu.Unlock()
				for i := range batch {
					id := batch[i].MachineID
					out[id] = worked[i].parts
					if b.base == base && b.known != nil {
						b.known[id] = worked[i]
					}
				}
				return nil
			})
		})
	}
	return out, g.Wait()
}

// Wins are which remedies make most machines of a filter ready, alone and in the best order.
func (w *Work) Wins(ctx context.Context, where string, by work.Order) (work.Effects, error) {
	plans, err := w.index.Plans(ctx, where)
	if err != nil {
		return work.Effects{}, err
	}
	base := w.knowledge.Base()
	parts, err := w.partsOf(ctx, base, plans)
	if err != nil {
		return work.Effects{}, err
	}
	kinds := make([]work.Kind, len(plans))
	for i, p := range plans {
		kinds[i] = work.Kind{Plan: work.Parse(p.Plan), Disposition: p.Disposition, Machines: len(p.Machines)}
		for _, id := range p.Machines {
			for _, b := range parts[id] {
				if b.Priced {
					kinds[i].Cost = kinds[i].Cost.Add(b.Price)
				} else {
					kinds[i].Unpriced += b.Part.Count
				}
			}
		}
	}
	return work.Free(kinds, base.Steps, by), nil
}
