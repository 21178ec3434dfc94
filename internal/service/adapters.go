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

// mostWithAdapter is on how many machines it is looked what they tell of an adapter.
const mostWithAdapter = 2_000

// told adds to questions about a graphics adapter what other machines that the viewer sees tell of the same adapter.
// What a person entered for them is left out: it is no reading.
func (w *Work) told(ctx context.Context, list []question.Question) error {
	for i := range list {
		ids := manual.IDs(list[i].Fact)
		if ids == "" {
			continue
		}
		def := fact.ByName(manual.Plain(list[i].Fact))
		has, err := w.index.Where(ctx, fleet.Term(fact.AdapterKinds.Def().Name, ids))
		if err != nil {
			return err
		}
		var with []int64
		more := false
		err = w.index.Each(ctx, has, func(r *fleet.Row) {
			if more = len(with) == mostWithAdapter; !more {
				with = append(with, r.ID)
			}
		})
		if err != nil {
			return err
		}
		machines, f := map[string]int{}, new(fact.Facts)
		err = w.Store.PackedOf(ctx, fact.Catalogue, with, func(batch []store.Packed) error {
			for _, p := range batch {
				if f.Unpack(p.Row) == nil {
					if value := toldOf(f, def.ID, ids); value != "" {
						machines[value]++
					}
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
		list[i].Told = say.ToldElsewhere(machines, more)
	}
	return nil
}

// toldOf is what a machine tells of the adapter with some ids; "" where it does not.
func toldOf(f *fact.Facts, id fact.ID, ids string) string {
	for i := range f.Rows(fact.Adapters) {
		row := f.Row(fact.Adapters, i)
		if r := row.Get(id); row.Value(fact.AdapterIDs).Text() == ids && r.Value.Known() && !r.ByHand() {
			return r.Value.Text()
		}
	}
	return ""
}
