package fleet

import (
	"time"

	"rolltop.example/rolltop/core/fact"
)

// Decided says what people decided about a machine: a bit for each of DecisionNames.
type Decided uint8

// DecisionNames are the kinds of decision, as package decision has them.
var DecisionNames = []string{"waive", "stay", "hold", "later"}

// The bits.
const (
	Waived Decided = 1 << iota
	Stays
	Held
	Later
)

// Overlay lays a decision over a machine's row; [Index.Undecide] takes all of them away
// again. It is not there for machines that the index does not hold.
func (x *Index) Overlay(id int64, change func(*Row)) {
	at, ok := x.at[id]
	if !ok {
		return
	}
	r := &x.rows[at]
	if _, had := x.base[id]; !had {
		if x.base == nil {
			x.base = map[int64]Row{}
		}
		x.base[id] = *r
	}
	change(r)
	x.replan(at)
}

// replan keeps the column of plans as the rows are.
func (x *Index) replan(at int32) {
	v := fact.Of(fact.Text, x.rows[at].Plan)
	if x.rows[at].Plan == "" {
		v = fact.Value{}
	}
	x.texts[textPlan].set(int(at), v)
}

// ClearOverlay takes away what Decide laid over rows.
func (x *Index) ClearOverlay() {
	for id, r := range x.base {
		if at, ok := x.at[id]; ok {
			x.rows[at] = r
			x.replan(at)
		}
	}
	clear(x.base)
}

// NotBefore says whether a machine is to be left alone at a time.
func (r *Row) NotBefore(now time.Time) bool { return r.Decided&Later != 0 && now.Before(r.Later) }
