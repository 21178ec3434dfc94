package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
	"golang.org/x/sync/errgroup"
)

// Verdict is what is kept of a check: no evidence and no sentences; those are
// worked out again when somebody looks.
type Verdict struct {
	JudgementID int64  `db:"judgement_id"`
	MachineID   int64  `db:"machine_id"`
	InventoryID int64  `db:"inventory_id"`
	Disposition int    `db:"disposition"`
	Certain     bool   `db:"certain"`
	Publisher   int    `db:"publisher"`
	Fails       int    `db:"fails"`
	Sole        string `db:"sole"`
	Outcomes    string `db:"outcomes"`
	Way         string `db:"way"`
	Plan        string `db:"plan"`
	Next        int    `db:"next"` // disposition against the release that follows; -1 where none does

	NextOutcomes string `db:"next_outcomes"` // a letter for each requirement of the release that follows
}

func (v *Verdict) args() []any {
	return []any{
		v.JudgementID, v.MachineID, v.InventoryID, v.Disposition, v.Certain, v.Publisher, v.Fails, v.Sole, v.Outcomes,
		v.Way, v.Next, v.NextOutcomes, v.Plan,
	}
}

// Judgement finds or makes the judgement of a release's revision by a version
// of the program. done says whether every machine was judged.
func (s judgements) Judgement(
	ctx context.Context, release string, revision int, engine string, now time.Time,
) (id int64, done bool, err error) {
	var row struct {
		ID   int64 `db:"id"`
		Done bool  `db:"done"`
	}
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("INSERT INTO judgement (release_id, revision, engine, at, done) VALUES (?, ?, ?, ?, 0) "+
			"ON CONFLICT DO NOTHING", release, revision, engine, millis(now)); err != nil {
			return err
		}
		return tx.Get(&row, "SELECT id, done FROM judgement WHERE release_id=? AND revision=? AND engine=?", release,
			revision, engine)
	})
	return row.ID, row.Done, err
}

// JudgeAnew forgets the verdicts of a judgement, to make them again.
func (s judgements) JudgeAnew(ctx context.Context, judgement int64) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("DELETE FROM verdict WHERE judgement_id=?", judgement)
		return err
	})
}

// A plan is kept once, however many machines have it.
const (
	insertPlan    = "INSERT INTO plan (steps) VALUES (?) ON CONFLICT DO NOTHING"
	verdictValues = "(?,?,?,?,?,?,?,?,?,?,?,?,(SELECT id FROM plan WHERE steps=?))"
)

const insertVerdict = "INSERT INTO verdict (judgement_id, machine_id, inventory_id, disposition, certain, publisher, " +
	"fails, sole, outcomes, way, next, next_outcomes, plan_id) VALUES "

// putVerdicts writes several verdicts with one statement. A verdict that is
// there came with an inventory that was handed in meanwhile, and is newer.
func putVerdicts(n int) string {
	return insertVerdict + strings.TrimSuffix(strings.Repeat(verdictValues+",", n), ",") + " ON CONFLICT DO NOTHING"
}

// Causes of a change of a machine's disposition.
const (
	ByInventory = "inventory"
	ByFacts     = "facts"    // entered by hand
	ByProof     = "proof"    // of its TPM
	ByRules     = "rules"    // of a release, or of the organisation's own documents
	ByHandOff   = "hand-off" // no change: it was given to the deployment system
)

// Put keeps a machine's verdict within a write, and that its disposition changed, if
// it did.
func (t *Tx) Put(v *Verdict, cause string, now time.Time) (flipped bool, err error) {
	was := v.Disposition
	if v.MachineID == t.fresh {
		// There is none before it.
	} else if err := t.get(&was, "SELECT disposition FROM verdict WHERE judgement_id=? AND machine_id=?", v.JudgementID,
		v.MachineID); err != nil && !errors.Is(err, sql.ErrNoRows) {
		return false, err
	}
	if was != v.Disposition {
		if _, err := t.exec("INSERT INTO flip (machine_id, release_id, was, becomes, cause, at) SELECT ?, release_id, "+
			"?, ?, ?, ? FROM judgement WHERE id=?", v.MachineID, was, v.Disposition, cause, millis(now),
			v.JudgementID); err != nil {
			return false, err
		}
	}
	plan, err := t.planOf(v.Plan)
	if err != nil {
		return false, err
	}
	args := v.args()
	args[len(args)-1] = plan
	_, err = t.exec(insertVerdict+
		`(?,?,?,?,?,?,?,?,?,?,?,?,?) ON CONFLICT DO UPDATE SET
		inventory_id=excluded.inventory_id, disposition=excluded.disposition, certain=excluded.certain,
		publisher=excluded.publisher, fails=excluded.fails, sole=excluded.sole, outcomes=excluded.outcomes,
		way=excluded.way, next=excluded.next, next_outcomes=excluded.next_outcomes, plan_id=excluded.plan_id`, args...)
	return was != v.Disposition, err
}

