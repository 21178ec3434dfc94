package store

import (
	"context"
	"encoding/json"
	"errors"
	"reflect"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
)

// BulkImport is the kind of change that an import of rows is.
const BulkImport = "import"

// importState is what an import made of a machine.
type importState struct {
	Created   bool     `json:",omitempty"` // it was not known before
	Inventory int64    `json:",omitempty"` // that was kept: of a machine that is new, or of which only rows were known
	Facts     []string `json:",omitempty"` // that were entered

	WasMarks, Marks *marksState `json:",omitempty"` // site, contact and desk, where the row says them
}

// SheetRow is a row of a spreadsheet.
type SheetRow struct {
	Document *inventory.Document
	Marks    *Change // site, contact and desk; nil: the row says none
}

// ImportedRow is what became of a row.
type ImportedRow struct {
	Kept
	Replaced bool            // a row was all that was known of the machine: this one takes its place
	Merged   []manual.Merged // of a machine that was read: what fills a gap, and what differs
	Entered  []manual.Fact   // of these, what was entered
	Left     []error         // of these, what does not go in
	Marked   bool            // site, contact or desk were changed
	Vouched  string          // why the row has no effect; "": it has
}

// Importing is how rows are imported.
type Importing struct {
	Entry Entry
	Trial bool // nothing is kept
	By    string
	// Judge is called for each machine whose facts are others than before.
	Judge func(*Tx, *Machine, *inventory.Document) error
	// Merge gives the facts to enter of a row of a machine that was read.
	Merge func(t *Tx, d *Machine, latest, row *inventory.Document, out *ImportedRow) error
}

// FromSheet says that an inventory was not read from a machine: no collector made it.
func FromSheet(d *inventory.Document) bool { return d.Collector.Version == "" }

// Import keeps rows of a spreadsheet, all of them or none, as one change that can be undone. Rows of machines that are
// new become machines. A row never takes the place of what was read: it fills gaps, and differs.
func (s machines) Import(
	ctx context.Context, b *Bulk, rows []SheetRow, how *Importing,
) (out []ImportedRow, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		out = nil
		t := &Tx{tx: tx, prepared: map[string]*sqlx.Stmt{}}
		defer t.close()
		states := map[int64]*importState{}
		var order []int64
		for _, row := range rows {
			got, err := s.importRow(t, row.Document, how, states)
			if err == nil {
				got.Marked, err = importMarks(t, &row, &got, how, states)
			}
			if err != nil {
				return err
			}
			if id := got.Machine.ID; states[id].mark() && !slices.Contains(order, id) {
				order = append(order, id)
			}
			out = append(out, got)
		}
		if how.Trial {
			return errTrial
		}
		if len(order) == 0 {
			return nil
		}
		was, becomes := map[int64]string{}, map[int64]string{}
		for _, id := range order {
			text, err := json.Marshal(states[id])
			if err != nil {
				return err
			}
			was[id], becomes[id] = "", string(text)
		}
		return keepBulk(t, ctx, b, order, was, becomes)
	})
	if errors.Is(err, errTrial) {
		err = nil
	}
	return out, err
}

// importRow keeps one row.
func (s machines) importRow(
	t *Tx, row *inventory.Document, how *Importing, states map[int64]*importState,
) (out ImportedRow, err error) {
	var is Machine
	describe(&is, row)
	sha, packed, err := s.packed(row, nil)
	if err != nil {
		return out, err
	}
	e := how.Entry
	r := readings{at: row.TakenAt, sha: sha, packed: packed, entry: &e}
	t.fresh, t.was, t.inventory = 0, false, 0
	if err := t.recognise(is, r.at, &e, &out.Kept); err != nil {
		return out, err
	}
	id := out.Machine.ID
	if states[id] == nil {
		states[id] = &importState{}
	}
	st := states[id]
	if out.Created {
		st.Created = true
	} else {
		latest, err := s.inventoryOf(t, out.Machine.InventoryID)
		if err != nil {
			return out, err
		}
		if !FromSheet(latest) {
			err := how.Merge(t, &out.Machine, latest, row, &out)
			for _, f := range out.Entered {
				st.Facts = append(st.Facts, f.Fact)
			}
			return out, err
		}
		if out.Vouched = identity.Vouch(out.Machine.speaker(), e.sender()); out.Vouched != "" {
			return out, nil
		}
		out.Replaced = true
	}
	err = t.keepVouched(&out.Kept, &is, &r, func() error { return how.Judge(t, &out.Machine, row) })
	if out.Changed {
		st.Inventory = out.Machine.InventoryID
	}
	return out, err
}

