package linux

import (
	"path"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/core/inventory"
)

// screens lists graphics adapters and connected displays. What an adapter can
// do needs libraries of the system and is not asked.
func (x *decoder) screens() {
	x.adapters()
	x.displays()
}

func (x *decoder) adapters() {
	const base = "/sys/bus/pci/devices"
	names, ok := x.list(base)
	if !ok {
		x.why("graphics", x.c.Get(base+"/"), "this machine has no PCI bus to look on")
		return
	}
	x.d.Graphics = []inventory.Adapter{}
	for _, n := range names {
		dir := base + "/" + n
		if _, ok := x.text(dir + "/class"); !ok {
			continue
		}
		var a inventory.Adapter
		for _, f := range []struct {
			to   *inventory.Opt[string]
			file string
		}{{&a.VendorID, "/vendor"}, {&a.DeviceID, "/device"}} {
			if id, ok := x.text(dir + f.file); ok {
				*f.to = some(strings.TrimPrefix(id, "0x"))
			}
		}
		if driver, ok := x.text("link:" + dir + "/driver"); ok {
			a.Name = some("adapter at " + n + ", driver " + path.Base(driver))
		} else {
			a.Name = some("adapter at " + n + ", no driver")
		}
		i := strconv.Itoa(len(x.d.Graphics))
		x.d.AddGap("graphics["+i+"].interface_level", inventory.NotOffered, "no file of the kernel tells it", "")
		x.d.AddGap("graphics["+i+"].driver_model", inventory.NotOffered, "this system has no such thing", "")
		x.d.Graphics = append(x.d.Graphics, a)
	}
	x.d.Said("graphics", base)
}

func (x *decoder) displays() {
	const base = "/sys/class/drm"
	names, ok := x.list(base)
	if !ok {
		x.why("displays", x.c.Get(base+"/"), "no graphics driver lists its connectors")
		return
	}
	x.d.Displays = []inventory.Display{}
	for _, n := range names {
		if status, _ := x.text(base + "/" + n + "/status"); status != "connected" {
			continue
		}
		x.d.Displays = append(x.d.Displays, x.display(n, x.c.Get(base+"/"+n+"/edid")))
	}
	x.d.Said("displays", base+"/*/edid")
}

func (x *decoder) display(connector string, r capture.Record) inventory.Display {
	d := inventory.Display{Name: some(connector)}
	d.Internal = some(strings.Contains(connector, "eDP") || strings.Contains(connector, "LVDS") || strings.Contains(connector, "DSI"))
	place := "displays[" + strconv.Itoa(len(x.d.Displays)) + "]"
	in, err := edid.Decode(r.Raw)
	if err != nil {
		x.d.AddGap(place, inventory.ReadFailed, err.Error(), "")
		return d
	}
	if in.Name != "" {
		d.Name = some(in.Name)
	}
	if in.Width > 0 && in.Height > 0 {
		d.WidthPx, d.HeightPx = some(in.Width), some(in.Height)
	}
	if in.DiagonalInches > 0 {
		d.DiagonalInches = some(in.DiagonalInches)
	}
	if in.BitsPerChannel > 0 {
		d.BitsPerChannel = some(in.BitsPerChannel)
	}
	return d
}

// power reads mains and battery. A battery of a mouse or a phone has the scope
// Device and does not count.
func (x *decoder) power() {
	const base = "/sys/class/power_supply"
	p := &x.d.Power
	names, ok := x.list(base)
	if !ok {
		x.why("power", x.c.Get(base+"/"), "this system lists no power supplies")
		return
	}
	battery := false
	for _, n := range names {
		dir := base + "/" + n
		kind, _ := x.text(dir + "/type")
		scope, _ := x.text(dir + "/scope")
		switch online, known := x.number(dir + "/online"); {
		case kind == "Battery" && scope != "Device":
			battery = true
			x.battery(dir)
		case (kind == "Mains" || kind == "USB") && known && online == 1:
			x.set(&p.Source, "power.source", "mains", dir+"/online")
		}
	}
	if p.Source.IsZero() && battery {
		x.set(&p.Source, "power.source", "battery", base)
	}
	if !battery {
		const detail = "there is no battery"
		x.d.AddGap("power.battery_percent", inventory.NotOffered, detail, "")
		x.d.AddGap("power.battery_health_percent", inventory.NotOffered, detail, "")
	}
}

func (x *decoder) battery(dir string) {
	p := &x.d.Power
	if n, ok := x.number(dir + "/capacity"); ok && n >= 0 && n <= 100 {
		x.setNumber(&p.BatteryPercent, "power.battery_percent", n, dir+"/capacity")
	}
	for _, unit := range []string{"energy", "charge"} {
		full, ok1 := x.number(dir + "/" + unit + "_full")
		design, ok2 := x.number(dir + "/" + unit + "_full_design")
		if ok1 && ok2 && design > 0 && full >= 0 && full <= 2*design {
			x.setNumber(&p.BatteryHealthPercent, "power.battery_health_percent", full*100/design, dir+"/"+unit+"_full")
			return
		}
	}
}
