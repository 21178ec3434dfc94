package service

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
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
		got, err := w.delivered(ctx, ids)
		if err != nil {
			return nil, err
		}
		out[b.Step] = got
	}
	return out, nil
}

// delivered counts what machines get on their way to their targets.
func (w *Work) delivered(ctx context.Context, ids []int64) ([]Delivered, error) {
	ways := map[*release.Release]map[int64]string{}
	err := w.index.View(ctx, func(x *fleet.Index) {
		for _, id := range ids {
			r := x.Row(id)
			if r == nil || r.Release == nil {
				continue
			}
			if ways[r.Release] == nil {
				ways[r.Release] = make(map[int64]string, len(ids))
			}
			ways[r.Release][id] = r.Way
		}
	})
	if err != nil {
		return nil, err
	}
	alike := map[*gets]int{} // machines that get the same
	count := map[Delivered]int{}
	for rel, some := range ways {
		got, err := w.waves.gets(ctx, rel, some)
		if err != nil {
			return nil, err
		}
		clear(alike)
		for _, g := range got {
			alike[g]++
		}
		for g, machines := range alike {
			hops := g.Machine.Hops
			if len(hops) == 0 {
				m := &g.Machine
				hops = []wave.Hop{{Release: rel.Name, Package: m.Package, File: m.File, SHA256: m.SHA256}}
			}
			for _, h := range hops {
				if h.Package != "" || h.NoPackage != "" {
					count[Delivered{Release: h.Release, Package: h.Package, File: h.File, SHA256: h.SHA256,
						None: h.NoPackage}] += machines
				}
			}
		}
	}
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
	return out, nil
}
