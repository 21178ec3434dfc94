package bootlog_test

import (
	"bytes"
	"encoding/hex"
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/bootlog"
	"rolltop.example/rolltop/core/decode/sample"
)

var made = sample.BootLog{
	SecureBoot: 1,
	Keys:       3,
	Version:    "Plover 4.1",
	Entries:    []string{"Skerry Boot"},
	Disk:       "5e1f0000-0000-4000-8000-000000000001",
}

func TestReplay(t *testing.T) {
	text, registers := made.Write()
	l, err := bootlog.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	got, err := l.Replay(bootlog.SHA256)
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range registers {
		if !bytes.Equal(got[i], want) {
			t.Errorf("register %d is %x, and the TPM has %x", i, got[i], want)
		}
	}
	if zero := make([]byte, 32); !bytes.Equal(got[8], zero) || bytes.Equal(got[17], zero) {
		t.Errorf("registers that nothing was measured into: 8 is %x, 17 is %x", got[8], got[17])
	}
	if _, err := l.Replay(bootlog.SHA384); err == nil || !strings.Contains(err.Error(), "no digests") {
		t.Errorf("digests that the log has not: %v", err)
	}
}

// Worked out by hand: SHA-256 of 32 zeros and of the digest of four zeros.
func TestReplayOfOneEvent(t *testing.T) {
	const want = "3d458cfe55cc03ea1f443f1562beec8df51c75e14a9fcf9a7234a13f198e7969"
	text, _ := sample.BootLog{}.Write()
	l, err := bootlog.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	got, err := l.Replay(bootlog.SHA256)
	if err != nil {
		t.Fatal(err)
	}
	if s := hex.EncodeToString(got[2]); s != want {
		t.Errorf("register 2 is %s; want %s", s, want)
	}
}

// The TPM was started at another locality: register 0 begins with it.
func TestLocality(t *testing.T) {
	text, _ := made.Write()
	event := sample.U32(0) + sample.U32(bootlog.NoAction) + sample.U32(2) + sample.U16(4) + sample.Zeros(20) +
		sample.U16(11) + sample.Zeros(32) + sample.U32(17) + "StartupLocality\x00\x03"
	l, err := bootlog.Parse(append(text, event...))
	if err != nil {
		t.Fatal(err)
	}
	if l.Locality != 3 {
		t.Errorf("locality %d", l.Locality)
	}
	plain, err := bootlog.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	a, _ := l.Replay(bootlog.SHA256)
	b, _ := plain.Replay(bootlog.SHA256)
	if bytes.Equal(a[0], b[0]) || !bytes.Equal(a[7], b[7]) {
		t.Error("it changes register 0, and no other")
	}
}

// Lengths, counts and digests that are false give an error, and nothing is read.
func TestFalse(t *testing.T) {
	whole, _ := made.Write()
	head := len(sample.U32(0)+sample.U32(3)+sample.Zeros(20)) + 4
	spec := bytes.Index(whole, []byte("Spec ID"))
	first := head + int(whole[head-4]) // the first event that is measured
	change := func(at int, to string) func() []byte {
		return func() []byte {
			b := bytes.Clone(whole)
			copy(b[at:], to)
			return b
		}
	}
	for _, c := range []struct {
		name, want string
		log        func() []byte
	}{
		{"nothing", "ends within", func() []byte { return nil }},
		{"a log of the older form", "SHA-1 alone", change(spec, "Spec ID Event00\x00")},
		{"the first event is measured", "SHA-1 alone", change(4, sample.U32(4))},
		{"the first event is longer than the log", "ends within", change(head-4, sample.U32(0xFFFFFFF0))},
		{"no algorithms", "0 algorithms", change(spec+24, sample.U32(0))},
		{"more algorithms than there are", "algorithms", change(spec+24, sample.U32(0xFFFFFFFF))},
		{"SHA-256 with 20 bytes", "32 bytes", change(spec+32, sample.U16(11)+sample.U16(20))},
		{"one algorithm twice", "twice", change(spec+28, sample.U16(11)+sample.U16(32)+sample.U16(11)+sample.U16(32))},
		{"digests without bytes", "0 bytes", change(spec+28, sample.U16(99)+sample.U16(0))},
		{"an event of register 24", "register 24", change(first, sample.U32(24))},
		{"an event with one digest", "has 1 digests", change(first+8, sample.U32(1))},
		{"an event with very many", "digests", change(first+8, sample.U32(0xFFFFFFFF))},
		{"a digest that the log does not name", "does not name", change(first+12, sample.U16(12))},
		{"the same digest twice", "twice", change(first+12+22, sample.U16(4))},
		{"data that are longer than the log", "ends within", change(first+12+22+34, sample.U32(0x7FFFFFFF))},
		{"a log that is cut", "ends within", func() []byte { return whole[:len(whole)-1] }},
		{"a log that goes on", "ends within", func() []byte { return append(bytes.Clone(whole), 0) }},
		{"a log that is too large", "more than", func() []byte { return make([]byte, bootlog.MaxBytes+1) }},
	} {
		t.Run(c.name, func(t *testing.T) {
			l, err := bootlog.Parse(c.log())
			if says := fmt.Sprint(err); l != nil || !strings.Contains(says, c.want) {
				t.Errorf("log %v, error %v; want an error that says %q", l != nil, err, c.want)
			}
		})
	}
}

