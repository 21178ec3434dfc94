package server_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
)

// ledger is the month as somebody would keep it on paper: what was ordered, what became of it, who goes when. The
// service is compared with it on every day.
type ledger struct {
	*month
	prices map[string]int64             // of one part, by order
	parts  map[string]string            // by order
	items  map[string]map[string]string // state by order, then by machine and part
	counts map[string]int               // of each item
	stay   map[string]bool              // machines that were decided about
	days   int
}

func newLedger(t *testing.T) *ledger {
	m := newMonth(t)
	now, err := m.s.Client.Settings(ctx)
	expect.NoError(t, err)
	now.WorkingDays = "mon,tue,wed,thu,fri"
	_, err = m.s.Client.SetSettings(ctx, now)
	expect.NoError(t, err)
	list, err := m.s.Client.MachineList(ctx, client.List{Size: 1000})
	expect.NoError(t, err)
	for i := range list.Machines { // those that came in from elsewhere report from now on
		if key := list.Machines[i].Key; m.reports[key] == nil {
			src, err := m.s.Client.Inventory(ctx, key, 0)
			expect.NoError(t, err)
			m.reports[key], err = inventory.Read(key, src)
			expect.NoError(t, err)
		}
	}
	return &ledger{month: m, prices: map[string]int64{}, parts: map[string]string{},
		items:  map[string]map[string]string{},
		counts: map[string]int{}, stay: map[string]bool{}}
}

// order records an order of a part for all machines that still need it, here and there.
func (l *ledger) order(number, part string, price int64) {
	l.Helper()
	var shares []api.PartShare
	for _, line := range l.worklist().Order {
		if line.Part == part {
			shares = line.Shares
		}
	}
	_, err := l.s.Client.AddOrder(ctx, api.MakeOrder{Number: number, Part: part, Price: &price, Expected: l.day(3)})
	expect.NoError(l, err)
	l.prices[number], l.parts[number], l.items[number] = price, part, map[string]string{}
	for _, s := range shares {
		if s.ToOrder > 0 {
			l.items[number][s.Key] = "ordered"
			l.counts[number+s.Key] = s.ToOrder
		}
	}
}

// becomes records what became of the parts of an order, here and there.
func (l *ledger) becomes(number, state string, keys ...string) {
	l.Helper()
	_, err := l.s.Client.SetOrder(ctx, number, api.SetOrder{State: state, Keys: keys})
	expect.NoError(l, err)
	for key := range l.items[number] {
		if len(keys) == 0 || slices.Contains(keys, key) {
			l.items[number][key] = state
		}
	}
}

// tomorrow is the morning of the next working day: all machines report, and everything is counted again.
func (l *ledger) tomorrow() {
	l.Helper()
	for d := l.now().Weekday(); d == time.Friday || d == time.Saturday; d = l.now().Weekday() {
		l.clock.Add(int64(24 * time.Hour))
	}
	l.morning()
	l.days++
	l.recount()
}

// rows are all machines, one by one.
func (l *ledger) rows() []api.MachineRow {
	l.Helper()
	list, err := l.s.Client.MachineList(ctx, client.List{Size: 1000})
	expect.NoError(l, err)
	expect.Same(l, "machines on one page", len(list.Machines), list.Total)
	return list.Machines
}

