package build

import (
	"strconv"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// Tables are what the firmware tables said, or why they did not.
type Tables struct {
	Info   smbios.Info
	Read   bool
	Record capture.Record
}

// Missing is the detail for a fact that the tables do not give.
func (m *Tables) Missing() string {
	if m.Record.Outcome == capture.OK {
		return "the firmware tables do not say, or hold a placeholder"
	}
	return "this machine hands out no firmware tables"
}

// ReadTables decodes the structure table in a record; version is that of its
// entry point. The record's outcome explains every fact that only the tables
// tell.
func (x *Draft) ReadTables(r capture.Record, table []byte, version int) {
	x.Tables.Record = r
	if r.Outcome != capture.OK {
		return
	}
	list, err := smbios.Walk(table)
	if err != nil {
		x.Tables.Record.Detail = err.Error()
	}
	if len(list) == 0 {
		x.Tables.Record.Outcome = capture.Failed
		return
	}
	x.Tables.Read = true
	x.Tables.Info = smbios.Describe(list, version)
	if p := &x.D.Processor; p.Name.IsZero() {
		// processors without a brand string
		x.Set(fact.ProcessorName, x.Tables.Info.Processor.Name, "SMBIOS type 4")
	}
	if err != nil {
		// What came before the break counts; a list of modules may lack some.
		x.Tables.Record.Outcome = capture.Failed
	}
	if x.Tables.Info.Firmware.Virtual && x.D.Device.Environment.IsZero() {
		x.Set(fact.DeviceEnvironment, "guest", "SMBIOS type 0")
	}
}

// Modules takes installed memory, slots and modules from the tables.
func (x *Draft) Modules() {
	m, in := &x.D.Memory, &x.Tables.Info
	if !x.Tables.Read {
		for _, name := range []string{
			"memory.installed_bytes", "memory.slots", "memory.slots_used", "memory.max_bytes", "memory.modules",
		} {
			x.Why(name, x.Tables.Record, x.Tables.Missing())
		}
		return
	}
	broken := x.Tables.Record.Outcome == capture.Failed
	switch {
	case broken:
		for _, name := range []string{"memory.installed_bytes", "memory.slots", "memory.slots_used", "memory.modules"} {
			x.Why(name, x.Tables.Record, "")
		}
	case in.SizeUnknown:
		x.Gap(fact.MemoryInstalled, inventory.NotOffered,
			"firmware does not know the size of a module that is fitted",
			"Look at the modules, and enter memory.installed_bytes by hand.")
	case in.Installed > 0 && x.lessThanVisible(in.Installed):
		x.Disagree("memory.installed_bytes", differ(in.Installed, "SMBIOS type 17"),
			differ(m.Visible.Or(0), "what the system uses, which cannot be more"))
	case in.Installed > 0:
		x.SetNumber(fact.MemoryInstalled, in.Installed, "SMBIOS type 17")
	default:
		x.WhyNot(fact.MemoryInstalled, x.Tables.Record, x.Tables.Missing())
	}
	if in.Slots > 0 && !broken {
		x.SetNumber(fact.MemorySlots, in.Slots, "SMBIOS type 16")
		x.SetNumber(fact.MemorySlotsUsed, in.Used, "SMBIOS type 17")
	}
	if in.Max > 0 {
		x.SetNumber(fact.MemoryMax, in.Max, "SMBIOS type 16, the firmware's claim")
	}
	for _, mod := range in.Modules {
		m.Modules = append(m.Modules, module(mod))
	}
}

// lessThanVisible: the tables name less memory than the system has in use, so
// they leave modules out.
func (x *Draft) lessThanVisible(installed int64) bool {
	return x.D.Memory.Visible.Or(0) > installed
}

func module(s smbios.Module) inventory.Module {
	m := inventory.Module{
		Slot:         Known(s.Slot),
		Type:         Known(s.Type),
		Form:         Known(s.Form),
		Manufacturer: Known(s.Manufacturer),
		PartNumber:   Known(s.Part),
		Soldered:     Some(s.Soldered),
	}
	if !s.Unknown {
		m.Bytes = Some(s.Bytes)
	}
	if s.Bytes > 0 && s.SpeedMTS > 0 {
		m.SpeedMTS = Some(s.SpeedMTS)
	}
	if s.Bytes > 0 {
		if s.ECC.Said {
			m.ECC = Some(s.ECC.Yes)
		}
		if s.Registered.Said {
			m.Registered = Some(s.Registered.Yes)
		}
		if s.Millivolts > 0 {
			m.Millivolts = Some(s.Millivolts)
		}
	}
	if s.Bytes == 0 && !s.Unknown {
		m.Soldered = Some(false) // nothing is there that could be
	}
	return m
}

func differ(bytes int64, source string) inventory.Differ {
	return inventory.Differ{Value: strconv.FormatInt(bytes, 10), Source: source}
}
