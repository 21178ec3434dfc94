package check_test

import (
	"os"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

func skerry(t testing.TB) *release.Release {
	t.Helper()
	src, err := os.ReadFile("../../internal/standin/releases/skerry-12.yaml")
	if err != nil {
		t.Fatal(err)
	}
	rel, err := release.Read("skerry-12", src)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

func some[T any](v T) inventory.Opt[T] { return inventory.Some(v) }

// A row of the list fills gaps and never overrides a reading.
func TestPrepareFillsGapsFromTheList(t *testing.T) {
	rel := skerry(t)
	d := &inventory.Document{}
	d.Processor.Name = some("Corvane K5-9400")
	d.Processor.Cores, d.Processor.Threads = some(int64(4)), some(int64(4))
	before := fact.Read(d)
	after, m := check.Prepare(rel, before)
	if m.Result != list.On || m.Row == nil {
		t.Fatalf("match: %+v", m)
	}
	if got := after.Get(fact.ProcessorMHz); got.Value.Float() != 2900 || got.Source != "the list skerry-12-processors, corvane k5-9400" {
		t.Errorf("rated speed: %+v", got)
	}
	if got := after.Value(fact.ProcessorCores).Float(); got != 4 {
		t.Errorf("the row overrode a reading: %v cores", got)
	}
	if !after.Value(fact.ProcessorTPM).Bool() || before.Value(fact.ProcessorMHz).Known() {
		t.Error("the TPM is not known, or the facts before were changed")
	}
	d.Processor.Features = []string{"cmpxchg16b", "sse4.2"}
	after, _ = check.Prepare(rel, fact.Read(d))
	if off := after.Value(fact.ProcessorFeaturesOff).Set(); len(off) != 1 || off[0] != "avx2" {
		t.Errorf("switched off: %v", off)
	}
	d.Processor.Name = some("Corvane sample")
	if after, m = check.Prepare(rel, fact.Read(d)); m.Result != list.Unread || after.Value(fact.ProcessorTPM).Known() {
		t.Errorf("a name that nobody reads: %+v", m)
	}
}

func TestDecideUnderEachReading(t *testing.T) {
	q := skerry(t).Requirement("memory")
	tests := []struct {
		readings []string
		want     need.Truth
	}{
		{[]string{"8589934592", "17179869184"}, need.True}, {[]string{"1073741824", "2147483648"}, need.False}, {[]string{"4294967296", "8589934592"}, need.Unknown},
	}
	for _, tt := range tests {
		g := inventory.Gap{Fact: "memory.installed_bytes", Cause: inventory.Disagree}
		for _, r := range tt.readings {
			g.Readings = append(g.Readings, inventory.Differ{Value: r, Source: "x"})
		}
		if got := check.Decide(q.Need, fact.Read(&inventory.Document{Gaps: []inventory.Gap{g}})); got != tt.want {
			t.Errorf("%v: %s, want %s", tt.readings, got, tt.want)
		}
	}
}

// So many disagreements that not all combinations are tried: unknown.
func TestTooManyDisagreements(t *testing.T) {
	var parts []need.Need
	d := &inventory.Document{}
	for _, q := range skerry(t).Requirements {
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
	d := &inventory.Document{OS: inventory.OS{Platform: some("windows")}}
	d.TPM = inventory.TPM{State: some("ready"), Version: some("2.0")}
	d.Sources = map[string]string{"tpm.state": "TPM base services"}
	res, err := check.Run(skerry(t), fact.Read(d))
	if err != nil {
		t.Fatal(err)
	}
	for _, fd := range res.Findings {
		leaves := 0
		for range fd.Requirement.Need.Leaves() {
			leaves++
		}
		if len(fd.Evidence) != leaves {
			t.Errorf("%s: %d pieces of evidence for %d comparisons", fd.Requirement.ID, len(fd.Evidence), leaves)
		}
		if fd.Requirement.ID == "tpm" && (fd.Outcome != check.Pass || fd.Evidence[0].Reading.Source != "TPM base services") {
			t.Errorf("tpm: %s, %+v", fd.Outcome, fd.Evidence[0].Reading)
		}
	}
	// Coverage counts what the musts need: two facts and the platform's rest.
	if res.Read != 2 {
		t.Errorf("%d facts read", res.Read)
	}
}

func TestJudgeAllocatesLittle(t *testing.T) {
	rel := skerry(t)
	d := &inventory.Document{OS: inventory.OS{Platform: some("windows")}}
	f := fact.Read(d)
	q := rel.Requirement("tpm")
	if n := testing.AllocsPerRun(100, func() { check.Judge(q, f) }); n > 20 {
		t.Errorf("%v allocations to judge one requirement", n)
	}
}

// BenchmarkCheck is one check with all evidence, BenchmarkOutcomes only the
// outcomes.
func BenchmarkCheck(b *testing.B) {
	rel, f := skerry(b), facts()
	b.ReportAllocs()
	for b.Loop() {
		if _, err := check.Run(rel, f); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkOutcomes(b *testing.B) {
	rel, f := skerry(b), facts()
	b.ReportAllocs()
	for b.Loop() {
		for i := range rel.Requirements {
			check.Judge(&rel.Requirements[i], f)
		}
	}
}

func facts() *fact.Facts {
	d := &inventory.Document{OS: inventory.OS{Platform: some("windows"), Version: some("11.2")}}
	d.Processor = inventory.Processor{Name: some("Corvane K5-8250U"), Architecture: some("x86-64"), Cores: some(int64(4)), RatedMHz: some(int64(1600)), Features: []string{"cmpxchg16b", "sse4.2", "avx2"}}
	d.Memory.Installed = some(int64(8 << 30))
	d.TPM = inventory.TPM{State: some("not-seen")}
	return fact.Read(d)
}
