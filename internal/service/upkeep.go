package service

import (
	"context"
	"sync"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/store"
)

// Upkeep is what no request does: it counts the fleet for its progress, ends facts whose date has
// come, lets go of history, and tells webhooks.
type Upkeep struct {
	Records
	settings *Settings
	index    *Index
	machines *Machines
	webhooks *Webhooks

	mu    sync.Mutex
	tasks []task
	noted noted
}

// task is what a round does beside; what fails is logged as what.
type task struct {
	what string
	do   func(context.Context) error
}

// noted is the progress that was noted last.
type noted struct {
	day     string
	version uint64
}

// How often the service looks after itself.
const (
	upkeepEvery   = time.Minute
	thinEvery     = 6 * time.Hour
	webhooksEvery = 2 * time.Second
)

// Also adds what each round does first. failed is what the log says where it fails.
func (u *Upkeep) Also(failed string, do func(context.Context) error) {
	u.mu.Lock()
	defer u.mu.Unlock()
	u.tasks = append(u.tasks, task{failed, do})
}

// Run looks after the service until the context ends. Whoever serves requests runs it beside.
func (u *Upkeep) Run(ctx context.Context) {
	ctx = ByItself(ctx)
	var telling sync.WaitGroup
	telling.Go(func() {
		for ctx.Err() == nil {
			u.webhooks.Tell(ctx)
			pause(ctx, webhooksEvery)
		}
	})
	defer telling.Wait()
	var thinned time.Time
	for ctx.Err() == nil {
		now := u.Now()
		thin := now.Sub(thinned) >= thinEvery
		u.Round(ctx, now, thin)
		if thin {
			thinned = now
		}
		pause(ctx, upkeepEvery)
	}
}

// Round does one round of it. What fails is logged, and tried in the next one. thin says that
// history is let go of, too.
func (u *Upkeep) Round(ctx context.Context, now time.Time, thin bool) {
	ctx = ByItself(ctx)
	failed := func(what string, err error) {
		if err != nil && ctx.Err() == nil {
			u.Log.Error(what, "error", err)
		}
	}
	u.mu.Lock()
	tasks := u.tasks
	u.mu.Unlock()
	for _, t := range tasks {
		failed(t.what, t.do(ctx))
	}
	failed("expired facts could not be removed", u.machines.endPast(ctx, now))
	failed("the progress of today could not be recorded", u.noteProgress(ctx, now))
	if thin {
		failed("old history could not be removed", u.thin(ctx, now))
	}
}

func (u *Upkeep) thin(ctx context.Context, now time.Time) error {
	set := u.settings.Get()
	var retired time.Time
	if set.RetiredDays > 0 {
		retired = now.AddDate(0, 0, -set.RetiredDays)
	}
	gone, err := u.Store.Thin(ctx, now.AddDate(0, -set.HistoryMonths, 0), retired)
	u.index.Changed(gone.Machines...)
	if gone.Inventories+len(gone.Machines) > 0 {
		u.Log.Info("old history removed", "inventories", gone.Inventories, "machines", len(gone.Machines))
	}
	return err
}

// noteProgress keeps how many machines there are today, where something changed.
func (u *Upkeep) noteProgress(ctx context.Context, now time.Time) error {
	is := noted{now.UTC().Format(time.DateOnly), u.index.Version()}
	u.mu.Lock()
	was := u.noted
	u.mu.Unlock()
	if was == is {
		return nil
	}
	counts, err := u.index.Tally(ctx)
	if err != nil {
		return err
	}
	if err := u.PutTally(ctx, now, counts); err != nil {
		return err
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	u.noted = is
	return nil
}

// Group is what progress counts machines by.
type Group struct {
	Site, Class string
	Disposition remedy.Disposition
}

// Tally counts machines by site, class and disposition.
func (i *Index) Tally(ctx context.Context) (map[Group]int, error) {
	counts := map[Group]int{}
	err := i.Each(ctx, fleet.Filter{}, func(r *fleet.Row) {
		if r.Judged {
			counts[Group{r.Site, r.Class, r.Disposition}]++
		}
	})
	return counts, err
}

// PutTally notes what a day ended with.
func (u *Upkeep) PutTally(ctx context.Context, day time.Time, counts map[Group]int) error {
	var rows []store.Progress
	for g, n := range counts {
		p := store.Progress{Site: g.Site, Class: g.Class, Disposition: int(g.Disposition), Machines: n}
		rows = append(rows, p)
	}
	return u.Store.PutProgress(ctx, day.UTC().Format(time.DateOnly), rows)
}
