package tpm

import (
	"bytes"
	"crypto"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"math/big"

	"rolltop.example/rolltop/core/decode/cursor"
)

// Numbers of algorithms (TPM 2.0 Library, part 2, section 6.3) and curves (section 6.4).
const (
	algRSA    = 0x0001
	algAES    = 0x0006
	algSHA256 = 0x000B
	algNull   = 0x0010
	algRSASSA = 0x0014
	algECDSA  = 0x0018
	algECC    = 0x0023
	algCFB    = 0x0043
	curveP256 = 0x0003
	curveP384 = 0x0004
)

// Attributes of a key (part 2, section 8.3).
const (
	fixedTPM            = 1 << 1
	fixedParent         = 1 << 4
	sensitiveDataOrigin = 1 << 5
	userWithAuth        = 1 << 6
	adminWithPolicy     = 1 << 7
	restricted          = 1 << 16
	decrypt             = 1 << 17
	sign                = 1 << 18
)

// Public is the public part of a key of a TPM.
type Public struct {
	Key        crypto.PublicKey // *rsa.PublicKey or *ecdsa.PublicKey
	Name       []byte           // number of the hash, then the hash of the area: what a TPM calls the key
	attributes uint32
	policy     []byte
	symmetric  bool // AES-128 in CFB mode, for keys that protect others
}

// ReadPublic decodes the public area of a key (TPMT_PUBLIC; part 2, section 12.2.4): RSA or a curve of NIST,
// with a name by SHA-256.
func ReadPublic(area []byte) (*Public, error) {
	c := cursor.New(binary.BigEndian, area)
	kind, hash := c.U16(), c.U16()
	p := &Public{attributes: c.U32(), policy: c.Sized()}
	if !c.Failed && hash != algSHA256 {
		return nil, fmt.Errorf("tpm: the key's name is by the hash %#x, and SHA-256 is read", hash)
	}
	if symmetric := c.U16(); symmetric != algNull {
		bits, mode := c.U16(), c.U16()
		p.symmetric = symmetric == algAES && bits == 128 && mode == algCFB
	}
	if scheme := c.U16(); scheme != algNull {
		c.U16() // its hash; a signature says it again
	}
	var err error
	switch kind {
	case algRSA:
		p.Key, err = rsaKey(c)
	case algECC:
		p.Key, err = curveKey(c)
	default:
		err = fmt.Errorf("tpm: a key of the kind %#x is not read", kind)
	}
	switch {
	case c.Failed:
		return nil, errCut
	case err != nil:
		return nil, err
	case len(c.Rest) > 0:
		return nil, errors.New("tpm: something follows the key")
	}
	sum := sha256.Sum256(area)
	p.Name = append(binary.BigEndian.AppendUint16(nil, algSHA256), sum[:]...)
	return p, nil
}

var errCut = errors.New("tpm: a structure ends too early")

func rsaKey(c *cursor.Cursor) (crypto.PublicKey, error) {
	bits, exponent := c.U16(), c.U32()
	modulus := c.Sized()
	if exponent == 0 {
		exponent = 65537
	}
	if bits < 2048 || bits > 4096 || len(modulus) != int(bits)/8 || exponent < 65537 || exponent > 1<<31-1 {
		return nil, errors.New("tpm: the RSA key is too small, or it contradicts itself")
	}
	return &rsa.PublicKey{N: new(big.Int).SetBytes(modulus), E: int(exponent)}, nil
}

func curveKey(c *cursor.Cursor) (crypto.PublicKey, error) {
	id := c.U16()
	if kdf := c.U16(); kdf != algNull {
		c.U16()
	}
	x, y := c.Sized(), c.Sized()
	var curve elliptic.Curve
	switch id {
	case curveP256:
		curve = elliptic.P256()
	case curveP384:
		curve = elliptic.P384()
	default:
		return nil, fmt.Errorf("tpm: a key on the curve %#x is not read", id)
	}
	size := (curve.Params().BitSize + 7) / 8
	if len(x) > size || len(y) > size {
		return nil, errors.New("tpm: the key's point does not fit its curve")
	}
	point := make([]byte, 1+2*size)
	point[0] = 4 // uncompressed
	copy(point[1+size-len(x):], x)
	copy(point[1+2*size-len(y):], y)
	return ecdsa.ParseUncompressedPublicKey(curve, point)
}

