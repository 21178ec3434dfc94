package manual

import (
	"fmt"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// worked are facts that are worked out from rows of lists and can be entered all the
// same: they are written into the rows that they come from.
var worked = map[fact.ID]bool{
	fact.DiskKind:       true,
	fact.DiskHealth:     true,
	fact.MemorySoldered: true,
	fact.DeviceClass:    true,
}

// derived writes a fact into what it is worked out from.
func derived(d *inventory.Document, def *fact.Def, v fact.Value, f *Fact) error {
	switch def.ID {
	case fact.DeviceClass:
		d.Device.Class = inventory.Some(v.Text())
	case fact.DiskKind:
		systemDrives(d, func(k *inventory.Disk) { k.Kind = inventory.Some(v.Text()) })
	case fact.DiskHealth:
		systemDrives(d, func(k *inventory.Disk) { k.Health = inventory.Some(v.Text()) })
	case fact.MemorySoldered:
		if len(d.Memory.Modules) == 0 {
			d.Memory.Modules = []inventory.Module{{}}
		}
		for i := range d.Memory.Modules {
			d.Memory.Modules[i].Soldered = inventory.Some(v.Bool())
		}
	default:
		if v.Float() != 0 {
			return fmt.Errorf("for %s only 0 can be entered, meaning none; otherwise enter the rows, beginning "+
				"with %s[0]",
				def.Name, def.Name)
		}
		return none(d, def, f)
	}
	d.DropGap(def.Name)
	d.Said(def.Name, f.Source())
	return valid(d)
}

// systemDrives changes every drive that is marked as the system's; where none is, one
// is added.
func systemDrives(d *inventory.Document, change func(*inventory.Disk)) {
	if d.SystemDrive() == nil {
		d.Storage.Disks = append(d.Storage.Disks, inventory.Disk{System: inventory.Some(true)})
	}
	for i := range d.Storage.Disks {
		if k := &d.Storage.Disks[i]; k.System.Or(false) {
			change(k)
		}
	}
}

// none writes down that a list has no rows. Rows that were read are not thrown away.
func none(d *inventory.Document, def *fact.Def, f *Fact) error {
	n := 0
	switch def.ID {
	case fact.AdapterCount:
		if n = len(d.Graphics); n == 0 {
			d.Graphics = []inventory.Adapter{}
		}
	case fact.DisplayCount:
		if n = len(d.Displays); n == 0 {
			d.Displays = []inventory.Display{}
		}
	case fact.DriveCount:
		if n = len(d.Storage.Disks); n == 0 {
			d.Storage.Disks = []inventory.Disk{}
		}
	case fact.ModuleCount:
		if n = len(d.Memory.Modules); n == 0 {
			d.Memory.Modules = []inventory.Module{}
		}
	case fact.TitleCount:
		if n = len(d.Software); n == 0 {
			d.Software = []inventory.Software{}
		}
	case fact.DriverCount:
		if n = len(d.Drivers); n == 0 {
			d.Drivers = []inventory.Driver{}
		}
	}
	if n > 0 {
		return fmt.Errorf("%d of %s were read; none cannot be entered", n, def.Name)
	}
	d.DropGap(def.Name)
	d.Said(def.Name, f.Source())
	return valid(d)
}

// addRow adds the row behind the last one of a list, where a fact of it is entered: an
// adapter, a display, a title that nothing has read.
func addRow(d *inventory.Document, def *fact.Def, row int, f *Fact) error {
	if row < 0 {
		return nil
	}
	before := fact.Read(d)
	defer func() {
		// What was entered is there; that there is nothing else is not known by it.
		list := def.ID.Group().String()
		if r := before.Get(def.ID.Group().List()); !r.Value.Known() && !r.Floor().Known() && d.GapOf(list) == nil {
			d.AddGap(list, inventory.NotAsked, "only what was entered by hand is known", "")
		}
	}()
	unnamed := func(what string) string { return fmt.Sprintf("%s %d, entered by hand", what, row+1) }
	switch def.ID.Group() {
	case fact.Adapters:
		if row == len(d.Graphics) {
			d.Graphics = append(d.Graphics, inventory.Adapter{})
		}
	case fact.Displays:
		if row == len(d.Displays) {
			d.Displays = append(d.Displays, inventory.Display{})
		}
	case fact.Disks:
		if row == len(d.Storage.Disks) {
			d.Storage.Disks = append(d.Storage.Disks, inventory.Disk{})
		}
	case fact.Modules:
		if row == len(d.Memory.Modules) {
			d.Memory.Modules = append(d.Memory.Modules, inventory.Module{})
		}
	case fact.Titles:
		if row == len(d.Software) {
			d.Software = append(d.Software, inventory.Software{Name: unnamed("title")})
			if def.ID == fact.TitleName {
				d.Software[row].Name = f.Value
			}
		}
	case fact.Drivers:
		if row == len(d.Drivers) {
			d.Drivers = append(d.Drivers, inventory.Driver{Device: unnamed("device")})
			if def.ID == fact.DriverDevice {
				d.Drivers[row].Device = f.Value
			}
		}
	}
	return nil
}
