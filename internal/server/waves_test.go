package server_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

func today(n int) string { return time.Now().UTC().AddDate(0, 0, n).Format(time.DateOnly) }

// What nobody may do with waves is refused with what would be right, and changes nothing.
func TestWavesAreRefused(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	good := api.MakeWave{Name: "East", Rule: `site="Gull Quay"`, Most: 10, Starts: today(3), Ends: today(6)}
	if _, err := s.Client.SetWave(ctx, 0,
		api.MakeWave{
			Name:   "Pilot",
			Pilot:  true,
			Rule:   "class=pc",
			Most:   5,
			Starts: today(0),
			Ends:   today(2),
		}); err != nil {
		t.Fatal(err)
	}
	if err := s.Client.SetBlackout(ctx,
		api.Blackouts{Days: []api.Blackout{{From: today(30), To: today(40),
			Reason: "the turn of the year"}}}); err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct {
		what   string
		change func(*api.MakeWave)
		want   string
	}{
		{"a day that is none", func(w *api.MakeWave) { w.Starts = "tomorrow" }, "write it as 2026-12-01"},
		{"a day that is over", func(w *api.MakeWave) { w.Starts = today(-1) }, "is in the past"},
		{"during the pilot", func(w *api.MakeWave) { w.Starts = today(1) }, "start later"},
		{"in the dark", func(w *api.MakeWave) { w.Starts, w.Ends = today(31), today(35) }, "blackout days"},
		{"to no target", func(w *api.MakeWave) { w.Release = "skerry-13" }, "is not a target"},
		{"no size", func(w *api.MakeWave) { w.Most = 0 }, "give a size"},
		{"a rule with a mistake", func(w *api.MakeWave) { w.Rule = "plaice=x" }, `unknown key "plaice"`},
		{"a name twice", func(w *api.MakeWave) { w.Name = "pilot" }, "already"},
	} {
		t.Run(tt.what, func(t *testing.T) {
			w := good
			tt.change(&w)
			_, err := s.Client.SetWave(ctx, 0, w)
			refused(t, tt.what, err, tt.want)
		})
	}
	one, err := s.Client.SetWave(ctx, 0, good)
	if err != nil {
		t.Fatal(err)
	}
	again := good
	again.Name = "East too"
	_, err = s.Client.SetWave(ctx, 0, again)
	refused(t, "the same machines in the same days", err, "cannot overlap")
	_, err = s.Client.FillWave(ctx, one.ID, api.FillWave{ByName: true})
	refused(t, "by name without names", err, "give their keys")
	_, err = s.Client.HandedOff(ctx, one.ID)
	refused(t, "before its first day", err, "starts on")
	refused(t, "dark days backwards",
		s.Client.SetBlackout(ctx, api.Blackouts{Days: []api.Blackout{{From: today(9), To: today(8)}}}),
		"is before the first day")
	_, err = s.Client.Wave(ctx, 99)
	refused(t, "a wave that is not there", err, "there is no wave 99")
	_, err = s.Client.OutcomesFile(ctx, one.ID, api.OutcomesFile{Name: "x.csv", Content: []byte("Who,How\nA,ok\n")})
	refused(t, "a file without columns", err, "no column is the machine; the table has Who, How")
	l, err := s.Client.Waves(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Waves)", len(l.Waves), 2)
	expect.That(t, "l.Waves[0].Pilot", l.Waves[0].Pilot)
	expect.Same(t, "len(l.Blackout)", len(l.Blackout), 1)
}

