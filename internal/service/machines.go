package service

import (
	"context"
	"errors"
	"slices"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/store"
)

// Machines is one machine at a time: its facts, its check, what was entered by hand.
type Machines struct {
	Records
	releases  *Releases
	knowledge *Knowledge
	index     *Index
	decisions *Decisions
	judge     *Judge
}

// Find is a machine by its key.
func (m *Machines) Find(ctx context.Context, key string) (*store.Machine, error) {
	d, err := m.Store.MachineByKey(ctx, key)
	return d, orMissing(err, NoMachine(key))
}

// Facts are a machine's inventory with what was entered by hand.
type Facts struct {
	Inventory *inventory.Document
	Manual    []manual.Fact
	Left      []error          // of Manual: what did not go in, and why
	Standing  *attest.Standing // nil: the machine has sent no proof by its TPM
}

// Facts reads an inventory of a machine with what was entered by hand; 0 is the latest.
func (m *Machines) Facts(ctx context.Context, d *store.Machine, id int64) (out Facts, err error) {
	if id == 0 {
		id = d.InventoryID
	}
	inv, err := m.Store.Inventory(ctx, d.ID, id)
	if err != nil {
		return out, orMissing(err, NoInventory(d.Key, id))
	}
	if out.Standing, err = m.Store.Standing(ctx, d); err != nil {
		return out, err
	}
	inv = m.proven(d, id, inv, out.Standing)
	if out.Manual, err = m.Store.HandFacts(ctx, d.ID); err != nil {
		return out, err
	}
	ofModel, err := m.Store.ModelFacts(ctx, d.Maker, d.Model)
	if err != nil {
		return out, err
	}
	out.Inventory, out.Left = manual.Enter(manual.Fill(inv, ofModel, out.Manual), out.Manual)
	return out, nil
}

// Proven is an inventory of a machine with what its TPM attests.
func (m *Machines) Proven(
	ctx context.Context, d *store.Machine, id int64, inv *inventory.Document,
) (*inventory.Document, error) {
	s, err := m.Store.Standing(ctx, d)
	return m.proven(d, id, inv, s), err
}

// proven leaves the inventories of the history as they came: a proof is of the latest one.
func (m *Machines) proven(d *store.Machine, id int64, inv *inventory.Document, s *attest.Standing) *inventory.Document {
	if id != d.InventoryID {
		return inv
	}
	return attest.Apply(inv, s, m.Now())
}

// Check checks an inventory against a release now and says it, with the releases that follow
// beside it.
func (m *Machines) Check(
	ctx context.Context, rel *release.Release, inv *inventory.Document, waivers ...assess.Waiver,
) (*assess.Document, error) {
	a, err := assess.With(m.knowledge.Base(), rel, inv, waivers...)
	if wrong := new(check.WrongClass); errors.As(err, &wrong) {
		return nil, refuse("The wrong class of hardware", "%s", err)
	} else if err != nil {
		return nil, err
	}
	doc := a.Document(m.Now(), build.Version)
	following, err := m.releases.Following(ctx, rel.ID)
	if err != nil {
		return nil, err
	}
	for _, next := range following {
		if b, err := assess.With(m.knowledge.Base(), next, inv); err == nil {
			doc.AddNext(b)
		}
	}
	return doc, nil
}

// Against names what a machine is checked against.
type Against struct {
	Release   string // id; "": the target of its class
	Revision  int    // 0: the latest
	Inventory int64  // of its history; 0: the latest
}

// Checked is a machine with its check.
type Checked struct {
	Machine *store.Machine
	Facts   Facts
	Check   *assess.Document
}

// CheckedNow is a machine with its check, decisions taken into account.
func (m *Machines) CheckedNow(ctx context.Context, key string, against Against) (*Checked, error) {
	d, err := m.Find(ctx, key)
	if err != nil {
		return nil, err
	}
	rel, err := m.against(ctx, d, against)
	if err != nil {
		return nil, err
	}
	facts, err := m.Facts(ctx, d, against.Inventory)
	if err != nil {
		return nil, err
	}
	waivers, err := m.decisions.WaiversOn(ctx, key, rel)
	if err != nil {
		return nil, err
	}
	got, err := m.Check(ctx, rel, facts.Inventory, waivers...)
	if err != nil {
		return nil, err
	}
	return &Checked{Machine: d, Facts: facts, Check: got}, nil
}

// Ticked is a machine with its check, and with what people said of the items of its plan.
func (m *Machines) Ticked(ctx context.Context, key string, against Against) (*Checked, error) {
	c, err := m.CheckedNow(ctx, key, against)
	if err != nil {
		return nil, err
	}
	ticks, err := m.Store.Ticks(ctx, c.Machine.ID)
	if err != nil {
		return nil, err
	}
	c.Check.Apply(ticks)
	return c, nil
}

