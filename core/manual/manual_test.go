package manual_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/internal/expect"
)

func machine() *inventory.Document {
	d := &inventory.Document{Format: inventory.Format, TakenAt: time.Date(2026, 11, 22, 8, 0, 0, 0, time.UTC)}
	d.OS.Platform = inventory.Some("windows")
	d.Memory.Visible = inventory.Some(int64(7 << 30))
	d.Storage.System.VolumeBytes = inventory.Some(int64(100e9))
	d.Graphics = []inventory.Adapter{{Name: inventory.Some("Built-in graphics")}}
	d.AddGap("memory.installed_bytes", inventory.NeedsRights, "", "")
	d.AddGap("tpm", inventory.NeedsRights, "", "")
	return d
}

func entered(name, value string) manual.Fact {
	return manual.Fact{
		Fact:  name,
		Value: value,
		By:    "harbour office",
		At:    time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC),
		Note:  "board manual",
	}
}

func TestItFillsGaps(t *testing.T) {
	d := machine()
	got, left := manual.Enter(d,
		[]manual.Fact{
			entered("memory.installed_bytes", "16 GiB"), entered("tpm.state", "ready"),
			entered("processor.built_in_tpm", "true"), entered("graphics[0].interface_level", "12.0"),
			entered("processor.features", "avx2 nx"),
		})
	if left != nil {
		t.Fatal(left)
	}
	f := fact.Read(got)
	if r := f.Get(fact.MemoryInstalled); r.Value.Float() != 16<<30 ||
		r.Source != "entered by hand by harbour office on 2026-11-23 (board manual)" {
		t.Errorf("%+v", r)
	}
	expect.That(t, `f.Is(fact.TPMState, "ready")`, f.Is(fact.TPMState, "ready"))
	expect.That(t, "f.Value(fact.ProcessorTPM).Bool()", f.Value(fact.ProcessorTPM).Bool())
	expect.Same(t, "f.Row(fact.Adapters, 0).Value(fact.AdapterLevel).Text()",
		f.Row(fact.Adapters, 0).Value(fact.AdapterLevel).Text(), "12.0")
	expect.That(t, `f.Value(fact.ProcessorFeatures).Has("nx")`, f.Value(fact.ProcessorFeatures).Has("nx"))
	if f.Value(fact.TPMVersion).Known() || got.GapOf("memory.installed_bytes") != nil {
		t.Error("a gap beside it closed, or the one did not")
	}
	if _, ok := d.Memory.Installed.Get(); ok || len(d.Gaps) != 2 {
		t.Error("the inventory itself was changed")
	}
}

// A difference is never silent: both readings stay.
func TestItNeverOverrides(t *testing.T) {
	d := machine()
	d.Memory.Installed = inventory.Some(int64(8 << 30))
	d.Sources = map[string]string{"memory.installed_bytes": "firmware tables"}
	d.DropGap("memory.installed_bytes")
	got, left := manual.Enter(d, []manual.Fact{entered("memory.installed_bytes", "16 GiB")})
	r := fact.Read(got).Get(fact.MemoryInstalled)
	expect.That(t, "left == nil", left == nil)
	expect.That(t, "!r.Value.Known()", !r.Value.Known())
	expect.Same(t, "len(r.Others())", len(r.Others()), 2)
	expect.Same(t, "r.Gap.Cause", r.Gap.Cause, inventory.Disagree)
	expect.Same(t, "r.Others()[0].Source", r.Others()[0].Source, "firmware tables")
	expect.Same(t, "r.Others()[1].Value.Float()", r.Others()[1].Value.Float(), 16<<30)
	same, left := manual.Enter(d, []manual.Fact{entered("memory.installed_bytes", "8 GiB")})
	r = fact.Read(same).Get(fact.MemoryInstalled)
	expect.That(t, "left == nil", left == nil)
	expect.Same(t, "r.Value.Float()", r.Value.Float(), 8<<30)
	expect.Same(t, "r.Source", r.Source, "firmware tables")
	// Of sources that disagree, a person settles which is right.
	settled, left := manual.Enter(got, []manual.Fact{entered("memory.installed_bytes", "8 GiB")})
	if r := fact.Read(settled).Get(fact.MemoryInstalled); left != nil || r.Value.Float() != 8<<30 {
		t.Errorf("%v %+v", left, r)
	}
	third, _ := manual.Enter(got, []manual.Fact{entered("memory.installed_bytes", "4 GiB")})
	if r := fact.Read(third).Get(fact.MemoryInstalled); r.Value.Known() || len(r.Others()) != 3 {
		t.Errorf("a third reading: %+v", r)
	}
	row, _ := manual.Enter(d, []manual.Fact{entered("graphics[0].name", "Another")})
	if r := fact.Read(row).Row(fact.Adapters, 0).Get(fact.AdapterName); r.Value.Known() || len(r.Others()) != 2 {
		t.Errorf("a row: %+v", r)
	}
}

