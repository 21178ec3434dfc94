package check_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

// A row of the list fills gaps and never overrides a reading.
func TestPrepareFillsGapsFromTheList(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	d := &inventory.Document{}
	d.Processor.Name = inventory.Some("Corvane K5-9400")
	d.Processor.Cores, d.Processor.Threads = inventory.Some(int64(4)), inventory.Some(int64(4))
	before := fact.Read(d)
	after := before.Clone()
	m := check.Fill(rel, after)
	if m.Result != list.On || m.Row == nil {
		t.Fatalf("match: %+v", m)
	}
	if got := after.Get(fact.ProcessorMHz); got.Value.Float() != 2900 ||
		got.Source != "the list skerry-12-processors, row Corvane K5-9400" {
		t.Errorf("rated speed: %+v", got)
	}
	if got := after.Value(fact.ProcessorCores).Float(); got != 4 {
		t.Errorf("the row overrode a reading: %v cores", got)
	}
	if !after.Value(fact.ProcessorTPM).Bool() || before.Value(fact.ProcessorMHz).Known() {
		t.Error("the TPM is not known, or the facts before were changed")
	}
	d.Processor.Features = []string{"cmpxchg16b", "sse4.2"}
	after = fact.Read(d)
	check.Fill(rel, after)
	if off := after.Value(fact.ProcessorFeaturesOff).Set(); len(off) != 1 || off[0] != "avx2" {
		t.Errorf("switched off: %v", off)
	}
	d.Processor.Name = inventory.Some("Corvane sample")
	after = fact.Read(d)
	if m = check.Fill(rel, after); m.Result != list.Unread || after.Value(fact.ProcessorTPM).Known() {
		t.Errorf("a name that nobody reads: %+v", m)
	}
}

func TestDecideUnderEachReading(t *testing.T) {
	q := coretest.Release(t, "skerry-12").Requirement("memory")
	tests := []struct {
		readings []string
		want     need.Truth
	}{
		{[]string{"8589934592", "17179869184"}, need.True}, {[]string{"1073741824", "2147483648"}, need.False},
		{[]string{"4294967296", "8589934592"}, need.Unknown},
	}
	for _, tt := range tests {
		t.Run(fmt.Sprint(tt.readings), func(t *testing.T) {
			g := inventory.Gap{Fact: "memory.installed_bytes", Cause: inventory.Disagree}
			for _, r := range tt.readings {
				g.Readings = append(g.Readings, inventory.Differ{Value: r, Source: "x"})
			}
			if got := check.Decide(q.Need, fact.Read(&inventory.Document{Gaps: []inventory.Gap{g}})); got != tt.want {
				t.Errorf("%v: %s, want %s", tt.readings, got, tt.want)
			}
		})
	}
}

// So many disagreements that not all combinations are tried: unknown.
func TestTooManyDisagreements(t *testing.T) {
	var parts []need.Need
	d := &inventory.Document{}
	for _, q := range coretest.Release(t, "skerry-12").Requirements {
		for _, id := range need.Facts(q.Need) {
			g := inventory.Gap{Fact: id.String(), Cause: inventory.Disagree}
			for _, v := range []string{"1", "2", "3", "4"} {
				g.Readings = append(g.Readings, inventory.Differ{Value: v, Source: v})
			}
			d.Gaps = append(d.Gaps, g)
		}
		parts = append(parts, q.Need)
	}
	if got := check.Decide(&need.AllOf{Parts: parts}, fact.Read(d)); got != need.Unknown {
		t.Errorf("decided %s", got)
	}
}

func TestEvidenceIsCompleteForPassesToo(t *testing.T) {
	d := &inventory.Document{OS: inventory.OS{Platform: inventory.Some("windows")}}
	d.TPM = inventory.TPM{State: inventory.Some("ready"), Version: inventory.Some("2.0")}
	d.Sources = map[string]string{"tpm.state": "TPM base services"}
	res, err := check.Run(coretest.Release(t, "skerry-12"), fact.Read(d))
	if err != nil {
		t.Fatal(err)
	}
	for _, fd := range res.Findings {
		leaves := 0
		for l := range fd.Requirement.Need.Leaves() {
			if l.Fact().Group() == fact.NoGroup { // rows of lists have evidence each
				leaves++
			}
		}
		if w := fd.Requirement.When; w != nil {
			for range w.Leaves() {
				leaves++
			}
		}
		if len(fd.Evidence) != leaves {
			t.Errorf("%s: %d pieces of evidence for %d comparisons", fd.Requirement.ID, len(fd.Evidence), leaves)
		}
		if fd.Requirement.ID == "tpm" {
			if fd.Outcome != check.Pass || fd.Evidence[0].Reading.Source != "TPM base services" {
				t.Errorf("tpm: %s, %+v", fd.Outcome, fd.Evidence[0].Reading)
			}
		}
	}
	// Coverage counts what the musts need: two facts and the platform's rest.
	if res.Read != 2 {
		t.Errorf("%d facts read", res.Read)
	}
}

