package service

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Decisions are what people decide about machines until a date.
type Decisions struct {
	Records
	releases *Releases
	index    *Index
}

// Decided is a decision as a viewer sees it.
type Decided struct {
	decision.Decision
	Title    string // of the requirement of a waiver
	Says     string
	Where    string // filter that lists its machines
	Machines int    // that it changes something for
	Counts   bool   // it has not ended

	Some []work.MachineRef // in a trial: machines that it is for, at most 20
}

// all are the decisions that count, or all of them, and how many machines each is for.
func (d *Decisions) all(ctx context.Context, ended bool) ([]decision.Decision, map[int64]int, error) {
	if err := d.index.Refresh(ctx); err != nil {
		return nil, nil, err
	}
	list, counts := d.index.overlay.decisions()
	if !ended {
		now := d.Now()
		list = slices.DeleteFunc(list, func(one decision.Decision) bool { return !one.Counts(now) })
	}
	return list, counts, nil
}

// List are the decisions, ended ones among them, that concern machines which the viewer sees, with
// how many of these each is for. Whoever is limited to some sites does not see what a decision
// says of others: neither its filter nor its count.
func (d *Decisions) List(ctx context.Context) ([]Decided, error) {
	list, counts, err := d.all(ctx, true)
	if err != nil {
		return nil, err
	}
	who := ViewerOf(ctx)
	if who.Limited() {
		if counts, err = d.countsSeen(ctx); err != nil {
			return nil, err
		}
		list = slices.DeleteFunc(list, func(one decision.Decision) bool {
			return counts[one.ID] == 0 && one.By != who.Name
		})
	}
	out := make([]Decided, len(list))
	for i := range list {
		out[i] = d.Show(ctx, &list[i], counts[list[i].ID])
	}
	return out, nil
}

// countsSeen are the machines that the viewer sees, by the numbers of their decisions.
func (d *Decisions) countsSeen(ctx context.Context) (map[int64]int, error) {
	f, err := d.index.Where(ctx, "")
	if err != nil {
		return nil, err
	}
	counts := map[int64]int{}
	err = d.index.Each(ctx, f, func(r *fleet.Row) {
		for _, word := range strings.Fields(r.DecidedBy) {
			if id, err := strconv.ParseInt(word, 10, 64); err == nil {
				counts[id]++
			}
		}
	})
	return counts, err
}

// Show is a decision as the viewer sees it. A filter of somebody else's may name sites that they
// do not see: it is replaced by one that finds its machines.
func (d *Decisions) Show(ctx context.Context, one *decision.Decision, machines int) Decided {
	out := Decided{Decision: *one, Title: one.Requirement, Machines: machines, Counts: one.Counts(d.Now())}
	own := fleet.Term("decision", strconv.FormatInt(one.ID, 10))
	if who := ViewerOf(ctx); who.Limited() && one.By != who.Name {
		out.Scope = own
	}
	if out.Where = out.Scope; out.Counts {
		out.Where = own
	}
	if t, ok := d.releases.TargetOf(one.Release); ok {
		if q := t.Release.Requirement(one.Requirement); q != nil {
			out.Title = q.Title
		}
	}
	out.Says = say.Decision(one, out.Title, d.Now())
	return out
}

// On are those that count for a machine.
func (d *Decisions) On(ctx context.Context, key string) ([]decision.Decision, error) {
	all, _, err := d.all(ctx, false)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	f, err := fleet.Parse(fleet.Term("key", key))
	if err != nil {
		return nil, err
	}
	numbers := ""
	err = d.index.Each(ctx, f.Within("retired", "yes", "no"), func(r *fleet.Row) { numbers = r.DecidedBy })
	return slices.DeleteFunc(all, func(one decision.Decision) bool {
		return !strings.Contains(numbers, number(one.ID))
	}), err
}

// WaiversOn are the requirements of a release that may fail on a machine.
func (d *Decisions) WaiversOn(ctx context.Context, key string, rel *release.Release) ([]assess.Waiver, error) {
	list, err := d.On(ctx, key)
	var out []assess.Waiver
	for _, one := range list {
		if one.Kind == decision.Waive && rel != nil && one.Release == rel.ID {
			w := assess.Waiver{Requirement: one.Requirement, Reason: one.Reason, By: one.By, Until: one.Until}
			out = append(out, w)
		}
	}
	return out, err
}

// NewDecision is a decision that is asked for.
type NewDecision struct {
	Kind, Scope          string
	Release, Requirement string
	Reason               string
	Until                string // the last day
	Ahead                bool   // it may be for machines that are still to come
	Trial                bool   // nothing is decided; it only shows for which machines it would be
}

const notDecided = "Invalid decision"

