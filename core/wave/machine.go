package wave

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/work"
)

// Machine is a machine in a wave, with what it gets.
type Machine struct {
	work.MachineRef
	Day         string    `json:"day,omitempty" doc:"Day of its upgrade"`
	Outcome     string    `json:"outcome" enum:"waiting,handed-off,arrived,failed,back"`
	Reason      string    `json:"reason,omitempty" doc:"Why it failed, or why it cannot be handed off now"`
	Refused     bool      `json:"refused,omitempty" doc:"It cannot be handed off now"`
	Way         string    `json:"way,omitempty"`
	Edition     string    `json:"edition,omitempty"`
	Package     string    `json:"package,omitempty"`
	File        string    `json:"file,omitempty"`
	SHA256      string    `json:"sha256,omitempty"`
	ByName      string    `json:"by_name,omitempty" doc:"Who admitted it despite a waived requirement"`
	Prepare     []string  `json:"prepare,omitempty" doc:"What must still be done first"`
	Hops        []Hop     `json:"hops,omitempty" doc:"For a machine that goes by intermediate releases: each release on its way, the target last"`
	Loses       []string  `json:"loses,omitempty" doc:"Applications that the upgrade removes"`
	HandedOffAt time.Time `json:"handed_off_at,omitzero"`
}

// Hop is a release on the way of a machine, with what is installed there.
type Hop struct {
	Release   string    `json:"release" doc:"Its name"`
	Day       string    `json:"day,omitempty" doc:"Day on which it is installed"`
	Outcome   string    `json:"outcome" enum:"waiting,handed-off,arrived,failed,back"`
	Reason    string    `json:"reason,omitempty" doc:"Why it failed"`
	Edition   string    `json:"edition,omitempty"`
	Package   string    `json:"package,omitempty"`
	File      string    `json:"file,omitempty"`
	SHA256    string    `json:"sha256,omitempty"`
	NoPackage string    `json:"no_package,omitempty" doc:"Why nothing is named that installs it"`
	SeenAt    time.Time `json:"seen_at,omitzero" doc:"When an inventory showed the release"`
}

// Refusal is why machines that a wave's rule picks may not enter it.
type Refusal struct {
	Reason   string            `json:"reason"`
	Machines int               `json:"machines"`
	Some     []work.MachineRef `json:"some" doc:"At most 20 of them"`
}

// maxNamed is how many machines are named with a reason.
const maxNamed = 20

// Refusals gathers reasons. The zero map cannot be added to; make one.
type Refusals map[string]*Refusal

// Add adds a machine with the reason for which it may not enter. name gives its names; it is called for the machines
// that are named.
func (f Refusals) Add(reason string, name func() work.MachineRef) {
	r := f[reason]
	if r == nil {
		r = &Refusal{Reason: reason, Some: []work.MachineRef{}}
		f[reason] = r
	}
	if r.Machines++; len(r.Some) < maxNamed {
		r.Some = append(r.Some, name())
	}
}

// List is the reasons, that of the most machines first.
func (f Refusals) List() []Refusal {
	out := make([]Refusal, 0, len(f))
	for _, r := range f {
		out = append(out, *r)
	}
	slices.SortFunc(out, func(a, b Refusal) int {
		return cmp.Or(b.Machines-a.Machines, strings.Compare(a.Reason, b.Reason))
	})
	return out
}

// Reasons why it is not known what a machine gets, or that there is nothing for it.
const (
	PackageNotKnown = "its package is unknown: its edition, language or architecture was not read"
	NoSuchPackage   = "the release has no package for its edition, language and architecture"
	WayNotKnown     = "its way is unknown: a fact that decides it was not read"
	FactsNotRead    = "its facts cannot be read: read it again"
)

// Losses are the applications of a machine that the upgrade to a release removes. The facts are filled from the
// release.
func Losses(rel *release.Release, f *fact.Facts) []string {
	check.Fill(rel, f)
	out := slices.Clone(f.Value(fact.SoftwareToRemove).Set())
	for i := range rel.Endings {
		e := &rel.Endings[i]
		if e.What == "title" && e.How == "removed" && e.Has(f) == need.True && !slices.Contains(out, e.Title) {
			out = append(out, e.Title)
		}
	}
	return out
}

// Deliver fills in what a machine gets on its way to a release, hop by hop, and says why it gets nothing, or "".
func (m *Machine) Deliver(rel *release.Release, f *fact.Facts) (nothing string) {
	if m.Way == release.ByInterim {
		path := rel.PathFrom(f)
		if path.Truth != need.True {
			return WayNotKnown
		}
		for _, x := range path.Interim {
			h := Hop{Release: x.Name, Outcome: Waiting}
			got := x.Deliver(f)
			h.Edition, h.NoPackage = got.Edition, h.take(&got, len(x.Packages))
			if h.NoPackage != "" && nothing == "" {
				nothing = x.Name + ": " + h.NoPackage
			}
			m.Hops = append(m.Hops, h)
		}
	}
	got := rel.Deliver(f, m.Way)
	last := Hop{Release: rel.Name, Outcome: Waiting, Edition: got.Edition}
	switch last.NoPackage = last.take(&got, len(rel.Packages)); {
	case m.Way == release.Reinstall: // it is set up from whatever the organisation installs with
		last.NoPackage = ""
	case nothing == "":
		nothing = last.NoPackage
	}
	m.Edition, m.Package, m.File, m.SHA256 = last.Edition, last.Package, last.File, last.SHA256
	if len(m.Hops) > 0 {
		m.Hops = append(m.Hops, last)
	}
	return nothing
}

// take takes the package of a delivery, and says why there is none. Where a release names no packages, none is missing.
func (h *Hop) take(got *release.Delivery, packages int) (nothing string) {
	switch {
	case packages == 0:
		return ""
	case got.Package != nil && got.PackageTruth == need.True:
		h.Package, h.File, h.SHA256 = got.Package.ID, got.Package.File, got.Package.SHA256
		return ""
	case got.PackageTruth == need.Unknown:
		return PackageNotKnown
	}
	return NoSuchPackage
}
