package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
)

// Technicians are those who visit machines, by name.
func (s handwork) Technicians(ctx context.Context) ([]visit.Technician, error) {
	var rows []struct {
		Name    string `db:"name"`
		Minutes int    `db:"minutes"`
		LeftOn  string `db:"left_on"`
	}
	err := s.reader.SelectContext(ctx, &rows, "SELECT name, minutes, left_on FROM technician ORDER BY name")
	out := make([]visit.Technician, len(rows))
	for i, r := range rows {
		out[i] = visit.Technician{Name: r.Name, Minutes: r.Minutes, LeftOn: wave.Day(r.LeftOn)}
	}
	return out, err
}

// SetTechnician adds or changes one.
func (s handwork) SetTechnician(ctx context.Context, t *visit.Technician, by string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec(
			"INSERT OR REPLACE INTO technician (name, minutes, left_on, by_whom, at) VALUES (?, ?, ?, ?, ?)",
			t.Name,
			t.Minutes,
			t.LeftOn,
			by,
			millis(now),
		)
		return err
	})
}

// RemoveTechnician removes one. The error may be [ErrNotFound].
func (s handwork) RemoveTechnician(ctx context.Context, name string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		return one(tx.Exec("DELETE FROM technician WHERE name=? COLLATE NOCASE", name))
	})
}

// VisitedOn are the numbers of the machines that have a visit on a day.
func (s handwork) VisitedOn(ctx context.Context, day string) ([]int64, error) {
	var ids []int64
	err := s.reader.SelectContext(ctx, &ids, "SELECT machine_id FROM assignment WHERE day=? AND day<>''", day)
	return ids, err
}

// MachineNote is what somebody wrote about a machine.
type MachineNote struct {
	ID        int64  `db:"id"`
	MachineID int64  `db:"machine_id"`
	Text      string `db:"text"`
	By        string `db:"by_whom"`
	Millis    int64  `db:"at"`
}

// At is when it was written.
func (n *MachineNote) At() time.Time { return fromMillis(n.Millis) }

// Notes are the notes on a machine, the latest first.
func (s handwork) Notes(ctx context.Context, machine int64) ([]MachineNote, error) {
	var out []MachineNote
	err := s.reader.SelectContext(
		ctx,
		&out,
		"SELECT id, machine_id, text, by_whom, at FROM note WHERE machine_id=? AND "+
			"ended_at=0 ORDER BY id DESC",
		machine,
	)
	return out, err
}

// AddNote keeps a note, and gives its number.
func (s handwork) AddNote(ctx context.Context, n *MachineNote) (id int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.NamedExec(
			"INSERT INTO note (machine_id, text, by_whom, at) VALUES (:machine_id, :text, :by_whom, "+
				":at)",
			n,
		)
		if err != nil {
			return err
		}
		id, err = res.LastInsertId()
		return err
	})
	return id, err
}

// EndNote removes a note of a machine; its row stays. The error may be [ErrNotFound].
func (s handwork) EndNote(ctx context.Context, machine, id int64, by string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		return one(
			tx.Exec("UPDATE note SET ended_at=?, ended_by=? WHERE id=? AND machine_id=? AND ended_at=0", millis(now),
				by, id, machine),
		)
	})
}