// Add decides something about machines.
func (d *Decisions) Add(ctx context.Context, n *NewDecision) (Decided, error) {
	one := decision.Decision{
		Kind:        n.Kind,
		Scope:       strings.TrimSpace(n.Scope),
		Release:     n.Release,
		Requirement: n.Requirement,
		Reason:      strings.TrimSpace(n.Reason),
		By:          by(ctx),
		At:          d.Now().UTC(),
	}
	if n.Until != "" {
		var err error
		if one.Until, err = lastDay(n.Until); err != nil {
			return Decided{}, err
		}
	}
	if err := d.check(ctx, &one); err != nil {
		return Decided{}, err
	}
	read := d.index.Where
	if n.Ahead {
		read = d.index.Ahead
	}
	if _, err := read(ctx, one.Scope); err != nil {
		return Decided{}, err
	}
	if who := ViewerOf(ctx); who.Limited() {
		f, err := fleet.Parse(one.Scope)
		if err != nil {
			return Decided{}, err
		}
		one.Scope = f.Within("site", who.Sites...).String()
	}
	machines, some, err := d.picked(ctx, &one)
	if err != nil {
		return Decided{}, err
	}
	if machines == 0 && !n.Ahead {
		what := ""
		if one.Kind == decision.Waive {
			what = " that fails " + one.Requirement
		}
		return Decided{}, refuse(notDecided,
			"no machine matches %q%s; correct the filter, or add the option ahead to decide in advance", one.Scope,
			what)
	}
	if n.Trial {
		out := d.Show(ctx, &one, machines)
		out.Some = some
		return out, nil
	}
	store.Note(ctx, "", d.noted(&one))
	if one.ID, err = d.Store.AddDecision(ctx, &one); err != nil {
		return Decided{}, err
	}
	d.changed()
	return d.Show(ctx, &one, machines), nil
}

func (d *Decisions) check(ctx context.Context, one *decision.Decision) error {
	var rel *release.Release
	if one.Kind == decision.Waive {
		if one.Release == "" {
			one.Release = d.releases.TargetWith(one.Requirement)
		}
		var err error
		if rel, err = d.releases.Get(ctx, one.Release, 0); err != nil && one.Release != "" {
			return orMissing(err, NoRelease(one.Release))
		}
	}
	if err := decision.Check(one, rel, d.Now()); err != nil {
		return refuse(notDecided, "%s", err)
	}
	return nil
}

// picked is how many machines a decision is for.
func (d *Decisions) picked(
	ctx context.Context, one *decision.Decision,
) (machines int, some []work.MachineRef, err error) {
	f, err := d.index.Stored(ctx, one.Scope)
	if err != nil {
		return 0, nil, err
	}
	err = d.index.Each(ctx, f, func(r *fleet.Row) {
		if one.Kind == decision.Waive && !Fails(r, one) {
			return
		}
		if machines++; len(some) < machinesShown {
			some = append(some, r.Ref())
		}
	})
	return machines, some, err
}

// lastDay is when a decision ends whose last day was typed: the day itself belongs to it.
func lastDay(text string) (time.Time, error) {
	day, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return time.Time{}, refuse(notDecided, "until is %q; write the last day as 2027-01-31", text)
	}
	return day.AddDate(0, 0, 1).UTC(), nil
}

// Move gives a decision that counts another last day.
func (d *Decisions) Move(ctx context.Context, one *decision.Decision, until string) (Decided, error) {
	moved := *one
	var err error
	if moved.Until, err = lastDay(until); err != nil {
		return Decided{}, err
	}
	if err := decision.CheckUntil(&moved, d.Now()); err != nil {
		return Decided{}, refuse(notDecided, "%s", err)
	}
	machines, _, err := d.picked(ctx, &moved)
	if err != nil {
		return Decided{}, err
	}
	store.Note(ctx, d.noted(one), d.noted(&moved))
	if err := d.Store.MoveDecision(ctx, one.ID, moved.Until, d.Now()); err != nil {
		return Decided{}, orMissing(err, fmt.Sprintf("decision %d has ended", one.ID))
	}
	d.changed()
	return d.Show(ctx, &moved, machines), nil
}

// noted is what the audit log says of a decision.
func (d *Decisions) noted(one *decision.Decision) string {
	return say.Decision(one, one.Requirement, d.Now()) + " For " + one.Scope + "."
}

// changed lays decisions over the index anew before the next answer.
func (d *Decisions) changed() {
	d.index.overlay.invalidate()
	d.index.Changed()
}

// Find is a decision that counts. Somebody else's is not found by whoever is limited to some sites.
func (d *Decisions) Find(ctx context.Context, id int64) (*decision.Decision, error) {
	list, _, err := d.all(ctx, false)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(list, func(one decision.Decision) bool { return one.ID == id })
	who := ViewerOf(ctx)
	if i < 0 || who.Limited() && list[i].By != who.Name {
		return nil, missing("%s", noDecision(id))
	}
	return &list[i], nil
}

func noDecision(id int64) string { return fmt.Sprintf("decision %d does not exist or has ended", id) }

// End ends a decision before its date.
func (d *Decisions) End(ctx context.Context, one *decision.Decision) error {
	store.Note(ctx, d.noted(one), "ended")
	if err := d.Store.EndDecision(ctx, one.ID, by(ctx), d.Now()); err != nil {
		return orMissing(err, noDecision(one.ID))
	}
	d.changed()
	return nil
}
