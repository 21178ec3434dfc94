// Package rpmdb reads the names of installed packages out of the database that
// rpm keeps since its version 4.16: a table Packages in an SQLite file, with
// the header of each package as a blob. It reads the file's documented format
// itself (SQLite Database File Format, sections 1 and 2), page by page and
// without writing, and trusts no length in it.
package rpmdb

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
)

// Package is what is read of one package.
type Package struct {
	Name, Version, Architecture string
}

// Bounds of what is read.
const (
	maxPages   = 1 << 20 // 4 GiB of the usual pages
	maxPayload = 16 << 20
	deepest    = 24
)

var errBroken = errors.New("rpmdb: the file is broken")

// Each calls f with every package, in the order of the table. The error says
// why the rest could not be read.
func Each(r io.ReaderAt, f func(Package)) error {
	d := &database{r: r, visited: map[int]bool{}}
	if err := d.open(); err != nil {
		return err
	}
	root := 0
	err := d.rows(1, 0, func(row [][]byte) {
		if len(row) >= 4 && string(row[0]) == "table" && string(row[1]) == "Packages" {
			root = int(integer(row[3]))
		}
	})
	if err != nil {
		return err
	}
	if root == 0 {
		return errors.New("rpmdb: there is no table of packages")
	}
	clear(d.visited)
	return d.rows(root, 0, func(row [][]byte) {
		if len(row) < 2 {
			return
		}
		if p := header(row[1]); p.Name != "" {
			f(p)
		}
	})
}

// database reads pages; usable is a page's size without what extensions keep.
type database struct {
	r            io.ReaderAt
	size, usable int
	visited      map[int]bool // no page belongs to two places, nor twice to one
}

func (d *database) open() error {
	head := make([]byte, 100)
	if _, err := d.r.ReadAt(head, 0); err != nil {
		return fmt.Errorf("rpmdb: %w", err)
	}
	if !bytes.HasPrefix(head, []byte("SQLite format 3\x00")) {
		return errors.New("rpmdb: this is no SQLite file")
	}
	d.size = int(binary.BigEndian.Uint16(head[16:]))
	if d.size == 1 {
		d.size = 65536
	}
	d.usable = d.size - int(head[20])
	if d.size < 512 || d.size&(d.size-1) != 0 || d.usable < 480 {
		return errBroken
	}
	return nil
}

func (d *database) page(n int) ([]byte, error) {
	if n < 1 || d.visited[n] || len(d.visited) > maxPages {
		return nil, errBroken
	}
	d.visited[n] = true
	b := make([]byte, d.size)
	if _, err := d.r.ReadAt(b, int64(n-1)*int64(d.size)); err != nil {
		return nil, fmt.Errorf("rpmdb: page %d: %w", n, err)
	}
	return b, nil
}

// Kinds of pages of a table.
const (
	interior = 0x05
	leaf     = 0x0D
)

// rows walks the tree of a table.
func (d *database) rows(n, depth int, f func([][]byte)) error {
	b, err := d.page(n)
	if err != nil {
		return err
	}
	at := 0
	if n == 1 {
		at = 100 // behind the file's header
	}
	kind, cells := b[at], int(binary.BigEndian.Uint16(b[at+3:]))
	pointers := at + 8
	if kind == interior {
		pointers = at + 12
	}
	if kind != interior && kind != leaf || depth > deepest || pointers+2*cells > d.usable {
		return errBroken
	}
	for i := range cells {
		cell := int(binary.BigEndian.Uint16(b[pointers+2*i:]))
		if cell < pointers || cell+4 > d.usable {
			return errBroken
		}
		if kind == interior {
			err = d.rows(int(binary.BigEndian.Uint32(b[cell:])), depth+1, f)
		} else {
			err = d.row(b[:d.usable], cell, f)
		}
		if err != nil {
			return err
		}
	}
	if kind == interior {
		return d.rows(int(binary.BigEndian.Uint32(b[at+8:])), depth+1, f)
	}
	return nil
}

