package server

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/store"
)

// decided is what is laid over the index. Decisions depend on the clock: they are in no
// verdict, and one that ends needs no judging.
type decided struct {
	stale  atomic.Bool // the list in the database is another
	loaded bool
	list   []decision.Decision
	next   time.Time     // when the first of them ends; zero: none does
	counts map[int64]int // machines by the number of the decision
}

// undecided says whether what is laid over the index is no longer what counts.
func (s *Server) undecided() bool {
	d := &s.live.decided
	return d.stale.Load() || !d.loaded || !d.next.IsZero() && !s.now().Before(d.next)
}

// readDecisions reads the list of decisions where it is another one.
func (s *Server) readDecisions(ctx context.Context) error {
	d := &s.live.decided
	if !d.stale.Swap(false) && d.loaded {
		return nil
	}
	list, err := s.store.Decisions(ctx)
	if err != nil {
		d.stale.Store(true)
		return err
	}
	d.list, d.loaded = list, true
	return nil
}

// decide lays the decisions that count over an index.
func (s *Server) decide(ctx context.Context, x *fleet.Index) error {
	if err := s.readDecisions(ctx); err != nil {
		return err
	}
	d, now := &s.live.decided, s.now()
	x.Undecide()
	d.next, d.counts = time.Time{}, map[int64]int{}
	waived, waivers := map[int64][]string{}, map[int64][]int64{}
	for i := range d.list {
		one := &d.list[i]
		if !one.Counts(now) {
			continue
		}
		if d.next.IsZero() || one.Until.Before(d.next) {
			d.next = one.Until
		}
		f, err := s.scope(ctx, one)
		if err != nil { // it was read when it was made; a newer version may know fewer keys
			s.log.Error("a decision's machines cannot be found", "decision", one.ID, "error", err)
			continue
		}
		var ids []int64
		x.Select(f).Each(func(r *fleet.Row) {
			if one.Kind != decision.Waive || fails(r, one) {
				ids = append(ids, r.ID)
			}
		})
		d.counts[one.ID] = len(ids)
		for _, id := range ids {
			if one.Kind == decision.Waive {
				waived[id], waivers[id] = append(waived[id], one.Requirement), append(waivers[id], one.ID)
				continue
			}
			x.Decide(id, func(r *fleet.Row) { lay(r, one) })
		}
	}
	if err := s.waive(ctx, x, waived); err != nil {
		return err
	}
	for id, numbers := range waivers {
		x.Decide(id, func(r *fleet.Row) {
			for _, n := range numbers {
				r.DecidedBy += number(n)
			}
		})
	}
	return nil
}

// scope is the filter of a decision.
func (s *Server) scope(ctx context.Context, d *decision.Decision) (fleet.Filter, error) {
	f, err := fleet.Parse(d.Scope)
	if err != nil {
		return f, err
	}
	f, err = s.seek(ctx, f, true)
	return f.At(s.now()), err
}

// number is how a row names a decision.
func number(id int64) string { return fmt.Sprintf(" %d ", id) }

func fails(r *fleet.Row, d *decision.Decision) bool {
	if !r.Judged || r.Release == nil || r.Release.ID != d.Release {
		return false
	}
	for i := range min(len(r.Outcomes), len(r.Release.Requirements)) {
		if r.Release.Requirements[i].ID == d.Requirement {
			return r.Outcomes[i] == 'f' && r.Release.Requirements[i].Waivable()
		}
	}
	return false
}

func lay(r *fleet.Row, d *decision.Decision) {
	r.DecidedBy += number(d.ID)
	switch d.Kind {
	case decision.Stay:
		r.Decided |= fleet.Stays
	case decision.Hold:
		r.Decided |= fleet.Held
	case decision.Later:
		r.Decided |= fleet.Later
		if d.Until.After(r.Later) {
			r.Later = d.Until
		}
	}
}

