package assess

import (
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
)

// Judge decides for machine after machine of a fleet what is kept of a check:
// the same as [Run] would decide, without evidence and without a plan. Machines
// with the same kind of trouble are decided once. A Judge is not for concurrent
// use; its memory is bounded.
type Judge struct {
	rel      *release.Release
	base     *knowledge.Base
	known    map[string]Judgement
	key      []byte
	outcomes []byte
}

// Judgement is what is kept of a check.
type Judgement struct {
	Disposition remedy.Disposition
	Publisher   remedy.Disposition // by the publisher's requirements alone
	Confirmed   bool
	Fails       int    // musts that fail; of a machine that is done, those that make it unsupported
	Sole        string // the only one, where it is one
	Outcomes    string // a letter for each requirement, see [check.Outcome.Letter]
	Way         string // to the release, one of [release.Ways]
	Plan        string // the steps, as [work.Plan] writes them
}

// NewJudge makes a judge for a release.
func NewJudge(m *knowledge.Base, rel *release.Release) *Judge {
	return &Judge{base: m, rel: rel, known: map[string]Judgement{}}
}

// maxKnown bounds how many kinds of machine are remembered.
const maxKnown = 1 << 15

// Judge decides for a machine of the release's class. f is filled from the
// release and must not be used with another one afterwards. waived are the ids of
// requirements that may fail.
func (j *Judge) Judge(f *fact.Facts, waived ...string) (Judgement, error) {
	j.Outcomes(f)
	return j.Rest(f, waived...)
}

// Outcomes are the outcomes of a machine of the release's class, a letter each, which
// [Judge.Rest] decides on. f is filled from the release and must not be used with another
// one afterwards. They are good until the next call.
func (j *Judge) Outcomes(f *fact.Facts) []byte {
	j.base.Guides.Fill(f)
	j.outcomes = check.Outcomes(j.rel, f, j.outcomes[:0])
	return j.outcomes
}

// Rest decides on the facts that Outcomes was called with last. waived are the ids of
// requirements that may fail.
func (j *Judge) Rest(f *fact.Facts, waived ...string) (Judgement, error) {
	if f.Conflicting() { // rare, and not told apart by the key
		return Decide(j.base, j.rel, f, waived...)
	}
	j.key = j.base.Steps.Key(j.key[:0], j.rel, f, j.outcomes, j.rel.PathsFrom(f))
	for _, id := range waived {
		j.key = append(append(j.key, '\n'), id...)
	}
	if got, ok := j.known[string(j.key)]; ok {
		return got, nil
	}
	got, err := Decide(j.base, j.rel, f, waived...)
	if err != nil {
		return Judgement{}, err
	}
	if len(j.known) >= maxKnown {
		clear(j.known)
	}
	j.known[string(j.key)] = got
	return got, nil
}

// Decide decides for one machine by a whole check, without remembering. waived are
// the ids of requirements that may fail. The error is [*check.WrongClass].
func Decide(m *knowledge.Base, rel *release.Release, f *fact.Facts, waived ...string) (Judgement, error) {
	m.Guides.Fill(f)
	res, err := check.Run(rel, f)
	if err != nil {
		return Judgement{}, err
	}
	res.Waive(waived...)
	return decided(solved(m, res)), nil
}

func decided(a *Assessment) Judgement {
	g := Judgement{
		Disposition: a.Verdict.Disposition,
		Publisher:   a.Verdict.Disposition,
		Confirmed:   a.Verdict.Confirmed,
		Outcomes:    a.Outcomes(),
		Way:         a.Verdict.Route,
		Plan:        work.Text(work.Of(&a.Verdict), work.OfFurther(a.Knowledge.Steps.Further(a.Result, &a.Verdict))),
	}
	if a.Publisher != nil {
		g.Publisher = a.Publisher.Disposition
	}
	if g.Fails, g.Sole = a.Fails(); g.Disposition == remedy.Done {
		g.Fails, g.Sole = len(a.Verdict.Unsupported), "" // nothing stands in its way
	}
	return g
}

// Judgement is what is kept of the check.
func (a *Assessment) Judgement() Judgement { return decided(a) }

// Answer is the sentence on what a machine takes, from its facts alone.
func Answer(m *knowledge.Base, rel *release.Release, f *fact.Facts, waived ...string) string {
	m.Guides.Fill(f)
	res, err := check.Run(rel, f)
	if err != nil {
		return say.Sentence(err.Error())
	}
	res.Waive(waived...)
	v := m.Steps.Solve(res, nil)
	return say.Answer(&v, rel)
}
