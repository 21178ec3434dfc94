package tpm

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/ecdh"
	"crypto/ecdsa"
	"crypto/hmac"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"io"
)

// Credential is a secret that only one TPM can open, and only where another key is in it too (TPM 2.0
// Library, part 1, section 24).
type Credential struct {
	Blob   []byte // TPM2B_ID_OBJECT
	Secret []byte // TPM2B_ENCRYPTED_SECRET
}

// labelIdentity separates this use of a protecting key from others (part 1, annex B.10.4 and C.6.4).
const labelIdentity = "IDENTITY"

// Seal makes a credential: the TPM with the key p opens the secret, of at most 32 bytes, where a key with a
// name is in it. random is a source of randomness.
func (p *Public) Seal(random io.Reader, name, secret []byte) (*Credential, error) {
	if len(secret) == 0 || len(secret) > sha256.Size {
		return nil, errors.New("tpm: the secret is empty or longer than the hash")
	}
	seed, out, err := p.seed(random)
	if err != nil {
		return nil, err
	}
	block, err := aes.NewCipher(kdfa(seed, "STORAGE", name, nil, 16))
	if err != nil {
		return nil, err
	}
	hidden := make([]byte, 2+len(secret))
	// The mode and its empty vector are the standard's (part 1, section 24.4): the key is used once.
	//lint:ignore SA1019 the standard asks for this mode
	stream := cipher.NewCFBEncrypter(block, make([]byte, aes.BlockSize))
	stream.XORKeyStream(hidden, withSize(secret))
	mac := hmac.New(sha256.New, kdfa(seed, "INTEGRITY", nil, nil, sha256.Size))
	mac.Write(hidden)
	mac.Write(name)
	blob := append(withSize(mac.Sum(nil)), hidden...)
	return &Credential{Blob: withSize(blob), Secret: withSize(out)}, nil
}

// seed makes a seed that only the TPM with the key learns, and what it learns it from.
func (p *Public) seed(random io.Reader) (seed, hidden []byte, err error) {
	switch key := p.Key.(type) {
	case *rsa.PublicKey:
		seed = make([]byte, sha256.Size)
		if _, err := io.ReadFull(random, seed); err != nil {
			return nil, nil, err
		}
		hidden, err = rsa.EncryptOAEP(sha256.New(), random, key, seed, []byte(labelIdentity+"\x00"))
		return seed, hidden, err
	case *ecdsa.PublicKey:
		theirs, err := key.ECDH()
		if err != nil {
			return nil, nil, err
		}
		ours, err := theirs.Curve().GenerateKey(random)
		if err != nil {
			return nil, nil, err
		}
		shared, err := ours.ECDH(theirs)
		if err != nil {
			return nil, nil, err
		}
		x, y := halves(ours.PublicKey())
		theirX, _ := halves(theirs)
		return kdfe(shared, labelIdentity, x, theirX), append(withSize(x), withSize(y)...), nil
	}
	return nil, nil, errors.New("tpm: the key is of no kind that protects others")
}

// halves are the coordinates of a point.
func halves(k *ecdh.PublicKey) (x, y []byte) {
	b := k.Bytes()[1:]
	return b[:len(b)/2], b[len(b)/2:]
}

// kdfa derives a key from a key (part 1, section 11.4.10.2; NIST SP 800-108 in counter mode).
func kdfa(key []byte, label string, u, v []byte, size int) []byte {
	var out []byte
	for i := uint32(1); len(out) < size; i++ {
		h := hmac.New(sha256.New, key)
		h.Write(binary.BigEndian.AppendUint32(nil, i))
		h.Write([]byte(label + "\x00"))
		h.Write(u)
		h.Write(v)
		h.Write(binary.BigEndian.AppendUint32(nil, uint32(size)*8))
		out = h.Sum(out)
	}
	return out[:size]
}

// kdfe derives a seed of 32 bytes from a shared point (part 1, section 11.4.10.3; NIST SP 800-56A).
func kdfe(shared []byte, label string, u, v []byte) []byte {
	h := sha256.New()
	h.Write(binary.BigEndian.AppendUint32(nil, 1))
	h.Write(shared)
	h.Write([]byte(label + "\x00"))
	h.Write(u)
	h.Write(v)
	return h.Sum(nil)
}

func withSize(b []byte) []byte {
	return append(binary.BigEndian.AppendUint16(nil, uint16(len(b))), b...)
}
