package server_test

import (
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// A waiver makes machines ready until its date, and nothing else: its steps leave the
// plan, what was found stays, and the machines are told apart.
func TestWaiver(t *testing.T) {
	t.Parallel()
	var at atomic.Int64
	at.Store(time.Now().UnixNano())
	s := servertest.StartAt(t, nil, func() time.Time { return time.Unix(0, at.Load()) })
	if _, err := standin.Fill(ctx, s, time.Now()); err != nil {
		t.Fatal(err)
	}
	const alone = `class=pc alone=secure-boot-on site="Gull Quay"`
	before, ready := total(t, s.Client, alone), total(t, s.Client, "disposition=ready")
	if before == 0 {
		t.Fatal("the demo has no such machine at Gull Quay")
	}
	until := time.Unix(0, at.Load()).UTC().AddDate(0, 0, 30)
	scope := `site="Gull Quay" fails=secure-boot-on`
	all := total(t, s.Client, scope)
	d, err := s.Client.Decide(ctx,
		api.MakeDecision{
			Kind:        "waive",
			Scope:       scope,
			Requirement: "secure-boot-on",
			Reason:      "the other system of the workshop starts no other way",
			Until:       until.Format(time.DateOnly),
		})
	expect.NoError(t, err)
	expect.Same(t, "d.Machines", d.Machines, all)
	expect.Same(t, "d.Release", d.Release, "skerry-12")
	expect.Contains(t, d.Says, "may fail until")
	if got := total(t, s.Client, "disposition=ready"); got != ready+before {
		t.Errorf("%d ready, want %d and %d more", got, ready, before)
	}
	if got := total(t, s.Client, d.Where); got != all {
		t.Errorf("%d machines are told apart, want %d", got, all)
	}
	if got := total(t, s.Client, scope); got != 0 {
		t.Errorf("%d still fail it", got)
	}
	l, err := s.Client.MachineList(ctx, client.List{Where: "decision=waive disposition=ready"})
	expect.NoError(t, err)
	expect.Same(t, "len(l.Machines)", len(l.Machines), before)
	expect.Contains(t, l.Machines[0].Answer, "one requirement is waived")
	one, err := s.Client.Machine(ctx, l.Machines[0].Key)
	expect.NoError(t, err)
	expect.Same(t, "one.Check.Disposition", one.Check.Disposition, "ready")
	expect.Same(t, "one.Check.Counts.Waived", one.Check.Counts.Waived, 1)
	expect.Same(t, "one.Check.Counts.Fail", one.Check.Counts.Fail, 0)
	expect.Same(t, "len(one.Decisions)", len(one.Decisions), 1)
	for _, f := range one.Check.Findings {
		if f.Requirement == "secure-boot-on" {
			expect.Same(t, "the outcome", f.Outcome, "waived")
			expect.That(t, "the waiver is there", f.Waiver != nil)
			expect.That(t, "the waiver has its reason", f.Waiver.Reason != "")
			expect.That(t, "what the machine has is said", f.Has != "")
		}
	}
	for _, step := range one.Check.Plan {
		if step.Step == "secure-boot-on" {
			t.Error("the step of what is waived is in the plan")
		}
	}
	// It falls away by itself, and that is announced.
	at.Store(until.AddDate(0, 0, 1).Add(time.Minute).UnixNano())
	if got := total(t, s.Client, alone); got != before {
		t.Errorf("after its end %d fail, want %d", got, before)
	}
	list, err := s.Client.Decisions(ctx, false)
	expect.NoError(t, err)
	expect.Same(t, "len(list.Decisions)", len(list.Decisions), 1)
	expect.That(t, "!list.Decisions[0].Counts", !list.Decisions[0].Counts)
	expect.Contains(t, list.Decisions[0].Says, "which is over")
}

func TestDecisionsAreRefused(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	day := time.Now().UTC().AddDate(0, 1, 0).Format(time.DateOnly)
	for _, tt := range []struct {
		name string
		d    api.MakeDecision
		want string
	}{
		{"cannot be waived", api.MakeDecision{
			Kind:        "waive",
			Scope:       "class=pc",
			Requirement: "memory",
			Reason:      "x",
			Until:       day,
		}, "the installer refuses"},
		{"no end", api.MakeDecision{Kind: "waive", Scope: "class=pc", Requirement: "tpm", Reason: "x"},
			"the last day is missing"},
		{"in the past", api.MakeDecision{Kind: "stay", Scope: "class=pc", Reason: "x", Until: "2020-01-01"},
			"2020-01-01 is in the past"},
		{"no day", api.MakeDecision{Kind: "stay", Scope: "class=pc", Reason: "x", Until: "soon"},
			"write the last day as"},
		{"nobody", api.MakeDecision{Kind: "hold", Scope: "name=nowhere", Reason: "x", Until: day},
			"no machine matches"},
		{"a circle", api.MakeDecision{Kind: "hold", Scope: "disposition=ready", Reason: "x", Until: day},
			"because decisions change it"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			_, err := s.Client.Decide(ctx, tt.d)
			refused(t, tt.name, err, tt.want)
		})
	}
	worker, err := client.New(s.URL, s.NewToken(t, "tech", server.ScopeWork))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := worker.Decide(ctx,
		api.MakeDecision{Kind: "hold", Scope: "class=pc", Reason: "x", Until: day}); err == nil ||
		!strings.Contains(err.Error(), "only an administrator") {
		t.Errorf("%v", err)
	}
	d, err := worker.Decide(ctx,
		api.MakeDecision{
			Kind:   "later",
			Scope:  `site="Gull Quay"`,
			Reason: "the ticket counter is in season",
			Until:  day,
		})
	if err != nil || d.Machines != total(t, s.Client, "decision=later") {
		t.Fatalf("%+v %v", d, err)
	}
	if err := worker.EndDecision(ctx, d.ID); err != nil || total(t, s.Client, "decision=later") != 0 {
		t.Errorf("%v", err)
	}
	if err := worker.EndDecision(ctx, d.ID); err == nil || !strings.Contains(err.Error(), "does not exist or has "+
		"ended") {
		t.Errorf("%v", err)
	}
}

