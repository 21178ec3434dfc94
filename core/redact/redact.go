// Package redact takes out of a capture what names one machine, and leaves
// what decoders read, so that a capture can be shown to others.
package redact

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/decode/macos"
	"rolltop.example/rolltop/core/decode/registry"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/decode/windows"
	"rolltop.example/rolltop/core/pattern"
)

// named are the sources whose whole text names one machine.
var named = []string{"/proc/sys/kernel/hostname", "/sys/class/dmi/id/product_serial", "/sys/class/dmi/id/product_uuid",
	"/sys/class/dmi/id/board_serial", linux.DeviceTree + "serial-number",
	"/sys/class/dmi/id/chassis_asset_tag", "/sys/class/dmi/id/chassis_serial", macos.Sysctl("kern.hostname")}

// Capture returns a copy in which serial numbers, UUIDs and the host name are
// keyed hashes. The same value under the same key is the same hash, so that
// captures of one machine can still be matched.
func Capture(d *capture.Document, key []byte) *capture.Document {
	hide := func(b []byte) []byte {
		mac := hmac.New(sha256.New, key)
		mac.Write(b)
		return []byte(hex.EncodeToString(mac.Sum(nil)))
	}
	out := &capture.Document{
		Format:     d.Format,
		TakenAt:    d.TakenAt,
		Version:    d.Version,
		Platform:   d.Platform,
		Elevated:   d.Elevated,
		DurationMS: d.DurationMS,
	}
	for _, r := range d.Records {
		r.Raw = record(r, hide)
		out.Add(r)
	}
	return out
}

func record(r capture.Record, hide func([]byte) []byte) capture.Bytes {
	if len(r.Raw) == 0 {
		return r.Raw
	}
	for _, n := range named {
		if r.Source == n {
			text := strings.TrimSpace(strings.TrimRight(string(r.Raw), "\x00"))
			if smbios.Filled(text) == "" {
				return r.Raw
			}
			if strings.HasSuffix(n, "_uuid") {
				return capture.Bytes(uuid(text, hide))
			}
			return hide([]byte(text))[:16]
		}
	}
	switch {
	case r.Source == "/sys/firmware/dmi/tables/DMI":
		return smbios.Redact(r.Raw, hide)
	case r.Source == windows.Firmware && len(r.Raw) > 8:
		table := smbios.Redact(r.Raw[8:], hide)
		out := append(capture.Bytes(nil), r.Raw[:8]...)
		binary.LittleEndian.PutUint32(out[4:], uint32(len(table)))
		return append(out, table...)
	case r.Source == windows.View64.Value(windows.KeyName, "ComputerName"):
		return hiddenValue(r.Raw, hide)
	case strings.HasSuffix(r.Source, "/"+windows.Layout):
		return windows.RedactLayout(r.Raw, hide)
	case r.Source == macos.Platform.Source(), r.Source == macos.Tables.Source():
		return macos.Redact(r.Raw, hide)
	case isBootEntry(r.Source):
		return efi.RedactEntry(r.Raw, hide)
	case strings.HasSuffix(r.Source, "/edid"), strings.HasSuffix(r.Source, "/"+windows.EDID):
		return edid.Redact(r.Raw)
	case strings.HasPrefix(r.Source, "/run/udev/data/"):
		return udevTable(r.Raw)
	case strings.HasSuffix(r.Source, "/dm/uuid"):
		return layerKind(r.Raw)
	case strings.HasSuffix(r.Source, "/dm/name"):
		return hide(bytes.TrimSpace(r.Raw))[:16]
	case r.Source == "/proc/self/mountinfo":
		return mapped().ReplaceAllFunc(r.Raw, func(path []byte) []byte {
			return append([]byte(mapper), hide(path[len(mapper):])[:16]...)
		})
	case strings.HasPrefix(r.Source, "sectors:"):
		return sectors(r.Raw, hide)
	}
	return r.Raw
}

// mapped are devices by the names that people or installers gave them. A hash of one stays equal to the hash of the
// kernel's note of the name.
var mapped = pattern.Of(mapper + `\S+`)

const mapper = "/dev/mapper/"

// udevTable keeps of the device manager's notes the only line that is read.
func udevTable(raw capture.Bytes) capture.Bytes {
	for line := range strings.Lines(string(raw)) {
		if strings.HasPrefix(line, "E:ID_PART_TABLE_TYPE=") {
			return capture.Bytes(line)
		}
	}
	return nil
}

// layerKind keeps of a device-mapper UUID what says which kind of layer it is.
func layerKind(raw capture.Bytes) capture.Bytes {
	parts := strings.SplitN(string(raw), "-", 3)
	if len(parts) == 3 {
		return capture.Bytes(parts[0] + "-" + parts[1] + "-")
	}
	return capture.Bytes(parts[0] + "-")
}

// isBootEntry: Boot and four hex digits, not BootOrder or BootCurrent.
func isBootEntry(source string) bool {
	rest, ok := strings.CutPrefix(source, "/sys/firmware/efi/efivars/Boot")
	if !ok {
		rest, ok = strings.CutPrefix(source, windows.Variable("Boot"))
	}
	return ok && len(rest) >= 4 && (len(rest) == 4 || rest[4] == '-') &&
		strings.Trim(rest[:4], "0123456789ABCDEF") == ""
}

// uuid is a hash in the form of a UUID.
func uuid(text string, hide func([]byte) []byte) string {
	h := hide([]byte(strings.ToLower(text)))
	return string(h[:8]) + "-" + string(h[8:12]) + "-" + string(h[12:16]) + "-" + string(h[16:20]) + "-" +
		string(h[20:32])
}

// hiddenValue is a text of the registry with a hash in its place.
func hiddenValue(raw capture.Bytes, hide func([]byte) []byte) capture.Bytes {
	v, err := registry.Parse(raw)
	if err != nil {
		return nil
	}
	s, _ := v.Text()
	var wide []byte
	for _, c := range hide([]byte(s))[:16] {
		wide = append(wide, c, 0)
	}
	return registry.Encode(registry.Value{Type: registry.Text, Data: wide})
}
