package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Bulk changes many machines at once: it first shows which, is one entry of the audit log, and can be undone as one.
type Bulk struct {
	Records
	index *Index
	judge *Judge
}

// Picking is which machines are changed.
type Picking struct {
	Where string
	Keys  []string
	Trial bool // nothing is changed; it only shows what would be
}

// ManyChanged is what a change of many machines comes to.
type ManyChanged struct {
	ID      int64             // with which it is undone; 0: nothing was changed
	Picked  int               // machines that were meant
	Changed int               // that are another than before
	Some    []work.MachineRef // of those, at most 20
	Skipped int               // machines that the change does not concern
}

// machinesShown is how many machines a change of many names.
const machinesShown = 20

// change changes machines; says is what the audit log says of so many.
func (b *Bulk) change(
	ctx context.Context, what string, ids []int64, trial bool, says func(n int) string,
	one func(t *store.Tx, id int64) error,
) (out ManyChanged, err error) {
	kept := &store.Bulk{What: what, Says: says(len(ids)), By: by(ctx), Millis: b.Now().UnixMilli()}
	store.Note(ctx, "", kept.Says)
	changed, err := b.Store.ChangeMany(ctx, kept, ids, trial, one)
	if err != nil {
		return out, err
	}
	out = ManyChanged{ID: kept.ID, Picked: len(ids), Changed: len(changed)}
	if out.Some, err = b.refs(ctx, changed); err == nil && !trial {
		b.index.Changed(changed...)
	}
	return out, err
}

// refs name the first of some machines, by name.
func (b *Bulk) refs(ctx context.Context, ids []int64) ([]work.MachineRef, error) {
	out := []work.MachineRef{}
	err := b.index.View(ctx, func(x *fleet.Index) {
		for _, id := range ids {
			if r := x.Row(id); r != nil {
				out = append(out, r.Ref())
			}
		}
	})
	slices.SortFunc(out, func(a, b work.MachineRef) int { return strings.Compare(a.Name, b.Name) })
	return out[:min(len(out), machinesShown)], err
}

// Undone is what became of a change that is undone.
type Undone struct {
	Says    string            // what was undone
	Undone  int               // machines that are what they were
	Kept    int               // machines that were changed again since: they stay as they are
	Some    []work.MachineRef // of those that are undone, at most 20
	KeptOf  []work.MachineRef // of those that stay, at most 20
	Already bool              // it was undone before
}

// Undo undoes a change of many machines.
func (b *Bulk) Undo(ctx context.Context, id int64, trial bool) (out Undone, err error) {
	what, got, err := b.undo(ctx, id, true)
	if err != nil {
		return out, orMissing(
			err,
			fmt.Sprintf("there is no change %d of many machines; rolltop audit shows their numbers",
				id),
		)
	}
	if what.UndoneAt > 0 {
		return out, refuse("Already undone", "change %d was undone by %s", id, what.UndoneBy)
	}
	if hidden, err := b.hidden(ctx, slices.Concat(got.Undone, got.Kept)); err != nil {
		return out, err
	} else if hidden {
		return out, refuse("Not yours alone",
			"change %d concerns machines that you do not see; ask an administrator", id)
	}
	if !trial {
		store.Note(ctx, what.Says, "undone on "+say.Count(len(got.Undone), "machine", "machines"))
		if what, got, err = b.undo(ctx, id, false); err != nil {
			return out, err
		}
	}
	out = Undone{Says: what.Says, Undone: len(got.Undone), Kept: len(got.Kept)}
	if out.Some, err = b.refs(ctx, got.Undone); err == nil {
		out.KeptOf, err = b.refs(ctx, got.Kept)
	}
	if err == nil && !trial {
		b.index.Changed(slices.Concat(got.Undone, got.Kept)...)
	}
	return out, err
}

