// Package watch lists what should not be left as it is: encryption that stays paused, work
// without effect, decisions that end, machines that failed in their wave.
package watch

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
)

// Kinds of items.
const (
	EncryptionPaused = "paused"
	NoEffect         = "no-effect"
	KeyNotChecked    = "key-not-checked"
	DecisionEnds     = "decision-ends"
	DecisionEnded    = "decision-ended"
	WaveFailed       = "failed"
)

// Item is something that should not be left as it is.
type Item struct {
	Kind    string          `json:"kind" enum:"paused,no-effect,key-not-checked,decision-ended,decision-ends,failed"`
	Says    string          `json:"says"`
	Machine work.MachineRef `json:"machine,omitzero"`
	Where   string          `json:"where,omitempty" doc:"If it concerns several machines"`
}

// endingSoonDays is how long before its end a decision is announced; endedLately is for how
// long after its end it still is.
const (
	endingSoonDays = 14
	EndedLately    = 30 * 24 * time.Hour
)

// Paused is a machine whose encryption is paused.
func Paused(r *fleet.Row) Item {
	return Item{
		Kind:    EncryptionPaused,
		Machine: r.Ref(),
		Says:    r.Name + ": its encryption is paused. Resume it.",
	}
}

// Work is what was said to be done at a machine and is still to be done by its plan, or was
// begun without its recovery key. steps is the library that the plan is made from.
func Work(r *fleet.Row, said []assess.Tick, steps *remedy.Library) []Item {
	if len(said) == 0 {
		return nil
	}
	var out []Item
	plan := work.Parse(r.Plan)
	done, begun := map[string]bool{}, false
	for i := range said {
		t := &said[i]
		id := strings.TrimPrefix(t.Item, assess.TickStep)
		step := steps.Find(id)
		if t.State != "done" || step == nil {
			continue
		}
		done[id] = true
		begun = begun || plan.In(steps, remedy.Desk).Has(id)
		if slices.Contains(plan.Remedies(), id) && t.At.Before(r.TakenAt) {
			out = append(out, Item{Kind: NoEffect, Machine: r.Ref(), Says: fmt.Sprintf(
				"%s: %s was ticked by %s, but the later inventory shows no effect.",
				r.Name, say.AnyTitle(step), t.By)})
		}
	}
	if key := steps.ID(remedy.CheckingKey); begun && plan.Has(key) && !done[key] {
		out = append(out, Item{
			Kind:    KeyNotChecked,
			Machine: r.Ref(),
			Says:    r.Name + ": work at the desk has begun, but the recovery key is not confirmed.",
		})
	}
	return out
}

// InWave is a machine that failed in a wave or went back from its release: it is work again.
func InWave(r *fleet.Row, w *wave.Wave, outcome, reason string) (item Item, ok bool) {
	item = Item{Kind: WaveFailed, Machine: r.Ref()}
	switch outcome {
	case wave.Failed:
		item.Says = say.Sentence(fmt.Sprintf("%s failed in the wave %q: %s", r.Name, w.Name, reason))
	case wave.Back:
		item.Says = say.Sentence(fmt.Sprintf("%s went back from %s. Find out why before you try again", r.Name,
			w.Release))
	default:
		return Item{}, false
	}
	return item, true
}

// Decision is a decision that ends soon, or ended lately. says and where are its sentence and
// the filter that lists its machines.
func Decision(d *decision.Decision, says, where string, now time.Time) (item Item, ok bool) {
	switch {
	case d.Counts(now) && d.Until.Before(now.AddDate(0, 0, endingSoonDays)) && d.Kind != decision.Later:
		return Item{Kind: DecisionEnds, Says: "Ends soon: " + says, Where: where}, true
	case d.Ended.IsZero() && !d.Counts(now) && now.Sub(d.Until) < EndedLately:
		return Item{Kind: DecisionEnded, Says: says, Where: where}, true
	}
	return Item{}, false
}

// Sort puts items about machines in order: by kind, then by the machine's name.
func Sort(items []Item) {
	slices.SortStableFunc(items, func(a, b Item) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), strings.Compare(a.Machine.Name, b.Machine.Name))
	})
}
