package server

import (
	"context"
	"fmt"
	"net/http"
	"runtime"
	"slices"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// What to do first for the most effect.
func (s *Server) effects(a huma.API) {
	huma.Register(a, secured(huma.Operation{OperationID: "effects", Method: http.MethodGet, Path: "/work/effects", Summary: "Which remedies free the most machines, alone and in the best order", Tags: []string{"Work"}, Errors: []int{http.StatusUnprocessableEntity}}, ScopeRead), s.showEffects)
}

type effectsInput struct {
	Where string `query:"where" maxLength:"2000"`
	Order string `query:"order" enum:"machines,time" default:"machines" doc:"By which the next pick is chosen: most machines a remedy, or least time a machine"`
}

func (s *Server) showEffects(ctx context.Context, in *effectsInput) (*struct{ Body api.Effects }, error) {
	plans, err := s.planned(ctx, in.Where)
	if err != nil {
		return nil, err
	}
	m := s.toolbox()
	bills, err := s.bills(ctx, m, plans)
	if err != nil {
		return nil, s.problem(err, "")
	}
	kinds := make([]work.Kind, len(plans))
	for i, p := range plans {
		kinds[i] = work.Kind{Plan: work.Parse(p.Plan), Disposition: p.Disposition, Machines: len(p.Machines)}
		for _, id := range p.Machines {
			for _, b := range bills[id] {
				if b.Priced {
					kinds[i].Cost = kinds[i].Cost.Add(b.Price)
				} else {
					kinds[i].Unpriced += b.Part.Count
				}
			}
		}
	}
	got := work.Free(kinds, m.Steps, work.Order(slices.Index(work.Orders, in.Order)))
	out := api.Effects{Where: in.Where, Order: in.Order, Machines: got.Machines, Ready: got.Ready, Undetermined: got.Undetermined, WhereUndetermined: within(in.Where, fleet.Term("disposition", "undetermined")),
		Decide: got.Decide, WhereDecide: within(in.Where, fleet.Term("disposition", "decide")),
		Remedies: []api.Remedy{}, Picks: []api.Pick{}}
	for _, e := range got.Effects {
		r := api.Remedy{StepRef: stepRef(m, e.Step), Needs: e.Needs, Alone: e.Alone, Expected: e.Expected,
			WhereAlone: within(in.Where, fleet.Term("freed", e.Step)),
			WhereNeeds: within(in.Where, fleet.Term("step", e.Step)+" "+fleet.Term("disposition", "reconfigure", "refit", "replace"))}
		if step := m.Steps.Find(e.Step); step != nil {
			r.Class, r.By, r.Minutes = step.Class.String(), say.People[step.By()], step.Minutes
		}
		out.Remedies = append(out.Remedies, r)
	}
	var done []string
	var minutes remedy.Minutes
	var cost price.Range
	unpriced := 0
	for _, p := range got.Picks {
		minutes.Least, minutes.Most = minutes.Least+p.Minutes.Least, minutes.Most+p.Minutes.Most
		cost, unpriced = cost.Add(p.Cost), unpriced+p.Unpriced
		pick := api.Pick{Gain: p.Gain, Expected: p.Expected, Ready: p.Ready, Minutes: p.Minutes, SoFar: minutes, Cost: money(m, p.Cost, p.Unpriced), CostSums: money(m, cost, unpriced)}
		for _, id := range p.Steps {
			pick.Steps = append(pick.Steps, stepRef(m, id))
		}
		done = append(done, p.Steps...)
		// Freed by all steps so far, and not without those of this pick.
		pick.Where = within(in.Where, fleet.Term("freed", done...)+" "+fleet.Term("step", p.Steps...))
		out.Picks = append(out.Picks, pick)
	}
	return &struct{ Body api.Effects }{out}, nil
}

// planned are the machines that a filter picks, by their plans.
func (s *Server) planned(ctx context.Context, where string) ([]fleet.Planned, error) {
	f, err := s.where(ctx, where)
	if err != nil {
		return nil, err
	}
	var out []fleet.Planned
	if err := s.look(ctx, func(x *fleet.Index) { out = x.Select(f).Plans() }); err != nil {
		return nil, s.problem(err, "")
	}
	return out, nil
}

func stepRef(m *means.Means, id string) api.StepRef {
	if step := m.Steps.Find(id); step != nil {
		return api.StepRef{Step: id, Title: say.AnyTitle(step)}
	}
	return api.StepRef{Step: id, Title: id}
}

func money(m *means.Means, r price.Range, unpriced int) api.Money {
	out := api.Money{Least: r.Least, Most: r.Most, Unpriced: unpriced}
	if m.Prices != nil {
		out.Currency = m.Prices.Currency
	}
	switch {
	case r.Zero() && unpriced == 0:
		out.Says = "nothing to buy"
	case r.Zero():
		out.Says = fmt.Sprintf("%s without a price", say.Count(unpriced, "part", "parts"))
	default:
		out.Says = out.Currency + " " + r.String()
		if unpriced > 0 {
			out.Says += fmt.Sprintf(", and %s without a price", say.Count(unpriced, "part", "parts"))
		}
	}
	return out
}

// bills are the parts of machines that were worked out. One is good as long as the
// machine's plan and the means are.
type bills struct {
	mu    sync.Mutex
	means *means.Means
	known map[int64]bill
}

type bill struct {
	plan  string
	parts []assess.Buy
}

// forget drops what was worked out for machines that were changed.
func (b *bills) forget(ids []int64, all bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if all {
		b.known = nil
	}
	for _, id := range ids {
		delete(b.known, id)
	}
}

// bills are what the plans of machines buy, by the numbers of the machines; only plans
// with parts have some. They are worked out from packed facts, on all processors.
func (s *Server) bills(ctx context.Context, m *means.Means, plans []fleet.Planned) (map[int64][]assess.Buy, error) {
	out, planOf := map[int64][]assess.Buy{}, map[int64]string{}
	b := &s.parts
	b.mu.Lock()
	if b.means != m || b.known == nil {
		b.means, b.known = m, map[int64]bill{}
	}
	var todo []int64
	for _, p := range plans {
		if !buys(m, p.Plan) {
			continue
		}
		for _, id := range p.Machines {
			if had, ok := b.known[id]; ok && had.plan == p.Plan {
				out[id] = had.parts
			} else {
				todo, planOf[id] = append(todo, id), p.Plan
			}
		}
	}
	b.mu.Unlock()
	if len(todo) == 0 {
		return out, nil
	}
	slices.Sort(todo)
	waived := map[int64][]string{}
	if err := s.look(ctx, func(x *fleet.Index) {
		x.Select(fleet.Filter{}.Within("decision", decision.Waive)).Each(func(r *fleet.Row) { waived[r.ID] = lines(r.WaivedMusts) })
	}); err != nil {
		return nil, err
	}
	g, ctx := errgroup.WithContext(ctx)
	for some := range slices.Chunk(todo, len(todo)/runtime.GOMAXPROCS(0)+1) {
		g.Go(func() error {
			f := new(fact.Facts)
			return s.store.PackedOf(ctx, fact.Catalogue, some, func(batch []store.Packed) error {
				worked := make([]bill, len(batch))
				for i := range batch {
					t, ok := s.target(batch[i].Class)
					if !ok || f.Unpack(batch[i].Row) != nil {
						continue
					}
					id := batch[i].DeviceID
					parts, err := assess.Buys(m, t.release, f, waived[id]...)
					if err != nil {
						return err
					}
					worked[i] = bill{planOf[id], parts}
				}
				b.mu.Lock()
				defer b.mu.Unlock()
				for i := range batch {
					id := batch[i].DeviceID
					out[id] = worked[i].parts
					if b.means == m && b.known != nil {
						b.known[id] = worked[i]
					}
				}
				return nil
			})
		})
	}
	return out, g.Wait()
}

// buys says whether a plan has a step that something is bought for.
func buys(m *means.Means, plan string) bool {
	for _, st := range work.Parse(plan) {
		if d := m.Steps.Find(st.ID); d != nil && d.Part != "" {
			return true
		}
	}
	return false
}
