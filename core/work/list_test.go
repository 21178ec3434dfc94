package work_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/expect"
)

var now = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

func machine(name, site, model string, d remedy.Disposition, plan string) work.Machine {
	return work.Machine{Key: name, Name: name, Site: site, Model: model, Disposition: d, Plan: work.Parse(plan)}
}

func TestVisits(t *testing.T) {
	l := remedy.Shipped()
	fleet := []work.Machine{
		machine("B", "Gull Quay", "x", remedy.Reconfigure,
			"backup other-system pause-encryption@desk enter-firmware tpm-on* secure-boot-on*? check-again@desk "+
				"upgrade"),
		machine("A", "Gull Quay", "x", remedy.Refit, "backup add-memory* upgrade"),
		machine("C", "Gull Quay", "x", remedy.Reconfigure, "free-space* upgrade"),      // nobody has to come
		machine("D", "Outer Light", "x", remedy.Replace, "replace*"),                   // no futile visit
		machine("E", "Outer Light", "x", remedy.Undetermined, "ask-maker add-memory*"), // what is not known comes first
		machine("F", "Outer Light", "x", remedy.Refit, "change-drive*"),
	}
	fleet[5].Later = now.AddDate(0, 1, 0)
	got := work.Visits(fleet, l, now)
	expect.Same(t, "len(got)", len(got), 2)
	expect.Same(t, "got[0].Site", got[0].Site, "Gull Quay")
	expect.Same(t, "len(got[0].Visits)", len(got[0].Visits), 2)
	expect.Same(t, "got[0].Visits[0].Name", got[0].Visits[0].Name, "A")
	expect.Same(t, "got[1].Waiting", got[1].Waiting, 1)
	expect.Same(t, "got[0].Waiting", got[0].Waiting, 0)
	expect.Same(t, "got[0].Parts", got[0].Parts, 1)
	b := got[0].Visits[1]
	expect.That(t, "b.Firmware", b.Firmware)
	expect.That(t, "!b.Parts", !b.Parts)
	expect.That(t, `!b.Steps.Has("upgrade")`, !b.Steps.Has("upgrade"))
	expect.That(t, `!b.Steps.Has("backup")`, !b.Steps.Has("backup"))
	expect.That(t, `b.Steps.Has("pause-encryption")`, b.Steps.Has("pause-encryption"))
	expect.That(t, "b.Restarts != 0", b.Restarts != 0)
	// A question that comes before the visit stands with it, and is asked from afar.
	if b.Before.String() != "other-system" || got[0].Visits[0].Before != nil {
		t.Errorf("before the visits: %v, %v", b.Before, got[0].Visits[0].Before)
	}
	asked := slices.IndexFunc(work.Batches(fleet, l, now), func(b work.Batch) bool { return b.Step == "other-system" })
	if asked < 0 {
		t.Error("nobody is asked about the other system")
	}
	if sum := got[0].Visits[0].Minutes.Most + b.Minutes.Most; got[0].Minutes.Most != sum {
		t.Errorf("%d minutes, want %d", got[0].Minutes.Most, sum)
	}
}

func TestBatches(t *testing.T) {
	l := remedy.Shipped()
	var fleet []work.Machine
	for i := range 12 {
		fleet = append(fleet, machine(fmt.Sprintf("M%02d", i), "p", fmt.Sprint("model ", i%3), remedy.Reconfigure,
			"free-space* upgrade"))
	}
	fleet[0].Later = now.AddDate(0, 0, 1)
	fleet = append(fleet, machine("U", "p", "m", remedy.Undetermined, "read-again"),
		machine("R", "p", "m", remedy.Ready, "read-again backup upgrade"),
		machine("X", "p", "m", remedy.Replace, "free-space* replace*"))
	got := work.Batches(fleet, l, now)
	expect.Same(t, "len(got)", len(got), 2)
	expect.Same(t, "got[0].Step", got[0].Step, "free-space")
	expect.Same(t, "len(got[0].Machines)", len(got[0].Machines), 12)
	expect.Same(t, "got[0].Waiting", got[0].Waiting, 1)
	expect.Same(t, "got[1].Step", got[1].Step, "read-again")
	expect.Same(t, "len(got[1].Machines)", len(got[1].Machines), 1)
	expect.That(t, "got[1].Pilot == nil", got[1].Pilot == nil)
	models := map[string]bool{}
	for i, m := range got[0].Pilot {
		models[m.Model] = true
		if m.Name == "M00" || slices.Index(got[0].Pilot, m) != i {
			t.Errorf("the pilot has %s", m.Name)
		}
	}
	if len(got[0].Pilot) != 5 || len(models) != 3 {
		t.Errorf("the pilot is %d machines of %d models", len(got[0].Pilot), len(models))
	}
}

