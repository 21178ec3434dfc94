// Package edid decodes what a display says of itself: the base block of VESA's
// Enhanced Extended Display Identification Data Standard, release A, version 1, and what CTA-861 blocks and DisplayID
// sections among its extension blocks say of the size of the screen.
package edid

import (
	"bytes"
	"errors"
	"math"
	"strings"
)

// Info is what the block says. Zero values are not known.
type Info struct {
	Maker          string // three letters, as registered
	Name           string
	Width, Height  int64 // of the first detailed timing, the preferred one, in pixels
	DiagonalInches float64
	BitsPerChannel int64 // digital displays of version 1.4 only
	Tile           Tile  // if the screen is one of several tiles; width and height are then of all of them
}

// blockSize is the size of a block in bytes; extensions follow the base block.
const blockSize = 128

var magic = []byte{0, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0}

// sum is what a sound block's bytes add up to zero by.
func sum(block []byte) (s byte) {
	for _, c := range block {
		s += c
	}
	return s
}

// Decode reads the base block and the extension blocks behind it. The error says why it is none. An extension that
// is damaged or cut is passed over.
func Decode(whole []byte) (Info, error) {
	b := whole
	if len(b) < blockSize {
		return Info{}, errors.New("edid: shorter than a block of 128 bytes")
	}
	b = b[:blockSize]
	if !bytes.Equal(b[:8], magic) {
		return Info{}, errors.New("edid: it does not begin as a block does")
	}
	if sum(b) != 0 {
		return Info{}, errors.New("edid: the checksum is not right")
	}
	in := Info{Maker: maker(b[8], b[9])}
	if b[20]&0x80 != 0 && b[19] >= 4 {
		in.BitsPerChannel = map[byte]int64{1: 6, 2: 8, 3: 10, 4: 12, 5: 14, 6: 16}[b[20]>>4&7]
	}
	// Section 3.6.2: the size in centimetres, and with the preferred timing in millimetres.
	coarse, fine := area{float64(b[21]) * 10, float64(b[22]) * 10}, area{}
	for off := 54; off+18 <= 126; off += 18 {
		d := b[off : off+18]
		if d[0] == 0 && d[1] == 0 {
			if d[3] == 0xFC {
				in.Name = text(d[5:])
			}
			continue
		}
		if in.Width == 0 {
			in.Width, in.Height, fine = timing(d)
		}
	}
	in.DiagonalInches = diagonal(coarse, fine, area{float64(in.Width), float64(in.Height)})
	in.further(whole, coarse)
	in.extend(whole)
	return in, nil
}

// timing is what a detailed timing says: pixels, and the size in millimetres.
func timing(d []byte) (width, height int64, fine area) {
	return int64(d[2]) | int64(d[4]&0xF0)<<4, int64(d[5]) | int64(d[7]&0xF0)<<4,
		area{float64(int(d[12]) | int(d[14]&0xF0)<<4), float64(int(d[13]) | int(d[14]&0x0F)<<8)}
}

// extCTA is the tag of an extension block of CTA-861.
const extCTA = 0x02

// further completes what the base block leaves open with the detailed timings of CTA-861 blocks (CTA-861-H, section
// 7.3): the pixels, where the base block has no timing, and the size, where it has none and the pixels are the same. A
// timing with more pixels than the preferred one does not show a larger screen: displays scale some down.
func (in *Info) further(b []byte, coarse area) {
	for at := blockSize; at+blockSize <= len(b) && at/blockSize <= int(b[126]); at += blockSize {
		block := b[at : at+blockSize]
		if block[0] != extCTA || sum(block) != 0 || block[2] < 4 {
			continue
		}
		for off := int(block[2]); off+18 <= blockSize-1; off += 18 {
			d := block[off : off+18]
			if d[0] == 0 && d[1] == 0 {
				break
			}
			width, height, fine := timing(d)
			if in.Width == 0 {
				in.Width, in.Height = width, height
			}
			if in.DiagonalInches == 0 && width == in.Width && height == in.Height {
				in.DiagonalInches = diagonal(coarse, fine, area{float64(width), float64(height)})
			}
		}
	}
}

// area is a width and a height, in millimetres or pixels.
type area struct{ wide, high float64 }

func (a area) inches() float64 { return math.Hypot(a.wide, a.high) / 25.4 }

// ratios are aspect ratios that displays carry where their size should stand, whatever the unit.
var ratios = []area{{16, 9}, {16, 10}, {4, 3}, {5, 4}, {21, 9}}

// isSize says that an area in millimetres can be the size of a screen with some pixels: it is no aspect ratio, neither
// smaller than a watch nor larger than a wall, and its shape is that of the pixels, give or take a quarter.
func (a area) isSize(pixels area) bool {
	if a.wide <= 0 || a.high <= 0 || a.inches() < 3 || a.inches() > 130 {
		return false
	}
	for _, r := range ratios {
		for _, unit := range []float64{1, 10, 100} {
			if a.wide == r.wide*unit && a.high == r.high*unit {
				return false
			}
		}
	}
	if pixels.wide <= 0 || pixels.high <= 0 {
		return true
	}
	shape := a.wide / a.high * pixels.high / pixels.wide
	return shape > 0.75 && shape < 1.25
}

// near says that a size in millimetres agrees with one that was rounded to centimetres: within a tenth.
func (a area) near(coarse area) bool {
	const rounded = 5
	return math.Abs(a.wide-coarse.wide) <= coarse.wide/10+rounded &&
		math.Abs(a.high-coarse.high) <= coarse.high/10+rounded
}

// diagonal is that of a screen in inches, to a tenth; 0 where nothing tells it. Timings often carry an aspect ratio or
// nonsense instead of millimetres: where they disagree with the centimetres, these count.
func diagonal(coarse, fine, pixels area) float64 {
	size := area{}
	switch haveCoarse, haveFine := coarse.isSize(pixels), fine.isSize(pixels); {
	case haveFine && (!haveCoarse || fine.near(coarse)):
		size = fine
	case haveCoarse:
		size = coarse
	}
	return math.Round(size.inches()*10) / 10
}

// maker unpacks three letters of five bits each.
func maker(hi, lo byte) string {
	v := int(hi)<<8 | int(lo)
	out := make([]byte, 3)
	for i := range out {
		c := v >> (10 - 5*i) & 0x1F
		if c < 1 || c > 26 {
			return ""
		}
		out[i] = byte('A' + c - 1)
	}
	return string(out)
}

// text ends at a line feed and is filled up with blanks.
func text(b []byte) string {
	if i := bytes.IndexByte(b, '\n'); i >= 0 {
		b = b[:i]
	}
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' {
			return -1
		}
		return r
	}, string(b)))
}
