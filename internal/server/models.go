package server

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/byhand"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// Facts of every machine of a model: looked up once, they settle many.
func (s *Server) models(a huma.API) {
	tag := []string{"Devices"}
	huma.Register(a, secured(huma.Operation{OperationID: "model-facts", Method: http.MethodGet, Path: "/model-facts", Summary: "Facts that were entered for every machine of a model", Tags: tag}, ScopeRead), s.listModelFacts)
	huma.Register(a, whole(secured(huma.Operation{OperationID: "enter-model-fact", Method: http.MethodPost, Path: "/model-facts", Summary: "Enter a fact for every machine of a model", Tags: tag, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity},
		Description: "It fills gaps: what was read of a machine itself, or entered for it, counts more."}, ScopeWork)), s.enterModelFact)
	huma.Register(a, whole(secured(huma.Operation{OperationID: "take-back-model-fact", Method: http.MethodDelete, Path: "/model-facts/{id}", Summary: "Take back a fact of a model", Tags: tag, Errors: []int{http.StatusNotFound}}, ScopeWork)), s.takeBackModelFact)
}

func (s *Server) listModelFacts(ctx context.Context, _ *struct{}) (*struct{ Body api.ModelFactList }, error) {
	list, err := s.store.AllModelFacts(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	seen, err := s.modelsSeen(ctx)
	if err != nil {
		return nil, err
	}
	out := api.ModelFactList{Facts: []api.ModelFact{}}
	for i := range list {
		m := &list[i]
		one := api.ModelFact{ID: m.ID, Maker: m.Maker, Model: m.Model, Fact: m.Fact, Label: m.Fact, Value: m.Value, Note: m.Note, By: m.By, At: m.At(), Machines: m.Machines}
		if def := fact.ByName(m.Fact); def != nil {
			one.Label = def.Label
		}
		if who := callerOf(ctx); who.limited() {
			if one.Machines = seen[m.Maker+"\n"+m.Model]; one.Machines == 0 {
				continue
			}
		}
		out.Facts = append(out.Facts, one)
	}
	return &struct{ Body api.ModelFactList }{out}, nil
}

// modelsSeen counts machines by maker and model, for a caller who is limited to some sites;
// for others it is empty.
func (s *Server) modelsSeen(ctx context.Context) (map[string]int, error) {
	out := map[string]int{}
	if !callerOf(ctx).limited() {
		return out, nil
	}
	f, err := s.where(ctx, "")
	if err != nil {
		return nil, err
	}
	err = s.look(ctx, func(x *fleet.Index) {
		x.Select(f.Within("retired", "yes", "no")).Each(func(r *fleet.Row) { out[r.Manufacturer+"\n"+r.Model]++ })
	})
	if err != nil {
		return nil, s.problem(err, "")
	}
	return out, nil
}

func (s *Server) enterModelFact(ctx context.Context, in *struct{ Body api.EnterModelFact }) (*struct{ Body api.ModelFactEntered }, error) {
	out, err := s.modelFact(ctx, &in.Body)
	if err != nil {
		return nil, err
	}
	return &struct{ Body api.ModelFactEntered }{*out}, nil
}

func (s *Server) modelFact(ctx context.Context, b *api.EnterModelFact) (*api.ModelFactEntered, error) {
	const title = "The fact cannot be entered"
	f := byhand.Fact{Fact: b.Fact, Value: b.Value, By: by(ctx), At: s.now().UTC(), Note: b.Note}
	if err := f.Check(); err != nil {
		return nil, refuse(title, "%s", err)
	}
	if def := fact.ByName(b.Fact); def == nil || def.ID.Group() != fact.NoGroup || ofOne[def.ID] {
		return nil, refuse(title, "%s is of one machine, and not of a model", b.Fact)
	}
	keys, err := s.store.KeysOfModel(ctx, b.Maker, b.Model)
	if err != nil {
		return nil, s.problem(err, "")
	}
	if len(keys) == 0 {
		return nil, &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: fmt.Sprintf("there is no machine of the model %q by %q; both are as rolltop devices shows them", b.Model, b.Maker)}
	}
	store.Note(ctx, "", fmt.Sprintf("%s %s: %s = %s", b.Maker, b.Model, b.Fact, b.Value))
	if err := s.store.PutModelFact(ctx, &store.ModelFact{Maker: b.Maker, Model: b.Model, Fact: b.Fact, Value: b.Value, By: f.By, Millis: f.At.UnixMilli(), Note: b.Note}); err != nil {
		return nil, s.problem(err, "")
	}
	changed, err := s.again(ctx, keys, nil)
	if err != nil {
		return nil, s.problem(err, "")
	}
	return &api.ModelFactEntered{Machines: len(keys), Settled: changed}, nil
}

// ofOne are facts that no model has.
var ofOne = map[fact.ID]bool{fact.DeviceName: true, fact.DeviceSerial: true, fact.DeviceUUID: true, fact.BoardSerial: true, fact.DeviceAssetTag: true}

func (s *Server) takeBackModelFact(ctx context.Context, in *struct {
	ID int64 `path:"id" minimum:"1"`
}) (*struct{ Body api.ModelFactEntered }, error) {
	m, err := s.store.EndModelFact(ctx, in.ID, by(ctx), s.now())
	if err != nil {
		return nil, s.problem(err, fmt.Sprintf("there is no fact %d of a model", in.ID))
	}
	keys, err := s.store.KeysOfModel(ctx, m.Maker, m.Model)
	if err != nil {
		return nil, s.problem(err, "")
	}
	changed, err := s.again(ctx, keys, nil)
	if err != nil {
		return nil, s.problem(err, "")
	}
	return &struct{ Body api.ModelFactEntered }{api.ModelFactEntered{Machines: len(keys), Settled: changed}}, nil
}

// again judges machines anew from their latest inventories; before, where it is
// given, comes first in the same write. It gives how many dispositions changed.
func (s *Server) again(ctx context.Context, keys []string, before func(*store.Tx, *store.Device) error) (changed int, err error) {
	for _, key := range keys {
		err := s.change(ctx, key, func(tx *store.Tx, d *store.Device, inv *inventory.Document) error {
			if before != nil {
				if err := before(tx, d); err != nil {
					return err
				}
			}
			got, err := s.settle(tx, d, inv, store.ByFacts)
			if got.flipped {
				changed++
			}
			return err
		})
		if err != nil {
			return changed, err
		}
	}
	return changed, nil
}

// endPast ends facts whose date has come, and judges their machines.
func (s *Server) endPast(ctx context.Context, now time.Time) error {
	keys, err := s.store.PastUntil(ctx, now)
	if err != nil {
		return err
	}
	_, err = s.again(ctx, keys, func(tx *store.Tx, d *store.Device) error { return tx.EndPast(d.ID, now) })
	return err
}
