package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"
)

// Kinds of changes of many machines: what of a machine they change.
const (
	BulkMarks = "marks" // tags, site, retirement, contact and desk
	BulkWork  = "work"  // who visits it, on which day
	BulkTicks = "ticks" // what is said of one item
)

// Bulk is a change of many machines at once.
type Bulk struct {
	ID       int64  `db:"id"`
	AuditID  int64  `db:"audit_id"`
	What     string `db:"what"` // kind, of ticks with the item behind a slash
	Says     string `db:"says"`
	By       string `db:"by_whom"`
	Millis   int64  `db:"at"`
	UndoneAt int64  `db:"undone_at"`
	UndoneBy string `db:"undone_by"`
}

// errTrial ends a write that only tries what a change would do.
var errTrial = errors.New("only a trial")

// ChangeMany changes machines, all of them or none, and keeps what each was before. It gives the machines that are
// another than before. In a trial nothing is kept. The bulk gets its number; it has none where nothing changed.
func (s *database) ChangeMany(
	ctx context.Context, b *Bulk, ids []int64, trial bool, change func(t *Tx, id int64) error,
) (changed []int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		changed = nil
		t := &Tx{tx: tx, prepared: map[string]*sqlx.Stmt{}}
		defer t.close()
		was, becomes := map[int64]string{}, map[int64]string{}
		for _, id := range ids {
			before, err := stateOf(t, b.What, id)
			if err != nil {
				return err
			}
			if err := change(t, id); err != nil {
				return err
			}
			after, err := stateOf(t, b.What, id)
			if err != nil {
				return err
			}
			if before != after {
				was[id], becomes[id] = before, after
				changed = append(changed, id)
			}
		}
		if trial {
			return errTrial
		}
		if len(changed) == 0 {
			return nil
		}
		return keepBulk(t, ctx, b, changed, was, becomes)
	})
	if errors.Is(err, errTrial) {
		err = nil
	}
	return changed, err
}

// keepBulk writes down a change of many machines.
func keepBulk(t *Tx, ctx context.Context, b *Bulk, ids []int64, was, becomes map[int64]string) error {
	res, err := t.exec("INSERT INTO bulk (audit_id, what, says, by_whom, at) VALUES (0, ?, ?, ?, ?)", b.What, b.Says,
		b.By, b.Millis)
	if err != nil {
		return err
	}
	if b.ID, err = res.LastInsertId(); err != nil {
		return err
	}
	if a, ok := ctx.Value(auditKey{}).(*AuditEntry); ok {
		a.bulk = b.ID
	}
	for _, id := range ids {
		if _, err := t.exec("INSERT INTO bulk_machine (bulk_id, machine_id, was, becomes) VALUES (?, ?, ?, ?)", b.ID,
			id,
			was[id], becomes[id]); err != nil {
			return err
		}
	}
	return nil
}

// Undoing is what became of a change that is undone.
type Undoing struct {
	Undone []int64
	Kept   []int64 // machines that were changed again since, or are gone: they stay as they are
}

// Undo makes machines what they were before a change, unless they were changed again since. The error may be
// [ErrNotFound].
func (s *database) Undo(
	ctx context.Context,
	id int64,
	by string,
	now time.Time,
	trial bool,
) (b Bulk, out Undoing, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		out = Undoing{}
		if err := tx.Get(&b, "SELECT * FROM bulk WHERE id=?", id); err != nil {
			return none(err)
		}
		if b.UndoneAt > 0 {
			return nil
		}
		var rows []struct {
			Machine int64  `db:"machine_id"`
			Was     string `db:"was"`
			Becomes string `db:"becomes"`
		}
		if err := tx.Select(&rows, "SELECT machine_id, was, becomes FROM bulk_machine WHERE bulk_id=? ORDER BY "+
			"machine_id",
			id); err != nil {
			return err
		}
		t := &Tx{tx: tx, prepared: map[string]*sqlx.Stmt{}}
		defer t.close()
		for _, r := range rows {
			is, err := stateOf(t, b.What, r.Machine)
			switch {
			case errors.Is(err, ErrNotFound), err == nil && is != r.Becomes:
				out.Kept = append(out.Kept, r.Machine)
				continue
			case err != nil:
				return err
			}
			if err := restore(t, b.What, r.Machine, r.Was, by, now); err != nil {
				return err
			}
			out.Undone = append(out.Undone, r.Machine)
		}
		return markUndone(tx, id, by, now, trial)
	})
	if errors.Is(err, errTrial) {
		err = nil
	}
	return b, out, err
}

// markUndone marks a change as undone; a trial ends here, and the error takes back what it did.
func markUndone(tx *sqlx.Tx, id int64, by string, now time.Time, trial bool) error {
	if trial {
		return errTrial
	}
	_, err := tx.Exec("UPDATE bulk SET undone_at=?, undone_by=? WHERE id=?", millis(now), by, id)
	return err
}

// What a machine is, as changes of many machines write it down.
type (
	marksState struct {
		Tags          []string
		Site          string
		Retired       bool
		Contact, Desk string
	}
	workState struct{ Who, Note, Day, Half string }
	tickState struct {
		State, Note, By string
		At              int64
	}
)

