package linux

import (
	"slices"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/titles"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// software are the machine-wide packages that were asked for.
func (x *decoder) software() {
	keep, asked := titles.Of(x.C.Get(Asked))
	if !asked {
		x.Gap(fact.TitleCount, inventory.NotAsked, "no titles were asked for", titles.Try)
		return
	}
	status, byRPM := x.C.Get(Dpkg), x.C.Get(RPM)
	apps, haveApps := x.List(Flatpak)
	switch {
	case status.Outcome == capture.OK:
		x.D.Software = titles.Dpkg(status.Raw)
		x.D.Said("software", Dpkg)
	case byRPM.Outcome == capture.OK:
		x.D.Software = titles.Dpkg(byRPM.Raw)
		x.D.Said("software", RPM)
	case byRPM.Outcome == capture.Failed || byRPM.Outcome == capture.Denied:
		x.WhyNot(fact.TitleCount, byRPM, "")
	case x.C.Get(OldRPM).Outcome == capture.OK:
		x.Gap(fact.TitleCount, inventory.NotOffered,
			"this system keeps its packages in a database that the collector does not read",
			"Enter the titles that matter by hand.")
	default:
		x.WhyNot(fact.TitleCount, status, "no list of packages that the collector knows is here")
	}
	if haveApps {
		slices.Sort(apps)
		for _, a := range apps {
			x.D.Software = append(x.D.Software, inventory.Software{Name: a})
		}
	}
	if !keep.All && x.D.GapOf("software") == nil {
		x.D.Collector.Titles = keep.Named
		x.Gap(fact.TitleCount, inventory.NotAsked, "only the titles asked for were read", titles.Try)
	}
}
