package part_test

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/internal/expect"
)

// What the plans of drawn machines take is as recorded: machines that lack memory, with slots, ceilings and modules of
// many kinds.
func TestPartsOfDrawnMachinesAreAsRecorded(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 64))
	rel := coretest.Release(t, "skerry-12")
	var out strings.Builder
	for range 60 {
		sum, taken, last := fnv.New64a(), 0, ""
		for range 20 {
			d := coretest.PC(r)
			thin(r, d)
			a, err := assess.Run(rel, d)
			expect.NoError(t, err)
			for i := range a.Verdict.Plan {
				for _, p := range part.Of(&a.Verdict.Plan[i], a.Result.Facts) {
					last = fmt.Sprintf("%+v", p)
					fmt.Fprintln(sum, last)
					taken++
				}
			}
		}
		fmt.Fprintf(&out, "%016x %d %s\n", sum.Sum64(), taken, last)
	}
	expect.Record(t, "testdata/parts.txt", out.String())
}

// thin takes memory out of a machine, and says something of its slots.
func thin(r *rand.Rand, d *inventory.Document) {
	one := func(of ...int64) int64 { return of[r.IntN(len(of))] }
	mem := &d.Memory
	mem.Installed = inventory.Some(one(1, 2, 3, 4) * gib)
	mem.Slots, mem.SlotsUsed, mem.Max = inventory.Opt[int64]{}, inventory.Opt[int64]{}, inventory.Opt[int64]{}
	mem.Modules = nil
	if r.IntN(4) > 0 {
		slots := one(0, 1, 2, 4)
		mem.Slots, mem.SlotsUsed = inventory.Some(slots), inventory.Some(one(0, slots, max(0, slots-1)))
		for i := range slots {
			mem.Modules = append(mem.Modules, inventory.Module{
				Slot: inventory.Some(fmt.Sprintf("Slot %c", 'A'+i)), Bytes: inventory.Some(one(0, 1, 2) * gib),
				Type: inventory.Some("DDR4"), Form: inventory.Some([]string{"DIMM", "SODIMM"}[r.IntN(2)]),
				SpeedMTS: inventory.Some(one(0, 2133, 2666)), ECC: inventory.Some(r.IntN(4) == 0),
			})
		}
	}
	if r.IntN(2) > 0 {
		mem.Max = inventory.Some(one(0, 4, 8, 16, 32) * gib)
	}
}