// mark says that the import changed something of the machine.
func (i *importState) mark() bool {
	return i.Created || i.Inventory > 0 || len(i.Facts) > 0 || i.Marks != nil
}

// importMarks writes site, contact and desk of a row on its machine, and says whether that changed it.
func importMarks(
	t *Tx, row *SheetRow, got *ImportedRow, how *Importing, states map[int64]*importState,
) (changed bool, err error) {
	if row.Marks == nil || got.Vouched != "" {
		return false, nil
	}
	id := got.Machine.ID
	was, err := marksOf(t, id)
	if err != nil {
		return false, err
	}
	row.Marks.By = how.By
	if _, err := t.mark(id, row.Marks, how.Entry.Now); err != nil {
		return false, err
	}
	is, err := marksOf(t, id)
	if err != nil || reflect.DeepEqual(was, is) {
		return false, err
	}
	states[id].WasMarks, states[id].Marks = &was, &is
	return true, nil
}

// UndoImport takes back an import: machines that it made are removed, rows that it kept are, and facts that it entered
// end. A machine of which something else came since keeps what came since. judge is called for each machine whose facts
// are others than before. The error may be [ErrNotFound].
func (s machines) UndoImport(
	ctx context.Context, id int64, by string, now time.Time, trial bool,
	judge func(*Tx, *Machine, *inventory.Document) error,
) (b Bulk, out Undoing, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		out = Undoing{}
		if err := tx.Get(&b, "SELECT * FROM bulk WHERE id=? AND what=?", id, BulkImport); err != nil {
			return none(err)
		}
		if b.UndoneAt > 0 {
			return nil
		}
		var rows []struct {
			Machine int64  `db:"machine_id"`
			Becomes string `db:"becomes"`
		}
		if err := tx.Select(&rows, "SELECT machine_id, becomes FROM bulk_machine WHERE bulk_id=? ORDER BY machine_id",
			id); err != nil {
			return err
		}
		t := &Tx{tx: tx}
		for _, r := range rows {
			var st importState
			if err := json.Unmarshal([]byte(r.Becomes), &st); err != nil {
				return err
			}
			undone, err := s.undoRow(t, r.Machine, &st, by, now, judge)
			if err != nil {
				return err
			}
			if undone {
				out.Undone = append(out.Undone, r.Machine)
			} else {
				out.Kept = append(out.Kept, r.Machine)
			}
		}
		return markUndone(tx, id, by, now, trial)
	})
	if errors.Is(err, errTrial) {
		err = nil
	}
	return b, out, err
}

// undoRow takes back what an import made of one machine. It gives false where something came since that stays.
func (s machines) undoRow(
	t *Tx, id int64, st *importState, by string, now time.Time, judge func(*Tx, *Machine, *inventory.Document) error,
) (bool, error) {
	var d Machine
	if err := t.get(&d, "SELECT * FROM machine WHERE id=?", id); err != nil {
		if none(err) == ErrNotFound {
			return false, nil
		}
		return false, err
	}
	var others int
	err := t.get(&others, "SELECT count(*) FROM inventory WHERE machine_id=? AND id<>?", id, st.Inventory)
	if err != nil {
		return false, err
	}
	if st.Created && others == 0 {
		_, err := forget(t.tx, id, d.Key)
		return true, err
	}
	if st.Marks != nil {
		is, err := marksOf(t, id)
		if err != nil {
			return false, err
		}
		if reflect.DeepEqual(is, *st.Marks) {
			if err := restoreMarks(t, id, st.WasMarks, by, now); err != nil {
				return false, err
			}
		}
	}
	for _, name := range st.Facts {
		if _, err := t.EndFact(id, name, by, now); err != nil {
			return false, err
		}
	}
	if st.Inventory > 0 && others > 0 {
		if _, err := t.exec("DELETE FROM inventory WHERE id=? AND machine_id=?", st.Inventory, id); err != nil {
			return false, err
		}
	}
	return !st.Created, s.again(t, id, judge)
}
