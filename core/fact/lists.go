package fact

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/inventory"
)

// Group is a kind of list in an inventory, each row of which has facts of its
// own: every graphics adapter, every display.
type Group uint8

// The groups. NoGroup is the machine itself.
const (
	NoGroup Group = iota
	Adapters
	Displays
	Disks
	Modules
	Titles
	Drivers
	groupCount
)

// Numbers of the facts of rows begin here; each group has ten.
const (
	firstRow  = 120
	perGroup  = 10
	rowsCount = firstRow + perGroup*int(groupCount-1)
)

// group describes a list: the fact that counts its rows, how many facts a row
// has, and what a row is called.
type group struct {
	count    ID
	name     string // of the list, as in documents
	one      string // a row, in sentences
	many     string
	width    int
	complete func(*document) bool // there is a list at all
	length   func(*document) int
}

var groups = [groupCount]group{
	Adapters: {Adapters.list(), "graphics", "graphics adapter", "graphics adapters", 6,
		func(d *document) bool { return d.Graphics != nil }, func(d *document) int { return len(d.Graphics) }},
	Displays: {Displays.list(), "displays", "display", "displays", 6,
		func(d *document) bool { return d.Displays != nil }, func(d *document) int { return len(d.Displays) }},
	Disks: {Disks.list(), "storage.disks", "drive", "drives", 9,
		func(d *document) bool { return d.Storage.Disks != nil },
		func(d *document) int { return len(d.Storage.Disks) }},
	Modules: {Modules.list(), "memory.modules", "memory module", "memory modules", 9,
		func(d *document) bool { return d.Memory.Modules != nil },
		func(d *document) int { return len(d.Memory.Modules) }},
	Titles: {Titles.list(), "software", "installed title", "installed titles", 4,
		func(d *document) bool { return d.Software != nil }, func(d *document) int { return len(d.Software) }},
	Drivers: {Drivers.list(), "drivers", "driver", "drivers", 6, func(d *document) bool { return d.Drivers != nil },
		func(d *document) int { return len(d.Drivers) }},
}

// list is the number of the fact that counts a group's rows.
func (g Group) list() ID { return AdapterCount + ID(g) - 1 }

// List is the fact that counts the rows of the group.
func (g Group) List() ID { return g.list() }

// Rows is how many rows a document lists of the group.
func (g Group) Rows(d *inventory.Document) int { return groups[g].length(d) }

// One and Many are the words for rows of the group.
func (g Group) One() string  { return groups[g].one }
func (g Group) Many() string { return groups[g].many }
func (g Group) String() string {
	if g == NoGroup {
		return "the machine"
	}
	return groups[g].name
}

// first is the number of the first fact of the group's rows.
func (g Group) first() ID { return firstRow + ID(g-1)*perGroup }

// GroupByName finds a group by the name of its list, or NoGroup.
func GroupByName(name string) Group {
	for g := Adapters; g < groupCount; g++ {
		if groups[g].name == name {
			return g
		}
	}
	return NoGroup
}

// GroupNames are the names of all lists.
func GroupNames() []string {
	var out []string
	for g := Adapters; g < groupCount; g++ {
		out = append(out, groups[g].name)
	}
	return out
}

// Group is the list whose rows have the fact, or NoGroup.
func (id ID) Group() Group {
	if id < firstRow {
		return NoGroup
	}
	return Group((id-firstRow)/perGroup + 1)
}

// countOf makes the fact that counts a list. A list that is not there is not
// an empty one.
func countOf(g Group) func(*document) Value {
	return func(d *document) Value {
		if !groups[g].complete(d) {
			return Value{}
		}
		return Num(float64(groups[g].length(d)))
	}
}

var rowGap = inventory.Gap{Cause: inventory.NotAsked, Detail: "the inventory does not say"}

// readRows fills the rows of every list.
func (f *Facts) readRows(d *document) {
	placed := false // some gap names a place in a list
	for i := range d.Gaps {
		placed = placed || strings.Contains(d.Gaps[i].Fact, "[")
	}
	var sourced [groupCount]bool // some source names a place in the list
	for name := range d.Sources {
		if list, _, placed := strings.Cut(name, "["); placed {
			sourced[GroupByName(list)] = true
		}
	}
	for g := Adapters; g < groupCount; g++ {
		n, w := groups[g].length(d), groups[g].width
		if n == 0 {
			continue
		}
		f.rows[g] = make([]Reading, n*w)
		for i := range n {
			for j := range w {
				def, r := byID[g.first()+ID(j)], &f.rows[g][i*w+j]
				r.Value, r.Source = def.value(d, i), d.Sources[groups[g].name]
				if r.Value.Known() {
					if sourced[g] {
						r.Source = cmp.Or(d.Sources[def.place(i)], r.Source)
					}
					continue
				}
				r.Gap = &rowGap
				if placed {
					f.placedGap(d, def, i, r)
				}
			}
		}
	}
}

// place is the name of the fact in one row, such as graphics[0].interface_level.
func (d *Def) place(row int) string { return d.In(strconv.Itoa(row)) }

