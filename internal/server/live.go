package server

import (
	"context"
	"maps"
	"runtime"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/store"
)

// live is the index of the fleet that lists and counts are answered from. The
// database is the truth: a machine that a commit has changed is read again
// before the next answer, so that whoever wrote sees what was written.
type live struct {
	mu sync.RWMutex // of the index
	x  *fleet.Index

	reading sync.Mutex // one reader of changes at a time, so that none puts an older state over a newer one

	noting  sync.Mutex
	changed map[int64]bool
	all     bool // everything is to be read again
	version uint64

	decided decided // under reading
	bells   map[chan struct{}]bool
}

// touch notes that machines were changed, after the commit.
func (l *live) touch(devices ...int64) {
	l.noting.Lock()
	defer l.noting.Unlock()
	if l.changed == nil {
		l.changed = map[int64]bool{}
	}
	for _, id := range devices {
		l.changed[id] = true
	}
	l.ring()
}

// stale notes that every machine may have changed.
func (l *live) stale() {
	l.noting.Lock()
	defer l.noting.Unlock()
	l.all = true
	l.ring()
}

// ring tells those who wait for changes that there are some. A bell that was rung
// and not heard yet stays rung.
func (l *live) ring() {
	l.version++
	for bell := range l.bells {
		select {
		case bell <- struct{}{}:
		default:
		}
	}
}

// listen gives a bell that rings with every change, until it is hung up.
func (l *live) listen() (bell chan struct{}, hangUp func()) {
	bell = make(chan struct{}, 1)
	l.noting.Lock()
	defer l.noting.Unlock()
	if l.bells == nil {
		l.bells = map[chan struct{}]bool{}
	}
	l.bells[bell] = true
	return bell, func() {
		l.noting.Lock()
		defer l.noting.Unlock()
		delete(l.bells, bell)
	}
}

// now is the number of changes so far.
func (l *live) now() uint64 {
	l.noting.Lock()
	defer l.noting.Unlock()
	return l.version
}

// take gives what was changed since the last time.
func (l *live) take() (ids []int64, all bool) {
	l.noting.Lock()
	defer l.noting.Unlock()
	ids, all = slices.Sorted(maps.Keys(l.changed)), l.all
	l.changed, l.all = nil, false
	return ids, all
}

// giveBack notes again what could not be read.
func (l *live) giveBack(ids []int64, all bool) {
	l.touch(ids...)
	if all {
		l.stale()
	}
}

// mostChanged is how many changed machines are read one by one; where there are more, a
// new index costs as much, and less memory.
const mostChanged = 2000

// look calls f with the index as the database is now. f must not keep it.
func (s *Server) look(ctx context.Context, f func(*fleet.Index)) error {
	if err := s.refresh(ctx); err != nil {
		return err
	}
	s.live.mu.RLock()
	defer s.live.mu.RUnlock()
	f(s.live.x)
	return nil
}