// planOf is the number of a plan, which is kept where it is not yet.
func (t *Tx) planOf(text string) (id int64, err error) {
	if t.plans != nil {
		if id, ok := t.plans.Load(text); ok {
			return id.(int64), nil
		}
		if id, ok := t.made[text]; ok {
			return id, nil
		}
	}
	if _, err := t.exec(insertPlan, text); err != nil {
		return 0, err
	}
	if err := t.get(&id, "SELECT id FROM plan WHERE steps=?", text); err != nil {
		return 0, err
	}
	if t.made != nil {
		t.made[text] = id
	}
	return id, nil
}

// PutRow keeps the packed facts of a machine within a write.
func (t *Tx) PutRow(machine int64, class string, catalogue int, row []byte) error {
	_, err := t.exec(`INSERT INTO fact_row (machine_id, catalogue, class, row) VALUES (?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET catalogue=excluded.catalogue, class=excluded.class, row=excluded.row`, machine, catalogue, class, row)
	return err
}

// Drain returns once every write that was under way has ended.
func (s judgements) Drain(ctx context.Context) error {
	return s.write(ctx, func(*sqlx.Tx) error { return nil })
}

// Sizes of what is read and written at once when a fleet is judged: memory does
// not grow with the fleet.
const (
	readBatch  = 2000
	writeBatch = 5000 // rows in a transaction
	insertRows = 100  // rows in a statement
)

// Packed is the facts of a machine as they are kept.
type Packed struct {
	MachineID   int64  `db:"machine_id"`
	InventoryID int64  `db:"inventory_id"`
	Row         []byte `db:"row"`
	Class       string `db:"class"` // from [Store.PackedOf]
}

// Packable is how many machines of a class have packed facts.
func (s judgements) Packable(ctx context.Context, class string) (n int, err error) {
	return n, s.reader.GetContext(ctx, &n, "SELECT count(*) FROM fact_row WHERE class=?", class)
}

// Judge decides on a machine from its packed facts; nil keeps nothing.
type Judge func(*Packed) (*Verdict, error)

// JudgeAll judges the packed facts of every machine of a class and keeps the
// verdicts, where the judgement has none on the machine yet. judge makes one
// Judge for each worker; told is called with how many more are kept. Reading, judging
// and writing go on at the same time.
func (s judgements) JudgeAll(
	ctx context.Context, judgement int64, class string, catalogue int, judge func() Judge, told func(int),
) error {
	g, work := errgroup.WithContext(ctx)
	read := make(chan []Packed, 2)
	g.Go(func() error {
		defer close(read)
		return s.EachPacked(work, class, catalogue, Between{UpTo: math.MaxInt64},
			func(batch []Packed) error { return send(work, read, batch) })
	})
	judged := make(chan []Verdict, 2)
	workers, at := errgroup.WithContext(work)
	for range runtime.GOMAXPROCS(0) {
		decide := judge()
		workers.Go(func() error {
			for batch := range read {
				verdicts := make([]Verdict, 0, len(batch))
				for i := range batch {
					v, err := decide(&batch[i])
					if err != nil {
						return fmt.Errorf("machine %d: %w", batch[i].MachineID, err)
					}
					if v != nil {
						verdicts = append(verdicts, *v)
					}
				}
				if err := send(at, judged, verdicts); err != nil {
					return err
				}
			}
			return nil
		})
	}
	g.Go(func() error {
		defer close(judged)
		return workers.Wait()
	})
	g.Go(func() error {
		var pending []Verdict
		for batch := range judged {
			if pending = append(pending, batch...); len(pending) >= writeBatch {
				if err := s.putAll(work, pending); err != nil {
					return err
				}
				told(len(pending))
				pending = pending[:0]
			}
		}
		err := s.putAll(work, pending)
		told(len(pending))
		return err
	})
	if err := g.Wait(); err != nil {
		return err
	}
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("UPDATE judgement SET done=1 WHERE id=?", judgement)
		return err
	})
}

