package service

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Delivered is how many machines of a batch get a package.
type Delivered struct {
	Release, Package, File, SHA256 string
	None                           string // why there is no package
	Machines                       int
}

// deliveries are the packages of the batches that install something, by step: what the machines get on their way,
// release by release.
func (w *Work) deliveries(ctx context.Context, batches []work.Batch) (map[string][]Delivered, error) {
	out := map[string][]Delivered{}
	for i := range batches {
		b := &batches[i]
		if !b.Installs {
			continue
		}
		ids := make([]int64, len(b.Machines))
		for k, m := range b.Machines {
			ids[k] = m.ID
		}
		slices.Sort(ids)
		got, err := w.delivered(ctx, ids)
		if err != nil {
			return nil, err
		}
		out[b.Step] = got
	}
	return out, nil
}

// delivered counts what machines get on their way.
func (w *Work) delivered(ctx context.Context, ids []int64) ([]Delivered, error) {
	ways := map[int64]string{}
	err := w.index.View(ctx, func(x *fleet.Index) {
		for _, id := range ids {
			if r := x.Row(id); r != nil {
				ways[id] = r.Way
			}
		}
	})
	if err != nil {
		return nil, err
	}
	count := map[Delivered]int{}
	f := new(fact.Facts)
	err = w.Store.PackedOf(ctx, fact.Catalogue, ids, func(list []store.Packed) error {
		for i := range list {
			t, ok := w.releases.Target(list[i].Class)
			if !ok || f.Unpack(list[i].Row) != nil {
				continue
			}
			m := wave.Machine{Way: ways[list[i].MachineID]}
			m.Deliver(t.Release, f)
			hops := m.Hops
			if len(hops) == 0 {
				hops = []wave.Hop{{Release: t.Release.Name, Package: m.Package, File: m.File, SHA256: m.SHA256}}
			}
			for _, h := range hops {
				if h.Package != "" || h.NoPackage != "" {
					count[Delivered{Release: h.Release, Package: h.Package, File: h.File, SHA256: h.SHA256,
						None: h.NoPackage}]++
				}
			}
		}
		return nil
	})
	out := make([]Delivered, 0, len(count))
	for d, n := range count {
		d.Machines = n
		out = append(out, d)
	}
	slices.SortFunc(out, func(a, b Delivered) int {
		return cmp.Or(
			strings.Compare(a.Release, b.Release),
			b.Machines-a.Machines,
			strings.Compare(a.Package, b.Package),
			strings.Compare(a.None, b.None),
		)
	})
	return out, err
}
