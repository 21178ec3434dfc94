package smbios_test

import (
	"encoding/binary"
	"slices"
	"testing"

	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/internal/expect"
)

// structure makes one table entry; set is offset → bytes.
func structure(kind byte, handle uint16, length int, set map[int][]byte, text ...string) []byte {
	b := make([]byte, length)
	b[0], b[1] = kind, byte(length)
	binary.LittleEndian.PutUint16(b[2:], handle)
	for off, v := range set {
		copy(b[off:], v)
	}
	for _, t := range text {
		b = append(append(b, t...), 0)
	}
	if len(text) == 0 {
		b = append(b, 0)
	}
	return append(b, 0)
}

func u16(v uint16) []byte { return binary.LittleEndian.AppendUint16(nil, v) }
func u32(v uint32) []byte { return binary.LittleEndian.AppendUint32(nil, v) }
func u64(v uint64) []byte { return binary.LittleEndian.AppendUint64(nil, v) }

var uuid = []byte{0x33, 0x22, 0x11, 0x00, 0x55, 0x44, 0x77, 0x66, 0x88, 0x99, 0xaa, 0xbb, 0xcc, 0xdd, 0xee, 0xff}

func module(array uint16, size uint16, more map[int][]byte, text ...string) []byte {
	set := map[int][]byte{4: u16(array), 0x0C: u16(size), 0x0E: {0x09}, 0x12: {0x1A}, 0x15: u16(2666), 0x10: {1}}
	for k, v := range more {
		set[k] = v
	}
	return structure(17, 0x1100, 92, set, append([]string{"Slot A"}, text...)...)
}

func describe(t *testing.T, version int, parts ...[]byte) smbios.Info {
	t.Helper()
	table := slices.Concat(append(parts, structure(127, 0xFEFF, 4, nil))...)
	list, err := smbios.Walk(table)
	if err != nil {
		t.Fatal(err)
	}
	return smbios.Describe(list, version)
}

func array(handle uint16, use byte, slots uint16, kib uint32, ext uint64) []byte {
	return structure(16, handle, 23, map[int][]byte{5: {use}, 7: u32(kib), 0x0D: u16(slots), 0x0F: u64(ext)})
}

func TestIdentity(t *testing.T) {
	in := describe(t, 0x0300,
		structure(0, 0, 26, map[int][]byte{4: {1}, 5: {2}, 8: {3}, 0x13: {1 << 3}}, "Plover Firmware", "1.14",
			"11/07/2022"),
		structure(1, 1, 27, map[int][]byte{4: {1}, 5: {2}, 6: {3}, 7: {4}, 8: uuid}, "Ostrel", "Slipway 14",
			"To be filled by O.E.M.", "TW1234567"),
		structure(2, 2, 15, map[int][]byte{4: {1}, 5: {2}, 7: {3}, 9: {1}}, "Ostrel", "OS-14B", "Default string"),
		structure(3, 3, 22, map[int][]byte{5: {0x80 | 10}, 8: {1}}, "000000"),
		structure(4, 4, 48, map[int][]byte{0x10: {1}, 0x16: u16(1600), 0x18: {1<<6 | 1}}, "Corvane K5-8250U"))
	expect.Same(t, "in.Firmware.Vendor", in.Firmware.Vendor, "Plover Firmware")
	expect.Same(t, "in.Firmware.Date", in.Firmware.Date, "2022-11-07")
	expect.That(t, "in.Firmware.UEFI", in.Firmware.UEFI)
	expect.That(t, "!in.Firmware.Virtual", !in.Firmware.Virtual)
	expect.Same(t, "in.System.Manufacturer", in.System.Manufacturer, "Ostrel")
	expect.Same(t, "in.System.Version", in.System.Version, "")
	expect.Same(t, "in.System.Serial", in.System.Serial, "TW1234567")
	expect.Same(t, "in.System.UUID", in.System.UUID, "00112233-4455-6677-8899-aabbccddeeff")
	expect.Same(t, "in.Board.Product", in.Board.Product, "OS-14B")
	expect.Same(t, "in.Board.Serial", in.Board.Serial, "")
	expect.Same(t, "in.Form", in.Form, "laptop")
	expect.Same(t, "in.AssetTag", in.AssetTag, "")
	if in.Processor.Name != "Corvane K5-8250U" || in.Processor.Sockets != 1 {
		t.Errorf("processor: %+v", in.Processor)
	}
}

