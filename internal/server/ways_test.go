package server_test

import (
	"encoding/csv"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
)

// install puts a release on a machine, as its next inventory shows.
func (m *month) install(key, name, version string) {
	d := m.reports[key]
	d.OS.Name, d.OS.Version = inventory.Some(name), inventory.Some(version)
}

// names are the machines of a filter, by their keys.
func (m *month) keys(where string) []string {
	m.Helper()
	l, err := m.s.Client.MachineList(ctx, client.List{Where: where, Size: 500, Sort: "ends"})
	if err != nil {
		m.Fatal(err)
	}
	out := make([]string, len(l.Machines))
	for i := range l.Machines {
		out[i] = l.Machines[i].Key
	}
	return out
}

// A machine to which nothing is left but its way goes into a wave, with each release, its package and its day; what an
// inventory shows of a release on the way is its outcome. The days stay when machines leave the wave.
func TestMachinesGoHopByHop(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	m.morning()
	c := m.s.Client
	urgent := m.keys("class=pc support=30,90 step=interim route=interim")
	if len(urgent) < 3 {
		t.Fatalf("%d machines go by an intermediate release", len(urgent))
	}
	w, err := c.SetWave(ctx, 0, api.MakeWave{Name: "Urgent", Rule: "class=pc step=interim route=interim", Most: 40,
		Starts: m.day(0), Ends: m.day(4)})
	expect.NoError(t, err)
	got, err := c.FillWave(ctx, w.ID, api.FillWave{})
	expect.NoError(t, err)
	if got.Added < 3 {
		t.Fatalf("%d enter: %+v", got.Added, got.Refusals)
	}
	members := m.wave(w.ID).Members
	one := members[0]
	expect.Same(t, "hops", hopsText(&one), "Skerry 11 skerry-11-office-64 waiting, Skerry 12 office-64 waiting")
	expect.That(t, "one.Hops[0].Day < one.Hops[1].Day", one.Hops[0].Day < one.Hops[1].Day)
	expect.Same(t, "the day of the target", one.Hops[1].Day, one.Day)
	_, err = c.Outcomes(ctx, w.ID, api.Outcomes{Outcomes: []api.SaidOutcome{{Machine: one.Key, Outcome: "arrived"}}})
	expect.NoError(t, err)
	expect.Same(t, "outcome before the hand-off", m.wave(w.ID).Outcomes["arrived"], 0)

	var lines strings.Builder
	body, err := c.HandOff(ctx, w.ID, "csv")
	expect.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(body))).ReadAll()
	expect.NoError(t, err)
	for _, r := range rows {
		if r[0] == one.Name {
			fmt.Fprintln(&lines, r[4], r[7], r[10], r[11])
		}
	}
	want := fmt.Sprintf(
		"%s skerry-11-office-64 Skerry 11 1 of 2\n%s office-64 Skerry 12 2 of 2\n",
		one.Hops[0].Day,
		one.Day,
	)
	expect.Same(t, "the lines of the hand-off", lines.String(), want)
	_, err = c.HandedOff(ctx, w.ID)
	expect.NoError(t, err)

	// The first hop is there: the machine is under way, and its next day is that of the second.
	m.install(one.Key, "Skerry 11", "11.2")
	m.morning(one.Key)
	hops := memberOf(t, m.wave(w.ID), one.Key)
	expect.Same(t, "outcome after the first hop", hops.Outcome, wave.Handed)
	expect.That(t, "!hops.Hops[0].SeenAt.IsZero()", !hops.Hops[0].SeenAt.IsZero())
	expect.Same(t, "after the first hop", hopsText(&hops), "Skerry 11  arrived, Skerry 12 office-64 handed-off")
	m.upgrade(one.Key)
	m.morning(one.Key)
	if at := memberOf(t, m.wave(w.ID), one.Key); at.Outcome != wave.Arrived || at.Hops[1].Outcome != wave.Arrived {
		t.Errorf("after the second hop: %+v", at)
	}

	// A hop fails by name of its release; the failure stays on record when the machine leaves the wave.
	two, three := members[1], members[2]
	said, err := c.OutcomesFile(ctx, w.ID, api.OutcomesFile{Name: "status.csv", DryRun: true, Content: []byte(
		"Computer name,Result,Message,Version\n" + two.Name + ",Error,the disk was full,Skerry 11\n")})
	expect.NoError(t, err)
	expect.Same(t, "a dry run", fmt.Sprint(said.Taken, len(said.Headings), said.Outcomes), fmt.Sprintf(
		"1 4 [{%s failed the disk was full Skerry 11}]", two.Name))
	expect.Same(t, "outcome after a dry run", memberOf(t, m.wave(w.ID), two.Key).Outcome, wave.Handed)
	said, err = c.OutcomesFile(
		ctx,
		w.ID,
		api.OutcomesFile{Name: "status.csv", Columns: map[string]string{"outcome": "How"},
			Words: map[string]string{"broken": "failed"}, Content: []byte("Host,How,Message,Version\n" + two.Name +
				",broken,the disk was full,Skerry 11\n" + three.Name + ",broken,x,Skerry 9\n")},
	)
	expect.NoError(t, err)
	expect.Same(t, "outcomes and problems", fmt.Sprint(said.Taken, len(said.Problems)), "1 1")
	expect.Contains(t, said.Problems[0], `does not go by "Skerry 9"`)
	if at := memberOf(t, m.wave(w.ID), two.Key); at.Outcome != wave.Failed ||
		at.Hops[0].Reason != "the disk was full" {
		t.Errorf("%+v", at)
	}
	day := memberOf(t, m.wave(w.ID), three.Key).Day
	expect.NoError(t, c.LeaveWave(ctx, w.ID, two.Key))
	expect.Same(t, "the day of another machine", memberOf(t, m.wave(w.ID), three.Key).Day, day)
	d, err := c.Machine(ctx, two.Key)
	expect.NoError(t, err)
	if len(d.WaveRecords) != 1 {
		t.Fatalf("on record: %+v", d.WaveRecords)
	}
	expect.Same(t, "the record", d.WaveRecords[0].Release+" "+d.WaveRecords[0].Reason, "Skerry 11 the disk was full")
}

