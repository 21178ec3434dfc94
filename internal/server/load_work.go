package server

import (
	"context"
	"time"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// PutDecision decides something about machines.
func (s *Server) PutDecision(ctx context.Context, d *decision.Decision) error {
	ctx = ownWork(ctx)
	var rel *release.Release
	if d.Release != "" {
		var err error
		if rel, err = s.release(ctx, d.Release, 0); err != nil {
			return err
		}
	}
	if err := decision.Check(d, rel, d.At); err != nil {
		return err
	}
	_, err := s.store.AddDecision(ctx, d)
	s.redecide()
	return err
}

// PutStock notes what is there of a part.
func (s *Server) PutStock(ctx context.Context, part string, onHand, leadDays int) error {
	ctx = ownWork(ctx)
	return s.store.PutStock(ctx, part, work.Stock{OnHand: onHand, LeadDays: leadDays}, "desktop support", s.now())
}

// GiveWork gives the work on the machines of a filter to somebody.
func (s *Server) GiveWork(ctx context.Context, where, who, note string) error {
	ctx = ownWork(ctx)
	ids, err := s.picked(ctx, where, nil)
	if err != nil {
		return err
	}
	return s.store.Assign(ctx, ids, &store.Assignment{Who: who, Note: note, By: "desktop support", Millis: s.now().UnixMilli()})
}

// PutWave adds a wave as it was some time ago, with machines that a filter picks; they
// were handed over at a time, if it is not zero.
func (s *Server) PutWave(ctx context.Context, w wave.Wave, where string, handed time.Time) (int64, error) {
	ctx = ownWork(ctx)
	var ids []int64
	var err error
	if where != "" {
		if ids, err = s.picked(ctx, where, nil); err != nil {
			return 0, err
		}
	}
	if w.ID, err = s.store.PutWave(ctx, &w, "desktop support", s.now()); err != nil {
		return 0, err
	}
	ids = ids[:min(len(ids), w.Most)]
	if err := s.store.AddMembers(ctx, w.ID, ids, ""); err != nil {
		return 0, err
	}
	if !handed.IsZero() {
		err = s.store.Hand(ctx, &w, ids, handed)
	}
	s.live.touch(ids...)
	return w.ID, err
}

// EnterModelFact enters a fact for every machine of a model.
func (s *Server) EnterModelFact(ctx context.Context, maker, model, fact, value, note string) error {
	ctx = ownWork(ctx)
	_, err := s.modelFact(ctx, &api.EnterModelFact{Maker: maker, Model: model, Fact: fact, Value: value, Note: note})
	return err
}

// SayOutcome tells what became of a machine in a wave.
func (s *Server) SayOutcome(ctx context.Context, id int64, key, outcome, reason string, at time.Time) error {
	ctx = ownWork(ctx)
	d, err := s.store.DeviceByKey(ctx, key)
	if err != nil {
		return err
	}
	return s.store.SayOutcome(ctx, id, d.ID, outcome, reason, at)
}

// SetBlackouts replaces the days on which nothing is upgraded.
func (s *Server) SetBlackouts(ctx context.Context, list []wave.Blackout) error {
	ctx = ownWork(ctx)
	return s.store.SetBlackouts(ctx, list)
}
