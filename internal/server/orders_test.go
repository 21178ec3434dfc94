package server_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

const laptop = "new laptop"

// line is a line of the parts order of a filter.
func line(t *testing.T, s *servertest.Service, where, part string) api.OrderLine {
	t.Helper()
	w, err := s.Client.Work(ctx, where)
	expect.NoError(t, err)
	for _, l := range w.Order {
		if l.Part == part {
			return l
		}
	}
	t.Fatalf("no line for %q of %q", part, where)
	return api.OrderLine{}
}

// where the parts of a line are.
func at(l *api.OrderLine) string {
	return fmt.Sprint("to order ", l.ToOrder, ", stock ", l.FromStock, ", ordered ", l.Ordered, ", arrived ", l.Arrived,
		", fitted ", l.Fitted)
}

// A part is to be ordered, is ordered, arrives and is fitted; the sum stays what the machines need, and every number
// leads to its machines.
func TestOrders(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	whole := line(t, s, "", laptop)
	expect.That(t, "a few laptops are needed", whole.Quantity >= 6)
	expect.Same(t, "the filter of the line", total(t, c, whole.Where), whole.Machines)
	gull := line(t, s, `site="Gull Quay"`, laptop)

	price := int64(70000)
	order := api.MakeOrder{Number: "T-1", Part: laptop, Where: `site="Gull Quay"`, Supplier: "Quayside Supplies",
		Expected: today(9), Price: &price, DryRun: true}
	trial, err := c.AddOrder(ctx, order)
	expect.NoError(t, err)
	expect.Same(t, "a dry run", fmt.Sprint(trial.Count, trial.DryRun), fmt.Sprint(gull.Machines, true))
	list, err := c.Orders(ctx)
	expect.NoError(t, err)
	expect.Same(t, "a dry run records nothing", len(list.Orders), 0)

	order.DryRun = false
	_, err = c.AddOrder(ctx, order)
	expect.NoError(t, err)
	gull = line(t, s, `site="Gull Quay"`, laptop)
	expect.Same(t, "all of the site", at(&gull), fmt.Sprintf("to order 0, stock 0, ordered %d, arrived 0, fitted 0",
		gull.Quantity))
	after := line(t, s, "", laptop)
	expect.Same(t, "the rest of the fleet", after.ToOrder, whole.Quantity-gull.Quantity)

	got, err := c.SetOrder(ctx, "t-1", api.SetOrder{State: "arrived", Keys: []string{gull.Shares[0].Key}})
	expect.NoError(t, err)
	expect.Same(t, "one machine", got.Count, 1)
	_, err = c.SetOrder(ctx, "T-1", api.SetOrder{State: "fitted", Keys: []string{gull.Shares[0].Key}})
	expect.NoError(t, err)
	_, err = c.SetOrder(ctx, "T-1", api.SetOrder{State: "arrived", Keys: []string{gull.Shares[1].Key}})
	expect.NoError(t, err)
	gull = line(t, s, `site="Gull Quay"`, laptop)
	expect.Same(t, "in three states", at(&gull), fmt.Sprintf("to order 0, stock 0, ordered %d, arrived 1, fitted 1",
		gull.Quantity-2))
	one, err := c.Order(ctx, "T-1")
	expect.NoError(t, err)
	expect.Same(t, "its machines", total(t, c, one.Where), gull.Machines)
	expect.Same(t, "its cost", one.Cost.Least, price*int64(gull.Quantity))
	d, err := c.Machine(ctx, gull.Shares[0].Key)
	expect.NoError(t, err)
	says := ""
	for _, st := range d.Standing {
		if st.Kind == "part" {
			says = st.Says
		}
	}
	expect.Contains(t, says, "New laptop: fitted on ")
	expect.Contains(t, says, "order T-1 from Quayside Supplies")

	b, err := c.Briefing(ctx)
	expect.NoError(t, err)
	expect.Same(t, "spent", b.Money.Spent.Least, 2*price)
	expect.Same(t, "ordered", b.Money.Ordered.Least, price*int64(gull.Quantity-2))
	w, err := c.Work(ctx, "")
	expect.NoError(t, err)
	expect.Same(t, "still needed, as the parts order says", fmt.Sprint(b.Money.Needed.Least, b.Money.Needed.Most),
		fmt.Sprint(w.Cost.Least, w.Cost.Most))
	refused(t, "removing what has arrived", c.RemoveOrder(ctx, "T-1"), "have arrived")
}

