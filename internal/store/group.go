package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/manual"
)

// Inventories come from many machines at once, and a commit waits for the disk:
// many of them share one. One that cannot be kept takes nothing from the others; each
// is acknowledged after the commit.
const (
	maxWaiting    = 2048
	maxTogether   = 512
	maxStatements = 64
	longestWait   = 2 * time.Millisecond // of a commit, for inventories on their way
)

// ErrBusy is the answer where more is handed in than can be kept. What was refused
// so may be handed in again.
var ErrBusy = errors.New("the service is busy saving inventories")

type job struct {
	f    func(*Tx) error
	err  error
	done chan struct{}
}

// enqueue runs f in a transaction that it may share with others.
func (s *database) enqueue(ctx context.Context, f func(*Tx) error) error {
	j := &job{f: f, done: make(chan struct{})}
	select {
	case <-s.closing:
		return ErrBusy
	case <-ctx.Done():
		return ctx.Err()
	default:
	}
	select {
	case s.jobs <- j:
	default:
		return ErrBusy
	}
	// Once it is taken it is kept or refused, whether or not the caller waits.
	select {
	case <-j.done:
		return j.err
	case <-s.drained:
		select {
		case <-j.done:
			return j.err
		default:
			return ErrBusy
		}
	}
}

// group commits jobs until the store closes.
func (s *database) group() {
	defer close(s.drained)
	for {
		select {
		case j := <-s.jobs:
			s.commit(s.collectBatch(j))
		case <-s.closing:
			for {
				select {
				case j := <-s.jobs:
					s.commit(s.collectBatch(j))
				default:
					return
				}
			}
		}
	}
}

// collectBatch takes what waits, and what is on its way: a commit costs as much for one as
// for many.
func (s *database) collectBatch(first *job) []*job {
	batch := append(make([]*job, 0, maxTogether), first)
	var late <-chan time.Time
	for len(batch) < maxTogether {
		select {
		case j := <-s.jobs:
			batch = append(batch, j)
			continue
		default:
		}
		if s.coming.Load() == 0 {
			return batch
		}
		if late == nil {
			late = time.After(longestWait)
		}
		select {
		case j := <-s.jobs:
			batch = append(batch, j)
		case <-late:
			return batch
		}
	}
	return batch
}

// commit keeps a batch. It is rare that a job of it cannot be kept: only then is all of
// it done again, each job in a savepoint of its own.
func (s *database) commit(batch []*job) {
	err := s.attempt(batch, (*Tx).try)
	if errors.Is(err, errAgain) {
		err = s.attempt(batch, (*Tx).one)
	}
	for _, j := range batch {
		if err != nil {
			j.err = err
		}
		j.err = fault(j.err)
		close(j.done)
	}
}

func (s *database) attempt(batch []*job, do func(*Tx, *job) error) error {
	var t *Tx
	err := s.write(context.Background(), func(tx *sqlx.Tx) error {
		t = &Tx{
			tx:       tx,
			prepared: map[string]*sqlx.Stmt{},
			kept:     s.statements,
			models:   map[string][]manual.Fact{},
			plans:    &s.plans,
			made:     map[string]int64{},
		}
		defer t.close()
		for _, j := range batch {
			t.fresh, t.was = 0, false
			if err := do(t, j); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		s.keepStatements(t)
		for text, id := range t.made { // they are committed, and never change
			s.plans.Store(text, id)
		}
	}
	return err
}

// keepStatements prepares what a commit used, for all commits after it: reading a
// statement takes as long as running it. Only the goroutine that commits calls it.
func (s *database) keepStatements(t *Tx) {
	for query := range t.prepared {
		if s.statements[query] == nil && len(s.statements) < maxStatements {
			if st, err := s.writer.Preparex(query); err == nil {
				s.statements[query] = st
			}
		}
	}
}

// errAgain ends a transaction of which a job could not be kept.
var errAgain = errors.New("one of several could not be saved")

// try runs a job among others. The error is one of the transaction.
func (t *Tx) try(j *job) error {
	if j.err = guarded(t, j.f); j.err == nil {
		return nil
	}
	if err := lost(j.err); err != nil {
		return err
	}
	return errAgain
}

// lost is the error of a job after which SQLite has ended the transaction, or would at
// its commit.
func lost(err error) error {
	if err = fault(err); errors.Is(err, ErrFull) || errors.Is(err, ErrReadOnly) {
		return err
	}
	return nil
}

// one runs a job in a savepoint. The error is one of the transaction.
func (t *Tx) one(j *job) error {
	if _, err := t.exec("SAVEPOINT one"); err != nil {
		return err
	}
	if j.err = guarded(t, j.f); j.err != nil {
		if err := lost(j.err); err != nil {
			return err
		}
		if _, err := t.exec("ROLLBACK TO one"); err != nil {
			return err
		}
	}
	_, err := t.exec("RELEASE one")
	return err
}

// guarded makes a panic the error of the job that it came from.
func guarded(t *Tx, f func(*Tx) error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("an inventory could not be saved: %v", p)
		}
	}()
	return f(t)
}
