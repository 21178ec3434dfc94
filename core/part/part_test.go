package part_test

import (
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

func some[T any](v T) inventory.Opt[T] { return inventory.Some(v) }

const gib = int64(1 << 30)

// kept is a release that asks for memory, a drive and a TPM.
func kept(t *testing.T) *release.Release {
	t.Helper()
	rel, err := release.Read("buoy",
		[]byte(`{format: rolltop-release/1, id: buoy, name: Buoy, installs_on: pc, revision: 1, published: 2026-10-06, source: "https://skerry.example/buoy",
upgrade: [{platform: windows, way: in-place}],
lists: [{id: parts, of: processors, rows: [{name: Corvane K5-8500T, built_in_tpm: false}]}],
software: [{name: [Counterfoil], versions: [{at_least: "5.0", is: fine}, {below: "5.0", is: buy}]}],
requirements: [
{id: memory, title: Memory, level: must, consequence: unsupported, reason: Room., need: {fact: memory.installed_bytes, at_least: 8 GiB}},
{id: drive, title: Drive, level: must, consequence: unsupported, reason: Room., need: {fact: storage.system.disk_bytes, at_least: 100 GB}},
{id: titles, title: Titles, level: must, consequence: unsupported, reason: Paid., need: {fact: software.to_buy, empty: true}},
{id: card, title: Card, level: must, consequence: unsupported, reason: Screen., when: {fact: graphics, at_least: 1}, need: {in: graphics, some: {fact: graphics.interface_level, at_least: "12.0"}}},
{id: tpm, title: TPM, level: must, consequence: unsupported, reason: Keys., need: {fact: tpm.state, equals: ready}}]}`), nil)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

func sound() *inventory.Document {
	d := &inventory.Document{}
	d.Device.Form, d.Device.Board.Manufacturer, d.Device.Board.Model = some("desktop"), some("Brannock"), some("BW-T1")
	d.OS.Platform, d.OS.Architecture, d.Processor.Name = some("windows"), some("x86-64"), some("Corvane K5-8500T")
	d.Memory.Installed, d.Memory.Slots, d.Memory.SlotsUsed = some(8*gib), some(int64(2)), some(int64(1))
	d.Memory.Max = some(64 * gib)
	d.Storage.Disks = []inventory.Disk{{Kind: some("ssd"), Bus: some("nvme"), System: some(true), Health: some("good")}}
	d.Storage.System.DiskBytes, d.Storage.System.VolumeBytes, d.Storage.System.FreeBytes = some(int64(256e9)),
		some(int64(255e9)), some(int64(100e9))
	d.Storage.System.Encryption.State = some("off")
	d.TPM.State = some("ready")
	d.Software = []inventory.Software{}
	return d
}

func module(slot string, size int64) inventory.Module {
	m := inventory.Module{Slot: some(slot), Bytes: some(size * gib), Soldered: some(false)}
	if size > 0 {
		m.Type, m.Form, m.SpeedMTS = some("DDR4"), some("DIMM"), some(int64(2666))
	}
	return m
}

func TestExactParts(t *testing.T) {
	memory := func(installed int64, modules ...inventory.Module) func(*inventory.Document) {
		return func(d *inventory.Document) {
			d.Memory.Installed, d.Memory.Modules, d.Memory.Slots = some(installed*gib), modules,
				some(int64(len(modules)))
			used := int64(0)
			for _, m := range modules {
				if m.Bytes.Or(0) > 0 {
					used++
				}
			}
			d.Memory.SlotsUsed = some(used)
		}
	}
	tests := []struct {
		name   string
		change func(*inventory.Document)
		step   string
		want   string
	}{
		{"a free slot", memory(4, module("A", 4), module("B", 0)), "add-memory",
			"one 4 GiB DDR4 DIMM, 2666 MT/s or faster, for slot B"},
		{"an odd shortage", memory(6, module("A", 4), module("B", 2), module("C", 0)), "add-memory",
			"one 4 GiB DDR4 DIMM, 2666 MT/s or faster, for slot C"},
		{"mixed modules: the smallest goes", memory(6, module("A", 4), module("B", 2)), "swap-memory",
			"one 4 GiB DDR4 DIMM, 2666 MT/s or faster, for slot B"},
		{"one large module would do", memory(4, module("A", 2), module("B", 2)), "swap-memory",
			"one 8 GiB DDR4 DIMM, 2666 MT/s or faster, for slot A"},
		{"a slot takes no more than 4 GiB", func(d *inventory.Document) {
			memory(4, module("A", 2), module("B", 2))(d)
			d.Memory.Max = some(8 * gib)
		}, "swap-memory", "two 4 GiB DDR4 DIMMs, 2666 MT/s or faster, for slots A and B"},
		{"half of it soldered", func(d *inventory.Document) {
			memory(6, inventory.Module{
				Slot:     some("board"),
				Bytes:    some(4 * gib),
				Type:     some("LPDDR4"),
				Soldered: some(true),
			}, module("B", 2))(d)
		}, "swap-memory", "one 4 GiB DDR4 DIMM, 2666 MT/s or faster, for slot B"},
		{"a laptop says wrong things of its slots", func(d *inventory.Document) {
			memory(4, module("A", 4), module("B", 0))(d)
			d.Device.Form = some("laptop")
		}, "add-memory", "one 4 GiB DDR4 DIMM, 2666 MT/s or faster, for slot B; confirm it in the maker's manual " +
			"before ordering"},
		{"nothing known of the modules", func(d *inventory.Document) { d.Memory.Installed = some(4 * gib) },
			"add-memory", "one 4 GiB memory module; confirm it in the maker's manual before ordering"},
		{"modules that do not mix with others", func(d *inventory.Document) {
			ecc := module("A", 4)
			ecc.ECC, ecc.Registered, ecc.Millivolts = some(true), some(true), some(int64(1200))
			memory(4, ecc, module("B", 0))(d)
		}, "add-memory", "one 4 GiB ECC registered DDR4 DIMM, 2666 MT/s or faster, for slot B"},
		{"modules without error correction, of a type with two voltages", func(d *inventory.Document) {
			low := module("A", 4)
			low.ECC, low.Registered, low.Type, low.Millivolts = some(false), some(false), some("DDR3"),
				some(int64(1350))
			memory(4, low, module("B", 0))(d)
		}, "add-memory", "one 4 GiB DDR3 DIMM, 2666 MT/s or faster, 1.35 V, for slot B"},
		{"a drive of which nothing is known but its size", func(d *inventory.Document) {
			d.Storage.System.DiskBytes, d.Storage.System.VolumeBytes, d.Storage.System.FreeBytes = some(int64(256e9)),
				inventory.Opt[int64]{}, inventory.Opt[int64]{}
			d.Storage.Disks[0].Health = some("bad")
		}, "failing-drive", "one solid-state drive of 256 GB or more (NVMe)"},
		{"a failing drive of which nothing is known", func(d *inventory.Document) {
			d.Storage.System = inventory.SystemDisk{}
			d.Storage.System.Encryption.State = some("off")
			d.Storage.Disks[0] = inventory.Disk{Kind: some("ssd"), System: some(true), Health: some("bad")}
		}, "failing-drive", "one solid-state drive of 128 GB or more; confirm it in the maker's manual before " +
			"ordering"},
		{"built-in flash has no connection to order for", func(d *inventory.Document) {
			d.Storage.System.DiskBytes, d.Storage.Disks[0] = some(int64(32e9)),
				inventory.Disk{Kind: some("emmc"), Bus: some("mmc"), System: some(true), Health: some("good")}
			d.Storage.System.VolumeBytes, d.Storage.System.FreeBytes = some(int64(31e9)), some(int64(9e9))
		}, "add-drive", "one solid-state drive of 128 GB or more; confirm it in the maker's manual before ordering"},
		{"a card for what is asked", func(d *inventory.Document) {
			d.Graphics = []inventory.Adapter{{InterfaceLevel: some("11.0"), DriverModel: some("2.7")}}
		}, "graphics-card", "one graphics card: graphics interface level 12.0 or more; confirm it in the maker's " +
			"manual before ordering"},
		{"a larger drive", func(d *inventory.Document) {
			d.Storage.System.DiskBytes, d.Storage.System.VolumeBytes, d.Storage.System.FreeBytes = some(int64(64e9)),
				some(int64(63e9)), some(int64(9e9))
		}, "change-drive", "one solid-state drive of 128 GB or more (NVMe)"},
		{"a failing drive, well filled", func(d *inventory.Document) { d.Storage.Disks[0].Health = some("bad") },
			"failing-drive", "one solid-state drive of 256 GB or more (NVMe)"},
		{"a module for the board", func(d *inventory.Document) { d.TPM.State = some("not-seen") }, "tpm-module",
			"one TPM 2.0 module for the board Brannock BW-T1; confirm it in the maker's manual before ordering"},
		{"a title", func(d *inventory.Document) {
			d.Software = []inventory.Software{{Name: "Counterfoil", Version: some("4.2")}}
		}, "buy-titles", "the newer version of Counterfoil 4.2"},
	}
	rel := kept(t)
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			d := sound()
			tt.change(d)
			res, err := check.Run(rel, fact.Read(d))
			if err != nil {
				t.Fatal(err)
			}
			v := remedy.Shipped().Solve(res, nil)
			found := false
			for i := range v.Plan {
				if p := &v.Plan[i]; p.ID == tt.step {
					found = true
					list := part.Of(p, res.Facts)
					if len(list) != 1 {
						t.Errorf("%s: %d parts", tt.name, len(list))
					} else if got := say.Part(&list[0]); got != tt.want {
						t.Errorf("%s: %q, want %q", tt.name, got, tt.want)
					}
				}
			}
			if !found {
				t.Errorf("%s: the plan has no %s: %s %v", tt.name, tt.step, v.Disposition, v.NoRemedy)
			}
		})
	}
}
