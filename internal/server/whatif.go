package server

import (
	"context"
	"fmt"
	"net/http"
	"runtime"
	"slices"
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// What if the requirements were others: who flips, before anything is published.
func (s *Server) whatIfs(a huma.API) {
	op := huma.Operation{OperationID: "what-if", Method: http.MethodPost, Path: "/what-if", Summary: "Who would change disposition under a draft, another revision or another release", Tags: []string{"Releases"},
		Description: "Nothing is kept. Machines are judged from the facts that are stored.", MaxBodyBytes: doc.MaxBytes*2 + 1, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity}}
	huma.Register(a, secured(op, ScopeRead), s.whatIf)
}

// flipsShown are the machines of a what-if that are named.
const flipsShown = 1000

func (s *Server) whatIf(ctx context.Context, in *struct{ Body api.AskWhatIf }) (*struct{ Body api.WhatIf }, error) {
	is, was, err := s.sides(ctx, &in.Body)
	if err != nil {
		return nil, err
	}
	f, err := s.where(ctx, in.Body.Where)
	if err != nil {
		return nil, err
	}
	began := s.now()
	t, ok := s.target(is.InstallsOn)
	known := ok && t.release == was // then the verdicts are there
	got, rows := fleet.NewWhatIf(was, is), map[int64]standing{}
	var ids []int64
	if err := s.look(ctx, func(x *fleet.Index) {
		picked := x.Select(f.Within("class", is.InstallsOn))
		if known {
			ids = picked.Spare(got)
		} else {
			picked.Each(func(r *fleet.Row) { ids = append(ids, r.ID) })
		}
		for _, id := range ids {
			r := x.Row(id)
			rows[id] = standing{r.Judged, fleet.Standpoint{Disposition: r.Disposition, Outcomes: r.Outcomes}, r.Place, r.Name, r.WaivedMusts}
		}
	}); err != nil {
		return nil, s.problem(err, "")
	}
	slices.Sort(ids)
	err = s.weigh(ctx, got, ids, rows, known)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out, named := showWhatIf(got, rows)
	if err := s.look(ctx, func(x *fleet.Index) {
		for i, id := range named {
			if r := x.Row(id); r != nil {
				m, f := rowRef(r), &out.Flips[i]
				f.Key, f.Name, f.Place, f.Model = m.Key, m.Name, m.Place, m.Model
			}
		}
	}); err != nil {
		return nil, s.problem(err, "")
	}
	out.Where, out.Took = in.Body.Where, s.now().Sub(began)
	return &struct{ Body api.WhatIf }{out}, nil
}

// standing is where a machine stands now.
type standing struct {
	judged bool
	fleet.Standpoint
	place, name, waived string
}

// sides are what is asked about, and what it is compared with.
func (s *Server) sides(ctx context.Context, in *api.AskWhatIf) (is, was *release.Release, err error) {
	switch {
	case (in.Document == "") == (in.Release == ""):
		return nil, nil, refuse("Nothing to compare", "give a document, or the id of a stored release, and not both")
	case in.Document != "":
		if is, err = release.Read("the draft", []byte(in.Document), nil); err != nil {
			return nil, nil, s.problem(err, "")
		}
	default:
		if is, err = s.release(ctx, in.Release, in.Revision); err != nil {
			return nil, nil, s.problem(err, noRelease(in.Release))
		}
	}
	if in.Than != "" {
		if was, err = s.release(ctx, in.Than, in.ThanRev); err != nil {
			return nil, nil, s.problem(err, noRelease(in.Than))
		}
	} else if t, ok := s.target(is.InstallsOn); ok {
		was = t.release
	} else {
		return nil, nil, noTarget()
	}
	if was.InstallsOn != is.InstallsOn {
		return nil, nil, refuse("Nothing to compare", "%s installs on a %s and %s on a %s; compare releases of one class of hardware", is.Name, is.InstallsOn, was.Name, was.InstallsOn)
	}
	return is, was, nil
}

// weigh adds machines to a what-if, judged from their packed facts on all processors. ids
// are in order; known says that where they stand now is by the release Was.
func (s *Server) weigh(ctx context.Context, total *fleet.WhatIf, ids []int64, rows map[int64]standing, known bool) error {
	was, is := total.Was, total.Is
	var adding sync.Mutex
	m := s.toolbox()
	g, ctx := errgroup.WithContext(ctx)
	for part := range slices.Chunk(ids, len(ids)/runtime.GOMAXPROCS(0)+1) {
		g.Go(func() error {
			w, f := fleet.NewWhatIf(was, is), new(fact.Facts)
			judgeIs, judgeWas := assess.NewJudge(m, is), assess.NewJudge(m, was)
			err := s.store.PackedOf(ctx, fact.Catalogue, part, func(batch []store.Packed) error {
				for i := range batch {
					p := &batch[i]
					r := rows[p.DeviceID]
					var err error
					if before := &r.Standpoint; !known || !r.judged {
						if err = f.Unpack(p.Row); err == nil { // a judge fills the facts from its release
							*before, err = stand(judgeWas, f)
						}
						if err != nil {
							return err
						}
					}
					if err = f.Unpack(p.Row); err != nil {
						return err
					}
					var waived []string
					if known && is.ID == was.ID { // a waiver is for all revisions
						waived = lines(r.waived)
					}
					after := r.Standpoint
					if letters := string(judgeIs.Outcomes(f)); len(waived) > 0 || !w.Unmoved(r.Outcomes, letters) {
						if after, err = rest(judgeIs, f, waived); err != nil {
							return err
						}
					}
					w.Add(p.DeviceID, r.place, r.Standpoint, after, f)
				}
				return nil
			})
			adding.Lock()
			defer adding.Unlock()
			total.Merge(w)
			return err
		})
	}
	return g.Wait()
}

