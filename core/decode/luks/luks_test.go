package luks_test

import (
	"crypto/sha256"
	"encoding/binary"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/luks"
	"rolltop.example/rolltop/core/inventory"
)

// second is a header of version 2 of 16 KiB with a JSON.
func second(json string) []byte {
	b := make([]byte, 16<<10)
	copy(b, "LUKS\xba\xbe")
	binary.BigEndian.PutUint16(b[6:], 2)
	binary.BigEndian.PutUint64(b[8:], uint64(len(b)))
	copy(b[72:], "sha256")
	copy(b[4096:], json)
	sum := sha256.Sum256(b)
	copy(b[448:], sum[:])
	return b
}

// first is a header of version 1 with some slots in use.
func first(inUse ...int) []byte {
	b := make([]byte, 592)
	copy(b, "LUKS\xba\xbe")
	binary.BigEndian.PutUint16(b[6:], 1)
	for i := range 8 {
		state := uint32(0x0000DEAD)
		if slices.Contains(inUse, i) {
			state = 0x00AC71F3
		}
		binary.BigEndian.PutUint32(b[208+48*i:], state)
	}
	return b
}

func TestProtectors(t *testing.T) {
	const two = `"keyslots":{"0":{"type":"luks2","af":{}},"1":{"type":"luks2"}}`
	for _, c := range []struct {
		name, want string
		header     []byte
	}{
		{"a passphrase, version 1", "passphrase", first(7)},
		{"no slot in use, version 1", "", first()},
		{"slots without tokens", "passphrase", second(`{` + two + `,"tokens":{}}`)},
		{"a TPM and a passphrase", "tpm passphrase",
			second(`{` + two + `,"tokens":{"0":{"type":"systemd-tpm2","keyslots":["1"]}}}`)},
		{"a TPM with a PIN alone", "tpm-and-pin",
			second(`{"keyslots":{"4":{}},"tokens":{"0":{"type":"systemd-tpm2","keyslots":["4"],"tpm2-pin":true}}}`)},
		{"a recovery key and a security key", "recovery-key security-key",
			second(`{` + two + `,"tokens":{"0":{"type":"systemd-recovery","keyslots":["0"]},` +
				`"1":{"type":"systemd-fido2","keyslots":["1"]}}}`)},
		{"a smart card and a kind that nobody knows", "smart-card other",
			second(`{` + two + `,"tokens":{"0":{"type":"systemd-pkcs11","keyslots":["0"]},` +
				`"1":{"type":"made-up","keyslots":["1"]}}}`)},
		{"a token whose slot is gone", "passphrase",
			second(`{` + two + `,"tokens":{"0":{"type":"systemd-tpm2","keyslots":["5"]}}}`)},
		{"a token without a slot", "passphrase", second(`{` + two + `,"tokens":{"0":{"type":"systemd-tpm2"}}}`)},
		{"nothing unlocks it", "", second(`{}`)},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := luks.Protectors(c.header)
			if err != nil || got == nil {
				t.Fatalf("%v, %v", got, err)
			}
			if is := strings.Join(got, " "); is != c.want {
				t.Errorf("%q, want %q", is, c.want)
			}
		})
	}
}

func TestWrongHeaders(t *testing.T) {
	sound := second(`{"keyslots":{"0":{}}}`)
	changed := func(at int, to byte) []byte {
		b := slices.Clone(sound)
		b[at] = to
		return b
	}
	for _, c := range []struct {
		name, want string
		header     []byte
	}{
		{"nothing", "no header", nil},
		{"only the magic", "no header", []byte("LUKS\xba\xbe")},
		{"a version without a size", "cannot have", sound[:12]},
		{"another magic", "no header", changed(0, 'S')},
		{"version 3", "version 3", changed(7, 3)},
		{"too large", "cannot have", changed(12, 1)},
		{"too small", "cannot have", changed(14, 0x1F)},
		{"cut", "16383 are there", sound[:16383]},
		{"cut, version 1", "591 are there", first(0)[:591]},
		{"another checksum", "checksum of the header is wrong", changed(448, sound[448]+1)},
		{"a changed last byte", "checksum of the header is wrong", changed(16383, 1)},
		{"a kind of checksum that is not known", "of a kind that is not known", changed(72, 'x')},
		{"no JSON", "cannot be read", second("keyslots")},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := luks.Protectors(c.header)
			if err == nil || got != nil {
				t.Fatalf("%v, %v", got, err)
			}
			if !strings.Contains(err.Error(), c.want) {
				t.Errorf("%v; want an error with %q", err, c.want)
			}
		})
	}
}

func FuzzProtectors(f *testing.F) {
	f.Add(first(0, 1))
	f.Add(second(`{"keyslots":{"0":{}},"tokens":{"0":{"type":"systemd-tpm2","keyslots":["0"]}}}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		kinds, err := luks.Protectors(b)
		if (err == nil) != (kinds != nil) {
			t.Errorf("%v, %v", kinds, err)
		}
		for _, k := range kinds {
			if !slices.Contains(inventory.Unlocks(), k) {
				t.Errorf("%q is no kind", k)
			}
		}
	})
}
