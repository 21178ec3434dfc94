package server

import (
	"context"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
)

// largeFleet is from how many machines on a service starts before its index is loaded:
// until then it lists machines by name from the database.
const largeFleet = 20_000

// begin loads the index, beside where that takes a while.
func (s *Server) begin(ctx context.Context) error {
	n, err := s.store.Machines(ctx)
	if err != nil {
		return err
	}
	if n < largeFleet {
		return s.refresh(ctx)
	}
	go func() {
		if err := s.refresh(ctx); err != nil && ctx.Err() == nil {
			s.log.Error("the index is not loaded; the next call tries again", "error", err)
		}
		s.live.touch() // who listens asks again, and gets what is decided too
	}()
	return nil
}

// loaded says whether the index is there.
func (s *Server) loaded() bool {
	s.live.mu.RLock()
	defer s.live.mu.RUnlock()
	return s.live.x != nil
}

// early is a page of all machines by name while the index is loaded, or false where the
// page takes the index. No decisions are laid over it.
func (s *Server) early(ctx context.Context, in *ListInput, defs []*fact.Def) (*listed, bool, error) {
	if in.Where != "" || (in.Sort != "" && in.Sort != "name") || in.After != "" || len(defs) > 0 || callerOf(ctx).limited() || s.loaded() {
		return nil, false, nil
	}
	out := &listed{from: (in.Page - 1) * in.Size}
	ids, total, err := s.store.ByName(ctx, out.from, in.Size)
	if err != nil {
		return nil, false, err
	}
	out.total = total
	found := map[int64]fleet.Row{}
	if err := s.readRows(ctx, ids, func(id int64, r fleet.Row, _ *fact.Facts) { found[id] = r }); err != nil {
		return nil, false, err
	}
	for _, id := range ids {
		if r, ok := found[id]; ok {
			out.rows = append(out.rows, r)
		}
	}
	return out, true, nil
}
