package work

import (
	"cmp"
	"slices"
	"strings"

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
	Versions  []ApplicationVersion
}

// ApplicationVersion is a version of a title, and what it takes.
type ApplicationVersion struct {
	Version  string // empty where it is unknown
	Machines int
	Takes    string // what the release says of it, [Possible] or [Unnamed]
	Note     string
	Source   string
}

// Installation is a title on one machine.
type Installation struct {
	Machine                  int64
	Name, Publisher, Version string
	Takes, Note              string
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
	rows := f.Rows(fact.Titles)
	if rows > 0 || f.Complete(fact.Titles) {
		a.Read++
	}
	seen := map[string]bool{}
	for i := range rows {
		row := f.Row(fact.Titles, i)
		title := row.Value(fact.TitleName)
		if !title.Known() {
			continue
		}
		publisher, version := row.Value(fact.TitlePublisher), row.Value(fact.TitleVersion)
		takes, note, source, name := Unnamed, "", "", need.Stem(title.Text())
		if rel != nil {
			if entry := release.Named(rel.Known, title, publisher); entry != nil {
				name = entry.Name[0]
				takes, note, source = said(rel.Known, f, title, publisher, version)
			}
		}
		c := a.of(name, publisher.Text())
		if !seen[c.Name] {
			seen[c.Name] = true
			c.Machines++
		}
		c.count(version.Text(), takes, note, source)
		if a.only != "" && strings.EqualFold(c.Name, a.only) {
			a.On = append(a.On, Installation{machine, title.Text(), publisher.Text(), version.Text(), takes, note})
		}
	}
}

// said is what a release says of a title that it names.
func said(known []release.Known, f *fact.Facts, name, publisher, version fact.Value) (takes, note, source string) {
	j := release.Judge(known, f, name, publisher, version)
	switch {
	case j.Range != nil:
		return j.Range.Is, j.Range.Note, j.Range.Source
	case len(j.Maybe) > 0:
		return Possible, "", ""
	}
	return Unnamed, "", ""
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

func (c *counted) count(version, takes, note, source string) {
	v := c.versions[[2]string{version, takes}]
	if v == nil {
		v = &ApplicationVersion{Version: version, Takes: takes, Note: note, Source: source}
		c.versions[[2]string{version, takes}] = v
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
				app.Takes = v.Takes
			}
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
