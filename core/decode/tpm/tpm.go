// Package tpm builds and decodes the few read-only commands that a TPM is asked:
// TPM2_GetCapability (TCG TPM 2.0 Library, part 3, section 30.2) and
// TPM_GetCapability (TCG TPM 1.2, part 3, section 7.1). All numbers are big
// endian.
package tpm

import (
	"encoding/binary"
	"errors"
	"fmt"
	"strings"
)

// Info is what a TPM says of itself. Empty values are not known.
type Info struct {
	Version      string // specification: 1.2 or 2.0
	Manufacturer string // up to four letters
	Firmware     string // the maker's firmware version
	Failed       bool   // it answers that it is in failure mode
}

// Sizes and numbers of TPM 2.0.
const (
	tagNoSessions  = 0x8001
	getCapability  = 0x0000017A
	capProperties  = 6
	ptFamily       = 0x100
	ptManufacturer = 0x105
	ptFirmware1    = 0x10B
	ptFirmware2    = 0x10C
	rcFailure      = 0x101
	rcInitialize   = 0x100
	headerSize     = 10
)

// Command2 asks a TPM 2.0 for its fixed properties.
func Command2() []byte {
	b := binary.BigEndian.AppendUint16(nil, tagNoSessions)
	for _, w := range []uint32{22, getCapability, capProperties, ptFamily, 0x40} {
		b = binary.BigEndian.AppendUint32(b, w)
	}
	return b
}

// Reply2 decodes the answer to [Command2].
func Reply2(b []byte) (Info, error) {
	code, body, err := reply(b)
	if err != nil {
		return Info{}, err
	}
	switch {
	case code == rcFailure:
		return Info{Failed: true}, nil
	case code != 0:
		return Info{}, fmt.Errorf("tpm: it answers with the code %#x", code)
	case len(body) < 9:
		return Info{}, errors.New("tpm: the answer is too short")
	}
	count := binary.BigEndian.Uint32(body[5:])
	pairs := body[9:]
	if uint64(count)*8 > uint64(len(pairs)) {
		return Info{}, fmt.Errorf("tpm: the answer says %d properties and has room for %d", count, len(pairs)/8)
	}
	var in Info
	var firmware [2]uint32
	for i := range int(count) {
		id, value := binary.BigEndian.Uint32(pairs[8*i:]), binary.BigEndian.Uint32(pairs[8*i+4:])
		switch id {
		case ptFamily:
			in.Version = letters(value)
		case ptManufacturer:
			in.Manufacturer = letters(value)
		case ptFirmware1:
			firmware[0] = value
		case ptFirmware2:
			firmware[1] = value
		}
	}
	if firmware != [2]uint32{} {
		in.Firmware = fmt.Sprintf("%d.%d.%d.%d", firmware[0]>>16, firmware[0]&0xFFFF, firmware[1]>>16,
			firmware[1]&0xFFFF)
	}
	return in, nil
}

// reply checks the header that both generations share: tag, length, code.
func reply(b []byte) (code uint32, body []byte, err error) {
	if len(b) < headerSize {
		return 0, nil, errors.New("tpm: the answer has no header")
	}
	if size := binary.BigEndian.Uint32(b[2:]); size < headerSize || uint64(size) > uint64(len(b)) {
		return 0, nil, fmt.Errorf("tpm: the answer says it has %d bytes, and has %d", size, len(b))
	} else {
		b = b[:size]
	}
	return binary.BigEndian.Uint32(b[6:]), b[headerSize:], nil
}

func letters(v uint32) string {
	b := binary.BigEndian.AppendUint32(nil, v)
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' {
			return -1
		}
		return r
	}, string(b)))
}

// Caps12 decodes what Linux says of a TPM 1.2 in its file caps:
//
//	Manufacturer: 0x504c5652
//	TCG version: 1.2
//	Firmware version: 18.158
func Caps12(text string) Info {
	var in Info
	for line := range strings.Lines(text) {
		key, value, _ := strings.Cut(strings.TrimSpace(line), ": ")
		switch key {
		case "Manufacturer":
			var v uint32
			if _, err := fmt.Sscanf(value, "0x%x", &v); err == nil {
				in.Manufacturer = letters(v)
			}
		case "TCG version":
			if value == "1.2" {
				in.Version = value
			}
		case "Firmware version":
			in.Firmware = value
		}
	}
	return in
}
