// Package report writes the check of a machine as something to hand over: a
// page that needs nothing beside it, a text for a ticket, a draft of a mail.
package report

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// Readers of a report.
const (
	Technician = "technician"
	User       = "user"  // the person whose machine it is
	Desk       = "visit" // whoever is at the machine while it is in its firmware
)

// Readers are all of them.
func Readers() []string { return []string{Technician, User, Desk} }

// Reader takes the name of a reader; none is the technician.
func Reader(name string) (string, error) {
	switch {
	case name == "":
		return Technician, nil
	case slices.Contains(Readers(), name):
		return name, nil
	}
	return "", fmt.Errorf("unknown audience %q; %s", name, doc.Suggest(name, Readers()))
}

// Machine is what a report is about.
type Machine struct {
	Check     *assess.Document
	Inventory []say.Group // every fact in words
	Collector string      // version of the collector that took the inventory, "" where it is not said
}

// Of puts together what a report is about.
func Of(check *assess.Document, inv *inventory.Document) *Machine {
	return &Machine{Check: check, Inventory: say.Facts(inv), Collector: inv.Collector.Version}
}

// personal are the facts that name one machine.
var personal = []fact.ID{fact.DeviceSerial, fact.DeviceUUID, fact.DeviceAssetTag, fact.BoardSerial}

func isPersonal(name string) bool {
	return slices.ContainsFunc(personal, func(id fact.ID) bool { return id.Def().Name == name })
}

// shown is how much of a serial number is left when it is shortened: enough to
// tell two machines on one desk apart.
const shown = 4

func shorten(s string) string {
	r := []rune(s)
	if len(r) <= 2*shown {
		return "shortened"
	}
	return "…" + string(r[len(r)-shown:])
}

// Shortened is the machine for people outside: of what names it, only the end
// is left. The machine's own name stays, or nobody would know which it is.
func (m *Machine) Shortened() *Machine {
	out := &Machine{Collector: m.Collector}
	var whole []string
	for _, g := range m.Inventory {
		g.Rows = slices.Clone(g.Rows)
		for i := range g.Rows {
			if r := &g.Rows[i]; r.Known && isPersonal(r.Fact) {
				whole = append(whole, r.Value)
				r.Value = shorten(r.Value)
			}
		}
		out.Inventory = append(out.Inventory, g)
	}
	check := *m.Check
	check.Findings = slices.Clone(check.Findings)
	for i := range check.Findings {
		hide(&check.Findings[i], whole)
	}
	out.Check = &check
	return out
}

// hide shortens in a finding that compares what names the machine.
func hide(f *assess.Finding, whole []string) {
	if !slices.ContainsFunc(f.Evidence, func(e assess.Evidence) bool { return isPersonal(e.Fact) }) {
		return
	}
	text := func(s string) string {
		for _, w := range whole {
			s = strings.ReplaceAll(s, w, shorten(w))
		}
		return s
	}
	f.Has, f.Reason, f.Distance = text(f.Has), text(f.Reason), text(f.Distance)
	f.Evidence = slices.Clone(f.Evidence)
	for i := range f.Evidence {
		f.Evidence[i].Has = text(f.Evidence[i].Has)
	}
}

// name of the machine in a heading.
func (m *Machine) name() string {
	if n := m.Check.Machine.Name; n != "" {
		return n
	}
	return "This machine"
}

// about names the machine with its model and its installed release.
func (m *Machine) about() string {
	one := &m.Check.Machine
	var parts []string
	for _, s := range []string{m.name(), strings.TrimSpace(one.Manufacturer + " " + one.Model), one.Installed} {
		if s != "" {
			parts = append(parts, s)
		}
	}
	return strings.Join(parts, " · ")
}

// verdict is the disposition as a word, with its certainty.
func (m *Machine) verdict() string {
	s := say.Capital(m.Check.Disposition)
	if m.Check.Certainty == "expected" && m.Check.Disposition != "undetermined" {
		s += ", expected"
	}
	return s
}

// group picks findings: of musts by outcome, or what is advised and not
// followed.
func (m *Machine) group(level, outcome string) []assess.Finding {
	var out []assess.Finding
	for _, f := range m.Check.Findings {
		if f.Level == level && f.Outcome == outcome {
			out = append(out, f)
		}
	}
	return out
}

// rest are the findings that no other part of a report shows.
func (m *Machine) rest() []assess.Finding {
	var out []assess.Finding
	for _, f := range m.Check.Findings {
		open := f.Outcome == "fail" || f.Outcome == "unknown" || f.Outcome == "waived"
		if open && f.Level == "must" || f.Outcome == "fail" && f.Level == "should" || f.Interim != "" &&
			f.Outcome == "not-applicable" {
			continue
		}
		out = append(out, f)
	}
	return out
}

// known are applications and drivers that need something.
func (m *Machine) known() []assess.Known {
	var out []assess.Known
	for _, k := range slices.Concat(m.Check.Software, m.Check.Drivers) {
		if k.Is != "fine" {
			out = append(out, k)
		}
	}
	return out
}

