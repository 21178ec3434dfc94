package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
)

// Tx is a write in progress, for callers that add to it.
type Tx struct{ tx *sqlx.Tx }

// Verdict is what is kept of a check: no evidence and no sentences; those are
// worked out again when somebody looks.
type Verdict struct {
	JudgementID int64  `db:"judgement_id"`
	DeviceID    int64  `db:"device_id"`
	InventoryID int64  `db:"inventory_id"`
	Disposition int    `db:"disposition"`
	Certain     bool   `db:"certain"`
	Publisher   int    `db:"publisher"`
	Fails       int    `db:"fails"`
	Sole        string `db:"sole"`
	Outcomes    string `db:"outcomes"`
}

func (v *Verdict) args() []any {
	return []any{v.JudgementID, v.DeviceID, v.InventoryID, v.Disposition, v.Certain, v.Publisher, v.Fails, v.Sole, v.Outcomes}
}

// Judgement finds or makes the judgement of a release's revision by a version
// of the program. done says whether every machine was judged.
func (s *Store) Judgement(ctx context.Context, release string, revision int, engine string, now time.Time) (id int64, done bool, err error) {
	var row struct {
		ID   int64 `db:"id"`
		Done bool  `db:"done"`
	}
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("INSERT INTO judgement (release_id, revision, engine, at, done) VALUES (?, ?, ?, ?, 0) ON CONFLICT DO NOTHING", release, revision, engine, millis(now)); err != nil {
			return err
		}
		return tx.Get(&row, "SELECT id, done FROM judgement WHERE release_id=? AND revision=? AND engine=?", release, revision, engine)
	})
	return row.ID, row.Done, err
}

// JudgeAnew forgets the verdicts of a judgement, to make them again.
func (s *Store) JudgeAnew(ctx context.Context, judgement int64) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("DELETE FROM verdict WHERE judgement_id=?", judgement)
		return err
	})
}

const insertVerdict = "INSERT INTO verdict (judgement_id, device_id, inventory_id, disposition, certain, publisher, fails, sole, outcomes) VALUES "

// putVerdicts writes several verdicts with one statement. A verdict that is
// there came with an inventory that was handed in meanwhile, and is newer.
func putVerdicts(n int) string {
	return insertVerdict + strings.TrimSuffix(strings.Repeat("(?,?,?,?,?,?,?,?,?),", n), ",") + " ON CONFLICT DO NOTHING"
}

// Put keeps a machine's verdict within a write.
func (t *Tx) Put(v *Verdict) error {
	_, err := t.tx.Exec(insertVerdict+`(?,?,?,?,?,?,?,?,?) ON CONFLICT DO UPDATE SET inventory_id=excluded.inventory_id, disposition=excluded.disposition,
		certain=excluded.certain, publisher=excluded.publisher, fails=excluded.fails, sole=excluded.sole, outcomes=excluded.outcomes`, v.args()...)
	return err
}

// PutRow keeps the packed facts of a machine within a write.
func (t *Tx) PutRow(device int64, class string, catalogue int, row []byte) error {
	_, err := t.tx.Exec(`INSERT INTO fact_row (device_id, catalogue, class, row) VALUES (?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET catalogue=excluded.catalogue, class=excluded.class, row=excluded.row`, device, catalogue, class, row)
	return err
}

// Settle returns once every write that was under way has ended.
func (s *Store) Settle(ctx context.Context) error {
	return s.write(ctx, func(*sqlx.Tx) error { return nil })
}

// Sizes of what is read and written at once when a fleet is judged: memory does
// not grow with the fleet.
const (
	readBatch  = 1000
	writeBatch = 5000 // rows in a transaction
	insertRows = 100  // rows in a statement
)

// Packed is the facts of a machine as they are kept.
type Packed struct {
	DeviceID    int64  `db:"device_id"`
	InventoryID int64  `db:"inventory_id"`
	Row         []byte `db:"row"`
}

