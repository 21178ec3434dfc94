// Package results confirms a plan from a later inventory: it compares the checks before and
// after the work, and says which steps had their effect, which findings are met now, what is
// still open, and what to look at if a step had no effect. A fact that the later inventory
// could not read without administrator rights does not count as a regression.
package results

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/placeholder"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
)

// Format is the value of the key “format”.
const Format = "rolltop-results/1"

// Document is the confirmation in words.
type Document struct {
	Format  string       `json:"format" enum:"rolltop-results/1"`
	Release release.Ref  `json:"release"`
	Before  compare.Side `json:"before"`
	After   compare.Side `json:"after"`
	Says    string       `json:"says" doc:"The result of the work in a sentence"`
	Notes   []string     `json:"notes,omitempty" doc:"About the encryption: still paused, or started by the system itself"`
	Steps   []Step       `json:"steps" doc:"Steps of the plan before the work"`
	Changes []Change     `json:"changes" doc:"Requirements that were open before or are open now"`
	// Prepared are the items of preparation that were open before the work.
	Prepared []Item `json:"prepared,omitempty"`
	Kept     *Kept  `json:"kept,omitempty" doc:"After an upgrade: whether titles and free space are what they were"`
}

// Item is an item of preparation after the work.
type Item struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	State string `json:"state" enum:"worked,no-effect,not-seen"`
	Word  string `json:"word"`
	Says  string `json:"says"`
}

// States of a step after the work.
const (
	Worked    = "worked"     // everything it settles is met
	NoEffect  = "no-effect"  // something that it settles is not met
	Waits     = "waits"      // as no-effect, and a step before it had no effect either
	NotShown  = "not-shown"  // something that it settles is not known
	NotSeen   = "not-seen"   // nothing that a program sees tells
	NotNeeded = "not-needed" // what it settles no longer applies
)

// Step is a step with what the later inventory shows of it.
type Step struct {
	Number int      `json:"number"`
	Step   string   `json:"step"`
	Title  string   `json:"title"`
	State  string   `json:"state" enum:"worked,no-effect,waits,not-shown,not-seen,not-needed"`
	Word   string   `json:"word" doc:"The state in words"`
	Says   string   `json:"says"`
	Try    []string `json:"try,omitempty" doc:"If it had no effect: what to check, most likely first"`
}

// Kinds of change of a finding.
const (
	Settled   = "settled"   // it was open and is met
	Left      = "left"      // it was open and is open
	Known     = "known"     // it was not known and is not met
	Broken    = "broken"    // it was met and is not
	Invisible = "invisible" // the later inventory could not look
	Lost      = "lost"      // it was known and is not, for another reason
	Moot      = "moot"      // it was open and no longer applies
)

// Change is what has become of a requirement.
type Change struct {
	Requirement string `json:"requirement"`
	Title       string `json:"title"`
	Kind        string `json:"kind" enum:"settled,left,known,broken,invisible,lost,moot"`
	Word        string `json:"word" doc:"The kind in words"`
	Was         string `json:"was" doc:"What the machine had"`
	Is          string `json:"is" doc:"What it has"`
	Needs       string `json:"needs"`
	SettledBy   []int  `json:"settled_by,omitempty" doc:"Numbers of the steps"`
}

var stepWords = map[string]string{
	Worked:    "worked",
	NoEffect:  "no effect",
	Waits:     "waits",
	NotShown:  "not shown",
	NotSeen:   "not visible",
	NotNeeded: "not needed",
}

var changeWords = map[string]string{
	Settled:   "settled",
	Left:      "left",
	Known:     "known now but not met",
	Broken:    "met before but not now",
	Invisible: "no longer visible",
	Lost:      "now unknown",
	Moot:      "no longer applies",
}

// Check is an inventory with its check.
type Check struct {
	Inventory *inventory.Document
	Check     *assess.Document
}

// Confirm puts two checks of one machine against one release beside each
// other. It is an error where the inventories are of two machines, or where the
// one after the work is the older.
func Confirm(before, after Check) (*Document, error) {
	a, b := before.Inventory, after.Inventory
	beside := compare.Run(a, b, before.Check, after.Check)
	switch {
	case !beside.SameMachine && contradict(a, b):
		return nil, fmt.Errorf("the inventories are of two machines, %s and %s: their serial numbers or UUIDs differ",
			beside.A.Name, beside.B.Name)
	case !beside.SameMachine && !sameName(a, b):
		return nil, fmt.Errorf("nothing shows that %s and %s are the same machine: serial number, UUID and host "+
			"name differ", beside.A.Name, beside.B.Name)
	case b.TakenAt.Before(a.TakenAt):
		return nil, fmt.Errorf("the inventory after the work is from %s, before the other one (%s); give the "+
			"earlier one to compare with", say.Moment(b.TakenAt), say.Moment(a.TakenAt))
	}
	d := &Document{
		Format:  Format,
		Release: after.Check.Release,
		Before:  beside.A,
		After:   beside.B,
		Steps:   []Step{},
		Changes: []Change{},
	}
	d.changes(before.Check, after.Check, beside)
	now := fact.Read(b)
	d.steps(before.Check, after.Check, now, beside)
	d.prepared(before.Check, after.Check)
	d.Notes = encryption(fact.Read(a), now)
	if was := a.OS.Name.Or(""); was != "" && b.OS.Name.Or(was) != was {
		kept := KeptOf(a, b)
		d.Kept = &kept
	}
	d.Says = d.sum(before.Check, after.Check)
	return d, nil
}

