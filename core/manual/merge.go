package manual

import (
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
)

// GivenForAll begins the source of a fact that was given for all rows of a spreadsheet: it says nothing of a machine
// that is known.
const GivenForAll = "given for all of "

// Merged is what a row of a spreadsheet says of one fact of a machine that is known.
type Merged struct {
	Fact     string
	Row      string // the row's value, as it can be entered
	Has      string // what is known, as it can be entered; "": nothing
	Conflict bool   // both are known and differ
}

// Identifies says that a fact tells which machine it is, or which system it runs: a row of a spreadsheet never
// changes it on a machine that is known.
func identifies(id fact.ID) bool {
	switch id {
	case fact.DeviceName, fact.DeviceManufacturer, fact.DeviceModel, fact.DeviceSerial, fact.DeviceUUID:
		return true
	}
	return false
}

// Merge compares a row of a spreadsheet, as an inventory, with what is known of a machine: facts that fill a gap, and
// facts that differ. A fact that is the same on both sides is not among them, nor what only lists of rows say.
func Merge(known, row *inventory.Document) []Merged {
	a, b := fact.Read(known), fact.Read(row)
	var out []Merged
	for id := range fact.ID(fact.Count) {
		def := id.Def()
		if def == nil || def.Derived || id.Group() != fact.NoGroup || identifies(id) {
			continue
		}
		has, says := a.Get(id), b.Get(id)
		if !says.Value.Known() || strings.HasPrefix(says.Source, GivenForAll) {
			continue
		}
		m := Merged{Fact: def.Name, Row: need.Written(def, says.Value)}
		switch {
		case !has.Value.Known() && len(has.Others()) == 0:
		case has.Value.Equal(says.Value):
			continue
		default:
			m.Conflict = true
			if has.Value.Known() {
				m.Has = need.Written(def, has.Value)
			}
		}
		out = append(out, m)
	}
	return out
}
