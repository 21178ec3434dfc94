package service

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"sync"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/store"
)

// Intake is how inventories come in: each is kept and judged in one write.
type Intake struct {
	Records
	judge *Judge
	index *Index
	flow  *Flow
	disk  disk

	// Note, where it is set, hears of what was kept; for metrics.
	Note func(*store.Kept)
}

// Kept is what became of an inventory.
type Kept struct {
	store.Kept
	Release     *release.Ref // that it was judged against; nil where its class has no target
	Disposition remedy.Disposition
	Answer      string
}

// Keep stores an inventory and judges its machine in the same write.
func (i *Intake) Keep(ctx context.Context, d *inventory.Document, e store.Entry) (Kept, error) {
	if !d.TPM.Attestation.IsZero() || d.TPM.Attested != nil {
		return Kept{}, refuse("The inventory cannot be saved", "tpm.attestation and tpm.attested are stated by a "+
			"service that verified a proof, and cannot be handed in; remove both")
	}
	var got judged
	e.Now = i.Now()
	k, err := i.Store.Keep(ctx, d, e, func(tx *store.Tx, machine *store.Machine, inv *inventory.Document) (err error) {
		got, err = i.judge.machine(tx, machine, inv, store.ByInventory)
		return err
	})
	if err != nil {
		return Kept{}, err
	}
	i.index.Changed(k.Machine.ID)
	if i.Note != nil {
		i.Note(&k)
	}
	out := Kept{Kept: k}
	if v := got.verdict; v != nil {
		ref := got.target.Release.Ref()
		out.Release, out.Disposition = &ref, remedy.Disposition(v.Disposition)
		out.Answer = assess.Answer(i.judge.knowledge.Base(), got.target.Release, got.facts)
	}
	return out, nil
}

// Bounds of what is handed in a line at a time.
const (
	linesAtOnce = 256 // that are read and wait for their commit
	lineRetries = 50  // times that a line waits for a busy store
	lineTries   = 5   // times that a line waits for room
	linePause   = 20 * time.Millisecond
)

// Line is what became of one line of several inventories. Err is nil where it was kept.
type Line struct {
	Number int
	Kept   *Kept
	Err    error
}

// KeepLines keeps inventory after inventory, one a line. Many are under way at once, so that they
// share commits; they are answered in their order. It stops where answer is false. caller names
// whose they are, for the flow.
func (i *Intake) KeepLines(ctx context.Context, from io.Reader, e store.Entry, caller string, answer func(Line) bool) {
	ctx, cancel := context.WithCancel(ctx)
	waiting := make(chan chan Line, linesAtOnce)
	defer func() { // nobody reads on behind the request's back
		cancel()
		for range waiting {
		}
	}()
	go i.readLines(ctx, from, e, caller, waiting)
	for c := range waiting {
		if !answer(<-c) {
			return
		}
	}
}

// readLines begins to keep each line, and puts where its answer comes into waiting.
func (i *Intake) readLines(
	ctx context.Context, from io.Reader, e store.Entry, caller string, waiting chan<- chan Line,
) {
	defer close(waiting)
	scan := bufio.NewScanner(from)
	scan.Buffer(make([]byte, 64<<10), inventory.MaxBytes+1)
	bounds, done := i.flow.Of(caller)
	defer done()
	put := func(c chan Line) bool {
		select {
		case waiting <- c:
			return true
		case <-ctx.Done():
			return false
		}
	}
	n := 0
	for scan.Scan() {
		n++
		line := bytes.Clone(bytes.TrimSpace(scan.Bytes()))
		if len(line) == 0 {
			continue
		}
		c, at := make(chan Line, 1), n
		if !put(c) {
			return
		}
		leave, err := i.roomForLine(ctx, bounds, len(line))
		if err != nil {
			c <- Line{Number: at, Err: err}
			continue
		}
		go func() {
			defer leave()
			kept, err := i.keepLine(ctx, line, e)
			c <- Line{at, kept, err}
		}()
	}
	if err := scan.Err(); err != nil && ctx.Err() == nil {
		c := make(chan Line, 1)
		c <- Line{Number: n + 1, Err: brokenOff(err)}
		put(c)
	}
}

// brokenOff says why lines were not read to their end.
func brokenOff(err error) error {
	const title = "Incomplete input"
	switch {
	case errors.Is(err, bufio.ErrTooLong):
		return refuse(title, "the line is larger than %d MiB; this line and those after it were not read",
			inventory.MaxBytes>>20)
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, gzip.ErrChecksum), errors.Is(err, gzip.ErrHeader):
		return refuse(title, "the input is truncated or damaged; nothing after this point was saved")
	}
	return refuse(title, "the input could not be read further: %s", err)
}

func (i *Intake) keepLine(ctx context.Context, line []byte, e store.Entry) (*Kept, error) {
	d, err := inventory.Read("the inventory", line)
	if err != nil {
		return nil, err
	}
	e.Text = line
	for try := 0; ; try++ {
		got, err := i.Keep(ctx, d, e)
		if err == nil {
			return &got, nil
		}
		if !errors.Is(err, store.ErrBusy) || try == lineRetries {
			return nil, err
		}
		pause(ctx, linePause)
	}
}

// roomForLine waits until there is room for a line, as long as whoever sends it does.
func (i *Intake) roomForLine(ctx context.Context, bounds *CallerFlow, bytes int) (leave func(), err error) {
	if err := i.RoomOnDisk(); err != nil {
		return nil, err
	}
	for try := 0; ; try++ {
		leave, err := i.flow.Enter(ctx, bounds, int64(bytes))
		if err == nil || try == lineTries || ctx.Err() != nil {
			return leave, err
		}
	}
}

// diskAsked is how long an answer about free space counts.
const diskAsked = 2 * time.Second

// disk is how much of it is free.
type disk struct {
	keepFree int64
	free     func() (int64, error)

	mu    sync.Mutex
	asked time.Time
	bytes int64
	err   error
}

// RoomOnDisk refuses to take more in where too little of the disk is free: the rest is for what
// only reads, for changes by people, and for SQLite itself.
func (i *Intake) RoomOnDisk() error {
	d := &i.disk
	if d.keepFree <= 0 {
		return nil
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if now := time.Now(); now.Sub(d.asked) > diskAsked || now.Before(d.asked) {
		d.asked = now
		d.bytes, d.err = d.free()
	}
	if d.err != nil || d.bytes >= d.keepFree { // where the system does not say, SQLite will
		return nil
	}
	return &Refusal{Reason: DiskFull, Title: "The disk is nearly full", Says: fmt.Sprintf(
		"only %d MiB of the service's disk are free, and %d MiB are reserved; nothing was saved. Free space, and "+
			"try again", d.bytes>>20, d.keepFree>>20)}
}

func pause(ctx context.Context, d time.Duration) {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
	case <-t.C:
	}
}
