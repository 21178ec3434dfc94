package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/decision"
)

type decisionRow struct {
	ID          int64  `db:"id"`
	Kind        string `db:"kind"`
	Scope       string `db:"scope"`
	Release     string `db:"release_id"`
	Requirement string `db:"requirement"`
	Reason      string `db:"reason"`
	By          string `db:"by_whom"`
	At          int64  `db:"at"`
	Until       int64  `db:"until"`
	EndedAt     int64  `db:"ended_at"`
	EndedBy     string `db:"ended_by"`
}

// Decisions are all that were made, the latest first.
func (s decisions) Decisions(ctx context.Context) ([]decision.Decision, error) {
	var rows []decisionRow
	err := s.reader.SelectContext(ctx, &rows, "SELECT * FROM decision ORDER BY id DESC")
	out := make([]decision.Decision, len(rows))
	for i, r := range rows {
		out[i] = decision.Decision{
			ID:          r.ID,
			Kind:        r.Kind,
			Scope:       r.Scope,
			Release:     r.Release,
			Requirement: r.Requirement,
			Reason:      r.Reason,
			By:          r.By,
			At:          fromMillis(r.At),
			Until:       fromMillis(r.Until),
			EndedBy:     r.EndedBy,
		}
		if r.EndedAt > 0 {
			out[i].Ended = fromMillis(r.EndedAt)
		}
	}
	return out, err
}

// AddDecision keeps one, and gives its number.
func (s decisions) AddDecision(ctx context.Context, d *decision.Decision) (id int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.Exec("INSERT INTO decision (kind, scope, release_id, requirement, reason, by_whom, at, until) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?)", d.Kind, d.Scope, d.Release, d.Requirement, d.Reason, d.By, millis(d.At),
			millis(d.Until))
		if err != nil {
			return err
		}
		id, err = res.LastInsertId()
		return err
	})
	return id, err
}

// MoveDecision gives one that counts another end. The error may be [ErrNotFound].
func (s decisions) MoveDecision(ctx context.Context, id int64, until, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		return one(tx.Exec("UPDATE decision SET until=? WHERE id=? AND ended_at=0 AND until>?", millis(until), id,
			millis(now)))
	})
}

// EndDecision ends one before its date; its row stays. The error may be [ErrNotFound].
func (s decisions) EndDecision(ctx context.Context, id int64, by string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		return one(tx.Exec("UPDATE decision SET ended_at=?, ended_by=? WHERE id=? AND ended_at=0 AND until>?",
			millis(now), by, id, millis(now)))
	})
}
