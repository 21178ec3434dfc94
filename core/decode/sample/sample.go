// Package sample makes raw bytes in the formats that decoders read, for their
// tests and for the demo's recorded machines: firmware tables, variables,
// partition tables, replies of a TPM, descriptions of displays.
//
// Bytes are strings here, so that pieces can be put together with +.
package sample

import (
	"encoding/binary"
	"encoding/hex"
	"hash/crc32"
	"strings"
	"time"
	"unicode/utf16"

	"rolltop.example/rolltop/core/decode/cpu"
)

// U16 is a little-endian number of two bytes.
func U16(v uint16) string { return string(binary.LittleEndian.AppendUint16(nil, v)) }

// U32 is a little-endian number of four bytes.
func U32(v uint32) string { return string(binary.LittleEndian.AppendUint32(nil, v)) }

// U64 is a little-endian number of eight bytes.
func U64(v uint64) string { return string(binary.LittleEndian.AppendUint64(nil, v)) }

// Zeros are n zero bytes.
func Zeros(n int) string { return strings.Repeat("\x00", n) }

// Wide is text in UTF-16, little-endian, with a zero at its end.
func Wide(s string) string {
	var b []byte
	for _, u := range utf16.Encode([]rune(s + "\x00")) {
		b = binary.LittleEndian.AppendUint16(b, u)
	}
	return string(b)
}

// GUID is the 16 bytes of a GUID in its usual spelling, as GPT and SMBIOS store
// them: the first three fields little-endian. A spelling that is none panics.
func GUID(s string) string {
	b, err := hex.DecodeString(strings.ReplaceAll(s, "-", ""))
	if err != nil || len(b) != 16 {
		panic("sample: " + s + " is not a GUID")
	}
	return string([]byte{b[3], b[2], b[1], b[0], b[5], b[4], b[7], b[6]}) + string(b[8:])
}

// Put writes pieces at their places into n bytes.
func Put(n int, pieces map[int]string) string {
	b := make([]byte, n)
	for at, p := range pieces {
		copy(b[at:], p)
	}
	return string(b)
}

// balanced sets the byte at a place so that all bytes sum up to zero.
func balanced(s string, at int) string {
	b := []byte(s)
	b[at] = 0
	sum := byte(0)
	for _, c := range b {
		sum += c
	}
	b[at] = -sum
	return string(b)
}

// Structure is an entry of the firmware tables: formatted area, then its
// strings, to which the area refers by number.
func Structure(kind byte, handle uint16, length int, set map[int]string, text ...string) string {
	area := Put(length, set)
	head := string([]byte{kind, byte(length)}) + U16(handle)
	if len(text) == 0 {
		return head + area[4:] + "\x00\x00"
	}
	for i, t := range text {
		if t == "" {
			text[i] = " " // two zeros in a row would end the strings
		}
	}
	return head + area[4:] + strings.Join(text, "\x00") + "\x00\x00"
}

// EntryPoint is that of version 3 of the firmware tables.
const EntryPoint = "_SM3_\x00\x18\x03\x03\x00\x01\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00"

// Module is a memory device; MiB 0 is an empty slot.
type Module struct {
	Slot        string
	MiB         int
	Type, Form  byte
	Speed       uint16
	Maker, Part string
}

// PC is what firmware says of a machine.
type PC struct {
	Firmware, Version, Date        string
	UEFI, Virtual, Password, TPM   bool
	Maker, Product, Serial, UUID   string
	AssetTag                       string
	BoardMaker, Board, BoardSerial string
	Chassis                        byte
	Processor                      string
	Slots                          int
	MaxGiB                         int
	Modules                        []Module
}

