package wave_test

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/expect"
)

var now = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

func TestCheck(t *testing.T) {
	dark := []wave.Blackout{{From: "2026-12-20", To: "2027-01-06", Reason: "holidays"}}
	others := []wave.Wave{{
		ID:      1,
		Name:    "Pilot",
		Release: "ebb-4",
		Pilot:   true,
		Rule:    "class=pc",
		Most:    10,
		Starts:  "2026-11-24",
		Ends:    "2026-11-30",
	}, {
		ID:      2,
		Name:    "East",
		Release: "ebb-4",
		Rule:    `site="East"`,
		Most:    10,
		Starts:  "2026-12-01",
		Ends:    "2026-12-10",
	},
		{
			ID:      3,
			Name:    "Old",
			Release: "ebb-3",
			Rule:    `site="North"`,
			Most:    10,
			Starts:  "2026-12-01",
			Ends:    "2026-12-10",
		}}
	good := wave.Wave{
		Name:    "North",
		Release: "ebb-4",
		Rule:    `site="North"`,
		Most:    40,
		Starts:  "2026-12-01",
		Ends:    "2026-12-31",
	}
	for _, tt := range []struct {
		name   string
		change func(*wave.Wave)
		want   string
	}{
		{"good", func(*wave.Wave) {}, ""},
		{"itself", func(w *wave.Wave) { *w = others[1] }, ""},
		{"no name", func(w *wave.Wave) { w.Name = " " }, "no name"},
		{"a name twice", func(w *wave.Wave) { w.Name = "east" }, "already"},
		{"no release", func(w *wave.Wave) { w.Release = "" }, "the release is missing"},
		{"in the past", func(w *wave.Wave) { w.Starts = "2026-11-22" }, "is in the past"},
		{"backwards", func(w *wave.Wave) { w.Ends = "2026-11-30" }, "is before the first day"},
		{"no size", func(w *wave.Wave) { w.Most = 0 }, "give a size"},
		{"a large pilot", func(w *wave.Wave) { w.Pilot, w.Most = true, 51 }, "a pilot of 51 machines is too large"},
		{"a rule with a mistake", func(w *wave.Wave) { w.Rule = "plaice=x" }, `unknown key "plaice"`},
		{"the rule is missing", func(w *wave.Wave) { w.Rule = "" }, "the rule is missing"},
		{"starts on a dark day", func(w *wave.Wave) { w.Starts, w.Ends = "2026-12-24", "2027-01-20" },
			"the next allowed day is 2027-01-07"},
		{"dark days only", func(w *wave.Wave) { w.Starts, w.Ends = "2026-12-24", "2026-12-30" }, "all days"},
		{"during the pilot", func(w *wave.Wave) { w.Starts = "2026-11-30" }, "start later"},
		{"a pilot behind waves", func(w *wave.Wave) { w.Pilot, w.Most = true, 5 }, "a pilot must end before all waves"},
		{"the same machines", func(w *wave.Wave) { w.Rule = `site="East"` }, "cannot overlap"},
		{"the same machines later", func(w *wave.Wave) { w.Rule, w.Starts = `site="East"`, "2026-12-11" }, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			w := good
			tt.change(&w)
			err := wave.Check(&w, others, dark, wave.On(now))
			expect.Error(t, err, tt.want)
		})
	}
	if _, err := wave.ReadDay("1.12.2026"); err == nil || !strings.Contains(err.Error(), "2026-12-01") {
		t.Error(err)
	}
}

func TestRefuse(t *testing.T) {
	good := wave.Candidate{Name: "A", Judged: true, Disposition: remedy.Ready, TakenAt: now.AddDate(0, 0, -2)}
	for _, tt := range []struct {
		change func(*wave.Candidate)
		want   string
	}{
		{func(*wave.Candidate) {}, ""},
		{func(c *wave.Candidate) { c.Disposition = remedy.Undetermined }, "find out first"},
		{func(c *wave.Candidate) { c.Disposition, c.Fails = remedy.Reconfigure, "TPM" },
			"not ready (reconfigure): TPM"},
		{func(c *wave.Candidate) { c.Waived = []string{"TPM"} }, "only by name"},
		{func(c *wave.Candidate) { c.Waived, c.ByName = []string{"TPM"}, "chief" }, ""},
		{func(c *wave.Candidate) { c.TakenAt = now.AddDate(0, 0, -8) }, "free space was read on 2026-11-15"},
		{func(c *wave.Candidate) { c.TakenAt = now.AddDate(0, 0, -7) }, ""},
		{func(c *wave.Candidate) { c.TakenAt = now.AddDate(0, 0, -31) }, "older than 30 days"},
		{func(c *wave.Candidate) { c.Decided = fleet.Held }, "on hold"},
		{func(c *wave.Candidate) { c.Decided = fleet.Stays }, "stays on its release"},
		{func(c *wave.Candidate) { c.Later = time.Date(2026, 11, 26, 0, 0, 0, 0, time.UTC) }, "until 2026-11-25"},
		{func(c *wave.Candidate) { c.On = true }, "already"},
		{func(c *wave.Candidate) { c.Failing = true }, "disk is failing"},
		{func(c *wave.Candidate) { c.Elsewhere = "East" }, `in the wave "East"`},
		{func(c *wave.Candidate) { c.Retired = true }, "retired"},
		{func(c *wave.Candidate) { c.Judged = false }, "not checked"},
		{func(c *wave.Candidate) { c.NoPackage = "no package is for its edition" }, "no package"},
	} {
		t.Run(tt.want, func(t *testing.T) {
			c := good
			tt.change(&c)
			got := wave.Refuse(&c, now)
			expect.That(t, `!(tt.want == "" && got != "")`, !(tt.want == "" && got != ""))
			expect.Contains(t, got, tt.want)
		})
	}
}

