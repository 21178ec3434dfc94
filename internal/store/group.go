package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"
)

// Inventories come from many machines at once, and a commit waits for the disk:
// many of them share one. Each has its own savepoint, so that one that cannot be
// kept takes nothing from the others, and is acknowledged after the commit.
const (
	mostWaiting    = 1024
	mostTogether   = 256
	mostStatements = 64
)

// ErrBusy is the answer where more is handed in than can be kept. What was refused
// so may be handed in again.
var ErrBusy = errors.New("the service is busy keeping inventories")

type job struct {
	f    func(*Tx) error
	err  error
	done chan struct{}
}

// together runs f in a transaction that it may share with others.
func (s *Store) together(ctx context.Context, f func(*Tx) error) error {
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
func (s *Store) group() {
	defer close(s.drained)
	for {
		select {
		case j := <-s.jobs:
			s.commit(s.gather(j))
		case <-s.closing:
			for {
				select {
				case j := <-s.jobs:
					s.commit(s.gather(j))
				default:
					return
				}
			}
		}
	}
}

func (s *Store) gather(first *job) []*job {
	batch := []*job{first}
	for len(batch) < mostTogether {
		select {
		case j := <-s.jobs:
			batch = append(batch, j)
		default:
			return batch
		}
	}
	return batch
}

func (s *Store) commit(batch []*job) {
	var t *Tx
	err := s.write(context.Background(), func(tx *sqlx.Tx) error {
		t = &Tx{tx: tx, prepared: map[string]*sqlx.Stmt{}, kept: s.statements}
		defer t.close()
		for _, j := range batch {
			if err := t.one(j); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		s.keepStatements(t)
	}
	for _, j := range batch {
		if err != nil {
			j.err = err
		}
		j.err = fault(j.err)
		close(j.done)
	}
}

// keepStatements prepares what a commit used, for all commits after it: reading a
// statement takes as long as running it. Only the goroutine that commits calls it.
func (s *Store) keepStatements(t *Tx) {
	for query := range t.prepared {
		if s.statements[query] == nil && len(s.statements) < mostStatements {
			if st, err := s.writer.Preparex(query); err == nil {
				s.statements[query] = st
			}
		}
	}
}

// one runs a job in a savepoint. The error is one of the transaction.
func (t *Tx) one(j *job) error {
	if _, err := t.exec("SAVEPOINT one"); err != nil {
		return err
	}
	if j.err = guarded(t, j.f); j.err != nil {
		if err := fault(j.err); errors.Is(err, ErrFull) || errors.Is(err, ErrReadOnly) {
			return err // SQLite has ended the transaction, or would at its commit
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
			err = fmt.Errorf("an inventory could not be kept: %v", p)
		}
	}()
	return f(t)
}