func TestOutcomesDoNotAllocate(t *testing.T) {
	rel, f := large(t)
	room := make([]byte, 0, 64)
	if n := testing.AllocsPerRun(100, func() { check.Outcomes(rel, f, room) }); n > 0 {
		t.Errorf("%v allocations to judge one machine", n)
	}
}

// large is a release with 30 requirements and a list of 2,000 rows; machine
// has a full inventory that its musts and advice all look at.
func large(t testing.TB) (*release.Release, *fact.Facts) {
	t.Helper()
	var b strings.Builder
	b.WriteString("format: rolltop-release/1\nid: large\nname: Large\ninstalls_on: pc\nrevision: 1\npublished: " +
		"2026-06-02\nsource: x\nrequirements:\n")
	for i, n := range []string{
		"{fact: processor.architecture, one_of: [x86-64, arm64]}", "{fact: os.architecture, one_of: [x86-64, arm64]}",
		"{fact: processor.rated_mhz, at_least: 1.4 GHz}", "{fact: processor.cores, at_least: 3}",
		"{all: [{fact: processor.features, has_all: [cmpxchg16b, sse4.2]}, {fact: processor.features, has_any: " +
			"[avx2, sve]}]}",
		"{fact: processor.name, on_list: parts}", "{fact: memory.installed_bytes, at_least: 6 GiB}",
		"{fact: storage.system.disk_bytes, at_least: 100 GB}", "{fact: storage.system.free_bytes, at_least: 28 GB}",
		"{fact: storage.system.partition_style, equals: gpt}", "{fact: firmware.boot_mode, equals: uefi}",
		"{fact: firmware.secure_boot_capable, equals: true}", "{fact: firmware.secure_boot, equals: \"on\"}",
		"{all: [{fact: tpm.state, equals: ready}, {fact: tpm.version, at_least: \"2.0\"}]}",
		"{in: graphics, some: {all: [{fact: graphics.interface_level, at_least: \"11.1\"}, {fact: " +
			"graphics.driver_model, at_least: \"2.0\"}]}}",
	} {
		for j := range 2 {
			if j == 1 && strings.Contains(n, "on_list") {
				n = "{fact: os.platform, equals: windows}" // a release has one list of processors
			}
			fmt.Fprintf(&b, "  - {id: r%d-%d, title: R, level: must, consequence: unsupported, reason: R, need: %s}\n",
				i, j, n)
		}
	}
	b.WriteString("lists:\n  - id: parts\n    of: processors\n    complete: true\n    naming: [{id: four, reads: " +
		"[{text: [Corvane K5-]}, {generation: 1}, {digits: 3}, {maybe: [U]}], from: 8, built_in_tpm: true}]\n    " +
		"rows:\n")
	for i := range 2000 {
		fmt.Fprintf(&b, "      - {name: Tessaly Onyx 5 %d, cores: 6, rated_mhz: 3400}\n", 3000+i)
	}
	rel, err := release.Read("large", []byte(b.String()), nil)
	if err != nil {
		t.Fatal(err)
	}
	d := &inventory.Document{OS: inventory.OS{
		Platform:     inventory.Some("windows"),
		Version:      inventory.Some("11.2"),
		Architecture: inventory.Some("x86-64"),
	}}
	d.Processor = inventory.Processor{
		Name:         inventory.Some("Corvane(R) K5-8250U CPU @ 1.60GHz"),
		Architecture: inventory.Some("x86-64"),
		Cores:        inventory.Some(int64(4)),
		RatedMHz:     inventory.Some(int64(1600)),
		Features:     []string{"cmpxchg16b", "sse4.2", "avx2"},
	}
	d.Memory.Installed = inventory.Some(int64(8 << 30))
	d.Storage.Disks = []inventory.Disk{{Kind: inventory.Some("ssd"), System: inventory.Some(true)}}
	d.Storage.System = inventory.SystemDisk{
		DiskBytes:      inventory.Some(int64(256e9)),
		FreeBytes:      inventory.Some(int64(90e9)),
		PartitionStyle: inventory.Some("gpt"),
	}
	d.Firmware = inventory.Firmware{
		BootMode:          inventory.Some("uefi"),
		SecureBoot:        inventory.Some("on"),
		SecureBootCapable: inventory.Some(true),
	}
	d.TPM = inventory.TPM{State: inventory.Some("ready"), Version: inventory.Some("2.0")}
	d.Graphics = []inventory.Adapter{{
		Name:           inventory.Some("Built-in graphics"),
		DriverModel:    inventory.Some("2.7"),
		InterfaceLevel: inventory.Some("12.0"),
	}}
	f := fact.Read(d)
	if got := string(check.Outcomes(rel, f, nil)); got != strings.Repeat("p", 30) {
		t.Fatalf("outcomes %s", got)
	}
	return rel, f
}

