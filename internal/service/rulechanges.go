package service

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/store"
)

// RuleChanges are what other requirements, or other knowledge, did when they were put in force:
// they change what is true of machines that nobody touched.
type RuleChanges struct {
	Records
	releases *Releases
	index    *Index
}

// RuleChange is one of them, with the machines that the viewer sees.
type RuleChange struct {
	ID       int64
	At       time.Time
	Was, Is  release.Ref
	Machines int // that were judged
	Moved    int
	Shifts   fleet.Shifts
	By       map[string]int    // machines by the id of a requirement that did it
	Titles   map[string]string // of requirements, by their ids
	Named    []Flip            // at most MaxNamed
	Says     string
	Where    string
}

// maxRuleChanges are listed.
const maxRuleChanges = 50

// List are the latest changes, the latest first.
func (c *RuleChanges) List(ctx context.Context) ([]*RuleChange, error) {
	list, err := c.Store.RuleChanges(ctx, maxRuleChanges)
	if err != nil {
		return nil, err
	}
	out := make([]*RuleChange, len(list))
	for i := range list {
		if out[i], err = c.show(ctx, &list[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// By is what putting a revision in force did; nil where it was the first.
func (c *RuleChanges) By(ctx context.Context, rel *release.Release) (*RuleChange, error) {
	list, err := c.Store.RuleChanges(ctx, 1)
	if err != nil || len(list) == 0 || list[0].Release != rel.ID || list[0].Revision != rel.Revision {
		return nil, err
	}
	return c.show(ctx, &list[0])
}

// Get is a change by its number.
func (c *RuleChanges) Get(ctx context.Context, id int64) (*RuleChange, error) {
	list, err := c.Store.RuleChanges(ctx, 1<<30)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(list, func(c store.RuleChange) bool { return c.ID == id })
	if i < 0 {
		return nil, missing("there is no change of rules %d; rolltop releases changes lists all", id)
	}
	return c.show(ctx, &list[i])
}

func (c *RuleChanges) show(ctx context.Context, one *store.RuleChange) (*RuleChange, error) {
	flips, err := c.Store.Turned(ctx, one.ID)
	if err != nil {
		return nil, err
	}
	out := &RuleChange{
		ID:       one.ID,
		At:       one.At(),
		Was:      c.releases.Ref(ctx, one.WasRelease, one.WasRevision),
		Is:       c.releases.Ref(ctx, one.Release, one.Revision),
		Machines: one.Machines,
		By:       map[string]int{},
		Titles:   c.titles(ctx, one),
		Where:    fleet.Term(fleet.ExternalChanged, strconv.FormatInt(one.ID, 10)),
	}
	rows, judged, err := c.rows(ctx, flips, one.Release)
	if err != nil {
		return nil, err
	}
	if ViewerOf(ctx).Limited() {
		out.Machines = judged
	}
	for i := range flips {
		f := &flips[i]
		r := rows[f.Machine]
		if r == nil {
			continue
		}
		out.Moved++
		out.Shifts[f.Was][f.Becomes]++
		by := strings.Fields(f.Why)
		for _, id := range by {
			out.By[id]++
		}
		if len(out.Named) < MaxNamed {
			named := Flip{r.Ref(), remedy.Disposition(f.Was), remedy.Disposition(f.Becomes), by}
			out.Named = append(out.Named, named)
		}
	}
	out.Says = say.RuleChange(out.Was, out.Is, out.Moved, out.Shifts.Net(remedy.Ready))
	return out, nil
}

// rows are the machines that changed and that the viewer sees, and how many the viewer sees that
// are judged by the release.
func (c *RuleChanges) rows(
	ctx context.Context, flips []store.Flip, release string,
) (rows map[int64]*fleet.Row, judged int, err error) {
	some := make(map[int64]bool, len(flips))
	for i := range flips {
		some[flips[i].Machine] = true
	}
	f, err := c.index.Where(ctx, "")
	if err != nil {
		return nil, 0, err
	}
	rows = make(map[int64]*fleet.Row, len(some))
	err = c.index.Each(ctx, f.Within("retired", "yes", "no"), func(r *fleet.Row) {
		if r.Release != nil && r.Release.ID == release {
			judged++
		}
		if some[r.ID] {
			own := *r
			rows[r.ID] = &own
		}
	})
	return rows, judged, err
}

// titles are the titles of the requirements that a change put in force, by their ids.
func (c *RuleChanges) titles(ctx context.Context, one *store.RuleChange) map[string]string {
	out := map[string]string{}
	if rel, err := c.releases.Get(ctx, one.Release, one.Revision); err == nil {
		for i := range rel.Requirements {
			out[rel.Requirements[i].ID] = rel.Requirements[i].Title
		}
	}
	return out
}
