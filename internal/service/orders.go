package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Orders is what was ordered, which machine gets which part of it, and what became of each part.
type Orders struct {
	Records
	index     *Index
	knowledge *Knowledge
	work      *Work
}

// NoPrice is the price of a part of which none was given.
const NoPrice = -1

// Ordering is an order that was placed outside of Rolltop, to be recorded.
type Ordering struct {
	Picking
	Number, Supplier string
	Day, Expected    string // "": today, and not known
	Part             string // "": all parts that the machines need
	Price            int64  // of one part, in hundredths; NoPrice if it is not known
	SurePrice        bool   // the price is right although it is far from that of the table
	More             bool   // the order exists, and gets further parts
}

// OrderItem is a part of an order with its machine.
type OrderItem struct {
	store.PurchaseItem
	Machine work.MachineRef // empty if its record was removed
}

// Order is a placed order with the items that the viewer sees.
type Order struct {
	store.Purchase
	Items []OrderItem
}

// Ordered is what the recording of an order came to.
type Ordered struct {
	Number   string
	Parts    []work.PartCount
	Machines []work.MachineRef // the first 20 by name
	Count    int               // machines
}

const notOrdered = "Nothing was recorded"

// Add records an order that was placed: it names which machine gets which part. The order with the number
// [store.FromStock] takes the parts from the stock.
func (o *Orders) Add(ctx context.Context, a *Ordering) (out Ordered, err error) {
	a.Number, a.Supplier = strings.TrimSpace(a.Number), strings.TrimSpace(a.Supplier)
	if a.Number == "" {
		return out, refuse(notOrdered, "the number of the order is missing")
	}
	stock := strings.EqualFold(a.Number, store.FromStock)
	if stock {
		a.Number = store.FromStock
	}
	if err := o.checkDays(a); err != nil {
		return out, err
	}
	if a.Where == "" && len(a.Keys) == 0 && a.Part == "" {
		return out, refuse(notOrdered, "the machines are missing; give a filter, keys, or a part")
	}
	lines, mine, err := o.open(ctx, &a.Picking, a.Part)
	if err != nil {
		return out, err
	}
	if err := o.checkPrice(a, lines); err != nil {
		return out, err
	}
	items := o.itemsOf(a, lines, mine, stock)
	if len(items) == 0 {
		return out, refuse(notOrdered, "%s", nothingText(lines, mine, stock))
	}
	p := &store.Purchase{Number: a.Number, Supplier: a.Supplier, Day: a.Day, Expected: a.Expected, By: by(ctx),
		Millis: o.Now().UnixMilli()}
	if out, err = o.ordered(ctx, a.Number, items); err != nil {
		return out, err
	}
	if err := o.checkNumber(ctx, a, stock); err != nil || a.Trial {
		return out, err
	}
	store.Note(ctx, "", fmt.Sprintf("%s, %s for %s", strings.Join(compact(a.Number, a.Supplier, a.Day), ", "),
		say.PartCounts(out.Parts), say.Count(out.Count, "machine", "machines")))
	defer o.index.Changed()
	err = o.Store.AddPurchase(ctx, p, items, a.More)
	if errors.Is(err, store.ErrStock) {
		return out, refuse("Not in stock", "%s", err)
	}
	return out, err
}

// compact leaves out empty texts.
func compact(texts ...string) []string {
	return slices.DeleteFunc(texts, func(s string) bool { return s == "" })
}

