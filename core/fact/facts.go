package fact

import (
	"slices"
	"strings"

	"rolltop.example/rolltop/core/inventory"
)

// Classes of hardware, the values of device.class. Each has a target release
// of its own.
const (
	PC  = "pc"
	Mac = "mac"
)

// Facts is what is known of one machine, flat and ready for checking.
type Facts struct {
	one  [Count]Reading
	rows [groupCount][]Reading // of each list, row after row

	conflicting bool     // sources disagree on some fact of the machine itself
	asked       []string // titles that were asked for, where not all were read

	// Facts that are unpacked again and again have few that are known: only those that
	// were touched are reset, where all others are as an empty row leaves them.
	empty   bool
	touched [(Count + 63) / 64]uint64
}

func (f *Facts) markDirty(id ID) { f.touched[id/64] |= 1 << (id % 64) }

// Read flattens an inventory. Every fact has a value or a gap afterwards.
func Read(d *inventory.Document) *Facts {
	f := new(Facts)
	for i := range catalogue {
		def := &catalogue[i]
		r := &f.one[def.ID]
		r.Value, r.Source = def.value(d, 0), d.Sources[def.Name]
		if r.Value.Known() && def.Kind != Set && !def.Counts() {
			continue // most are, and no gap is of them
		}
		g := d.GapOf(def.Name)
		switch {
		case r.Value.Known() && g != nil && g.Fact == def.Name:
			// A list with a gap row of its own is incomplete: what it holds is
			// there, what it does not hold is not known.
			*r = Reading{Gap: g, Source: r.Source, partial: &partial{floor: r.Value}}
		case r.Value.Known():
		case g != nil:
			r.Gap = g
			r.disagree(def)
			if g.AtLeast != nil && g.Fact == def.Name && def.Kind == Number && len(r.Others()) == 0 {
				r.partial = &partial{floor: Num(*g.AtLeast)}
			}
			f.conflicting = f.conflicting || len(r.Others()) > 0
		default:
			r.Gap = &inventory.Gap{Fact: def.Name, Cause: inventory.NotAsked, Detail: "the inventory does not say"}
		}
	}
	f.readRows(d)
	f.asked = d.Collector.Titles
	review{f}.readings(d)
	return f
}

// Counts says whether the fact is how many rows a list has.
func (d *Def) Counts() bool { return d.ID >= AdapterCount && d.ID <= DriverCount }

// disagree takes over what each source says, where they disagree.
func (r *Reading) disagree(def *Def) {
	var others []Alternative
	for _, alt := range r.Gap.Readings {
		if v, ok := Parse(def.Kind, alt.Value); ok {
			others = append(others, Alternative{v, alt.Source})
		} else if alt.Value == "" {
			others = append(others, Alternative{Nothing(def.Kind), alt.Source})
		}
	}
	if others != nil {
		r.partial = &partial{others: others}
	}
}

// SetLowerBound notes what an unknown fact is not less than; for a copy that
// the caller owns.
func (f *Facts) SetLowerBound(id ID, least Value) {
	f.markDirty(id)
	r := &f.one[id]
	r.partial = &partial{least, r.Others()}
}

// Get returns the reading of a fact of the machine itself. It is not to be
// changed.
func (f *Facts) Get(id ID) *Reading {
	if id >= firstRow {
		return &outside
	}
	return &f.one[id]
}

// Value is short for the value of a reading.
func (f *Facts) Value(id ID) Value { return f.Get(id).Value }

// Is says whether a text-like fact is known to have a value.
func (f *Facts) Is(id ID, word string) bool { return strings.EqualFold(f.one[id].Value.Text(), word) }

// Class is the class of hardware, or "" where nothing says it.
func (f *Facts) Class() string { return f.one[DeviceClass].Value.Text() }

// ClassOf is the class of hardware of an inventory, as [Read] would have it, for
// whoever asks for nothing else.
func ClassOf(d *inventory.Document) string { return classOf(d).Text() }

// Clone returns a copy that may be changed with [Facts.Set].
func (f *Facts) Clone() *Facts {
	g := *f
	return &g
}

// With returns a copy in which a fact has another value, as a step would leave
// it or as one of several sources says.
func (f *Facts) With(id ID, v Value, source string) *Facts {
	g := f.Clone()
	g.Set(id, v, source)
	return g
}

// Set changes a fact in place; for a copy that the caller owns.
func (f *Facts) Set(id ID, v Value, source string) {
	f.markDirty(id)
	f.one[id] = Reading{Value: v, Source: source}
}

// SetFloor leaves a fact as not less than a number, as a step would that brings it at
// least there; for a copy that the caller owns.
func (f *Facts) SetFloor(id ID, least Value, source string) {
	f.markDirty(id)
	f.one[id] = Reading{Gap: &rowGap, Source: source, partial: &partial{floor: least}}
}

// PutBack puts a whole reading back, as [Facts.Get] gave it before a [Facts.Set].
func (f *Facts) PutBack(id ID, r Reading) {
	f.markDirty(id)
	f.one[id] = r
}

// Conflicting says whether sources disagree on any fact of the machine itself.
func (f *Facts) Conflicting() bool { return f.conflicting }

