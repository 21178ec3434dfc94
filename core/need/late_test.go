package need_test

import (
	"testing"

	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/internal/expect"
)

// Limits that contradict each other are found in either order, and only of one fact.
func TestContradictingLimits(t *testing.T) {
	const low, high = "{fact: processor.cores, at_least: 8}", "{fact: processor.cores, at_most: 4}"
	for src, right := range map[string]bool{
		"{all: [" + low + ", " + high + "]}":                                                                    false,
		"{all: [" + high + ", " + low + "]}":                                                                    false,
		"{all: [{fact: processor.threads, at_least: 1}, " + high + ", " + low + "]}":                            false,
		"{all: [" + low + ", {fact: processor.threads, at_most: 4}]}":                                           true,
		"{all: [{fact: processor.threads, at_most: 4}, " + low + "]}":                                           true,
		"{all: [{fact: processor.cores, at_least: 4}, " + high + "]}":                                           true,
		"{all: [" + high + ", {fact: processor.cores, at_most: 2}]}":                                            true,
		"{all: [" + low + ", {fact: processor.cores, at_least: 2}]}":                                            true,
		"{any: [" + low + ", " + high + "]}":                                                                    true,
		"{all: [{fact: firmware.boot_mode, one_of: [uefi]}, {fact: firmware.boot_mode, one_of: [legacy]}]}":     false,
		"{all: [{fact: firmware.boot_mode, one_of: [uefi, legacy]}, {fact: firmware.boot_mode, equals: uefi}]}": true,
	} {
		t.Run(src, func(t *testing.T) {
			if _, err := read(src); (err == nil) != right {
				t.Errorf("%s: %v", src, err)
			}
		})
	}
}

// What must hold is what stands alone or below all; whoever has enough is asked no more.
func TestDemands(t *testing.T) {
	n := compile(t, "{all: [{fact: processor.cores, at_least: 8}, {any: [{fact: processor.threads, at_least: 2}]}, "+
		"{all: [{fact: memory.installed_bytes, at_least: 8 GiB}, {fact: processor.rated_mhz, at_least: 1 GHz}]}]}")
	var all []string
	for l := range need.Demands(n) {
		all = append(all, l.Fact().Def().Name)
	}
	expect.Same(t, "len(all)", len(all), 3)
	expect.Same(t, "all[0]", all[0], "processor.cores")
	expect.Same(t, "all[2]", all[2], "processor.rated_mhz")
	for most := 1; most <= 3; most++ {
		seen := 0
		for range need.Demands(n) {
			if seen++; seen == most {
				break
			}
		}
		if seen != most {
			t.Errorf("%d of %d", seen, most)
		}
	}
	for range need.Demands(nil) {
		t.Error("no need demands something")
	}
}

// Lists of parts are compared by the best pairs, whatever their order.
func TestComparingLists(t *testing.T) {
	cores := func(n string) string { return "{fact: processor.cores, at_least: " + n + "}" }
	memory := func(n string) string { return "{fact: memory.installed_bytes, at_least: " + n + " GiB}" }
	list := func(how string, parts ...string) string {
		out := "{" + how + ": ["
		for i, p := range parts {
			if i > 0 {
				out += ", "
			}
			out += p
		}
		return out + "]}"
	}
	for _, tt := range []struct {
		was, is string
		want    need.Change
	}{
		{list("all", cores("2"), memory("4")), list("all", memory("4"), cores("2")), need.Same},
		{list("all", cores("2"), memory("4")), list("all", memory("8"), cores("2")), need.Tighter},
		{list("all", cores("4"), memory("4")), list("all", memory("4"), cores("2")), need.Looser},
		{list("all", cores("4"), memory("4")), list("all", memory("8"), cores("2")), need.Other},
		{list("all", cores("2"), memory("4")), cores("2"), need.Looser},
		{cores("2"), list("all", memory("4"), cores("2")), need.Tighter},
		{list("any", cores("2"), memory("4")), cores("2"), need.Tighter},
		{cores("2"), list("any", memory("4"), cores("2")), need.Looser},
		{list("any", cores("2"), memory("4")), list("any", memory("8"), cores("2")), need.Tighter},
		{list("any", cores("2"), cores("8")), list("any", cores("8"), cores("2")), need.Same},
		{list("all", cores("2"), cores("8")), list("all", cores("8"), cores("2")), need.Same},
	} {
		t.Run(tt.was, func(t *testing.T) {
			if got := need.Compare(compile(t, tt.was), compile(t, tt.is)); got != tt.want {
				t.Errorf("%s\n%s: %v, want %v", tt.was, tt.is, got, tt.want)
			}
		})
	}
}
