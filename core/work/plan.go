// Package work plans the way of a whole fleet: what to do first for the most effect,
// who goes where, what is bought, what is asked once for many machines.
package work

import (
	"cmp"
	"strings"

	"rolltop.example/rolltop/core/remedy"
)

// Plan is the plan of a machine as a fleet keeps it: which steps, in which order.
// Words, sites and parts are worked out again for the machine that somebody opens.
type Plan []Step

// Step is a step of a plan.
type Step struct {
	ID       string
	Remedy   bool   // something fails without it
	Expected bool   // its effect is not certain
	Phase    string // where it is done, of a step that is done where others are; otherwise ""
	Weight   string // of further work; otherwise ""
}

// Marks of a step in the text of a plan. No id of a step has them.
const (
	remedyMark   = "*"
	expectedMark = "?"
	phaseMark    = "@"
	weightMark   = "="
	furtherMark  = "|" // between the plan and further work
)

// Of is the plan of a verdict.
func Of(v *remedy.Verdict) Plan {
	out := make(Plan, 0, len(v.Plan))
	for i := range v.Plan {
		s := &v.Plan[i]
		// Another system that is replaced anyway repairs nothing.
		needed := s.Class != remedy.NoClass && s.Counts() && v.Disposition > remedy.Ready
		one := Step{ID: s.ID, Remedy: needed, Expected: s.Expected}
		if s.Phase != s.Step.Phase {
			one.Phase = s.Phase
		}
		out = append(out, one)
	}
	return out
}

// OfFurther is further work, in the form of a plan.
func OfFurther(steps []remedy.Planned) Plan {
	out := make(Plan, 0, len(steps))
	for i := range steps {
		s := &steps[i]
		one := Step{ID: s.ID, Expected: s.Expected, Weight: s.Weight}
		if s.Phase != s.Step.Phase {
			one.Phase = s.Phase
		}
		out = append(out, one)
	}
	return out
}

// Text writes a plan with further work behind it; [Parse] and [ParseFurther] read it.
func Text(plan, further Plan) string {
	if len(further) == 0 {
		return plan.String()
	}
	return strings.TrimSpace(plan.String() + " " + furtherMark + " " + further.String())
}

// String writes a plan: backup free-space* tpm-on*? check-again@desk. [Parse] reads it.
func (p Plan) String() string {
	var b strings.Builder
	for i, s := range p {
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(s.ID)
		if s.Remedy {
			b.WriteString(remedyMark)
		}
		if s.Expected {
			b.WriteString(expectedMark)
		}
		if s.Phase != "" {
			b.WriteString(phaseMark + s.Phase)
		}
		if s.Weight != "" {
			b.WriteString(weightMark + s.Weight)
		}
	}
	return b.String()
}

// Parse reads the plan of what [Text] or String wrote.
func Parse(text string) Plan {
	plan, _, _ := strings.Cut(text, furtherMark)
	return parse(plan)
}

// ParseFurther reads the further work of what [Text] wrote.
func ParseFurther(text string) Plan {
	_, further, _ := strings.Cut(text, furtherMark)
	return parse(further)
}

func parse(text string) Plan {
	var out Plan
	for _, id := range strings.Fields(text) {
		var s Step
		id, s.Weight, _ = strings.Cut(id, weightMark)
		id, s.Phase, _ = strings.Cut(id, phaseMark)
		id, s.Expected = strings.CutSuffix(id, expectedMark)
		s.ID, s.Remedy = strings.CutSuffix(id, remedyMark)
		out = append(out, s)
	}
	return out
}

// Has says whether a step is in the plan.
func (p Plan) Has(id string) bool {
	for i := range p {
		if p[i].ID == id {
			return true
		}
	}
	return false
}

// Remedies are the steps without which something fails.
func (p Plan) Remedies() []string {
	var out []string
	for _, s := range p {
		if s.Remedy {
			out = append(out, s.ID)
		}
	}
	return out
}

// OnlyWay says that the remedies of the plan are nothing but its way: intermediate releases, or a clean installation
// that needs no other change, and that their effect is certain.
func (p Plan) OnlyWay(l *remedy.Library) bool {
	some := false
	for _, s := range p {
		if !s.Remedy {
			continue
		}
		if d := l.Find(s.ID); d == nil || s.Expected || !installs(s, d) {
			return false
		}
		some = true
	}
	return some
}

// installs says that a step puts a release on a machine and needs nobody at its firmware: an intermediate release, or a
// clean installation.
func installs(s Step, d *remedy.Step) bool {
	return (d.Class == remedy.Interim || d.Class == remedy.Afresh) && cmp.Or(s.Phase, d.Phase) == remedy.Install
}

// Certain says whether all of its remedies are.
func (p Plan) Certain() bool {
	for _, s := range p {
		if s.Remedy && s.Expected {
			return false
		}
	}
	return true
}

// Effort is how long the steps of a plan take, and with how many restarts. Steps that
// the library no longer has take none.
func (p Plan) Effort(l *remedy.Library) (m remedy.Minutes, restarts int) {
	for _, s := range p {
		if d := l.Find(s.ID); d != nil {
			m.Least, m.Most, restarts = m.Least+d.Minutes.Least, m.Most+d.Minutes.Most, restarts+d.Restarts
		}
	}
	return m, restarts
}

// In is the part of a plan that is done in one phase, as remedy.Desk.
func (p Plan) In(l *remedy.Library, phase string) Plan {
	var out Plan
	for _, s := range p {
		if d := l.Find(s.ID); d != nil && cmp.Or(s.Phase, d.Phase) == phase {
			out = append(out, s)
		}
	}
	return out
}
