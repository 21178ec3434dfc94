// Package release is the release document rolltop-release/1: what the
// publisher of a target release states as its requirements, and what an
// organisation asks on top, in a form that a check can decide from.
//
// A document is read and checked whole by [Read]; a mistake anywhere refuses
// it, with every mistake named. The result is a [Release], ready for checking
// and not to be changed. [Compare] says how two of them differ.
package release

import (
	"errors"
	"fmt"
	"io/fs"
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

// Requirement is a compiled requirement.
type Requirement struct {
	ID, Title, Level, Consequence, AskedBy, Feature, Reason string

	Interim *Interim  // the intermediate release that asks for it; nil: the target
	When    need.Need // nil: always
	Need    need.Need
	Advised need.Need // nil: nothing more is advised
	Quote   *Quote    // where the publisher says it; nil: it is not pointed to

	pc, mac     bool // hardware of the class has any of the facts
	comparisons int
}

// On says whether hardware of a class has any of the facts that the
// requirement compares; every class has, where none is known.
func (q *Requirement) On(class string) bool {
	return class != fact.Mac && q.pc || class != fact.PC && q.mac
}

// Comparisons is how many comparisons the requirement is made of, its condition
// included.
func (q *Requirement) Comparisons() int { return q.comparisons }

// prepare counts what checking asks for often.
func (q *Requirement) prepare() {
	for l := range q.Need.Leaves() {
		q.comparisons++
		q.pc = q.pc || l.Fact().Def().Has(fact.PC)
		q.mac = q.mac || l.Fact().Def().Has(fact.Mac)
	}
	if q.When != nil {
		for range q.When.Leaves() {
			q.comparisons++
		}
	}
}

// Waivable says whether an exception can be accepted: not where the system
// would not start or the installer refuses.
func (q *Requirement) Waivable() bool {
	return q.AskedBy == House || q.Consequence == "unsupported" || q.Consequence == "works-less-well"
}

// Interim is a compiled intermediate release.
type Interim struct {
	*InterimDoc
	ways []way
}

// WayConditions are the conditions of the ways to the release, in the order of the document; nil for
// one without.
func (rel *Release) WayConditions() []need.Need { return conditions(rel.ways) }

// WayConditions are the conditions of the ways to the intermediate release, in the order of the
// document; nil for one without.
func (x *Interim) WayConditions() []need.Need { return conditions(x.ways) }

func conditions(ways []way) []need.Need {
	out := make([]need.Need, len(ways))
	for i := range ways {
		out[i] = ways[i].when
	}
	return out
}

// Stage is a compiled stage of an offer.
type Stage struct {
	*StageDoc
	When need.Need // nil: every machine
}

// Preparation is a compiled item of preparation.
type Preparation struct {
	*PreparationDoc
	When need.Need // nil: always
	Need need.Need // nil: a person says so
}

// End is a compiled thing that ends with the upgrade.
type End struct {
	*EndDoc
	When need.Need // nil: every machine has it
}

// Has says whether a machine has what ends.
func (e *End) Has(f *fact.Facts) need.Truth {
	if e.When == nil {
		return need.True
	}
	return e.When.Test(f.View())
}

// Release is a compiled release document.
type Release struct {
	*Document
	Requirements []Requirement // of the target, then of the intermediate releases
	Lists        []*list.List
	Pages        []*Page   // kept as evidence
	Convertible  need.Need // the publisher's own rule of when a disk can be converted; nil: the tool's counts
	Interims     []*Interim
	Stages       []Stage
	Known        []Known // titles
	KnownDrivers []Known
	Prepare      []Preparation
	Endings      []End
	NamesOf      map[string][]string // by a verdict: of titles that some entry gives it
	Needed       []fact.ID           // every fact that a must of the target reads
	HasHouse     bool                // some must is the organisation's own

	ways []way
}

// Ref names a release and its revision, as results carry it.
type Ref struct {
	ID        string    `json:"id"`
	Name      string    `json:"name"`
	Revision  int       `json:"revision"`
	Published time.Time `json:"published"`
	Source    string    `json:"source,omitempty"`
	Draft     bool      `json:"draft,omitempty"`
	Test      bool      `json:"test_release,omitempty" doc:"A release for testing: its requirements may still change"`
}

// Ref returns the release's identity.
func (rel *Release) Ref() Ref {
	return Ref{rel.ID, rel.Name, rel.Revision, rel.Published, rel.Source, rel.Draft, rel.TestRelease}
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

// SupportEnds is the end of support of an installed release and edition, or
// nil where the document does not say. The entry of the edition counts before
// the one for all.
func (rel *Release) SupportEnds(name, edition string) *SupportDoc {
	var found *SupportDoc
	for i := range rel.Support {
		s := &rel.Support[i]
		if !strings.EqualFold(s.Release, name) {
			continue
		}
		if strings.EqualFold(s.Edition, edition) && edition != "" {
			return s
		}
		if s.Edition == "" {
			found = s
		}
	}
	return found
}

// EditionsApart are the editions of an installed release whose support ends on days of their own.
func (rel *Release) EditionsApart(name string) []string {
	var out []string
	for i := range rel.Support {
		if s := &rel.Support[i]; strings.EqualFold(s.Release, name) && s.Edition != "" {
			out = append(out, s.Edition)
		}
	}
	return out
}

// Offer is whether the publisher offers the release to a machine already.
type Offer struct {
	Known bool      // the document says something of it
	Now   bool      // it is offered
	From  time.Time // since when, or from when
	To    string    // to which machines, in words
	Maybe string    // an earlier stage that may take the machine in: to which machines, in words
	Media time.Time // since when installation media can be used without waiting for the offer; zero: never said
}

// Start is the first day on which the machine can get the release: by the offer, or from
// installation media.
func (o *Offer) Start() time.Time {
	if !o.Media.IsZero() && (o.From.IsZero() || o.Media.Before(o.From)) {
		return o.Media
	}
	return o.From
}

// Words for when a release is offered to a machine.
const (
	OfferedNow   = "now"
	OfferedLater = "later" // on a day that is known
	OfferedLate  = "late"  // on a day after the end of support of what the machine runs
	NotOffered   = "unknown"
)

// OfferWords are the words for when a release is offered.
func OfferWords() []string { return []string{OfferedNow, OfferedLater, OfferedLate, NotOffered} }

// WhenOffered are the words that are true of a machine: one that is offered the release late is offered it later,
// too. A machine that runs the release already has none.
func (rel *Release) WhenOffered(f *fact.Facts, now time.Time) []string {
	if rel.RunsOn(f) != NotInstalled {
		return nil
	}
	o := rel.OfferTo(f, now)
	start := o.Start()
	switch {
	case o.Now || !start.IsZero() && !start.After(now):
		return []string{OfferedNow}
	case start.IsZero() || o.Maybe != "":
		return []string{NotOffered} // an earlier stage may take it in
	}
	words := []string{OfferedLater}
	end := rel.SupportEnds(f.Value(fact.OSName).Text(), f.Value(fact.OSEdition).Text())
	if end != nil && !end.Ends.IsZero() && start.After(end.Ends) {
		words = append(words, OfferedLate)
	}
	return words
}

// OfferTo finds the first stage that a machine belongs to. A stage whose
// condition is not known to hold does not count.
func (rel *Release) OfferTo(f *fact.Facts, now time.Time) Offer {
	o := Offer{Media: rel.MediaFrom}
	for i := range rel.Stages {
		s := &rel.Stages[i]
		holds := need.True
		if s.When != nil {
			holds = s.When.Test(f.View())
		}
		switch {
		case holds == need.False:
			o.Known = true
		case holds == need.Unknown:
			if o.Known = true; !s.From.After(now) && o.Maybe == "" {
				o.Maybe = s.To
			}
		case o.To == "" || s.From.Before(o.From):
			o = Offer{true, !s.From.After(now), s.From, s.To, o.Maybe, rel.MediaFrom}
		}
	}
	return o
}

// Files gives the text of a file beside a document by its name.
type Files func(name string) ([]byte, error)

// Read reads a release document: YAML or JSON, or a bundle of a document with
// its files. files gives those of a document that stands by itself, and may be
// nil. The error is [*doc.Mistakes], with every mistake in the document and in
// its files.
func Read(name string, src []byte, files Files) (*Release, error) {
	d, r, err := open(name, src, files)
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

func open(name string, src []byte, files Files) (*Document, *doc.Report, error) {
	if b, err := readBundle(name, src); err != nil {
		return nil, nil, err
	} else if b != nil {
		src, files = []byte(b.Document), b.file
	}
	d := new(Document)
	_, r, err := doc.Open(name, src, Format, d)
	if err != nil {
		return nil, nil, err
	}
	for i := range d.Lists {
		d.attach(&d.Lists[i], files, r)
	}
	d.attachPages(files, r)
	return d, r, nil
}

// attach reads the rows of a list that stand in a file.
func (d *Document) attach(l *list.Document, files Files, r *doc.Report) {
	at := l.Node.Of("file")
	switch {
	case l.File == "":
		return
	case !ValidFile(l.File):
		r.Add(at, "the name cannot be that of a file beside the document",
			"a name of letters, digits, dots and hyphens that ends in .csv, without a directory")
		return
	case len(l.Rows) > 0:
		r.Add(at, "the list has rows and a file of rows", "keep one of the two")
		return
	case files == nil:
		r.Add(at, "the document refers to a file that is missing", "add both; rolltop releases add does this")
		return
	}
	src, err := files(l.File)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		r.Add(at, fmt.Sprintf("the file %s does not exist", l.File), "put it in the directory of the document")
		return
	case err != nil:
		r.Add(at, "the file cannot be read: "+err.Error(), "check its name and who may read it")
		return
	}
	l.Rows = list.ReadRows(l.File, src, r)
}

// ValidFile says whether a name can be that of a file of rows beside a
// document.
func ValidFile(s string) bool { return validFile(s, ".csv") }

// ValidPageFile says whether a name can be that of the text of a page beside a document.
func ValidPageFile(s string) bool { return validFile(s, ".txt") }

func validFile(s, ending string) bool {
	base, ok := strings.CutSuffix(s, ending)
	if !ok || base == "" || len(s) > 100 || s[0] == '.' {
		return false
	}
	return !strings.ContainsFunc(base, func(c rune) bool {
		return c != '-' && c != '_' && c != '.' && (c < '0' || c > '9') && (c < 'a' || c > 'z') && (c < 'A' || c > 'Z')
	})
}

// gather works out what a whole, correct document needs of a machine.
func (rel *Release) gather() {
	rel.NamesOf = map[string][]string{}
	for i := range rel.Known {
		k := &rel.Known[i]
		for j := range k.Versions {
			rel.NamesOf[k.Versions[j].Is] = append(append(rel.NamesOf[k.Versions[j].Is], k.Name...), k.Code...)
		}
	}
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		q.prepare()
		if q.Level != Must {
			continue
		}
		rel.HasHouse = rel.HasHouse || q.AskedBy == House
		if q.Interim != nil {
			continue // only machines on that way need its facts
		}
		for _, id := range need.Facts(q.Need) {
			if id.Group() == fact.NoGroup && id.Def().Has(rel.InstallsOn) && !slices.Contains(rel.Needed, id) {
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