// checkNumber refuses a number that exists, or that does not exist where the order gets further parts.
func (o *Orders) checkNumber(ctx context.Context, a *Ordering, stock bool) error {
	if stock {
		return nil
	}
	list, _, err := o.Store.Purchases(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(list, func(p store.Purchase) bool { return strings.EqualFold(p.Number, a.Number) })
	switch {
	case i >= 0 && !a.More:
		return refuse("The number exists", "the order %s of %s exists; give another number, or add to that order",
			list[i].Number, list[i].Day)
	case i < 0 && a.More:
		return o.noOrder(list, a.Number)
	}
	return nil
}

func (o *Orders) noOrder(list []store.Purchase, number string) error {
	var numbers []string
	for i := range list {
		if list[i].Number != store.FromStock {
			numbers = append(numbers, list[i].Number)
		}
	}
	right := cmp.Or(doc.Suggest(number, numbers), "rolltop orders lists all")
	return missing("there is no order %q; %s", number, right)
}

// checkDays refuses days that cannot be, and fills in today.
func (o *Orders) checkDays(a *Ordering) error {
	today := wave.On(o.Now())
	day, err := dayOr(a.Day, today)
	if err != nil {
		return refuse(notOrdered, "%s", err)
	}
	if day > today {
		return refuse(notOrdered, "%s is in the future; today is %s, and an order is recorded when it is placed", day,
			today)
	}
	a.Day = string(day)
	if a.Expected == "" {
		return nil
	}
	expected, err := wave.ReadDay(a.Expected)
	if err != nil {
		return refuse(notOrdered, "%s", err)
	}
	if expected < day {
		return refuse(notOrdered, "the parts cannot arrive on %s, before they were ordered on %s", expected, day)
	}
	return nil
}

func dayOr(text string, otherwise wave.Day) (wave.Day, error) {
	if text == "" {
		return otherwise, nil
	}
	return wave.ReadDay(text)
}

// open are the lines of the parts order of the machines that are picked, one of them where a part is named, and the
// machines that count; nil: all.
func (o *Orders) open(ctx context.Context, p *Picking, part string) ([]work.Line, map[int64]bool, error) {
	lines, err := o.work.lines(ctx, p.Where)
	if err != nil {
		return nil, nil, err
	}
	var mine map[int64]bool
	if len(p.Keys) > 0 {
		ids, err := o.index.Picked(ctx, p.Where, p.Keys)
		if err != nil {
			return nil, nil, err
		}
		mine = map[int64]bool{}
		for _, id := range ids {
			mine[id] = true
		}
	}
	if part == "" {
		return lines, mine, nil
	}
	one := slices.DeleteFunc(slices.Clone(lines), func(l work.Line) bool { return !strings.EqualFold(l.Name, part) })
	if len(one) > 0 {
		return one, mine, nil
	}
	var names []string
	for i := range lines {
		names = append(names, lines[i].Name)
	}
	right := cmp.Or(doc.Suggest(part, names), "rolltop work parts lists them")
	return nil, nil, refuse("Unknown part", "no plan of these machines takes the part %q; %s", part, right)
}

// far is how many times a price may be above or below the range of the table.
const far = 2

// checkPrice refuses a price of several parts, and asks about one that is far from the table's.
func (o *Orders) checkPrice(a *Ordering, lines []work.Line) error {
	if a.Price == NoPrice {
		return nil
	}
	if len(lines) > 1 {
		var names []string
		for i := range lines {
			names = append(names, lines[i].Name)
		}
		return refuse(notOrdered, "the price is of one part, and these machines need %s; name the part",
			say.And(names))
	}
	if a.SurePrice || len(lines) == 0 {
		return nil
	}
	one := lines[0].Part
	r, ok := o.knowledge.Base().Prices.Of(&one)
	if !ok || a.Price <= r.Most*far && a.Price*far >= r.Least {
		return nil
	}
	paid := price.Range{Least: a.Price, Most: a.Price}
	return refuse("Is the price right?", "%s costs %s %s by the table of prices, and %s is far from that; "+
		"check the price, or confirm it", lines[0].Name, o.knowledge.Base().Prices.Currency, r, paid)
}

// itemsOf are the parts that the order has for machines: those that are to be ordered, or those that the stock has for
// them.
func (o *Orders) itemsOf(a *Ordering, lines []work.Line, mine map[int64]bool, stock bool) []store.PurchaseItem {
	state, currency := work.Ordered, ""
	if stock {
		state = work.Arrived
	}
	if prices := o.knowledge.Base().Prices; prices != nil {
		currency = prices.Currency
	}
	var out []store.PurchaseItem
	for i := range lines {
		l := &lines[i]
		for k := range l.Shares {
			s := &l.Shares[k]
			n := s.ToOrder
			if stock {
				n = s.FromStock
			}
			if n == 0 || mine != nil && !mine[s.Machine] {
				continue
			}
			out = append(out, store.PurchaseItem{MachineID: s.Machine, Part: l.Name, Kind: l.Part.Kind, Count: n,
				Price: a.Price, Currency: currency, State: state, Day: a.Day})
		}
	}
	return out
}

// nothingText says why there is nothing to order for machines.
func nothingText(lines []work.Line, mine map[int64]bool, stock bool) string {
	var sum work.Share
	for i := range lines {
		for k := range lines[i].Shares {
			if s := &lines[i].Shares[k]; mine == nil || mine[s.Machine] {
				sum.Add(s)
			}
		}
	}
	if stock {
		return say.NothingInStock(&sum)
	}
	return say.NothingToOrder(&sum)
}

// ordered sums up items by part and machine.
func (o *Orders) ordered(ctx context.Context, number string, items []store.PurchaseItem) (Ordered, error) {
	out := Ordered{Number: number, Parts: partCounts(items)}
	ids := make([]int64, len(items))
	for i := range items {
		ids[i] = items[i].MachineID
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	out.Count = len(ids)
	var err error
	out.Machines, err = o.work.bulk.refs(ctx, ids)
	return out, err
}

func partCounts(items []store.PurchaseItem) (out []work.PartCount) {
	for i := range items {
		out = work.AddPart(out, items[i].Part, items[i].Count)
	}
	return out
}

// Setting is what became of parts of an order.
type Setting struct {
	Picking
	State string
	Day   string // "": today
	Part  string // "": all parts
}

// Set records what became of parts of an order: all of them, or those of one kind or of some machines.
func (o *Orders) Set(ctx context.Context, number string, s *Setting) (out Ordered, err error) {
	const title = "Nothing was changed"
	order, err := o.Get(ctx, number)
	if err != nil {
		return out, err
	}
	if !slices.Contains(work.ItemStates(), s.State) {
		return out, refuse(title, "%q is not a state of a part; %s", s.State, suggest(s.State, work.ItemStates()))
	}
	fromStock := order.Number == store.FromStock
	if fromStock && (s.State == work.Ordered || s.State == work.Cancelled) {
		return out, refuse(title, "parts from the stock cannot be %s; put them back with the state stock", s.State)
	}
	today := wave.On(o.Now())
	day, err := dayOr(s.Day, today)
	switch {
	case err != nil:
		return out, refuse(title, "%s", err)
	case day > today:
		return out, refuse(title, "%s is in the future; today is %s", day, today)
	case string(day) < order.Day && !fromStock:
		return out, refuse(title, "%s is before %s, when %s was ordered", day, order.Day, order.Number)
	}
	items, err := o.pickItems(ctx, order, s)
	if err != nil {
		return out, err
	}
	if len(items) == 0 {
		return out, refuse(title, "no part of %s that this picks is in another state than %s", order.Number, s.State)
	}
	if out, err = o.ordered(ctx, order.Number, items); err != nil || s.Trial {
		return out, err
	}
	store.Note(ctx, "", fmt.Sprintf("%s: %s since %s", s.State, say.PartCounts(out.Parts), day))
	defer o.index.Changed()
	err = o.Store.SetItems(ctx, items, s.State, string(day), by(ctx), o.Now())
	if errors.Is(err, store.ErrStock) {
		return out, refuse("Not in stock", "%s: these parts have been given to other machines", err)
	}
	return out, err
}

// pickItems are the items of an order that a change concerns.
func (o *Orders) pickItems(ctx context.Context, order *Order, s *Setting) ([]store.PurchaseItem, error) {
	var only map[int64]bool
	if s.Where != "" || len(s.Keys) > 0 {
		ids, err := o.index.Picked(ctx, s.Where, s.Keys)
		if err != nil {
			return nil, err
		}
		only = map[int64]bool{}
		for _, id := range ids {
			only[id] = true
		}
	}
	var parts []string
	var out []store.PurchaseItem
	for i := range order.Items {
		it := &order.Items[i].PurchaseItem
		if !slices.Contains(parts, it.Part) {
			parts = append(parts, it.Part)
		}
		if s.Part != "" && !strings.EqualFold(s.Part, it.Part) || only != nil && !only[it.MachineID] {
			continue
		}
		if it.State != s.State {
			out = append(out, *it)
		}
	}
	if s.Part != "" && !slices.ContainsFunc(parts, func(p string) bool { return strings.EqualFold(p, s.Part) }) {
		return nil, refuse("Unknown part", "the order %s has no part %q; %s", order.Number, s.Part,
			suggest(s.Part, parts))
	}
	return out, nil
}

// List are the orders with the items for machines that the viewer sees, the latest first. An order without such items
// is not listed for a viewer who is limited to sites.
func (o *Orders) List(ctx context.Context) ([]Order, error) {
	list, items, err := o.Store.Purchases(ctx)
	if err != nil {
		return nil, err
	}
	some := map[int64]bool{}
	for i := range items {
		some[items[i].MachineID] = true
	}
	seen, err := o.index.seen(ctx, some)
	if err != nil {
		return nil, err
	}
	limited := ViewerOf(ctx).Limited()
	at := map[int64]int{}
	out := make([]Order, len(list))
	for i := range list {
		out[i].Purchase = list[i]
		at[list[i].ID] = i
	}
	for i := range items {
		it := OrderItem{PurchaseItem: items[i]}
		if r := seen[it.MachineID]; r != nil {
			it.Machine = r.Ref()
		} else if limited {
			continue
		}
		one := &out[at[it.PurchaseID]]
		one.Items = append(one.Items, it)
	}
	return slices.DeleteFunc(out, func(p Order) bool {
		return len(p.Items) == 0 && (limited || p.Number == store.FromStock)
	}), nil
}

// Get is one order.
func (o *Orders) Get(ctx context.Context, number string) (*Order, error) {
	list, err := o.List(ctx)
	if err != nil {
		return nil, err
	}
	var plain []store.Purchase
	for i := range list {
		if strings.EqualFold(list[i].Number, strings.TrimSpace(number)) {
			return &list[i], nil
		}
		plain = append(plain, list[i].Purchase)
	}
	return nil, o.noOrder(plain, number)
}

// Remove deletes an order that was recorded by mistake. One of which parts arrived stays.
func (o *Orders) Remove(ctx context.Context, number string) error {
	const stays = "The order stays"
	order, err := o.Get(ctx, number)
	if err != nil {
		return err
	}
	items, err := o.Store.PurchaseItems(ctx)
	if err != nil {
		return err
	}
	hidden := -len(order.Items)
	for i := range items {
		if items[i].PurchaseID == order.ID {
			hidden++
		}
	}
	if hidden > 0 {
		return refuse(stays, "%s has parts for machines that you do not see; set those of yours to cancelled instead",
			order.Number)
	}
	for i := range order.Items {
		if s := order.Items[i].State; s != work.Ordered && s != work.Cancelled {
			return refuse(stays, "parts of %s have arrived; set the others to cancelled instead", order.Number)
		}
	}
	store.Note(ctx, fmt.Sprintf("%s of %s", order.Number, order.Day), "")
	defer o.index.Changed()
	return o.Store.RemovePurchase(ctx, order.ID)
}

// SetStock notes what is there of a part, which is named as the parts order names it.
func (o *Orders) SetStock(ctx context.Context, part string, stock work.Stock) error {
	known, err := o.parts(ctx)
	if err != nil {
		return err
	}
	part = strings.TrimSpace(part)
	i := slices.IndexFunc(known, func(name string) bool { return strings.EqualFold(name, part) })
	if i < 0 {
		right := cmp.Or(doc.Suggest(part, known), "rolltop work parts lists the parts")
		return refuse("Unknown part", "no plan takes the part %q; %s", part, right)
	}
	return o.putStock(ctx, known[i], stock)
}

// putStock notes what is there of a part.
func (o *Orders) putStock(ctx context.Context, part string, stock work.Stock) error {
	store.Note(ctx, "", fmt.Sprintf("%s: %d on hand, %d days", part, stock.OnHand, stock.LeadDays))
	defer o.index.Changed()
	return o.Store.SetStock(ctx, part, stock, by(ctx), o.Now())
}

// parts are the names of the parts that plans take, that are in the stock, or that were ordered.
func (o *Orders) parts(ctx context.Context) ([]string, error) {
	bought, err := o.work.wholeFleet(ctx)
	if err != nil {
		return nil, err
	}
	stocks, err := o.Store.Stocks(ctx)
	if err != nil {
		return nil, err
	}
	items, err := o.Store.PurchaseItems(ctx)
	var out []string
	for i := range bought {
		out = append(out, bought[i].Name)
	}
	for name := range stocks {
		out = append(out, name)
	}
	for i := range items {
		out = append(out, items[i].Part)
	}
	slices.Sort(out)
	return slices.Compact(out), err
}

// machinesOf are the machines that an order has parts for, or whose plans take a part.
func (o *Orders) machinesOf(ctx context.Context, sought fleet.External) (ids []int64, err error) {
	if sought.What == fleet.ExternalPart {
		bought, err := o.work.wholeFleet(ctx)
		for i := range bought {
			if strings.EqualFold(bought[i].Name, sought.Value) {
				ids = append(ids, bought[i].Machine)
			}
		}
		return ids, err
	}
	list, items, err := o.Store.Purchases(ctx)
	for i := range list {
		if !strings.EqualFold(list[i].Number, sought.Value) {
			continue
		}
		for k := range items {
			if items[k].PurchaseID == list[i].ID && items[k].State != work.Cancelled {
				ids = append(ids, items[k].MachineID)
			}
		}
	}
	return ids, err
}

// noneSuch says that there is no order or part of the name that a filter asks for, with the nearest; "" if there is
// one.
func (o *Orders) noneSuch(ctx context.Context, sought fleet.External) (string, error) {
	var names []string
	what, lists := "order", "rolltop orders lists all"
	if sought.What == fleet.ExternalPart {
		var err error
		if names, err = o.parts(ctx); err != nil {
			return "", err
		}
		what, lists = "part", "rolltop work parts lists them"
	} else {
		list, err := o.List(ctx)
		if err != nil {
			return "", err
		}
		for i := range list {
			names = append(names, list[i].Number)
		}
	}
	for _, name := range names {
		if strings.EqualFold(name, sought.Value) {
			return "", nil
		}
	}
	return fmt.Sprintf("%s=%s: there is no %s %q; %s", sought.What, sought.Value, what, sought.Value,
		cmp.Or(doc.Suggest(sought.Value, names), lists)), nil
}

// For are the items of orders for a machine, each with its order.
func (o *Orders) For(ctx context.Context, machine int64) ([]store.PurchaseItem, map[int64]store.Purchase, error) {
	items, err := o.Store.ItemsOf(ctx, machine)
	if err != nil || len(items) == 0 {
		return nil, nil, err
	}
	list, _, err := o.Store.Purchases(ctx)
	by := map[int64]store.Purchase{}
	for i := range list {
		by[list[i].ID] = list[i]
	}
	return items, by, err
}
