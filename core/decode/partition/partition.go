// Package partition decodes partition tables: the MBR, and the GUID partition
// table of the UEFI Specification, section 5.3.
package partition

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
)

// Styles of a disk.
const (
	GPT  = "gpt"
	MBR  = "mbr"
	None = "none"
)

// ESP is the type GUID of an EFI system partition.
const ESP = "c12a7328-f81f-11d2-ba4b-00a0c93ec93b"

// maxEntries bounds what a header can ask for.
const maxEntries = 1024

// Table is what the first sectors of a disk say.
type Table struct {
	Style   string
	Hybrid  bool // a GPT whose MBR names partitions of its own
	Damaged bool // a protective MBR with no header that checks
	Sector  int  // bytes, as the table uses them
	Parts   []Part
	Cut     bool // entries lie behind the bytes given; Parts is not complete
}

// Part is an entry of the table.
type Part struct {
	Index        int
	Type         string // a GUID in lower case, or two hex digits
	ID           string // unique GUID of a GPT partition; it names one disk and stays out of inventories
	Kind         string // primary, extended, logical; empty on GPT
	Active       bool   // marked on an MBR as the one to start from
	Start, Bytes uint64 // in bytes
}

// Decode reads a table from the first bytes of a disk (34 sectors hold a usual
// one). sector is the logical sector size; the other usual one is tried too,
// since enclosures lie. An error says that the bytes cannot be a table.
func Decode(head []byte, sector int) (Table, error) {
	if len(head) < 512 {
		return Table{}, fmt.Errorf("partition: %d bytes are no sector", len(head))
	}
	entries := mbrEntries(head)
	signed := head[510] == 0x55 && head[511] == 0xAA
	protective := false
	for _, e := range entries {
		protective = protective || e.Type == "ee"
	}
	if signed && len(entries) > 0 && !protective {
		if superfloppy(head) {
			return Table{Style: None, Sector: sector}, nil
		}
		logical, cut := chains(head, entries, sector)
		parts := append(scale(entries, sector), logical...)
		return Table{Style: MBR, Sector: sector, Parts: parts, Cut: cut}, nil
	}
	for _, size := range []int{sector, 512, 4096} {
		if t, ok := gpt(head, size); ok {
			t.Hybrid = protective && len(entries) > 1
			return t, nil
		}
	}
	switch {
	case protective:
		return Table{Style: GPT, Damaged: true, Sector: sector}, nil
	case signed && !superfloppy(head) && len(entries) == 0 && bytes.Equal(head[446:510], make([]byte, 64)):
		return Table{Style: MBR, Sector: sector}, nil
	}
	return Table{Style: None, Sector: sector}, nil
}

// superfloppy: the first sector is a file system's and not a table's.
func superfloppy(b []byte) bool {
	return bytes.Equal(b[3:11], []byte("NTFS    ")) || bytes.Equal(b[3:11], []byte("MSDOS5.0")) ||
		bytes.Equal(b[54:57], []byte("FAT")) || bytes.Equal(b[82:85], []byte("FAT"))
}

// mbrEntries are the used entries, sizes still in sectors.
func mbrEntries(b []byte) []Part {
	var out []Part
	for i := range 4 {
		e := b[446+16*i : 462+16*i]
		if e[4] == 0 || e[0] != 0 && e[0] != 0x80 {
			continue
		}
		kind := "primary"
		if e[4] == 0x05 || e[4] == 0x0F || e[4] == 0x85 {
			kind = "extended"
		}
		out = append(out, Part{Index: i + 1, Type: fmt.Sprintf("%02x", e[4]), Kind: kind, Active: e[0] == 0x80,
			Start: uint64(binary.LittleEndian.Uint32(e[8:])), Bytes: uint64(binary.LittleEndian.Uint32(e[12:]))})
	}
	return out
}

// maxLogical bounds the logical partitions of a disk: a chain may lead back to itself.
const maxLogical = 128

// chains follows the extended partitions of an MBR, whose sizes are still in sectors, to the logical ones in them. Each
// sector of a chain names one partition, counted from itself, and the next sector, counted from the beginning of the
// extended partition. cut says that a sector of a chain lies behind the bytes given, or is none.
func chains(head []byte, entries []Part, sector int) (out []Part, cut bool) {
	for _, extended := range entries {
		if extended.Kind != "extended" {
			continue
		}
		at := extended.Start
		for {
			from := at * uint64(sector)
			if from+512 > uint64(len(head)) || len(out) >= maxLogical {
				return out, true
			}
			b := head[from : from+512]
			if b[510] != 0x55 || b[511] != 0xAA {
				return out, true
			}
			next := uint64(0)
			for _, e := range mbrEntries(b) {
				switch {
				case e.Kind == "extended":
					next = extended.Start + e.Start
				case e.Index == 1:
					e.Index, e.Kind, e.Start = 5+len(out), "logical", at+e.Start
					out = append(out, scale([]Part{e}, sector)...)
				}
			}
			if next == 0 {
				break
			}
			if next <= at { // a chain leads forward
				return out, true
			}
			at = next
		}
	}
	return out, false
}

func scale(parts []Part, sector int) []Part {
	for i := range parts {
		parts[i].Start *= uint64(sector)
		parts[i].Bytes *= uint64(sector)
	}
	return parts
}

// gpt reads the primary header; a header whose checksum does not fit is none.
func gpt(head []byte, sector int) (Table, bool) {
	if sector < 512 || len(head) < sector+92 || !bytes.Equal(head[sector:sector+8], []byte("EFI PART")) {
		return Table{}, false
	}
	h := head[sector:]
	size := int(binary.LittleEndian.Uint32(h[12:]))
	if size < 92 || size > sector || size > len(h) {
		return Table{}, false
	}
	sum := bytes.Clone(h[:size])
	clear(sum[16:20])
	if crc32.ChecksumIEEE(sum) != binary.LittleEndian.Uint32(h[16:]) {
		return Table{}, false
	}
	t := Table{Style: GPT, Sector: sector}
	at := binary.LittleEndian.Uint64(h[72:])
	count, step := binary.LittleEndian.Uint32(h[80:]), binary.LittleEndian.Uint32(h[84:])
	if step < 128 || step > 4096 || count > maxEntries || at > uint64(len(head)) {
		t.Cut = true
		return t, true
	}
	for i := range int(count) {
		off := int(at)*sector + i*int(step)
		if off+128 > len(head) {
			t.Cut = true
			break
		}
		e := head[off : off+128]
		if bytes.Equal(e[:16], make([]byte, 16)) {
			continue
		}
		first, last := binary.LittleEndian.Uint64(e[32:]), binary.LittleEndian.Uint64(e[40:])
		p := Part{Index: i + 1, Type: GUID(e), ID: GUID(e[16:]), Start: first * uint64(sector)}
		if last >= first && last-first < 1<<50 {
			p.Bytes = (last - first + 1) * uint64(sector)
		}
		t.Parts = append(t.Parts, p)
	}
	return t, true
}

// GUID writes 16 bytes with the first three fields little-endian, as GPT and
// SMBIOS store them.
func GUID(b []byte) string {
	return fmt.Sprintf("%08x-%04x-%04x-%x-%x", binary.LittleEndian.Uint32(b), binary.LittleEndian.Uint16(b[4:]),
		binary.LittleEndian.Uint16(b[6:]), b[8:10], b[10:16])
}
