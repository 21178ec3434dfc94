// Package part says exactly what has to be bought for a step: which module into
// which slot, as far as the facts allow.
package part

import (
	"cmp"
	"math"
	"slices"

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
	Slots  []string `json:"slots,omitempty" doc:"Where it goes"`
	For    string   `json:"for,omitempty" doc:"The board that it has to fit, or the title"`
	Needs  string   `json:"needs,omitempty" doc:"What it must be able to do, as a number with its unit"`
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
		return []Part{{Kind: p.Part, Count: 1, Manual: p.Part == Graphics}}
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
			out.Type, out.Form = cmp.Or(out.Type, m.Get(fact.ModuleType).Value.Text()), cmp.Or(out.Form, m.Get(fact.ModuleForm).Value.Text())
			if speed := m.Get(fact.ModuleMTS).Value; speed.Known() {
				out.MTS = max(out.MTS, int64(speed.Float()))
			}
			fitted = append(fitted, module{slot, int64(size.Float())})
		}
	}
	out.Manual = out.Manual || out.Type == "" || out.Form == ""
	if p.ID == "add-memory" {
		out.Bytes = sold(needed - installed)
		if len(empty) > 0 && empty[0] != "" {
			out.Slots = empty[:1]
		}
		return []Part{out}
	}
	return []Part{exchange(out, fitted, installed, needed, most(f))}
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
	if p.ID == "failing-drive" {
		want = max(want, int64(f.Value(fact.DiskBytes).Float()*0.9)) // as large as the old one, as sold
	}
	for _, size := range drives {
		if out.Bytes = size; size >= want {
			break
		}
	}
	for i := range f.Rows(fact.Disks) {
		if d := f.Row(fact.Disks, i); d.Get(fact.DriveSystem).Value.Bool() {
			out.Type = d.Get(fact.DriveBus).Value.Text()
		}
	}
	out.Manual = out.Manual || out.Type == ""
	return out
}