// waive decides again on machines of which requirements are waived.
func (s *Server) waive(ctx context.Context, x *fleet.Index, waived map[int64][]string) error {
	ids := make([]int64, 0, len(waived))
	for id := range waived {
		ids = append(ids, id)
	}
	judges, f := map[*release.Release]*assess.Judge{}, new(fact.Facts)
	return s.store.EachRow(ctx, nil, fact.Catalogue, ids, func(rows []store.Row) error {
		for i := range rows {
			t, ok := s.target(rows[i].Class)
			if !ok || rows[i].Packed == nil || f.Unpack(rows[i].Packed) != nil {
				continue
			}
			if judges[t.release] == nil {
				judges[t.release] = assess.NewJudge(s.toolbox(), t.release)
			}
			id := rows[i].ID
			g, err := judges[t.release].Judge(f, waived[id]...)
			if err != nil {
				return err
			}
			x.Decide(id, func(r *fleet.Row) {
				r.Decided |= fleet.Waived
				r.WaivedMusts = strings.Join(waived[id], "\n")
				r.Disposition, r.Publisher, r.Certain, r.Fails, r.Sole, r.Outcomes, r.Plan, r.Way = g.Disposition, g.Publisher, g.Confirmed, g.Fails, g.Sole, g.Outcomes, g.Plan, g.Way
			})
		}
		return nil
	})
}

// decisions are those that count, or all of them, with how many machines each is for.
func (s *Server) decisions(ctx context.Context, all bool) ([]decision.Decision, map[int64]int, error) {
	if err := s.refresh(ctx); err != nil {
		return nil, nil, err
	}
	l := &s.live
	l.reading.Lock()
	defer l.reading.Unlock()
	var out []decision.Decision
	for _, d := range l.decided.list {
		if all || d.Counts(s.now()) {
			out = append(out, d)
		}
	}
	counts := map[int64]int{}
	for id, n := range l.decided.counts {
		counts[id] = n
	}
	return out, counts, nil
}

// decisionsSeen are the decisions that concern the machines that a caller sees, with how
// many of these each is for. Whoever is limited to some sites does not see what a decision
// says of others: neither its filter nor its count.
func (s *Server) decisionsSeen(ctx context.Context, all bool) ([]decision.Decision, map[int64]int, error) {
	list, counts, err := s.decisions(ctx, all)
	who := callerOf(ctx)
	if err != nil || !who.limited() {
		return list, counts, err
	}
	counts = map[int64]int{}
	f, err := s.where(ctx, "")
	if err != nil {
		return nil, nil, err
	}
	err = s.look(ctx, func(x *fleet.Index) {
		x.Select(f).Each(func(r *fleet.Row) {
			for _, word := range strings.Fields(r.DecidedBy) {
				if id, err := strconv.ParseInt(word, 10, 64); err == nil {
					counts[id]++
				}
			}
		})
	})
	list = slices.DeleteFunc(list, func(d decision.Decision) bool { return counts[d.ID] == 0 && d.By != who.Name })
	for i := range list {
		who.hideScope(&list[i])
	}
	return list, counts, err
}

// hideScope replaces the filter of somebody else's decision by one that finds its machines.
func (c *caller) hideScope(d *decision.Decision) {
	if c.limited() && d.By != c.Name {
		d.Scope = fleet.Term("decision", strconv.FormatInt(d.ID, 10))
	}
}

// decisionsOn are those that count for a machine.
func (s *Server) decisionsOn(ctx context.Context, key string) ([]decision.Decision, error) {
	all, _, err := s.decisions(ctx, false)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	f, err := fleet.Parse(fleet.Term("key", key))
	if err != nil {
		return nil, err
	}
	numbers := ""
	err = s.look(ctx, func(x *fleet.Index) {
		x.Select(f.Within("retired", "yes", "no")).Each(func(r *fleet.Row) { numbers = r.DecidedBy })
	})
	all = slices.DeleteFunc(all, func(d decision.Decision) bool { return !strings.Contains(numbers, number(d.ID)) })
	for i := range all {
		callerOf(ctx).hideScope(&all[i])
	}
	return all, err
}

// waiversOn are the requirements that may fail on a machine.
func (s *Server) waiversOn(ctx context.Context, key string, t target) ([]assess.Waiver, error) {
	list, err := s.decisionsOn(ctx, key)
	var out []assess.Waiver
	for _, d := range list {
		if d.Kind == decision.Waive && t.release != nil && d.Release == t.release.ID {
			out = append(out, assess.Waiver{Requirement: d.Requirement, Reason: d.Reason, By: d.By, Until: d.Until})
		}
	}
	return out, err
}
