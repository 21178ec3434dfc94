// Package smbios decodes the firmware tables of DMTF's System Management BIOS
// Reference Specification (DSP0134): machine, board, chassis, firmware,
// processor and memory.
//
// The structure's own length decides which fields there are, not the version:
// firmware hands out newer structures under older versions. No length is
// trusted; what can be decoded before a broken structure is kept.
package smbios

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/placeholder"
)

// Structure is one table entry: its formatted area and its strings.
type Structure struct {
	Type   byte
	Handle uint16
	Data   []byte // formatted area, header included
	Text   []string
}

// maxStructures bounds a table that does not end.
const maxStructures = 4096

// Walk splits a structure table. The error says where it broke; what came
// before is returned with it.
func Walk(table []byte) ([]Structure, error) {
	var out []Structure
	for off := 0; off+4 <= len(table) && len(out) < maxStructures; {
		s := Structure{Type: table[off], Handle: binary.LittleEndian.Uint16(table[off+2:])}
		length := int(table[off+1])
		if length < 4 || off+length > len(table) {
			return out, fmt.Errorf("smbios: structure at byte %d says it has %d bytes", off, length)
		}
		s.Data = table[off : off+length]
		rest := table[off+length:]
		end := bytes.Index(rest, []byte{0, 0})
		if end < 0 {
			return out, fmt.Errorf("smbios: strings at byte %d do not end", off+length)
		}
		if end > 0 {
			for _, t := range bytes.Split(rest[:end], []byte{0}) {
				s.Text = append(s.Text, clean(t))
			}
		}
		out = append(out, s)
		if s.Type == 127 {
			break
		}
		off += length + end + 2
	}
	switch {
	case len(out) == 0:
		return nil, fmt.Errorf("smbios: %d bytes hold no structure", len(table))
	case len(out) == maxStructures:
		return out, fmt.Errorf("smbios: the table does not end after %d structures", maxStructures)
	}
	return out, nil
}

// clean makes text of bytes that may be latin-1 or junk.
func clean(b []byte) string {
	var sb strings.Builder
	for _, c := range b {
		if c >= ' ' && c != 0x7F {
			sb.WriteRune(rune(c))
		}
	}
	return strings.Join(strings.Fields(sb.String()), " ")
}

// String returns the string that the byte at an offset refers to; "" where
// there is none or where it is a placeholder.
func (s *Structure) String(off int) string {
	if off >= len(s.Data) || s.Data[off] == 0 || int(s.Data[off]) > len(s.Text) {
		return ""
	}
	return Filled(s.Text[s.Data[off]-1])
}

func (s *Structure) u8(off int) (byte, bool) {
	if off >= len(s.Data) {
		return 0, false
	}
	return s.Data[off], true
}

func (s *Structure) u16(off int) (uint16, bool) {
	if off+2 > len(s.Data) {
		return 0, false
	}
	return binary.LittleEndian.Uint16(s.Data[off:]), true
}

func (s *Structure) u32(off int) (uint32, bool) {
	if off+4 > len(s.Data) {
		return 0, false
	}
	return binary.LittleEndian.Uint32(s.Data[off:]), true
}

func (s *Structure) u64(off int) (uint64, bool) {
	if off+8 > len(s.Data) {
		return 0, false
	}
	return binary.LittleEndian.Uint64(s.Data[off:]), true
}

// Filled returns text that says something, and "" for a placeholder.
func Filled(s string) string { return placeholder.Text(s) }

// Info is what the tables say. Zero values are not known.
type Info struct {
	Firmware struct {
		Vendor, Version, Date string // date as year-month-day
		UEFI, Virtual         bool
	}
	System struct{ Manufacturer, Product, Version, Serial, UUID string }
	Board  struct{ Manufacturer, Product, Serial string }
	Chassis
	Password  string // set, not-set; empty where the tables do not tell
	TPM       bool   // a TPM is described, and not as unsupported
	Processor struct {
		Name       string
		CurrentMHz int64 // a hint only
		Sockets    int64 // populated
	}
	Memory
}

// Chassis is type 3.
type Chassis struct {
	Form     string
	AssetTag string
}

// Memory is types 16 and 17: system memory only.
type Memory struct {
	Installed   int64 // bytes; 0 where any module does not say its size
	SizeUnknown bool  // a module is there whose size firmware does not know
	Slots, Used int64
	Max         int64 // bytes; the firmware's claim
	Modules     []Module
}

// Known is yes or no, or nothing where firmware does not say.
type Known struct{ Said, Yes bool }

