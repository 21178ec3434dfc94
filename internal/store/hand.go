package store

import (
	"context"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
)

type handRow struct {
	Fact  string `db:"fact"`
	Value string `db:"value"`
	By    string `db:"by_whom"`
	At    int64  `db:"at"`
	Note  string `db:"note"`
	Until int64  `db:"until"`
	Model string `db:"model"`
}

const selectHand = "SELECT fact, value, by_whom, at, note, until, '' AS model FROM hand_fact WHERE machine_id=? AND " +
	"ended_at=0 ORDER BY id"

func handFacts(rows []handRow) []manual.Fact {
	out := make([]manual.Fact, len(rows))
	for i, r := range rows {
		out[i] = manual.Fact{Fact: r.Fact, Value: r.Value, By: r.By, At: fromMillis(r.At), Note: r.Note, Model: r.Model}
		if r.Until > 0 {
			out[i].Until = fromMillis(r.Until)
		}
	}
	return out
}

// HandFacts are the facts of a machine that were entered by hand and count.
func (s machines) HandFacts(ctx context.Context, machine int64) ([]manual.Fact, error) {
	var rows []handRow
	err := s.reader.SelectContext(ctx, &rows, selectHand, machine)
	return handFacts(rows), err
}

// HandFacts are the facts of a machine that were entered by hand, within a
// write.
func (t *Tx) HandFacts(machine int64) ([]manual.Fact, error) {
	if machine == t.fresh {
		return nil, nil
	}
	var rows []handRow
	err := t.list(&rows, selectHand, machine)
	return handFacts(rows), err
}

// Change is a write about one machine that exists: f gets it with its latest
// inventory.
func (s machines) Change(ctx context.Context, key string, f func(*Tx, *Machine, *inventory.Document) error) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		d := new(Machine)
		if err := tx.Get(d, "SELECT * FROM machine WHERE key=?", key); err != nil {
			return none(err)
		}
		t := &Tx{tx: tx}
		inv, err := s.inventoryOf(t, d.InventoryID)
		if err != nil {
			return err
		}
		return f(t, d, inv)
	})
}

// SetFact keeps a fact; one of the same name before it ends.
func (t *Tx) SetFact(machine int64, f *manual.Fact) error {
	if _, err := t.EndFact(machine, f.Fact, f.By, f.At); err != nil {
		return err
	}
	_, err := t.exec("INSERT INTO hand_fact (machine_id, fact, value, by_whom, at, note, until) VALUES (?, ?, ?, ?, "+
		"?, ?, ?)", machine, f.Fact, f.Value, f.By, millis(f.At), f.Note, orZero(f.Until))
	return err
}

// EndFact takes a fact back; its row stays. It reports whether there was one.
func (t *Tx) EndFact(machine int64, fact, by string, now time.Time) (bool, error) {
	res, err := t.exec("UPDATE hand_fact SET ended_at=?, ended_by=? WHERE machine_id=? AND fact=? AND ended_at=0",
		millis(now), by, machine, fact)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}

// orZero is a time as it is stored; 0 is none.
func orZero(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return millis(t)
}

// PastUntil lists machines of which a fact that was entered has come to its end.
func (s machines) PastUntil(ctx context.Context, now time.Time) (keys []string, err error) {
	err = s.reader.SelectContext(ctx, &keys,
		"SELECT DISTINCT d.key FROM hand_fact h JOIN machine d ON d.id=h.machine_id WHERE h.ended_at=0 AND h.until>0 "+
			"AND h.until<=?", millis(now))
	return keys, err
}

// EndPast ends the facts of a machine whose date has come.
func (t *Tx) EndPast(machine int64, now time.Time) error {
	_, err := t.exec("UPDATE hand_fact SET ended_at=?, ended_by='its date' WHERE machine_id=? AND ended_at=0 AND "+
		"until>0 AND until<=?", millis(now), machine, millis(now))
	return err
}

const selectModelFacts = "SELECT fact, value, by_whom, at, note, 0 AS until, trim(maker||' '||model) AS model FROM " +
	"model_fact WHERE ended_at=0 AND maker=? AND model=? ORDER BY id"