// hidden reports whether the viewer does not see one of some machines; machines that are gone do not count.
func (b *Bulk) hidden(ctx context.Context, ids []int64) (bool, error) {
	if !ViewerOf(ctx).Limited() {
		return false, nil
	}
	some := map[int64]bool{}
	err := b.index.View(ctx, func(x *fleet.Index) {
		for _, id := range ids {
			if x.Row(id) != nil {
				some[id] = true
			}
		}
	})
	if err != nil {
		return false, err
	}
	mine, err := b.index.seen(ctx, some)
	return len(mine) < len(some), err
}

// undo undoes a change of any kind.
func (b *Bulk) undo(ctx context.Context, id int64, trial bool) (store.Bulk, store.Undoing, error) {
	what, got, err := b.Store.UndoImport(ctx, id, by(ctx), b.Now(), trial, b.judge.Latest)
	if errors.Is(err, store.ErrNotFound) {
		return b.Store.Undo(ctx, id, by(ctx), b.Now(), trial)
	}
	return what, got, err
}

// Marks changes tags, sites, retirement, contacts and desks. note is what the audit log says of so many machines.
func (b *Bulk) Marks(ctx context.Context, p Picking, c *store.Change, note func(n int) string) (ManyChanged, error) {
	ids, err := b.index.Picked(ctx, p.Where, p.Keys)
	if err != nil {
		return ManyChanged{}, err
	}
	c.By = by(ctx)
	return b.change(ctx, store.BulkMarks, ids, p.Trial, note, func(t *store.Tx, id int64) error {
		return t.Mark(id, c, b.Now())
	})
}

// Tick records on many machines that an item of preparation or a step is done, or refuses it. Machines that do not have
// the item are skipped.
func (b *Bulk) Tick(ctx context.Context, p Picking, t assess.Tick) (ManyChanged, error) {
	const title = "Nothing was recorded"
	if p.Where == "" && len(p.Keys) == 0 {
		return ManyChanged{}, refuse(title, "the machines are missing; give a filter, or keys")
	}
	picked, err := b.index.Picked(ctx, p.Where, p.Keys)
	if err != nil {
		return ManyChanged{}, err
	}
	var ids []int64
	items := map[string]bool{}
	err = b.index.View(ctx, func(x *fleet.Index) {
		for _, id := range picked {
			if r := x.Row(id); r != nil && hasItem(r, t.Item, items) {
				ids = append(ids, id)
			}
		}
	})
	if err != nil {
		return ManyChanged{}, err
	}
	if len(ids) == 0 && len(picked) > 0 {
		known := make([]string, 0, len(items))
		for item := range items {
			known = append(known, item)
		}
		slices.Sort(known)
		return ManyChanged{}, refuse(
			title,
			"none of %s has %s; %s",
			say.Count(len(picked), "machine", "machines"),
			t.Item,
			suggest(t.Item, known),
		)
	}
	t.By, t.At = by(ctx), b.Now().UTC()
	says := func(n int) string {
		return fmt.Sprintf("%s on %s: %s", t.Item, say.Count(n, "machine", "machines"), t.Says())
	}
	out, err := b.change(ctx, store.BulkTicks+"/"+t.Item, ids, p.Trial, says, func(tx *store.Tx, id int64) error {
		return tx.PutTick(id, &t)
	})
	out.Picked, out.Skipped = len(picked), len(picked)-len(ids)
	return out, err
}

// hasItem says whether a machine has a step or an item of preparation; items gathers those that machines have.
func hasItem(r *fleet.Row, item string, items map[string]bool) bool {
	has := false
	for _, s := range slices.Concat(work.Parse(r.Plan), work.ParseFurther(r.Plan)) {
		items[assess.TickStep+s.ID] = true
		has = has || item == assess.TickStep+s.ID
	}
	if r.Release != nil {
		for i := range r.Release.Prepare {
			id := assess.TickPreparation + r.Release.Prepare[i].ID
			items[id] = true
			has = has || item == id
		}
	}
	return has
}
