// Package registry decodes values of the Windows registry in the form that
// captures keep them: the value's type as four little-endian bytes, then its
// data as the system hands it out.
package registry

import (
	"encoding/binary"
	"errors"
	"strings"
	"unicode/utf16"
)

// Types of values, as the system's published headers number them.
const (
	None       = 0
	Text       = 1
	ExpandText = 2
	Binary     = 3
	Number32   = 4
	List       = 7
	Number64   = 11
)

// Value is one value of a key.
type Value struct {
	Type uint32
	Data []byte
}

// Encode is the form of a value in a capture.
func Encode(v Value) []byte {
	return append(binary.LittleEndian.AppendUint32(nil, v.Type), v.Data...)
}

// Parse reads the form of [Encode].
func Parse(raw []byte) (Value, error) {
	if len(raw) < 4 {
		return Value{}, errors.New("registry: the value has no type")
	}
	return Value{Type: binary.LittleEndian.Uint32(raw), Data: raw[4:]}, nil
}

// Text is a text without the zero that may end it.
func (v Value) Text() (string, bool) {
	if v.Type != Text && v.Type != ExpandText {
		return "", false
	}
	s := Wide(v.Data)
	if i := strings.IndexByte(s, 0); i >= 0 {
		s = s[:i]
	}
	return strings.TrimSpace(s), true
}

// Number is a number of four or eight bytes.
func (v Value) Number() (uint64, bool) {
	switch {
	case v.Type == Number32 && len(v.Data) == 4:
		return uint64(binary.LittleEndian.Uint32(v.Data)), true
	case v.Type == Number64 && len(v.Data) == 8:
		return binary.LittleEndian.Uint64(v.Data), true
	}
	return 0, false
}

// List is every text of a list that is not empty. Lists of file renames have
// empty texts between others, so that the first empty one ends nothing.
func (v Value) List() []string {
	if v.Type != List {
		return nil
	}
	var out []string
	for s := range strings.SplitSeq(Wide(v.Data), "\x00") {
		if s != "" {
			out = append(out, s)
		}
	}
	return out
}

// Wide decodes UTF-16, little-endian; an odd last byte is dropped.
func Wide(b []byte) string {
	units := make([]uint16, len(b)/2)
	for i := range units {
		units[i] = binary.LittleEndian.Uint16(b[2*i:])
	}
	return string(utf16.Decode(units))
}