// against is the release that a machine is checked against.
func (m *Machines) against(ctx context.Context, d *store.Machine, a Against) (*release.Release, error) {
	if a.Release == "" {
		t, ok := m.releases.Target(d.Class)
		if !ok {
			return nil, noTarget()
		}
		return t.Release, nil
	}
	return m.releases.Find(ctx, a.Release, a.Revision)
}

// Side is one side of a comparison: an inventory of a machine; 0 is the latest.
type Side struct {
	Key       string
	Inventory int64
}

// Compare puts two inventories beside each other. show is what the viewer may see of one.
func (m *Machines) Compare(
	ctx context.Context, sides [2]Side, show func(*inventory.Document) *inventory.Document,
) (*compare.Document, error) {
	var inv [2]*inventory.Document
	var docs [2]*assess.Document
	for i, side := range sides {
		key, err := m.index.Key(ctx, side.Key)
		if err != nil {
			return nil, err
		}
		d, err := m.Find(ctx, key)
		if err != nil {
			return nil, err
		}
		facts, err := m.Facts(ctx, d, side.Inventory)
		if err != nil {
			return nil, err
		}
		inv[i] = facts.Inventory
		if t, ok := m.releases.Target(d.Class); ok {
			if a, err := assess.With(m.knowledge.Base(), t.Release, inv[i]); err == nil {
				docs[i] = a.Document(m.Now(), build.Version)
			}
		}
	}
	if docs[0] != nil && docs[1] != nil && docs[0].Release.ID != docs[1].Release.ID {
		docs = [2]*assess.Document{} // a PC and a Mac have no findings in common
	}
	return compare.Run(show(inv[0]), show(inv[1]), docs[0], docs[1]), nil
}

// Since is what the work between two inventories of a machine has come to; to 0 is the latest.
func (m *Machines) Since(ctx context.Context, key string, from, to int64) (*results.Document, error) {
	d, err := m.Find(ctx, key)
	if err != nil {
		return nil, err
	}
	rel, err := m.against(ctx, d, Against{})
	if err != nil {
		return nil, err
	}
	var sides [2]results.Check
	for i, id := range []int64{from, to} {
		facts, err := m.Facts(ctx, d, id)
		if err != nil {
			return nil, err
		}
		got, err := m.Check(ctx, rel, facts.Inventory)
		if err != nil {
			return nil, err
		}
		sides[i] = results.Check{Inventory: facts.Inventory, Check: got}
	}
	out, err := results.Confirm(sides[0], sides[1])
	if err != nil {
		return nil, refuse("These cannot be compared", "%s", err)
	}
	return out, nil
}

// Remove removes a machine with everything that is known of it.
func (m *Machines) Remove(ctx context.Context, key string) error {
	id, err := m.Store.RemoveMachine(ctx, key)
	if err != nil {
		return orMissing(err, NoMachine(key))
	}
	m.index.Changed(id)
	return nil
}

// Retire takes one machine out of use.
func (m *Machines) Retire(ctx context.Context, id int64) error {
	if err := m.Store.RetireMachine(ctx, id, m.Now()); err != nil {
		return err
	}
	m.index.Changed(id)
	return nil
}

// Rekey lets a machine speak with another key; reason is for the audit log.
func (m *Machines) Rekey(ctx context.Context, key, reason string) error {
	store.Note(ctx, "", reason)
	id, err := m.Store.Rekey(ctx, key, store.Settling{By: by(ctx), Now: m.Now()}, m.judge.Latest)
	if err != nil {
		return orMissing(err, NoMachine(key))
	}
	m.index.Changed(id)
	return nil
}

// Resolve takes a person's word on a possible duplicate.
func (m *Machines) Resolve(ctx context.Context, id int64, verdict string) error {
	settling := store.Settling{Verdict: verdict, By: by(ctx), Now: m.Now()}
	touched, err := m.Store.ResolveDuplicate(ctx, id, settling, m.judge.Latest)
	if err != nil {
		return err
	}
	m.index.Changed(touched...)
	return nil
}

// SetSites replaces all sites, which moves machines in lists.
func (m *Machines) SetSites(ctx context.Context, list []store.Site) error {
	defer m.index.Invalidate()
	return m.Store.SetSites(ctx, list)
}

// SeesDuplicate says that the viewer sees both machines of a possible duplicate.
func (m *Machines) SeesDuplicate(ctx context.Context, d *store.Duplicate) bool {
	return !slices.ContainsFunc([]string{d.Key, d.Other}, func(key string) bool { return !m.index.Sees(ctx, key) })
}
