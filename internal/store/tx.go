package store

import (
	"database/sql"
	"sync"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/manual"
)

// Tx is a write in progress, for callers that add to it.
type Tx struct {
	tx       *sqlx.Tx
	prepared map[string]*sqlx.Stmt // nil: statements are used once
	kept     map[string]*sqlx.Stmt // of the connection, from writes before

	fresh int64  // a machine that this write has made: nothing is held of it yet
	ran   string // what the machine ran before this write, where was is true
	was   bool
	plans *sync.Map        // numbers of plans that are kept, by their texts; nil: not known
	made  map[string]int64 // of plans that this write has made

	inventory int64 // the highest number of an inventory; 0: not asked for yet

	models map[string][]manual.Fact // of models, where they cannot change within the write
}

func (t *Tx) stmt(query string) (*sqlx.Stmt, error) {
	if s := t.prepared[query]; s != nil {
		return s, nil
	}
	if k := t.kept[query]; k != nil {
		s := t.tx.Stmtx(k)
		t.prepared[query] = s
		return s, nil
	}
	s, err := t.tx.Preparex(query)
	if err == nil {
		t.prepared[query] = s
	}
	return s, err
}

func (t *Tx) exec(query string, args ...any) (sql.Result, error) {
	if t.prepared == nil {
		return t.tx.Exec(query, args...)
	}
	s, err := t.stmt(query)
	if err != nil {
		return nil, err
	}
	return s.Exec(args...)
}

func (t *Tx) get(to any, query string, args ...any) error {
	if t.prepared == nil {
		return t.tx.Get(to, query, args...)
	}
	s, err := t.stmt(query)
	if err != nil {
		return err
	}
	return s.Get(to, args...)
}

func (t *Tx) list(to any, query string, args ...any) error {
	if t.prepared == nil {
		return t.tx.Select(to, query, args...)
	}
	s, err := t.stmt(query)
	if err != nil {
		return err
	}
	return s.Select(to, args...)
}

func (t *Tx) close() {
	for _, s := range t.prepared {
		_ = s.Close()
	}
}
