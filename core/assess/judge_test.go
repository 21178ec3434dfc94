package assess_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/expect"
)

// causes are gaps: the same fact is missing for different reasons, which a plan may tell
// apart though the outcomes are the same.
func causes(cause, at string) func(*doc) {
	return func(d *doc) {
		switch at {
		case "tpm.state":
			d.TPM = inventory.TPM{}
		case "memory.installed_bytes":
			d.Memory.Installed, d.Memory.Visible = inventory.Opt[int64]{}, inventory.Opt[int64]{}
		case "firmware.secure_boot":
			d.Firmware.SecureBoot = inventory.Opt[string]{}
		}
		d.Gaps = append(d.Gaps, inventory.Gap{Fact: at, Cause: cause})
	}
}

// crowd is every pair of changes that the cases have, and gaps of every cause.
func crowd() []*doc {
	changes := []func(*doc){}
	for i := range cases {
		changes = append(changes, cases[i].change)
	}
	for _, at := range []string{"tpm.state", "memory.installed_bytes", "firmware.secure_boot"} {
		for _, c := range []string{
			inventory.NeedsRights, inventory.NotOffered, inventory.ReadFailed, inventory.NotAsked,
		} {
			changes = append(changes, causes(c, at))
		}
	}
	for _, title := range []string{"Lampwright", "Counterfoil", "Sextant"} {
		changes = append(changes, func(d *doc) {
			d.Software = append(d.Software, inventory.Software{Name: title, Version: inventory.Some("3.0")})
		})
	}
	changes = append(changes, func(d *doc) {
		d.Drivers = []inventory.Driver{{Device: "Pier label printer", Version: inventory.Some("5.0")}}
	})
	var out []*doc
	for i, a := range changes {
		for _, b := range changes[i:] {
			d := sound()
			a(d)
			b(d)
			out = append(out, d)
		}
	}
	r := rand.New(rand.NewPCG(1, 2))
	r.Shuffle(len(out), func(i, j int) { out[i], out[j] = out[j], out[i] })
	if testing.Short() {
		out = out[:len(out)/8]
	}
	return out
}

// What a judge remembers of one machine it says only of machines that a whole check says
// it of.
func TestJudgeIsTheCheck(t *testing.T) {
	for _, name := range []string{"skerry-12", "skerry-13"} {
		rel := coretest.Release(t, name)
		judge := assess.NewJudge(knowledge.Shipped(), rel)
		kinds := map[string]int{}
		for _, d := range crowd() {
			got, err := judge.Judge(fact.Read(d))
			if err != nil {
				t.Fatal(err)
			}
			a, err := assess.Run(rel, d)
			if err != nil {
				t.Fatal(err)
			}
			want := a.Judgement()
			kinds[want.Plan]++
			if got != want {
				t.Errorf("remembered %+v\nchecked    %+v", got, want)
			}
			for _, waived := range [][]string{{"processor-list"}, {"processor-list", "house-drive"}, {"tpm"}} {
				got, err := judge.Judge(fact.Read(d), waived...)
				if err != nil {
					t.Fatal(err)
				}
				want, err := assess.Decide(knowledge.Shipped(), rel, fact.Read(d), waived...)
				if err != nil {
					t.Fatal(err)
				}
				if got != want {
					t.Errorf("waived %v\nremembered %+v\nchecked    %+v", waived, got, want)
				}
			}
			if outcomes := string(judge.Outcomes(fact.Read(d))); outcomes != want.Outcomes {
				t.Errorf("outcomes alone %s, of the check %s", outcomes, want.Outcomes)
			}
			if answer := assess.Answer(knowledge.Shipped(), rel, fact.Read(d)); answer != say.Answer(&a.Verdict, rel) {
				t.Errorf("the answer from the facts is %q, that of the check %q", answer, say.Answer(&a.Verdict, rel))
			}
		}
		if len(kinds) < 50 && !testing.Short() {
			t.Errorf("%s: only %d kinds of plan are told apart", name, len(kinds))
		}
	}
}

// What a firmware guide says of a board counts in the outcomes.
func TestJudgeKnowsTheGuides(t *testing.T) {
	base, err := knowledge.Read(knowledge.Document{Name: "guides.yaml", Text: []byte(`format: rolltop-guides/1
guides: [{id: all, title: All boards, maker: "*", keys: {setup: F2}, facts: {tpm.header: false}}]
`)})
	if err != nil {
		t.Fatal(err)
	}
	rel := asks(t, []string{must("{fact: tpm.header, equals: true}")})
	for _, tt := range []struct {
		base *knowledge.Base
		want string
	}{{base, "f"}, {knowledge.Shipped(), "u"}} {
		t.Run(tt.want, func(t *testing.T) {
			judge := assess.NewJudge(tt.base, rel)
			expect.Same(t, "the outcomes", string(judge.Outcomes(fact.Read(sound()))), tt.want)
			got, err := judge.Judge(fact.Read(sound()))
			expect.NoError(t, err)
			expect.Same(t, "the outcomes of the judgement", got.Outcomes, tt.want)
		})
	}
}

