package remedy

import (
	"bytes"
	"embed"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
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

// StepFormat is the value of the key “format”.
const StepFormat = "rolltop-steps/1"

// StepDoc is a step as it is written.
type StepDoc struct {
	ID        string                `json:"id"`
	Title     string                `json:"title" doc:"{short} {needed} {needed_drive} {release} {through} {restarts} {titles} {part} are filled in"`
	Phase     string                `json:"phase" enum:"remote,desk,host,install"`
	Who       string                `json:"who,omitempty" enum:"administrator,technician,host-administrator,specialist,owner,purchasing" doc:"Who can do it; by the phase, where not given"`
	Class     string                `json:"class,omitempty" enum:"clean-up,software,setting,interim,reinstall,part,replace"`
	Noun      Noun                  `json:"noun,omitzero" doc:"How the answer counts it"`
	Always    *need.Document        `json:"always,omitempty" doc:"Facts under which it stands in every plan of a machine that is kept"`
	Closes    []string              `json:"closes,omitempty" doc:"Why a fact is not known, where this step finds it out: needs-rights, not-offered, read-failed, not-asked, disagree, not-listed"`
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
	Before    []string              `json:"before,omitempty" doc:"Steps that come after it where both stand"`
	Pulls     []string              `json:"pulls,omitempty" doc:"Steps that come with it"`
	PulledBy  []string              `json:"pulled_by,omitempty" doc:"Steps that it comes with"`
	Setting   string                `json:"setting,omitempty" doc:"The firmware setting that it changes; firmware guides say where it is"`
	Part      string                `json:"part,omitempty" enum:"memory-module,drive,tpm-module,graphics-card,display,title,machine" doc:"What is bought for it; the price table says for how much"`
	Do        string                `json:"do" doc:"For the technician"`
	Tell      string                `json:"tell" doc:"For the machine's user"`
	Caution   string                `json:"caution,omitempty"`
	Warn      []WarnDoc             `json:"warn,omitempty" doc:"Cautions that hold for some machines only"`
	Risk      string                `json:"risk,omitempty" enum:"none,may-not-start,may-lose-data,may-lose-keys" doc:"The worst that can happen; none, where not given"`
	Back      string                `json:"back,omitempty" doc:"The way back"`
	Confirm   string                `json:"confirm" doc:"How to see that it worked"`
	Seen      *need.Document        `json:"seen,omitempty" doc:"Facts by which a later inventory shows that it was done, for a step that settles no requirement"`
	Unseen    *need.Document        `json:"unseen,omitempty" doc:"Facts by which a later inventory shows that it was not done, or had no effect"`
	Otherwise []string              `json:"otherwise,omitempty" doc:"What to look at where it had no effect, the likeliest first"`
	Minutes   Minutes               `json:"minutes"`
	Restarts  int                   `json:"restarts,omitempty" minimum:"0" maximum:"20"`

	Node *doc.Node `json:"-"`
}

// WarnDoc is a caution for machines of which something is so.
type WarnDoc struct {
	When    *need.Document `json:"when" doc:"Facts under which it holds"`
	Unknown bool           `json:"unknown_too,omitempty" doc:"It is said, too, where the facts are not known"`
	Say     string         `json:"say"`
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

// NotListed is the cause, beside those of gaps, of a requirement that is not
// known although its fact is: no row of a list and no naming rule reads it.
const NotListed = "not-listed"

var causes = []string{inventory.NeedsRights, inventory.NotOffered, inventory.ReadFailed, inventory.NotAsked, inventory.Disagree, NotListed}

// change is one effect of a step; a value that is not known stands for the
// least that the requirement needs.
type change struct {
	id    fact.ID
	value fact.Value
}

type warning struct {
	when    need.Need
	unknown bool
	say     string
}

// Step is a compiled step.
type Step struct {
	StepDoc
	Own              bool // an administrator's
	Class            Class
	Worst            Class
	When, Unless     need.Need
	Skip, Sure       need.Need
	Always           need.Need
	Seen, Unseen     need.Need
	warnings         []warning
	effects, assumes []change
	ceiling          *fact.Def
	after, pulls     []int
}

// Library is all steps that plans are made of, in the order that breaks ties.
type Library struct {
	steps []Step
	at    map[string]int

	asking sync.Once
	asked  []need.Need // see conditions
}

//go:embed steps/*.yaml
var stepFiles embed.FS

// shipped are the step definitions of the program. The files are tested; a
// mistake in them is a defect of the program.
var shipped = sync.OnceValue(func() []StepDoc {
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
	return docs
})

// Shipped is the library of the program.
var Shipped = sync.OnceValue(func() *Library {
	r := &doc.Report{Name: "steps"}
	l := compile(shipped(), nil, r)
	if err := r.Err(); err != nil {
		panic(err)
	}
	return l
})

// ShippedText is the text of the step files, as an example to start from.
func ShippedText() []byte {
	var out []byte
	for _, name := range []string{"prepare", "software", "visit", "host", "install"} {
		src, _ := stepFiles.ReadFile("steps/" + name + ".yaml") // it is embedded
		if out != nil {
			_, src, _ = bytes.Cut(src, []byte("steps:\n"))
		}
		out = append(out, src...)
	}
	return out
}

// Read adds an administrator's steps to those of the program: one with the id
// of a shipped step takes its place, the others stand behind. The error is
// [*doc.Mistakes].
func Read(name string, src []byte) (*Library, error) {
	d := new(StepDocument)
	_, r, err := doc.Open(name, src, StepFormat, d)
	if err != nil {
		return nil, err
	}
	l := compile(shipped(), d.Steps, r)
	return l, r.Err()
}

// compile puts own steps over or behind the shipped ones.
func compile(docs, own []StepDoc, r *doc.Report) *Library {
	l := &Library{at: make(map[string]int)}
	all := slices.Clone(docs)
	isOwn := map[string]bool{}
	for i, d := range all {
		if _, twice := l.at[d.ID]; twice {
			r.Add(d.Node, fmt.Sprintf("the step %q stands twice", d.ID), "")
		}
		l.at[d.ID] = i
	}
	for _, d := range own {
		if isOwn[d.ID] {
			r.Add(d.Node, fmt.Sprintf("the step %q stands twice", d.ID), "")
		}
		if !validID(d.ID) {
			r.Add(d.Node.Of("id"), fmt.Sprintf("%q cannot be the id of a step", d.ID), "use small letters, digits and hyphens: unplug-reader")
		}
		isOwn[d.ID] = true
		if i, ok := l.at[d.ID]; ok {
			all[i] = d
			continue
		}
		l.at[d.ID] = len(all)
		all = append(all, d)
	}
	for i := range all {
		l.steps = append(l.steps, l.step(&all[i], isOwn[all[i].ID], r))
	}
	for i := range all {
		for _, j := range l.indexes(all[i].Before, all[i].Node.Of("before"), r) {
			l.steps[j].after = append(l.steps[j].after, i)
		}
		for _, j := range l.indexes(all[i].PulledBy, all[i].Node.Of("pulled_by"), r) {
			l.steps[j].pulls = append(l.steps[j].pulls, i)
		}
	}
	if r.Count() == 0 {
		l.refuseCircles(isOwn, r)
	}
	return l
}

// validID takes small letters, digits and hyphens, a letter first.
func validID(s string) bool {
	other := func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') && r != '-' }
	return s != "" && len(s) <= 64 && s[0] >= 'a' && s[0] <= 'z' && !strings.ContainsFunc(s, other)
}

// step compiles one step.
func (l *Library) step(d *StepDoc, own bool, r *doc.Report) Step {
	s := Step{StepDoc: *d, Own: own, Class: Class(slices.Index(classNames, d.Class)), Worst: Class(slices.Index(classNames, d.AtWorst))}
	for _, n := range []struct {
		from *need.Document
		to   *need.Need
	}{{d.When, &s.When}, {d.Unless, &s.Unless}, {d.Skip, &s.Skip}, {d.Sure, &s.Sure}, {d.Always, &s.Always}, {d.Seen, &s.Seen}, {d.Unseen, &s.Unseen}} {
		if n.from != nil {
			*n.to = need.Compile(n.from, nil, r)
		}
	}
	for i := range d.Warn {
		if w := &d.Warn[i]; w.When != nil {
			s.warnings = append(s.warnings, warning{need.Compile(w.When, nil, r), w.Unknown, w.Say})
		}
	}
	s.effects, s.assumes = changes(d.Effect, d.Node.Of("effect"), r), changes(d.Assume, d.Node.Of("assume"), r)
	if s.ceiling = fact.ByName(d.Ceiling); d.Ceiling != "" && s.ceiling == nil {
		r.Add(d.Node.Of("ceiling"), fmt.Sprintf("there is no fact %q", d.Ceiling), doc.Suggest(d.Ceiling, fact.Names()))
	}
	s.after, s.pulls = l.indexes(d.After, d.Node.Of("after"), r), l.indexes(d.Pulls, d.Node.Of("pulls"), r)
	among := func(key string, words, all []string) {
		for _, w := range words {
			if !slices.Contains(all, w) {
				r.Add(d.Node.Of(key), fmt.Sprintf("%s knows no %q", key, w), "it is one of "+strings.Join(all, ", "))
			}
		}
	}
	among("routes", d.Routes, release.Ways())
	among("closes", d.Closes, causes)
	if d.Setting != "" {
		among("setting", []string{d.Setting}, Settings())
	}
	if d.Minutes.Least > d.Minutes.Most {
		r.Add(d.Node.Of("minutes"), fmt.Sprintf("at least %d minutes is more than %d at most", d.Minutes.Least, d.Minutes.Most), "put the smaller number at least")
	}
	if s.Class != NoClass && s.Class != Replacement && d.Noun.One == "" {
		r.Add(d.Node, "a step with a class needs a noun: the answer counts it", "noun: {one: a firmware setting, many: firmware settings}")
	}
	return s
}

// Settings are the firmware settings that steps change and guides find.
func Settings() []string {
	return []string{"boot-mode", "legacy-support", "tpm", "tpm-choice", "secure-boot", "secure-boot-keys", "processor-feature", "firmware-update"}
}

// refuseCircles refuses steps that wait for each other, or that pull each
// other.
func (l *Library) refuseCircles(own map[string]bool, r *doc.Report) {
	for _, kind := range []struct {
		key, says string
		next      func(*Step) []int
	}{
		{"after", "the steps wait for each other: ", func(s *Step) []int { return s.after }},
		{"pulls", "the steps pull each other: ", func(s *Step) []int { return s.pulls }},
	} {
		if ring := l.circle(kind.next); ring != nil {
			at := &l.steps[ring[0]]
			var names []string
			for _, i := range ring {
				if names = append(names, l.steps[i].ID); own[l.steps[i].ID] {
					at = &l.steps[i]
				}
			}
			r.Add(at.Node.Of(kind.key), kind.says+strings.Join(append(names, names[0]), " → "), "take one of these out of "+kind.key)
		}
	}
}

// circle follows edges and gives the steps of a ring, or nil.
func (l *Library) circle(next func(*Step) []int) []int {
	state := make([]int, len(l.steps)) // 1 on the way, 2 done
	var way []int
	var visit func(int) []int
	visit = func(i int) []int {
		switch state[i] {
		case 1:
			return way[slices.Index(way, i):]
		case 2:
			return nil
		}
		state[i] = 1
		way = append(way, i)
		for _, j := range next(&l.steps[i]) {
			if ring := visit(j); ring != nil {
				return ring
			}
		}
		way = way[:len(way)-1]
		state[i] = 2
		return nil
	}
	for i := range l.steps {
		if ring := visit(i); ring != nil {
			return ring
		}
	}
	return nil
}

func (l *Library) indexes(ids []string, at *doc.Node, r *doc.Report) []int {
	var out []int
	for _, id := range ids {
		i, ok := l.at[id]
		if !ok {
			names := slices.Sorted(maps.Keys(l.at))
			r.Add(at, fmt.Sprintf("there is no step %q", id), doc.Suggest(id, names))
			continue
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
		for _, name := range slices.Sorted(maps.Keys(m)) {
			if fact.ByName(name) == nil {
				r.Add(at.Of(name), fmt.Sprintf("there is no fact %q to have an effect on", name), doc.Suggest(name, fact.Names()))
			}
		}
	}
	return out
}

// Find finds a step by its id; nil where there is none.
func (l *Library) Find(id string) *Step {
	for i := range l.steps {
		if l.steps[i].ID == id {
			return &l.steps[i]
		}
	}
	return nil
}

// IDs are the ids of all steps, in their order.
func (l *Library) IDs() []string {
	out := make([]string, len(l.steps))
	for i := range l.steps {
		out[i] = l.steps[i].ID
	}
	return out
}
