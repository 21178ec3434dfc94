package service

import (
	"context"
	"sync"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/store"
)

// Answers are the sentences on what machines take, and cells beside requirements. They are worked
// out from packed facts, which hold what decides.
type Answers struct {
	Records
	releases  *Releases
	knowledge *Knowledge
	said      remembered
}

// Answer is the sentence on what a machine takes, with the facts that were asked for.
type Answer struct {
	Says  string
	Facts map[string]string // in words, by name; those that are not known are left out
}

func (a *Answers) forget(ids []int64, all bool) { a.said.forget(ids, all) }

// Of are the answers for machines, by their numbers.
func (a *Answers) Of(ctx context.Context, rows []fleet.Row, defs []*fact.Def) (map[int64]Answer, error) {
	out := map[int64]Answer{}
	var ids []int64
	base, begun := a.knowledge.Base(), a.said.begin()
	waived := map[int64]string{}
	for i := range rows {
		r := &rows[i]
		if t, ok := a.releases.Target(r.Class); ok && len(defs) == 0 {
			of := sentence{base: base, release: t.Release, waived: r.WaivedMusts}
			if text, ok := a.said.get(r.ID, of); ok {
				out[r.ID] = Answer{Says: text}
				continue
			}
		}
		ids = append(ids, r.ID)
		waived[r.ID] = r.WaivedMusts
	}
	if ids == nil {
		return out, nil
	}
	err := a.eachFacts(ctx, ids, func(d *store.Row, f *fact.Facts) error {
		one := Answer{Facts: inWords(f, defs)}
		if t, ok := a.releases.Target(d.Class); ok {
			one.Says = assess.Answer(base, t.Release, f, Lines(waived[d.ID])...)
			a.said.put(begun, d.ID, sentence{one.Says, base, t.Release, waived[d.ID]})
		}
		out[d.ID] = one
		return nil
	})
	return out, err
}

// eachFacts reads the facts of machines that have some. The facts are read into the same place
// again and again: whoever keeps them copies them.
func (a *Answers) eachFacts(ctx context.Context, ids []int64, each func(*store.Row, *fact.Facts) error) error {
	f := new(fact.Facts)
	return a.Store.EachRow(ctx, nil, fact.Catalogue, ids, func(list []store.Row) error {
		for i := range list {
			d := &list[i]
			if d.Packed == nil {
				continue
			}
			if err := f.Unpack(d.Packed); err != nil {
				return err
			}
			if err := each(d, f); err != nil {
				return err
			}
		}
		return nil
	})
}

func inWords(f *fact.Facts, defs []*fact.Def) map[string]string {
	out := map[string]string{}
	for _, d := range defs {
		if v := f.Value(d.ID); v.Known() {
			out[d.Name] = say.Value(d, v)
		}
	}
	return out
}

// batch is how many machines are worked out at once.
const batch = 500

// Each works the answers of many machines out, piece by piece, in the order of the machines.
func (a *Answers) Each(
	ctx context.Context, rows []fleet.Row, defs []*fact.Def, f func(*fleet.Row, Answer) error,
) error {
	for len(rows) > 0 {
		some := rows[:min(batch, len(rows))]
		rows = rows[len(some):]
		got, err := a.Of(ctx, some, defs)
		if err != nil {
			return err
		}
		for i := range some {
			if err := f(&some[i], got[some[i].ID]); err != nil {
				return err
			}
		}
	}
	return nil
}

// Cells are what machines have for the requirements of a release, by the numbers of the machines
// and in the order of the requirements.
func (a *Answers) Cells(ctx context.Context, rel *release.Release, rows []fleet.Row) (map[int64][]assess.Cell, error) {
	out := map[int64][]assess.Cell{}
	var ids []int64
	waived := map[int64][]string{}
	for i := range rows {
		ids = append(ids, rows[i].ID)
		waived[rows[i].ID] = Lines(rows[i].WaivedMusts)
	}
	if ids == nil {
		return out, nil
	}
	err := a.eachFacts(ctx, ids, func(d *store.Row, f *fact.Facts) (err error) {
		out[d.ID], err = assess.Cells(a.knowledge.Base(), rel, f, waived[d.ID]...)
		return err
	})
	return out, err
}

// remembered are sentences that were said: working one out reads all that is known of a machine,
// and lists show the same machines again and again.
type remembered struct {
	mu        sync.Mutex
	version   uint64
	since     uint64           // what was begun before it is not remembered
	forgotten map[int64]uint64 // machines that were changed since, by the version
	list      map[int64]sentence
}

// sentence is what was said, and what it was said of beside the machine's facts.
type sentence struct {
	text    string
	base    *knowledge.Base
	release *release.Release
	waived  string
}

const (
	maxRemembered = 20_000
	maxForgotten  = 10_000
)

// begin is called before facts are read that sentences are worked out from.
func (s *remembered) begin() uint64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.version
}

func (s *remembered) get(id int64, of sentence) (text string, ok bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	got, ok := s.list[id]
	text, got.text = got.text, ""
	return text, ok && got == of
}

// put remembers a sentence on facts that were read after begin, unless the machine was changed
// meanwhile.
func (s *remembered) put(begun uint64, id int64, is sentence) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if begun < s.since || s.forgotten[id] > begun {
		return
	}
	if s.list == nil || len(s.list) >= maxRemembered {
		s.list = map[int64]sentence{}
	}
	s.list[id] = is
}

// forget takes back what was said of machines that were changed, or of all.
func (s *remembered) forget(ids []int64, all bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(ids) == 0 && !all {
		return
	}
	s.version++
	if all {
		s.list = nil
	}
	if all || len(s.forgotten)+len(ids) > maxForgotten {
		s.since, s.forgotten = s.version, nil
	}
	if s.forgotten == nil {
		s.forgotten = map[int64]uint64{}
	}
	for _, id := range ids {
		delete(s.list, id)
		s.forgotten[id] = s.version
	}
}
