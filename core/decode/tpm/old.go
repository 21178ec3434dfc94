package tpm

import (
	"encoding/binary"
	"errors"
	"fmt"
)

// Numbers of TPM 1.2 (TPM Main Specification, part 2 and 3).
const (
	tagRequest12   = 0x00C1
	getCapability1 = 0x00000065
	capFlag        = 0x00000004
	capVersion12   = 0x0000001A
	flagPermanent  = 0x00000108
	tagVersionInfo = 0x0030
	tagPermanent   = 0x001F
)

// Command12 asks a TPM 1.2 for its version and maker.
func Command12() []byte {
	b := binary.BigEndian.AppendUint16(nil, tagRequest12)
	for _, w := range []uint32{18, getCapability1, capVersion12, 0} {
		b = binary.BigEndian.AppendUint32(b, w)
	}
	return b
}

// Reply12 decodes the answer to [Command12]: TPM_CAP_VERSION_INFO with a tag,
// the specification's version, the firmware's in two bytes, level and errata,
// and four letters of the maker.
func Reply12(b []byte) (Info, error) {
	code, body, err := reply(b)
	switch {
	case err != nil:
		return Info{}, err
	case code != 0:
		return Info{}, fmt.Errorf("tpm: it answers with the code %#x", code)
	case len(body) < 4+13:
		return Info{}, errors.New("tpm: the answer is too short")
	}
	v := body[4:]
	if binary.BigEndian.Uint16(v) != tagVersionInfo {
		return Info{}, errors.New("tpm: the answer holds no version")
	}
	in := Info{Manufacturer: letters(binary.BigEndian.Uint32(v[9:])), Firmware: fmt.Sprintf("%d.%d", v[4], v[5])}
	if v[2] == 1 && v[3] == 2 {
		in.Version = "1.2"
	}
	return in, nil
}

// CommandFlags12 asks a TPM 1.2 for its permanent flags.
func CommandFlags12() []byte {
	b := binary.BigEndian.AppendUint16(nil, tagRequest12)
	for _, w := range []uint32{22, getCapability1, capFlag, 4, flagPermanent} {
		b = binary.BigEndian.AppendUint32(b, w)
	}
	return b
}

// ReplyFlags12 decodes the answer to [CommandFlags12]: TPM_PERMANENT_FLAGS (TPM Main Specification, part 2, section
// 7.1), which begin with a tag and a byte each for disable, ownership and deactivated.
func ReplyFlags12(b []byte) (enabled, activated bool, err error) {
	code, body, err := reply(b)
	switch {
	case err != nil:
		return false, false, err
	case code != 0:
		return false, false, fmt.Errorf("tpm: it answers with the code %#x", code)
	case len(body) < 4+5:
		return false, false, errors.New("tpm: the answer is too short")
	}
	flags := body[4:]
	disable, deactivated := flags[2], flags[4]
	if binary.BigEndian.Uint16(flags) != tagPermanent || disable > 1 || deactivated > 1 {
		return false, false, errors.New("tpm: the answer holds no permanent flags")
	}
	return disable == 0, deactivated == 0, nil
}

// Announced is what an ACPI table says of a TPM.
type Announced struct {
	Version  string // 2.0 or 1.2
	Firmware bool   // its commands start in firmware, so that it is no chip of its own
}

// Start methods of the table TPM2 (TCG ACPI Specification, section 7.3) that
// only a TPM in firmware has: an ACPI method, and a call of the secure monitor.
const (
	startACPI = 2
	startSMC  = 11
)

// Table decodes the ACPI tables TPM2 and TCPA (TCG ACPI Specification), whose
// bytes sum up to zero.
func Table(b []byte) (Announced, error) {
	if len(b) < 36 {
		return Announced{}, fmt.Errorf("tpm: %d bytes are no ACPI table", len(b))
	}
	size := binary.LittleEndian.Uint32(b[4:])
	if size < 36 || uint64(size) > uint64(len(b)) {
		return Announced{}, fmt.Errorf("tpm: the ACPI table says it has %d bytes, and has %d", size, len(b))
	}
	b = b[:size]
	sum := byte(0)
	for _, c := range b {
		sum += c
	}
	if sum != 0 {
		return Announced{}, errors.New("tpm: the ACPI table's checksum is wrong")
	}
	switch string(b[:4]) {
	case "TPM2":
		if len(b) < 52 {
			return Announced{}, errors.New("tpm: the ACPI table is too short")
		}
		start := binary.LittleEndian.Uint32(b[48:])
		return Announced{Version: "2.0", Firmware: start == startACPI || start == startSMC}, nil
	case "TCPA":
		return Announced{Version: "1.2"}, nil
	}
	return Announced{}, fmt.Errorf("tpm: the ACPI table %q is about something else", b[:4])
}

// kinds are the makers of the TCG Vendor ID Registry that make only one kind:
// TPMs in firmware of processors and systems, chips, and those of hypervisors.
var kinds = map[string]string{
	"INTC": "firmware", "AMD": "firmware", "QCOM": "firmware", "IFX": "discrete", "STM": "discrete", "NTC": "discrete",
	"NTZ": "discrete", "ATML": "discrete", "BRCM": "discrete", "SNS": "discrete", "WEC": "discrete", "TXN": "discrete",
	"VMW": "virtual", "GOOG": "virtual", "IBM": "virtual",
}

// Kind is firmware, discrete or virtual as the maker's letters hint; empty
// where they do not.
func Kind(manufacturer string) string { return kinds[manufacturer] }