// hopsText are the releases on the way of a machine, with package and outcome.
func hopsText(m *wave.Machine) string {
	var out []string
	for _, h := range m.Hops {
		out = append(out, h.Release+" "+h.Package+" "+h.Outcome)
	}
	return strings.Join(out, ", ")
}

func memberOf(t *testing.T, w *api.WaveDetail, key string) wave.Machine {
	t.Helper()
	i := slices.IndexFunc(w.Members, func(m wave.Machine) bool { return m.Key == key })
	if i < 0 {
		t.Fatalf("%s is not in the wave %s", key, w.Name)
	}
	return w.Members[i]
}

// What a machine would lose is confirmed by name: applications that the upgrade removes, and everything in a clean
// installation.
func TestLossesAreConfirmedByName(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	m.morning()
	c := m.s.Client
	w, err := c.SetWave(
		ctx,
		0,
		api.MakeWave{Name: "All", Rule: "class=pc", Most: 300, Starts: m.day(0), Ends: m.day(9)},
	)
	expect.NoError(t, err)
	_, err = c.FillWave(ctx, w.ID, api.FillWave{})
	expect.NoError(t, err)
	for _, mem := range m.wave(w.ID).Members {
		if mem.Way == "reinstall" || len(mem.Loses) > 0 {
			t.Errorf("%s enters by the rule, and loses %v, by %s", mem.Name, mem.Loses, mem.Way)
		}
	}
	clean := m.keys("class=pc route=reinstall disposition=reconfigure step=reinstall")
	losing := m.keys("class=pc disposition=ready further=remove-titles")
	if len(clean) == 0 || len(losing) == 0 {
		t.Fatalf("the demo has none: %v %v", clean, losing)
	}
	for _, tt := range []struct {
		key, why string
	}{{clean[0], "a clean installation keeps no programs and files"}, {losing[0], "the upgrade removes Lampwright"}} {
		t.Run(tt.why, func(t *testing.T) {
			got, err := c.FillWave(ctx, w.ID, api.FillWave{Keys: []string{tt.key}})
			expect.NoError(t, err)
			expect.Same(t, "added and refused", fmt.Sprint(got.Added, len(got.Refusals)), "0 1")
			expect.Contains(t, got.Refusals[0].Reason, tt.why)
			got, err = c.FillWave(ctx, w.ID, api.FillWave{Keys: []string{tt.key}, ByName: true})
			expect.NoError(t, err)
			if got.Added != 1 || memberOf(t, m.wave(w.ID), tt.key).ByName == "" {
				t.Errorf("%+v", got)
			}
		})
	}
}

