package smbios

import "bytes"

// personal are the strings that name one machine, by structure type and offset.
var personal = map[byte][]int{
	1:  {0x07},       // serial number
	2:  {0x07, 0x08}, // serial number, asset tag
	3:  {0x07, 0x08},
	4:  {0x20, 0x21},
	11: nil, // free strings of the maker: all of them, see Redact
	17: {0x18, 0x19},
	22: {0x07}, // battery
}

// Redact replaces, in a copy of a structure table, every string that names one
// machine, and its UUID, by what hide makes of them. The length of a string
// stays the same: hide's result is cut, or filled up with dots. What does not
// parse is cut off, since nobody can say what it holds, but for the header that
// shows that something is missing.
func Redact(table []byte, hide func([]byte) []byte) []byte {
	out := bytes.Clone(table)
	list, err := Walk(out)
	if err != nil {
		end := 0
		for i := range list {
			end += len(list[i].Data) + stringsLength(out[end+len(list[i].Data):])
		}
		out = out[:min(len(out), end+4)]
		if len(out) == end+4 {
			out[end+1] = 0xFF // longer than what is there
		}
	}
	for off := 0; off+4 <= len(out); {
		length := int(out[off+1])
		if length < 4 || off+length > len(out) {
			break
		}
		s := out[off : off+length]
		text := out[off+length:]
		size := stringsLength(text)
		redactStructure(s, text[:size], hide)
		if s[0] == 127 {
			break
		}
		off += length + size
	}
	return out
}

// stringsLength is the length of a string set with its end.
func stringsLength(b []byte) int {
	if end := bytes.Index(b, []byte{0, 0}); end >= 0 {
		return end + 2
	}
	return len(b)
}

func redactStructure(s, text []byte, hide func([]byte) []byte) {
	if s[0] == 1 && len(s) >= 24 && UUID(s[8:24], 0) != "" {
		fit(s[8:24], hide(s[8:24]), 0)
	}
	offsets, known := personal[s[0]]
	if !known {
		return
	}
	number := 0
	for start := 0; start < len(text) && text[start] != 0; number++ {
		end := start + bytes.IndexByte(text[start:], 0)
		if end < start {
			return
		}
		if s[0] == 11 || refers(s, offsets, byte(number+1)) {
			if part := text[start:end]; Filled(clean(part)) != "" {
				fit(part, hide(part), '.')
			}
		}
		start = end + 1
	}
}

func refers(s []byte, offsets []int, number byte) bool {
	for _, off := range offsets {
		if off < len(s) && s[off] == number {
			return true
		}
	}
	return false
}

// fit writes from over to, filling up with one byte.
func fit(to, from []byte, with byte) {
	n := copy(to, from)
	for i := n; i < len(to); i++ {
		to[i] = with
	}
}
