package edid

import (
	"encoding/binary"
	"fmt"
)

// Tile is the part of a screen that one connection serves, where a screen is made of several.
type Tile struct {
	Screen        string // which screen it belongs to; "": the screen is no part of another
	Across, Down  int    // tiles of the screen
	Column, Row   int    // place of this one, from 0
	Width, Height int64  // of one tile, in pixels
}

// Tags of extension blocks, and of the data blocks of a DisplayID section that matter here.
const (
	extDisplayID = 0x70

	paramsOld, tiledOld = 0x01, 0x12 // DisplayID 1.3, sections 4.2 and 4.14
	paramsNew, tiledNew = 0x21, 0x28 // DisplayID 2.0, sections 4.2 and 4.9
)

// mostPixels is more than any screen has along a side.
const mostPixels = 100_000

// sections calls f with each data block of the DisplayID sections among the extension blocks: its tag, its revision and
// flags, and what it holds, which is a part of b.
func sections(b []byte, f func(tag, flags byte, payload []byte)) {
	for at := blockSize; at+blockSize <= len(b) && at/blockSize <= int(b[126]); at += blockSize {
		block := b[at : at+blockSize]
		if block[0] != extDisplayID || sum(block) != 0 {
			continue
		}
		section := block[1:127] // version, length, kind of product, further sections; then the data blocks
		end := 4 + int(section[1])
		if end > len(section) {
			continue
		}
		for p := section[4:end]; len(p) >= 3; {
			size := 3 + int(p[2])
			if size > len(p) {
				break
			}
			f(p[0], p[1], p[3:size])
			p = p[size:]
		}
	}
}

// extend completes what the base block says with what DisplayID sections say. Of a screen of tiles, the base block
// describes one tile: then it tells nothing of the size of the screen.
func (in *Info) extend(b []byte) {
	size := area{} // in millimetres
	sections(b, func(tag, flags byte, p []byte) {
		switch {
		case (tag == paramsOld || tag == paramsNew) && len(p) >= 8:
			word := func(at int) float64 { return float64(binary.LittleEndian.Uint16(p[at:])) }
			unit := 10.0
			if tag == paramsNew && flags&0x80 != 0 {
				unit = 1
			}
			size = area{word(0) / unit, word(2) / unit}
			if word(4) > 0 && word(6) > 0 {
				in.Width, in.Height = int64(word(4)), int64(word(6))
			}
		case (tag == tiledOld || tag == tiledNew) && len(p) >= 22:
			in.Tile = tile(p)
		}
	})
	if t := &in.Tile; t.Screen != "" {
		in.Width, in.Height, in.DiagonalInches = int64(t.Across)*t.Width, int64(t.Down)*t.Height, 0
	}
	if in.Width > mostPixels || in.Height > mostPixels {
		in.Width, in.Height = 0, 0
	}
	if pixels := (area{float64(in.Width), float64(in.Height)}); size.isSize(pixels) {
		in.DiagonalInches = diagonal(area{}, size, pixels)
	}
}

// tile reads the topology of a screen of tiles: their number and the place of this one in six bits each, less one, the
// size of a tile in pixels, less one, the edges between tiles, and whose screen it is.
func tile(p []byte) Tile {
	t := Tile{
		Across: int(p[1]>>4|p[3]>>2&0x30) + 1,
		Down:   int(p[1]&0x0F|p[3]&0x30) + 1,
		Column: int(p[2]>>4 | p[3]<<2&0x30),
		Row:    int(p[2]&0x0F | p[3]<<4&0x30),
		Width:  int64(binary.LittleEndian.Uint16(p[4:])) + 1,
		Height: int64(binary.LittleEndian.Uint16(p[6:])) + 1,
	}
	if t.Across*t.Down > 1 && t.Column < t.Across && t.Row < t.Down {
		t.Screen = fmt.Sprintf("%x", p[13:22])
	}
	return t
}
