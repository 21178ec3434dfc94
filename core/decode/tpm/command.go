package tpm

import (
	"bytes"
	"encoding/asn1"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"

	"rolltop.example/rolltop/core/decode/cursor"
)

// The commands below make two primary keys, which are in the TPM until the connection ends, and read. A
// primary key follows from the seed of its TPM and from the template alone: it is the same each time, and
// nothing is left behind.

// Numbers of commands (TPM 2.0 Library, part 2, section 6.5.2), handles and sessions (section 7.4).
const (
	tagSessions        = 0x8002
	createPrimary      = 0x00000131
	activateCredential = 0x00000147
	policySecret       = 0x00000151
	quote              = 0x00000158
	nvRead             = 0x0000014E
	nvReadPublic       = 0x00000169
	startAuthSession   = 0x00000176
	pcrRead            = 0x0000017E
	handleOwner        = 0x40000001
	handleNull         = 0x40000007
	handlePassword     = 0x40000009
	handleEndorsement  = 0x4000000B
	sessionPolicy      = 0x01
)

// Places of certificates of endorsement keys (TCG EK Credential Profile, section 2.2.1.4).
const (
	CertificateRSA   = 0x01C00002
	CertificateCurve = 0x01C0000A
)

// FirstIssuer and LastIssuer are the first and the last place of the certificates of who issued that of an endorsement
// key (the same profile, section 2.2.1.5): one after the other, over as many places as they need.
const (
	FirstIssuer uint32 = 0x01C00100
	LastIssuer  uint32 = 0x01C001FF
)

// endorsementPolicy asks for the authorisation of the endorsement hierarchy (the same profile, section B.3).
var endorsementPolicy, _ = hex.DecodeString("837197674484b3f81a90cc8d46a5d724fd52d76e06520b64f2a1da1b331469aa")

// Template is of what kind a key is made.
type Template []byte

// Templates of endorsement keys: the makers' certificates are of these (the same profile, sections B.3.3
// and B.3.4).
func endorsementTemplate(curve bool) Template {
	b := be16(algRSA, algSHA256)
	if curve {
		b = be16(algECC, algSHA256)
	}
	b = be32(b, fixedTPM|fixedParent|sensitiveDataOrigin|adminWithPolicy|restricted|decrypt)
	b = append(b, withSize(endorsementPolicy)...)
	b = append(b, be16(algAES, 128, algCFB, algNull)...)
	if curve {
		b = append(b, be16(curveP256, algNull)...)
		zeros := withSize(make([]byte, 32))
		return append(append(b, zeros...), zeros...)
	}
	b = be32(append(b, be16(2048)...), 0)
	return append(b, withSize(make([]byte, 256))...)
}

// EndorsementRSA and EndorsementCurve are the templates of endorsement keys; Signing that of a key that
// signs nothing but what its TPM made itself.
var (
	EndorsementRSA   = endorsementTemplate(false)
	EndorsementCurve = endorsementTemplate(true)
	Signing          = signingTemplate()
)

func signingTemplate() Template {
	b := be32(be16(algECC, algSHA256), fixedTPM|fixedParent|sensitiveDataOrigin|userWithAuth|restricted|sign)
	b = append(b, withSize(nil)...)
	b = append(b, be16(algNull, algECDSA, algSHA256, curveP256, algNull)...)
	// The name of the use keeps it apart from the keys of other programs.
	unique := make([]byte, 32)
	copy(unique, "rolltop attestation")
	return append(append(b, withSize(unique)...), withSize(nil)...)
}

// Create makes a primary key of the endorsement hierarchy.
func Create(t Template) []byte {
	sensitive := withSize(append(withSize(nil), withSize(nil)...))
	body := append(sensitive, withSize(t)...)
	body = append(body, withSize(nil)...) // of no further data
	body = be32(body, 0)                  // and no registers
	return sessions(createPrimary, []uint32{handleEndorsement}, []uint32{handlePassword}, body)
}

// Created is the handle and the public area of a new key.
func Created(b []byte) (handle uint32, area []byte, err error) {
	c, err := answered(b, true)
	if err != nil {
		return 0, nil, err
	}
	handle = c.handle
	if area = c.Sized(); c.Failed || len(area) == 0 {
		return 0, nil, errCut
	}
	return handle, area, nil
}

