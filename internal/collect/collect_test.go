//go:build linux

package collect_test

import (
	"encoding/binary"
	"encoding/json"
	"hash/crc32"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/expect"
)

// tree is a Linux machine as files: a path that ends in / is a directory, one
// that begins with -> a link.
type tree map[string]string

func (tr tree) write(t *testing.T) string {
	t.Helper()
	root := t.TempDir()
	for path, content := range tr {
		full := filepath.Join(root, path)
		if strings.HasSuffix(path, "/") {
			must(t, os.MkdirAll(full, 0o755))
			continue
		}
		must(t, os.MkdirAll(filepath.Dir(full), 0o755))
		if target, isLink := strings.CutPrefix(content, "->"); isLink {
			must(t, os.Symlink(target, full))
		} else {
			must(t, os.WriteFile(full, []byte(content), 0o644))
		}
	}
	return root
}

func must(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

const elf64 = "\x7fELF\x02\x01\x01\x00\x00\x00\x00\x00\x00\x00\x00\x00\x03\x00\x3e\x00"
const elf32 = "\x7fELF\x01\x01\x01\x00\x00\x00\x00\x00\x00\x00\x00\x00\x03\x00\x03\x00"

// laptop is a made-up laptop: UEFI, an NVMe drive, a TPM, LUKS.
func laptop() tree {
	return tree{
		"/proc/sys/kernel/hostname": "eelg-021\n", "/proc/sys/kernel/arch": "x86_64\n", "/sbin/init": elf64,
		"/etc/locale.conf": "LANG=\"de_AT.UTF-8\"\nLC_TIME=C\n",
		"/etc/os-release": "NAME=\"Lodestar Linux\"\nPRETTY_NAME=\"Lodestar Linux 12 " +
			"\\\"Vega\\\"\"\nVERSION_ID=12\n# x=y\n",
		"/proc/meminfo": "MemTotal:        7895432 kB\nMemFree: 1 kB\n",
		"/proc/cpuinfo": "vendor_id\t: CorvaneParts\ncpu family\t: 6\nmodel\t: 142\nmodel name\t: " +
			"Corvane K5-8250U CPU @ 1.60GHz\nstepping\t: 10\nflags\t: lm nx sse4_2 cx16 avx2\n",
		"/sys/devices/system/cpu/present":                                           "0-3\n",
		"/sys/devices/system/cpu/cpu0/topology/physical_package_id":                 "0\n",
		"/sys/devices/system/cpu/cpu0/topology/thread_siblings_list":                "0,2\n",
		"/sys/devices/system/cpu/cpu1/topology/physical_package_id":                 "0\n",
		"/sys/devices/system/cpu/cpu1/topology/thread_siblings_list":                "1,3\n",
		"/sys/devices/system/cpu/cpu2/topology/physical_package_id":                 "0\n",
		"/sys/devices/system/cpu/cpu2/topology/thread_siblings_list":                "0,2\n",
		"/sys/devices/system/cpu/cpu3/topology/physical_package_id":                 "0\n",
		"/sys/devices/system/cpu/cpu3/topology/thread_siblings_list":                "1,3\n",
		"/sys/devices/system/cpu/cpufreq/":                                          "",
		"/sys/class/dmi/id/sys_vendor":                                              "Ostrel\n",
		"/sys/class/dmi/id/product_name":                                            "Slipway 14\n",
		"/sys/class/dmi/id/chassis_type":                                            "10\n",
		"/sys/class/dmi/id/product_serial":                                          "To be filled by O.E.M.\n",
		"/sys/class/dmi/id/bios_vendor":                                             "Plover Firmware\n",
		"/sys/class/dmi/id/bios_version":                                            "1.14\n",
		"/sys/firmware/efi/fw_platform_size":                                        "64\n",
		"/sys/firmware/efi/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c": "\x06\x00\x00\x00\x01",
		"/sys/firmware/efi/efivars/SetupMode-8be4df61-93ca-11d2-aa0d-00e098032b8c":  "\x06\x00\x00\x00\x00",
		"/sys/firmware/acpi/tables/TPM2":                                            "x",
		"/sys/class/tpm/tpm0/tpm_version_major":                                     "2\n",
		"/proc/self/mountinfo": "21 1 254:1 / / rw,relatime - " +
			"ext4 /dev/mapper/root rw\n22 21 0:5 / /home/somebody rw - tmpfs tmpfs rw\n",
		"/sys/dev/block/254:1":                             "->../../devices/virtual/block/dm-1",
		"/sys/block/dm-1":                                  "->../devices/virtual/block/dm-1",
		"/sys/devices/virtual/block/dm-1/slaves/dm-0":      "->x",
		"/sys/devices/virtual/block/dm-1/dm/uuid":          "LVM-abc\n",
		"/sys/block/dm-0":                                  "->../devices/virtual/block/dm-0",
		"/sys/devices/virtual/block/dm-0/slaves/nvme0n1p2": "->x",
		"/sys/devices/virtual/block/dm-0/dm/uuid":          "CRYPT-LUKS2-0123-root\n",
		"/sys/class/block/nvme0n1p2":                       "->../../devices/pci0000:00/nvme/nvme0/nvme0n1/nvme0n1p2",
		"/sys/block/nvme0n1":                               "->../devices/pci0000:00/nvme/nvme0/nvme0n1",

		"/sys/devices/pci0000:00/nvme/nvme0/nvme0n1/size":                     "500118192\n",
		"/sys/devices/pci0000:00/nvme/nvme0/nvme0n1/removable":                "0\n",
		"/sys/devices/pci0000:00/nvme/nvme0/nvme0n1/dev":                      "259:0\n",
		"/sys/devices/pci0000:00/nvme/nvme0/nvme0n1/queue/rotational":         "0\n",
		"/sys/devices/pci0000:00/nvme/nvme0/nvme0n1/queue/logical_block_size": "512\n",
		"/sys/devices/pci0000:00/nvme/nvme0/nvme0n1/device/model":             "Brannock  NV 256\n",

		"/run/udev/data/b259:0":                        "S:disk/by-id/x\nE:ID_PART_TABLE_TYPE=gpt\n",
		"/sys/block/sr0":                               "->../devices/pci0000:00/ata1/sr0",
		"/sys/devices/pci0000:00/ata1/sr0/size":        "2097151\n",
		"/sys/devices/pci0000:00/ata1/sr0/device/type": "5\n",
		"/sys/class/net/eth0/operstate":                "up\n",
		"/sys/class/net/lo/operstate":                  "unknown\n",
	}
}

func inspect(t *testing.T, tr tree) *inventory.Document {
	t.Helper()
	d, err := collect.Machine(collect.Options{Root: tr.write(t)})
	must(t, err)
	return d
}

// says compares facts in the form that documents have.
func says(t *testing.T, d *inventory.Document, want map[string]string) {
	t.Helper()
	f := fact.Read(d)
	for name, w := range want {
		r := f.Get(fact.ByName(name).ID)
		got := r.Value.Text()
		switch r.Value.Kind() {
		case 0:
			got = "? " + r.Gap.Cause
		case fact.Number:
			b, _ := json.Marshal(int64(r.Value.Float()))
			got = string(b)
		case fact.Bool:
			got = map[bool]string{true: "yes", false: "no"}[r.Value.Bool()]
		case fact.Set:
			got = strings.Join(r.Value.Set(), " ")
		}
		if got != w {
			t.Errorf("%s is %q, want %q (%s)", name, got, w, r.Source)
		}
		named := r.Source != "" || fact.ByName(name).Derived
		if r.Value.Known() && !named {
			t.Errorf("%s has no source", name)
		}
	}
}

func TestLaptop(t *testing.T) {
	d := inspect(t, laptop())
	says(t, d, map[string]string{
		"device.name": "eelg-021", "device.manufacturer": "Ostrel", "device.model": "Slipway 14",
		"device.form": "laptop", "device.environment": "hardware",
		"device.serial": "? not-offered", "device.class": "pc",
		"os.name": `Lodestar Linux 12 "Vega"`, "os.version": "12", "os.language": "de-AT", "os.architecture": "x86-64",
		"processor.name": "Corvane K5-8250U CPU @ 1.60GHz", "processor.cores": "2", "processor.threads": "4",
		"processor.packages": "1", "processor.rated_mhz": "1600",
		"processor.architecture": "x86-64", "processor.features": "nx sse4.2 cmpxchg16b avx2",
		"memory.visible_bytes": "8084922368", "memory.installed_bytes": "? not-offered",
		"firmware.vendor": "Plover Firmware", "firmware.boot_mode": "uefi", "firmware.uefi_bits": "64",
		"firmware.secure_boot": "on", "firmware.secure_boot_capable": "yes",
		"tpm.state": "ready", "tpm.version": "2.0",
		"storage.boot.disk": "nvme0n1", "storage.system.disk_bytes": "256060514304", "storage.system.kind": "ssd",
		"storage.system.partition_style":  "gpt",
		"storage.system.encryption.state": "on", "storage.system.encryption.kind": "luks", "network.connected": "yes",
	})
	if len(d.Storage.Disks) != 1 || d.Storage.Disks[0].Model.Or("") != "Brannock NV 256" {
		t.Errorf("drives: %+v", d.Storage.Disks)
	}
}

// panel is what the laptop's display says of itself: 1920×1080, 14 inches.
func panel() string {
	b := make([]byte, 128)
	copy(b, []byte{0, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0})
	b[18], b[19], b[20] = 1, 4, 0xA5
	copy(b[54:], []byte{
		0x1A, 0x36, 0x80, 0xA0, 0x70, 0x38, 0x1E, 0x40, 0x30, 0x20, 0x35, 0x00, 0x35, 0xAE, 0x10, 0, 0, 0x1A,
	})
	for _, c := range b[:127] {
		b[127] -= c
	}
	return string(b)
}

func TestScreensAndPower(t *testing.T) {
	tr := laptop()
	for path, content := range (tree{
		"/sys/bus/pci/devices/0000:00:02.0/class": "0x030000\n", "/sys/bus/pci/devices/0000:00:02.0/vendor": "0x7e5a\n",
		"/sys/bus/pci/devices/0000:00:02.0/device": "0x1050\n",
		"/sys/bus/pci/devices/0000:00:02.0/driver": "->../../../bus/pci/drivers/lantern",
		"/sys/bus/pci/devices/0000:00:1f.0/class":  "0x060100\n",
		"/sys/class/drm/card0/dev":                 "226:0\n", "/sys/class/drm/card0-eDP-1/status": "connected\n",
		"/sys/class/drm/card0-eDP-1/edid":  panel(),
		"/sys/class/drm/card0-DP-1/status": "disconnected\n", "/sys/class/drm/card0-HDMI-A-1/status": "connected\n",
		"/sys/class/drm/card0-HDMI-A-1/edid": "",
		"/sys/class/power_supply/AC/type":    "Mains\n", "/sys/class/power_supply/AC/online": "0\n",
		"/sys/class/power_supply/BAT0/type": "Battery\n", "/sys/class/power_supply/BAT0/capacity": "81\n",
		"/sys/class/power_supply/BAT0/energy_full":        "45000000\n",
		"/sys/class/power_supply/BAT0/energy_full_design": "50000000\n",
		"/sys/class/power_supply/mouse/type":              "Battery\n",
		"/sys/class/power_supply/mouse/scope":             "Device\n",
		"/sys/class/power_supply/mouse/capacity":          "5\n",
	}) {
		tr[path] = content
	}
	d := inspect(t, tr)
	says(t, d, map[string]string{
		"power.source":                 "battery",
		"power.battery_percent":        "81",
		"power.battery_health_percent": "90",
	})
	expect.Same(t, "len(d.Graphics)", len(d.Graphics), 1)
	expect.Same(t, `d.Graphics[0].VendorID.Or("")`, d.Graphics[0].VendorID.Or(""), "7e5a")
	expect.Same(t, `d.Graphics[0].Name.Or("")`,
		d.Graphics[0].Name.Or(""), "adapter at 0000:00:02.0, driver lantern")
	if len(d.Displays) != 2 {
		t.Fatalf("displays: %+v", d.Displays)
	}
	for _, s := range d.Displays {
		if s.Internal.Or(false) {
			if s.WidthPx.Or(0) != 1920 || s.DiagonalInches.Or(0) != 14 {
				t.Errorf("the panel: %+v", s)
			}
		}
		if !s.Internal.Or(true) && !s.WidthPx.IsZero() {
			t.Errorf("a display without a description: %+v", s)
		}
	}
}

// entry makes one firmware table entry: offset and bytes in pairs.
func entry(kind byte, handle uint16, length int, set map[int]string, text ...string) string {
	b := make([]byte, length)
	b[0], b[1], b[2], b[3] = kind, byte(length), byte(handle), byte(handle>>8)
	for off, v := range set {
		copy(b[off:], v)
	}
	if len(text) == 0 {
		text = []string{""}
	}
	return string(b) + strings.Join(text, "\x00") + "\x00\x00"
}

// bootEntry is a firmware variable: an active entry for a loader on a partition.
func bootEntry(description, file string, partition byte) string {
	wide := func(s string) string {
		var b strings.Builder
		for _, r := range s + "\x00" {
			b.WriteString(string([]byte{byte(r), byte(r >> 8)}))
		}
		return b.String()
	}
	drive := make([]byte, 42)
	copy(drive, []byte{4, 1, 42, 0, 1})
	drive[24], drive[40], drive[41] = partition, 2, 2
	name := wide(file)
	path := string(drive) + string([]byte{4, 4, byte(4 + len(name)), 0}) + name + "\x7F\xFF\x04\x00"
	return "\x07\x00\x00\x00\x01\x00\x00\x00" + string([]byte{byte(len(path)), 0}) + wide(description) + path
}

func TestOtherSystems(t *testing.T) {
	const vars, guid = "/sys/firmware/efi/efivars/", "-8be4df61-93ca-11d2-aa0d-00e098032b8c"
	tr := laptop()
	tr[vars+"BootOrder"+guid], tr[vars+"BootCurrent"+guid] = "\x07\x00\x00\x00\x01\x00\x02\x00\x03\x00\x04\x00",
		"\x06\x00\x00\x00\x01\x00"
	tr[vars+"Boot0001"+guid] = bootEntry("Lodestar Linux", `\EFI\lodestar\loader.efi`, 1)
	tr[vars+"Boot0002"+guid] = bootEntry("Skerry 11", `\EFI\skerry\start.efi`, 1)
	tr[vars+"Boot0003"+guid] = bootEntry("Long gone", `\EFI\gone\start.efi`, 9)
	tr[vars+"Boot0004"+guid] = bootEntry("Removable", `\EFI\BOOT\BOOTX64.EFI`, 1)
	// A table in which only the partition 1 is: made by hand, its checksum too.
	disk := make([]byte, 40<<10)
	disk[450], disk[510], disk[511] = 0xEE, 0x55, 0xAA
	copy(disk[512:], "EFI PART")
	disk[512+12], disk[512+72], disk[512+80], disk[512+84] = 92, 2, 1, 128
	binary.LittleEndian.PutUint32(disk[512+16:], crc32.ChecksumIEEE(disk[512:512+92]))
	disk[1024], disk[1024+16] = 0xFF, 1
	tr["/dev/nvme0n1"] = string(disk)
	d := inspect(t, tr)
	if got := d.Storage.OtherSystems; len(got) != 1 || got[0] != "Skerry 11" {
		t.Errorf("other systems: %q", got)
	}
	if g := d.GapOf("storage.other_systems"); g == nil || !strings.Contains(g.Detail, "Long gone") {
		t.Errorf("the list counts as complete: %+v", g)
	}
	// Without the table nothing proves that the other system is still there.
	delete(tr, "/dev/nvme0n1")
	if d = inspect(t, tr); len(d.Storage.OtherSystems) != 0 ||
		!strings.Contains(d.GapOf("storage.other_systems").Detail, "Skerry 11, Long gone") {
		t.Errorf("%q, %+v", d.Storage.OtherSystems, d.GapOf("storage.other_systems"))
	}
}

func TestFirmwareTables(t *testing.T) {
	tr := laptop()
	drop(tr, "/sys/firmware/efi")
	tr["/proc/meminfo"] = "MemTotal: 3895432 kB\n"
	tr["/sys/firmware/dmi/tables/smbios_entry_point"] = "_SM3_\x00\x18\x03" +
		"\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00"
	module := func(size string) string {
		return entry(17, 0x11, 40,
			map[int]string{
				4:    "\x10\x00",
				0x0C: size,
				0x0E: "\x0D",
				0x12: "\x1A",
				0x15: "\x6A\x0A",
				0x10: "\x01",
				0x17: "\x02",
				0x1A: "\x03",
			}, "Slot A", "Fennick", "FM-4G")
	}
	tr["/sys/firmware/dmi/tables/DMI"] = entry(0, 0, 26, map[int]string{4: "\x01", 5: "\x02", 8: "\x03", 0x13: "\x08"},
		"Plover Firmware", "1.14", "03/09/2021") +
		entry(1, 1, 27, map[int]string{
			4: "\x01",
			5: "\x02",
			7: "\x03",
			8: "\x33\x22\x11\x00\x55\x44\x77\x66\x88\x99\xaa\xbb\xcc\xdd\xee\xff",
		}, "Ostrel", "Slipway 14", "TW7654321") +
		entry(2, 2, 15, map[int]string{4: "\x01", 5: "\x02", 9: "\x01"}, "Ostrel", "OS-14B") + entry(3, 3, 22,
		map[int]string{5: "\x0A", 8: "\x01"}, "HARBOUR-77") +
		entry(16, 0x10, 23, map[int]string{5: "\x03", 7: "\x00\x00\x00\x02", 0x0D: "\x02\x00"}) + module("\x00\x10") +
		module("\x00\x00") + entry(24, 9, 5, map[int]string{4: "\x04"}) + entry(127, 99, 4, nil)
	d := inspect(t, tr)
	says(t, d, map[string]string{
		"device.serial": "TW7654321", "device.uuid": "00112233-4455-6677-8899-aabbccddeeff",
		"device.board.model": "OS-14B", "device.asset_tag": "HARBOUR-77", "device.form": "laptop",
		"firmware.date": "2021-03-09", "firmware.password": "set", "memory.installed_bytes": "4294967296",
		"memory.slots": "2", "memory.slots_used": "1", "memory.free_slots": "1", "memory.max_bytes": "34359738368",
		// Started in legacy mode on firmware that says of itself that it can do UEFI.
		"firmware.boot_mode": "legacy", "firmware.uefi_capable": "yes", "firmware.secure_boot": "inactive",
		"firmware.secure_boot_capable": "? not-offered",
	})
	m := d.Memory.Modules
	expect.Same(t, "len(m)", len(m), 2)
	expect.Same(t, `m[0].PartNumber.Or("")`, m[0].PartNumber.Or(""), "FM-4G")
	expect.Same(t, `m[0].Form.Or("")`, m[0].Form.Or(""), "SODIMM")
	expect.Same(t, "m[1].Bytes.Or(-1)", m[1].Bytes.Or(-1), 0)
}

func TestVariants(t *testing.T) {
	tests := []struct {
		name   string
		change func(tree)
		want   map[string]string
	}{
		{"legacy", func(tr tree) { drop(tr, "/sys/firmware/efi") },
			map[string]string{
				"firmware.boot_mode":           "legacy",
				"firmware.secure_boot":         "inactive",
				"firmware.secure_boot_capable": "? not-offered",
				"firmware.uefi_capable":        "? not-offered",
			}},
		{"no firmware tables: nothing says how it started",
			func(tr tree) { drop(tr, "/sys/firmware/efi"); drop(tr, "/sys/class/dmi") },
			map[string]string{
				"firmware.boot_mode":   "? not-offered",
				"firmware.secure_boot": "? not-offered",
				"device.model":         "? not-offered",
			}},
		{"secure boot off", func(tr tree) {
			tr["/sys/firmware/efi/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c"] = "\x06\x00\x00\x00\x00"
		}, map[string]string{"firmware.secure_boot": "off", "firmware.secure_boot_capable": "yes"}},
		{"set-up mode", func(tr tree) {
			tr["/sys/firmware/efi/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c"] = "\x06\x00\x00\x00\x00"
			tr["/sys/firmware/efi/efivars/SetupMode-8be4df61-93ca-11d2-aa0d-00e098032b8c"] = "\x06\x00\x00\x00\x01"
		}, map[string]string{"firmware.secure_boot": "setup"}},
		{"firmware without secure boot", func(tr tree) {
			drop(tr, "/sys/firmware/efi/efivars/Secure")
		}, map[string]string{"firmware.secure_boot": "off", "firmware.secure_boot_capable": "? not-offered"}},
		{"variables not mounted",
			func(tr tree) { drop(tr, "/sys/firmware/efi/efivars"); tr["/sys/firmware/efi/efivars/"] = "" },
			map[string]string{
				"firmware.boot_mode":           "uefi",
				"firmware.secure_boot":         "? not-offered",
				"firmware.secure_boot_capable": "? not-offered",
			}},
		{"variable of a wrong size", func(tr tree) {
			tr["/sys/firmware/efi/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c"] = "\x06\x00"
		}, map[string]string{"firmware.secure_boot": "? read-failed"}},
		{"TPM 1.2, off", func(tr tree) {
			tr["/sys/class/tpm/tpm0/tpm_version_major"] = "1\n"
			tr["/sys/class/tpm/tpm0/device/enabled"] = "0\n"
			tr["/sys/class/tpm/tpm0/device/active"] = "0\n"
			tr["/sys/class/tpm/tpm0/device/caps"] = "Manufacturer: 0x504c5652\nTCG version: 1.2\nFirmware version: " +
				"18.158\n"
		}, map[string]string{
			"tpm.state":        "off",
			"tpm.version":      "1.2",
			"tpm.manufacturer": "PLVR",
			"tpm.firmware":     "18.158",
		}},
		{"TPM announced, no driver", func(tr tree) { drop(tr, "/sys/class/tpm/tpm0"); tr["/sys/class/tpm/"] = "" },
			map[string]string{"tpm.state": "? read-failed", "tpm.version": "? not-offered"}},
		{"no TPM", func(tr tree) {
			drop(tr, "/sys/class/tpm/tpm0")
			drop(tr, "/sys/firmware/acpi/tables/TPM2")
			tr["/sys/class/tpm/"], tr["/sys/firmware/acpi/tables/FACP"] = "", "x"
		}, map[string]string{"tpm.state": "not-seen", "tpm.version": "? not-offered"}},
		{"a kernel without TPM support sees none, whatever there is",
			func(tr tree) { drop(tr, "/sys/class/tpm"); drop(tr, "/sys/firmware/acpi") },
			map[string]string{"tpm.state": "? not-offered"}},
		{"32-bit system on a 64-bit processor", func(tr tree) { tr["/sbin/init"] = elf32 },
			map[string]string{"os.architecture": "x86", "processor.architecture": "x86-64"}},
		{"threads offline", func(tr tree) { drop(tr, "/sys/devices/system/cpu/cpu3/") },
			map[string]string{"processor.threads": "4", "processor.cores": "? not-offered"}},
		{"virtual machine", func(tr tree) {
			tr["/proc/cpuinfo"] = strings.Replace(tr["/proc/cpuinfo"], "flags\t: ", "flags\t: hypervisor ", 1)
		}, map[string]string{"device.environment": "guest", "device.form": "virtual"}},
		{"container", func(tr tree) { tr["/run/systemd/container"] = "nspawn\n" },
			map[string]string{
				"device.environment":        "container",
				"os.name":                   "? not-offered",
				"storage.system.disk_bytes": "? not-offered",
				"processor.cores":           "2",
			}},
		{"a mark of a container on a real disk is left over", func(tr tree) { tr["/.dockerenv"] = "" },
			map[string]string{"device.environment": "hardware", "storage.boot.disk": "nvme0n1"}},
		{"live medium", func(tr tree) {
			tr["/proc/self/mountinfo"], tr["/proc/sys/kernel/hostname"] = "21 1 0:30 / / rw - overlay overlay rw\n",
				"(none)\n"
		}, map[string]string{
			"device.environment":        "live",
			"device.name":               "? not-offered",
			"os.name":                   "? not-offered",
			"storage.system.disk_bytes": "? not-offered",
			"storage.system.free_bytes": "? not-offered",
			"tpm.state":                 "ready",
			"processor.cores":           "2",
		}},
		{"root on a file system that is on no disk",
			func(tr tree) { tr["/proc/self/mountinfo"] = "21 1 0:30 / / rw - zfs tank/root rw\n" },
			map[string]string{
				"device.environment":        "hardware",
				"storage.system.disk_bytes": "? not-offered",
				"storage.system.filesystem": "zfs",
			}},
		{"a volume over two disks: sizes are not summed", func(tr tree) {
			tr["/sys/devices/virtual/block/dm-1/slaves/sda"] = "->x"
			tr["/sys/block/sda"] = "->../devices/pci0000:00/ata2/sda"
			tr["/sys/devices/pci0000:00/ata2/sda/size"] = "1000\n"
		}, map[string]string{"storage.system.disk_bytes": "? not-offered"}},
		{"hard disk", func(tr tree) {
			tr["/proc/self/mountinfo"] = "21 1 8:1 / / rw - ext4 /dev/sda1 rw\n"
			tr["/sys/dev/block/8:1"] = "->../../devices/pci0000:00/ata2/sda/sda1"
			tr["/sys/class/block/sda1"] = "->../../devices/pci0000:00/ata2/sda/sda1"
			tr["/sys/block/sda"] = "->../devices/pci0000:00/ata2/sda"
			tr["/sys/devices/pci0000:00/ata2/sda/size"] = "976773168\n"
			tr["/sys/devices/pci0000:00/ata2/sda/queue/rotational"] = "1\n"
			tr["/dev/sda"] = strings.Repeat("\x00", 450) + "\x07" + strings.Repeat("\x00", 59) + "\x55\xaa"
		}, map[string]string{
			"storage.boot.disk":               "sda",
			"storage.system.kind":             "hdd",
			"storage.system.partition_style":  "mbr",
			"storage.system.encryption.state": "off",
		}},
		{"no name of the release", func(tr tree) { delete(tr, "/etc/os-release") },
			map[string]string{"os.name": "? not-offered", "os.version": "? not-offered"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			tr := laptop()
			tt.change(tr)
			says(t, inspect(t, tr), tt.want)
		})
	}
}

func drop(tr tree, prefix string) {
	for path := range tr {
		if strings.HasPrefix(path, prefix) {
			delete(tr, path)
		}
	}
}

// Every fact is known or has a gap of its own, on every machine.
func TestNothingIsSilentlyMissing(t *testing.T) {
	for name, tr := range map[string]tree{
		"laptop":        laptop(),
		"an empty tree": {},
		"rubbish": {
			"/proc/cpuinfo":                "\x00\xff",
			"/proc/self/mountinfo":         "1 2 3\n- - -",
			"/sys/firmware/dmi/tables/DMI": "junk",
			"/sys/block/":                  "",
		},
	} {
		t.Run(name, func(t *testing.T) {
			d := inspect(t, tr)
			f := fact.Read(d)
			for _, def := range fact.All() {
				r := f.Get(def.ID)
				silent := !r.Value.Known() && r.Gap.Cause == inventory.NotAsked && d.GapOf(def.Name) == nil
				expected := !def.Derived && def.On != fact.OnlyMac
				if silent && expected {
					t.Errorf("%s: %s is silently missing", name, def.Name)
				}
			}
			b, err := json.Marshal(d)
			must(t, err)
			if _, err := inventory.Read(name, b); err != nil {
				t.Errorf("%s: its own inventory is refused: %v", name, err)
			}
		})
	}
}

// This very machine, with whatever it has: it reads without an error, and what
// it writes is a document that can be read.
func TestThisMachine(t *testing.T) {
	d, err := collect.Machine(collect.Options{})
	must(t, err)
	b, err := json.Marshal(d)
	must(t, err)
	if _, err := inventory.Read("this machine", b); err != nil {
		t.Error(err)
	}
	says(t, d, map[string]string{"os.platform": "linux"})
	if d.Memory.Visible.IsZero() || d.Processor.Threads.IsZero() {
		t.Error("neither memory nor processor was read")
	}
}

// A capture holds names of sources from a list, and no mount but the root's.
func TestCaptureHoldsNothingPersonal(t *testing.T) {
	c, err := collect.Capture(collect.Options{Root: laptop().write(t)})
	must(t, err)
	allowed := []string{
		"/proc/sys/kernel/", "/proc/cpuinfo", "/proc/meminfo", "/proc/self/mountinfo", "/etc/os-release",
		"/usr/lib/os-release", "/etc/locale.conf", "/etc/default/locale", "/sys/", "/run/systemd/container",
		"/run/udev/data/b", "/run/.containerenv", "/run/reboot-required", "/etc/sssd/sssd.conf", "/etc/krb5.keytab",
		"tpm12:/dev/tpm0", "statfs:/boot", "statfs:/efi", "/boot/EFI/", "/boot/efi/EFI/", "/efi/EFI/", "/.dockerenv",
		"head:/sbin/init", "link:/sys/", "statfs:/", "sectors:/dev/", "cpuid", "tpm2:/dev/tpmrm0",
		"protectors:/dev/", linux.UpdateNote, linux.Prepared, linux.NameSwitch,
	}
	for _, r := range c.Records {
		ok := false
		for _, a := range allowed {
			ok = ok || strings.HasPrefix(r.Source, a)
		}
		if !ok {
			t.Errorf("%s is not on the list of what a capture may hold", r.Source)
		}
		if strings.Contains(string(r.Raw), "/home/") {
			t.Errorf("%s names a home directory", r.Source)
		}
	}
}

func TestRootThatIsNotThere(t *testing.T) {
	if _, err := collect.Capture(collect.Options{Root: "/nowhere"}); err == nil ||
		!strings.Contains(err.Error(), "/nowhere is not a directory") {
		t.Errorf("got %v", err)
	}
}

func TestCaptureSurvivesTheWay(t *testing.T) {
	c, err := collect.Capture(collect.Options{Root: laptop().write(t)})
	must(t, err)
	b, err := json.Marshal(c)
	must(t, err)
	again, err := capture.Read("capture", b)
	must(t, err)
	one, err := decode.Inventory(c)
	must(t, err)
	two, err := decode.Inventory(again)
	must(t, err)
	x, _ := json.Marshal(one)
	y, _ := json.Marshal(two)
	if string(x) != string(y) {
		t.Errorf("decoded differently after saving:\n%s\n%s", x, y)
	}
}

func BenchmarkMachine(b *testing.B) {
	for b.Loop() {
		if _, err := collect.Machine(collect.Options{}); err != nil {
			b.Fatal(err)
		}
	}
}
