package smbios_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/internal/expect"
)

func hide(b []byte) []byte {
	sum := sha256.Sum256(b)
	return []byte(hex.EncodeToString(sum[:]))
}

func TestRedact(t *testing.T) {
	table := slices.Concat(
		structure(1, 1, 27, map[int][]byte{4: {1}, 5: {2}, 7: {3}, 8: uuid}, "Ostrel", "Slipway 14", "TW1234567"),
		structure(2, 2, 15, map[int][]byte{4: {1}, 7: {2}, 8: {3}}, "Ostrel", "BOARD-0042", "Default string"),
		structure(11, 3, 5, map[int][]byte{4: {1}}, "who knows what"),
		module(1, 0x2000, map[int][]byte{0x18: {2}}, "MEM-SERIAL-7"),
		structure(127, 9, 4, nil))
	got := smbios.Redact(table, hide)
	for _, secret := range []string{"TW1234567", "BOARD-0042", "MEM-SERIAL-7", "who knows what"} {
		if bytes.Contains(got, []byte(secret)) || !bytes.Contains(table, []byte(secret)) {
			t.Errorf("%s is still there, or the table given was changed", secret)
		}
	}
	list, err := smbios.Walk(got)
	if err != nil || len(got) != len(table) {
		t.Fatalf("%v; %d bytes of %d", err, len(got), len(table))
	}
	in := smbios.Describe(list, 0x0300)
	expect.Same(t, "in.System.Manufacturer", in.System.Manufacturer, "Ostrel")
	expect.Same(t, "in.System.Product", in.System.Product, "Slipway 14")
	expect.That(t, "in.Installed != 0", in.Installed != 0)
	expect.That(t, `in.System.UUID != "00112233-4455-6677-8899-aabbccddeeff"`,
		in.System.UUID != "00112233-4455-6677-8899-aabbccddeeff")
	expect.That(t, `in.System.UUID != ""`, in.System.UUID != "")
	expect.That(t, `in.System.Serial != ""`, in.System.Serial != "")
	// Equal stays equal, so that machines can still be told apart and matched.
	again, _ := smbios.Walk(smbios.Redact(table, hide))
	if other := smbios.Describe(again, 0x0300); other.System != in.System {
		t.Error("the same table was redacted in two ways")
	}
	// What does not parse is cut off.
	broken := smbios.Redact(append(bytes.Clone(table[:len(table)-6]), 200, 2, 'S', 'E', 'C', 'R', 'E', 'T'), hide)
	if strings.Contains(string(broken), "SECRET") {
		t.Error("bytes that nobody understands were kept")
	}
}

func FuzzRedact(f *testing.F) {
	f.Add(slices.Concat(structure(1, 1, 27, map[int][]byte{7: {1}, 8: uuid}, "TW1"), structure(127, 0, 4, nil)))
	f.Add([]byte{11, 4, 0, 0, 'a', 0, 0})
	f.Fuzz(func(t *testing.T, table []byte) {
		if got := smbios.Redact(table, hide); len(got) > len(table) {
			t.Errorf("%d bytes became %d", len(table), len(got))
		}
	})
}
