package redact

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"

	"rolltop.example/rolltop/core/capture"
)

// checks: the header's checksum is that of its bytes.
func checks(header []byte) bool {
	mended := bytes.Clone(header)
	mendChecksum(mended)
	return bytes.Equal(mended[16:20], header[16:20])
}

// mendChecksum writes the CRC of a GPT header anew (UEFI Specification, section
// 5.3.2): over the header's own length, with the field zeroed.
func mendChecksum(header []byte) {
	size := binary.LittleEndian.Uint32(header[12:])
	if size < 92 || int64(size) > int64(len(header)) {
		return
	}
	clear(header[16:20])
	binary.LittleEndian.PutUint32(header[16:], crc32.ChecksumIEEE(header[:size]))
}

// Places of a GPT header that name one disk: its own GUID, and the second GUID
// of every partition entry.
const (
	gptDiskGUID  = 56
	gptEntryGUID = 16
	gptEntrySize = 128
)

// sectors hides what names one disk in its first sectors, and mends the
// header's checksum, so that the table still reads as sound. The MBR's disk
// signature goes too.
func sectors(raw capture.Bytes, hide func([]byte) []byte) capture.Bytes {
	b := append(capture.Bytes(nil), raw...)
	if len(b) >= 512 {
		// Boot code and the disk's signature go; what tells a file system's first
		// sector from a table stays.
		kept := append(capture.Bytes(nil), b[:446]...)
		clear(b[:446])
		for _, mark := range [][2]int{{3, 11}, {54, 57}, {82, 85}} {
			copy(b[mark[0]:mark[1]], kept[mark[0]:mark[1]])
		}
	}
	for _, sector := range []int{512, 4096} {
		if len(b) < 3*sector || string(b[sector:sector+8]) != "EFI PART" {
			continue
		}
		sound := checks(b[sector:])
		clear(b[sector+gptDiskGUID : sector+gptDiskGUID+16])
		for off := 2 * sector; off+gptEntrySize <= len(b); off += gptEntrySize {
			if id := b[off+gptEntryGUID : off+gptEntryGUID+16]; !bytes.Equal(id, make([]byte, 16)) {
				copy(id, hide(id)) // the same as in boot entries, which name it too
			}
			clear(b[off+56 : off+gptEntrySize]) // the name that somebody gave it
		}
		if sound {
			mendChecksum(b[sector:]) // one that was damaged stays so
		}
	}
	return b
}
