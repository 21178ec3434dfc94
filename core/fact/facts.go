package fact

import (
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
	one [Count]Reading
}

// Read flattens an inventory. Every fact has a value or a gap afterwards.
func Read(d *inventory.Document) *Facts {
	f := new(Facts)
	for i := range catalogue {
		def := &catalogue[i]
		r := &f.one[def.ID]
		r.Value, r.Source = def.of(d), d.Sources[def.Name]
		g := d.GapOf(def.Name)
		switch {
		case r.Value.Known() && def.Kind == Set && g != nil && g.Fact == def.Name:
			// A list with a gap row of its own is incomplete: what it holds is
			// there, what it does not hold is not known.
			r.Floor, r.Value, r.Gap = r.Value, Value{}, g
		case r.Value.Known():
		case g != nil:
			r.Gap = g
			for _, alt := range g.Readings {
				if v, ok := Parse(def.Kind, alt.Value); ok {
					r.Others = append(r.Others, Alternative{v, alt.Source})
				}
			}
		default:
			r.Gap = &inventory.Gap{Fact: def.Name, Cause: inventory.NotAsked, Detail: "the inventory does not say"}
		}
	}
	f.bound()
	return f
}

// announced: a TPM that firmware names and no driver serves is there, and its
// state is not known.
var announced = inventory.Gap{Fact: "tpm.state", Cause: inventory.ReadFailed,
	Detail: "the firmware names a TPM and no driver serves it", Try: "load the TPM driver and take the inventory again"}

// bound adds what other facts say about the least a fact can be.
func (f *Facts) bound() {
	if m := &f.one[MemoryInstalled]; !m.Value.Known() && f.one[MemoryVisible].Value.Known() {
		m.Floor = f.one[MemoryVisible].Value
	}
	if t := &f.one[TPMState]; t.Value.Text() == "announced" {
		*t = Reading{Gap: &announced, Source: t.Source}
	}
}

// Get returns the reading of a fact. It is not to be changed.
func (f *Facts) Get(id ID) *Reading { return &f.one[id] }

// Value is short for the value of a reading.
func (f *Facts) Value(id ID) Value { return f.one[id].Value }

// Is says whether a text-like fact is known to have a value.
func (f *Facts) Is(id ID, word string) bool { return strings.EqualFold(f.one[id].Value.Text(), word) }

// Class is the class of hardware, or "" where nothing says it.
func (f *Facts) Class() string { return f.one[DeviceClass].Value.Text() }

// With returns a copy in which a fact has another value, as a step would leave
// it or as one of several sources says.
func (f *Facts) With(id ID, v Value, source string) *Facts {
	g := *f
	g.Set(id, v, source)
	return &g
}

// Set changes a fact in place; for a copy that the caller owns.
func (f *Facts) Set(id ID, v Value, source string) {
	f.one[id] = Reading{Value: v, Source: source}
}

// Guest says whether the machine is a virtual one: its hardware is what its
// host gives it.
func (f *Facts) Guest() bool {
	return f.Is(DeviceEnvironment, "guest") || f.Is(DeviceForm, "virtual")
}

// Has says whether hardware of a class has the fact at all.
func (d *Def) Has(class string) bool {
	return d.On == Everywhere || class == "" || (d.On == OnlyPC) == (class == PC)
}

func classOf(d *inventory.Document) Value {
	platform, _ := d.OS.Platform.Get()
	_, isMac := d.Device.ModelID.Get()
	switch {
	case isMac || platform == "macos":
		return Of(Word, Mac)
	case platform != "":
		return Of(Word, PC)
	}
	return Value{}
}

func solderedOf(d *inventory.Document) Value {
	if len(d.Memory.Modules) == 0 {
		return Value{}
	}
	for _, m := range d.Memory.Modules {
		if s, ok := m.Soldered.Get(); !ok {
			return Value{}
		} else if !s {
			return Truth(false)
		}
	}
	return Truth(true)
}

func freeSlotsOf(d *inventory.Document) Value {
	all, ok := d.Memory.Slots.Get()
	used, both := d.Memory.SlotsUsed.Get()
	if !ok || !both {
		return Value{}
	}
	return Num(float64(all - used))
}

func diskText(get func(*inventory.Disk) optText) func(*inventory.Document) Value {
	return func(d *inventory.Document) Value {
		if k := d.SystemDrive(); k != nil {
			if s, ok := get(k).Get(); ok {
				return Of(Word, s)
			}
		}
		return Value{}
	}
}
