// Package compare puts two inventories beside each other: facts that differ,
// rows of lists that came or went, and, where both were checked against one
// release, findings that differ. A fact that is no longer visible, for want of
// rights, is not a change of the machine.
package compare

import (
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/placeholder"
	"rolltop.example/rolltop/core/say"
)

// Format is the value of the key “format”.
const Format = "rolltop-compare/1"

// Document is a comparison in words.
type Document struct {
	Format      string     `json:"format" enum:"rolltop-compare/1"`
	A           Side       `json:"a"`
	B           Side       `json:"b"`
	SameMachine bool       `json:"same_machine" doc:"Both are of one machine, by serial number or UUID"`
	Says        string     `json:"says" doc:"The comparison in a sentence"`
	Facts       []Fact     `json:"facts" doc:"Facts that differ, or that are known for only one of the two"`
	Rows        []Row      `json:"rows" doc:"Rows of lists that only one of the two has"`
	Disagree    []Disagree `json:"disagree" doc:"Conflicts between sources within one inventory"`
	Findings    []Finding  `json:"findings" doc:"Requirements with another outcome or value, if both were checked"`
	Release     string     `json:"release,omitempty" doc:"The release that both were checked against"`
}

// Side is one of the two.
type Side struct {
	Name        string    `json:"name"`
	Model       string    `json:"model,omitempty"`
	TakenAt     time.Time `json:"taken_at"`
	Elevated    *bool     `json:"elevated,omitempty"`
	Disposition string    `json:"disposition,omitempty"`
	Answer      string    `json:"answer,omitempty"`
}

// Kinds of difference between two readings.
const (
	Differs   = "differs"   // both are known
	OnlyA     = "only-a"    // B does not know it
	OnlyB     = "only-b"    // A does not know it
	Invisible = "invisible" // B could not look: it was read with fewer rights
)

// Fact is a fact that differs.
type Fact struct {
	Fact  string `json:"fact"`
	Label string `json:"label"`
	A     string `json:"a"`
	B     string `json:"b"`
	Kind  string `json:"kind" enum:"differs,only-a,only-b,invisible"`
}

// Row is a row of a list that only one of the two has.
type Row struct {
	List string `json:"list"`
	Row  string `json:"row"`
	In   string `json:"in" enum:"a,b"`
}

// Disagree is a fact on which sources within one inventory disagree.
type Disagree struct {
	In       string `json:"in" enum:"a,b"`
	Fact     string `json:"fact"`
	Label    string `json:"label"`
	Readings string `json:"readings"`
}

// Finding is a requirement with another outcome or value.
type Finding struct {
	Requirement string `json:"requirement"`
	Title       string `json:"title"`
	A           string `json:"a" doc:"Outcome"`
	B           string `json:"b" doc:"Outcome"`
	HasA        string `json:"has_a"`
	HasB        string `json:"has_b"`
	Needs       string `json:"needs"`
	Invisible   bool   `json:"invisible,omitempty" doc:"B is unknown only because it was read with fewer rights; that is not a regression"`
}

// Run compares two inventories. checkA and checkB are their checks against one
// release, or nil.
func Run(a, b *inventory.Document, checkA, checkB *assess.Document) *Document {
	fa, fb := fact.Read(a), fact.Read(b)
	d := &Document{
		Format:      Format,
		A:           side(a, checkA),
		B:           side(b, checkB),
		SameMachine: same(a, b),
		Facts:       []Fact{},
		Rows:        []Row{},
		Disagree:    []Disagree{},
		Findings:    []Finding{},
	}
	for _, def := range fact.All() {
		if !def.Has(fa.Class()) && !def.Has(fb.Class()) {
			continue
		}
		d.fact(&def, fa.Get(def.ID), fb.Get(def.ID))
	}
	d.rows(fa, fb)
	if checkA != nil && checkB != nil {
		d.Release = checkB.Release.Name
		d.findings(checkA, checkB)
	}
	d.Says = d.sum()
	return d
}

func side(d *inventory.Document, c *assess.Document) Side {
	s := Side{Name: d.Device.Name.Or("unnamed"), Model: d.Device.Model.Or(d.Device.ModelID.Or("")), TakenAt: d.TakenAt}
	if e, ok := d.Collector.Elevated.Get(); ok {
		s.Elevated = &e
	}
	if c != nil {
		s.Disposition, s.Answer = c.Disposition, c.Answer
	}
	return s
}

