package server

import (
	"context"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
)

// factsAPI has the operations on the facts of machines and models.
type factsAPI struct{ *Server }

// show is an inventory as a caller may see it: without what names one machine and what is
// installed on it, where their role does not show that.
func (c *caller) show(inv *inventory.Document) *inventory.Document {
	if c.Plain {
		return inv
	}
	const why = "your role cannot see it"
	out := inv.Clone()
	var none inventory.Opt[string]
	for _, slot := range []struct {
		name string
		is   *inventory.Opt[string]
	}{
		{"device.serial", &out.Device.Serial},
		{"device.uuid", &out.Device.UUID},
		{"device.board.serial", &out.Device.Board.Serial},
		{"device.asset_tag", &out.Device.AssetTag},
	} {
		*slot.is = none
		delete(out.Sources, slot.name)
		out.DropGap(slot.name)
		out.AddGap(slot.name, inventory.NotAsked, why, "")
	}
	out.Software = nil
	out.DropGap("software")
	out.AddGap("software", inventory.NotAsked, why, "")
	return out
}

// hides says that a caller does not see a fact.
func (c *caller) hides(name string) bool {
	if c.Plain {
		return false
	}
	name = manual.Plain(name)
	if def := fact.ByName(name); def != nil && service.Identifies(def.ID) {
		return true
	}
	return name == "software" || strings.HasPrefix(name, "software.")
}

// manualFacts are the facts that were entered by hand, as a caller sees them.
func (c *caller) manualFacts(facts *service.Facts) []api.HandFact {
	var out []api.HandFact
	for _, f := range facts.Manual {
		if c.hides(f.Fact) {
			continue
		}
		h := api.HandFact{Fact: f, Label: f.Fact}
		if def := fact.ByName(manual.Plain(f.Fact)); def != nil {
			h.Label = def.Label
		}
		for _, err := range facts.Left {
			if rest, ok := strings.CutPrefix(err.Error(), f.Fact+": "); ok {
				h.Problem = rest
			}
		}
		out = append(out, h)
	}
	return out
}

type factInput struct {
	Key  string `path:"key" maxLength:"80"`
	Fact string `path:"fact" maxLength:"100" doc:"Name of the fact; in a list with its position, such as graphics[0].interface_level; an adapter also by its PCI ids: graphics[7e5a:0c21].interface_level"`
}

func (s factsAPI) setFact(ctx context.Context, in *struct {
	Key  string `path:"key" maxLength:"80"`
	Fact string `path:"fact" maxLength:"100" doc:"Name of the fact; in a list with its position, such as graphics[0].interface_level; an adapter also by its PCI ids: graphics[7e5a:0c21].interface_level"`
	Body api.SetFact
}) (api.Machine, error) {
	n := &service.NewFact{Fact: in.Fact, Value: in.Body.Value, Note: in.Body.Note, Days: in.Body.Days}
	if err := s.Machines.SetFact(ctx, in.Key, n); err != nil {
		return api.Machine{}, err
	}
	return machinesAPI(s).showMachine(ctx, &keyInput{in.Key})
}

func (s factsAPI) removeFact(ctx context.Context, in *factInput) (api.Machine, error) {
	if err := s.Machines.RemoveFact(ctx, in.Key, in.Fact); err != nil {
		return api.Machine{}, err
	}
	return machinesAPI(s).showMachine(ctx, &keyInput{in.Key})
}

func (s factsAPI) checkMachine(ctx context.Context, in *struct {
	Key       string `path:"key" maxLength:"80"`
	Release   string `query:"release" required:"true" maxLength:"64" doc:"Id of a release of the service"`
	Revision  int    `query:"revision" minimum:"0" doc:"Default: the latest"`
	Inventory int64  `query:"inventory" minimum:"0" doc:"Id in the machine's history (default: the latest)"`
}) (assess.Document, error) {
	against := service.Against{Release: in.Release, Revision: in.Revision, Inventory: in.Inventory}
	got, err := s.Machines.CheckedNow(ctx, in.Key, against)
	if err != nil {
		return assess.Document{}, err
	}
	return *got.Check, nil
}

func (s factsAPI) compare(ctx context.Context, in *struct {
	A          string `query:"a" required:"true" maxLength:"80" doc:"Key of a machine (the earlier one)"`
	B          string `query:"b" required:"true" maxLength:"80" doc:"Key of the other machine, or of the same machine"`
	InventoryA int64  `query:"inventory_a" minimum:"0" doc:"Id in the machine's history (default: the latest)"`
	InventoryB int64  `query:"inventory_b" minimum:"0"`
}) (compare.Document, error) {
	sides := [2]service.Side{{Key: in.A, Inventory: in.InventoryA}, {Key: in.B, Inventory: in.InventoryB}}
	got, err := s.Machines.Compare(ctx, sides, callerOf(ctx).show)
	if err != nil {
		return compare.Document{}, err
	}
	return *got, nil
}

func (s factsAPI) listModelFacts(ctx context.Context, _ *struct{}) (api.ModelFactList, error) {
	list, err := s.Machines.ModelFacts(ctx)
	out := api.ModelFactList{Facts: []api.ModelFact{}}
	for i := range list {
		m := &list[i]
		one := api.ModelFact{
			ID:       m.ID,
			Maker:    m.Maker,
			Model:    m.Model,
			Fact:     m.Fact,
			Label:    m.Fact,
			Value:    m.Value,
			Note:     m.Note,
			By:       m.By,
			At:       m.At(),
			Machines: m.Machines,
		}
		if def := fact.ByName(m.Fact); def != nil {
			one.Label = def.Label
		}
		out.Facts = append(out.Facts, one)
	}
	return out, err
}

func (s factsAPI) addModelFact(
	ctx context.Context, in *struct{ Body api.AddModelFact },
) (api.ModelFactEntered, error) {
	b := &in.Body
	n := &service.NewFact{Fact: b.Fact, Value: b.Value, Note: b.Note}
	machines, changed, err := s.Machines.AddModelFact(ctx, b.Maker, b.Model, n)
	return api.ModelFactEntered{Machines: machines, Settled: changed}, err
}

func (s factsAPI) removeModelFact(ctx context.Context, in *struct {
	ID int64 `path:"id" minimum:"1"`
}) (api.ModelFactEntered, error) {
	machines, changed, err := s.Machines.RemoveModelFact(ctx, in.ID)
	return api.ModelFactEntered{Machines: machines, Settled: changed}, err
}
