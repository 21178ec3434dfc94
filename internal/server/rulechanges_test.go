package server_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

const sixGiB = "need: {fact: memory.installed_bytes, at_least: 6 GiB}"

// revised is Skerry 12 as another revision, with a text instead of one that it has.
func revised(t *testing.T, revision int, was, is string) []byte {
	t.Helper()
	for _, r := range standin.AllReleases() {
		if r.File != "skerry-12.yaml" {
			continue
		}
		b, err := release.Unpack(r.File, r.Text)
		if err != nil || !strings.Contains(string(b.Document), was) {
			t.Fatalf("it has no %q (%v)", was, err)
		}
		b.Document = doc.Body(strings.NewReplacer("revision: 5", fmt.Sprintf("revision: %d", revision), was,
			is).Replace(string(b.Document)))
		packed, err := json.Marshal(b)
		if err != nil {
			t.Fatal(err)
		}
		return packed
	}
	t.Fatal("the demo has no such release")
	return nil
}

// A revision that is put in force judges the stored facts again, with progress; who
// changed and why is told, is what the what-if had said, and stays told when machines
// change later.
func TestRulesChange(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	text := revised(t, 6, sixGiB, "need: {fact: memory.installed_bytes, at_least: 12 GiB}")
	asked, err := s.Client.WhatIf(ctx, api.AskWhatIf{Document: string(text)})
	if err != nil || asked.Moved == 0 {
		t.Fatalf("%+v %v", asked.Says, err)
	}
	var watching sync.WaitGroup
	stop, most := make(chan struct{}), 0
	watching.Go(func() {
		for {
			select {
			case <-stop:
				return
			case <-time.After(200 * time.Microsecond):
				if j, err := s.Client.Judging(ctx); err == nil && j.Running {
					most = max(most, j.Machines)
				}
			}
		}
	})
	added, err := s.Client.AddRelease(ctx, text)
	expect.NoError(t, err)
	expect.That(t, "a revision that is added is not in force", added.Added && !added.Target)
	if n, err := s.Client.RuleChanges(ctx); err != nil || len(n.Changes) != 1 {
		t.Errorf("before it is put in force there are %d changes of rules, %v", len(n.Changes), err)
	}
	got, err := s.Client.Activate(ctx, "skerry-12", api.Activate{Revision: 6})
	expect.That(t, "a revision keeps the moment when it was added", got.AddedAt.Equal(added.AddedAt))
	close(stop)
	watching.Wait()
	expect.NoError(t, err)
	expect.That(t, "got.Change != nil", got.Change != nil)
	expect.Same(t, "got.Change.Moved", got.Change.Moved, asked.Moved)
	j, err := s.Client.Judging(ctx)
	expect.NoError(t, err)
	expect.That(t, "!j.Running", !j.Running)
	expect.Same(t, "j.Done", j.Done, 251)
	expect.Same(t, "j.Machines", j.Machines, 251)
	expect.Same(t, "j.Release.Revision", j.Release.Revision, 6)
	expect.That(t, "!(most != 0 && most != 251)", !(most != 0 && most != 251))
	one, err := s.Client.RuleChange(ctx, got.Change.ID)
	expect.NoError(t, err)
	expect.Same(t, "one.Was.Revision", one.Was.Revision, 5)
	expect.Same(t, "one.Release.Revision", one.Release.Revision, 6)
	expect.Same(t, "len(one.Changed)", len(one.Changed), asked.Moved)
	expect.Contains(t, one.Says, "Skerry 12, revision 6")
	for i, f := range one.Changed {
		if !slices.Contains(f.By, "Installed memory") {
			t.Errorf("%s by %v", f.Name, f.By)
		}
		if i < 5 && !slices.ContainsFunc(asked.Changed, func(a api.ChangedMachine) bool {
			return a.Key == f.Key && a.Becomes == f.Becomes && slices.Equal(a.By, f.By)
		}) {
			t.Errorf("the what-if did not say so of %+v", f)
		}
	}
	if n := total(t, s.Client, one.Where); n != one.Moved {
		t.Errorf("the filter lists %d of %d", n, one.Moved)
	}
	d, err := s.Client.Machine(ctx, one.Changed[0].Key)
	expect.NoError(t, err)
	expect.That(t, "len(d.Changes) != 0", len(d.Changes) != 0)
	expect.Same(t, "d.Changes[0].Cause", d.Changes[0].Cause, "rules")
	expect.That(t, `slices.Contains(d.Changes[0].By, "memory")`, slices.Contains(d.Changes[0].By, "memory"))
	// Memory is fitted: the machine is as it was, and what the rules did stays told.
	if _, err := s.Client.Submit(ctx, like(t, s, one.Changed[0].Key, func(d *inventory.Document) {
		d.Memory = inventory.Memory{Installed: inventory.Some(int64(32 << 30))}
		d.TakenAt = d.TakenAt.Add(time.Minute)
	})); err != nil {
		t.Fatal(err)
	}
	if again, err := s.Client.RuleChange(ctx, one.ID); err != nil || again.Moved != one.Moved {
		t.Errorf("%d are told, %d were, %v", again.Moved, one.Moved, err)
	}
	// The same text once more changes nothing; a draft is not put in force.
	added, err = s.Client.AddRelease(ctx, text)
	expect.NoError(t, err)
	expect.That(t, "!added.Added", !added.Added)
	got, err = s.Client.Activate(ctx, "skerry-12", api.Activate{Revision: 6})
	expect.NoError(t, err)
	expect.That(t, "got.Change == nil", got.Change == nil)
	_, err = s.Client.AddRelease(ctx, revised(t, 7, "published: 2026-10-06", "published: 2026-10-06\ndraft: true"))
	expect.NoError(t, err)
	_, err = s.Client.Activate(ctx, "skerry-12", api.Activate{Revision: 7})
	refused(t, "a draft", err, "revision 7 of Skerry 12 is a draft")
	_, err = s.Client.Activate(ctx, "skerry-13", api.Activate{})
	refused(t, "a release for testing", err, "is a release for testing")
	_, err = s.Client.Activate(ctx, "skerry-12", api.Activate{Revision: 99})
	refused(t, "a revision that is not there", err, "has no revision 99")
	l, err := s.Client.RuleChanges(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Changes)", len(l.Changes), 2)
	expect.Same(t, "l.Changes[0].ID", l.Changes[0].ID, one.ID)
}

