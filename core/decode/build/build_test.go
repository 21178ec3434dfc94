package build_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

func begin(elevated bool) *build.Draft {
	return build.New(&capture.Document{Format: capture.Format, Platform: "linux", Elevated: elevated},
		"Ask for rights.")
}

// The cause of a gap follows from what came of the source.
func TestWhy(t *testing.T) {
	for _, tt := range []struct {
		elevated            bool
		rec                 capture.Record
		cause, detail, try_ string
	}{
		{false, capture.Record{Source: "s", Outcome: capture.Denied}, inventory.NeedsRights, "s", "Ask for rights."},
		{true, capture.Record{Source: "s", Outcome: capture.Denied}, inventory.ReadFailed,
			"refused even with administrator rights", ""},
		{false, capture.Record{Source: "s", Outcome: capture.Failed, Detail: "broken"}, inventory.ReadFailed,
			"s: broken", ""},
		{false, capture.Record{Source: "s", Outcome: capture.Failed, Errno: 5}, inventory.ReadFailed, "s: error 5", ""},
		{false, capture.Record{Source: "s", Outcome: capture.Failed, Errno: 0x80284008}, inventory.ReadFailed,
			"s: error 0x80284008", ""},
		{false, capture.Record{Source: "s", Outcome: capture.Failed}, inventory.ReadFailed, "s", ""},
		{false, capture.Record{Source: "s", Outcome: capture.Absent}, inventory.NotOffered, "otherwise", ""},
		{false, capture.Record{Source: "s", Outcome: capture.NotExposed}, inventory.NotOffered, "otherwise", ""},
	} {
		t.Run(tt.cause, func(t *testing.T) {
			x := begin(tt.elevated)
			x.Why("tpm.state", tt.rec, "otherwise")
			g := x.D.GapOf("tpm.state")
			expect.Same(t, "g.Cause", g.Cause, tt.cause)
			expect.Contains(t, g.Detail, tt.detail)
			expect.Same(t, "g.Try", g.Try, tt.try_)
		})
	}
}

func TestValuesAreClean(t *testing.T) {
	x := begin(false)
	expect.That(t, `!x.Set(fact.DeviceModel, " \x00\x01 ", "s")`, !x.Set(fact.DeviceModel, " \x00\x01 ", "s"))
	expect.That(t, "x.D.Device.Model.IsZero()", x.D.Device.Model.IsZero())
	expect.Same(t, `x.D.Sources["device.model"]`, x.D.Sources["device.model"], "")
	if !x.Set(fact.DeviceModel, "Slip\x00way\t 14", "s") || x.D.Device.Model.Or("") != "Slip way 14" {
		t.Errorf("%q", x.D.Device.Model.Or(""))
	}
	if long := build.Known(strings.Repeat("x", 5000)); len(long.Or("")) > 1024 {
		t.Errorf("%d bytes", len(long.Or("")))
	}
}

func TestDisagree(t *testing.T) {
	x := begin(false)
	x.Disagree("firmware.secure_boot", inventory.Differ{Value: "on", Source: "a"},
		inventory.Differ{Value: "off", Source: "b"})
	r := fact.Read(x.D).Get(fact.SecureBoot)
	expect.That(t, "!r.Value.Known()", !r.Value.Known())
	expect.Same(t, "r.Gap.Cause", r.Gap.Cause, inventory.Disagree)
	expect.Same(t, "len(r.Others())", len(r.Others()), 2)
	expect.Same(t, "r.Gap.Detail", r.Gap.Detail, "a says on, b says off")
}

// What was read and makes no sense becomes a gap, as does what nothing tells.
func TestRest(t *testing.T) {
	x := begin(false)
	x.SetNumber(fact.ProcessorFamily, -3, "s")
	x.SetNumber(fact.ProcessorThreads, 4, "s")
	x.Rest("Linux", []string{"backup"}, fact.OnlyMac)
	for name, cause := range map[string]string{
		"processor.family": inventory.ReadFailed,
		"backup":           inventory.NotAsked,
		"tpm.state":        inventory.NotOffered,
	} {
		t.Run(name, func(t *testing.T) {
			if g := x.D.GapOf(name); g == nil || g.Cause != cause {
				t.Errorf("%s: %+v", name, g)
			}
		})
	}
	if x.D.GapOf("processor.threads") != nil || x.D.GapOf("device.model_id") != nil {
		t.Error("a gap for what is known, or for what only Macs have")
	}
}