// Signs says whether the key can sign nothing but what its TPM made itself, and never leaves it: a quote
// under another key proves nothing.
func (p *Public) Signs() bool {
	const must = fixedTPM | fixedParent | sensitiveDataOrigin | restricted | sign
	return p.attributes&must == must && p.attributes&decrypt == 0
}

// Protects says whether the key can only protect others, never leaves its TPM, and asks for the policy of
// endorsement keys (TCG EK Credential Profile, section B.3).
func (p *Public) Protects() bool {
	const must = fixedTPM | fixedParent | sensitiveDataOrigin | restricted | decrypt | adminWithPolicy
	return p.attributes&must == must && p.attributes&(sign|userWithAuth) == 0 && p.symmetric &&
		bytes.Equal(p.policy, endorsementPolicy)
}

// Quote is what a TPM says of its registers (TPMS_ATTEST; part 2, section 10.12.12).
type Quote struct {
	Nonce     []byte
	Hash      uint16 // algorithm of the registers
	Registers []int
	Digest    []byte // of the registers, one after the other
	Resets    uint32 // how often the TPM was started anew
}

const (
	magic       = 0xFF544347 // only a TPM writes it into what a restricted key signs
	attestQuote = 0x8018
)

// ReadQuote decodes a quote over registers of one algorithm.
func ReadQuote(b []byte) (*Quote, error) {
	c := cursor.New(binary.BigEndian, b)
	if c.U32() != magic || c.U16() != attestQuote {
		return nil, errors.New("tpm: this is no quote")
	}
	c.Sized() // name of the key
	q := &Quote{Nonce: c.Sized()}
	c.Take(8) // clock
	q.Resets = c.U32()
	c.Take(4 + 1 + 8) // restarts, whether the clock is safe, firmware version
	if count := c.U32(); !c.Failed && count != 1 {
		return nil, fmt.Errorf("tpm: the quote is over %d sets of registers, and one is read", count)
	}
	q.Hash = c.U16()
	mask := c.Take(int(c.U8()))
	for i, m := range mask {
		for bit := range 8 {
			if m&(1<<bit) != 0 {
				q.Registers = append(q.Registers, 8*i+bit)
			}
		}
	}
	q.Digest = c.Sized()
	if c.Failed || len(c.Rest) > 0 {
		return nil, errCut
	}
	return q, nil
}

// Verify says whether a signature (TPMT_SIGNATURE; part 2, section 11.3.4) of the key is over a message.
func (p *Public) Verify(message, signature []byte) error {
	c := cursor.New(binary.BigEndian, signature)
	scheme, hash := c.U16(), c.U16()
	if hash != algSHA256 {
		return fmt.Errorf("tpm: the signature is by the hash %#x, and SHA-256 is read", hash)
	}
	sum := sha256.Sum256(message)
	errWrong := errors.New("tpm: the signature is not of this key, or not over this quote")
	switch key := p.Key.(type) {
	case *rsa.PublicKey:
		s := c.Sized()
		if scheme != algRSASSA || c.Failed || rsa.VerifyPKCS1v15(key, crypto.SHA256, sum[:], s) != nil {
			return errWrong
		}
	case *ecdsa.PublicKey:
		r, s := new(big.Int).SetBytes(c.Sized()), new(big.Int).SetBytes(c.Sized())
		if scheme != algECDSA || c.Failed || !ecdsa.Verify(key, sum[:], r, s) {
			return errWrong
		}
	}
	if len(c.Rest) > 0 {
		return errWrong
	}
	return nil
}
