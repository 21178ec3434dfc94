package server

import (
	"context"
	"sync"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/byhand"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/store"
)

// judgeAll judges every machine of a class from its packed facts.
func (s *Server) judgeAll(ctx context.Context, class string, t target) error {
	all, err := s.store.Packable(ctx, class)
	if err != nil {
		return err
	}
	told := s.judgings.begin(t.release.Ref(), all)
	defer s.judgings.end()
	return s.store.JudgeAll(ctx, t.judgement, class, fact.Catalogue, func() store.Judge {
		judge, f := assess.NewJudge(s.toolbox(), t.release), new(fact.Facts)
		var next *assess.Judge
		if t.next != nil {
			next = assess.NewJudge(s.toolbox(), t.next)
		}
		return func(p *store.Packed) (*store.Verdict, error) {
			if err := f.Unpack(p.Row); err != nil {
				return nil, err
			}
			got, err := judge.Judge(f)
			if err != nil {
				return nil, err
			}
			v := verdict(t, p.DeviceID, p.InventoryID, &got)
			if next != nil {
				if err := f.Unpack(p.Row); err != nil { // a judge fills the facts from its release
					return nil, err
				}
				after, err := next.Judge(f)
				if err != nil {
					return nil, err
				}
				v.Next = int(after.Disposition)
			}
			return &v, nil
		}
	}, told)
}

// verdict is what is stored of a check.
func verdict(t target, device, inventory int64, g *assess.Judgement) store.Verdict {
	return store.Verdict{JudgementID: t.judgement, DeviceID: device, InventoryID: inventory, Disposition: int(g.Disposition), Certain: g.Confirmed,
		Publisher: int(g.Publisher), Fails: g.Fails, Sole: g.Sole, Outcomes: g.Outcomes, Way: g.Way, Plan: g.Plan, Next: fleet.NoNext}
}

// judges decide on one machine after the other as inventories come. Machines with the same
// kind of trouble are decided once.
type judges struct {
	mu    sync.Mutex
	means *means.Means
	of    map[*release.Release]*assess.Judge
}

// mostJudges bounds how many releases are remembered: two targets with what follows them.
const mostJudges = 8

func (j *judges) judge(m *means.Means, rel *release.Release, f *fact.Facts) (assess.Judgement, error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.means != m || len(j.of) >= mostJudges && j.of[rel] == nil {
		j.means, j.of = m, map[*release.Release]*assess.Judge{}
	}
	one := j.of[rel]
	if one == nil {
		one = assess.NewJudge(m, rel)
		j.of[rel] = one
	}
	return one.Judge(f)
}

// settled is what came of judging one machine within a write. The verdict is nil
// where its class has no target.
type settled struct {
	target  target
	verdict *store.Verdict
	facts   *fact.Facts
	flipped bool // its disposition changed
}

// settle packs the facts of a machine's latest inventory, with what was entered
// by hand, and judges them, within a write.
func (s *Server) settle(tx *store.Tx, d *store.Device, inv *inventory.Document, cause string) (settled, error) {
	f, err := pack(tx, d, inv)
	if err != nil {
		return settled{}, err
	}
	t, ok := s.target(d.Class)
	if !ok {
		return settled{}, nil
	}
	m := s.toolbox()
	g, err := s.judges.judge(m, t.release, f.Clone())
	if err != nil {
		return settled{}, err
	}
	v := verdict(t, d.ID, d.InventoryID, &g)
	if t.next != nil {
		if after, err := s.judges.judge(m, t.next, f.Clone()); err == nil {
			v.Next = int(after.Disposition)
		}
	}
	if cause == store.ByInventory {
		if err := tx.Seen(d.ID, t.release.ID, t.release.Name, inv.OS.Name.Or("") == t.release.Name, inv.TakenAt); err != nil {
			return settled{}, err
		}
	}
	flipped, err := tx.Put(&v, cause, s.now())
	return settled{t, &v, f, flipped}, err
}

