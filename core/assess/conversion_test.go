package assess_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

const converting = `format: rolltop-release/1
id: tern-4
name: Tern 4
installs_on: pc
revision: 1
published: 2026-10-06
source: https://tern.example/4
upgrade: [{platform: windows, way: in-place}]
requirements:
  - {id: gpt, title: GPT, level: must, consequence: installer-refuses, reason: Needed., need: {fact: storage.system.partition_style, equals: gpt}}
  - {id: uefi, title: UEFI, level: must, consequence: installer-refuses, reason: Needed., need: {fact: firmware.boot_mode, equals: uefi}}
`

// A publisher's own rule of when a disk can be converted stands in the place of the conversion tool's, in plans,
// in verdicts that are remembered, and in what is said.
func TestConversionRuleOfARelease(t *testing.T) {
	const (
		few = "conversion: {says: with at most two primary partitions, " +
			"need: {fact: storage.boot.primaries, at_most: 2}}\n"
		loose = "conversion: {says: \"with logical partitions, too\", " +
			"need: {fact: storage.boot.primaries, at_most: 4}}\n"
	)
	mbr := func(primaries int, logical bool) func(*doc) {
		return func(d *doc) {
			legacy(d)
			kinds := []string{}
			for range primaries {
				kinds = append(kinds, "primary")
			}
			if logical {
				kinds = append(kinds, "logical")
			}
			d.Storage.Boot.Partitions = nil
			for _, k := range kinds {
				d.Storage.Boot.Partitions = append(
					d.Storage.Boot.Partitions,
					inventory.Partition{Kind: inventory.Some(k)},
				)
			}
		}
	}
	for _, tt := range []struct {
		name, rule      string
		primaries       int
		logical         bool
		converts, state string
		says            string
	}{
		{"the tool's rule holds", "", 3, false, "yes", "possible", "three entries"},
		{"the tool's rule does not", "", 3, true, "no", "impossible", "logical partitions"},
		{"a tighter rule", few, 3, false, "no", "impossible", "with at most two primary partitions"},
		{"a tighter rule that holds", few, 2, false, "yes", "possible", "with at most two primary partitions"},
		{"a looser rule", loose, 3, true, "yes", "possible", "with logical partitions, too"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			rel, err := release.Read("tern-4.yaml", []byte(converting+tt.rule), nil)
			expect.NoError(t, err)
			a, err := assess.Run(rel, made(mbr(tt.primaries, tt.logical)))
			expect.NoError(t, err)
			c := a.Document(now, "")
			converts := map[bool]string{true: "yes", false: "no"}[stepOf(c, "convert-disk") != nil]
			expect.Same(t, "the plan converts the disk", converts, tt.converts)
			expect.Same(t, "the state of the conversion", c.Conversion.State, tt.state)
			expect.Contains(t, strings.ToLower(c.Conversion.Says), strings.ToLower(tt.says))
		})
	}
}