// Further work is in batches of its own, on ready machines, too: what is required on most stands first.
func TestFurtherBatches(t *testing.T) {
	l := remedy.Shipped()
	var fleet []work.Machine
	for i, d := range []remedy.Disposition{
		remedy.Ready, remedy.Refit, remedy.Ready, remedy.Undetermined, remedy.Decide, remedy.Done,
	} {
		m := machine(fmt.Sprintf("M%02d", i), "p", "m", d, "backup upgrade")
		m.Further = work.Parse("update-titles=advised research-titles=optional")
		if i < 2 {
			m.Further = work.Parse("remove-titles=required update-titles?=optional")
		}
		fleet = append(fleet, m)
	}
	fleet[0].Later = now.AddDate(0, 0, 1)
	var got []string
	for _, b := range work.FurtherBatches(l, now, fleet) {
		got = append(got, fmt.Sprint(b.Step, " ", len(b.Machines), " ", b.Expected, " ", b.Waiting, " ", b.Weights))
	}
	expect.Same(t, "the batches", strings.Join(got, "\n"), "remove-titles 2 0 1 map[required:2]\n"+
		"update-titles 3 2 1 map[advised:1 optional:2]\nresearch-titles 1 0 0 map[optional:1]")
}

func TestPurchase(t *testing.T) {
	prices, err := price.Read("prices",
		[]byte("format: rolltop-prices/1\ncurrency: EUR\nas_of: 2026-11-01\nprices:\n  - {part: memory-module, size: "+
			"8 GiB, least: 18, most: 30}\n"))
	if err != nil {
		t.Fatal(err)
	}
	memory := part.Part{Kind: part.Memory, Count: 1, Bytes: 8 << 30, Type: "DDR4", Form: "SODIMM", Slots: []string{"A"}}
	other := memory
	other.Count, other.Slots, other.Manual = 2, []string{"B", "C"}, true
	bought := []work.Bought{
		{Machine: 1, Name: "memory", Part: memory, Voids: true}, {Machine: 2, Name: "memory", Part: other},
		{Machine: 3, Name: "TPM B2", Part: part.Part{Kind: part.TPM, Count: 1, For: "Ostrel B2"}},
		{Machine: 3, Name: "TPM B3", Part: part.Part{Kind: part.TPM, Count: 1, For: "Ostrel B3"}},
	}
	stock := map[string]work.Stock{"memory": {OnHand: 1, LeadDays: 6}}
	got := work.Purchase(bought, prices, stock, work.Allot(bought, nil, stock))
	if len(got) != 3 {
		t.Fatalf("%+v", got)
	}
	m := got[0]
	expect.Same(t, "m.Quantity", m.Quantity, 3)
	expect.Same(t, "m.ToOrder", m.ToOrder, 2)
	expect.Same(t, "m.FromStock", m.FromStock, 1)
	expect.Same(t, "m.LeadDays", m.LeadDays, 6)
	expect.Same(t, "m.Confirm", m.Confirm, 2)
	expect.Same(t, "m.Voids", m.Voids, 1)
	expect.Same(t, "len(m.Machines)", len(m.Machines), 2)
	expect.Same(t, "m.Price", m.Price, (price.Range{Least: 3600, Most: 6000}))
	expect.Same(t, "m.Unpriced", m.Unpriced, 0)
	expect.That(t, "m.Part.Slots == nil", m.Part.Slots == nil)
	if got[1].Unpriced != 1 || !got[1].Price.Zero() {
		t.Errorf("%+v", got[1])
	}
}

// one is a machine that needs so many of a part.
func one(machine int64, n int) work.Bought {
	return work.Bought{Machine: machine, Name: "disk", Part: part.Part{Kind: part.Drive, Count: n}}
}

