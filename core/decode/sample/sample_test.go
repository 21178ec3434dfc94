package sample_test

import (
	"testing"

	"rolltop.example/rolltop/core/decode/cpu"
	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/internal/expect"
)

const id = "71de0000-0000-4000-8000-000000000001"

// What is made here reads as it was meant, by decoders that have tests with
// bytes of their own.
func TestRoundTrips(t *testing.T) {
	for _, sector := range []int{512, 4096} {
		table, err := partition.Decode([]byte(sample.GPT(sector, sample.NewPart(sample.ESP, id, 256, 511))), sector)
		expect.NoError(t, err)
		expect.Same(t, "table.Style", table.Style, partition.GPT)
		expect.That(t, "!table.Damaged", !table.Damaged)
		expect.That(t, "!table.Hybrid", !table.Hybrid)
		expect.Same(t, "len(table.Parts)", len(table.Parts), 1)
		expect.Same(t, "table.Parts[0].ID", table.Parts[0].ID, id)
		expect.Same(t, "table.Parts[0].Bytes", table.Parts[0].Bytes, uint64(256*sector))
	}
	table, err := partition.Decode([]byte(sample.MBR([3]uint32{7, 2048, 1000}, [3]uint32{0x83, 4096, 1000})), 512)
	expect.NoError(t, err)
	expect.Same(t, "table.Style", table.Style, partition.MBR)
	expect.Same(t, "len(table.Parts)", len(table.Parts), 2)
	expect.That(t, "table.Parts[0].Active", table.Parts[0].Active)
	expect.That(t, "!table.Parts[1].Active", !table.Parts[1].Active)
	for _, d := range []sample.Display{{
		Name:           "Gannet 27",
		Width:          2560,
		Height:         1440,
		WideMM:         597,
		HighMM:         336,
		BitsPerChannel: 10,
	}, {Name: "Gannet 19", Width: 1280, Height: 1024, WideMM: 376, HighMM: 301, Before14: true}} {
		in, err := edid.Decode([]byte(d.EDID()))
		expect.NoError(t, err)
		expect.Same(t, "in.Name", in.Name, d.Name)
		expect.Same(t, "in.Width", in.Width, int64(d.Width))
		expect.Same(t, "in.Height", in.Height, int64(d.Height))
		expect.Same(t, "in.BitsPerChannel", in.BitsPerChannel, int64(d.BitsPerChannel))
	}
	if _, err := edid.Decode([]byte(sample.Display{Name: "x", Wrong: true}.EDID())); err == nil {
		t.Error("a wrong checksum was taken")
	}
	o, err := efi.LoadOption([]byte(sample.BootEntry("Skerry 11", `\EFI\skerry\start.efi`, id)))
	expect.NoError(t, err)
	expect.Same(t, "o.Partition", o.Partition, id)
	expect.Same(t, "o.File", o.File, `\EFI\skerry\start.efi`)
	expect.That(t, "o.Active", o.Active)
	in, err := tpm.Reply2([]byte(sample.TPM2Answer("PLVR", 7, 85)))
	expect.NoError(t, err)
	expect.Same(t, "in.Manufacturer", in.Manufacturer, "PLVR")
	expect.Same(t, "in.Firmware", in.Firmware, "7.85.0.0")
	expect.Same(t, "in.Version", in.Version, "2.0")
	processor := cpu.Describe(cpu.Leaves([]byte(sample.CPU{
		Vendor:     "TessalyCores",
		Name:       "Tessaly Onyx 5 3600",
		Family:     23,
		Model:      113,
		MHz:        3600,
		Hypervisor: "BoathouseHyp",
	}.Leaves())))
	expect.Same(t, "processor.Vendor", processor.Vendor, "TessalyCores")
	expect.Same(t, "processor.Name", processor.Name, "Tessaly Onyx 5 3600")
	expect.Same(t, "processor.Family", processor.Family, 23)
	expect.Same(t, "processor.Model", processor.Model, 113)
	expect.Same(t, "processor.RatedMHz", processor.RatedMHz, 3600)
	expect.That(t, "processor.LongMode", processor.LongMode)
	expect.Same(t, "processor.Hypervisor", processor.Hypervisor, "BoathouseHyp")
}
