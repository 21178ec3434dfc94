package server

import (
	"context"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/store"
)

// How often the service looks after itself.
const (
	upkeepEvery = time.Minute
	thinEvery   = 6 * time.Hour
	hooksEvery  = 2 * time.Second
)

// Upkeep does what no request does, until the context ends: it counts the fleet for
// its progress, ends facts whose date has come, lets go of history, and tells the
// addresses that are to be told. Whoever serves the handler runs it beside.
func (s *Server) Upkeep(ctx context.Context) {
	ctx = ownWork(ctx)
	told := make(chan struct{})
	go func() {
		defer close(told)
		for ctx.Err() == nil {
			s.tellHooks(ctx)
			pause(ctx, hooksEvery)
		}
	}()
	defer func() { <-told }()
	var thinned time.Time
	for {
		now := s.now()
		s.Tend(ctx, now, now.Sub(thinned) >= thinEvery)
		if now.Sub(thinned) >= thinEvery {
			thinned = now
		}
		pause(ctx, upkeepEvery)
		if ctx.Err() != nil {
			return
		}
	}
}

// Now is the time that the service goes by.
func (s *Server) Now() time.Time { return s.now() }

// Tend does one round of it. What fails is logged, and tried in the next one.
func (s *Server) Tend(ctx context.Context, now time.Time, thin bool) {
	ctx = ownWork(ctx)
	fail := func(what string, err error) {
		if err != nil && ctx.Err() == nil {
			s.log.Error(what, "error", err)
		}
	}
	fail("the last uses of tokens were not noted", s.keepUses(ctx))
	fail("facts whose date has come were not ended", s.endPast(ctx, now))
	fail("the progress of today was not noted", s.noteProgress(ctx, now))
	if !thin {
		return
	}
	set := s.settings()
	var retired time.Time
	if set.RetiredDays > 0 {
		retired = now.AddDate(0, 0, -set.RetiredDays)
	}
	gone, err := s.store.Thin(ctx, now.AddDate(0, -set.HistoryMonths, 0), retired)
	fail("history was not let go", err)
	s.live.touch(gone.Machines...)
	if gone.Inventories+len(gone.Machines) > 0 {
		s.log.Info("history let go", "inventories", gone.Inventories, "machines", len(gone.Machines))
	}
}

// noteProgress keeps how many machines there are today, where something changed.
func (s *Server) noteProgress(ctx context.Context, now time.Time) error {
	day, version := now.UTC().Format(time.DateOnly), s.live.now()
	if s.noted.day == day && s.noted.version == version {
		return nil
	}
	counts, err := s.tally(ctx)
	if err != nil {
		return err
	}
	var rows []store.Progress
	for g, n := range counts {
		rows = append(rows, store.Progress{Place: g.place, Class: g.class, Disposition: int(g.disposition), Machines: n})
	}
	if err := s.store.PutProgress(ctx, day, rows); err != nil {
		return err
	}
	s.noted.day, s.noted.version = day, version
	return nil
}

// group is what progress counts machines by.
type group struct {
	place, class string
	disposition  remedy.Disposition
}

func (s *Server) tally(ctx context.Context) (map[group]int, error) {
	counts := map[group]int{}
	err := s.look(ctx, func(x *fleet.Index) {
		x.Select(fleet.Filter{}).Each(func(r *fleet.Row) {
			if r.Judged {
				counts[group{r.Place, r.Class, r.Disposition}]++
			}
		})
	})
	return counts, err
}
