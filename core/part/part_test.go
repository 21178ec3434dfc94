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

const gib = int64(1 << 30)

// kept is a release that asks for memory, a drive and a TPM.
func kept(t *testing.T) *release.Release {
	t.Helper()
	rel, err := release.Read(
		"buoy",
		[]byte(
			`{format: rolltop-release/1, id: buoy, name: Buoy, installs_on: pc, revision: 1, published: 2026-10-06, source: "https://skerry.example/buoy",
upgrade: [{platform: windows, way: in-place}],
lists: [{id: parts, of: processors, rows: [{name: Corvane K5-8500T, built_in_tpm: false}]}],
software: [{name: [Counterfoil], versions: [{at_least: "5.0", is: fine}, {below: "5.0", is: buy}]}],
requirements: [
{id: memory, title: Memory, level: must, consequence: unsupported, reason: Room., need: {fact: memory.installed_bytes, at_least: 8 GiB}},
{id: drive, title: Drive, level: must, consequence: unsupported, reason: Room., need: {fact: storage.system.disk_bytes, at_least: 100 GB}},
{id: titles, title: Titles, level: must, consequence: unsupported, reason: Paid., need: {fact: software.to_buy, empty: true}},
{id: card, title: Card, level: must, consequence: unsupported, reason: Screen., when: {fact: graphics, at_least: 1}, need: {in: graphics, some: {fact: graphics.interface_level, at_least: "12.0"}}},
{id: tpm, title: TPM, level: must, consequence: unsupported, reason: Keys., need: {fact: tpm.state, equals: ready}}]}`,
		),
		nil,
	)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

func sound() *inventory.Document {
	d := &inventory.Document{}
	d.Device.Form = inventory.Some("desktop")
	d.Device.Board.Manufacturer = inventory.Some("Brannock")
	d.Device.Board.Model = inventory.Some("BW-T1")
	d.OS.Platform = inventory.Some("windows")
	d.OS.Architecture = inventory.Some("x86-64")
	d.Processor.Name = inventory.Some("Corvane K5-8500T")
	d.Memory.Installed = inventory.Some(8 * gib)
	d.Memory.Slots = inventory.Some(int64(2))
	d.Memory.SlotsUsed = inventory.Some(int64(1))
	d.Memory.Max = inventory.Some(64 * gib)
	d.Storage.Disks = []inventory.Disk{
		{
			Kind:   inventory.Some("ssd"),
			Bus:    inventory.Some("nvme"),
			System: inventory.Some(true),
			Health: inventory.Some("good"),
		},
	}
	d.Storage.System.DiskBytes = inventory.Some(int64(256e9))
	d.Storage.System.VolumeBytes = inventory.Some(int64(255e9))
	d.Storage.System.FreeBytes = inventory.Some(int64(100e9))
	d.Storage.System.Encryption.State = inventory.Some("off")
	d.TPM.State = inventory.Some("ready")
	d.Software = []inventory.Software{}
	return d
}

func module(slot string, size int64) inventory.Module {
	m := inventory.Module{
		Slot:     inventory.Some(slot),
		Bytes:    inventory.Some(size * gib),
		Soldered: inventory.Some(false),
	}
	if size > 0 {
		m.Type = inventory.Some("DDR4")
		m.Form = inventory.Some("DIMM")
		m.SpeedMTS = inventory.Some(int64(2666))
	}
	return m
}

func TestExactParts(t *testing.T) {
	memory := func(installed int64, modules ...inventory.Module) func(*inventory.Document) {
		return func(d *inventory.Document) {
			d.Memory.Installed = inventory.Some(installed * gib)
			d.Memory.Modules = modules
			d.Memory.Slots = inventory.Some(int64(len(modules)))
			used := int64(0)
			for _, m := range modules {
				if m.Bytes.Or(0) > 0 {
					used++
				}
			}
			d.Memory.SlotsUsed = inventory.Some(used)
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
			d.Memory.Max = inventory.Some(8 * gib)
		}, "swap-memory", "two 4 GiB DDR4 DIMMs, 2666 MT/s or faster, for slots A and B"},
		{"half of it soldered", func(d *inventory.Document) {
			memory(6, inventory.Module{
				Slot:     inventory.Some("board"),
				Bytes:    inventory.Some(4 * gib),
				Type:     inventory.Some("LPDDR4"),
				Soldered: inventory.Some(true),
			}, module("B", 2))(d)
		}, "swap-memory", "one 4 GiB DDR4 DIMM, 2666 MT/s or faster, for slot B"},
		{"a laptop says wrong things of its slots", func(d *inventory.Document) {
			memory(4, module("A", 4), module("B", 0))(d)
			d.Device.Form = inventory.Some("laptop")
		}, "add-memory", "one 4 GiB DDR4 DIMM, 2666 MT/s or faster, for slot B; confirm it in the maker's manual " +
			"before ordering"},
		{"nothing known of the modules", func(d *inventory.Document) { d.Memory.Installed = inventory.Some(4 * gib) },
			"add-memory", "one 4 GiB memory module; confirm it in the maker's manual before ordering"},
		{"modules that do not mix with others", func(d *inventory.Document) {
			ecc := module("A", 4)
			ecc.ECC = inventory.Some(true)
			ecc.Registered = inventory.Some(true)
			ecc.Millivolts = inventory.Some(int64(1200))
			memory(4, ecc, module("B", 0))(d)
		}, "add-memory", "one 4 GiB ECC registered DDR4 DIMM, 2666 MT/s or faster, for slot B"},
		{"modules without error correction, of a type with two voltages", func(d *inventory.Document) {
			low := module("A", 4)
			low.ECC = inventory.Some(false)
			low.Registered = inventory.Some(false)
			low.Type = inventory.Some("DDR3")
			low.Millivolts = inventory.Some(int64(1350))
			memory(4, low, module("B", 0))(d)
		}, "add-memory", "one 4 GiB DDR3 DIMM, 2666 MT/s or faster, 1.35 V, for slot B"},
		{"a drive of which nothing is known but its size", func(d *inventory.Document) {
			d.Storage.System.DiskBytes = inventory.Some(int64(256e9))
			d.Storage.System.VolumeBytes = inventory.Opt[int64]{}
			d.Storage.System.FreeBytes = inventory.Opt[int64]{}
			d.Storage.Disks[0].Health = inventory.Some("bad")
		}, "failing-drive", "one solid-state drive of 256 GB or more (NVMe)"},
		{"a failing drive of which nothing is known", func(d *inventory.Document) {
			d.Storage.System = inventory.SystemDisk{}
			d.Storage.System.Encryption.State = inventory.Some("off")
			d.Storage.Disks[0] = inventory.Disk{
				Kind:   inventory.Some("ssd"),
				System: inventory.Some(true),
				Health: inventory.Some("bad"),
			}
		}, "failing-drive", "one solid-state drive of 128 GB or more; confirm it in the maker's manual before " +
			"ordering"},
		{"built-in flash has no connection to order for", func(d *inventory.Document) {
			d.Storage.System.DiskBytes = inventory.Some(int64(32e9))
			d.Storage.Disks[0] = inventory.Disk{
				Kind:   inventory.Some("emmc"),
				Bus:    inventory.Some("mmc"),
				System: inventory.Some(true),
				Health: inventory.Some("good"),
			}
			d.Storage.System.VolumeBytes = inventory.Some(int64(31e9))
			d.Storage.System.FreeBytes = inventory.Some(int64(9e9))
		}, "add-drive", "one solid-state drive of 128 GB or more; confirm it in the maker's manual before ordering"},
		{"a card for what is asked", func(d *inventory.Document) {
			d.Graphics = []inventory.Adapter{
				{InterfaceLevel: inventory.Some("11.0"), DriverModel: inventory.Some("2.7")},
			}
		}, "graphics-card", "one graphics card: graphics interface level 12.0 or more; confirm it in the maker's " +
			"manual before ordering"},
		{"a larger drive", func(d *inventory.Document) {
			d.Storage.System.DiskBytes = inventory.Some(int64(64e9))
			d.Storage.System.VolumeBytes = inventory.Some(int64(63e9))
			d.Storage.System.FreeBytes = inventory.Some(int64(9e9))
		}, "change-drive", "one solid-state drive of 128 GB or more (NVMe)"},
		{
			"a failing drive, well filled",
			func(d *inventory.Document) { d.Storage.Disks[0].Health = inventory.Some("bad") },
			"failing-drive",
			"one solid-state drive of 256 GB or more (NVMe)",
		},
		{
			"a module for the board",
			func(d *inventory.Document) { d.TPM.State = inventory.Some("not-seen") },
			"tpm-module",
			"one TPM 2.0 module for the board Brannock BW-T1; confirm it in the maker's manual before ordering",
		},
		{"a title", func(d *inventory.Document) {
			d.Software = []inventory.Software{{Name: "Counterfoil", Version: inventory.Some("4.2")}}
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
