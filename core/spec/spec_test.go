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
	"rolltop.example/rolltop/internal/expect"
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
	expect.That(t, "f.Planned()", f.Planned())
	expect.Same(t, "f.Class()", f.Class(), fact.PC)
	expect.Same(t, "f.Value(fact.MemoryInstalled).Float()", f.Value(fact.MemoryInstalled).Float(), 8<<30)
	expect.Same(t, "f.Value(fact.DiskBytes).Float()", f.Value(fact.DiskBytes).Float(), 512e9)
	expect.That(t, `f.Is(fact.DiskKind, "ssd")`, f.Is(fact.DiskKind, "ssd"))
	expect.Same(t, "f.Get(fact.ProcessorCores).Source", f.Get(fact.ProcessorCores).Source, "the specification")
	g := f.Get(fact.FreeBytes).Gap
	expect.That(t, "g != nil", g != nil)
	expect.Same(t, "g.Cause", g.Cause, inventory.NotAsked)
	expect.Same(t, "g.Detail", g.Detail, "nothing is installed on it yet")
	a, err := assess.Run(coretest.Release(t, "skerry-12"), d)
	if err != nil {
		t.Fatal(err)
	}
	c := a.Document(now, "test")
	expect.Same(t, "c.Disposition", c.Disposition, "ready")
	expect.Same(t, "c.Route.Way", c.Route.Way, release.Reinstall)
	expect.That(t, "c.Route.Known", c.Route.Known)
	expect.That(t, "c.Support == nil", c.Support == nil)
	// Too little memory is a part; what is left out is unknown.
	d, err = spec.Read("x", []byte(strings.NewReplacer("memory: 8 GiB", "memory: 4 GiB", "tpm: \"2.0\"\n",
		"").Replace(counter)), now)
	if err != nil {
		t.Fatal(err)
	}
	if a, err = assess.Run(coretest.Release(t, "skerry-12"), d); err != nil {
		t.Fatal(err)
	}
	c = a.Document(now, "test")
	expect.Same(t, "c.Disposition", c.Disposition, "undetermined")
	expect.Same(t, "c.Counts.Fail", c.Counts.Fail, 1)
	expect.Contains(t, c.Answer, "one requirement is unknown: TPM 2.0 ready")
}

func TestPlannedMac(t *testing.T) {
	d, err := spec.Read("x",
		[]byte("format: rolltop-spec/1\nname: A\nclass: mac\nmodel_id: Foldbook10,1\nmemory: 16 GiB\n"), now)
	expect.NoError(t, err)
	expect.Same(t, "fact.Read(d).Class()", fact.Read(d).Class(), fact.Mac)
	expect.That(t, `d.GapOf("tpm.state") == nil`, d.GapOf("tpm.state") == nil)
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
		t.Run(tt.src, func(t *testing.T) {
			_, err := spec.Read("x", []byte(tt.src), now)
			coretest.Refused(t, err, tt.want)
		})
	}
}
