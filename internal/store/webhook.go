package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
)

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
func (s webhooks) Webhooks(ctx context.Context) ([]Webhook, error) {
	var out []Webhook
	err := s.reader.SelectContext(ctx, &out,
		"SELECT h.*, (SELECT count(*) FROM flip WHERE id>h.last_flip) AS waiting FROM webhook h ORDER BY name")
	return out, err
}

// SetWebhook adds one, which is told of what comes from now on, or changes its
// address, and its key where one is given.
func (s webhooks) SetWebhook(ctx context.Context, h *Webhook) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.NamedExec(
			`INSERT INTO webhook (name, url, secret, last_flip) SELECT :name, :url, :secret, coalesce(max(id), 0) FROM flip WHERE true
			ON CONFLICT (name) DO UPDATE SET url=excluded.url, secret=CASE excluded.secret WHEN '' THEN secret ELSE excluded.secret END, tries=0, next_at=0, problem=''`, h)
		return err
	})
}

// RemoveWebhook deletes a webhook. The error may be [ErrNotFound].
func (s webhooks) RemoveWebhook(ctx context.Context, name string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error { return one(tx.Exec("DELETE FROM webhook WHERE name=?", name)) })
}

// Delivered notes that an address took all flips up to one.
func (s webhooks) Delivered(ctx context.Context, name string, upTo int64, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("UPDATE webhook SET last_flip=max(last_flip, ?), tries=0, next_at=0, sent_at=?, problem='' "+
			"WHERE name=?", upTo, millis(now), name)
		return err
	})
}

// Undelivered notes that an address did not take them, and when to try again.
func (s webhooks) Undelivered(ctx context.Context, name, problem string, next time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("UPDATE webhook SET tries=tries+1, next_at=?, problem=? WHERE name=?", millis(next), problem,
			name)
		return err
	})
}
