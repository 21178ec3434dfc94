package edid_test

import (
	"testing"

	"rolltop.example/rolltop/core/decode/edid"
)

// block makes a base block of a made-up display.
func block(change func([]byte)) []byte {
	b := make([]byte, 128)
	copy(b, []byte{0, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0})
	b[8], b[9] = 0x3E, 0x54 // 01111 10010 10100: OTR … five bits a letter
	b[18], b[19], b[20] = 1, 4, 0xA5
	b[21], b[22] = 40, 22
	// 1920×1080, 309×174 mm
	copy(b[54:], []byte{
		0x1A, 0x36, 0x80, 0xA0, 0x70, 0x38, 0x1E, 0x40, 0x30, 0x20, 0x35, 0x00, 0x35, 0xAE, 0x10, 0, 0, 0x1A,
	})
	copy(b[72:], "\x00\x00\x00\xFC\x00Gangway 14\n ")
	change(b)
	sum := byte(0)
	for _, c := range b[:127] {
		sum += c
	}
	b[127] = -sum
	return b
}

func TestDecode(t *testing.T) {
	got, err := edid.Decode(block(func([]byte) {}))
	if err != nil {
		t.Fatal(err)
	}
	want := edid.Info{
		Maker:          "ORT",
		Name:           "Gangway 14",
		Width:          1920,
		Height:         1080,
		DiagonalInches: 14,
		BitsPerChannel: 8,
	}
	if got != want {
		t.Errorf("got %+v, want %+v", got, want)
	}
	// A timing that gives an aspect ratio instead of a size: centimetres count.
	ratio, _ := edid.Decode(block(func(b []byte) { b[66], b[67], b[68] = 16, 9, 0 }))
	if ratio.DiagonalInches != 18 {
		t.Errorf("from centimetres: %v", ratio.DiagonalInches)
	}
	old, _ := edid.Decode(block(func(b []byte) { b[19] = 3 }))
	if old.BitsPerChannel != 0 {
		t.Errorf("version 1.3 does not tell bits: %d", old.BitsPerChannel)
	}
	none, _ := edid.Decode(block(func(b []byte) { clear(b[54:72]); b[21], b[22] = 0, 0 }))
	if none.Width != 0 || none.DiagonalInches != 0 {
		t.Errorf("a projector: %+v", none)
	}
}

func TestRefuses(t *testing.T) {
	good := block(func([]byte) {})
	short, junk, sum := good[:100], append([]byte{1}, good[1:]...), append([]byte{}, good...)
	sum[127]++
	for name, b := range map[string][]byte{"short": short, "empty": nil, "junk": junk, "checksum": sum} {
		t.Run(name, func(t *testing.T) {
			if _, err := edid.Decode(b); err == nil {
				t.Errorf("%s was taken", name)
			}
		})
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(block(func([]byte) {}))
	f.Fuzz(func(t *testing.T, b []byte) {
		in, err := edid.Decode(b)
		if err != nil {
			return
		}
		if in.Width < 0 || in.Width > 4095 {
			t.Errorf("a width of %d", in.Width)
		}
		if in.DiagonalInches < 0 {
			t.Errorf("a diagonal of %v inches", in.DiagonalInches)
		}
	})
}
