package remedy

import (
	"slices"

	"rolltop.example/rolltop/core/fact"
)

// Disposition is what it takes, from the least to the most. Undetermined is
// apart from that order.
type Disposition uint8

// The dispositions.
const (
	Done        Disposition = iota // it runs the target or a later release
	Ready                          // every must is met
	Reconfigure                    // settings or software, no parts
	Refit                          // a part, which the machine takes
	Decide                         // no step is known, or it installs and is unsupported: a person decides
	Replace                        // proven: what nothing changes fails
	Undetermined
)

var dispositionNames = [...]string{"done", "ready", "reconfigure", "refit", "decide", "replace", "undetermined"}

func (d Disposition) String() string { return dispositionNames[d] }

// Dispositions lists all of them by name, in their order.
func Dispositions() []string { return dispositionNames[:] }

// DispositionOf finds one by its name.
func DispositionOf(name string) (Disposition, bool) {
	i := slices.Index(dispositionNames[:], name)
	return Disposition(max(i, 0)), i >= 0
}

// Takes says whether somebody has to do something on the machine, and can.
func (d Disposition) Takes() bool { return d == Reconfigure || d == Refit }

// Futile says whether nobody is sent to the machine: its settings and parts do not
// help it, or nobody has decided yet what becomes of it.
func (d Disposition) Futile() bool { return d == Done || d == Decide || d == Replace }

func (c Class) disposition() Disposition {
	switch {
	case c == NoClass:
		return Ready
	case c < Part:
		return Reconfigure
	case c == Part:
		return Refit
	case c == Decision:
		return Decide
	}
	return Replace
}

// Verdict is what it takes for one machine.
type Verdict struct {
	Disposition Disposition
	Best, Worst Disposition // the hull of what is possible; they differ where something is not certain
	Confirmed   bool        // the hull is a single point
	Bases       []Basis     // what an expected verdict rests on
	Waived      []string    // requirements that fail and are accepted
	Route       string      // release.InPlace, ByInterim, Image or Reinstall
	Through     string      // the intermediate releases
	Keeps       []string    // what stays: programs, files, settings; nothing where the route is not known
	Back        int         // for how many days the release itself can go back; 0 where nothing says so
	RouteKnown  bool
	Astray      bool // a Mac that does not run a Mac system: what it is meant to run is asked first
	Foreign     bool // another system runs on it; nothing is kept of it
	Planned     bool // nobody has the machine yet
	NoEdition   bool // the installed edition becomes none of the release's, and the way would keep it
	Guest       bool // a virtual machine: settings of the host, never a visit
	Plan        []Planned
	NoRemedy    []string  // requirements that no known step settles
	Proven      []string  // of these, the ones that prove that the machine cannot take the release
	Withheld    []Planned // what would have been done for the rest, and is futile or has to wait
	Open        []string  // unknown requirements that no step of the plan settles
	Unsupported []string  // on a machine that runs the target: what it fails of the publisher's
	// Other is the other route, where an intermediate release asks for something that
	// fails: it is left out by installing afresh.
	Other *Verdict
}

// Basis is one thing that an expected verdict rests on: a fact with its reading, or
// where no fact says so, that a step is only a try.
type Basis struct {
	Step    *Step // whose effect is not certain; nil where it is the route
	Fact    *fact.Def
	Reading *fact.Reading
}

// Planned is a step in a machine's plan.
type Planned struct {
	*Step
	Phase    string     // where it is done: Remote, Desk, Host or Install
	Settles  []string   // requirements
	NeededOf fact.ID    // the fact of which something is needed; 0 where nothing is
	Needed   fact.Value // what “needed” stands for; not known where the step needs nothing
	Amounts  []Amount   // of everything that is needed
	Short    float64    // how much of it is missing; 0 where not known
	Expected bool       // its effect is not certain
	Weight   string     // of further work, see [release.Required]; "" of a step of the plan
	dangles  bool       // what it leaves to be done may not be possible
	index    int
}

// Amount is how much of something a step has to bring.
type Amount struct {
	Fact  fact.ID
	Value fact.Value
}

// Counts says whether the step is a remedy here: one that stands in every plan
// is none where it settles nothing, unless it takes a part.
func (p *Planned) Counts() bool { return p.Always == nil || p.Class == Part || len(p.Settles) > 0 }
