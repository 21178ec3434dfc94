package assess

import (
	"slices"
	"time"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
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
	Disposition string      `json:"disposition" enum:"done,ready,reconfigure,refit,decide,replace,undetermined"`
	Certainty   string      `json:"certainty" enum:"confirmed,expected"`
	Best        string      `json:"best" doc:"The least it can take" enum:"done,ready,reconfigure,refit,decide,replace"`
	Worst       string      `json:"worst" doc:"The most it can take" enum:"done,ready,reconfigure,refit,decide,replace"`
	RestsOn     []string    `json:"rests_on,omitempty" doc:"What an expected disposition rests on"`
	Answer      string      `json:"answer" doc:"The disposition in one sentence"`
	Details     []string    `json:"details,omitempty"`
	Vouched     string      `json:"vouched,omitempty" doc:"At a service: how the origin of the facts is assured"`
	Age         *Age        `json:"age,omitempty" doc:"If the inventory is not from today: its age"`
	Unsupported []string    `json:"unsupported,omitempty" doc:"For a machine that is done: requirements of the publisher that it does not meet; its installation is unsupported"`
	Decide      *Ways       `json:"decide,omitempty" doc:"If a person has to decide: the options"`
	Plain       []string    `json:"plain" doc:"The answer for the person whose machine it is, in plain words"`
	Publisher   *Side       `json:"publisher,omitempty" doc:"The disposition by the publisher's requirements only, if the document has a house standard"`
	Route       Route       `json:"route"`
	Other       *OtherRoute `json:"other_route,omitempty" doc:"If an intermediate release requires something that fails: the other way"`
	Delivery    *Delivery   `json:"delivery,omitempty" doc:"Edition and package that it gets, if the document says so"`
	Hops        []Delivery  `json:"hops,omitempty" doc:"What is installed on the way: each intermediate release with its package, if the document names packages"`
	TPM         *TPM        `json:"tpm,omitempty" doc:"On PCs"`
	Hold        string      `json:"hold,omitempty" doc:"A policy keeps it at a release; separate from the disposition"`
	Offer       *Offer      `json:"offer,omitempty" doc:"For a release that is offered in stages; separate from the disposition"`
	Warnings    []string    `json:"warnings,omitempty" doc:"About the rules and the inventory: a draft, a test release, a document that was not reviewed for a year"`
	Next        []Next      `json:"next,omitempty" doc:"The same machine against later releases"`
	Coverage    Coverage    `json:"coverage"`
	Counts      Counts      `json:"counts"`
	Support     *Support    `json:"support,omitempty" doc:"End of support of the installed release, if the document states it"`
	Findings    []Finding   `json:"findings" doc:"Fails first, then unknowns, then the rest"`
	Software    []Known     `json:"software,omitempty" doc:"Installed applications that the release names"`
	Drivers     []Known     `json:"drivers,omitempty" doc:"Drivers that the release names"`
	Strangers   []string    `json:"titles_not_known,omitempty" doc:"Installed applications that the release does not name"`
	Preparation []Prepared  `json:"preparation,omitempty"`
	Plan        []Step      `json:"plan" doc:"One ordered plan for the machine"`
	Effort      Effort      `json:"effort" doc:"Total effort of the plan"`
	Firmware    *Firmware   `json:"firmware,omitempty" doc:"Access to the firmware set-up, if the plan changes a setting there"`
	Conversion  *Conversion `json:"conversion,omitempty" doc:"For a machine that starts from an MBR"`
	Bring       []string    `json:"bring,omitempty" doc:"What to bring to the visit"`

	// What has to be at hand at a visit.
	Encrypted        bool `json:"-"` // the system volume is
	FirmwarePassword bool `json:"-"` // one is set

	When     *When     `json:"when,omitempty" doc:"Earliest useful day and latest day of the visit"`
	Further  []Step    `json:"further,omitempty" doc:"Further work, the heaviest first: recommendations that are not met, and applications and drivers that the release says something of. No verdict depends on it"`
	Ends     []End     `json:"ends,omitempty" doc:"What this machine has, or may have, that ends with the upgrade"`
	Withheld *Withheld `json:"withheld,omitempty" doc:"For a machine to replace: steps that would settle the rest but are futile"`
	Stay     string    `json:"stay,omitempty" doc:"What it means to stay on the installed release"`
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
	Disposition string `json:"disposition" enum:"done,ready,reconfigure,refit,decide,replace,undetermined"`
	Certainty   string `json:"certainty" enum:"confirmed,expected"`
	Answer      string `json:"answer"`
}