// The watch list of a filter has the decisions for its machines, and no others.
func TestWatchedDecisions(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	_, err := s.Client.Decide(ctx, api.MakeDecision{
		Kind: "hold", Scope: `site="Gull Quay" or site="Holm Ferry"`, Reason: "the quay is being rebuilt",
		Until: time.Now().UTC().AddDate(0, 0, 3).Format(time.DateOnly),
	})
	expect.NoError(t, err)
	for where, want := range map[string]bool{
		"": true, `site="Gull Quay"`: true, `site="Holm Ferry" or site="North Slip"`: true, `site="North Slip"`: false,
		`site="Gull Quay" site="North Slip"`: false,
	} {
		t.Run(where, func(t *testing.T) {
			w, err := s.Client.Work(ctx, where)
			expect.NoError(t, err)
			expect.Same(t, "the decision is watched", slices.ContainsFunc(w.Watch, func(x watch.Item) bool {
				return x.Kind == watch.DecisionEnds && strings.Contains(x.Says, "rebuilt")
			}), want)
		})
	}
}

// What frees most adds up, and its numbers lead to their machines.
func TestWins(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	for _, order := range []string{"machines", "time"} {
		e, err := s.Client.Wins(ctx, "", order)
		expect.NoError(t, err)
		expect.Same(t, "e.Ready", e.Ready, total(t, s.Client, "disposition=ready"))
		expect.Same(t, "e.Undetermined", e.Undetermined, total(t, s.Client, e.WhereUndetermined))
		for _, r := range e.Remedies {
			if got := total(t, s.Client, r.WhereNeeds); got != r.Needs || r.Alone > r.Needs {
				t.Errorf("%s: %d by its filter, %d said", r.Step, got, r.Needs)
			}
		}
		last := e.Picks[len(e.Picks)-1]
		if last.Ready+e.Undetermined+e.Decide != e.Machines || last.Steps[0].Step != "replace" {
			t.Errorf("%+v", last)
		}
	}
}

// A draft says who would flip before it is published, and publishing it flips just them.
func TestWhatIf(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	src := string(standin.Releases()["skerry-12.yaml"])
	same, err := s.Client.WhatIf(ctx, api.AskWhatIf{Document: src})
	expect.NoError(t, err)
	expect.Same(t, "same.Moved", same.Moved, 0)
	expect.Same(t, "same.Machines", same.Machines, total(t, s.Client, "class=pc"))
	draft := strings.Replace(strings.Replace(src, "memory.installed_bytes, at_least: 6 GiB",
		"memory.installed_bytes, at_least: 10 GiB", 1), "revision: 5", "revision: 6", 1)
	if draft == src {
		t.Fatal("the demo's release has other words")
	}
	got, err := s.Client.WhatIf(ctx, api.AskWhatIf{Document: draft})
	expect.NoError(t, err)
	expect.That(t, "got.Moved != 0", got.Moved != 0)
	expect.Same(t, "len(got.Changed)", len(got.Changed), got.Moved)
	expect.That(t, "len(got.Changes) != 0", len(got.Changes) != 0)
	expect.Same(t, "got.Changes[0].Requirement", got.Changes[0].Requirement, "memory")
	moved := 0
	for _, p := range got.Sites {
		moved += p.Moved
	}
	if moved != got.Moved {
		t.Errorf("the sites add up to %d of %d", moved, got.Moved)
	}
	if _, err := s.Client.AddRelease(ctx, []byte(draft)); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.Activate(ctx, "skerry-12", api.Activate{}); err != nil {
		t.Fatal(err)
	}
	for d, want := range got.After {
		if n := total(t, s.Client, "class=pc disposition="+d); n != want {
			t.Errorf("%s: %d after publishing, %d said before", d, n, want)
		}
	}
	back, err := s.Client.WhatIf(ctx, api.AskWhatIf{Release: "skerry-12", Revision: 5})
	if err != nil || back.Moved != got.Moved {
		t.Errorf("the revision before moves %d back, want %d, %v", back.Moved, got.Moved, err)
	}
	_, err = s.Client.WhatIf(ctx, api.AskWhatIf{})
	refused(t, "nothing", err, "give either a document")
	_, err = s.Client.WhatIf(ctx, api.AskWhatIf{Release: "fathom-9", Than: "skerry-12"})
	refused(t, "another class", err, "the same class of hardware")
}
