package edid

import "bytes"

// Redact clears, in a copy of a description, the display's serial number as a
// number and as text (tag FF), and sets the checksum right. Extensions, which
// can repeat it, are cut off.
func Redact(b []byte) []byte {
	if len(b) < blockSize || !bytes.Equal(b[:8], magic) {
		return nil
	}
	out := bytes.Clone(b[:blockSize])
	clear(out[12:16])
	for off := 54; off+18 <= 126; off += 18 {
		if d := out[off : off+18]; d[0] == 0 && d[1] == 0 && d[3] == 0xFF {
			clear(d[5:])
		}
	}
	out[126], out[127] = 0, 0
	out[127] = -sum(out)
	if sum(b[:blockSize]) != 0 {
		out[127]-- // a checksum that was wrong stays so
	}
	return out
}