// Tables are the firmware tables of a PC.
func (p PC) Tables() string {
	ext := byte(0)
	if p.UEFI {
		ext |= 1 << 3
	}
	if p.Virtual {
		ext |= 1 << 4
	}
	uuid := Zeros(16)
	if p.UUID != "" {
		uuid = GUID(p.UUID)
	}
	out := Structure(0, 0, 26, map[int]string{4: "\x01\x02", 8: "\x03", 0x13: string([]byte{ext})}, p.Firmware,
		p.Version, p.Date) +
		Structure(1, 1, 27, map[int]string{4: "\x01\x02\x00\x03", 8: uuid}, p.Maker, p.Product, p.Serial) +
		Structure(3, 3, 21, map[int]string{4: "\x01", 5: string([]byte{p.Chassis}), 8: "\x02"}, p.Maker, p.AssetTag) +
		Structure(4, 4, 48, map[int]string{4: "\x01", 5: "\x03", 0x10: "\x02", 0x18: "\x41"}, "CPU 1", p.Processor)
	if p.Board != "" {
		out += Structure(2, 2, 15, map[int]string{4: "\x01\x02\x00\x03", 9: "\x01", 0x0D: "\x0A"}, p.BoardMaker,
			p.Board, p.BoardSerial)
	}
	if p.Password {
		out += Structure(24, 24, 5, map[int]string{4: "\x04"})
	} else {
		out += Structure(24, 24, 5, nil)
	}
	if p.TPM {
		out += Structure(43, 43, 31, map[int]string{4: "PLVR\x02\x00"})
	}
	if p.Slots > 0 || len(p.Modules) > 0 {
		out += Structure(16, 16, 23,
			map[int]string{4: "\x03\x03", 7: U32(uint32(p.MaxGiB) << 20), 0x0D: U16(uint16(p.Slots))})
	}
	for i, m := range p.Modules {
		size := U16(uint16(m.MiB))
		if m.MiB >= 0x7FFF {
			size = U16(0x7FFF)
		}
		out += Structure(17, uint16(17+i)<<4, 40, map[int]string{
			4: U16(16), 0x0C: size, 0x0E: string([]byte{m.Form}), 0x10: "\x01", 0x12: string([]byte{m.Type}),
			0x15: U16(m.Speed), 0x17: "\x02\x00\x00\x03", 0x1C: U32(uint32(m.MiB)),
		}, m.Slot, m.Maker, m.Part)
	}
	return out + Structure(127, 127, 4, nil)
}

// BootEntry is a boot option for a file on a partition, with the attributes in
// front that a variable has.
func BootEntry(description, file, partition string) string {
	name := Wide(file)
	drive := Put(42, map[int]string{0: "\x04\x01" + U16(42) + U32(1), 24: GUID(partition), 40: "\x02\x02"})
	path := drive + "\x04\x04" + U16(uint16(4+len(name))) + name + "\x7F\xFF\x04\x00"
	return U32(7) + U32(1) + U16(uint16(len(path))) + Wide(description) + path
}

// Part is an entry of a partition table, in sectors; Last is inclusive.
type Part struct {
	Type, ID    string // GUIDs
	First, Last uint64
}

// NewPart is an entry with all it has.
func NewPart(kind, id string, first, last uint64) Part {
	return Part{Type: kind, ID: id, First: first, Last: last}
}

// Types of partitions.
const (
	ESP       = "c12a7328-f81f-11d2-ba4b-00a0c93ec93b"
	BasicData = "ebd0a0a2-b9e5-4433-87c0-68b6b72699c7"
	LinuxData = "0fc63daf-8483-4772-8e79-3d69d8477de4"
	RAID      = "a19d880f-05fc-4d3b-a006-743f0f84911e"
)

// GPT is the head of a disk with a protective MBR and a table of 128 entries.
func GPT(sector int, parts ...Part) string {
	mbr := Put(sector, map[int]string{
		446: "\x00\x00\x02\x00\xEE\xFF\xFF\xFF" + U32(1) + U32(0xFFFFFFFF),
		510: "\x55\xAA",
	})
	entries := ""
	for _, p := range parts {
		entries += GUID(p.Type) + GUID(p.ID) + U64(p.First) + U64(p.Last) + Zeros(8+72)
	}
	entries += Zeros(128*128 - len(entries))
	header := "EFI PART" + U32(0x10000) + U32(92) + Zeros(8) + U64(1) + U64(1<<28) + U64(34) + U64(1<<28-34) +
		GUID("5e1f0000-0000-4000-8000-000000000001") +
		U64(2) + U32(128) + U32(128) + U32(crc32.ChecksumIEEE([]byte(entries)))
	sum := crc32.ChecksumIEEE([]byte(header))
	header = header[:16] + U32(sum) + header[20:]
	return mbr + header + Zeros(sector-len(header)) + entries
}

