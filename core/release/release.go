// Package release is the release document rolltop-release/1: what the
// publisher of a target release states as its requirements, and what an
// organisation asks on top, in a form that a check can decide from.
//
// A document is read and checked whole by [Read]; a mistake anywhere refuses
// it, with every mistake named. The result is a [Release], ready for checking
// and not to be changed.
package release

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
)

// Format is the value of the key “format”.
const Format = "rolltop-release/1"

// Levels of a requirement.
const (
	Must    = "must"    // decides the disposition
	Should  = "should"  // advises, and never changes it
	Feature = "feature" // belongs to one optional feature
)

// Who asks for a requirement.
const (
	Publisher = "publisher"
	House     = "house"
)

// Ways to get to a release from an installed one.
const (
	InPlace   = "in-place"
	Interim   = "interim"
	Reinstall = "reinstall"
)

// Document is a release document as it is written.
type Document struct {
	Format       string           `json:"format" enum:"rolltop-release/1"`
	ID           string           `json:"id" doc:"Lower-case letters, digits and hyphens"`
	Name         string           `json:"name"`
	InstallsOn   string           `json:"installs_on" enum:"pc,mac" doc:"The class of hardware"`
	Revision     int              `json:"revision" minimum:"1" maximum:"1000000" doc:"Counts up; a revision is never overwritten"`
	Published    time.Time        `json:"published" doc:"The date the publisher gives the requirements"`
	Source       string           `json:"source" doc:"Address of the page it was taken from"`
	Draft        bool             `json:"draft,omitempty" doc:"A draft cannot judge the fleet"`
	Support      []SupportDoc     `json:"support,omitempty" doc:"End of support, of this release and of the ones before it"`
	Upgrade      []SourceDoc      `json:"upgrade,omitempty" doc:"From which installed systems one gets there, and how; the first that fits counts"`
	Requirements []RequirementDoc `json:"requirements"`
	Lists        []list.Document  `json:"lists,omitempty"`

	Node *doc.Node `json:"-"`
}

// SupportDoc is the end of support of one release.
type SupportDoc struct {
	Release string    `json:"release" doc:"As in os.name"`
	Edition string    `json:"edition,omitempty" doc:"Where editions differ"`
	Ends    time.Time `json:"ends"`
	Source  string    `json:"source,omitempty"`

	Node *doc.Node `json:"-"`
}

// SourceDoc is one installed system from which one gets to the release.
type SourceDoc struct {
	Platform     string   `json:"platform" enum:"windows,macos,linux"`
	AtLeast      string   `json:"at_least,omitempty" doc:"Lowest os.version, inclusive"`
	AtMost       string   `json:"at_most,omitempty" doc:"Highest os.version, inclusive"`
	Architecture []string `json:"architecture,omitempty" doc:"Allowed values of os.architecture"`
	Way          string   `json:"way" enum:"in-place,interim,reinstall"`
	Through      string   `json:"through,omitempty" doc:"For interim: the name of the release between"`

	Node *doc.Node `json:"-"`
}

// RequirementDoc is one requirement as it is written.
type RequirementDoc struct {
	ID          string         `json:"id"`
	Title       string         `json:"title"`
	Level       string         `json:"level" enum:"must,should,feature"`
	Consequence string         `json:"consequence,omitempty" enum:"will-not-start,installer-refuses,unsupported,works-less-well" doc:"What follows if it is not met"`
	AskedBy     string         `json:"asked_by,omitempty" enum:"publisher,house" doc:"The publisher where it is not given"`
	Feature     string         `json:"feature,omitempty" doc:"For the level feature: which one"`
	Reason      string         `json:"reason" doc:"Why it exists, in plain words"`
	When        *need.Document `json:"when,omitempty" doc:"The requirement applies only where this holds"`
	Need        need.Document  `json:"need"`
	Advised     *need.Document `json:"advised,omitempty" doc:"A higher value that is only advised"`

	Node *doc.Node `json:"-"`
}

// Requirement is a compiled requirement.
type Requirement struct {
	ID, Title, Level, Consequence, AskedBy, Feature, Reason string

	When    need.Need // nil: always
	Need    need.Need
	Advised need.Need // nil: nothing more is advised
}

// Waivable says whether an exception can be accepted: not where the system
// would not start or the installer refuses.
func (q *Requirement) Waivable() bool {
	return q.AskedBy == House || q.Consequence == "unsupported" || q.Consequence == "works-less-well"
}

// Release is a compiled release document.
type Release struct {
	*Document
	Requirements []Requirement
	Lists        []*list.List
	Needed       []fact.ID // every fact that a must reads
	HasHouse     bool      // some must is the organisation's own
}

// Ref names a release and its revision, as results carry it.
type Ref struct {
	ID        string    `json:"id"`
	Name      string    `json:"name"`
	Revision  int       `json:"revision"`
	Published time.Time `json:"published"`
	Source    string    `json:"source,omitempty"`
}

// Ref returns the release's identity.
func (rel *Release) Ref() Ref {
	return Ref{rel.ID, rel.Name, rel.Revision, rel.Published, rel.Source}
}

// Requirement finds a requirement by its id, or nil.
func (rel *Release) Requirement(id string) *Requirement {
	for i := range rel.Requirements {
		if rel.Requirements[i].ID == id {
			return &rel.Requirements[i]
		}
	}
	return nil
}

// ProcessorList is the first list of processors, or nil.
func (rel *Release) ProcessorList() *list.List {
	for _, l := range rel.Lists {
		if l.Of == list.Processors {
			return l
		}
	}
	return nil
}