// ModelFacts are the facts of every machine of a model.
func (s machines) ModelFacts(ctx context.Context, maker, model string) ([]manual.Fact, error) {
	var rows []handRow
	err := s.reader.SelectContext(ctx, &rows, selectModelFacts, maker, model)
	return handFacts(rows), err
}

// ModelFacts are the facts of every machine of a model, within a write.
func (t *Tx) ModelFacts(maker, model string) ([]manual.Fact, error) {
	key := maker + "\n" + model
	if found, ok := t.models[key]; ok {
		return found, nil
	}
	var rows []handRow
	if err := t.list(&rows, selectModelFacts, maker, model); err != nil {
		return nil, err
	}
	found := handFacts(rows)
	if t.models != nil {
		t.models[key] = found
	}
	return found, nil
}

// ModelFact is a fact of every machine of a model.
type ModelFact struct {
	ID       int64  `db:"id"`
	Maker    string `db:"maker"`
	Model    string `db:"model"`
	Fact     string `db:"fact"`
	Value    string `db:"value"`
	By       string `db:"by_whom"`
	Millis   int64  `db:"at"`
	Note     string `db:"note"`
	Machines int    `db:"machines"`
}

// At is when it was entered.
func (m *ModelFact) At() time.Time { return fromMillis(m.Millis) }

// AllModelFacts lists those that count, with how many machines they are of.
func (s machines) AllModelFacts(ctx context.Context) ([]ModelFact, error) {
	var out []ModelFact
	err := s.reader.SelectContext(ctx, &out,
		`SELECT id, maker, model, fact, value, by_whom, at, note, (SELECT count(*) FROM machine d WHERE d.maker=m.maker AND d.model=m.model) AS machines
		FROM model_fact m WHERE ended_at=0 ORDER BY maker, model, fact`)
	return out, err
}

// PutModelFact keeps a fact of a model; one of the same name before it ends.
func (s machines) PutModelFact(ctx context.Context, m *ModelFact) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExec("UPDATE model_fact SET ended_at=:at, ended_by=:by_whom WHERE maker=:maker AND "+
			"model=:model AND fact=:fact AND ended_at=0", m); err != nil {
			return err
		}
		_, err := tx.NamedExec("INSERT INTO model_fact (maker, model, fact, value, by_whom, at, note) VALUES "+
			"(:maker, :model, :fact, :value, :by_whom, :at, :note)", m)
		return err
	})
}

// EndModelFact takes a fact of a model back, and gives which it was. The error may
// be [ErrNotFound].
func (s machines) EndModelFact(ctx context.Context, id int64, by string, now time.Time) (m ModelFact, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		if err := tx.Get(&m, "SELECT id, maker, model, fact, value, by_whom, at, note, 0 AS machines FROM model_fact "+
			"WHERE id=? AND ended_at=0", id); err != nil {
			return none(err)
		}
		_, err := tx.Exec("UPDATE model_fact SET ended_at=?, ended_by=? WHERE id=?", millis(now), by, id)
		return err
	})
	return m, err
}

// KeysOfModel are the machines of a model.
func (s machines) KeysOfModel(ctx context.Context, maker, model string) (keys []string, err error) {
	err = s.reader.SelectContext(ctx, &keys, "SELECT key FROM machine WHERE maker=? AND model=? ORDER BY id", maker,
		model)
	return keys, err
}

// EachOfModel goes through the packed facts of the machines of a model. f must not keep them.
func (s machines) EachOfModel(
	ctx context.Context, catalogue int, maker, model string, f func(key string, row []byte) error,
) error {
	rows, err := s.reader.QueryContext(ctx, "SELECT machine.key, fact_row.row FROM machine JOIN fact_row ON "+
		"fact_row.machine_id=machine.id WHERE maker=? AND model=? AND catalogue=? ORDER BY machine.id", maker, model,
		catalogue)
	if err != nil {
		return err
	}
	var key string
	var row []byte
	for err == nil && rows.Next() {
		if err = rows.Scan(&key, &row); err == nil {
			err = f(key, row)
		}
	}
	return errors.Join(err, rows.Err(), rows.Close())
}
