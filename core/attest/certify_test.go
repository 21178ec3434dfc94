package attest_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"slices"
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
	// Between the maker and the TPM stand two issuers, whose certificates the TPM holds.
	first, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	upper := issue(t, "upper issuer", &first.PublicKey, maker, root)
	lower := issue(t, "lower issuer", &first.PublicKey, first, upper)
	below := issue(t, "a TPM", m.chip.Endorsement(tpm.EndorsementCurve), first, lower)
	chain := slices.Concat(lower.Raw, upper.Raw)
	padded := slices.Concat(lower.Raw, make([]byte, 40), upper.Raw, []byte{0xFF, 0xFF})
	makers := x509.NewCertPool()
	makers.AddCert(root)
	now := time.Date(2026, 11, 30, 0, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		name        string
		certificate []byte
		makers      *x509.CertPool
		now         time.Time
		want, maker string
		issuers     [][]byte
	}{
		{"of a named maker", own.Raw, makers, now, attest.CertificateVerified, "Plover Firmware", nil},
		{"with something behind it", append(own.Raw[:len(own.Raw):len(own.Raw)], 0xFF, 0xFF), makers, now,
			attest.CertificateVerified, "Plover Firmware", nil},
		{"no maker was named", own.Raw, nil, now, attest.CertificateUnknown, "", nil},
		{"of another maker", own.Raw, x509.NewCertPool(), now, attest.CertificateUnknown, "", nil},
		{"no longer valid", own.Raw, makers, now.AddDate(30, 0, 0), attest.CertificateUnknown, "", nil},
		{"of another key", foreign.Raw, makers, now, attest.CertificateNone, "", nil},
		{"damaged", own.Raw[:40], makers, now, attest.CertificateNone, "", nil},
		{"of an issuer below a maker", below.Raw, makers, now, attest.CertificateVerified, "Plover Firmware",
			[][]byte{chain}},
		{"issuers over two places", below.Raw, makers, now, attest.CertificateVerified, "Plover Firmware",
			[][]byte{chain[:100], chain[100:]}},
		{"places larger than what they hold", below.Raw, makers, now, attest.CertificateVerified, "Plover Firmware",
			[][]byte{padded}},
		{"an issuer is missing", below.Raw, makers, now, attest.CertificateUnknown, "", [][]byte{lower.Raw}},
		{"an issuer is cut", below.Raw, makers, now, attest.CertificateUnknown, "", [][]byte{chain[:len(chain)-1]}},
		{"no issuers", below.Raw, makers, now, attest.CertificateUnknown, "", nil},
		{"none", nil, makers, now, attest.CertificateNone, "", nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			m := started("a", safe)
			m.chip.Certificate, m.chip.Issuers = c.certificate, c.issuers
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
