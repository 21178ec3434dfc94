package decode_test

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/bootlog"
	"rolltop.example/rolltop/core/decode/cpu"
	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/health"
	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/core/decode/plist"
	"rolltop.example/rolltop/core/decode/registry"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/decode/windows"
	"rolltop.example/rolltop/internal/expect"
)

// edges are the values of a byte at which readers change their minds.
var edges = []byte{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 0x0A, 0x0F, 0x10, 0x12, 0x18, 0x1F, 0x20, 0x22, 0x40,
	0x7F, 0x80, 0xC0, 0xFE, 0xFF}

// sweeps are the readers of bytes, each with what it is swept over and what it makes of it.
var sweeps = []struct {
	name string
	seed func() [][]byte
	read func(b []byte) string
}{
	{"SMBIOS", structures, func(b []byte) string {
		list, err := smbios.Walk(b)
		in := smbios.Describe(list, 0x0306)
		older := smbios.Describe(list, 0x0204)
		hidden := smbios.Redact(bytes.Clone(b), crossed)
		return fmt.Sprintf("%+v %+v %v %x", in, older, err, hidden)
	}},
	{"TPM 2.0 answers", one(sample.TPM2Answer("CORV", 7, 2), sample.TPM2Answer("PLVR", 0xFFFF, 1)),
		func(b []byte) string { in, err := tpm.Reply2(b); return fmt.Sprintf("%+v %v", in, err) }},
	{"TPM 1.2 answers", one(sample.TPM12Answer("CORV", 7, 2)),
		func(b []byte) string { in, err := tpm.Reply12(b); return fmt.Sprintf("%+v %v", in, err) }},
	{"boot logs", bootLog, func(b []byte) string {
		l, err := bootlog.Parse(b)
		if err != nil {
			return err.Error()
		}
		registers, err := l.Replay(bootlog.SHA256)
		m := l.Measured(bootlog.SHA256)
		return fmt.Sprintf("%x %v %s %v %v %s %v %v", registers, err, m.SecureBoot, m.Keys, m.UEFI, m.Firmware,
			m.BootOrder, m.BootDisk)
	}},
	{"keys of a TPM", publics, func(b []byte) string {
		p, err := tpm.ReadPublic(b)
		if err != nil {
			return err.Error()
		}
		return fmt.Sprintf("%x %v %v", p.Name, p.Signs(), p.Protects())
	}},
	{"TPM tables", one(sample.TPM2Table(2), sample.TPM2Table(6), sample.TPM2Table(7), "TCPA"+sample.Zeros(46)),
		func(b []byte) string { in, err := tpm.Table(b); return fmt.Sprintf("%+v %v", in, err) }},
	{"screens", screens, func(b []byte) string {
		if len(b) == 128 {
			b[127] = 0
			for _, c := range b[:127] {
				b[127] -= c
			}
		}
		in, err := edid.Decode(b)
		return fmt.Sprintf("%+v %v %x", in, err, edid.Redact(bytes.Clone(b)))
	}},
	{"partition tables", one(sample.MBR([3]uint32{7, 2048, 4096}, [3]uint32{0x27, 8192, 100}, [3]uint32{5, 9000, 10}),
		sample.MBR([3]uint32{0xEE, 1, 0xFFFFFFFF})), func(b []byte) string {
		out := ""
		for _, sector := range []int{512, 4096} {
			table, err := partition.Decode(b, sector)
			out += fmt.Sprintf("%+v %v ", table, err)
		}
		return out
	}},
	{"boot entries", one(sample.BootEntry("Skerry", `\EFI\boot.efi`, "5b1e6f00-11aa-4c01-9d00-0000004410aa")),
		func(b []byte) string {
			o, err := efi.LoadOption(b)
			order, failed := efi.Order(b)
			hidden := efi.RedactEntry(bytes.Clone(b), crossed)
			return fmt.Sprintf("%+v %v %v %v %x", o, err, order, failed, hidden)
		}},
	{"registry values", registryValues, func(b []byte) string {
		v, err := registry.Parse(b)
		s, isText := v.Text()
		n, isNumber := v.Number()
		return fmt.Sprintf("%+v %v %q %v %d %v", v, err, s, isText, n, isNumber)
	}},
	{"processor leaves", leaves, func(b []byte) string { return fmt.Sprintf("%+v", cpu.Describe(cpu.Leaves(b))) }},
	{"disk layouts", one(string(bytes.Repeat([]byte{1, 0, 0, 0}, 60))), func(b []byte) string {
		hidden := windows.RedactLayout(bytes.Clone(b), crossed)
		return fmt.Sprintf("%x %x %d %x", windows.WithoutNames(bytes.Clone(b)), windows.WithoutSerial(bytes.Clone(b)),
			windows.ESPOf(b), hidden)
	}},
	{"property lists", one("bplist00\xd1\x01\x02Sab\x10\x07\x08\x0b\x0e\x00\x00\x00\x00\x00\x00\x01\x01" +
		"\x00\x00\x00\x00" +
		"\x00\x00\x00\x03\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x10"),
		func(b []byte) string { v, err := plist.Decode(b); return fmt.Sprintf("%v %v", v, err) }},
	{"quotes", quotes, func(b []byte) string {
		q, err := tpm.ReadQuote(b)
		if err != nil {
			return err.Error()
		}
		return fmt.Sprintf("%+v", *q)
	}},
	{"answers with a key", madeKeys, func(b []byte) string {
		handle, area, err := tpm.Created(b)
		return fmt.Sprintf("%x %x %v", handle, area, err)
	}},
	{"health logs", one(sample.NVMeHealth(1, 40)),
		func(b []byte) string { r, err := health.NVMe(b); return fmt.Sprintf("%+v %v", r, err) }},
	{"displays", one(sample.Display{Name: "Gannet 27", Width: 2560, Height: 1440, WideMM: 597, HighMM: 336, Tile: 1,
		BitsPerChannel: 10}.EDID()),
		func(b []byte) string { in, err := edid.Decode(b); return fmt.Sprintf("%+v %v", in, err) }},
}

