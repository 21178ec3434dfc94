package capture

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"strings"

	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/smbios"
)

// named are the sources whose whole text names one machine.
var named = []string{"/proc/sys/kernel/hostname", "/sys/class/dmi/id/product_serial", "/sys/class/dmi/id/product_uuid", "/sys/class/dmi/id/board_serial",
	"/sys/class/dmi/id/chassis_asset_tag", "/sys/class/dmi/id/chassis_serial"}

// Places of a GPT header that name one disk: its own GUID, and the second GUID
// of every partition entry.
const (
	gptDiskGUID  = 56
	gptEntryGUID = 16
	gptEntrySize = 128
)

// Redact returns a copy in which serial numbers, UUIDs and the host name are
// keyed hashes. The same value under the same key is the same hash, so that
// captures of one machine can still be matched.
func (d *Document) Redact(key []byte) *Document {
	hide := func(b []byte) []byte {
		mac := hmac.New(sha256.New, key)
		mac.Write(b)
		return []byte(hex.EncodeToString(mac.Sum(nil)))
	}
	out := *d
	out.at = nil
	out.Records = make([]Record, len(d.Records))
	for i, r := range d.Records {
		r.Raw = redactRecord(r, hide)
		out.Records[i] = r
	}
	return &out
}

func redactRecord(r Record, hide func([]byte) []byte) Bytes {
	if len(r.Raw) == 0 {
		return r.Raw
	}
	for _, n := range named {
		if r.Source == n {
			text := strings.TrimSpace(string(r.Raw))
			if smbios.Filled(text) == "" {
				return r.Raw
			}
			if strings.HasSuffix(n, "_uuid") {
				h := hide([]byte(strings.ToLower(text)))
				return Bytes(string(h[:8]) + "-" + string(h[8:12]) + "-" + string(h[12:16]) + "-" + string(h[16:20]) + "-" + string(h[20:32]))
			}
			return hide([]byte(text))[:16]
		}
	}
	switch {
	case r.Source == "/sys/firmware/dmi/tables/DMI":
		return smbios.Redact(r.Raw, hide)
	case isBootEntry(r.Source):
		return efi.RedactEntry(r.Raw, hide)
	case strings.HasPrefix(r.Source, "/run/udev/data/"):
		return udevTable(r.Raw)
	case strings.HasSuffix(r.Source, "/dm/uuid"):
		return layerKind(r.Raw)
	case strings.HasPrefix(r.Source, "sectors:"):
		return redactSectors(r.Raw, hide)
	}
	return r.Raw
}

// udevTable keeps of the device manager's notes the only line that is read.
func udevTable(raw Bytes) Bytes {
	for line := range strings.Lines(string(raw)) {
		if strings.HasPrefix(line, "E:ID_PART_TABLE_TYPE=") {
			return Bytes(line)
		}
	}
	return nil
}

// layerKind keeps of a device-mapper UUID what says which kind of layer it is.
func layerKind(raw Bytes) Bytes {
	parts := strings.SplitN(string(raw), "-", 3)
	if len(parts) == 3 {
		return Bytes(parts[0] + "-" + parts[1] + "-")
	}
	return Bytes(parts[0] + "-")
}

// isBootEntry: Boot and four hex digits, not BootOrder or BootCurrent.
func isBootEntry(source string) bool {
	rest, ok := strings.CutPrefix(source, "/sys/firmware/efi/efivars/Boot")
	return ok && len(rest) > 4 && rest[4] == '-' && strings.Trim(rest[:4], "0123456789ABCDEF") == ""
}

// redactSectors hides what names one disk in its first sectors, and mends the
// header's checksum, so that the table still reads as sound. The MBR's disk
// signature goes too.
func redactSectors(raw Bytes, hide func([]byte) []byte) Bytes {
	b := append(Bytes(nil), raw...)
	if len(b) >= 512 {
		// Boot code and the disk's signature go; what tells a file system's first
		// sector from a table stays.
		kept := append(Bytes(nil), b[:446]...)
		clear(b[:446])
		for _, mark := range [][2]int{{3, 11}, {54, 57}, {82, 85}} {
			copy(b[mark[0]:mark[1]], kept[mark[0]:mark[1]])
		}
	}
	for _, sector := range []int{512, 4096} {
		if len(b) < 3*sector || string(b[sector:sector+8]) != "EFI PART" {
			continue
		}
		clear(b[sector+gptDiskGUID : sector+gptDiskGUID+16])
		for off := 2 * sector; off+gptEntrySize <= len(b); off += gptEntrySize {
			if id := b[off+gptEntryGUID : off+gptEntryGUID+16]; !bytes.Equal(id, make([]byte, 16)) {
				copy(id, hide(id)) // the same as in boot entries, which name it too
			}
			clear(b[off+56 : off+gptEntrySize]) // the name that somebody gave it
		}
		mendChecksum(b[sector:])
	}
	return b
}
