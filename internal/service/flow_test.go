package service

import (
	"context"
	"errors"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/store"
)

// One caller uses its share and no more, and everybody together what there is.
func TestFlow(t *testing.T) {
	f := newFlow()
	short := func() context.Context {
		ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
		t.Cleanup(cancel)
		return ctx
	}
	const small = largeBytes
	var leave []func()
	enter := func(caller string) error {
		c, done := f.Of(caller)
		leave = append(leave, done)
		out, err := f.Enter(short(), c, small)
		if err == nil {
			leave = append(leave, out)
		}
		return err
	}
	for i := range callerBytes / small {
		if err := enter("one"); err != nil {
			t.Fatalf("%d: %v", i, err)
		}
	}
	if err := enter("one"); !errors.Is(err, store.ErrBusy) {
		t.Errorf("one caller has more than its share: %v", err)
	}
	if err := enter("two"); err != nil {
		t.Errorf("one caller takes the share of another: %v", err)
	}
	for _, name := range []string{"two", "three", "four"} {
		for range callerBytes / small {
			_ = enter(name)
		}
	}
	if err := enter("five"); !errors.Is(err, store.ErrBusy) {
		t.Errorf("more is under way than there is room for: %v", err)
	}
	for _, out := range leave {
		out()
	}
	if len(f.callers) != 0 {
		t.Errorf("%d callers are remembered", len(f.callers))
	}
	if err := enter("five"); err != nil {
		t.Errorf("the room does not come back: %v", err)
	}
}

// Few large inventories are under way at a time.
func TestFlowOfLargeOnes(t *testing.T) {
	f := newFlow()
	c, done := f.Of("one")
	defer done()
	var last func()
	for range cap(f.large) {
		leave, err := f.Enter(t.Context(), c, largeBytes+1)
		if err != nil {
			t.Fatal(err)
		}
		last = leave
	}
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	if _, err := f.Enter(ctx, c, largeBytes+1); !errors.Is(err, store.ErrBusy) {
		t.Errorf("one more large one: %v", err)
	}
	if leave, err := f.Enter(t.Context(), c, largeBytes); err != nil {
		t.Errorf("a small one waits for large ones: %v", err)
	} else {
		leave()
	}
	last()
	if leave, err := f.Enter(t.Context(), c, largeBytes+1); err != nil {
		t.Error(err)
	} else {
		leave()
	}
}

func TestCallsOfOneCaller(t *testing.T) {
	f := newFlow()
	var ends []func()
	for range MaxCalls {
		done, ok := f.Call("one")
		if !ok {
			t.Fatal("a call is refused that there is room for")
		}
		ends = append(ends, done)
	}
	if _, ok := f.Call("one"); ok {
		t.Error("a caller has any number of calls at once")
	}
	if done, ok := f.Call("two"); !ok {
		t.Error("one caller keeps another out")
	} else {
		done()
	}
	for _, done := range ends {
		done()
	}
	if done, ok := f.Call("one"); !ok {
		t.Error("calls that ended count")
	} else {
		done()
	}
}
