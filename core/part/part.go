// Package part says exactly what has to be bought for a step: which module into
// which slot, as far as the facts allow.
package part

import (
	"cmp"
	"math"
	"slices"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
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

// Of lists what a planned step takes on a machine.
func Of(p *remedy.Planned, f *fact.Facts, inv *inventory.Document) []Part {
	switch p.Part {
	case Memory:
		return memory(p, inv)
	case Drive:
		return []Part{drive(p, f, inv)}
	case TPM:
		return []Part{{Kind: TPM, Count: 1, For: board(inv), Manual: true}}
	case Graphics, Display:
		return []Part{{Kind: p.Part, Count: 1, Manual: p.Part == Graphics}}
	case Title:
		var out []Part
		for _, name := range f.Value(fact.SoftwareToBuy).Set() {
			out = append(out, Part{Kind: Title, Count: 1, For: name})
		}
		return out
	case Machine:
		return []Part{{Kind: Machine, Count: 1, Form: inv.Device.Form.Or("")}}
	}
	return nil
}

func board(inv *inventory.Document) string {
	maker, model := inv.Device.Board.Manufacturer.Or(""), inv.Device.Board.Model.Or("")
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

// memory says which modules go where. A module fits beside others when it is of
// their type and form and no slower; sizes may differ.
func memory(p *remedy.Planned, inv *inventory.Document) []Part {
	installed, known := inv.Memory.Installed.Get()
	if !known || !p.Needed.Known() {
		return []Part{{Kind: Memory, Count: 1, Manual: true}}
	}
	needed := int64(p.Needed.Float())
	out := Part{Kind: Memory, Count: 1, Manual: p.Expected}
	var empty []string
	var fitted []inventory.Module
	for _, m := range inv.Memory.Modules {
		size, ok := m.Bytes.Get()
		switch {
		case ok && size == 0:
			empty = append(empty, m.Slot.Or(""))
		case ok && !m.Soldered.Or(false):
			// What is soldered says nothing of what the slots take.
			out.Type, out.Form = cmp.Or(out.Type, m.Type.Or("")), cmp.Or(out.Form, m.Form.Or(""))
			out.MTS = max(out.MTS, m.SpeedMTS.Or(0))
			fitted = append(fitted, m)
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
	return []Part{exchange(out, fitted, installed, needed, most(inv))}
}

// most is the largest module that a slot takes, in bytes, by the firmware's own
// ceiling.
func most(inv *inventory.Document) int64 {
	ceiling, slots := inv.Memory.Max.Or(0), inv.Memory.Slots.Or(0)
	if ceiling == 0 || slots == 0 {
		return math.MaxInt64
	}
	return ceiling / slots
}

// exchange takes out as few modules as it can, the smallest first, and puts
// equal ones in.
func exchange(out Part, fitted []inventory.Module, installed, needed, most int64) Part {
	if len(fitted) == 0 {
		out.Bytes, out.Manual = sold(needed), true
		return out
	}
	slices.SortStableFunc(fitted, func(a, b inventory.Module) int { return cmp.Compare(a.Bytes.Or(0), b.Bytes.Or(0)) })
	kept := installed
	out.Slots = nil
	for i, m := range fitted {
		kept -= m.Bytes.Or(0)
		out.Count = i + 1
		if s := m.Slot.Or(""); s != "" {
			out.Slots = append(out.Slots, s)
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
func drive(p *remedy.Planned, f *fact.Facts, inv *inventory.Document) Part {
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
	for _, d := range inv.Storage.Disks {
		if d.System.Or(false) {
			out.Type = d.Bus.Or("")
		}
	}
	out.Manual = out.Manual || out.Type == ""
	return out
}
