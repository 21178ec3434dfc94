package service

import (
	"context"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// candidates are the machines that a wave's rule picks, and those that it has.
type candidates struct {
	of     map[int64]*wave.Candidate
	rows   map[int64]*fleet.Row
	picked []int64 // by the rule, by name
}

func (w *Waves) candidates(ctx context.Context, all *state, one *wave.Wave) (*candidates, error) {
	rule, err := w.index.Stored(ctx, one.Rule)
	if err != nil {
		return nil, err
	}
	everybody, err := w.index.Where(ctx, "")
	if err != nil {
		return nil, err
	}
	failing, err := w.index.Where(ctx, fleet.Term(fact.DiskHealth.Def().Name, "bad"))
	if err != nil {
		return nil, err
	}
	byName, mine := map[int64]string{}, map[int64]bool{}
	for _, m := range all.members[one.ID] {
		byName[m.MachineID], mine[m.MachineID] = m.ByName, true
	}
	out := &candidates{of: map[int64]*wave.Candidate{}, rows: map[int64]*fleet.Row{}}
	bad := map[int64]bool{}
	err = w.index.View(ctx, func(x *fleet.Index) {
		chosen := x.Select(rule)
		for _, r := range chosen.Page(fleet.Order{}, 0, chosen.Len()) {
			if r.Release != nil && r.Release.ID == one.Release {
				out.rows[r.ID], out.picked = &r, append(out.picked, r.ID)
			}
		}
		x.Select(everybody.Within("retired", "yes", "no")).Each(func(r *fleet.Row) {
			if mine[r.ID] {
				own := *r
				out.rows[r.ID] = &own
			}
		})
		x.Select(failing).Each(func(r *fleet.Row) { bad[r.ID] = true })
	})
	if err != nil {
		return nil, err
	}
	steps := w.knowledge.Base().Steps
	for id, r := range out.rows {
		c := candidate(r, one, steps)
		c.ByName, c.Failing = byName[id], bad[id]
		if other := all.in[id]; other != 0 && other != one.ID {
			c.Elsewhere = all.wave(other).Name
		}
		out.of[id] = c
	}
	return out, nil
}

func candidate(r *fleet.Row, one *wave.Wave, steps *remedy.Library) *wave.Candidate {
	c := &wave.Candidate{
		Key:         r.Key,
		Name:        r.Name,
		Judged:      r.Judged && r.Release != nil && r.Release.ID == one.Release,
		Disposition: r.Disposition,
		TakenAt:     r.TakenAt,
		Decided:     r.Decided,
		Later:       r.Later,
		Retired:     r.Retired,
		Clean:       r.Way == release.Reinstall,
	}
	c.OnlyWay = c.Disposition == remedy.Reconfigure && work.Parse(r.Plan).OnlyWay(steps)
	if r.Release != nil {
		c.On = r.Installed == r.Release.Name || r.Judged && r.Disposition == remedy.Done
		c.Waived, c.Fails = r.TitlesAt('w'), strings.Join(r.TitlesAt('f'), ", ")
	}
	return c
}

// packages finds what machines get, from their packed facts, and notes where nothing is for them.
func (w *Waves) packages(ctx context.Context, one *wave.Wave, c *candidates) (map[int64]wave.Machine, error) {
	rel, err := w.releases.Get(ctx, one.Release, 0)
	if err != nil {
		return nil, orMissing(err, NoRelease(one.Release))
	}
	said, err := w.Store.ItemTicks(ctx, assess.TickPreparation)
	if err != nil {
		return nil, err
	}
	type item struct {
		machine int64
		name    string
	}
	ticked := map[item]bool{}
	for _, t := range said {
		ticked[item{t.MachineID, t.Item}] = true
	}
	out, unread := map[int64]wave.Machine{}, map[int64]bool{}
	ids := make([]int64, 0, len(c.of))
	for id, r := range c.rows {
		ids = append(ids, id)
		out[id] = wave.Machine{MachineRef: r.Ref(), Way: r.Way}
		unread[id] = true
	}
	slices.Sort(ids)
	f := new(fact.Facts)
	err = w.Store.PackedOf(ctx, fact.Catalogue, ids, func(list []store.Packed) error {
		for i := range list {
			id := list[i].MachineID
			if f.Unpack(list[i].Row) != nil {
				continue
			}
			delete(unread, id)
			m := out[id]
			for p := range rel.Prepare {
				prep := &rel.Prepare[p]
				state, _ := say.Prepared(prep, f)
				if !ticked[item{id, assess.TickPreparation + prep.ID}] && state != "done" && state != "not-needed" {
					m.Prepare = append(m.Prepare, prep.Title)
				}
			}
			c.of[id].NoPackage = m.Deliver(rel, f)
			m.Loses = wave.Losses(rel, f)
			c.of[id].Loses = m.Loses
			out[id] = m
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for id := range unread {
		c.of[id].NoPackage = wave.FactsNotRead
	}
	return out, nil
}
