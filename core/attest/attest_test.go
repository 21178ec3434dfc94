package attest_test

import (
	"bytes"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"errors"
	"math/big"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/bootlog"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/tpm"
)

// machine is a made-up machine: its TPM, and what its firmware measured.
type machine struct {
	chip *sample.Chip
	log  []byte
}

func started(seed string, l sample.BootLog) machine {
	log, registers := l.Write()
	return machine{&sample.Chip{Seed: seed, Registers: registers}, log}
}

func (m machine) ask(command []byte) ([]byte, error) { return m.chip.Answer(command), nil }

var safe = sample.BootLog{
	SecureBoot: 1,
	Keys:       2,
	Version:    "Plover 4.1",
	Entries:    []string{"Skerry Boot", "Network"},
	Disk:       "5e1f0000-0000-4000-8000-000000000001",
}

var nonce = attest.Qualify([]byte("a fresh one"), "the machine's own key")

func evidence(t *testing.T, m machine) (*attest.Talk, *attest.Evidence) {
	t.Helper()
	talk, err := attest.Begin(m.ask)
	if err != nil {
		t.Fatal(err)
	}
	e, err := talk.Evidence(nonce, m.log)
	if err != nil {
		t.Fatal(err)
	}
	return talk, e
}

func claims(p *attest.Proof) string {
	var out []string
	for _, c := range p.Claims {
		out = append(out, c.Fact+"="+c.Value)
	}
	return strings.Join(out, " ")
}

func TestClaims(t *testing.T) {
	change := func(f func(*sample.BootLog)) sample.BootLog { l := safe; f(&l); return l }
	for _, c := range []struct {
		name string
		log  sample.BootLog
		want string
	}{
		{"secure boot on", safe, "firmware.secure_boot=on firmware.boot_mode=uefi storage.boot.partition_style=gpt " +
			"tpm.state=ready tpm.version=2.0"},
		{"off, with keys", change(func(l *sample.BootLog) { l.SecureBoot = 0 }), "firmware.secure_boot=off " +
			"firmware.boot_mode=uefi storage.boot.partition_style=gpt tpm.state=ready tpm.version=2.0"},
		{"without keys", change(func(l *sample.BootLog) { l.SecureBoot, l.Keys = 0, 0 }),
			"firmware.secure_boot=setup " +
				"firmware.boot_mode=uefi storage.boot.partition_style=gpt tpm.state=ready tpm.version=2.0"},
		{"never handed over as UEFI firmware does", change(func(l *sample.BootLog) { l.Legacy, l.Disk = true, "" }),
			"firmware.secure_boot=on tpm.state=ready tpm.version=2.0"},
		{"a value of the variable that is none", change(func(l *sample.BootLog) { l.SecureBoot = 7 }),
			"firmware.boot_mode=uefi storage.boot.partition_style=gpt tpm.state=ready tpm.version=2.0"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, e := evidence(t, started("a", c.log))
			p, err := attest.Verify(e, nonce)
			if err != nil {
				t.Fatal(err)
			}
			if got := claims(p); got != c.want {
				t.Errorf("claims: %s; want %s", got, c.want)
			}
		})
	}
}

func TestMeasured(t *testing.T) {
	_, e := evidence(t, started("a", safe))
	p, err := attest.Verify(e, nonce)
	if err != nil {
		t.Fatal(err)
	}
	m := p.Measured
	if m.Firmware != "Plover 4.1" || !slices.Equal(m.BootOrder, safe.Entries) {
		t.Errorf("firmware %q, boot order %q", m.Firmware, m.BootOrder)
	}
	if m.Keys != (bootlog.Keys{Platform: 2, Exchange: 2, Allowed: 2, Revoked: 2}) {
		t.Errorf("keys %+v", m.Keys)
	}
	if *m.BootDisk != (bootlog.Table{Disk: safe.Disk, Partitions: 2}) {
		t.Errorf("disk %+v", m.BootDisk)
	}
}

// The key of a machine follows from its TPM: it is the same each time, and another one in another machine.
func TestSameKeyEachTime(t *testing.T) {
	var keys []string
	for _, seed := range []string{"a", "a", "b"} {
		_, e := evidence(t, started(seed, safe))
		p, err := attest.Verify(e, nonce)
		if err != nil {
			t.Fatal(err)
		}
		keys = append(keys, p.Key+p.Endorsement)
	}
	if keys[0] != keys[1] || keys[0] == keys[2] {
		t.Errorf("keys: %q", keys)
	}
}

