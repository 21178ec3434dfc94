package service

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
	ctx := ByItself(context.Background())
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
	ask := &Query{Page: 2, Size: 50, Sort: "name"}
	if got, err := s.Index.EarlyList(ctx, ask); err != nil || got != nil {
		t.Fatal("a loaded index is not asked", err)
	}
	whole, err := s.Index.List(ctx, ask, nil)
	if err != nil {
		t.Fatal(err)
	}
	loaded := s.Index.x
	s.Index.x = nil
	first, err := s.Index.EarlyList(ctx, ask)
	if err != nil || first == nil {
		t.Fatal(first, err)
	}
	same := func(a, b fleet.Row) bool { return a.ID == b.ID && a.Name == b.Name }
	if first.Total != whole.Total || first.From != 50 {
		t.Errorf("early %d from %d, loaded %d", first.Total, first.From, whole.Total)
	}
	if !slices.EqualFunc(first.Rows, whole.Rows, same) {
		t.Errorf("early %d rows, loaded %d, or others", len(first.Rows), len(whole.Rows))
	}
	for _, ask := range []*Query{
		{Page: 1, Size: 50, Where: "model=x"},
		{Page: 1, Size: 50, Sort: "-name"},
		{Page: 1, Size: 50, Cursor: "x"},
	} {
		if got, err := s.Index.EarlyList(ctx, ask); err != nil || got != nil {
			t.Errorf("%+v is answered early, %v", ask, err)
		}
	}
	s.Index.x = loaded
}