// Machines enter by name where a requirement is waived, with who let them in; what is not
// ready never does. What is handed off carries its package, and a hook is told.
func TestHandOff(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	if _, err := s.Client.Decide(ctx,
		api.MakeDecision{
			Kind:        "waive",
			Scope:       "key=gull-013",
			Requirement: "graphics",
			Reason:      "it is a sign",
			Until:       today(30),
		}); err != nil {
		t.Fatal(err)
	}
	w, err := s.Client.SetWave(ctx, 0,
		api.MakeWave{Name: "Quay", Rule: `site="Gull Quay"`, Most: 4, Starts: today(0), Ends: today(5)})
	if err != nil {
		t.Fatal(err)
	}
	got, err := s.Client.FillWave(ctx, w.ID,
		api.FillWave{Keys: []string{"gull-013", "gull-001", "gull-007", "nslip-001", "gull-003"}})
	if err != nil || got.Added != 1 {
		t.Fatalf("%+v %v", got, err)
	}
	for key, want := range map[string]string{
		"GULL-013":  "it can enter only by name",
		"GULL-001":  "it is not ready (replace): 64-bit processor",
		"GULL-007":  "it is undetermined",
		"nslip-001": "the machine does not match the rule of the wave",
	} {
		t.Run(key, func(t *testing.T) {
			if !slices.ContainsFunc(got.Refusals,
				func(r wave.Refusal) bool { return r.Some[0].Name == key && strings.Contains(r.Reason, want) }) {
				t.Errorf("%s is not refused for %q: %+v", key, want, got.Refusals)
			}
		})
	}
	got, err = s.Client.FillWave(ctx, w.ID,
		api.FillWave{Keys: []string{"gull-013", "gull-001"}, ByName: true})
	expect.NoError(t, err)
	expect.Same(t, "got.Added", got.Added, 1)
	expect.Same(t, "len(got.Refusals)", len(got.Refusals), 1)
	got, err = s.Client.FillWave(ctx, w.ID, api.FillWave{})
	expect.NoError(t, err)
	expect.Same(t, "got.Added", got.Added, 2)
	full := func(r wave.Refusal) bool { return strings.Contains(r.Reason, "the wave is full") }
	expect.That(t, "a machine is refused because the wave is full", slices.ContainsFunc(got.Refusals, full))
	var off api.HandOff
	body, err := s.Client.HandOff(ctx, w.ID, "json")
	expect.NoError(t, err)
	expect.That(t, "json.Unmarshal(body, &off) == nil", json.Unmarshal(body, &off) == nil)
	expect.Same(t, "off.Format", off.Format, "rolltop-handoff/1")
	expect.Same(t, "len(off.Machines)", len(off.Machines), 4)
	expect.Same(t, "len(off.Refused)", len(off.Refused), 0)
	for _, m := range off.Machines {
		expect.Same(t, "len(m.SHA256)", len(m.SHA256), 64)
		expect.That(t, "m.File != \"\"", m.File != "")
		expect.That(t, "m.Edition != \"\"", m.Edition != "")
		expect.That(t, "m.Way != \"\"", m.Way != "")
		expect.That(t, "m.Day != \"\"", m.Day != "")
		if m.Key == "gull-013" {
			expect.That(t, "it says who named it", m.ByName != "")
		}
	}
	if body, err = s.Client.HandOff(ctx, w.ID, "csv"); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(string(body))).ReadAll()
	expect.NoError(t, err)
	expect.Same(t, "len(rows)", len(rows), 5)
	expect.Same(t, "rows[0][9]", rows[0][9], "sha256")
	expect.Same(t, "rows[1][0]", rows[1][0], off.Machines[0].Name)
	if body, err = s.Client.HandOff(ctx, w.ID, "ndjson"); err != nil || strings.Count(string(body), "\n") != 4 {
		t.Errorf("%s %v", body, err)
	}
	// A machine that is no longer ready is not handed over, and the others are.
	gone := off.Machines[0].Key
	if gone == "gull-013" {
		gone = off.Machines[1].Key
	}
	if _, err := s.Client.Submit(ctx, like(t, s, gone, func(d *inventory.Document) {
		d.Firmware.SecureBoot, d.TakenAt = inventory.Some("off"), d.TakenAt.Add(time.Minute)
	})); err != nil {
		t.Fatal(err)
	}
	h, err := s.Client.HandedOff(ctx, w.ID)
	expect.NoError(t, err)
	expect.Same(t, "len(h.Machines)", len(h.Machines), 3)
	expect.Same(t, "len(h.Refused)", len(h.Refused), 1)
	expect.Same(t, "h.Refused[0].Key", h.Refused[0].Key, gone)
	expect.Contains(t, h.Refused[0].Reason, "not ready")
	if got := total(t, s.Client, fmt.Sprintf("wave=%d outcome=handed-off", w.ID)); got != 3 {
		t.Errorf("%d are under way", got)
	}
	// One is free again when the wave ends; those that were handed over stay its.
	if err := s.Client.EndWave(ctx, w.ID); err != nil {
		t.Fatal(err)
	}
	if got := total(t, s.Client, fmt.Sprintf("wave=%d", w.ID)); got != 3 {
		t.Errorf("%d are in the wave that has ended", got)
	}
	audit, err := s.Client.Audit(ctx, "", "", "", 50)
	if err != nil || !slices.ContainsFunc(audit.Entries,
		func(a api.AuditEntry) bool { return strings.Contains(a.Becomes, "three machines handed off") }) {
		t.Errorf("the hand-off is not in a list of changes: %v", err)
	}
}