// What orders have for a machine comes first, then the stock, which gives each part once, then what is to be ordered.
func TestAllot(t *testing.T) {
	item := func(machine int64, n int, state string) work.Item {
		return work.Item{Machine: machine, Name: "disk", Count: n, State: state}
	}
	for _, tt := range []struct {
		name   string
		bought []work.Bought
		items  []work.Item
		stock  int
		want   string // of each machine: to order, from stock, ordered, arrived, fitted
	}{
		{"nothing is there", []work.Bought{one(1, 2)}, nil, 0, "1: 2 0 0 0 0"},
		{"the stock is for the first", []work.Bought{one(1, 2), one(2, 2)}, nil, 3, "1: 0 2 0 0 0, 2: 1 1 0 0 0"},
		{"the first stands first", []work.Bought{one(2, 2), one(1, 2)}, nil, 3, "1: 1 1 0 0 0, 2: 0 2 0 0 0"},
		{"ordered parts leave the stock to others", []work.Bought{one(1, 1), one(2, 1)},
			[]work.Item{item(1, 1, work.Ordered)}, 1, "1: 0 0 1 0 0, 2: 0 1 0 0 0"},
		{"all states", []work.Bought{one(1, 5)},
			[]work.Item{item(1, 1, work.Ordered), item(1, 1, work.Arrived), item(1, 1, work.Fitted)}, 1,
			"1: 1 1 1 1 1"},
		{"what was cancelled or went to the stock is not there", []work.Bought{one(1, 1)},
			[]work.Item{item(1, 1, work.Cancelled), item(1, 1, work.InStock)}, 0, "1: 1 0 0 0 0"},
		{"more than is needed", []work.Bought{one(1, 1)}, []work.Item{item(1, 3, work.Ordered)}, 2, "1: 0 0 1 0 0"},
		{"for another machine", []work.Bought{one(1, 1)}, []work.Item{item(2, 1, work.Ordered)}, 0, "1: 1 0 0 0 0"},
		{"in two parts", []work.Bought{one(1, 1), one(1, 1)}, nil, 1, "1: 1 1 0 0 0"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got := work.Allot(tt.bought, tt.items, map[string]work.Stock{"disk": {OnHand: tt.stock}})
			var out []string
			for w, s := range got {
				out = append(
					out,
					fmt.Sprintf("%d: %d %d %d %d %d", w.Machine, s.ToOrder, s.FromStock, s.Ordered, s.Arrived,
						s.Fitted),
				)
			}
			slices.Sort(out)
			expect.Same(t, "the shares", strings.Join(out, ", "), tt.want)
		})
	}
}

// However the parts, the orders and the stock are drawn: each machine gets what it needs, and the stock gives no part
// twice.
func TestAllotGivesEachPartOnce(t *testing.T) {
	r := rand.New(rand.NewPCG(22, 5))
	for n := range 2000 {
		var bought []work.Bought
		need, total := map[int64]int{}, 0
		for id := int64(1); id <= int64(1+r.IntN(6)); id++ {
			k := 1 + r.IntN(3)
			bought, need[id] = append(bought, one(id, k)), k
		}
		var items []work.Item
		for range r.IntN(8) {
			states := work.ItemStates()
			items = append(items, work.Item{Machine: int64(1 + r.IntN(7)), Name: "disk", Count: 1 + r.IntN(2),
				State: states[r.IntN(len(states))]})
		}
		stock := r.IntN(6)
		for w, s := range work.Allot(bought, items, map[string]work.Stock{"disk": {OnHand: stock}}) {
			if sum := s.ToOrder + s.FromStock + s.Ordered + s.Arrived + s.Fitted; sum != need[w.Machine] {
				t.Fatalf("draw %d: machine %d needs %d and gets %+v", n, w.Machine, need[w.Machine], s)
			}
			total += s.FromStock
		}
		if total > stock {
			t.Fatalf("draw %d: the stock of %d gives %d", n, stock, total)
		}
	}
}

// What machines take is added up, of those alone that have work, and days are rounded up.
func TestEffort(t *testing.T) {
	l := remedy.Shipped()
	var e work.Effort
	priced := []work.Bought{{Price: price.Range{Least: 100, Most: 200}, Priced: true},
		{Part: part.Part{Count: 2}}}
	for _, d := range []remedy.Disposition{remedy.Ready, remedy.Done} {
		e.Add(d, work.Parse("tpm-on*"), l, priced)
	}
	e.Add(remedy.Undetermined, work.Parse("tpm-on*"), l, nil)
	if e != (work.Effort{}) {
		t.Fatalf("machines without work take %+v", e)
	}
	e.Add(remedy.Reconfigure, work.Parse("backup tpm-on*"), l, nil)
	e.Add(remedy.Reconfigure, work.Parse("free-space*"), l, nil)
	var other work.Effort
	other.Add(remedy.Replace, work.Parse("replace*"), l, priced)
	e.Merge(&other)
	expect.Same(t, "the sums", fmt.Sprint(e.Machines, e.Visits, e.Replaced, e.Parts, e.Unpriced),
		"3 1 1 1–2 2")
	desk, _ := work.Parse("tpm-on*").Effort(l)
	expect.Same(t, "the minutes", e.Minutes, desk)
	e.Minutes = remedy.Minutes{Least: 60, Most: 61}
	least, most := e.Days(60)
	expect.Same(t, "the days", fmt.Sprint(least, most), "1 2")
	least, most = e.Days(0)
	expect.Same(t, "without technicians", fmt.Sprint(least, most), "0 0")
}

// Each count of a share is added to its own.
func TestAddShares(t *testing.T) {
	s := work.Share{Machine: 7, ToOrder: 1, FromStock: 2, Ordered: 4, Arrived: 8, Fitted: 16}
	s.Add(&work.Share{Machine: 9, ToOrder: 100, FromStock: 200, Ordered: 400, Arrived: 800, Fitted: 1600})
	expect.Same(t, "the sum", s, work.Share{
		Machine: 7, ToOrder: 101, FromStock: 202, Ordered: 404, Arrived: 808, Fitted: 1616,
	})
}
