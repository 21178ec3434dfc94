package main

import (
	"path/filepath"
	"slices"
)

// kind is a kind of machine: what emulates it, and the kernel that it starts.
type kind struct {
	emulator string
	board    string // of the emulator
	console  string
	goarch   string // of the collector
	root     string // directory with boot, lib/modules and bin/busybox; "" is the machine that the lab runs on
	kernels  string // pattern of their names
	modules  []string
	programs bool // its system can have layers: it runs the programs of the machine that the lab runs on
}

const unpacked = "/usr/local/lib/rolltop-lab/"

// hardwareModules are what kernels for all hardware need, beside those of the cloud's.
var hardwareModules = []string{
	"crc32c_generic", "nvme", "ahci", "sd_mod", "ext4", "xhci_pci", "usb_storage", "uas", "sdhci_pci", "mmc_block",
	"overlay", "tpm_tis", "efivarfs", "nls_cp437", "nls_ascii", "vfat",
}

// kinds are all kinds of machines; the first is that of machines whose file names none.
var kinds = map[string]*kind{
	"": {
		emulator: "qemu-system-x86_64", board: "q35", console: "ttyS0", goarch: "amd64",
		kernels: "vmlinuz-*-cloud-amd64", programs: true,
		modules: []string{
			"efivarfs", "virtio_pci", "virtio_blk", "nls_cp437", "nls_ascii", "vfat", "raid1", "dm_crypt", "ecb", "xts",
			"algif_skcipher", "algif_hash", "virtio_net", "raid0", "raid10", "btrfs", "xfs", "virtio_scsi", "sd_mod",
		},
	},
	"generic": {
		emulator: "qemu-system-x86_64", board: "q35", console: "ttyS0", goarch: "amd64", root: unpacked + "generic",
		kernels: "vmlinuz-*-amd64", programs: true, modules: append([]string{"bcache"}, hardwareModules...),
	},
	"i686": {
		emulator: "qemu-system-x86_64", board: "q35", console: "ttyS0", goarch: "386", root: unpacked + "i686",
		kernels: "vmlinuz-*-686", modules: hardwareModules,
	},
	"arm64": {
		emulator: "qemu-system-aarch64", board: "virt", console: "ttyAMA0", goarch: "arm64", root: unpacked + "arm64",
		kernels: "vmlinuz-*-arm64",
		modules: []string{
			"efivarfs", "virtio_pci", "virtio_blk", "nvme", "crc32c_generic", "ext4", "nls_cp437", "nls_ascii", "vfat",
			"tpm_tis",
		},
	},
}

// kernel is the newest kernel of the kind; "" where none is there.
func (k *kind) kernel() string {
	list, _ := filepath.Glob(filepath.Join("/", k.root, "boot", k.kernels))
	if len(list) == 0 {
		return ""
	}
	slices.Sort(list)
	return list[len(list)-1]
}

// lib is the directory of the kernel's modules.
func (k *kind) lib() string {
	version := filepath.Base(k.kernel())[len("vmlinuz-"):]
	return filepath.Join("/", k.root, "lib/modules", version)
}
