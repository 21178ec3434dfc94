package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/internal/store"
)

const notEntered = "The fact cannot be entered"

// NewFact is a fact that somebody enters by hand.
type NewFact struct {
	Fact, Value, Note string
	Days              int // after which it ends; 0: it does not
}

func (m *Machines) manual(ctx context.Context, n *NewFact) manual.Fact {
	f := manual.Fact{Fact: n.Fact, Value: n.Value, By: by(ctx), At: m.Now().UTC(), Note: n.Note}
	if n.Days > 0 {
		f.Until = f.At.AddDate(0, 0, n.Days)
	}
	return f
}

// SetFact enters a fact of one machine by hand and judges the machine.
func (m *Machines) SetFact(ctx context.Context, key string, n *NewFact) error {
	n.Fact = manual.Canonical(n.Fact)
	f := m.manual(ctx, n)
	if err := f.Check(); err != nil {
		return refuse(notEntered, "%s", err)
	}
	var wrong error
	err := m.index.change(ctx, key, func(tx *store.Tx, d *store.Machine, inv *inventory.Document) error {
		if _, left := manual.Enter(inv, []manual.Fact{f}); left != nil {
			wrong = left[0] // it would not go into this machine's inventory
			return wrong
		}
		before, err := manualValue(tx, d.ID, n.Fact)
		if err != nil {
			return err
		}
		store.Note(ctx, n.Fact+": "+cmp.Or(before, "not entered"), n.Fact+": "+f.Value)
		if err := tx.SetFact(d.ID, &f); err != nil {
			return err
		}
		_, err = m.judge.machine(tx, d, inv, store.ByFacts)
		return err
	})
	if wrong != nil {
		return refuse(notEntered, "%s", wrong)
	}
	return orMissing(err, NoMachine(key))
}

// manualValue is the value of a fact that was entered by hand, or "".
func manualValue(tx *store.Tx, machine int64, name string) (string, error) {
	facts, err := tx.HandFacts(machine)
	for _, f := range facts {
		if f.Fact == name {
			return f.Value, err
		}
	}
	return "", err
}

var errNoFact = errors.New("no such fact")

// RemoveFact ends a fact that was entered by hand and judges the machine.
func (m *Machines) RemoveFact(ctx context.Context, key, name string) error {
	name = manual.Canonical(name)
	err := m.index.change(ctx, key, func(tx *store.Tx, d *store.Machine, inv *inventory.Document) error {
		before, err := manualValue(tx, d.ID, name)
		if err != nil {
			return err
		}
		store.Note(ctx, name+": "+before, name+": not entered")
		was, err := tx.EndFact(d.ID, name, by(ctx), m.Now())
		if err != nil {
			return err
		}
		if !was {
			return errNoFact
		}
		_, err = m.judge.machine(tx, d, inv, store.ByFacts)
		return err
	})
	if errors.Is(err, errNoFact) {
		return missing("nobody has entered %s for the machine %q", name, key)
	}
	return orMissing(err, NoMachine(key))
}

// ofOneMachine are facts that no model has.
var ofOneMachine = append(slices.Clone(identifying), fact.DeviceName)

// AddModelFact enters a fact of every machine of a model, or of those that have an adapter, and judges them. It gives
// how many there are, and of how many the disposition changed.
func (m *Machines) AddModelFact(
	ctx context.Context, maker, model string, n *NewFact,
) (machines, changed int, err error) {
	n.Fact = manual.Canonical(n.Fact)
	f := m.manual(ctx, n)
	if err := f.Check(); err != nil {
		return 0, 0, refuse(notEntered, "%s", err)
	}
	def := fact.ByName(manual.Plain(n.Fact))
	if def == nil || slices.Contains(ofOneMachine, def.ID) {
		return 0, 0, refuse(notEntered, "%s belongs to one machine, not to a model", n.Fact)
	}
	if def.ID.Group() != fact.NoGroup && manual.IDs(n.Fact) == "" {
		return 0, 0, refuse(notEntered, "%s is a place in the list of one machine; for a model, pick an adapter by "+
			"its PCI ids, as in graphics[7e5a:0c21].interface_level", n.Fact)
	}
	keys, err := m.Store.KeysOfModel(ctx, maker, model)
	if err != nil {
		return 0, 0, err
	}
	if len(keys) == 0 {
		return 0, 0, missing(
			"no machine has the model %q by %q; use both as rolltop machines shows them", model, maker)
	}
	if manual.IDs(n.Fact) != "" {
		if keys, err = m.withAdapter(ctx, maker, model, n.Fact); err != nil {
			return 0, 0, err
		}
	}
	store.Note(ctx, "", fmt.Sprintf("%s %s: %s = %s", maker, model, n.Fact, n.Value))
	err = m.Store.PutModelFact(ctx, &store.ModelFact{
		Maker:  maker,
		Model:  model,
		Fact:   n.Fact,
		Value:  n.Value,
		By:     f.By,
		Millis: f.At.UnixMilli(),
		Note:   n.Note,
	})
	if err != nil {
		return 0, 0, err
	}
	changed, err = m.judge.again(ctx, keys, nil)
	return len(keys), changed, err
}