// Route is the way to the release.
type Route struct {
	Way     string   `json:"way" enum:"in-place,interim,image,reinstall"`
	Through string   `json:"through,omitempty"`
	Keeps   []string `json:"keeps,omitempty" doc:"What stays: programs, files, settings"`
	Known   bool     `json:"known" doc:"Whether the facts that decide it are known"`
	Why     string   `json:"why,omitempty" doc:"For a clean installation: why it is needed"`
	Back    int      `json:"back_days,omitempty" doc:"Number of days in which the system itself can go back, if the release document says so"`
	Says    string   `json:"says"`
}

// OtherRoute is a second way, with what it takes.
type OtherRoute struct {
	Route
	Side
}

// Delivery is what is installed.
type Delivery struct {
	Release string `json:"release,omitempty" doc:"Of a release on the way: its name"`
	Edition string `json:"edition,omitempty" doc:"What the installed edition becomes"`
	Package string `json:"package,omitempty" doc:"Id of the package"`
	File    string `json:"file,omitempty"`
	SHA256  string `json:"sha256,omitempty"`
	Bytes   int64  `json:"bytes,omitempty"`
	Before  string `json:"before,omitempty" doc:"What must be installed before it"`
	Says    string `json:"says"`
}

// TPM is the four facts of a TPM together, and for one that is not seen how
// likely it is only switched off.
type TPM struct {
	Seen    string `json:"seen" enum:"yes,no,not-known" doc:"Whether the system or the firmware shows one"`
	State   string `json:"state,omitempty"`
	Version string `json:"version,omitempty"`
	Kind    string `json:"kind,omitempty"`
	Likely  string `json:"likely,omitempty" enum:"yes,no,not-known" doc:"If no TPM is seen: whether the processor has one built in"`
	Source  string `json:"source,omitempty" doc:"Of what is likely"`
	Says    string `json:"says"`
}

// Offer is whether the publisher offers the release to the machine.
type Offer struct {
	Now  bool       `json:"now"`
	From *time.Time `json:"from,omitempty"`
	Says string     `json:"says"`
}

// Next is the machine against a release that follows.
type Next struct {
	Release release.Ref `json:"release"`
	Side
	Fails []string `json:"fails,omitempty" doc:"Titles of requirements that it fails only there"`
}

// Possible is the state of a title of which something has to be known first.
const Possible = "possible"

// Known is what the release knows of an installed title or a driver.
type Known struct {
	Name    string `json:"name"`
	Version string `json:"version,omitempty"`
	Is      string `json:"is" enum:"fine,update,buy,remove,problem,possible"`
	Says    string `json:"says"`
	Weight  string `json:"weight,omitempty" enum:"required,advised,optional" doc:"How much the work on it matters; missing where there is none"`
	Note    string `json:"note,omitempty"`
	Cure    string `json:"cure,omitempty" doc:"What cures the problem"`
	Cost    string `json:"cost,omitempty" doc:"What the work costs, as the source says it"`
	Decides string `json:"decides,omitempty" doc:"Who decides on it"`
	Terms   string `json:"terms,omitempty" doc:"Cure, cost and who decides, in sentences"`
	Source  string `json:"source,omitempty"`
}

