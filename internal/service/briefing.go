package service

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Briefing is the page for the head of the organisation: whether the fleet is there in time, what it costs, what was
// decided, what a week has changed. Each figure is counted when it is asked for.
type Briefing struct {
	At        time.Time
	Headline  string
	Classes   []ClassBriefing
	Money     Money
	Effort    work.Effort // of what is left to do
	Days      [2]int      // that the visits take, least and most, with all technicians at work
	Decisions []Decided   // that count, those for the most machines first
	Week      say.Week
}

// ClassBriefing is where the machines of a class stand to their target.
type ClassBriefing struct {
	Forecast
	OnTheWay int      // waiting or handed off in a wave that has not ended
	Way      string   // filter that lists these; "" if no wave is open
	AtRisk   int      // not there when support of what they run ends, at the actual pace
	End      wave.Day // the next end of support that machines run into; "": none
}

// Money is what was paid, what is ordered, and what is still needed, in one currency.
type Money struct {
	Currency string
	Spent    int64 // for parts that arrived, in hundredths
	Ordered  int64 // for parts that are awaited
	NoPrice  int   // parts of either that no price in this currency was recorded for
	Needed   price.Range
	Unpriced int         // parts to order that no price is known of
	Labour   price.Range // of the visits that are left
	Extended price.Range // support beyond its end, for machines that stay
	Stay     int         // machines that stay beyond the end of support
	Hours    bool        // the price of an hour is known
	Support  bool        // the price of extended support is known for all of these
}

// Briefings make the page for the head of the organisation.
type Briefings struct {
	Records
	work   *Work
	orders *Orders
}

// daysOfWeek is how far back a briefing looks.
const daysOfWeek = 7

// Briefing puts the page for the head of the organisation together.
func (b *Briefings) Briefing(ctx context.Context, staleDays int) (*Briefing, error) {
	out := &Briefing{At: b.Now().UTC()}
	cal, err := b.work.waves.Calendar(ctx)
	if err != nil {
		return nil, err
	}
	forecasts, err := b.work.Forecasts(ctx, cal, staleDays, 0, "")
	if err != nil {
		return nil, err
	}
	on, err := b.underWay(ctx)
	if err != nil {
		return nil, err
	}
	today := wave.On(b.Now())
	for _, f := range forecasts {
		c := ClassBriefing{Forecast: f, AtRisk: f.Late}
		if on != "" {
			c.Way = fleet.Term("class", f.Class) + " " + on
			if c.OnTheWay, err = b.count(ctx, c.Way); err != nil {
				return nil, err
			}
		}
		for _, d := range f.Deadlines {
			if d.Day >= today {
				c.End = d.Day
				break
			}
		}
		out.Classes = append(out.Classes, c)
	}
	tally, err := b.tally(ctx, out)
	if err != nil {
		return nil, err
	}
	list, err := b.work.decisions.List(ctx)
	if err != nil {
		return nil, err
	}
	for i := range list {
		if list[i].Counts {
			out.Decisions = append(out.Decisions, list[i])
		}
	}
	slices.SortStableFunc(out.Decisions, func(a, b Decided) int { return b.Machines - a.Machines })
	if err := b.money(ctx, out); err != nil {
		return nil, err
	}
	out.Week.Is = tally
	return out, b.week(ctx, list, &out.Week)
}

// underWay is the filter that lists the machines that wait or are handed off in waves that have not ended; "" if no
// wave is open.
func (b *Briefings) underWay(ctx context.Context) (string, error) {
	all, err := b.Store.Waves(ctx)
	var open []string
	for i := range all {
		if !all[i].Ended {
			open = append(open, strconv.FormatInt(all[i].ID, 10))
		}
	}
	if len(open) == 0 {
		return "", err
	}
	return fleet.Term(fleet.ExternalWave, open...) + " " +
		fleet.Term(fleet.ExternalOutcome, wave.Waiting, wave.Handed), err
}

// count is how many machines a filter lists.
func (b *Briefings) count(ctx context.Context, where string) (n int, err error) {
	f, err := b.work.index.Where(ctx, where)
	if err != nil {
		return 0, err
	}
	err = b.work.index.View(ctx, func(x *fleet.Index) { n = x.Select(f).Len() })
	return n, err
}

// tally fills in the headline and counts machines by disposition.
func (b *Briefings) tally(ctx context.Context, out *Briefing) (map[string]int, error) {
	f, err := b.work.index.Where(ctx, "")
	if err != nil {
		return nil, err
	}
	var t fleet.Tally
	if err := b.work.index.View(ctx, func(x *fleet.Index) { t = x.Select(f).Count() }); err != nil {
		return nil, err
	}
	out.Headline = t.Headline(b.work.releases.Aims())
	counts := map[string]int{}
	for d, n := range t.By {
		counts[remedy.Disposition(d).String()] = n
	}
	return counts, nil
}

