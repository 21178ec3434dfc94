package edid

import "bytes"

// Redact clears, in a copy of a description, the display's serial number as a
// number and as text (tag FF), and sets the checksum right. Of the extensions, which
// can repeat it, only what DisplayID says of the size of the screen is kept.
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
	kept := sizes(b)
	out[126], out[127] = byte(len(kept)/blockSize), 0
	out[127] = -sum(out)
	if sum(b[:blockSize]) != 0 {
		out[127]-- // a checksum that was wrong stays so
	}
	return append(out, kept...)
}

// sizes is an extension block with the data blocks on the size of a screen, without serial numbers; nothing where there
// are none.
func sizes(b []byte) []byte {
	var blocks []byte
	sections(b, func(tag, flags byte, p []byte) {
		switch tag {
		case paramsOld, paramsNew:
			p = p[:min(len(p), 8)]
		case tiledOld, tiledNew:
			if len(p) < 22 {
				return
			}
			p = bytes.Clone(p[:22])
			clear(p[18:]) // the serial number; tiles of one model stay tiles
		default:
			return
		}
		if len(blocks)+3+len(p) <= blockSize-6 {
			blocks = append(append(blocks, tag, flags, byte(len(p))), p...)
		}
	})
	if blocks == nil {
		return nil
	}
	out := make([]byte, blockSize)
	out[0], out[1], out[2] = extDisplayID, 0x20, byte(len(blocks))
	copy(out[5:], blocks)
	out[127] = -sum(out)
	return out
}