// recount compares counts, money and dates with a plain recount: of the machines one by one, of what was reported, and
// of what was written down.
func (l *ledger) recount() {
	l.Helper()
	c := l.s.Client
	at := func(what string) string { return fmt.Sprintf("day %d: %s", l.days, what) }
	rows := l.rows()
	counted, installed, deadlines := map[string]int{}, 0, map[string]int{}
	for i := range rows {
		r := &rows[i]
		counted[r.Disposition]++
		stays := slices.Contains(r.Decided, "stay")
		expect.Same(l, at(r.Key+" stays"), stays, l.stay[r.Key] && !r.Retired)
		if r.Class != "pc" {
			continue
		}
		reported := r.Installed
		if d := l.reports[r.Key]; d != nil { // the others are known from other sources, and do not report
			reported = d.OS.Name.Or("")
			expect.Same(l, at(r.Key+" runs"), r.Installed, reported)
		}
		if reported == "Skerry 12" {
			installed++
		} else if !stays && r.SupportEnds != "" {
			deadlines[r.SupportEnds]++
		}
	}
	f, err := c.Fleet(ctx, "")
	expect.NoError(l, err)
	for _, d := range f.Dispositions {
		expect.Same(l, at(d.Name), d.Count, counted[d.Name])
	}
	fc := l.forecast()
	expect.Same(l, at("machines on the target"), fc.On, installed)
	for _, d := range fc.Deadlines {
		expect.Same(l, at("support ends on "+d.Day), d.Machines, deadlines[d.Day])
	}
	expect.Same(l, at("days on which support ends"), len(fc.Deadlines), len(deadlines))
	l.recountMoney(at)
	l.recountWaves(at)
}

// recountMoney compares what was spent and ordered with what was written down, and what is needed with the lines.
func (l *ledger) recountMoney(at func(string) string) {
	l.Helper()
	var spent, ordered, least, most int64
	for number, items := range l.items {
		for key, state := range items {
			sum := l.prices[number] * int64(l.counts[number+key])
			switch state {
			case "ordered":
				ordered += sum
			case "arrived", "fitted":
				spent += sum
			}
		}
	}
	b, err := l.s.Client.Briefing(ctx)
	expect.NoError(l, err)
	expect.Same(l, at("spent"), b.Money.Spent.Least, spent)
	expect.Same(l, at("ordered"), b.Money.Ordered.Least, ordered)
	w := l.worklist()
	for i := range w.Order {
		line := &w.Order[i]
		least, most = least+line.Price.Least, most+line.Price.Most
		var sum api.PartShare
		for _, s := range line.Shares {
			expect.Same(
				l,
				at(line.Part+" of "+s.Key),
				fmt.Sprint(s.Ordered, s.Arrived, s.Fitted),
				l.written(line.Part, s.Key),
			)
			sum.ToOrder, sum.FromStock = sum.ToOrder+s.ToOrder, sum.FromStock+s.FromStock
			sum.Ordered += s.Ordered
			sum.Arrived, sum.Fitted = sum.Arrived+s.Arrived, sum.Fitted+s.Fitted
		}
		expect.Same(l, at(line.Part), fmt.Sprint(line.ToOrder, line.FromStock, line.Ordered, line.Arrived, line.Fitted),
			fmt.Sprint(sum.ToOrder, sum.FromStock, sum.Ordered, sum.Arrived, sum.Fitted))
		expect.Same(l, at(line.Part+" in all"), line.Quantity,
			sum.ToOrder+sum.FromStock+sum.Ordered+sum.Arrived+sum.Fitted)
	}
	expect.Same(l, at("still needed"), fmt.Sprint(b.Money.Needed.Least, b.Money.Needed.Most), fmt.Sprint(least, most))
	expect.Same(l, at("visits"), b.Visits, w.Visits)
}

// written is what was written down of a part of a machine: ordered, arrived, fitted.
func (l *ledger) written(part, key string) string {
	n := map[string]int{}
	for number, items := range l.items {
		if l.parts[number] == part {
			n[items[key]] += l.counts[number+key]
		}
	}
	return fmt.Sprint(n["ordered"], n["arrived"], n["fitted"])
}

// recountWaves compares the counts of each wave with its members, and their days with its own.
func (l *ledger) recountWaves(at func(string) string) {
	l.Helper()
	list, err := l.s.Client.Waves(ctx)
	expect.NoError(l, err)
	for i := range list.Waves {
		w := l.wave(list.Waves[i].ID)
		outcomes := map[string]int{}
		for _, m := range w.Members {
			outcomes[m.Outcome]++
			if m.Day == "" {
				continue
			}
			d, err := time.Parse(time.DateOnly, string(m.Day))
			expect.NoError(l, err)
			expect.That(l, at(w.Name+": "+string(m.Day)+" is a working day"),
				d.Weekday() != time.Saturday && d.Weekday() != time.Sunday)
			expect.That(l, at(w.Name+": "+string(m.Day)+" is one of its days"),
				string(m.Day) >= w.Starts && string(m.Day) <= w.Ends)
		}
		for outcome, n := range w.Outcomes {
			expect.Same(l, at(w.Name+": "+outcome), n, outcomes[outcome])
		}
	}
}

