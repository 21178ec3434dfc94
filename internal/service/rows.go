package service

import (
	"bytes"
	"context"
	"runtime"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/store"
)

// SiteOf is the site that a person gave a machine, or that of its name.
func SiteOf(d *store.Machine, sites []store.Site) string {
	if d.Site != "" {
		return d.Site
	}
	return SiteOfName(d.Name, sites)
}

// SiteOfName is the site with the longest prefix of a machine's name.
func SiteOfName(name string, sites []store.Site) string {
	best, site := 0, ""
	for _, p := range sites {
		if n := len(p.Prefix); n > best && n <= len(name) && strings.EqualFold(name[:n], p.Prefix) {
			best, site = n, p.Name
		}
	}
	return site
}

// Row is a machine of the store as a row of the index, without the target that it is judged by.
func (i *Index) Row(d *store.Machine, sites []store.Site) fleet.Row {
	return row(&store.Row{Machine: *d}, nil, sites)
}

func row(d *store.Row, targets map[string]Target, sites []store.Site) fleet.Row {
	r := fleet.Row{
		ID:           d.ID,
		Key:          d.Key,
		Name:         d.Name,
		Site:         SiteOf(&d.Machine, sites),
		Class:        d.Class,
		Manufacturer: d.Maker,
		Model:        d.Model,
		Installed:    d.Installed,
		TakenAt:      d.Taken(),
		Tags:         strings.Join(d.Tags, "\n"),
		Retired:      d.RetiredAt > 0,
		Doubted:      d.Duplicate,
		Next:         fleet.NoNext,
	}
	if v := &d.Verdict; d.Judged {
		r.Judged, r.Release = true, targets[d.Class].Release
		r.Disposition, r.Publisher = remedy.Disposition(v.Disposition), remedy.Disposition(v.Publisher)
		r.Certain, r.Fails, r.Sole, r.Outcomes = v.Certain, v.Fails, v.Sole, v.Outcomes
		r.Way, r.Next, r.NextOutcomes = v.Way, int8(v.Next), v.NextOutcomes
	}
	return r
}

// Lines are the parts of a stored list.
func Lines(text string) []string {
	if text == "" {
		return nil
	}
	return strings.Split(text, "\n")
}

// changedRow is a machine as it is now; facts are nil where they cannot be read.
type changedRow struct {
	row    fleet.Row
	facts  *fact.Facts
	packed []byte
}

// changedRows reads machines that were changed, by their numbers. Those that are gone are not
// among them.
func (i *Index) changedRows(ctx context.Context, ids []int64) (map[int64]changedRow, error) {
	out := make(map[int64]changedRow, len(ids))
	if len(ids) == 0 {
		return out, nil
	}
	err := i.readRows(ctx, ids, func(d *store.Row, r fleet.Row, f *fact.Facts) {
		c := changedRow{row: r, packed: bytes.Clone(d.Packed)}
		if f != nil {
			own := *f // the next machine is read into the same facts
			c.facts = &own
		}
		out[r.ID] = c
	})
	return out, err
}

// readRows reads machines, all of them where ids is nil: then in several parts at once, each of
// which uses its facts again and again. put is called by one at a time.
func (i *Index) readRows(ctx context.Context, ids []int64, put func(*store.Row, fleet.Row, *fact.Facts)) error {
	sites, err := i.Store.Sites(ctx)
	if err != nil {
		return err
	}
	targets, judgements := i.releases.all()
	var putting sync.Mutex
	take := func() func([]store.Row) error {
		facts := new(fact.Facts)
		return func(rows []store.Row) error {
			for n := range rows {
				d, f := &rows[n], facts
				if d.Packed == nil || facts.UnpackSingle(d.Packed) != nil {
					f = nil // made again at the next start
				}
				r := row(d, targets, sites)
				var err error
				if r.Plan, err = i.plans.of(ctx, i.Store, d.PlanID); err != nil {
					return err
				}
				putting.Lock()
				put(d, r, f)
				putting.Unlock()
			}
			return nil
		}
	}
	if ids != nil {
		return i.Store.EachRow(ctx, judgements, fact.Catalogue, ids, take())
	}
	parts, err := i.Store.Parts(ctx, runtime.GOMAXPROCS(0))
	if err != nil {
		return err
	}
	g, ctx := errgroup.WithContext(ctx)
	for _, part := range parts {
		g.Go(func() error { return i.Store.EachRowIn(ctx, judgements, fact.Catalogue, part, take()) })
	}
	return g.Wait()
}

// pieceOf is how many of some machines are one piece of work, where all processors share them.
func pieceOf(machines int) int { return machines/runtime.GOMAXPROCS(0) + 1 }

// plans are the texts of plans by their numbers. They never change, and few are added.
type plans struct {
	mu   sync.Mutex
	text map[int64]string
}

func (p *plans) of(ctx context.Context, st *store.Store, id int64) (string, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if text, ok := p.text[id]; ok || id == 0 {
		return text, nil
	}
	all, err := st.Plans(ctx)
	if err == nil {
		p.text = all
	}
	return all[id], err
}
