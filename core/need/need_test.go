package need_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
)

func compile(t *testing.T, src string) need.Need {
	t.Helper()
	n, err := read(src)
	if err != nil {
		t.Fatalf("%s: %v", src, err)
	}
	return n
}

func read(src string) (need.Need, error) {
	var d need.Document
	if err := doc.Decode("need", []byte(src), &d); err != nil {
		return nil, err
	}
	r := &doc.Report{Name: "need"}
	var ld list.Document
	if err := doc.Decode("list", []byte("{id: cpus, of: processors, complete: true, rows: [{name: Corvane K5-9400}]}"),
		&ld); err != nil {
		return nil, err
	}
	l := list.Compile(&ld, r)
	n := need.Compile(&d, map[string]*need.List{"cpus": {List: l}}, r)
	return n, r.Err()
}

// facts makes facts of "name=value" with values as documents write them, and
// of "name>value" for a lower bound.
func facts(t *testing.T, pairs ...string) *fact.Facts {
	t.Helper()
	f := fact.Read(&inventory.Document{})
	for _, p := range pairs {
		name, text, floor := strings.Cut(p, ">")
		if !floor {
			name, text, _ = strings.Cut(p, "=")
		}
		def := fact.ByName(name)
		if def == nil {
			t.Fatalf("no fact %s", name)
		}
		v, right := need.Value(def, text)
		if !v.Known() {
			t.Fatalf("%s: %s", p, right)
		}
		if floor {
			f.SetLowerBound(def.ID, v)
		} else {
			f.Set(def.ID, v, "test")
		}
	}
	return f
}

