package spec_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/spec"
)

var now = time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)

const counter = `format: rolltop-spec/1
name: Counter PC, order of 2027
class: pc
maker: Ostrel
model: Bollard 400
form: desktop
processor: Corvane K5-12400
cores: 6
speed: 2.9 GHz
memory: 8 GiB
drive: 512 GB
drive_kind: ssd
tpm: "2.0"
driver_model: "3.0"
facts:
  firmware.boot_mode: uefi
  firmware.secure_boot_capable: "true"
  firmware.secure_boot: "on"
  processor.architecture: x86-64
  processor.features: cmpxchg16b sse4.2 avx2
`

// A planned machine that says everything is ready, and nothing of an installed
// system is asked of it.
func TestPlannedMachine(t *testing.T) {
	d, err := spec.Read("counter.yaml", []byte(counter), now)
	if err != nil {
		t.Fatal(err)
	}
	f := fact.Read(d)
	if !f.Planned() || f.Class() != fact.PC || f.Value(fact.MemoryInstalled).Float() != 8<<30 ||
		f.Value(fact.DiskBytes).Float() != 512e9 || !f.Is(fact.DiskKind, "ssd") ||
		f.Get(fact.ProcessorCores).Source != "the specification" {
		t.Errorf("%+v", d)
	}
	if g := f.Get(fact.FreeBytes).Gap; g == nil || g.Cause != inventory.NotAsked ||
		g.Detail != "nothing is installed on it yet" {
		t.Errorf("what is left out is not a gap: %+v", g)
	}
	a, err := assess.Run(coretest.Release(t, "skerry-12"), d)
	if err != nil {
		t.Fatal(err)
	}
	c := a.Document(now, "test")
	if c.Disposition != "ready" || c.Route.Way != release.Reinstall || !c.Route.Known || c.Support != nil {
		t.Errorf("%s by %+v: %s", c.Disposition, c.Route, c.Answer)
	}
	// Too little memory is a part; what is left out is unknown.
	d, err = spec.Read("x", []byte(strings.NewReplacer("memory: 8 GiB", "memory: 4 GiB", "tpm: \"2.0\"\n",
		"").Replace(counter)), now)
	if err != nil {
		t.Fatal(err)
	}
	if a, err = assess.Run(coretest.Release(t, "skerry-12"), d); err != nil {
		t.Fatal(err)
	}
	if c := a.Document(now, "test"); c.Disposition != "undetermined" || c.Counts.Fail != 1 ||
		!strings.Contains(c.Answer, "one requirement is unknown: TPM 2.0 ready") {
		t.Errorf("%s, %+v", c.Disposition, c.Counts)
	}
}

func TestPlannedMac(t *testing.T) {
	d, err := spec.Read("x",
		[]byte("format: rolltop-spec/1\nname: A\nclass: mac\nmodel_id: Foldbook10,1\nmemory: 16 GiB\n"), now)
	if err != nil || fact.Read(d).Class() != fact.Mac || d.GapOf("tpm.state") != nil {
		t.Errorf("%v %+v", err, d)
	}
	if _, err := assess.Run(coretest.Release(t, "skerry-12"), d); err == nil ||
		!strings.Contains(err.Error(), "is a Mac, and Skerry 12 installs on PCs only") {
		t.Errorf("against a release of PCs: %v", err)
	}
}

func TestBadSpecifications(t *testing.T) {
	for _, tt := range []struct{ src, want string }{
		{"format: rolltop-spec/1\nname: A\n", `the key "class" is missing`},
		{"format: rolltop-spec/1\nname: A\nclass: pc\nmemory: 8 GB\n",
			"x:4:9: memory: memory.installed_bytes: \"8 GB\" is not a value of memory.installed_bytes; memory is " +
				"written with MiB, GiB or TiB"},
		{"format: rolltop-spec/1\nname: A\nclass: pc\nmemroy: 8 GiB\n", `did you mean "memory"?`},
		{"format: rolltop-spec/1\nname: A\nclass: pc\nfacts: {tpm.sate: ready}\n", `did you mean "tpm.state"?`},
		{"format: rolltop-release/1\nname: A\nclass: pc\n", "is another kind of document"},
	} {
		if _, err := spec.Read("x", []byte(tt.src), now); err == nil || !strings.Contains(err.Error(), tt.want) {
			t.Errorf("got %v, want %s", err, tt.want)
		}
	}
}
