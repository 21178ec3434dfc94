package client

import (
	"context"
	"errors"
	"math/rand/v2"
	"net/http"
	"strconv"
	"time"

	"rolltop.example/rolltop/internal/api"
)

// Backoff says how often and how long apart a call is tried again.
type Backoff struct {
	Tries int           // in all
	First time.Duration // wait before the second try; doubled each time, with jitter of half of it either way

	Waits func(time.Duration) // is told before each wait, unless it is nil
}

// Collector is the patience of a program that runs unattended on many machines
// at once.
var Collector = Backoff{Tries: 5, First: 2 * time.Second}

// maxAsked bounds how long a service can make a call wait with Retry-After.
const maxAsked = 2 * time.Minute

// Try calls f until it succeeds, fails for good, or the tries are used up. A
// service that does not answer, is too busy or fails is tried again; one that
// refuses is not. A service that says when to try again (Retry-After) is obeyed.
func (p Backoff) Try(ctx context.Context, f func() error) error { return p.repeat(ctx, temporary, f) }

// whileBusy calls f again only where the service says when.
func (p Backoff) whileBusy(ctx context.Context, f func() error) error {
	return p.repeat(ctx, func(err error) bool { _, asked := askedWait(err); return asked }, f)
}

func (p Backoff) repeat(ctx context.Context, again func(error) bool, f func() error) error {
	wait := p.First
	for try := 1; ; try++ {
		err := f()
		if err == nil || !again(err) || try >= p.Tries {
			return err
		}
		// Jitter, so that many programs do not come back at once; never before the service asked.
		next := wait/2 + rand.N(wait)
		if asked, ok := askedWait(err); ok {
			next = asked + rand.N(wait)
		}
		if p.Waits != nil {
			p.Waits(next)
		}
		timer := time.NewTimer(next)
		select {
		case <-ctx.Done():
			timer.Stop()
			return errors.Join(err, ctx.Err())
		case <-timer.C:
		}
		wait *= 2
	}
}

// askedWait is how long a busy service asks to wait: seconds or a date (RFC 9110, section 10.2.3).
func askedWait(err error) (time.Duration, bool) {
	var p *api.Problem
	if !errors.As(err, &p) || p.RetryAfter == "" ||
		p.Status != http.StatusTooManyRequests && p.Status != http.StatusServiceUnavailable {
		return 0, false
	}
	wait := time.Duration(0)
	if seconds, err := strconv.Atoi(p.RetryAfter); err == nil {
		wait = time.Duration(min(seconds, int(maxAsked.Seconds()))) * time.Second
	} else if at, err := http.ParseTime(p.RetryAfter); err == nil {
		wait = time.Until(at)
	} else {
		return 0, false
	}
	return min(max(wait, 0), maxAsked), true
}

// temporary: what failed may work in a moment.
func temporary(err error) bool {
	var u *Unreachable
	var p *api.Problem
	return errors.As(err, &u) || errors.As(err, &p) && (p.Status == http.StatusTooManyRequests || p.Status >= 500)
}
