package service

import (
	"context"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Installed is an application on one machine.
type Installed struct {
	work.MachineRef
	Title, Publisher, Version string
	work.Said
}

// FleetApplications are the applications of some machines.
type FleetApplications struct {
	Hidden   bool // the viewer may not see what is installed; there is nothing else then
	Machines int  // picked by the filter
	Read     int  // of these, those whose applications were read
	List     []work.Application
	On       []Installed // the machines of the application that was asked for, by name
}

// Applications are the applications of the machines of a filter, with what the target says of them.
// only is the name of one whose machines are listed; "" lists none.
func (w *Work) Applications(ctx context.Context, where, only string) (*FleetApplications, error) {
	if !ViewerOf(ctx).Plain {
		return &FleetApplications{Hidden: true}, nil
	}
	f, err := w.index.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	refs := map[int64]work.MachineRef{}
	var ids []int64
	err = w.index.Each(ctx, f, func(r *fleet.Row) { refs[r.ID], ids = r.Ref(), append(ids, r.ID) })
	if err != nil {
		return nil, err
	}
	slices.Sort(ids)
	counted, facts := work.NewApplications(only), new(fact.Facts)
	err = w.Store.PackedOf(ctx, fact.Catalogue, ids, func(batch []store.Packed) error {
		for i := range batch {
			if facts.Unpack(batch[i].Row) != nil {
				continue
			}
			var rel *release.Release
			if t, ok := w.releases.Target(batch[i].Class); ok {
				rel = t.Release
			}
			counted.Add(batch[i].MachineID, rel, facts)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	out := &FleetApplications{Machines: len(ids), Read: counted.Read, List: counted.List()}
	for _, x := range counted.On {
		out.On = append(out.On, Installed{refs[x.Machine], x.Name, x.Publisher, x.Version, x.Said})
	}
	slices.SortStableFunc(out.On, func(a, b Installed) int {
		return strings.Compare(strings.ToLower(a.Name), strings.ToLower(b.Name))
	})
	return out, nil
}
