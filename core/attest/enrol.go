package attest

import (
	"crypto"
	"crypto/subtle"
	"crypto/x509"
	"encoding/asn1"
	"errors"
	"io"
	"slices"
	"time"

	"rolltop.example/rolltop/core/decode/tpm"
)

// secretSize is how long the secret of a challenge is, in bytes.
const secretSize = 32

// Challenge is what a TPM must open to show that the key of a quote is its own.
type Challenge struct {
	tpm.Credential
	secret []byte
}

// Enrol makes a challenge: only the TPM with the endorsement key opens it, and only if the key of the quote is
// in it. random is a source of randomness.
func Enrol(e *Evidence, random io.Reader) (*Challenge, error) {
	key, err1 := tpm.ReadPublic(e.Key)
	endorsement, err2 := tpm.ReadPublic(e.Endorsement)
	if err := errors.Join(err1, err2); err != nil {
		return nil, err
	}
	c := &Challenge{secret: make([]byte, secretSize)}
	if _, err := io.ReadFull(random, c.secret); err != nil {
		return nil, err
	}
	sealed, err := endorsement.Seal(random, key.Name, c.secret)
	if err != nil {
		return nil, err
	}
	c.Credential = *sealed
	return c, nil
}

// Opened says whether an answer is the secret of the challenge.
func (c *Challenge) Opened(answer []byte) bool {
	return subtle.ConstantTimeCompare(c.secret, answer) == 1
}

// Certify looks at the certificates of evidence: whether the first one is of the endorsement key, and whether
// it leads to a maker. makers are certificates of makers of TPMs that the organisation trusts; nil: none.
func (p *Proof) Certify(e *Evidence, makers *x509.CertPool, now time.Time) {
	p.Certificate, p.Maker = CertificateNone, ""
	endorsement, err := tpm.ReadPublic(e.Endorsement)
	if err != nil || len(e.Certificates) == 0 {
		return
	}
	own, err := certificate(e.Certificates[0])
	if err != nil {
		return
	}
	if !same(endorsement.Key, own.PublicKey) {
		return
	}
	p.Certificate = CertificateUnknown
	if makers == nil {
		return
	}
	between := x509.NewCertPool()
	for _, der := range e.Certificates[1:] {
		if c, err := certificate(der); err == nil {
			between.AddCert(c)
		}
	}
	// The name of the TPM is in an extension that is marked critical (TCG EK Credential Profile, section 3.2.9).
	own.UnhandledCriticalExtensions = slices.DeleteFunc(own.UnhandledCriticalExtensions,
		func(id asn1.ObjectIdentifier) bool { return id.Equal(alternativeName) })
	chains, err := own.Verify(x509.VerifyOptions{
		Roots: makers, Intermediates: between, CurrentTime: now, KeyUsages: []x509.ExtKeyUsage{x509.ExtKeyUsageAny},
	})
	if err != nil {
		return
	}
	root := chains[0][len(chains[0])-1]
	p.Certificate = CertificateVerified
	p.Maker = root.Subject.CommonName
	if len(root.Subject.Organization) > 0 {
		p.Maker = root.Subject.Organization[0]
	}
}

// alternativeName is the extension with other names of a subject (RFC 5280, section 4.2.1.6).
var alternativeName = asn1.ObjectIdentifier{2, 5, 29, 17}

// same says whether two public keys are one.
func same(a, b crypto.PublicKey) bool {
	is, ok := a.(interface{ Equal(crypto.PublicKey) bool })
	return ok && is.Equal(b)
}

// certificate decodes a certificate that something may follow: places of a TPM may be larger than what they hold.
func certificate(der []byte) (*x509.Certificate, error) {
	var whole asn1.RawValue
	if _, err := asn1.Unmarshal(der, &whole); err != nil {
		return nil, err
	}
	return x509.ParseCertificate(whole.FullBytes)
}