func table(p sample.PC) capture.Record {
	return capture.Record{Source: "tables", Outcome: capture.OK, Raw: capture.Bytes(p.Tables())}
}

func TestModules(t *testing.T) {
	modules := []sample.Module{
		{Slot: "A", MiB: 4096, Type: 0x18, Form: 9, Speed: 1600, Maker: "Fennick", Part: "F"}, {Slot: "B"},
		{Slot: "C", MiB: 2048, Type: 0x1E, Form: 0x0B},
	}
	whole := table(sample.PC{Maker: "Ostrel", Chassis: 3, Slots: 3, MaxGiB: 16, Modules: modules})
	x := begin(true)
	x.ReadTables(whole, whole.Raw, 0x0303)
	x.Modules()
	m := x.D.Memory
	expect.Same(t, "m.Installed.Or(0)", m.Installed.Or(0), 6<<30)
	expect.Same(t, "m.Slots.Or(0)", m.Slots.Or(0), 3)
	expect.Same(t, "m.SlotsUsed.Or(0)", m.SlotsUsed.Or(0), 2)
	expect.Same(t, "m.Max.Or(0)", m.Max.Or(0), 16<<30)
	expect.Same(t, "len(m.Modules)", len(m.Modules), 3)
	a := m.Modules[0]
	expect.Same(t, "a.SpeedMTS.Or(0)", a.SpeedMTS.Or(0), 1600)
	expect.That(t, "!a.Soldered.Or(true)", !a.Soldered.Or(true))
	expect.Same(t, `a.PartNumber.Or("")`, a.PartNumber.Or(""), "F")
	expect.Same(t, `a.Type.Or("")`, a.Type.Or(""), "DDR3")
	if b := m.Modules[1]; b.Bytes.Or(-1) != 0 || b.Soldered.Or(true) {
		t.Errorf("an empty slot: %+v", b)
	}
	if !m.Modules[2].Soldered.Or(false) {
		t.Errorf("a row of chips: %+v", m.Modules[2])
	}
	// Cut in the midst: what is there stays, and nothing is said to be all.
	x = begin(true)
	x.ReadTables(whole, whole.Raw[:len(whole.Raw)-20], 0x0303)
	x.Modules()
	g := x.D.GapOf("memory.installed_bytes")
	expect.That(t, "g != nil", g != nil)
	expect.Same(t, "g.Cause", g.Cause, inventory.ReadFailed)
	expect.Same(t, "len(x.D.Memory.Modules)", len(x.D.Memory.Modules), 2)
	expect.Same(t, "x.Tables.Info.System.Manufacturer", x.Tables.Info.System.Manufacturer, "Ostrel")
	// The system uses more than the tables name.
	x = begin(true)
	x.SetNumber(fact.MemoryVisible, 7<<30, "the kernel")
	x.ReadTables(whole, whole.Raw, 0x0303)
	x.Modules()
	if g := x.D.GapOf("memory.installed_bytes"); g == nil || g.Cause != inventory.Disagree {
		t.Errorf("%+v", g)
	}
	// No tables, tables of rubbish.
	for _, r := range []capture.Record{
		{Source: "t", Outcome: capture.Denied}, {Source: "t", Outcome: capture.OK, Raw: []byte("junk")},
	} {
		x = begin(false)
		x.ReadTables(r, r.Raw, 0x0303)
		x.Modules()
		if x.Tables.Read || x.D.GapOf("memory.modules") == nil {
			t.Errorf("%+v", r)
		}
	}
}

