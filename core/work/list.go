package work

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Machine is a machine that has something to be done.
type Machine struct {
	ID          int64
	Key, Name   string
	Site        string
	Model       string
	Plan        Plan
	Further     Plan // work that no requirement asks for
	Disposition remedy.Disposition
	Later       time.Time // it is left alone until then; zero: it is not
	SupportEnds time.Time // of what it runs; zero: it is unknown
	Who         string    // who has the work; "": nobody
	Note        string
	Day, Half   string // of the visit; "": none yet, the whole day
}

// Due says whether the machine may be worked on at a time.
func (m *Machine) Due(now time.Time) bool { return !now.Before(m.Later) }

// Visit is what is done at one machine.
type Visit struct {
	*Machine
	Before   Plan // questions that have to be answered first
	Steps    Plan // at the desk
	Minutes  remedy.Minutes
	Restarts int
	Firmware bool // settings of the firmware are changed: one visit for all of them
	Parts    bool // something has to be there first

	repairs bool // see [Plan.repairs]
}

// Stop is the visits at one place.
type Stop struct {
	Site    string
	Visits  []Visit
	Minutes remedy.Minutes
	Parts   int // visits for which something has to be there
	Waiting int // visits to machines that are left alone for now
}

// repairs says whether a plan's part has a remedy: what only prepares or confirms needs
// nobody to come.
func (p Plan) repairs() bool { return slices.ContainsFunc(p, func(s Step) bool { return s.Remedy }) }

// open are machines with work that is known: what is not known of a machine comes first,
// and nobody is sent to one that is replaced.
func open(m *Machine) bool {
	return m.Disposition.Takes()
}

// Visits groups what is done at machines by site, the site with the most work first.
func Visits(machines []Machine, l *remedy.Library, now time.Time) []Stop {
	stops := map[string]*Stop{}
	visits := map[*Step]*Visit{} // by the first step of the plan: machines with the same plan share it
	for i := range machines {
		m := &machines[i]
		if !open(m) || len(m.Plan) == 0 {
			continue
		}
		same := visits[&m.Plan[0]]
		if same == nil {
			same = visitOf(m.Plan, l)
			visits[&m.Plan[0]] = same
		}
		if !same.repairs {
			continue
		}
		v := *same
		v.Machine = m
		stop := stops[m.Site]
		if stop == nil {
			stop = &Stop{Site: m.Site}
			stops[m.Site] = stop
		}
		stop.Visits = append(stop.Visits, v)
		stop.Minutes.Least, stop.Minutes.Most = stop.Minutes.Least+v.Minutes.Least, stop.Minutes.Most+v.Minutes.Most
		if v.Parts {
			stop.Parts++
		}
		if !m.Due(now) {
			stop.Waiting++
		}
	}
	out := make([]Stop, 0, len(stops))
	for _, s := range stops {
		slices.SortFunc(s.Visits, func(a, b Visit) int { return strings.Compare(a.Name, b.Name) })
		out = append(out, *s)
	}
	slices.SortFunc(out, func(a, b Stop) int {
		return cmp.Or(cmp.Compare(len(b.Visits), len(a.Visits)), strings.Compare(a.Site, b.Site))
	})
	return out
}

// visitOf is what is done at a machine with a plan.
func visitOf(plan Plan, l *remedy.Library) *Visit {
	v := &Visit{Steps: plan.In(l, remedy.Desk)}
	v.repairs = v.Steps.repairs()
	for _, s := range plan.In(l, remedy.Remote) {
		if l.Find(s.ID).Question {
			v.Before = append(v.Before, s)
		}
	}
	v.Minutes, v.Restarts = v.Steps.Effort(l)
	for _, s := range v.Steps {
		if d := l.Find(s.ID); d != nil {
			v.Firmware = v.Firmware || d.Setting != ""
			v.Parts = v.Parts || d.Part != ""
		}
	}
	return v
}

// pilotSize is how many machines a step is tried on before the rest.
const pilotSize = 5

// Batch is one step that is done on many machines without going there.
type Batch struct {
	Step     string
	Machines []*Machine
	Pilot    []*Machine // to be done first: at most five, of as many models as there are
	Expected int        // machines on which the effect is not certain
	Waiting  int        // machines that are left alone for now
	Installs bool       // it puts a release on the machines: an intermediate one, or the target on an emptied disk
	Now      int        // of a step that installs: machines on which nothing else comes before it

	Weights map[string]int // of further work: how many machines it has which weight on; nil of a step of plans
}

