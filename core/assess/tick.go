package assess

import (
	"strings"
	"time"

	"rolltop.example/rolltop/core/say"
)

// Tick is what a person said of an item of preparation or of a step: that it is
// done, or that it is refused, with the reason.
type Tick struct {
	Item  string    `json:"item" doc:"prepare/ID for an item of preparation, step/ID for a step of the plan, leave/ID for an item when the machine leaves"`
	State string    `json:"state" enum:"done,refused"`
	By    string    `json:"by"`
	At    time.Time `json:"at"`
	Note  string    `json:"note,omitempty"`
	Stale bool      `json:"without_effect,omitempty" doc:"It was recorded before the latest inventory, but the step is still in the plan"`
}

// Prefixes of items.
const (
	TickPreparation = "prepare/"
	TickStep        = "step/"
	TickLeaving     = "leave/"
	TickAfter       = "after/" // a question to the user after the upgrade
)

// Items are what can be ticked on the machine.
func (d *Document) Items() []string {
	var out []string
	for _, p := range d.Preparation {
		out = append(out, TickPreparation+p.ID)
	}
	for _, s := range d.steps() {
		out = append(out, TickStep+s.Step)
	}
	return out
}

// Ticked is what was said of an item; nil where nothing was, and of a machine
// that was never checked.
func (d *Document) Ticked(item string) *Tick {
	if d == nil {
		return nil
	}
	for _, p := range d.Preparation {
		if TickPreparation+p.ID == item {
			return p.Ticked
		}
	}
	for _, s := range d.steps() {
		if TickStep+s.Step == item {
			return s.Ticked
		}
	}
	return nil
}

// steps are those of the plan and of further work.
func (d *Document) steps() []*Step {
	out := make([]*Step, 0, len(d.Plan)+len(d.Further))
	for _, list := range [][]Step{d.Plan, d.Further} {
		for i := range list {
			out = append(out, &list[i])
		}
	}
	return out
}

// Apply puts what people said beside the items. What a program sees stays as it
// is: a tick never makes a fact, and one of a step that settles something and
// was said before the inventory was taken had no effect.
func (d *Document) Apply(ticks []Tick) {
	for _, t := range ticks {
		if id, ok := strings.CutPrefix(t.Item, TickPreparation); ok {
			for i := range d.Preparation {
				if p := &d.Preparation[i]; p.ID == id {
					p.Ticked = &t
					p.said(&t)
				}
			}
		}
		if id, ok := strings.CutPrefix(t.Item, TickStep); ok {
			for _, s := range d.steps() {
				if s.Step == id {
					t.Stale = t.State == "done" && len(s.Settles) > 0 && d.Machine.TakenAt.After(t.At)
					s.Ticked = &t
				}
			}
		}
	}
}

// said changes the state of an item that no program sees; where one does, it
// knows better.
func (p *Prepared) said(t *Tick) {
	switch {
	case t.State == "refused":
		p.State = "refused"
	case p.State == "by-hand", p.State == "not-known":
		p.State = "done"
	}
}

// Says is the tick in a sentence.
func (t *Tick) Says() string {
	s := map[string]string{"done": "Done", "refused": "Refused"}[t.State] + " by " + t.By + " on " + say.Day(t.At)
	if t.Note != "" {
		s += ": " + t.Note
	}
	s = say.Sentence(s)
	if t.Stale {
		s += " The latest inventory does not show it."
	}
	return s
}
