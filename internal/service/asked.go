package service

import (
	"sync"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/question"
	"rolltop.example/rolltop/core/release"
)

// askedCache are the questions of undetermined machines that were worked out. Those of one are good as long as the
// machine, its target and the knowledge are.
type askedCache struct {
	mu    sync.Mutex
	base  *knowledge.Base
	known map[int64]cachedAsks
}

type cachedAsks struct {
	plan string
	rel  *release.Release
	asks []question.Ask
}

// forget drops what was worked out for machines that were changed.
func (a *askedCache) forget(ids []int64, all bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if all {
		a.known = nil
	}
	for _, id := range ids {
		delete(a.known, id)
	}
}

// use is the cache for the knowledge in force; what was worked out with other knowledge is dropped.
func (a *askedCache) use(base *knowledge.Base) *askedCache {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.base != base || a.known == nil {
		a.base, a.known = base, map[int64]cachedAsks{}
	}
	return a
}

// of are the questions of a machine, where they are known.
func (a *askedCache) of(r *fleet.Row) ([]question.Ask, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	c, ok := a.known[r.ID]
	return c.asks, ok && c.plan == r.Plan && c.rel == r.Release
}

// keep keeps the questions of a machine.
func (a *askedCache) keep(r *fleet.Row, asks []question.Ask) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.known != nil {
		a.known[r.ID] = cachedAsks{r.Plan, r.Release, asks}
	}
}