// send puts the machines of a rule into a wave and hands them off. It gives the wave.
func (l *ledger) send(w api.MakeWave, byName ...string) *api.WaveDetail {
	l.Helper()
	w.Starts = l.day(0)
	if w.Ends == "" {
		w.Ends = l.day(18)
	}
	one, err := l.s.Client.SetWave(ctx, 0, w)
	expect.NoError(l, err)
	got, err := l.s.Client.FillWave(ctx, one.ID, api.FillWave{Keys: byName, ByName: len(byName) > 0})
	expect.NoError(l, err)
	expect.That(l, w.Name+" has machines", got.Added > 0)
	_, err = l.s.Client.HandedOff(ctx, one.ID)
	expect.NoError(l, err)
	return l.wave(one.ID)
}

// target puts the target on a machine of either class.
func (l *ledger) target(key string) {
	if strings.Contains(l.reports[key].OS.Name.Or(""), "Fathom") {
		l.install(key, "Fathom 9", "9.0")
		return
	}
	l.upgrade(key)
}

// fitted are what parts do to a machine, as its next inventory shows, by the kind of part.
var fitted = map[string]func(*inventory.Document){
	"memory-module": func(d *inventory.Document) {
		d.Memory.Installed, d.Memory.Visible = inventory.Some(int64(16<<30)), inventory.Some(int64(16<<30))
	},
	"tpm-module": workDone["tpm-on"],
}

