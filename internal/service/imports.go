package service

import (
	"context"
	"fmt"
	"slices"

	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/sheet"
	"rolltop.example/rolltop/internal/store"
)

// ImportRow is what becomes of a row of a spreadsheet.
type ImportRow struct {
	State   string
	Key     string // of the machine; "": it is new, and nothing was kept
	Name    string
	Says    string
	Merged  []manual.Merged
	Changed bool
}

// Import is what becomes of the rows of a spreadsheet.
type Import struct {
	Rows   []ImportRow
	Change int64 // number with which it is undone; 0: nothing was changed
}

// Import imports rows, as inventories. In a trial nothing is kept: it says what each row would do.
func (i *Intake) Import(ctx context.Context, file string, rows []sheet.Row, trial bool) (Import, error) {
	b := &store.Bulk{
		What:   store.BulkImport,
		Says:   fmt.Sprintf("%s of %s", say.Count(len(rows), "row", "rows"), file),
		By:     by(ctx),
		Millis: i.Now().UnixMilli(),
	}
	store.Note(ctx, "", b.Says)
	how := &store.Importing{
		Entry: store.Entry{Now: i.Now(), Token: identity.ByPerson},
		Trial: trial,
		By:    b.By,
		Judge: func(tx *store.Tx, d *store.Machine, inv *inventory.Document) error {
			_, err := i.judge.machine(tx, d, inv, store.ByInventory)
			return err
		},
		Merge: i.merge(ctx, file),
	}
	list := make([]store.SheetRow, len(rows))
	for k := range rows {
		list[k] = store.SheetRow{Document: rows[k].Document, Marks: marksOf(rows[k].Marks)}
	}
	got, err := i.Store.Import(ctx, b, list, how)
	if err != nil {
		return Import{}, err
	}
	out := Import{Change: b.ID}
	var changed []int64
	for k := range got {
		row := importRow(&got[k])
		if row.Changed {
			changed = append(changed, got[k].Machine.ID)
		}
		if trial && got[k].Created {
			row.Key = ""
		}
		out.Rows = append(out.Rows, row)
	}
	if !trial {
		i.index.Changed(changed...)
	}
	return out, nil
}

// marksOf are site, contact and desk of a row; nil where it says none.
func marksOf(given map[string]string) *store.Change {
	if len(given) == 0 {
		return nil
	}
	c := &store.Change{}
	for name, to := range map[string]**string{sheet.Site: &c.Site, sheet.Contact: &c.Contact, sheet.Desk: &c.Desk} {
		if text, ok := given[name]; ok {
			*to = &text
		}
	}
	return c
}

// merge enters what a row says of a machine that was read: gaps are filled, and what differs becomes a conflict. What a
// person entered stays.
func (i *Intake) merge(ctx context.Context, file string) func(
	*store.Tx, *store.Machine, *inventory.Document, *inventory.Document, *store.ImportedRow,
) error {
	return func(tx *store.Tx, d *store.Machine, latest, row *inventory.Document, out *store.ImportedRow) error {
		entered, err := tx.HandFacts(d.ID)
		if err != nil {
			return err
		}
		known, _ := manual.Enter(latest, entered)
		for _, m := range manual.Merge(known, row) {
			if slices.ContainsFunc(entered, func(f manual.Fact) bool { return f.Fact == m.Fact }) {
				m.Conflict = true // what a person entered counts more than a row
				out.Merged = append(out.Merged, m)
				continue
			}
			f := manual.Fact{Fact: m.Fact, Value: m.Row, By: by(ctx), At: i.Now(), Note: "from " + file}
			if _, left := manual.Enter(latest, append(slices.Clone(entered), f)); len(left) > 0 {
				out.Left = append(out.Left, left...)
				continue
			}
			out.Merged = append(out.Merged, m)
			out.Entered = append(out.Entered, f)
			if err := tx.SetFact(d.ID, &f); err != nil {
				return err
			}
		}
		if len(out.Entered) == 0 {
			return nil
		}
		_, err = i.judge.machine(tx, d, latest, store.ByFacts)
		return err
	}
}

// importRow says what became of a row.
func importRow(r *store.ImportedRow) ImportRow {
	out := ImportRow{Key: r.Machine.Key, Name: r.Machine.Name, Merged: r.Merged,
		Changed: r.Created || r.Changed || len(r.Entered) > 0 || r.Marked}
	conflicts := 0
	for _, m := range r.Merged {
		if m.Conflict {
			conflicts++
		}
	}
	switch {
	case r.Vouched != "":
		out.State = sheet.RowRefused
	case r.Created && r.Who == identity.Conflict:
		out.State = sheet.RowDuplicate
	case r.Created:
		out.State = sheet.RowNew
	case r.Replaced && r.Changed:
		out.State = sheet.RowReplaces
	case conflicts > 0:
		out.State = sheet.RowConflict
	case len(r.Merged) > 0 || r.Marked:
		out.State = sheet.RowFills
	default:
		out.State = sheet.RowSame
	}
	out.Says = say.ImportRow(out.State, r.Machine.Name, r.Why+r.Vouched, r.Merged)
	return out
}
