// Package question finds what is unknown yet of the machines of a fleet, and asks it once
// for all machines that share it: whether a processor is supported, what a model can do,
// whether a title goes together with the target.
package question

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
)

// Where the answer to a question is kept.
const (
	ForModel   = "model-fact"   // for all machines of the model
	ForMachine = "machine-fact" // for each machine
	ForRelease = "release"      // in the release document
)

// Question is something to be found out once for many machines.
type Question struct {
	ID       string   `json:"id" doc:"It stays the same as long as the question does"`
	Says     string   `json:"says"`
	About    string   `json:"about" doc:"The model, the processor, the application or the driver"`
	Fact     string   `json:"fact,omitempty"`
	Label    string   `json:"label,omitempty"`
	Cause    string   `json:"cause"`
	Machines int      `json:"machines"`
	Where    string   `json:"where"`
	Maker    string   `json:"maker,omitempty"`
	Model    string   `json:"model,omitempty"`
	Choices  []string `json:"choices,omitempty" doc:"Possible values of the fact, if there are few"`
	Example  string   `json:"example,omitempty" doc:"How a value is written"`
	Told     string   `json:"told,omitempty" doc:"What other machines tell of the same adapter"`
	Asked    *Asked   `json:"asked,omitempty" doc:"Whom it was put to, if an answer is awaited"`
	Answer   string   `json:"answer" enum:"model-fact,machine-fact,release" doc:"Where the answer is saved: for all machines of the model, for each machine, or in the release document"`
}

// Asked says whom a question was put to.
type Asked struct {
	Who  string    `json:"who" doc:"A role or a name"`
	By   string    `json:"by" doc:"Who recorded it"`
	At   time.Time `json:"at"`
	Due  string    `json:"due,omitempty" doc:"Day by which an answer is expected"`
	Note string    `json:"note,omitempty"`
	Says string    `json:"says"`
	Late bool      `json:"late,omitempty" doc:"The day has passed"`
}

// maxQuestions bounds questions about titles and drivers, of which a fleet may have very many.
const maxQuestions = 500

// subject is what makes a question the same for several machines.
type subject struct{ fact, cause, about string }

// id is a short name of a question. It depends on what is asked alone, and on no machine.
func (s *subject) id() string {
	h := fnv.New32a()
	for _, part := range []string{s.fact, s.cause, s.about} {
		_, _ = h.Write([]byte(part)) // a hash takes everything
		_, _ = h.Write([]byte{0})
	}
	return fmt.Sprintf("q-%08x", h.Sum32())
}

// List gathers questions, machine by machine. The zero List is empty.
type List struct {
	// Where is the filter that the machines were picked by; the filters of questions add to it.
	Where string
	// Steps is the library that the machines' plans are made from.
	Steps *remedy.Library

	found map[subject]*Question
}

// Ask is a question of one machine. Machines that share it have the same.
type Ask struct {
	subject
	question Question // its Where is a term alone, unless it is of this machine only
	alone    bool     // it is of this machine only
	many     bool     // a fleet may have very many of its kind
}

// Add adds what is not known of a machine. What only needs administrator rights is a remote
// batch and no question.
func (l *List) Add(res *check.Result, f *fact.Facts, r *fleet.Row) { l.Note(Asks(res, f, r, l.Steps)) }

// Note adds the questions of a machine.
func (l *List) Note(asks []Ask) {
	if l.found == nil {
		l.found = map[subject]*Question{}
	}
	for i := range asks {
		a := &asks[i]
		if l.found[a.subject] == nil {
			if a.many && len(l.found) >= maxQuestions {
				continue
			}
			q := a.question
			if !a.alone {
				// Those that are undetermined: it is asked for these alone.
				q.Where = fleet.And(l.Where, q.Where+" "+fleet.Term("disposition", remedy.Undetermined.String()))
			}
			l.found[a.subject] = &q
		}
		l.found[a.subject].Machines++
	}
}

// Asks are the questions of one machine, each once. steps is the library that its plan is made from.
func Asks(res *check.Result, f *fact.Facts, r *fleet.Row, steps *remedy.Library) []Ask {
	m := asking{row: r, model: r.ModelName()}
	for i := range res.Findings {
		fd := &res.Findings[i]
		if fd.Outcome != check.Unknown || fd.Requirement.Level != release.Must {
			continue
		}
		for j := range fd.Evidence {
			m.evidence(&fd.Evidence[j], f, fd.Requirement.ID)
		}
	}
	plan := work.Parse(r.Plan)
	m.names(plan, f, fact.SoftwareNotKnown, "title", steps.ID(remedy.AskingTitles))
	m.names(plan, f, fact.DriversNotKnown, "driver", steps.ID(remedy.AskingDrivers))
	return m.asks
}

// Sorted are the questions, those for the most machines first.
func (l *List) Sorted() []Question {
	out := make([]Question, 0, len(l.found))
	for s, q := range l.found {
		one := *q
		one.Says = one.About + ": " + one.Says
		one.ID = s.id()
		out = append(out, one)
	}
	slices.SortFunc(out, func(a, b Question) int {
		return cmp.Or(b.Machines-a.Machines, strings.Compare(a.Says, b.Says))
	})
	return out
}

