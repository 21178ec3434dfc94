//go:build linux

package collect_test

import (
	"encoding/binary"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/collect"
)

// Where the root file system lies is found by what the kernel tells, and nothing of the disk that a tree is kept on is
// told of the machine.
func TestRootFileSystem(t *testing.T) {
	for _, tt := range []struct {
		name   string
		change func(tree)
		want   map[string]string
	}{
		{"a tree in a directory has no free space of its own", func(tree) {}, map[string]string{
			"storage.system.free_bytes":   "? not-offered",
			"storage.system.volume_bytes": "? not-offered",
		}},
		{"btrfs, which has a device number of its own, on a mapped device", func(tr tree) {
			tr["/proc/self/mountinfo"] = "21 1 0:39 /@ / rw - btrfs /dev/mapper/root rw,subvol=/@\n"
			tr["/sys/devices/virtual/block/dm-0/dm/name"] = "cellar\n"
			tr["/sys/devices/virtual/block/dm-1/dm/name"] = "root\n"
		}, map[string]string{
			"storage.boot.disk":               "nvme0n1",
			"storage.system.kind":             "ssd",
			"storage.system.filesystem":       "btrfs",
			"storage.system.encryption.state": "on",
		}},
		{"btrfs over two drives", func(tr tree) {
			tr["/proc/self/mountinfo"] = "21 1 0:39 / / rw - btrfs /dev/nvme0n1p2 rw\n"
			tr["/sys/fs/btrfs/features/"] = ""
			tr["/sys/fs/btrfs/5b1e6f00-11aa-4c01-9d00-000000881001/devices/nvme0n1p2"] = "->x"
			tr["/sys/fs/btrfs/5b1e6f00-11aa-4c01-9d00-000000881001/devices/sda"] = "->x"
			tr["/sys/block/sda"] = "->../devices/pci0000:00/ata2/sda"
			tr["/sys/devices/pci0000:00/ata2/sda/size"] = "1000\n"
		}, map[string]string{"storage.system.disk_bytes": "? not-offered"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			tr := laptop()
			tt.change(tr)
			says(t, inspect(t, tr), tt.want)
		})
	}
}

// header is the beginning of an encrypted volume of the first version, with a key slot in use and something secret in
// it.
func header() string {
	b := make([]byte, 4096)
	copy(b, "LUKS\xba\xbe\x00\x01")
	binary.BigEndian.PutUint32(b[208:], 0x00AC71F3)
	copy(b[220:], "a salt of the key")
	return string(b)
}

// How a volume is unlocked is read from its header, and nothing else of the header is kept.
func TestKeyProtectors(t *testing.T) {
	for _, tt := range []struct{ name, device, want string }{
		{"a header with a passphrase", header(), "passphrase"},
		{"another header", strings.Replace(header(), "LUKS", "SULK", 1), "? read-failed"},
		{"nothing", "", "? read-failed"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			tr := laptop()
			tr["/dev/nvme0n1p2"] = tt.device
			says(t, inspect(t, tr), map[string]string{"storage.system.encryption.key_protectors": tt.want})
			c, err := collect.Capture(collect.Options{Root: tr.write(t)})
			must(t, err)
			for _, r := range c.Records {
				if strings.Contains(string(r.Raw), "a salt of the key") {
					t.Errorf("%s keeps what is secret in the header", r.Source)
				}
			}
		})
	}
}

// Displays and drives stand in one order, whatever that of the directory is.
func TestOrderOfLists(t *testing.T) {
	tr := laptop()
	want := []string{"sda", "sdb", "sdc", "sdd", "sde", "sdf"}
	for _, name := range []string{"sdd", "sdb", "sdf", "sda", "sde", "sdc"} {
		tr["/sys/block/"+name] = "->../devices/pci0000:00/ata1/" + name
		tr["/sys/devices/pci0000:00/ata1/"+name+"/size"] = "1000\n"
	}
	var got []string
	for _, d := range inspect(t, tr).Storage.Disks[1:] { // the first one is its own
		got = append(got, d.Name.Or(""))
	}
	if !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
}

// Of the firmware's settings, those are read that steps change, and who has a password.
func TestSettingsOfTheFirmware(t *testing.T) {
	tr := laptop()
	const oxbow = "/sys/class/firmware-attributes/oxbow/"
	tr[oxbow+"attributes/Secure Boot/type"] = "enumeration\n"
	tr[oxbow+"attributes/Secure Boot/possible_values"] = "Off;On\n"
	tr[oxbow+"attributes/Asset Tag/type"] = "string\n"
	tr[oxbow+"attributes/Asset Tag/current_value"] = "a name\n"
	tr[oxbow+"authentication/Keeper/role"] = "bios-admin\n"
	tr[oxbow+"authentication/Keeper/is_enabled"] = "1\n"
	says(t, inspect(t, tr), map[string]string{
		"firmware.settings_interface": "oxbow",
		"firmware.settings_offered":   "secure-boot",
		"firmware.password":           "set",
	})
	c, err := collect.Capture(collect.Options{Root: tr.write(t)})
	must(t, err)
	for _, r := range c.Records {
		if strings.Contains(r.Source, "Asset Tag/") {
			t.Errorf("%s is read, and no fact needs it", r.Source)
		}
	}
}
