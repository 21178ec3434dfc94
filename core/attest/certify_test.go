package attest_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"testing"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/tpm"
)

func TestCertificates(t *testing.T) {
	m := started("a", safe)
	maker, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	root := issue(t, "Plover Firmware", &maker.PublicKey, maker, nil)
	own := issue(t, "a TPM", m.chip.Endorsement(tpm.EndorsementCurve), maker, root)
	foreign := issue(t, "a TPM", &maker.PublicKey, maker, root)
	makers := x509.NewCertPool()
	makers.AddCert(root)
	now := time.Date(2026, 11, 30, 0, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		name        string
		certificate []byte
		makers      *x509.CertPool
		now         time.Time
		want, maker string
	}{
		{"of a named maker", own.Raw, makers, now, attest.CertificateVerified, "Plover Firmware"},
		{"with something behind it", append(own.Raw[:len(own.Raw):len(own.Raw)], 0xFF, 0xFF), makers, now,
			attest.CertificateVerified, "Plover Firmware"},
		{"no maker was named", own.Raw, nil, now, attest.CertificateUnknown, ""},
		{"of another maker", own.Raw, x509.NewCertPool(), now, attest.CertificateUnknown, ""},
		{"no longer valid", own.Raw, makers, now.AddDate(30, 0, 0), attest.CertificateUnknown, ""},
		{"of another key", foreign.Raw, makers, now, attest.CertificateNone, ""},
		{"damaged", own.Raw[:40], makers, now, attest.CertificateNone, ""},
		{"none", nil, makers, now, attest.CertificateNone, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			m := started("a", safe)
			m.chip.Certificate = c.certificate
			_, e := evidence(t, m)
			p, err := attest.Verify(e, nonce)
			if err != nil {
				t.Fatal(err)
			}
			p.Certify(e, c.makers, c.now)
			if p.Certificate != c.want || p.Maker != c.maker {
				t.Errorf("%s by %q; want %s by %q", p.Certificate, p.Maker, c.want, c.maker)
			}
		})
	}
}
