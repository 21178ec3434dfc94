package redact_test

import (
	"bytes"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/macos"
	"rolltop.example/rolltop/core/decode/registry"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/decode/windows"
	"rolltop.example/rolltop/internal/expect"
)

// The same serial number is the same hash, wherever a capture has it from.
func TestFirmwareTablesOfBothSystems(t *testing.T) {
	table := sample.PC{
		Firmware: "Plover Firmware",
		Maker:    "Ostrel",
		Product:  "Slipway 14",
		Serial:   "TW1234567",
		UUID:     "71de0000-0000-4000-8000-000000000007",
		Chassis:  10,
	}.Tables()
	linux := hidden("/sys/firmware/dmi/tables/DMI", table)
	win := hidden(windows.Firmware, "\x00\x03\x03\x00"+sample.U32(uint32(len(table)))+table)
	expect.Same(t, "win[8:]", win[8:], linux)
	expect.Same(t, "win[:4]", win[:4], "\x00\x03\x03\x00")
	expect.Lacks(t, win, "TW1234567")
	list, err := smbios.Walk([]byte(linux))
	in := smbios.Describe(list, 0x0303)
	expect.NoError(t, err)
	expect.Same(t, "in.System.Product", in.System.Product, "Slipway 14")
	expect.That(t, `in.System.Serial != ""`, in.System.Serial != "")
	expect.That(t, `in.System.Serial != "TW1234567"`, in.System.Serial != "TW1234567")
	expect.That(t, `in.System.UUID != "71de0000-0000-4000-8000-000000000007"`,
		in.System.UUID != "71de0000-0000-4000-8000-000000000007")
	if got := hidden(windows.Firmware, "\x00\x03"); got != "\x00\x03" {
		t.Errorf("%q", got)
	}
}

func TestComputerName(t *testing.T) {
	source := windows.View64.Value(windows.KeyName, "ComputerName")
	raw := string(registry.Encode(registry.Value{Type: registry.Text, Data: []byte(sample.Wide("GULL-014"))}))
	v, err := registry.Parse([]byte(hidden(source, raw)))
	name, ok := v.Text()
	expect.NoError(t, err)
	expect.That(t, "ok", ok)
	expect.Same(t, "len(name)", len(name), 16)
	expect.Lacks(t, name, "GULL")
	if other := windows.View64.Value(windows.KeyVersion, "ProductName"); hidden(other, raw) != raw {
		t.Error("another value was changed")
	}
	if got := hidden(source, "x"); got != "" {
		t.Errorf("what nobody understands was kept: %q", got)
	}
}

func TestBootEntriesOfWindows(t *testing.T) {
	raw := sample.BootEntry("Lodestar Linux", `\EFI\lodestar\loader.efi`, "71de0000-0000-4000-8000-000000000001")
	got, err := efi.LoadOption([]byte(hidden(windows.Variable("Boot0001"), raw)))
	expect.NoError(t, err)
	expect.Same(t, "got.Description", got.Description, "Lodestar Linux")
	expect.That(t, `got.Partition != "71de0000-0000-4000-8000-000000000001"`,
		got.Partition != "71de0000-0000-4000-8000-000000000001")
	order := sample.U32(7) + sample.U16(1)
	if hidden(windows.Variable("BootOrder"), order) != order {
		t.Error("the order names nobody")
	}
	// The partition of a layout and the one that an entry names stay the same.
	layout := sample.Put(48, map[int]string{0: sample.U32(1) + sample.U32(1)}) + sample.Put(144,
		map[int]string{
			0:  sample.U32(1),
			16: sample.U64(1 << 20),
			24: sample.U32(1),
			32: sample.GUID(sample.ESP),
			48: sample.GUID("71de0000-0000-4000-8000-000000000001"),
		})
	id := hidden(windows.Disk("0", windows.Layout), layout)[48+48:][:16]
	if !strings.Contains(hidden(windows.Variable("Boot0001"), raw), id) {
		t.Error("entry and layout no longer name the same partition")
	}
}

func TestHostNameOfAMac(t *testing.T) {
	if got := hidden(macos.Sysctl("kern.hostname"), "holm-m01\x00"); strings.Contains(got, "holm") || got == "" {
		t.Errorf("%q", got)
	}
	if got := hidden(macos.Sysctl("hw.model"), "Foldbook10,1\x00"); got != "Foldbook10,1\x00" {
		t.Errorf("%q", got)
	}
}

func TestDisplays(t *testing.T) {
	b := []byte(sample.Display{
		Name:           "Gannet 24",
		Width:          1920,
		Height:         1080,
		WideMM:         527,
		HighMM:         296,
		BitsPerChannel: 8,
	}.EDID())
	copy(b[12:16], "\x11\x22\x33\x44")
	copy(b[90:], "\x00\x00\x00\xFF\x00SERIAL-1234\n")
	sum := byte(0)
	for _, c := range b[:127] {
		sum += c
	}
	b[127] = -sum
	for _, source := range []string{"/sys/class/drm/card0-DP-1/edid", windows.Display("1", windows.EDID)} {
		got := []byte(hidden(source, string(b)+strings.Repeat("\xAA", 128)))
		in, err := edid.Decode(got)
		expect.NoError(t, err)
		expect.Same(t, source+": in.Name", in.Name, "Gannet 24")
		expect.Same(t, source+": in.Width", in.Width, 1920)
		expect.That(t, source+": the serial number is gone", !bytes.Contains(got, []byte("SERIAL")))
		expect.That(t, source+": the number of the display is gone", bytes.Equal(got[12:16], make([]byte, 4)))
		expect.Same(t, source+": len(got)", len(got), 128)
	}
	if got := hidden("/sys/class/drm/card0-DP-1/edid", "short"); got != "" {
		t.Errorf("%q", got)
	}
}
