package redact_test

import (
	"bytes"
	"testing"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/redact"
	"rolltop.example/rolltop/internal/expect"
)

var key = []byte("a key for the tests")

func one(source string, raw []byte) *capture.Document {
	return &capture.Document{
		Format:   capture.Format,
		Platform: "linux",
		TakenAt:  time.Date(2026, 11, 22, 8, 14, 0, 0, time.UTC),
		Records:  []capture.Record{{Source: source, Outcome: capture.OK, Raw: raw}},
	}
}

func hidden(source, raw string) string {
	return string(redact.Capture(one(source, []byte(raw)), key).Records[0].Raw)
}

// The name of a mapped device is the same hash in the table of mounts and in the kernel's note of it.
func TestMappedDevices(t *testing.T) {
	name := hidden("/sys/block/dm-0/dm/name", "luks-0123456789\n")
	mounts := hidden("/proc/self/mountinfo", "21 1 0:39 / / rw - btrfs /dev/mapper/luks-0123456789 rw\n")
	expect.Same(t, "the mounts", mounts, "21 1 0:39 / / rw - btrfs /dev/mapper/"+name+" rw\n")
	expect.Lacks(t, name, "luks")
	plain := "21 1 8:2 / / rw - ext4 /dev/sda2 rw\n"
	expect.Same(t, "a mount without one", hidden("/proc/self/mountinfo", plain), plain)
}

func TestRedact(t *testing.T) {
	tests := []struct{ source, raw, want string }{
		{"/proc/meminfo", "MemTotal: 1 kB", "MemTotal: 1 kB"},
		// a placeholder names no machine, and has to stay one
		{"/sys/class/dmi/id/product_serial", "To be filled by O.E.M.", "To be filled by O.E.M."},
		{"/run/udev/data/b8:0", "S:disk/by-id/serial-123\nE:ID_SERIAL=123\nE:ID_PART_TABLE_TYPE=gpt\n",
			"E:ID_PART_TABLE_TYPE=gpt\n"},
		{"/sys/block/dm-0/dm/uuid", "CRYPT-LUKS2-0123456789-name", "CRYPT-LUKS2-"},
		{"/sys/block/dm-1/dm/uuid", "LVM-abcdef", "LVM-"},
	}
	for _, tt := range tests {
		t.Run(tt.source, func(t *testing.T) {
			if got := hidden(tt.source, tt.raw); got != tt.want {
				t.Errorf("%s: %q, want %q", tt.source, got, tt.want)
			}
		})
	}
	for _, source := range []string{
		"/proc/sys/kernel/hostname", "/sys/class/dmi/id/product_serial", "/sys/class/dmi/id/product_uuid",
		"/sys/firmware/devicetree/base/serial-number",
	} {
		a, b, other := hidden(source, "gull-014\n"), hidden(source, "gull-014\n"), hidden(source, "gull-015\n")
		expect.Same(t, source+": a", a, b)
		expect.That(t, source+": a != other", a != other)
		expect.Lacks(t, a, "gull")
		expect.That(t, source+": a != \"\"", a != "")
		if c := string(redact.Capture(one(source, []byte("gull-014")), []byte("another key")).Records[0].Raw); c == a {
			t.Errorf("%s: the key makes no difference", source)
		}
	}
}

// A device tree ends its texts with a zero byte, which is no part of the serial number.
func TestOneSerialNumberIsOneHash(t *testing.T) {
	expect.Same(t, "the hash", hidden("/sys/firmware/devicetree/base/serial-number", "OS-77410\x00"),
		hidden("/sys/class/dmi/id/product_serial", "OS-77410\n"))
}

func TestRedactLeavesTheOriginal(t *testing.T) {
	d := one("/proc/sys/kernel/hostname", []byte("gull-014"))
	redact.Capture(d, key)
	if string(d.Get("/proc/sys/kernel/hostname").Raw) != "gull-014" {
		t.Error("the capture given was changed")
	}
}

func TestRedactedSectorsStillRead(t *testing.T) {
	disk := []byte(sample.GPT(512, sample.NewPart(sample.ESP, "01020304-0506-0708-090a-0b0c0d0e0f10", 2048, 4095)))
	copy(disk, bytes.Repeat([]byte{0xAB}, 446))
	copy(disk[1024+56:], "S\x00e\x00c\x00r\x00e\x00t\x00")
	got := redact.Capture(one("sectors:/dev/sda", disk), key).Records[0].Raw
	expect.That(t, `!bytes.Contains(got, []byte(sample.GUID("01020304-0506-0708-090a-0b0c0d0e0f10")))`,
		!bytes.Contains(got, []byte(sample.GUID("01020304-0506-0708-090a-0b0c0d0e0f10"))))
	expect.That(t, `!bytes.Contains(got, []byte("S\x00e\x00c"))`, !bytes.Contains(got, []byte("S\x00e\x00c")))
	expect.That(t, "!bytes.Contains(got[:440], []byte{0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB})",
		!bytes.Contains(got[:440], []byte{0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB, 0xAB}))
	table, err := partition.Decode(got, 512)
	expect.NoError(t, err)
	expect.Same(t, "table.Style", table.Style, partition.GPT)
	expect.That(t, "!table.Damaged", !table.Damaged)
	expect.Same(t, "len(table.Parts)", len(table.Parts), 1)
}

// A table that was damaged is damaged afterwards.
func TestRedactedDamageStays(t *testing.T) {
	disk := []byte(sample.GPT(512, sample.NewPart(sample.ESP, "01020304-0506-0708-090a-0b0c0d0e0f10", 2048, 4095)))
	disk[512+40]++
	got := redact.Capture(one("sectors:/dev/sda", disk), key).Records[0].Raw
	if table, _ := partition.Decode(got, 512); !table.Damaged {
		t.Errorf("%+v", table)
	}
}