func TestBadFacts(t *testing.T) {
	for _, tt := range []struct{ name, value, want string }{
		{"memory.instaled_bytes", "8 GiB", `did you mean "memory.installed_bytes"?`},
		{"memory.installed_bytes", "8 GB", "memory is written with MiB, GiB or TiB"},
		{"tpm.state", "redy", `did you mean "ready"?`},
		{"memory.free_slots", "2", "is derived from other facts"},
		{"graphics.interface_level", "12.0", "give the position: graphics[0].interface_level"},
		{"graphics[x].interface_level", "12.0", "positions count from 0"},
		{"graphics[7e5a:0c2].interface_level", "12.0", "as in graphics[7e5a:0c21].interface_level"},
		{"displays[7e5a:0c21].name", "Wall 27", "positions count from 0"},
		{"graphics[7e5a:0c21].interface_lvel", "12.0", `did you mean "graphics.interface_level"?`},
		{"graphics[7e5a:0c21].ids", "7e5a:0c21", "the bus tells it"},
		{"graphics]0[.interface_level", "12.0", "is not the name of a fact"},
		{"tpm[0].state", "ready", "is not in a list"},
		{"backup.last_at", "last week", `"last week" is not a day; write it as 2026-11-22`},
		{"backup.last_at", "2726-11-18", `"2726-11-18" is not a day; write it as 2026-11-22`},
		{"storage.system.encryption.paused_since", "soon", `"soon" is not a day; write it as 2026-11-22`},
		{"processor.cores", "99999999", "out of range"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			f := entered(tt.name, tt.value)
			if err := f.Check(); err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Errorf("%s=%s: got %v, want %s", tt.name, tt.value, err, tt.want)
			}
		})
	}
	if f := entered("device.warranty_until", "next year"); f.Check() == nil ||
		!strings.Contains(f.Check().Error(), "write it as 2027-05-31") {
		t.Errorf("a warranty until next year: %v", f.Check())
	}
	// A fact that suits no place of this inventory is left out, and said.
	got, left := manual.Enter(machine(),
		[]manual.Fact{
			entered("graphics[3].interface_level", "12.0"), entered("storage.system.free_bytes", "200 GB"),
			entered("tpm.state", "off"),
		})
	expect.Same(t, "len(left)", len(left), 2)
	expect.Contains(t, left[0].Error(), "lists 1 of them; position 3 does not exist")
	expect.Contains(t, left[1].Error(), "more space is free than the volume has")
	expect.That(t, `fact.Read(got).Is(fact.TPMState, "off")`, fact.Read(got).Is(fact.TPMState, "off"))
}