func (s *Server) refresh(ctx context.Context) error {
	l := &s.live
	l.reading.Lock()
	defer l.reading.Unlock()
	ids, all := l.take()
	s.parts.forget(ids, all)
	s.sentences.forget(ids, all)
	if all || l.x == nil || len(ids) > mostChanged {
		x := fleet.NewIndex()
		if err := s.readRows(ctx, nil, func(id int64, r fleet.Row, f *fact.Facts) { x.Put(id, r, f) }); err != nil {
			l.giveBack(ids, true)
			return err
		}
		x.Settle()
		if err := s.decide(ctx, x); err != nil {
			l.giveBack(ids, true)
			return err
		}
		l.mu.Lock()
		l.x = x
		l.mu.Unlock()
		return nil
	}
	if len(ids) == 0 && !s.undecided() {
		return nil
	}
	// What changed is read before the index is locked: whoever reads the index does not
	// wait for the database.
	changed, err := s.changedRows(ctx, ids)
	if err == nil {
		err = s.readDecisions(ctx)
	}
	if err != nil {
		l.giveBack(ids, false)
		return err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, id := range ids {
		if c, ok := changed[id]; ok {
			l.x.Put(id, c.row, c.facts)
		} else {
			l.x.Drop(id)
		}
	}
	l.x.Settle()
	if err := s.decide(ctx, l.x); err != nil {
		l.giveBack(ids, true)
		return err
	}
	return nil
}

// changedRow is a machine as it is now; facts are nil where they cannot be read.
type changedRow struct {
	row   fleet.Row
	facts *fact.Facts
}

// changedRows reads machines that were changed, by their numbers. Those that are gone are
// not among them.
func (s *Server) changedRows(ctx context.Context, ids []int64) (map[int64]changedRow, error) {
	out := make(map[int64]changedRow, len(ids))
	if len(ids) == 0 {
		return out, nil
	}
	err := s.readRows(ctx, ids, func(id int64, r fleet.Row, f *fact.Facts) {
		c := changedRow{row: r}
		if f != nil {
			own := *f // the next machine is read into the same facts
			c.facts = &own
		}
		out[id] = c
	})
	return out, err
}

// readRows reads machines, all of them where ids is nil: then in several parts at
// once, each of which uses its facts again and again. put is called by one at a time.
func (s *Server) readRows(ctx context.Context, ids []int64, put func(int64, fleet.Row, *fact.Facts)) error {
	places, err := s.store.Places(ctx)
	if err != nil {
		return err
	}
	s.mu.RLock()
	targets, judgements := make(map[string]target, len(s.targets)), map[string]int64{}
	for class, t := range s.targets {
		targets[class], judgements[class] = t, t.judgement
	}
	s.mu.RUnlock()
	var putting sync.Mutex
	take := func() func([]store.Row) error {
		facts := new(fact.Facts)
		return func(rows []store.Row) error {
			for i := range rows {
				d, f := &rows[i], facts
				if d.Packed == nil || facts.UnpackSingle(d.Packed) != nil {
					f = nil // made again at the next start
				}
				r := row(d, targets, places)
				var err error
				if r.Plan, err = s.plans.of(ctx, s.store, d.PlanID); err != nil {
					return err
				}
				putting.Lock()
				put(d.ID, r, f)
				putting.Unlock()
			}
			return nil
		}
	}
	if ids != nil {
		return s.store.EachRow(ctx, judgements, fact.Catalogue, ids, take())
	}
	parts, err := s.store.Parts(ctx, runtime.GOMAXPROCS(0))
	if err != nil {
		return err
	}
	g, ctx := errgroup.WithContext(ctx)
	for _, part := range parts {
		g.Go(func() error { return s.store.EachRowIn(ctx, judgements, fact.Catalogue, part, take()) })
	}
	return g.Wait()
}

// plans are the texts of plans by their numbers. They never change, and few are added.
type plans struct {
	mu   sync.Mutex
	text map[int64]string
}

func (p *plans) of(ctx context.Context, st *store.Store, id int64) (string, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if text, ok := p.text[id]; ok || id == 0 {
		return text, nil
	}
	all, err := st.Plans(ctx)
	if err == nil {
		p.text = all
	}
	return all[id], err
}

func row(d *store.Row, targets map[string]target, places []store.Place) fleet.Row {
	r := fleet.Row{ID: d.ID, Key: d.Key, Name: d.Name, Place: placeOfDevice(&d.Device, places), Class: d.Class, Manufacturer: d.Maker, Model: d.Model, Installed: d.Installed, TakenAt: d.Taken(),
		Tags: strings.Join(d.Tags, "\n"), Retired: d.RetiredAt > 0, Doubted: d.Doubted, Next: fleet.NoNext}
	if v := &d.Verdict; d.Judged {
		r.Judged, r.Release = true, targets[d.Class].release
		r.Disposition, r.Publisher = remedy.Disposition(v.Disposition), remedy.Disposition(v.Publisher)
		r.Certain, r.Fails, r.Sole, r.Outcomes = v.Certain, v.Fails, v.Sole, v.Outcomes
		r.Way, r.Next = v.Way, int8(v.Next)
	}
	return r
}

// change is a write about one machine, which lists show at once.
func (s *Server) change(ctx context.Context, key string, f func(*store.Tx, *store.Device, *inventory.Document) error) error {
	var id int64
	err := s.store.Change(ctx, key, func(tx *store.Tx, d *store.Device, inv *inventory.Document) error {
		id = d.ID
		return f(tx, d, inv)
	})
	if err == nil {
		s.live.touch(id)
	}
	return err
}
