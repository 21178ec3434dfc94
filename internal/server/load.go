package server

import (
	"context"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/store"
)

// The methods of this file fill a service from within the program, as the demo
// does, by the same ways as requests.

// LoadRelease adds a release document.
func (s *Server) LoadRelease(ctx context.Context, name string, src []byte) error {
	ctx = ownWork(ctx)
	rel, err := release.Read(name, src, nil)
	if err != nil {
		return err
	}
	_, err = s.store.AddRelease(ctx, rel, src, s.now())
	return err
}

// Aim chooses the target release of a class of hardware.
func (s *Server) Aim(ctx context.Context, class, id string) error {
	ctx = ownWork(ctx)
	if err := s.store.SetTarget(ctx, class, id); err != nil {
		return err
	}
	return s.aim(ctx, class, id)
}

// SetPlaces replaces all places.
func (s *Server) SetPlaces(ctx context.Context, byPrefix map[string]string) error {
	ctx = ownWork(ctx)
	var list []store.Place
	for prefix, name := range byPrefix {
		list = append(list, store.Place{Prefix: prefix, Name: name})
	}
	return s.setPlaces(ctx, list)
}

// Load keeps and judges an inventory.
func (s *Server) Load(ctx context.Context, d *inventory.Document) error {
	ctx = ownWork(ctx)
	_, err := s.keep(ctx, d, store.Entry{})
	return err
}

// PutHouse puts a document of an organisation's own in force.
func (s *Server) PutHouse(ctx context.Context, kind, text, by string) error {
	ctx = ownWork(ctx)
	return s.setHouse(ctx, kind, text, by)
}

// Tally counts machines by place, class and disposition.
func (s *Server) Tally(ctx context.Context) (map[[3]string]int, error) {
	ctx = ownWork(ctx)
	counts, err := s.tally(ctx)
	out := make(map[[3]string]int, len(counts))
	for g, n := range counts {
		out[[3]string{g.place, g.class, g.disposition.String()}] = n
	}
	return out, err
}

// PutTally notes what a day ended with.
func (s *Server) PutTally(ctx context.Context, day time.Time, counts map[[3]string]int) error {
	ctx = ownWork(ctx)
	var rows []store.Progress
	for key, n := range counts {
		d, _ := remedy.DispositionOf(key[2])
		rows = append(rows, store.Progress{Place: key[0], Class: key[1], Disposition: int(d), Machines: n})
	}
	return s.store.PutProgress(ctx, day.UTC().Format(time.DateOnly), rows)
}

// Expect adds machines that should be here, by name and place, with why they do not
// report.
func (s *Server) Expect(ctx context.Context, list [][3]string) error {
	ctx = ownWork(ctx)
	before, err := s.store.Expected(ctx)
	if err != nil {
		return err
	}
	for _, e := range list {
		before = append(before, store.Expected{Name: e[0], Place: e[1], Reason: e[2], Millis: s.now().UnixMilli()})
	}
	return s.store.SetExpected(ctx, before)
}

// Tag gives the machines that a filter picks a tag.
func (s *Server) Tag(ctx context.Context, where, tag string) error {
	ctx = ownWork(ctx)
	ids, err := s.picked(ctx, where, nil)
	if err != nil {
		return err
	}
	_, err = s.store.Mark(ctx, ids, &store.Marking{Tag: []string{tag}}, s.now())
	s.live.touch(ids...)
	return err
}

// SaveFilter keeps a filter under a name.
func (s *Server) SaveFilter(ctx context.Context, name, filter, by string) error {
	ctx = ownWork(ctx)
	return s.store.SaveFilter(ctx, &store.SavedFilter{Name: name, Filter: filter, By: by, Millis: s.now().UnixMilli()})
}