// A judge is asked about machines of its release's class only.
func TestJudgeOfTheWrongClass(t *testing.T) {
	judge := assess.NewJudge(knowledge.Shipped(), coretest.Release(t, "skerry-12"))
	if _, err := assess.Decide(knowledge.Shipped(), coretest.Release(t, "skerry-12"), fact.Read(mac())); err == nil {
		t.Error("a release for PCs was decided for a Mac")
	}
	if _, err := judge.Judge(fact.Read(sound())); err != nil {
		t.Error(err)
	}
}

// A waived requirement no longer stands in the way and is still seen to fail; what the
// installer refuses nobody waives.
func TestDecideWaived(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	older := func(d *doc) { d.Processor.Name = inventory.Some("Corvane K5-7300U") }
	disk := func(d *doc) { d.Storage.Disks[0].Kind = inventory.Some("hdd") }
	for _, tt := range []struct {
		change  func(*doc)
		waived  string
		want    string
		fails   int
		outcome byte // of the waived requirement
	}{
		{older, "", "decide", 1, 0},
		{older, "processor-list", "ready", 0, 'w'},
		{disk, "house-drive", "ready", 0, 'w'},
		{with(older, memory(4, 1)), "processor-list", "refit", 1, 'w'},
		{memory(4, 1), "memory", "refit", 1, 'f'},
		{older, "no-such", "decide", 1, 0},
		{func(*doc) {}, "processor-list", "ready", 0, 'p'},
	} {
		t.Run(tt.waived, func(t *testing.T) {
			d := sound()
			tt.change(d)
			got, err := assess.Decide(knowledge.Shipped(), rel, fact.Read(d), tt.waived)
			if err != nil {
				t.Fatal(err)
			}
			if got.Disposition.String() != tt.want || got.Fails != tt.fails {
				t.Errorf("waived %q: %s with %d fails, want %s with %d", tt.waived, got.Disposition, got.Fails, tt.want,
					tt.fails)
			}
			at := slices.IndexFunc(rel.Requirements, func(q release.Requirement) bool { return q.ID == tt.waived })
			if tt.outcome != 0 && got.Outcomes[at] != tt.outcome {
				t.Errorf("waived %q: the outcome is %c, want %c", tt.waived, got.Outcomes[at], tt.outcome)
			}
		})
	}
}

// The parts of a plan from the facts alone are those that the page shows, and one of a
// requirement that is waived is not bought.
func TestBuys(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	m, err := knowledge.Read(knowledge.Document{Name: "prices", Text: []byte(prices)})
	if err != nil {
		t.Fatal(err)
	}
	d := sound()
	memory(4, 1)(d)
	list, err := assess.Buys(m, rel, fact.Read(d))
	expect.NoError(t, err)
	expect.Same(t, "len(list)", len(list), 1)
	expect.Same(t, "list[0].Step", list[0].Step, "add-memory")
	expect.That(t, "list[0].Priced", list[0].Priced)
	expect.Same(t, "list[0].Price.String()", list[0].Price.String(), "18–30")
	drive := sound()
	drive.Storage.Disks[0].Kind = inventory.Some("hdd")
	list, err = assess.Buys(m, rel, fact.Read(drive))
	expect.NoError(t, err)
	expect.Same(t, "len(list)", len(list), 1)
	expect.Same(t, "list[0].Step", list[0].Step, "change-drive")
	expect.That(t, "!list[0].Priced", !list[0].Priced)
	if list, err = assess.Buys(m, rel, fact.Read(drive), "house-drive"); err != nil || len(list) != 0 {
		t.Errorf("waived: %+v, %v", list, err)
	}
	for _, one := range crowd() {
		a, err := assess.With(m, rel, one)
		if err != nil {
			t.Fatal(err)
		}
		var shown, bought []string
		for _, s := range a.Document(now, "test").Plan {
			for range s.Parts {
				shown = append(shown, s.Step)
			}
		}
		list, err := assess.Buys(m, rel, fact.Read(one))
		if err != nil {
			t.Fatal(err)
		}
		for _, b := range list {
			bought = append(bought, b.Step)
		}
		if !slices.Equal(shown, bought) {
			t.Errorf("shown %v, bought %v", shown, bought)
		}
	}
}

