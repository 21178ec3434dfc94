package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"
)

const (
	ovmfCode = "/usr/share/OVMF/OVMF_CODE_4M.fd"
	ovmfVars = "/usr/share/OVMF/OVMF_VARS_4M.fd"
)

func kernel() string {
	list, _ := filepath.Glob("/boot/vmlinuz-*-cloud-amd64")
	if len(list) == 0 {
		return ""
	}
	return list[len(list)-1]
}

func missingTools() []string {
	var missing []string
	for _, tool := range []string{"qemu-system-x86_64", "swtpm", "busybox", "cpio"} {
		if _, err := exec.LookPath(tool); err != nil {
			missing = append(missing, tool)
		}
	}
	if _, err := os.Stat(ovmfCode); err != nil {
		missing = append(missing, "OVMF")
	}
	if kernel() == "" {
		missing = append(missing, "a kernel")
	}
	return missing
}

const initScript = `#!/bin/busybox sh
/bin/busybox mount -t proc proc /proc
/bin/busybox mount -t sysfs sys /sys
/bin/busybox mount -t devtmpfs dev /dev
[ -f /mod/efivarfs.ko ] && /bin/busybox insmod /mod/efivarfs.ko
[ -d /sys/firmware/efi ] && /bin/busybox mount -t efivarfs efivarfs /sys/firmware/efi/efivars
/bin/collect --out /inventory.json
echo 1 > /proc/sys/kernel/printk # no word of the kernel's in between
echo BEGIN-INVENTORY
/bin/busybox cat /inventory.json
echo END-INVENTORY
/bin/busybox poweroff -f
`

// buildInitrd packs busybox, the collector and the one module it needs.
func buildInitrd(work string) (string, error) {
	root := filepath.Join(work, "root")
	for _, dir := range []string{"bin", "proc", "sys", "dev", "mod"} {
		if err := os.MkdirAll(filepath.Join(root, dir), 0o755); err != nil {
			return "", err
		}
	}
	build := exec.Command("go", "build", "-trimpath", "-ldflags", "-s -w", "-o", filepath.Join(root, "bin/collect"), "./cmd/rolltop-collect")
	build.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS=linux", "GOARCH=amd64")
	if out, err := build.CombinedOutput(); err != nil {
		return "", fmt.Errorf("the collector does not build: %w\n%s", err, out)
	}
	busybox, err := exec.LookPath("busybox")
	if err != nil {
		return "", err
	}
	if err := copyFile(busybox, filepath.Join(root, "bin/busybox"), 0o755); err != nil {
		return "", err
	}
	if modules, _ := filepath.Glob("/lib/modules/*-cloud-amd64/kernel/fs/efivarfs/efivarfs.ko"); len(modules) > 0 {
		if err := copyFile(modules[len(modules)-1], filepath.Join(root, "mod/efivarfs.ko"), 0o644); err != nil {
			return "", err
		}
	}
	if err := os.WriteFile(filepath.Join(root, "init"), []byte(initScript), 0o755); err != nil {
		return "", err
	}
	initrd := filepath.Join(work, "initrd.gz")
	pack := exec.Command("sh", "-c", `cd "$1" && find . | cpio -o -H newc 2>/dev/null | gzip -1 > "$2"`, "sh", root, initrd)
	if out, err := pack.CombinedOutput(); err != nil {
		return "", fmt.Errorf("the files cannot be packed: %w\n%s", err, out)
	}
	return initrd, nil
}

func copyFile(from, to string, mode os.FileMode) error {
	b, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, b, mode)
}

// boot runs a machine to its end and returns what its console said.
func boot(ctx context.Context, m *Machine, dir, initrd string) ([]byte, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	args := []string{"-M", "q35", "-accel", "tcg", "-m", "1536", "-smp", "2", "-nographic", "-no-reboot",
		"-kernel", kernel(), "-initrd", initrd, "-append", "console=ttyS0 loglevel=1 panic=-1"}
	if m.Processor != "" {
		args = append(args, "-cpu", m.Processor)
	}
	if m.Firmware == "uefi" {
		vars := filepath.Join(dir, "vars.fd")
		if err := copyFile(ovmfVars, vars, 0o600); err != nil {
			return nil, err
		}
		args = append(args, "-drive", "if=pflash,format=raw,readonly=on,file="+ovmfCode, "-drive", "if=pflash,format=raw,file="+vars)
	}
	if m.Drive == "nvme" {
		image := filepath.Join(dir, "drive.img")
		if err := os.WriteFile(image, nil, 0o600); err != nil {
			return nil, err
		}
		if err := os.Truncate(image, 1<<30); err != nil {
			return nil, err
		}
		args = append(args, "-drive", "if=none,id=d,format=raw,file="+image, "-device", "nvme,drive=d,serial=LAB1")
	}
	if m.TPM != "none" {
		more, stop, err := startTPM(ctx, m.TPM, dir)
		if err != nil {
			return nil, err
		}
		defer stop()
		args = append(args, more...)
	}
	var console bytes.Buffer
	cmd := exec.CommandContext(ctx, "qemu-system-x86_64", append(args, m.Arguments...)...)
	cmd.Stdout, cmd.Stderr = &console, &console
	cmd.WaitDelay = 5 * time.Second
	if err := cmd.Run(); err != nil {
		return nil, fmt.Errorf("%w; the console ends with:\n%s", err, console.Bytes()[max(0, console.Len()-600):])
	}
	return console.Bytes(), nil
}

// startTPM starts a software TPM with a state of its own.
func startTPM(ctx context.Context, kind, dir string) (args []string, stop func(), err error) {
	socket := filepath.Join(dir, "tpm.sock")
	swtpm := []string{"socket", "--tpmstate", "dir=" + dir, "--ctrl", "type=unixio,path=" + socket}
	device := "tpm-tis,tpmdev=t"
	if kind != "tis12" {
		swtpm = append(swtpm, "--tpm2")
	}
	if kind == "crb" {
		device = "tpm-crb,tpmdev=t"
	}
	cmd := exec.CommandContext(ctx, "swtpm", swtpm...)
	if err := cmd.Start(); err != nil {
		return nil, nil, err
	}
	stop = func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	}
	for range 100 {
		if _, err := os.Stat(socket); err == nil {
			return []string{"-chardev", "socket,id=c,path=" + socket, "-tpmdev", "emulator,id=t,chardev=c", "-device", device}, stop, nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	stop()
	return nil, nil, fmt.Errorf("the software TPM does not start")
}
