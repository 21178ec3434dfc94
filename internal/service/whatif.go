package service

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// WhatIf is who would change disposition if the requirements were others, before anything is
// published.
type WhatIf struct {
	Records
	releases  *Releases
	knowledge *Knowledge
	index     *Index
	work      *Work
}

// Ask is what is asked about, and what it is compared with.
type Ask struct {
	Document string // the text of a release document, or of a bundle
	Release  string // instead of it: id of a stored release
	Revision int
	Than     string // id of the release to compare with; "": the target of the class
	ThanRev  int
	Where    string // a filter
	Effort   bool   // what both take is worked out, too: visits, time, parts
}

// MaxNamed is how many machines are named that change.
const MaxNamed = 1000

// Flip is a machine whose disposition changes, with the ids of the requirements that do it.
type Flip struct {
	work.MachineRef
	Was, Becomes remedy.Disposition
	By           []string
}

// Answered is who would change.
type Answered struct {
	*fleet.WhatIf
	Named []Flip // at most MaxNamed, the worst first
	Took  time.Duration

	Efforts []work.Effort // by the release Was, and by Is; nil if it was not asked for
	Minutes int           // that technicians have for visits on a day
}

// Run answers what would change.
func (w *WhatIf) Run(ctx context.Context, ask *Ask) (*Answered, error) {
	began := w.Now()
	is, was, err := w.sides(ctx, ask)
	if err != nil {
		return nil, err
	}
	f, err := w.index.Where(ctx, ask.Where)
	if err != nil {
		return nil, err
	}
	t, ok := w.releases.Target(is.InstallsOn)
	known := ok && t.Release == was // then the verdicts are there
	got, rows := fleet.NewWhatIf(was, is), map[int64]standing{}
	var ids []int64
	err = w.index.View(ctx, func(x *fleet.Index) {
		picked := x.Select(f.Within("class", is.InstallsOn))
		switch {
		case known && t.Next == is:
			ids = picked.Foreseen(got)
		case known:
			ids = picked.Spare(got)
		default:
			picked.Each(func(r *fleet.Row) { ids = append(ids, r.ID) })
		}
		for _, id := range ids {
			r := x.Row(id)
			now := fleet.Standpoint{Disposition: r.Disposition, Outcomes: r.Outcomes}
			rows[id] = standing{r.Judged, now, r.Site, r.WaivedMusts}
		}
	})
	if err != nil {
		return nil, err
	}
	slices.Sort(ids)
	if err := w.weigh(ctx, got, ids, rows, known); err != nil {
		return nil, err
	}
	out := &Answered{WhatIf: got}
	if out.Named, err = w.name(ctx, got.Flips); err != nil {
		return nil, err
	}
	if ask.Effort {
		if err := w.efforts(ctx, f, out); err != nil {
			return nil, err
		}
	}
	out.Took = w.Now().Sub(began)
	return out, nil
}

// name names machines that change, at most [MaxNamed], the worst first.
func (w *WhatIf) name(ctx context.Context, flips []fleet.Flip) (out []Flip, err error) {
	err = w.index.View(ctx, func(x *fleet.Index) {
		named := worst(flips, x)
		out = make([]Flip, len(named))
		for i, f := range named {
			out[i] = Flip{Was: f.Was, Becomes: f.Is, By: f.Requirement}
			if r := x.Row(f.ID); r != nil {
				out[i].MachineRef = r.Ref()
			}
		}
	})
	return out, err
}

// standing is where a machine stands now.
type standing struct {
	judged bool
	fleet.Standpoint
	site, waived string
}

// sides are what is asked about, and what it is compared with.
func (w *WhatIf) sides(ctx context.Context, ask *Ask) (is, was *release.Release, err error) {
	const title = "Nothing to compare"
	switch {
	case (ask.Document == "") == (ask.Release == ""):
		return nil, nil, refuse(title, "give either a document or the id of a stored release")
	case ask.Document != "":
		if is, err = release.Read("the draft", []byte(ask.Document), nil); err != nil {
			return nil, nil, err
		}
	default:
		if is, err = w.releases.Find(ctx, ask.Release, ask.Revision); err != nil {
			return nil, nil, err
		}
	}
	if ask.Than != "" {
		if was, err = w.releases.Find(ctx, ask.Than, ask.ThanRev); err != nil {
			return nil, nil, err
		}
	} else if t, ok := w.releases.Target(is.InstallsOn); ok {
		was = t.Release
	} else {
		return nil, nil, noTarget()
	}
	if was.InstallsOn != is.InstallsOn {
		return nil, nil, refuse(title, "%s installs on a %s and %s on a %s; only releases of the same class of "+
			"hardware can be compared",
			is.Name, is.InstallsOn, was.Name, was.InstallsOn)
	}
	return is, was, nil
}