func TestTPMAnswered(t *testing.T) {
	for _, tt := range []struct {
		maker, environment, kind string
	}{
		{"IFX", "hardware", "discrete"}, {"INTC", "hardware", "firmware"}, {"PLVR", "hardware", ""},
		{"IFX", "guest", "virtual"},
	} {
		t.Run(tt.maker, func(t *testing.T) {
			x := begin(true)
			x.D.Device.Environment = build.Some(tt.environment)
			x.TPMAnswered(tpm.Info{Manufacturer: tt.maker, Firmware: "1.2"},
				capture.Record{Source: "asked", Outcome: capture.OK})
			expect.Same(t, `x.D.TPM.Kind.Or("")`, x.D.TPM.Kind.Or(""), tt.kind)
			expect.Same(t, `x.D.TPM.Manufacturer.Or("")`, x.D.TPM.Manufacturer.Or(""), tt.maker)
			expect.That(t, `!(tt.kind == "" && x.D.GapOf("tpm.kind") == nil)`,
				!(tt.kind == "" && x.D.GapOf("tpm.kind") == nil))
		})
	}
}

func TestPartitions(t *testing.T) {
	x := begin(true)
	x.Partitions(partition.Table{
		Style: partition.GPT,
		Cut:   true,
		Parts: []partition.Part{
			{Index: 1, Type: partition.ESP, Start: 1 << 20, Bytes: 260 << 20},
			{Index: 2, Type: partition.ESP, Bytes: 1}, {Index: 3, Type: "07", Kind: "primary", Bytes: 1 << 62},
		},
	})
	boot := x.D.Storage.Boot
	expect.Same(t, "boot.ESP.Bytes.Or(0)", boot.ESP.Bytes.Or(0), 260<<20)
	expect.Same(t, "len(boot.Partitions)", len(boot.Partitions), 3)
	expect.Same(t, `boot.Partitions[2].Kind.Or("")`, boot.Partitions[2].Kind.Or(""), "primary")
	expect.That(t, `x.D.GapOf("storage.boot.partitions") != nil`, x.D.GapOf("storage.boot.partitions") != nil)
}

func TestOtherSystems(t *testing.T) {
	variable := func(name string) string { return "var:" + name }
	const here, gone = "71de0000-0000-4000-8000-000000000001", "71de0000-0000-4000-8000-000000000002"
	entries := func(x *build.Draft, list ...string) {
		order := sample.U32(7)
		for i, e := range list {
			order += sample.U16(uint16(i))
			x.C.Add(capture.Record{
				Source:  variable("Boot000" + string(rune('0'+i))),
				Outcome: capture.OK,
				Raw:     capture.Bytes(e),
			})
		}
		x.C.Add(capture.Record{Source: variable("BootOrder"), Outcome: capture.OK, Raw: capture.Bytes(order)})
		x.C.Add(capture.Record{
			Source:  variable("BootCurrent"),
			Outcome: capture.OK,
			Raw:     capture.Bytes(sample.U32(6) + sample.U16(0)),
		})
	}
	x := begin(true)
	entries(x, sample.BootEntry("This one", `\EFI\this\a.efi`, here),
		sample.BootEntry("This one again", `\EFI\THIS\b.efi`, here),
		sample.BootEntry("Another", `\EFI\another\a.efi`, here), sample.BootEntry("Another", `\EFI\another\a.efi`, here),
		sample.BootEntry("Gone", `\EFI\gone\a.efi`, gone), sample.BootEntry("Fallback", `\EFI\BOOT\BOOTX64.EFI`, here),
		"junk")
	x.OtherSystems(variable, true, []build.Partition{{ID: here}})
	got := x.D.Storage.OtherSystems
	expect.Same(t, "len(got)", len(got), 1)
	expect.Same(t, "got[0]", got[0], "Another")
	expect.Contains(t, x.D.GapOf("storage.other_systems").Detail, "Gone")
	if dir := x.CurrentLoader(variable); dir != `\efi\this` {
		t.Errorf("%q", dir)
	}
	// Without partition tables, rights would tell.
	x = begin(false)
	entries(x, sample.BootEntry("This one", `\EFI\this\a.efi`, here),
		sample.BootEntry("Another", `\EFI\another\a.efi`, here))
	x.OtherSystems(variable, true, nil)
	if g := x.D.GapOf("storage.other_systems"); g.Cause != inventory.NeedsRights || len(x.D.Storage.OtherSystems) != 0 {
		t.Errorf("%+v", g)
	}
	x = begin(false)
	x.OtherSystems(variable, false, nil)
	if g := x.D.GapOf("storage.other_systems"); g == nil || !strings.Contains(g.Detail, "no boot entries of UEFI") {
		t.Errorf("%+v", g)
	}
}

