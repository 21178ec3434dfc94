// Package bootlog decodes the log that firmware keeps of what it measured into the registers of a
// TPM 2.0 while the machine started (TCG PC Client Platform Firmware Profile, sections 9 and 10),
// and works out the registers that the log accounts for. All numbers are little endian.
//
// A log is a claim of whoever hands it over. Only an event whose data give its digest, in a register
// that the log accounts for, says more than that: see [Log.Measured].
package bootlog

import (
	"bytes"
	"crypto"
	_ "crypto/sha1" // digests of the profile
	_ "crypto/sha256"
	_ "crypto/sha512"
	"encoding/binary"
	"errors"
	"fmt"

	"rolltop.example/rolltop/core/decode/cursor"
)

// Numbers of digests (TCG Algorithm Registry, section 5).
const (
	SHA1   = 0x0004
	SHA256 = 0x000B
	SHA384 = 0x000C
	SHA512 = 0x000D
)

// Registers is how many registers a TPM of a PC has.
const Registers = 24

// Bounds of a log.
const (
	MaxBytes  = 1 << 20
	maxEvents = 1 << 15
)

// Types of events (section 10.4.1).
const (
	NoAction             = 0x00000003
	Separator            = 0x00000004
	SCRTMVersion         = 0x00000008
	VariableDriverConfig = 0x80000001
	VariableBoot         = 0x80000002
	Action               = 0x80000007
	GPT                  = 0x80000006
	VariableBoot2        = 0x8000000C
)

// Hash is the hash function of a digest's number; false for one that is not read.
func Hash(algorithm uint16) (crypto.Hash, bool) {
	switch algorithm {
	case SHA1:
		return crypto.SHA1, true
	case SHA256:
		return crypto.SHA256, true
	case SHA384:
		return crypto.SHA384, true
	case SHA512:
		return crypto.SHA512, true
	}
	return 0, false
}

// Event is one measurement.
type Event struct {
	Register int
	Type     uint32
	Digests  map[uint16][]byte // by number of the algorithm
	Data     []byte
}

// Log is a decoded log.
type Log struct {
	Algorithms []uint16 // that every event has
	Locality   byte     // at which the TPM was started; register 0 begins with it
	Events     []Event
}

var (
	errShort = errors.New("bootlog: the log ends within an event")
	order    = binary.LittleEndian
)

// signature begins the first event of a log with several digests (section 10.4.5.1).
const signature = "Spec ID Event03\x00"

// localitySignature begins the event that says at which locality the TPM was started (section 10.4.5.3).
const localitySignature = "StartupLocality\x00"

// Parse decodes a log with digests of several algorithms. A log of the older form, with SHA-1 alone,
// is refused: it proves nothing today. The error says what is wrong, and the log is decoded whole or
// not at all.
func Parse(b []byte) (*Log, error) {
	if len(b) > MaxBytes {
		return nil, fmt.Errorf("bootlog: the log has %d bytes, more than %d", len(b), MaxBytes)
	}
	r := cursor.New(order, b)
	// The first event has the older form: register, type, SHA-1, size, data.
	register, kind := r.U32(), r.U32()
	r.Take(crypto.SHA1.Size())
	head := cursor.New(order, r.Take(int(r.U32())))
	if r.Failed {
		return nil, errShort
	}
	if kind != NoAction || register != 0 || string(head.Take(len(signature))) != signature {
		return nil, errors.New("bootlog: the log has digests of SHA-1 alone, or it is no log of firmware")
	}
	sizes, err := algorithms(head)
	if err != nil {
		return nil, err
	}
	l := new(Log)
	for _, s := range sizes {
		l.Algorithms = append(l.Algorithms, s.algorithm)
	}
	for len(r.Rest) > 0 {
		if len(l.Events) == maxEvents {
			return nil, fmt.Errorf("bootlog: the log has more than %d events", maxEvents)
		}
		e, err := event(r, sizes)
		if err != nil {
			return nil, err
		}
		if e.Type == NoAction { // measured into no register
			if rest, ok := bytes.CutPrefix(e.Data, []byte(localitySignature)); ok && len(rest) == 1 && e.Register == 0 {
				l.Locality = rest[0]
			}
			continue
		}
		l.Events = append(l.Events, *e)
	}
	return l, nil
}