func TestNeedKinds(t *testing.T) {
	const (
		yes = need.True
		no  = need.False
		dim = need.Unknown
	)
	tests := []struct {
		need  string
		facts []string
		want  need.Truth
	}{
		// Limits are inclusive; both sides of each.
		{"{fact: memory.installed_bytes, at_least: 8 GiB}", []string{"memory.installed_bytes=8 GiB"}, yes},
		{"{fact: memory.installed_bytes, at_least: 8 GiB}", []string{"memory.installed_bytes=8191 MiB"}, no},
		{"{fact: memory.installed_bytes, at_least: 8 GiB}", []string{"memory.installed_bytes=8193 MiB"}, yes},
		{"{fact: memory.installed_bytes, at_least: 8 GiB}", nil, dim},
		{"{fact: memory.installed_bytes, at_least: 8 GiB}", []string{"memory.installed_bytes>8 GiB"}, yes},
		{"{fact: memory.installed_bytes, at_least: 8 GiB}", []string{"memory.installed_bytes>7 GiB"}, dim},
		{"{fact: memory.slots, at_most: 2}", []string{"memory.slots=2"}, yes},
		{"{fact: memory.slots, at_most: 2}", []string{"memory.slots=3"}, no},
		{"{fact: memory.slots, at_most: 2}", []string{"memory.slots>3"}, no},
		{"{fact: memory.slots, at_most: 2}", []string{"memory.slots>1"}, dim},
		{"{fact: processor.rated_mhz, at_least: 1.8 GHz}", []string{"processor.rated_mhz=1800 MHz"}, yes},
		{"{fact: processor.rated_mhz, at_least: 1.8 GHz}", []string{"processor.rated_mhz=1799 MHz"}, no},
		{"{fact: tpm.version, at_least: '2.0'}", []string{"tpm.version=2.0"}, yes},
		{"{fact: tpm.version, at_least: '2.0'}", []string{"tpm.version=1.2"}, no},
		{"{fact: os.version, at_least: '10.10'}", []string{"os.version=10.9"}, no},
		// A drive holds a little less than it is sold as, by its kind.
		{"{fact: storage.system.disk_bytes, at_least: 64 GB}",
			[]string{"storage.system.disk_bytes=63.68 GB", "storage.system.kind=ssd"}, yes},
		{"{fact: storage.system.disk_bytes, at_least: 64 GB}",
			[]string{"storage.system.disk_bytes=63.67 GB", "storage.system.kind=ssd"}, no},
		{"{fact: storage.system.disk_bytes, at_least: 64 GB}",
			[]string{"storage.system.disk_bytes=60 GB", "storage.system.kind=hdd"}, no},
		{"{fact: storage.system.disk_bytes, at_least: 64 GB}",
			[]string{"storage.system.disk_bytes=60.8 GB", "storage.system.kind=emmc"}, yes},
		{"{fact: storage.system.disk_bytes, at_least: 64 GB}",
			[]string{"storage.system.disk_bytes=60.7 GB", "storage.system.kind=emmc"}, no},
		{"{fact: storage.system.disk_bytes, at_least: 64 GB}", []string{"storage.system.disk_bytes=62 GB"}, dim},
		{"{fact: storage.system.disk_bytes, at_least: 64 GB}", []string{"storage.system.disk_bytes=60 GB"}, no},
		{"{fact: storage.system.disk_bytes, at_least: 64 GB}", []string{"storage.system.disk_bytes=64 GB"}, yes},
		{"{fact: storage.system.disk_bytes, at_least: 512 GB}",
			[]string{"storage.system.disk_bytes=500 GB", "storage.system.kind=ssd"}, no},
		// Free space is exact.
		{"{fact: storage.system.free_bytes, at_least: 28 GB}", []string{"storage.system.free_bytes=27.99 GB"}, no},
		// Words and texts.
		{"{fact: firmware.boot_mode, equals: uefi}", []string{"firmware.boot_mode=uefi"}, yes},
		{"{fact: firmware.boot_mode, equals: uefi}", []string{"firmware.boot_mode=legacy"}, no},
		{"{fact: firmware.boot_mode, equals: uefi}", nil, dim},
		{"{fact: firmware.secure_boot, one_of: [full, reduced]}", []string{"firmware.secure_boot=reduced"}, yes},
		{"{fact: firmware.secure_boot, one_of: [full, reduced]}", []string{"firmware.secure_boot=permissive"}, no},
		{"{fact: storage.system.kind, none_of: [hdd]}", []string{"storage.system.kind=ssd"}, yes},
		{"{fact: storage.system.kind, none_of: [hdd]}", []string{"storage.system.kind=hdd"}, no},
		{"{fact: storage.system.kind, none_of: [hdd]}", nil, dim},
		{"{fact: os.edition, equals: Office}", []string{"os.edition=OFFICE"}, yes},
		{"{fact: firmware.secure_boot_capable, equals: true}", []string{"firmware.secure_boot_capable=false"}, no},
		{"{fact: firmware.secure_boot_capable, equals: false}", []string{"firmware.secure_boot_capable=false"}, yes},
		{"{fact: device.model, begins_with: [Bollard]}", []string{"device.model=Bollard 300"}, yes},
		{"{fact: device.model, begins_with: [Bollard]}", []string{"device.model=Bollards"}, no},
		{"{fact: device.model, begins_with: [Bollard]}", nil, dim},
		// The count of a list.
		{"{fact: displays, at_least: 2}", []string{"displays=2"}, yes},
		{"{fact: displays, at_least: 2}", []string{"displays=1"}, no},
		{"{fact: displays, at_least: 2}", []string{"displays>1"}, dim},
		{"{fact: displays, at_least: 2}", []string{"displays>2"}, yes},
		// Sets.
		{"{fact: processor.features, has_all: [aes, nx]}", []string{"processor.features=aes nx sse2"}, yes},
		{"{fact: processor.features, has_all: [aes, nx]}", []string{"processor.features=aes"}, no},
		{"{fact: processor.features, has_all: [aes, nx]}", nil, dim},
		{"{fact: processor.features, has_all: [aes, nx]}", []string{"processor.features>aes"}, dim},
		{"{fact: processor.features, has_all: [aes]}", []string{"processor.features>aes"}, yes},
		{"{fact: processor.features, has_any: [avx2, sve]}", []string{"processor.features=sve"}, yes},
		{"{fact: processor.features, has_any: [avx2, sve]}", []string{"processor.features=aes"}, no},
		{"{fact: processor.features, has_any: [avx2, sve]}", []string{"processor.features>aes"}, dim},
		{"{fact: storage.other_systems, empty: true}", []string{"storage.other_systems="}, yes},
		{"{fact: storage.other_systems, empty: true}", []string{"storage.other_systems=Lodestar"}, no},
		{"{fact: storage.other_systems, empty: true}", []string{"storage.other_systems>Lodestar"}, no},
		{"{fact: storage.other_systems, empty: true}", nil, dim},
		// Lists.
		{"{fact: processor.name, on_list: cpus}", []string{"processor.name=Corvane(R) K5-9400 CPU @ 2.90GHz"}, yes},
		{"{fact: processor.name, on_list: cpus}", []string{"processor.name=Sample 0000"}, dim},
		{"{fact: processor.name, on_list: cpus}", nil, dim},
	}
	for _, tt := range tests {
		t.Run(tt.need+strings.Join(tt.facts, ","), func(t *testing.T) {
			n, f := compile(t, tt.need), facts(t, tt.facts...)
			if got := n.Test(f.View()); got != tt.want {
				t.Errorf("is %s, want %s", got, tt.want)
			}
			if got := compile(t, "{not: "+tt.need+"}").Test(f.View()); got != -tt.want {
				t.Errorf("its negative is %s, want %s", got, -tt.want)
			}
		})
	}
}