// The stock is one pool: what it gives to the machines of one site it does not give to another.
func TestStockIsOnePool(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	whole := line(t, s, "", laptop)
	expect.NoError(t, c.SetStock(ctx, api.SetStock{Part: laptop, OnHand: 3, LeadDays: 12}))
	sites, fromStock, toOrder := map[string]bool{}, 0, 0
	for _, sh := range whole.Shares {
		sites[sh.Site] = true
	}
	for site := range sites {
		l := line(t, s, fmt.Sprintf("site=%q", site), laptop)
		fromStock, toOrder = fromStock+l.FromStock, toOrder+l.ToOrder
	}
	expect.Same(t, "over all sites", fmt.Sprint(fromStock, toOrder), fmt.Sprint(3, whole.Quantity-3))

	// The machine with the first visit gets the first part.
	last := whole.Shares[len(whole.Shares)-1]
	_, err := c.Assign(ctx, api.Assign{Keys: []string{last.Key}, Who: "ada", Day: nextWorkingDay()})
	expect.NoError(t, err)
	first := line(t, s, "", laptop).Shares[0]
	expect.Same(t, "who gets the first", first.Key, last.Key)
	expect.Same(t, "from the stock", first.FromStock, 1)

	got, err := c.AddOrder(ctx, api.MakeOrder{Number: "stock", Part: laptop})
	expect.NoError(t, err)
	expect.Same(t, "set aside", got.Count, 3)
	l := line(t, s, "", laptop)
	expect.Same(t, "the stock is empty", fmt.Sprint(l.OnHand, l.FromStock, l.Arrived), "0 0 3")
	_, err = c.AddOrder(ctx, api.MakeOrder{Number: "Stock", Part: laptop})
	refused(t, "an empty stock", err, "the stock has nothing for these machines")

	_, err = c.SetOrder(ctx, "stock", api.SetOrder{State: "stock", Keys: []string{last.Key}})
	expect.NoError(t, err)
	l = line(t, s, "", laptop)
	expect.Same(t, "one is back", fmt.Sprint(l.OnHand, l.FromStock, l.Arrived), "1 1 2")
	_, err = c.SetOrder(ctx, "stock", api.SetOrder{State: "cancelled"})
	refused(t, "cancelling what came from the stock", err, "put them back")
}

// nextWorkingDay is a day on which a visit can be.
func nextWorkingDay() string {
	d := time.Now().UTC().AddDate(0, 0, 1)
	for d.Weekday() == time.Saturday || d.Weekday() == time.Sunday {
		d = d.AddDate(0, 0, 1)
	}
	return d.Format(time.DateOnly)
}

