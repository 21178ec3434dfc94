package draft_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/craft"
	"rolltop.example/rolltop/core/decode/draft"
	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

func begin(elevated bool) *draft.Draft {
	return draft.New(&capture.Document{Format: capture.Format, Platform: "linux", Elevated: elevated},
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
		x := begin(tt.elevated)
		x.Why("tpm.state", tt.rec, "otherwise")
		g := x.D.GapOf("tpm.state")
		if g.Cause != tt.cause || !strings.Contains(g.Detail, tt.detail) || g.Try != tt.try_ {
			t.Errorf("%+v: %+v", tt.rec, g)
		}
	}
}

func TestValuesAreClean(t *testing.T) {
	x := begin(false)
	if x.Set(fact.DeviceModel, " \x00\x01 ", "s") || !x.D.Device.Model.IsZero() ||
		x.D.Sources["device.model"] != "" {
		t.Error("control characters became a model")
	}
	if !x.Set(fact.DeviceModel, "Slip\x00way\t 14", "s") || x.D.Device.Model.Or("") != "Slip way 14" {
		t.Errorf("%q", x.D.Device.Model.Or(""))
	}
	if long := draft.Known(strings.Repeat("x", 5000)); len(long.Or("")) > 1024 {
		t.Errorf("%d bytes", len(long.Or("")))
	}
}

func TestDisagree(t *testing.T) {
	x := begin(false)
	x.Disagree("firmware.secure_boot", inventory.Differ{Value: "on", Source: "a"},
		inventory.Differ{Value: "off", Source: "b"})
	r := fact.Read(x.D).Get(fact.SecureBoot)
	if r.Value.Known() || r.Gap.Cause != inventory.Disagree || len(r.Others()) != 2 ||
		r.Gap.Detail != "a says on, b says off" {
		t.Errorf("%+v", r)
	}
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
		if g := x.D.GapOf(name); g == nil || g.Cause != cause {
			t.Errorf("%s: %+v", name, g)
		}
	}
	if x.D.GapOf("processor.threads") != nil || x.D.GapOf("device.model_id") != nil {
		t.Error("a gap for what is known, or for what only Macs have")
	}
}

func table(p craft.PC) capture.Record {
	return capture.Record{Source: "tables", Outcome: capture.OK, Raw: capture.Bytes(p.Tables())}
}

func TestModules(t *testing.T) {
	modules := []craft.Module{
		{Slot: "A", MiB: 4096, Type: 0x18, Form: 9, Speed: 1600, Maker: "Fennick", Part: "F"}, {Slot: "B"},
		{Slot: "C", MiB: 2048, Type: 0x1E, Form: 0x0B},
	}
	whole := table(craft.PC{Maker: "Ostrel", Chassis: 3, Slots: 3, MaxGiB: 16, Modules: modules})
	x := begin(true)
	x.ReadTables(whole, whole.Raw, 0x0303)
	x.Modules()
	m := x.D.Memory
	if m.Installed.Or(0) != 6<<30 || m.Slots.Or(0) != 3 || m.SlotsUsed.Or(0) != 2 || m.Max.Or(0) != 16<<30 ||
		len(m.Modules) != 3 {
		t.Fatalf("%+v", m)
	}
	if a := m.Modules[0]; a.SpeedMTS.Or(0) != 1600 || a.Soldered.Or(true) || a.PartNumber.Or("") != "F" ||
		a.Type.Or("") != "DDR3" {
		t.Errorf("%+v", a)
	}
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
	if g := x.D.GapOf("memory.installed_bytes"); g == nil || g.Cause != inventory.ReadFailed ||
		len(x.D.Memory.Modules) != 2 || x.Tables.Info.System.Manufacturer != "Ostrel" {
		t.Errorf("%+v %+v", g, x.D.Memory)
	}
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
		x := begin(true)
		x.D.Device.Environment = draft.Some(tt.environment)
		x.TPMAnswered(tpm.Info{Manufacturer: tt.maker, Firmware: "1.2"},
			capture.Record{Source: "asked", Outcome: capture.OK})
		if x.D.TPM.Kind.Or("") != tt.kind || x.D.TPM.Manufacturer.Or("") != tt.maker || tt.kind == "" &&
			x.D.GapOf("tpm.kind") == nil {
			t.Errorf("%+v: %+v", tt, x.D.TPM)
		}
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
	if boot.ESP.Bytes.Or(0) != 260<<20 || len(boot.Partitions) != 3 || boot.Partitions[2].Kind.Or("") != "primary" ||
		x.D.GapOf("storage.boot.partitions") == nil {
		t.Errorf("%+v", boot)
	}
}

func TestOtherSystems(t *testing.T) {
	variable := func(name string) string { return "var:" + name }
	const here, gone = "71de0000-0000-4000-8000-000000000001", "71de0000-0000-4000-8000-000000000002"
	entries := func(x *draft.Draft, list ...string) {
		order := craft.U32(7)
		for i, e := range list {
			order += craft.U16(uint16(i))
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
			Raw:     capture.Bytes(craft.U32(6) + craft.U16(0)),
		})
	}
	x := begin(true)
	entries(x, craft.BootEntry("This one", `\EFI\this\a.efi`, here),
		craft.BootEntry("This one again", `\EFI\THIS\b.efi`, here),
		craft.BootEntry("Another", `\EFI\another\a.efi`, here), craft.BootEntry("Another", `\EFI\another\a.efi`, here),
		craft.BootEntry("Gone", `\EFI\gone\a.efi`, gone), craft.BootEntry("Fallback", `\EFI\BOOT\BOOTX64.EFI`, here),
		"junk")
	x.OtherSystems(variable, true, []string{here})
	if got := x.D.Storage.OtherSystems; len(got) != 1 || got[0] != "Another" ||
		!strings.Contains(x.D.GapOf("storage.other_systems").Detail, "Gone") {
		t.Errorf("%q %+v", got, x.D.Gaps)
	}
	if dir := x.CurrentLoader(variable); dir != `\efi\this` {
		t.Errorf("%q", dir)
	}
	// Without partition tables, rights would tell.
	x = begin(false)
	entries(x, craft.BootEntry("This one", `\EFI\this\a.efi`, here),
		craft.BootEntry("Another", `\EFI\another\a.efi`, here))
	x.OtherSystems(variable, true, nil)
	if g := x.D.GapOf("storage.other_systems"); g.Cause != inventory.NeedsRights || len(x.D.Storage.OtherSystems) != 0 {
		t.Errorf("%+v", g)
	}
	x = begin(false)
	x.OtherSystems(variable, false, nil)
	if g := x.D.GapOf("storage.other_systems"); g == nil || !strings.Contains(g.Detail, "without UEFI") {
		t.Errorf("%+v", g)
	}
}

func TestLive(t *testing.T) {
	x := begin(true)
	x.D.OS.Platform, x.D.OS.Name = draft.Some("linux"), draft.Some("Lodestar Linux 12")
	x.D.Storage.Disks = []inventory.Disk{{Name: draft.Some("sda"), System: draft.Some(true)}}
	x.D.Storage.System.FreeBytes = draft.Some(int64(5))
	x.Live("a test says so")
	if !x.D.OS.Name.IsZero() || x.D.OS.Platform.Or("") != "linux" || len(x.D.Storage.Disks) != 1 ||
		!x.D.Storage.Disks[0].System.IsZero() || !x.D.Storage.System.FreeBytes.IsZero() ||
		x.D.Device.Environment.Or("") != "live" {
		t.Errorf("%+v", x.D)
	}
}
