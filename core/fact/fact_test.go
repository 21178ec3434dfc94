package fact_test

import (
	"fmt"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

func TestCompareVersions(t *testing.T) {
	tests := []struct {
		a, b string
		want int
	}{
		{"2.0", "2", 0}, {"1.2", "1.10", -1}, {"1.10", "1.9", 1}, {"2.0", "1.2", 1}, {"11.2.4100", "11.2", 1},
		{"", "0", 0}, {"1.a", "1.1", 1}, {"1.a", "1.b", -1}, {"10.4", "10.4", 0}, {"9", "10", -1},
	}
	for _, tt := range tests {
		t.Run(tt.a, func(t *testing.T) {
			if got := fact.CompareVersions(tt.a, tt.b); got != tt.want {
				t.Errorf("%q against %q is %d, want %d", tt.a, tt.b, got, tt.want)
			}
			if got := fact.CompareVersions(tt.b, tt.a); got != -tt.want {
				t.Errorf("%q against %q is %d, want %d", tt.b, tt.a, got, -tt.want)
			}
		})
	}
}

// Every fact has a value or a gap, whatever the inventory holds.
func TestEveryFactIsKnownOrHasAGap(t *testing.T) {
	for _, d := range []*inventory.Document{
		{},
		{OS: inventory.OS{Platform: inventory.Some("windows")},
			Gaps: []inventory.Gap{{Fact: "tpm", Cause: "needs-rights"}}},
	} {
		f := fact.Read(d)
		for _, def := range fact.All() {
			if r := f.Get(def.ID); r.Value.Known() == (r.Gap != nil) {
				t.Errorf("%s: known %v, gap %v", def.Name, r.Value.Known(), r.Gap)
			}
		}
	}
}

func TestClassOfIsThatOfFacts(t *testing.T) {
	for _, d := range []*inventory.Document{
		{}, {OS: inventory.OS{Platform: inventory.Some("windows")}},
		{OS: inventory.OS{Platform: inventory.Some("macos")}}, {Device: inventory.Device{Class: inventory.Some("mac")}},
		{Device: inventory.Device{ModelID: inventory.Some("Ostrel3,1")},
			OS: inventory.OS{Platform: inventory.Some("linux")}},
	} {
		if a, b := fact.ClassOf(d), fact.Read(d).Class(); a != b {
			t.Errorf("%+v: %q and %q", d, a, b)
		}
	}
}

func TestCatalogueIsSound(t *testing.T) {
	for _, def := range fact.All() {
		expect.That(t, def.Name+": def.ID != 0", def.ID != 0)
		expect.That(t, def.Name+": int(def.ID) < fact.Count", int(def.ID) < fact.Count)
		expect.That(t, def.Name+": def.Label != \"\"", def.Label != "")
		expect.That(t, def.Name+": def.Kind != 0", def.Kind != 0)
		if (def.Kind == fact.Word) != (len(def.Words) > 0) {
			t.Errorf("%s: words do not fit its kind", def.Name)
		}
		if fact.ByName(def.Name).ID != def.ID || def.ID.Def().Name != def.Name {
			t.Errorf("%s is not found by its name or number", def.Name)
		}
	}
}

func TestClass(t *testing.T) {
	tests := []struct {
		name, platform, modelID, want string
	}{
		{"PC", "windows", "", fact.PC}, {"PC with another system", "linux", "", fact.PC},
		{"Mac", "macos", "Deskline4,1", fact.Mac},
		{"Mac with a PC system", "windows", "Deskline4,1", fact.Mac}, {"nothing known", "", "", ""},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			d := &inventory.Document{}
			if tt.platform != "" {
				d.OS.Platform = inventory.Some(tt.platform)
			}
			if tt.modelID != "" {
				d.Device.ModelID = inventory.Some(tt.modelID)
			}
			if got := fact.Read(d).Class(); got != tt.want {
				t.Errorf("%s: %q, want %q", tt.name, got, tt.want)
			}
		})
	}
}

