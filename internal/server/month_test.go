package server_test

import (
	"fmt"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// month is the demo's organisation at work: a day is a step of the clock, and what is
// done at machines shows in their next inventories.
type month struct {
	*testing.T
	s       *servertest.Service
	clock   atomic.Int64
	reports map[string]*inventory.Document // by the machines' keys
	silent  map[string]bool                // those do not report
}

func newMonth(t *testing.T) *month {
	m := &month{T: t, reports: map[string]*inventory.Document{}, silent: map[string]bool{}}
	begin := time.Date(2026, 11, 2, 8, 0, 0, 0, time.UTC)
	m.clock.Store(begin.UnixNano())
	m.s = servertest.StartAt(t, nil, m.now)
	if _, err := standin.Fill(ctx, m.s, begin); err != nil {
		t.Fatal(err)
	}
	o, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	fleet, err := o.Fleet(begin)
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range fleet {
		m.reports[strings.ToLower(d.Device.Name.Or(""))] = d
	}
	return m
}

func (m *month) now() time.Time { return time.Unix(0, m.clock.Load()).UTC() }

func (m *month) day(n int) string { return m.now().AddDate(0, 0, n).Format(time.DateOnly) }

// morning begins the next day: the machines that are named report, or all of them.
func (m *month) morning(keys ...string) {
	m.Helper()
	m.clock.Add(int64(24 * time.Hour))
	if keys == nil {
		for key := range m.reports {
			keys = append(keys, key)
		}
	}
	for _, key := range keys {
		d := m.reports[key]
		if d == nil || m.silent[key] {
			continue
		}
		d.TakenAt = m.now().Truncate(time.Second)
		if err := m.s.Load(ctx, d); err != nil {
			m.Fatalf("%s: %v", key, err)
		}
	}
}

// work are what steps do to a machine, as its next inventory shows.
var workDone = map[string]func(*inventory.Document){
	"tpm-on": func(d *inventory.Document) {
		d.TPM = inventory.TPM{
			State:   inventory.Some("ready"),
			Version: inventory.Some("2.0"),
			Kind:    inventory.Some("firmware"),
		}
		d.DropGap("tpm")
		d.DropGap("tpm.version")
	},
	"secure-boot-on": func(d *inventory.Document) {
		d.Firmware.SecureBoot, d.Firmware.SecureBootCapable = inventory.Some("on"), inventory.Some(true)
		d.DropGap("firmware.secure_boot_capable")
	},
	"boot-mode": func(d *inventory.Document) { d.Firmware.BootMode = inventory.Some("uefi") },
	"convert-disk": func(d *inventory.Document) {
		d.Storage.System.PartitionStyle, d.Storage.Boot.PartitionStyle = inventory.Some("gpt"), inventory.Some("gpt")
	},
}

// do ticks the steps of a visit, and lets them have their effect if they have one.
func (m *month) do(v *api.Visit, effect bool) bool {
	m.Helper()
	if m.reports[v.Key] == nil ||
		slices.ContainsFunc(v.Steps, func(s api.StepRef) bool { return workDone[s.Step] == nil }) {
		return false
	}
	for _, step := range v.Steps {
		if _, err := m.s.Client.SetTick(ctx, v.Key, "step", step.Step, api.SayTick{State: "done"}); err != nil {
			m.Fatalf("%s %s: %v", v.Key, step.Step, err)
		}
		if effect {
			workDone[step.Step](m.reports[v.Key])
		}
	}
	return true
}

func (m *month) upgrade(key string) {
	d := m.reports[key]
	d.OS.Name, d.OS.Version, d.OS.Build = inventory.Some("Skerry 12"), inventory.Some("12.0"),
		inventory.Some("12.0.310")
}

func (m *month) total(where string) int { m.Helper(); return total(m.T, m.s.Client, where) }

func (m *month) worklist() *api.Work {
	m.Helper()
	w, err := m.s.Client.Work(ctx, "")
	if err != nil {
		m.Fatal(err)
	}
	return &w
}

func (m *month) forecast() api.Forecast {
	m.Helper()
	l, err := m.s.Client.Waves(ctx)
	if err != nil {
		m.Fatal(err)
	}
	return l.Forecasts[0]
}

func (m *month) wave(id int64) *api.WaveDetail {
	m.Helper()
	w, err := m.s.Client.Wave(ctx, id)
	if err != nil {
		m.Fatal(err)
	}
	return &w
}

// A month of work: what is done leaves the worklist with the next inventory, what had no
// effect comes back, machines go in a pilot and a wave, and counts and the forecast
// follow.
func TestMonth(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	ready, all := m.total("disposition=ready"), m.total("")
	first := m.worklist()
	expect.That(t, "first.Visits >= 60", first.Visits >= 60)
	expect.Same(t, "len(first.Stops)", len(first.Stops), 9)
	expect.That(t, "len(first.Order) != 0", len(first.Order) != 0)
	expect.That(t, "len(first.Questions) != 0", len(first.Questions) != 0)

	// A week at the desks: the visits of a day are confirmed by the inventories of the next.
	visits, done := first.Visits, 0
	for range 5 {
		var keys []string
		for _, stop := range m.worklist().Stops {
			for i := range stop.Visits {
				if v := &stop.Visits[i]; len(keys) < 4 && v.Disposition == "reconfigure" {
					if m.do(v, true) {
						keys = append(keys, v.Key)
					}
				}
			}
		}
		said := m.worklist()
		if said.Visits != visits || m.total("disposition=ready") != ready {
			t.Fatalf("saying so changed something: %d visits, %d ready", said.Visits, m.total("disposition=ready"))
		}
		m.morning(keys...)
		done += len(keys)
		ready, visits = ready+len(keys), visits-len(keys)
		if got := m.total("disposition=ready"); got != ready {
			t.Fatalf("%d ready, want %d", got, ready)
		}
		if got := m.worklist().Visits; got != visits {
			t.Fatalf("%d visits are left, want %d", got, visits)
		}
	}
	if done < 15 {
		t.Fatalf("only %d machines were settled: the month proves little", done)
	}

	// A tick without its effect is seen, and the visit stays.
	var idle api.Visit
	for _, stop := range m.worklist().Stops {
		for i := range stop.Visits {
			if v := &stop.Visits[i]; idle.Key == "" && v.Disposition == "reconfigure" {
				if m.do(v, false) {
					idle = *v
				}
			}
		}
	}
	m.morning(idle.Key)
	if w := m.worklist(); w.Visits != visits ||
		!slices.ContainsFunc(w.Watch,
			func(x watch.Item) bool { return x.Kind == "no-effect" && x.Machine.Key == idle.Key }) {
		t.Errorf("%d visits, and nobody is told that %s shows no effect: %+v", w.Visits, idle.Name, w.Watch)
	}

	// A pilot: only what is ready and was read lately may enter.
	quiet := "lant-002"
	m.silent[quiet] = true
	m.morning()
	pilot, err := m.s.Client.SetWave(ctx, 0,
		api.MakeWave{
			Name:   "Pilot",
			Pilot:  true,
			Rule:   `site="Lantern Pier"`,
			Most:   5,
			Starts: m.day(0),
			Ends:   m.day(4),
		})
	if err != nil {
		t.Fatal(err)
	}
	late := slices.IndexFunc(pilot.Refusals,
		func(r wave.Refusal) bool { return strings.Contains(r.Reason, "free space was read on") })
	if late < 0 || !slices.ContainsFunc(pilot.Refusals[late].Some,
		func(r api.MachineRef) bool { return r.Key == quiet }) {
		t.Errorf("%s has not reported for more than a week, and may enter: %+v", quiet, pilot.Refusals)
	}
	if got, err := m.s.Client.FillWave(ctx, pilot.ID, api.FillWave{}); err != nil || got.Added != 5 {
		t.Fatalf("%+v %v", got, err)
	}
	for _, mem := range m.wave(pilot.ID).Members {
		d, err := m.s.Client.Machine(ctx, mem.Key)
		expect.NoError(t, err)
		expect.Same(t, "d.Disposition", d.Disposition, "ready")
		expect.That(t, "mem.SHA256 != \"\"", mem.SHA256 != "")
		expect.That(t, "mem.Day != \"\"", mem.Day != "")
	}
	before := m.forecast()
	expect.That(t, "before.On != 0", before.On != 0)
	expect.Same(t, "before.Pace", before.Pace, 0)
	expect.Same(t, "before.Done", before.Done, "")
	expect.Contains(t, before.Says, "no day can be named")
	if _, err := m.s.Client.HandedOff(ctx, pilot.ID); err != nil {
		t.Fatal(err)
	}
	members := m.wave(pilot.ID).Members
	for _, mem := range members[:4] {
		m.upgrade(mem.Key)
	}
	m.morning()
	failed := members[4]
	got, err := m.s.Client.OutcomesFile(ctx, pilot.ID,
		api.OutcomesFile{
			Name: "outcomes.csv", Content: []byte("Machine;Outcome;Reason\n" + failed.Name +
				";failed;the driver of the printer\nNOBODY-1;failed;x\n" + members[0].Name + ";failed;\n"),
		})
	expect.NoError(t, err)
	expect.Same(t, "got.Taken", got.Taken, 1)
	expect.Same(t, "len(got.Problems)", len(got.Problems), 2)
	w := m.wave(pilot.ID)
	if w.Outcomes["arrived"] != 4 || w.Outcomes["failed"] != 1 {
		t.Errorf("%v", w.Outcomes)
	}
	if !slices.ContainsFunc(m.worklist().Watch, func(x watch.Item) bool {
		return x.Kind == "failed" && x.Machine.Key == failed.Key && strings.Contains(x.Says, "printer")
	}) {
		t.Error("the failure is no work again")
	}
	f := m.forecast()
	expect.Same(t, "f.On", f.On, before.On+4)
	expect.That(t, "f.Pace != 0", f.Pace != 0)
	expect.Same(t, "f.Machines", f.Machines, before.Machines)
	expect.Same(t, "f.Unknown", f.Unknown, before.Unknown)
	expect.Same(t, "f.Unseen", f.Unseen, before.Unseen)
	expect.That(t, `f.Done != ""`, f.Done != "")

	// The wave behind it: in pieces a day, and one goes back.
	next, err := m.s.Client.SetWave(ctx, 0,
		api.MakeWave{Name: "Head office", Rule: `site="North Slip" disposition=ready`, Most: 20, Starts: m.day(4), Ends: m.day(12)})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := m.s.Client.FillWave(ctx, next.ID, api.FillWave{}); err != nil {
		t.Fatal(err)
	}
	if _, err := m.s.Client.HandedOff(ctx, next.ID); err == nil || !strings.Contains(err.Error(), "starts on") {
		t.Errorf("handed over before its first day: %v", err)
	}
	for range 4 {
		m.morning()
	}
	if _, err := m.s.Client.HandedOff(ctx, next.ID); err != nil {
		t.Fatal(err)
	}
	going := m.wave(next.ID).Members
	for n := range 8 {
		m.upgrade(going[n].Key)
		m.morning()
		if got := m.wave(next.ID).Outcomes["arrived"]; got != n+1 {
			t.Fatalf("after day %d %d have arrived", n+1, got)
		}
		later := m.forecast()
		expect.Same(t, "later.On", later.On, before.On+4+n+1)
		expect.That(t, "later.Pace > f.Pace", later.Pace > f.Pace)
		expect.That(t, "later.Done <= f.Done", later.Done <= f.Done)
		f = later
	}
	back := going[0].Key
	d := m.reports[back]
	d.OS.Name, d.OS.Version, d.OS.Build = inventory.Some("Skerry 11"), inventory.Some("11.2"),
		inventory.Some("11.2.4123")
	m.morning()
	w = m.wave(next.ID)
	expect.Same(t, `w.Outcomes["back"]`, w.Outcomes["back"], 1)
	expect.Same(t, `w.Outcomes["arrived"]`, w.Outcomes["arrived"], 7)
	expect.Same(t, `w.Outcomes["handed-off"]`, w.Outcomes["handed-off"], len(going)-8)
	l, err := m.s.Client.MachineList(ctx,
		client.List{Where: fmt.Sprintf("wave=%d outcome=back", next.ID)})
	expect.NoError(t, err)
	expect.Same(t, "l.Total", l.Total, 1)
	expect.Same(t, "l.Machines[0].Key", l.Machines[0].Key, back)
	if got := m.forecast(); got.On != before.On+4+7 || got.Says == "" {
		t.Errorf("%+v", got)
	}
	// Nothing was lost on the way, and nobody became ready whom nobody worked on.
	// Those that have arrived are done, and no longer ready.
	if arrived := m.forecast().On - before.On; m.total("") != all || m.total("disposition=ready")+arrived != ready {
		t.Errorf("%d machines of %d, %d ready and %d arrived of %d", m.total(""), all, m.total("disposition=ready"),
			arrived, ready)
	}
}
