package edid_test

import (
	"fmt"
	"testing"

	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/internal/expect"
)

// block makes a base block of a made-up display.
func block(change func([]byte)) []byte {
	b := make([]byte, 128)
	copy(b, []byte{0, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0})
	b[8], b[9] = 0x3E, 0x54 // 01111 10010 10100: OTR … five bits a letter
	b[18], b[19], b[20] = 1, 4, 0xA5
	b[21], b[22] = 31, 17
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
	if ratio.DiagonalInches != 13.9 {
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

// An aspect ratio is no size, and a timing that disagrees with the centimetres does not count.
func TestDiagonal(t *testing.T) {
	for _, tt := range []struct {
		name               string
		cmWide, cmHigh     byte
		wide, high         int // in millimetres
		pixelsWide, pixels int
		inches             float64
	}{
		{"both agree", 60, 34, 598, 336, 1920, 1080, 27},
		{"rounded to the centimetre", 31, 18, 309, 174, 1920, 1080, 14},
		{"an aspect ratio for millimetres", 60, 34, 160, 90, 1920, 1080, 27.2},
		{"the millimetres of another screen", 60, 34, 1872, 1053, 1920, 1080, 27.2},
		{"an aspect ratio for centimetres", 16, 9, 598, 336, 1920, 1080, 27},
		{"aspect ratios in both", 160, 90, 160, 90, 1920, 1080, 0},
		{"one side alone, as a ratio of version 1.4", 79, 0, 598, 336, 1920, 1080, 27},
		{"no size at all", 0, 0, 0, 0, 1920, 1080, 0},
		{"another shape than the pixels", 0, 0, 300, 300, 1920, 1080, 0},
		{"it stands upright", 34, 60, 336, 598, 1080, 1920, 27},
		{"as large as a house", 255, 143, 4095, 2303, 1920, 1080, 115.1},
		{"smaller than a watch", 0, 0, 32, 18, 1920, 1080, 0},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got, err := edid.Decode(block(func(b []byte) {
				b[21], b[22] = tt.cmWide, tt.cmHigh
				d := b[54:72]
				d[2], d[4] = byte(tt.pixelsWide), d[4]&0x0F|byte(tt.pixelsWide>>4)&0xF0
				d[5], d[7] = byte(tt.pixels), d[7]&0x0F|byte(tt.pixels>>4)&0xF0
				d[12], d[13], d[14] = byte(tt.wide), byte(tt.high), byte(tt.wide>>4)&0xF0|byte(tt.high>>8)&0x0F
			}))
			expect.NoError(t, err)
			expect.Same(t, "inches", got.DiagonalInches, tt.inches)
		})
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
	f.Add(extended(same, section(0x12, params(0x01, 0, 5970, 3360, 5120, 2880), tiled(0x12, 1, 7))))
	f.Fuzz(func(t *testing.T, b []byte) {
		in, err := edid.Decode(b)
		if err != nil {
			return
		}
		if least, most := min(in.Width, in.Height), max(in.Width, in.Height); least < 0 || most > 100_000 {
			t.Errorf("%d by %d pixels", in.Width, in.Height)
		}
		if in.DiagonalInches < 0 {
			t.Errorf("a diagonal of %v inches", in.DiagonalInches)
		}
	})
}

// cta is an extension block with detailed timings: width, height, and millimetres of both.
func cta(timings ...[4]int) string {
	block := make([]byte, 128)
	copy(block, "\x02\x03\x08\x00")
	for i, x := range timings {
		d := block[8+18*i:]
		d[0], d[1] = 0x3A, 0x02
		d[2], d[4], d[5], d[7] = byte(x[0]), byte(x[0]>>8<<4), byte(x[1]), byte(x[1]>>8<<4)
		d[12], d[13], d[14] = byte(x[2]), byte(x[3]), byte(x[2]>>8<<4|x[3]>>8)
	}
	return balance(block)
}

// balance makes the checksum right.
func balance(block []byte) string {
	block[127] = 0
	var s byte
	for _, c := range block {
		s += c
	}
	block[127] = -s
	return string(block)
}

// Timings of the extension complete what the base block leaves open, and nothing else.
func TestTimingsOfTheExtension(t *testing.T) {
	whole := sample.Display{Name: "Gannet 27", Width: 2560, Height: 1440, WideMM: 597, HighMM: 336, BitsPerChannel: 8}
	base := func(timing, size bool) string {
		b := []byte(whole.EDID())
		if !timing {
			clear(b[54:72])
		}
		if !size {
			b[21], b[22] = 0, 0
			b[66], b[67], b[68] = 0, 0, 0
		}
		b[126] = 1
		return balance(b)
	}
	wrong := []byte(cta([4]int{2560, 1440, 597, 336}))
	wrong[127]++
	early := []byte(cta([4]int{2560, 1440, 597, 336}))
	early[2] = 3
	for _, c := range []struct {
		name, raw string
		want      string
	}{
		{"all of it is in the base block", base(true, true) + cta([4]int{3840, 2160, 700, 400}), "2560 1440 27"},
		{"no size", base(true, false) + cta([4]int{2560, 1440, 597, 336}), "2560 1440 27"},
		{"no size, and another timing", base(true, false) + cta([4]int{3840, 2160, 597, 336}), "2560 1440 0"},
		{"no size, and the timing is the second", base(true, false) + cta([4]int{3840, 2160, 597, 336},
			[4]int{2560, 1440, 597, 336}), "2560 1440 27"},
		{"no timing", base(false, true) + cta([4]int{2560, 1440, 597, 336}), "2560 1440 26.6"},
		{"neither", base(false, false) + cta([4]int{1920, 1080, 531, 299}, [4]int{2560, 1440, 597, 336}),
			"1920 1080 24"},
		{"an aspect ratio instead of a size", base(true, false) + cta([4]int{2560, 1440, 160, 90}), "2560 1440 0"},
		{"the last of six", base(true, false) + cta([4]int{1, 1, 1, 1}, [4]int{1, 1, 1, 1}, [4]int{1, 1, 1, 1},
			[4]int{1, 1, 1, 1}, [4]int{1, 1, 1, 1}, [4]int{2560, 1440, 597, 336}), "2560 1440 27"},
		{"no timings", base(true, false) + cta(), "2560 1440 0"},
		{"a checksum that is wrong", base(true, false) + string(wrong), "2560 1440 0"},
		{"timings that begin within the header", base(true, false) + string(early), "2560 1440 0"},
		{"a cut block", base(true, false) + cta([4]int{2560, 1440, 597, 336})[:100], "2560 1440 0"},
	} {
		t.Run(c.name, func(t *testing.T) {
			in, err := edid.Decode([]byte(c.raw))
			if err != nil {
				t.Fatal(err)
			}
			if got := fmt.Sprint(in.Width, in.Height, in.DiagonalInches); got != c.want {
				t.Errorf("%s, want %s", got, c.want)
			}
		})
	}
}