// pack stores the packed facts of a machine's latest inventory with what was
// entered by hand, and gives them.
func pack(tx *store.Tx, d *store.Device, inv *inventory.Document) (*fact.Facts, error) {
	hand, err := tx.HandFacts(d.ID)
	if err != nil {
		return nil, err
	}
	ofModel, err := tx.ModelFacts(d.Maker, d.Model)
	if err != nil {
		return nil, err
	}
	whole, _ := byhand.Enter(byhand.Fill(inv, ofModel, hand), hand) // what does not go in is shown on the machine's page
	f := fact.Read(whole)
	return f, tx.PutRow(d.ID, d.Class, fact.Catalogue, f.Pack(nil))
}

// repack makes packed facts again that are missing or of another version.
func (s *Server) repack(ctx context.Context) error {
	devices, err := s.store.Unpacked(ctx, fact.Catalogue)
	if err != nil {
		return err
	}
	for i := range devices {
		err := s.change(ctx, devices[i].Key, func(tx *store.Tx, d *store.Device, inv *inventory.Document) error {
			_, err := pack(tx, d, inv)
			return err
		})
		if err != nil {
			return err
		}
	}
	if len(devices) > 0 {
		s.log.Info("facts packed again", "machines", len(devices))
	}
	return nil
}

// whole is an inventory of a machine with what was entered by hand; left are
// the facts that did not go in, with the reason.
func (s *Server) whole(ctx context.Context, d *store.Device, id int64) (inv *inventory.Document, hand []byhand.Fact, left []error, err error) {
	if inv, err = s.store.Inventory(ctx, d.ID, id); err != nil {
		return nil, nil, nil, err
	}
	if hand, err = s.store.HandFacts(ctx, d.ID); err != nil {
		return nil, nil, nil, err
	}
	ofModel, err := s.store.ModelFacts(ctx, d.Maker, d.Model)
	if err != nil {
		return nil, nil, nil, err
	}
	inv, left = byhand.Enter(byhand.Fill(inv, ofModel, hand), hand)
	return inv, hand, left, nil
}

// check checks a machine against a target now and says it, with the releases
// that follow beside it.
func (s *Server) check(ctx context.Context, t target, inv *inventory.Document, waivers ...assess.Waiver) (*assess.Document, error) {
	a, err := assess.With(s.toolbox(), t.release, inv, waivers...)
	if err != nil {
		return nil, err
	}
	doc := a.Document(s.now(), build.Version)
	following, err := s.following(ctx, t.release.ID)
	if err != nil {
		return nil, err
	}
	for _, next := range following {
		if b, err := assess.With(s.toolbox(), next, inv); err == nil {
			doc.AddNext(b)
		}
	}
	return doc, nil
}

// answer is the sentence on what a machine takes, with facts that were asked
// for.
type answer struct {
	says  string
	facts map[string]string
}

// answers are worked out from packed facts, which hold what decides; by the
// numbers of the machines.
func (s *Server) answers(ctx context.Context, rows []fleet.Row, defs []*fact.Def) (map[int64]answer, error) {
	out := map[int64]answer{}
	var ids []int64
	m, begun := s.toolbox(), s.sentences.begin()
	waived := map[int64]string{}
	for i := range rows {
		r := &rows[i]
		if t, ok := s.target(r.Class); ok && len(defs) == 0 {
			if text, ok := s.sentences.get(r.ID, sentence{means: m, release: t.release, waived: r.WaivedMusts}); ok {
				out[r.ID] = answer{says: text}
				continue
			}
		}
		ids = append(ids, r.ID)
		waived[r.ID] = r.WaivedMusts
	}
	if ids == nil {
		return out, nil
	}
	f := new(fact.Facts)
	err := s.store.EachRow(ctx, nil, fact.Catalogue, ids, func(list []store.Row) error {
		for i := range list {
			d := &list[i]
			if d.Packed == nil {
				continue
			}
			if err := f.Unpack(d.Packed); err != nil {
				return err
			}
			a := answer{facts: inWords(f, defs)}
			if t, ok := s.target(d.Class); ok {
				a.says = assess.Answer(m, t.release, f, lines(waived[d.ID])...)
				s.sentences.put(begun, d.ID, sentence{a.says, m, t.release, waived[d.ID]})
			}
			out[d.ID] = a
		}
		return nil
	})
	return out, err
}
