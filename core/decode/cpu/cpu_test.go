package cpu_test

import (
	"encoding/binary"
	"slices"
	"testing"

	"rolltop.example/rolltop/core/decode/cpu"
)

func word(s string) uint32 { return binary.LittleEndian.Uint32([]byte(s)) }

// leaves of a made-up part: brand string over three leaves.
func leaves(brand string) []cpu.Leaf {
	b := make([]byte, 48)
	copy(b, brand)
	w := func(i int) uint32 { return binary.LittleEndian.Uint32(b[4*i:]) }
	out := []cpu.Leaf{
		{Fn: 0, EAX: 0x16, EBX: word("Corv"), EDX: word("aneP"), ECX: word("arts")},
		{Fn: 1, EAX: 0x000806EA, ECX: 1<<13 | 1<<20 | 1<<23 | 1<<28, EDX: 1 << 26},
		{Fn: 7, EBX: 1 << 5},
		{Fn: 0x16, EAX: 1600},
		{Fn: 0x80000001, ECX: 1 | 1<<5, EDX: 1<<20 | 1<<29},
	}
	for i := range 3 {
		out = append(out, cpu.Leaf{
			Fn:  0x80000002 + uint32(i),
			EAX: w(4 * i),
			EBX: w(4*i + 1),
			ECX: w(4*i + 2),
			EDX: w(4*i + 3),
		})
	}
	return out
}

func TestDescribe(t *testing.T) {
	in := cpu.Describe(cpu.Leaves(cpu.Encode(leaves("Corvane(R)  K5-8250U CPU @ 1.60GHz"))))
	if in.Vendor != "CorvanePartsX"[:12] || in.Name != "Corvane(R) K5-8250U CPU @ 1.60GHz" || !in.LongMode || in.Guest {
		t.Errorf("got %+v", in)
	}
	if in.Family != 6 || in.Model != 0x8E || in.Stepping != 10 || !in.Known {
		t.Errorf("family %d model %d stepping %d", in.Family, in.Model, in.Stepping)
	}
	if in.RatedMHz != 1600 || in.RatedFrom != "CPUID leaf 16h" {
		t.Errorf("rated %d from %s", in.RatedMHz, in.RatedFrom)
	}
	// The ABM bit does not stand for POPCNT, nor the other way round.
	if want := []string{
		"sse2", "cmpxchg16b", "sse4.2", "popcnt", "avx", "avx2", "lahf", "lzcnt", "nx",
	}; !slices.Equal(in.Features, want) {
		t.Errorf("features %v, want %v", in.Features, want)
	}
}

func TestLongModeAndGuest(t *testing.T) {
	l := leaves("x")
	l[4].EDX = 0
	l[1].ECX |= 1 << 31
	l = append(l, cpu.Leaf{Fn: 0x40000000, EBX: word("Boat"), ECX: word("hous"), EDX: word("e\x00\x00\x00")})
	in := cpu.Describe(l)
	if in.LongMode || !in.Guest || in.Hypervisor != "Boathouse" || slices.Contains(in.Features, "nx") {
		t.Errorf("got %+v", in)
	}
	if empty := cpu.Describe(nil); empty.Known || empty.Name != "" || empty.RatedMHz != 0 {
		t.Errorf("no leaves give %+v", empty)
	}
}

func TestClockInName(t *testing.T) {
	for name, want := range map[string]int64{
		"Corvane K5 @ 1.60GHz": 1600,
		"x @ 2.5 GHz":          2500,
		"x @ 800MHz":           800,
		"x":                    0,
		"x @ fast":             0,
		"x @ -1GHz":            0,
		"x @ 1e9GHz":           0,
	} {
		if got := cpu.ClockInName(name); got != want {
			t.Errorf("%q: %d, want %d", name, got, want)
		}
	}
}

func TestText(t *testing.T) {
	in := cpu.Text("processor\t: 0\nvendor_id\t: CorvaneParts\ncpu family\t: 6\nmodel\t\t: 142\nmodel name\t: " +
		"Corvane K5-8250U CPU @ 1.60GHz\nstepping\t: 10\ncpu MHz\t\t: 799.9\nflags\t\t: fpu sse2 pni cx16 sse4_2 abm " +
		"lm nx\n\nprocessor\t: 1\nmodel name\t: other\n")
	if in.Name != "Corvane K5-8250U CPU @ 1.60GHz" || in.RatedMHz != 1600 || !in.LongMode || in.Model != 142 {
		t.Errorf("got %+v", in)
	}
	if want := []string{"sse2", "sse3", "cmpxchg16b", "sse4.2", "lzcnt", "nx"}; !slices.Equal(in.Features, want) {
		t.Errorf("features %v, want %v", in.Features, want)
	}
	arm := cpu.Text("CPU implementer\t: 0x41\nFeatures\t: fp asimd AES sve\n")
	if !slices.Contains(arm.Features, "sve") || !slices.Contains(arm.Features, "aes") || arm.Known {
		t.Errorf("got %+v", arm)
	}
}

func FuzzLeaves(f *testing.F) {
	f.Add(cpu.Encode(leaves("Corvane")))
	f.Fuzz(func(t *testing.T, b []byte) {
		l := cpu.Leaves(b)
		if len(l) != len(b)/24 {
			t.Errorf("%d leaves of %d bytes", len(l), len(b))
		}
		cpu.Describe(l)
	})
}
