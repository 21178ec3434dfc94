package cli

import (
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func ordersCommand() *cobra.Command {
	return noun(
		"orders",
		"Orders of parts: which machine gets which part, and what became of it",
		"orders",
		listOrders,
		command("show NUMBER", "Show an order: which machine gets which part", showOrder),
		command("add NUMBER [MACHINE…]",
			"Record an order that was placed; the number stock takes the parts from the stock", addOrder),
		command("set NUMBER STATE [MACHINE…]",
			"Record what became of its parts: arrived, fitted, stock or cancelled", setOrder),
		command("remove NUMBER", "Remove an order that was recorded by mistake", removeOrder),
	)
}

func listOrders(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Orders(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.Order]{format: "rolltop-orders/1", none: "No orders; rolltop work parts shows what to order.",
		columns: []column[api.Order]{
			{name: "number", head: "Order", value: func(o *api.Order) string { return o.Number }},
			{name: "supplier", head: "Supplier", value: func(o *api.Order) string { return o.Supplier }},
			{name: "day", head: "Placed", value: func(o *api.Order) string { return o.Day }},
			{name: "expected", head: "Expected", value: func(o *api.Order) string { return o.Expected }},
			{name: "cost", head: "Cost", value: func(o *api.Order) string { return o.Cost.Says }},
			{
				name:  "says",
				head:  "Parts",
				value: func(o *api.Order) string { return o.Says },
			},
		}}
	return table.print(c.place, form, l, l.Orders)
}

func showOrder(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	o, err := s.Order(c.ctx(), c.args[0])
	if err != nil {
		return err
	}
	table := listing[api.OrderItem]{format: "rolltop-order/1", columns: []column[api.OrderItem]{
		{
			name:  "machine",
			head:  "Machine",
			value: func(i *api.OrderItem) string { return first(i.Machine.Name, "removed") },
		},
		{name: "key", only: true, value: func(i *api.OrderItem) string { return i.Machine.Key }},
		{name: "site", head: "Site", value: func(i *api.OrderItem) string { return i.Machine.Site }},
		{name: "part", head: "Part", value: func(i *api.OrderItem) string { return i.Part }},
		{name: "count", head: "Number", value: func(i *api.OrderItem) string { return strconv.Itoa(i.Count) }},
		{name: "state", head: "State", value: func(i *api.OrderItem) string { return i.State },
			text: func(i *api.OrderItem) string { return i.Word }},
		{name: "day", head: "Since", value: func(i *api.OrderItem) string { return i.Day }},
	}}
	if form == "text" {
		p := c.paper()
		p.text("", p.style(bold, "Order "+o.Number+": "+o.Says))
		p.line("")
	}
	return table.print(c.place, form, o, o.Items)
}

// orderOptions are those of an order that is recorded.
type orderOptions struct {
	where
	Part      string `option:"part" usage:"name of the part, as in work parts (default: all that the machines need)" complete:"part"`
	Supplier  string `option:"supplier" usage:"who delivers it"`
	Day       string `option:"day" usage:"day on which it was placed, such as 2026-11-23 (default: today)"`
	Expected  string `option:"expected" usage:"day on which it should arrive"`
	Price     string `option:"price" usage:"price of one part, such as 21.50"`
	SurePrice bool   `option:"confirm-price" usage:"even if the price is far from that of the table"`
	Append    bool   `option:"append" usage:"the order exists, and gets further parts"`
	DryRun    bool   `option:"dry-run" usage:"show what would be recorded, and record nothing"`
	serviceOptions
}

func addOrder(c *call[orderOptions]) error {
	o := api.MakeOrder{
		Number: c.args[0], Keys: c.args[1:], Where: c.o.Where, Part: c.o.Part, Supplier: c.o.Supplier, Day: c.o.Day,
		Expected: c.o.Expected, SurePrice: c.o.SurePrice, Append: c.o.Append, DryRun: c.o.DryRun,
	}
	if c.o.Price != "" {
		cents, ok := readPrice(c.o.Price)
		if !ok {
			return wrongUsage("--price %q is not a price; write a number with at most two places, such as 21.50",
				c.o.Price)
		}
		o.Price = &cents
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	got, err := s.AddOrder(c.ctx(), o)
	if err != nil {
		return asUsage(err)
	}
	printOrdered(c.place, &got)
	return nil
}

// readPrice reads 21.50, in hundredths.
func readPrice(text string) (int64, bool) {
	whole, fraction, _ := strings.Cut(strings.TrimSpace(text), ".")
	if len(fraction) > 2 {
		return 0, false
	}
	cents, err := strconv.ParseUint(whole+(fraction + "00")[:2], 10, 40)
	return int64(cents), err == nil && whole != ""
}

// printOrdered says what the recording of an order, or of what became of it, came to.
func printOrdered(c *place, o *api.OrderChanged) {
	c.done("%s", o.Says)
	c.done("%s", namesText(o.Machines, o.Count))
}

// setOrderOptions are those of what became of the parts of an order.
type setOrderOptions struct {
	where
	Part   string `option:"part" usage:"name of the part (default: all parts of the order)" complete:"part"`
	Day    string `option:"day" usage:"day since when, such as 2026-11-23 (default: today)"`
	DryRun bool   `option:"dry-run" usage:"show what would be recorded, and record nothing"`
	serviceOptions
}

func setOrder(c *call[setOrderOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	got, err := s.SetOrder(c.ctx(), c.args[0], api.SetOrder{
		State: c.args[1], Keys: c.args[2:], Where: c.o.Where, Part: c.o.Part, Day: c.o.Day, DryRun: c.o.DryRun,
	})
	if err != nil {
		return asUsage(err)
	}
	printOrdered(c.place, &got)
	return nil
}

func removeOrder(c *call[removeOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove the order %s?", c.args[0]); err != nil {
		return err
	}
	if err := s.RemoveOrder(c.ctx(), c.args[0]); err != nil {
		return asUsage(err)
	}
	c.done("The order %s is removed.", c.args[0])
	return nil
}

func replacementsCommand() *cobra.Command {
	return noun(
		"replacements",
		"Replacements: which machine takes the place of which, and what is handed over",
		"replacements",
		listReplacements,
		command(
			"show MACHINE",
			"Show what is handed over from a machine to the one that takes its place",
			showHandOver,
		),
		command("set MACHINE NAME", "Record which machine takes the place of a machine", setReplacement),
		command("remove MACHINE", "Remove the record of which machine takes its place", removeReplacement),
	)
}

func listReplacements(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Replacements(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.Replacement]{format: "rolltop-replacements/1", none: "No replacements.",
		columns: []column[api.Replacement]{
			{name: "old", head: "Old", value: func(r *api.Replacement) string { return r.Old.Name }},
			{name: "site", head: "Site", value: func(r *api.Replacement) string { return r.Old.Site }},
			{name: "new", head: "New", value: func(r *api.Replacement) string { return r.NewName }},
			{name: "done", head: "Done", value: func(r *api.Replacement) string { return strconv.Itoa(r.Done) },
				text: func(r *api.Replacement) string { return strconv.Itoa(r.Done) + " of " + strconv.Itoa(r.Of) }},
			{name: "says", head: "", value: func(r *api.Replacement) string { return r.Says }},
		}}
	return table.print(c.place, form, l, l.Replacements)
}

func showHandOver(c *call[shown]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	h, err := s.HandOver(c.ctx(), c.args[0])
	if err != nil {
		return err
	}
	if form == "json" {
		return printDocument(c.out(), "rolltop-hand-over/1", h)
	}
	p := c.paper()
	p.text("", p.style(bold, h.Old.Name+" → "+h.NewName))
	p.text("  ", h.Says)
	if h.Contact != "" || h.Desk != "" {
		p.text("  ", say.Reached(h.Contact, h.Desk))
	}
	if h.Note != "" {
		p.text("  ", h.Note)
	}
	if h.Titles != nil {
		p.text("  ", "On the new machine: "+say.Lower(h.Titles.Says))
	}
	p.line("")
	rows := make([][]string, len(h.Items))
	for i := range h.Items {
		l := &h.Items[i]
		state := "open"
		if l.Ticked != nil {
			state = l.Ticked.Says()
		}
		rows[i] = []string{l.Title, "leave/" + l.ID, state}
	}
	p.table([]string{"Hand-over", "Item", "State"}, rows)
	return nil
}

// replacementOptions are those of a replacement.
type replacementOptions struct {
	Note string `option:"note" usage:"note for whoever hands it over"`
	serviceOptions
}

func setReplacement(c *call[replacementOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	r, err := s.SetReplacement(c.ctx(), c.args[0], api.SetReplacement{NewName: c.args[1], Note: c.o.Note})
	if err != nil {
		return asUsage(err)
	}
	c.done("%s: %s", r.Old.Name, r.Says)
	return nil
}

func removeReplacement(c *call[removeOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove the record of which machine takes the place of %s?", c.args[0]); err != nil {
		return err
	}
	if err := s.RemoveReplacement(c.ctx(), c.args[0]); err != nil {
		return err
	}
	c.done("The replacement of %s is removed.", c.args[0])
	return nil
}
