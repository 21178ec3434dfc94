package bootlog

import (
	"bytes"
	"strings"
	"unicode/utf16"

	"rolltop.example/rolltop/core/decode/cursor"
)

// Measured is what firmware measured, as far as digests hold the data of the events. Empty values are
// not known.
type Measured struct {
	SecureBoot string // on, off, or setup where the firmware has no platform key
	Keys       Keys
	UEFI       bool     // UEFI firmware handed over to a loader, and the loader took the machine over
	Firmware   string   // version of the code that measured first
	BootOrder  []string // names of the boot entries, in their order
	BootDisk   *Table   // partition table that was measured; nil where there were several: one was only tried
}

// Keys are how many entries firmware measured of each of its lists of keys; -1: it measured none.
type Keys struct{ Platform, Exchange, Allowed, Revoked int }

// Table is a partition table in the form of UEFI.
type Table struct {
	Disk       string // GUID
	Partitions int
}

// Registers of the profile (section 3.3.4).
const (
	registerCode     = 0 // firmware
	registerBoot     = 1 // its settings, boot entries among them
	registerTable    = 5 // partition table, end of the firmware's part
	registerSecurity = 7 // secure boot
)

// guidGlobal is the vendor of the architecture's variables (UEFI Specification, section 3.3); guidImage that
// of the lists of keys (section 32.4).
var (
	guidGlobal = []byte{
		0x61, 0xDF, 0xE4, 0x8B, 0xCA, 0x93, 0xD2, 0x11, 0xAA, 0x0D, 0x00, 0xE0, 0x98, 0x03, 0x2B, 0x8C,
	}
	guidImage = []byte{
		0xCB, 0xB2, 0x19, 0xD7, 0x3A, 0x3D, 0x96, 0x45, 0xA3, 0xBC, 0xDA, 0xD0, 0x0E, 0x67, 0x65, 0x6F,
	}
)

// Measured reads what the events of a log hold by their digests of an algorithm. It is proven only where
// registers 0, 1, 5 and 7 of the TPM have the values that [Log.Replay] gives.
func (l *Log) Measured(algorithm uint16) Measured {
	m := Measured{Keys: Keys{-1, -1, -1, -1}}
	var state secureState
	entries := map[string]string{}
	var bootOrder []string
	var tables []*Table
	begun, ended := false, false
	separated := map[int]bool{}
	for i := range l.Events {
		e := &l.Events[i]
		switch {
		case e.Type == Separator:
			separated[e.Register] = true
		case e.Register == registerSecurity && e.Type == VariableDriverConfig && !separated[e.Register]:
			if v, ok := e.variable(algorithm); ok {
				state.add(v, &m.Keys)
			}
		case e.Register == registerCode && e.Type == SCRTMVersion && e.holds(algorithm, e.Data):
			m.Firmware = wideText(e.Data)
		case e.Register == registerBoot && (e.Type == VariableBoot || e.Type == VariableBoot2):
			if v, ok := e.variable(algorithm); ok && bytes.Equal(v.vendor, guidGlobal) {
				bootOrder = entry(v, entries, bootOrder)
			}
		case e.Register == registerTable && e.Type == Action && e.holds(algorithm, e.Data):
			begun = begun || string(e.Data) == "Exit Boot Services Invocation"
			ended = ended || begun && string(e.Data) == "Exit Boot Services Returned with Success"
		case e.Register == registerTable && e.Type == GPT && e.holds(algorithm, e.Data):
			tables = append(tables, table(e.Data))
		}
	}
	m.UEFI, m.BootDisk = ended, only(tables)
	m.SecureBoot = state.word(m.Keys.Platform)
	for _, number := range bootOrder {
		if name := entries[number]; name != "" {
			m.BootOrder = append(m.BootOrder, name)
		}
	}
	return m
}

// only is the one table of several measurements; nil where they are of different disks, or one is damaged.
func only(tables []*Table) *Table {
	for _, t := range tables {
		if t == nil || *t != *tables[0] {
			return nil
		}
	}
	if len(tables) == 0 {
		return nil
	}
	return tables[0]
}

// secureState gathers what the variable SecureBoot was measured as: firmware may measure it again after
// a change, and two values that differ leave it open.
type secureState struct{ on, off bool }

