package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/inventory"
)

// Tx is a write in progress, for callers that add to it.
type Tx struct{ tx *sqlx.Tx }

// Verdict is what is kept of a check: no evidence and no sentences but the
// answer that lists show; the rest is worked out again when somebody looks.
type Verdict struct {
	JudgementID int64  `db:"judgement_id"`
	DeviceID    int64  `db:"device_id"`
	InventoryID int64  `db:"inventory_id"`
	Disposition int    `db:"disposition"`
	Certain     bool   `db:"certain"`
	Publisher   int    `db:"publisher"`
	Answer      string `db:"answer"`
	Fails       int    `db:"fails"`
	Sole        string `db:"sole"`
	Outcomes    string `db:"outcomes"`
}

// Judgement finds or makes the judgement of a release's revision by a version
// of the program.
func (s *Store) Judgement(ctx context.Context, release string, revision int, engine string, now time.Time) (id int64, created bool, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.Exec("INSERT INTO judgement (release_id, revision, engine, at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING", release, revision, engine, millis(now))
		if err != nil {
			return err
		}
		n, err := res.RowsAffected()
		created = n > 0
		if err != nil {
			return err
		}
		return tx.Get(&id, "SELECT id FROM judgement WHERE release_id=? AND revision=? AND engine=?", release, revision, engine)
	})
	return id, created, err
}

const putVerdict = `INSERT INTO verdict (judgement_id, device_id, inventory_id, disposition, certain, publisher, answer, fails, sole, outcomes)
	VALUES (:judgement_id, :device_id, :inventory_id, :disposition, :certain, :publisher, :answer, :fails, :sole, :outcomes)
	ON CONFLICT DO UPDATE SET inventory_id=excluded.inventory_id, disposition=excluded.disposition, certain=excluded.certain,
	publisher=excluded.publisher, answer=excluded.answer, fails=excluded.fails, sole=excluded.sole, outcomes=excluded.outcomes`

// Put keeps a machine's verdict within a write.
func (t *Tx) Put(v *Verdict) error {
	_, err := t.tx.NamedExec(putVerdict, v)
	return err
}

// Settle returns once every write that was under way has ended.
func (s *Store) Settle(ctx context.Context) error {
	return s.write(ctx, func(*sqlx.Tx) error { return nil })
}

// judgeBatch is how many machines are judged in one transaction.
const judgeBatch = 500

// JudgeAll calls judge with the latest inventory of every machine of a class
// and keeps what it returns, batch by batch; nil keeps nothing. Memory does not
// grow with the fleet.
func (s *Store) JudgeAll(ctx context.Context, class string, judge func(*Device, *inventory.Document) (*Verdict, error)) error {
	for last := int64(0); ; {
		var batch []struct {
			Device
			Body       []byte `db:"body"`
			LastSeenAt int64  `db:"last_seen_at"`
		}
		err := s.reader.SelectContext(ctx, &batch, `SELECT device.*, inventory.body, inventory.last_seen_at FROM device JOIN inventory ON inventory.id = device.inventory_id
			WHERE device.class=? AND device.id>? ORDER BY device.id LIMIT ?`, class, last, judgeBatch)
		if err != nil || len(batch) == 0 {
			return err
		}
		last = batch[len(batch)-1].ID
		err = s.write(ctx, func(tx *sqlx.Tx) error {
			for i := range batch {
				d, err := s.decode(batch[i].Body, batch[i].LastSeenAt)
				if err != nil {
					return err
				}
				v, err := judge(&batch[i].Device, d)
				if err != nil {
					return err
				}
				if v == nil {
					continue
				}
				if err := (&Tx{tx}).Put(v); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
}

// Row is a machine with its verdict, if it has one.
type Row struct {
	Device
	JudgementID *int64  `db:"judgement_id"`
	Disposition *int    `db:"disposition"`
	Certain     *bool   `db:"certain"`
	Publisher   *int    `db:"publisher"`
	Answer      *string `db:"answer"`
	Fails       *int    `db:"fails"`
	Sole        *string `db:"sole"`
	Outcomes    *string `db:"outcomes"`
}

// Rows lists every machine with its verdict of the judgement that counts for
// its class.
func (s *Store) Rows(ctx context.Context, judgements map[string]int64) ([]Row, error) {
	var out []Row
	err := s.reader.SelectContext(ctx, &out, `SELECT device.*, v.judgement_id, v.disposition, v.certain, v.publisher, v.answer, v.fails, v.sole, v.outcomes
		FROM device LEFT JOIN verdict v ON v.device_id = device.id
		AND v.judgement_id = CASE device.class WHEN 'pc' THEN ? WHEN 'mac' THEN ? END ORDER BY device.name`, judgements["pc"], judgements["mac"])
	return out, err
}
