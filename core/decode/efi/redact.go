package efi

import (
	"bytes"
	"encoding/binary"
)

// RedactEntry replaces, in a copy of a boot entry, the GUID of the partition by
// what hide makes of it, and drops the optional data, which can hold anything.
// An entry that does not parse is dropped whole.
func RedactEntry(variable []byte, hide func([]byte) []byte) []byte {
	if _, err := LoadOption(variable); err != nil {
		return nil
	}
	out := bytes.Clone(variable)
	_, rest, _ := wide(out[10:])
	start := len(out) - len(rest)
	path := out[start : start+int(binary.LittleEndian.Uint16(out[8:]))]
	for b := path; len(b) >= 4; {
		size := int(binary.LittleEndian.Uint16(b[2:]))
		if size < 4 || size > len(b) {
			break
		}
		if b[0] == 4 && b[1] == 1 && size >= 42 {
			copy(b[24:40], hide(b[24:40]))
		}
		b = b[size:]
	}
	return out[:start+len(path)]
}
