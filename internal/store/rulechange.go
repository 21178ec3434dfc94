package store

import (
	"context"
	"database/sql"
	"time"

	"github.com/jmoiron/sqlx"
)

// one makes a change of nothing [ErrNotFound].
func one(res sql.Result, err error) error {
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return ErrNotFound
	}
	return nil
}

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
func (s *Store) Flips(ctx context.Context, after int64, limit int) ([]Flip, error) {
	var out []Flip
	err := s.reader.SelectContext(ctx, &out,
		"SELECT f.id, f.machine_id, d.key, d.name, f.release_id, f.was, f.becomes, f.cause, f.at, f.about, f.why FROM "+
			"flip f JOIN machine d ON d.id=f.machine_id WHERE f.id>? ORDER BY f.id LIMIT ?", after, limit)
	return out, err
}

// FlipsOf lists a machine's, the latest first.
func (s *Store) FlipsOf(ctx context.Context, machine int64) ([]Flip, error) {
	var out []Flip
	err := s.reader.SelectContext(ctx, &out,
		"SELECT id, machine_id, '' AS key, '' AS name, release_id, was, becomes, cause, at, about, why FROM flip "+
			"WHERE machine_id=? AND was<>becomes ORDER BY id DESC LIMIT 1000", machine)
	return out, err
}

// Webhook is an address that is notified of changes of disposition.
type Webhook struct {
	Name     string `db:"name"`
	URL      string `db:"url"`
	Secret   string `db:"secret"`
	LastFlip int64  `db:"last_flip"`
	Tries    int    `db:"tries"`
	NextAt   int64  `db:"next_at"`
	SentAt   int64  `db:"sent_at"`
	Problem  string `db:"problem"`
	Waiting  int    `db:"waiting"`
}

// Webhooks lists webhooks by name.
func (s *Store) Webhooks(ctx context.Context) ([]Webhook, error) {
	var out []Webhook
	err := s.reader.SelectContext(ctx, &out,
		"SELECT h.*, (SELECT count(*) FROM flip WHERE id>h.last_flip) AS waiting FROM webhook h ORDER BY name")
	return out, err
}

// SetWebhook adds one, which is told of what comes from now on, or changes its
// address, and its key where one is given.
func (s *Store) SetWebhook(ctx context.Context, h *Webhook) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.NamedExec(
			`INSERT INTO webhook (name, url, secret, last_flip) SELECT :name, :url, :secret, coalesce(max(id), 0) FROM flip WHERE true
			ON CONFLICT (name) DO UPDATE SET url=excluded.url, secret=CASE excluded.secret WHEN '' THEN secret ELSE excluded.secret END, tries=0, next_at=0, problem=''`, h)
		return err
	})
}

// RemoveWebhook deletes a webhook. The error may be [ErrNotFound].
func (s *Store) RemoveWebhook(ctx context.Context, name string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error { return one(tx.Exec("DELETE FROM webhook WHERE name=?", name)) })
}

// Delivered notes that an address took all flips up to one.
func (s *Store) Delivered(ctx context.Context, name string, upTo int64, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("UPDATE webhook SET last_flip=max(last_flip, ?), tries=0, next_at=0, sent_at=?, problem='' "+
			"WHERE name=?", upTo, millis(now), name)
		return err
	})
}

// Undelivered notes that an address did not take them, and when to try again.
func (s *Store) Undelivered(ctx context.Context, name, problem string, next time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("UPDATE webhook SET tries=tries+1, next_at=?, problem=? WHERE name=?", millis(next), problem,
			name)
		return err
	})
}
