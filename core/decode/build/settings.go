package build

import (
	"slices"
	"strings"
	"unicode"

	"rolltop.example/rolltop/core/fact"
)

// Settings of the firmware that steps change, as firmware.settings_offered names them.
const (
	secureBootSetting = "secure-boot"
	tpmSetting        = "tpm"
	legacySetting     = "legacy-support"
)

// settingNames are the names that firmware gives these settings, in small letters and digits alone. A setting whose
// name is not here is not offered, as far as we know.
var settingNames = map[string][]string{
	secureBootSetting: {"secureboot", "securebootenable", "securebootenabled", "securebootcontrol", "securebootstate"},
	tpmSetting: {"tpm", "tpmsecurity", "tpmstate", "tpmdevice", "tpmsupport", "tpmactivation", "tpmenable",
		"securitychip", "securitydevice", "trustedplatformmodule"},
	legacySetting: {"csm", "csmsupport", "compatibilitysupportmodule", "legacysupport", "legacyboot",
		"legacybootsupport", "legacyorom", "legacyoptionrom", "legacyoptionroms"},
}

// SettingOf is the setting that a name of the firmware means: secure-boot, tpm, legacy-support; "" for all others.
func SettingOf(name string) string {
	plain := strings.Map(func(c rune) rune {
		if c < 128 && (unicode.IsLetter(c) || unicode.IsDigit(c)) {
			return unicode.ToLower(c)
		}
		return -1
	}, name)
	for _, setting := range []string{secureBootSetting, tpmSetting, legacySetting} {
		if slices.Contains(settingNames[setting], plain) {
			return setting
		}
	}
	return ""
}

// Setting is one of those that the firmware lets the running system see.
type Setting struct {
	Name    string
	From    string // which source it is from
	Current string
	Several bool // it can be changed, to more than one value
}

// Settings keeps what an interface to the firmware's settings offers, and what it says of legacy support.
func (x *Draft) Settings(from string, list []Setting) {
	offered := []string{}
	for _, s := range list {
		means := SettingOf(s.Name)
		if means == "" || !s.Several {
			continue // it is only shown, or has one value
		}
		if !slices.Contains(offered, means) {
			offered = append(offered, means)
		}
		if means == legacySetting && x.D.Firmware.LegacySupport.IsZero() {
			x.legacySupport(s)
		}
	}
	slices.Sort(offered)
	x.D.Firmware.SettingsOffered = offered
	x.D.Said(fact.SettingsOffered.String(), from)
}

// legacySupport is on or off where the firmware says so in as many words.
func (x *Draft) legacySupport(s Setting) {
	switch strings.ToLower(s.Current) {
	case "enabled", "enable", "on":
		x.SetBool(fact.LegacySupport, true, s.From)
	case "disabled", "disable", "off":
		x.SetBool(fact.LegacySupport, false, s.From)
	}
}