// withAdapter are those machines of a model that have the adapter that the name of a fact picks by its ids.
func (m *Machines) withAdapter(ctx context.Context, maker, model, name string) (keys []string, err error) {
	f := new(fact.Facts)
	err = m.Store.EachOfModel(ctx, fact.Catalogue, maker, model, func(key string, row []byte) error {
		if f.Unpack(row) == nil && manual.Has(f, name) {
			keys = append(keys, key)
		}
		return nil
	})
	if err == nil && len(keys) == 0 {
		err = refuse(notEntered, "no %s has an adapter with the ids %s", model, manual.IDs(name))
	}
	return keys, err
}

// RemoveModelFact ends a fact of a model, and judges its machines.
func (m *Machines) RemoveModelFact(ctx context.Context, id int64) (machines, changed int, err error) {
	f, err := m.Store.EndModelFact(ctx, id, by(ctx), m.Now())
	if err != nil {
		return 0, 0, orMissing(err, fmt.Sprintf("unknown fact %d of a model", id))
	}
	keys, err := m.Store.KeysOfModel(ctx, f.Maker, f.Model)
	if err != nil {
		return 0, 0, err
	}
	changed, err = m.judge.again(ctx, keys, nil)
	return len(keys), changed, err
}

// ModelFacts are the facts of models of which the viewer sees a machine, with how many of these there are; for a fact
// of an adapter, with how many have it.
func (m *Machines) ModelFacts(ctx context.Context) ([]store.ModelFact, error) {
	list, err := m.modelFacts(ctx)
	for i := range list {
		if f := &list[i]; err == nil && manual.IDs(f.Fact) != "" {
			f.Machines, err = m.haveAdapter(ctx, f)
		}
	}
	return list, err
}

// haveAdapter is on how many machines that the viewer sees a fact of an adapter is.
func (m *Machines) haveAdapter(ctx context.Context, f *store.ModelFact) (n int, err error) {
	has, err := m.index.Where(ctx, fleet.Term(fact.AdapterKinds.Def().Name, manual.IDs(f.Fact)))
	if err != nil {
		return 0, err
	}
	err = m.index.Each(ctx, has.Within("retired", "yes", "no"), func(r *fleet.Row) {
		if r.Manufacturer == f.Maker && r.Model == f.Model {
			n++
		}
	})
	return n, err
}

// modelFacts are the facts of models of which the viewer sees a machine, with how many of these there are.
func (m *Machines) modelFacts(ctx context.Context) ([]store.ModelFact, error) {
	list, err := m.Store.AllModelFacts(ctx)
	if err != nil || !ViewerOf(ctx).Limited() {
		return list, err
	}
	f, err := m.index.Where(ctx, "")
	if err != nil {
		return nil, err
	}
	type model struct{ maker, name string }
	seen := map[model]int{}
	err = m.index.Each(ctx, f.Within("retired", "yes", "no"), func(r *fleet.Row) {
		seen[model{r.Manufacturer, r.Model}]++
	})
	if err != nil {
		return nil, err
	}
	var out []store.ModelFact
	for _, f := range list {
		if f.Machines = seen[model{f.Maker, f.Model}]; f.Machines > 0 {
			out = append(out, f)
		}
	}
	return out, nil
}

// endPast ends facts whose date has come, and judges their machines.
func (m *Machines) endPast(ctx context.Context, now time.Time) error {
	keys, err := m.Store.PastUntil(ctx, now)
	if err != nil {
		return err
	}
	_, err = m.judge.again(ctx, keys, func(tx *store.Tx, d *store.Machine) error { return tx.EndPast(d.ID, now) })
	return err
}
