package remedy

import (
	"slices"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// Disposition is what it takes, from the least to the most. Undetermined is
// apart from that order.
type Disposition uint8

// The dispositions.
const (
	Ready Disposition = iota
	Reconfigure
	Refit
	Replace
	Undetermined
)

var dispositionNames = [...]string{"ready", "reconfigure", "refit", "replace", "undetermined"}

func (d Disposition) String() string { return dispositionNames[d] }

// Dispositions lists all of them by name, in their order.
func Dispositions() []string { return dispositionNames[:] }

// DispositionOf finds one by its name.
func DispositionOf(name string) (Disposition, bool) {
	i := slices.Index(dispositionNames[:], name)
	return Disposition(max(i, 0)), i >= 0
}

func (c Class) disposition() Disposition {
	switch {
	case c == NoClass:
		return Ready
	case c < Part:
		return Reconfigure
	case c == Part:
		return Refit
	}
	return Replace
}

// Verdict is what it takes for one machine.
type Verdict struct {
	Disposition Disposition
	Best, Worst Disposition // differ where something is not certain
	Confirmed   bool        // whether it rests on facts alone
	RestsOn     []string    // what an expected verdict rests on
	Waived      []string    // requirements that fail and are accepted
	Route       string      // release.InPlace, ByInterim, Image or Reinstall
	Through     string      // the releases between
	Keeps       []string    // what stays: programs, files, settings
	RouteKnown  bool
	Foreign     bool // another system runs on it; nothing is kept of it
	Guest       bool // a virtual machine: settings of the host, never a visit
	Plan        []Planned
	NoRemedy    []string  // requirements that nothing on this machine can settle
	Withheld    []Planned // on a machine to replace: what would have been done for the rest, and is futile
	Open        []string  // unknown requirements that no step of the plan settles
	// Other is the other route, where a release between asks for something that
	// fails: it is left out by installing afresh.
	Other *Verdict
}

// Planned is a step in a machine's plan.
type Planned struct {
	*Step
	Settles  []string   // requirements
	NeededOf fact.ID    // the fact of which something is needed; 0 where nothing is
	Needed   fact.Value // what “needed” stands for; not known where the step needs nothing
	Short    float64    // how much of it is missing; 0 where not known
	Expected bool       // its effect is not certain
	index    int
}

// Counts says whether the step is a remedy here: one that stands in every plan
// is none where it settles nothing.
func (p *Planned) Counts() bool { return p.Always == nil || len(p.Settles) > 0 }

// sum turns what was chosen and what was left into the verdict.
func (v *Verdict) sum(s *solver, left, unknown []*check.Finding, nothingFails bool) {
	most := NoClass
	for _, c := range s.chosen {
		if v.Foreign && nothingFails && c.ID == "reinstall" || !c.Counts() {
			continue // another system is replaced anyway; that repairs nothing
		}
		most = max(most, c.Class)
	}
	if v.Route == release.ByInterim {
		most = max(most, Interim)
	}
	v.Confirmed = true
	v.Best, v.Worst = most.disposition(), max(most, s.worst).disposition()
	for _, c := range s.chosen {
		v.Confirmed = v.Confirmed && (!c.Expected || !c.Counts())
	}
	v.RestsOn = s.rests
	if len(left) > 0 {
		v.Disposition, v.Best, v.Worst = Replace, Replace, Replace
		v.Confirmed = false
		for _, fd := range left {
			v.NoRemedy = append(v.NoRemedy, fd.Requirement.ID)
			v.Confirmed = v.Confirmed || !restsOnAbsence(fd)
		}
		v.RestsOn = nil
		if !v.Confirmed {
			v.RestsOn = []string{"the system seeing none, which does not prove that there is none"}
		}
		return
	}
	for _, fd := range unknown {
		if fd.Applies == need.True && fd.Requirement.Need.Test(s.sim.View()) == need.True {
			s.settled(fd) // where a step only assumes it, the step is expected already
			continue
		}
		v.Open = append(v.Open, fd.Requirement.ID)
		v.Worst = max(v.Worst, s.worstOf(fd).disposition())
	}
	v.Disposition = v.Best
	if len(v.Open) > 0 || s.doubt {
		v.Disposition, v.Confirmed = Undetermined, false
	}
	if !v.RouteKnown && v.Disposition != Undetermined {
		v.Confirmed = false
		v.RestsOn = append(v.RestsOn, "the installed release, which is not known for certain")
	}
}

// restsOnAbsence: a TPM that is not seen fails the requirement, and nothing
// that is known does.
func restsOnAbsence(fd *check.Finding) bool {
	for _, e := range fd.Evidence {
		if e.Truth == need.False && !(e.Leaf.Fact() == fact.TPMState && e.Reading.Value.Text() == "not-seen") {
			return false
		}
	}
	return true
}
