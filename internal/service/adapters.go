package service

import (
	"context"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/question"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/store"
)

// So that a list of questions is there at once in a large fleet, it is looked what others tell for so many adapters,
// those of most machines first, and on so many machines of each.
const mostAdapters, mostWithAdapter = 50, 500

// told adds to questions about a graphics adapter what other machines that the viewer sees tell of the same adapter.
// What a person entered for them is left out: it is no reading.
func (w *Work) told(ctx context.Context, list []question.Question) (err error) {
	known := map[string]string{}
	for i := range list {
		q := &list[i]
		if manual.IDs(q.Fact) == "" {
			continue
		}
		says, asked := known[q.Fact]
		if !asked && len(known) < mostAdapters {
			if says, err = w.toldOf(ctx, q.Fact); err != nil {
				return err
			}
			known[q.Fact] = says
		}
		q.Told = says
	}
	return nil
}

// toldOf says what machines tell of the adapter in the name of a fact.
func (w *Work) toldOf(ctx context.Context, name string) (string, error) {
	ids, id := manual.IDs(name), fact.ByName(manual.Plain(name)).ID
	has, err := w.index.Where(ctx, fleet.Term(fact.AdapterKinds.Def().Name, ids))
	if err != nil {
		return "", err
	}
	var with []int64
	more := false
	err = w.index.Each(ctx, has, func(r *fleet.Row) {
		if len(with) < mostWithAdapter {
			with = append(with, r.ID)
		} else {
			more = true
		}
	})
	if err != nil {
		return "", err
	}
	machines, f := map[string]int{}, new(fact.Facts)
	err = w.Store.PackedOf(ctx, fact.Catalogue, with, func(batch []store.Packed) error {
		for _, p := range batch {
			if f.Unpack(p.Row) == nil {
				if value := tells(f, id, ids); value != "" {
					machines[value]++
				}
			}
		}
		return nil
	})
	return say.ToldElsewhere(machines, more), err
}

// tells is what a machine tells of the adapter with some ids; "" where it does not.
func tells(f *fact.Facts, id fact.ID, ids string) string {
	for i := range f.Rows(fact.Adapters) {
		row := f.Row(fact.Adapters, i)
		if r := row.Get(id); row.Value(fact.AdapterIDs).Text() == ids && r.Value.Known() && !r.ByHand() {
			return r.Value.Text()
		}
	}
	return ""
}