// Module is one memory device.
type Module struct {
	Slot, Type, Form, Manufacturer, Part string
	Bytes                                int64 // 0 is an empty slot
	Unknown                              bool  // size not known
	SpeedMTS                             int64
	Soldered                             bool
	Millivolts                           int64 // configured; 0 where not known
	ECC, Registered                      Known
}

// Describe decodes the structures. version is major*256+minor of the entry
// point; it decides the byte order of the UUID.
func Describe(list []Structure, version int) Info {
	var in Info
	arrays := map[uint16]bool{}
	haveArray := false
	for i := range list {
		if s := &list[i]; s.Type == 16 {
			haveArray = true
			if use, ok := s.u8(5); ok && use == 3 {
				arrays[s.Handle] = true
				in.array(s)
			}
		}
	}
	for i := range list {
		s := &list[i]
		switch s.Type {
		case 0:
			if in.Firmware.Vendor == "" {
				in.firmware(s)
			}
		case 1:
			if in.System.Manufacturer != "" {
				continue // one machine; what follows is junk behind a break
			}
			in.System.Manufacturer, in.System.Product = s.String(4), s.String(5)
			in.System.Version, in.System.Serial = s.String(6), s.String(7)
			if len(s.Data) >= 24 {
				in.System.UUID = UUID(s.Data[8:24], version)
			}
		case 2:
			if flags, ok := s.u8(9); in.Board.Product == "" || ok && flags&1 != 0 {
				in.Board.Manufacturer, in.Board.Product, in.Board.Serial = s.String(4), s.String(5), s.String(7)
			}
		case 3:
			if t, ok := s.u8(5); ok && in.Form == "" {
				in.Form, in.AssetTag = form(t&0x7F), s.String(8)
			}
		case 4:
			in.processor(s)
		case 24:
			in.password(s)
		case 43:
			in.tpm(s)
		case 17:
			if handle, ok := s.u16(4); !haveArray || ok && arrays[handle] {
				in.module(s)
			}
		}
	}
	in.Slots = max(in.Slots, int64(len(in.Modules)))
	if in.SizeUnknown {
		in.Installed = 0
	}
	return in
}

func (in *Info) firmware(s *Structure) {
	in.Firmware.Vendor, in.Firmware.Version, in.Firmware.Date = s.String(4), s.String(5), Date(s.String(8))
	if b, ok := s.u8(0x13); ok {
		in.Firmware.UEFI, in.Firmware.Virtual = b&(1<<3) != 0, b&(1<<4) != 0
	}
}

// Date turns a date as firmware writes it, mm/dd/yyyy or mm/dd/yy (DSP0134, section 7.1), into year-month-day; "" if it
// is none.
func Date(s string) string {
	p := strings.Split(s, "/")
	if len(p) != 3 || len(p[0]) != 2 || len(p[1]) != 2 {
		return ""
	}
	if len(p[2]) == 2 {
		// Two digits mean 19xx; before there were such tables, they mean nothing.
		if p[2] < "80" {
			return ""
		}
		p[2] = "19" + p[2]
	}
	return p[2] + "-" + p[0] + "-" + p[1]
}

// password is type 24, hardware security: bits 3:2 say whether set-up asks for
// the administrator's password (0 no, 1 yes, 2 there is no such password, 3 not known).
func (in *Info) password(s *Structure) {
	if b, ok := s.u8(4); ok {
		in.Password = map[byte]string{0: "not-set", 1: "set"}[b>>2&3]
	}
}

// tpm is type 43: vendor, specification, firmware, then characteristics whose
// bit 2 says that they are not supported.
func (in *Info) tpm(s *Structure) {
	if major, ok := s.u8(8); ok && major > 0 {
		flags, _ := s.u64(0x13)
		in.TPM = in.TPM || flags&(1<<2) == 0
	}
}

func (in *Info) processor(s *Structure) {
	if status, ok := s.u8(0x18); !ok || status&(1<<6) == 0 {
		return
	}
	in.Processor.Sockets++
	if in.Processor.Name == "" {
		in.Processor.Name = s.String(0x10)
		mhz, _ := s.u16(0x16)
		in.Processor.CurrentMHz = int64(mhz)
	}
}

func (in *Info) array(s *Structure) {
	n, _ := s.u16(0x0D)
	in.Slots += int64(n)
	kib, ok := s.u32(7)
	if !ok {
		return
	}
	limit := uint64(kib) << 10
	if kib == 0x80000000 {
		limit, _ = s.u64(0x0F)
	}
	if limit < 1<<50 {
		in.Max += int64(limit)
	}
}