// row reads a cell of a leaf: the payload's length, the row's number, and the
// payload, whose rest is on a chain of pages where it is long (section 1.6).
func (d *database) row(page []byte, at int, f func([][]byte)) error {
	length, n := varint(page[at:])
	_, m := varint(page[min(at+n, len(page)):])
	at += n + m
	if n == 0 || m == 0 || length > maxPayload {
		return errBroken
	}
	size, local := int(length), int(length)
	if most := d.usable - 35; size > most {
		least := (d.usable-12)*32/255 - 23
		if local = least + (size-least)%(d.usable-4); local > most {
			local = least
		}
	}
	if at+local > len(page) {
		return errBroken
	}
	payload := append([]byte(nil), page[at:at+local]...) // it grows with what is there, not with what the length says
	if local < size {
		if at+local+4 > len(page) {
			return errBroken
		}
		next := int(binary.BigEndian.Uint32(page[at+local:]))
		for len(payload) < size {
			b, err := d.page(next)
			if err != nil {
				return err
			}
			payload = append(payload, b[4:4+min(d.usable-4, size-len(payload))]...)
			next = int(binary.BigEndian.Uint32(b))
		}
	}
	values, err := record(payload)
	if err == nil {
		f(values)
	}
	return err
}

// varint reads a number of one to nine bytes, seven bits each but for the
// ninth; n is 0 where the bytes end before it does.
func varint(b []byte) (v uint64, n int) {
	for i := 0; i < 9 && i < len(b); i++ {
		if i == 8 {
			return v<<8 | uint64(b[i]), 9
		}
		v = v<<7 | uint64(b[i]&0x7F)
		if b[i] < 0x80 {
			return v, i + 1
		}
	}
	return 0, 0
}

// widths of the kinds of numbers in a record.
var widths = [...]uint64{0, 1, 2, 3, 4, 6, 8, 8, 0, 0}

// record splits a payload into its values (section 2.1). Numbers stay bytes.
func record(b []byte) ([][]byte, error) {
	end, n := varint(b)
	if n == 0 || end > uint64(len(b)) || end < uint64(n) {
		return nil, errBroken
	}
	kinds, body := b[n:end], b[end:]
	var out [][]byte
	for len(kinds) > 0 {
		kind, n := varint(kinds)
		if n == 0 {
			return nil, errBroken
		}
		kinds = kinds[n:]
		size := uint64(0)
		switch {
		case kind < uint64(len(widths)):
			size = widths[kind]
		case kind >= 12:
			size = (kind - 12) / 2 // texts have odd kinds, and the same half
		default:
			return nil, errBroken
		}
		if size > uint64(len(body)) {
			return nil, errBroken
		}
		out = append(out, body[:size])
		body = body[size:]
	}
	return out, nil
}

func integer(b []byte) int64 {
	n := int64(0)
	for _, c := range b {
		n = n<<8 | int64(c)
	}
	return n
}

// Tags of a package's header, and the types of their values.
const (
	tagName    = 1000
	tagVersion = 1001
	tagRelease = 1002
	tagEpoch   = 1003
	tagArch    = 1022
	typeInt32  = 4
	typeText   = 6
)

// header reads the few tags of a package that are wanted: two counts, an index
// of tag, type, place and count, then the values (all big-endian).
func header(b []byte) Package {
	if len(b) < 8 {
		return Package{}
	}
	entries, size := binary.BigEndian.Uint32(b), binary.BigEndian.Uint32(b[4:])
	if uint64(entries)*16+uint64(size) > uint64(len(b)-8) {
		return Package{}
	}
	values := b[8+int(entries)*16:][:size]
	text, epoch := map[uint32]string{}, ""
	for i := range int(entries) {
		e := b[8+i*16:]
		tag, kind, at := binary.BigEndian.Uint32(e), binary.BigEndian.Uint32(e[4:]), binary.BigEndian.Uint32(e[8:])
		if uint64(at) >= uint64(len(values)) {
			continue
		}
		switch {
		case kind == typeText && (tag == tagName || tag == tagVersion || tag == tagRelease || tag == tagArch):
			s, _, ended := bytes.Cut(values[at:], []byte{0})
			if ended {
				text[tag] = string(s)
			}
		case kind == typeInt32 && tag == tagEpoch && uint64(at)+4 <= uint64(len(values)):
			epoch = fmt.Sprintf("%d:", binary.BigEndian.Uint32(values[at:]))
		}
	}
	p := Package{Name: text[tagName], Architecture: text[tagArch]}
	if v := text[tagVersion]; v != "" {
		p.Version = epoch + v
		if r := text[tagRelease]; r != "" {
			p.Version += "-" + r
		}
	}
	return p
}
