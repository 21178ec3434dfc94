package recorded_test

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/standin/recorded"
	"rolltop.example/rolltop/internal/standin/recorded/machines"
)

func decoded(t *testing.T, name string) *inventory.Document {
	t.Helper()
	c, err := recorded.Read(name)
	if err != nil {
		t.Fatal(err)
	}
	d, err := collect.Inventory(c)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// The files are what the descriptions make.
func TestCapturesAreFresh(t *testing.T) {
	all, err := machines.Make()
	if err != nil {
		t.Fatal(err)
	}
	names := recorded.Names()
	if len(all) != len(names) {
		t.Errorf("%d machines are described, %d files are there; run make generate", len(all), len(names))
	}
	for file, want := range all {
		got, err := recorded.Source(strings.TrimSuffix(file, ".json"))
		if err != nil || string(got) != string(want) {
			t.Errorf("%s is not what its description makes (%v); run make generate", file, err)
		}
	}
}

// want are facts as they are to be read: the value, or ? and the cause of the
// gap. They were written by hand from the machines' descriptions.
var want = map[string]map[string]string{
	"LANT-101": {"device.name": "LANT-101", "device.serial": "TW4410117", "device.uuid": "5b1e6f00-11aa-4c01-9d00-0000004410aa", "device.form": "laptop", "device.board.model": "OS-14B",
		"os.version": "11.2.4104", "os.build": "4104.18", "os.architecture": "x86-64", "os.pending_restart": "false", "processor.name": "Corvane K5-11350U", "processor.cores": "4", "processor.threads": "8",
		"processor.rated_mhz": "2400", "memory.installed_bytes": "17179869184", "memory.slots": "2", "memory.slots_used": "2", "storage.system.disk_bytes": "512110190592", "storage.system.kind": "ssd",
		"storage.system.partition_style": "gpt", "storage.system.free_bytes": "143000000000", "storage.system.encryption.state": "on", "storage.boot.esp.loader": "true", "firmware.boot_mode": "uefi", "firmware.uefi_bits": "64",
		"firmware.secure_boot": "on", "firmware.secure_boot_capable": "true", "tpm.state": "ready", "tpm.version": "2.0", "tpm.manufacturer": "CORV", "tpm.firmware": "7.2.0.0", "power.source": "battery", "power.battery_percent": "72", "security.vbs": "running"},
	"GULL-101": {"firmware.boot_mode": "legacy", "firmware.uefi_capable": "true", "firmware.secure_boot": "inactive", "firmware.secure_boot_capable": "? not-offered", "storage.system.partition_style": "mbr",
		"storage.system.encryption.state": "? needs-rights", "tpm.state": "ready", "tpm.version": "1.2", "tpm.firmware": "4.32", "os.managed_by": "a directory, an update server", "os.held_at": "11.2", "os.account": "directory",
		"os.pending_restart": "true", "memory.free_slots": "2", "processor.rated_mhz": "2800"},
	"NSLIP-101": {"storage.boot.disk": "disk 0", "storage.system.disk_bytes": "256060514304", "storage.system.kind": "ssd", "memory.installed_bytes": "12884901888", "firmware.secure_boot": "off", "firmware.secure_boot_capable": "true",
		"firmware.password": "set", "storage.system.encryption.state": "off", "processor.family": "23", "processor.model": "113"},
	"CORB-101": {"firmware.secure_boot": "setup", "tpm.state": "? read-failed", "tpm.version": "? not-offered", "storage.system.kind": "? not-offered", "storage.system.disk_bytes": "240057409536", "device.form": "desktop"},
	"HOLM-101": {"os.architecture": "x86", "processor.architecture": "x86-64", "firmware.uefi_bits": "32", "storage.system.kind": "emmc", "memory.soldered": "true", "memory.installed_bytes": "2147483648", "device.serial": "? not-offered",
		"device.uuid": "? not-offered", "storage.boot.esp.loader": "? needs-rights", "storage.other_systems": "? needs-rights", "device.form": "tablet"},
	"NSLIP-102": {"device.environment": "guest", "device.hypervisor": "BoathouseHyp", "device.form": "virtual", "tpm.kind": "virtual", "storage.system.kind": "virtual", "tpm.state": "ready"},
	"NARR-101": {"os.architecture": "arm64", "processor.architecture": "arm64", "processor.name": "Tessaly Strand 2", "processor.vendor": "Tessaly", "processor.features": "? not-offered", "tpm.kind": "firmware",
		"os.managed_by": "device management", "storage.system.encryption.state": "on"},
	"EELG-101": {"firmware.secure_boot": "? disagree", "tpm.state": "not-ready", "storage.system.disk_bytes": "? not-offered", "storage.boot.dynamic": "true", "storage.boot.esp.loader": "false", "memory.slots": "? read-failed",
		"memory.installed_bytes": "68719476736", "storage.system.encryption.state": "? not-offered", "device.serial": "TW9910300"},
	"SANDP-101": {"os.build": "? disagree", "os.pending_restart": "? not-offered", "firmware.boot_mode": "legacy", "firmware.uefi_capable": "? not-offered", "tpm.state": "? read-failed", "processor.features": "pae, sse2, sse3, cmpxchg16b, lahf, nx",
		"storage.system.kind": "hdd", "device.uuid": "? not-offered", "firmware.date": "? not-offered", "security.vbs": "? not-offered"},
}

func TestRecordedMachines(t *testing.T) {
	if got, have := slices.Sorted(maps.Keys(want)), recorded.Names(); !slices.Equal(got, slices.Sorted(slices.Values(have))) {
		t.Errorf("expected are %v, there are %v", got, have)
	}
	for _, name := range recorded.Names() {
		d := decoded(t, name)
		f := fact.Read(d)
		for fn, w := range want[name] {
			def := fact.ByName(fn)
			if def == nil {
				t.Fatalf("there is no fact %s", fn)
			}
			r := f.Get(def.ID)
			got := r.Value.Plain()
			if !r.Value.Known() {
				got = "? " + r.Gap.Cause
			}
			if got != w {
				t.Errorf("%s: %s is %q, want %q (%s)", name, fn, got, w, r.Source)
			}
		}
	}
}

// Nothing is silently missing, every value says where it is from, and the
// inventory is a document that can be read.
func TestRecordedMachinesAreWhole(t *testing.T) {
	for _, name := range recorded.Names() {
		d := decoded(t, name)
		b, err := json.Marshal(d)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := inventory.Read(name, b); err != nil {
			t.Errorf("%s: its own inventory is refused: %v", name, err)
		}
		f := fact.Read(d)
		for _, def := range fact.All() {
			r := f.Get(def.ID)
			switch {
			case def.Derived || !def.Has(f.Class()):
			case r.Value.Known() && r.Source == "":
				t.Errorf("%s: %s has no source", name, def.Name)
			case !r.Value.Known() && d.GapOf(def.Name) == nil:
				t.Errorf("%s: %s is silently missing", name, def.Name)
			}
		}
	}
}

func TestListsOfRecordedMachines(t *testing.T) {
	d := decoded(t, "LANT-101")
	if got := d.Storage.OtherSystems; !slices.Equal(got, []string{"Lodestar Linux"}) {
		t.Errorf("other systems: %q", got)
	}
	if g := d.GapOf("storage.other_systems"); g == nil || !strings.Contains(g.Detail, "Older Lodestar") {
		t.Errorf("%+v", g)
	}
	var titles []string
	for _, s := range d.Software {
		titles = append(titles, s.Name+" "+s.Version.Or("?")+" "+s.Architecture.Or("-"))
	}
	if !slices.Equal(titles, []string{"Tidebook 4 4.1.2 -", "Hawser VPN 2.8 -", "Counterfoil 7.0 x86"}) {
		t.Errorf("software: %q", titles)
	}
	if g := d.GapOf("software"); g == nil || g.Cause != inventory.NotAsked {
		t.Errorf("a list of titles asked for is complete: %+v", g)
	}
	if len(d.Displays) != 2 || !d.Displays[0].Internal.Or(false) || d.Displays[1].WidthPx.Or(0) != 2560 || d.Displays[1].DiagonalInches.Or(0) < 26.9 || d.Displays[1].BitsPerChannel.Or(0) != 10 {
		t.Errorf("displays: %+v", d.Displays)
	}
	if g := d.Graphics; len(g) != 1 || g[0].DriverModel.Or("") != "2.7" || g[0].InterfaceLevel.Or("") != "12.1" || g[0].DriverDate.Or("") != "2025-04-21" {
		t.Errorf("graphics: %+v", g)
	}
	// Two adapters: the level of one of them is nobody's.
	d = decoded(t, "EELG-101")
	if len(d.Graphics) != 2 || !d.Graphics[0].InterfaceLevel.IsZero() || d.GapOf("graphics[1].interface_level") == nil {
		t.Errorf("graphics: %+v", d.Graphics)
	}
	if m := d.Storage.System.Members; len(m) != 2 || m[1].Bytes.Or(0) != 500107862016 {
		t.Errorf("members: %+v", m)
	}
	// A device without a driver is named.
	found := false
	for _, drv := range decoded(t, "NSLIP-101").Drivers {
		found = found || drv.Device == "Card reader" && drv.Status.Or("") == "no driver"
	}
	if !found {
		t.Error("the card reader without a driver is not named")
	}
}