// stand is where a machine stands by a release.
func stand(j *assess.Judge, f *fact.Facts) (fleet.Standpoint, error) {
	got, err := j.Judge(f)
	return fleet.Standpoint{Disposition: got.Disposition, Outcomes: got.Outcomes}, err
}

// rest is where a machine stands whose outcomes were worked out, with what is waived.
func rest(j *assess.Judge, f *fact.Facts, waived []string) (fleet.Standpoint, error) {
	got, err := j.Rest(f, waived...)
	return fleet.Standpoint{Disposition: got.Disposition, Outcomes: got.Outcomes}, err
}

// showWhatIf also gives the numbers of the machines that flip, which have no names yet.
func showWhatIf(w *fleet.WhatIf, rows map[int64]standing) (out api.WhatIf, ids []int64) {
	out = api.WhatIf{Was: w.Was.Ref(), Becomes: w.Is.Ref(), Draft: w.Is.Draft, Machines: w.Machines, Moved: w.Shifts.Moved(), Before: map[string]int{}, After: map[string]int{},
		Shifts: shifts(&w.Shifts), Places: []api.PlaceShift{}, Changes: []api.RequirementShift{}, Missing: []api.MissingFact{}, Flips: []api.FlipRow{}}
	for was := range w.Shifts {
		for is, n := range w.Shifts[was] {
			out.Before[remedy.Disposition(was).String()] += n
			out.After[remedy.Disposition(is).String()] += n
		}
	}
	for _, p := range w.Places() {
		out.Places = append(out.Places, api.PlaceShift{Place: p.Place, Moved: p.Moved(), Shifts: shifts(&p.Shifts)})
	}
	titles := map[string]string{}
	for i := range w.Is.Requirements {
		titles[w.Is.Requirements[i].ID] = w.Is.Requirements[i].Title
	}
	for _, c := range w.Changes() {
		q := c.Requirement
		out.Changes = append(out.Changes, api.RequirementShift{Requirement: q.ID, Title: q.Title, Needs: say.Requirement(q), New: c.New, Fails: c.Fails, Passes: c.Passes, Opens: c.Opens, FailsNow: c.FailsNow, Unknown: c.UnknownsNow})
	}
	for _, m := range w.Missing() {
		def := m.Fact.Def()
		out.Missing = append(out.Missing, api.MissingFact{Fact: def.Name, Label: def.Label, Machines: m.Machines, NotAsked: m.NotAsked, Where: fleet.Term("missing", def.Name)})
	}
	for _, f := range worst(w.Flips, rows) {
		row := api.FlipRow{Was: f.Was.String(), Becomes: f.Is.String(), By: []string{}}
		for _, id := range f.Requirement {
			row.By = append(row.By, titles[id])
		}
		out.Flips, ids = append(out.Flips, row), append(ids, f.ID)
	}
	out.Says = whatIfSays(w, &out)
	return out, ids
}

// worst are the flips that are named: the worst first, those alike by name. Only kinds of
// flip that are shown are sorted.
func worst(flips []fleet.Flip, rows map[int64]standing) []fleet.Flip {
	const of = int(remedy.Undetermined) + 1
	var kinds [of * of][]fleet.Flip
	for _, f := range flips {
		at := (of-1-int(f.Is))*of + int(f.Was)
		kinds[at] = append(kinds[at], f)
	}
	var out []fleet.Flip
	for _, list := range kinds {
		if len(out) >= flipsShown {
			break
		}
		slices.SortFunc(list, func(a, b fleet.Flip) int { return strings.Compare(rows[a.ID].name, rows[b.ID].name) })
		out = append(out, list...)
	}
	return out[:min(len(out), flipsShown)]
}

func whatIfSays(w *fleet.WhatIf, out *api.WhatIf) string {
	if out.Moved == 0 {
		return fmt.Sprintf("No machine of %s would change.", say.Number(w.Machines))
	}
	ready := out.After["ready"] - out.Before["ready"]
	says := fmt.Sprintf("%s of %s would change", say.Count(out.Moved, "machine", "machines"), say.Number(w.Machines))
	switch {
	case ready > 0:
		says += fmt.Sprintf("; %s more would be ready", say.Number(ready))
	case ready < 0:
		says += fmt.Sprintf("; %s fewer would be ready", say.Number(-ready))
	default:
		says += "; as many would be ready as now"
	}
	return says + "."
}

func shifts(s *fleet.Shifts) []api.Shift {
	out := []api.Shift{}
	for was := range s {
		for is, n := range s[was] {
			if was != is && n > 0 {
				out = append(out, api.Shift{Was: remedy.Disposition(was).String(), Becomes: remedy.Disposition(is).String(), Machines: n})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b api.Shift) int { return b.Machines - a.Machines })
	return out
}
