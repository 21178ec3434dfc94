package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/assess"
)

// Ticks are what people said of a machine's items and counts.
func (s handwork) Ticks(ctx context.Context, machine int64) ([]assess.Tick, error) {
	var rows []struct {
		Item  string `db:"item"`
		State string `db:"state"`
		By    string `db:"by_whom"`
		At    int64  `db:"at"`
		Note  string `db:"note"`
	}
	err := s.reader.SelectContext(ctx, &rows,
		"SELECT item, state, by_whom, at, note FROM tick WHERE machine_id=? AND ended_at=0 ORDER BY id", machine)
	out := make([]assess.Tick, len(rows))
	for i, r := range rows {
		out[i] = assess.Tick{Item: r.Item, State: r.State, By: r.By, At: fromMillis(r.At), Note: r.Note}
	}
	return out, err
}

// PutTick keeps what somebody said; what was said of the item before ends.
func (s handwork) PutTick(ctx context.Context, machine int64, t *assess.Tick) error {
	return s.write(ctx, func(tx *sqlx.Tx) error { return (&Tx{tx: tx}).PutTick(machine, t) })
}

// PutTick keeps what somebody said, within a write; what was said of the item before ends.
func (t *Tx) PutTick(machine int64, k *assess.Tick) error {
	if _, err := endTick(t.tx, machine, k.Item, k.By, k.At); err != nil {
		return err
	}
	_, err := t.exec("INSERT INTO tick (machine_id, item, state, by_whom, at, note) VALUES (?, ?, ?, ?, ?, ?)",
		machine, k.Item, k.State, k.By, millis(k.At), k.Note)
	return err
}

// EndTick takes back what was said; its row stays. The error may be
// [ErrNotFound].
func (s handwork) EndTick(ctx context.Context, machine int64, item, by string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		n, err := endTick(tx, machine, item, by, now)
		if err == nil && n == 0 {
			return ErrNotFound
		}
		return err
	})
}

func endTick(tx *sqlx.Tx, machine int64, item, by string, now time.Time) (int64, error) {
	res, err := tx.Exec("UPDATE tick SET ended_at=?, ended_by=? WHERE machine_id=? AND item=? AND ended_at=0",
		millis(now), by, machine, item)
	if err != nil {
		return 0, err
	}
	return res.RowsAffected()
}

// AddLink keeps a link to a machine's visit. Links that ended a week ago are
// forgotten.
func (s handwork) AddLink(ctx context.Context, sha []byte, machine int64, by string, expires, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("DELETE FROM visit_link WHERE expires_at<?", millis(now.AddDate(0, 0, -7))); err != nil {
			return err
		}
		_, err := tx.Exec("INSERT INTO visit_link (sha, machine_id, made_by, expires_at) VALUES (?, ?, ?, ?)", sha,
			machine, by, millis(expires))
		return err
	})
}

// EndLinks ends all links to a machine's visit.
func (s handwork) EndLinks(ctx context.Context, machine int64, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("UPDATE visit_link SET expires_at=? WHERE machine_id=? AND expires_at>?", millis(now),
			machine,
			millis(now))
		return err
	})
}

// ErrExpired is the answer to a link whose time is over.
var ErrExpired = errors.New("the link has expired")

// Link is a link to the visit of a machine.
type Link struct {
	Machine *Machine
	By      string // who made it
	Expires time.Time
}

// LinkMachine is the link that a secret belongs to. The error may be
// [ErrNotFound] or [ErrExpired].
func (s handwork) LinkMachine(ctx context.Context, sha []byte, now time.Time) (out Link, err error) {
	var row struct {
		Machine int64  `db:"machine_id"`
		By      string `db:"made_by"`
		Expires int64  `db:"expires_at"`
	}
	err = s.reader.GetContext(ctx, &row, "SELECT machine_id, made_by, expires_at FROM visit_link WHERE sha=?", sha)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return out, ErrNotFound
	case err != nil:
		return out, err
	case row.Expires <= millis(now):
		return out, ErrExpired
	}
	out = Link{Machine: new(Machine), By: row.By, Expires: fromMillis(row.Expires)}
	err = s.reader.GetContext(ctx, out.Machine, "SELECT * FROM machine WHERE id=?", row.Machine)
	return out, none(err)
}