// leafOf is a need whose truth is given, made of a fact that only it reads.
func leafOf(i int) (src string, id fact.ID) {
	names := []string{"memory.slots", "memory.slots_used", "processor.cores"}
	return fmt.Sprintf("{fact: %s, at_least: 2}", names[i]), fact.ByName(names[i]).ID
}

// All, any and not obey three-valued logic for every assignment: the oracle is
// the definition, written out.
func TestThreeValuedLogic(t *testing.T) {
	truths := []need.Truth{need.False, need.Unknown, need.True}
	a, ida := leafOf(0)
	b, idb := leafOf(1)
	c, idc := leafOf(2)
	set := func(f *fact.Facts, id fact.ID, t need.Truth) {
		if t != need.Unknown {
			f.Set(id, fact.Num(float64(1+(t+1)/2)), "test")
		}
	}
	oracleAll := func(x, y need.Truth) need.Truth {
		if x == need.False || y == need.False {
			return need.False
		}
		if x == need.True && y == need.True {
			return need.True
		}
		return need.Unknown
	}
	oracleAny := func(x, y need.Truth) need.Truth { return -oracleAll(-x, -y) }
	for _, x := range truths {
		for _, y := range truths {
			for _, z := range truths {
				f := facts(t)
				set(f, ida, x)
				set(f, idb, y)
				set(f, idc, z)
				for _, tt := range []struct {
					src  string
					want need.Truth
				}{
					{fmt.Sprintf("{all: [%s, %s]}", a, b), oracleAll(x, y)},
					{fmt.Sprintf("{any: [%s, %s]}", a, b), oracleAny(x, y)},
					{fmt.Sprintf("{all: [{any: [%s, %s]}, %s]}", a, b, c), oracleAll(oracleAny(x, y), z)},
					{fmt.Sprintf("{any: [{all: [%s, %s]}, {not: %s}]}", a, b, c), oracleAny(oracleAll(x, y), -z)},
					{fmt.Sprintf("{not: {all: [%s, {not: %s}]}}", a, b), -oracleAll(x, -y)},
				} {
					t.Run(tt.src, func(t *testing.T) {
						if got := compile(t, tt.src).Test(f.View()); got != tt.want {
							t.Errorf("%s with %s %s %s is %s, want %s", tt.src, x, y, z, got, tt.want)
						}
					})
				}
			}
		}
	}
}

func TestLeavesNeverStopShort(t *testing.T) {
	n := compile(t, "{any: [{fact: memory.slots, at_least: 1}, {all: [{fact: tpm.state, equals: ready}, {not: {fact: "+
		"tpm.version, at_least: '2.0'}}]}]}")
	if got, want := need.Facts(n), []fact.ID{fact.MemorySlots, fact.TPMState, fact.TPMVersion}; !slices.Equal(got,
		want) {
		t.Errorf("facts %v, want %v", got, want)
	}
	if !need.Reads(n, fact.TPMVersion) || need.Reads(n, fact.BootMode) {
		t.Error("Reads is wrong")
	}
}