// A gap that says what a number is not below bounds the fact, also from a packed row.
func TestBounds(t *testing.T) {
	least := 2346.0
	for name, tt := range map[string]struct {
		gap   inventory.Gap
		floor float64
	}{
		"of a number":       {inventory.Gap{Fact: "processor.rated_mhz", AtLeast: &least}, least},
		"of its group":      {inventory.Gap{Fact: "processor", AtLeast: &least}, 0},
		"of nothing":        {inventory.Gap{Fact: "processor.rated_mhz"}, 0},
		"where sources say": {inventory.Gap{Fact: "processor.rated_mhz", AtLeast: &least, Readings: twoSpeeds}, 0},
	} {
		t.Run(name, func(t *testing.T) {
			f := fact.Read(&inventory.Document{Gaps: []inventory.Gap{tt.gap}})
			packed := new(fact.Facts)
			if err := packed.Unpack(f.Pack(nil)); err != nil {
				t.Fatal(err)
			}
			for _, r := range []*fact.Reading{f.Get(fact.ProcessorMHz), packed.Get(fact.ProcessorMHz)} {
				if r.Value.Known() || r.Floor().Float() != tt.floor {
					t.Errorf("%+v, want at least %v", r, tt.floor)
				}
			}
		})
	}
}

var twoSpeeds = []inventory.Differ{{Value: "1000", Source: "a"}, {Value: "1200", Source: "b"}}

func TestDerivedFacts(t *testing.T) {
	d := &inventory.Document{}
	d.Memory.Visible = inventory.Some(int64(7 << 30))
	d.Memory.Slots, d.Memory.SlotsUsed = inventory.Some(int64(4)), inventory.Some(int64(1))
	d.Memory.Modules = []inventory.Module{{Bytes: inventory.Some(int64(8 << 30)), Soldered: inventory.Some(true)}}
	d.Storage.Disks = []inventory.Disk{
		{
			Kind: inventory.Some("hdd"),
		}, {Kind: inventory.Some("ssd"), Health: inventory.Some("bad"), System: inventory.Some(true)},
	}
	d.TPM.State = inventory.Some("announced")
	f := fact.Read(d)
	if r := f.Get(fact.MemoryInstalled); r.Value.Known() || r.Floor().Float() != 7<<30 {
		t.Errorf("visible memory is no lower bound: %+v", r)
	}
	if got := f.Value(fact.MemoryFreeSlots).Float(); got != 3 {
		t.Errorf("%v slots free, want 3", got)
	}
	if !f.Value(fact.MemorySoldered).Bool() {
		t.Error("soldered memory is not seen")
	}
	if !f.Is(fact.DiskKind, "ssd") || !f.Is(fact.DiskHealth, "bad") {
		t.Errorf("kind %q and health %q are not the system drive's", f.Value(fact.DiskKind).Text(),
			f.Value(fact.DiskHealth).Text())
	}
	// Announced without a driver: there, and its state is not known.
	if r := f.Get(fact.TPMState); r.Value.Known() || r.Gap.Cause != inventory.ReadFailed {
		t.Errorf("announced TPM reads as %+v", r)
	}
}

func TestIncompleteListIsNotAnEmptyOne(t *testing.T) {
	d := &inventory.Document{
		Processor: inventory.Processor{Features: []string{"nx"}},
		Gaps:      []inventory.Gap{{Fact: "processor.features", Cause: "read-failed"}},
	}
	r := fact.Read(d).Get(fact.ProcessorFeatures)
	if r.Value.Known() || !r.Floor().Has("NX") {
		t.Errorf("got %+v", r)
	}
	complete := fact.Read(
		&inventory.Document{Processor: inventory.Processor{Features: []string{}}}).Get(fact.ProcessorFeatures)
	if !complete.Value.Known() || len(complete.Value.Set()) != 0 {
		t.Errorf("an empty complete list reads as %+v", complete)
	}
}

// A list that was read in part says what was found, and that there may be more, whoever says why.
func TestListsThatAreNotComplete(t *testing.T) {
	why := &inventory.Gap{Fact: "software", Cause: inventory.NotAsked}
	for _, c := range []struct {
		name     string
		complete bool
		gap      *inventory.Gap
		cause    string
	}{
		{"complete", true, nil, ""}, {"complete, whatever the gap", true, why, ""},
		{"in part", false, why, inventory.NotAsked}, {"in part, and nobody says why", false, nil, inventory.NotAsked},
	} {
		t.Run(c.name, func(t *testing.T) {
			f := fact.Read(&inventory.Document{})
			f.SetList(fact.SoftwareToBuy, []string{"Tidebook"}, c.complete, c.gap, "a list")
			r := f.Get(fact.SoftwareToBuy)
			expect.Same(t, "it is known", r.Value.Known(), c.complete)
			expect.Same(t, "what was found", len(r.Value.Set())+len(r.Floor().Set()), 1)
			expect.Same(t, "the source", r.Source, "a list")
			cause := ""
			if r.Gap != nil {
				cause = r.Gap.Cause
			}
			expect.Same(t, "the cause", cause, c.cause)
		})
	}
}