// Each of these is no proof, and is told why.
func TestRefused(t *testing.T) {
	other := func(t *testing.T) *attest.Evidence {
		l := safe
		l.SecureBoot = 0
		_, e := evidence(t, started("b", l))
		return e
	}
	for _, c := range []struct {
		name   string
		spoil  func(t *testing.T, e *attest.Evidence)
		reason string
	}{
		{"the end of the log is cut", func(_ *testing.T, e *attest.Evidence) {
			e.Log = e.Log[:bytes.LastIndex(e.Log, []byte("Exit Boot Services Returned"))-72]
		}, "does not account for"},
		{"the log is cut within an event", func(_ *testing.T, e *attest.Evidence) { e.Log = e.Log[:len(e.Log)-9] },
			"ends within an event"},
		{"another log", func(t *testing.T, e *attest.Evidence) { e.Log = other(t).Log }, "does not account for"},
		{"a digest of the log is changed", func(_ *testing.T, e *attest.Evidence) {
			e.Log = bytes.Clone(e.Log)
			at := bytes.Index(e.Log, []byte("S\x00e\x00c\x00u\x00r\x00e\x00B\x00")) - 36 - 1
			e.Log[at] ^= 1
		}, "does not account for"},
		{"no log", func(_ *testing.T, e *attest.Evidence) { e.Log = nil }, "the boot log cannot be read"},
		{"another machine's key", func(t *testing.T, e *attest.Evidence) { e.Key = other(t).Key }, "signature"},
		{"another machine's quote", func(t *testing.T, e *attest.Evidence) { e.Quote = other(t).Quote }, "signature"},
		{"a changed quote", func(_ *testing.T, e *attest.Evidence) {
			e.Quote = bytes.Clone(e.Quote)
			e.Quote[len(e.Quote)-1] ^= 1
		}, "signature"},
		{"a key that signs anything", func(_ *testing.T, e *attest.Evidence) {
			e.Key = bytes.Clone(e.Key)
			e.Key[5] &^= 1 // restricted
		}, "could sign anything"},
		{"a key that can leave its TPM", func(_ *testing.T, e *attest.Evidence) {
			e.Key = bytes.Clone(e.Key)
			e.Key[7] &^= 2 // fixed to it
		}, "could sign anything"},
		{"the signing key for the endorsement key", func(_ *testing.T, e *attest.Evidence) { e.Endorsement = e.Key },
			"form that makers"},
		{"an empty key", func(_ *testing.T, e *attest.Evidence) { e.Key = nil }, "cannot be read"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, e := evidence(t, started("a", safe))
			c.spoil(t, e)
			_, err := attest.Verify(e, nonce)
			if no := new(attest.Refused); !errors.As(err, &no) || !strings.Contains(no.Says, c.reason) {
				t.Errorf("error %v; want one that says %q", err, c.reason)
			}
		})
	}
}

// A quote answers one request of one machine's key.
func TestNonce(t *testing.T) {
	_, e := evidence(t, started("a", safe))
	for _, c := range []struct{ name, nonce, machine string }{
		{"another request", "a later one", "the machine's own key"},
		{"another machine's own key", "a fresh one", "another key"},
	} {
		t.Run(c.name, func(t *testing.T) {
			if _, err := attest.Verify(e, attest.Qualify([]byte(c.nonce), c.machine)); err == nil ||
				!strings.Contains(err.Error(), "answers another request") {
				t.Errorf("error %v", err)
			}
		})
	}
}

// Data that the digest does not hold say nothing, although the registers fit.
func TestDataWithoutTheirDigest(t *testing.T) {
	m := started("a", safe)
	at := bytes.Index(m.log, []byte("S\x00e\x00c\x00u\x00r\x00e\x00B\x00o\x00o\x00t\x00")) + 20
	m.log = bytes.Clone(m.log)
	if m.log[at] != 1 {
		t.Fatal("the value is elsewhere")
	}
	m.log[at] = 0
	_, e := evidence(t, m)
	p, err := attest.Verify(e, nonce)
	if err != nil {
		t.Fatal(err)
	}
	if got := claims(p); strings.Contains(got, "secure_boot") {
		t.Errorf("claims: %s", got)
	}
}

func TestEnrolment(t *testing.T) {
	a, b := started("a", safe), started("b", safe)
	talkA, e := evidence(t, a)
	talkB, _ := evidence(t, b)
	challenge, err := attest.Enrol(e, rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	secret, err := talkA.Open(&challenge.Credential)
	if err != nil || !challenge.Opened(secret) {
		t.Errorf("the TPM itself: %v", err)
	}
	if challenge.Opened(nil) || challenge.Opened(secret[:31]) {
		t.Error("another secret was taken")
	}
	if _, err := talkB.Open(&challenge.Credential); err == nil {
		t.Error("another TPM opened the challenge")
	}
	// A key that is not in the TPM with the endorsement key.
	_, foreign := evidence(t, b)
	mixed := *e
	mixed.Key = foreign.Key
	if challenge, err = attest.Enrol(&mixed, rand.Reader); err != nil {
		t.Fatal(err)
	}
	if _, err := talkA.Open(&challenge.Credential); err == nil {
		t.Error("the challenge for a key of another TPM was opened")
	}
}

func TestPassword(t *testing.T) {
	m := started("a", safe)
	m.chip.Password = true
	if _, err := attest.Begin(m.ask); !errors.Is(err, tpm.ErrPassword) {
		t.Errorf("error %v", err)
	}
}

// issue makes a certificate.
func issue(t *testing.T, name string, public, by any, parent *x509.Certificate) *x509.Certificate {
	t.Helper()
	c := &x509.Certificate{
		SerialNumber:          big.NewInt(7),
		Subject:               pkix.Name{Organization: []string{name}},
		NotBefore:             time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC),
		NotAfter:              time.Date(2046, 1, 1, 0, 0, 0, 0, time.UTC),
		IsCA:                  parent == nil || strings.HasSuffix(name, "issuer"),
		BasicConstraintsValid: true,
	}
	if parent == nil {
		parent = c
	}
	der, err := x509.CreateCertificate(rand.Reader, c, parent, public, by)
	if err != nil {
		t.Fatal(err)
	}
	out, err := x509.ParseCertificate(der)
	if err != nil {
		t.Fatal(err)
	}
	return out
}
