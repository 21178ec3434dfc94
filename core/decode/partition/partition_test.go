package partition_test

import (
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"testing"

	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/internal/expect"
)

// mbr makes a first sector with entries of type, start and length in sectors.
func mbr(entries ...[3]uint32) []byte {
	b := make([]byte, 34*4096)
	for i, e := range entries {
		at := 446 + 16*i
		b[at+4] = byte(e[0])
		binary.LittleEndian.PutUint32(b[at+8:], e[1])
		binary.LittleEndian.PutUint32(b[at+12:], e[2])
	}
	b[510], b[511] = 0x55, 0xAA
	return b
}

// espGUID is the type of an EFI system partition as it stands on a disk.
var espGUID = []byte{0x28, 0x73, 0x2A, 0xC1, 0x1F, 0xF8, 0xD2, 0x11, 0xBA, 0x4B, 0x00, 0xA0, 0xC9, 0x3E, 0xC9, 0x3B}

// gpt adds a header and one entry behind an MBR.
func gpt(b []byte, sector int) []byte {
	h := b[sector:]
	copy(h, "EFI PART")
	binary.LittleEndian.PutUint32(h[8:], 0x10000)
	binary.LittleEndian.PutUint32(h[12:], 92)
	binary.LittleEndian.PutUint64(h[24:], 1)
	binary.LittleEndian.PutUint64(h[72:], 2)
	binary.LittleEndian.PutUint32(h[80:], 128)
	binary.LittleEndian.PutUint32(h[84:], 128)
	binary.LittleEndian.PutUint32(h[16:], crc32.ChecksumIEEE(h[:92]))
	e := b[2*sector:]
	copy(e, espGUID)
	binary.LittleEndian.PutUint64(e[32:], 2048)
	binary.LittleEndian.PutUint64(e[40:], 4095)
	return b
}

// spoiled are bytes with a zero at a place.
func spoiled(b []byte, at int) []byte {
	b[at] = 0
	return b
}

// Logical partitions are followed where the sectors of their chain are at hand; otherwise the list says that it is cut.
func TestLogicalPartitions(t *testing.T) {
	disk := func(links ...[3]uint32) []byte { // sector, start of the partition in it, next sector in the extended one
		b := mbr([3]uint32{7, 2048, 100}, [3]uint32{0x0F, 8, 100})
		for _, l := range links {
			own := mbr([3]uint32{0x83, l[1], 4})
			if l[2] > 0 {
				own = mbr([3]uint32{0x83, l[1], 4}, [3]uint32{5, l[2], 8})
			}
			copy(b[512*l[0]:], own[:512])
		}
		return b
	}
	for _, tt := range []struct {
		name   string
		head   []byte
		starts []uint64 // of logical partitions, in sectors
		cut    bool
	}{
		{"one", disk([3]uint32{8, 2, 0}), []uint64{10}, false},
		{"two", disk([3]uint32{8, 2, 8}, [3]uint32{16, 1, 0}), []uint64{10, 17}, false},
		{"the chain leads behind what was read", disk([3]uint32{8, 2, 5000}), []uint64{10}, true},
		{"the chain leads to itself", disk([3]uint32{8, 2, 8}, [3]uint32{16, 1, 8}), []uint64{10, 17}, true},
		{"the first sector of the chain is none", disk(), nil, true},
		{"half of the mark of a sector is none", spoiled(disk([3]uint32{8, 2, 0}), 512*8+511), nil, true},
		{"the other half is none either", spoiled(disk([3]uint32{8, 2, 0}), 512*8+510), nil, true},
		{"the extended partition lies behind what was read", disk([3]uint32{8, 2, 0})[:512*8], nil, true},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got, err := partition.Decode(tt.head, 512)
			expect.NoError(t, err)
			var starts []uint64
			for _, p := range got.Parts[2:] {
				expect.Same(t, "the kind", p.Kind, "logical")
				expect.Same(t, "the number", p.Index, 5+len(starts))
				expect.Same(t, "bytes", p.Bytes, 4*512)
				starts = append(starts, p.Start/512)
			}
			expect.Same(t, "the starts", fmt.Sprint(starts), fmt.Sprint(tt.starts))
			expect.Same(t, "cut", got.Cut, tt.cut)
		})
	}
}

func TestDecode(t *testing.T) {
	ntfs := mbr([3]uint32{7, 2048, 100})
	copy(ntfs[3:], "NTFS    ")
	damaged := gpt(mbr([3]uint32{0xEE, 1, 100}), 512)
	damaged[512+40]++
	tests := []struct {
		name   string
		head   []byte
		sector int
		style  string
		parts  int
		hybrid bool
		broken bool
	}{
		{"MBR", mbr([3]uint32{7, 2048, 100}, [3]uint32{0x0F, 4096, 100}), 512, "mbr", 2, false, false},
		{"MBR without entries", mbr(), 512, "mbr", 0, false, false},
		{"GPT", gpt(mbr([3]uint32{0xEE, 1, 0xFFFFFFFF}), 512), 512, "gpt", 1, false, false},
		{"GPT with 4096-byte sectors", gpt(mbr([3]uint32{0xEE, 1, 100}), 4096), 4096, "gpt", 1, false, false},
		{"GPT, the enclosure lies about the sector", gpt(mbr([3]uint32{0xEE, 1, 100}), 4096), 512, "gpt", 1, false,
			false},
		{"hybrid", gpt(mbr([3]uint32{0xEE, 1, 100}, [3]uint32{0x83, 200, 10}), 512), 512, "gpt", 1, true, false},
		{"stale GPT behind an MBR", gpt(mbr([3]uint32{7, 2048, 100}), 512), 512, "mbr", 1, false, false},
		{"damaged header", damaged, 512, "gpt", 0, false, true},
		{"no table", make([]byte, 4096), 512, "none", 0, false, false},
		{"a file system without a table", ntfs, 512, "none", 0, false, false},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, err := partition.Decode(tt.head, tt.sector)
			if err != nil {
				t.Fatal(err)
			}
			expect.Same(t, "got.Style", got.Style, tt.style)
			expect.Same(t, "len(got.Parts)", len(got.Parts), tt.parts)
			expect.Same(t, "got.Hybrid", got.Hybrid, tt.hybrid)
			expect.Same(t, "got.Damaged", got.Damaged, tt.broken)
		})
	}
	got, _ := partition.Decode(gpt(mbr([3]uint32{0xEE, 1, 100}), 4096), 4096)
	p := got.Parts[0]
	expect.Same(t, "p.Type", p.Type, partition.ESP)
	expect.Same(t, "p.Start", p.Start, 2048*4096)
	expect.Same(t, "p.Bytes", p.Bytes, 2048*4096)
	if _, err := partition.Decode(make([]byte, 100), 512); err == nil {
		t.Error("100 bytes were taken for a sector")
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(gpt(mbr([3]uint32{0xEE, 1, 100}), 512)[:4096], 512)
	f.Add(mbr([3]uint32{7, 1, 1})[:512], 4096)
	f.Fuzz(func(t *testing.T, head []byte, sector int) {
		got, err := partition.Decode(head, sector)
		if err == nil && len(got.Parts) > len(head)/16 {
			t.Errorf("%d partitions in %d bytes", len(got.Parts), len(head))
		}
	})
}