// Prepared is an item of preparation.
type Prepared struct {
	ID     string `json:"id"`
	Title  string `json:"title"`
	Reason string `json:"reason"`
	State  string `json:"state" enum:"done,not-done,not-known,by-hand,not-needed,refused"`
	Says   string `json:"says"`
	Ticked *Tick  `json:"ticked,omitempty" doc:"What a person recorded"`
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
	Waived  int `json:"waived"`
	Advice  int `json:"advice"`
	Musts   int `json:"musts" doc:"Requirements of the level must that apply"`
}

// Support is the end of support of what is installed.
type Support struct {
	Release  string     `json:"release"`
	Edition  string     `json:"edition,omitempty" doc:"Where editions differ"`
	Ends     *time.Time `json:"ends,omitempty" doc:"Absent if the publisher has not decided it"`
	Days     int        `json:"days" doc:"From the day of the check; negative when it is over; 0 if the end is not decided"`
	Text     string     `json:"text" doc:"How long the release is still supported, in a sentence"`
	Extended *time.Time `json:"extended,omitempty" doc:"End of extended support"`
	Says     string     `json:"says,omitempty" doc:"What extended support takes"`
	Source   string     `json:"source,omitempty"`
	Not      bool       `json:"not_here,omitempty" doc:"The release is supported, but this installation is not"`
}

// Finding is the outcome of one requirement with its evidence.
type Finding struct {
	Requirement string     `json:"requirement"`
	Title       string     `json:"title"`
	Level       string     `json:"level" enum:"must,should,feature"`
	AskedBy     string     `json:"asked_by" enum:"publisher,house"`
	Consequence string     `json:"consequence,omitempty"`
	Follows     string     `json:"follows,omitempty" doc:"Consequence while it is not met, in a sentence"`
	Outcome     string     `json:"outcome" enum:"pass,fail,unknown,not-applicable,waived"`
	Has         string     `json:"has"`
	Needs       string     `json:"needs"`
	Distance    string     `json:"distance,omitempty"`
	Reason      string     `json:"reason,omitempty" doc:"Why the outcome is what it is"`
	Why         string     `json:"why" doc:"Why the requirement exists"`
	Quoted      string     `json:"quoted,omitempty" doc:"Where the publisher says it: the words of a page that is kept"`
	Advised     string     `json:"advised,omitempty" doc:"A recommended value that is not reached"`
	Close       []string   `json:"close,omitempty" doc:"For an unknown: how to find it out"`
	NoRemedy    bool       `json:"no_remedy,omitempty" doc:"Rolltop knows no step that settles it"`
	NoStep      string     `json:"no_step,omitempty" doc:"If no step fixes it: why, in a sentence"`
	Proven      bool       `json:"proven,omitempty" doc:"Nothing on this machine can change it, and what was read proves that"`
	SettledBy   []int      `json:"settled_by,omitempty" doc:"Numbers of the steps that settle it"`
	Conflict    bool       `json:"conflict,omitempty" doc:"Sources conflict on a fact that it reads"`
	Interim     string     `json:"interim,omitempty" doc:"The intermediate release that requires it"`
	Feature     string     `json:"feature,omitempty" doc:"The optional feature that it belongs to"`
	Rule        string     `json:"rule,omitempty" doc:"The rule for sizes that was applied"`
	List        *ListMatch `json:"list,omitempty" doc:"How a list decided"`
	Measure     *Measure   `json:"measure,omitempty" doc:"For an amount: both values, to be shown as lengths"`
	Waiver      *Waiver    `json:"waiver,omitempty" doc:"For a waived requirement: who accepts it, why, and until when"`
	Evidence    []Evidence `json:"evidence"`
}

