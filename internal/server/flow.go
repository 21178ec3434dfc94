package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"runtime"
	"strconv"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"golang.org/x/sync/semaphore"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// What is under way at once, of everybody together and of one caller. An inventory takes
// some twenty times its size until it is kept, so its size is what counts, unpacked.
const (
	flowBytes    = 8 << 20 // of all
	callerBytes  = 2 << 20 // of one token or user
	callerWeight = 64      // requests of one; a request with many lines counts as linesWeight
	linesWeight  = 16
	flowPatience = 5 * time.Second // that a request waits for its turn
	leastBytes   = 4 << 10         // that a request counts for
	largeBytes   = 64 << 10        // from which on few are under way at a time
)

// flow bounds what is under way.
type flow struct {
	all   *semaphore.Weighted
	large chan struct{} // one core stays for everybody else

	mu      sync.Mutex
	callers map[string]*callerFlow
}

type callerFlow struct {
	bytes, requests *semaphore.Weighted // of what takes inventories
	calls           int                 // of everything else
	users           int
}

func newFlow() *flow {
	return &flow{
		all:     semaphore.NewWeighted(flowBytes),
		large:   make(chan struct{}, max(1, runtime.GOMAXPROCS(0)-1)),
		callers: map[string]*callerFlow{},
	}
}

// of gives the bounds of a caller; done must be called afterwards.
func (f *flow) of(caller string) (c *callerFlow, done func()) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if c = f.callers[caller]; c == nil {
		c = &callerFlow{bytes: semaphore.NewWeighted(callerBytes), requests: semaphore.NewWeighted(callerWeight)}
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

// enter waits for room for so many bytes of a caller. The error is [store.ErrBusy].
func (f *flow) enter(ctx context.Context, c *callerFlow, bytes int64) (leave func(), err error) {
	ctx, cancel := context.WithTimeout(ctx, flowPatience)
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

// mostCalls is how many calls of one caller run at once, beside those that take
// inventories and those that hear of changes.
const mostCalls = 64

// call counts a call of a caller; ok is false where too many run already.
func (f *flow) call(caller string) (done func(), ok bool) {
	c, leave := f.of(caller)
	f.mu.Lock()
	ok = c.calls < mostCalls
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

// callerName tells callers apart.
func callerName(c *caller) string {
	if c.token != nil {
		return "token " + strconv.FormatInt(c.token.ID, 10)
	}
	return "user " + c.Name
}

// taking is an operation that takes inventories: before anything of its body is read, there
// is room for it in memory and on the disk.
func (s *Server) taking(a huma.API, op huma.Operation, weight int64, wholeBody bool) huma.Operation {
	op.Errors = append(op.Errors, http.StatusServiceUnavailable, http.StatusInsufficientStorage)
	op.Middlewares = append(op.Middlewares, func(ctx huma.Context, next func(huma.Context)) {
		if err := s.roomOnDisk(); err != nil {
			s.refuseWith(a, ctx, err)
			return
		}
		c, done := s.flow.of(callerName(callerOf(ctx.Context())))
		defer done()
		wait, cancel := context.WithTimeout(ctx.Context(), flowPatience)
		defer cancel()
		if c.requests.Acquire(wait, weight) != nil {
			s.refuseWith(a, ctx, s.problem(store.ErrBusy, ""))
			return
		}
		defer c.requests.Release(weight)
		if wholeBody {
			size := int64(inventory.MaxBytes)
			if r, _ := humachi.Unwrap(ctx); r.ContentLength >= 0 {
				size = min(r.ContentLength, size)
			}
			leave, err := s.flow.enter(ctx.Context(), c, size)
			if err != nil {
				s.refuseWith(a, ctx, s.problem(err, ""))
				return
			}
			defer leave()
		}
		next(ctx)
	})
	return op
}

// refuseWith answers a request with an error, from a middleware.
func (s *Server) refuseWith(a huma.API, ctx huma.Context, err error) {
	if h, ok := err.(huma.HeadersError); ok {
		for name, values := range h.GetHeaders() {
			for _, v := range values {
				ctx.AppendHeader(name, v)
			}
		}
	}
	status, detail := http.StatusInternalServerError, err.Error()
	var p huma.StatusError
	if errors.As(err, &p) {
		status = p.GetStatus()
	}
	_ = huma.WriteErr(a, ctx, status, detail)
}

// diskAsked is how long an answer about free space counts.
const diskAsked = 2 * time.Second

// disk is how much of it is free.
type disk struct {
	mu   sync.Mutex
	at   time.Time
	free int64
	err  error
}

// roomOnDisk refuses to take more in where too little of the disk is free: the rest is for
// what only reads, for changes by people, and for SQLite itself.
func (s *Server) roomOnDisk() error {
	if s.keepFree <= 0 {
		return nil
	}
	s.disk.mu.Lock()
	defer s.disk.mu.Unlock()
	if now := time.Now(); now.Sub(s.disk.at) > diskAsked || now.Before(s.disk.at) {
		s.disk.at = now
		s.disk.free, s.disk.err = s.freeBytes()
	}
	if s.disk.err != nil || s.disk.free >= s.keepFree { // where the system does not say, SQLite will
		return nil
	}
	return &api.Problem{Status: http.StatusInsufficientStorage, Title: "The disk is nearly full", Detail: fmt.Sprintf(
		"%d MiB of the service's disk are free, and %d MiB are kept for reading; nothing of this was kept. Make room, and send it again", s.disk.free>>20, s.keepFree>>20)}
}