// Every limit of the demo's releases holds on both sides of it, and is itself
// enough.
func TestLimitsAreInclusive(t *testing.T) {
	limits := 0
	for _, file := range []string{"skerry-12.yaml", "skerry-12-revision-4.yaml", "skerry-13.yaml", "fathom-9.yaml"} {
		src, err := coretest.Beside(file)
		if err != nil {
			t.Fatal(err)
		}
		rel, err := release.Read(file, src, coretest.Beside)
		if err != nil {
			t.Fatal(err)
		}
		for i := range rel.Requirements {
			for l := range rel.Requirements[i].Need.Leaves() {
				x, ok := l.(*need.AtLeast)
				if !ok || x.Fact().Group() != fact.NoGroup {
					continue
				}
				if x.Fact().Def().Kind != fact.Number {
					continue
				}
				limit := x.Limit.Float()
				if x.Fact() == fact.DiskBytes {
					limit, _ = need.Sold(limit, "ssd")
				}
				for d, want := range map[float64]need.Truth{-1: need.False, 0: need.True, 1: need.True} {
					f := fact.Read(&inventory.Document{})
					f.Set(x.Fact(), fact.Num(limit+d), "")
					f.Set(fact.DiskKind, fact.Of(fact.Word, "ssd"), "")
					if got := x.Test(f.View()); got != want {
						t.Errorf("%s, %s, %+v off the limit: %s, want %s", file, x.Fact(), d, got, want)
					}
				}
				limits++
			}
		}
	}
	if limits < 15 {
		t.Errorf("only %d limits", limits)
	}
}

// BenchmarkCheck is one check with all evidence, BenchmarkOutcomes only the
// outcomes: a full inventory against 30 requirements and a list of 2,000 rows.
func BenchmarkCheck(b *testing.B) {
	rel, f := large(b)
	b.ReportAllocs()
	for b.Loop() {
		if _, err := check.Run(rel, f); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkOutcomes(b *testing.B) {
	rel, f := large(b)
	room := make([]byte, 0, 64)
	b.ReportAllocs()
	for b.Loop() {
		check.Outcomes(rel, f, room)
	}
}

// The row of a list of models fills gaps, too; an entry by hand or a reading
// stands before it.
func TestFillFromModels(t *testing.T) {
	src := "format: rolltop-release/1\nid: r\nname: R\ninstalls_on: pc\n" +
		"revision: 1\npublished: 2026-06-02\nsource: x\n" +
		"requirements: [{id: year, title: Y, level: must, consequence: unsupported, reason: R, need: {fact: " +
		"device.model_year, at_least: 2019}}, {id: a, title: A, level: must, consequence: unsupported, reason: R, " +
		"need: {fact: device.model, on_list: m}}]\nlists: [{id: m, of: models, rows: [{name: Bollard 300, " +
		"built_in_tpm: true, model_year: 2018}]}]\n"
	rel, err := release.Read("r", []byte(src), nil)
	if err != nil {
		t.Fatal(err)
	}
	for model, want := range map[string]string{"Bollard 300": "true", "bollard  300": "true", "Bollard 301": "?"} {
		t.Run(model, func(t *testing.T) {
			d := &inventory.Document{OS: inventory.OS{Platform: inventory.Some("windows")}}
			d.Device.Model = inventory.Some(model)
			f := fact.Read(d)
			check.Fill(rel, f)
			if got := f.Value(fact.ProcessorTPM).Plain(); got != want {
				t.Errorf("%s: built-in TPM %s, want %s", model, got, want)
			}
			res, err := check.Run(rel, f)
			expect.NoError(t, err)
			year := map[string]string{"true": "2018 fail", "?": "? unknown"}[want]
			got := f.Value(fact.DeviceModelYear).Plain() + " " + res.Findings[0].Outcome.String()
			expect.Same(t, "its year", got, year)
			d.Processor.BuiltInTPM = inventory.Some(false)
			if f = fact.Read(d); f.Value(fact.ProcessorTPM).Bool() {
				t.Error("what was entered by hand is not read")
			}
			if check.Fill(rel, f); f.Value(fact.ProcessorTPM).Bool() {
				t.Errorf("%s: the row overrode what was entered", model)
			}
		})
	}
}

// Where a list was read in part, its own gap is named, also if a version is missing: what
// closes that one would leave the rest unread.
func TestAListReadInPartKeepsItsOwnGap(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	for _, tt := range []struct {
		name string
		gap  func(*inventory.Document)
		want string
	}{
		{"in part", func(d *inventory.Document) { d.AddGap("drivers", inventory.NeedsRights, "", "") },
			inventory.NeedsRights},
		{"whole", func(*inventory.Document) {}, inventory.NotOffered}, // the version's
	} {
		t.Run(tt.name, func(t *testing.T) {
			d := &inventory.Document{Drivers: []inventory.Driver{{Device: "Pier label printer"}}}
			tt.gap(d)
			f := fact.Read(d)
			check.Fill(rel, f)
			r := f.Get(fact.DriversToUpdate)
			expect.That(t, "whether a driver has to be updated is unknown", !r.Value.Known() && r.Gap != nil)
			expect.Same(t, "the cause", r.Gap.Cause, tt.want)
		})
	}
}
