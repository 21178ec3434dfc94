// Package check decides which requirements of a release a machine meets, from
// its facts. It ends at findings; what it takes to settle them is package
// remedy's.
//
// [Run] judges with all evidence, for somebody who looks at a machine.
// [Outcomes] judges without, for judging fleets; the outcomes are the same.
package check

import (
	"fmt"
	"slices"
	"sync"

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
	Waived // it fails, and somebody with the right to say so accepts that until a date
)

var outcomeNames = [...]string{"pass", "fail", "unknown", "not-applicable", "waived"}

func (o Outcome) String() string { return outcomeNames[o] }

// Letter is the outcome in one byte, as results are stored.
func (o Outcome) Letter() byte { return "pfunw"[o] }

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
	Match     *list.Match // for comparisons with a list of the release
	Condition bool        // it belongs to the condition
	Not       bool        // it stands below a “not”: the need asks for the opposite
	Row       string      // for a row of a list of the machine: what the row is called
	At        int         // for a row: its position
}

// For is the truth of the comparison for the need it is part of: of one below a “not”
// the opposite.
func (e *Evidence) For() need.Truth {
	if e.Not {
		return -e.Truth
	}
	return e.Truth
}

// Result is the judgement of all requirements of a release on one machine.
type Result struct {
	Release  *release.Release
	Facts    *fact.Facts  // with the gaps filled that the release fills
	Part     list.Match   // the machine's processor on the release's list
	Path     release.Path // from the installed system to the release: the shortest that is possible
	Findings []Finding    // in the order of the release
	Read     int          // of the facts that the musts need, how many are known
}

// WrongClass is the refusal of a machine that the release is not for.
type WrongClass struct {
	Machine, Release string
	Class, Wants     string
}

func (e *WrongClass) Error() string {
	kinds := map[string]string{fact.PC: "a PC", fact.Mac: "a Mac"}
	return fmt.Sprintf("%s is %s, and %s installs on %ss only", e.Machine, kinds[e.Class], e.Release,
		kinds[e.Wants][2:])
}

// Run judges every requirement, with all evidence. f is not changed. The error
// is [*WrongClass].
func Run(rel *release.Release, f *fact.Facts) (*Result, error) {
	if class := f.Class(); class != "" && class != rel.InstallsOn {
		name := f.Value(fact.DeviceName).Text()
		if name == "" {
			name = "this machine"
		}
		return nil, &WrongClass{name, rel.Name, class, rel.InstallsOn}
	}
	facts := f.Clone()
	res := &Result{Release: rel, Facts: facts, Part: Fill(rel, facts), Findings: make([]Finding, len(rel.Requirements))}
	paths := rel.PathsFrom(facts)
	res.Path = paths[0]
	room := 0
	for i := range rel.Requirements {
		room += rel.Requirements[i].Comparisons()
	}
	evidence := make([]Evidence, 0, room) // of all findings; a look at rows may need more
	for i := range rel.Requirements {
		fd := &res.Findings[i]
		fd.judge(&rel.Requirements[i], facts, paths)
		from := len(evidence)
		if fd.Requirement.When != nil {
			evidence = collect(evidence, fd.Requirement.When, facts.View(), facts, Evidence{Condition: true})
		}
		evidence = collect(evidence, fd.Requirement.Need, facts.View(), facts, Evidence{})
		fd.Evidence = evidence[from:len(evidence):len(evidence)]
		for j := range fd.Evidence {
			fd.Conflict = fd.Conflict || len(fd.Evidence[j].Reading.Others()) > 0
		}
	}
	for _, id := range rel.Needed {
		if facts.Value(id).Known() {
			res.Read++
		}
	}
	return res, nil
}

func (fd *Finding) judge(q *release.Requirement, f *fact.Facts, paths []release.Path) {
	fd.Requirement, fd.Advised = q, need.True
	fd.Outcome, fd.Applies = judge(q, f, paths, f.Class())
	if q.Advised != nil {
		fd.Advised = Decide(q.Advised, f)
	}
}

// collect walks a need and never stops short: everything shows from the first
// run. like carries what the evidence has in common.
func collect(out []Evidence, n need.Need, v fact.View, f *fact.Facts, like Evidence) []Evidence {
	switch x := n.(type) {
	case *need.AllOf:
		for _, p := range x.Parts {
			out = collect(out, p, v, f, like)
		}
	case *need.AnyOf:
		if asks, then := x.Conditional(); asks != nil {
			// What the row of another name asks for says nothing of this machine.
			if asks.Test(v) != need.False {
				out = collect(out, then, v, f, like)
			}
			return out
		}
		for _, p := range x.Parts {
			out = collect(out, p, v, f, like)
		}
	case *need.NotOf:
		like.Not = !like.Not
		out = collect(out, x.Part, v, f, like)
	case *need.Each:
		out = append(out, leafEvidence(x, v, f, like))
		for i := range f.Rows(x.Group) {
			row := like
			row.Row, row.At = f.RowName(x.Group, i), i
			out = collect(out, x.Part, f.Row(x.Group, i), f, row)
		}
	case need.Leaf:
		out = append(out, leafEvidence(x, v, f, like))
	}
	return out
}