// ReadNVPublic asks for the size of a place.
func ReadNVPublic(index uint32) []byte { return plain(nvReadPublic, be32(nil, index)) }

// NVSize is the size of a place in bytes; 0 where nothing is there.
func NVSize(b []byte) (int, error) {
	code, body, err := reply(b)
	if err != nil || code != 0 {
		return 0, err
	}
	c := cursor.New(binary.BigEndian, body)
	public := cursor.New(binary.BigEndian, c.Sized())
	public.Take(4 + 2 + 4) // index, hash, attributes
	public.Sized()
	size := public.U16()
	if c.Failed || public.Failed {
		return 0, errCut
	}
	return int(size), nil
}

// ReadNV reads from a place that anybody may read.
func ReadNV(index uint32, at, size int) []byte {
	return sessions(nvRead, []uint32{index, index}, []uint32{handlePassword}, be16(uint16(size), uint16(at)))
}

// NV is what was read.
func NV(b []byte) ([]byte, error) {
	c, err := answered(b, false)
	if err != nil {
		return nil, err
	}
	data := c.Sized()
	if c.Failed {
		return nil, errCut
	}
	return data, nil
}

// mostIssuers bounds how many certificates of issuers are taken.
const mostIssuers = 7

// Certificates are those that stand one after the other, each as DER (X.690, section 8.9). What is between them, as a
// place may be larger than what it holds, is left out; so is everything behind what is no certificate.
func Certificates(b []byte) [][]byte {
	var out [][]byte
	for len(out) < mostIssuers {
		at := bytes.IndexByte(b, sequenceTag)
		var one asn1.RawValue
		if at < 0 {
			break
		}
		rest, err := asn1.Unmarshal(b[at:], &one)
		if err != nil {
			break
		}
		out, b = append(out, one.FullBytes), rest
	}
	return out
}

// sequenceTag begins every certificate.
const sequenceTag = 0x30

// NVChunk is how much every TPM gives at once.
const NVChunk = 512

// Registers 0 to 7 are what firmware measures into.
const firmwareRegisters = 0xFF

func selection(hash uint16) []byte {
	b := be32(nil, 1)
	return append(append(b, be16(hash)...), 3, firmwareRegisters, 0, 0)
}

// ReadRegisters asks for registers 0 to 7.
func ReadRegisters(hash uint16) []byte { return plain(pcrRead, selection(hash)) }

// HasRegisters says whether the answer has registers: a TPM has those of the algorithms that its firmware
// switched on.
func HasRegisters(b []byte) (bool, error) {
	code, body, err := reply(b)
	if err != nil || code != 0 {
		return false, err
	}
	c := cursor.New(binary.BigEndian, body)
	c.Take(4)
	for range min(c.U32(), 16) {
		c.U16()
		c.Take(int(c.U8()))
	}
	count := c.U32()
	return count > 0, nil
}

// Quoting asks for a quote over registers 0 to 7, signed by a key, with a nonce in it.
func Quoting(key uint32, nonce []byte, hash uint16) []byte {
	body := append(withSize(nonce), be16(algNull)...) // the key has a scheme
	return sessions(quote, []uint32{key}, []uint32{handlePassword}, append(body, selection(hash)...))
}

// Quoted is the quote and its signature.
func Quoted(b []byte) (attest, signature []byte, err error) {
	c, err := answered(b, false)
	if err != nil {
		return nil, nil, err
	}
	attest, signature = c.Sized(), c.Rest
	if c.Failed || len(attest) == 0 || len(signature) == 0 {
		return nil, nil, errCut
	}
	return attest, signature, nil
}

// StartPolicy begins a session with which an endorsement key is used. The nonce has 16 bytes.
func StartPolicy(nonce []byte) []byte {
	body := be32(be32(nil, handleNull), handleNull)
	body = append(body, withSize(nonce)...)
	body = append(body, withSize(nil)...)
	body = append(body, sessionPolicy)
	return plain(startAuthSession, append(body, be16(algNull, algSHA256)...))
}