// JudgeAll calls judge with the packed facts of every machine of a class and
// keeps what it returns, where the judgement has no verdict on the machine yet.
// Reading, judging and writing go on at the same time. A row is only to be
// looked at until judge returns.
func (s *Store) JudgeAll(ctx context.Context, judgement int64, class string, catalogue int, judge func(*Packed) (*Verdict, error)) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	verdicts := make(chan []Verdict, 4)
	failed := make(chan error, 1)
	go func() {
		defer close(verdicts)
		batch := make([]Verdict, 0, writeBatch)
		err := s.eachPacked(ctx, class, catalogue, func(p *Packed) error {
			v, err := judge(p)
			if err != nil || v == nil {
				return err
			}
			if batch = append(batch, *v); len(batch) == cap(batch) {
				select {
				case verdicts <- batch:
				case <-ctx.Done():
					return ctx.Err()
				}
				batch = make([]Verdict, 0, writeBatch)
			}
			return nil
		})
		if err == nil && len(batch) > 0 {
			select {
			case verdicts <- batch:
			case <-ctx.Done():
				err = ctx.Err()
			}
		}
		failed <- err
	}()
	for batch := range verdicts {
		if err := s.putAll(ctx, batch); err != nil {
			cancel()
			for range verdicts { // let it see that it is over
			}
			return err
		}
	}
	if err := <-failed; err != nil {
		return err
	}
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("UPDATE judgement SET done=1 WHERE id=?", judgement)
		return err
	})
}

func (s *Store) putAll(ctx context.Context, batch []Verdict) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		whole, err := tx.Prepare(putVerdicts(insertRows))
		if err != nil {
			return err
		}
		defer whole.Close()
		args := make([]any, 0, insertRows*9)
		for len(batch) > 0 {
			n := min(insertRows, len(batch))
			args = args[:0]
			for i := range n {
				args = append(args, batch[i].args()...)
			}
			if n == insertRows {
				_, err = whole.Exec(args...)
			} else {
				_, err = tx.Exec(putVerdicts(n), args...)
			}
			if err != nil {
				return err
			}
			batch = batch[n:]
		}
		return nil
	})
}

// eachPacked goes through the packed facts of a class in pieces, so that no
// reader holds the database open for long.
func (s *Store) eachPacked(ctx context.Context, class string, catalogue int, f func(*Packed) error) error {
	for last := int64(0); ; {
		n := 0
		rows, err := s.reader.QueryContext(ctx, `SELECT f.device_id, d.inventory_id, f.row FROM fact_row f JOIN device d ON d.id = f.device_id
			WHERE f.device_id > ? AND f.class = ? AND f.catalogue = ? ORDER BY f.device_id LIMIT ?`, last, class, catalogue, readBatch)
		if err != nil {
			return err
		}
		var p Packed
		for rows.Next() {
			var raw []byte
			if err = rows.Scan(&p.DeviceID, &p.InventoryID, &raw); err != nil {
				break
			}
			p.Row = raw
			if err = f(&p); err != nil {
				err = fmt.Errorf("machine %d: %w", p.DeviceID, err)
				break
			}
			last, n = p.DeviceID, n+1
		}
		if closed := rows.Close(); err == nil {
			err = closed
		}
		if err == nil {
			err = rows.Err()
		}
		if err != nil || n < readBatch {
			return err
		}
	}
}

// Unpacked lists machines whose packed facts are missing or of another version.
func (s *Store) Unpacked(ctx context.Context, catalogue int) ([]Device, error) {
	var out []Device
	err := s.reader.SelectContext(ctx, &out, `SELECT device.* FROM device LEFT JOIN fact_row f ON f.device_id = device.id
		WHERE device.inventory_id <> 0 AND (f.catalogue IS NULL OR f.catalogue <> ?) ORDER BY device.id`, catalogue)
	return out, err
}

// Row is a machine with its verdict, if it has one.
type Row struct {
	Device
	JudgementID *int64  `db:"judgement_id"`
	Disposition *int    `db:"disposition"`
	Certain     *bool   `db:"certain"`
	Publisher   *int    `db:"publisher"`
	Fails       *int    `db:"fails"`
	Sole        *string `db:"sole"`
	Outcomes    *string `db:"outcomes"`
}

// Rows lists every machine with its verdict of the judgement that counts for
// its class.
func (s *Store) Rows(ctx context.Context, judgements map[string]int64) ([]Row, error) {
	var out []Row
	err := s.reader.SelectContext(ctx, &out, `SELECT device.*, v.judgement_id, v.disposition, v.certain, v.publisher, v.fails, v.sole, v.outcomes
		FROM device LEFT JOIN verdict v ON v.device_id = device.id
		AND v.judgement_id = CASE device.class WHEN 'pc' THEN ? WHEN 'mac' THEN ? END ORDER BY device.name`, judgements["pc"], judgements["mac"])
	return out, err
}
