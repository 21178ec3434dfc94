package standin

import (
	"bytes"
	"context"
	"strings"
	"time"

	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/inventory"
)

// Attester takes what a machine's made-up TPM proves, with a key that follows from a seed.
type Attester interface {
	Attest(ctx context.Context, name string, at time.Time, chip *sample.Chip, log []byte) error
}

// Machines of Corbel Head, whose collectors run as administrator, that do not simply attest what they report.
const (
	lies       = "CORB-015" // its system reports secure boot as on
	otherBoard = "CORB-007" // its board was exchanged
	cutShort   = "CORB-017" // its log is not whole
)

// attest lets the PCs of one site prove what they report.
func attest(ctx context.Context, s Attester, now time.Time) error {
	machines, err := fleet(now)
	if err != nil {
		return err
	}
	for _, d := range machines {
		name := d.Device.Name.Or("")
		if !strings.HasPrefix(name, "CORB-") || d.TPM.Version.Or("") != "2.0" || d.TPM.State.Or("") != "ready" ||
			d.Firmware.BootMode.Or("") != "uefi" {
			continue
		}
		log, registers := bootLog(d, name == lies).Write()
		if name == cutShort {
			log = log[:bytes.LastIndex(log, []byte("Exit Boot"))-72]
		}
		chip := &sample.Chip{Seed: name, Registers: registers}
		if err := s.Attest(ctx, name, now, chip, log); err != nil {
			return err
		}
		if name == otherBoard {
			chip = &sample.Chip{Seed: name + ", after the repair", Registers: registers}
			if err := s.Attest(ctx, name, now.Add(time.Second), chip, log); err != nil {
				return err
			}
		}
	}
	return nil
}

// bootLog is what the firmware of a machine measures, by what its system reports; of one whose system lies, the
// contrary.
func bootLog(d *inventory.Document, lies bool) sample.BootLog {
	l := sample.BootLog{
		Keys:    3,
		Version: d.Firmware.Version.Or(""),
		Entries: []string{"Skerry Boot", "Network"},
	}
	switch d.Firmware.SecureBoot.Or("") {
	case "on":
		l.SecureBoot = 1
	case "setup":
		l.Keys = 0
	}
	if lies {
		l.SecureBoot = 1 - l.SecureBoot
	}
	if d.Storage.Boot.PartitionStyle.Or("") == "gpt" {
		l.Disk = "5e1f0000-0000-4000-8000-0000000000" + strings.TrimPrefix(d.Device.Name.Or(""), "CORB-0")
	}
	return l
}
