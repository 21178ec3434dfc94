package windows

import (
	"encoding/binary"
	"fmt"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// device is what was kept of a present device.
type device map[string]string

func (x *decoder) readDevice(n string) device {
	d := device{}
	for _, line := range x.Lines(Device(n)) {
		key, value, _ := strings.Cut(line, "=")
		d[key] = strings.TrimSpace(value)
	}
	return d
}

// driverKey are the values that the driver's installation left for a device.
func (x *decoder) driverKey(d device) (version, date, provider string) {
	if d["driver"] == "" {
		return "", "", ""
	}
	key := KeyClass + `\` + d["driver"]
	return x.keyText(key, "DriverVersion"), isoDate(x.keyText(key, "DriverDate")), x.keyText(key, "ProviderName")
}

// isoDate turns m-d-yyyy into year-month-day.
func isoDate(s string) string {
	var m, d, y int
	if n, _ := fmt.Sscanf(s, "%d-%d-%d", &m, &d, &y); n != 3 || m < 1 || m > 12 || d < 1 || d > 31 || y < 1980 ||
		y > 9999 {
		return ""
	}
	return fmt.Sprintf("%04d-%02d-%02d", y, m, d)
}

// classDisplay is the set-up class of graphics adapters.
const classDisplay = "{4d36e968-e325-11ce-bfc1-08002be10318}"

// pciIDs takes vendor and device out of a hardware id: PCI\VEN_7E5A&DEV_1050&….
func pciIDs(hardware string) (vendor, dev string) {
	s := strings.ToUpper(hardware)
	if i := strings.Index(s, "VEN_"); i >= 0 && len(s) >= i+8 {
		vendor = strings.ToLower(s[i+4 : i+8])
	}
	if i := strings.Index(s, "DEV_"); i >= 0 && len(s) >= i+8 {
		dev = strings.ToLower(s[i+4 : i+8])
	}
	return vendor, dev
}

// screens decodes graphics adapters and displays.
type screens struct{ *decoder }

// read lists the graphics adapters that are devices, with what the graphics
// kernel says of those with the same ids, and the displays.
func (x screens) read() {
	x.adapters()
	x.displays()
}

const noDevices = "the system lists no devices"

func (x screens) adapters() {
	if len(x.Lines(Devices)) == 0 { // every machine has some
		x.WhyNot(fact.AdapterCount, x.C.Get(Devices), noDevices)
		return
	}
	x.D.Graphics = []inventory.Adapter{}
	var devices []string
	for _, n := range x.Lines(Devices) {
		d := x.readDevice(n)
		devices = append(devices, Device(n))
		if !strings.EqualFold(d["class-guid"], classDisplay) {
			continue
		}
		vendor, dev := pciIDs(d["hardware-id"])
		version, date, _ := x.driverKey(d)
		a := inventory.Adapter{
			Name:          build.Known(d["name"]),
			VendorID:      build.Known(vendor),
			DeviceID:      build.Known(dev),
			DriverVersion: build.Known(version),
			DriverDate:    build.Known(date),
		}
		place := "graphics[" + strconv.Itoa(len(x.D.Graphics)) + "]"
		if model := x.driverModel(vendor, dev); model != "" {
			a.DriverModel = build.Some(model)
			x.D.Said(place+".driver_model", DriverModel)
		} else {
			x.D.AddGap(place+".driver_model", inventory.NotOffered, "the graphics kernel does not report this adapter",
				"")
		}
		x.D.Graphics = append(x.D.Graphics, a)
	}
	x.D.Said("graphics", "present devices of the display class")
	x.NotWhole(devices, fact.AdapterCount)
	x.interfaceLevel()
}

// driverModel asks the adapter with these ids: 2700 is 2.7.
func (x screens) driverModel(vendor, dev string) string {
	for _, n := range x.Lines(Adapters) {
		ids, ok := x.raw(Adapter(n, DeviceIDs), 12)
		if !ok || vendor == "" || fmt.Sprintf("%04x", binary.LittleEndian.Uint32(ids[4:])) != vendor ||
			fmt.Sprintf("%04x", binary.LittleEndian.Uint32(ids[8:])) != dev {
			continue
		}
		if v, ok := x.raw(Adapter(n, DriverModel), 4); ok {
			if m := binary.LittleEndian.Uint32(v); m >= 1000 && m < 10000 {
				return fmt.Sprintf("%d.%d", m/1000, m%1000/100)
			}
		}
	}
	return ""
}

// interfaceLevel is that of the default adapter; with several, nothing says
// which that is.
func (x screens) interfaceLevel() {
	s, ok := x.Text(Level)
	code, err := strconv.ParseUint(s, 16, 32)
	known := ok && err == nil && code >= 0x9000 && code <= 0xFFFF
	level := fmt.Sprintf("%d.%d", code>>12, code>>8&0xF)
	for i := range x.D.Graphics {
		place := fmt.Sprintf("graphics[%d].interface_level", i)
		switch {
		case known && len(x.D.Graphics) == 1:
			x.D.Graphics[i].InterfaceLevel = build.Some(level)
			x.D.Said(place, Level)
		case known:
			x.D.AddGap(place, inventory.NotOffered,
				"the default adapter takes level "+level+", and nothing says which of several that is", "")
		default:
			x.Why(place, x.C.Get(Level), "the graphics library is not there, or takes no adapter")
		}
	}
}

// technologies of outputs that are panels inside the machine, as
// DISPLAYCONFIG_VIDEO_OUTPUT_TECHNOLOGY numbers them: LVDS, embedded
// DisplayPort, embedded UDI, internal.
var inside = map[uint32]bool{6: true, 11: true, 13: true, 0x80000000: true}

func (x screens) displays() {
	r := x.C.Get(Displays)
	if r.Outcome != capture.OK {
		x.WhyNot(fact.DisplayCount, r, "the system lists no displays")
		return
	}
	if len(x.Lines(Displays)) == 0 && len(x.Lines(Devices)) == 0 {
		x.WhyNot(fact.DisplayCount, x.C.Get(Devices), noDevices)
		return
	}
	x.D.Displays = []inventory.Display{}
	for _, n := range x.Lines(Displays) {
		d := inventory.Display{Name: build.Some("display " + n)}
		if b, ok := x.raw(Display(n, Technology), 4); ok {
			d.Internal = build.Some(inside[binary.LittleEndian.Uint32(b)])
		}
		x.Display(d, x.C.Get(Display(n, EDID)))
	}
	x.D.Said("displays", "EDID of the active displays")
	x.DisplaysListed()
}

// devices lists the drivers of present devices that have one, and the devices
// that have a problem.
func (x *decoder) devices() {
	if len(x.Lines(Devices)) == 0 {
		x.WhyNot(fact.DriverCount, x.C.Get(Devices), noDevices)
		return
	}
	x.D.Drivers = []inventory.Driver{}
	var keys []string
	for _, n := range x.Lines(Devices) {
		d := x.readDevice(n)
		version, date, provider := x.driverKey(d)
		keys = append(keys, Device(n), View64.Value(KeyClass+`\`+d["driver"], "DriverVersion"))
		problem := problems[d["problem"]]
		if d["problem"] != "" && d["problem"] != "0" && problem == "" {
			problem = "problem " + d["problem"]
		}
		if d["name"] == "" || version == "" && problem == "" {
			continue
		}
		x.D.Drivers = append(x.D.Drivers, inventory.Driver{
			Device: d["name"], Class: build.Known(strings.ToLower(d["class"])),
			HardwareID: build.Known(d["hardware-id"]), Provider: build.Known(provider), Version: build.Known(version),
			Date: build.Known(date), Status: build.Known(problem),
		})
	}
	x.D.Said("drivers", "present devices, and the keys of their drivers")
	x.NotWhole(keys, fact.DriverCount)
}

// problems as the configuration manager numbers them; others keep their number.
var problems = map[string]string{
	"10": "cannot start",
	"22": "turned off",
	"28": "no driver",
	"39": "driver cannot be loaded",
	"43": "stopped after a problem",
	"52": "driver is not signed",
}
