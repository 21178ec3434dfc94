package service

import (
	"context"
	"math/rand/v2"
	"sync"
	"time"

	"rolltop.example/rolltop/internal/store"
)

// Deliver sends what a webhook was not told of yet.
type Deliver func(ctx context.Context, h *store.Webhook, changes []store.Flip) error

// Webhooks tells addresses when machines' dispositions change.
type Webhooks struct {
	Records
	deliver Deliver
}

// How much a message holds, and how long an address is left alone after failures.
const (
	maxFlips       = 200
	webhookFirst   = 5 * time.Second
	webhookLongest = 30 * time.Minute
)

// DeliverBy sets what sends. It is called while the service is put together.
func (w *Webhooks) DeliverBy(d Deliver) { w.deliver = d }

// Tell sends what is due, to all addresses at once.
func (w *Webhooks) Tell(ctx context.Context) {
	if w.deliver == nil {
		return
	}
	list, err := w.Store.Webhooks(ctx)
	if err != nil {
		if ctx.Err() == nil {
			w.Log.Error("webhooks cannot be read", "error", err)
		}
		return
	}
	var all sync.WaitGroup
	for i := range list {
		if h := &list[i]; h.Waiting > 0 && h.NextAt <= w.Now().UnixMilli() {
			all.Go(func() { w.tell(ctx, h) })
		}
	}
	all.Wait()
}

// tell sends an address what it was not told of yet, and notes where that fails.
func (w *Webhooks) tell(ctx context.Context, h *store.Webhook) {
	err := w.send(ctx, h)
	if err == nil || ctx.Err() != nil {
		return
	}
	wait := min(webhookFirst<<min(h.Tries, 12), webhookLongest)
	wait += rand.N(wait / 4) // not all at once after an outage
	if err := w.Store.Undelivered(ctx, h.Name, err.Error(), w.Now().Add(wait)); err != nil {
		w.Log.Error("a failed message could not be recorded", "error", err)
	}
}

// send sends message by message.
func (w *Webhooks) send(ctx context.Context, h *store.Webhook) error {
	for {
		flips, err := w.Store.Flips(ctx, h.LastFlip, maxFlips)
		if err != nil || len(flips) == 0 {
			return err
		}
		if err := w.deliver(ctx, h, flips); err != nil {
			return err
		}
		h.LastFlip = flips[len(flips)-1].ID
		if err := w.Store.Delivered(ctx, h.Name, h.LastFlip, w.Now()); err != nil {
			return err
		}
	}
}