// preparation is what comes before the upgrade; a machine that is replaced has
// none.
func (m *Machine) preparation() []assess.Prepared {
	if m.Check.Disposition == "replace" {
		return nil
	}
	return m.Check.Preparation
}

// part is a part of the plan, with what it takes together.
type part struct {
	Name  string
	Takes string
	Steps []assess.Step
}

// parts are the steps of the plan under the headings of their phases.
func (m *Machine) parts() []part {
	var out []part
	for i, s := range m.Check.Plan {
		if i == 0 || s.Phase != m.Check.Plan[i-1].Phase {
			name := say.Phases[s.Phase]
			if s.Class == remedy.Replacement.String() {
				name = "One step"
			}
			out = append(out, part{Name: name})
		}
		p := &out[len(out)-1]
		p.Steps = append(p.Steps, s)
	}
	for i := range out {
		least, most, restarts := 0, 0, 0
		for _, s := range out[i].Steps {
			least, most, restarts = least+s.Minutes.Least, most+s.Minutes.Most, restarts+s.Restarts
		}
		out[i].Takes = takes(least, most, restarts)
	}
	return out
}

// totals is what the whole plan takes.
func (m *Machine) totals() string {
	e := &m.Check.Effort
	s := takes(e.Minutes.Least, e.Minutes.Most, e.Restarts)
	if s == "" {
		return ""
	}
	if e.Parts > 0 {
		s += "; " + say.Count(e.Parts, "part", "parts")
	}
	if e.Cost != nil {
		s += ", " + e.Cost.Says
	}
	return s + "."
}

func takes(least, most, restarts int) string {
	var parts []string
	switch {
	case most > 0 && least == most:
		parts = append(parts, say.Count(most, "minute", "minutes"))
	case most > 0:
		parts = append(parts, fmt.Sprintf("%d–%d minutes", least, most))
	}
	if restarts > 0 {
		parts = append(parts, say.Count(restarts, "restart", "restarts"))
	}
	return strings.Join(parts, ", ")
}

// visit is what is done at the machine.
type visit struct {
	Title  string
	Takes  string
	Before []assess.Step // what should be done without a visit, before
	Steps  []assess.Step
}

// visit is nil where nobody goes to the machine.
func (m *Machine) visit() *visit {
	v := new(visit)
	least, most, restarts := 0, 0, 0
	for _, s := range m.Check.Plan {
		switch s.Phase {
		case remedy.Remote:
			v.Before = append(v.Before, s)
		case remedy.Desk:
			v.Steps = append(v.Steps, s)
			least, most, restarts = least+s.Minutes.Least, most+s.Minutes.Most, restarts+s.Restarts
		}
	}
	if v.Steps == nil {
		return nil
	}
	v.Title = say.Count(len(v.Steps), "step", "steps") + " at " + m.name()
	v.Title = say.Capital(v.Title)
	v.Takes = takes(least, most, restarts)
	return v
}

// told is what the plan means for the machine's user: each sentence once.
func (m *Machine) told() []string {
	var out []string
	for _, s := range m.Check.Plan {
		if s.Tell != "" && s.Tell != say.NothingToDo && !slices.Contains(out, s.Tell) {
			out = append(out, s.Tell)
		}
	}
	return out
}

// made is the line on what the check was made with.
func (m *Machine) made() []string {
	d := m.Check
	inv := "Inventory of " + say.Moment(d.Machine.TakenAt)
	if e := d.Machine.Elevated; e != nil {
		if *e {
			inv += ", read with administrator rights"
		} else {
			inv += ", read without administrator rights"
		}
	}
	if m.Collector != "" {
		inv += ", collector " + m.Collector
	}
	out := []string{
		fmt.Sprintf("Requirements of %s, revision %d of %s", d.Release.Name, d.Release.Revision,
			say.Day(d.Release.Published)),
		fmt.Sprintf("Checked on %s by Rolltop %s", say.Moment(d.CheckedAt), d.Engine), inv,
		fmt.Sprintf("%d of %d needed facts read", d.Coverage.Read, d.Coverage.Needed),
	}
	return out
}

// beside is what stands beside the answer.
func (m *Machine) beside() []string {
	d := m.Check
	out := slices.Clone(d.Warnings)
	out = append(out, d.Delivered()...)
	if o := d.Other; o != nil {
		out = append(out, fmt.Sprintf("Or: %s %s: %s", o.Says, say.Capital(o.Disposition), o.Answer))
	}
	if d.Vouched != "" {
		out = append(out, d.Vouched)
	}
	if d.Hold != "" {
		out = append(out, d.Hold)
	}
	if d.Offer != nil && !d.Offer.Now {
		out = append(out, d.Offer.Says)
	}
	if p := d.Publisher; p != nil && p.Disposition != d.Disposition {
		out = append(out, fmt.Sprintf("By the publisher's requirements only: %s; %s", p.Disposition, p.Answer))
	}
	if s := d.Support; s != nil {
		out = append(out, s.Sentence())
	}
	for _, n := range d.Next {
		name := n.Release.Name
		if n.Release.Test {
			name += ", a release for testing"
		}
		out = append(out, fmt.Sprintf("Next, %s: %s. %s", name, n.Disposition, say.Capital(n.Answer)))
	}
	return out
}
