// Package attest verifies what a TPM 2.0 says of how its machine was started: a quote over registers 0 to 7,
// the log that accounts for them, and the key that signed (TCG PC Client Platform Firmware Profile; TPM 2.0
// Library, part 1, sections 17, 24 and 31). From that it states a few facts, which a machine cannot choose.
package attest

import (
	"bytes"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/decode/bootlog"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/fact"
)

// Evidence is what a machine hands over.
type Evidence struct {
	Key          []byte   // public area of the key that signed the quote
	Endorsement  []byte   // public area of the endorsement key of the TPM
	Quote        []byte   // what the TPM says of its registers
	Signature    []byte   // over the quote
	Log          []byte   // what firmware measured
	Certificates [][]byte // of the endorsement key, then of who issued it; empty where the maker provided none
}

// MaxPart bounds each part of evidence but the log, in bytes.
const MaxPart = 8 << 10

// Qualify is what a quote has for its nonce: it binds the quote to one request and to the machine's own key,
// so that a quote of another machine is worth nothing here. machine is the machine's public key as it is
// written in signatures.
func Qualify(nonce []byte, machine string) []byte {
	h := sha256.New()
	h.Write([]byte("rolltop attestation\x00"))
	h.Write(nonce)
	h.Write([]byte(machine))
	return h.Sum(nil)
}

// Claim is one fact that a proof states.
type Claim struct {
	Fact  string `json:"fact"`
	Value string `json:"value"`
}

// Proof is what verified evidence says.
type Proof struct {
	Key         string            `json:"key"`                   // name of the key that signed, as hexadecimal digits
	Endorsement string            `json:"endorsement"`           // name of the endorsement key: which TPM it is
	Algorithm   string            `json:"algorithm"`             // of the registers
	Certificate string            `json:"certificate,omitempty"` // what is known of the maker's certificate, one of the words below
	Maker       string            `json:"maker,omitempty"`       // of the TPM, by a certificate that was verified
	Resets      uint32            `json:"resets"`                // how often the TPM was started anew
	Claims      []Claim           `json:"claims"`
	Measured    *bootlog.Measured `json:"measured"`
}

// States of the maker's certificate.
const (
	CertificateNone     = "none"     // the TPM holds none
	CertificateUnknown  = "unknown"  // it is of this key, and nobody named its issuer as a maker of TPMs
	CertificateVerified = "verified" // it leads to a maker that the organisation named
)

// Refused says why evidence is no proof, in a sentence.
type Refused struct{ Says string }

func (e *Refused) Error() string { return e.Says }

func refuse(format string, args ...any) error { return &Refused{fmt.Sprintf(format, args...)} }

// Verify checks evidence for a nonce that [Qualify] gave. The certificates are looked at apart, by
// [Proof.Certify]. That the key is of the TPM with the endorsement key is only known once that TPM opened a
// credential, see [Enrol]. The error is [*Refused].
func Verify(e *Evidence, nonce []byte) (*Proof, error) {
	key, err := tpm.ReadPublic(e.Key)
	if err != nil {
		return nil, refuse("the key of the quote cannot be read: %s", plain(err))
	}
	if !key.Signs() {
		return nil, refuse("the key of the quote could sign anything; a quote needs a key that signs only what " +
			"its TPM made itself")
	}
	endorsement, err := tpm.ReadPublic(e.Endorsement)
	if err != nil {
		return nil, refuse("the endorsement key of the TPM cannot be read: %s", plain(err))
	}
	if !endorsement.Protects() {
		return nil, refuse("the endorsement key does not have the form that makers of TPMs give it")
	}
	if err := key.Verify(e.Quote, e.Signature); err != nil {
		return nil, refuse("the signature of the quote is wrong: %s", plain(err))
	}
	quote, err := tpm.ReadQuote(e.Quote)
	if err != nil {
		return nil, refuse("the quote cannot be read: %s", plain(err))
	}
	if subtle.ConstantTimeCompare(quote.Nonce, nonce) != 1 {
		return nil, refuse("the quote answers another request: it was recorded earlier, or for another machine")
	}
	measured, err := accounted(quote, e.Log)
	if err != nil {
		return nil, err
	}
	p := &Proof{
		Key:         hex.EncodeToString(key.Name[2:]),
		Endorsement: hex.EncodeToString(endorsement.Name[2:]),
		Algorithm:   algorithms[quote.Hash],
		Resets:      quote.Resets,
		Measured:    measured,
	}
	p.state()
	return p, nil
}

// algorithms are those whose registers count.
var algorithms = map[uint16]string{bootlog.SHA256: "SHA-256", bootlog.SHA384: "SHA-384"}

// quoted are the registers that a quote must be over: what firmware measures.
var quoted = []int{0, 1, 2, 3, 4, 5, 6, 7}

// accounted reads a log that accounts for every quoted register.
func accounted(q *tpm.Quote, text []byte) (*bootlog.Measured, error) {
	if algorithms[q.Hash] == "" {
		return nil, refuse("the quote is over registers of the algorithm %#x; SHA-256 or SHA-384 is needed", q.Hash)
	}
	if !slices.Equal(q.Registers, quoted) {
		return nil, refuse("the quote is not over registers 0 to 7")
	}
	log, err := bootlog.Parse(text)
	if err != nil {
		return nil, refuse("the boot log cannot be read: %s", plain(err))
	}
	values, err := log.Replay(q.Hash)
	if err != nil {
		return nil, refuse("the boot log cannot be used: %s", plain(err))
	}
	h, _ := bootlog.Hash(q.Hash)
	// The quote's digest is by the hash of the key's signature: SHA-256 for all keys that are read.
	sum := sha256.New()
	for _, r := range quoted {
		if len(values[r]) != h.Size() {
			return nil, refuse("the boot log cannot be used: register %d has no value", r)
		}
		sum.Write(values[r])
	}
	if !bytes.Equal(sum.Sum(nil), q.Digest) {
		return nil, refuse("the boot log does not account for what the TPM measured: events are missing, were " +
			"changed, or do not belong to this start")
	}
	m := log.Measured(q.Hash)
	return &m, nil
}

// plain is what an error of a decoder says without the decoder's name.
func plain(err error) string {
	_, says, ok := strings.Cut(err.Error(), ": ")
	if !ok {
		return err.Error()
	}
	return says
}

// state works out the claims.
func (p *Proof) state() {
	say := func(id fact.ID, value string) {
		if value != "" {
			p.Claims = append(p.Claims, Claim{id.String(), value})
		}
	}
	say(fact.SecureBoot, p.Measured.SecureBoot)
	if p.Measured.UEFI {
		say(fact.BootMode, "uefi")
	}
	if p.Measured.BootDisk != nil {
		say(fact.BootStyle, "gpt")
	}
	say(fact.TPMState, "ready") // it answered
	say(fact.TPMVersion, "2.0")
}

// Short is the beginning of a key's name, as a person reads it.
func Short(key string) string { return key[:min(16, len(key))] }

// Source says where an attested fact is from.
func (p *Proof) Source(at time.Time) string {
	return fmt.Sprintf("attested by its TPM with key %s on %s", Short(p.Key), at.UTC().Format(time.DateOnly))
}
