package attest_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/say"
)

var taken = time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)

// standing is a machine that attested itself.
func standing(t *testing.T, l sample.BootLog, fresh bool) *attest.Standing {
	t.Helper()
	_, e := evidence(t, started("a", l))
	p, err := attest.Verify(e, nonce)
	if err != nil {
		t.Fatal(err)
	}
	return &attest.Standing{State: attest.Attested, At: taken, Proof: p, Fresh: fresh}
}

// reads is an inventory that a system handed in.
func reads(secureBoot, mode string) *inventory.Document {
	d := &inventory.Document{Format: inventory.Format, TakenAt: taken}
	d.OS.Platform = inventory.Some("linux")
	if secureBoot != "" {
		d.Firmware.SecureBoot = inventory.Some(secureBoot)
	} else {
		d.AddGap("firmware.secure_boot", inventory.NeedsRights, "", "")
	}
	if mode != "" {
		d.Firmware.BootMode = inventory.Some(mode)
	}
	d.TPM.State, d.TPM.Version = inventory.Some("ready"), inventory.Some("2.0")
	return d
}

func TestApply(t *testing.T) {
	off := safe
	off.SecureBoot = 0
	for _, c := range []struct {
		name             string
		read             *inventory.Document
		standing         *attest.Standing
		after            time.Duration
		state, boot, not string // the attestation; secure boot; a fact that is not attested
		conflict         bool
	}{
		{"it agrees", reads("on", "uefi"), standing(t, safe, true), 0, "attested", "on", "", false},
		{"it fills a gap", reads("", "uefi"), standing(t, off, true), 0, "attested", "off", "", false},
		{"the system lies", reads("on", "uefi"), standing(t, off, true), 0, "contradicted", "", "firmware.secure_boot",
			true},
		{"the boot mode differs", reads("on", "legacy"), standing(t, safe, true), 0, "contradicted", "on",
			"firmware.boot_mode", false},
		{"an earlier proof agrees", reads("on", "uefi"), standing(t, safe, false), time.Hour, "attested", "on", "",
			false},
		{"an earlier proof, and it was switched off since", reads("off", "uefi"), standing(t, safe, false), time.Hour,
			"attested", "off", "firmware.secure_boot", false},
		{"an earlier proof fills no gap", reads("", "uefi"), standing(t, safe, false), time.Hour, "attested", "",
			"firmware.secure_boot", false},
		{"a proof of long ago", reads("on", "uefi"), standing(t, safe, true), attest.Lasts + time.Hour, "", "on",
			"firmware.secure_boot", false},
		{"it was refused", reads("on", "uefi"), &attest.Standing{State: attest.Rejected, At: taken, Why: "a cut log"},
			0, "refused", "on", "firmware.secure_boot", false},
		{"never attested", reads("on", "uefi"), nil, 0, "", "on", "firmware.secure_boot", false},
	} {
		t.Run(c.name, func(t *testing.T) {
			before := fact.Read(c.read).Get(fact.SecureBoot).Plain()
			f := fact.Read(attest.Apply(c.read, c.standing, taken.Add(c.after)))
			if got := f.Value(fact.Attestation).Text(); got != c.state {
				t.Errorf("attestation %q; want %q", got, c.state)
			}
			if got := f.Value(fact.SecureBoot).Text(); got != c.boot {
				t.Errorf("secure boot %q; want %q", got, c.boot)
			}
			if got := len(f.Get(fact.SecureBoot).Others()) == 2; got != c.conflict {
				t.Errorf("two readings: %v", got)
			}
			attested := fact.Items(f.Get(fact.AttestedFacts).Floor().Set())
			for _, name := range []string{"firmware.secure_boot", "firmware.boot_mode"} {
				if want := c.state == "attested" || c.state == "contradicted"; attested.Has(
					name,
				) != (want && name != c.not) {
					t.Errorf("%s attested: %v", name, attested.Has(name))
				}
			}
			if fact.Read(c.read).Get(fact.SecureBoot).Plain() != before {
				t.Error("the inventory itself was changed")
			}
		})
	}
}

// Firmware measures the table of a disk that it only tried, too: that contradicts nothing, and fills no gap.
func TestPartitionStyleNeverContradicts(t *testing.T) {
	for _, c := range []struct{ name, read, want string }{
		{"it agrees", "gpt", "gpt"}, {"it differs", "mbr", "mbr"}, {"it was not read", "", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			d := reads("on", "uefi")
			if c.read != "" {
				d.Storage.Boot.PartitionStyle = inventory.Some(c.read)
			}
			f := fact.Read(attest.Apply(d, standing(t, safe, true), taken))
			if got := f.Value(fact.BootStyle).Text(); got != c.want || f.Value(fact.Attestation).Text() != "attested" {
				t.Errorf("partition style %q, attestation %s", got, f.Get(fact.Attestation).Plain())
			}
			attested := fact.Items(f.Get(fact.AttestedFacts).Floor().Set()).Has("storage.boot.partition_style")
			if attested != (c.read == "gpt") {
				t.Errorf("attested: %v", attested)
			}
		})
	}
}

// A source says who attested the fact, by which key, and when.
func TestSourceOfAnAttestedFact(t *testing.T) {
	s := standing(t, safe, true)
	f := fact.Read(attest.Apply(reads("", "uefi"), s, taken))
	source := f.Get(fact.SecureBoot).Source
	if !strings.Contains(source, attest.Short(s.Proof.Key)) || !strings.Contains(source, "2026-11-20") {
		t.Errorf("source %q", source)
	}
}

// A person who looked at the machine settles a contradiction; the fact is not attested by that.
func TestContradictionIsSettledByHand(t *testing.T) {
	off := safe
	off.SecureBoot = 0
	d := attest.Apply(reads("on", "uefi"), standing(t, off, true), taken)
	d, left := manual.Enter(d, []manual.Fact{{Fact: "firmware.secure_boot", Value: "off", By: "the technician"}})
	f := fact.Read(d)
	if left != nil || f.Value(fact.SecureBoot).Text() != "off" {
		t.Fatalf("%v, secure boot %s", left, f.Get(fact.SecureBoot).Plain())
	}
	if fact.Items(f.Get(fact.AttestedFacts).Floor().Set()).Has("firmware.secure_boot") {
		t.Error("what a person entered counts as attested")
	}
	s := standing(t, off, true)
	if says := say.Attestation(s, f); !strings.Contains(says, "a person entered what is right") {
		t.Errorf("says %q", says)
	}
}

// Nobody enters or hands in that something is attested.
func TestNobodyEntersAnAttestation(t *testing.T) {
	for _, name := range []string{"tpm.attested", "tpm.attestation"} {
		f := manual.Fact{Fact: name, Value: "attested"}
		if err := f.Check(); err == nil || !strings.Contains(err.Error(), "cannot be entered") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// A TPM that is locked for a while answers as well: that it attests is no contradiction.
func TestLockedTPM(t *testing.T) {
	d := reads("on", "uefi")
	d.TPM.State = inventory.Some("not-ready")
	f := fact.Read(attest.Apply(d, standing(t, safe, true), taken))
	if f.Value(fact.TPMState).Text() != "not-ready" || f.Value(fact.Attestation).Text() != "attested" {
		t.Errorf("TPM %s, attestation %s", f.Get(fact.TPMState).Plain(), f.Get(fact.Attestation).Plain())
	}
}
