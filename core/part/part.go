// Package part says exactly what has to be bought for a step: which module into
// which slot, as far as the facts allow.
package part

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/remedy"
)

// Kinds of part.
const (
	Memory   = "memory-module"
	Drive    = "drive"
	TPM      = "tpm-module"
	Graphics = "graphics-card"
	Display  = "display"
	Title    = "title"
	Machine  = "machine"
)

// Kinds are all of them.
func Kinds() []string { return []string{Memory, Drive, TPM, Graphics, Display, Title, Machine} }

// Part is something to buy. What is not known is zero.
type Part struct {
	Kind   string   `json:"kind" enum:"memory-module,drive,tpm-module,graphics-card,display,title,machine"`
	Count  int      `json:"count"`
	Bytes  int64    `json:"bytes,omitempty" doc:"Of each"`
	Type   string   `json:"type,omitempty" doc:"Of a memory module: DDR4; of a drive: its bus"`
	Form   string   `json:"form,omitempty" doc:"Of a memory module: SODIMM; of a machine: laptop"`
	MTS    int64    `json:"speed_mts,omitempty" doc:"Of a memory module: at least, in MT/s"`
	ECC    string   `json:"ecc,omitempty" enum:"yes,no" doc:"Of a memory module: whether it has bits for error correction, like the modules that are already fitted"`
	Buffer string   `json:"buffer,omitempty" enum:"registered,unbuffered" doc:"Of a memory module, like the modules that are already fitted"`
	MV     int64    `json:"voltage_mv,omitempty" doc:"Of a memory module, where its type comes with several voltages"`
	Slots  []string `json:"slots,omitempty" doc:"Where it goes"`
	For    string   `json:"for,omitempty" doc:"The board that it has to fit, or the title"`
	Needs  string   `json:"needs,omitempty" doc:"What it must be able to do, each thing with its unit"`
	Manual bool     `json:"confirm_in_manual,omitempty" doc:"To be confirmed in the maker's manual before it is ordered"`
}

// Of lists what a planned step takes on a machine, from its facts alone: a fleet's parts
// are worked out without its inventories.
func Of(p *remedy.Planned, f *fact.Facts) []Part {
	switch p.Part {
	case Memory:
		return memory(p, f)
	case Drive:
		return []Part{drive(p, f)}
	case TPM:
		return []Part{{Kind: TPM, Count: 1, For: board(f), Manual: true}}
	case Graphics, Display:
		return []Part{{Kind: p.Part, Count: 1, Needs: needs(p), Manual: p.Part == Graphics}}
	case Title:
		var out []Part
		for _, name := range f.Value(fact.SoftwareToBuy).Set() {
			out = append(out, Part{Kind: Title, Count: 1, For: name})
		}
		return out
	case Machine:
		return []Part{{Kind: Machine, Count: 1, Form: f.Value(fact.DeviceForm).Text()}}
	}
	return nil
}

// units are what stands behind a number in what a part must be able to do.
var units = map[fact.Unit]string{fact.Inches: " in", fact.Bits: " bit", fact.Percent: " %"}

// needs says what a card or a display must be able to do.
func needs(p *remedy.Planned) string {
	var out []string
	for _, a := range p.Amounts {
		def := a.Fact.Def()
		if a.Fact.Group() == fact.NoGroup || def.Kind != fact.Number && def.Kind != fact.Version {
			continue
		}
		out = append(out, def.Label+" "+a.Value.Plain()+units[def.Unit]+" or more")
	}
	return strings.Join(out, ", ")
}

func board(f *fact.Facts) string {
	maker, model := f.Value(fact.BoardManufacturer).Text(), f.Value(fact.BoardModel).Text()
	if maker == "" || model == "" {
		return cmp.Or(model, maker)
	}
	return maker + " " + model
}

// smallest is the size of the smallest memory module that is still sold.
const smallest = 4 << 30

// sold is the size of the smallest module that holds so much: modules come in
// powers of two.
func sold(bytes int64) int64 {
	size := int64(smallest)
	for size < bytes {
		size *= 2
	}
	return size
}

// module is a memory module that can be taken out.
type module struct {
	slot  string
	bytes int64
}