func sameName(a, b *inventory.Document) bool {
	name := a.Device.Name.Or("")
	return name != "" && strings.EqualFold(name, b.Device.Name.Or(""))
}

// contradict tells whether the inventories differ in what names a machine.
func contradict(a, b *inventory.Document) bool {
	return placeholder.Differ(a.Device.UUID.Or(""), b.Device.UUID.Or(""), placeholder.UUID) ||
		placeholder.Differ(a.Device.Serial.Or(""), b.Device.Serial.Or(""), placeholder.Text)
}

// musts are the findings that decide, by their requirement.
func musts(d *assess.Document) map[string]*assess.Finding {
	out := map[string]*assess.Finding{}
	for i := range d.Findings {
		if f := &d.Findings[i]; f.Level == "must" {
			out[f.Requirement] = f
		}
	}
	return out
}

func open(outcome string) bool { return outcome == "fail" || outcome == "unknown" }

func (d *Document) changes(a, b *assess.Document, beside *compare.Document) {
	was := musts(a)
	for i := range b.Findings {
		is := &b.Findings[i]
		old := was[is.Requirement]
		if old == nil || is.Level != "must" || !open(old.Outcome) && !open(is.Outcome) {
			continue
		}
		c := Change{
			Requirement: is.Requirement,
			Title:       is.Title,
			Was:         old.Has,
			Is:          is.Has,
			Needs:       is.Needs,
			SettledBy:   old.SettledBy,
		}
		switch {
		case is.Outcome == "not-applicable":
			c.Kind = Moot
		case is.Outcome == "pass":
			c.Kind = Settled
		case is.Outcome == "unknown" && old.Outcome != "unknown":
			c.Kind = Lost
			if invisible(beside, is.Requirement) {
				c.Kind = Invisible
			}
		case old.Outcome == "unknown" && is.Outcome == "fail":
			c.Kind = Known
		case open(old.Outcome):
			c.Kind = Left
		default:
			c.Kind = Broken
		}
		c.Word = changeWords[c.Kind]
		d.Changes = append(d.Changes, c)
	}
}

func invisible(beside *compare.Document, requirement string) bool {
	return slices.ContainsFunc(beside.Findings,
		func(f compare.Finding) bool { return f.Requirement == requirement && f.Invisible })
}

// steps says of each step of the plan what the later inventory shows of it.
func (d *Document) steps(a, b *assess.Document, now *fact.Facts, beside *compare.Document) {
	is := musts(b)
	states := map[int]string{}
	for i := range a.Plan {
		p := &a.Plan[i]
		s := Step{
			Number: p.Number,
			Step:   p.Step,
			Title:  p.Title,
			State:  NotSeen,
			Says:   "No program can see it; only a person can confirm it.",
		}
		var failing, unknown, hidden, met []string
		for _, q := range p.Settles {
			f := is[q]
			switch {
			case f == nil || f.Outcome == "not-applicable":
			case f.Outcome == "fail":
				failing = append(failing, say.Lower(f.Title))
			case f.Outcome == "unknown" && invisible(beside, q):
				hidden = append(hidden, say.Lower(f.Title))
			case f.Outcome == "unknown":
				unknown = append(unknown, say.Lower(f.Title))
			default:
				met = append(met, say.Lower(f.Title))
			}
		}
		switch {
		case len(p.Settles) == 0:
			switch p.Shown(now) {
			case need.True:
				s.State, s.Says = Worked, "The inventory shows it."
				if name := p.Installed(); name != "" {
					s.Says = name + " is installed."
				}
			case need.False:
				s.State, s.Says, s.Try = NoEffect, "The inventory shows that it was not done or had no effect.",
					p.Otherwise
				if name := p.Installed(); name != "" {
					s.Says = name + " is not installed."
				}
				if n := held(a.Plan, p, states); n > 0 && p.Installed() != "" {
					s.State, s.Says, s.Try = Waits, fmt.Sprintf("It waits for step %d.", n), nil
				}
			}
		case failing != nil && p.Closes:
			s.State, s.Says = Worked, "Known now but not met: "+say.And(failing)+"."
		case failing != nil:
			s.State, s.Says, s.Try = NoEffect,
				"Still not met: "+say.And(failing)+". The step was not done or had no effect.", p.Otherwise
			if n := held(a.Plan, p, states); n > 0 {
				s.State, s.Says, s.Try = Waits, fmt.Sprintf("It waits for step %d.", n), nil
			}
		case hidden != nil:
			s.State, s.Says = NotShown,
				"The later inventory was read with fewer rights and does not show it: "+say.And(hidden)+"."
		case unknown != nil:
			s.State, s.Says = NotShown, "Unknown: "+say.And(unknown)+"."
		case met != nil:
			s.State, s.Says = Worked, "Met: "+say.And(met)+"."
		default:
			s.State, s.Says = NotNeeded, "What it settles no longer applies."
		}
		states[p.Number], s.Word = s.State, stepWords[s.State]
		d.Steps = append(d.Steps, s)
	}
}

