package cpu_test

import (
	"encoding/binary"
	"slices"
	"testing"

	"rolltop.example/rolltop/core/decode/cpu"
	"rolltop.example/rolltop/internal/expect"
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
	expect.Same(t, "in.Vendor", in.Vendor, "CorvanePartsX"[:12])
	expect.Same(t, "in.Name", in.Name, "Corvane(R) K5-8250U CPU @ 1.60GHz")
	expect.That(t, "in.LongMode", in.LongMode)
	expect.That(t, "!in.Guest", !in.Guest)
	expect.Same(t, "in.Family", in.Family, 6)
	expect.Same(t, "in.Model", in.Model, 0x8E)
	expect.Same(t, "in.Stepping", in.Stepping, 10)
	expect.That(t, "in.Known", in.Known)
	if in.RatedMHz != 1600 || in.RatedFrom != "clock in the brand string" {
		t.Errorf("rated %d from %s", in.RatedMHz, in.RatedFrom)
	}
	// The ABM bit does not stand for POPCNT, nor the other way round.
	if want := []string{
		"sse2", "cmpxchg16b", "sse4.2", "popcnt", "avx", "avx2", "lahf", "lzcnt", "nx",
	}; !slices.Equal(in.Features, want) {
		t.Errorf("features %v, want %v", in.Features, want)
	}
}

// What the maker's name states is the rated speed; what the leaf says beside it is noted.
func TestRatedSpeed(t *testing.T) {
	for _, tt := range []struct {
		name, from string
		mhz        int64
	}{
		{"Corvane(R) K5-8250U CPU @ 1.80GHz", "clock in the brand string; CPUID leaf 16h says 1600 MHz", 1800},
		{"Corvane(R) K5-8250U CPU @ 1.60GHz", "clock in the brand string", 1600},
		{"Corvane(R) K5-8250U", "CPUID leaf 16h", 1600},
	} {
		t.Run(tt.name, func(t *testing.T) {
			in := cpu.Describe(leaves(tt.name))
			expect.Same(t, "MHz", in.RatedMHz, tt.mhz)
			expect.Same(t, "from", in.RatedFrom, tt.from)
		})
	}
}

func TestLongModeAndGuest(t *testing.T) {
	l := leaves("x")
	l[4].EDX = 0
	l[1].ECX |= 1 << 31
	l = append(l, cpu.Leaf{Fn: 0x40000000, EBX: word("Boat"), ECX: word("hous"), EDX: word("e\x00\x00\x00")})
	in := cpu.Describe(l)
	expect.That(t, "!in.LongMode", !in.LongMode)
	expect.That(t, "in.Guest", in.Guest)
	expect.Same(t, "in.Hypervisor", in.Hypervisor, "Boathouse")
	expect.That(t, `!slices.Contains(in.Features, "nx")`, !slices.Contains(in.Features, "nx"))
	empty := cpu.Describe(nil)
	expect.That(t, "!empty.Known", !empty.Known)
	expect.Same(t, "empty.Name", empty.Name, "")
	expect.Same(t, "empty.RatedMHz", empty.RatedMHz, 0)
}

func TestClockInName(t *testing.T) {
	for name, want := range map[string]int64{
		"Corvane K5 @ 1.60GHz": 1600,
		"x @ 2.5 GHz":          2500,
		"x @ 800MHz":           800,
		"@ 2.5GHz":             2500,
		"x @ 1GHz":             1000,
		"x @ 1MHz":             1,
		"x @ 99.9GHz":          99_900,
		"x @ 100GHz":           0,
		"x":                    0,
		"x @ fast":             0,
		"x @ -1GHz":            0,
		"x @ 1e9GHz":           0,
	} {
		t.Run(name, func(t *testing.T) {
			if got := cpu.ClockInName(name); got != want {
				t.Errorf("%q: %d, want %d", name, got, want)
			}
		})
	}
}

func TestText(t *testing.T) {
	in := cpu.Text("processor\t: 0\nvendor_id\t: CorvaneParts\ncpu family\t: 6\nmodel\t\t: 142\nmodel name\t: " +
		"Corvane K5-8250U CPU @ 1.60GHz\nstepping\t: 10\ncpu MHz\t\t: 799.9\nflags\t\t: fpu sse2 pni cx16 sse4_2 abm " +
		"lm nx\n\nprocessor\t: 1\nmodel name\t: other\n")
	expect.Same(t, "in.Name", in.Name, "Corvane K5-8250U CPU @ 1.60GHz")
	expect.Same(t, "in.RatedMHz", in.RatedMHz, 1600)
	expect.That(t, "in.LongMode", in.LongMode)
	expect.Same(t, "in.Model", in.Model, 142)
	if want := []string{"sse2", "sse3", "cmpxchg16b", "sse4.2", "lzcnt", "nx"}; !slices.Equal(in.Features, want) {
		t.Errorf("features %v, want %v", in.Features, want)
	}
	arm := cpu.Text("CPU implementer\t: 0x41\nFeatures\t: fp asimd AES sve\n")
	expect.That(t, `slices.Contains(arm.Features, "sve")`, slices.Contains(arm.Features, "sve"))
	expect.That(t, `slices.Contains(arm.Features, "aes")`, slices.Contains(arm.Features, "aes"))
	expect.That(t, "!arm.Known", !arm.Known)
	expect.Same(t, "numbers, without a part", arm.Numbers, "")
	cores := "CPU implementer\t: 0x41\nCPU part\t: 0x1f03\n\n"
	expect.Same(t, "one kind of core", cpu.Text(cores+cores).Numbers, "implementer 0x41, part 0x1f03")
	two := cpu.Text(cores + "CPU part\t: 0x1f08\n").Numbers
	expect.Same(t, "two kinds", two, "implementer 0x41, part 0x1f03 and 0x1f08")
	expect.Same(t, "without an implementer", cpu.Text("CPU part\t: 0x1f08\n").Numbers, "")
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
