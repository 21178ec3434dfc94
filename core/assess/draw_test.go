package assess_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
)

// drawn is a random release document, with the rules that it was made of.
type drawn struct {
	rules    []rule
	lines    []string // of the requirements
	severity []string
	more     string
	complete bool
}

var severities = []string{"will-not-start", "installer-refuses", "unsupported", "works-less-well"}

func drawRelease(r *rand.Rand) *drawn {
	d := &drawn{complete: r.IntN(3) > 0}
	for i := range 1 + r.IntN(7) {
		q := draw(r, 2)
		d.rules, d.severity = append(d.rules, q), append(d.severity, severities[r.IntN(len(severities))])
		d.lines = append(d.lines,
			fmt.Sprintf("  - {id: r%d, title: Rule %d, reason: Because., level: must, consequence: %s, need: %s}\n", i,
				i, d.severity[i], q.yaml()))
	}
	d.more = fmt.Sprintf("lists: [{id: p, of: processors, complete: %v, naming: [{id: four, reads: [{text: [Corvane "+
		"K5-]}, {generation: 1}, {digits: 3}, {maybe: [U]}], from: 8, built_in_tpm: %v}], rows: [{name: Tessaly Onyx "+
		"5 3600}]}]\n",
		d.complete, r.IntN(2) == 0)
	switch r.IntN(4) {
	case 0: // any system, on the emptied disk
	case 1:
		d.more += "upgrade: [{platform: windows, way: in-place}]\n"
	default:
		d.more += "upgrade: [{platform: windows, at_least: \"11.0\", way: in-place}, {platform: windows, at_least: " +
			"\"10.0\", way: interim, through: between}]\n" +
			"interim: [{id: between, name: Skerry 11, requirements: [{id: way, title: On the way, level: must, " +
			"consequence: installer-refuses, reason: R., need: {fact: memory.installed_bytes, at_least: 5 GiB}}]}]\n"
	}
	return d
}

// read compiles the document with its requirements in some order.
func (d *drawn) read(t testing.TB, order []int, more ...string) *release.Release {
	t.Helper()
	src := "format: rolltop-release/1\nid: r\nname: Skerry 12\ninstalls_on: pc\nrevision: 3\npublished: " +
		"2026-06-02\nsource: x\nrequirements:\n"
	if order == nil {
		src += strings.Join(d.lines, "")
	}
	for _, i := range order {
		src += d.lines[i]
	}
	src += strings.Join(more, "") + d.more
	rel, err := release.Read("drawn", []byte(src), nil)
	if err != nil {
		t.Fatalf("%v\n%s", err, src)
	}
	return rel
}

// drawMachine is a sound machine of which much is something else, or not known.
func drawMachine(r *rand.Rand) *doc {
	d := sound()
	odd := func() bool { return r.IntN(4) == 0 }
	word := func(to *inventory.Opt[string], words ...string) {
		if w := words[r.IntN(len(words))]; odd() {
			if *to = (inventory.Opt[string]{}); w != "" {
				*to = inventory.Some(w)
			}
		}
	}
	number := func(to *inventory.Opt[int64], values ...int64) {
		if v := values[r.IntN(len(values))]; odd() {
			if *to = (inventory.Opt[int64]{}); v >= 0 {
				*to = inventory.Some(v)
			}
		}
	}
	truth := func(to *inventory.Opt[bool]) {
		if n := r.IntN(3); odd() {
			if *to = (inventory.Opt[bool]{}); n > 0 {
				*to = inventory.Some(n == 1)
			}
		}
	}
	word(&d.Device.Form, "laptop", "desktop", "")
	if r.IntN(12) == 0 {
		guest(d)
	}
	word(&d.OS.Platform, "windows", "linux")
	word(&d.OS.Version, "10.4", "9.0", "")
	word(&d.OS.Architecture, "x86", "")
	word(&d.Processor.Name, "Corvane K5-7300U", "Corvane K5-8250U", "Corvane sample", "Tessaly Onyx 5 3600", "")
	word(&d.Processor.Architecture, "x86", "x86-64", "")
	number(&d.Processor.Cores, 2, 4, -1)
	d.Processor.Threads = inventory.Opt[int64]{}
	number(&d.Processor.RatedMHz, 1000, -1)
	if odd() {
		d.Processor.Features = [][]string{nil, {"sse4.2"}, {"avx2"}, {}}[r.IntN(4)]
	}
	number(&d.Memory.Installed, 2<<30, 4<<30, -1)
	d.Memory.Visible = inventory.Opt[int64]{}
	number(&d.Memory.Visible, 3<<30, 7<<30)
	number(&d.Memory.SlotsUsed, 2, -1)
	number(&d.Memory.Max, 4<<30, 2<<30, -1)
	if odd() {
		d.Memory.Modules = []inventory.Module{{Soldered: inventory.Some(r.IntN(2) == 0)}}
	}
	number(&d.Storage.System.DiskBytes, 62e9, 64e9, 128e9, -1)
	number(&d.Storage.System.FreeBytes, 5e9, 20e9, -1)
	word(&d.Storage.Disks[0].Kind, "hdd", "emmc", "")
	word(&d.Storage.Disks[0].Health, "bad", "good")
	word(&d.Storage.System.PartitionStyle, "mbr", "")
	d.Storage.Boot.PartitionStyle = d.Storage.System.PartitionStyle
	word(&d.Storage.System.Encryption.State, "on", "paused", "")
	truth(&d.Storage.Boot.Dynamic)
	word(&d.Firmware.BootMode, "legacy", "legacy", "")
	if d.Firmware.BootMode.Or("") == "legacy" {
		d.Firmware.SecureBoot = inventory.Some("inactive")
		d.Firmware.SecureBootCapable = inventory.Opt[bool]{}
	} else {
		word(&d.Firmware.SecureBoot, "off", "setup", "")
		truth(&d.Firmware.SecureBootCapable)
	}
	truth(&d.Firmware.UEFICapable)
	truth(&d.Firmware.LegacySupport)
	word(&d.TPM.State, "off", "not-seen", "not-ready", "announced", "")
	if s := d.TPM.State.Or(""); s == "not-seen" || s == "" {
		d.TPM.Version = inventory.Opt[string]{}
	}
	truth(&d.TPM.Header)
	if odd() {
		d.Graphics = [][]inventory.Adapter{
			nil, {}, {{DriverModel: inventory.Some("1.3")}},
			{{InterfaceLevel: inventory.Some("11.0"), DriverModel: inventory.Some("2.7")}},
		}[r.IntN(4)]
	}
	return d
}
