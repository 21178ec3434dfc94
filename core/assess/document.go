package assess

import (
	"fmt"
	"slices"
	"time"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// Format is the value of the key “format”.
const Format = "rolltop-check/1"

// Document is a check in words and values.
type Document struct {
	Format      string      `json:"format" enum:"rolltop-check/1"`
	CheckedAt   time.Time   `json:"checked_at"`
	Engine      string      `json:"engine" doc:"Version of the program that decided"`
	Machine     Machine     `json:"machine"`
	Release     release.Ref `json:"release"`
	Disposition string      `json:"disposition" enum:"ready,reconfigure,refit,replace,undetermined"`
	Certainty   string      `json:"certainty" enum:"confirmed,expected"`
	Best        string      `json:"best" doc:"The least it can take" enum:"ready,reconfigure,refit,replace"`
	Worst       string      `json:"worst" doc:"The most it can take" enum:"ready,reconfigure,refit,replace"`
	RestsOn     []string    `json:"rests_on,omitempty" doc:"What an expected disposition rests on"`
	Answer      string      `json:"answer" doc:"The disposition in one sentence"`
	Details     []string    `json:"details,omitempty"`
	Publisher   *Side       `json:"publisher,omitempty" doc:"The disposition by the publisher's requirements alone, where the document has a house standard on top"`
	Route       Route       `json:"route"`
	Coverage    Coverage    `json:"coverage"`
	Counts      Counts      `json:"counts"`
	Support     *Support    `json:"support,omitempty" doc:"End of support of the installed release, where the document knows it"`
	Findings    []Finding   `json:"findings" doc:"Fails first, then unknowns, then the rest"`
	Plan        []Step      `json:"plan" doc:"One ordered plan for the machine"`
}

// Machine says which machine it is and how old its inventory is.
type Machine struct {
	Name         string    `json:"name,omitempty"`
	Manufacturer string    `json:"manufacturer,omitempty"`
	Model        string    `json:"model,omitempty"`
	Class        string    `json:"class,omitempty" enum:"pc,mac"`
	Installed    string    `json:"installed,omitempty" doc:"Installed release"`
	TakenAt      time.Time `json:"taken_at"`
	Elevated     *bool     `json:"elevated,omitempty"`
}

// Side is a second disposition.
type Side struct {
	Disposition string `json:"disposition" enum:"ready,reconfigure,refit,replace,undetermined"`
	Certainty   string `json:"certainty" enum:"confirmed,expected"`
	Answer      string `json:"answer"`
}

// Route is the way to the release.
type Route struct {
	Way     string `json:"way" enum:"in-place,interim,reinstall"`
	Through string `json:"through,omitempty"`
	Known   bool   `json:"known" doc:"Whether the facts that decide it are known"`
	Says    string `json:"says"`
}

// Coverage is how many of the facts that the musts need were read.
type Coverage struct {
	Read   int `json:"read"`
	Needed int `json:"needed"`
}

// Counts of findings. Advice counts the ones that are no must and are not met.
type Counts struct {
	Fail    int `json:"fail"`
	Unknown int `json:"unknown"`
	Pass    int `json:"pass"`
	Other   int `json:"not_applicable"`
	Advice  int `json:"advice"`
	Musts   int `json:"musts" doc:"Requirements of the level must that apply"`
}

// Support is the end of support of what is installed.
type Support struct {
	Release string    `json:"release"`
	Ends    time.Time `json:"ends"`
	Days    int       `json:"days" doc:"From the day of the check; negative when it is over"`
}

// Finding is the outcome of one requirement with its evidence.
type Finding struct {
	Requirement string     `json:"requirement"`
	Title       string     `json:"title"`
	Level       string     `json:"level" enum:"must,should,feature"`
	AskedBy     string     `json:"asked_by" enum:"publisher,house"`
	Consequence string     `json:"consequence,omitempty"`
	Outcome     string     `json:"outcome" enum:"pass,fail,unknown,not-applicable"`
	Has         string     `json:"has"`
	Needs       string     `json:"needs"`
	Distance    string     `json:"distance,omitempty"`
	Reason      string     `json:"reason,omitempty" doc:"Why the outcome is what it is"`
	Why         string     `json:"why" doc:"Why the requirement exists"`
	Advised     string     `json:"advised,omitempty" doc:"A higher value that is advised and not reached"`
	Close       []string   `json:"close,omitempty" doc:"For an unknown: what would close it"`
	NoRemedy    bool       `json:"no_remedy,omitempty" doc:"Nothing on this machine can change it"`
	SettledBy   []int      `json:"settled_by,omitempty" doc:"Numbers of the steps that settle it"`
	Conflict    bool       `json:"conflict,omitempty" doc:"Two sources disagree on a fact it reads"`
	Measure     *Measure   `json:"measure,omitempty" doc:"For an amount: both values, to be shown as lengths"`
	Evidence    []Evidence `json:"evidence"`
}

// Measure is an amount beside the amount needed, in the fact's unit.
type Measure struct {
	Has   float64 `json:"has"`
	Needs float64 `json:"needs"`
	Exact string  `json:"exact" doc:"The value to the last byte"`
}

// Evidence is one comparison of a finding.
type Evidence struct {
	Fact      string `json:"fact"`
	Label     string `json:"label"`
	Has       string `json:"has"`
	Needs     string `json:"needs"`
	Truth     string `json:"truth" enum:"true,false,unknown"`
	Source    string `json:"source,omitempty"`
	Gap       string `json:"gap,omitempty" doc:"Cause, where the fact is not known"`
	Condition bool   `json:"condition,omitempty" doc:"It belongs to the condition under which the requirement applies"`
}

// Step is one step of the plan.
type Step struct {
	Number   int            `json:"number"`
	Step     string         `json:"step"`
	Title    string         `json:"title"`
	Phase    string         `json:"phase" enum:"remote,desk,host,install"`
	Class    string         `json:"class,omitempty"`
	After    []int          `json:"after,omitempty" doc:"Numbers of the steps that must stand before it"`
	Settles  []string       `json:"settles,omitempty" doc:"Requirements"`
	Expected bool           `json:"expected,omitempty" doc:"Its effect is not certain"`
	Do       string         `json:"do" doc:"For the technician"`
	Tell     string         `json:"tell" doc:"For the machine's user"`
	Caution  string         `json:"caution,omitempty"`
	Confirm  string         `json:"confirm" doc:"How to see that it worked"`
	Minutes  remedy.Minutes `json:"minutes"`
	Restarts int            `json:"restarts"`
}

// Document says the assessment. The time is the one of the check; engine is
// the version of the program.
func (a *Assessment) Document(now time.Time, engine string) *Document {
	rel, f, v := a.Result.Release, a.Result.Facts, &a.Verdict
	d := &Document{
		Format: Format, CheckedAt: now.UTC(), Engine: engine,
		Machine:     a.machine(),
		Release:     rel.Ref(),
		Disposition: v.Disposition.String(), Certainty: say.Certainty(v),
		Best: v.Best.String(), Worst: v.Worst.String(), RestsOn: v.RestsOn,
		Answer:   say.Answer(v, rel),
		Details:  say.Details(v, rel, f),
		Route:    Route{v.Route, v.Through, v.RouteKnown, say.Route(v.Route, v.Through, rel.Name)},
		Coverage: Coverage{a.Result.Read, len(rel.Needed)},
	}
	if p := a.Publisher; p != nil {
		d.Publisher = &Side{p.Disposition.String(), say.Certainty(p), say.Answer(p, rel)}
	}
	name := f.Value(fact.OSName).Text()
	if ends, ok := rel.SupportEnds(name, f.Value(fact.OSEdition).Text()); ok {
		d.Support = &Support{name, ends, days(now, ends)}
	}
	d.steps(v, rel)
	d.findings(a)
	return d
}

func (a *Assessment) machine() Machine {
	dev := &a.Inventory.Device
	m := Machine{Name: dev.Name.Or(""), Manufacturer: dev.Manufacturer.Or(""), Model: dev.Model.Or(dev.ModelID.Or("")),
		Class: a.Result.Facts.Class(), Installed: a.Inventory.OS.Name.Or(""), TakenAt: a.Inventory.TakenAt}
	if e, ok := a.Inventory.Collector.Elevated.Get(); ok {
		m.Elevated = &e
	}
	return m
}

func (d *Document) steps(v *remedy.Verdict, rel *release.Release) {
	number := map[string]int{}
	for i := range v.Plan {
		number[v.Plan[i].ID] = i + 1
	}
	for i := range v.Plan {
		p := &v.Plan[i]
		w := say.Words(p, v, rel)
		s := Step{Number: i + 1, Step: p.ID, Title: w.Title, Phase: p.Phase, Class: p.Class.String(), Settles: p.Settles,
			Expected: p.Expected, Do: w.Do, Tell: w.Tell, Caution: w.Caution, Confirm: w.Confirm, Minutes: p.Minutes, Restarts: p.Restarts}
		for _, id := range p.After {
			if n := number[id]; n > 0 && n <= i {
				s.After = append(s.After, n)
			}
		}
		d.Plan = append(d.Plan, s)
	}
}

func (d *Document) findings(a *Assessment) {
	settled := map[string][]int{}
	for _, s := range d.Plan {
		for _, q := range s.Settles {
			if s.Step != "replace" {
				settled[q] = append(settled[q], s.Number)
			}
		}
	}
	groups := [4][]Finding{}
	for i := range a.Result.Findings {
		fd := &a.Result.Findings[i]
		out := sayFinding(fd, a.Result, a.Verdict.Disposition != remedy.Replace)
		out.SettledBy = settled[fd.Requirement.ID]
		out.NoRemedy = slices.Contains(a.Verdict.NoRemedy, fd.Requirement.ID)
		must := fd.Requirement.Level == release.Must
		group := 3
		switch {
		case must && fd.Outcome == check.Fail:
			d.Counts.Fail++
			group = 0
		case must && fd.Outcome == check.Unknown:
			d.Counts.Unknown++
			group = 1
		case fd.Outcome == check.NotApplicable:
			d.Counts.Other++
		case must:
			d.Counts.Pass++
		case fd.Outcome == check.Fail:
			d.Counts.Advice++
			group = 2
		}
		if must && fd.Outcome != check.NotApplicable {
			d.Counts.Musts++
		}
		groups[group] = append(groups[group], out)
	}
	d.Findings = []Finding{}
	for _, g := range groups {
		d.Findings = append(d.Findings, g...)
	}
}

// sayFinding says one finding. close asks for what would close an unknown: on a
// machine that is ruled out nothing needs closing.
func sayFinding(fd *check.Finding, res *check.Result, close bool) Finding {
	q := fd.Requirement
	out := Finding{
		Requirement: q.ID, Title: q.Title, Level: q.Level, AskedBy: q.AskedBy, Consequence: say.Consequence(q),
		Outcome: fd.Outcome.String(), Has: say.Has(fd), Needs: say.Needs(fd), Distance: say.Distance(fd),
		Reason: say.Reason(fd, res), Why: q.Reason, Conflict: fd.Conflict, Measure: measure(fd), Evidence: []Evidence{},
	}
	if fd.Outcome == check.Unknown && close {
		out.Close = say.Closing(fd)
	}
	if fd.Outcome == check.Pass && fd.Advised != need.True {
		out.Advised = say.Need(q.Advised)
	}
	for _, e := range fd.Evidence {
		def := e.Leaf.Fact().Def()
		row := Evidence{Fact: def.Name, Label: def.Label, Has: say.Reading(def, e.Reading), Needs: say.Target(e.Leaf),
			Truth: e.Truth.String(), Source: e.Reading.Source, Condition: e.Condition}
		if e.Reading.Gap != nil && !e.Reading.Value.Known() {
			row.Gap = e.Reading.Gap.Cause
		}
		if e.Match != nil && e.Match.Row != nil {
			row.Has += fmt.Sprintf(" (row %q)", e.Match.Row.Name)
		}
		out.Evidence = append(out.Evidence, row)
	}
	return out
}

// measure is there where the need is one amount and the value is known.
func measure(fd *check.Finding) *Measure {
	if fd.Requirement.Need == nil {
		return nil
	}
	n, ok := fd.Requirement.Need.(*need.AtLeast)
	if !ok || n.Fact().Def().Kind != fact.Number {
		return nil
	}
	for _, e := range fd.Evidence {
		if v := e.Reading.Value; !e.Condition && v.Known() {
			return &Measure{v.Float(), n.Limit.Float(), say.Exact(n.Fact().Def().Unit, v.Float())}
		}
	}
	return nil
}
