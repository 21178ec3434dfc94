package efi_test

import (
	"testing"

	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/internal/expect"
)

func TestByte(t *testing.T) {
	if b, err := efi.Byte([]byte{6, 0, 0, 0, 1}); err != nil || b != 1 {
		t.Errorf("%d %v", b, err)
	}
	for _, bad := range [][]byte{nil, {6, 0, 0, 0}, {6, 0, 0, 0, 1, 1}} {
		if _, err := efi.Byte(bad); err == nil {
			t.Errorf("% x was taken", bad)
		}
	}
}

func TestSecureBoot(t *testing.T) {
	for _, tt := range []struct {
		on, setup byte
		want      string
	}{{1, 0, "on"}, {0, 0, "off"}, {0, 1, "setup"}} {
		t.Run(tt.want, func(t *testing.T) {
			if got := efi.SecureBoot(tt.on, tt.setup); got != tt.want {
				t.Errorf("%d %d: %s, want %s", tt.on, tt.setup, got, tt.want)
			}
		})
	}
}

func wide(s string) []byte {
	var b []byte
	for _, r := range s {
		b = append(b, byte(r), byte(r>>8))
	}
	return append(b, 0, 0)
}

// entry makes a boot entry from a partition of a made-up disk.
func entry(attributes byte, description, file string) []byte {
	drive := make([]byte, 42)
	copy(drive, []byte{4, 1, 42, 0, 1})
	copy(drive[24:], []byte{
		0x33, 0x22, 0x11, 0x00, 0x55, 0x44, 0x77, 0x66, 0x88, 0x99, 0xaa, 0xbb, 0xcc, 0xdd, 0xee, 0xff,
	})
	drive[40], drive[41] = 2, 2
	name := wide(file)
	path := append(append(drive, 4, 4, byte(4+len(name)), 0), name...)
	path = append(path, 0x7F, 0xFF, 4, 0)
	b := []byte{7, 0, 0, 0, attributes, 0, 0, 0, byte(len(path)), 0}
	return append(append(append(b, wide(description)...), path...), "optional data"...)
}

func TestLoadOption(t *testing.T) {
	got, err := efi.LoadOption(entry(1, "Lodestar Linux", `\EFI\lodestar\loader.efi`))
	want := efi.Option{
		Active:      true,
		Description: "Lodestar Linux",
		Partition:   "00112233-4455-6677-8899-aabbccddeeff",
		File:        `\EFI\lodestar\loader.efi`,
	}
	if err != nil || got != want {
		t.Errorf("got %+v %v\nwant %+v", got, err, want)
	}
	if hidden, _ := efi.LoadOption(entry(8, "x", "y")); !hidden.Hidden || hidden.Active {
		t.Errorf("%+v", hidden)
	}
	whole := entry(1, "Lodestar Linux", `\EFI\x`)
	for _, n := range []int{0, 9, 20, 60} {
		if _, err := efi.LoadOption(whole[:n]); err == nil {
			t.Errorf("%d bytes were taken", n)
		}
	}
}

func TestOrder(t *testing.T) {
	got, err := efi.Order([]byte{7, 0, 0, 0, 2, 0, 0, 0})
	expect.NoError(t, err)
	expect.Same(t, "len(got)", len(got), 2)
	expect.Same(t, "got[0]", got[0], 2)
	for _, bad := range [][]byte{nil, {7, 0}, {7, 0, 0, 0, 1}} {
		if _, err := efi.Order(bad); err == nil {
			t.Errorf("% x was taken", bad)
		}
	}
}

func FuzzLoadOption(f *testing.F) {
	f.Add(entry(1, "Lodestar Linux", `\EFI\lodestar\loader.efi`))
	f.Fuzz(func(t *testing.T, b []byte) {
		_, _ = efi.Byte(b)
		if list, err := efi.Order(b); err == nil && len(list)*2+4 != len(b) {
			t.Errorf("%d bytes became %d entries", len(b), len(list))
		}
		if hidden := efi.RedactEntry(b, func([]byte) []byte { return make([]byte, 16) }); len(hidden) > len(b) {
			t.Error("hiding made it longer")
		}
		if o, err := efi.LoadOption(b); err == nil && len(o.File) > 3*len(b) {
			t.Errorf("%d bytes became a path of %d", len(b), len(o.File))
		}
	})
}

func TestRedactEntry(t *testing.T) {
	raw := entry(1, "Lodestar Linux", `\EFI\lodestar\loader.efi`)
	got := efi.RedactEntry(raw, func([]byte) []byte { return []byte("a hash of sixteen bytes and more") })
	o, err := efi.LoadOption(got)
	expect.NoError(t, err)
	expect.Same(t, "o.Description", o.Description, "Lodestar Linux")
	expect.That(t, `o.Partition != "00112233-4455-6677-8899-aabbccddeeff"`,
		o.Partition != "00112233-4455-6677-8899-aabbccddeeff")
	expect.That(t, `o.Partition != ""`, o.Partition != "")
	if len(got) != len(raw)-len("optional data") {
		t.Error("the optional data is still there")
	}
	if again, _ := efi.LoadOption(raw); again.Partition != "00112233-4455-6677-8899-aabbccddeeff" {
		t.Error("the entry given was changed")
	}
	if efi.RedactEntry([]byte("junk"), nil) != nil {
		t.Error("bytes that nobody understands were kept")
	}
}
