package service

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
)

// demo is a service with the made-up organisation and some weeks of its work, which goes by a
// clock that the test moves.
func demo(t *testing.T) (ctx context.Context, s *Service, pass func(time.Duration)) {
	t.Helper()
	st, err := store.Open(filepath.Join(t.TempDir(), "fleet.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = st.Close() })
	ctx, now := ByItself(t.Context()), time.Now()
	if s, err = New(ctx, Options{Store: st, Now: func() time.Time { return now }}); err != nil {
		t.Fatal(err)
	}
	if _, err := standin.Fill(ctx, s, now); err != nil {
		t.Fatal(err)
	}
	if err := standin.Furnish(ctx, s, now); err != nil {
		t.Fatal(err)
	}
	return ctx, s, func(d time.Duration) { now = now.Add(d) }
}

func snapshot(t *testing.T, ctx context.Context, s *Service) map[string]fleet.Row {
	t.Helper()
	out := map[string]fleet.Row{}
	everything := fleet.Filter{}.Within("retired", "yes", "no")
	if err := s.Index.Each(ctx, everything, func(r *fleet.Row) { out[r.Key] = *r }); err != nil {
		t.Fatal(err)
	}
	return out
}

// Whatever changes, an index that was brought up to date is as one that was read anew, and nothing
// is read from the database while readers of the index wait.
func TestOverlayIsAsReadAnew(t *testing.T) {
	ctx, s, pass := demo(t)
	_ = snapshot(t, ctx, s)
	overlay := s.Index.overlay
	waived := keyOf(t, ctx, s, "decision=waive")
	failing := keyOf(t, ctx, s, "fails=memory")
	both, first, second := failsTwo(t, ctx, s)
	var made int64
	add := func(kind, scope, requirement string, days int) func() error {
		return func() error {
			d, err := s.Decisions.Add(ctx, &NewDecision{
				Kind: kind, Scope: scope, Requirement: requirement, Reason: "It is a test",
				Until: s.Now().AddDate(0, 0, days).Format(time.DateOnly), Ahead: true,
			})
			made = d.ID
			return err
		}
	}
	steps := []struct {
		name string
		do   func() error
	}{
		{"a machine with a waiver is read again", func() error { return resend(ctx, s, waived) }},
		{"a waiver", add(decision.Waive, "fails=house-drive", "house-drive", 5)},
		{"a waiver for what another waives too", add(decision.Waive, `site="Corbel Head"`, "house-drive", 40)},
		{"a machine's first requirement is waived", add(decision.Waive, fleet.Term("key", both), first, 50)},
		{"and its second", add(decision.Waive, fleet.Term("key", both), second, 60)},
		{"machines stay", add(decision.Stay, `site="Gull Quay"`, "", 30)},
		{"one of them is tagged", func() error { return s.Tag(ctx, "fails=memory", "seen") }},
		{"a decision ends", func() error {
			d, err := s.Decisions.Find(ctx, made)
			if err != nil {
				return err
			}
			return s.Decisions.End(ctx, d)
		}},
		{"a date comes", func() error { pass(7 * 24 * time.Hour); return nil }},
		{"a machine is removed", func() error { return s.Machines.Remove(ctx, waived) }},
		{"another is read again", func() error { return resend(ctx, s, failing) }},
		{"months pass", func() error { pass(200 * 24 * time.Hour); return nil }},
	}
	for _, step := range steps {
		t.Run(step.name, func(t *testing.T) {
			before := overlay.late
			if err := step.do(); err != nil {
				t.Fatal(err)
			}
			updated := snapshot(t, ctx, s)
			if late := overlay.late - before; late != 0 {
				t.Errorf("%d machines were read while readers waited", late)
			}
			s.Index.Invalidate()
			anew := snapshot(t, ctx, s)
			if len(updated) != len(anew) {
				t.Errorf("%d machines, read anew %d", len(updated), len(anew))
			}
			for key, is := range anew {
				if was := updated[key]; was != is {
					t.Errorf("%s is\n%+v\nread anew\n%+v", key, was, is)
				}
			}
		})
	}
}

func keyOf(t *testing.T, ctx context.Context, s *Service, where string) string {
	t.Helper()
	rows, err := s.Index.All(ctx, where)
	if err != nil || len(rows) == 0 {
		t.Fatalf("%s picks %d machines, %v", where, len(rows), err)
	}
	return rows[0].Key
}

// failsTwo is a machine that fails two requirements which may be waived.
func failsTwo(t *testing.T, ctx context.Context, s *Service) (key, first, second string) {
	t.Helper()
	for _, r := range snapshot(t, ctx, s) {
		var ids []string
		for i := range min(len(r.Outcomes), 64) {
			if q := &r.Release.Requirements[i]; r.Outcomes[i] == 'f' && q.Level == release.Must {
				if q.Waivable() {
					ids = append(ids, q.ID)
				}
			}
		}
		if len(ids) > 1 && !r.Retired {
			if r.Decided == 0 {
				return r.Key, ids[0], ids[1]
			}
		}
	}
	t.Fatal("no machine fails two requirements that may be waived")
	return "", "", ""
}

// resend hands a machine's latest inventory in again, as read a minute later with less memory.
func resend(ctx context.Context, s *Service, key string) error {
	d, err := s.Machines.Find(ctx, key)
	if err != nil {
		return err
	}
	inv, err := s.Store.Inventory(ctx, d.ID, d.InventoryID)
	if err != nil {
		return err
	}
	again := inv.Clone()
	again.TakenAt = again.TakenAt.Add(time.Minute)
	again.Memory = inventory.Memory{Installed: inventory.Some(int64(2 << 30))}
	return s.Load(ctx, again)
}