// Types of partitions tell of other systems on any machine, and name none where data has the same type.
func TestOtherSystemsByPartitions(t *testing.T) {
	const root, data, basic = "4f68bce3-e8cd-4db1-96e7-fbcaf984b709", "0fc63daf-8483-4772-8e79-3d69d8477de4",
		"ebd0a0a2-b9e5-4433-87c0-68b6b72699c7"
	for _, c := range []struct {
		name, platform string
		types          []string
		found, detail  string
	}{
		{"the root of another platform", "windows", []string{basic, root, root}, "a root partition of Linux",
			"only the types"},
		{"one's own root", "linux", []string{root, data}, "", "only the types"},
		{"data or a system", "windows", []string{basic, data}, "", "of a kind for Linux, for a system or for data"},
		{"the root, and data", "windows", []string{data, root}, "a root partition of Linux", "only the types"},
		{"two of them, on an MBR", "linux", []string{"07", "af", "83"}, "", "of a kind for Windows or macOS, for"},
		{"one's own, on an MBR", "windows", []string{"07", "27"}, "", "only the types"},
		{"a type that nobody knows", "linux", []string{"ee"}, "", "only the types"},
		{"no partitions", "linux", nil, "", "no partitions were read"},
	} {
		t.Run(c.name, func(t *testing.T) {
			x := begin(true)
			x.D.OS.Platform = inventory.Some(c.platform)
			var parts []build.Partition
			for _, of := range c.types {
				parts = append(parts, build.Partition{Type: of})
			}
			x.OtherSystems(func(name string) string { return "var:" + name }, false, parts)
			expect.Same(t, "found", strings.Join(x.D.Storage.OtherSystems, ", "), c.found)
			expect.Contains(t, x.D.GapOf("storage.other_systems").Detail, c.detail)
			expect.Same(t, "it has a source", x.D.Sources["storage.other_systems"] != "", c.found != "")
		})
	}
}

func TestLive(t *testing.T) {
	x := begin(true)
	x.D.OS.Platform, x.D.OS.Name = build.Some("linux"), build.Some("Lodestar Linux 12")
	x.D.Storage.Disks = []inventory.Disk{{Name: build.Some("sda"), System: build.Some(true)}}
	x.D.Storage.System.FreeBytes = build.Some(int64(5))
	x.Live("a test says so")
	expect.That(t, "x.D.OS.Name.IsZero()", x.D.OS.Name.IsZero())
	expect.Same(t, `x.D.OS.Platform.Or("")`, x.D.OS.Platform.Or(""), "linux")
	expect.Same(t, "len(x.D.Storage.Disks)", len(x.D.Storage.Disks), 1)
	expect.That(t, "x.D.Storage.Disks[0].System.IsZero()", x.D.Storage.Disks[0].System.IsZero())
	expect.That(t, "x.D.Storage.System.FreeBytes.IsZero()", x.D.Storage.System.FreeBytes.IsZero())
	expect.Same(t, `x.D.Device.Environment.Or("")`, x.D.Device.Environment.Or(""), "live")
}

// A speed that is not the rated one bounds it from below, a little under what was measured.
func TestSpeed(t *testing.T) {
	x := begin(false)
	x.Speed(2394, "measured at start")
	r := fact.Read(x.D).Get(fact.ProcessorMHz)
	expect.That(t, "it is not known", !r.Value.Known())
	expect.Same(t, "its bound", r.Floor().Float(), 2346)
	expect.Same(t, "why", r.Gap.Detail, "measured at start")
}
