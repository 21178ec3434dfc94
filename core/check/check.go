// Package check decides which requirements of a release a machine meets, from
// its facts. It ends at findings; what it takes to settle them is package
// remedy's.
package check

import (
	"fmt"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// Outcome of one requirement on one machine.
type Outcome uint8

// The outcomes. An unknown is never a pass and never a fail.
const (
	Pass Outcome = iota
	Fail
	Unknown
	NotApplicable
)

var outcomeNames = [...]string{"pass", "fail", "unknown", "not-applicable"}

func (o Outcome) String() string { return outcomeNames[o] }

// Letter is the outcome in one byte, as results are stored.
func (o Outcome) Letter() byte { return "pfun"[o] }

// Finding is the judgement of one requirement. It holds evidence and no
// sentences.
type Finding struct {
	Requirement *release.Requirement
	Outcome     Outcome
	Applies     need.Truth // Unknown where the condition cannot be decided
	Conflict    bool       // two sources disagree on a fact it reads
	Advised     need.Truth // of the higher, advised value; True where there is none
	Evidence    []Evidence // of the condition first, then of the need
}

// Evidence is one comparison with what it was made on.
type Evidence struct {
	Leaf      need.Leaf
	Truth     need.Truth
	Reading   *fact.Reading
	Match     *list.Match // for comparisons with a list
	Condition bool        // it belongs to the condition
}

// Result is the judgement of all requirements of a release on one machine.
type Result struct {
	Release  *release.Release
	Facts    *fact.Facts // with the gaps filled that a list row fills
	Part     list.Match  // the machine's processor on the release's list
	Findings []Finding   // in the order of the document
	Read     int         // of the facts that the musts need, how many are known
}

// WrongClass is the refusal of a machine that the release is not for.
type WrongClass struct {
	Machine, Release string
	Class, Wants     string
}

func (e *WrongClass) Error() string {
	kinds := map[string]string{fact.PC: "a PC", fact.Mac: "a Mac"}
	return fmt.Sprintf("%s is %s, and %s installs on %ss only", e.Machine, kinds[e.Class], e.Release, kinds[e.Wants][2:])
}

// Prepare fills gaps from the row of the release's processor list that the
// machine's processor matches; the row is then their source. f is not changed.
func Prepare(rel *release.Release, f *fact.Facts) (*fact.Facts, list.Match) {
	l, name := rel.ProcessorList(), f.Value(fact.ProcessorName)
	if l == nil || !name.Known() {
		return f, list.Match{}
	}
	m := l.Find(name.Text())
	carries := m.Carries()
	if len(carries) == 0 {
		return f, m
	}
	g := *f
	for _, c := range carries {
		if c.ID == fact.ProcessorTPM && f.Guest() {
			continue // a guest has the TPM that its host gives it, not the processor's
		}
		if seen := g.Value(fact.ProcessorFeatures); c.ID == fact.ProcessorFeatures && seen.Known() {
			g.Set(fact.ProcessorFeaturesOff, fact.Items(need.Missing(c.Value.Set(), seen)), "the list "+l.ID+", "+m.Name)
		}
		if r := g.Get(c.ID); !r.Value.Known() && len(r.Others) == 0 {
			g.Set(c.ID, c.Value, "the list "+l.ID+", "+m.Name)
		}
	}
	return &g, m
}

// Run judges every requirement. The error is [*WrongClass].
func Run(rel *release.Release, f *fact.Facts) (*Result, error) {
	if class := f.Class(); class != "" && class != rel.InstallsOn {
		name := f.Value(fact.DeviceName).Text()
		if name == "" {
			name = "this machine"
		}
		return nil, &WrongClass{name, rel.Name, class, rel.InstallsOn}
	}
	facts, part := Prepare(rel, f)
	res := &Result{Release: rel, Facts: facts, Part: part, Findings: make([]Finding, len(rel.Requirements))}
	for i := range rel.Requirements {
		res.Findings[i] = finding(&rel.Requirements[i], facts)
	}
	for _, id := range rel.Needed {
		if facts.Value(id).Known() {
			res.Read++
		}
	}
	return res, nil
}

func finding(q *release.Requirement, f *fact.Facts) Finding {
	fd := Finding{Requirement: q, Advised: need.True}
	fd.Outcome, fd.Applies = Judge(q, f)
	if q.When != nil {
		fd.Evidence = gather(fd.Evidence, q.When, f, true)
	}
	fd.Evidence = gather(fd.Evidence, q.Need, f, false)
	for i := range fd.Evidence {
		fd.Conflict = fd.Conflict || len(fd.Evidence[i].Reading.Others) > 0
	}
	if q.Advised != nil {
		fd.Advised = Decide(q.Advised, f)
	}
	return fd
}

func gather(out []Evidence, n need.Need, f *fact.Facts, condition bool) []Evidence {
	for l := range n.Leaves() {
		e := Evidence{Leaf: l, Truth: Decide(l, f), Reading: f.Get(l.Fact()), Condition: condition}
		if on, ok := l.(*need.Listed); ok && e.Reading.Value.Known() {
			m := on.List.Find(e.Reading.Value.Text())
			e.Match = &m
		}
		out = append(out, e)
	}
	return out
}

// Judge decides one requirement, without evidence. Applies is the truth of its
// condition.
func Judge(q *release.Requirement, f *fact.Facts) (o Outcome, applies need.Truth) {
	applies = need.True
	if q.When != nil {
		applies = Decide(q.When, f)
	}
	if applies == need.False || !exists(q.Need, f.Class()) {
		return NotApplicable, applies
	}
	switch t := Decide(q.Need, f); {
	case t == need.True:
		return Pass, applies // whether or not it applies
	case t == need.False && applies == need.True:
		return Fail, applies
	}
	return Unknown, applies
}

// exists says whether hardware of the class has any of the facts.
func exists(n need.Need, class string) bool {
	for l := range n.Leaves() {
		if l.Fact().Def().Has(class) {
			return true
		}
	}
	return false
}

// mostReadings bounds the combinations of disagreeing sources that are tried;
// beyond it the answer is unknown.
const mostReadings = 64

// Decide tests a need. Where sources disagree on a fact it reads, it tests
// under each reading: the same answer under all is the answer, otherwise it is
// unknown.
func Decide(n need.Need, f *fact.Facts) need.Truth {
	for l := range n.Leaves() {
		if len(f.Get(l.Fact()).Others) > 0 {
			return decideEach(n, f)
		}
	}
	return n.Test(f)
}

func decideEach(n need.Need, f *fact.Facts) need.Truth {
	worlds := []*fact.Facts{f}
	for _, id := range need.Facts(n) {
		others := f.Get(id).Others
		if len(others) == 0 {
			continue
		}
		if len(worlds)*len(others) > mostReadings {
			return need.Unknown
		}
		var next []*fact.Facts
		for _, w := range worlds {
			for _, o := range others {
				next = append(next, w.With(id, o.Value, o.Source))
			}
		}
		worlds = next
	}
	first := n.Test(worlds[0])
	for _, w := range worlds[1:] {
		if n.Test(w) != first {
			return need.Unknown
		}
	}
	return first
}
