package capture_test

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/partition"
)

var key = []byte("a key for the tests")

func one(source string, raw []byte) *capture.Document {
	return &capture.Document{Format: capture.Format, Platform: "linux", TakenAt: time.Date(2026, 11, 22, 8, 14, 0, 0, time.UTC), Records: []capture.Record{{Source: source, Outcome: capture.OK, Raw: raw}}}
}

func redact(source, raw string) string {
	return string(one(source, []byte(raw)).Redact(key).Records[0].Raw)
}

func TestRedact(t *testing.T) {
	tests := []struct{ source, raw, want string }{
		{"/proc/meminfo", "MemTotal: 1 kB", "MemTotal: 1 kB"},
		{"/sys/class/dmi/id/product_serial", "To be filled by O.E.M.", "To be filled by O.E.M."}, // a placeholder names no machine, and has to stay one
		{"/run/udev/data/b8:0", "S:disk/by-id/serial-123\nE:ID_SERIAL=123\nE:ID_PART_TABLE_TYPE=gpt\n", "E:ID_PART_TABLE_TYPE=gpt\n"},
		{"/sys/block/dm-0/dm/uuid", "CRYPT-LUKS2-0123456789-name", "CRYPT-LUKS2-"},
		{"/sys/block/dm-1/dm/uuid", "LVM-abcdef", "LVM-"},
	}
	for _, tt := range tests {
		if got := redact(tt.source, tt.raw); got != tt.want {
			t.Errorf("%s: %q, want %q", tt.source, got, tt.want)
		}
	}
	for _, source := range []string{"/proc/sys/kernel/hostname", "/sys/class/dmi/id/product_serial", "/sys/class/dmi/id/product_uuid"} {
		a, b, other := redact(source, "gull-014\n"), redact(source, "gull-014\n"), redact(source, "gull-015\n")
		if a != b || a == other || strings.Contains(a, "gull") || a == "" {
			t.Errorf("%s: %q %q %q", source, a, b, other)
		}
		if c := string(one(source, []byte("gull-014")).Redact([]byte("another key")).Records[0].Raw); c == a {
			t.Errorf("%s: the key makes no difference", source)
		}
	}
}

func TestRedactLeavesTheOriginal(t *testing.T) {
	d := one("/proc/sys/kernel/hostname", []byte("gull-014"))
	d.Redact(key)
	if string(d.Get("/proc/sys/kernel/hostname").Raw) != "gull-014" {
		t.Error("the capture given was changed")
	}
}

func TestRedactedSectorsStillRead(t *testing.T) {
	disk := bytes.Repeat([]byte{0xAB}, 34*512)
	clear(disk[446:510])
	disk[450], disk[510], disk[511] = 0xEE, 0x55, 0xAA
	h := disk[512:]
	clear(h[:92])
	copy(h, "EFI PART")
	h[12], h[72], h[80], h[84] = 92, 2, 4, 128
	clear(disk[1024 : 1024+4*128])
	copy(disk[1024:], "0123456789abcdefUNIQUE-GUID-HERE")
	copy(disk[1024+56:], "S\x00e\x00c\x00r\x00e\x00t\x00")
	got := one("sectors:/dev/sda", disk).Redact(key).Records[0].Raw
	if bytes.Contains(got, []byte("UNIQUE-GUID")) || bytes.Contains(got, []byte("S\x00e\x00c")) || bytes.Contains(got[:440], []byte{0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB}) {
		t.Error("what names the disk is still there")
	}
	table, err := partition.Decode(got, 512)
	if err != nil || table.Style != partition.GPT || table.Damaged || len(table.Parts) != 1 {
		t.Errorf("%+v %v", table, err)
	}
}

func TestRead(t *testing.T) {
	b, _ := json.Marshal(one("/proc/meminfo", []byte{0, 1, 255}))
	d, err := capture.Read("c", b)
	if err != nil || !bytes.Equal(d.Get("/proc/meminfo").Raw, []byte{0, 1, 255}) || d.Get("/nowhere").Outcome != capture.NotExposed {
		t.Errorf("%+v %v", d, err)
	}
	for src, want := range map[string]string{
		strings.Replace(string(b), "AAH/", "not base64!", 1): "this is not base64", strings.Replace(string(b), `"ok"`, `"fine"`, 1): "is not one of the words",
		strings.Replace(string(b), "capture/1", "capture/2", 1): `version "2" of this format is not known`,
	} {
		if _, err := capture.Read("c", []byte(src)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %s", err, want)
		}
	}
}