// Every fact that is not worked out has a place in the inventory.
func TestEveryFactCanBeEntered(t *testing.T) {
	values := map[fact.Kind]string{
		fact.Number:  "",
		fact.Text:    "x",
		fact.Bool:    "true",
		fact.Version: "1.2",
		fact.Set:     "a b",
	}
	units := map[fact.Unit]string{
		fact.NoUnit:  "2",
		fact.Binary:  "2 GiB",
		fact.Drive:   "2 GB",
		fact.Space:   "2 GB",
		fact.MHz:     "2 GHz",
		fact.Inches:  "2 in",
		fact.Percent: "2 %",
		fact.Bits:    "64 bit",
	}
	n := 0
	for _, def := range fact.All() {
		if def.Derived {
			continue
		}
		value := values[def.Kind]
		if def.Kind == fact.Number {
			value = units[def.Unit]
		}
		for w := range def.Words {
			value = w
		}
		if def.ID == fact.DeviceModelYear {
			value = "2019"
		}
		if slices.Contains([]fact.ID{fact.DeviceWarranty, fact.EncryptionPausedAt, fact.BackupAt}, def.ID) {
			value = "2027-05-31"
		}
		f := entered(def.Name, value)
		if err := f.Check(); err != nil {
			t.Errorf("%s=%s: %v", def.Name, value, err)
		}
		n++
	}
	if n < 60 {
		t.Errorf("only %d facts", n)
	}
}

// An adapter is picked by what it is, wherever it stands: on every machine that has it, and on no other.
func TestAFactOfAnAdapterByItsIDs(t *testing.T) {
	const level = "graphics[7E5A:0c21].interface_level"
	with := func(ids ...string) *inventory.Document {
		d := machine()
		d.Graphics = nil
		for _, one := range ids {
			vendor, device, _ := strings.Cut(one, ":")
			d.Graphics = append(d.Graphics,
				inventory.Adapter{VendorID: inventory.Some(vendor), DeviceID: inventory.Some(device)})
		}
		return d
	}
	levels := func(d *inventory.Document) (out []string) {
		for i := range d.Graphics {
			out = append(out, d.Graphics[i].InterfaceLevel.Or("?"))
		}
		return out
	}
	told := with("7e5a:0c21")
	told.Graphics[0].InterfaceLevel = inventory.Some("11.1")
	byHand := entered("graphics[1].interface_level", "11.0")
	for _, tt := range []struct {
		name string
		d    *inventory.Document
		own  []manual.Fact
		want string
	}{
		{"the second of two", with("7e5a:0c22", "7E5A:0C21"), nil, "? 12.1"},
		{"two of the same", with("7e5a:0c21", "7e5a:0c21"), nil, "12.1 12.1"},
		{"another adapter", with("7e5a:0c22"), nil, "?"},
		{"one without ids", with(":"), nil, "?"},
		{"one that tells it", told, nil, "11.1"},
		{"one of which a person entered it", with("7e5a:0c21", "7e5a:0c21"), []manual.Fact{byHand}, "12.1 ?"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got := manual.Fill(tt.d, []manual.Fact{entered(level, "12.1")}, tt.own)
			expect.Same(t, "levels", strings.Join(levels(got), " "), tt.want)
		})
	}
	expect.Same(t, "its name is kept", manual.Canonical(level), "graphics[7e5a:0c21].interface_level")
	expect.Same(t, "another name is kept", manual.Canonical("displays[0].Name"), "displays[0].Name")
	got, left := manual.Enter(with("7e5a:0c21", "7e5a:0c21"), []manual.Fact{entered(level, "12.1")})
	expect.Same(t, "levels", fmt.Sprint(levels(got), left), "[12.1 12.1] []")
	r := fact.Read(got).Row(fact.Adapters, 1).Get(fact.AdapterLevel)
	expect.Contains(t, r.Source, "entered by hand by harbour office")
	_, left = manual.Enter(with("7e5a:0c22"), []manual.Fact{entered(level, "12.1")})
	expect.Contains(t, fmt.Sprint(left), "no graphics adapter of the inventory has the ids 7e5a:0c21")
}
