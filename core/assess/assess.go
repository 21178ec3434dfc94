// Package assess is the one verb that runs check and remedy together, and the
// check document rolltop-check/1 that says their result in words. Command line,
// API and console show that document.
package assess

import (
	"time"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// Assessment is one machine checked against one release.
type Assessment struct {
	Knowledge *knowledge.Base
	Inventory *inventory.Document
	Result    *check.Result
	Verdict   remedy.Verdict  // over all musts; the disposition that counts
	Waivers   []Waiver        // those that were applied
	Publisher *remedy.Verdict // over the publisher's alone; nil where there is no house standard
}

// Run checks an inventory against a release and works out what it takes, with
// the means of the program alone. The error is [*check.WrongClass].
func Run(rel *release.Release, inv *inventory.Document) (*Assessment, error) {
	return With(knowledge.Shipped(), rel, inv)
}

// Waiver is a decision that a requirement may fail on the machine.
type Waiver struct {
	Requirement string    `json:"requirement"`
	Reason      string    `json:"reason"`
	By          string    `json:"by"`
	Until       time.Time `json:"until" doc:"From then on the requirement fails again"`
}

// Says is the waiver in a sentence.
func (w *Waiver) Says() string {
	return "Waived until " + say.Day(w.Until.Add(-time.Second)) + " by " + w.By + ": " + say.Sentence(w.Reason)
}

// With is [Run] with an organisation's own steps, guides and prices, and with what it
// has waived.
func With(m *knowledge.Base, rel *release.Release, inv *inventory.Document, waivers ...Waiver) (*Assessment, error) {
	f := fact.Read(inv)
	m.Guides.Fill(f)
	res, err := check.Run(rel, f)
	if err != nil {
		return nil, err
	}
	for i := range waivers {
		res.Waive(waivers[i].Requirement)
	}
	a := solved(m, res)
	a.Inventory, a.Waivers = inv, waivers
	return a, nil
}

func solved(m *knowledge.Base, res *check.Result) *Assessment {
	a := &Assessment{Knowledge: m, Result: res, Verdict: m.Steps.Solve(res, nil)}
	if res.Release.HasHouse {
		v := m.Steps.Solve(res, func(q *release.Requirement) bool { return q.AskedBy == release.Publisher })
		a.Publisher = &v
	}
	return a
}

// Outcomes is one letter for each requirement in the release's order: p pass,
// f fail, u unknown, n not applicable.
func (a *Assessment) Outcomes() string {
	b := make([]byte, len(a.Result.Findings))
	for i := range a.Result.Findings {
		b[i] = a.Result.Findings[i].Outcome.Letter()
	}
	return string(b)
}

// Fails counts the musts that fail; sole is the only one, where it is one.
func (a *Assessment) Fails() (n int, sole string) {
	for i := range a.Result.Findings {
		fd := &a.Result.Findings[i]
		if fd.Requirement.Level == release.Must && fd.Outcome == check.Fail {
			n, sole = n+1, fd.Requirement.ID
		}
	}
	if n != 1 {
		sole = ""
	}
	return n, sole
}

// days from one date to another, by the calendar.
func days(from, to time.Time) int {
	day := func(t time.Time) time.Time {
		y, m, d := t.UTC().Date()
		return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
	}
	return int(day(to).Sub(day(from)).Hours() / 24)
}
