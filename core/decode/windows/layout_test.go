package windows

import (
	"bytes"
	"encoding/binary"
	"testing"

	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/internal/expect"
)

// gptLayout has an EFI system partition as number 2 and a name that somebody
// gave.
func gptLayout() []byte {
	entry := func(kind string, number uint32) string {
		return sample.Put(144, map[int]string{
			0:  sample.U32(1),
			8:  sample.U64(1 << 20),
			16: sample.U64(1 << 28),
			24: sample.U32(number),
			32: sample.GUID(kind),
			48: sample.GUID("71de0000-0000-4000-8000-000000000001"),
			72: sample.Wide("Secret"),
		})
	}
	return []byte(sample.Put(48,
		map[int]string{0: sample.U32(1) + sample.U32(2), 8: "DISKGUIDDISKGUID"}) + entry(sample.BasicData,
		1) + entry(sample.ESP, 2))
}

func TestLayout(t *testing.T) {
	b := gptLayout()
	l, err := layout(b)
	expect.NoError(t, err)
	expect.Same(t, "l.Style", l.Style, "gpt")
	expect.Same(t, "len(l.Parts)", len(l.Parts), 2)
	expect.Same(t, "l.Parts[1].Type", l.Parts[1].Type, sample.ESP)
	expect.Same(t, "l.Parts[1].Bytes", l.Parts[1].Bytes, 1<<28)
	expect.That(t, "!l.Cut", !l.Cut)
	expect.Same(t, "ESPOf(b)", ESPOf(b), 2)
	expect.Same(t, "ESPOf(nil)", ESPOf(nil), 0)
	expect.Same(t, "ESPOf(b[:48+144])", ESPOf(b[:48+144]), 0)
	if l, _ := layout(b[:48+150]); !l.Cut || len(l.Parts) != 1 {
		t.Errorf("what was cut: %+v", l)
	}
	for _, bad := range [][]byte{nil, b[:47], bytes.Repeat([]byte{9}, 48)} {
		if _, err := layout(bad); err == nil {
			t.Errorf("% x was taken", bad)
		}
	}
	for _, out := range [][]byte{
		WithoutNames(b), RedactLayout(b, func([]byte) []byte { return bytes.Repeat([]byte{7}, 16) }),
	} {
		again, err := layout(out)
		expect.NoError(t, err)
		expect.Same(t, "len(again.Parts)", len(again.Parts), 2)
		expect.Lacks(t, string(out), "S\x00e\x00c")
		expect.Lacks(t, string(out), "DISKGUID")
	}
}

// Edges of what stands in bytes and in ids.
func TestEdges(t *testing.T) {
	cores, packages, _ := countTopology([]byte(sample.U32(relationPackage) + sample.U32(8)))
	expect.Same(t, "an entry that is only a head counts", packages, 1)
	expect.Same(t, "as what it is", cores, 0)
	_, packages, _ = countTopology([]byte(sample.U32(relationPackage) + sample.U32(7) + sample.Zeros(8)))
	expect.Same(t, "a shorter one does not", packages, 0)
	table, version := rawTable([]byte{0, 2, 7, 9, 1, 0, 0, 0, 0xAA, 0xBB})
	expect.Same(t, "the version of the tables", version, 0x0207)
	expect.Same(t, "the table", string(table), "\xAA")
	for id, want := range map[string]string{
		"VEN_7E5A&DEV_1050": "7e5a 1050", `PCI\VEN_7E5A&DEV_1050&REV_01`: "7e5a 1050", "DEV_1050": " 1050",
		"ven_7e5a": "7e5a ", "VEN_7E5": " ", "": " ",
	} {
		t.Run(id, func(t *testing.T) {
			vendor, device := pciIDs(id)
			expect.Same(t, "vendor and device", vendor+" "+device, want)
		})
	}
}