// crossed hides a text.
func crossed(b []byte) []byte { return bytes.Repeat([]byte("x"), len(b)) }

func one(texts ...string) func() [][]byte {
	return func() [][]byte {
		var out [][]byte
		for _, s := range texts {
			out = append(out, []byte(s))
		}
		return out
	}
}

// structures are tables with one structure of each kind that is read, of every length, with drawn values.
func structures() [][]byte {
	r := rand.New(rand.NewPCG(30, 11))
	var out [][]byte
	for _, kind := range []byte{0, 1, 2, 3, 4, 7, 11, 13, 16, 17, 19, 39, 43} {
		for length := 4; length <= 92; length += 1 + length/24 {
			for range 6 {
				set := map[int]string{}
				for at := 4; at < length; at++ {
					if r.IntN(2) == 0 {
						set[at] = string([]byte{edges[r.IntN(len(edges))]})
					}
				}
				s := sample.Structure(kind, uint16(kind), length, set, "Ostrel", "Slipway", "1.2", "T4")
				out = append(out, []byte(s))
			}
		}
	}
	return out
}

func screens() [][]byte {
	r := rand.New(rand.NewPCG(30, 12))
	var out [][]byte
	for range 120 {
		b := make([]byte, 128)
		copy(b, "\x00\xFF\xFF\xFF\xFF\xFF\xFF\x00")
		for at := 8; at < 127; at++ {
			b[at] = edges[r.IntN(len(edges))]
		}
		out = append(out, b)
	}
	return out
}

func registryValues() [][]byte {
	var out [][]byte
	for kind := range uint32(12) {
		for _, data := range []string{
			"", "\x01", "a\x00b\x00\x00\x00", "\x01\x00\x00\x00", "\x01\x02\x03\x04\x05\x06\x07\x08",
		} {
			out = append(out, append(binary.LittleEndian.AppendUint32(nil, kind), data...))
		}
	}
	return out
}