func send[T any](ctx context.Context, to chan<- T, v T) error {
	select {
	case to <- v:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (s judgements) putAll(ctx context.Context, batch []Verdict) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		plans := map[string]bool{}
		for i := range batch {
			if plans[batch[i].Plan] {
				continue
			}
			plans[batch[i].Plan] = true
			if _, err := tx.Exec(insertPlan, batch[i].Plan); err != nil {
				return err
			}
		}
		whole, err := tx.Prepare(putVerdicts(insertRows))
		if err != nil {
			return err
		}
		defer whole.Close()
		args := make([]any, 0, insertRows*13)
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

// EachPacked goes through the packed facts of a class in pieces, so that no
// reader holds the database open for long.
func (s judgements) EachPacked(
	ctx context.Context, class string, catalogue int, part Between, f func([]Packed) error,
) error {
	for last := part.Above; ; {
		rows, err := s.reader.QueryContext(ctx,
			`SELECT f.machine_id, d.inventory_id, f.row FROM fact_row f JOIN machine d ON d.id = f.machine_id
			WHERE f.machine_id > ? AND f.machine_id <= ? AND f.class = ? AND f.catalogue = ? ORDER BY f.machine_id LIMIT ?`, last, part.UpTo, class, catalogue, readBatch)
		if err != nil {
			return err
		}
		batch := make([]Packed, 0, readBatch)
		for rows.Next() {
			var p Packed
			if err = rows.Scan(&p.MachineID, &p.InventoryID, &p.Row); err != nil {
				break
			}
			batch = append(batch, p)
		}
		if err := errors.Join(err, rows.Err(), rows.Close()); err != nil {
			return err
		}
		if len(batch) == 0 {
			return nil
		}
		last = batch[len(batch)-1].MachineID
		if err := f(batch); err != nil || len(batch) < readBatch {
			return err
		}
	}
}

// PackedOf goes through the packed facts of some machines in pieces. f may keep them.
func (s judgements) PackedOf(ctx context.Context, catalogue int, ids []int64, f func([]Packed) error) error {
	for some := range slices.Chunk(ids, readBatch) {
		query, args, err := sqlx.In("SELECT machine_id, class, row FROM fact_row WHERE catalogue=? AND machine_id "+
			"IN (?)",
			catalogue, some)
		if err != nil {
			return err
		}
		rows, err := s.reader.QueryContext(ctx, query, args...)
		if err != nil {
			return err
		}
		batch := make([]Packed, 0, len(some))
		for rows.Next() {
			var p Packed
			if err = rows.Scan(&p.MachineID, &p.Class, &p.Row); err != nil {
				break
			}
			batch = append(batch, p)
		}
		if err := errors.Join(err, rows.Err(), rows.Close()); err != nil {
			return err
		}
		if err := f(batch); err != nil {
			return err
		}
	}
	return nil
}

// Plans are the texts of all plans by their numbers. One is never changed.
func (s judgements) Plans(ctx context.Context) (map[int64]string, error) {
	var rows []struct {
		ID    int64  `db:"id"`
		Steps string `db:"steps"`
	}
	err := s.reader.SelectContext(ctx, &rows, "SELECT id, steps FROM plan")
	out := make(map[int64]string, len(rows))
	for _, r := range rows {
		out[r.ID] = r.Steps
	}
	return out, err
}

// Unpacked lists machines whose packed facts are missing or of another version.
func (s judgements) Unpacked(ctx context.Context, catalogue int) ([]Machine, error) {
	var out []Machine
	err := s.reader.SelectContext(ctx, &out,
		`SELECT machine.* FROM machine LEFT JOIN fact_row f ON f.machine_id = machine.id
		WHERE machine.inventory_id <> 0 AND (f.catalogue IS NULL OR f.catalogue <> ?) ORDER BY machine.id`, catalogue)
	return out, err
}

// Row is a machine with its verdict, if it has one, and its packed facts.
type Row struct {
	Machine
	Judged    bool
	Verdict   Verdict
	Packed    []byte // nil where they are missing or of another version
	Tags      []string
	PlanID    int64 // see [Store.Plans]
	Duplicate bool  // somebody should settle which machine it is
}

const selectRows = `SELECT d.id, d.key, d.name, d.class, d.maker, d.model, d.installed, d.inventory_id, d.taken_at, d.site, d.retired_at,
	v.machine_id IS NOT NULL, coalesce(v.disposition, 0), coalesce(v.certain, 0), coalesce(v.publisher, 0),
	coalesce(v.fails, 0), coalesce(v.sole, ''), coalesce(v.outcomes, ''), coalesce(v.way, ''), coalesce(v.next, -1),
	coalesce(v.next_outcomes, ''), coalesce(v.plan_id, 0), f.row
	FROM machine d LEFT JOIN verdict v ON v.machine_id = d.id AND v.judgement_id = CASE d.class WHEN 'pc' THEN ? WHEN 'mac' THEN ? END
	LEFT JOIN fact_row f ON f.machine_id = d.id AND f.catalogue = ? `

// EachRow goes through machines with some numbers, in pieces, each with its verdict of
// the judgement that counts for its class. f may keep the rows.
func (s judgements) EachRow(
	ctx context.Context, judgements map[string]int64, catalogue int, ids []int64, f func([]Row) error,
) error {
	base := []any{judgements["pc"], judgements["mac"], catalogue}
	for some := range slices.Chunk(ids, 500) {
		where, args, err := sqlx.In("WHERE d.id IN (?)", some)
		if err != nil {
			return err
		}
		if _, err := s.piece(ctx, where, append(slices.Clone(base), args...), f); err != nil {
			return err
		}
	}
	return nil
}

// Between are numbers of machines: those above the first, up to the second.
type Between struct{ Above, UpTo int64 }

// Parts parts the numbers of all machines into about as many pieces.
func (s judgements) Parts(ctx context.Context, n int) ([]Between, error) {
	var last int64
	if err := s.reader.GetContext(ctx, &last, "SELECT coalesce(max(id), 0) FROM machine"); err != nil {
		return nil, err
	}
	each := last/int64(n) + 1
	var out []Between
	for from := int64(0); from < last; from += each {
		out = append(out, Between{from, min(from+each, last)})
	}
	return out, nil
}

// EachRowIn goes through all machines of a part as [Store.EachRow] does. No reader
// holds the database open for long.
func (s judgements) EachRowIn(
	ctx context.Context, judgements map[string]int64, catalogue int, part Between, f func([]Row) error,
) error {
	for last := part.Above; ; {
		rows, err := s.piece(ctx, "WHERE d.id > ? AND d.id <= ? ORDER BY d.id LIMIT ?",
			[]any{judgements["pc"], judgements["mac"], catalogue, last, part.UpTo, readBatch}, f)
		if err != nil || len(rows) < readBatch {
			return err
		}
		last = rows[len(rows)-1].ID
	}
}

func (s judgements) piece(ctx context.Context, where string, args []any, f func([]Row) error) ([]Row, error) {
	found, err := s.reader.QueryContext(ctx, selectRows+where, args...)
	if err != nil {
		return nil, err
	}
	rows := make([]Row, 0, min(readBatch, 1000))
	for found.Next() {
		var r Row
		d, v := &r.Machine, &r.Verdict
		if err = found.Scan(&d.ID, &d.Key, &d.Name, &d.Class, &d.Maker, &d.Model, &d.Installed, &d.InventoryID,
			&d.TakenAt, &d.Site, &d.RetiredAt,
			&r.Judged, &v.Disposition, &v.Certain, &v.Publisher, &v.Fails, &v.Sole, &v.Outcomes, &v.Way, &v.Next,
			&v.NextOutcomes, &r.PlanID, &r.Packed); err != nil {
			break
		}
		rows = append(rows, r)
	}
	if err := errors.Join(err, found.Err(), found.Close()); err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, nil
	}
	if err := s.AddMarks(ctx, rows); err != nil {
		return nil, err
	}
	return rows, f(rows)
}