// memory says which modules go where. A module fits beside others when it is of
// their type and form and no slower; sizes may differ.
func memory(p *remedy.Planned, f *fact.Facts) []Part {
	has := f.Value(fact.MemoryInstalled)
	if !has.Known() || !p.Needed.Known() {
		return []Part{{Kind: Memory, Count: 1, Manual: true}}
	}
	installed, needed := int64(has.Float()), int64(p.Needed.Float())
	out := Part{Kind: Memory, Count: 1, Manual: p.Expected}
	var empty []string
	var fitted []module
	for i := range f.Rows(fact.Modules) {
		m := f.Row(fact.Modules, i)
		size, slot := m.Get(fact.ModuleBytes).Value, m.Get(fact.ModuleSlot).Value.Text()
		switch {
		case !size.Known():
		case size.Float() == 0:
			empty = append(empty, slot)
		case !m.Get(fact.ModuleSoldered).Value.Bool():
			// What is soldered says nothing of what the slots take.
			out.Type, out.Form = cmp.Or(out.Type, m.Get(fact.ModuleType).Value.Text()),
				cmp.Or(out.Form, m.Get(fact.ModuleForm).Value.Text())
			if speed := m.Get(fact.ModuleMTS).Value; speed.Known() {
				out.MTS = max(out.MTS, int64(speed.Float()))
			}
			out.likeIt(m)
			fitted = append(fitted, module{slot, int64(size.Float())})
		}
	}
	out.Manual = out.Manual || out.Type == "" || out.Form == ""
	if p.Plays(remedy.AddingMemory) {
		out.Bytes = sold(needed - installed)
		if len(empty) > 0 && empty[0] != "" {
			out.Slots = empty[:1]
		}
		return []Part{out}
	}
	return []Part{exchange(out, fitted, installed, needed, most(f))}
}

// several are types of memory that come with more than one voltage.
var several = []string{"DDR3", "DDR2"}

// likeIt takes over what a module beside it needs it to be: modules with and without
// error correction, registered and unbuffered, and of several voltages do not mix.
func (p *Part) likeIt(m fact.View) {
	if v := m.Get(fact.ModuleECC).Value; v.Known() {
		p.ECC = "no"
		if v.Bool() {
			p.ECC = "yes"
		}
	}
	if v := m.Get(fact.ModuleRegistered).Value; v.Known() {
		p.Buffer = "unbuffered"
		if v.Bool() {
			p.Buffer = "registered"
		}
	}
	if v := m.Get(fact.ModuleMillivolts).Value; v.Known() && slices.Contains(several, p.Type) {
		p.MV = int64(v.Float())
	}
}

// most is the largest module that a slot takes, in bytes, by the firmware's own
// ceiling.
func most(f *fact.Facts) int64 {
	ceiling, slots := f.Value(fact.MemoryMax), f.Value(fact.MemorySlots)
	if !ceiling.Known() || !slots.Known() || ceiling.Float() == 0 || slots.Float() == 0 {
		return math.MaxInt64
	}
	return int64(ceiling.Float()) / int64(slots.Float())
}

// exchange takes out as few modules as it can, the smallest first, and puts
// equal ones in.
func exchange(out Part, fitted []module, installed, needed, most int64) Part {
	if len(fitted) == 0 {
		out.Bytes, out.Manual = sold(needed), true
		return out
	}
	slices.SortStableFunc(fitted, func(a, b module) int { return cmp.Compare(a.bytes, b.bytes) })
	kept := installed
	out.Slots = nil
	for i, m := range fitted {
		kept -= m.bytes
		out.Count = i + 1
		if m.slot != "" {
			out.Slots = append(out.Slots, m.slot)
		}
		out.Bytes = sold((needed - kept + int64(i)) / int64(i+1))
		if out.Bytes <= most {
			break
		}
	}
	slices.Sort(out.Slots)
	return out
}

// drives are the sizes in which drives are sold, in bytes.
var drives = []int64{128e9, 256e9, 512e9, 1000e9, 2000e9, 4000e9, 8000e9}

// connections are the buses that a drive is bought for; built-in flash has none.
var connections = []string{"ata", "sata", "nvme", "sas"}

// drive is large enough for what is needed and for what is on the old one.
func drive(p *remedy.Planned, f *fact.Facts) Part {
	out := Part{Kind: Drive, Count: 1, Manual: p.Expected}
	var want int64
	if p.Needed.Known() && p.NeededOf == fact.DiskBytes {
		want = int64(p.Needed.Float())
	}
	if volume, free := f.Value(fact.VolumeBytes), f.Value(fact.FreeBytes); volume.Known() && free.Known() {
		used := int64(volume.Float() - free.Float())
		if p.Needed.Known() && p.NeededOf == fact.FreeBytes {
			used += int64(p.Needed.Float())
		}
		want = max(want, used)
	}
	if p.Plays(remedy.ChangingBadDrive) {
		want = max(want, int64(f.Value(fact.DiskBytes).Float()*0.9)) // as large as the old one, as sold
	}
	if !f.Value(fact.VolumeBytes).Known() || !f.Value(fact.FreeBytes).Known() {
		want = max(want, int64(f.Value(fact.DiskBytes).Float()*0.9)) // what is on the old one is not known
	}
	for _, size := range drives {
		if out.Bytes = size; size >= want || want == 0 {
			break
		}
	}
	if want == 0 {
		out.Bytes = 0
	}
	for i := range f.Rows(fact.Disks) {
		if d := f.Row(fact.Disks, i); d.Get(fact.DriveSystem).Value.Bool() {
			if bus := strings.ToLower(d.Get(fact.DriveBus).Value.Text()); slices.Contains(connections, bus) {
				out.Type = bus
			}
		}
	}
	out.Manual = out.Manual || out.Type == ""
	return out
}