// Each value is read only where the digest of its event holds it.
func TestMeasuredBehindDigests(t *testing.T) {
	text, _ := made.Write()
	for _, c := range []struct {
		name, find string
		read       func(bootlog.Measured) bool
	}{
		{"secure boot", "S\x00e\x00c\x00u\x00r\x00e\x00B\x00o\x00o\x00t\x00",
			func(m bootlog.Measured) bool { return m.SecureBoot != "" }},
		{"the platform key", "P\x00K\x00", func(m bootlog.Measured) bool { return m.Keys.Platform >= 0 }},
		{"the firmware's version", "P\x00l\x00o\x00v\x00", func(m bootlog.Measured) bool { return m.Firmware != "" }},
		{"boot entries", "S\x00k\x00e\x00r\x00", func(m bootlog.Measured) bool { return len(m.BootOrder) > 0 }},
		{"the partition table", "EFI PART", func(m bootlog.Measured) bool { return m.BootDisk != nil }},
		{"the hand-over", "Exit Boot Services Inv", func(m bootlog.Measured) bool { return m.UEFI }},
	} {
		t.Run(c.name, func(t *testing.T) {
			l, err := bootlog.Parse(text)
			if err != nil {
				t.Fatal(err)
			}
			if !c.read(l.Measured(bootlog.SHA256)) {
				t.Fatal("it is not read of the log as it is")
			}
			b := bytes.Clone(text)
			at := bytes.Index(b, []byte(c.find))
			b[at-20] ^= 1 // in what comes before it, of the same event or of its digest
			if l, err = bootlog.Parse(b); err != nil {
				t.Fatal(err)
			}
			if c.read(l.Measured(bootlog.SHA256)) {
				t.Error("it is read although the digest is of other data")
			}
		})
	}
}

// A value that was measured twice, with two meanings, is open.
func TestTwoValuesOfSecureBoot(t *testing.T) {
	on, _ := sample.BootLog{SecureBoot: 1, Keys: 1}.Write()
	off, _ := sample.BootLog{SecureBoot: 0, Keys: 1}.Write()
	name := []byte("S\x00e\x00c\x00u\x00r\x00e\x00B\x00o\x00o\x00t\x00")
	cut := func(b []byte) []byte { // the whole event
		at := bytes.Index(b, name)
		return b[at-16-16-72 : at+len(name)+1]
	}
	at := bytes.Index(on, cut(on))
	both := append(append(bytes.Clone(on[:at]), cut(off)...), on[at:]...)
	l, err := bootlog.Parse(both)
	if err != nil {
		t.Fatal(err)
	}
	if m := l.Measured(bootlog.SHA256); m.SecureBoot != "" || m.Keys.Platform != 1 {
		t.Errorf("secure boot is %q, platform keys %d", m.SecureBoot, m.Keys.Platform)
	}
}

// Of two disks whose tables were measured, one was only tried.
func TestTwoPartitionTables(t *testing.T) {
	one, _ := made.Write()
	other := made
	other.Disk = "5e1f0000-0000-4000-8000-000000000002"
	two, _ := other.Write()
	event := func(b []byte) []byte { // the whole event with the table
		at := bytes.Index(b, []byte("EFI PART"))
		return b[at-72 : at+92+8+256]
	}
	for _, c := range []struct {
		name string
		more []byte
		want bool
	}{{"the same again", event(one), true}, {"of another disk", event(two), false}} {
		t.Run(c.name, func(t *testing.T) {
			l, err := bootlog.Parse(append(bytes.Clone(one), c.more...))
			if err != nil {
				t.Fatal(err)
			}
			if m := l.Measured(bootlog.SHA256); (m.BootDisk != nil) != c.want {
				t.Errorf("disk %+v", m.BootDisk)
			}
		})
	}
}

func FuzzParse(f *testing.F) {
	text, _ := made.Write()
	f.Add(text)
	f.Add(text[:200])
	f.Fuzz(func(t *testing.T, b []byte) {
		l, err := bootlog.Parse(b)
		if err != nil {
			return
		}
		if _, err := l.Replay(bootlog.SHA256); err == nil && len(l.Events) > len(b)/12 {
			t.Errorf("%d events of %d bytes", len(l.Events), len(b))
		}
		if m := l.Measured(bootlog.SHA256); m.SecureBoot == "setup" && m.Keys.Platform != 0 {
			t.Error("set-up mode with keys")
		}
	})
}
