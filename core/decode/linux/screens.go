package linux

import (
	"cmp"
	"path"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// screens decodes graphics adapters and displays.
type screens struct{ *decoder }

// read lists graphics adapters and connected displays. What an adapter can
// do needs libraries of the system and is not asked.
func (x screens) read() {
	x.adapters()
	x.displays()
}

// pci is where the kernel lists the devices of the bus.
const pci = "/sys/bus/pci/devices"

func (x screens) adapters() {
	names, ok := x.List(pci)
	if !ok {
		x.WhyNot(fact.AdapterCount, x.C.Get(pci+"/"), "this machine has no PCI bus to look on")
		x.WhyNot(fact.DriverCount, x.C.Get(pci+"/"), "this machine has no PCI bus to look on")
		return
	}
	slices.Sort(names) // a directory has no order
	x.D.Graphics, x.D.Drivers = []inventory.Adapter{}, []inventory.Driver{}
	var kinds []string
	for _, n := range names {
		kinds = append(kinds, pci+"/"+n+"/class")
		class, ok := x.Text(pci + "/" + n + "/class")
		if !ok || len(class) < 6 {
			continue
		}
		vendor, _ := x.Text(pci + "/" + n + "/vendor")
		device, _ := x.Text(pci + "/" + n + "/device")
		vendor, device = strings.TrimPrefix(vendor, "0x"), strings.TrimPrefix(device, "0x")
		link, _ := x.Text("link:" + pci + "/" + n + "/driver")
		driver := ""
		if link != "" {
			driver = path.Base(link)
		}
		x.driver(n, class[2:4], vendor+":"+device, driver)
		if class[2:4] == "03" {
			x.adapter(n, vendor, device, driver)
		}
	}
	x.D.Said("graphics", pci)
	x.D.Said("drivers", pci)
	x.NotWhole(kinds, fact.AdapterCount, fact.DriverCount)
}

func (x screens) adapter(at, vendor, device, driver string) {
	a := inventory.Adapter{
		VendorID: build.Known(vendor),
		DeviceID: build.Known(device),
		Name:     build.Some("adapter at " + at + ", no driver"),
	}
	if driver != "" {
		a.Name = build.Some("adapter at " + at + ", driver " + driver)
		version, _ := x.Text("/sys/module/" + driver + "/version")
		a.DriverVersion = build.Known(version)
	}
	i := strconv.Itoa(len(x.D.Graphics))
	level := fact.AdapterLevel.Def()
	x.D.AddGap(
		level.In(i),
		inventory.NotOffered,
		"the kernel does not tell it; only a program that uses the adapter learns it",
		"Let a program that lists the abilities of graphics drivers state the level, and enter it as "+
			level.In(cmp.Or(a.IDs(), i))+".",
	)
	x.None("graphics["+i+"].driver_model", "this system does not have one")
	x.D.Graphics = append(x.D.Graphics, a)
}

// classes of the PCI bus (PCI Code and ID Assignment Specification, section 1)
// that need a driver of their own; bridges and the like need none.
var classes = map[string]string{
	"01": "storage",
	"02": "network",
	"03": "display",
	"04": "media",
	"07": "communication",
	"09": "input",
	"0c": "bus",
	"0d": "wireless",
	"10": "encryption",
	"12": "accelerator",
}

// driver keeps the driver of a device on the bus, or that it has none.
func (x screens) driver(at, class, id, driver string) {
	kind := classes[class]
	if kind == "" {
		return
	}
	d := inventory.Driver{
		Device:     kind + " device at " + at,
		Class:      build.Some(kind),
		HardwareID: build.Some("pci:" + id),
		Provider:   build.Known(driver),
	}
	if driver == "" {
		d.Status = build.Some("no driver")
	} else if version, ok := x.Text("/sys/module/" + driver + "/version"); ok {
		d.Version = build.Known(version)
	}
	x.D.Drivers = append(x.D.Drivers, d)
}

func (x screens) displays() {
	const base = "/sys/class/drm"
	names, ok := x.List(base)
	if !ok {
		x.WhyNot(fact.DisplayCount, x.C.Get(base+"/"), "no graphics driver lists its connectors")
		return
	}
	x.D.Displays = []inventory.Display{}
	var states []string
	for _, n := range names {
		states = append(states, base+"/"+n+"/status")
		if status, _ := x.Text(base + "/" + n + "/status"); status != "connected" {
			continue
		}
		x.display(n, x.C.Get(base+"/"+n+"/edid"))
	}
	x.D.Said("displays", base+"/*/edid")
	x.DisplaysListed()
	x.NotWhole(states, fact.DisplayCount)
}

func (x screens) display(connector string, r capture.Record) {
	d := inventory.Display{Name: build.Some(connector)}
	d.Internal = build.Some(strings.Contains(connector, "eDP") || strings.Contains(connector, "LVDS") ||
		strings.Contains(connector, "DSI"))
	x.Display(d, r)
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
	var supplies []string
	for _, n := range names {
		dir := base + "/" + n
		supplies = append(supplies, dir+"/type", dir+"/scope", dir+"/online")
		kind, _ := x.Text(dir + "/type")
		scope, _ := x.Text(dir + "/scope")
		switch online, known := x.Number(dir + "/online"); {
		case kind == "Battery" && scope != "Device":
			battery = true
			x.battery(dir)
		case (kind == "Mains" || kind == "USB") && known && online == 1:
			x.Set(fact.PowerSource, "mains", dir+"/online")
		}
	}
	r, refused := x.Refused(supplies...)
	switch {
	case !p.Source.IsZero():
	case refused:
		x.WhyNot(fact.PowerSource, r, "")
	case battery:
		x.Set(fact.PowerSource, "battery", base)
	}
	if !battery && !refused {
		const detail = "there is no battery"
		x.None(fact.BatteryPercent.String(), detail)
		x.None(fact.BatteryHealth.String(), detail)
	}
}

func (x *decoder) battery(dir string) {
	if n, ok := x.Number(dir + "/capacity"); ok && n >= 0 && n <= 100 {
		x.SetNumber(fact.BatteryPercent, n, dir+"/capacity")
	}
	for _, unit := range []string{"energy", "charge"} {
		full, ok1 := x.Number(dir + "/" + unit + "_full")
		design, ok2 := x.Number(dir + "/" + unit + "_full_design")
		if ok1 && ok2 && design > 0 && full >= 0 && full <= 2*design {
			x.SetNumber(fact.BatteryHealth, full*100/design, dir+"/"+unit+"_full")
			return
		}
	}
}
