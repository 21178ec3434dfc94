package client

import (
	"context"
	"errors"
	"math/rand/v2"
	"net/http"
	"time"

	"rolltop.example/rolltop/internal/api"
)

// Backoff says how often and how long apart a call is tried again.
type Backoff struct {
	Tries int           // in all
	First time.Duration // wait before the second try; doubled each time, with jitter of half of it either way
}

// Collector is the patience of a program that runs unattended on many machines
// at once.
var Collector = Backoff{Tries: 5, First: 2 * time.Second}

// Try calls f until it succeeds, fails for good, or the tries are used up. A
// service that does not answer, is too busy or fails is tried again; one that
// refuses is not.
func (p Backoff) Try(ctx context.Context, f func() error) error {
	wait := p.First
	for try := 1; ; try++ {
		err := f()
		if err == nil || !temporary(err) || try >= p.Tries {
			return err
		}
		timer := time.NewTimer(wait/2 + rand.N(wait))
		select {
		case <-ctx.Done():
			timer.Stop()
			return errors.Join(err, ctx.Err())
		case <-timer.C:
		}
		wait *= 2
	}
}

// temporary: what failed may work in a moment.
func temporary(err error) bool {
	var u *Unreachable
	var p *api.Problem
	return errors.As(err, &u) || errors.As(err, &p) && (p.Status == http.StatusTooManyRequests || p.Status >= 500)
}