var memoryTypes = map[byte]string{0x12: "DDR", 0x13: "DDR2", 0x18: "DDR3", 0x1A: "DDR4", 0x1B: "LPDDR", 0x1C: "LPDDR2",
	0x1D: "LPDDR3", 0x1E: "LPDDR4", 0x20: "HBM", 0x21: "HBM2", 0x22: "DDR5", 0x23: "LPDDR5", 0x07: "RAM"}
var memoryForms = map[byte]string{
	0x03: "SIMM",
	0x09: "DIMM",
	0x0B: "row of chips",
	0x0D: "SODIMM",
	0x0F: "FB-DIMM",
	0x10: "die",
	0x11: "CAMM",
}

// flash and persistent devices are listed among the modules and are no memory.
const (
	typeFlash  = 0x09
	typeROM    = 0x08
	typeEEPROM = 0x0B
	technVol   = 0x03 // DRAM, in the field memory technology
)

func (in *Info) module(s *Structure) {
	size, ok := s.u16(0x0C)
	if !ok {
		return
	}
	kind, _ := s.u8(0x12)
	if kind == typeFlash || kind == typeROM || kind == typeEEPROM {
		return
	}
	if tech, ok := s.u8(0x28); ok && tech > technVol {
		return // persistent memory of one sort or another
	}
	form, _ := s.u8(0x0E)
	m := Module{
		Slot:         s.String(0x10),
		Type:         memoryTypes[kind],
		Form:         memoryForms[form],
		Manufacturer: s.String(0x17),
		Part:         s.String(0x1A),
	}
	m.Soldered = form == 0x0B || strings.HasPrefix(m.Type, "LPDDR")
	if speed, ok := s.u16(0x15); ok && speed != 0xFFFF {
		m.SpeedMTS = int64(speed)
	} else if ext, ok := s.u32(0x54); ok {
		m.SpeedMTS = int64(ext & 0x7FFFFFFF)
	}
	// DSP0134, 7.18: total width above data width holds bits for error correction; bits
	// 13 and 14 of the type detail are registered and unbuffered, 15 is load-reduced.
	total, _ := s.u16(0x08)
	data, ok := s.u16(0x0A)
	if ok && data > 0 && data != 0xFFFF && total >= data && total != 0xFFFF {
		m.ECC = Known{true, total > data}
	}
	if detail, ok := s.u16(0x13); ok && detail>>13 != 0 {
		m.Registered = Known{true, detail&(1<<13|1<<15) != 0}
	}
	if mv, ok := s.u16(0x26); ok {
		m.Millivolts = int64(mv)
	}
	switch {
	case size == 0: // empty
	case size == 0xFFFF:
		m.Unknown, in.SizeUnknown = true, true
	case size == 0x7FFF:
		ext, _ := s.u32(0x1C)
		m.Bytes = int64(ext&0x7FFFFFFF) << 20
	case size&0x8000 != 0:
		m.Bytes = int64(size&0x7FFF) << 10
	default:
		m.Bytes = int64(size) << 20
	}
	if m.Bytes > 0 || m.Unknown {
		in.Used++
	}
	in.Installed += m.Bytes
	in.Modules = append(in.Modules, m)
}

// form names a chassis type.
func form(t byte) string {
	switch t {
	case 3, 4, 5, 6, 7, 15, 16, 35, 36:
		return "desktop"
	case 8, 9, 10, 14, 31, 32:
		return "laptop"
	case 13:
		return "all-in-one"
	case 11, 30:
		return "tablet"
	case 17, 23, 28:
		return "server"
	case 1, 12, 33, 34:
		return "other"
	}
	return ""
}

// UUID writes the 16 bytes in canonical form: since version 2.6 the first three
// fields are little-endian, before they are not. A placeholder is none.
func UUID(b []byte, version int) string {
	if len(b) != 16 {
		return ""
	}
	c := bytes.Clone(b)
	if version >= 0x0206 {
		c[0], c[1], c[2], c[3] = b[3], b[2], b[1], b[0]
		c[4], c[5], c[6], c[7] = b[5], b[4], b[7], b[6]
	}
	return placeholder.UUID(fmt.Sprintf("%x-%x-%x-%x-%x", c[:4], c[4:6], c[6:8], c[8:10], c[10:]))
}

// Version reads major*256+minor from an entry point structure.
func Version(entry []byte) int {
	switch {
	case len(entry) >= 8 && bytes.HasPrefix(entry, []byte("_SM_")):
		return int(entry[6])<<8 | int(entry[7])
	case len(entry) >= 9 && bytes.HasPrefix(entry, []byte("_SM3_")):
		return int(entry[7])<<8 | int(entry[8])
	}
	return 0
}
