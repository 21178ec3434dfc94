package server

import (
	"context"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// ordersAPI has the operations on orders of parts, and on machines that take the place of others.
type ordersAPI struct{ *Server }

func (s ordersAPI) list(ctx context.Context, _ *struct{}) (api.OrderList, error) {
	list, err := s.Orders.List(ctx)
	out := api.OrderList{Orders: []api.Order{}}
	for i := range list {
		out.Orders = append(out.Orders, s.order(&list[i]))
	}
	return out, err
}

func (s ordersAPI) show(ctx context.Context, in *struct {
	Number string `path:"number" maxLength:"60"`
}) (api.OrderDetail, error) {
	return s.detail(ctx, in.Number)
}

func (s ordersAPI) detail(ctx context.Context, number string) (out api.OrderDetail, err error) {
	o, err := s.Orders.Get(ctx, number)
	if err != nil {
		return out, err
	}
	out = api.OrderDetail{Order: s.order(o), Items: []api.OrderItem{}}
	for i := range o.Items {
		it := &o.Items[i]
		one := api.OrderItem{Machine: it.Machine, Part: it.Part, Count: it.Count, Currency: it.Currency,
			State: it.State, Word: say.ItemState(it.State), Day: it.Day}
		if it.Price != service.NoPrice {
			one.Price = it.Price
		}
		out.Items = append(out.Items, one)
	}
	return out, nil
}

// order is a placed order without its items.
func (s ordersAPI) order(o *service.Order) api.Order {
	out := api.Order{
		Number: o.Number, Supplier: o.Supplier, Day: o.Day, Expected: o.Expected, By: o.By,
		Parts: []api.PartCount{}, States: []api.Count{}, Where: fleet.Term(fleet.ExternalOrder, o.Number),
	}
	states, machines := map[string]int{}, map[int64]bool{}
	var sum int64
	currency, unpriced := "", 0
	for i := range o.Items {
		it := &o.Items[i]
		states[it.State] += it.Count
		if it.State == work.Cancelled {
			continue
		}
		machines[it.MachineID] = true
		out.Parts = work.AddPart(out.Parts, it.Part, it.Count)
		if it.Price == service.NoPrice {
			unpriced += it.Count
		} else {
			sum, currency = sum+it.Price*int64(it.Count), it.Currency
		}
	}
	for _, state := range work.ItemStates() {
		if n := states[state]; n > 0 {
			out.States = append(
				out.States,
				api.Count{Name: state, Says: say.ItemState(state), Count: n, Where: out.Where},
			)
		}
	}
	out.Machines = len(machines)
	out.Late = states[work.Ordered] > 0 && o.Expected != "" && o.Expected < string(wave.On(s.now()))
	out.Cost = paid(currency, sum, unpriced)
	out.Says = say.OrderText(out.Parts, states, out.Machines, out.Late)
	return out
}

// paid is an exact sum.
func paid(currency string, sum int64, unpriced int) api.Money {
	r := price.Range{Least: sum, Most: sum}
	out := api.Money{Least: sum, Most: sum, Unpriced: unpriced, Currency: currency}
	out.Says = say.Money(currency, r, unpriced)
	return out
}

func (s ordersAPI) add(ctx context.Context, in *struct{ Body api.MakeOrder }) (api.OrderChanged, error) {
	b := &in.Body
	o := service.Ordering{
		Picking: service.Picking{Where: b.Where, Keys: b.Keys, Trial: b.DryRun},
		Number:  b.Number, Supplier: b.Supplier, Day: b.Day, Expected: b.Expected, Part: b.Part,
		Price: service.NoPrice, SurePrice: b.SurePrice, More: b.Append,
	}
	if b.Price != nil {
		o.Price = *b.Price
	}
	got, err := s.Orders.Add(ctx, &o)
	verb := work.Ordered
	if got.Number == store.FromStock {
		verb = work.Arrived
	}
	return orderChanged(&got, verb, b.DryRun), err
}

// orderChanged says what a change of an order came to.
func orderChanged(o *service.Ordered, state string, trial bool) api.OrderChanged {
	out := api.OrderChanged{Number: o.Number, Parts: []api.PartCount{}, Count: o.Count, DryRun: trial,
		Machines: append([]api.MachineRef{}, o.Machines...)}
	out.Parts = append(out.Parts, o.Parts...)
	out.Says = say.OrderChanged(o.Number, o.Parts, state, o.Count, trial)
	return out
}

func (s ordersAPI) set(ctx context.Context, in *struct {
	Number string `path:"number" maxLength:"60"`
	Body   api.SetOrder
}) (api.OrderChanged, error) {
	b := &in.Body
	got, err := s.Orders.Set(ctx, in.Number, &service.Setting{
		Picking: service.Picking{Where: b.Where, Keys: b.Keys, Trial: b.DryRun},
		State:   b.State, Day: b.Day, Part: b.Part,
	})
	return orderChanged(&got, b.State, b.DryRun), err
}

func (s ordersAPI) remove(ctx context.Context, in *struct {
	Number string `path:"number" maxLength:"60"`
}) error {
	return s.Orders.Remove(ctx, in.Number)
}

func (s ordersAPI) setStock(ctx context.Context, in *struct{ Body api.SetStock }) error {
	return s.Orders.SetStock(ctx, in.Body.Part, work.Stock{OnHand: in.Body.OnHand, LeadDays: in.Body.LeadDays})
}

func replacement(p *service.Pair) api.Replacement {
	return api.Replacement{
		Old:     p.Old,
		NewName: p.NewName,
		New:     p.New,
		Note:    p.Note,
		Done:    p.Done,
		Of:      p.Of,
		Says:    p.Says,
	}
}

func (s ordersAPI) replacements(ctx context.Context, _ *struct{}) (api.ReplacementList, error) {
	list, err := s.Orders.Pairs(ctx)
	out := api.ReplacementList{Replacements: []api.Replacement{}}
	for i := range list {
		out.Replacements = append(out.Replacements, replacement(&list[i]))
	}
	return out, err
}

func (s ordersAPI) setReplacement(ctx context.Context, in *struct {
	Key  string `path:"key" maxLength:"80"`
	Body api.SetReplacement
}) (api.Replacement, error) {
	p, err := s.Orders.SetPair(ctx, in.Key, in.Body.NewName, strings.TrimSpace(in.Body.Note))
	return replacement(&p), err
}

func (s ordersAPI) removeReplacement(ctx context.Context, in *keyInput) error {
	return s.Orders.RemovePair(ctx, in.Key)
}

func (s ordersAPI) handOver(ctx context.Context, in *keyInput) (out api.HandOver, err error) {
	h, err := s.Orders.HandOver(ctx, in.Key)
	if err != nil {
		return out, err
	}
	out = api.HandOver{Replacement: replacement(&h.Pair), Contact: h.Contact, Desk: h.Desk, Titles: h.Kept}
	if !callerOf(ctx).Plain {
		out.Titles = nil // who does not see what is installed does not see it here
	}
	out.Items = listed(h.Items, assess.TickLeaving, h.Ticks)
	return out, nil
}

// listed are items that people tick, with what was said of them.
func listed(items []work.Leaving, prefix string, ticks []assess.Tick) []api.Leaving {
	out := make([]api.Leaving, len(items))
	for i, l := range items {
		out[i] = api.Leaving{ID: l.ID, Title: l.Title, Says: l.Says}
		at := slices.IndexFunc(ticks, func(t assess.Tick) bool { return t.Item == prefix+l.ID })
		if at >= 0 {
			out[i].Ticked = &ticks[at]
		}
	}
	return out
}

// labour is what the visits cost.
func labour(base *knowledge.Base, r price.Range, known bool) api.Money {
	out := money(base, r, 0)
	if !known {
		out.Says = say.NoHourlyPrice
	}
	return out
}
