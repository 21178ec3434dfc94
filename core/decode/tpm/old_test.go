package tpm_test

import (
	"fmt"
	"testing"

	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/internal/expect"
)

func TestReply12(t *testing.T) {
	in, err := tpm.Reply12([]byte(sample.TPM12Answer("PLVR", 18, 158)))
	expect.NoError(t, err)
	expect.Same(t, "in.Version", in.Version, "1.2")
	expect.Same(t, "in.Manufacturer", in.Manufacturer, "PLVR")
	expect.Same(t, "in.Firmware", in.Firmware, "18.158")
	// What a 2.0 answers to this question, what a 1.2 answers to the other one, a
	// short answer, and one about something else.
	for _, bad := range []string{
		"\x80\x01\x00\x00\x00\x0A\x00\x00\x00\x84", "\x00\xC4\x00\x00\x00\x0A\x00\x00\x00\x0A",
		sample.TPM12Answer("PLVR", 1,
			1)[:20], "\x00\xC4\x00\x00\x00\x20\x00\x00\x00\x00\x00\x00\x00\x0E" + sample.Zeros(18), "",
	} {
		if in, err := tpm.Reply12([]byte(bad)); err == nil {
			t.Errorf("%q was taken: %+v", bad, in)
		}
	}
}

func TestReplyFlags12(t *testing.T) {
	for _, want := range [][2]bool{{true, true}, {true, false}, {false, true}, {false, false}} {
		t.Run(fmt.Sprint(want), func(t *testing.T) {
			enabled, activated, err := tpm.ReplyFlags12([]byte(sample.TPM12Flags(want[0], want[1])))
			expect.NoError(t, err)
			expect.Same(t, "what it says", [2]bool{enabled, activated}, want)
		})
	}
	good := sample.TPM12Flags(true, true)
	for name, bad := range map[string]string{
		"nothing": "", "a code": "\x00\xC4\x00\x00\x00\x0A\x00\x00\x00\x2D", "cut": good[:18],
		"another structure":     good[:14] + "\x00\x20" + good[16:],
		"no truth of the first": good[:16] + "\x02" + good[17:],
		"no truth of the third": good[:18] + "\x02" + good[19:],
	} {
		t.Run(name, func(t *testing.T) {
			if _, _, err := tpm.ReplyFlags12([]byte(bad)); err == nil {
				t.Errorf("%q was taken", bad)
			}
		})
	}
	expect.Same(
		t,
		"the question",
		fmt.Sprintf("%x", tpm.CommandFlags12()),
		"00c10000001600000065000000040000000400000108",
	)
}

func TestTable(t *testing.T) {
	for start, firmware := range map[uint32]bool{2: true, 6: false, 7: false, 11: true} {
		a, err := tpm.Table([]byte(sample.TPM2Table(start)))
		expect.NoError(t, err)
		expect.Same(t, "a.Version", a.Version, "2.0")
		expect.Same(t, "a.Firmware", a.Firmware, firmware)
	}
	good := sample.TPM2Table(7)
	for _, bad := range []string{
		"", good[:35], good[:60], "x" + good[1:], sample.Put(40, map[int]string{0: "FACP" + sample.U32(36)}),
	} {
		if a, err := tpm.Table([]byte(bad)); err == nil {
			t.Errorf("%q was taken: %+v", bad, a)
		}
	}
}

func FuzzOld(f *testing.F) {
	f.Add([]byte(sample.TPM12Answer("PLVR", 18, 158)))
	f.Add([]byte(sample.TPM2Table(7)))
	f.Add([]byte(sample.TPM12Flags(true, false)))
	f.Fuzz(func(t *testing.T, b []byte) {
		if in, err := tpm.Reply12(b); err == nil && len(in.Manufacturer) > 4 {
			t.Errorf("%+v", in)
		}
		_, _ = tpm.Table(b)
		_, _, _ = tpm.ReplyFlags12(b)
	})
}