// FurtherBatches groups further work that needs no visit by step, the one that is required on most
// machines first. Machines whose plan nobody can begin have none.
func FurtherBatches(l *remedy.Library, now time.Time, lists ...[]Machine) []Batch {
	at := map[string]*Batch{}
	for _, machines := range lists {
		for i := range machines {
			m := &machines[i]
			if len(m.Further) == 0 || m.Disposition != remedy.Ready && !open(m) {
				continue
			}
			for _, s := range m.Further {
				d := l.Find(s.ID)
				if d == nil || cmp.Or(s.Phase, d.Phase) == remedy.Desk {
					continue
				}
				b := at[s.ID]
				if b == nil {
					b = &Batch{Step: s.ID, Weights: map[string]int{}}
					at[s.ID] = b
				}
				b.add(m, s, now)
				b.Weights[s.Weight]++
			}
		}
	}
	return sortedBatches(at, now)
}

// add takes a machine into a batch.
func (b *Batch) add(m *Machine, s Step, now time.Time) {
	b.Machines = append(b.Machines, m)
	if s.Expected {
		b.Expected++
	}
	if !m.Due(now) {
		b.Waiting++
	}
}

// Batches groups remedies that need no visit, intermediate releases and clean installations among
// them, what closes unknowns, and questions that have to be answered before a visit, by step; the
// one for the most machines first.
func Batches(machines []Machine, l *remedy.Library, now time.Time) []Batch {
	type kind struct {
		first *Step // of the plan: machines with the same plan share it
		of    remedy.Disposition
	}
	type place struct {
		batch *Batch
		step  Step
		now   bool // nothing else comes before it
	}
	at := map[string]*Batch{}
	places := func(m *Machine) (out []place) {
		for _, s := range m.Plan {
			d := l.Find(s.ID)
			if d == nil {
				continue
			}
			puts := installs(s, d)
			if phase := cmp.Or(s.Phase, d.Phase); phase != remedy.Remote && phase != remedy.Host && !puts {
				continue
			}
			if closes := len(d.Closes) > 0 && m.Disposition == remedy.Undetermined; !closes &&
				!((s.Remedy || d.Question) && open(m)) {
				continue
			}
			if at[s.ID] == nil {
				at[s.ID] = &Batch{Step: s.ID, Installs: puts}
			}
			out = append(out, place{at[s.ID], s, puts && m.Plan.OnlyWay(l)})
		}
		return out
	}
	known := map[kind][]place{}
	for i := range machines {
		m := &machines[i]
		if len(m.Plan) == 0 {
			continue
		}
		k := kind{&m.Plan[0], m.Disposition}
		list, ok := known[k]
		if !ok {
			list = places(m)
			known[k] = list
		}
		for p := range list {
			list[p].batch.add(m, list[p].step, now)
			if list[p].now {
				list[p].batch.Now++
			}
		}
	}
	return sortedBatches(at, now)
}

// sortedBatches are batches with their pilots, what is required on most machines first, then those with most
// machines.
func sortedBatches(at map[string]*Batch, now time.Time) []Batch {
	out := make([]Batch, 0, len(at))
	for _, b := range at {
		slices.SortFunc(b.Machines, func(a, c *Machine) int { return strings.Compare(a.Name, c.Name) })
		b.Pilot = pilot(b.Machines, now)
		out = append(out, *b)
	}
	slices.SortFunc(out, func(a, b Batch) int {
		return cmp.Or(b.Weights[release.Required]-a.Weights[release.Required], len(b.Machines)-len(a.Machines),
			strings.Compare(a.Step, b.Step))
	})
	return out
}

// pilot picks machines to try a step on: of models not tried yet first, and none that is
// left alone. A few machines need no pilot.
func pilot(machines []*Machine, now time.Time) []*Machine {
	if len(machines) <= pilotSize {
		return nil
	}
	var out []*Machine
	models := map[string]bool{}
	for _, again := range []bool{false, true} {
		for _, m := range machines {
			if len(out) < pilotSize && m.Due(now) && (again || !models[m.Model]) && !slices.Contains(out, m) {
				models[m.Model] = true
				out = append(out, m)
			}
		}
	}
	return out
}