// prepared says what has become of the items of preparation: what a program sees, and
// what a person said.
func (d *Document) prepared(a, b *assess.Document) {
	now := map[string]*assess.Prepared{}
	for i := range b.Preparation {
		now[b.Preparation[i].ID] = &b.Preparation[i]
	}
	for i := range a.Preparation {
		was := &a.Preparation[i]
		is := now[was.ID]
		if was.State == "done" && was.Ticked == nil || was.State == "not-needed" {
			continue
		}
		p := Item{ID: was.ID, Title: was.Title, State: NotSeen, Says: "No program can see it; only a person can " +
			"confirm it."}
		switch {
		case is != nil && is.State == "done":
			p.State, p.Says = Worked, is.Says
		case was.State == "done":
			p.State, p.Says = Worked, was.Ticked.Says()
		case is != nil && is.State == "not-done":
			p.State, p.Says = NoEffect, is.Says
		}
		p.Word = stepWords[p.State]
		d.Prepared = append(d.Prepared, p)
	}
}

// held is the first step that a step waits for, by itself or through others,
// and that had no effect, or 0.
func held(plan []assess.Step, p *assess.Step, states map[int]string) int {
	first := 0
	for _, n := range p.After {
		if states[n] != NoEffect && states[n] != Waits {
			n = held(plan, &plan[n-1], states)
		}
		if n > 0 && (first == 0 || n < first) {
			first = n
		}
	}
	return first
}

// encryption says what the work left of the protection of the system volume.
func encryption(a, b *fact.Facts) []string {
	was, is := a.Value(fact.EncryptionState).Text(), b.Value(fact.EncryptionState).Text()
	switch {
	case is == "paused":
		return []string{"The encryption of the system volume is paused: the volume is not protected until it is " +
			"resumed."}
	case is == "on" && was == "off":
		return []string{"The system volume is now encrypted. A system can start encryption by itself when TPM and " +
			"secure boot are on. Make sure that the recovery key is saved."}
	case is == "off" && (was == "on" || was == "paused"):
		return []string{"The system volume is no longer encrypted."}
	}
	return nil
}

// titles of the requirements that have become one of some kinds.
func (d *Document) titles(kinds ...string) (out []string) {
	for _, c := range d.Changes {
		if slices.Contains(kinds, c.Kind) {
			out = append(out, say.Lower(c.Title))
		}
	}
	return out
}

// sum says the whole in a sentence or two: the answer first.
func (d *Document) sum(a, b *assess.Document) string {
	head := fmt.Sprintf("%s; it was %s", b.Disposition, a.Disposition)
	if b.Disposition == a.Disposition {
		head = b.Disposition + ", as before"
	}
	settled, left := len(d.titles(Settled, Moot)), d.titles(Left, Known)
	done := say.Count(settled, "requirement is settled", "requirements are settled")
	switch {
	case settled == 0 && left == nil:
	case left == nil:
		head += ": " + done + ", none is left"
	case settled == 0:
		head += ": nothing is settled; left: " + say.And(left)
	default:
		head += ": " + done + "; left: " + say.And(left)
	}
	out := []string{say.Sentence(head)}
	for _, g := range []struct{ kind, words string }{
		{Broken, "met before but not now: "},
		{Invisible, "no longer visible, since the later inventory was read with fewer rights: "},
		{Lost, "now unknown: "},
	} {
		if titles := d.titles(g.kind); titles != nil {
			out = append(out, say.Sentence(g.words+say.And(titles)))
		}
	}
	return strings.Join(out, " ")
}
