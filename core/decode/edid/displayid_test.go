package edid_test

import (
	"bytes"
	"encoding/binary"
	"testing"

	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/internal/expect"
)

// section makes an extension block with a DisplayID section of data blocks: a tag, flags, and what it holds.
func section(version byte, blocks ...[]byte) []byte {
	b := make([]byte, 128)
	b[0], b[1] = 0x70, version
	at := 5
	for _, block := range blocks {
		copy(b[at:], []byte{block[0], block[1], byte(len(block) - 2)})
		at += 3 + copy(b[at+3:], block[2:])
	}
	b[2] = byte(at - 5)
	sum := byte(0)
	for _, c := range b[:127] {
		sum += c
	}
	b[127] = -sum
	return b
}

// params is a data block on a size, in the units of the block, and pixels.
func params(tag, flags byte, wide, high, pixelsWide, pixels uint16) []byte {
	b := []byte{tag, flags}
	for _, n := range []uint16{wide, high, pixelsWide, pixels} {
		b = binary.LittleEndian.AppendUint16(b, n)
	}
	return append(b, 0, 0, 0, 0)
}

// tiled is a data block on a tile of a screen that is two tiles wide.
func tiled(tag, column, serial byte) []byte {
	b := []byte{tag, 0, 0x82, 0x10, column << 4, 0}
	b = binary.LittleEndian.AppendUint16(b, 2560-1)
	b = binary.LittleEndian.AppendUint16(b, 2880-1)
	return append(b, 0, 0, 0, 0, 0, 'G', 'N', 'W', 1, 2, serial, 0, 0, 0)
}

// extended is a base block with extension blocks.
func extended(change func([]byte), extensions ...[]byte) []byte {
	b := block(func(b []byte) {
		b[126] = byte(len(extensions))
		change(b)
	})
	return append(b, bytes.Join(extensions, nil)...)
}

func same([]byte) {}

func TestDisplayID(t *testing.T) {
	five := params(0x01, 0, 5970, 3360, 5120, 2880)
	damaged := section(0x12, five)
	damaged[9]++
	for _, tt := range []struct {
		name          string
		b             []byte
		width, height int64
		inches        float64
	}{
		{"1.3, tenths of a millimetre", extended(same, section(0x12, five)), 5120, 2880, 27},
		{"2.0, tenths", extended(same, section(0x20,
			params(0x21, 0, 5970, 3360, 6016, 3384))), 6016, 3384, 27},
		{"2.0, whole millimetres", extended(same, section(0x20,
			params(0x21, 0x80, 697, 392, 6016, 3384))), 6016, 3384, 31.5},
		{"two tiles are one screen", extended(same, section(0x12, params(0x01, 0, 5970, 3360, 2560, 2880),
			tiled(0x12, 1, 7))), 5120, 2880, 27},
		{"tiles without a size", extended(same, section(0x20, tiled(0x28, 0, 7))), 5120, 2880, 0},
		{"a size of another shape", extended(same, section(0x12,
			params(0x01, 0, 300, 300, 5120, 2880))), 5120, 2880, 14},
		{"a damaged section", extended(same, damaged), 1920, 1080, 14},
		{"a section that ends early", extended(same, section(0x12, []byte{0x01, 0, 1, 2, 3})), 1920, 1080, 14},
		{"an extension that is not counted", append(block(same), section(0x12, five)...),
			1920, 1080, 14},
		{"an extension that is cut", extended(same, section(0x12, five))[:200], 1920, 1080, 14},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got, err := edid.Decode(tt.b)
			expect.NoError(t, err)
			expect.Same(t, "the width", got.Width, tt.width)
			expect.Same(t, "the height", got.Height, tt.height)
			expect.Same(t, "inches", got.DiagonalInches, tt.inches)
			kept, err := edid.Decode(edid.Redact(tt.b))
			expect.NoError(t, err)
			expect.Same(t, "the width without serial numbers", kept.Width, tt.width)
			expect.Same(t, "inches without serial numbers", kept.DiagonalInches, tt.inches)
		})
	}
}

func TestTile(t *testing.T) {
	got, err := edid.Decode(extended(same, section(0x12, tiled(0x12, 1, 7))))
	expect.NoError(t, err)
	tile := got.Tile
	expect.Same(t, "across and down", [2]int{tile.Across, tile.Down}, [2]int{2, 1})
	expect.Same(t, "the place", [2]int{tile.Column, tile.Row}, [2]int{1, 0})
	expect.Same(t, "the pixels", [2]int64{tile.Width, tile.Height}, [2]int64{2560, 2880})
	other, err := edid.Decode(extended(same, section(0x12, tiled(0x12, 0, 7))))
	expect.NoError(t, err)
	expect.Same(t, "the screen of the other tile", other.Tile.Screen, tile.Screen)
	another, err := edid.Decode(extended(same, section(0x12, tiled(0x12, 0, 8))))
	expect.NoError(t, err)
	expect.That(t, "a screen with another serial number is another", another.Tile.Screen != tile.Screen)
	kept := edid.Redact(extended(same, section(0x12, tiled(0x12, 1, 0xA7))))
	expect.That(t, "the serial number is gone", !bytes.Contains(kept[128:], []byte{1, 2, 0xA7}))
}
