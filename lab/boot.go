package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// boot runs a machine to its end and returns what its console said.
func boot(ctx context.Context, m *Machine, dir string, p *parts, to *reporting) ([]byte, error) {
	args, err := hardware(m, p.kind, dir)
	if err != nil {
		return nil, err
	}
	// An emulated clock is late while the machine outside is busy; the kernel would take its timer for broken.
	line := "console=" + p.kind.console + " loglevel=1 panic=-1 no_timer_check"
	tree := p.tree
	if m.Layer != "" {
		tree = "" // the machine fills its root itself
	}
	if m.System == "debian" {
		line += " systemd.show_status=0"
		if tree, err = debian(dir, p, m.Drives[0].device(0, 2), m.Drives[0].device(0, 1)); err != nil {
			return nil, err
		}
	}
	var below []string // what a layer is made of
	for i := range m.Drives {
		d := &m.Drives[i]
		more, err := d.make(dir, i, p, tree)
		if err != nil {
			return nil, err
		}
		args = append(args, more...)
		last := 2
		if d.Table == "mbr" {
			last = 1
		}
		switch {
		case d.Root && m.Layer != "":
			below = append(below, d.device(i, last))
		case d.Root && last == 1:
			line += " lab.root=" + d.device(i, 1)
		case d.Root:
			line += " lab.root=" + d.device(i, 2) + " lab.esp=" + d.device(i, 1)
		}
	}
	if m.Layer != "" {
		line += " lab.layer=" + m.Layer + " lab.below=" + strings.Join(below, ",")
	}
	if m.User != "" {
		line += " lab.user=" + m.User
	}
	if m.Container {
		line += " lab.container"
	}
	if m.Lies != "" {
		line += " lab.lies=" + m.Lies
	}
	network := []string{"-nic", "none"}
	if to != nil {
		line += " lab.server=" + guestAddress + " lab.token=" + to.token
		network = to.network()
	}
	args = append(args, network...)
	image := p.kernel
	if m.Firmware == "uefi-secure" {
		image = p.signed
	}
	args = append(args, "-kernel", image, "-initrd", p.initrd, "-append", line)
	if m.TPM != "none" {
		more, stop, err := startTPM(ctx, m, dir)
		if err != nil {
			return nil, err
		}
		defer stop()
		args = append(args, more...)
	}
	var console bytes.Buffer
	cmd := exec.CommandContext(ctx, p.kind.emulator, append(args, m.Arguments...)...)
	cmd.Stdout, cmd.Stderr = &console, &console
	cmd.WaitDelay = 5 * time.Second
	if err := cmd.Run(); err != nil {
		return nil, fmt.Errorf("%w; the console ends with:\n%s", err, console.Bytes()[max(0, console.Len()-600):])
	}
	return console.Bytes(), nil
}

// hardware is the machine without its drives.
func hardware(m *Machine, k *kind, dir string) ([]string, error) {
	machine := k.board
	keys := m.Firmware == "uefi-secure" || m.Firmware == "uefi-off"
	if keys || m.Firmware == "uefi-32" {
		machine += ",smm=on"
	}
	mib, topology, processor := 1536, "2", "max"
	if m.MiB > 0 {
		mib = m.MiB
	}
	if m.Topology != "" {
		topology = m.Topology
	}
	if m.Processor != "" {
		processor = m.Processor
	}
	args := []string{
		"-M", machine, "-accel", "tcg", "-m", fmt.Sprint(mib), "-smp", topology, "-cpu", processor, "-nographic",
		"-no-reboot",
	}
	if m.Firmware != "legacy" {
		code, store := firmwareDir+"OVMF_CODE_4M.fd", firmwareDir+"OVMF_VARS_4M.fd"
		switch {
		case m.Kind == "arm64":
			code, store = "/usr/share/AAVMF/AAVMF_CODE.fd", "/usr/share/AAVMF/AAVMF_VARS.fd"
		case m.Firmware == "uefi-32":
			code, store = firmwareDir+"OVMF32_CODE_4M.secboot.fd", firmwareDir+"OVMF32_VARS_4M.fd"
		case keys:
			code, store = firmwareDir+"OVMF_CODE_4M.secboot.fd", firmwareDir+"OVMF_VARS_4M.snakeoil.fd"
		}
		if keys || m.Firmware == "uefi-32" {
			args = append(args, "-global", "driver=cfi.pflash01,property=secure,value=on")
		}
		vars := filepath.Join(dir, "vars.fd")
		if err := copyFile(store, vars, 0o600); err != nil {
			return nil, err
		}
		if m.Firmware == "uefi-off" {
			if err := switchOff(vars); err != nil {
				return nil, err
			}
		}
		args = append(args, "-drive", "if=pflash,format=raw,readonly=on,file="+code, "-drive",
			"if=pflash,format=raw,file="+vars)
	}
	for i, t := range m.tables() {
		path := filepath.Join(dir, fmt.Sprintf("table%d", i))
		if err := os.WriteFile(path, []byte(t), 0o600); err != nil {
			return nil, err
		}
		args = append(args, "-smbios", "file="+path)
	}
	return args, nil
}

// startTPM starts a software TPM with a state of its own.
func startTPM(ctx context.Context, m *Machine, dir string) (args []string, stop func(), err error) {
	socket := filepath.Join(dir, "tpm.sock")
	swtpm := []string{"socket", "--tpmstate", "dir=" + dir, "--ctrl", "type=unixio,path=" + socket}
	device := "tpm-tis,tpmdev=t"
	if m.Kind == "arm64" {
		device = "tpm-tis-device,tpmdev=t"
	}
	if m.TPM != "tis12" {
		swtpm = append(swtpm, "--tpm2")
	}
	if m.TPM == "crb" {
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
	if err := appears(socket); err != nil {
		stop()
		return nil, nil, err
	}
	return []string{
		"-chardev", "socket,id=c,path=" + socket, "-tpmdev", "emulator,id=t,chardev=c", "-device", device,
	}, stop, nil
}

// switchOff does in the store of variables what a person does in the firmware's set-up: the keys stay, and secure
// boot is off.
func switchOff(vars string) error {
	b, err := os.ReadFile(vars)
	if err != nil {
		return err
	}
	var name []byte
	for _, c := range "SecureBootEnable\x00" {
		name = append(name, byte(c), 0)
	}
	at := bytes.Index(b, name)
	if at < 0 || b[at+len(name)] != 1 {
		return fmt.Errorf("the firmware's variables do not say that secure boot is on")
	}
	b[at+len(name)] = 0
	return os.WriteFile(vars, b, 0o600)
}