// What cannot be is refused with what would be right, and nothing is recorded.
func TestOrdersAreRefused(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	good := api.MakeOrder{Number: "T-1", Part: laptop, Where: `site="Gull Quay"`}
	_, err := c.AddOrder(ctx, good)
	expect.NoError(t, err)
	much, cents := int64(250000), int64(6)
	elsewhere := good
	elsewhere.Number, elsewhere.Where = "T-2", `site="North Slip"`
	for _, tt := range []struct {
		name   string
		change func(*api.MakeOrder)
		want   string
	}{
		{"a number twice", func(o *api.MakeOrder) { o.Number = "t-1" }, "the order T-1 of"},
		{"more of an order that does not exist", func(o *api.MakeOrder) { o.Number, o.Append = "T-3", true },
			`there is no order "T-3"; did you mean "T-1"?`},
		{"no machines", func(o *api.MakeOrder) { o.Where, o.Part = "", "" }, "the machines are missing"},
		{"another part", func(o *api.MakeOrder) { o.Part = "new laptob" }, `did you mean "new laptop"?`},
		{"another site", func(o *api.MakeOrder) { o.Where = `site="Norht Slip"` }, `did you mean "North Slip"?`},
		{"ordered tomorrow", func(o *api.MakeOrder) { o.Day = today(1) }, today(1) + " is in the future"},
		{"there before it was ordered", func(o *api.MakeOrder) { o.Expected = today(-1) }, "before they were ordered"},
		{"no day", func(o *api.MakeOrder) { o.Day = "monday" }, "monday"},
		{"a price of everything", func(o *api.MakeOrder) { o.Part, o.Price = "", &much }, "name the part"},
		{"much too dear", func(o *api.MakeOrder) { o.Price = &much }, "costs EUR 640–920 by the table of prices"},
		{"much too cheap", func(o *api.MakeOrder) { o.Price = &cents }, "is far from that"},
		{"ordered already", func(o *api.MakeOrder) { o.Where = `site="Gull Quay"` }, "nothing is to be ordered"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			o := elsewhere
			tt.change(&o)
			_, err := c.AddOrder(ctx, o)
			refused(t, tt.name, err, tt.want)
		})
	}
	for _, tt := range []struct {
		name string
		set  api.SetOrder
		want string
	}{
		{"another state", api.SetOrder{State: "arived"}, `did you mean "arrived"?`},
		{"arrived tomorrow", api.SetOrder{State: "arrived", Day: today(1)}, "in the future"},
		{"arrived before it was ordered", api.SetOrder{State: "arrived", Day: today(-1)}, "when T-1 was ordered"},
		{"another part", api.SetOrder{State: "arrived", Part: "new desktop"}, "has no part"},
		{"another machine", api.SetOrder{State: "arrived", Keys: []string{"nslip-001"}}, "no part of T-1"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			_, err := c.SetOrder(ctx, "T-1", tt.set)
			refused(t, tt.name, err, tt.want)
		})
	}
	list, err := c.Orders(ctx)
	expect.NoError(t, err)
	expect.Same(t, "orders", len(list.Orders), 1)
	sure := elsewhere
	sure.Price, sure.SurePrice = &much, true
	_, err = c.AddOrder(ctx, sure)
	expect.NoError(t, err)
	refused(t, "stock of a part that nobody needs", c.SetStock(ctx, api.SetStock{Part: "new deskop", OnHand: 1}),
		`did you mean "new desktop"?`)
}

// Who sees one site sees the parts of its machines, and no order of others.
func TestOrdersOfASite(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	for n, site := range []string{"Gull Quay", "North Slip"} {
		_, err := s.Client.AddOrder(ctx, api.MakeOrder{Number: fmt.Sprint("T-", n), Part: laptop,
			Where: fmt.Sprintf("site=%q", site)})
		expect.NoError(t, err)
	}
	tok, err := s.Client.AddToken(ctx, api.NewToken{Name: "gull", Scope: "work", Sites: []string{"Gull Quay"}})
	expect.NoError(t, err)
	c := s.As(t, tok.Secret)
	list, err := c.Orders(ctx)
	expect.NoError(t, err)
	expect.Same(t, "orders", fmt.Sprint(len(list.Orders), " ", list.Orders[0].Number), "1 T-0")
	_, err = c.Order(ctx, "T-1")
	refused(t, "an order of another site", err, "there is no order")
	_, err = c.SetOrder(ctx, "T-1", api.SetOrder{State: "arrived"})
	refused(t, "changing it", err, "there is no order")

	// An order for machines of both sites is not theirs to remove.
	_, err = s.Client.AddOrder(ctx, api.MakeOrder{Number: "T-2", Where: `site="Gull Quay","North Slip"`})
	expect.NoError(t, err)
	before, err := s.Client.Order(ctx, "T-2")
	expect.NoError(t, err)
	refused(t, "removing an order of both", c.RemoveOrder(ctx, "T-2"), "machines that you do not see")
	after, err := s.Client.Order(ctx, "T-2")
	expect.NoError(t, err)
	expect.Same(t, "its parts", len(after.Items), len(before.Items))
}

