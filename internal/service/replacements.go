package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Pair is an old machine with the one that takes its place.
type Pair struct {
	Old     work.MachineRef
	NewName string
	New     work.MachineRef // empty if it has not reported yet
	Note    string
	Says    string
	Done    int // items of the hand-over list that are ticked
	Of      int
}

// HandOver is a pair with what has to be handed over.
type HandOver struct {
	Pair
	Contact, Desk string        // of the old machine, for those who see them
	Kept          *results.Kept // titles of the old machine beside those of the new one; nil: one has no inventory
	Items         []work.Leaving
	Ticks         []assess.Tick // of the items
}

// Pairs are the replacements of the machines that the viewer sees, by the name of the old machine.
func (o *Orders) Pairs(ctx context.Context) ([]Pair, error) {
	list, err := o.Store.Replacements(ctx)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	old := map[int64]bool{}
	for i := range list {
		old[list[i].MachineID] = true
	}
	seen, err := o.index.seen(ctx, old)
	if err != nil {
		return nil, err
	}
	ticks, err := o.Store.ItemTicks(ctx, assess.TickLeaving)
	if err != nil {
		return nil, err
	}
	done := map[int64]int{}
	for i := range ticks {
		done[ticks[i].MachineID]++
	}
	byName, err := o.named(ctx)
	if err != nil {
		return nil, err
	}
	var out []Pair
	for i := range list {
		r := seen[list[i].MachineID]
		if r == nil {
			continue
		}
		p := Pair{Old: r.Ref(), NewName: list[i].NewName, Note: list[i].Note, Done: done[r.ID], Of: len(work.Leavings)}
		state := ""
		if n := byName[strings.ToLower(p.NewName)]; n != nil {
			p.New, p.NewName = n.Ref(), n.Name
			state = "not judged"
			if n.Judged {
				state = n.Disposition.String()
			}
		}
		// It may have reported from a site that the viewer does not see.
		hidden := state == "" && ViewerOf(ctx).Limited()
		p.Says = say.Replaced(p.NewName, state, hidden, p.Done, p.Of)
		out = append(out, p)
	}
	slices.SortFunc(out, func(a, b Pair) int { return strings.Compare(a.Old.Name, b.Old.Name) })
	return out, nil
}

// named are copies of the machines that the viewer sees, by their names in lower case.
func (o *Orders) named(ctx context.Context) (map[string]*fleet.Row, error) {
	f, err := o.index.Where(ctx, "")
	if err != nil {
		return nil, err
	}
	out := map[string]*fleet.Row{}
	err = o.index.Each(ctx, f, func(r *fleet.Row) {
		own := *r
		out[strings.ToLower(r.Name)] = &own
	})
	return out, err
}

// SetPair records which machine takes the place of another. The new one may not have reported yet.
func (o *Orders) SetPair(ctx context.Context, key, newName, note string) (out Pair, err error) {
	const title = "Nothing was recorded"
	newName = strings.TrimSpace(newName)
	old, err := o.work.machines.Find(ctx, key)
	if err != nil {
		return out, err
	}
	switch {
	case newName == "":
		return out, refuse(title, "the name of the new machine is missing")
	case strings.EqualFold(newName, old.Name), strings.EqualFold(newName, old.Key):
		return out, refuse(title, "%s cannot take its own place; give the name of the new machine", old.Name)
	}
	byName, err := o.named(ctx)
	if err != nil {
		return out, err
	}
	if n := byName[strings.ToLower(newName)]; n != nil {
		newName = n.Name
		if n.Class != old.Class {
			return out, refuse(title, "%s is a %s, and %s is a %s; give a machine of the same class", n.Name, n.Class,
				old.Name, old.Class)
		}
	}
	store.Note(ctx, "", fmt.Sprintf("%s takes its place", newName))
	defer o.index.Changed()
	err = o.Store.SetReplacement(ctx, &store.Replacement{MachineID: old.ID, NewName: newName, Note: note, By: by(ctx),
		Millis: o.Now().UnixMilli()})
	if errors.Is(err, store.ErrTaken) {
		return out, refuse(
			"It is taken",
			"%s takes the place of another machine already; rolltop replacements lists all",
			newName,
		)
	} else if err != nil {
		return out, err
	}
	return o.pair(ctx, old.Key)
}

// pair is the replacement of a machine.
func (o *Orders) pair(ctx context.Context, key string) (Pair, error) {
	list, err := o.Pairs(ctx)
	if err != nil {
		return Pair{}, err
	}
	for i := range list {
		if list[i].Old.Key == key {
			return list[i], nil
		}
	}
	return Pair{}, missing("no machine takes the place of %q; rolltop replacements lists all pairs", key)
}

// RemovePair deletes the replacement of a machine.
func (o *Orders) RemovePair(ctx context.Context, key string) error {
	d, err := o.work.machines.Find(ctx, key)
	if err != nil {
		return err
	}
	defer o.index.Changed()
	err = o.Store.RemoveReplacement(ctx, d.ID)
	return orMissing(err, fmt.Sprintf("no machine takes the place of %q; rolltop replacements lists all pairs", key))
}

// HandOver is what has to be handed over from an old machine to the one that takes its place.
func (o *Orders) HandOver(ctx context.Context, key string) (out HandOver, err error) {
	if out.Pair, err = o.pair(ctx, key); err != nil {
		return out, err
	}
	d, err := o.work.machines.Find(ctx, key)
	if err != nil {
		return out, err
	}
	ticks, err := o.Store.Ticks(ctx, d.ID)
	if err != nil {
		return out, err
	}
	for _, t := range ticks {
		if strings.HasPrefix(t.Item, assess.TickLeaving) {
			out.Ticks = append(out.Ticks, t)
		}
	}
	out.Items = work.Leavings
	if ViewerOf(ctx).Plain {
		contacts, err := o.Store.Contacts(ctx)
		if err != nil {
			return out, err
		}
		out.Contact, out.Desk = contacts[d.ID].Contact, contacts[d.ID].Desk
	}
	if out.New.Key == "" {
		return out, nil
	}
	var sides [2]*inventory.Document
	for i, key := range []string{out.Old.Key, out.New.Key} {
		one, err := o.work.machines.Find(ctx, key)
		if err != nil {
			return out, err
		}
		facts, err := o.work.machines.Facts(ctx, one, 0)
		if err != nil {
			return out, err
		}
		sides[i] = facts.Inventory
	}
	kept := results.KeptOf(sides[0], sides[1])
	kept.FreeWas, kept.FreeIs = 0, 0 // these are two disks
	out.Kept = &kept
	return out, nil
}