// MBR is the first sector of a disk with partitions of the older sort: type,
// first sector, count. The first one is active.
func MBR(parts ...[3]uint32) string {
	set := map[int]string{510: "\x55\xAA"}
	for i, p := range parts {
		active := "\x00"
		if i == 0 {
			active = "\x80"
		}
		set[446+16*i] = active + "\x00\x02\x00" + string([]byte{byte(p[0])}) + "\x00\x00\x00" + U32(p[1]) + U32(p[2])
	}
	return Put(512, set)
}

// Display is what a display says of itself.
type Display struct {
	Name            string
	Width, Height   int // pixels
	WideMM, HighMM  int
	BitsPerChannel  int
	Before14, Wrong bool // an older version; a checksum that is not right
	Tile            int  // 1 or 2: the left or right half of a screen of twice the width; 0: all of it
}

// tile is the extension block of a half of a screen: a DisplayID 1.3 section with the topology of its tiles.
func (d Display) tile() string {
	topology := "\x12\x00\x16\x82\x10" + string([]byte{byte(d.Tile-1) << 4}) + "\x00" +
		U16(uint16(d.Width-1)) + U16(uint16(d.Height-1)) + Zeros(5) + "\x3D\x8B\x00\x01\x00" + U32(7)
	return balanced(
		Put(128, map[int]string{0: "\x70\x12" + string([]byte{byte(len(topology))}) + "\x00\x00" + topology}),
		127,
	)
}

// EDID is the base block of a display, with an extension block where it is a tile.
func (d Display) EDID() string {
	version, input := "\x01\x04", byte(0x80|(d.BitsPerChannel-4)/2<<4)
	if d.Before14 {
		version, input = "\x01\x03", 0x80
	}
	timing := Put(18, map[int]string{
		0:  U16(14850),
		2:  string([]byte{byte(d.Width), 0, byte(d.Width >> 8 << 4), byte(d.Height), 0, byte(d.Height >> 8 << 4)}),
		12: string([]byte{byte(d.WideMM), byte(d.HighMM), byte(d.WideMM>>8<<4 | d.HighMM>>8)}),
	})
	name := Put(18, map[int]string{3: "\xFC\x00" + d.Name + "\n"})
	if len(d.Name) > 12 {
		panic("sample: " + d.Name + " is too long for a display")
	}
	b := Put(128, map[int]string{
		0:  "\x00\xFF\xFF\xFF\xFF\xFF\xFF\x00\x3D\x8B",
		18: version + string([]byte{input, byte(d.WideMM / 10), byte(d.HighMM / 10)}),
		54: timing,
		72: name,
	})
	switch {
	case d.Wrong:
		return b
	case d.Tile > 0:
		return balanced(b[:126]+"\x01\x00", 127) + d.tile()
	}
	return balanced(b, 127)
}

// NVMeHealth is the health log of a drive at 37 °C: its critical warning, and how much of its life is used up.
func NVMeHealth(warning, wear byte) string {
	return Put(512, map[int]string{
		0: string([]byte{warning}), 1: U16(310), 3: "\x64\x0A" + string([]byte{wear}),
	})
}

// TPM2Answer is the answer to the question for fixed properties.
func TPM2Answer(manufacturer string, major, minor uint32) string {
	be := func(v uint32) string { return string(binary.BigEndian.AppendUint32(nil, v)) }
	pairs := ""
	for _, p := range [][2]string{
		{be(0x100), "2.0\x00"}, {be(0x105), (manufacturer + "\x00\x00\x00")[:4]}, {be(0x10B), be(major<<16 | minor)},
		{be(0x10C), be(0)},
	} {
		pairs += p[0] + p[1]
	}
	body := "\x00" + be(6) + be(4) + pairs
	return "\x80\x01" + be(uint32(10+len(body))) + be(0) + body
}

