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
	Decision
	Replacement
)

var classNames = []string{"", "clean-up", "software", "setting", "interim", "reinstall", "part", "decide", "replace"}

func (c Class) String() string { return classNames[c] }

// Phases of a plan: where its steps are done.
const (
	Remote  = "remote"
	Desk    = "desk"
	Host    = "host"
	Install = "install"
	// anyPhase is the phase of a step that is done where the steps are done that call for it.
	anyPhase = "any"
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
	Role      string                `json:"role,omitempty" doc:"What the program itself takes this step for, for shipped steps. A step with the id of a shipped one takes over its role" enum:"replace,decide,interim,upgrade,image,enter-by-hand,recovery-key,pause-encryption,resume-encryption,passphrase,enter-firmware,convert-disk,other-system,research-titles,research-drivers,add-memory,swap-memory,failing-drive"`
	Title     string                `json:"title" doc:"{short} {needed} {needed_drive} {release} {through} {restarts} {titles} {part} {drive} {amounts} {boot_disk} {system_disk} {keeps} {way_back} {how} are filled in"`
	Phase     string                `json:"phase" enum:"remote,desk,host,install,any" doc:"any: where the steps are done that call for it"`
	Who       string                `json:"who,omitempty" enum:"administrator,technician,host-administrator,specialist,owner,purchasing" doc:"Who can do it; by the phase, if omitted"`
	Class     string                `json:"class,omitempty" enum:"clean-up,software,setting,interim,reinstall,part,decide,replace"`
	Noun      Noun                  `json:"noun,omitzero" doc:"How the answer counts it"`
	Always    *need.Document        `json:"always,omitempty" doc:"Facts under which it stands in every plan of a machine that is kept"`
	Question  bool                  `json:"question,omitempty" doc:"It asks somebody something that has to be answered before the visit"`
	Closes    []string              `json:"closes,omitempty" doc:"Causes of unknown facts that this step finds out: needs-rights, not-offered, read-failed, not-asked, disagree, not-listed, contradicted"`
	When      *need.Document        `json:"when,omitempty" doc:"Facts under which it can be done"`
	Rule      *need.Document        `json:"rule,omitempty" doc:"Facts that the tool of the step needs, beside when; a release document may state another rule for its conversion"`
	WhenNotNo bool                  `json:"unknown_when_is_fine,omitempty" doc:"It can be tried if the condition is unknown"`
	InDoubt   bool                  `json:"in_doubt,omitempty" doc:"Whether it can be done is never known from facts"`
	Unless    *need.Document        `json:"unless,omitempty" doc:"Facts under which it cannot be done; unknown facts do not prevent it"`
	Skip      *need.Document        `json:"skip,omitempty" doc:"Facts under which it is not needed"`
	Sure      *need.Document        `json:"sure,omitempty" doc:"Facts under which its effect is certain; always, if omitted"`
	SureNever bool                  `json:"sure_never,omitempty"`
	Unlikely  *need.Document        `json:"unlikely,omitempty" doc:"Facts under which it is not expected to help and not ruled out: it counts for the best that is possible"`
	RestsOn   []string              `json:"rests_on,omitempty" doc:"Facts that an uncertain effect rests on. The answer says what was read of them, and from where"`
	AtWorst   string                `json:"at_worst,omitempty" enum:"clean-up,software,setting,interim,reinstall,part,decide,replace" doc:"What it takes if it does not work"`
	Effect    map[string]doc.Scalar `json:"effect,omitempty" doc:"Facts as they are afterwards; “needed” is the least that meets the requirement"`
	Disturbs  []string              `json:"disturbs,omitempty" doc:"What the step disturbs: firmware, firmware-image, boot, hardware, disk-layout, system-disk, disk-contents, tpm-keys, display, system, files. The plan adds the safeguards that each of them calls for"`
	Leaves    map[string]doc.Scalar `json:"leaves,omitempty" doc:"Facts that have to be so before the machine is started again: the plan brings them about right behind the step"`
	Beside    []string              `json:"beside,omitempty" doc:"Facts of its effect that change as a side effect: it is not a remedy for them"`
	Assume    map[string]doc.Scalar `json:"assume,omitempty" doc:"Facts as they are most likely afterwards, where nothing is known"`
	Ceiling   string                `json:"ceiling,omitempty" doc:"Fact that bounds what can be needed"`
	Routes    []string              `json:"routes,omitempty" doc:"in-place, interim, image, reinstall; any, if omitted"`
	Installs  bool                  `json:"installs,omitempty" doc:"It installs the release by itself"`
	After     []string              `json:"after,omitempty" doc:"Steps that come before it where both stand"`
	Before    []string              `json:"before,omitempty" doc:"Steps that come after it where both stand"`
	Pulls     []string              `json:"pulls,omitempty" doc:"Steps that come with it"`
	PulledBy  []string              `json:"pulled_by,omitempty" doc:"Steps that it comes with"`
	Setting   string                `json:"setting,omitempty" doc:"The firmware setting that it changes; firmware guides say where it is"`
	Unvisited *Unvisited            `json:"without_visit,omitempty" doc:"How it is done from the running system; then it needs no visit, if nothing else in the plan needs one"`
	Part      string                `json:"part,omitempty" enum:"memory-module,drive,tpm-module,graphics-card,display,title,machine" doc:"What is bought for it; the price table says for how much"`
	Do        string                `json:"do" doc:"For the technician"`
	Tell      string                `json:"tell" doc:"For the machine's user"`
	Caution   string                `json:"caution,omitempty"`
	Warn      []WarnDoc             `json:"warn,omitempty" doc:"Cautions that hold for some machines only"`
	Risk      string                `json:"risk,omitempty" enum:"none,may-not-start,may-lose-data,may-lose-keys" doc:"The worst that can happen; none, if omitted"`
	Back      string                `json:"back,omitempty" doc:"The way back"`
	Confirm   string                `json:"confirm" doc:"How to see that it worked"`
	Seen      *need.Document        `json:"seen,omitempty" doc:"Facts by which a later inventory shows that it was done, for a step that settles no requirement"`
	Unseen    *need.Document        `json:"unseen,omitempty" doc:"Facts by which a later inventory shows that it was not done, or had no effect"`
	Otherwise []string              `json:"otherwise,omitempty" doc:"What to check if it had no effect, most likely first"`
	Bring     []BringDoc            `json:"bring,omitempty" doc:"What has to be at hand, beside the parts"`
	Minutes   Minutes               `json:"minutes"`
	Restarts  int                   `json:"restarts,omitempty" minimum:"0" maximum:"20"`

	Node *doc.Node `json:"-"`
}