// Of several boards, the one that hosts the others counts (SMBIOS 3.7, section 7.3.1), whichever is named first.
func TestBoards(t *testing.T) {
	riser := structure(2, 2, 15, map[int][]byte{4: {1}, 5: {2}, 9: {0}}, "Ostrel", "OS-R1")
	hosting := structure(2, 3, 15, map[int][]byte{4: {1}, 5: {2}, 9: {1}}, "Ostrel", "OS-14B")
	unmarked := structure(2, 4, 8, map[int][]byte{4: {1}, 5: {2}}, "Ostrel", "OS-S2")
	for name, tt := range map[string]struct {
		first, second []byte
		want          string
	}{
		"the hosting one first":   {hosting, riser, "OS-14B"},
		"the hosting one second":  {riser, hosting, "OS-14B"},
		"one that does not say":   {unmarked, riser, "OS-S2"},
		"none hosts: the first":   {riser, unmarked, "OS-R1"},
		"the hosting one is both": {hosting, hosting, "OS-14B"},
	} {
		t.Run(name, func(t *testing.T) {
			expect.Same(t, "the board", describe(t, 0x0300, tt.first, tt.second).Board.Product, tt.want)
		})
	}
}

func TestPassword(t *testing.T) {
	for bits, want := range map[byte]string{0: "not-set", 1: "set", 2: "", 3: ""} {
		if got := describe(t, 0x0300, structure(24, 5, 5, map[int][]byte{4: {bits << 2}})).Password; got != want {
			t.Errorf("%d: %q, want %q", bits, got, want)
		}
	}
}

func TestMemory(t *testing.T) {
	const gib = 1 << 30
	in := describe(t, 0x0208,
		array(0x1000, 3, 4, 0x80000000, 128*gib), array(0x1001, 5, 1, 16, 0), // the second holds flash
		module(0x1000, 0x4000, nil),                                 // 16 GiB in MiB
		module(0x1000, 0x7FFF, map[int][]byte{0x1C: u32(32 << 10)}), // 32 GiB in the extended field
		module(0x1000, 0, nil),                                      // empty
		module(0x1000, 0x8200, nil),                                 // 512 KiB
		module(0x1001, 0x4000, nil),                                 // of another array
		module(0x1000, 0x4000, map[int][]byte{0x12: {0x09}}),        // flash
		module(0x1000, 0x4000, map[int][]byte{0x28: {0x04}}))        // persistent
	want := int64(48*gib + 512<<10)
	expect.Same(t, "in.Installed", in.Installed, want)
	expect.Same(t, "in.Slots", in.Slots, 4)
	expect.Same(t, "in.Used", in.Used, 3)
	expect.Same(t, "in.Max", in.Max, 128*gib)
	expect.Same(t, "len(in.Modules)", len(in.Modules), 4)
	unknown := describe(t, 0x0208, array(1, 3, 2, 0, 0), module(1, 0xFFFF, nil), module(1, 0x2000, nil))
	expect.That(t, "unknown.SizeUnknown", unknown.SizeUnknown)
	expect.Same(t, "unknown.Installed", unknown.Installed, 0)
	expect.Same(t, "unknown.Used", unknown.Used, 2)
	kinds := describe(t, 0x0208,
		module(1, 0x2000, map[int][]byte{0x08: u16(72), 0x0A: u16(64), 0x13: u16(1 << 13), 0x26: u16(1200)}),
		module(1, 0x2000, map[int][]byte{0x08: u16(64), 0x0A: u16(64), 0x13: u16(1 << 14)}),
		module(1, 0x2000, map[int][]byte{0x08: u16(0xFFFF), 0x0A: u16(0xFFFF), 0x13: u16(1 << 15)}),
		module(1, 0x2000, map[int][]byte{0x08: u16(0xFFFF), 0x0A: u16(64), 0x13: u16(1 << 7)}))
	yes, no := smbios.Known{Said: true, Yes: true}, smbios.Known{Said: true}
	for i, want := range []smbios.Module{
		{ECC: yes, Registered: yes, Millivolts: 1200}, {ECC: no, Registered: no}, {Registered: yes}, {},
	} {
		m := kinds.Modules[i]
		expect.Same(t, "m.ECC", m.ECC, want.ECC)
		expect.Same(t, "m.Registered", m.Registered, want.Registered)
		expect.Same(t, "m.Millivolts", m.Millivolts, want.Millivolts)
	}
	soldered := describe(t, 0x0208, module(1, 0x2000, map[int][]byte{0x0E: {0x0B}}),
		module(1, 0x2000, map[int][]byte{0x12: {0x1E}}))
	for _, m := range soldered.Modules {
		if !m.Soldered {
			t.Errorf("%+v is not taken as soldered", m)
		}
	}
}

