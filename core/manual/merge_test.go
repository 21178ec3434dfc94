package manual_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/internal/expect"
)

// A row fills gaps, and differs where it differs; what identifies a machine is never changed.
func TestMerge(t *testing.T) {
	known := &inventory.Document{}
	known.Device.Name, known.OS.Name = inventory.Some("GULL-014"), inventory.Some("Skerry 11")
	known.Memory.Installed = inventory.Some[int64](8 << 30)
	row := known.Clone()
	row.Device.Name = inventory.Some("OTHER")
	for _, tt := range []struct {
		name   string
		change func(d *inventory.Document)
		want   string
	}{
		{"the same", func(*inventory.Document) {}, "[]"},
		{"a gap", func(d *inventory.Document) { d.Processor.Cores = inventory.Some[int64](4) },
			"[{processor.cores 4  false}]"},
		{"another value", func(d *inventory.Document) { d.Memory.Installed = inventory.Some[int64](4 << 30) },
			"[{memory.installed_bytes 4 GiB 8 GiB true}]"},
		{"less than a unit", func(d *inventory.Document) { d.Memory.Installed = inventory.Some[int64](512 << 20) },
			"[{memory.installed_bytes 512 MiB 8 GiB true}]"},
		{"nothing", func(d *inventory.Document) { d.Memory = inventory.Memory{} }, "[]"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			d := row.Clone()
			tt.change(d)
			expect.Same(t, "merged", fmt.Sprint(manual.Merge(known, d)), tt.want)
		})
	}
}

// What is entered of a row for a machine of which nothing is known is what the row says; a second time nothing is new.
func TestWhatIsMergedIsThere(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for range 60 {
		row, known := coretest.PC(r), &inventory.Document{}
		for _, m := range manual.Merge(known, row) {
			f := manual.Fact{Fact: m.Fact, Value: m.Row}
			out, left := manual.Enter(known, []manual.Fact{f})
			if len(left) > 0 {
				continue // it only goes with others: a state of a TPM that is not known
			}
			known = out
			def := fact.ByName(m.Fact)
			if got, want := fact.Read(known).Value(def.ID), fact.Read(row).Value(def.ID); !got.Equal(want) {
				t.Fatalf("%s is %s, and was %s", m.Fact, need.Written(def, got), need.Written(def, want))
			}
		}
		for _, m := range manual.Merge(known, row) {
			if m.Conflict {
				t.Fatalf("after it was entered, %+v", m)
			}
		}
	}
}
