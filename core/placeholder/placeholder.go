// Package placeholder knows what makers leave in firmware where they should have put
// a serial number, a UUID or a name. One table serves every source: firmware tables,
// the kernel's own files, inventories that are handed in and spreadsheets. A
// placeholder names no machine and is never matched.
package placeholder

import "strings"

// texts are left where a text should stand, in lower case.
var texts = map[string]bool{
	"to be filled by o.e.m.": true, "to be filled by oem": true, "default string": true, "system manufacturer": true,
	"system product name": true, "system serial number": true, "system version": true, "not specified": true,
	"none": true, "n/a": true, "not applicable": true, "invalid": true, "unknown": true, "123456789": true,
	"0123456789": true, "base board serial number": true, "chassis serial number": true, "asset tag": true,
	"no asset tag": true, "no asset information": true, "not available": true, "serial number": true, "empty": true,
	"null": true, "-": true, "?": true, "to be filled": true,
}

// Text returns a text that says something, trimmed, and "" for a placeholder.
func Text(s string) string {
	s = strings.TrimSpace(s)
	if texts[strings.ToLower(s)] || sameThroughout(s) || strings.HasPrefix(strings.ToLower(s), "to be filled") {
		return ""
	}
	return s
}

// sameThroughout: zeros, dots, or one letter again and again. One letter alone
// can name a slot.
func sameThroughout(s string) bool {
	if len(s) == 1 {
		return s[0] < 'A'
	}
	return s != "" && strings.Trim(s, s[:1]) == ""
}

// uuids are the ones that some makers give to every board. The bytes of the first
// three fields may stand in either order.
var uuids = map[string]bool{
	"03000200-0400-0500-0006-000700080009": true,
	"12345678-1234-5678-90ab-cddeefaabbcc": true,
}

// Same says whether two identifiers that may be placeholders are the same one: a
// placeholder is the same as nothing.
func Same(a, b string, clean func(string) string) bool {
	a, b = clean(a), clean(b)
	return a != "" && strings.EqualFold(a, b)
}

// Differ says whether two identifiers contradict each other: both name a machine, and not
// the same one.
func Differ(a, b string, clean func(string) string) bool {
	a, b = clean(a), clean(b)
	return a != "" && b != "" && !strings.EqualFold(a, b)
}

// UUID returns a UUID in lower case, and "" for a placeholder in either byte order: all
// digits alike, or a number that is in every board of a maker.
func UUID(s string) string {
	s = strings.ToLower(strings.TrimSpace(s))
	if Text(strings.ReplaceAll(s, "-", "")) == "" || uuids[s] || uuids[Swap(s)] {
		return ""
	}
	return s
}

// Swap turns round the bytes of a UUID's first three fields: they are stored with
// the least first (SMBIOS 3.7, section 7.2.1), which some firmware and some readers
// have the other way. What is not a UUID is given back.
func Swap(uuid string) string {
	if len(uuid) != 36 || uuid[8] != '-' || uuid[13] != '-' || uuid[18] != '-' {
		return uuid
	}
	turn := func(s string) string {
		var b strings.Builder
		for i := len(s) - 2; i >= 0; i -= 2 {
			b.WriteString(s[i : i+2])
		}
		return b.String()
	}
	return turn(uuid[:8]) + "-" + turn(uuid[9:13]) + "-" + turn(uuid[14:18]) + uuid[18:]
}