func (s *secureState) add(v *variable, k *Keys) {
	count := len(v.data)
	switch {
	case bytes.Equal(v.vendor, guidGlobal) && v.name == "SecureBoot":
		on := len(v.data) == 1 && v.data[0] == 1
		s.on = s.on || on
		s.off = s.off || !on && (count == 0 || count == 1 && v.data[0] == 0)
	case bytes.Equal(v.vendor, guidGlobal) && v.name == "PK":
		k.Platform = signatures(v.data)
	case bytes.Equal(v.vendor, guidGlobal) && v.name == "KEK":
		k.Exchange = signatures(v.data)
	case bytes.Equal(v.vendor, guidImage) && v.name == "db":
		k.Allowed = signatures(v.data)
	case bytes.Equal(v.vendor, guidImage) && v.name == "dbx":
		k.Revoked = signatures(v.data)
	}
}

// word is the state. Off with no platform key is set-up mode (UEFI Specification, section 32.3).
func (s *secureState) word(platformKeys int) string {
	switch {
	case s.on == s.off:
		return ""
	case s.on:
		return "on"
	case platformKeys == 0:
		return "setup"
	case platformKeys > 0:
		return "off"
	}
	return ""
}

// variable is a variable of the firmware as it was measured (section 10.2.6).
type variable struct {
	vendor []byte
	name   string
	data   []byte
}

// variable decodes the data of an event where its digest holds them. A digest of the value alone, as earlier
// firmware measured boot entries, does not hold the name, and gives nothing.
func (e *Event) variable(algorithm uint16) (*variable, bool) {
	c := cursor.New(order, e.Data)
	v := &variable{vendor: c.Take(16)}
	names, bytesOf := c.U64(), c.U64()
	if c.Failed || names > 1<<12 || bytesOf > uint64(len(e.Data)) {
		return nil, false
	}
	name := c.Take(int(names) * 2)
	v.data = c.Take(int(bytesOf))
	if c.Failed || len(c.Rest) > 0 {
		return nil, false
	}
	v.name = wideText(name)
	return v, e.holds(algorithm, e.Data)
}

func wideText(b []byte) string {
	var units []uint16
	for i := 0; i+1 < len(b); i += 2 {
		u := order.Uint16(b[i:])
		if u == 0 {
			break
		}
		units = append(units, u)
	}
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7F || r == '\uFFFD' {
			return -1
		}
		return r
	}, string(utf16.Decode(units)))
}

// signatures counts the entries of lists of keys (UEFI Specification, section 32.4.1); -1: they are damaged.
func signatures(b []byte) int {
	n := 0
	for len(b) > 0 {
		c := cursor.New(order, b)
		c.Take(16)
		list, header, each := c.U32(), c.U32(), c.U32()
		if c.Failed || list < 28 || uint64(list) > uint64(len(b)) || each == 0 || uint64(header)+28 > uint64(list) {
			return -1
		}
		n += int((list - 28 - header) / each)
		b = b[list:]
	}
	return n
}

// entry takes over a boot entry or their order, and gives the order.
func entry(v *variable, entries map[string]string, bootOrder []string) []string {
	switch {
	case v.name == "BootOrder" && len(v.data)%2 == 0:
		bootOrder = nil
		for i := 0; i < len(v.data); i += 2 {
			bootOrder = append(bootOrder, strings.ToUpper(hex4(order.Uint16(v.data[i:]))))
		}
	case len(v.name) == 8 && strings.HasPrefix(v.name, "Boot") && len(v.data) > 6:
		entries[strings.ToUpper(v.name[4:])] = wideText(v.data[6:]) // attributes and length of the path come before
	}
	return bootOrder
}

func hex4(n uint16) string {
	const digits = "0123456789abcdef"
	return string([]byte{digits[n>>12], digits[n>>8&15], digits[n>>4&15], digits[n&15]})
}

// table decodes the measured partition table (section 10.2.7): header, count, entries.
func table(b []byte) *Table {
	c := cursor.New(order, b)
	header := c.Take(92)
	count := c.U64()
	if c.Failed || !bytes.HasPrefix(header, []byte("EFI PART")) {
		return nil
	}
	each := uint64(order.Uint32(header[84:]))
	if each < 128 || each > 4096 || count > 4096 || uint64(len(c.Rest)) < count*each {
		return nil
	}
	return &Table{Disk: guidText(header[56:72]), Partitions: int(count)}
}

func guidText(b []byte) string {
	u16 := order.Uint16
	out := hex4(u16(b[2:])) + hex4(u16(b)) + "-" + hex4(u16(b[4:])) + "-" + hex4(u16(b[6:])) + "-"
	for i := 8; i < 16; i += 2 {
		out += hex4(uint16(b[i])<<8 | uint16(b[i+1]))
		if i == 8 {
			out += "-"
		}
	}
	return out
}
