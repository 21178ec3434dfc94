package server

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// takenAt are the times of the latest inventories of the machines that a caller sees.
func (s *Server) takenAt(ctx context.Context) (map[int64]time.Time, error) {
	f, err := s.where(ctx, "")
	if err != nil {
		return nil, err
	}
	out := map[int64]time.Time{}
	err = s.look(ctx, func(x *fleet.Index) {
		x.Select(f.Within("retired", "yes", "no")).Each(func(r *fleet.Row) { out[r.ID] = r.TakenAt })
	})
	if err != nil {
		return nil, s.problem(err, "")
	}
	return out, nil
}

func outcomeOf(m *store.Member, takenAt time.Time) string {
	return wave.Outcome(m.Handed(), m.Arrived(), m.Left(), m.Said(), m.Outcome, takenAt)
}

// candidates are the machines that a wave's rule picks, or that it has.
func (s *Server) candidates(ctx context.Context, all *wavesNow, w *wave.Wave) (map[int64]*wave.Candidate, map[int64]fleet.Row, []int64, error) {
	f, err := s.where(ctx, w.Rule)
	if err != nil {
		return nil, nil, nil, err
	}
	everybody, err := s.where(ctx, "")
	if err != nil {
		return nil, nil, nil, err
	}
	byName, mine := map[int64]string{}, map[int64]bool{}
	for _, m := range all.members[w.ID] {
		byName[m.DeviceID], mine[m.DeviceID] = m.ByName, true
	}
	rows := map[int64]fleet.Row{}
	failing := map[int64]bool{}
	var picked []int64
	sick, err := s.where(ctx, fleet.Term(fact.DiskHealth.Def().Name, "bad"))
	if err != nil {
		return nil, nil, nil, err
	}
	if err := s.look(ctx, func(x *fleet.Index) {
		chosen := x.Select(f)
		for _, r := range chosen.Page(fleet.Order{}, 0, chosen.Len()) {
			if r.Release != nil && r.Release.ID == w.Release {
				rows[r.ID], picked = r, append(picked, r.ID)
			}
		}
		x.Select(everybody.Within("retired", "yes", "no")).Each(func(r *fleet.Row) {
			if mine[r.ID] {
				rows[r.ID] = *r
			}
		})
		x.Select(sick).Each(func(r *fleet.Row) { failing[r.ID] = true })
	}); err != nil {
		return nil, nil, nil, s.problem(err, "")
	}
	out := make(map[int64]*wave.Candidate, len(rows))
	for id, r := range rows {
		c := &wave.Candidate{Key: r.Key, Name: r.Name, Judged: r.Judged && r.Release != nil && r.Release.ID == w.Release, Disposition: r.Disposition, ByName: byName[id], TakenAt: r.TakenAt, Decided: r.Decided, Later: r.Later, Failing: failing[id], Retired: r.Retired}
		if r.Release != nil {
			c.On = r.Installed == r.Release.Name || r.Judged && r.Disposition == remedy.Done
			c.Waived, c.Fails = titlesAt(&r, 'w'), strings.Join(titlesAt(&r, 'f'), ", ")
		}
		if other := all.in[id]; other != 0 && other != w.ID {
			c.Elsewhere = all.wave(other).Name
		}
		out[id] = c
	}
	return out, rows, picked, nil
}

// titlesAt are the requirements at which a machine has an outcome.
func titlesAt(r *fleet.Row, letter byte) []string {
	var out []string
	for i := range min(len(r.Outcomes), len(r.Release.Requirements)) {
		if q := &r.Release.Requirements[i]; r.Outcomes[i] == letter && q.Level == "must" {
			out = append(out, q.Title)
		}
	}
	return out
}

// packages finds what machines get, from their packed facts, and notes where nothing is
// for them.
func (s *Server) packages(ctx context.Context, w *wave.Wave, rows map[int64]fleet.Row, of map[int64]*wave.Candidate) (map[int64]api.WaveMachine, error) {
	rel, err := s.release(ctx, w.Release, 0)
	if err != nil {
		return nil, s.problem(err, noRelease(w.Release))
	}
	said, err := s.store.ItemTicks(ctx, assess.TickPreparation)
	if err != nil {
		return nil, s.problem(err, "")
	}
	type item struct {
		machine int64
		name    string
	}
	ticked := map[item]bool{}
	for _, t := range said {
		ticked[item{t.DeviceID, t.Item}] = true
	}
	ids := make([]int64, 0, len(of))
	for id := range of {
		ids = append(ids, id)
	}
	out := map[int64]api.WaveMachine{}
	f := new(fact.Facts)
	slices.Sort(ids)
	unread := map[int64]bool{}
	for id, r := range rows {
		out[id] = api.WaveMachine{MachineRef: rowRef(&r), Way: r.Way}
		unread[id] = true
	}
	err = s.store.PackedOf(ctx, fact.Catalogue, ids, func(list []store.Packed) error {
		for i := range list {
			r := rows[list[i].DeviceID]
			one := out[r.ID]
			if f.Unpack(list[i].Row) != nil {
				continue
			}
			delete(unread, r.ID)
			for p := range rel.Prepare {
				name := assess.TickPreparation + rel.Prepare[p].ID
				if state, _ := say.Prepared(&rel.Prepare[p], f); !ticked[item{r.ID, name}] && state != "done" && state != "not-needed" {
					one.Prepare = append(one.Prepare, rel.Prepare[p].Title)
				}
			}
			if len(rel.Packages) > 0 {
				got := rel.Deliver(f, r.Way)
				one.Edition = got.Edition
				switch {
				case got.Package != nil && got.PackageTruth == need.True:
					one.Package, one.File, one.SHA256 = got.Package.ID, got.Package.File, got.Package.SHA256
				case r.Way == "reinstall": // it is set up from whatever the organisation installs with
				case got.PackageTruth == need.Unknown:
					of[r.ID].NoPackage = "which package it gets is not known: its edition, language or architecture was not read"
				default:
					of[r.ID].NoPackage = "the release has no package for its edition, language and architecture"
				}
			}
			out[r.ID] = one
		}
		return nil
	})
	if err != nil {
		return nil, s.problem(err, "")
	}
	for id := range unread {
		of[id].NoPackage = "its facts cannot be read: read it again"
	}
	return out, nil
}

