// Package signature signs what a machine sends, and checks it: HTTP message signatures
// (RFC 9421) with ed25519 (section 3.3.6) over the method and a digest of the body
// (RFC 9530). The address is left out, because a proxy in front may change it.
package signature

import (
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"rolltop.example/rolltop/core/pattern"
)

// Names of the headers.
const (
	DigestHeader = "Content-Digest"
	InputHeader  = "Signature-Input"
	Header       = "Signature"
)

// tag says what a signature is for (RFC 9421, section 2.3), so that it is worth nothing
// elsewhere.
const tag = "rolltop-inventory"

// Headers are those of a signed message. All are empty where it is not signed.
type Headers struct{ Digest, Input, Signature string }

// Set puts them into the headers of a request.
func (h Headers) Set(to http.Header) {
	to.Set(DigestHeader, h.Digest)
	to.Set(InputHeader, h.Input)
	to.Set(Header, h.Signature)
}

// Signed is what a signature that fits says.
type Signed struct {
	Key     string    // the public key, in base64 without padding (RFC 4648, section 5)
	Created time.Time // by the clock of who signed
}

// Digest is the digest of a body (RFC 9530, section 2).
func Digest(body []byte) string {
	sum := sha256.Sum256(body)
	return "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
}

// Name is how a key is written.
func Name(key ed25519.PublicKey) string { return base64.RawURLEncoding.EncodeToString(key) }

// Base is what is signed (RFC 9421, section 2.5).
func Base(method, digest, params string) []byte {
	return fmt.Appendf(nil, "\"@method\": %s\n\"content-digest\": %s\n\"@signature-params\": %s", method, digest,
		params)
}

// Sign signs a request.
func Sign(method string, body []byte, key ed25519.PrivateKey, now time.Time) Headers {
	public, _ := key.Public().(ed25519.PublicKey)
	params := `("@method" "content-digest");created=` + strconv.FormatInt(now.Unix(), 10) +
		`;keyid="` + Name(public) + `";alg="ed25519";tag="` + tag + `"`
	h := Headers{Digest: Digest(body), Input: "rolltop=" + params}
	sum := ed25519.Sign(key, Base(method, h.Digest, params))
	h.Signature = "rolltop=:" + base64.StdEncoding.EncodeToString(sum) + ":"
	return h
}

// input is the one form of Signature-Input that is taken.
var input = pattern.Of(`^rolltop=(\("@method" "content-digest"\);created=([0-9]{1,11});` +
	`keyid="([A-Za-z0-9_-]{43})";alg="ed25519";tag="` + tag + `")$`)

var value = pattern.Of(`^rolltop=:([A-Za-z0-9+/]{86}==):$`)

// Errors of [Verify].
var (
	ErrForm = errors.New(
		`the signature does not have the expected form: ("@method" "content-digest") with created, keyid, alg="ed25519" and tag="` + tag + `"`)
	ErrBody = errors.New("the digest does not match the body; the body was changed in transit")
	ErrKey  = errors.New("the signature does not match its key")
)

// Verify checks the signature of a request; nil, and no error, where it has none.
func Verify(method string, body []byte, h Headers) (*Signed, error) {
	if h.Input == "" && h.Signature == "" {
		return nil, nil
	}
	in, sum := input().FindStringSubmatch(h.Input), value().FindStringSubmatch(h.Signature)
	if in == nil || sum == nil {
		return nil, ErrForm
	}
	if h.Digest != Digest(body) {
		return nil, ErrBody
	}
	created, err1 := strconv.ParseInt(in[2], 10, 64)
	public, err2 := base64.RawURLEncoding.Strict().DecodeString(in[3])
	signed, err3 := base64.StdEncoding.Strict().DecodeString(sum[1])
	if err1 != nil || err2 != nil || err3 != nil || len(public) != ed25519.PublicKeySize {
		return nil, ErrForm
	}
	if !ed25519.Verify(public, Base(method, h.Digest, in[1]), signed) {
		return nil, ErrKey
	}
	return &Signed{Key: in[3], Created: time.Unix(created, 0).UTC()}, nil
}