// Whatever a draft changes, the what-if says what putting it in force does, to the machine.
func TestWhatIfIsWhatHappens(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	if _, err := s.Client.Decide(ctx,
		api.MakeDecision{
			Kind:        "waive",
			Scope:       `site="Corbel Head" fails=house-drive`,
			Requirement: "house-drive",
			Reason:      "until spring",
			Until:       time.Now().AddDate(0, 1, 0).Format(time.DateOnly),
		}); err != nil {
		t.Fatal(err)
	}
	total, revision := 0, 5
	for _, change := range [][]string{
		{sixGiB, "need: {fact: memory.installed_bytes, at_least: 8 GiB}"},
		{sixGiB, "need: {any: [{fact: memory.installed_bytes, at_least: 12 GiB}, {fact: os.edition, equals: Office}]}"},
		{sixGiB, "when: {fact: device.form, equals: laptop}\n    " +
			"need: {fact: memory.installed_bytes, at_least: 12 GiB}"},
		{"need: {in: graphics, some: {fact: graphics.driver_model, at_least: \"2.0\"}}",
			"need: {in: graphics, every: {fact: graphics.driver_model, at_least: \"2.9\"}}"},
		{"need: {fact: storage.system.free_bytes, at_least: 30 GB}",
			"need: {fact: storage.system.free_bytes, at_least: 120 GB}"},
		{"- id: secure-boot-on\n    title: Secure boot on\n    level: must",
			"- id: secure-boot-on\n    title: Secure boot on\n    level: should"},
		{"at_least: \"11.0\", architecture: [x86-64, arm64], way: in-place, back_days: 10}",
			"at_least: \"11.9\", architecture: [x86-64, arm64], way: in-place}"},
	} {
		revision++
		text := revised(t, revision, change[0], change[1])
		asked, err := s.Client.WhatIf(ctx, api.AskWhatIf{Document: string(text)})
		if err != nil {
			t.Fatalf("%v: %v", change, err)
		}
		if _, err := s.Client.AddRelease(ctx, text); err != nil {
			t.Fatalf("%v: %v", change, err)
		}
		got, err := s.Client.Activate(ctx, "skerry-12", api.Activate{Revision: revision})
		if err != nil {
			t.Fatalf("%v: %v", change, err)
		}
		if got.Change == nil {
			got.Change = &api.RuleChange{}
		}
		moved, err := s.Client.Fleet(ctx, "class=pc")
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range moved.Dispositions {
			if asked.After[c.Name] != c.Count {
				t.Errorf("%v: %d %s were foretold, %d are", change, asked.After[c.Name], c.Name, c.Count)
			}
		}
		total += asked.Moved
	}
	if total < 100 {
		t.Errorf("only %d machines moved in all: the drafts show little", total)
	}
}

