package service

import (
	"context"
	"time"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// The methods of this file fill a service from within the program, as the demo does, by the same
// ways as requests.

// desktopSupport is who does what the demo did.
const desktopSupport = "desktop support"

func seeding(ctx context.Context) context.Context {
	return As(ctx, &Viewer{Name: desktopSupport, Plain: true})
}

// LoadRelease adds a release document.
func (s *Service) LoadRelease(ctx context.Context, name string, src []byte) error {
	rel, err := release.Read(name, src, nil)
	if err != nil {
		return err
	}
	_, err = s.Store.AddRelease(ctx, rel, src, s.Now())
	return err
}

// SetTarget chooses the target release of a class of hardware.
func (s *Service) SetTarget(ctx context.Context, class, id string) error {
	rel, err := s.Judge.Choose(ctx, class, store.Aim{ID: id}, true)
	if err != nil {
		return err
	}
	return s.Judge.Activate(ByItself(ctx), rel)
}

// SetSites replaces all sites.
func (s *Service) SetSites(ctx context.Context, byPrefix map[string]string) error {
	var list []store.Site
	for prefix, name := range byPrefix {
		list = append(list, store.Site{Prefix: prefix, Name: name})
	}
	return s.Machines.SetSites(ctx, list)
}

// Load keeps and judges an inventory.
func (s *Service) Load(ctx context.Context, d *inventory.Document) error {
	_, err := s.Intake.Keep(ByItself(ctx), d, store.Entry{})
	return err
}

// SetKnowledge puts a document of an organisation's own in force.
func (s *Service) SetKnowledge(ctx context.Context, kind, text, by string) error {
	return s.Judge.PutKnowledge(As(ctx, &Viewer{Name: by, Plain: true}), kind, text)
}

// Tally counts machines by site, class and disposition.
func (s *Service) Tally(ctx context.Context) (map[[3]string]int, error) {
	counts, err := s.Index.Tally(ByItself(ctx))
	out := make(map[[3]string]int, len(counts))
	for g, n := range counts {
		out[[3]string{g.Site, g.Class, g.Disposition.String()}] = n
	}
	return out, err
}

// PutTally notes what a day ended with.
func (s *Service) PutTally(ctx context.Context, day time.Time, counts map[[3]string]int) error {
	groups := make(map[Group]int, len(counts))
	for key, n := range counts {
		d, _ := remedy.DispositionOf(key[2])
		groups[Group{key[0], key[1], d}] = n
	}
	return s.Upkeep.PutTally(ctx, day, groups)
}

// Expect adds machines that should be here, by name and site, with why they do not report.
func (s *Service) Expect(ctx context.Context, list [][3]string) error {
	before, err := s.Store.Expected(ctx)
	if err != nil {
		return err
	}
	for _, e := range list {
		one := store.Expected{Name: e[0], Site: e[1], Reason: e[2], Millis: s.Now().UnixMilli()}
		before = append(before, one)
	}
	return s.Store.SetExpected(ctx, before)
}

// Tag gives the machines that a filter picks a tag.
func (s *Service) Tag(ctx context.Context, where, tag string) error {
	tagged := func(int) string { return "+" + tag }
	_, err := s.Bulk.Marks(seeding(ctx), Picking{Where: where}, &store.Change{Tag: []string{tag}}, tagged)
	return err
}

// SetFilter keeps a filter under a name.
func (s *Service) SetFilter(ctx context.Context, name, filter, by string) error {
	f := &store.SavedFilter{Name: name, Filter: filter, By: by, Millis: s.Now().UnixMilli()}
	return s.Store.SetFilter(ctx, f)
}

// PutDecision decides something about machines, at the time that the decision names.
func (s *Service) PutDecision(ctx context.Context, d *decision.Decision) error {
	var rel *release.Release
	if d.Release != "" {
		var err error
		if rel, err = s.Releases.Get(ctx, d.Release, 0); err != nil {
			return err
		}
	}
	if err := decision.Check(d, rel, d.At); err != nil {
		return err
	}
	_, err := s.Store.AddDecision(ctx, d)
	s.Decisions.changed()
	return err
}

// SetStock records the stock and the lead time of a part.
func (s *Service) SetStock(ctx context.Context, part string, onHand, leadDays int) error {
	return s.Orders.putStock(seeding(ctx), part, work.Stock{OnHand: onHand, LeadDays: leadDays})
}

// AssignWork gives the work on the machines of a filter to somebody, on a day; "" is none.
func (s *Service) AssignWork(ctx context.Context, where, who, note, day, half string) error {
	_, err := s.Work.Assign(seeding(ctx), Picking{Where: where},
		&Assigning{Who: who, Note: note, Day: day, Half: half, Overwrite: true})
	return err
}

// SetWave adds a wave as it was some time ago, with machines that a filter picks; they were handed
// over at a time, if it is not zero.
func (s *Service) SetWave(ctx context.Context, w wave.Wave, where string, handedOff time.Time) (int64, error) {
	ctx = seeding(ctx)
	var ids []int64
	var err error
	if where != "" {
		if ids, err = s.Index.Picked(ctx, where, nil); err != nil {
			return 0, err
		}
	}
	if w.ID, err = s.Store.SetWave(ctx, &w, desktopSupport, s.Now()); err != nil {
		return 0, err
	}
	ids = ids[:min(len(ids), w.Most)]
	cal, err := s.Waves.Calendar(ctx)
	if err != nil {
		return 0, err
	}
	members := make([]store.Member, len(ids))
	for i, day := range cal.Assign(len(ids), &w, nil, w.Starts) {
		members[i] = store.Member{WaveID: w.ID, MachineID: ids[i], Day: string(day)}
	}
	if err := s.Store.SetMembers(ctx, members); err != nil {
		return 0, err
	}
	if !handedOff.IsZero() {
		err = s.Store.Hand(ctx, &w, ids, handedOff)
	}
	s.Index.Changed(ids...)
	return w.ID, err
}

// AddModelFact enters a fact for every machine of a model.
func (s *Service) AddModelFact(ctx context.Context, maker, model, fact, value, note string) error {
	_, _, err := s.Machines.AddModelFact(ByItself(ctx), maker, model, &NewFact{Fact: fact, Value: value, Note: note})
	return err
}

// SayOutcome tells what became of a machine in a wave, at a time.
func (s *Service) SayOutcome(ctx context.Context, id int64, key, outcome, reason string, at time.Time) error {
	d, err := s.Store.MachineByKey(ctx, key)
	if err != nil {
		return err
	}
	return s.Store.SayOutcome(ctx, &store.WaveRecord{WaveID: id, MachineID: d.ID, Outcome: outcome, Reason: reason,
		By: desktopSupport, Millis: at.UnixMilli()})
}

// SetBlackouts replaces the days on which nothing is upgraded.
func (s *Service) SetBlackouts(ctx context.Context, list []wave.Blackout) error {
	return s.Waves.SetBlackouts(ctx, list)
}

// PlaceOrder records an order of parts that was placed.
func (s *Service) PlaceOrder(
	ctx context.Context, number, supplier, day, expected, part, where string, price int64,
) error {
	_, err := s.Orders.Add(seeding(ctx), &Ordering{Picking: Picking{Where: where}, Number: number, Supplier: supplier,
		Day: day, Expected: expected, Part: part, Price: price})
	return err
}

// SetOrder records what became of parts of an order.
func (s *Service) SetOrder(ctx context.Context, number, state, part, day string) error {
	_, err := s.Orders.Set(seeding(ctx), number, &Setting{State: state, Part: part, Day: day})
	return err
}

// SetReplacement records which machine takes the place of another.
func (s *Service) SetReplacement(ctx context.Context, key, newName, note string) error {
	_, err := s.Orders.SetPair(seeding(ctx), key, newName, note)
	return err
}

// AskQuestion records that the first open question about a fact was put to somebody.
func (s *Service) AskQuestion(ctx context.Context, fact, who, due, note string) error {
	ctx = seeding(ctx)
	list, err := s.Work.questions(ctx, "")
	for i := range list {
		if list[i].Fact == fact {
			return s.Inquiries.Ask(ctx, list[i].ID, who, due, note)
		}
	}
	return err
}

// SetTechnician adds somebody who visits machines.
func (s *Service) SetTechnician(ctx context.Context, name string, minutes int) error {
	return s.Work.SetTechnician(seeding(ctx), &visit.Technician{Name: name, Minutes: minutes})
}
