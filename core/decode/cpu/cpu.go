// Package cpu decodes what a processor says of itself: raw CPUID leaves (the
// processor makers' published CPUID instruction), and the text that Linux
// makes of the same where there are no leaves.
package cpu

import (
	"encoding/binary"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Leaf is one answer of the CPUID instruction.
type Leaf struct {
	Fn, Sub            uint32
	EAX, EBX, ECX, EDX uint32
}

// leafBytes is the size of a leaf in a capture: six little-endian words.
const leafBytes = 24

// Encode is the form of leaves in a capture.
func Encode(leaves []Leaf) []byte {
	var b []byte
	for _, l := range leaves {
		for _, w := range [6]uint32{l.Fn, l.Sub, l.EAX, l.EBX, l.ECX, l.EDX} {
			b = binary.LittleEndian.AppendUint32(b, w)
		}
	}
	return b
}

// Leaves reads the form of [Encode]. A rest that is no whole leaf is dropped.
func Leaves(b []byte) []Leaf {
	out := make([]Leaf, 0, len(b)/leafBytes)
	for ; len(b) >= leafBytes; b = b[leafBytes:] {
		w := func(i int) uint32 { return binary.LittleEndian.Uint32(b[4*i:]) }
		out = append(out, Leaf{w(0), w(1), w(2), w(3), w(4), w(5)})
	}
	return out
}

// Info is what the leaves say. Zero values are not known.
type Info struct {
	Vendor, Name            string
	Numbers                 string // of the implementer and of the parts, where a kernel tells no name
	Family, Model, Stepping int64
	Known                   bool // Family, Model and Stepping were read
	LongMode                bool
	RatedMHz                int64
	RatedFrom               string // which source gave RatedMHz
	Features                []string
	Guest                   bool   // the hypervisor bit is set
	Hypervisor              string // its twelve letters
}

// bits of features that releases ask for, by leaf and register; names as in
// the makers' manuals, lower case.
var bits = []struct {
	fn, sub uint32
	reg     int // 0 EAX … 3 EDX
	bit     uint
	name    string
}{
	{1, 0, 3, 6, "pae"}, {1, 0, 3, 26, "sse2"}, {1, 0, 2, 0, "sse3"}, {1, 0, 2, 5, "vmx"}, {1, 0, 2, 9, "ssse3"},
	{1, 0, 2, 12, "fma"}, {1, 0, 2, 13, "cmpxchg16b"}, {1, 0, 2, 19, "sse4.1"}, {1, 0, 2, 20, "sse4.2"},
	{1, 0, 2, 22, "movbe"}, {1, 0, 2, 23, "popcnt"}, {1, 0, 2, 25, "aes"}, {1, 0, 2, 26, "xsave"}, {1, 0, 2, 28, "avx"},
	{1, 0, 2, 29, "f16c"}, {7, 0, 1, 3, "bmi1"}, {7, 0, 1, 5, "avx2"}, {7, 0, 1, 8, "bmi2"}, {7, 0, 1, 16, "avx512f"},
	{7, 0, 1, 29, "sha"}, {0x80000001, 0, 2, 0, "lahf"}, {0x80000001, 0, 2, 2, "svm"}, {0x80000001, 0, 2, 5, "lzcnt"},
	{0x80000001, 0, 2, 8, "prefetchw"}, {0x80000001, 0, 3, 20, "nx"},
}

func (l *Leaf) reg(i int) uint32 { return [4]uint32{l.EAX, l.EBX, l.ECX, l.EDX}[i] }

// Describe decodes leaves.
func Describe(leaves []Leaf) Info {
	find := func(fn uint32) *Leaf {
		for i := range leaves {
			if leaves[i].Fn == fn && leaves[i].Sub == 0 {
				return &leaves[i]
			}
		}
		return nil
	}
	var in Info
	if l := find(0); l != nil {
		in.Vendor = letters(l.EBX, l.EDX, l.ECX)
	}
	if l := find(1); l != nil {
		in.signature(l.EAX)
		in.Guest = l.ECX&(1<<31) != 0
	}
	if l := find(0x80000001); l != nil {
		in.LongMode = l.EDX&(1<<29) != 0
	}
	if a, b, c := find(0x80000002), find(0x80000003), find(0x80000004); a != nil && b != nil && c != nil {
		in.Name = strings.Join(strings.Fields(letters(a.EAX, a.EBX, a.ECX, a.EDX, b.EAX, b.EBX, b.ECX, b.EDX, c.EAX,
			c.EBX, c.ECX, c.EDX)), " ")
	}
	base := int64(0)
	if l := find(0x16); l != nil {
		base = int64(l.EAX & 0xFFFF)
	}
	switch mhz := ClockInName(in.Name); { // the speed in the maker's name is the rated one
	case mhz > 0 && base > 0 && mhz != base:
		in.RatedMHz, in.RatedFrom = mhz, fmt.Sprintf("clock in the brand string; CPUID leaf 16h says %d MHz", base)
	case mhz > 0:
		in.RatedMHz, in.RatedFrom = mhz, "clock in the brand string"
	case base > 0:
		in.RatedMHz, in.RatedFrom = base, "CPUID leaf 16h"
	}
	if l := find(0x40000000); l != nil && in.Guest {
		in.Hypervisor = strings.TrimRight(letters(l.EBX, l.ECX, l.EDX), "\x00 ")
	}
	for _, b := range bits {
		for i := range leaves {
			if leaves[i].Fn == b.fn && leaves[i].Sub == b.sub && leaves[i].reg(b.reg)&(1<<b.bit) != 0 {
				in.Features = append(in.Features, b.name)
			}
		}
	}
	return in
}

// signature decodes leaf 1 EAX: the extended family counts for family 15, the
// extended model for families 6 and 15.
func (in *Info) signature(eax uint32) {
	family, model := eax>>8&0xF, eax>>4&0xF
	if family == 6 || family == 15 {
		model += eax >> 16 & 0xF << 4
	}
	if family == 15 {
		family += eax >> 20 & 0xFF
	}
	in.Family, in.Model, in.Stepping, in.Known = int64(family), int64(model), int64(eax&0xF), true
}

func letters(words ...uint32) string {
	var b []byte
	for _, w := range words {
		b = binary.LittleEndian.AppendUint32(b, w)
	}
	if i := strings.IndexByte(string(b), 0); i >= 0 {
		b = b[:i]
	}
	return strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' {
			return -1
		}
		return r
	}, string(b))
}

