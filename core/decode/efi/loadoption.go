package efi

import (
	"encoding/binary"
	"errors"
	"fmt"
	"strings"
	"unicode/utf16"
)

// Option is a boot entry: EFI_LOAD_OPTION, UEFI Specification, section 3.1.3.
type Option struct {
	Active      bool
	Hidden      bool
	Application bool   // set-up pages and shells, not systems
	Description string // as its installer named it
	Partition   string // unique GUID of the GPT partition it starts from, or ""
	File        string // path of its loader, with backslashes, or ""
}

// Attributes of a load option.
const (
	optionActive   = 1
	optionHidden   = 8
	optionCategory = 0x1F00
)

// LoadOption decodes the variable Boot####: attributes of the variable, then the
// option.
func LoadOption(variable []byte) (Option, error) {
	if len(variable) < 4+6 {
		return Option{}, errors.New("efi: the boot entry is too short")
	}
	b := variable[4:]
	attributes, pathBytes := binary.LittleEndian.Uint32(b), int(binary.LittleEndian.Uint16(b[4:]))
	o := Option{
		Active:      attributes&optionActive != 0,
		Hidden:      attributes&optionHidden != 0,
		Application: attributes&optionCategory != 0,
	}
	var rest []byte
	var ok bool
	if o.Description, rest, ok = wide(b[6:]); !ok {
		return Option{}, errors.New("efi: the boot entry's description does not end")
	}
	if pathBytes > len(rest) {
		return Option{}, fmt.Errorf("efi: the boot entry's path says it has %d bytes, and has %d", pathBytes, len(rest))
	}
	o.path(rest[:pathBytes])
	return o, nil
}

// path walks device-path nodes (section 10.3): type, sub-type, length. What does
// not fit ends the walk.
func (o *Option) path(b []byte) {
	for len(b) >= 4 {
		size := int(binary.LittleEndian.Uint16(b[2:]))
		if size < 4 || size > len(b) || b[0] == 0x7F {
			return
		}
		node := b[4:size]
		switch {
		case b[0] == 4 && b[1] == 1 && len(node) >= 38 && node[37] == 2: // hard drive, its signature a GUID
			o.Partition = guid(node[20:36])
		case b[0] == 4 && b[1] == 4: // file path
			if text, _, ok := wide(node); ok {
				o.File += text
			}
		}
		b = b[size:]
	}
}

// wide reads UTF-16 up to its NUL.
func wide(b []byte) (text string, rest []byte, ok bool) {
	var units []uint16
	for ; len(b) >= 2; b = b[2:] {
		u := binary.LittleEndian.Uint16(b)
		if u == 0 {
			return clean(string(utf16.Decode(units))), b[2:], true
		}
		units = append(units, u)
	}
	return "", nil, false
}

func clean(s string) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7F {
			return -1
		}
		return r
	}, s))
}

func guid(b []byte) string {
	return fmt.Sprintf("%08x-%04x-%04x-%x-%x", binary.LittleEndian.Uint32(b), binary.LittleEndian.Uint16(b[4:]),
		binary.LittleEndian.Uint16(b[6:]), b[8:10], b[10:16])
}

// Order decodes BootOrder and, with one number, BootCurrent: the numbers of
// boot entries.
func Order(variable []byte) ([]uint16, error) {
	if len(variable) < 4 || len(variable)%2 != 0 {
		return nil, fmt.Errorf("efi: an order of boot entries cannot have %d bytes", len(variable))
	}
	var out []uint16
	for b := variable[4:]; len(b) >= 2; b = b[2:] {
		out = append(out, binary.LittleEndian.Uint16(b))
	}
	return out, nil
}
