package windows_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/windows"
	"rolltop.example/rolltop/internal/expect"
)

func TestSettingsOfTheFirmware(t *testing.T) {
	const place = `root\Plover\Firmware`
	two := []string{"Disabled", "Enabled"}
	line := func(name, readOnly, current string, possible ...string) string {
		return windows.SettingsLine(place, name, readOnly, current, possible)
	}
	type want struct{ at, offered, legacy string }
	const unknown = "? not-offered"
	for _, c := range []struct {
		name  string
		lines []string
		want  want
	}{
		{"all three", []string{
			line("Secure Boot", "false", "Disabled", two...), line("TPM State", "false", "Enabled", two...),
			line("Legacy Support", "false", "Disabled", two...),
		}, want{place, "legacy-support, secure-boot, tpm", "false"}},
		{"legacy support is on", []string{line("CSM", "false", "Enabled", two...)},
			want{place, "legacy-support", "true"}},
		{"a value that says nothing", []string{line("CSM", "false", "Auto", "Auto", "Off")},
			want{place, "legacy-support", unknown}},
		{"one that is only shown", []string{line("SecureBoot", "true", "Enabled", two...)}, want{place, "", unknown}},
		{"one that has one value", []string{line("SecureBoot", "false", "Enabled", "Enabled")},
			want{place, "", unknown}},
		{"an empty value is none", []string{line("SecureBoot", "false", "Enabled", "Enabled", " ")},
			want{place, "", unknown}},
		{"one of which that is not told", []string{line("SecureBoot", "", "Enabled", two...)},
			want{place, unknown, unknown}},
		{"not all of them are given out",
			[]string{line("SecureBoot", "false", "Enabled", two...), windows.SettingsMore},
			want{place, unknown, unknown}},
		{"other settings", []string{line("Fan", "false", "Quiet", "Quiet", "Loud")}, want{place, "", unknown}},
		{"a place without settings that matter", []string{line("", "", "")}, want{place, "", unknown}},
		{"blanks in values", []string{line("Secure\tBoot", "false", "Dis\nabled", "a\tb", "c\nd")},
			want{place, "secure-boot", unknown}},
		{"nothing", []string{}, want{unknown, unknown, unknown}},
	} {
		t.Run(c.name, func(t *testing.T) {
			changed(t, func(p pc) { p.ok(windows.BIOSSettings, strings.Join(c.lines, "\n")) }, map[string]string{
				"firmware.settings_interface": c.want.at, "firmware.settings_offered": c.want.offered,
				"firmware.legacy_support": c.want.legacy,
			})
		})
	}
	refused := func(p pc) { refuses(windows.BIOSSettings)(p) }
	changed(t, refused, map[string]string{"firmware.settings_interface": "? needs-rights"})
	changed(t, func(p pc) { p.no(windows.BIOSSettings, capture.NotExposed, 0x80041010) },
		map[string]string{"firmware.settings_interface": unknown})
	expect.Same(t, "a line", line("Secure Boot", "false", "", two...), place+"\tSecure Boot\tfalse\t\tDisabled;Enabled")
}
