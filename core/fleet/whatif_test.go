package fleet_test

import (
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
)

// changed is the scenario's release with texts put instead of others.
func changed(t *testing.T, olds ...string) *release.Release {
	t.Helper()
	src, err := coretest.Beside("skerry-12.yaml")
	if err != nil {
		t.Fatal(err)
	}
	text := string(src)
	for i := 0; i < len(olds); i += 2 {
		if !strings.Contains(text, olds[i]) {
			t.Fatalf("the release has no %q", olds[i])
		}
		text = strings.Replace(text, olds[i], olds[i+1], 1)
	}
	rel, err := release.Read("skerry-12", []byte(text), coretest.Beside)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

// kinds are machines with every mix of some memory, space, TPM, drive, processor and
// system, in part not known.
func kinds() []*inventory.Document {
	word := func(s string) inventory.Opt[string] {
		if s == "" {
			return inventory.Opt[string]{}
		}
		return inventory.Some(s)
	}
	var out []*inventory.Document
	for _, memory := range []int64{0, 4, 6, 8, 16} {
		for _, free := range []int64{0, 18e9, 31e9, 90e9} {
			for _, tpm := range []string{"", "ready", "not-seen", "off"} {
				for _, drive := range []string{"ssd", "hdd"} {
					for _, processor := range []string{"Corvane K5-9400", "Corvane K5-7300U"} {
						for _, installed := range []string{"Skerry 11", "Skerry 10"} {
							d := &inventory.Document{Format: inventory.Format}
							d.Device.Form, d.Device.Environment = word("desktop"), word("hardware")
							d.OS.Platform, d.OS.Name, d.OS.Version, d.OS.Architecture = word("windows"),
								word(installed), word("11.2"), word("x86-64")
							d.Processor = inventory.Processor{
								Name:         word(processor),
								Architecture: word("x86-64"),
								Cores:        inventory.Some[int64](6),
								Threads:      inventory.Some[int64](6),
								RatedMHz:     inventory.Some[int64](2900),
								Features:     []string{"cmpxchg16b", "sse4.2", "avx2"},
							}
							if memory > 0 {
								d.Memory = inventory.Memory{
									Installed: inventory.Some(memory << 30),
									Slots:     inventory.Some[int64](2),
									SlotsUsed: inventory.Some[int64](1),
									Max:       inventory.Some[int64](64 << 30),
								}
							}
							d.Storage.Disks = []inventory.Disk{{
								Kind:   word(drive),
								System: inventory.Some(true),
								Health: word("good"),
							}}
							d.Storage.System.DiskBytes = inventory.Some(int64(256e9))
							if free > 0 {
								d.Storage.System.FreeBytes = inventory.Some(free)
							}
							d.Storage.System.PartitionStyle, d.Storage.Boot.PartitionStyle = word("gpt"), word("gpt")
							d.Storage.System.Encryption.State = word("off")
							d.Firmware = inventory.Firmware{
								BootMode:          word("uefi"),
								UEFICapable:       inventory.Some(true),
								SecureBoot:        word("on"),
								SecureBootCapable: inventory.Some(true),
							}
							if d.TPM.State = word(tpm); tpm == "ready" {
								d.TPM.Version = word("2.0")
							}
							d.Graphics = []inventory.Adapter{{Name: word("Built-in graphics"),
								DriverModel: word("2.7")}}
							out = append(out, d)
						}
					}
				}
			}
		}
	}
	return out
}

// Whatever is spared from being judged again is as a whole check leaves it, for changes
// of every sort.
func TestSpareIsTheCheck(t *testing.T) {
	was := changed(t)
	for name, tt := range map[string]struct {
		is     *release.Release
		spares bool // something can be spared
	}{
		"nothing changes": {changed(t), true},
		"more memory": {changed(t, "need: {fact: memory.installed_bytes, at_least: 6 GiB}",
			"need: {fact: memory.installed_bytes, at_least: 8 GiB}"), true},
		"less memory": {changed(t, "need: {fact: memory.installed_bytes, at_least: 6 GiB}",
			"need: {fact: memory.installed_bytes, at_least: 4 GiB}"), true},
		"advice alone": {changed(t, "advised: {fact: memory.installed_bytes, at_least: 12 GiB}",
			"advised: {fact: memory.installed_bytes, at_least: 24 GiB}"), true},
		"on the way": {changed(t, "need: {fact: memory.installed_bytes, at_least: 4 GiB}",
			"need: {fact: memory.installed_bytes, at_least: 8 GiB}"), false},
		"a little more memory": {changed(t, "need: {fact: memory.installed_bytes, at_least: 6 GiB}",
			"need: {fact: memory.installed_bytes, at_least: 7 GiB}"), true},
	} {
		t.Run(name, func(t *testing.T) {
			x := fleet.NewIndex()
			judge := assess.NewJudge(knowledge.Shipped(), was)
			docs := kinds()
			for i, d := range docs {
				f := fact.Read(d)
				g, err := judge.Judge(f)
				if err != nil {
					t.Fatal(err)
				}
				x.Put(int64(i), fleet.Row{
					ID:          int64(i),
					Name:        "M",
					Class:       fact.PC,
					Judged:      true,
					Release:     was,
					Disposition: g.Disposition,
					Outcomes:    g.Outcomes,
					Certain:     g.Confirmed,
					Fails:       g.Fails,
					Sole:        g.Sole,
				}, fact.Read(d))
			}
			x.Sort()
			all, err := fleet.Parse("")
			if err != nil {
				t.Fatal(err)
			}
			w := fleet.NewWhatIf(was, tt.is)
			rest := x.Select(all).Spare(w)
			expect.Same(t, "w.Machines+len(rest)", w.Machines+len(rest), len(docs))
			expect.Same(t, "w.Shifts.Moved()", w.Shifts.Moved(), 0)
			expect.Same(t, "len(w.Flips)", len(w.Flips), 0)
			if spared := w.Machines > 0; spared != tt.spares {
				t.Errorf("%d are spared", w.Machines)
			}
			other := assess.NewJudge(knowledge.Shipped(), tt.is)
			for i, d := range docs {
				is, err := other.Judge(fact.Read(d))
				if err != nil {
					t.Fatal(err)
				}
				before, err := judge.Judge(fact.Read(d))
				if err != nil {
					t.Fatal(err)
				}
				moved := before.Disposition != is.Disposition || before.Outcomes != is.Outcomes
				if moved && !slices.Contains(rest, int64(i)) {
					t.Errorf("%d is spared and changes from %s %s to %s %s", i, before.Disposition, before.Outcomes,
						is.Disposition, is.Outcomes)
				}
				if w.Unmoved(before.Outcomes, is.Outcomes) && before.Disposition != is.Disposition {
					t.Errorf("%d is said not to move, and goes from %s to %s", i, before.Disposition, is.Disposition)
				}
			}
		})
	}
}

// What moves is counted by site and by requirement, each machine once, and counts made
// apart add up.
func TestWhatIfCounts(t *testing.T) {
	next := *skerry
	next.Requirements = []release.Requirement{
		{ID: "tpm", Title: "TPM", Level: release.Must}, {ID: "memory", Title: "Memory", Level: release.Must},
		{ID: "drive", Title: "Drive", Level: release.Must}, {ID: "advice", Title: "Advice", Level: release.Should},
	}
	type machine struct {
		site     string
		was, is  fleet.Standpoint
		changed  string
		unmoving bool
	}
	at := func(d remedy.Disposition, outcomes string) fleet.Standpoint {
		return fleet.Standpoint{Disposition: d, Outcomes: outcomes}
	}
	machines := []machine{
		{"Gull Quay", at(remedy.Ready, "pp"), at(remedy.Ready, "pppp"), "", false},
		{"Gull Quay", at(remedy.Ready, "ppf"), at(remedy.Refit, "ppfp"), "drive", false},
		{"Gull Quay", at(remedy.Refit, "fpp"), at(remedy.Ready, "pppf"), "memory", false},
		{"Holm Ferry", at(remedy.Reconfigure, "pfp"), at(remedy.Undetermined, "upuf"), "tpm drive", false},
		{"Corbel Head", at(remedy.Undetermined, "pup"), at(remedy.Undetermined, "uppp"), "", false},
	}
	whole := fleet.NewWhatIf(skerry, &next)
	parts := []*fleet.WhatIf{fleet.NewWhatIf(skerry, &next), fleet.NewWhatIf(skerry, &next)}
	for i, m := range machines {
		whole.Add(int64(i), m.site, m.was, m.is, nil)
		parts[i%2].Add(int64(i), m.site, m.was, m.is, nil)
		if got := strings.Join(whole.Changed(m.was.Outcomes, m.is.Outcomes), " "); got != m.changed {
			t.Errorf("machine %d is turned by %q, want %q", i, got, m.changed)
		}
		if whole.Unmoved(m.was.Outcomes, m.is.Outcomes) {
			t.Errorf("machine %d: with another requirement nothing is told from outcomes", i)
		}
	}
	merged := fleet.NewWhatIf(skerry, &next)
	for _, p := range parts {
		merged.Merge(p)
	}
	for _, w := range []*fleet.WhatIf{whole, merged} {
		expect.Same(t, "w.Machines", w.Machines, 5)
		expect.Same(t, "w.Shifts.Moved()", w.Shifts.Moved(), 3)
		expect.Same(t, "len(w.Flips)", len(w.Flips), 3)
		if w.Shifts[remedy.Ready][remedy.Refit] != 1 || w.Shifts[remedy.Undetermined][remedy.Undetermined] != 1 {
			t.Errorf("%v", w.Shifts)
		}
		var sites []string
		for _, p := range w.Sites() {
			sites = append(sites, p.Site)
		}
		if strings.Join(sites, ",") != "Gull Quay,Holm Ferry" {
			t.Errorf("sites %v", sites)
		}
		found := map[string]fleet.RequirementShift{}
		for _, c := range w.Changes() {
			found[c.Requirement.ID] = c
		}
		c := found["drive"]
		expect.That(t, "c.New", c.New)
		expect.Same(t, "c.Fails", c.Fails, 1)
		expect.Same(t, "c.Opens", c.Opens, 1)
		expect.Same(t, "c.Passes", c.Passes, 0)
		expect.Same(t, "c.FailsNow", c.FailsNow, 1)
		c = found["memory"]
		expect.That(t, "!c.New", !c.New)
		expect.Same(t, "c.Passes", c.Passes, 1)
		expect.Same(t, "c.Fails", c.Fails, 0)
		if _, has := found["advice"]; has {
			t.Error("what is only advised moves nothing")
		}
		failed, passed := w.Unanimous()
		expect.Same(t, "musts that all fail", len(failed), 0)
		expect.Same(t, "musts that none fails", len(passed), 1)
		expect.Same(t, "the must that none fails", passed[0].ID, next.Requirements[1].ID)
		w.Add(99, "Gull Quay", fleet.Standpoint{}, fleet.Standpoint{}, nil)
		_, passed = w.Unanimous()
		expect.Same(t, "musts that none fails, with a machine that was not judged", len(passed), 0)
	}
}

// A decision is laid over a row and taken away again whole; the index finds the plan
// that counts.
func TestDecideUndecide(t *testing.T) {
	x := index()
	before := picks(t, x, "disposition=refit")
	x.Overlay(11, func(r *fleet.Row) {
		r.Disposition, r.Decided, r.Plan = remedy.Ready, r.Decided|fleet.Waived, "backup upgrade"
	})
	x.Overlay(11, func(r *fleet.Row) { r.Decided |= fleet.Held })
	x.Overlay(99, func(*fleet.Row) { t.Error("a machine that is not there was decided") })
	for where, want := range map[string]string{
		"disposition=refit":               "GULL-003",
		"decision=waive":                  "GULL-002",
		"decision=hold disposition=ready": "GULL-002",
		"step=upgrade":                    "GULL-002",
	} {
		t.Run(where, func(t *testing.T) {
			if got := strings.Join(picks(t, x, where), " "); got != want {
				t.Errorf("%s picks %q, want %q", where, got, want)
			}
		})
	}
	x.ClearOverlay()
	if got := picks(t, x, "disposition=refit"); !slices.Equal(got, before) {
		t.Errorf("afterwards %v, before %v", got, before)
	}
	if got := picks(t, x, "decision=waive"); len(got) != 0 {
		t.Errorf("still decided: %v", got)
	}
	if got := picks(t, x, "step=upgrade"); len(got) != 0 {
		t.Errorf("still planned: %v", got)
	}
}
