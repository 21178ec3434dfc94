package windows

import (
	"encoding/binary"
	"fmt"

	"rolltop.example/rolltop/core/decode/partition"
)

// Sizes and places in DRIVE_LAYOUT_INFORMATION_EX and its entries.
const (
	layoutHeader = 48
	layoutEntry  = 144
	maxEntries   = 1024
)

// layout decodes DRIVE_LAYOUT_INFORMATION_EX. The system has resolved what
// protective tables there are: the style it says is the style.
func layout(b []byte) (partition.Table, error) {
	if len(b) < layoutHeader {
		return partition.Table{}, fmt.Errorf("the layout has %d bytes", len(b))
	}
	style, ok := map[uint32]string{0: partition.MBR, 1: partition.GPT, 2: partition.None}[binary.LittleEndian.Uint32(b)]
	if !ok {
		return partition.Table{}, fmt.Errorf("the layout has an unknown style")
	}
	t := partition.Table{Style: style}
	count := binary.LittleEndian.Uint32(b[4:])
	for i := range int(min(count, maxEntries)) {
		at := layoutHeader + i*layoutEntry
		if at+layoutEntry > len(b) {
			t.Cut = true
			break
		}
		if p, used := layoutPart(b[at:at+layoutEntry], style); used {
			t.Parts = append(t.Parts, p)
		}
	}
	t.Cut = t.Cut || count > maxEntries
	return t, nil
}

func layoutPart(e []byte, style string) (partition.Part, bool) {
	start, size := int64(binary.LittleEndian.Uint64(e[8:])), int64(binary.LittleEndian.Uint64(e[16:]))
	if start < 0 || size <= 0 {
		return partition.Part{}, false
	}
	p := partition.Part{
		Index: int(binary.LittleEndian.Uint32(e[24:]) & 0xFFFF),
		Start: uint64(start),
		Bytes: uint64(size),
	}
	if style == partition.GPT {
		p.Type, p.ID = partition.GUID(e[32:48]), partition.GUID(e[48:64])
		return p, true
	}
	kind := e[32]
	if kind == 0 {
		return partition.Part{}, false // a place in the table that is not in use
	}
	p.Type, p.Kind, p.Active = fmt.Sprintf("%02x", kind), "primary", e[33] != 0
	if kind == 0x05 || kind == 0x0F {
		p.Kind = "extended"
	} else if p.Index > 4 {
		p.Kind = "logical"
	}
	return p, true
}

// extent is a piece of a volume on a disk.
type extent struct {
	disk        uint32
	start, size int64
}

// extents decodes VOLUME_DISK_EXTENTS. A count of zero is no answer.
func extents(b []byte) []extent {
	if len(b) < 8 {
		return nil
	}
	var out []extent
	for i := range int(min(binary.LittleEndian.Uint32(b), 256)) {
		at := 8 + 24*i
		if at+24 > len(b) {
			return nil
		}
		out = append(out, extent{
			binary.LittleEndian.Uint32(b[at:]), int64(binary.LittleEndian.Uint64(b[at+8:])),
			int64(binary.LittleEndian.Uint64(b[at+16:])),
		})
	}
	return out
}

// WithoutNames clears in a layout what people named and what names one disk,
// apart from the partitions' GUIDs, which boot entries refer to.
func WithoutNames(b []byte) []byte {
	out := append([]byte(nil), b...)
	if len(out) >= layoutHeader {
		clear(out[8:layoutHeader]) // the disk's own GUID or signature
	}
	for at := layoutHeader; at+layoutEntry <= len(out); at += layoutEntry {
		clear(out[at+72 : at+layoutEntry])
	}
	return out
}

// Places in STORAGE_DEVICE_DESCRIPTOR.
const (
	descriptorLeast  = 32
	descriptorSerial = 24
	descriptorBus    = 28
)

// WithoutSerial clears the serial number in a STORAGE_DEVICE_DESCRIPTOR, which
// stands where the header says, up to the next text or the end.
func WithoutSerial(b []byte) []byte {
	out := append([]byte(nil), b...)
	if len(out) < descriptorLeast {
		return out
	}
	at := binary.LittleEndian.Uint32(out[descriptorSerial:])
	if at != 0 && uint64(at) < uint64(len(out)) && at >= descriptorLeast {
		for i := int(at); i < len(out) && out[i] != 0; i++ {
			out[i] = 0
		}
	}
	clear(out[descriptorSerial : descriptorSerial+4])
	return out
}

// ESPOf is the number of the EFI system partition in a layout, or 0.
func ESPOf(b []byte) int {
	t, err := layout(b)
	if err != nil {
		return 0
	}
	for _, p := range t.Parts {
		if p.Type == partition.ESP {
			return p.Index
		}
	}
	return 0
}

// RedactLayout replaces, in a copy of a layout, the partitions' own GUIDs by
// what hide makes of them, as in boot entries, which name them too.
func RedactLayout(b []byte, hide func([]byte) []byte) []byte {
	out := WithoutNames(b)
	for at := layoutHeader; at+layoutEntry <= len(out); at += layoutEntry {
		if id := out[at+48 : at+64]; binary.LittleEndian.Uint32(out[at:]) == 1 {
			copy(id, hide(id))
		}
	}
	return out
}