// One machine takes the place of one other; the hand-over list follows what is ticked.
func TestReplacements(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	_, err := c.SetReplacement(ctx, "gull-002", api.SetReplacement{NewName: "GULL-041", Note: "by the window"})
	expect.NoError(t, err)
	for _, tt := range []struct{ name, key, to, want string }{
		{"the same twice", "gull-008", "gull-041", "takes the place of another machine already"},
		{"itself", "gull-008", "GULL-008", "cannot take its own place"},
		{"a Mac for a PC", "gull-008", "nslip-m03", "give a machine of the same class"},
		{"a machine that does not exist", "gull-999", "GULL-042", `there is no machine "gull-999"`},
		{"no name", "gull-008", " ", "the name of the new machine is missing"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			_, err := c.SetReplacement(ctx, tt.key, api.SetReplacement{NewName: tt.to})
			refused(t, tt.name, err, tt.want)
		})
	}
	h, err := c.HandOver(ctx, "gull-002")
	expect.NoError(t, err)
	expect.That(t, "nothing of its titles is known", h.Titles == nil)
	expect.Contains(t, h.Says, "GULL-041 takes its place; it has not reported yet")
	_, err = c.SetTick(ctx, "gull-002", "leave", "data-moved", api.SayTick{State: "done"})
	expect.NoError(t, err)
	// It is another machine that has reported.
	_, err = c.SetReplacement(ctx, "gull-002", api.SetReplacement{NewName: "gull-003"})
	expect.NoError(t, err)
	h, err = c.HandOver(ctx, "gull-002")
	expect.NoError(t, err)
	expect.Same(t, "the new one", fmt.Sprint(h.New.Key, " ", h.NewName, " ", h.Done), "gull-003 GULL-003 1")
	expect.That(t, "its titles are compared", h.Titles != nil)
	d, err := c.Machine(ctx, "gull-003")
	expect.NoError(t, err)
	said := false
	for _, st := range d.Standing {
		said = said || st.Says == "It takes the place of GULL-002."
	}
	expect.That(t, "the new machine says so", said)
	expect.NoError(t, c.RemoveReplacement(ctx, "gull-002"))
	_, err = c.HandOver(ctx, "gull-002")
	refused(t, "a pair that was removed", err, "no machine takes the place of")
}

// A removed record takes its pair along, and leaves what was paid.
func TestWhatWasPaidStays(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	price := int64(70000)
	_, err := c.AddOrder(ctx, api.MakeOrder{Number: "T-1", Part: laptop, Keys: []string{"gull-002"}, Price: &price})
	expect.NoError(t, err)
	_, err = c.SetOrder(ctx, "T-1", api.SetOrder{State: "fitted"})
	expect.NoError(t, err)
	expect.NoError(t, c.RemoveMachine(ctx, "gull-002"))
	b, err := c.Briefing(ctx)
	expect.NoError(t, err)
	expect.Same(t, "spent", b.Money.Spent.Least, price)
	o, err := c.Order(ctx, "T-1")
	expect.NoError(t, err)
	expect.Same(t, "its machine", o.Items[0].Machine.Key, "")
	expect.Lacks(t, strings.ToLower(o.Says+o.By), "gull")
}