// asking is one machine whose questions are gathered.
type asking struct {
	row   *fleet.Row
	model string
	asks  []Ask
}

// note adds a question, once.
func (m *asking) note(a Ask) {
	if !slices.ContainsFunc(m.asks, func(o Ask) bool { return o.subject == a.subject }) {
		m.asks = append(m.asks, a)
	}
}

// evidence asks for what a requirement compares and does not know.
func (m *asking) evidence(e *check.Evidence, f *fact.Facts, requirement string) {
	if e.Truth != need.Unknown {
		return
	}
	def, known := e.Leaf.Fact().Def(), e.Reading.Value.Known()
	cause := inventory.NotAsked
	if e.Reading.Gap != nil {
		cause = e.Reading.Gap.Cause
	}
	switch {
	case e.Match != nil && known:
		m.listed(def, e.Reading.Value.Text())
	case known:
	case e.Row != "":
		m.adapter(def, cause, e.At, f, requirement)
	case cause == inventory.NeedsRights:
	case cause == inventory.Disagree:
		m.conflict(def)
	default:
		m.gap(def, cause)
	}
}

func (m *asking) listed(def *fact.Def, name string) {
	m.note(Ask{subject: subject{def.Name, fleet.NotListed, name}, question: Question{
		Says:   "is it supported? No row of the list and no naming rule reads it.",
		About:  name,
		Fact:   def.Name,
		Label:  def.Label,
		Cause:  fleet.NotListed,
		Answer: ForRelease,
		Where:  fleet.Term(def.Name, name),
	}})
}

func (m *asking) conflict(def *fact.Def) {
	m.note(Ask{alone: true, subject: subject{def.Name, inventory.Disagree, m.row.Key}, question: Question{
		Says:   "which reading of “" + def.Label + "” is right? The sources conflict.",
		About:  m.row.Name,
		Fact:   def.Name,
		Label:  def.Label,
		Cause:  inventory.Disagree,
		Answer: ForMachine,
		Where:  fleet.Term("key", m.row.Key),
	}})
}

// adapter is what a graphics adapter can do: the same on every machine that has it. How it is set up, and rows that
// nothing tells apart, are entered on the machine's page.
func (m *asking) adapter(def *fact.Def, cause string, row int, f *fact.Facts, requirement string) {
	if def.ID.Group() != fact.Adapters || def.Aspect != fact.Capability || cause == inventory.Disagree ||
		cause == inventory.NeedsRights {
		return
	}
	ids := f.Row(fact.Adapters, row).Value(fact.AdapterIDs)
	if !ids.Known() || !f.Value(fact.AdapterKinds).Has(ids.Text()) {
		return // of a list that is not whole, the filter does not find the machine
	}
	q := m.open(def, cause)
	q.Says = fmt.Sprintf("what is “%s” of the adapter %s? %s", def.Label, ids.Text(), say.Sentence(say.Cause(cause)))
	q.Fact = def.In(ids.Text())
	if m.row.Model != "" {
		has := fleet.Term(fact.AdapterKinds.Def().Name, ids.Text())
		q.Where = fleet.Term("unknown", requirement) + " " + has + " " + fleet.Term("model", m.row.Model)
	}
	m.note(Ask{subject: subject{q.Fact, cause, q.About}, question: q, alone: m.row.Model == ""})
}

func (m *asking) gap(def *fact.Def, cause string) {
	q := m.open(def, cause)
	m.note(Ask{subject: subject{def.Name, cause, q.About}, question: q, alone: m.row.Model == ""})
}

// open is the question what a fact is.
func (m *asking) open(def *fact.Def, cause string) Question {
	q := Question{
		Says:    fmt.Sprintf("what is “%s”? %s", def.Label, say.Sentence(say.Cause(cause))),
		About:   cmp.Or(m.model, m.row.Name),
		Fact:    def.Name,
		Label:   def.Label,
		Cause:   cause,
		Maker:   m.row.Manufacturer,
		Model:   m.row.Model,
		Choices: need.Choices(def),
		Example: need.Example(def),
		Answer:  ForModel,
		Where:   fleet.Term("missing", def.Name) + " " + fleet.Term("model", m.row.Model),
	}
	switch {
	case m.row.Model == "":
		q.Answer, q.Where = ForMachine, fleet.Term("key", m.row.Key)
	case def.Aspect != fact.Capability: // how much and how it is set differs from machine to machine
		q.Answer = ForMachine
	}
	return q
}

// names asks about titles or drivers of which the release's lists know nothing, where the
// machine's plan has the step that looks into them.
func (m *asking) names(plan work.Plan, f *fact.Facts, id fact.ID, what, step string) {
	if !plan.Has(step) {
		return
	}
	for _, name := range f.Value(id).Set() {
		if len(m.asks) >= maxQuestions {
			return
		}
		m.note(Ask{many: true, subject: subject{id.Def().Name, what, name}, question: Question{
			Says:   "does this " + what + " work with the target? The release does not name it.",
			About:  name,
			Fact:   id.Def().Name,
			Label:  id.Def().Label,
			Cause:  fleet.NotListed,
			Answer: ForRelease,
			Where:  fleet.Term("step", step),
		}})
	}
}
