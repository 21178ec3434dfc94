// Package cursor reads numbers and pieces from the front of bytes that nobody vouches for.
package cursor

import "encoding/binary"

// Cursor reads from the front. Where there is less than is asked for, it gives nothing from then on, and Failed
// is set: it is enough to look at that once, at the end.
type Cursor struct {
	Rest   []byte
	Order  binary.ByteOrder
	Failed bool
}

// New is a cursor at the front of b.
func New(order binary.ByteOrder, b []byte) *Cursor { return &Cursor{Rest: b, Order: order} }

// Take takes n bytes; nil where there are fewer. They are not copied.
func (c *Cursor) Take(n int) []byte {
	if n < 0 || n > len(c.Rest) {
		c.Rest, c.Failed = nil, true
		return nil
	}
	var out []byte
	out, c.Rest = c.Rest[:n:n], c.Rest[n:]
	return out
}

// U8 takes a number of one byte.
func (c *Cursor) U8() byte {
	if b := c.Take(1); b != nil {
		return b[0]
	}
	return 0
}

// U16 takes a number of two bytes.
func (c *Cursor) U16() uint16 {
	if b := c.Take(2); b != nil {
		return c.Order.Uint16(b)
	}
	return 0
}

// U32 takes a number of four bytes.
func (c *Cursor) U32() uint32 {
	if b := c.Take(4); b != nil {
		return c.Order.Uint32(b)
	}
	return 0
}

// U64 takes a number of eight bytes.
func (c *Cursor) U64() uint64 {
	if b := c.Take(8); b != nil {
		return c.Order.Uint64(b)
	}
	return 0
}

// Sized takes a piece with its length in two bytes in front.
func (c *Cursor) Sized() []byte { return c.Take(int(c.U16())) }
