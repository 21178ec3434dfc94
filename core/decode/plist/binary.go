package plist

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"time"
	"unicode/utf16"
)

// The binary form ends with 32 bytes: sizes of offsets and of references, how
// many objects, which is the top, and where the table of offsets is.
const trailerSize = 32

type reader struct {
	b       []byte
	offsets []int
	refSize int
	count   int
}

var errBroken = errors.New("plist: the binary form is broken")

func decodeBinary(b []byte) (any, error) {
	if len(b) < 8+trailerSize {
		return nil, errShort
	}
	t := b[len(b)-trailerSize:]
	offsetSize, refSize := int(t[6]), int(t[7])
	objects, top, table := binary.BigEndian.Uint64(t[8:]), binary.BigEndian.Uint64(t[16:]),
		binary.BigEndian.Uint64(t[24:])
	room := uint64(len(b) - trailerSize)
	if offsetSize < 1 || offsetSize > 8 || refSize < 1 || refSize > 8 || objects == 0 || objects > most ||
		table > room || objects*uint64(offsetSize) > room-table || top >= objects {
		return nil, errBroken
	}
	r := &reader{b: b[:room], refSize: refSize, offsets: make([]int, objects)}
	for i := range r.offsets {
		at := number(b[int(table)+i*offsetSize:][:offsetSize])
		if at >= room {
			return nil, errBroken
		}
		r.offsets[i] = int(at)
	}
	return r.object(int(top), 0)
}

// number is a big-endian number of one to eight bytes.
func number(b []byte) uint64 {
	n := uint64(0)
	for _, c := range b {
		n = n<<8 | uint64(c)
	}
	return n
}

// bytes are n bytes at a place, or nil.
func (r *reader) bytes(at, n int) []byte {
	if at < 0 || n < 0 || at > len(r.b) || n > len(r.b)-at {
		return nil
	}
	return r.b[at : at+n]
}

// length reads how long an object is: in the low half of its first byte, or in
// a number behind it.
func (r *reader) length(at int) (n, next int, err error) {
	n = int(r.b[at] & 0xF)
	if n != 0xF {
		return n, at + 1, nil
	}
	mark := r.bytes(at+1, 1)
	if mark == nil || mark[0]>>4 != 1 || mark[0]&0xF > 3 {
		return 0, 0, errBroken
	}
	size := 1 << (mark[0] & 0xF)
	b := r.bytes(at+2, size)
	if b == nil || number(b) > uint64(len(r.b)) {
		return 0, 0, errBroken
	}
	return int(number(b)), at + 2 + size, nil
}

func (r *reader) object(ref, depth int) (any, error) {
	if r.count++; depth > deepest || r.count > most {
		return nil, errors.New("plist: too deep or too long")
	}
	if ref < 0 || ref >= len(r.offsets) {
		return nil, errBroken
	}
	at := r.offsets[ref]
	kind, low := r.b[at]>>4, r.b[at]&0xF
	switch kind {
	case 0:
		switch low {
		case 8:
			return false, nil
		case 9:
			return true, nil
		}
		return nil, nil
	case 1, 2, 3:
		return r.fixed(at, kind, 1<<low)
	case 4, 5, 6:
		return r.text(at, kind)
	case 0xA:
		return r.list(at, depth)
	case 0xD:
		return r.dict(at, depth)
	}
	return nil, fmt.Errorf("plist: an object of kind %d", kind)
}

// epoch is where dates in the binary form begin.
var epoch = time.Date(2001, time.January, 1, 0, 0, 0, 0, time.UTC)

// date is a date as the XML form writes it, of seconds since the epoch of the binary form.
func date(seconds float64) (any, error) {
	const most = 250 * 366 * 24 * 3600 // what a duration holds is a little more
	if !(math.Abs(seconds) < most) {   // nor is it no number
		return nil, errBroken
	}
	return epoch.Add(time.Duration(seconds) * time.Second).Format(time.RFC3339), nil
}

func (r *reader) fixed(at int, kind byte, size int) (any, error) {
	b := r.bytes(at+1, size)
	switch {
	case b == nil || size > 16:
		return nil, errBroken
	case kind == 1 && size == 16: // how a number above the signed ones of 8 bytes is written
		if number(b[:8]) != 0 {
			return nil, errBroken
		}
		if n := number(b[8:]); n > math.MaxInt64 {
			return n, nil
		}
		return int64(number(b[8:])), nil
	case kind == 1:
		return int64(number(b)), nil
	case kind == 3 && size == 8:
		return date(math.Float64frombits(number(b)))
	case size == 4:
		return float64(math.Float32frombits(uint32(number(b)))), nil
	case size == 8:
		return math.Float64frombits(number(b)), nil
	}
	return nil, errBroken
}

func (r *reader) text(at int, kind byte) (any, error) {
	n, at, err := r.length(at)
	if err != nil {
		return nil, err
	}
	if kind == 6 {
		n *= 2
	}
	b := r.bytes(at, n)
	switch {
	case b == nil:
		return nil, errBroken
	case kind == 4:
		return append([]byte{}, b...), nil
	case kind == 5:
		return string(b), nil
	}
	units := make([]uint16, n/2)
	for i := range units {
		units[i] = binary.BigEndian.Uint16(b[2*i:])
	}
	return string(utf16.Decode(units)), nil
}

func (r *reader) refs(at, n int) ([]int, error) {
	b := r.bytes(at, n*r.refSize)
	if b == nil {
		return nil, errBroken
	}
	out := make([]int, n)
	for i := range out {
		ref := number(b[i*r.refSize:][:r.refSize])
		if ref >= uint64(len(r.offsets)) {
			return nil, errBroken
		}
		out[i] = int(ref)
	}
	return out, nil
}

func (r *reader) list(at, depth int) (any, error) {
	n, at, err := r.length(at)
	if err != nil {
		return nil, err
	}
	refs, err := r.refs(at, n)
	if err != nil {
		return nil, err
	}
	out := make([]any, 0, n)
	for _, ref := range refs {
		v, err := r.object(ref, depth+1)
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, nil
}

func (r *reader) dict(at, depth int) (any, error) {
	n, at, err := r.length(at)
	if err != nil {
		return nil, err
	}
	refs, err := r.refs(at, 2*n)
	if err != nil {
		return nil, err
	}
	out := make(map[string]any, n)
	for i := range n {
		k, err := r.object(refs[i], depth+1)
		if err != nil {
			return nil, err
		}
		key, ok := k.(string)
		if !ok {
			return nil, errBroken
		}
		if out[key], err = r.object(refs[n+i], depth+1); err != nil {
			return nil, err
		}
	}
	return out, nil
}
