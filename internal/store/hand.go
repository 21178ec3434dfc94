package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/byhand"
	"rolltop.example/rolltop/core/inventory"
)

type handRow struct {
	Fact  string `db:"fact"`
	Value string `db:"value"`
	By    string `db:"by_whom"`
	At    int64  `db:"at"`
	Note  string `db:"note"`
}

const selectHand = "SELECT fact, value, by_whom, at, note FROM hand_fact WHERE device_id=? AND ended_at=0 ORDER BY id"

func handFacts(rows []handRow) []byhand.Fact {
	out := make([]byhand.Fact, len(rows))
	for i, r := range rows {
		out[i] = byhand.Fact{Fact: r.Fact, Value: r.Value, By: r.By, At: fromMillis(r.At), Note: r.Note}
	}
	return out
}

// HandFacts are the facts of a machine that were entered by hand and count.
func (s *Store) HandFacts(ctx context.Context, device int64) ([]byhand.Fact, error) {
	var rows []handRow
	err := s.reader.SelectContext(ctx, &rows, selectHand, device)
	return handFacts(rows), err
}

// HandFacts are the facts of a machine that were entered by hand, within a
// write.
func (t *Tx) HandFacts(device int64) ([]byhand.Fact, error) {
	var rows []handRow
	err := t.tx.Select(&rows, selectHand, device)
	return handFacts(rows), err
}

// Change is a write about one machine that exists: f gets it with its latest
// inventory.
func (s *Store) Change(ctx context.Context, key string, f func(*Tx, *Device, *inventory.Document) error) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		d := new(Device)
		if err := tx.Get(d, "SELECT * FROM device WHERE key=?", key); err != nil {
			return none(err)
		}
		var row struct {
			Body       []byte `db:"body"`
			LastSeenAt int64  `db:"last_seen_at"`
		}
		if err := tx.Get(&row, "SELECT body, last_seen_at FROM inventory WHERE id=?", d.InventoryID); err != nil {
			return none(err)
		}
		inv, err := s.decode(row.Body, row.LastSeenAt)
		if err != nil {
			return err
		}
		return f(&Tx{tx}, d, inv)
	})
}

// EnterFact keeps a fact; one of the same name before it ends.
func (t *Tx) EnterFact(device int64, f *byhand.Fact) error {
	if _, err := t.EndFact(device, f.Fact, f.By, f.At); err != nil {
		return err
	}
	_, err := t.tx.Exec("INSERT INTO hand_fact (device_id, fact, value, by_whom, at, note) VALUES (?, ?, ?, ?, ?, ?)", device, f.Fact, f.Value, f.By, millis(f.At), f.Note)
	return err
}

// EndFact takes a fact back; its row stays. It reports whether there was one.
func (t *Tx) EndFact(device int64, fact, by string, now time.Time) (bool, error) {
	res, err := t.tx.Exec("UPDATE hand_fact SET ended_at=?, ended_by=? WHERE device_id=? AND fact=? AND ended_at=0", millis(now), by, device, fact)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}
