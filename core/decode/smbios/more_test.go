package smbios_test

import (
	"testing"

	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/internal/expect"
)

func described(t *testing.T, table string) smbios.Info {
	t.Helper()
	list, err := smbios.Walk([]byte(table + sample.Structure(127, 127, 4, nil)))
	if err != nil {
		t.Fatal(err)
	}
	return smbios.Describe(list, 0x0303)
}

func TestTPMDevice(t *testing.T) {
	for name, tt := range map[string]struct {
		set  map[int]string
		want bool
	}{
		"there":                   {map[int]string{4: "PLVR\x02\x00"}, true},
		"marked as not supported": {map[int]string{4: "PLVR\x02\x00", 0x13: "\x04"}, false},
		"without a version":       {map[int]string{4: "PLVR"}, false},
	} {
		t.Run(name, func(t *testing.T) {
			if in := described(t, sample.Structure(43, 43, 31, tt.set)); in.TPM != tt.want {
				t.Errorf("%s: %v", name, in.TPM)
			}
		})
	}
	if described(t, sample.Structure(43, 43, 6, nil)).TPM {
		t.Error("a short entry names a TPM")
	}
}

// Two digits of a year mean 19xx, and before there were such tables nothing.
func TestDates(t *testing.T) {
	for in, want := range map[string]string{
		"03/09/2021": "2021-03-09",
		"07/22/98":   "1998-07-22",
		"01/02/80":   "1980-01-02",
		"01/02/79":   "",
		"02/11/13":   "",
		"2021-03-09": "",
		"3/9/2021":   "",
		"":           "",
	} {
		t.Run(in, func(t *testing.T) {
			firmware := sample.Structure(0, 0, 26, map[int]string{4: "\x01\x02", 8: "\x03"}, "Plover Firmware", "1", in)
			if got := described(t, firmware).Firmware.Date; got != want {
				t.Errorf("%q: %q, want %q", in, got, want)
			}
		})
	}
}

// A second description of the machine is junk behind a break.
func TestTheFirstCounts(t *testing.T) {
	one := sample.PC{
		Firmware: "Plover Firmware",
		Version:  "1",
		Maker:    "Ostrel",
		Product:  "Slipway 14",
		Serial:   "TW1",
		Chassis:  10,
	}.Tables()
	two := sample.Structure(0, 9, 26, map[int]string{4: "\x01\x02"}, "Other", "2") + sample.Structure(1, 9, 27,
		map[int]string{4: "\x01\x02\x00\x03"}, "Other", "Thing", "TW2")
	end := len(one) - len(sample.Structure(127, 127, 4, nil))
	in := described(t, one[:end]+two)
	expect.Same(t, "in.Firmware.Vendor", in.Firmware.Vendor, "Plover Firmware")
	expect.Same(t, "in.System.Product", in.System.Product, "Slipway 14")
	expect.Same(t, "in.System.Serial", in.System.Serial, "TW1")
}

func TestOneLetterIsFilled(t *testing.T) {
	for in, want := range map[string]string{
		"A":                      "A",
		"0":                      "",
		"00000000":               "",
		"....":                   "",
		"AA":                     "",
		"A1":                     "A1",
		" TW1 ":                  "TW1",
		"Default string":         "",
		"To Be Filled By O.E.M.": "",
		"7":                      "",
		"-":                      "",
	} {
		t.Run(in, func(t *testing.T) {
			if got := smbios.Filled(in); got != want {
				t.Errorf("%q: %q, want %q", in, got, want)
			}
		})
	}
}

// What is made by hand reads as it was meant.
func TestCraftedTables(t *testing.T) {
	in := described(t, sample.PC{
		Firmware:    "Plover Firmware",
		UEFI:        true,
		Virtual:     true,
		Password:    true,
		Maker:       "Ostrel",
		Product:     "Bollard 300",
		UUID:        "71de0000-0000-4000-8000-000000000007",
		AssetTag:    "A-17",
		BoardMaker:  "Ostrel",
		Board:       "OB-300",
		BoardSerial: "OB1",
		Chassis:     0x83,
		Processor:   "Corvane K5-8400",
		Slots:       4,
		MaxGiB:      64,
		Modules:     []sample.Module{{Slot: "A", MiB: 65536, Type: 0x1A, Form: 9}, {Slot: "B"}},
	}.Tables())
	expect.That(t, "in.Firmware.UEFI", in.Firmware.UEFI)
	expect.That(t, "in.Firmware.Virtual", in.Firmware.Virtual)
	expect.Same(t, "in.Password", in.Password, "set")
	expect.Same(t, "in.System.UUID", in.System.UUID, "71de0000-0000-4000-8000-000000000007")
	expect.Same(t, "in.AssetTag", in.AssetTag, "A-17")
	expect.Same(t, "in.Board.Serial", in.Board.Serial, "OB1")
	expect.Same(t, "in.Form", in.Form, "desktop")
	expect.Same(t, "in.Processor.Name", in.Processor.Name, "Corvane K5-8400")
	expect.Same(t, "in.Installed", in.Installed, 64<<30)
	expect.Same(t, "in.Slots", in.Slots, 4)
	expect.Same(t, "in.Used", in.Used, 1)
	expect.Same(t, "in.Max", in.Max, 64<<30)
}
