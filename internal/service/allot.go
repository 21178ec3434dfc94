package service

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/assess"
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
	shares  map[work.Wanted]work.Share // nil: not worked out yet
}

// planned is a part that a machine's plan takes, with its name in the parts order.
type planned struct {
	assess.Buy
	name string
}

// plannedOf are parts with their names, by name.
func plannedOf(list []assess.Buy) []planned {
	out := make([]planned, len(list))
	for i := range list {
		one := work.Alike(list[i].Part)
		out[i] = planned{list[i], say.OrderName(&one)}
	}
	slices.SortStableFunc(out, func(a, b planned) int { return strings.Compare(a.name, b.name) })
	return out
}

// bought are the parts that plans take, the machine that is the first to get from the stock first: by the day of its
// visit, then by the end of support of what it runs, then by name.
func (w *Work) bought(ctx context.Context, of *workers) ([]work.Bought, error) {
	parts, err := w.partsOf(ctx, w.knowledge.Base(), of.plans)
	if err != nil {
		return nil, err
	}
	type urgency struct {
		visit   string
		ends    int64 // in seconds since 1970
		machine int64
	}
	urgent, count := make([]urgency, 0, len(parts)), 0
	for i := range of.machines {
		m := &of.machines[i]
		n := len(parts[m.ID])
		if n == 0 {
			continue
		}
		count += n
		u := urgency{cmp.Or(m.Day, never), math.MaxInt64, m.ID}
		if !m.SupportEnds.IsZero() {
			u.ends = m.SupportEnds.Unix()
		}
		urgent = append(urgent, u)
	}
	slices.SortStableFunc(urgent, func(a, b urgency) int { // those alike stay by name
		return cmp.Or(strings.Compare(a.visit, b.visit), cmp.Compare(a.ends, b.ends))
	})
	today := w.Now().UTC().Format(time.DateOnly)
	out := make([]work.Bought, 0, count)
	for _, u := range urgent {
		for _, b := range parts[u.machine] {
			out = append(out, work.Bought{
				Machine: u.machine,
				Name:    b.name,
				Part:    b.Part,
				Price:   b.Price,
				Priced:  b.Priced,
				Voids:   b.Warranty >= today,
			})
		}
	}
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
	bought, err := w.bought(ctx, machines)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.version, c.base, c.at, c.bought, c.shares = version, base, now, bought, nil
	return bought, nil
}

// allotted says where the parts of the whole fleet are. Every change of the stock or of an order is a change of the
// index, too, so that what is remembered is of the present stock.
func (w *Work) allotted(
	ctx context.Context, items []store.PurchaseItem, stocks map[string]work.Stock,
) (map[work.Wanted]work.Share, error) {
	version := w.index.Version()
	whole, err := w.wholeFleet(ctx)
	if err != nil {
		return nil, err
	}
	c := &w.wholeCache
	c.mu.Lock()
	shares := c.shares
	c.mu.Unlock()
	if shares != nil {
		return shares, nil
	}
	counted, err := w.placed(ctx, items)
	if err != nil {
		return nil, err
	}
	shares = work.Allot(whole, counted, stocks)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.version == version && w.index.Version() == version {
		c.shares = shares
	}
	return shares, nil
}

// purchase puts together what the plans of machines buy, with where each part is: ordered, arrived, fitted, in the
// stock, or to order.
func (w *Work) purchase(ctx context.Context, of *workers) ([]work.Line, error) {
	var bought []work.Bought
	var stocks map[string]work.Stock
	var items []store.PurchaseItem
	g, within := errgroup.WithContext(ctx)
	g.Go(func() (err error) {
		bought, err = w.bought(within, of)
		return err
	})
	g.Go(func() (err error) {
		if stocks, err = w.Store.Stocks(within); err == nil {
			items, err = w.Store.PurchaseItems(within)
		}
		return err
	})
	err := g.Wait()
	if err != nil || len(bought) == 0 {
		return nil, err
	}
	var shares map[work.Wanted]work.Share
	if slices.ContainsFunc(bought, func(b work.Bought) bool { return stocks[b.Name].OnHand > 0 }) {
		if shares, err = w.allotted(ctx, items, stocks); err != nil {
			return nil, err
		}
	} else {
		counted, err := w.placed(ctx, items)
		if err != nil {
			return nil, err
		}
		shares = work.Allot(bought, counted, stocks)
	}
	return work.Purchase(bought, w.knowledge.Base().Prices, stocks, shares), nil
}

// placed are the items of placed orders that count. A part that was fitted counts until an inventory of a later day: if
// the plan still takes it then, it is to be ordered again.
func (w *Work) placed(ctx context.Context, items []store.PurchaseItem) ([]work.Item, error) {
	out := make([]work.Item, 0, len(items))
	err := w.index.View(ctx, func(x *fleet.Index) {
		for i := range items {
			it := &items[i]
			r := x.Row(it.MachineID)
			if it.State == work.Fitted && r != nil && r.TakenAt.UTC().Format(time.DateOnly) > it.Day {
				continue
			}
			out = append(out, work.Item{Machine: it.MachineID, Name: it.Part, Count: it.Count, State: it.State})
		}
	})
	return out, err
}

// lines are the parts order of the machines of a filter.
func (w *Work) lines(ctx context.Context, where string) ([]work.Line, error) {
	machines, err := w.workers(ctx, where)
	if err != nil {
		return nil, err
	}
	return w.purchase(ctx, machines)
}
