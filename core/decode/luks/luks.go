// Package luks decodes what the header of an encrypted volume says of the ways to unlock it: LUKS1 On-Disk Format
// Specification 1.2.3, section 2, and LUKS2 On-Disk Format Specification 1.1.1, sections 2 and 3. It gives kinds
// alone; nothing of a key, of a salt or of a digest leaves it.
package luks

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"rolltop.example/rolltop/core/decode/cursor"
	"rolltop.example/rolltop/core/inventory"
)

// tokens are the kinds of what unlocks a volume, by the type of a token, as those who make tokens publish it. A key
// slot without a token takes a passphrase or a key file, and nothing tells which.
var tokens = map[string]string{
	"systemd-tpm2":     inventory.ByTPM,
	"systemd-recovery": inventory.ByRecoveryKey,
	"systemd-fido2":    inventory.BySecurityKey,
	"systemd-pkcs11":   inventory.BySmartCard,
}

const (
	magic = "LUKS\xba\xbe"
	// MaxHeader is the most that a header takes, in bytes.
	MaxHeader = 4 << 20
	// binaryHeader is the part of a header of version 2 in front of its JSON, in bytes.
	binaryHeader = 4096
	// checksumAt is where the checksum stands in it, and how long its place is.
	checksumAt, checksumLen = 448, 64
)

// ErrNoHeader means that the bytes are no header of either version.
var ErrNoHeader = errors.New("luks: there is no header")

// Size is how many bytes the header at the front of b takes, at most [MaxHeader]; b has at least 16.
// The error is [ErrNoHeader], or says that the size cannot be.
func Size(b []byte) (int, error) {
	c := cursor.New(binary.BigEndian, b)
	if string(c.Take(len(magic))) != magic {
		return 0, ErrNoHeader
	}
	switch version := c.U16(); {
	case c.Failed:
		return 0, ErrNoHeader
	case version == 1:
		return slotsAt + slots*slotLen, nil
	case version == 2:
		size := c.U64()
		if c.Failed || size < 2*binaryHeader || size > MaxHeader {
			return 0, fmt.Errorf("luks: a header cannot have %d bytes", size)
		}
		return int(size), nil
	default:
		return 0, fmt.Errorf("luks: version %d is not known", version)
	}
}

// Protectors are the kinds of what unlocks the volume whose header stands at the front of b, in the order of
// [inventory.Unlocks]. A header whose checksum is wrong is an error.
func Protectors(b []byte) ([]string, error) {
	size, err := Size(b)
	if err != nil {
		return nil, err
	}
	if len(b) < size {
		return nil, fmt.Errorf("luks: the header has %d bytes, and %d are there", size, len(b))
	}
	if b[7] == 1 {
		return first(b[:size]), nil
	}
	return second(b[:size])
}

// Of version 1: eight key slots, each begins with whether it is in use.
const (
	slotsAt, slots, slotLen = 208, 8, 48
	slotInUse               = 0x00AC71F3
)

func first(b []byte) []string {
	out := []string{}
	for i := range slots {
		if binary.BigEndian.Uint32(b[slotsAt+i*slotLen:]) == slotInUse {
			return append(out, inventory.ByPassphrase)
		}
	}
	return out
}

func second(b []byte) ([]string, error) {
	if err := checksum(b); err != nil {
		return nil, err
	}
	text, _, _ := bytes.Cut(b[binaryHeader:], []byte{0})
	var d struct {
		Slots  map[string]struct{} `json:"keyslots"`
		Tokens map[string]struct {
			Type  string   `json:"type"`
			Slots []string `json:"keyslots"`
			PIN   bool     `json:"tpm2-pin"`
		} `json:"tokens"`
	}
	if err := json.Unmarshal(text, &d); err != nil {
		return nil, errors.New("luks: the JSON of the header cannot be read")
	}
	found, served := map[string]bool{}, map[string]bool{}
	for _, t := range d.Tokens {
		kind := tokens[t.Type]
		for _, s := range t.Slots {
			if _, there := d.Slots[s]; !there {
				continue // a token that was left behind unlocks nothing
			}
			served[s] = true
			switch {
			case kind == "":
				found[inventory.ByOther] = true
			case kind == inventory.ByTPM && t.PIN:
				found[inventory.ByTPMAndPIN] = true
			default:
				found[kind] = true
			}
		}
	}
	for s := range d.Slots {
		if !served[s] {
			found[inventory.ByPassphrase] = true
		}
	}
	return slices.DeleteFunc(inventory.Unlocks(), func(k string) bool { return !found[k] }), nil
}

// checksum compares the checksum over the whole header, in which its own place counts as zeros.
func checksum(b []byte) error {
	alg, _, _ := bytes.Cut(b[72:104], []byte{0})
	if string(alg) != "sha256" {
		return errors.New("luks: the header has a checksum of a kind that is not known")
	}
	h := sha256.New()
	h.Write(b[:checksumAt])
	h.Write(make([]byte, checksumLen))
	h.Write(b[checksumAt+checksumLen:])
	if !bytes.Equal(h.Sum(nil), b[checksumAt:checksumAt+sha256.Size]) {
		return errors.New("luks: the checksum of the header is wrong")
	}
	return nil
}