// Who is limited to some sites sees the work, the waves and the changes of these alone,
// and changes nothing that reaches further.
func TestWorkOfASite(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	if err := standin.Furnish(ctx, s, time.Now()); err != nil {
		t.Fatal(err)
	}
	m, err := s.Client.AddToken(ctx, api.NewToken{Name: "holm", Scope: "work", Sites: []string{"Holm Ferry"}})
	if err != nil {
		t.Fatal(err)
	}
	c := s.As(t, m.Secret)
	w, err := c.Work(ctx, "")
	expect.NoError(t, err)
	expect.Same(t, "len(w.Stops)", len(w.Stops), 1)
	expect.Same(t, "w.Stops[0].Site", w.Stops[0].Site, "Holm Ferry")
	for _, x := range w.Watch {
		if x.Machine.Site != "" && x.Machine.Site != "Holm Ferry" {
			t.Errorf("they are told of %+v", x)
		}
	}
	l, err := c.Waves(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Waves)", len(l.Waves), 1)
	expect.Same(t, "l.Waves[0].Machines", l.Waves[0].Machines, 6)
	expect.Same(t, "l.Forecasts[0].On", l.Forecasts[0].On, 5)
	ch, err := c.RuleChange(ctx, 1)
	if err != nil || ch.Moved != 0 {
		t.Errorf("they see %d of a change elsewhere, %v", ch.Moved, err)
	}
	refused(t, "stock by somebody of one place", c.SetStock(ctx, api.SetStock{Part: "new tablet", OnHand: 3}),
		"limited to Holm Ferry")
	got, err := c.Assign(ctx, api.Assign{Where: "disposition=reconfigure,refit", Who: "technician, east",
		Overwrite: true})
	expect.NoError(t, err)
	expect.That(t, "got.Changed != 0", got.Changed != 0)
	expect.Same(
		t,
		"those of their site",
		got.Changed,
		total(t, s.Client, `assigned="technician, east" site="Holm Ferry"`),
	)
}

// A wave whose rule names a requirement that has gone since goes on, and can be changed; another
// rule with such a name is refused.
func TestStoredRulesOutliveRequirements(t *testing.T) {
	t.Parallel()
	st := servertest.OpenStore(t)
	s := servertest.StartWith(t, servertest.Options{Store: st})
	_, err := standin.Fill(ctx, s, time.Now())
	expect.NoError(t, err)
	old := wave.Wave{Name: "Old", Release: "skerry-12", Rule: "fails=gone", Most: 5,
		Starts: wave.On(time.Now().AddDate(0, 0, 40)), Ends: wave.On(time.Now().AddDate(0, 0, 45))}
	id, err := st.SetWave(ctx, &old, "demo", time.Now())
	expect.NoError(t, err)
	change := api.MakeWave{Name: "Old", Release: "skerry-12", Rule: "fails=gone", Most: 7,
		Starts: today(40), Ends: today(46)}
	w, err := s.Client.SetWave(ctx, id, change)
	expect.NoError(t, err)
	expect.Same(t, "the size", w.Most, 7)
	change.Rule = "fails=tmp"
	_, err = s.Client.SetWave(ctx, id, change)
	expect.Error(t, err, `did you mean "tpm"?`)
}
