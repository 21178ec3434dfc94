package main

import (
	"fmt"
	"os"
	"path/filepath"
)

// debianRoot is where lab/install.sh puts a small installation of Debian with systemd.
const debianRoot = unpacked + "debian"

// readUnit runs the collector when nothing else is left to start.
const readUnit = `[Unit]
Description=Read the machine
[Service]
Type=idle
ExecStart=/usr/local/sbin/read-the-machine
`

// readScript hands the inventory over the console.
const readScript = `#!/bin/sh
/usr/local/bin/rolltop-collect --software all --output /run/inventory.json
echo 1 > /proc/sys/kernel/printk
{ echo BEGIN-INVENTORY; cat /run/inventory.json; echo END-INVENTORY; } > /dev/console
systemctl poweroff --force --force
`

// debian makes a root directory of Debian that reads its machine when it is started from the partitions root and esp.
func debian(dir string, p *parts, root, esp string) (tree string, err error) {
	tree = filepath.Join(dir, "debian")
	if err := command("cp", "-a", "--reflink=auto", debianRoot, tree); err != nil {
		return "", err
	}
	at := func(path string) string { return filepath.Join(tree, path) }
	if err := os.MkdirAll(at("boot/efi"), 0o755); err != nil {
		return "", err
	}
	mounts := fmt.Sprintf("%s / ext4 defaults 0 1\n%s /boot/efi vfat defaults 0 1\n", root, esp)
	for path, text := range map[string]string{
		"etc/fstab":                                mounts,
		"etc/hostname":                             "terns-1\n",
		"etc/systemd/system/read.service":          readUnit,
		"usr/local/sbin/read-the-machine":          readScript,
		"etc/systemd/system/getty@.service":        "",
		"etc/systemd/system/apt-daily.timer":       "",
		"etc/systemd/system/serial-getty@.service": "",
	} {
		if err := os.WriteFile(at(path), []byte(text), 0o755); err != nil {
			return "", err
		}
	}
	if err := copyFile(filepath.Join(p.tree, "bin/collect"), at("usr/local/bin/rolltop-collect"), 0o755); err != nil {
		return "", err
	}
	return tree, os.Symlink("../read.service", at("etc/systemd/system/multi-user.target.wants/read.service"))
}