func rowRef(r *fleet.Row) api.MachineRef {
	return api.MachineRef{Key: r.Key, Name: r.Name, Place: r.Place, Model: strings.TrimSpace(r.Manufacturer + " " + r.Model)}
}

// mostNamedRefusals are the machines that are named with a reason.
const mostNamedRefusals = 20

// refusals gathers reasons, the most frequent first.
type refusals map[string]*api.Refusal

func (f refusals) add(reason string, m api.MachineRef) {
	r := f[reason]
	if r == nil {
		r = &api.Refusal{Reason: reason, Some: []api.MachineRef{}}
		f[reason] = r
	}
	if r.Machines++; len(r.Some) < mostNamedRefusals {
		r.Some = append(r.Some, m)
	}
}

func (f refusals) list() []api.Refusal {
	out := []api.Refusal{}
	for _, r := range f {
		out = append(out, *r)
	}
	slices.SortFunc(out, func(a, b api.Refusal) int { return cmp.Or(b.Machines-a.Machines, strings.Compare(a.Reason, b.Reason)) })
	return out
}

// inWaves are the machines that a part of a filter picks by their waves.
func (s *Server) inWaves(ctx context.Context, sought fleet.Sought) ([]int64, error) {
	if sought.What == fleet.SoughtTurned {
		n, err := strconv.ParseInt(sought.Value, 10, 64)
		if err != nil {
			return nil, err
		}
		flips, err := s.store.Turned(ctx, n)
		ids := make([]int64, len(flips))
		for i := range flips {
			ids[i] = flips[i].Device
		}
		return ids, err
	}
	all, err := s.wavesNow(ctx)
	if err != nil {
		return nil, err
	}
	taken := map[int64]time.Time{}
	if sought.What == fleet.SoughtOutcome {
		if err := s.look(ctx, func(x *fleet.Index) {
			x.Select(fleet.Filter{}.Within("retired", "yes", "no")).Each(func(r *fleet.Row) { taken[r.ID] = r.TakenAt })
		}); err != nil {
			return nil, err
		}
	}
	var ids []int64
	for id, members := range all.members {
		if sought.What == fleet.SoughtWave && strconv.FormatInt(id, 10) != sought.Value {
			continue
		}
		for i := range members {
			if m := &members[i]; sought.What == fleet.SoughtWave || outcomeOf(m, taken[m.DeviceID]) == sought.Value {
				ids = append(ids, m.DeviceID)
			}
		}
	}
	return ids, nil
}

// lost are the machines of waves that failed or went back: they are work again.
func (s *Server) lost(ctx context.Context, where string) ([]api.Watch, error) {
	f, err := s.where(ctx, where)
	if err != nil {
		return nil, err
	}
	all, err := s.wavesNow(ctx)
	if err != nil {
		return nil, err
	}
	var out []api.Watch
	err = s.look(ctx, func(x *fleet.Index) {
		rows := map[int64]*fleet.Row{}
		x.Select(f).Each(func(r *fleet.Row) { rows[r.ID] = r })
		for id, members := range all.members {
			for i := range members {
				m := &members[i]
				r := rows[m.DeviceID]
				if r == nil || all.wave(id).Ended {
					continue
				}
				switch outcomeOf(m, r.TakenAt) {
				case wave.Failed:
					out = append(out, api.Watch{Kind: "failed", Machine: rowRef(r), Says: say.Sentence(fmt.Sprintf("%s failed in the wave %q: %s", r.Name, all.wave(id).Name, m.Reason))})
				case wave.Back:
					out = append(out, api.Watch{Kind: "failed", Machine: rowRef(r), Says: say.Sentence(fmt.Sprintf("%s went back from %s. Find out why before it goes again", r.Name, all.wave(id).Release))})
				}
			}
		}
	})
	if err != nil {
		return nil, s.problem(err, "")
	}
	return out, nil
}
