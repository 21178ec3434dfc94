package windows

import (
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// SettingsLine is one setting of the firmware in the capture: the namespace that it is in, its name, whether it is only
// shown (true, false, or empty where that is not told), its value, and the values that it can have. Of a namespace
// without settings that facts need, there is a line with the namespace alone.
func SettingsLine(namespace, name, readOnly, current string, possible []string) string {
	plain := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	var values []string
	for _, v := range possible {
		if v = plain(v); v != "" {
			values = append(values, v)
		}
	}
	fields := []string{plain(namespace), plain(name), plain(readOnly), plain(current), strings.Join(values, ";")}
	return strings.TrimRight(strings.Join(fields, "\t"), "\t")
}

// SettingsMore is the line that says that not all settings were given out.
const SettingsMore = "\tmore"

// settings are what the firmware lets the running system change, where a program of its maker offers that by the
// published profile (DMTF DSP1061, BIOS Management Profile).
func settings(x *decoder) {
	r := x.C.Get(BIOSSettings)
	var list []build.Setting
	namespace, untold := "", false
	for _, line := range x.Lines(BIOSSettings) {
		if line == SettingsMore {
			untold = true
			continue
		}
		f := append(strings.Split(line, "\t"), "", "", "", "")
		if namespace == "" {
			namespace = f[0]
		}
		if f[1] == "" {
			continue
		}
		untold = untold || build.SettingOf(f[1]) != "" && f[2] == ""
		list = append(list, build.Setting{
			Name: f[1], From: BIOSSettings + " in " + f[0], Current: f[3],
			Several: f[2] == "false" && strings.Contains(f[4], ";"),
		})
	}
	if r.Outcome != capture.OK || namespace == "" {
		for _, id := range []fact.ID{fact.SettingsInterface, fact.SettingsOffered} {
			const detail = "no program offers the settings of the firmware by the published profile; one may by its own"
			x.RefusedOr(id, detail, BIOSSettings)
		}
		return
	}
	x.Set(fact.SettingsInterface, namespace, BIOSSettings)
	x.Settings(BIOSSettings+" in "+namespace, list)
	if untold {
		const detail = "it is not told of every setting whether it can be changed"
		x.Gap(fact.SettingsOffered, inventory.NotOffered, detail, "")
	}
}
