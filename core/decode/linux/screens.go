package linux

import (
	"path"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/draft"
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
	names, ok := x.List(base)
	if !ok {
		x.Why("graphics", x.C.Get(base+"/"), "this machine has no PCI bus to look on")
		return
	}
	x.D.Graphics = []inventory.Adapter{}
	for _, n := range names {
		dir := base + "/" + n
		if _, ok := x.Text(dir + "/class"); !ok {
			continue
		}
		var a inventory.Adapter
		for _, f := range []struct {
			to   *inventory.Opt[string]
			file string
		}{{&a.VendorID, "/vendor"}, {&a.DeviceID, "/device"}} {
			if id, ok := x.Text(dir + f.file); ok {
				*f.to = draft.Some(strings.TrimPrefix(id, "0x"))
			}
		}
		if driver, ok := x.Text("link:" + dir + "/driver"); ok {
			a.Name = draft.Some("adapter at " + n + ", driver " + path.Base(driver))
		} else {
			a.Name = draft.Some("adapter at " + n + ", no driver")
		}
		i := strconv.Itoa(len(x.D.Graphics))
		x.D.AddGap("graphics["+i+"].interface_level", inventory.NotOffered, "no file of the kernel tells it", "")
		x.D.AddGap("graphics["+i+"].driver_model", inventory.NotOffered, "this system has no such thing", "")
		x.D.Graphics = append(x.D.Graphics, a)
	}
	x.D.Said("graphics", base)
}

func (x *decoder) displays() {
	const base = "/sys/class/drm"
	names, ok := x.List(base)
	if !ok {
		x.Why("displays", x.C.Get(base+"/"), "no graphics driver lists its connectors")
		return
	}
	x.D.Displays = []inventory.Display{}
	for _, n := range names {
		if status, _ := x.Text(base + "/" + n + "/status"); status != "connected" {
			continue
		}
		x.D.Displays = append(x.D.Displays, x.display(n, x.C.Get(base+"/"+n+"/edid")))
	}
	x.D.Said("displays", base+"/*/edid")
}

func (x *decoder) display(connector string, r capture.Record) inventory.Display {
	d := inventory.Display{Name: draft.Some(connector)}
	d.Internal = draft.Some(strings.Contains(connector, "eDP") || strings.Contains(connector, "LVDS") || strings.Contains(connector, "DSI"))
	place := "displays[" + strconv.Itoa(len(x.D.Displays)) + "]"
	in, err := edid.Decode(r.Raw)
	if err != nil {
		x.D.AddGap(place, inventory.ReadFailed, err.Error(), "")
		return d
	}
	if in.Name != "" {
		d.Name = draft.Some(in.Name)
	}
	if in.Width > 0 && in.Height > 0 {
		d.WidthPx, d.HeightPx = draft.Some(in.Width), draft.Some(in.Height)
	}
	if in.DiagonalInches > 0 {
		d.DiagonalInches = draft.Some(in.DiagonalInches)
	}
	if in.BitsPerChannel > 0 {
		d.BitsPerChannel = draft.Some(in.BitsPerChannel)
	}
	return d
}

// power reads mains and battery. A battery of a mouse or a phone has the scope
// Device and does not count.
func (x *decoder) power() {
	const base = "/sys/class/power_supply"
	p := &x.D.Power
	names, ok := x.List(base)
	if !ok {
		x.Why("power", x.C.Get(base+"/"), "this system lists no power supplies")
		return
	}
	battery := false
	for _, n := range names {
		dir := base + "/" + n
		kind, _ := x.Text(dir + "/type")
		scope, _ := x.Text(dir + "/scope")
		switch online, known := x.Number(dir + "/online"); {
		case kind == "Battery" && scope != "Device":
			battery = true
			x.battery(dir)
		case (kind == "Mains" || kind == "USB") && known && online == 1:
			x.Set(&p.Source, "power.source", "mains", dir+"/online")
		}
	}
	if p.Source.IsZero() && battery {
		x.Set(&p.Source, "power.source", "battery", base)
	}
	if !battery {
		const detail = "there is no battery"
		x.D.AddGap("power.battery_percent", inventory.NotOffered, detail, "")
		x.D.AddGap("power.battery_health_percent", inventory.NotOffered, detail, "")
	}
}

func (x *decoder) battery(dir string) {
	p := &x.D.Power
	if n, ok := x.Number(dir + "/capacity"); ok && n >= 0 && n <= 100 {
		x.SetNumber(&p.BatteryPercent, "power.battery_percent", n, dir+"/capacity")
	}
	for _, unit := range []string{"energy", "charge"} {
		full, ok1 := x.Number(dir + "/" + unit + "_full")
		design, ok2 := x.Number(dir + "/" + unit + "_full_design")
		if ok1 && ok2 && design > 0 && full >= 0 && full <= 2*design {
			x.SetNumber(&p.BatteryHealthPercent, "power.battery_health_percent", full*100/design, dir+"/"+unit+"_full")
			return
		}
	}
}
