// Package fleet works over many machines: one row each, filters over them, and
// counts of which every one can be written as a filter that lists its machines.
package fleet

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Row is one machine with its latest verdict.
type Row struct {
	Key          string
	Name         string
	Place        string
	Class        string // fact.PC or fact.Mac
	Manufacturer string
	Model        string
	Installed    string // release
	TakenAt      time.Time

	Judged      bool // against the target of its class
	Release     *release.Release
	Disposition remedy.Disposition
	Certain     bool
	Publisher   remedy.Disposition
	Fails       int
	Sole        string // the only failing requirement, where it is one
	Outcomes    string // one letter for each requirement of Release
}

// Outcome is the letter of one requirement, or 0 where the row's release has
// none of that id.
func (r *Row) Outcome(requirement string) byte {
	if r.Release == nil {
		return 0
	}
	for i := range r.Release.Requirements {
		if r.Release.Requirements[i].ID == requirement && i < len(r.Outcomes) {
			return r.Outcomes[i]
		}
	}
	return 0
}

// Counts is how many machines there are of each disposition.
type Counts struct {
	Total    int
	By       [remedy.Undetermined + 1]int
	Unjudged int
}

func (c *Counts) add(r *Row) {
	c.Total++
	if r.Judged {
		c.By[r.Disposition]++
	} else {
		c.Unjudged++
	}
}

// Obstacle is a requirement that machines fail.
type Obstacle struct {
	Release     *release.Release
	Requirement *release.Requirement
	Fails       int
	Alone       int // of these, how many fail nothing else
	Unknown     int
}

// Group is the counts of one place or class.
type Group struct {
	Name string
	Counts
}

// Tally is what a fleet looks like.
type Tally struct {
	Counts
	Classes   []Group
	Places    []Group
	Obstacles []Obstacle // musts that anything fails or leaves unknown, most failing first
}

// Count tallies rows.
func Count(rows []Row) Tally {
	var t Tally
	classes, places := map[string]*Group{}, map[string]*Group{}
	type at struct {
		rel *release.Release
		i   int
	}
	obstacles := map[at]*Obstacle{}
	for i := range rows {
		r := &rows[i]
		t.add(r)
		grouped(classes, r.Class).add(r)
		grouped(places, r.Place).add(r)
		for j := range r.Outcomes {
			if r.Release == nil || j >= len(r.Release.Requirements) || r.Release.Requirements[j].Level != release.Must {
				continue
			}
			o := obstacles[at{r.Release, j}]
			if o == nil {
				o = &Obstacle{Release: r.Release, Requirement: &r.Release.Requirements[j]}
				obstacles[at{r.Release, j}] = o
			}
			switch r.Outcomes[j] {
			case 'f':
				o.Fails++
				if r.Sole == o.Requirement.ID {
					o.Alone++
				}
			case 'u':
				o.Unknown++
			}
		}
	}
	t.Classes, t.Places = sorted(classes), sorted(places)
	for _, o := range obstacles {
		if o.Fails+o.Unknown > 0 {
			t.Obstacles = append(t.Obstacles, *o)
		}
	}
	slices.SortFunc(t.Obstacles, func(a, b Obstacle) int {
		return cmp.Or(b.Fails-a.Fails, b.Alone-a.Alone, b.Unknown-a.Unknown, strings.Compare(a.Release.ID+a.Requirement.ID, b.Release.ID+b.Requirement.ID))
	})
	return t
}

func grouped(m map[string]*Group, name string) *Counts {
	if m[name] == nil {
		m[name] = &Group{Name: name}
	}
	return &m[name].Counts
}

func sorted(m map[string]*Group) []Group {
	out := make([]Group, 0, len(m))
	for _, g := range m {
		out = append(out, *g)
	}
	slices.SortFunc(out, func(a, b Group) int { return cmp.Or(b.Total-a.Total, strings.Compare(a.Name, b.Name)) })
	return out
}

// Orders are the keys that rows can be sorted by.
var Orders = []string{"name", "place", "disposition", "model", "installed", "fails", "taken"}

// Sort orders rows by one of [Orders]; a leading minus turns it round. Rows
// that are equal by it stay in the order of their names.
func Sort(rows []Row, order string) {
	key, down := strings.CutPrefix(order, "-")
	slices.SortFunc(rows, func(a, b Row) int {
		c := compare(&a, &b, key)
		if down {
			c = -c
		}
		return cmp.Or(c, strings.Compare(a.Name, b.Name))
	})
}

func compare(a, b *Row, key string) int {
	switch key {
	case "place":
		return strings.Compare(a.Place, b.Place)
	case "disposition":
		return int(a.Disposition) - int(b.Disposition)
	case "model":
		return strings.Compare(a.Manufacturer+a.Model, b.Manufacturer+b.Model)
	case "installed":
		return strings.Compare(a.Installed, b.Installed)
	case "fails":
		return a.Fails - b.Fails
	case "taken":
		return a.TakenAt.Compare(b.TakenAt)
	}
	return strings.Compare(a.Name, b.Name)
}
