package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/assess"
)

// House is an organisation's own document of one kind. An empty text is the
// return to what the program ships.
type House struct {
	Kind    string `db:"kind"`
	Number  int    `db:"number"`
	Text    string `db:"text"`
	AddedAt int64  `db:"added_at"`
	AddedBy string `db:"added_by"`
}

// Added is when it was handed in.
func (h *House) Added() time.Time { return fromMillis(h.AddedAt) }

// Houses are the documents in force, one of each kind that there is.
func (s *Store) Houses(ctx context.Context) ([]House, error) {
	var out []House
	err := s.reader.SelectContext(ctx, &out,
		"SELECT kind, number, text, added_at, added_by FROM house h WHERE number=(SELECT max(number) FROM house "+
			"WHERE kind=h.kind) ORDER BY kind")
	return out, err
}

// PutHouse keeps a document behind those of its kind before it.
func (s *Store) PutHouse(ctx context.Context, kind, text, by string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("INSERT INTO house (kind, number, text, added_at, added_by) SELECT ?, "+
			"coalesce(max(number), 0)+1, ?, ?, ? FROM house WHERE kind=?", kind, text, millis(now), by, kind)
		return err
	})
}

// Ticks are what people said of a machine's items and counts.
func (s *Store) Ticks(ctx context.Context, device int64) ([]assess.Tick, error) {
	var rows []struct {
		Item  string `db:"item"`
		State string `db:"state"`
		By    string `db:"by_whom"`
		At    int64  `db:"at"`
		Note  string `db:"note"`
	}
	err := s.reader.SelectContext(ctx, &rows,
		"SELECT item, state, by_whom, at, note FROM tick WHERE device_id=? AND ended_at=0 ORDER BY id", device)
	out := make([]assess.Tick, len(rows))
	for i, r := range rows {
		out[i] = assess.Tick{Item: r.Item, State: r.State, By: r.By, At: fromMillis(r.At), Note: r.Note}
	}
	return out, err
}

// PutTick keeps what somebody said; what was said of the item before ends.
func (s *Store) PutTick(ctx context.Context, device int64, t *assess.Tick) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := endTick(tx, device, t.Item, t.By, t.At); err != nil {
			return err
		}
		_, err := tx.Exec("INSERT INTO tick (device_id, item, state, by_whom, at, note) VALUES (?, ?, ?, ?, ?, ?)",
			device, t.Item, t.State, t.By, millis(t.At), t.Note)
		return err
	})
}

// EndTick takes back what was said; its row stays. The error may be
// [ErrNotFound].
func (s *Store) EndTick(ctx context.Context, device int64, item, by string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		n, err := endTick(tx, device, item, by, now)
		if err == nil && n == 0 {
			return ErrNotFound
		}
		return err
	})
}

func endTick(tx *sqlx.Tx, device int64, item, by string, now time.Time) (int64, error) {
	res, err := tx.Exec("UPDATE tick SET ended_at=?, ended_by=? WHERE device_id=? AND item=? AND ended_at=0",
		millis(now), by, device, item)
	if err != nil {
		return 0, err
	}
	return res.RowsAffected()
}

// AddLink keeps a link to a machine's visit. Links that ended a week ago are
// forgotten.
func (s *Store) AddLink(ctx context.Context, sha []byte, device int64, by string, expires, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("DELETE FROM visit_link WHERE expires_at<?", millis(now.AddDate(0, 0, -7))); err != nil {
			return err
		}
		_, err := tx.Exec("INSERT INTO visit_link (sha, device_id, made_by, expires_at) VALUES (?, ?, ?, ?)", sha,
			device, by, millis(expires))
		return err
	})
}

// EndLinks ends all links to a machine's visit.
func (s *Store) EndLinks(ctx context.Context, device int64, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("UPDATE visit_link SET expires_at=? WHERE device_id=? AND expires_at>?", millis(now), device,
			millis(now))
		return err
	})
}

// ErrExpired is the answer to a link whose time is over.
var ErrExpired = errors.New("the link has expired")

// LinkDevice is the machine that a link leads to. The error may be
// [ErrNotFound] or [ErrExpired].
func (s *Store) LinkDevice(ctx context.Context, sha []byte, now time.Time) (*Device, time.Time, error) {
	var row struct {
		Device  int64 `db:"device_id"`
		Expires int64 `db:"expires_at"`
	}
	err := s.reader.GetContext(ctx, &row, "SELECT device_id, expires_at FROM visit_link WHERE sha=?", sha)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return nil, time.Time{}, ErrNotFound
	case err != nil:
		return nil, time.Time{}, err
	case row.Expires <= millis(now):
		return nil, time.Time{}, ErrExpired
	}
	d := new(Device)
	err = s.reader.GetContext(ctx, d, "SELECT * FROM device WHERE id=?", row.Device)
	return d, fromMillis(row.Expires), none(err)
}
