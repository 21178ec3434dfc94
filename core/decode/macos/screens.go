package macos

import (
	"encoding/hex"
	"fmt"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// screens lists adapters and, below each, its displays.
func (x *decoder) screens() {
	r := x.C.Get(Screens.Source())
	list, _ := find(x.tool(Screens), "SPDisplaysDataType").([]any)
	if r.Outcome != capture.OK {
		x.WhyNot(fact.AdapterCount, r, "the system does not report it")
		x.WhyNot(fact.DisplayCount, r, "the system does not report it")
		return
	}
	x.D.Graphics, x.D.Displays = []inventory.Adapter{}, []inventory.Display{}
	for _, item := range list {
		a := inventory.Adapter{Name: build.Known(words(find(item, "sppci_model")))}
		place := fmt.Sprintf("graphics[%d]", len(x.D.Graphics))
		family := strings.TrimPrefix(words(find(item, "spdisplays_mtlgpufamilysupport")), "spdisplays_metal")
		if _, err := strconv.Atoi(family); err == nil {
			a.InterfaceLevel = build.Some(family)
			x.D.Said(place+".interface_level", Screens.Source())
		} else {
			x.D.AddGap(place+".interface_level", inventory.NotOffered,
				"the system does not report this adapter's family",
				"")
		}
		x.None(place+".driver_model", "this system does not have one")
		x.D.Graphics = append(x.D.Graphics, a)
		below, _ := find(item, "spdisplays_ndrvs").([]any)
		for _, d := range below {
			x.display(d)
		}
	}
	x.D.Said("graphics", Screens.Source())
	x.D.Said("displays", Screens.Source())
}

func (x *decoder) display(item any) {
	d := inventory.Display{
		Name:     build.Some(fmt.Sprintf("display %d", len(x.D.Displays)+1)),
		Internal: build.Some(words(find(item, "spdisplays_connection_type")) == "spdisplays_internal"),
	}
	var w, h int64
	if n, _ := fmt.Sscanf(words(find(item, "_spdisplays_pixels")), "%d x %d", &w, &h); n == 2 && w > 0 && h > 0 &&
		w < 100_000 && h < 100_000 {
		d.WidthPx, d.HeightPx = build.Some(w), build.Some(h)
	}
	text := strings.TrimPrefix(words(find(item, "_spdisplays_edid")), "0x")
	if b, err := hex.DecodeString(text); err == nil && len(b) > 0 {
		x.Display(d, capture.Record{Source: Screens.Source(), Outcome: capture.OK, Raw: b})
		return
	}
	x.KeepDisplay(d, "the system hands out no description of this display")
}

// power: on Macs with a chip of their own the usual capacities are per cent,
// and the one called raw is the measure.
func (x *decoder) power() {
	b := x.tool(Battery)
	r := x.C.Get(Battery.Source())
	installed, _ := find(b, "BatteryInstalled").(bool)
	if !installed {
		if r.Outcome != capture.OK {
			x.Why("power", r, "the system does not report it")
			return
		}
		x.Set(fact.PowerSource, "mains", Battery.Source()+", which finds no battery")
		x.None(fact.BatteryPercent.String(), "there is no battery")
		x.None(fact.BatteryHealth.String(), "there is no battery")
		return
	}
	if outside, ok := find(b, "ExternalConnected").(bool); ok {
		power := "battery"
		if outside {
			power = "mains"
		}
		x.Set(fact.PowerSource, power, Battery.Source())
	}
	now, full, design := size(find(b, "CurrentCapacity")), size(find(b, "MaxCapacity")), size(find(b, "DesignCapacity"))
	if full > 0 && now <= full {
		x.SetNumber(fact.BatteryPercent, now*100/full, Battery.Source())
	}
	if raw := size(find(b, "AppleRawMaxCapacity")); raw > 0 {
		full = raw
	} else if full == 100 && design > 200 {
		full = 0 // per cent, and no measure
	}
	if design > 0 && full > 0 && full <= 2*design {
		x.SetNumber(fact.BatteryHealth, full*100/design, Battery.Source())
	}
}
