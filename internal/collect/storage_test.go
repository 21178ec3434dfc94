package collect_test

import "testing"

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
