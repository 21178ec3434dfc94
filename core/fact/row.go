package fact

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"math/bits"
	"slices"

	"rolltop.example/rolltop/core/inventory"
)

// Catalogue is the version of the packed form of facts. It counts up whenever
// packing the same inventory would give other bytes; then stored rows are made
// again from their inventories.
const Catalogue = 12

// A packed row holds what deciding needs: values, bounds and disagreeing readings, and the causes of gaps,
// without sources (but that a person entered a value) and details. It is a sequence of entries, each with the
// number of its fact, closed by a zero; then the causes of gaps, without those that nobody asked for: count,
// and for each the number of the fact and the cause's; then the rows of lists; then the titles that were
// asked for.
//
//	entry  = number, tag, [value], [floor], [count, values…]
//	lists  = for each list: count of rows, values of their facts in order; one
//	         on which sources disagree is 18, count, values…; one that is not
//	         known for a cause that counts is 19, the cause's number
//	value  = kind, payload

// tags of an entry.
const (
	tagValue = 1 << iota
	tagFloor
	tagOthers
	tagHand // a person entered it
)

// numbers of a Value's payload.
const (
	packNothing = 0
	packInt     = 16 // Number, a whole one
	packYes     = 17 // Bool, true
	packOthers  = 18 // in a row: values that sources disagree on
	packCause   = 19 // in a row: why a value is not known
	packHand    = 20 // in a row: a person entered the value that follows
)

// Pack appends the packed form of the facts to b.
func (f *Facts) Pack(b []byte) []byte {
	for id := range f.one {
		r := &f.one[id]
		tag := byte(0)
		if r.Value.Known() {
			tag |= tagValue
		}
		if r.Floor().Known() {
			tag |= tagFloor
		}
		if len(r.Others()) > 0 {
			tag |= tagOthers
		}
		if tag&tagValue != 0 && r.ByHand() {
			tag |= tagHand
		}
		if tag == 0 {
			continue
		}
		b = append(b, byte(id), tag)
		if tag&tagValue != 0 {
			b = packValue(b, r.Value)
		}
		if tag&tagFloor != 0 {
			b = packValue(b, r.Floor())
		}
		if tag&tagOthers != 0 {
			b = binary.AppendUvarint(b, uint64(len(r.Others())))
			for _, o := range r.Others() {
				b = packValue(b, o.Value)
			}
		}
	}
	b = f.packCauses(append(b, 0))
	for g := Adapters; g < groupCount; g++ {
		b = binary.AppendUvarint(b, uint64(f.Rows(g)))
		for i := range f.rows[g] {
			b = packCell(b, &f.rows[g][i])
		}
	}
	b = binary.AppendUvarint(b, uint64(len(f.asked)))
	for _, s := range f.asked {
		b = packText(b, s)
	}
	return b
}

// causes are numbered by their place, which never changes.
var causes = [...]string{inventory.NeedsRights, inventory.NotOffered, inventory.ReadFailed, inventory.Disagree}

// causeGaps are the gaps of facts that were unpacked, which say no more.
var causeGaps = func() (out [len(causes)]inventory.Gap) {
	for i, c := range causes {
		out[i].Cause = c
	}
	return out
}()

func (f *Facts) packCauses(b []byte) []byte {
	var pairs []byte
	for id := range f.one {
		if g := f.one[id].Gap; g != nil && !f.one[id].Value.Known() {
			if c := slices.Index(causes[:], g.Cause); c >= 0 {
				pairs = append(pairs, byte(id), byte(c))
			}
		}
	}
	return append(binary.AppendUvarint(b, uint64(len(pairs)/2)), pairs...)
}

// packCell packs one fact of a row.
func packCell(b []byte, r *Reading) []byte {
	if len(r.Others()) == 0 {
		if !r.Value.Known() && r.Gap != nil {
			if c := slices.Index(causes[:], r.Gap.Cause); c >= 0 {
				return append(b, packCause, byte(c))
			}
		}
		if r.Value.Known() && r.ByHand() {
			b = append(b, packHand)
		}
		return packValue(b, r.Value)
	}
	b = binary.AppendUvarint(append(b, packOthers), uint64(len(r.Others())))
	for _, o := range r.Others() {
		b = packValue(b, o.Value)
	}
	return b
}

func packText(b []byte, s string) []byte {
	return append(binary.AppendUvarint(b, uint64(len(s))), s...)
}

func packValue(b []byte, v Value) []byte {
	switch v.kind {
	case Number:
		if v.num == math.Trunc(v.num) && math.Abs(v.num) < 1<<53 {
			return binary.AppendVarint(append(b, packInt), int64(v.num))
		}
		return binary.LittleEndian.AppendUint64(append(b, byte(Number)), math.Float64bits(v.num))
	case Bool:
		if v.num != 0 {
			return append(b, packYes)
		}
		return append(b, byte(Bool))
	case Set:
		b = binary.AppendUvarint(append(b, byte(Set)), uint64(len(v.Set())))
		for _, s := range v.Set() {
			b = packText(b, s)
		}
		return b
	case 0:
		return append(b, packNothing)
	}
	return packText(append(b, byte(v.kind)), v.text)
}

// errPacked is the error of every row that is not one.
var errPacked = errors.New("fact: a packed row is damaged")

