package attest

import (
	"errors"
	"fmt"

	"rolltop.example/rolltop/core/decode/bootlog"
	"rolltop.example/rolltop/core/decode/tpm"
)

// Ask gives a command to a TPM and returns its answer. Handles last as long as what is behind it is open.
type Ask func(command []byte) ([]byte, error)

// Talk is a conversation with a TPM: it makes two keys that end with it, and changes nothing else.
type Talk struct {
	ask              Ask
	key, endorsement uint32 // handles
	hash             uint16
	evidence         Evidence
}

// ErrNoRegisters says that the firmware switched on only registers of algorithms that are no longer trusted.
var ErrNoRegisters = errors.New("the TPM has no registers for SHA-256 or SHA-384; its firmware has switched them off")

// Begin makes the keys, and reads the certificates of the TPM's maker. The error may be [tpm.ErrPassword] or
// [ErrNoRegisters].
func Begin(ask Ask) (*Talk, error) {
	t := &Talk{ask: ask}
	for _, hash := range []uint16{bootlog.SHA256, bootlog.SHA384} {
		reply, err := ask(tpm.ReadRegisters(hash))
		if err != nil {
			return nil, err
		}
		if has, err := tpm.HasRegisters(reply); err != nil {
			return nil, err
		} else if has {
			t.hash = hash
			break
		}
	}
	if t.hash == 0 {
		return nil, ErrNoRegisters
	}
	// The key on a curve is made in a moment, the other one takes seconds; which one it is must not change
	// from one run to the next, or the TPM would seem to be another one.
	template, certificate := tpm.EndorsementCurve, t.stored(tpm.CertificateCurve)
	if certificate == nil {
		if rsa := t.stored(tpm.CertificateRSA); rsa != nil {
			template, certificate = tpm.EndorsementRSA, rsa
		}
	}
	if certificate != nil {
		t.evidence.Certificates = append([][]byte{certificate}, t.issuers()...)
	}
	var err error
	if t.endorsement, t.evidence.Endorsement, err = t.create(template); err != nil {
		return nil, fmt.Errorf("the endorsement key cannot be made: %w", err)
	}
	if t.key, t.evidence.Key, err = t.create(tpm.Signing); err != nil {
		return nil, fmt.Errorf("the key for the quote cannot be made: %w", err)
	}
	return t, nil
}

func (t *Talk) create(template tpm.Template) (uint32, []byte, error) {
	reply, err := t.ask(tpm.Create(template))
	if err != nil {
		return 0, nil, err
	}
	return tpm.Created(reply)
}

// stored reads what is at a place of the TPM; nil where nothing is, or where it does not give it.
func (t *Talk) stored(index uint32) []byte {
	reply, err := t.ask(tpm.ReadNVPublic(index))
	if err != nil {
		return nil
	}
	size, err := tpm.NVSize(reply)
	if err != nil || size == 0 || size > MaxPart {
		return nil
	}
	var out []byte
	for len(out) < size {
		reply, err := t.ask(tpm.ReadNV(index, len(out), min(tpm.NVChunk, size-len(out))))
		if err != nil {
			return nil
		}
		part, err := tpm.NV(reply)
		if err != nil || len(part) == 0 {
			return nil
		}
		out = append(out, part...)
	}
	return out
}

// issuers are the certificates between that of the endorsement key and its maker's own, where the maker put them into
// the TPM.
func (t *Talk) issuers() [][]byte {
	var all []byte
	for place := tpm.FirstIssuer; place <= tpm.LastIssuer; place++ {
		part := t.stored(place)
		if part == nil || len(all)+len(part) > MaxPart {
			break
		}
		all = append(all, part...)
	}
	return tpm.Certificates(all)
}

// Evidence asks for a quote with a nonce that [Qualify] gave, and puts the boot log beside it.
func (t *Talk) Evidence(nonce, log []byte) (*Evidence, error) {
	reply, err := t.ask(tpm.Quoting(t.key, nonce, t.hash))
	if err != nil {
		return nil, err
	}
	out := t.evidence
	if out.Quote, out.Signature, err = tpm.Quoted(reply); err != nil {
		return nil, fmt.Errorf("the quote failed: %w", err)
	}
	out.Log = log
	return &out, nil
}

// Open opens a credential, which only this TPM can.
func (t *Talk) Open(c *tpm.Credential) ([]byte, error) {
	reply, err := t.ask(tpm.StartPolicy(make([]byte, 16))) // the session encrypts nothing: its nonce may be known
	if err != nil {
		return nil, err
	}
	session, err := tpm.Session(reply)
	if err != nil {
		return nil, err
	}
	if reply, err = t.ask(tpm.Secret(session)); err != nil {
		return nil, err
	}
	if err := tpm.Done(reply); err != nil {
		return nil, err
	}
	if reply, err = t.ask(tpm.Activate(t.key, t.endorsement, session, c)); err != nil {
		return nil, err
	}
	return tpm.Activated(reply)
}
