package capture

import (
	"encoding/binary"
	"hash/crc32"
)

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
