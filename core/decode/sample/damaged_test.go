package sample_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/bootlog"
	"rolltop.example/rolltop/core/decode/cpu"
	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/health"
	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/internal/expect"
)

// reading is bytes, and what reads them.
type reading struct {
	raw  string
	read func([]byte) (string, error)
}

// as is a decoder as a reading has it.
func as[T any](decode func([]byte) (T, error)) func([]byte) (string, error) {
	return func(b []byte) (string, error) {
		v, err := decode(b)
		return fmt.Sprintf("%+v", v), err
	}
}

const bootID = "71de0000-0000-4000-8000-000000000001"

func key(b []byte) (string, error) {
	k, err := tpm.ReadPublic(b)
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%v %v %x", k.Signs(), k.Protects(), k.Name), nil
}

func tables(b []byte) (string, error) {
	list, err := smbios.Walk(b)
	return fmt.Sprintf("%+v %+v", smbios.Describe(list, 0x0303), smbios.Describe(list, 0x0205)), err
}

func table(sector int) func([]byte) (string, error) {
	return func(b []byte) (string, error) {
		v, err := partition.Decode(b, sector)
		return fmt.Sprintf("%+v", v), err
	}
}

func logged(b []byte) (string, error) {
	l, err := bootlog.Parse(b)
	if err != nil {
		return "", err
	}
	registers, err := l.Replay(0x0B)
	m := l.Measured(0x0B)
	return fmt.Sprintf("%x %v %+v", registers, err, m), nil
}

// readings are a sample of each structure.
func readings(t *testing.T) map[string]reading {
	t.Helper()
	pc := sample.PC{
		Firmware: "Plover Firmware", Version: "1.14", Date: "03/09/2021", UEFI: true, Password: true, TPM: true,
		Maker: "Ostrel", Product: "Slipway 14", Serial: "TW1", UUID: bootID, BoardMaker: "Ostrel", Board: "OS-14B",
		Chassis: 10, Processor: "Corvane K5-8250U", Slots: 2, MaxGiB: 32,
		Modules: []sample.Module{
			{Slot: "A", MiB: 8192, Type: 0x1A, Form: 0x0D, Speed: 2400, Maker: "Fennick"},
			{Slot: "B"},
		},
	}
	screen := sample.Display{Name: "Gannet 27", Width: 2560, Height: 1440, WideMM: 597, HighMM: 336, BitsPerChannel: 10}
	log, _ := sample.BootLog{SecureBoot: 1, Keys: 2}.Write()
	off, _ := sample.BootLog{}.Write()
	chip := &sample.Chip{Seed: "a"}
	handle, area, err := tpm.Created(chip.Answer(tpm.Create(tpm.Signing)))
	expect.NoError(t, err)
	endorsement := chip.Answer(tpm.Create(tpm.EndorsementCurve))
	_, protects, err := tpm.Created(endorsement)
	expect.NoError(t, err)
	quote, _, err := tpm.Quoted(chip.Answer(tpm.Quoting(handle, []byte("a nonce"), 0x0B)))
	expect.NoError(t, err)
	order := sample.U32(7) + sample.U16(3) + sample.U16(0x10)
	return map[string]reading{
		"a display":           {screen.EDID(), as(edid.Decode)},
		"the tables of a PC":  {pc.Tables(), tables},
		"a GPT of 512 bytes":  {sample.GPT(512, sample.NewPart(sample.ESP, bootID, 2048, 9999)), table(512)},
		"a GPT of 4096 bytes": {sample.GPT(4096, sample.NewPart(sample.ESP, bootID, 256, 9999)), table(4096)},
		"an MBR":              {sample.MBR([3]uint32{7, 2048, 9999}, [3]uint32{0x83, 12048, 999}), table(512)},
		"a boot entry":        {sample.BootEntry("Lodestar Linux", `\EFI\lodestar\a.efi`, bootID), as(efi.LoadOption)},
		"an order of entries": {order, as(efi.Order)},
		"a boot log":          {string(log), logged},
		"a boot log, all off": {string(off), logged},
		"a key that signs":    {string(area), key},
		"a key that protects": {string(protects), key},
		"a quote":             {string(quote), as(tpm.ReadQuote)},
		"what a TPM 2.0 says": {sample.TPM2Answer("PLVR", 7, 2), as(tpm.Reply2)},
		"what a TPM 1.2 says": {sample.TPM12Answer("PLVR", 1, 2), as(tpm.Reply12)},
		"the table of a TPM":  {sample.TPM2Table(7), as(tpm.Table)},
		"the health of NVMe":  {sample.NVMeHealth(1, 40), as(health.NVMe)},
		"a processor's leaves": {
			sample.CPU{Vendor: "CorvaneParts", Name: "Corvane K5 @ 1.60GHz", Family: 6, MHz: 1600}.Leaves(),
			func(b []byte) (string, error) { return fmt.Sprintf("%+v", cpu.Describe(cpu.Leaves(b))), nil },
		},
		"a made key": {string(endorsement), func(b []byte) (string, error) {
			handle, area, err := tpm.Created(b)
			return fmt.Sprintf("%x %x", handle, area), err
		}},
	}
}

// What decoders make of damaged structures is as recorded: a sum for each, and how often there was an error. The other
// tests say what is right.
func TestDamagedStructuresAreAsRecorded(t *testing.T) {
	all := readings(t)
	var out strings.Builder
	for _, name := range slices.Sorted(maps.Keys(all)) {
		r := all[name]
		fmt.Fprintf(&out, "%s: %s\n", name, expect.Damage([]byte(r.raw), r.read))
	}
	expect.Record(t, "testdata/damaged.txt", out.String())
}