func TestBadNeeds(t *testing.T) {
	tests := []struct{ src, want string }{
		{"{fact: quayside.lights, equals: ready}", `unknown fact "quayside.lights"; docs/facts.md lists them all`},
		{"{fact: tpm.sate, equals: ready}", `unknown fact "tpm.sate"; did you mean "tpm.state"?`},
		{"{fact: tpm.state, equals: redy}", `"redy" is not a value of tpm.state; did you mean "ready"?`},
		{"{fact: tpm.state, at_least: ready}",
			"at_least does not suit tpm.state, which is a word; use one of equals, one_of, none_of"},
		{"{fact: tpm.state}", "the fact is not compared with anything; use one of"},
		{"{fact: memory.slots, at_least: 1, at_most: 2}", "this has at_least and at_most"},
		{"{fact: memory.installed_bytes, at_least: 8 GB}", "memory is written with MiB, GiB or TiB: 8 GiB"},
		{"{fact: memory.installed_bytes, at_least: 8589934592}", "memory is written with MiB"},
		{"{fact: storage.system.disk_bytes, at_least: 64 GiB}", "storage is written with MB, GB or TB: 64 GB"},
		{"{fact: processor.rated_mhz, at_least: 1.8}", "speed is written with MHz or GHz: 1.8 GHz"},
		{"{fact: processor.cores, at_least: -2}", "write a number without a unit"},
		{"{fact: processor.cores, at_least: two}", "write a number without a unit"},
		{"{fact: memory.installed_bytes, at_least: 99999999999 TiB}", "is not a value of memory.installed_bytes"},
		{"{fact: tpm.version, at_least: new}", "write a version in quotes"},
		{"{fact: firmware.uefi_capable, equals: maybe}", "write true or false"},
		{"{fact: processor.name, on_list: cpu}", `there is no list "cpu" in this document; did you mean "cpus"?`},
		{"{fact: device.model, on_list: cpus}", "is a list of processors, and the fact is device.model"},
		{"{fact: processor.features, has_all: []}", "give one item at least"},
		{"{fact: tpm.state, one_of: []}", "give one value at least"},
		{"{fact: storage.other_systems, empty: false}", "empty: false says nothing"},
		{"{all: []}", "give one need at least"},
		{"{}", "a need has one of fact, all, any, not and in; this has 0 of them"},
		{"{all: [{fact: tpm.state, equals: ready}], fact: tpm.state}", "this has 2 of them"},
		{"{all: [{fact: tpm.state, equals: ready}], at_least: 2}", "at_least cannot be combined with all"},
		{"{all: [7]}", "a group of keys is needed here"},
	}
	for _, tt := range tests {
		t.Run(tt.src, func(t *testing.T) {
			_, err := read(tt.src)
			coretest.Refused(t, err, tt.want)
		})
	}
}

// Tightening a limit never makes a fail pass.
func TestTighteningNeverHelps(t *testing.T) {
	for has := range 6 {
		last := need.True
		for limit := range 6 {
			got := compile(t, fmt.Sprintf("{fact: processor.cores, at_least: %d}", limit)).Test(facts(t,
				fmt.Sprintf("processor.cores=%d", has)).View())
			if got > last {
				t.Errorf("%d cores: at least %d is %s, and one less is %s", has, limit, got, last)
			}
			last = got
		}
	}
}

func FuzzCompile(f *testing.F) {
	for _, s := range []string{
		"{fact: tpm.state, equals: ready}", "{all: [{any: []}]}", "{not: {not: {fact: memory.slots, at_least: 1e3}}}",
		"{fact: processor.rated_mhz, at_least: 0x10 GHz}",
	} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, src string) {
		n, err := read(src)
		if err != nil {
			return
		}
		nothing := fact.Read(&inventory.Document{})
		for range n.Leaves() {
		}
		if got := n.Test(nothing.View()); got < need.False || got > need.True {
			t.Errorf("truth %d", got)
		}
	})
}