func TestWithoutSerial(t *testing.T) {
	b := []byte(sample.Put(40,
		map[int]string{16: sample.U32(40), 24: sample.U32(50)}) + "Model 1\x00\x00\x00SERIAL-77\x00")
	got := WithoutSerial(b)
	expect.Lacks(t, string(got), "SERIAL")
	expect.Same(t, "asciiAt(got, 16)", asciiAt(got, 16), "Model 1")
	expect.Same(t, "asciiAt(got, 24)", asciiAt(got, 24), "")
	expect.Contains(t, string(b), "SERIAL-77")
}

func TestExtents(t *testing.T) {
	two := sample.U32(2) + sample.U32(0) + sample.U32(0) + sample.U32(0) + sample.U64(5) +
		sample.U64(6) + sample.U32(3) +
		sample.U32(0) + sample.U64(7) + sample.U64(8)
	e := extents([]byte(two))
	expect.Same(t, "len(e)", len(e), 2)
	expect.Same(t, "e[1].disk", e[1].disk, 3)
	expect.Same(t, "e[1].start", e[1].start, 7)
	// A call that succeeds and says nothing; one that says more than it has.
	for _, none := range []string{"", sample.Zeros(32), two[:40]} {
		if e := extents([]byte(none)); len(e) != 0 {
			t.Errorf("%q: %+v", none, e)
		}
	}
}

func TestTopology(t *testing.T) {
	core64 := sample.Put(48, map[int]string{0: sample.U32(0) + sample.U32(48), 30: sample.U16(1), 32: sample.U64(3)})
	core32 := sample.Put(44, map[int]string{0: sample.U32(0) + sample.U32(44), 30: sample.U16(1), 32: sample.U32(3)})
	pack := sample.Put(48, map[int]string{0: sample.U32(3) + sample.U32(48)})
	for _, tt := range []struct {
		in                       string
		cores, packages, threads int64
	}{
		{core64 + core64 + pack, 2, 1, 4}, {core32 + core32, 2, 0, 4},
		{core64 + "\x00\x00\x00\x00\x00\x00\x00\x00", 1, 0, 2}, {core64 + core64[:20], 1, 0, 2}, {"", 0, 0, 0},
	} {
		t.Run(tt.in, func(t *testing.T) {
			c, p, n := countTopology([]byte(tt.in))
			expect.Same(t, "c", c, tt.cores)
			expect.Same(t, "p", p, tt.packages)
			expect.Same(t, "n", n, tt.threads)
		})
	}
}

// Sizes at the edge: a partition of one byte is one, one without a byte or before the disk is none.
func TestEdgesOfALayout(t *testing.T) {
	for _, c := range []struct {
		name        string
		start, size int64
		want        int
	}{
		{"at the front", 0, 1, 2}, {"nothing", 1 << 20, 0, 1}, {"less than nothing", 1 << 20, -1, 1},
		{"before it", -1, 1, 1},
	} {
		t.Run(c.name, func(t *testing.T) {
			b := gptLayout()
			second := b[48+144 : 48+288]
			binary.LittleEndian.PutUint64(second[8:], uint64(c.start))
			binary.LittleEndian.PutUint64(second[16:], uint64(c.size))
			after, err := layout(b)
			if err != nil {
				t.Fatal(err)
			}
			if len(after.Parts) != c.want {
				t.Errorf("%d partitions, want %d", len(after.Parts), c.want)
			}
		})
	}
}

func FuzzLayout(f *testing.F) {
	f.Add(gptLayout())
	f.Add([]byte(sample.Put(48, map[int]string{4: sample.U32(200)})))
	f.Fuzz(func(t *testing.T, b []byte) {
		l, err := layout(b)
		if err == nil && len(l.Parts)*layoutEntry > len(b) {
			t.Errorf("%d bytes became %d partitions", len(b), len(l.Parts))
		}
		if out := WithoutNames(b); len(out) != len(b) {
			t.Error("the length changed")
		}
		extents(b)
		countTopology(b)
		WithoutSerial(b)
	})
}
