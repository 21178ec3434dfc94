package server

import (
	"context"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
)

// Before the index is loaded a list shows the same machines in the same order.
func TestEarlyList(t *testing.T) {
	ctx := ownWork(context.Background())
	st, err := store.Open(filepath.Join(t.TempDir(), "fleet.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	s, err := New(ctx, Options{Store: st})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := standin.Fill(ctx, s, time.Now()); err != nil {
		t.Fatal(err)
	}
	in := &ListInput{Page: 2, Size: 50, Sort: "name"}
	if _, early, err := s.early(ctx, in, nil); err != nil || early {
		t.Fatal("a loaded index is not asked", err)
	}
	whole, err := s.list(ctx, in, nil)
	if err != nil {
		t.Fatal(err)
	}
	index := s.live.x
	s.live.x = nil
	first, early, err := s.early(ctx, in, nil)
	if err != nil || !early {
		t.Fatal(early, err)
	}
	if first.total != whole.total || first.from != 50 || !slices.EqualFunc(first.rows, whole.rows, func(a, b fleet.Row) bool { return a.ID == b.ID && a.Name == b.Name }) {
		t.Errorf("early %d of %d, loaded %d of %d", len(first.rows), first.total, len(whole.rows), whole.total)
	}
	for _, asks := range []*ListInput{{Page: 1, Size: 50, Where: "model=x"}, {Page: 1, Size: 50, Sort: "-name"}, {Page: 1, Size: 50, After: "x"}} {
		if _, early, err := s.early(ctx, asks, nil); err != nil || early {
			t.Errorf("%+v is answered early, %v", asks, err)
		}
	}
	s.live.x = index
}
