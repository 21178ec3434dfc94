package remedy

import (
	"embed"
	"fmt"
	"slices"
	"sync"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// Class is the kind of a step, from the least to the most that it asks for.
type Class int8

// The classes. A step without a class prepares or confirms and is no remedy.
const (
	NoClass Class = iota
	CleanUp
	Software
	Setting
	Interim
	Afresh
	Part
	Replacement
)

var classNames = []string{"", "clean-up", "software", "setting", "interim", "reinstall", "part", "replace"}

func (c Class) String() string { return classNames[c] }

// Phases of a plan: where its steps are done.
const (
	Remote  = "remote"
	Desk    = "desk"
	Host    = "host"
	Install = "install"
)

// StepDocument is a file of steps, rolltop-steps/1.
type StepDocument struct {
	Format string    `json:"format" enum:"rolltop-steps/1"`
	Steps  []StepDoc `json:"steps"`
}

// StepDoc is a step as it is written.
type StepDoc struct {
	ID        string                `json:"id"`
	Title     string                `json:"title" doc:"{short} {needed} {needed_drive} {release} {through} are filled in"`
	Phase     string                `json:"phase" enum:"remote,desk,host,install"`
	Class     string                `json:"class,omitempty" enum:"clean-up,software,setting,interim,reinstall,part,replace"`
	Noun      Noun                  `json:"noun,omitzero" doc:"How the answer counts it"`
	When      *need.Document        `json:"when,omitempty" doc:"Facts under which it can be done"`
	WhenNotNo bool                  `json:"unknown_when_is_fine,omitempty" doc:"It can be tried where the condition is not known"`
	InDoubt   bool                  `json:"in_doubt,omitempty" doc:"Whether it can be done is never known from facts"`
	Unless    *need.Document        `json:"unless,omitempty" doc:"Facts under which it cannot be done; not knowing them is no hindrance"`
	Skip      *need.Document        `json:"skip,omitempty" doc:"Facts under which it is not needed"`
	Sure      *need.Document        `json:"sure,omitempty" doc:"Facts under which its effect is certain; always, where not given"`
	SureNever bool                  `json:"sure_never,omitempty"`
	RestsOn   string                `json:"rests_on,omitempty" doc:"What an uncertain effect rests on"`
	AtWorst   string                `json:"at_worst,omitempty" enum:"clean-up,software,setting,interim,reinstall,part,replace" doc:"What it takes if it does not work"`
	Effect    map[string]doc.Scalar `json:"effect,omitempty" doc:"Facts as they are afterwards; “needed” is the least that meets the requirement"`
	Assume    map[string]doc.Scalar `json:"assume,omitempty" doc:"Facts as they are most likely afterwards, where nothing is known"`
	Ceiling   string                `json:"ceiling,omitempty" doc:"Fact that bounds what can be needed"`
	Routes    []string              `json:"routes,omitempty" doc:"in-place, interim, image, reinstall; any, where not given"`
	Installs  bool                  `json:"installs,omitempty" doc:"It installs the release by itself"`
	After     []string              `json:"after,omitempty" doc:"Steps that come before it where both stand"`
	Pulls     []string              `json:"pulls,omitempty" doc:"Steps that come with it"`
	Do        string                `json:"do" doc:"For the technician"`
	Tell      string                `json:"tell" doc:"For the machine's user"`
	Caution   string                `json:"caution,omitempty"`
	Confirm   string                `json:"confirm" doc:"How to see that it worked"`
	Otherwise []string              `json:"otherwise,omitempty" doc:"What to look at where it had no effect, the likeliest first"`
	Minutes   Minutes               `json:"minutes"`
	Restarts  int                   `json:"restarts,omitempty" minimum:"0" maximum:"20"`

	Node *doc.Node `json:"-"`
}

// Noun is how an answer counts a step: a firmware setting, three firmware
// settings.
type Noun struct {
	One  string `json:"one"`
	Many string `json:"many"`
}

// Minutes is how long a step takes.
type Minutes struct {
	Least int `json:"least" minimum:"0" maximum:"10000"`
	Most  int `json:"most" minimum:"0" maximum:"10000"`
}

// change is one effect of a step; a value that is not known stands for the
// least that the requirement needs.
type change struct {
	id    fact.ID
	value fact.Value
}

// Step is a compiled step.
type Step struct {
	StepDoc
	Class            Class
	Worst            Class
	When, Unless     need.Need
	Skip, Sure       need.Need
	effects, assumes []change
	ceiling          *fact.Def
	after, pulls     []int
}

// library is all steps, in the order that breaks ties.
type library struct {
	steps []Step
	at    map[string]int
}

//go:embed steps/*.yaml
var stepFiles embed.FS

// loaded is the library, read once. The files are part of the program and
// tested; a mistake in them is a defect of the program.
var loaded = sync.OnceValue(func() *library {
	var docs []StepDoc
	for _, name := range []string{"prepare", "software", "visit", "host", "install"} {
		name = "steps/" + name + ".yaml"
		src, err := stepFiles.ReadFile(name)
		if err != nil {
			panic(err)
		}
		var d StepDocument
		if err := doc.Decode(name, src, &d); err != nil {
			panic(err)
		}
		docs = append(docs, d.Steps...)
	}
	l, err := compile(docs)
	if err != nil {
		panic(err)
	}
	return l
})

func compile(docs []StepDoc) (*library, error) {
	l := &library{at: make(map[string]int)}
	r := &doc.Report{Name: "steps"}
	for i, d := range docs {
		if _, twice := l.at[d.ID]; twice {
			r.Add(d.Node, fmt.Sprintf("the step %q stands twice", d.ID), "")
		}
		l.at[d.ID] = i
	}
	for _, d := range docs {
		s := Step{StepDoc: d, Class: Class(slices.Index(classNames, d.Class)), Worst: Class(slices.Index(classNames, d.AtWorst))}
		for _, n := range []struct {
			from *need.Document
			to   *need.Need
		}{{d.When, &s.When}, {d.Unless, &s.Unless}, {d.Skip, &s.Skip}, {d.Sure, &s.Sure}} {
			if n.from != nil {
				*n.to = need.Compile(n.from, nil, r)
			}
		}
		s.effects, s.assumes = changes(d.Effect, d.Node.Of("effect"), r), changes(d.Assume, d.Node.Of("assume"), r)
		if s.ceiling = fact.ByName(d.Ceiling); d.Ceiling != "" && s.ceiling == nil {
			r.Add(d.Node.Of("ceiling"), "there is no such fact", "")
		}
		s.after, s.pulls = l.indexes(d.After, d.Node.Of("after"), r), l.indexes(d.Pulls, d.Node.Of("pulls"), r)
		for _, w := range d.Routes {
			if !slices.Contains(release.Ways(), w) {
				r.Add(d.Node.Of("routes"), fmt.Sprintf("there is no route %q", w), "")
			}
		}
		l.steps = append(l.steps, s)
	}
	return l, r.Err()
}

func (l *library) indexes(ids []string, at *doc.Node, r *doc.Report) []int {
	var out []int
	for _, id := range ids {
		i, ok := l.at[id]
		if !ok {
			r.Add(at, fmt.Sprintf("there is no step %q", id), "")
		}
		out = append(out, i)
	}
	return out
}

// changes keeps the order of the catalogue, so that a simulation is the same
// at every run.
func changes(m map[string]doc.Scalar, at *doc.Node, r *doc.Report) []change {
	var out []change
	for _, name := range fact.Names() {
		text, ok := m[name]
		if !ok {
			continue
		}
		c := change{id: fact.ByName(name).ID}
		if text != "needed" {
			var right string
			if c.value, right = need.Value(c.id.Def(), string(text)); !c.value.Known() {
				r.Add(at, fmt.Sprintf("%q is not a value of %s", text, name), right)
			}
		}
		out = append(out, c)
	}
	if len(out) != len(m) {
		r.Add(at, "an effect is on a fact that does not exist", "")
	}
	return out
}

// on says whether a step belongs to a route and to the kind of machine.
func (s *Step) on(route string, guest bool) bool {
	if len(s.Routes) > 0 && !slices.Contains(s.Routes, route) {
		return false
	}
	return s.Phase != Desk && s.Phase != Host || guest == (s.Phase == Host)
}

// can says whether the step can be done under facts.
func (s *Step) can(f *fact.Facts) need.Truth {
	t := need.True
	if s.When != nil {
		t = s.When.Test(f.View())
	}
	if t == need.Unknown && s.WhenNotNo {
		t = need.True
	}
	if s.Unless != nil && s.Unless.Test(f.View()) == need.True {
		return need.False
	}
	if s.InDoubt {
		t = min(t, need.Unknown)
	}
	return t
}

// sure says whether the effect is certain under facts.
func (s *Step) sure(f *fact.Facts) bool {
	return !s.SureNever && !s.InDoubt && (s.Sure == nil || s.Sure.Test(f.View()) == need.True)
}

func (s *Step) touches(n need.Need) bool {
	return slices.ContainsFunc(s.effects, func(c change) bool { return need.Reads(n, c.id) })
}

// shows says whether the step makes a fact known that a need reads.
func (s *Step) shows(n need.Need) bool {
	return s.touches(n) || slices.ContainsFunc(s.assumes, func(c change) bool { return need.Reads(n, c.id) })
}
