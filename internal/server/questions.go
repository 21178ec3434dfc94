package server

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// asked is what makes a question the same for several machines.
type asked struct{ fact, cause, about string }

// questions are what has to be found out, once for all machines that share it: those
// that are undetermined, and what nothing is known of.
func (s *Server) questions(ctx context.Context, where string) ([]api.Question, error) {
	f, err := s.where(ctx, within(where, fleet.Term("disposition", "undetermined")))
	if err != nil {
		return nil, err
	}
	rows := map[int64]fleet.Row{}
	var ids []int64
	if err := s.look(ctx, func(x *fleet.Index) {
		x.Select(f).Each(func(r *fleet.Row) { rows[r.ID], ids = *r, append(ids, r.ID) })
	}); err != nil {
		return nil, s.problem(err, "")
	}
	found := map[asked]*api.Question{}
	m, facts := s.toolbox(), new(fact.Facts)
	slices.Sort(ids)
	err = s.store.PackedOf(ctx, fact.Catalogue, ids, func(list []store.Packed) error {
		for i := range list {
			t, ok := s.target(list[i].Class)
			if !ok || facts.Unpack(list[i].Row) != nil {
				continue
			}
			m.Guides.Fill(facts)
			res, err := check.Run(t.release, facts)
			if err != nil {
				continue
			}
			r := rows[list[i].DeviceID]
			ask(found, res, facts, &r, where)
		}
		return nil
	})
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := []api.Question{}
	for _, q := range found {
		q.Says = fmt.Sprintf("%s: %s", q.About, q.Says)
		out = append(out, *q)
	}
	slices.SortFunc(out, func(a, b api.Question) int { return cmp.Or(b.Machines-a.Machines, strings.Compare(a.Says, b.Says)) })
	return out, nil
}

// ask adds what is not known of a machine. What only needs rights is a batch and no
// question.
func ask(found map[asked]*api.Question, res *check.Result, f *fact.Facts, r *fleet.Row, where string) {
	mine := map[asked]bool{}
	note := func(k asked, q api.Question) {
		if mine[k] {
			return
		}
		mine[k] = true
		if found[k] == nil {
			found[k] = &q
		}
		found[k].Machines++
	}
	model := strings.TrimSpace(r.Manufacturer + " " + r.Model)
	for i := range res.Findings {
		fd := &res.Findings[i]
		if fd.Outcome != check.Unknown || fd.Requirement.Level != release.Must {
			continue
		}
		for _, e := range fd.Evidence {
			def := e.Leaf.Fact().Def()
			switch {
			case e.Truth != need.Unknown:
			case e.Match != nil && e.Reading.Value.Known():
				name := e.Reading.Value.Text()
				note(asked{def.Name, fleet.NotListed, name}, api.Question{Says: "is it supported? No row of the list and no naming rule reads it.", About: name, Fact: def.Name, Label: def.Label, Cause: fleet.NotListed, Answer: "release", Where: within(where, fleet.Term(def.Name, name))})
			case e.Reading.Value.Known() || e.Row != "":
			case e.Reading.Gap != nil && e.Reading.Gap.Cause == inventory.NeedsRights:
			case e.Reading.Gap != nil && e.Reading.Gap.Cause == inventory.Disagree:
				note(asked{def.Name, inventory.Disagree, r.Key}, api.Question{Says: "which reading of “" + def.Label + "” is right? Two sources disagree.", About: r.Name, Fact: def.Name, Label: def.Label, Cause: inventory.Disagree, Answer: "machine-fact", Where: fleet.Term("key", r.Key)})
			default:
				cause := inventory.NotAsked
				if e.Reading.Gap != nil {
					cause = e.Reading.Gap.Cause
				}
				q := api.Question{Says: fmt.Sprintf("what is “%s”? %s", def.Label, say.Sentence(say.Cause(cause))), About: cmp.Or(model, r.Name), Fact: def.Name, Label: def.Label, Cause: cause, Maker: r.Manufacturer, Model: r.Model, Choices: need.Choices(def), Example: need.Example(def), Answer: "model-fact",
					Where: within(where, fleet.Term("missing", def.Name)+" "+fleet.Term("model", r.Model))}
				switch {
				case r.Model == "":
					q.Answer, q.Where = "machine-fact", fleet.Term("key", r.Key)
				case def.Aspect != fact.Capability: // how much and how it is set differs from machine to machine
					q.Answer = "machine-fact"
				}
				note(asked{def.Name, cause, q.About}, q)
			}
		}
	}
	plan := work.Parse(r.Plan)
	for _, set := range []struct {
		id         fact.ID
		what, step string
	}{{fact.SoftwareNotKnown, "title", "research-titles"}, {fact.DriversNotKnown, "driver", "research-drivers"}} {
		for _, name := range f.Value(set.id).Set() {
			if plan.Has(set.step) && len(found) < mostQuestions {
				note(asked{set.id.Def().Name, set.what, name}, api.Question{Says: "does this " + set.what + " go together with the target? Nothing is known of it.", About: name, Fact: set.id.Def().Name, Label: set.id.Def().Label, Cause: fleet.NotListed, Answer: "release", Where: within(where, fleet.Term("step", set.step))})
			}
		}
	}
}

