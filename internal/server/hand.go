package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/byhand"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/store"
)

func (c *caller) handFacts(facts []byhand.Fact, left []error) []api.HandFact {
	var out []api.HandFact
	for _, f := range facts {
		if c.hides(f.Fact) {
			continue
		}
		h := api.HandFact{Fact: f, Label: f.Fact}
		if def := fact.ByName(byhand.Plain(f.Fact)); def != nil {
			h.Label = def.Label
		}
		for _, err := range left {
			if rest, ok := strings.CutPrefix(err.Error(), f.Fact+": "); ok {
				h.Problem = rest
			}
		}
		out = append(out, h)
	}
	return out
}

// hides says that a caller does not see a fact.
func (c *caller) hides(name string) bool {
	name = byhand.Plain(name)
	def := fact.ByName(name)
	return !c.Plain && (def != nil && slices.Contains(hidden, def.ID) || name == "software" || strings.HasPrefix(name, "software."))
}

type factInput struct {
	Key  string `path:"key" maxLength:"80"`
	Fact string `path:"fact" maxLength:"100" doc:"Name of the fact; of a row of a list with its place: graphics[0].interface_level"`
}

func (s *Server) enterFact(ctx context.Context, in *struct {
	Key  string `path:"key" maxLength:"80"`
	Fact string `path:"fact" maxLength:"100" doc:"Name of the fact; of a row of a list with its place: graphics[0].interface_level"`
	Body api.EnterFact
}) (*struct{ Body api.Device }, error) {
	f := byhand.Fact{Fact: in.Fact, Value: in.Body.Value, By: by(ctx), At: s.now().UTC(), Note: in.Body.Note}
	if in.Body.Days > 0 {
		f.Until = f.At.AddDate(0, 0, in.Body.Days)
	}
	refuse := func(err error) error {
		return &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The fact cannot be entered", Detail: err.Error()}
	}
	if err := f.Check(); err != nil {
		return nil, refuse(err)
	}
	var wrong error
	err := s.change(ctx, in.Key, func(tx *store.Tx, d *store.Device, inv *inventory.Document) error {
		if _, left := byhand.Enter(inv, []byhand.Fact{f}); left != nil {
			wrong = left[0] // it would not go into this machine's inventory
			return wrong
		}
		before, err := handFact(tx, d.ID, in.Fact)
		if err != nil {
			return err
		}
		store.Note(ctx, in.Fact+": "+cmp.Or(before, "not entered"), in.Fact+": "+f.Value)
		if err := tx.EnterFact(d.ID, &f); err != nil {
			return err
		}
		_, err = s.settle(tx, d, inv, store.ByFacts)
		return err
	})
	switch {
	case wrong != nil:
		return nil, refuse(wrong)
	case err != nil:
		return nil, s.problem(err, noDevice(in.Key))
	}
	return s.showDevice(ctx, &deviceInput{in.Key})
}

// handFact is the value of a fact that was entered by hand, or "".
func handFact(tx *store.Tx, device int64, name string) (string, error) {
	facts, err := tx.HandFacts(device)
	for _, f := range facts {
		if f.Fact == name {
			return f.Value, err
		}
	}
	return "", err
}

var errNoFact = errors.New("no such fact")

func (s *Server) takeBackFact(ctx context.Context, in *factInput) (*struct{ Body api.Device }, error) {
	err := s.change(ctx, in.Key, func(tx *store.Tx, d *store.Device, inv *inventory.Document) error {
		before, err := handFact(tx, d.ID, in.Fact)
		if err != nil {
			return err
		}
		store.Note(ctx, in.Fact+": "+before, in.Fact+": not entered")
		was, err := tx.EndFact(d.ID, in.Fact, by(ctx), s.now())
		if err != nil {
			return err
		}
		if !was {
			return errNoFact
		}
		_, err = s.settle(tx, d, inv, store.ByFacts)
		return err
	})
	switch {
	case errors.Is(err, errNoFact):
		return nil, &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: fmt.Sprintf("nobody has entered %s for the machine %q", in.Fact, in.Key)}
	case err != nil:
		return nil, s.problem(err, noDevice(in.Key))
	}
	return s.showDevice(ctx, &deviceInput{in.Key})
}

func (s *Server) checkDevice(ctx context.Context, in *struct {
	Key       string `path:"key" maxLength:"80"`
	Release   string `query:"release" required:"true" maxLength:"64" doc:"Id of a release that the service has"`
	Revision  int    `query:"revision" minimum:"0" doc:"The latest where it is not given"`
	Inventory int64  `query:"inventory" minimum:"0" doc:"One of the machine's history; the latest where it is not given"`
}) (*struct{ Body assess.Document }, error) {
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	rel, err := s.release(ctx, in.Release, in.Revision)
	if err != nil {
		return nil, s.problem(err, noRelease(in.Release))
	}
	id := in.Inventory
	if id == 0 {
		id = d.InventoryID
	}
	inv, _, _, err := s.whole(ctx, d, id)
	if err != nil {
		return nil, s.problem(err, fmt.Sprintf("the machine %q has no inventory %d", in.Key, id))
	}
	waivers, err := s.waiversOn(ctx, in.Key, target{release: rel})
	if err != nil {
		return nil, s.problem(err, "")
	}
	got, err := s.checked(ctx, target{release: rel}, inv, waivers...)
	if err != nil {
		return nil, err
	}
	return &struct{ Body assess.Document }{*got}, nil
}

// checked is a check, or the problem that the caller is told.
func (s *Server) checked(ctx context.Context, t target, inv *inventory.Document, waivers ...assess.Waiver) (*assess.Document, error) {
	got, err := s.check(ctx, t, inv, waivers...)
	if wrong := new(check.WrongClass); errors.As(err, &wrong) {
		return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The wrong class of hardware", Detail: err.Error()}
	} else if err != nil {
		return nil, s.problem(err, "")
	}
	return got, nil
}

func (s *Server) compare(ctx context.Context, in *struct {
	A          string `query:"a" required:"true" maxLength:"80" doc:"Key of a machine; of the earlier one, where it matters"`
	B          string `query:"b" required:"true" maxLength:"80" doc:"Key of the other machine, or the same"`
	InventoryA int64  `query:"inventory_a" minimum:"0" doc:"One of the machine's history; the latest where it is not given"`
	InventoryB int64  `query:"inventory_b" minimum:"0"`
}) (*struct{ Body compare.Document }, error) {
	var inv [2]*inventory.Document
	var docs [2]*assess.Document
	for i, side := range []struct {
		key string
		id  int64
	}{{in.A, in.InventoryA}, {in.B, in.InventoryB}} {
		d, err := s.store.DeviceByKey(ctx, side.key)
		if err != nil {
			return nil, s.problem(err, noDevice(side.key))
		}
		if side.id == 0 {
			side.id = d.InventoryID
		}
		if inv[i], _, _, err = s.whole(ctx, d, side.id); err != nil {
			return nil, s.problem(err, fmt.Sprintf("the machine %q has no inventory %d", side.key, side.id))
		}
		if t, ok := s.target(d.Class); ok {
			if a, err := assess.With(s.toolbox(), t.release, inv[i]); err == nil {
				docs[i] = a.Document(s.now(), build.Version)
			}
		}
	}
	if docs[0] != nil && docs[1] != nil && docs[0].Release.ID != docs[1].Release.ID {
		docs = [2]*assess.Document{} // a PC and a Mac have no findings in common
	}
	who := callerOf(ctx)
	return &struct{ Body compare.Document }{*compare.Run(who.show(inv[0]), who.show(inv[1]), docs[0], docs[1])}, nil
}