func TestUUID(t *testing.T) {
	all := slices.Repeat([]byte{0xFF}, 16)
	tests := []struct {
		raw     []byte
		version int
		want    string
	}{
		{uuid, 0x0206, "00112233-4455-6677-8899-aabbccddeeff"}, {uuid, 0x0205, "33221100-5544-7766-8899-aabbccddeeff"},
		{make([]byte, 16), 0x0300, ""}, {all, 0x0300, ""}, {uuid[:8], 0x0300, ""},
		{[]byte{0x00, 0x02, 0x00, 0x03, 0x00, 0x04, 0x00, 0x05, 0x00, 0x06, 0, 7, 0, 8, 0, 9}, 0x0300, ""},
	}
	for _, tt := range tests {
		t.Run(tt.want, func(t *testing.T) {
			if got := smbios.UUID(tt.raw, tt.version); got != tt.want {
				t.Errorf("% x at %x: %q, want %q", tt.raw, tt.version, got, tt.want)
			}
		})
	}
}

func TestFilled(t *testing.T) {
	for _, s := range []string{
		"To Be Filled By O.E.M.", "default string", "System Serial Number", "0", "00000000", "xxxx", "  None ",
		"123456789", "",
	} {
		if got := smbios.Filled(s); got != "" {
			t.Errorf("%q counts as filled in: %q", s, got)
		}
	}
	for _, s := range []string{"TW1", "A1", "00000001"} {
		if smbios.Filled(s) != s {
			t.Errorf("%q counts as a placeholder", s)
		}
	}
}

func TestWhatBreaksIsSaidAndTheRestKept(t *testing.T) {
	good := structure(1, 1, 27, map[int][]byte{4: {1}}, "Ostrel")
	tests := []struct {
		name string
		tail []byte
		want string
	}{
		{"length below the header", []byte{2, 3, 0, 0}, "says it has 3 bytes"},
		{"length beyond the end", []byte{2, 200, 0, 0}, "says it has 200 bytes"},
		{"strings without an end", []byte{2, 4, 0, 0, 'a'}, "do not end"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			list, err := smbios.Walk(append(slices.Clone(good), tt.tail...))
			expect.That(t, "err != nil", err != nil)
			expect.Contains(t, err.Error(), tt.want)
			expect.Same(t, "len(list)", len(list), 1)
		})
	}
	if _, err := smbios.Walk(nil); err == nil {
		t.Error("nothing was taken for a table")
	}
}

func TestVersion(t *testing.T) {
	for entry, want := range map[string]int{
		"_SM_\x00\x00\x02\x08":  0x0208,
		"_SM3_\x00\x00\x03\x05": 0x0305,
		"junk":                  0,
		"":                      0,
	} {
		t.Run(entry, func(t *testing.T) {
			if got := smbios.Version([]byte(entry)); got != want {
				t.Errorf("%q: %x, want %x", entry, got, want)
			}
		})
	}
}

func FuzzWalk(f *testing.F) {
	f.Add(slices.Concat(array(1, 3, 2, 0, 0), module(1, 0x7FFF, nil), structure(127, 0, 4, nil)), 0x0300)
	f.Add([]byte{17, 4, 0, 0, 0, 0, 3, 4, 0, 0, 0, 0}, 0x0204)
	f.Fuzz(func(t *testing.T, table []byte, version int) {
		list, _ := smbios.Walk(table)
		if len(list) > len(table)/6+1 {
			t.Errorf("%d structures in %d bytes", len(list), len(table))
		}
		in := smbios.Describe(list, version)
		if in.Installed < 0 || in.Max < 0 {
			t.Errorf("negative memory: %+v", in.Memory)
		}
	})
}