func TestDisagreeingReadingsAreKept(t *testing.T) {
	d := &inventory.Document{Gaps: []inventory.Gap{{
		Fact:  "memory.installed_bytes",
		Cause: inventory.Disagree,
		Readings: []inventory.Differ{
			{Value: "4294967296", Source: "a"}, {Value: "8589934592", Source: "b"}, {Value: "lots", Source: "c"},
		},
	}}}
	r := fact.Read(d).Get(fact.MemoryInstalled)
	expect.Same(t, "len(r.Others())", len(r.Others()), 2)
	expect.Same(t, "r.Others()[1].Value.Float()", r.Others()[1].Value.Float(), 8<<30)
	expect.Same(t, "r.Others()[1].Source", r.Others()[1].Source, "b")
}

func TestWithLeavesTheOriginal(t *testing.T) {
	f := fact.Read(&inventory.Document{})
	g := f.With(fact.BootMode, fact.Of(fact.Word, "uefi"), "a test")
	expect.That(t, "!f.Value(fact.BootMode).Known()", !f.Value(fact.BootMode).Known())
	expect.That(t, `g.Is(fact.BootMode, "uefi")`, g.Is(fact.BootMode, "uefi"))
	expect.Same(t, "g.Get(fact.BootMode).Source", g.Get(fact.BootMode).Source, "a test")
}

// Numbers are given by hand; there have to be some left.
func TestFreeNumbers(t *testing.T) {
	used := map[fact.ID]bool{}
	for _, def := range fact.All() {
		used[def.ID] = true
	}
	var free []fact.ID
	for id := fact.ID(1); id < fact.Count; id++ {
		if !used[id] {
			free = append(free, id)
		}
	}
	t.Logf("free numbers of facts: %d", free)
	if len(free) == 0 {
		t.Error("no number is left for another fact; raise Count, and the catalogue's version")
	}
}

// The adapters of a machine are found by their ids, and are said to be all only where nothing is missing.
func TestAdaptersByTheirIDs(t *testing.T) {
	adapter := func(vendor, device string) inventory.Adapter {
		var a inventory.Adapter
		if vendor != "" {
			a.VendorID = inventory.Some(vendor)
		}
		if device != "" {
			a.DeviceID = inventory.Some(device)
		}
		return a
	}
	whole, gap := []inventory.Gap(nil), []inventory.Gap{{Fact: "graphics", Cause: inventory.ReadFailed}}
	for _, tt := range []struct {
		name        string
		list        []inventory.Adapter
		gaps        []inventory.Gap
		want, floor string
	}{
		{"two, one of them twice", []inventory.Adapter{adapter("7e5a", "0c22"), adapter("7E5A", "0C21"),
			adapter("7e5a", "0c22")}, whole, "[7e5a:0c21 7e5a:0c22]", "[]"},
		{"one tells no device", []inventory.Adapter{adapter("7e5a", "0c22"), adapter("7e5a", "")}, whole, "[]",
			"[7e5a:0c22]"},
		{"a list that is not whole", []inventory.Adapter{adapter("7e5a", "0c22")}, gap, "[]", "[7e5a:0c22]"},
		{"ids of another form", []inventory.Adapter{adapter("7e5a1", "0c22"), adapter("7e5", "0g22")}, whole, "[]",
			"[]"},
		{"no list", nil, whole, "[]", "[]"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r := fact.Read(&inventory.Document{Graphics: tt.list, Gaps: tt.gaps}).Get(fact.AdapterKinds)
			expect.Same(t, "all", fmt.Sprint(r.Value.Set()), tt.want)
			expect.Same(t, "at least", fmt.Sprint(r.Floor().Set()), tt.floor)
			expect.That(t, "a gap where it is unknown", r.Value.Known() == (r.Gap == nil))
		})
	}
}