func leafEvidence(l need.Leaf, v fact.View, f *fact.Facts, like Evidence) Evidence {
	e := like
	e.Leaf, e.Reading = l, v.Get(l.Fact())
	if e.Row == "" {
		e.Truth = Decide(l, f)
	} else {
		e.Truth = l.Test(v)
	}
	if on, ok := l.(*need.Listed); ok && e.Reading.Value.Known() {
		m := on.List.Find(e.Reading.Value.Text())
		e.Match = &m
	}
	return e
}

// Outcomes appends one letter for each requirement to out, as [Finding]s of
// [Run] would have them. f is filled from the release, see [Fill], and must
// not be used with another release afterwards.
func Outcomes(rel *release.Release, f *fact.Facts, out []byte) []byte {
	Fill(rel, f)
	var paths []release.Path
	if len(rel.Interims) > 0 {
		paths = rel.PathsFrom(f)
	}
	class := f.Class()
	for i := range rel.Requirements {
		o, _ := judge(&rel.Requirements[i], f, paths, class)
		out = append(out, o.Letter())
	}
	return out
}

// Waive accepts failing requirements, by their ids. What was found stays as evidence.
func (r *Result) Waive(ids ...string) {
	for i := range r.Findings {
		fd := &r.Findings[i]
		if fd.Outcome == Fail && slices.Contains(ids, fd.Requirement.ID) && fd.Requirement.Waivable() {
			fd.Outcome = Waived
		}
	}
}

// Judge decides one requirement, without evidence, for a machine that takes one of
// some paths to the release. Applies is the truth of the requirement's condition.
func Judge(q *release.Requirement, f *fact.Facts, paths []release.Path) (o Outcome, applies need.Truth) {
	return judge(q, f, paths, f.Class())
}

// onTheWay says whether a machine goes by the intermediate release that asks for
// something. Where several paths are possible, it may.
func onTheWay(x *release.Interim, paths []release.Path) need.Truth {
	t := need.False
	for i := range paths {
		if paths[i].By(x) {
			t = max(t, min(paths[i].Truth, need.Unknown))
			if len(paths) == 1 {
				t = paths[i].Truth
			}
		}
	}
	return t
}

func judge(q *release.Requirement, f *fact.Facts, paths []release.Path, class string) (o Outcome, applies need.Truth) {
	applies = need.True
	if q.Interim != nil {
		applies = onTheWay(q.Interim, paths)
	}
	if q.When != nil && applies != need.False {
		applies = min(applies, Decide(q.When, f))
	}
	if applies == need.False || !q.On(class) {
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

// maxReadings bounds the combinations of disagreeing sources that are tried;
// beyond it the answer is unknown.
const maxReadings = 64

// Decide tests a need. Where sources disagree on a fact it reads, it tests
// under each reading: the same answer under all is the answer, otherwise it is
// unknown.
func Decide(n need.Need, f *fact.Facts) need.Truth {
	if f.Conflicting() {
		return decideEach(n, f)
	}
	return n.Test(f.View())
}

func decideEach(n need.Need, f *fact.Facts) need.Truth {
	var ids []fact.ID
	count := 1
	need.SomeLeaf(n, func(l need.Leaf) bool {
		id := l.Fact()
		if id.Group() != fact.NoGroup || slices.Contains(ids, id) {
			return false
		}
		if k := len(f.Get(id).Others()); k > 0 {
			ids, count = append(ids, id), count*k
		}
		return false
	})
	switch {
	case ids == nil:
		return n.Test(f.View()) // it reads nothing that sources disagree on
	case count > maxReadings:
		return need.Unknown
	}
	g := copies.Get().(*fact.Facts)
	defer copies.Put(g)
	*g = *f
	return underEach(n, f, g, ids)
}

// copies are facts to try readings on: a plan asks often.
var copies = sync.Pool{New: func() any { return new(fact.Facts) }}

// underEach tests a need on g under each combination of the readings that f has of facts.
func underEach(n need.Need, f, g *fact.Facts, ids []fact.ID) need.Truth {
	if len(ids) == 0 {
		return n.Test(g.View())
	}
	var all need.Truth
	for i, o := range f.Get(ids[0]).Others() {
		g.Set(ids[0], o.Value, o.Source)
		t := underEach(n, f, g, ids[1:])
		if i > 0 && t != all {
			return need.Unknown
		}
		all = t
	}
	return all
}
