package remedy

import (
	_ "embed"
	"fmt"
	"slices"
	"sync"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// The table of safeguards is the one place that says what a hazard calls for. Steps say
// only what they disturb, so that no author of a step has to remember a safeguard.

type safeguardDoc struct {
	Step    string         `json:"step"`
	Stands  string         `json:"stands" enum:"before,behind,after"`
	Against []string       `json:"against"`
	Routes  []string       `json:"routes,omitempty"`
	Phases  []string       `json:"phases,omitempty"`
	Unless  *need.Document `json:"unless,omitempty"`
	Only    *need.Document `json:"only,omitempty"`

	Node *doc.Node `json:"-"`
}

type cautionDoc struct {
	Against []string       `json:"against"`
	Except  []string       `json:"except,omitempty"`
	Unless  *need.Document `json:"unless,omitempty"`
	Only    *need.Document `json:"only,omitempty"`
	Say     string         `json:"say"`

	Node *doc.Node `json:"-"`
}

// Where a safeguard stands: before every step that calls for it, directly behind such a
// step that does not start the machine by itself, or after all of them and before the
// installation.
const (
	before = "before"
	behind = "behind"
	after  = "after"
)

// safeguard is a compiled row of the table.
type safeguard struct {
	step         string
	stands       string
	against      Hazard
	routes       []string
	phases       []string
	unless, only need.Need
}

// precaution is a caution that the table adds to steps.
type precaution struct {
	against      Hazard
	except       Hazard // a step that disturbs it has another caution instead
	unless, only need.Need
	say          string
}

//go:embed safeguards.yaml
var safeguardFile []byte

type table struct {
	rows     []safeguard
	cautions []precaution
}

// safeguards is the table of the program. It is tested; a mistake in it is a defect of
// the program.
var safeguards = sync.OnceValue(func() *table {
	var d struct {
		Safeguards []safeguardDoc `json:"safeguards"`
		Cautions   []cautionDoc   `json:"cautions"`
	}
	if err := doc.Decode("safeguards.yaml", safeguardFile, &d); err != nil {
		panic(err)
	}
	r := &doc.Report{Name: "safeguards.yaml"}
	compiled := func(d *need.Document) need.Need {
		if d == nil {
			return nil
		}
		return need.Compile(d, nil, r)
	}
	hazards := func(names []string, at *doc.Node) Hazard {
		h, unknown := hazardsOf(names)
		for _, n := range unknown {
			r.Add(at, fmt.Sprintf("there is no hazard %q", n), doc.Suggest(n, hazardNames))
		}
		return h
	}
	t := &table{}
	for i := range d.Safeguards {
		s := &d.Safeguards[i]
		if s.Phases == nil {
			s.Phases = []string{Remote, Desk, Host}
			if s.Stands == before {
				s.Phases = append(s.Phases, Install)
			}
		}
		t.rows = append(t.rows, safeguard{
			s.Step, s.Stands, hazards(s.Against, s.Node), s.Routes, s.Phases, compiled(s.Unless), compiled(s.Only),
		})
	}
	for i := range d.Cautions {
		c := &d.Cautions[i]
		t.cautions = append(t.cautions,
			precaution{
				hazards(c.Against, c.Node), hazards(c.Except, c.Node), compiled(c.Unless), compiled(c.Only), c.Say,
			})
	}
	if err := r.Err(); err != nil {
		panic(err)
	}
	return t
})

// applies says whether something of the table holds on a machine. It is left out only
// where facts show that it is not needed.
func applies(unless, only need.Need, f *fact.Facts) bool {
	return (unless == nil || unless.Test(f.View()) != need.True) && (only == nil || only.Test(f.View()) == need.True)
}

// calledBy says whether a step calls for a safeguard.
func (g *safeguard) calledBy(s *Step, phase string) bool {
	return s.hazards&g.against != 0 && slices.Contains(g.phases, phase) && s.ID != g.step
}

// guard adds the safeguards of the table to what was chosen. A safeguard that is done
// where its steps are done takes its place from them: what stands before from the first
// of them, what stands after from the last.
func (s planner) guard() {
	for again := true; again; {
		had := len(s.chosen)
		s.guardOnce()
		s.pullFor(had)
		again = len(s.chosen) > had
	}
}

// pullFor adds what comes with safeguards, as an administrator's steps say it.
func (s planner) pullFor(from int) {
	for k := from; k < len(s.chosen); k++ {
		for _, j := range s.chosen[k].pulls {
			st := &s.lib.steps[j]
			if s.has(j) || st.Class != NoClass || s.lib.guarded(st.ID) || !st.on(s.route, s.guest) ||
				st.can(s.was) != need.True ||
				st.Skip != nil && st.Skip.Test(s.was.View()) == need.True {
				continue
			}
			p := Planned{Step: st, Phase: st.Phase, index: j}
			if p.Phase == anyPhase {
				p.Phase = s.chosen[k].Phase
			}
			s.chosen = append(s.chosen, p)
		}
	}
}

// guardOnce goes through the table once. What it adds may come with steps that call for
// more.
func (s planner) guardOnce() {
	for k := range s.lib.guards {
		g := &s.lib.guards[k]
		i, ok := s.lib.at[g.step]
		onRoute := len(g.routes) == 0 || slices.Contains(g.routes, s.route)
		if !ok || s.has(i) || g.stands == behind || !onRoute || !applies(g.unless, g.only, s.was) {
			continue
		}
		phase := ""
		for j := range s.chosen {
			p := &s.chosen[j]
			if !g.calledBy(p.Step, p.Phase) {
				continue
			}
			if phase == "" || (phaseRank[p.Phase] < phaseRank[phase]) == (g.stands == before) {
				phase = p.Phase
			}
		}
		if phase == "" {
			if always := s.lib.steps[i].Always; always == nil || always.Test(s.was.View()) != need.True {
				continue
			}
			phase = Remote
		}
		if phase == Install { // whatever comes before the installation is no part of it
			phase = Remote
		}
		p := Planned{Step: &s.lib.steps[i], Phase: s.lib.steps[i].Phase, index: i}
		if p.Phase == anyPhase {
			p.Phase = phase
		}
		s.chosen = append(s.chosen, p)
	}
}

// startOnce puts the start of the system behind each step that disturbs how it starts,
// where the step does not start the machine by itself. A step that leaves something to be
// done is not started behind: the machine may not start before that is done.
func (s planner) startOnce(plan []Planned) []Planned {
	g := slices.IndexFunc(s.lib.guards, func(g safeguard) bool { return g.stands == behind })
	if g < 0 {
		return plan
	}
	row := &s.lib.guards[g]
	i, ok := s.lib.at[row.step]
	if !ok {
		return plan
	}
	unstarted := func(p Planned) bool { return row.calledBy(p.Step, p.Phase) && p.Restarts == 0 && p.leaves == nil }
	if !slices.ContainsFunc(plan, unstarted) {
		return plan // as with all shipped steps
	}
	var out []Planned
	for k := range plan {
		p := &plan[k]
		if out = append(out, *p); !unstarted(*p) {
			continue
		}
		out = append(out, Planned{Step: &s.lib.steps[i], Phase: p.Phase, index: i})
	}
	return out
}

// guarded says whether a step stands in plans as the table of safeguards says.
func (l *Library) guarded(id string) bool {
	return slices.ContainsFunc(l.guards, func(g safeguard) bool { return g.step == id })
}

// Cautions are what to mind with the step on a machine: always, what is so on this one,
// and what the table says of what it disturbs.
func (s *Step) Cautions(f *fact.Facts) []string {
	var out []string
	if s.Caution != "" {
		out = append(out, s.Caution)
	}
	for _, w := range s.warnings {
		if t := w.when.Test(f.View()); t == need.True || t == need.Unknown && w.unknown {
			out = append(out, w.say)
		}
	}
	for _, c := range s.precautions {
		if applies(c.unless, c.only, f) {
			out = append(out, c.say)
		}
	}
	return out
}
