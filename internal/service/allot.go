package service

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"sync"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// wholeFor is how long the parts of the whole fleet are remembered where nothing changes: decisions begin and end by
// the clock.
const wholeFor = time.Minute

// wholeCache is what the plans of the whole fleet buy. It is good until a machine or the knowledge changes.
type wholeCache struct {
	mu      sync.Mutex
	version uint64
	base    *knowledge.Base
	at      time.Time
	bought  []work.Bought
}

// bought are the parts that plans take, the machine that is the first to get from the stock first: by the day of its
// visit, then by the end of support of what it runs, then by name.
func (w *Work) bought(ctx context.Context, plans []fleet.Planned) ([]work.Bought, error) {
	parts, err := w.partsOf(ctx, w.knowledge.Base(), plans)
	if err != nil {
		return nil, err
	}
	given, err := w.Store.Assignments(ctx)
	if err != nil {
		return nil, err
	}
	type urgency struct{ visit, ends, name string }
	urgent := make(map[int64]urgency, len(parts))
	err = w.index.View(ctx, func(x *fleet.Index) {
		for id := range parts {
			u := urgency{visit: cmp.Or(given[id].Day, never), ends: never}
			if r := x.Row(id); r != nil {
				u.name = r.Name
				if end := r.SupportEnds(); !end.IsZero() {
					u.ends = end.Format(time.DateOnly)
				}
			}
			urgent[id] = u
		}
	})
	if err != nil {
		return nil, err
	}
	today := w.Now().UTC().Format(time.DateOnly)
	var out []work.Bought
	for id, list := range parts {
		for _, b := range list {
			one := work.Alike(b.Part)
			out = append(out, work.Bought{
				Machine: id,
				Name:    say.OrderName(&one),
				Part:    b.Part,
				Price:   b.Price,
				Priced:  b.Priced,
				Voids:   b.Warranty >= today,
			})
		}
	}
	slices.SortFunc(out, func(a, b work.Bought) int {
		x, y := urgent[a.Machine], urgent[b.Machine]
		return cmp.Or(strings.Compare(x.visit, y.visit), strings.Compare(x.ends, y.ends),
			strings.Compare(x.name, y.name), cmp.Compare(a.Machine, b.Machine), strings.Compare(a.Name, b.Name))
	})
	return out, nil
}

// never is a day behind all others.
const never = "9999-12-31"

// wholeFleet are the parts that the plans of all machines take.
func (w *Work) wholeFleet(ctx context.Context) ([]work.Bought, error) {
	c := &w.wholeCache
	version, base, now := w.index.Version(), w.knowledge.Base(), w.Now()
	c.mu.Lock()
	if age := now.Sub(c.at); c.version == version && c.base == base && age >= 0 && age < wholeFor {
		defer c.mu.Unlock()
		return c.bought, nil
	}
	c.mu.Unlock()
	ctx = ByItself(ctx) // the stock is one for all, whoever asks
	machines, err := w.workers(ctx, "")
	if err != nil {
		return nil, err
	}
	bought, err := w.bought(ctx, machines.plans)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.version, c.base, c.at, c.bought = version, base, now, bought
	return bought, nil
}

// purchase puts together what plans buy, with where each part is: ordered, arrived, fitted, in the stock, or to order.
func (w *Work) purchase(ctx context.Context, plans []fleet.Planned) ([]work.Line, error) {
	bought, err := w.bought(ctx, plans)
	if err != nil || len(bought) == 0 {
		return nil, err
	}
	stocks, err := w.Store.Stocks(ctx)
	if err != nil {
		return nil, err
	}
	items, err := w.Store.PurchaseItems(ctx)
	if err != nil {
		return nil, err
	}
	whole := bought
	if slices.ContainsFunc(bought, func(b work.Bought) bool { return stocks[b.Name].OnHand > 0 }) {
		if whole, err = w.wholeFleet(ctx); err != nil {
			return nil, err
		}
	}
	return work.Purchase(bought, w.knowledge.Base().Prices, stocks, work.Allot(whole, placed(items), stocks)), nil
}

// placed are the items of placed orders, as the computation takes them.
func placed(items []store.PurchaseItem) []work.Item {
	out := make([]work.Item, len(items))
	for i := range items {
		it := &items[i]
		out[i] = work.Item{Machine: it.MachineID, Name: it.Part, Count: it.Count, State: it.State}
	}
	return out
}

// lines are the parts order of the machines of a filter.
func (w *Work) lines(ctx context.Context, where string) ([]work.Line, error) {
	machines, err := w.workers(ctx, where)
	if err != nil {
		return nil, err
	}
	return w.purchase(ctx, machines.plans)
}