// SupportEnds is the end of support of an installed release and edition.
func (rel *Release) SupportEnds(name, edition string) (time.Time, bool) {
	var found *SupportDoc
	for i := range rel.Support {
		s := &rel.Support[i]
		if !strings.EqualFold(s.Release, name) {
			continue
		}
		if strings.EqualFold(s.Edition, edition) && edition != "" {
			return s.Ends, true
		}
		if s.Edition == "" {
			found = s
		}
	}
	if found == nil {
		return time.Time{}, false
	}
	return found.Ends, true
}

// Path is how one gets from a machine's installed system to the release.
// Truth is Unknown where a fact that decides it is missing; then the way is
// the first that is not ruled out.
type Path struct {
	Way     string
	Through string
	Truth   need.Truth
}

// PathFrom finds the first source that fits; where none does, the release is
// installed afresh.
func (rel *Release) PathFrom(f *fact.Facts) Path {
	for i := range rel.Upgrade {
		s := &rel.Upgrade[i]
		if t := s.fits(f); t != need.False {
			return Path{s.Way, s.Through, t}
		}
	}
	return Path{Way: Reinstall, Truth: need.True}
}

func (s *SourceDoc) fits(f *fact.Facts) need.Truth {
	t := need.True
	platform, version, arch := f.Value(fact.OSPlatform), f.Value(fact.OSVersion), f.Value(fact.OSArchitecture)
	switch {
	case !platform.Known():
		t = need.Unknown
	case platform.Text() != s.Platform:
		return need.False
	}
	if s.AtLeast != "" || s.AtMost != "" {
		switch {
		case !version.Known():
			t = need.Unknown
		case s.AtLeast != "" && fact.CompareVersions(version.Text(), s.AtLeast) < 0,
			s.AtMost != "" && fact.CompareVersions(version.Text(), s.AtMost) > 0:
			return need.False
		}
	}
	if len(s.Architecture) > 0 {
		switch {
		case !arch.Known():
			t = need.Unknown
		case !slices.Contains(s.Architecture, arch.Text()):
			return need.False
		}
	}
	return t
}

// Read reads a release document. The error is [*doc.Mistakes], with every
// mistake in the document.
func Read(name string, src []byte) (*Release, error) {
	d := new(Document)
	_, r, err := doc.Open(name, src, Format, d)
	if err != nil {
		return nil, err
	}
	rel := compile(d, r)
	if err := r.Err(); err != nil {
		return nil, err
	}
	rel.gather()
	return rel, nil
}

// gather works out what a whole, correct document needs of a machine.
func (rel *Release) gather() {
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		if q.Level != Must {
			continue
		}
		rel.HasHouse = rel.HasHouse || q.AskedBy == House
		for _, id := range need.Facts(q.Need) {
			if id.Def().Has(rel.InstallsOn) && !slices.Contains(rel.Needed, id) {
				rel.Needed = append(rel.Needed, id)
			}
		}
	}
}

// ValidID says whether text can be an id: it stands in addresses and filters.
func ValidID(s string) bool {
	if s == "" || len(s) > 64 || s[0] == '-' {
		return false
	}
	return !strings.ContainsFunc(s, func(c rune) bool {
		return c != '-' && (c < '0' || c > '9') && (c < 'a' || c > 'z')
	})
}

func checkID(at *doc.Node, id string, seen map[string]bool, r *doc.Report) {
	switch {
	case !ValidID(id):
		r.Add(at, fmt.Sprintf("%q cannot be an id", id), "use lower-case letters, digits and hyphens, 64 at most")
	case seen[id]:
		r.Add(at, fmt.Sprintf("the id %q stands twice", id), "ids are named in results; give each its own")
	}
	seen[id] = true
}

func compile(d *Document, r *doc.Report) *Release {
	rel := &Release{Document: d}
	checkID(d.Node.Of("id"), d.ID, map[string]bool{}, r)
	lists, seen := map[string]*list.List{}, map[string]bool{}
	for i := range d.Lists {
		checkID(d.Lists[i].Node.Of("id"), d.Lists[i].ID, seen, r)
		l := list.Compile(&d.Lists[i], r)
		rel.Lists = append(rel.Lists, l)
		lists[l.ID] = l
	}
	if len(d.Requirements) == 0 {
		r.Add(d.Node.Of("requirements"), "there are no requirements", "a release without any would find every machine ready")
	}
	seen = map[string]bool{}
	for i := range d.Requirements {
		q := compileRequirement(&d.Requirements[i], lists, seen, r)
		rel.Requirements = append(rel.Requirements, q)
	}
	for i := range d.Upgrade {
		if s := &d.Upgrade[i]; (s.Way == Interim) != (s.Through != "") {
			r.Add(s.Node, "the way interim names the release between, and no other way does", "give through with way: interim")
		}
	}
	return rel
}

func compileRequirement(d *RequirementDoc, lists map[string]*list.List, seen map[string]bool, r *doc.Report) Requirement {
	checkID(d.Node.Of("id"), d.ID, seen, r)
	q := Requirement{ID: d.ID, Title: d.Title, Level: d.Level, Consequence: d.Consequence, AskedBy: d.AskedBy, Feature: d.Feature, Reason: d.Reason}
	if q.AskedBy == "" {
		q.AskedBy = Publisher
	}
	if d.Level == Must && d.Consequence == "" {
		r.Add(d.Node, "a must says what follows if it is not met", "give consequence: will-not-start, installer-refuses, unsupported or works-less-well")
	}
	if (d.Level == Feature) != (d.Feature != "") {
		r.Add(d.Node, "the level feature names its feature, and no other level does", "give feature with level: feature")
	}
	if d.Node.Has("need") {
		q.Need = need.Compile(&d.Need, lists, r)
	}
	if d.When != nil {
		q.When = need.Compile(d.When, lists, r)
	}
	if d.Advised != nil {
		q.Advised = need.Compile(d.Advised, lists, r)
	}
	return q
}
