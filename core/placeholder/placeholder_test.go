package placeholder_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/placeholder"
	"rolltop.example/rolltop/internal/expect"
)

func TestText(t *testing.T) {
	for in, want := range map[string]string{
		"TW1234567": "TW1234567", "  OS2 ": "OS2", "B": "B", "": "", "To be filled by O.E.M.": "",
		"to be filled later": "", "Default string": "", "00000000": "", "......": "", "xxxx": "",
		"System Serial Number": "", "0": "", "-": "", "N/A": "", "123456789": "", "1234567890": "1234567890",
	} {
		t.Run(in, func(t *testing.T) {
			if got := placeholder.Text(in); got != want {
				t.Errorf("%q: %q, want %q", in, got, want)
			}
		})
	}
}

// What makers leave where a text should stand says nothing, in any case.
func TestWhatMakersLeave(t *testing.T) {
	for _, text := range []string{
		"to be filled by o.e.m.", "to be filled by oem", "default string", "system manufacturer",
		"system product name", "system serial number", "system version", "not specified", "none", "n/a",
		"not applicable", "invalid", "unknown",
		"123456789", "0123456789", "base board serial number", "chassis serial number", "asset tag", "no asset tag",
		"no asset information", "not available", "serial number", "empty", "null", "-", "?", "to be filled",
	} {
		expect.Same(t, text, placeholder.Text(text), "")
		expect.Same(t, text, placeholder.Text(" "+strings.ToUpper(text)+" "), "")
	}
}

// Every placeholder is one in either byte order and in either case.
func TestUUID(t *testing.T) {
	for _, none := range []string{
		"00000000-0000-0000-0000-000000000000", "ffffffff-ffff-ffff-ffff-ffffffffffff",
		"03000200-0400-0500-0006-000700080009", "12345678-1234-5678-90ab-cddeefaabbcc", "",
	} {
		for _, in := range []string{none, placeholder.Swap(none), strings.ToUpper(none)} {
			if got := placeholder.UUID(in); got != "" {
				t.Errorf("%q is taken for a UUID: %q", in, got)
			}
		}
	}
	const one = "4c4c4544-0042-3510-8052-b4c04f4e3132"
	got := placeholder.UUID(strings.ToUpper(one))
	expect.Same(t, "got", got, one)
	expect.Same(t, "placeholder.Swap(placeholder.Swap(one))", placeholder.Swap(placeholder.Swap(one)), one)
	expect.Same(t, `placeholder.Swap("x")`, placeholder.Swap("x"), "x")
}

// A placeholder is the same as nothing, and contradicts nothing.
func TestPlaceholdersAreNeverMatched(t *testing.T) {
	for _, tt := range []struct {
		a, b         string
		same, differ bool
	}{
		{"TW1", "tw1", true, false}, {"TW1", "TW2", false, true},
		{"To be filled by O.E.M.", "To be filled by O.E.M.", false, false},
		{"Default string", "TW1", false, false}, {"", "", false, false}, {"", "TW1", false, false},
	} {
		t.Run(tt.a, func(t *testing.T) {
			if got := placeholder.Same(tt.a, tt.b, placeholder.Text); got != tt.same {
				t.Errorf("%q and %q are the same: %v", tt.a, tt.b, got)
			}
			if got := placeholder.Differ(tt.a, tt.b, placeholder.Text); got != tt.differ {
				t.Errorf("%q and %q differ: %v", tt.a, tt.b, got)
			}
		})
	}
}