// TPM12Answer is the answer to the question for the version.
func TPM12Answer(manufacturer string, major, minor byte) string {
	be := func(v uint32) string { return string(binary.BigEndian.AppendUint32(nil, v)) }
	info := "\x00\x30\x01\x02" + string([]byte{major, minor}) + "\x00\x02\x03" + (manufacturer + "\x00\x00\x00")[:4] +
		"\x00\x00"
	return "\x00\xC4" + be(uint32(14+len(info))) + be(0) + be(uint32(len(info))) + info
}

// TPM12Flags is the answer to the question for the permanent flags.
func TPM12Flags(enabled, activated bool) string {
	be := func(v uint32) string { return string(binary.BigEndian.AppendUint32(nil, v)) }
	no := func(is bool) byte {
		if is {
			return 0
		}
		return 1
	}
	flags := "\x00\x1F" + string([]byte{no(enabled), 1, no(activated)}) + Zeros(16)
	return "\x00\xC4" + be(uint32(14+len(flags))) + be(0) + be(uint32(len(flags))) + flags
}

// EventTime is a time as the log of events of Windows has it: an EVT_VARIANT with a FILETIME.
func EventTime(at time.Time) string {
	const from1601To1970, filetime = 11_644_473_600, 17
	return U64(uint64(at.Unix()+from1601To1970)*10_000_000) + U32(0) + U32(filetime)
}

// TPM2Table is the ACPI table that announces a TPM 2.0, with a start method.
func TPM2Table(start uint32) string {
	return balanced(Put(76, map[int]string{0: "TPM2" + U32(76) + "\x04", 48: U32(start)}), 9)
}

// CPU is what a processor says of itself.
type CPU struct {
	Vendor, Name            string // the vendor in twelve letters
	Family, Model, Stepping uint32
	MHz                     uint32
	Narrow                  bool // no 64-bit mode
	Old                     bool // without what came after SSE3
	Hypervisor              string
}

// Leaves are its answers to CPUID.
func (c CPU) Leaves() string {
	word := func(s string, i int) uint32 {
		var b [4]byte
		copy(b[:], s[min(len(s), 4*i):])
		return binary.LittleEndian.Uint32(b[:])
	}
	signature := c.Stepping | c.Model&0xF<<4 | c.Model>>4<<16 | c.Family<<8
	if c.Family > 15 {
		signature = c.Stepping | c.Model&0xF<<4 | c.Model>>4<<16 | 15<<8 | (c.Family-15)<<20
	}
	ecx, ebx7, more, edx := uint32(1|1<<9|1<<13|1<<19|1<<20|1<<23|1<<25|1<<26|1<<28|1<<12|1<<22|1<<29),
		uint32(1<<3|1<<5|1<<8), uint32(1|1<<5|1<<8), uint32(1<<20|1<<29)
	if c.Old {
		ecx, ebx7, more = 1|1<<13, 0, 1
	}
	if c.Narrow {
		ecx, more, edx = 1, 0, 0
	}
	if c.Hypervisor != "" {
		ecx |= 1 << 31
	}
	name := c.Name + Zeros(48-len(c.Name))
	leaves := []cpu.Leaf{
		{Fn: 0, EAX: 0x16, EBX: word(c.Vendor, 0), EDX: word(c.Vendor, 1), ECX: word(c.Vendor, 2)},
		{Fn: 1, EAX: signature, ECX: ecx, EDX: 1<<6 | 1<<26}, {Fn: 7, EBX: ebx7}, {Fn: 0x16, EAX: c.MHz},
		{Fn: 0x80000000, EAX: 0x80000004}, {Fn: 0x80000001, ECX: more, EDX: edx},
	}
	if c.Hypervisor != "" {
		leaves = append(leaves, cpu.Leaf{
			Fn:  0x40000000,
			EAX: 0x40000000,
			EBX: word(c.Hypervisor, 0),
			ECX: word(c.Hypervisor, 1),
			EDX: word(c.Hypervisor, 2),
		})
	}
	for i := range 3 {
		leaves = append(leaves, cpu.Leaf{
			Fn:  0x80000002 + uint32(i),
			EAX: word(name, 4*i),
			EBX: word(name, 4*i+1),
			ECX: word(name, 4*i+2),
			EDX: word(name, 4*i+3),
		})
	}
	return string(cpu.Encode(leaves))
}