// money sums up what was paid, what is ordered and what is needed.
func (b *Briefings) money(ctx context.Context, out *Briefing) error {
	placed, err := b.orders.List(ctx)
	if err != nil {
		return err
	}
	m := &out.Money
	prices := b.work.knowledge.Base().Prices
	if prices != nil {
		m.Currency = prices.Currency
	}
	for i := range placed {
		if placed[i].Number == store.FromStock {
			continue // it was paid for when it came to the stock
		}
		for k := range placed[i].Items {
			m.add(&placed[i].Items[k])
		}
	}
	machines, err := b.work.workers(ctx, "")
	if err != nil {
		return err
	}
	lines, err := b.work.purchase(ctx, machines)
	if err != nil {
		return err
	}
	for i := range lines {
		m.Needed, m.Unpriced = m.Needed.Add(lines[i].Price), m.Unpriced+lines[i].Unpriced
	}
	steps := b.work.knowledge.Base().Steps
	for i := range machines.machines {
		one := &machines.machines[i]
		out.Effort.Add(one.Disposition, one.Plan, steps, nil)
	}
	m.Labour, m.Hours = prices.Hours(out.Effort.Minutes)
	minutes, err := b.work.minutesOfDay(ctx)
	if err != nil {
		return err
	}
	out.Days[0], out.Days[1] = out.Effort.Days(minutes)
	return b.extended(ctx, out.Decisions, m, prices)
}

// add counts a part of an order.
func (m *Money) add(it *OrderItem) {
	sum := &m.Spent
	switch it.State {
	case work.Cancelled:
		return
	case work.Ordered:
		sum = &m.Ordered
	}
	if it.Price == NoPrice || it.Currency != m.Currency { // sums are in one currency
		m.NoPrice += it.Count
		return
	}
	*sum += it.Price * int64(it.Count)
}

// minutesOfDay are the minutes for visits on a day: of all technicians who have not left or, where none is known, of
// one for the working hours.
func (w *Work) minutesOfDay(ctx context.Context) (int, error) {
	list, err := w.Store.Technicians(ctx)
	if err != nil {
		return 0, err
	}
	total := 0
	today := wave.On(w.Now())
	for i := range list {
		if t := &list[i]; t.LeftOn == "" || t.LeftOn > today {
			total += t.Minutes
		}
	}
	if total > 0 {
		return total, nil
	}
	hours, err := wave.ReadHours(w.settings.Get().WorkingHours)
	return hours.Minutes(), err
}

// extended sums up what support beyond its end costs for machines that stay by a decision that outlasts it.
func (b *Briefings) extended(
	ctx context.Context, decided []Decided, m *Money, prices *price.Table,
) error {
	f, err := b.work.index.Where(ctx, fleet.Term("decision", decision.Stay))
	if err != nil {
		return err
	}
	stay := map[string]int{}
	err = b.work.index.Each(ctx, f, func(r *fleet.Row) {
		end := r.SupportEnds()
		outlasts := func(d Decided) bool {
			return d.Kind == decision.Stay && d.Until.After(end) && strings.Contains(r.DecidedBy, number(d.ID))
		}
		if !end.IsZero() && slices.ContainsFunc(decided, outlasts) {
			stay[r.Installed]++
		}
	})
	m.Support = true
	for release, n := range stay {
		m.Stay += n
		cost, ok := prices.Extended(release, n)
		m.Extended, m.Support = m.Extended.Add(cost), m.Support && ok
	}
	return err
}

// week fills in what the last seven days have changed.
func (b *Briefings) week(ctx context.Context, decided []Decided, out *say.Week) error {
	since := b.Now().UTC().AddDate(0, 0, -daysOfWeek)
	out.Since = since.Format(time.DateOnly)
	rows, err := b.Store.Progress(ctx, since.AddDate(0, 0, -daysOfWeek).Format(time.DateOnly), ViewerOf(ctx).Sites)
	if err != nil {
		return err
	}
	last := "" // the latest day that was counted up to a week ago
	for i := range rows {
		if rows[i].Day > out.Since {
			break
		}
		if rows[i].Day != last {
			last, out.Was = rows[i].Day, map[string]int{}
		}
		if d := rows[i].Disposition; d >= 0 {
			out.Was[remedy.Disposition(d).String()] = rows[i].Machines
		}
	}
	out.WasOn = last
	for i := range decided {
		if decided[i].At.After(since) {
			out.Decided++
		}
	}
	if err := b.weekOfMachines(ctx, since, out); err != nil {
		return err
	}
	placed, err := b.orders.List(ctx)
	if err != nil {
		return err
	}
	from := since.Format(time.DateOnly)
	for i := range placed {
		if placed[i].Number == store.FromStock {
			continue
		}
		if placed[i].Day > from {
			out.Placed++
		}
		for k := range placed[i].Items {
			it := &placed[i].Items[k]
			if arrived := it.State == work.Arrived || it.State == work.Fitted; arrived && it.Day > from {
				out.Delivered += it.Count
			}
		}
	}
	changes, err := b.Store.RuleChanges(ctx, 100)
	for i := range changes {
		if changes[i].At().After(since) {
			out.Rules++
		}
	}
	return err
}

// weekOfMachines counts machines that arrived and failures that were recorded.
func (b *Briefings) weekOfMachines(ctx context.Context, since time.Time, out *say.Week) error {
	mine, err := b.work.index.Where(ctx, "")
	if err != nil {
		return err
	}
	seen := map[int64]bool{}
	if err := b.work.index.Each(ctx, mine, func(r *fleet.Row) { seen[r.ID] = true }); err != nil {
		return err
	}
	for _, class := range Classes() {
		t, ok := b.work.releases.Target(class)
		if !ok {
			continue
		}
		came, err := b.Store.Arrivals(ctx, t.Release.ID)
		if err != nil {
			return err
		}
		for id, at := range came {
			if seen[id] && at.After(since) {
				out.Arrived++
			}
		}
	}
	records, err := b.Store.RecordsSince(ctx, since)
	for i := range records {
		if r := &records[i]; seen[r.MachineID] && (r.Outcome == wave.Failed || r.Outcome == wave.Back) {
			out.Failed++
		}
	}
	return err
}
