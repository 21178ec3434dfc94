package tpm_test

import (
	"encoding/binary"
	"encoding/hex"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/tpm"
)

func answer(code uint32, pairs ...uint32) []byte {
	b := []byte{0x80, 0x01, 0, 0, 0, 0}
	b = binary.BigEndian.AppendUint32(b, code)
	if code == 0 {
		b = append(b, 0, 0, 0, 0, 6)
		b = binary.BigEndian.AppendUint32(b, uint32(len(pairs)/2))
		for _, p := range pairs {
			b = binary.BigEndian.AppendUint32(b, p)
		}
	}
	binary.BigEndian.PutUint32(b[2:], uint32(len(b)))
	return b
}

func TestCommand(t *testing.T) {
	if got := hex.EncodeToString(tpm.Command2()); got != "80010000001600"+"00017a000000060000010000000040" {
		t.Errorf("the command is %s", got)
	}
}

func TestReply(t *testing.T) {
	got, err := tpm.Reply2(answer(0, 0x100, 0x322E3000, 0x102, 0xA4, 0x105, 0x434F5256, 0x10B, 7<<16|2, 0x10C, 1))
	if err != nil || got != (tpm.Info{Version: "2.0", Manufacturer: "CORV", Firmware: "7.2.0.1"}) {
		t.Errorf("%+v %v", got, err)
	}
	if got, err := tpm.Reply2(answer(0x101)); err != nil || !got.Failed {
		t.Errorf("failure mode: %+v %v", got, err)
	}
	tests := []struct {
		name string
		b    []byte
		want string
	}{
		{"another code", answer(0x922), "0x922"}, {"nothing", nil, "no header"},
		{"cut off", answer(0, 1, 2)[:12], "says it has 27 bytes, and has 12"},
		{"lying count", func() []byte { b := answer(0, 1, 2); b[18] = 200; return b }(), "says 200 properties"},
		{"length below the header", []byte{0x80, 1, 0, 0, 0, 3, 0, 0, 0, 0}, "says it has 3 bytes"},
		{"no body", func() []byte { b := answer(0x101); clear(b[6:]); return b }(), "too short"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			if _, err := tpm.Reply2(tt.b); err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Errorf("%s: %v, want %s", tt.name, err, tt.want)
			}
		})
	}
}

func TestCaps12(t *testing.T) {
	if got := tpm.Caps12("Manufacturer: 0x504c5652\nTCG version: 1.2\nFirmware version: 18.158\n"); got != (tpm.Info{
		Version:      "1.2",
		Manufacturer: "PLVR",
		Firmware:     "18.158",
	}) {
		t.Errorf("%+v", got)
	}
	if got := tpm.Caps12("junk"); got != (tpm.Info{}) {
		t.Errorf("%+v", got)
	}
}

func FuzzReply2(f *testing.F) {
	f.Add(answer(0, 0x100, 0x322E3000))
	f.Fuzz(func(t *testing.T, b []byte) {
		if in, err := tpm.Reply2(b); err == nil && len(in.Manufacturer) > 4 {
			t.Errorf("%+v", in)
		}
	})
}