// Announced days move only when told to. Days on which nobody works have no machines.
func TestAnnouncedDays(t *testing.T) {
	t.Parallel()
	m := newMonth(t) // 2026-11-02 is a Monday
	values := m.s.Settings.Get()
	values.WorkingDays = "mon,tue,wed,thu,fri"
	expect.NoError(t, m.s.Settings.Set(ctx, values))
	m.morning()
	c := m.s.Client
	make := api.MakeWave{Name: "North", Rule: `site="North Slip" disposition=ready`, Most: 12, Starts: m.day(0),
		Ends: m.day(7)}
	weekend := make
	weekend.Starts = "2026-11-07"
	_, err := c.SetWave(ctx, 0, weekend)
	refused(t, "a weekend", err, "is a Saturday, not a working day; the next allowed day is 2026-11-09")
	w, err := c.SetWave(ctx, 0, make)
	expect.NoError(t, err)
	_, err = c.FillWave(ctx, w.ID, api.FillWave{})
	expect.NoError(t, err)
	days := map[string]string{}
	for _, mem := range m.wave(w.ID).Members {
		days[mem.Key] = mem.Day
		on, err := time.Parse(time.DateOnly, mem.Day)
		expect.NoError(t, err)
		if on.Weekday() == time.Sunday || on.Weekday() == time.Saturday {
			t.Errorf("%s goes on %s", mem.Name, mem.Day)
		}
	}
	same := func(what string, but ...string) {
		t.Helper()
		for _, mem := range m.wave(w.ID).Members {
			if days[mem.Key] != mem.Day && !slices.Contains(but, mem.Key) {
				t.Errorf("%s: %s moves from %s to %s", what, mem.Name, days[mem.Key], mem.Day)
			}
		}
	}
	members := m.wave(w.ID).Members
	expect.NoError(t, c.LeaveWave(ctx, w.ID, members[0].Key))
	same("a machine leaves")
	_, err = c.FillWave(ctx, w.ID, api.FillWave{})
	expect.NoError(t, err)
	same("another comes", m.wave(w.ID).Members[0].Key, members[0].Key)

	mine := []string{members[1].Key}
	for day, want := range map[string]string{
		"2026-11-07": "is a Saturday", "2026-12-07": "is not in the wave", "2026-11-02": "is not in the wave",
		"soon": "is not a day",
	} {
		t.Run(day, func(t *testing.T) {
			_, err := c.FillWave(ctx, w.ID, api.FillWave{Keys: mine, Day: day})
			refused(t, "a day of its own", err, want)
		})
	}
	moved, err := c.FillWave(ctx, w.ID, api.FillWave{Keys: mine, Day: "2026-11-10"})
	expect.NoError(t, err)
	expect.Same(t, "moved", moved.Moved, 1)
	expect.Same(t, "its day", memberOf(t, m.wave(w.ID), mine[0]).Day, "2026-11-10")
	days[mine[0]] = "2026-11-10"

	later := make
	later.Starts, later.Ends = "2026-11-09", "2026-11-13"
	_, err = c.SetWave(ctx, w.ID, later)
	refused(t, "days that were announced", err, "before 2026-11-09")
	same("a change that was refused")
	later.Reschedule = true
	_, err = c.SetWave(ctx, w.ID, later)
	expect.NoError(t, err)
	for _, mem := range m.wave(w.ID).Members {
		if mem.Day < later.Starts || mem.Day > later.Ends {
			t.Errorf("%s goes on %s", mem.Name, mem.Day)
		}
	}
	// A day that becomes a blackout day is told, and stays until somebody gives another.
	expect.NoError(t, c.SetBlackout(ctx, api.Blackouts{Days: []api.Blackout{{From: "2026-11-10", To: "2026-11-10"}}}))
	told := 0
	for _, mem := range m.wave(w.ID).Members {
		if mem.Day == "2026-11-10" && strings.Contains(mem.Reason, "give it another day") {
			told++
		}
	}
	expect.That(t, "told > 0", told > 0)
}