// Nobody enters who is not ready, whatever else is so: all combinations are tried.
func TestOnlyReadyMachinesEnter(t *testing.T) {
	for i := range 1 << 9 {
		bit := func(n int) bool { return i&(1<<n) != 0 }
		c := wave.Candidate{Judged: bit(0), TakenAt: now, On: bit(1), Retired: bit(2), Failing: bit(3)}
		if bit(4) {
			c.Waived = []string{"x"}
		}
		if bit(5) {
			c.ByName = "chief"
		}
		if bit(6) {
			c.TakenAt = now.AddDate(0, 0, -9)
		}
		if bit(7) {
			c.Decided = fleet.Held
		}
		c.Disposition = remedy.Ready
		if bit(8) {
			c.Disposition = remedy.Undetermined
		}
		may := bit(0) && !bit(1) && !bit(2) && !bit(3) && (!bit(4) || bit(5)) && !bit(6) && !bit(7) && !bit(8)
		if got := wave.Refuse(&c, now); (got == "") != may {
			t.Fatalf("%+v: %q", c, got)
		}
	}
}

func TestOutcome(t *testing.T) {
	none, later := time.Time{}, now.Add(time.Hour)
	for _, tt := range []struct {
		handed, arrived, left, saidAt time.Time
		said                          string
		taken                         time.Time
		want                          string
	}{
		{none, none, none, none, "", now, wave.Waiting},
		{now, none, none, none, "", now, wave.Handed},
		{now, later, none, none, "", later, wave.Arrived},
		{now, later, later, none, "", later, wave.Back},
		{now, none, none, later, wave.Failed, now, wave.Failed},
		{now, later, none, now, wave.Failed, later, wave.Arrived}, // the inventory counts more
		{now, none, none, later, wave.Arrived, now, wave.Arrived},
		// said, and the inventory since does not show it
		{now, none, none, now, wave.Arrived, later, wave.Handed},
		{none, now, later, later.Add(time.Hour), wave.Waiting, later, wave.Waiting}, // it went back, and goes once more
		{later.Add(time.Hour), now, later, none, "", later, wave.Handed},            // and was handed over again
		{none, now, later, now, wave.Waiting, later, wave.Back},                     // said before it went back
		{none, none, none, now, wave.Waiting, later, wave.Waiting},
	} {
		t.Run(tt.said, func(t *testing.T) {
			if got := wave.Outcome(tt.handed, tt.arrived, tt.left, tt.saidAt, tt.said, tt.taken); got != tt.want {
				t.Errorf("%+v: %s", tt, got)
			}
		})
	}
}

func TestSpread(t *testing.T) {
	dark := []wave.Blackout{{From: "2026-12-03", To: "2026-12-04"}}
	if got := wave.Spread(3, "2026-12-03", "2026-12-04", dark); len(got) != 3 || got[0] != "" {
		t.Errorf("on dark days alone: %v", got)
	}
	r := rand.New(rand.NewPCG(1, 1))
	for range 200 {
		n, length := 1+r.IntN(40), 1+r.IntN(12)
		from := wave.Day("2026-12-01")
		to := from.Add(length)
		per := map[wave.Day]int{}
		for _, d := range wave.Spread(n, from, to, dark) {
			expect.That(t, "d >= from", d >= from)
			expect.That(t, "d <= to", d <= to)
			expect.That(t, "!dark[0].Covers(d)", !dark[0].Covers(d))
			per[d]++
		}
		least, most := n, 0
		for _, k := range per {
			least, most = min(least, k), max(most, k)
		}
		if most-least > 1 {
			t.Fatalf("%d machines over %d days: %v", n, length, per)
		}
	}
}

func TestForecast(t *testing.T) {
	var arrivals []time.Time
	for i := range 56 { // two a day for 28 days, and older ones that do not count
		arrivals = append(arrivals, now.AddDate(0, 0, -i/2))
	}
	arrivals = append(arrivals, now.AddDate(0, 0, -60))
	f := wave.Forecast{Machines: 100, On: 60, End: "2026-12-03"}.Predict(arrivals, nil, now)
	expect.Same(t, "f.Pace", f.Pace, 2)
	expect.Same(t, "f.Done", f.Done, "2026-12-13")
	expect.Same(t, "f.InTime", f.InTime, 80)
	dark := wave.Forecast{Machines: 100, On: 60, End: "2026-12-03"}.Predict(arrivals,
		[]wave.Blackout{{From: "2026-11-24", To: "2026-12-03"}}, now)
	if dark.InTime != 60 || dark.Done <= f.Done {
		t.Errorf("%+v", dark)
	}
	none := (wave.Forecast{Machines: 10, On: 4}).Predict(nil, nil, now)
	expect.Same(t, "none.Done", none.Done, "")
	expect.Same(t, "none.InTime", none.InTime, 4)
	expect.Same(t, "none.Pace", none.Pace, 0)
	if done := (wave.Forecast{Machines: 4, On: 4}).Predict(nil, nil, now); done.Done != wave.On(now) {
		t.Errorf("%+v", done)
	}
}