// Every number of the briefing is the number of machines that its filter lists, and together they are all machines that
// are to run the release.
func TestNumbersOfTheBriefing(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	expect.NoError(t, standin.Furnish(ctx, s, s.Now()))
	b, err := s.Client.Briefing(ctx)
	expect.NoError(t, err)
	expect.Same(t, "classes", len(b.Classes), 2)
	for _, c := range b.Classes {
		for _, n := range []api.Count{c.Done, c.OnTheWay, c.Ready, c.Blocked, c.Unknown, c.Stay} {
			if n.Where != "" {
				expect.Same(t, c.Release+": "+n.Name, total(t, s.Client, n.Where), n.Count)
			}
		}
		expect.Same(
			t,
			c.Release+" in all",
			c.Done.Count+c.Ready.Count+c.Blocked.Count+c.Unknown.Count+c.Unseen,
			c.Machines,
		)
	}
	expect.Same(t, "what came in a week", b.Week[0], "Eight machines came to their target.")
	expect.Same(t, "decisions", len(b.Decisions), 4)
	expect.Contains(t, b.Money.Extended.Says, "for two machines")

	// Who stays for a few days needs no support beyond its end; what comes from the stock was paid for before.
	_, err = s.Client.Decide(
		ctx,
		api.MakeDecision{Kind: "stay", Scope: "key=gull-013", Until: today(9), Reason: "fair"},
	)
	expect.NoError(t, err)
	_, err = s.Client.AddOrder(ctx, api.MakeOrder{Number: "stock", Part: "4 GiB DDR4 DIMM, 2666 MT/s or faster"})
	expect.NoError(t, err)
	again, err := s.Client.Briefing(ctx)
	expect.NoError(t, err)
	expect.Same(t, "decisions", len(again.Decisions), 5)
	expect.Same(t, "extended support", again.Money.Extended.Says, b.Money.Extended.Says)
	expect.Same(t, "spent", again.Money.Spent.Says, b.Money.Spent.Says)
	expect.Lacks(t, again.Money.Says, "no price")
}

// Who is limited to a site is told of no order, answer or machine of another.
func TestOthersAreNotNamed(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	_, err := s.Client.AddOrder(ctx, api.MakeOrder{Number: "T-77", Part: laptop, Where: `site="North Slip"`})
	expect.NoError(t, err)
	_, err = s.Client.SetReplacement(ctx, "gull-002", api.SetReplacement{NewName: "nslip-003"})
	expect.NoError(t, err)
	tok, err := s.Client.AddToken(ctx, api.NewToken{Name: "gull", Scope: "work", Sites: []string{"Gull Quay"}})
	expect.NoError(t, err)
	c := s.As(t, tok.Secret)
	_, err = c.MachineList(ctx, client.List{Where: "order=T-99"})
	refused(t, "the nearest order", err, `there is no order "T-99"`)
	expect.Lacks(t, err.Error(), "T-77")
	l, err := c.Replacements(ctx)
	expect.NoError(t, err)
	expect.Lacks(t, l.Replacements[0].Says, "reported") // it has, at a site that they do not see
	_, err = c.QuestionAnswers(ctx)
	refused(t, "answers of everybody", err, "limited to Gull Quay")
}

// A part that was fitted counts until a later inventory: if the machine still lacks it, it is to be ordered again.
func TestAFittedPartThatIsStillMissing(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	c := m.s.Client
	const key = "gull-024"
	m.morning(key)
	w, err := c.Work(ctx, "key="+key)
	expect.NoError(t, err)
	part := w.Order[0].Part
	_, err = c.AddOrder(ctx, api.MakeOrder{Number: "T-1", Part: part, Keys: []string{key}})
	expect.NoError(t, err)
	_, err = c.SetOrder(ctx, "T-1", api.SetOrder{State: "fitted"})
	expect.NoError(t, err)
	l := line(t, m.s, "key="+key, part)
	expect.Same(t, "fitted", at(&l), "to order 0, stock 0, ordered 0, arrived 0, fitted 1")
	m.morning(key)
	l = line(t, m.s, "key="+key, part)
	expect.Same(t, "an inventory later", at(&l), "to order 1, stock 0, ordered 0, arrived 0, fitted 0")
}
