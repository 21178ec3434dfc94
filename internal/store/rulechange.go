package store

import (
	"context"
	"time"
)

// Flip is a change of a machine's disposition.
type Flip struct {
	ID      int64  `db:"id"`
	Key     string `db:"key"`
	Name    string `db:"name"`
	Release string `db:"release_id"`
	Was     int    `db:"was"`
	Becomes int    `db:"becomes"`
	Cause   string `db:"cause"`
	Millis  int64  `db:"at"`
	Machine int64  `db:"machine_id"`
	About   int64  `db:"about"` // number of the change of rules, or of the wave, that it comes of
	Why     string `db:"why"`   // requirements that did it, separated by blanks
}

// At is when it was noted.
func (f *Flip) At() time.Time { return fromMillis(f.Millis) }

// Flips lists those behind a number, in their order.
func (s judgements) Flips(ctx context.Context, after int64, limit int) ([]Flip, error) {
	var out []Flip
	err := s.reader.SelectContext(ctx, &out,
		"SELECT f.id, f.machine_id, d.key, d.name, f.release_id, f.was, f.becomes, f.cause, f.at, f.about, f.why FROM "+
			"flip f JOIN machine d ON d.id=f.machine_id WHERE f.id>? ORDER BY f.id LIMIT ?", after, limit)
	return out, err
}

// FlipsOf lists a machine's, the latest first.
func (s judgements) FlipsOf(ctx context.Context, machine int64) ([]Flip, error) {
	var out []Flip
	err := s.reader.SelectContext(ctx, &out,
		"SELECT id, machine_id, '' AS key, '' AS name, release_id, was, becomes, cause, at, about, why FROM flip "+
			"WHERE machine_id=? AND was<>becomes ORDER BY id DESC LIMIT 1000", machine)
	return out, err
}