// A pilot of which more than a share failed pauses itself and the waves behind it, until somebody says why it can go
// on.
func TestStopRulePausesWaves(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	m.morning()
	c := m.s.Client
	pilot, err := c.SetWave(
		ctx,
		0,
		api.MakeWave{Name: "Pilot", Pilot: true, Rule: `site="Lantern Pier" disposition=ready`,
			Most: 5, Starts: m.day(0), Ends: m.day(1), StopPercent: 20},
	)
	expect.NoError(t, err)
	next, err := c.SetWave(ctx, 0, api.MakeWave{Name: "Next", Rule: `site="North Slip" disposition=ready`, Most: 5,
		Starts: m.day(2), Ends: m.day(9)})
	expect.NoError(t, err)
	for _, id := range []int64{pilot.ID, next.ID} {
		_, err = c.FillWave(ctx, id, api.FillWave{})
		expect.NoError(t, err)
	}
	_, err = c.HandedOff(ctx, pilot.ID)
	expect.NoError(t, err)
	fails := func(n int) {
		t.Helper()
		key := m.wave(pilot.ID).Members[n].Key
		_, err := c.Outcomes(ctx, pilot.ID, api.Outcomes{Outcomes: []api.SaidOutcome{
			{Machine: key, Outcome: "failed", Reason: "no room"}}})
		expect.NoError(t, err)
	}
	fails(0) // 1 of 5 is just 20 percent
	expect.Same(t, "paused", m.wave(pilot.ID).Paused, "")
	_, err = c.ResumeWave(ctx, pilot.ID, "why not")
	refused(t, "a wave that is not paused", err, "is not paused")
	fails(1)
	expect.Contains(t, m.wave(pilot.ID).Paused, "2 of 5 machines that were handed off failed or went back")
	m.morning()
	m.morning()
	_, err = c.HandedOff(ctx, next.ID)
	refused(t, "behind a paused pilot", err, `the pilot "Pilot" is paused`)
	if h := m.wave(next.ID); !strings.Contains(h.Says, "It is paused") {
		t.Errorf("%q", h.Says)
	}
	_, err = c.ResumeWave(ctx, next.ID, "why not")
	refused(t, "a wave that its pilot pauses", err, "resume the pilot")
	_, err = c.ResumeWave(ctx, pilot.ID, " ")
	refused(t, "without a reason", err, "the reason is missing")
	_, err = c.ResumeWave(ctx, pilot.ID, "the disks are cleared")
	expect.NoError(t, err)
	_, err = c.HandedOff(ctx, next.ID)
	expect.NoError(t, err)
	fails(2)
	expect.That(t, "it pauses again", m.wave(pilot.ID).Paused != "")
}

// The forecast is what a plain recount of the machines comes to.
func TestForecastIsARecount(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	m.morning()
	all, err := m.s.Client.MachineList(ctx, client.List{Where: "class=pc", Size: 1000})
	expect.NoError(t, err)
	for _, where := range []string{"", `site="Gull Quay"`} {
		t.Run(where, func(t *testing.T) {
			got, err := m.s.Client.Forecast(ctx, where, 3)
			expect.NoError(t, err)
			f := got.Forecasts[0]
			due := map[string]int{}
			for i := range all.Machines {
				r := &all.Machines[i]
				elsewhere := where != "" && r.Site != "Gull Quay"
				if elsewhere || slices.Contains(r.Decided, "stay") {
					continue
				}
				if r.SupportEnds == "" {
					continue
				}
				due[r.SupportEnds]++
			}
			sum := 0
			for _, d := range f.Deadlines {
				sum += d.Machines
				if due[d.Day] != d.Machines || d.Due != sum {
					t.Errorf("%s: %+v, counted %d", where, d, due[d.Day])
				}
				delete(due, d.Day)
			}
			if len(due) > 0 || f.Assumed != 3 {
				t.Errorf("%v are missing of %+v", due, f)
			}
		})
	}
}