// Astray says whether the hardware is a Mac and runs a system that is not a Mac's.
func (f *Facts) Astray() bool {
	p := f.Value(OSPlatform)
	return f.Class() == Mac && p.Known() && p.Text() != "macos"
}

// Guest says whether the machine is a virtual one: its hardware is what its
// host gives it.
func (f *Facts) Guest() bool {
	return f.Is(DeviceEnvironment, "guest") || f.Is(DeviceForm, "virtual")
}

// Planned says whether the machine is one that nobody has yet: nothing is
// installed on it.
func (f *Facts) Planned() bool { return f.Is(DeviceEnvironment, "planned") }

// Has says whether hardware of a class has the fact at all.
func (d *Def) Has(class string) bool {
	return d.On == Everywhere || class == "" || (d.On == OnlyPC) == (class == PC)
}

func classOf(d *inventory.Document) Value {
	platform, _ := d.OS.Platform.Get()
	_, isMac := d.Device.ModelID.Get()
	class, said := d.Device.Class.Get()
	switch {
	case said:
		return Of(Word, class)
	case isMac || platform == "macos":
		return Of(Word, Mac)
	case platform != "":
		return Of(Word, PC)
	}
	return Value{}
}

func solderedOf(d *inventory.Document) Value {
	fitted := 0
	for _, m := range d.Memory.Modules {
		if m.Bytes.Or(1) == 0 && !m.Soldered.Or(false) {
			return Truth(false) // an empty slot
		}
		if s, ok := m.Soldered.Get(); !ok {
			return Value{}
		} else if !s {
			return Truth(false)
		}
		fitted++
	}
	if fitted == 0 {
		return Value{}
	}
	return Truth(true)
}

// places counts the partitions that take one of the four places of an MBR. A
// table without entries was not read.
func places(d *inventory.Document) Value {
	n := 0
	for _, p := range d.Storage.Boot.Partitions {
		switch p.Kind.Or("") {
		case "primary", "extended":
			n++
		case "":
			return Value{}
		}
	}
	if n == 0 {
		return Value{}
	}
	return Num(float64(n))
}

func logical(d *inventory.Document) Value {
	if !places(d).Known() {
		return Value{}
	}
	for _, p := range d.Storage.Boot.Partitions {
		if k := p.Kind.Or(""); k == "logical" || k == "extended" {
			return Truth(true)
		}
	}
	return Truth(false)
}

func freeSlotsOf(d *inventory.Document) Value {
	all, ok := d.Memory.Slots.Get()
	used, both := d.Memory.SlotsUsed.Get()
	if !ok || !both {
		return Value{}
	}
	return Num(float64(all - used))
}

// driveText is a text of the drives that are marked as the system's, where all of
// them say the same. One word counts as soon as one of them says it: one drive of
// several that is failing is a failing system drive.
func driveText(get func(*inventory.Disk) optText, counts string) func(*inventory.Document) Value {
	return func(d *inventory.Document) Value {
		said, different := "", false
		for i := range d.Storage.Disks {
			k := &d.Storage.Disks[i]
			if !k.System.Or(false) {
				continue
			}
			s, ok := get(k).Get()
			switch {
			case ok && s == counts:
				return Of(Word, s)
			case !ok, said != "" && s != said:
				different = true
			}
			said = s
		}
		if said == "" || different {
			return Value{}
		}
		return Of(Word, said)
	}
}

// SetList sets a set that was worked out from a list. Where the list was not
// read completely, what was found is there and the rest is not known.
func (f *Facts) SetList(id ID, items []string, complete bool, gap *inventory.Gap, source string) {
	r := Reading{Value: Items(items), Source: source}
	if !complete {
		if gap == nil {
			gap = &rowGap
		}
		r = Reading{Gap: gap, Source: source, partial: &partial{floor: r.Value}}
	}
	f.markDirty(id)
	f.one[id] = r
}

// Ceiling is a bound from above that another fact gives to one that is unknown: a
// processor has no more cores than threads.
func (f *Facts) Ceiling(id ID) Value {
	if id == ProcessorCores && !f.one[ProcessorCores].Value.Known() && len(f.one[ProcessorCores].Others()) == 0 {
		return f.one[ProcessorThreads].Value
	}
	return Value{}
}

// SlotsTwice names the memory slots of which an inventory states two different things.
// Nothing is taken from either.
func (f *Facts) SlotsTwice() []string {
	var out []string
	for i := range f.Rows(Modules) {
		slot := f.Row(Modules, i).Value(ModuleSlot).Text()
		for j := range i {
			if slot != "" && strings.EqualFold(f.Row(Modules, j).Value(ModuleSlot).Text(), slot) &&
				!slices.Contains(out, slot) && f.slotsDiffer(i, j) {
				out = append(out, slot)
			}
		}
	}
	return out
}

// slotsDiffer says whether two rows of memory modules are not the same.
func (f *Facts) slotsDiffer(i, j int) bool {
	w := groups[Modules].width
	for k := range w {
		a, b := &f.rows[Modules][i*w+k], &f.rows[Modules][j*w+k]
		if a.Value.Known() != b.Value.Known() || a.Value.Known() && !a.Value.Equal(b.Value) ||
			len(a.Others())+len(b.Others()) > 0 {
			return true
		}
	}
	return false
}