// WarnDoc is a caution for machines of which something is so.
type WarnDoc struct {
	When    *need.Document `json:"when" doc:"Facts under which it holds"`
	Unknown bool           `json:"unknown_too,omitempty" doc:"It is also shown if the facts are unknown"`
	Say     string         `json:"say"`
}

// Unvisited is how a step that is done at the desk is done from the running system instead.
type Unvisited struct {
	When *need.Document `json:"when" doc:"Facts under which that is possible"`
	Do   string         `json:"do" doc:"For the administrator, instead of the step's own text"`
}

// BringDoc is a thing to bring.
type BringDoc struct {
	Item string         `json:"item"`
	When *need.Document `json:"when,omitempty" doc:"Machines for which it is brought; all, if omitted"`
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

// Contradicted is the cause, beside those of gaps, of a fact that the machine's TPM attests otherwise than its system
// reports it.
const Contradicted = "contradicted"

var causes = []string{
	inventory.NeedsRights, inventory.NotOffered, inventory.ReadFailed, inventory.NotAsked, inventory.Disagree,
	NotListed, Contradicted,
}

// stepEffect is one effect of a step; a value that is not known stands for the
// least that the requirement needs.
type stepEffect struct {
	id    fact.ID
	value fact.Value
}

type bring struct {
	item string
	when need.Need // nil: always
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
	apart, rule      need.Need // the two parts of When: the step's own, and what its tool needs
	Skip, Sure       need.Need
	Always           need.Need
	Seen, Unseen     need.Need
	afar             need.Need // facts under which it needs no visit; nil: it always does
	warnings         []warning
	precautions      []*precaution
	brings           []bring
	Unlikely         need.Need
	effects, assumes []stepEffect
	leaves           []stepEffect
	hazards          Hazard
	rank             int // where the order of the files decides
	restsOn          []*fact.Def
	ceiling          *fact.Def
	after, pulls     []int
}

// Library is all steps that plans are made of, in the order that breaks ties.
type Library struct {
	steps []Step
	at    map[string]int

	playing  map[Role]int
	changing [256][]int // by the number of a fact: the steps that change it
	least    [256]Class // by the number of a fact: the least class of a step that changes it
	touched  [256]bool  // by the number of a fact: some step changes it, be it as a side effect
	guards   []safeguard
	earlier  [][]bool // for each step, whether it comes after another one
	asking   sync.Once
	asked    []need.Need // see conditions

	ruling sync.Mutex
	ruled  map[need.Need]*Library // see under
}

// maxRuled bounds how many libraries with rules of releases are kept.
const maxRuled = 8

// under is the library for a release: its own rule of when a disk can be converted stands in the place of the tool's.
func (l *Library) under(rel *release.Release) *Library {
	if rel.Convertible == nil {
		return l
	}
	l.ruling.Lock()
	defer l.ruling.Unlock()
	if n := l.ruled[rel.Convertible]; n != nil {
		return n
	}
	n := &Library{
		steps: slices.Clone(l.steps), at: l.at, playing: l.playing, changing: l.changing, least: l.least,
		touched: l.touched, guards: l.guards, earlier: l.earlier,
	}
	st := &n.steps[n.playing[Converting]]
	st.rule, st.When, st.Sure = rel.Convertible, both(st.apart, rel.Convertible), rel.Convertible
	if len(l.ruled) >= maxRuled || l.ruled == nil {
		l.ruled = map[need.Need]*Library{}
	}
	l.ruled[rel.Convertible] = n
	return n
}

// both needs two needs, either of which may be nil.
func both(a, b need.Need) need.Need {
	switch {
	case a == nil:
		return b
	case b == nil:
		return a
	}
	return &need.AllOf{Parts: []need.Need{a, b}}
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

// MaxSteps is how many steps a library has at most, with those that are shipped: what a
// fleet needs is counted with a bit for each.
const MaxSteps = 256

// Shipped is the library of the program.
var Shipped = sync.OnceValue(func() *Library {
	r := &doc.Report{Name: "steps"}
	l := compile(shipped(), nil, safeguards(), r)
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
	l := compile(shipped(), d.Steps, safeguards(), r)
	return l, r.Err()
}

// compile puts own steps over or behind the shipped ones, guarded by a table.
func compile(docs, own []StepDoc, t *table, r *doc.Report) *Library {
	l := &Library{at: make(map[string]int), guards: t.rows}
	all := slices.Clone(docs)
	isOwn := map[string]bool{}
	for i, d := range all {
		if _, twice := l.at[d.ID]; twice {
			r.Add(d.Node, fmt.Sprintf("the step %q appears twice", d.ID), "")
		}
		l.at[d.ID] = i
	}
	for _, d := range own {
		if isOwn[d.ID] {
			r.Add(d.Node, fmt.Sprintf("the step %q appears twice", d.ID), "")
		}
		if !validID(d.ID) {
			r.Add(d.Node.Of("id"), fmt.Sprintf("%q cannot be the id of a step", d.ID),
				"use small letters, digits and hyphens: unplug-reader")
		}
		isOwn[d.ID] = true
		if i, ok := l.at[d.ID]; ok {
			if d.Role == "" {
				d.Role = all[i].Role
			}
			all[i] = d
			continue
		}
		l.at[d.ID] = len(all)
		all = append(all, d)
	}
	if len(all) > MaxSteps {
		r.Add(all[MaxSteps].Node.Of("id"), fmt.Sprintf("there are %d steps with those that are shipped", len(all)),
			fmt.Sprintf("at most %d", MaxSteps))
	}
	for i := range all {
		s := l.step(&all[i], isOwn[all[i].ID], r)
		for k := range t.cautions {
			if c := &t.cautions[k]; c.against&s.hazards != 0 && c.except&s.hazards == 0 {
				s.precautions = append(s.precautions, c)
			}
		}
		l.steps = append(l.steps, s)
	}
	for i := range l.steps {
		for _, c := range slices.Concat(l.steps[i].effects, l.steps[i].assumes) {
			l.touched[c.id] = true
		}
		for _, c := range l.steps[i].effects {
			if slices.Contains(all[i].Beside, c.id.String()) {
				continue
			}
			l.changing[c.id] = append(l.changing[c.id], i)
		}
	}
	for id := range l.least {
		l.least[id] = Replacement + 1
		for _, i := range l.changing[id] {
			if c := l.steps[i].Class; c != NoClass {
				l.least[id] = min(l.least[id], c)
			}
		}
	}
	for i := range all {
		for _, j := range l.indexes(all[i].Before, all[i].Node.Of("before"), r) {
			l.steps[j].after = append(l.steps[j].after, i)
		}
		for _, j := range l.indexes(all[i].PulledBy, all[i].Node.Of("pulled_by"), r) {
			l.steps[j].pulls = append(l.steps[j].pulls, i)
		}
	}
	if l.castRoles(r); r.Count() > 0 {
		return l
	}
	l.orderByHazard()
	if l.refuseCircles(isOwn, r); r.Count() == 0 {
		l.close()
		l.seldomFirst()
		l.refuseUndoing(r)
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
	s := Step{
		StepDoc: *d,
		Own:     own,
		Class:   Class(slices.Index(classNames, d.Class)),
		Worst:   Class(slices.Index(classNames, d.AtWorst)),
	}
	for _, n := range []struct {
		from *need.Document
		to   *need.Need
	}{
		{d.When, &s.When}, {d.Unless, &s.Unless}, {d.Skip, &s.Skip}, {d.Sure, &s.Sure}, {d.Always, &s.Always},
		{d.Rule, &s.rule}, {d.Seen, &s.Seen}, {d.Unseen, &s.Unseen}, {d.Unlikely, &s.Unlikely},
	} {
		if n.from != nil {
			*n.to = need.Compile(n.from, nil, r)
		}
	}
	if d.Unvisited != nil && d.Unvisited.When != nil {
		s.afar = need.Compile(d.Unvisited.When, nil, r)
		if d.Phase != Desk {
			r.Add(d.Node.Of("without_visit"), "only a step that is done at the desk can need no visit",
				"omit without_visit, or write phase: desk")
		}
	}
	s.apart = s.When
	s.When = both(s.apart, s.rule)
	for i := range d.Warn {
		if w := &d.Warn[i]; w.When != nil {
			s.warnings = append(s.warnings, warning{need.Compile(w.When, nil, r), w.Unknown, w.Say})
		}
	}
	for i := range d.Bring {
		b := bring{item: d.Bring[i].Item}
		if w := d.Bring[i].When; w != nil {
			b.when = need.Compile(w, nil, r)
		}
		s.brings = append(s.brings, b)
	}
	s.effects, s.assumes = changes(d.Effect, d.Node.Of("effect"), r), changes(d.Assume, d.Node.Of("assume"), r)
	s.leaves = changes(d.Leaves, d.Node.Of("leaves"), r)
	s.hazards, _ = hazardsOf(d.Disturbs)
	s.checkHazards(r)
	if own {
		s.checkSense(r)
		s.checkWritten(r)
	}
	if s.ceiling = fact.ByName(d.Ceiling); d.Ceiling != "" && s.ceiling == nil {
		r.Add(d.Node.Of("ceiling"), fmt.Sprintf("unknown fact %q", d.Ceiling), doc.Suggest(d.Ceiling, fact.Names()))
	}
	for i, name := range d.Beside {
		if _, ok := d.Effect[name]; !ok {
			r.Add(d.Node.Of("beside").Items[i], fmt.Sprintf("%q is not in the effect of the step", name),
				"name a fact that the step changes")
		}
	}
	for i, name := range d.RestsOn {
		def := fact.ByName(name)
		if def == nil || def.ID.Group() != fact.NoGroup {
			r.Add(d.Node.Of("rests_on").Items[i], fmt.Sprintf("%q is not a fact of the machine", name),
				"rests_on names facts; what was read of them is said with its source. "+doc.Suggest(name, fact.Names()))
			continue
		}
		s.restsOn = append(s.restsOn, def)
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
		r.Add(d.Node.Of("minutes"),
			fmt.Sprintf("at least %d minutes is more than %d at most", d.Minutes.Least, d.Minutes.Most),
			"put the smaller number at least")
	}
	if d.Phase == anyPhase && s.Class != NoClass {
		r.Add(d.Node.Of("phase"), "a step that settles something has a phase of its own",
			"it is one of remote, desk, host, install")
	}
	if s.Class != NoClass && s.Class < Decision && d.Noun.One == "" {
		r.Add(d.Node, "a step with a class needs a noun: the answer counts it",
			"noun: {one: a firmware setting, many: firmware settings}")
	}
	return s
}

// Settings are the firmware settings that steps change and guides find.
func Settings() []string {
	return []string{
		"boot-mode", "legacy-support", "tpm", "tpm-choice", "secure-boot", "secure-boot-keys", "processor-feature",
		"firmware-update",
	}
}

func (l *Library) indexes(ids []string, at *doc.Node, r *doc.Report) []int {
	var out []int
	for _, id := range ids {
		i, ok := l.at[id]
		if !ok {
			names := slices.Sorted(maps.Keys(l.at))
			r.Add(at, fmt.Sprintf("there is not a step %q", id), doc.Suggest(id, names))
			continue
		}
		out = append(out, i)
	}
	return out
}

// changes keeps the order of the catalogue, so that a simulation is the same
// at every run.
func changes(m map[string]doc.Scalar, at *doc.Node, r *doc.Report) []stepEffect {
	var out []stepEffect
	for _, name := range fact.Names() {
		text, ok := m[name]
		if !ok {
			continue
		}
		c := stepEffect{id: fact.ByName(name).ID}
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
				r.Add(at.Of(name), fmt.Sprintf("unknown fact %q to have an effect on", name),
					doc.Suggest(name, fact.Names()))
			}
		}
	}
	return out
}

// Settles says whether any remedy changes what a need reads.
func (l *Library) Settles(n need.Need) bool {
	for leaf := range n.Leaves() {
		for _, i := range l.changing[leaf.Fact()] {
			if l.steps[i].Class != NoClass {
				return true
			}
		}
	}
	return false
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

// Plus adds minutes up.
func (m Minutes) Plus(o Minutes) Minutes { return Minutes{m.Least + o.Least, m.Most + o.Most} }