// stateOf is what a change of a kind changes of a machine, as a text. The error may be [ErrNotFound].
func stateOf(t *Tx, what string, id int64) (string, error) {
	kind, item := bulkKind(what)
	var v any
	var err error
	switch kind {
	case BulkMarks:
		v, err = marksOf(t, id)
	case BulkWork:
		var rows []workState
		err = t.list(&rows, "SELECT who, note, day, half FROM assignment WHERE machine_id=?", id)
		v = firstOf(rows)
	case BulkTicks:
		var rows []tickState
		err = t.list(
			&rows,
			"SELECT state, note, by_whom AS \"by\", at FROM tick WHERE machine_id=? AND item=? AND ended_at=0",
			id,
			item,
		)
		v = firstOf(rows)
	default:
		err = fmt.Errorf("a change of the kind %q", what)
	}
	if err != nil {
		return "", err
	}
	b, err := json.Marshal(v)
	return string(b), err
}

func marksOf(t *Tx, id int64) (marksState, error) {
	out := marksState{Tags: []string{}}
	var row struct {
		Site    string `db:"site"`
		Retired int64  `db:"retired_at"`
	}
	if err := t.get(&row, "SELECT site, retired_at FROM machine WHERE id=?", id); err != nil {
		return out, none(err)
	}
	out.Site, out.Retired = row.Site, row.Retired > 0
	var contact []Contact
	if err := t.list(&contact, "SELECT * FROM contact WHERE machine_id=?", id); err != nil {
		return out, err
	}
	out.Contact, out.Desk = firstOf(contact).Contact, firstOf(contact).Desk
	err := t.list(&out.Tags, "SELECT tag FROM tag WHERE machine_id=? ORDER BY tag", id)
	return out, err
}

// firstOf is the first row, or nothing.
func firstOf[T any](rows []T) (out T) {
	if len(rows) > 0 {
		out = rows[0]
	}
	return out
}

// restore makes of a machine what it was.
func restore(t *Tx, what string, id int64, was, by string, now time.Time) error {
	kind, item := bulkKind(what)
	switch kind {
	case BulkMarks:
		return restored(was, func(m *marksState) error { return restoreMarks(t, id, m, by, now) })
	case BulkWork:
		return restored(was, func(w *workState) error {
			return t.Assign(
				id,
				&Assignment{Who: w.Who, Note: w.Note, Day: w.Day, Half: w.Half, By: by, Millis: millis(now)},
			)
		})
	}
	return restored(was, func(k *tickState) error {
		if _, err := endTick(t.tx, id, item, by, now); err != nil || k.State == "" {
			return err
		}
		_, err := t.exec(
			"INSERT INTO tick (machine_id, item, state, by_whom, at, note) VALUES (?, ?, ?, ?, ?, ?)",
			id,
			item,
			k.State,
			k.By,
			k.At,
			k.Note,
		)
		return err
	})
}

func restored[T any](text string, do func(*T) error) error {
	v := new(T)
	if err := json.Unmarshal([]byte(text), v); err != nil {
		return err
	}
	return do(v)
}

func restoreMarks(t *Tx, id int64, was *marksState, by string, now time.Time) error {
	is, err := marksOf(t, id)
	if err != nil {
		return err
	}
	missing := func(of, in []string) []string {
		return slices.DeleteFunc(slices.Clone(of), func(tag string) bool { return slices.Contains(in, tag) })
	}
	c := &Change{Tag: missing(was.Tags, is.Tags), Untag: missing(is.Tags, was.Tags), Site: &was.Site,
		Contact: &was.Contact, Desk: &was.Desk, By: by}
	if is.Retired != was.Retired {
		c.Retire = &was.Retired
	}
	_, err = t.mark(id, c, now)
	return err
}

// bulkKind parts a kind from the item of ticks.
func bulkKind(what string) (kind, item string) {
	if len(what) > len(BulkTicks) && what[:len(BulkTicks)+1] == BulkTicks+"/" {
		return BulkTicks, what[len(BulkTicks)+1:]
	}
	return what, ""
}

// Contact is whom to ask about a machine, by role, and where it stands.
type Contact struct {
	MachineID int64  `db:"machine_id"`
	Contact   string `db:"contact"`
	Desk      string `db:"desk"`
	By        string `db:"by_whom"`
	Millis    int64  `db:"at"`
}

// Contacts are all contacts, by the numbers of the machines.
func (s *database) Contacts(ctx context.Context) (map[int64]Contact, error) {
	var rows []Contact
	err := s.reader.SelectContext(ctx, &rows, "SELECT * FROM contact")
	out := make(map[int64]Contact, len(rows))
	for _, r := range rows {
		out[r.MachineID] = r
	}
	return out, err
}

// setContact keeps the contact of a machine; both parts empty remove it.
func setContact(t *Tx, id int64, c *Contact) error {
	query, args := "INSERT OR REPLACE INTO contact (machine_id, contact, desk, by_whom, at) VALUES (?, ?, ?, ?, ?)",
		[]any{id, c.Contact, c.Desk, c.By, c.Millis}
	if c.Contact == "" && c.Desk == "" {
		query, args = "DELETE FROM contact WHERE machine_id=?", args[:1]
	}
	_, err := t.exec(query, args...)
	return err
}

// Mark writes tags, site and retirement on a machine, within a write.
func (t *Tx) Mark(id int64, c *Change, now time.Time) error {
	_, err := t.mark(id, c, now)
	return err
}

// Assign gives the work on a machine to somebody, within a write; everything empty takes it back.
func (t *Tx) Assign(id int64, a *Assignment) error {
	query := "INSERT OR REPLACE INTO assignment (machine_id, who, note, day, half, by_whom, at) VALUES (?, ?, ?, ?, " +
		"?, ?, ?)"
	args := []any{id, a.Who, a.Note, a.Day, a.Half, a.By, a.Millis}
	if a.Who == "" && a.Note == "" && a.Day == "" {
		query, args = "DELETE FROM assignment WHERE machine_id=?", args[:1]
	}
	_, err := t.exec(query, args...)
	return err
}