type size struct {
	algorithm uint16
	bytes     int
}

// algorithms are those of all events, from the data of the first one.
func algorithms(head *cursor.Cursor) ([]size, error) {
	head.Take(8) // platform class, version, size of a native number
	count := head.U32()
	if head.Failed || count == 0 || count > 16 {
		return nil, fmt.Errorf("bootlog: the log says that it has %d algorithms", count)
	}
	out := make([]size, count)
	for i := range out {
		out[i] = size{head.U16(), int(head.U16())}
		h, known := Hash(out[i].algorithm)
		if known && h.Size() != out[i].bytes {
			return nil, fmt.Errorf("bootlog: digests of algorithm %#x have %d bytes, and the log says %d",
				out[i].algorithm, h.Size(), out[i].bytes)
		}
		if out[i].bytes == 0 || out[i].bytes > 128 {
			return nil, fmt.Errorf("bootlog: the log says digests of %d bytes", out[i].bytes)
		}
		for _, other := range out[:i] {
			if other.algorithm == out[i].algorithm {
				return nil, fmt.Errorf("bootlog: the log names the algorithm %#x twice", out[i].algorithm)
			}
		}
	}
	if head.Failed {
		return nil, errShort
	}
	return out, nil
}

func event(r *cursor.Cursor, sizes []size) (*Event, error) {
	register, kind, count := r.U32(), r.U32(), r.U32()
	e := &Event{Type: kind, Digests: make(map[uint16][]byte, len(sizes))}
	if !r.Failed && int64(count) != int64(len(sizes)) {
		return nil, fmt.Errorf("bootlog: an event has %d digests, and the log has %d algorithms", count, len(sizes))
	}
	for range count {
		algorithm := r.U16()
		n := -1
		for _, s := range sizes {
			if s.algorithm == algorithm {
				n = s.bytes
			}
		}
		if r.Failed {
			return nil, errShort
		}
		if n < 0 || e.Digests[algorithm] != nil {
			return nil, fmt.Errorf("bootlog: an event has a digest of algorithm %#x that the log does not name, "+
				"or has it twice", algorithm)
		}
		e.Digests[algorithm] = r.Take(n)
	}
	e.Data = r.Take(int(r.U32()))
	if r.Failed {
		return nil, errShort
	}
	if register >= Registers && kind != NoAction {
		return nil, fmt.Errorf("bootlog: an event is of register %d, and there are %d", register, Registers)
	}
	e.Register = int(register)
	return e, nil
}

// Replay works out the registers as the events leave them (section 10.4.5; TPM 2.0 Library, part 1,
// section 17.1). The error says that the log has no digests of that algorithm.
func (l *Log) Replay(algorithm uint16) ([Registers][]byte, error) {
	var out [Registers][]byte
	h, ok := Hash(algorithm)
	if !ok {
		return out, fmt.Errorf("bootlog: the algorithm %#x is not one of the digests", algorithm)
	}
	for i := range out {
		out[i] = make([]byte, h.Size())
		if i >= 17 && i <= 22 { // these begin with ones until a dynamic launch
			out[i] = bytes.Repeat([]byte{0xFF}, h.Size())
		}
	}
	out[0][h.Size()-1] = l.Locality
	for i := range l.Events {
		e := &l.Events[i]
		d := e.Digests[algorithm]
		if d == nil {
			return out, fmt.Errorf("bootlog: the log has no digests of algorithm %#x", algorithm)
		}
		sum := h.New()
		sum.Write(out[e.Register])
		sum.Write(d)
		out[e.Register] = sum.Sum(nil)
	}
	return out, nil
}

// holds says whether an event's digest is that of some bytes.
func (e *Event) holds(algorithm uint16, data []byte) bool {
	h, ok := Hash(algorithm)
	if !ok || e.Digests[algorithm] == nil {
		return false
	}
	sum := h.New()
	sum.Write(data)
	return bytes.Equal(sum.Sum(nil), e.Digests[algorithm])
}