// In is the name of a fact of a list's rows with what picks the row in brackets: its position, or the ids of an
// adapter.
func (d *Def) In(row string) string {
	list := groups[d.ID.Group()].name
	return list + "[" + row + "]" + strings.TrimPrefix(d.Name, list)
}

// placedGap finds the gap of one place: graphics[0].interface_level, or of the
// whole row.
func (f *Facts) placedGap(d *document, def *Def, i int, r *Reading) {
	for _, name := range []string{def.place(i), fmt.Sprintf("%s[%d]", groups[def.ID.Group()].name, i)} {
		for k := range d.Gaps {
			if g := &d.Gaps[k]; g.Fact == name {
				r.Gap = g
				r.disagree(def)
				return
			}
		}
	}
}

// Rows is how many rows of a list are known.
func (f *Facts) Rows(g Group) int { return len(f.rows[g]) / groups[g].width }

// Complete says whether the list was read completely: what it does not hold is
// not there.
func (f *Facts) Complete(g Group) bool {
	return f.one[g.list()].Value.Known()
}

// AskedFor says whether a collector was asked for all of some titles and could look for
// them: those that the list does not hold are known not to be there. A title that begins
// with one that was asked for was asked for, too.
func (f *Facts) AskedFor(titles []string) bool {
	if len(f.asked) == 0 || len(titles) == 0 {
		return false
	}
	r := &f.one[TitleCount]
	if !r.Floor().Known() && (r.Gap == nil || r.Gap.Cause != inventory.NotAsked) {
		return false // it could not look
	}
	for _, t := range titles {
		if !f.askedOne(t) {
			return false
		}
	}
	return true
}

func (f *Facts) askedOne(title string) bool {
	for _, a := range f.asked {
		if len(title) >= len(a) && strings.EqualFold(title[:len(a)], a) {
			return true
		}
	}
	return false
}

// Row looks at one row of a list.
func (f *Facts) Row(g Group, i int) View {
	w := groups[g].width
	return View{f, f.rows[g][i*w : (i+1)*w]}
}

// RaiseRows brings a fact of every row to a value at least, as a step would leave
// it; a list without rows gets one. It is for a copy that the caller owns; the rows of others stay as they are.
func (f *Facts) RaiseRows(id ID, v Value) {
	g := id.Group()
	w, at := groups[g].width, int(id-g.first())
	f.rows[g] = slices.Clone(f.rows[g])
	if len(f.rows[g]) == 0 {
		f.rows[g] = make([]Reading, w)
		for i := range f.rows[g] {
			f.rows[g][i].Gap = &rowGap
		}
	}
	for i := at; i < len(f.rows[g]); i += w {
		if r := &f.rows[g][i]; !r.Value.Known() || r.Value.Compare(v) < 0 {
			*r = Reading{Value: v, Source: "a step"}
		}
	}
}

// Kept is the rows of a list as they were.
type Kept []Reading

// Keep gives the rows of a list, to be put back with [Facts.Restore] after a
// [Facts.Raise].
func (f *Facts) Keep(g Group) Kept { return f.rows[g] }

// Restore puts the rows of a list back.
func (f *Facts) Restore(g Group, rows Kept) { f.rows[g] = rows }

// RowName is what a row is called: the name it bears, or its place.
func (f *Facts) RowName(g Group, i int) string {
	if name := f.rows[g][i*groups[g].width].Value.Text(); name != "" {
		return name
	}
	return fmt.Sprintf("%s %d", groups[g].one, i+1)
}

// View is the facts of a machine as a need looks at them: of the machine
// itself, or with one row of a list at hand.
type View struct {
	*Facts
	row []Reading
}

// View looks at the machine itself.
func (f *Facts) View() View { return View{f, nil} }

// outside is the reading of a row's fact where no row is at hand; documents
// that ask so are refused.
var outside = Reading{Gap: &rowGap}

// Get returns the reading of a fact of the machine or of the row at hand. It
// is not to be changed.
func (v View) Get(id ID) *Reading {
	if id < firstRow {
		return &v.one[id]
	}
	at := int(id-firstRow) % perGroup
	if at >= len(v.row) {
		return &outside
	}
	return &v.row[at]
}

// Value is short for the value of a reading.
func (v View) Value(id ID) Value { return v.Get(id).Value }

// maxWorlds bounds the combinations of disagreeing sources that are looked at.
const maxWorlds = 64

// Worlds are the views under each combination of what sources of the row at
// hand say that disagree: none where they agree, or where there are too many.
func (v View) Worlds() []View {
	var worlds []View
	for i := range v.row {
		others := v.row[i].Others()
		if len(others) == 0 {
			continue
		}
		if worlds == nil {
			worlds = []View{v}
		}
		if len(worlds)*len(others) > maxWorlds {
			return nil
		}
		var next []View
		for _, w := range worlds {
			for _, o := range others {
				row := slices.Clone(w.row)
				row[i] = Reading{Value: o.Value, Source: o.Source}
				next = append(next, View{v.Facts, row})
			}
		}
		worlds = next
	}
	return worlds
}