// ClockInName reads the clock that some makers put behind the name: “@ 2.50GHz”.
// It returns MHz, or 0.
func ClockInName(name string) int64 {
	i := strings.LastIndexByte(name, '@')
	if i < 0 {
		return 0
	}
	s := strings.ToLower(strings.ReplaceAll(name[i+1:], " ", ""))
	for suffix, factor := range map[string]float64{"ghz": 1000, "mhz": 1} {
		if num, ok := strings.CutSuffix(s, suffix); ok {
			if x, err := strconv.ParseFloat(num, 64); err == nil && x > 0 && x*factor < 100_000 {
				return int64(x*factor + 0.5)
			}
		}
	}
	return 0
}

// kernelNames turns the names that Linux gives to feature bits into the
// makers'.
var kernelNames = map[string]string{
	"pni": "sse3", "sse4_1": "sse4.1", "sse4_2": "sse4.2", "cx16": "cmpxchg16b", "lahf_lm": "lahf",
	"abm": "lzcnt", "3dnowprefetch": "prefetchw", "sha_ni": "sha",
}

// Text decodes /proc/cpuinfo for where there are no leaves: another
// architecture, or a file tree of another machine.
func Text(cpuinfo string) Info {
	var in Info
	first := map[string]string{}
	var parts []string // of cores of several kinds
	for line := range strings.Lines(cpuinfo) {
		key, value, ok := strings.Cut(line, ":")
		key = strings.TrimSpace(key)
		if _, seen := first[key]; ok && !seen {
			first[key] = strings.TrimSpace(value)
		}
		if part := strings.TrimSpace(value); key == "CPU part" && !slices.Contains(parts, part) {
			parts = append(parts, part)
		}
	}
	if by := first["CPU implementer"]; by != "" && len(parts) > 0 {
		in.Numbers = "implementer " + by + ", part " + strings.Join(parts, " and ")
	}
	in.Vendor = first["vendor_id"]
	in.Name = strings.Join(strings.Fields(first["model name"]), " ")
	var err1, err2, err3 error
	in.Family, err1 = strconv.ParseInt(first["cpu family"], 10, 32)
	in.Model, err2 = strconv.ParseInt(first["model"], 10, 32)
	in.Stepping, err3 = strconv.ParseInt(first["stepping"], 10, 32)
	in.Known = err1 == nil && err2 == nil && err3 == nil
	if mhz := ClockInName(in.Name); mhz > 0 {
		in.RatedMHz, in.RatedFrom = mhz, "clock in the brand string"
	}
	if flags, ok := first["flags"]; ok {
		known := map[string]bool{}
		for _, b := range bits {
			known[b.name] = true
		}
		for _, f := range strings.Fields(flags) {
			if name, ok := kernelNames[f]; ok {
				f = name
			}
			in.LongMode = in.LongMode || f == "lm"
			in.Guest = in.Guest || f == "hypervisor"
			if known[f] {
				in.Features = append(in.Features, f)
			}
		}
	} else if features, ok := first["Features"]; ok {
		in.Features = strings.Fields(strings.ToLower(features))
	}
	return in
}