// weigh adds machines to a what-if, judged from their packed facts on all processors. ids are in
// order; known says that where they stand now is by the release Was.
func (w *WhatIf) weigh(
	ctx context.Context, total *fleet.WhatIf, ids []int64, rows map[int64]standing, known bool,
) error {
	var adding sync.Mutex
	g, ctx := errgroup.WithContext(ctx)
	for part := range slices.Chunk(ids, pieceOf(len(ids))) {
		g.Go(func() error {
			s := w.newScale(total, known)
			err := w.Store.PackedOf(ctx, fact.Catalogue, part, func(batch []store.Packed) error {
				for i := range batch {
					if err := s.add(&batch[i], rows[batch[i].MachineID]); err != nil {
						return err
					}
				}
				return nil
			})
			adding.Lock()
			defer adding.Unlock()
			total.Merge(s.WhatIf)
			return err
		})
	}
	return g.Wait()
}

// scale weighs machines one after the other.
type scale struct {
	*fleet.WhatIf
	known   bool
	is, was *assess.Judge
	facts   *fact.Facts
}

func (w *WhatIf) newScale(total *fleet.WhatIf, known bool) *scale {
	base := w.knowledge.Base()
	return &scale{
		WhatIf: fleet.NewWhatIf(total.Was, total.Is),
		known:  known,
		is:     assess.NewJudge(base, total.Is),
		was:    assess.NewJudge(base, total.Was),
		facts:  new(fact.Facts),
	}
}

func (s *scale) add(p *store.Packed, r standing) error {
	if !s.known || !r.judged {
		if err := s.facts.Unpack(p.Row); err != nil { // a judge fills the facts from its release
			return err
		}
		got, err := s.was.Judge(s.facts)
		if err != nil {
			return err
		}
		r.Standpoint = standpoint(&got)
	}
	if err := s.facts.Unpack(p.Row); err != nil {
		return err
	}
	var waived []string
	if s.known && s.Is.ID == s.Was.ID { // a waiver is for all revisions
		waived = Lines(r.waived)
	}
	after := r.Standpoint
	if letters := string(s.is.Outcomes(s.facts)); len(waived) > 0 || !s.Unmoved(r.Outcomes, letters) {
		got, err := s.is.Rest(s.facts, waived...)
		if err != nil {
			return err
		}
		after = standpoint(&got)
	}
	s.Add(p.MachineID, r.site, r.Standpoint, after, s.facts)
	return nil
}

func standpoint(g *assess.Judgement) fleet.Standpoint {
	return fleet.Standpoint{Disposition: g.Disposition, Outcomes: g.Outcomes}
}

// worst are the changes that are named: the worst first, those alike by name. Only kinds of change
// that are named are sorted.
func worst(flips []fleet.Flip, x *fleet.Index) []fleet.Flip {
	name := func(f fleet.Flip) string {
		if r := x.Row(f.ID); r != nil {
			return r.Name
		}
		return ""
	}
	const of = int(remedy.Undetermined) + 1
	var kinds [of * of][]fleet.Flip
	for _, f := range flips {
		at := (of-1-int(f.Is))*of + int(f.Was)
		kinds[at] = append(kinds[at], f)
	}
	var out []fleet.Flip
	for _, list := range kinds {
		if len(out) >= MaxNamed {
			break
		}
		slices.SortFunc(list, func(a, b fleet.Flip) int {
			return cmp.Or(strings.Compare(name(a), name(b)), cmp.Compare(a.ID, b.ID))
		})
		out = append(out, list...)
	}
	return out[:min(len(out), MaxNamed)]
}