// ListMatch is how a name was found on a list, or not.
type ListMatch struct {
	List       string `json:"list"`
	Result     string `json:"result" enum:"on,off,not-read"`
	Row        string `json:"row,omitempty"`
	Rule       string `json:"rule,omitempty" doc:"The naming rule that read the name"`
	Generation int    `json:"generation,omitempty" doc:"As the rule read it"`
	Exception  bool   `json:"exception,omitempty"`
	Nearest    string `json:"nearest,omitempty" doc:"The row most like it"`
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
	Gap       string `json:"gap,omitempty" doc:"Cause, if the fact is unknown"`
	Condition bool   `json:"condition,omitempty" doc:"It belongs to the condition under which the requirement applies"`
	Row       string `json:"row,omitempty" doc:"The adapter, display, title … that it is about"`
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
		Best: v.Best.String(), Worst: v.Worst.String(), RestsOn: say.RestsOn(v, f), Unsupported: v.Unsupported,
		Answer:   say.Answer(v, rel),
		Details:  say.Details(v, rel, f),
		Plain:    say.Plain(v, rel),
		Route:    route(v, rel),
		Coverage: Coverage{a.Result.Read, len(rel.Needed)},
	}
	if p := a.Publisher; p != nil {
		d.Publisher = &Side{p.Disposition.String(), say.Certainty(p), say.Answer(p, rel)}
	}
	d.beside(a, now)
	d.age(now)
	d.decide(a)
	d.plan(a)
	d.Route.Why = say.WhyAfresh(&a.Verdict, rel, a.Result.Facts)
	d.around(a, now)
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

func (d *Document) findings(a *Assessment) {
	settled := map[string][]int{}
	for _, s := range d.Plan {
		for _, q := range s.Settles {
			if !s.replaces && !s.decides {
				settled[q] = append(settled[q], s.Number)
			}
		}
	}
	groups := [4][]Finding{}
	for i := range a.Result.Findings {
		fd := &a.Result.Findings[i]
		out := sayFinding(fd, a.Result, !a.Verdict.Disposition.Futile())
		out.SettledBy = settled[fd.Requirement.ID]
		out.NoRemedy = slices.Contains(a.Verdict.NoRemedy, fd.Requirement.ID)
		out.Proven = slices.Contains(a.Verdict.Proven, fd.Requirement.ID)
		out.NoStep = say.NoStep(out.NoRemedy, out.Proven)
		must := fd.Requirement.Level == release.Must
		group := 3
		switch {
		case must && fd.Outcome == check.Fail:
			d.Counts.Fail++
			group = 0
		case must && fd.Outcome == check.Unknown:
			d.Counts.Unknown++
			group = 1
		case must && fd.Outcome == check.Waived:
			d.Counts.Waived++
			group = 2
			for k := range a.Waivers {
				if w := &a.Waivers[k]; w.Requirement == fd.Requirement.ID {
					out.Waiver = w
				}
			}
		case fd.Outcome == check.NotApplicable && fd.Requirement.Interim != nil: // not on the way
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
		Reason: say.Reason(fd, res), Why: q.Reason, Quoted: say.Quoted(q),
		Feature: q.Feature, Conflict: fd.Conflict, Measure: measure(fd),
		Rule: say.Rule(fd, res.Facts), Evidence: []Evidence{},
	}
	if q.Interim != nil {
		out.Interim = q.Interim.Name
	}
	if fd.Outcome != check.Pass && fd.Outcome != check.NotApplicable && q.Level == release.Must {
		out.Follows = say.Follows(q)
	}
	if fd.Outcome == check.Unknown && close {
		out.Close = say.Closing(fd, res.Facts)
	}
	if fd.Outcome == check.Pass && fd.Advised != need.True {
		out.Advised = say.Need(q.Advised)
	}
	for _, e := range fd.Evidence {
		def := e.Leaf.Fact().Def()
		row := Evidence{Fact: def.Name, Label: def.Label, Has: say.Reading(def, e.Reading), Needs: say.Target(e.Leaf),
			Truth: e.Truth.String(), Source: e.Reading.Source, Condition: e.Condition, Row: e.Row}
		if e.Reading.Gap != nil && !e.Reading.Value.Known() {
			row.Gap = e.Reading.Gap.Cause
		}
		if e.Match != nil && !e.Condition {
			out.List = listMatch(&e)
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
