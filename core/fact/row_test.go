package fact_test

import (
	"bytes"
	"fmt"
	"hash/fnv"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

func packed() *inventory.Document {
	d := &inventory.Document{Collector: inventory.Collector{Titles: []string{"Tidebook"}}}
	d.OS.Platform = inventory.Some("windows")
	d.OS.Version = inventory.Some("11.2")
	d.OS.PendingRestart = inventory.Some(false)
	d.Processor.Features, d.Processor.RatedMHz = []string{"nx", "avx2"}, inventory.Some(int64(2900))
	d.Memory.Visible = inventory.Some(int64(7 << 30))
	d.Storage.OtherSystems = []string{"Lodestar Linux"}
	d.Displays = []inventory.Display{
		{Name: inventory.Some("OS-14 panel"), DiagonalInches: inventory.Some(13.3), Internal: inventory.Some(true)},
		{},
	}
	d.Software = []inventory.Software{{Name: "Tidebook", Version: inventory.Some("4.1")}}
	d.Sources = map[string]string{"displays[0].internal": fact.HandSource + " by the harbour office"}
	d.Gaps = []inventory.Gap{{Fact: "storage.other_systems", Cause: inventory.NeedsRights},
		{
			Fact:     "tpm.state",
			Cause:    inventory.Disagree,
			Readings: []inventory.Differ{{Value: "ready", Source: "a"}, {Value: "off", Source: "b"}},
		}, {Fact: "software", Cause: inventory.NotAsked},
		{
			Fact:     "displays[1].width_px",
			Cause:    inventory.Disagree,
			Readings: []inventory.Differ{{Value: "1680", Source: "a"}, {Value: "1920", Source: "b"}},
		}}
	return d
}

// What deciding needs comes back as it was.
func TestPackThereAndBack(t *testing.T) {
	f := fact.Read(packed())
	b := f.Pack(nil)
	g := new(fact.Facts)
	for range 2 { // the same facts are used again
		if err := g.Unpack(b); err != nil {
			t.Fatal(err)
		}
	}
	for _, def := range fact.All() {
		x, y := f.Get(def.ID), g.Get(def.ID)
		expect.Same(t, def.Name+": x.Value.Known()", x.Value.Known(), y.Value.Known())
		expect.That(t, def.Name+": x.Value.Equal(y.Value)", x.Value.Equal(y.Value))
		expect.Same(t, def.Name+": x.Floor().Known()", x.Floor().Known(), y.Floor().Known())
		expect.Same(t, def.Name+": len(x.Others())", len(x.Others()), len(y.Others()))
		expect.That(t, def.Name+": y.Value.Known() != (y.Gap != nil)", y.Value.Known() != (y.Gap != nil))
	}
	expect.Same(t, "g.Rows(fact.Displays)", g.Rows(fact.Displays), 2)
	expect.Same(t, "g.Row(fact.Displays, 0).Value(fact.DisplayDiagonal).Float()",
		g.Row(fact.Displays, 0).Value(fact.DisplayDiagonal).Float(), 13.3)
	expect.That(t, "!g.Row(fact.Displays, 1).Value(fact.DisplayName).Known()",
		!g.Row(fact.Displays, 1).Value(fact.DisplayName).Known())
	expect.That(t, "g.Doubtful()", g.Conflicting())
	if others := g.Row(fact.Displays, 1).Get(fact.DisplayWidth).Others(); len(others) != 2 ||
		others[1].Value.Float() != 1920 {
		t.Errorf("what sources conflict on in a row came back as %+v", others)
	}
	expect.That(t, "what a person entered in a row is known as such",
		g.Row(fact.Displays, 0).Get(fact.DisplayInternal).ByHand())
	expect.That(t, "what was read in a row is, too", !g.Row(fact.Displays, 0).Get(fact.DisplayName).ByHand())
	if !g.AskedFor([]string{"Tidebook 5"}) {
		t.Error("the titles that were asked for did not come back")
	}
	if !bytes.Equal(g.Pack(nil), b) {
		t.Error("packed again it is not the same")
	}
}

// The packed form is stored: where it changes, Catalogue counts up.
func TestPackedFormIsWhatWasStored(t *testing.T) {
	h := fnv.New32a()
	h.Write(fact.Read(packed()).Pack(nil))
	for _, def := range append(append([]fact.Def{}, fact.All()...), fact.OfRows()...) {
		h.Write([]byte{byte(def.ID), byte(def.Kind)})
		h.Write([]byte(def.Name))
	}
	const stored, sum = 12, 0xf8c16c89
	if fact.Catalogue != stored || h.Sum32() != sum {
		t.Errorf("Catalogue %d has the sum %#x, and %d had %#x: count Catalogue up, and put both here", fact.Catalogue,
			h.Sum32(), stored, uint32(sum))
	}
}

func FuzzUnpack(f *testing.F) {
	f.Add(fact.Read(packed()).Pack(nil))
	f.Add([]byte{0})
	f.Fuzz(func(t *testing.T, b []byte) {
		g := new(fact.Facts)
		if g.Unpack(b) != nil {
			return
		}
		h := new(fact.Facts)
		if err := h.Unpack(g.Pack(nil)); err != nil {
			t.Errorf("what was read cannot be packed and read again: %v", err)
		}
	})
}

// What is read of damaged packed facts is as recorded: cut at every end, and with every byte changed.
func TestDamagedRowsAreAsRecorded(t *testing.T) {
	whole := fact.Read(packed()).Pack(nil)
	g := new(fact.Facts) // the same for all: what one row leaves must not show in the next
	var out strings.Builder
	unpack := func(what string, b []byte) {
		if err := g.Unpack(b); err != nil {
			fmt.Fprintln(&out, what, err)
			return
		}
		h := fnv.New32a()
		h.Write(g.Pack(nil))
		fmt.Fprintf(&out, "%s %08x\n", what, h.Sum32())
	}
	for at := range whole {
		unpack(fmt.Sprint("cut at ", at), whole[:at])
		for is := range byte(20) {
			b := bytes.Clone(whole)
			b[at] = is
			unpack(fmt.Sprint("byte ", at, " is ", is), b)
		}
		b := bytes.Clone(whole)
		b[at] ^= 0xC0
		unpack(fmt.Sprint("byte ", at, " is ", b[at]), b)
	}
	unpack("whole", whole)
	expect.Record(t, "testdata/damaged.txt", out.String())
}
