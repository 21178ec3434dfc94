package service

import (
	"context"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// efforts works out what machines take by both releases of a what-if. Machines that stay by decision take nothing.
func (w *WhatIf) efforts(ctx context.Context, f fleet.Filter, out *Answered) error {
	waived := map[int64][]string{}
	var ids []int64
	err := w.index.Each(ctx, f.Within("class", out.Is.InstallsOn), func(r *fleet.Row) {
		if r.Decided&fleet.Stays != 0 {
			return
		}
		ids = append(ids, r.ID)
		if r.WaivedMusts != "" {
			waived[r.ID] = Lines(r.WaivedMusts)
		}
	})
	if err != nil {
		return err
	}
	slices.Sort(ids)
	t, ok := w.releases.Target(out.Is.InstallsOn)
	for _, rel := range []*release.Release{out.Was, out.Is} {
		of := waived
		if !ok || rel.ID != t.Release.ID {
			of = nil // a waiver is for the revisions of the target
		}
		e, err := w.effort(ctx, rel, ids, of)
		if err != nil {
			return err
		}
		out.Efforts = append(out.Efforts, e)
	}
	out.Minutes, err = w.work.minutesOfDay(ctx)
	return err
}

// effort is what machines take by one release, worked out from their packed facts on all processors.
func (w *WhatIf) effort(
	ctx context.Context, rel *release.Release, ids []int64, waived map[int64][]string,
) (total work.Effort, err error) {
	base := w.knowledge.Base()
	var adding sync.Mutex
	g, ctx := errgroup.WithContext(ctx)
	for some := range slices.Chunk(ids, pieceOf(len(ids))) {
		g.Go(func() error {
			var mine work.Effort
			judge, facts := assess.NewJudge(base, rel), new(fact.Facts)
			err := w.Store.PackedOf(ctx, fact.Catalogue, some, func(batch []store.Packed) error {
				for i := range batch {
					p := &batch[i]
					if err := facts.Unpack(p.Row); err != nil {
						return err
					}
					got, err := judge.Judge(facts, waived[p.MachineID]...)
					if err != nil {
						return err
					}
					var bought []work.Bought
					if buys(base, got.Plan) {
						list, err := assess.Buys(base, rel, facts, waived[p.MachineID]...)
						if err != nil {
							return err
						}
						for _, b := range list {
							bought = append(bought, work.Bought{Part: b.Part, Price: b.Price, Priced: b.Priced})
						}
					}
					mine.Add(got.Disposition, work.Parse(got.Plan), base.Steps, bought)
				}
				return nil
			})
			adding.Lock()
			defer adding.Unlock()
			total.Merge(&mine)
			return err
		})
	}
	err = g.Wait()
	return total, err
}