// A month to the end: a pilot that fails and stops its wave, intermediate releases and clean installations, orders
// that arrive and are fitted, a change that is undone. At its end each machine is done, or somebody has decided about
// it.
// Counts, money and dates are those of a plain recount on every day.
func TestAMonthToItsEnd(t *testing.T) {
	t.Parallel()
	l := newLedger(t)
	c := l.s.Client
	l.tomorrow()

	// The pilot fails, and stops the wave behind it.
	pilot := l.send(api.MakeWave{Name: "Pilot", Pilot: true, Rule: `site="Lantern Pier" disposition=ready class=pc`,
		Most: 5, StopPercent: 20, Ends: l.day(0)})
	var said api.Outcomes
	for _, m := range pilot.Members[:2] {
		said.Outcomes = append(said.Outcomes, api.SaidOutcome{Machine: m.Key, Outcome: "failed", Reason: "no network"})
	}
	for _, m := range pilot.Members[2:] {
		l.target(m.Key)
	}
	_, err := c.Outcomes(ctx, pilot.ID, said)
	expect.NoError(t, err)
	l.tomorrow()
	next, err := c.SetWave(ctx, 0, api.MakeWave{Name: "Everybody", Rule: "disposition=ready class=pc", Most: 200,
		Starts: l.day(0), Ends: l.day(18)})
	expect.NoError(t, err)
	_, err = c.FillWave(ctx, next.ID, api.FillWave{})
	expect.NoError(t, err)
	_, err = c.HandedOff(ctx, next.ID)
	refused(t, "a wave behind a pilot that failed", err, "paused")
	_, err = c.ResumeWave(ctx, pilot.ID, "the switch was repaired")
	expect.NoError(t, err)
	_, err = c.HandedOff(ctx, next.ID)
	expect.NoError(t, err)
	for _, m := range l.wave(next.ID).Members {
		l.target(m.Key)
	}

	// Everything that is needed is ordered; what was given to the wrong technician is undone.
	for i, line := range l.worklist().Order {
		l.order(fmt.Sprint("T-", i), line.Part, (line.Price.Least+line.Price.Most)/2/int64(max(1, line.ToOrder)))
	}
	given, err := c.Assign(ctx, api.Assign{Where: "disposition=refit", Who: "ada"})
	expect.NoError(t, err)
	undone, err := c.Undo(ctx, given.Change, false)
	expect.NoError(t, err)
	expect.Same(t, "undone", undone.Undone, given.Changed)
	expect.Same(t, "nobody has them", l.total("assigned=ada"), 0)
	l.tomorrow()
	expect.Same(t, "the wave has arrived", l.wave(next.ID).Outcomes["arrived"], len(l.wave(next.ID).Members))

	// Intermediate releases, hop by hop.
	hops := l.send(api.MakeWave{Name: "By way of another", Rule: "route=interim step=interim", Most: 60})
	for _, m := range hops.Members {
		l.install(m.Key, m.Hops[0].Release, map[string]string{"Skerry 11": "11.2"}[m.Hops[0].Release])
	}
	l.tomorrow()
	for _, m := range hops.Members {
		l.target(m.Key)
	}
	l.tomorrow()
	expect.Same(t, "by way of another", l.wave(hops.ID).Outcomes["arrived"], len(hops.Members))

	// Visits: what settings and parts do shows the next day, when the parts have arrived.
	for number := range l.items {
		l.becomes(number, "arrived")
	}
	settled := 0
	for _, stop := range l.worklist().Stops {
		for i := range stop.Visits {
			if l.do(&stop.Visits[i], true) {
				settled++
			}
		}
	}
	for _, line := range l.worklist().Order {
		for _, s := range line.Shares {
			if effect := fitted[line.Kind]; effect != nil {
				effect(l.reports[s.Key])
				l.becomes(orderOf(l, s.Key, line.Part), "fitted", s.Key)
				settled++
			}
		}
	}
	expect.That(t, "many are settled", settled > 30)
	l.tomorrow()
	macs := l.send(api.MakeWave{Name: "Macs", Release: "fathom-9", Rule: "class=mac disposition=ready", Most: 60})
	rest := l.send(api.MakeWave{Name: "The rest", Rule: "class=pc disposition=ready", Most: 200})
	clean := l.keys("class=pc route=reinstall step=reinstall disposition=reconfigure")
	var afresh *api.WaveDetail
	if len(clean) > 0 {
		afresh = l.send(api.MakeWave{Name: "Emptied disks", Rule: "class=pc step=reinstall", Most: 20}, clean...)
	}
	for _, w := range []*api.WaveDetail{macs, rest, afresh} {
		for _, m := range w.Members {
			l.target(m.Key)
		}
	}
	l.tomorrow()
	for _, w := range []*api.WaveDetail{macs, rest, afresh} {
		expect.Same(t, w.Name, l.wave(w.ID).Outcomes["arrived"], len(w.Members))
	}

	// About the others somebody decides.
	left := l.keys("disposition!=done decision!=stay")
	for _, key := range left {
		l.stay[key] = true
	}
	_, err = c.Change(ctx, api.MachineChanges{Keys: left, Tag: []string{"spring"}})
	expect.NoError(t, err)
	_, err = c.Decide(ctx, api.MakeDecision{Kind: "stay", Scope: "tag=spring", Until: l.day(200),
		Reason: "They are replaced in spring"})
	expect.NoError(t, err)
	l.tomorrow()
	open := 0
	for _, r := range l.rows() {
		if r.Disposition != "done" && !slices.Contains(r.Decided, "stay") {
			open++
		}
	}
	expect.Same(t, "machines about which nothing is decided", open, 0)
	w := l.worklist()
	expect.Same(t, "work that is left", fmt.Sprint(w.Visits, len(w.Order)), "0 0")
	done := l.total("disposition=done")
	expect.That(t, "most are done", done > 150)
	t.Logf(
		"%d days: %d machines are done, %d stay; orders %v",
		l.days,
		done,
		len(left),
		slices.Sorted(maps.Keys(l.items)),
	)
}

// orderOf is the order that has a part for a machine.
func orderOf(l *ledger, key, part string) string {
	l.Helper()
	for number := range l.items {
		o, err := l.s.Client.Order(ctx, number)
		expect.NoError(l, err)
		for _, it := range o.Items {
			if it.Machine.Key == key && it.Part == part {
				return number
			}
		}
	}
	l.Fatalf("no order has %s for %s", part, key)
	return ""
}