// Session is the handle of a session that began.
func Session(b []byte) (uint32, error) {
	code, body, err := reply(b)
	if err != nil {
		return 0, err
	}
	if code != 0 {
		return 0, refused(code)
	}
	c := cursor.New(binary.BigEndian, body)
	handle := c.U32()
	if c.Failed {
		return 0, errCut
	}
	return handle, nil
}

// Secret authorises a session by the endorsement hierarchy, which has no password.
func Secret(session uint32) []byte {
	body := append(withSize(nil), withSize(nil)...)
	body = be32(append(body, withSize(nil)...), 0) // it does not end
	return sessions(policySecret, []uint32{handleEndorsement, session}, []uint32{handlePassword}, body)
}

// Done says whether a command was carried out.
func Done(b []byte) error {
	code, _, err := reply(b)
	if err == nil && code != 0 {
		err = refused(code)
	}
	return err
}

// Activate opens a credential for a key with an endorsement key.
func Activate(key, endorsement, session uint32, c *Credential) []byte {
	return sessions(activateCredential, []uint32{key, endorsement}, []uint32{handlePassword, session},
		append(append([]byte{}, c.Blob...), c.Secret...))
}

// Activated is the secret.
func Activated(b []byte) ([]byte, error) { return NV(b) }

// ErrPassword says that somebody set a password for the keys of the TPM's maker.
var ErrPassword = errors.New("tpm: the endorsement hierarchy has a password, which Rolltop does not know")

// Codes of refusals (part 2, section 6.6).
const (
	rcFormat1  = 0x080
	rcBadAuth  = 0x022
	rcAuthFail = 0x00E
)

// Answers of a TPM that is busy with itself (part 2, section 6.6.3): it takes the command a little later.
const (
	rcYielded = 0x908
	rcTesting = 0x90A
	rcRetry   = 0x922
)

// Busy says whether an answer asks for the same command again, a little later.
func Busy(b []byte) bool {
	code, _, err := reply(b)
	return err == nil && (code == rcYielded || code == rcTesting || code == rcRetry)
}

func refused(code uint32) error {
	if kind := code & 0x3F; code&rcFormat1 != 0 && (kind == rcBadAuth || kind == rcAuthFail) {
		return ErrPassword
	}
	return fmt.Errorf("tpm: it answers with the code %#x", code)
}

// body is the parameters of an answer, with the handle in front where it has one.
type body struct {
	*cursor.Cursor
	handle uint32
}

// answered is the parameters of the answer to a command with sessions.
func answered(b []byte, withHandle bool) (*body, error) {
	code, rest, err := reply(b)
	if err != nil {
		return nil, err
	}
	if code != 0 {
		return nil, refused(code)
	}
	out := &body{Cursor: cursor.New(binary.BigEndian, rest)}
	if withHandle {
		out.handle = out.U32()
	}
	size := out.U32()
	if out.Failed || uint64(size) > uint64(len(out.Rest)) {
		return nil, errCut
	}
	out.Rest = out.Rest[:size]
	return out, nil
}

// plain is a command without sessions.
func plain(code uint32, parameters []byte) []byte {
	b := be16(tagNoSessions)
	b = be32(be32(b, uint32(headerSize+len(parameters))), code)
	return append(b, parameters...)
}

// sessions is a command with handles and with sessions that authorise it: passwords, all empty, or policies.
func sessions(code uint32, handles, by []uint32, parameters []byte) []byte {
	var area, rest []byte
	for _, s := range by {
		area = be32(area, s)
		area = append(area, withSize(nil)...)
		if s == handlePassword {
			area = append(area, 0)
		} else {
			area = append(area, 1) // it is used again
		}
		area = append(area, withSize(nil)...)
	}
	for _, h := range handles {
		rest = be32(rest, h)
	}
	rest = be32(rest, uint32(len(area)))
	rest = append(append(rest, area...), parameters...)
	b := be32(be32(be16(tagSessions), uint32(headerSize+len(rest))), code)
	return append(b, rest...)
}

func be16(words ...uint16) []byte {
	var b []byte
	for _, w := range words {
		b = binary.BigEndian.AppendUint16(b, w)
	}
	return b
}

func be32(b []byte, word uint32) []byte { return binary.BigEndian.AppendUint32(b, word) }