// leaves are answers of processors with a single bit each, and some with drawn ones.
func leaves() [][]byte {
	r := rand.New(rand.NewPCG(30, 13))
	var out [][]byte
	for _, id := range [][2]uint32{{1, 0}, {7, 0}, {0x80000001, 0}, {0x80000007, 0}, {0x40000000, 0}} {
		for reg := range 4 {
			for bit := range 32 {
				var regs [4]uint32
				regs[reg] = 1 << bit
				out = append(out, leafOf(id, regs))
			}
		}
	}
	for range 60 {
		var all []byte
		for _, id := range [][2]uint32{{0, 0}, {1, 0}, {7, 0}, {0x80000000, 0}, {0x80000001, 0}} {
			all = append(all, leafOf(id, [4]uint32{r.Uint32(), r.Uint32(), r.Uint32(), r.Uint32()})...)
		}
		out = append(out, all)
	}
	return out
}

func leafOf(id [2]uint32, regs [4]uint32) []byte {
	b := binary.LittleEndian.AppendUint32(nil, id[0])
	b = binary.LittleEndian.AppendUint32(b, id[1])
	for _, v := range regs {
		b = binary.LittleEndian.AppendUint32(b, v)
	}
	return b
}

// What every reader of bytes makes of drawn inputs, of each of them cut, and of each with single bytes at the edges, is
// as recorded. The other tests say what is right; this one says that something changed.
func TestReadersOfBytesAreAsRecorded(t *testing.T) {
	var out strings.Builder
	for _, s := range sweeps {
		r := rand.New(rand.NewPCG(30, 14))
		seeds := s.seed()
		few := len(seeds) > 20
		for i, whole := range seeds {
			sum := fnv.New64a()
			sum.Write([]byte(s.read(bytes.Clone(whole))))
			for at := range whole {
				if few && r.IntN(8) > 0 {
					continue
				}
				sum.Write([]byte(s.read(bytes.Clone(whole[:at]))))
				for _, is := range edges {
					if few && r.IntN(4) > 0 {
						continue
					}
					b := bytes.Clone(whole)
					b[at] = is
					sum.Write([]byte(s.read(b)))
				}
			}
			fmt.Fprintf(&out, "%s %d: %016x\n", s.name, i, sum.Sum64())
		}
	}
	expect.Record(t, "testdata/sweeps.txt", out.String())
}

func bootLog() [][]byte {
	b, _ := sample.BootLog{SecureBoot: 1, Keys: 1, Version: "4.1", Entries: []string{"Skerry"},
		Disk: "5e1f0000-0000-4000-8000-000000000001"}.Write()
	return [][]byte{b}
}

func madeKeys() [][]byte {
	chip := &sample.Chip{Seed: "a"}
	return [][]byte{chip.Answer(tpm.Create(tpm.EndorsementCurve))}
}

func quotes() [][]byte {
	_, registers := sample.BootLog{SecureBoot: 1}.Write()
	chip := &sample.Chip{Seed: "a", Registers: registers}
	handle, _, err := tpm.Created(chip.Answer(tpm.Create(tpm.Signing)))
	if err != nil {
		panic("the made-up TPM makes no keys")
	}
	quote, _, err := tpm.Quoted(chip.Answer(tpm.Quoting(handle, []byte("a nonce"), bootlog.SHA256)))
	if err != nil {
		panic("the made-up TPM gives no quote")
	}
	return [][]byte{quote}
}

func publics() [][]byte {
	chip := &sample.Chip{Seed: "a"}
	_, endorsement, err1 := tpm.Created(chip.Answer(tpm.Create(tpm.EndorsementCurve)))
	_, signing, err2 := tpm.Created(chip.Answer(tpm.Create(tpm.Signing)))
	if err1 != nil || err2 != nil {
		panic("the made-up TPM makes no keys")
	}
	return [][]byte{endorsement, signing}
}