// Lists of work are tables that spreadsheet programs open without running anything in
// them, and say the same as the pages.
func TestWorkExports(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	if err := standin.Furnish(ctx, s, time.Now()); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.SetTechnician(ctx, "=HYPERLINK(\"x\")", api.SetTechnician{Minutes: 60}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.Assign(ctx,
		api.Assign{Keys: []string{"nslip-003"}, Who: "=HYPERLINK(\"x\")", Note: "+1", Overwrite: true}); err != nil {
		t.Fatal(err)
	}
	w, err := s.Client.Work(ctx, "")
	if err != nil {
		t.Fatal(err)
	}
	l, err := s.Client.Waves(ctx)
	if err != nil {
		t.Fatal(err)
	}
	e, err := s.Client.Wins(ctx, "", "machines")
	if err != nil {
		t.Fatal(err)
	}
	for list, n := range map[string]int{
		"visits":    w.Visits,
		"batches":   len(w.Batches) + len(w.Further),
		"parts":     len(w.Order),
		"questions": len(w.Questions),
		"watch":     len(w.Watch),
		"wins":      len(e.Picks),
		"waves":     len(l.Waves),
		"messages":  w.Visits,
		"decisions": 5,
	} {
		t.Run(list, func(t *testing.T) {
			body, err := s.Client.ExportWork(ctx, list, "", "", "csv")
			if err != nil {
				t.Fatalf("%s: %v", list, err)
			}
			rows, err := csv.NewReader(strings.NewReader(string(body))).ReadAll()
			if err != nil || len(rows) != n+1 {
				t.Errorf("%s: %d rows, want %d (%v)", list, len(rows)-1, n, err)
			}
			for _, row := range rows {
				for _, cell := range row {
					if cell != "" && strings.ContainsRune("=+-@", rune(cell[0])) {
						t.Errorf("%s: the cell %q is a formula", list, cell)
					}
				}
			}
			if lines, err := s.Client.ExportWork(ctx, list, "", "", "ndjson"); err != nil ||
				strings.Count(string(lines), "\n") != n {
				t.Errorf("%s: %d lines, want %d (%v)", list, strings.Count(string(lines), "\n"), n, err)
			}
		})
	}
	// Every pick's filter lists the machines that it frees.
	for _, p := range e.Picks {
		if got := total(t, s.Client, p.Where); got != p.Gain {
			t.Errorf("%v frees %d, and the filter %s lists %d", p.Steps, p.Gain, p.Where, got)
		}
	}
	for _, r := range e.Remedies {
		if got := total(t, s.Client, r.WhereAlone); got != r.Alone {
			t.Errorf("%s frees %d by itself, and the filter lists %d", r.Step, r.Alone, got)
		}
	}
}

// A machine leaves in its steps, by name; its record closes last, and takes it out of use.
func TestLeaving(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	_, err := s.Client.SetTick(ctx, "gull-001", "leave", "record-closed", api.SayTick{State: "done"})
	refused(t, "closing it first", err, "cannot be closed before these are ticked: move the data")
	_, err = s.Client.SetTick(ctx, "gull-001", "leave", "disk-wipe", api.SayTick{State: "done"})
	refused(t, "an item that is none", err, "disk-wiped")
	_, err = s.Client.SetTick(ctx, "gull-001", "leave", "lock-removed", api.SayTick{State: "refused"})
	refused(t, "a refusal without a reason", err, "needs a reason in note")
	for _, item := range []string{"data-moved", "licences-freed", "management-removed", "disk-wiped"} {
		if _, err := s.Client.SetTick(ctx, "gull-001", "leave", item, api.SayTick{State: "done"}); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.Client.SetTick(ctx, "gull-001", "leave", "lock-removed",
		api.SayTick{State: "refused", Note: "it has none"}); err != nil {
		t.Fatal(err)
	}
	d, err := s.Client.SetTick(ctx, "gull-001", "leave", "record-closed", api.SayTick{State: "done"})
	expect.NoError(t, err)
	expect.That(t, "d.Retired", d.Retired)
	expect.Same(t, "len(d.Leaving)", len(d.Leaving), 6)
	expect.That(t, "d.Leaving[5].Ticked != nil", d.Leaving[5].Ticked != nil)
	if total(t, s.Client, "key=gull-001") != 0 || total(t, s.Client, "key=gull-001 retired=yes") != 1 {
		t.Error("it is in the lists still")
	}
	if w, err := s.Client.Work(ctx, ""); err != nil || strings.Contains(fmt.Sprint(w), "gull-001") {
		t.Errorf("there is work on it still, %v", err)
	}
}

// What is known beforehand of the release that follows the target is what the machines' facts say: a draft with the
// same text is judged from them.
func TestTheReleaseThatFollowsIsKnownBeforehand(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	var text string
	for _, r := range standin.AllReleases() {
		if r.File == "skerry-13.yaml" {
			text = string(r.Text)
		}
	}
	for _, where := range []string{"", `site="Gull Quay"`} {
		t.Run(where, func(t *testing.T) {
			known, err := s.Client.WhatIf(ctx, api.AskWhatIf{Release: "skerry-13", Where: where})
			if err != nil {
				t.Fatal(err)
			}
			judged, err := s.Client.WhatIf(ctx, api.AskWhatIf{Document: text, Where: where})
			if err != nil {
				t.Fatal(err)
			}
			expect.That(t, "some machines change", known.Moved > 0)
			known.Took, judged.Took = 0, 0
			known.Draft, known.Says, known.Becomes = judged.Draft, judged.Says, judged.Becomes
			for i := range known.Changed {
				expect.Same(t, "a machine that changes", fmt.Sprint(known.Changed[i]), fmt.Sprint(judged.Changed[i]))
			}
			was, err := json.Marshal(known)
			expect.NoError(t, err)
			is, err := json.Marshal(judged)
			expect.NoError(t, err)
			expect.That(t, "the whole answer is the same", string(was) == string(is))
		})
	}
}
