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
	"rolltop.example/rolltop/core/work"
)

// Row is one machine with its latest verdict.
//
// What every list of work looks at stands in front, side by side: going through a large fleet waits for memory.
type Row struct {
	ID   int64 // number of the machine
	Key  string
	Name string
	Site string

	Disposition remedy.Disposition
	Publisher   remedy.Disposition
	Decided     Decided
	Causes      Causes // of an undetermined machine: why
	Next        int8   // disposition against the release that follows Release; NoNext where there is none
	Judged      bool   // against the target of its class
	Certain     bool
	Retired     bool // out of use, and out of every list that does not ask for such

	Plan       string    // the steps to Release, as work.Plan writes them
	whole      string    // of a row of an index: maker and model, one copy for all machines
	Later      time.Time // of a machine that is to be left alone: until when
	supportDay int32     // on which support of what it runs ends, in days since 1970; see [Row.SupportEnds]
	Doubted    bool      // somebody should settle which machine it is

	Class        string // fact.PC or fact.Mac
	Manufacturer string
	Model        string
	Installed    string // release
	TakenAt      time.Time
	Tags         string // separated by line feeds, in order

	Release      *release.Release
	Fails        int
	Sole         string // the only failing requirement, where it is one
	Outcomes     string // one letter for each requirement of Release
	NextOutcomes string // one letter for each requirement of the release that follows; "" where they are not known
	Way          string // to Release, one of release.Ways
	DecidedBy    string // numbers of the decisions, each between blanks
	WaivedMusts  string // ids of requirements that fail and are waived, separated by line feeds
}

// Unsupported says that the machine runs its target and does not meet what the
// publisher requires of it.
func (r *Row) Unsupported() bool { return r.Judged && r.Disposition == remedy.Done && r.Fails > 0 }

// ModelName is the maker and the model, as people name a model.
func (r *Row) ModelName() string {
	if r.whole != "" {
		return r.whole
	}
	return strings.TrimSpace(r.Manufacturer + " " + r.Model)
}

// Ref names the machine.
func (r *Row) Ref() work.MachineRef {
	return work.MachineRef{Key: r.Key, Name: r.Name, Site: r.Site, Model: r.ModelName()}
}

// TitlesAt are the titles of the required requirements at which the machine has an outcome.
// Letters of outcomes are those of package check.
func (r *Row) TitlesAt(letter byte) []string {
	var out []string
	for i := range min(len(r.Outcomes), len(r.Release.Requirements)) {
		if q := &r.Release.Requirements[i]; r.Outcomes[i] == letter && q.Level == release.Must {
			out = append(out, q.Title)
		}
	}
	return out
}

// NoNext stands where no release follows the target.
const NoNext = -1

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
	Sites     []Group
	Obstacles []Obstacle // musts that anything fails or leaves unknown, most failing first
	Causes    []CauseCount
	Next      []NextCounts
	Waived    int // machines that are ready since a requirement is waived
	// Unsupported are machines that run their target and do not meet what its publisher
	// requires.
	Unsupported int
}

// NextCounts is how machines of a target stand to the release that follows it.
type NextCounts struct {
	Target *release.Release
	Counts
}

// Count tallies the machines of a selection.
func (s Selection) Count() Tally {
	var t Tally
	classes, sites := s.x.texts[textClass].groups(), s.x.texts[textPlace].groups()
	obstacles := map[*release.Release][]Obstacle{}
	var causes [causeCount]int
	for _, at := range s.at {
		r := &s.x.rows[at]
		t.add(r)
		if r.Decided&Waived != 0 && r.Judged && r.Disposition == remedy.Ready {
			t.Waived++
		}
		if r.Unsupported() {
			t.Unsupported++
		}
		classes[s.x.texts[textClass].codes[at]].add(r)
		sites[s.x.texts[textPlace].codes[at]].add(r)
		if r.Release == nil || r.Judged && r.Disposition == remedy.Done {
			continue // nothing stands in the way of a machine that is there
		}
		r.Causes.count(&causes)
		if r.Next != NoNext {
			t.next(r)
		}
		list := obstacles[r.Release]
		if list == nil {
			list = make([]Obstacle, len(r.Release.Requirements))
			obstacles[r.Release] = list
		}
		for i := range min(len(r.Outcomes), len(list)) {
			switch r.Outcomes[i] {
			case 'f':
				list[i].Fails++
				if r.Sole != "" && r.Sole == r.Release.Requirements[i].ID {
					list[i].Alone++
				}
			case 'u':
				list[i].Unknown++
			}
		}
	}
	t.Classes, t.Sites, t.Causes = sorted(classes), sorted(sites), counted(&causes)
	for rel, list := range obstacles {
		for i := range list {
			if o := list[i]; o.Fails+o.Unknown > 0 && rel.Requirements[i].Level == release.Must {
				o.Release, o.Requirement = rel, &rel.Requirements[i]
				t.Obstacles = append(t.Obstacles, o)
			}
		}
	}
	slices.SortFunc(t.Obstacles, func(a, b Obstacle) int {
		return cmp.Or(b.Fails-a.Fails, b.Alone-a.Alone, b.Unknown-a.Unknown,
			strings.Compare(a.Release.ID+a.Requirement.ID, b.Release.ID+b.Requirement.ID))
	})
	return t
}

func (t *Tally) next(r *Row) {
	i := slices.IndexFunc(t.Next, func(n NextCounts) bool { return n.Target == r.Release })
	if i < 0 {
		i = len(t.Next)
		t.Next = append(t.Next, NextCounts{Target: r.Release})
	}
	t.Next[i].Total++
	t.Next[i].By[r.Next]++
}

// Standing is how many machines fail a requirement, or leave it unknown.
type Standing struct{ Fails, Unknown int }

// Standings are those of all requirements of a release, advice among them, in their
// order.
func (s Selection) Standings(rel *release.Release) []Standing {
	out := make([]Standing, len(rel.Requirements))
	for _, at := range s.at {
		r := &s.x.rows[at]
		if r.Release != rel {
			continue
		}
		for i := range min(len(r.Outcomes), len(out)) {
			switch r.Outcomes[i] {
			case 'f':
				out[i].Fails++
			case 'u':
				out[i].Unknown++
			}
		}
	}
	return out
}

// groups has one for each value of a column.
func (c *column) groups() []Group {
	out := make([]Group, len(c.values))
	for i := range out {
		out[i].Name = c.values[i].Text()
	}
	return out
}

// sorted leaves out groups without machines.
func sorted(list []Group) []Group {
	out := slices.DeleteFunc(list, func(g Group) bool { return g.Total == 0 })
	slices.SortFunc(out, func(a, b Group) int { return cmp.Or(b.Total-a.Total, strings.Compare(a.Name, b.Name)) })
	return out
}