// Unpack sets all facts from their packed form. What is not known has a gap
// that says only that. The facts may be used again and again.
func (f *Facts) Unpack(row []byte) error {
	u := unpacker{s: string(row)}
	if err := f.unpackSingle(&u); err != nil {
		return err
	}
	f.asked = nil
	for g := Adapters; g < groupCount; g++ {
		n := u.count() * groups[g].width
		rows := f.rows[g][:0]
		for range n {
			if u.bad {
				break
			}
			rows = append(rows, u.cell())
		}
		f.rows[g] = rows
	}
	for range u.count() {
		f.asked = append(f.asked, u.text())
	}
	if u.bad || u.at != len(u.s) {
		return errPacked
	}
	return nil
}

// UnpackSingle sets the facts that are in no list, and leaves those of lists as they
// are: for whoever asks for no others, as an index of many machines.
func (f *Facts) UnpackSingle(row []byte) error {
	return f.unpackSingle(&unpacker{s: string(row)})
}

func (f *Facts) unpackSingle(u *unpacker) error {
	f.reset()
	f.conflicting = false
	for {
		id := u.byte()
		if id == 0 || u.bad {
			break
		}
		if int(id) >= Count {
			return fmt.Errorf("%w: it has a fact %d", errPacked, id)
		}
		f.markDirty(ID(id))
		f.unpackEntry(&f.one[id], u)
	}
	for range u.count() {
		id, c := int(u.byte()), int(u.byte())
		if id >= Count || c >= len(causes) {
			return errPacked
		}
		if !f.one[id].Value.Known() {
			f.markDirty(ID(id))
			f.one[id].Gap = &causeGaps[c]
		}
	}
	if u.bad {
		return errPacked
	}
	return nil
}

// reset leaves every fact not known.
func (f *Facts) reset() {
	if !f.empty {
		for i := range f.one {
			f.one[i] = Reading{Gap: &rowGap}
		}
		f.empty, f.touched = true, [len(f.touched)]uint64{}
		return
	}
	for i, w := range f.touched {
		for ; w != 0; w &= w - 1 {
			f.one[i*64+bits.TrailingZeros64(w)] = Reading{Gap: &rowGap}
		}
	}
	f.touched = [len(f.touched)]uint64{}
}

func (f *Facts) unpackEntry(r *Reading, u *unpacker) {
	tag := u.byte()
	if tag&tagValue != 0 {
		r.Value, r.Gap = u.value(), nil
	}
	if tag&tagHand != 0 {
		r.Source = HandSource
	}
	if tag&tagFloor != 0 {
		r.partial = &partial{floor: u.value()}
	}
	if tag&tagOthers != 0 {
		if r.partial == nil {
			r.partial = &partial{}
		}
		r.partial.others = u.others()
		f.conflicting = true
	}
}

// unpacker reads a row; texts share its memory.
// others are the values that sources disagree on.
func (u *unpacker) others() []Alternative {
	var out []Alternative
	for range u.count() {
		out = append(out, Alternative{Value: u.value()})
	}
	return out
}

// cell is one fact of a row.
func (u *unpacker) cell() Reading {
	if u.at < len(u.s) {
		switch u.s[u.at] {
		case packOthers:
			u.at++
			return Reading{
				Gap: &causeGaps[slices.Index(causes[:], inventory.Disagree)], partial: &partial{others: u.others()},
			}
		case packCause:
			u.at++
			c := int(u.byte())
			if c >= len(causes) {
				u.bad = true
				c = 0
			}
			return Reading{Gap: &causeGaps[c]}
		case packHand:
			u.at++
			return Reading{Value: u.value(), Gap: &rowGap, Source: HandSource}
		}
	}
	return Reading{Value: u.value(), Gap: &rowGap}
}

type unpacker struct {
	s   string
	at  int
	bad bool
}

func (u *unpacker) byte() byte {
	if u.at >= len(u.s) {
		u.bad = true
		return 0
	}
	u.at++
	return u.s[u.at-1]
}

func (u *unpacker) uvarint() uint64 {
	var x uint64
	for shift := 0; shift < 64; shift += 7 {
		c := u.byte()
		x |= uint64(c&0x7f) << shift
		if c < 0x80 {
			return x
		}
	}
	u.bad = true
	return 0
}

// count is a number of things, each of which takes a byte at least.
func (u *unpacker) count() int {
	n := u.uvarint()
	if n > uint64(len(u.s)-u.at) {
		u.bad = true
		return 0
	}
	return int(n)
}

func (u *unpacker) text() string {
	n := u.count()
	if u.bad {
		return ""
	}
	u.at += n
	return u.s[u.at-n : u.at]
}

func (u *unpacker) value() Value {
	switch kind := u.byte(); kind {
	case packNothing:
		return Value{}
	case packInt:
		x := u.uvarint()
		return Num(float64(int64(x>>1) ^ -int64(x&1)))
	case packYes:
		return Truth(true)
	case byte(Bool):
		return Truth(false)
	case byte(Number):
		if len(u.s)-u.at < 8 {
			u.bad = true
			return Value{}
		}
		u.at += 8
		return Num(math.Float64frombits(binary.LittleEndian.Uint64([]byte(u.s[u.at-8 : u.at]))))
	case byte(Set):
		items := make([]string, u.count())
		for i := range items {
			items[i] = u.text()
		}
		return Items(items)
	case byte(Text), byte(Word), byte(Version):
		return Of(Kind(kind), u.text())
	}
	u.bad = true
	return Value{}
}
