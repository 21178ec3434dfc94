package wave

import (
	"cmp"
	"slices"
	"strings"
	"time"

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
	HandedOffAt time.Time `json:"handed_off_at,omitzero"`
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

// Add adds a machine with the reason for which it may not enter.
func (f Refusals) Add(reason string, m work.MachineRef) {
	r := f[reason]
	if r == nil {
		r = &Refusal{Reason: reason, Some: []work.MachineRef{}}
		f[reason] = r
	}
	if r.Machines++; len(r.Some) < maxNamed {
		r.Some = append(r.Some, m)
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
	FactsNotRead    = "its facts cannot be read: read it again"
)
