package work

import (
	"cmp"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// What an application may take beside what a release says of its versions.
const (
	Possible = "possible" // the version, the publisher or a fact of the machine is missing
	Unnamed  = "unnamed"  // the release does not name it
)

// urgency is the order in which applications are shown: what has to go first stands first.
var urgency = []string{
	release.Remove, release.Buy, release.Update, release.Problem, Possible, Unnamed, release.Fine,
}

// Application is a title of the fleet.
type Application struct {
	Name      string
	Publisher string // as the release names it, or as most machines have it
	Machines  int
	Takes     string // the most urgent of what its versions take
	Weight    string // the heaviest of the work on its versions
	Decides   string // who decides on the most urgent; "": it is not said
	Versions  []ApplicationVersion
}

// ApplicationVersion is a version of a title, and what it takes.
type ApplicationVersion struct {
	Version  string // empty where it is unknown
	Machines int
	Said
}

// Said is what a release says of a version of a title.
type Said struct {
	Takes   string // its state, [Possible] or [Unnamed]
	Weight  string // of the work, see [release.Required]; "" where there is none
	Note    string
	Cure    string // of a known problem
	Cost    string
	Decides string // who decides on the work; "": it is not said
	Source  string
}

// Installation is a title on one machine.
type Installation struct {
	Machine                  int64
	Name, Publisher, Version string
	Said
}

// Applications counts the titles of many machines.
type Applications struct {
	Read int // machines whose titles were read, all of them or those that were asked for
	by   map[string]*counted
	only string         // the name of the one whose machines are listed; "": none
	On   []Installation // of that one
}

type counted struct {
	Application
	versions   map[[2]string]*ApplicationVersion
	publishers map[string]int
}

// NewApplications begins to count. only is the name of an application whose machines are listed.
func NewApplications(only string) *Applications {
	return &Applications{by: map[string]*counted{}, only: only}
}

// Add counts the titles of a machine. rel is the release that it is to get; nil where there is none.
func (a *Applications) Add(machine int64, rel *release.Release, f *fact.Facts) {
	if f.Rows(fact.Titles) > 0 || f.Complete(fact.Titles) {
		a.Read++
	}
	seen := map[string]bool{}
	for _, t := range check.Titles(f) {
		if !t.Name.Known() {
			continue
		}
		said, name := Said{Takes: Unnamed}, need.Stem(t.Name.Text())
		if rel != nil {
			if entry := release.Named(rel.Known, t); entry != nil {
				name, said = entry.Name[0], saidOf(rel.Known, f, t)
			}
		}
		c := a.of(name, t.Publisher.Text())
		if !seen[c.Name] {
			seen[c.Name] = true
			c.Machines++
		}
		c.count(t.Version.Text(), said)
		if a.only != "" && strings.EqualFold(c.Name, a.only) {
			a.On = append(a.On, Installation{machine, t.Name.Text(), t.Publisher.Text(), t.Version.Text(), said})
		}
	}
}

// saidOf is what a release says of a title that it names.
func saidOf(known []release.Known, f *fact.Facts, t release.Title) Said {
	j := release.Judge(known, f, t)
	switch {
	case j.Range != nil:
		v := j.Range
		return Said{v.Is, v.Work(), v.Note, v.Cure, v.Cost, v.Decides, v.Source}
	case len(j.Maybe) > 0:
		return Said{Takes: Possible}
	}
	return Said{Takes: Unnamed}
}

func (a *Applications) of(name, publisher string) *counted {
	key := strings.ToLower(name)
	c := a.by[key]
	if c == nil {
		c = &counted{versions: map[[2]string]*ApplicationVersion{}, publishers: map[string]int{}}
		c.Name = name
		a.by[key] = c
	}
	if publisher != "" {
		c.publishers[publisher]++
	}
	return c
}

func (c *counted) count(version string, said Said) {
	key := [2]string{version, said.Takes}
	v := c.versions[key]
	if v == nil {
		v = &ApplicationVersion{Version: version, Said: said}
		c.versions[key] = v
	}
	v.Machines++
}

// List are the applications, those that take most first, then those on most machines.
func (a *Applications) List() []Application {
	out := make([]Application, 0, len(a.by))
	for _, c := range a.by {
		app := c.Application
		app.Takes = release.Fine
		for _, v := range c.versions {
			app.Versions = append(app.Versions, *v)
			if slices.Index(urgency, v.Takes) < slices.Index(urgency, app.Takes) {
				app.Takes, app.Decides = v.Takes, v.Decides
			}
			app.Weight = release.Heavier(app.Weight, v.Weight)
		}
		slices.SortFunc(app.Versions, func(x, y ApplicationVersion) int {
			return cmp.Or(fact.CompareVersions(x.Version, y.Version), strings.Compare(x.Takes, y.Takes))
		})
		most := 0
		for p, n := range c.publishers {
			if n > most || n == most && p < app.Publisher {
				app.Publisher, most = p, n
			}
		}
		out = append(out, app)
	}
	slices.SortFunc(out, func(x, y Application) int {
		return cmp.Or(slices.Index(urgency, x.Takes)-slices.Index(urgency, y.Takes), y.Machines-x.Machines,
			strings.Compare(x.Name, y.Name))
	})
	return out
}
