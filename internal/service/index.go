package service

import (
	"context"
	"maps"
	"slices"
	"sync"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/store"
)

// Index is the fleet in memory, which lists and counts are answered from. The database is the
// truth: a machine that a commit has changed is read again before the next answer, so that
// whoever wrote sees what was written.
type Index struct {
	Records
	releases  *Releases
	knowledge *Knowledge
	overlay   *Overlay
	plans     plans

	// Machines by an order or a part, and why there is none of that name; see [Orders].
	parts  func(context.Context, fleet.External) ([]int64, error)
	noPart func(context.Context, fleet.External) (string, error)

	mu sync.RWMutex // of x, which readers hold while they look
	x  *fleet.Index

	// refreshing is held by who brings x up to date: one at a time, so that none puts an older
	// state over a newer one.
	refreshing sync.Mutex

	changes  changes
	webhooks []func(ids []int64, all bool)
}

// changes is what has been changed in the database and not been read yet, with who is told.
type changes struct {
	mu          sync.Mutex
	machines    map[int64]bool
	all         bool // everything is to be read again
	version     uint64
	subscribers map[chan struct{}]bool
}

// Changed notes that machines were changed, after the commit. Without machines it tells
// subscribers alone: something that lists show beside the machines was changed.
func (i *Index) Changed(machines ...int64) {
	c := &i.changes
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.machines == nil {
		c.machines = map[int64]bool{}
	}
	for _, id := range machines {
		c.machines[id] = true
	}
	c.notify()
}

// Invalidate notes that every machine may have changed.
func (i *Index) Invalidate() {
	c := &i.changes
	c.mu.Lock()
	defer c.mu.Unlock()
	c.all = true
	c.notify()
}

// notify tells subscribers that there are changes. A notification that is still pending is kept.
func (c *changes) notify() {
	c.version++
	for sub := range c.subscribers {
		select {
		case sub <- struct{}{}:
		default:
		}
	}
}

// Subscribe gives a channel that receives after changes, until unsubscribe is called.
func (i *Index) Subscribe() (sub <-chan struct{}, unsubscribe func()) {
	c, ch := &i.changes, make(chan struct{}, 1)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.subscribers == nil {
		c.subscribers = map[chan struct{}]bool{}
	}
	c.subscribers[ch] = true
	return ch, func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		delete(c.subscribers, ch)
	}
}

// Version is the number of changes so far.
func (i *Index) Version() uint64 {
	i.changes.mu.Lock()
	defer i.changes.mu.Unlock()
	return i.changes.version
}

// take gives what was changed since the last time.
func (c *changes) take() (ids []int64, all bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	ids, all = slices.Sorted(maps.Keys(c.machines)), c.all
	c.machines, c.all = nil, false
	return ids, all
}

// requeue notes again what could not be read.
func (i *Index) requeue(ids []int64, all bool) {
	i.Changed(ids...)
	if all {
		i.Invalidate()
	}
}

// OnChange registers what is called with the machines that were changed, or with all, before the
// index is brought up to date. It is called while the service is put together.
func (i *Index) OnChange(f func(ids []int64, all bool)) { i.webhooks = append(i.webhooks, f) }

// View calls f with the index as the database is now. f must not keep it.
func (i *Index) View(ctx context.Context, f func(*fleet.Index)) error {
	if err := i.Refresh(ctx); err != nil {
		return err
	}
	i.mu.RLock()
	defer i.mu.RUnlock()
	f(i.x)
	return nil
}

// Texts are the values of text facts that machines have, each once; none while the index is loaded.
func (i *Index) Texts(ctx context.Context, ids ...fact.ID) (out []string, err error) {
	if !i.Loaded() {
		return nil, nil
	}
	err = i.View(ctx, func(x *fleet.Index) {
		for _, id := range ids {
			out = append(out, x.Texts(id)...)
		}
	})
	return out, err
}

// Each calls f with every machine that a filter picks.
func (i *Index) Each(ctx context.Context, f fleet.Filter, each func(*fleet.Row)) error {
	return i.View(ctx, func(x *fleet.Index) { x.Select(f).Each(each) })
}

// maxChanged is how many changed machines are read one by one; where there are more, a new index
// costs as much, and less memory.
const maxChanged = 2000

// Refresh brings the index up to date with the database.
//
// Whatever it needs of the database is read before the index is locked: whoever reads the index
// does not wait for SQLite.
func (i *Index) Refresh(ctx context.Context) error {
	i.refreshing.Lock()
	defer i.refreshing.Unlock()
	ids, all := i.changes.take()
	for _, f := range i.webhooks {
		f(ids, all)
	}
	if all || i.x == nil || len(ids) > maxChanged {
		i.overlay.forget(nil, true)
		if err := i.rebuild(ctx); err != nil {
			i.requeue(ids, true)
			return err
		}
		return nil
	}
	if len(ids) == 0 && i.overlay.current() {
		return nil
	}
	i.overlay.forget(ids, false)
	changed, err := i.changedRows(ctx, ids)
	if err == nil {
		err = i.overlay.prepare(ctx, i.x, changed)
	}
	if err != nil {
		i.requeue(ids, false)
		return err
	}
	i.mu.Lock()
	defer i.mu.Unlock()
	for _, id := range ids {
		if c, ok := changed[id]; ok {
			i.x.Put(id, c.row, c.facts)
		} else {
			i.x.Drop(id)
		}
	}
	i.x.Sort()
	if err := i.overlay.applyDecisions(ctx, i.x); err != nil {
		i.requeue(ids, true)
		return err
	}
	return nil
}

// rebuild reads the whole fleet into a new index and puts it in the place of the old one.
func (i *Index) rebuild(ctx context.Context) error {
	x := fleet.NewIndex()
	err := i.readRows(ctx, nil, func(_ *store.Row, r fleet.Row, f *fact.Facts) { x.Put(r.ID, r, f) })
	if err != nil {
		return err
	}
	x.Sort()
	if err := i.overlay.read(ctx); err != nil {
		return err
	}
	if err := i.overlay.applyDecisions(ctx, x); err != nil {
		return err
	}
	i.mu.Lock()
	defer i.mu.Unlock()
	i.x = x
	return nil
}

// largeFleet is from how many machines on a service starts before its index is loaded: until then
// it lists machines by name from the database.
const largeFleet = 20_000

// begin loads the index, beside where that takes a while.
func (i *Index) begin(ctx context.Context) error {
	n, err := i.Store.Machines(ctx)
	if err != nil {
		return err
	}
	if n < largeFleet {
		return i.Refresh(ctx)
	}
	go func() {
		if err := i.Refresh(ctx); err != nil && ctx.Err() == nil {
			i.Log.Error("the index is not loaded; the next request tries again", "error", err)
		}
		i.Changed() // subscribers ask again, and get what is decided too
	}()
	return nil
}

// Loaded says whether the index is there.
func (i *Index) Loaded() bool {
	i.mu.RLock()
	defer i.mu.RUnlock()
	return i.x != nil
}

// change is a write about one machine, which lists show at once.
func (i *Index) change(
	ctx context.Context, key string, f func(*store.Tx, *store.Machine, *inventory.Document) error,
) error {
	var id int64
	err := i.Store.Change(ctx, key, func(tx *store.Tx, d *store.Machine, inv *inventory.Document) error {
		id = d.ID
		return f(tx, d, inv)
	})
	if err == nil {
		i.Changed(id)
	}
	return err
}