// mostQuestions bounds questions about titles, of which a fleet may have very many.
const mostQuestions = 500

// soon is how long before its end a decision is announced.
const soon = 14

// watch is what should not be left as it is.
func (s *Server) watch(ctx context.Context, where string, ticks []store.ItemTick) ([]api.Watch, error) {
	f, err := s.where(ctx, where)
	if err != nil {
		return nil, err
	}
	paused, err := s.where(ctx, within(where, fleet.Term(fact.EncryptionState.Def().Name, "paused")))
	if err != nil {
		return nil, err
	}
	said := map[int64][]store.ItemTick{}
	for _, t := range ticks {
		said[t.DeviceID] = append(said[t.DeviceID], t)
	}
	out := []api.Watch{}
	m := s.toolbox()
	refOf := func(r *fleet.Row) api.MachineRef {
		return api.MachineRef{Key: r.Key, Name: r.Name, Place: r.Place, Model: strings.TrimSpace(r.Manufacturer + " " + r.Model)}
	}
	if err := s.look(ctx, func(x *fleet.Index) {
		x.Select(paused).Each(func(r *fleet.Row) {
			out = append(out, api.Watch{Kind: "paused", Machine: refOf(r), Says: r.Name + ": its encryption is paused. Resume it, and see that it protects."})
		})
		x.Select(f).Each(func(r *fleet.Row) {
			plan := work.Parse(r.Plan)
			done, desk := map[string]bool{}, false
			for _, t := range said[r.ID] {
				id := strings.TrimPrefix(t.Item, assess.TickStep)
				step := m.Steps.Find(id)
				if t.State != "done" || step == nil {
					continue
				}
				done[id] = true
				desk = desk || plan.In(m.Steps, remedy.Desk).Has(id)
				if slices.Contains(plan.Remedies(), id) && t.At().Before(r.TakenAt) {
					out = append(out, api.Watch{Kind: "no-effect", Machine: refOf(r), Says: fmt.Sprintf("%s: %s was said to be done by %s, and the inventory after it shows no effect.", r.Name, say.AnyTitle(step), t.By)})
				}
			}
			if desk && plan.Has("recovery-key") && !done["recovery-key"] {
				out = append(out, api.Watch{Kind: "key-not-checked", Machine: refOf(r), Says: r.Name + ": somebody has begun at the desk, and nobody has said that the recovery key is held."})
			}
		})
	}); err != nil {
		return nil, s.problem(err, "")
	}
	lost, err := s.lost(ctx, where)
	if err != nil {
		return nil, err
	}
	out = append(out, lost...)
	slices.SortStableFunc(out, func(a, b api.Watch) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), strings.Compare(a.Machine.Name, b.Machine.Name))
	})
	list, counts, err := s.decisionsSeen(ctx, true)
	if err != nil {
		return nil, s.problem(err, "")
	}
	now := s.now()
	for i := range list {
		d := &list[i]
		switch shown := s.showDecision(d, counts[d.ID], now); {
		case d.Counts(now) && d.Until.Before(now.AddDate(0, 0, soon)) && d.Kind != decision.Later:
			out = append(out, api.Watch{Kind: "decision-ends", Says: "Ends soon: " + shown.Says, Where: shown.Where})
		case d.Ended.IsZero() && !d.Counts(now) && now.Sub(d.Until) < endedLately:
			out = append(out, api.Watch{Kind: "decision-ended", Says: shown.Says, Where: shown.Where})
		}
	}
	return out, nil
}