func TestFindingWords(t *testing.T) {
	for _, tt := range []struct {
		f               assess.Finding
		compared, named string
	}{
		{assess.Finding{Title: "Memory", Has: "4 GiB", Needs: "6 GiB or more", Distance: "2 GiB short"},
			"has 4 GiB → needs 6 GiB or more (2 GiB short)", "Memory"},
		{assess.Finding{Title: "Memory", Has: "unknown", Needs: "6 GiB or more", AskedBy: "house"},
			"unknown → needs 6 GiB or more", "Memory (house standard)"},
		{assess.Finding{Title: "Memory", Has: "4 GiB", Needs: "6 GiB", Interim: "Skerry 11"}, "has 4 GiB → needs 6 GiB",
			"Memory (on the way, for Skerry 11)"},
	} {
		t.Run(tt.compared, func(t *testing.T) {
			if got := tt.f.Compared(); got != tt.compared {
				t.Errorf("%q, want %q", got, tt.compared)
			}
			if got := tt.f.Named(); got != tt.named {
				t.Errorf("%q, want %q", got, tt.named)
			}
		})
	}
	ends := time.Date(2027, 3, 31, 0, 0, 0, 0, time.UTC)
	for s, want := range map[*assess.Support]string{
		{Release: "Skerry 11", Ends: &ends,
			Days: 128}: "Skerry 11 is supported until 31 March 2027, 128 days from the check.",
		{Release: "Skerry 11", Ends: &ends,
			Days: 1}: "Skerry 11 is supported until 31 March 2027, one day from the check.",
		{Release: "Skerry 10", Ends: &ends, Days: -1}:   "Skerry 10 went out of support on 31 March 2027.",
		{Release: "Skerry 13", Edition: "Office"}:       "The end of support of Skerry 13 Office is not decided.",
		{Release: "Skerry 13", Edition: "O", Not: true}: "Skerry 13 is not supported on this machine.",
	} {
		if got := s.Sentence(); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
	w := assess.Waiver{Requirement: "memory", Reason: "replaced in spring", By: "wren", Until: ends}
	if got := w.Says(); !strings.HasPrefix(got, "Waived until 30 March 2027 by wren: Replaced in spring.") {
		t.Errorf("a waiver counts to the day before its end: %q", got)
	}
}

// Ticks stand beside the items that they are of, and those of what is not there do
// nothing.
func TestTickedItems(t *testing.T) {
	c := planned(t, memory(4, 1))
	items := c.Items()
	if !slices.Contains(items, "step/add-memory") {
		t.Fatalf("items: %v", items)
	}
	later := now.Add(time.Hour)
	c.Apply([]assess.Tick{
		{Item: "step/add-memory", State: "done", By: "wren", At: later},
		{Item: "step/no-such", State: "done", By: "wren", At: later},
		{Item: "leave/drive", State: "done", By: "wren", At: later},
	})
	for _, item := range items {
		got := c.Ticked(item)
		if (got != nil) != (item == "step/add-memory") {
			t.Errorf("%s: %+v", item, got)
		}
	}
	if got := c.Ticked("step/add-memory"); got.By != "wren" || got.Stale {
		t.Errorf("%+v", got)
	}
	var none *assess.Document
	if none.Ticked("step/add-memory") != nil {
		t.Error("a machine that was never checked has a tick")
	}
}

// The age of an inventory is said from the first day on, and what it does grows with it. A clock that
// is a day ahead is no clock that is wrong.
func TestAgeOfAnInventory(t *testing.T) {
	for _, tt := range []struct {
		days                  int
		said, stale, future   bool
		certainty, answerEnds string
	}{
		{-2, true, false, true, "expected", "it can take Skerry 12."},
		{-1, false, false, false, "confirmed", "it can take Skerry 12 now."},
		{0, false, false, false, "confirmed", "it can take Skerry 12 now."},
		{1, true, false, false, "confirmed", "it can take Skerry 12 now."},
		{6, true, false, false, "confirmed", "it can take Skerry 12 now."},
		{7, true, false, false, "confirmed", "as of 16 November 2026 ("},
		{assess.StaleDays - 1, true, false, false, "confirmed", "as of 26 August 2026 ("},
		{assess.StaleDays, true, true, false, "expected", "as of 25 August 2026 ("},
	} {
		t.Run(fmt.Sprint(tt.days), func(t *testing.T) {
			d := sound()
			d.TakenAt = now.AddDate(0, 0, -tt.days)
			c := run(t, coretest.Release(t, "skerry-12"), d).Document(now, "test")
			expect.Same(t, "whether the age is said", c.Age != nil, tt.said)
			if c.Age != nil {
				expect.Same(t, "the days", c.Age.Days, tt.days)
				expect.Same(t, "whether it is stale", c.Age.Stale, tt.stale)
				expect.Same(t, "whether it is of the future", c.Age.Future, tt.future)
			}
			expect.Same(t, "the certainty", c.Certainty, tt.certainty)
			expect.Contains(t, c.Answer, tt.answerEnds)
		})
	}
}
