package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

// Every file can be read, expects facts that exist, and configures something
// that could be read wrong.
func TestMachines(t *testing.T) {
	files, err := filepath.Glob("machines/*.yaml")
	if err != nil || len(files) < 16 {
		t.Fatalf("%d machines, %v", len(files), err)
	}
	for _, path := range files {
		m, err := readMachine(path)
		if err != nil {
			t.Error(err)
			continue
		}
		if m.About == "" || len(m.Expect)+len(m.Listed) == 0 {
			t.Errorf("%s says or expects nothing", path)
		}
		for name := range m.Expect {
			if fact.ByName(name) == nil {
				t.Errorf("%s expects %s, which is not a fact", path, name)
			}
		}
		if m.Same != "" {
			if _, err := readMachine("machines/" + m.Same + ".yaml"); err != nil {
				t.Error(err)
			}
		}
	}
}

// A wrong reading is told, with fact, expected, read and source.
func TestCompare(t *testing.T) {
	d := &inventory.Document{}
	d.Firmware.BootMode = inventory.Some("legacy")
	d.Said("firmware.boot_mode", "the kernel")
	d.Processor.Features = []string{"sse2", "nx"}
	d.AddGap("tpm", inventory.NeedsRights, "x", "")
	d.Storage.Disks = []inventory.Disk{{Name: inventory.Some("sda"), Bytes: inventory.Some(int64(5))}}
	right := &Machine{Expect: map[string]string{
		"firmware.boot_mode": "legacy",
		"tpm.state":          "? needs-rights",
		"processor.features": "has nx sse2",
		"tpm.version":        "? needs-rights",
	}, Listed: []string{"sda ? ? 5 ?"}}
	r := compare(right, d)
	expect.Same(t, "r.compared", r.compared, 5)
	expect.Same(t, "r.right", r.right, 5)
	expect.Same(t, "len(r.wrong)", len(r.wrong), 0)
	for name, want := range map[string]string{
		"firmware.boot_mode": "uefi",
		"tpm.state":          "? not-offered",
		"processor.features": "lacks nx",
		"tpm.version":        "known",
		"device.name":        "x",
		"no.fact":            "1",
	} {
		t.Run(name, func(t *testing.T) {
			r := compare(&Machine{Expect: map[string]string{name: want}}, d)
			if r.right == r.compared || len(r.wrong) == 0 {
				t.Errorf("%s as %s was not found wrong", name, want)
			}
			const says = "firmware.boot_mode: expected uefi, read legacy (the kernel)"
			if name == "firmware.boot_mode" && r.wrong[0] != says {
				t.Error(r.wrong[0])
			}
		})
	}
	if r := compare(&Machine{Listed: []string{"sdb"}}, d); len(r.wrong) != 1 {
		t.Errorf("%+v", r)
	}
}

// The same machine as before is the same by serial number and UUID.
func TestJudge(t *testing.T) {
	of := func(serial, uuid string) *result {
		d := &inventory.Document{}
		d.Device.Serial, d.Device.UUID = inventory.Some(serial), inventory.Some(uuid)
		return &result{inventory: d}
	}
	for _, tt := range []struct {
		serial string
		wrong  int
	}{{"TW1", 0}, {"TW2", 1}} {
		t.Run(tt.serial, func(t *testing.T) {
			r := of(tt.serial, "u")
			if err := judge(&Machine{Same: "before"}, r, map[string]*result{"before": of("TW1", "u")}); err != nil ||
				len(r.wrong) != tt.wrong {
				t.Errorf("%s: %v %v", tt.serial, r.wrong, err)
			}
		})
	}
}

func TestTables(t *testing.T) {
	m := Machine{Slots: 3, Memory: []Module{
		{Slot: "A", MiB: 65536, Type: 26}, {Slot: "B", Raw: 0xFFFF, Type: 2}, {Slot: "C"},
	}}
	list, err := smbios.Walk([]byte(strings.Join(m.tables(), "") + "\x7F\x04\x00\x00\x00\x00"))
	if err != nil {
		t.Fatal(err)
	}
	in := smbios.Describe(list, 0x0303)
	expect.Same(t, "in.Slots", in.Slots, 3)
	expect.Same(t, "in.Used", in.Used, 2)
	expect.That(t, "in.SizeUnknown", in.SizeUnknown)
	expect.Same(t, "in.Modules[0].Bytes", in.Modules[0].Bytes, 64<<30)
	if (&Machine{}).tables() != nil {
		t.Error("without modules the emulator's own tables stand")
	}
}

func TestRegFile(t *testing.T) {
	got := regFile([]entry{
		{Key: `Software\A`, Name: "n", Text: `c:\x`}, {View: 32, Key: `Software\B`, Name: "d", Number: 17},
		{Key: `System\C`, Name: "l", Texts: "ab"},
	})
	for _, want := range []string{
		"[HKEY_LOCAL_MACHINE\\Software\\A]\r\n\"n\"=\"c:\\\\x\"",
		"[HKEY_LOCAL_MACHINE\\Software\\Wow6432Node\\B]\r\n\"d\"=dword:00000011", "\"l\"=hex(7):61,62,00,00",
	} {
		if !strings.Contains(got, want) {
			t.Errorf("%q is not in\n%s", want, got)
		}
	}
}

// Every registry can be read, and expects facts that exist.
func TestRegistries(t *testing.T) {
	files, err := filepath.Glob("windows/*.yaml")
	expect.NoError(t, err)
	expect.That(t, "there are some", len(files) > 2)
	for _, path := range files {
		t.Run(path, func(t *testing.T) {
			src, err := os.ReadFile(path)
			expect.NoError(t, err)
			var m emulated
			expect.NoError(t, doc.Decode(path, src, &m))
			expect.That(t, "it has values", m.Structures || len(m.Registry) > 1)
			for name := range m.Expect {
				if fact.ByName(name) == nil {
					t.Errorf("%s is not a fact", name)
				}
			}
		})
	}
}

func TestDevices(t *testing.T) {
	for want, d := range map[string]Drive{"/dev/nvme1n1p2": {Bus: "nvme"}, "/dev/vdb2": {Bus: "virtio"}} {
		t.Run(want, func(t *testing.T) {
			if got := d.device(1, 2); got != want {
				t.Errorf("%s, want %s", got, want)
			}
		})
	}
}
