package assess_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

// A need that reads several facts takes the steps that settle it together, and of an
// either/or the part that takes least, in whatever order the parts stand.
func TestNeedsOfSeveralThings(t *testing.T) {
	const (
		tpmOff    = "{fact: tpm.state, equals: off}"
		secureOff = "{fact: firmware.secure_boot, equals: off}"
		twoCores  = "{fact: processor.cores, at_most: 2}"
		memory    = "{fact: memory.installed_bytes, at_least: 32 GiB}"
		secure    = "{fact: firmware.secure_boot, equals: on}"
		ready     = "{fact: tpm.state, equals: ready}"
	)
	off := func(d *doc) {
		d.TPM.State = inventory.Some("off")
		d.Firmware.SecureBoot = inventory.Some("off")
	}
	fewCores := func(d *doc) {
		off(d)
		twoCores := inventory.Some(int64(2))
		d.Processor.Cores, d.Processor.Threads = twoCores, twoCores
	}
	for _, tt := range []struct {
		name, need        string
		change            func(*doc)
		disposition, plan string
	}{
		{"neither of two", "{not: {any: [A, B]}}", off, "reconfigure", "tpm-on secure-boot-on"},
		{"not one of two", "{not: {all: [A, B]}}", off, "reconfigure", "tpm-on"},
		{"one of two is for ever", "{not: {any: [A, C]}}", fewCores, "decide", "decide"},
		{"one of two is for ever, and enough", "{not: {all: [A, C]}}", fewCores, "reconfigure", "tpm-on"},
		{"the setting rather than the part", "{any: [M, S]}", off, "reconfigure", "secure-boot-on"},
		{"two settings rather than the part", "{any: [M, {all: [T, S]}]}", off, "reconfigure", "tpm-on secure-boot-on"},
		{"one setting rather than two", "{any: [{all: [T, S]}, T]}", off, "reconfigure", "tpm-on"},
		{"a part rather than another machine", "{any: [{not: C}, M]}", fewCores, "refit", "add-memory"},
	} {
		words := strings.NewReplacer("A", tpmOff, "B", secureOff, "C", twoCores, "M", memory, "S", secure, "T", ready)
		turned := strings.NewReplacer("A, B", "B, A", "A, C", "C, A", "M, S", "S, M", "M, {all: [T, S]}",
			"{all: [S, T]}, M",
			"{all: [T, S]}, T", "T, {all: [S, T]}", "{not: C}, M", "M, {not: C}")
		for _, need := range []string{tt.need, turned.Replace(tt.need)} {
			t.Run(tt.name+": "+need, func(t *testing.T) {
				c := on(t, asks(t, []string{must(words.Replace(need))}, inPlace), tt.change)
				var steps []string
				for _, s := range c.Plan {
					if s.Class != "" {
						steps = append(steps, s.Step)
					}
				}
				expect.Same(t, "the disposition", c.Disposition, tt.disposition)
				expect.Same(t, "the plan", strings.Join(steps, " "), tt.plan)
			})
		}
	}
}

// What is installed is said where the release names editions or packages, and only there.
func TestDeliveryIsSaidWhereTheReleaseNamesIt(t *testing.T) {
	const (
		cores    = "{fact: processor.cores, at_least: 2}"
		editions = "editions: [{from: [Office], to: Bureau}]"
	)
	packages := "packages: [{id: p, file: p.img, sha256: " + strings.Repeat("0a", 32) + "}]"
	office := func(d *doc) { d.OS.Edition = inventory.Some("Office") }
	for _, tt := range []struct{ more, says string }{
		{"", ""},
		{editions, "Office becomes Bureau."},
		{packages, "The package is p.img."},
		{editions + "\n" + packages, "Office becomes Bureau. The package is p.img."},
	} {
		t.Run(tt.more, func(t *testing.T) {
			says := ""
			rel := asks(t, []string{must(cores)}, tt.more, inPlace)
			if d := on(t, rel, office).Delivery; d != nil {
				says = d.Says
			}
			expect.Same(t, tt.more, says, tt.says)
		})
	}
}
