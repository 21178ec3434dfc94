package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// Sizes of the EFI system partition and of where partitions begin, in MiB.
const (
	espMiB   = 40
	startMiB = 1
)

// make makes an image, with what is in the directory tree where the drive has the root, and says how the machine gets
// it. Without a tree the root stays empty.
func (d *Drive) make(dir string, n int, p *parts, tree string) (args []string, err error) {
	image := filepath.Join(dir, fmt.Sprintf("drive%d.img", n))
	if err := os.WriteFile(image, nil, 0o600); err != nil {
		return nil, err
	}
	if err := os.Truncate(image, d.Bytes); err != nil {
		return nil, err
	}
	if d.Sector == 0 {
		d.Sector = 512
	}
	if d.Table != "" {
		if err := d.partition(image); err != nil {
			return nil, err
		}
	}
	if d.Root && tree != "" {
		if err := d.fill(dir, image, tree, filepath.Join(p.tree, "init")); err != nil {
			return nil, err
		}
	}
	if d.Table == "hybrid" || d.Table == "damaged" {
		if err := d.spoil(image); err != nil {
			return nil, err
		}
	}
	id := fmt.Sprintf("d%d", n)
	device := fmt.Sprintf("nvme,drive=%s,serial=LAB%d,logical_block_size=%d,physical_block_size=%d", id, n, d.Sector,
		d.Sector)
	blocks := fmt.Sprintf("drive=%s,logical_block_size=%d,physical_block_size=%d", id, d.Sector, d.Sector)
	switch d.Bus {
	case "virtio":
		device = "virtio-blk-pci," + blocks
	case "scsi":
		device = "scsi-hd," + blocks + ",bus=scsi.0"
	case "sata":
		device = fmt.Sprintf("ide-hd,%s,bus=ide.%d", blocks, n)
		if d.Solid {
			device += ",rotation_rate=1"
		}
	case "usb":
		device = "usb-storage,removable=on," + blocks + ",bus=xhci.0"
	case "sd":
		device = "sd-card,drive=" + id
	}
	args = []string{"-drive", "if=none,format=raw,id=" + id + ",file=" + image}
	if d.Fails {
		return append(args, "-device", device+",smart_critical_warning=1"), nil
	}
	return append(append(args, controllers[d.Bus]...), "-device", device), nil
}

// controllers are what drives of a bus are behind; there is one of each in a machine.
var controllers = map[string][]string{
	"scsi": {"-device", "virtio-scsi-pci,id=scsi"},
	"usb":  {"-device", "qemu-xhci,id=xhci"},
	"sd":   {"-device", "sdhci-pci"},
}

// device is the kernel's name of the drive's partition with a number.
func (d *Drive) device(n, partition int) string {
	switch d.Bus {
	case "virtio":
		return fmt.Sprintf("/dev/vd%c%d", 'a'+n, partition)
	case "scsi", "sata", "usb":
		return fmt.Sprintf("/dev/sd%c%d", 'a'+n, partition)
	case "sd":
		return fmt.Sprintf("/dev/mmcblk%dp%d", n, partition)
	}
	return fmt.Sprintf("/dev/nvme%dn1p%d", n, partition)
}

// partition writes a table by the keys that a person would press.
func (d *Drive) partition(image string) error {
	first := startMiB << 20 / d.Sector
	second := (startMiB + espMiB) << 20 / d.Sector
	// 1 is the EFI system partition
	keys := fmt.Sprintf("g\nn\n1\n%d\n%d\nt\n1\nn\n2\n%d\n\nw\n", first, second-1, second)
	if d.Table == "mbr" {
		keys = fmt.Sprintf("o\nn\np\n1\n%d\n\na\nw\n", first)
	}
	cmd := exec.Command("fdisk", "-b", fmt.Sprint(d.Sector), image)
	cmd.Stdin = strings.NewReader(keys)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("fdisk: %w\n%s", err, out)
	}
	return nil
}

// fill puts a file system with what is in a directory on the last partition, and one with a loader on the EFI system
// partition.
func (d *Drive) fill(dir, image, tree, loader string) error {
	at := startMiB
	if d.Table != "mbr" {
		esp := filepath.Join(dir, "esp.img")
		if err := command("sh", "-c",
			`truncate -s 36M "$1" && mkfs.vfat -S "$2" "$1" >/dev/null && mmd -i "$1" ::EFI ::EFI/LODESTAR && mcopy -i "$1" "$3" ::EFI/LODESTAR/loader.efi`, "sh", esp, fmt.Sprint(d.Sector), loader); err != nil {
			return err
		}
		if err := command("dd", "if="+esp, "of="+image, "bs=1M", fmt.Sprintf("seek=%d", startMiB),
			"conv=notrunc,sparse", "status=none"); err != nil {
			return err
		}
		at += espMiB
	}
	root := filepath.Join(dir, "root.img")
	mib := d.Bytes>>20 - int64(at) - 2 // the second table is behind it
	if err := command("mke2fs", "-q", "-t", "ext4", "-b", "4096", "-d", tree, root,
		fmt.Sprintf("%dM", mib)); err != nil {
		return err
	}
	return command("dd", "if="+root, "of="+image, "bs=1M", fmt.Sprintf("seek=%d", at), "conv=notrunc,sparse",
		"status=none")
}

// spoil makes a hybrid of the protective table, or damages the header behind
// it.
func (d *Drive) spoil(image string) error {
	f, err := os.OpenFile(image, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	if d.Table == "damaged" {
		_, err = f.WriteAt([]byte{0xFF}, int64(d.Sector)+20)
		return err
	}
	// A second entry: type 83 over the second partition.
	_, err = f.WriteAt([]byte{0, 0, 2, 0, 0x83, 0, 0, 0, 0, 0x48, 1, 0, 0, 8, 0, 0}, 446+16)
	return err
}
