package service

import (
	"context"
	"runtime"
	"sync"
	"time"

	"golang.org/x/sync/semaphore"

	"rolltop.example/rolltop/internal/store"
)

// What is under way at once, of everybody together and of one caller. An inventory takes some
// twenty times its size until it is kept, so its size is what counts, unpacked.
const (
	flowBytes   = 8 << 20 // of all
	callerBytes = 2 << 20 // of one token or user
	leastBytes  = 4 << 10 // that a request counts for
	largeBytes  = 64 << 10

	// CallerWeight is how many requests that take inventories one caller has under way; one with
	// many lines counts as LinesWeight of them.
	CallerWeight = 64
	LinesWeight  = 16

	// Patience is how long a request waits for its turn.
	Patience = 5 * time.Second

	// MaxCalls is how many calls of one caller run at once, beside those that take inventories
	// and those that hear of changes.
	MaxCalls = 64
)

// Flow bounds what is under way, of all callers and of each. Callers are told apart by a name.
type Flow struct {
	all   *semaphore.Weighted
	large chan struct{} // inventories of largeBytes and more: one core stays for everybody else

	mu      sync.Mutex
	callers map[string]*CallerFlow
}

// CallerFlow is what one caller has under way.
type CallerFlow struct {
	bytes, requests *semaphore.Weighted // of what takes inventories
	calls           int                 // of everything else
	users           int
}

func newFlow() *Flow {
	return &Flow{
		all:     semaphore.NewWeighted(flowBytes),
		large:   make(chan struct{}, max(1, runtime.GOMAXPROCS(0)-1)),
		callers: map[string]*CallerFlow{},
	}
}

// Of gives the bounds of a caller; done must be called afterwards.
func (f *Flow) Of(caller string) (c *CallerFlow, done func()) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if c = f.callers[caller]; c == nil {
		c = &CallerFlow{
			bytes:    semaphore.NewWeighted(callerBytes),
			requests: semaphore.NewWeighted(CallerWeight),
		}
		f.callers[caller] = c
	}
	c.users++
	return c, func() {
		f.mu.Lock()
		defer f.mu.Unlock()
		if c.users--; c.users == 0 {
			delete(f.callers, caller)
		}
	}
}

// Begin counts a request that takes inventories, and waits for its turn. The error is
// [store.ErrBusy].
func (c *CallerFlow) Begin(ctx context.Context, weight int64) (end func(), err error) {
	ctx, cancel := context.WithTimeout(ctx, Patience)
	defer cancel()
	if c.requests.Acquire(ctx, weight) != nil {
		return nil, store.ErrBusy
	}
	return func() { c.requests.Release(weight) }, nil
}

// Enter waits for room for so many bytes of a caller. The error is [store.ErrBusy].
func (f *Flow) Enter(ctx context.Context, c *CallerFlow, bytes int64) (leave func(), err error) {
	ctx, cancel := context.WithTimeout(ctx, Patience)
	defer cancel()
	bytes = min(max(bytes, leastBytes), callerBytes)
	if c.bytes.Acquire(ctx, bytes) != nil {
		return nil, store.ErrBusy
	}
	if f.all.Acquire(ctx, bytes) != nil {
		c.bytes.Release(bytes)
		return nil, store.ErrBusy
	}
	release := func() {
		f.all.Release(bytes)
		c.bytes.Release(bytes)
	}
	if bytes <= largeBytes {
		return release, nil
	}
	select {
	case f.large <- struct{}{}:
		return func() {
			<-f.large
			release()
		}, nil
	case <-ctx.Done():
		release()
		return nil, store.ErrBusy
	}
}

// Call counts a call of a caller; ok is false where too many run already.
func (f *Flow) Call(caller string) (done func(), ok bool) {
	c, leave := f.Of(caller)
	f.mu.Lock()
	ok = c.calls < MaxCalls
	if ok {
		c.calls++
	}
	f.mu.Unlock()
	if !ok {
		leave()
		return nil, false
	}
	return func() {
		f.mu.Lock()
		c.calls--
		f.mu.Unlock()
		leave()
	}, true
}