func same(a, b *inventory.Document) bool {
	return placeholder.Same(a.Device.UUID.Or(""), b.Device.UUID.Or(""), placeholder.UUID) ||
		placeholder.Same(a.Device.Serial.Or(""), b.Device.Serial.Or(""), placeholder.Text)
}

func (d *Document) fact(def *fact.Def, a, b *fact.Reading) {
	for _, x := range []struct {
		in string
		r  *fact.Reading
	}{{"a", a}, {"b", b}} {
		if len(x.r.Others()) > 0 {
			d.Disagree = append(d.Disagree, Disagree{x.in, def.Name, def.Label, say.Reading(def, x.r)})
		}
	}
	knownA, knownB := a.Value.Known(), b.Value.Known()
	if !knownA && !knownB || knownA && knownB && a.Value.Equal(b.Value) || def.Derived {
		return
	}
	kind := Differs
	switch {
	case !knownB && d.fewerRights(b):
		kind = Invisible
	case !knownB:
		kind = OnlyA
	case !knownA:
		kind = OnlyB
	}
	d.Facts = append(d.Facts, Fact{def.Name, def.Label, say.Reading(def, a), say.Reading(def, b), kind})
}

// fewerRights: the later one could not look.
func (d *Document) fewerRights(b *fact.Reading) bool {
	return b.Gap != nil && b.Gap.Cause == inventory.NeedsRights
}

// rows compares lists by what their rows are called, where both were read.
func (d *Document) rows(a, b *fact.Facts) {
	for _, name := range fact.GroupNames() {
		g := fact.GroupByName(name)
		if !a.Complete(g) || !b.Complete(g) {
			continue
		}
		left := titles(b, g)
		for _, row := range titles(a, g) {
			if i := slices.Index(left, row); i >= 0 {
				left = slices.Delete(left, i, i+1)
				continue
			}
			d.Rows = append(d.Rows, Row{g.Many(), row, "a"})
		}
		for _, row := range left {
			d.Rows = append(d.Rows, Row{g.Many(), row, "b"})
		}
	}
}

func titles(f *fact.Facts, g fact.Group) []string {
	var out []string
	for i := range f.Rows(g) {
		name := f.RowName(g, i)
		switch v := f.Row(g, i); g {
		case fact.Titles:
			name = strings.TrimSpace(name + " " + v.Value(fact.TitleVersion).Text())
		case fact.Drivers:
			name = strings.TrimSpace(name + " " + v.Value(fact.DriverVersion).Text())
		case fact.Modules:
			size := say.Value(fact.ModuleBytes.Def(), v.Value(fact.ModuleBytes))
			if b := v.Value(fact.ModuleBytes); b.Known() && b.Float() == 0 {
				size = "empty"
			}
			name += ", " + size
		}
		out = append(out, name)
	}
	return out
}

func (d *Document) findings(a, b *assess.Document) {
	before := map[string]*assess.Finding{}
	for i := range a.Findings {
		before[a.Findings[i].Requirement] = &a.Findings[i]
	}
	for i := range b.Findings {
		y := &b.Findings[i]
		x := before[y.Requirement]
		// An amount that is enough both times is no difference in the finding.
		if x == nil || x.Outcome == y.Outcome &&
			(x.Has == y.Has || y.Outcome == "pass" || y.Outcome == "not-applicable") {
			continue
		}
		f := Finding{y.Requirement, y.Title, x.Outcome, y.Outcome, x.Has, y.Has, y.Needs, false}
		if y.Outcome == "unknown" && x.Outcome != "unknown" {
			f.Invisible = !slices.ContainsFunc(y.Evidence,
				func(e assess.Evidence) bool { return e.Truth == "unknown" && e.Gap != inventory.NeedsRights })
		}
		d.Findings = append(d.Findings, f)
	}
}

func (d *Document) sum() string {
	differ, invisible := 0, 0
	for _, f := range d.Facts {
		if f.Kind == Invisible {
			invisible++
		} else {
			differ++
		}
	}
	who := "two machines"
	if d.SameMachine {
		who = "one machine at two times"
	}
	out := who + ": " + say.Count(differ, "fact differs", "facts differ")
	if d.Release != "" {
		out += ", " + say.Count(len(d.Findings), "finding differs", "findings differ")
	}
	switch {
	case invisible > 0 && !d.SameMachine:
		out += "; " + say.Count(invisible, "fact",
			"facts") + " could not be seen on the second, which was read with fewer rights"
	case invisible > 0:
		out += "; " + say.Count(invisible, "fact is",
			"facts are") + " no longer visible, since the later one was read with fewer rights"
	}
	return say.Sentence(out)
}
