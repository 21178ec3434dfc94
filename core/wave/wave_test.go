package wave_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
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
	cal := &wave.Calendar{Dark: []wave.Blackout{{From: "2026-12-20", To: "2027-01-06", Reason: "holidays"}}}
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
		{"a stop rule over 100", func(w *wave.Wave) { w.StopPercent = 101 }, "give 1 to 100"},
		{"during the pilot", func(w *wave.Wave) { w.Starts = "2026-11-30" }, "start later"},
		{"a pilot behind waves", func(w *wave.Wave) { w.Pilot, w.Most = true, 5 }, "a pilot must end before all waves"},
		{"the same machines", func(w *wave.Wave) { w.Rule = `site="East"` }, "cannot overlap"},
		{"the same machines later", func(w *wave.Wave) { w.Rule, w.Starts = `site="East"`, "2026-12-11" }, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			w := good
			tt.change(&w)
			err := wave.Check(&w, others, cal, wave.On(now))
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
		{func(c *wave.Candidate) { c.Disposition, c.OnlyWay = remedy.Reconfigure, true }, ""},
		{func(c *wave.Candidate) { c.Clean = true }, "keeps no programs and files: it can enter only by name"},
		{func(c *wave.Candidate) { c.Clean, c.ByName = true, "chief" }, ""},
		{func(c *wave.Candidate) { c.Loses = []string{"Lampwright"} },
			"the upgrade removes Lampwright: it can enter only by name"},
		{func(c *wave.Candidate) { c.Loses, c.Waived = []string{"Lampwright"}, []string{"TPM"} },
			"a requirement is waived (TPM), and the upgrade removes Lampwright"},
		{func(c *wave.Candidate) { c.Loses, c.ByName = []string{"Lampwright"}, "chief" }, ""},
		{func(c *wave.Candidate) { c.Disposition, c.OnlyWay = remedy.Undetermined, true }, "find out first"},
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

// drawnCalendar is a calendar with random days off.
func drawnCalendar(r *rand.Rand) *wave.Calendar {
	cal := &wave.Calendar{}
	for i := range cal.Free {
		cal.Free[i] = i != 3 && r.IntN(4) == 0
	}
	for range r.IntN(3) {
		from := wave.On(now).Add(r.IntN(40))
		cal.Dark = append(cal.Dark, wave.Blackout{From: from, To: from.Add(r.IntN(6)), Reason: "a feast"})
	}
	return cal
}

func TestCalendar(t *testing.T) {
	free, err := wave.ReadWorkingDays("mon, Tue,wed,thu,fri")
	expect.NoError(t, err)
	cal := &wave.Calendar{Free: free, Dark: []wave.Blackout{{From: "2026-12-02", To: "2026-12-02", Reason: "market"}}}
	for day, want := range map[wave.Day]string{
		"2026-11-28": "a Saturday, not a working day", "2026-11-29": "a Sunday, not a working day", "2026-11-30": "",
		"2026-12-02": "a blackout day (market)",
	} {
		if got := cal.Off(day); got != want {
			t.Errorf("%s is %q, want %q", day, got, want)
		}
	}
	expect.Same(t, "next", cal.Next("2026-11-28"), "2026-11-30")
	expect.Same(t, "between", cal.Between("2026-11-27", "2026-12-03"), 4)
	expect.Same(t, "three days before", cal.Before("2026-12-03", 3), "2026-11-30")
	expect.Same(t, "none before", cal.Before("2026-12-03", 0), "2026-12-03")
	if _, err := wave.ReadWorkingDays("mon,market"); err == nil || !strings.Contains(err.Error(), "sun, mon") {
		t.Error(err)
	}
}

// Machines that come to a wave get its working days evenly; those that have a day keep it.
func TestAssignedDays(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 300 {
		cal, had := drawnCalendar(r), map[wave.Day]int{}
		w := &wave.Wave{Starts: wave.On(now), Ends: wave.On(now).Add(r.IntN(14))}
		today := wave.On(now).Add(r.IntN(4))
		days := cal.Days(max(w.Starts, today), w.Ends)
		for range 3 { // machines come at three times
			n := r.IntN(20)
			for _, d := range cal.Assign(n, w, had, today) {
				if len(days) == 0 {
					expect.Same(t, "day", d, "")
					continue
				}
				if !slices.Contains(days, d) {
					t.Fatalf("%s of a wave from %s to %s, today %s", d, w.Starts, w.Ends, today)
				}
				had[d]++
			}
		}
		least, most := 1000, 0
		for _, d := range days {
			least, most = min(least, had[d]), max(most, had[d])
		}
		if len(days) > 0 && most-least > 1 {
			t.Fatalf("over %v: %v", days, had)
		}
	}
}

func TestStopRule(t *testing.T) {
	for _, tt := range []struct {
		name     string
		w        wave.Wave
		outcomes map[string]int
		stops    bool
	}{
		{"no rule", wave.Wave{}, map[string]int{wave.Failed: 5}, false},
		{"just the share", wave.Wave{StopPercent: 20}, map[string]int{wave.Failed: 1, wave.Arrived: 4}, false},
		{"more than the share", wave.Wave{StopPercent: 20}, map[string]int{wave.Failed: 2, wave.Arrived: 4}, true},
		{"went back", wave.Wave{StopPercent: 20}, map[string]int{wave.Back: 1, wave.Arrived: 3}, true},
		{"waiting ones do not count", wave.Wave{StopPercent: 20},
			map[string]int{wave.Failed: 1, wave.Handed: 3, wave.Waiting: 90}, true},
		{"forgiven", wave.Wave{StopPercent: 20, Forgiven: 2}, map[string]int{wave.Failed: 2, wave.Arrived: 4}, false},
		{"one more", wave.Wave{StopPercent: 20, Forgiven: 2}, map[string]int{wave.Failed: 3, wave.Arrived: 4}, true},
		{"ended", wave.Wave{StopPercent: 20, Ended: true}, map[string]int{wave.Failed: 3}, false},
	} {
		t.Run(tt.name, func(t *testing.T) {
			if why := tt.w.Stopped(tt.outcomes); (why != "") != tt.stops {
				t.Errorf("%q", why)
			}
		})
	}
	all := []wave.Wave{
		{ID: 1, Name: "P", Release: "ebb-4", Pilot: true},
		{ID: 2, Release: "ebb-4"},
		{ID: 3, Release: "x"},
	}
	stopped := map[int64]string{1: "two failed"}
	for id, want := range map[int]string{0: "two failed", 1: `the pilot "P" is paused: two failed`, 2: ""} {
		if got := wave.Pause(&all[id], all, stopped); got != want {
			t.Errorf("wave %d: %q, want %q", id+1, got, want)
		}
	}
}

func TestForecast(t *testing.T) {
	var arrivals []time.Time
	for i := range 56 { // two a day for 28 days, and older ones that do not count
		arrivals = append(arrivals, now.AddDate(0, 0, -i/2))
	}
	arrivals = append(arrivals, now.AddDate(0, 0, -60))
	due := func() []wave.Deadline { return []wave.Deadline{{Day: "2026-12-03", Machines: 40}} }
	f := wave.Forecast{Machines: 100, On: 60, Deadlines: due()}.Predict(arrivals, &wave.Calendar{}, 0, now)
	expect.Same(t, "f.Pace", f.Pace, 2)
	expect.Same(t, "f.Done", f.Done, "2026-12-13")
	expect.Same(t, "f.InTime", f.InTime, 80)
	expect.Same(t, "f.Needed", f.Needed, 4)
	expect.Same(t, "f.End", f.End, "2026-12-03")
	dark := wave.Forecast{Machines: 100, On: 60, Deadlines: due()}.Predict(arrivals,
		&wave.Calendar{Dark: []wave.Blackout{{From: "2026-11-24", To: "2026-12-03"}}}, 0, now)
	expect.That(t, "dark.Done > f.Done", dark.Done > f.Done)
	expect.Same(t, "in time and needed in the dark", fmt.Sprint(dark.InTime, dark.Needed), "60 0")
	asked := wave.Forecast{Machines: 100, On: 60, Deadlines: due()}.Predict(arrivals, &wave.Calendar{}, 8, now)
	start := asked.Deadlines[0].Start
	expect.Same(t, "at another pace", fmt.Sprintf("%d %v %v on %s", asked.Late, asked.Pace, asked.Assumed, start),
		"0 2 8 on 2026-11-29")
	none := (wave.Forecast{Machines: 10, On: 4}).Predict(nil, &wave.Calendar{}, 0, now)
	expect.Same(t, "none.Done", none.Done, "")
	expect.Same(t, "none.InTime", none.InTime, 10) // no end of support is known
	expect.Same(t, "none.Pace", none.Pace, 0)
	over := wave.Forecast{Machines: 3, Deadlines: []wave.Deadline{{Day: "2026-11-22", Machines: 2}}}.Predict(nil,
		&wave.Calendar{}, 9, now)
	expect.Same(t, "of what is over", fmt.Sprint(over.Overdue, over.Late, over.InTime), "2 2 1")
	expect.Same(t, "the start of what is over", over.Deadlines[0].Start, "")
	done := (wave.Forecast{Machines: 4, On: 4}).Predict(nil, &wave.Calendar{}, 0, now)
	expect.Same(t, "done.Done", done.Done, wave.On(now))
}

// A forecast is what a day by day upgrade of the most urgent machine first comes to; the latest start is in time, and a
// day later is not; the pace that is needed is enough, and a little less is not.
func TestForecastIsASimulation(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for range 500 {
		cal, today := drawnCalendar(r), wave.On(now)
		var deadlines []wave.Deadline
		left := 0
		for day := today.Add(-r.IntN(3)); len(deadlines) < 1+r.IntN(4); day = day.Add(1 + r.IntN(30)) {
			n := 1 + r.IntN(20)
			left += n
			deadlines = append(deadlines, wave.Deadline{Day: day, Machines: n})
		}
		pace := float64(1+r.IntN(40)) / 8 // exact in binary
		f := wave.Forecast{Machines: left, Deadlines: deadlines}.Predict(nil, cal, pace, now)
		if late, done := simulate(cal, deadlines, pace, today); late != f.Late || done != f.Done {
			t.Fatalf("%d late, done on %s; simulated %d, %s: %+v", f.Late, f.Done, late, done, f)
		}
		begun := f.Overdue > 0 || cal.Between(today.Add(1), deadlines[0].Day) == 0
		if f.Needed > 0 && !begun {
			enough := wave.Forecast{Machines: left, Deadlines: deadlines}.Predict(nil, cal, f.Needed, now)
			short := wave.Forecast{Machines: left, Deadlines: deadlines}.Predict(nil, cal, f.Needed*0.999, now)
			if enough.Late != 0 || short.Late == 0 {
				t.Fatalf("%v a day: %d late; a little less: %d late: %+v", f.Needed, enough.Late, short.Late, f)
			}
		}
		for _, d := range f.Deadlines {
			if d.Start == "" {
				continue
			}
			days := cal.Between(d.Start, d.Day)
			if float64(days)*pace < float64(d.Due) ||
				float64(cal.Between(d.Start.Add(1), d.Day))*pace >= float64(d.Due) {
				t.Fatalf("a start on %s: %d days at %v for %d machines", d.Start, days, pace, d.Due)
			}
		}
	}
}

// simulate upgrades machines day by day, those whose support ends first first, and passes over those that are late
// already until the end.
func simulate(cal *wave.Calendar, deadlines []wave.Deadline, pace float64, today wave.Day) (late int, done wave.Day) {
	var queue []wave.Day
	for _, d := range deadlines {
		for range d.Machines {
			queue = append(queue, d.Day)
		}
	}
	all, arrived, room := len(queue), 0, 0.0
	for day := today.Add(1); ; day = day.Add(1) {
		if cal.Off(day) == "" {
			room += pace
		}
		for room >= 1 && arrived < all {
			room--
			arrived++
			for len(queue) > 0 && queue[0] < day {
				queue, late = queue[1:], late+1
			}
			if len(queue) > 0 {
				queue = queue[1:]
			}
		}
		if arrived == all {
			return late, day
		}
	}
}

// The latest start leaves a working day for a visit and for each release, and the days that parts take before it.
func TestLatestStart(t *testing.T) {
	cal := &wave.Calendar{Free: [7]bool{time.Saturday: true, time.Sunday: true},
		Dark: []wave.Blackout{{From: "2026-12-07", To: "2026-12-07"}}}
	for _, tt := range []struct {
		left wave.Remaining
		want wave.Day
	}{
		{wave.Remaining{Upgrades: 1}, "2026-12-08"},
		{wave.Remaining{Upgrades: 2}, "2026-12-04"}, // the 7th is dark, the 5th and 6th are a weekend
		{wave.Remaining{Upgrades: 2, Visit: true}, "2026-12-03"},
		{wave.Remaining{Upgrades: 1, Visit: true, LeadDays: 10}, "2026-11-24"},
	} {
		t.Run(string(tt.want), func(t *testing.T) {
			expect.Same(t, "the day", cal.LatestStart("2026-12-08", &tt.left), tt.want)
		})
	}
}
