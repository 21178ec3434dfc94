package tpm_test

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/tpm"
)

// made are the public areas of the keys of a made-up TPM, and a quote with its signature.
func made(t testing.TB) (signing, endorsement, quote, signature []byte) {
	t.Helper()
	chip := &sample.Chip{Seed: "a"}
	_, endorsement, err := tpm.Created(chip.Answer(tpm.Create(tpm.EndorsementCurve)))
	if err != nil {
		t.Fatal(err)
	}
	handle, signing, err := tpm.Created(chip.Answer(tpm.Create(tpm.Signing)))
	if err != nil {
		t.Fatal(err)
	}
	quote, signature, err = tpm.Quoted(chip.Answer(tpm.Quoting(handle, []byte("a nonce"), 0x0B)))
	if err != nil {
		t.Fatal(err)
	}
	return signing, endorsement, quote, signature
}

func TestQuote(t *testing.T) {
	signing, endorsement, quote, signature := made(t)
	key, err := tpm.ReadPublic(signing)
	if err != nil {
		t.Fatal(err)
	}
	if !key.Signs() || key.Protects() {
		t.Error("the signing key is taken for another kind")
	}
	other, err := tpm.ReadPublic(endorsement)
	if err != nil {
		t.Fatal(err)
	}
	if other.Signs() || !other.Protects() {
		t.Error("the endorsement key is taken for another kind")
	}
	q, err := tpm.ReadQuote(quote)
	if err != nil {
		t.Fatal(err)
	}
	const want = "a nonce [0 1 2 3 4 5 6 7] 11 7"
	if got := fmt.Sprintf("%s %v %d %d", q.Nonce, q.Registers, q.Hash, q.Resets); got != want {
		t.Errorf("quote %s; want %s", got, want)
	}
	if err := key.Verify(quote, signature); err != nil {
		t.Error(err)
	}
	for _, c := range []struct {
		name  string
		wrong []byte
	}{
		{"of another key's kind", append([]byte{0, 0x14}, signature[2:]...)},
		{"by another hash", append([]byte{0, 0x18, 0, 4}, signature[4:]...)},
		{"cut", signature[:len(signature)-1]},
		{"with something behind", append(bytes.Clone(signature), 0)},
		{"of nothing", nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			if key.Verify(quote, c.wrong) == nil {
				t.Error("the signature was taken")
			}
		})
	}
	if other.Verify(quote, signature) == nil {
		t.Error("a signature of another key was taken")
	}
}

// A key of the older sort signs a quote too.
func TestQuoteByRSA(t *testing.T) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		t.Fatal(err)
	}
	be := binary.BigEndian.AppendUint16
	area := be(be(nil, 1), 0x0B)                             // RSA, a name by SHA-256
	area = binary.BigEndian.AppendUint32(area, 0x50032|1<<6) // as a quote needs it
	area = be(be(be(be(area, 0), 0x10), 0x14), 0x0B)         // no policy, no symmetric part, RSASSA with SHA-256
	area = binary.BigEndian.AppendUint32(be(area, 2048), 0)  // the usual exponent
	area = append(be(area, 256), key.N.FillBytes(make([]byte, 256))...)
	public, err := tpm.ReadPublic(area)
	if err != nil {
		t.Fatal(err)
	}
	sum := sha256.Sum256([]byte("a quote"))
	s, err := rsa.SignPKCS1v15(rand.Reader, key, 5, sum[:]) // 5 is SHA-256
	if err != nil {
		t.Fatal(err)
	}
	signature := append(be(be(be(nil, 0x14), 0x0B), 256), s...)
	if err := public.Verify([]byte("a quote"), signature); err != nil || !public.Signs() {
		t.Errorf("%v, signs %v", err, public.Signs())
	}
	if public.Verify([]byte("another"), signature) == nil {
		t.Error("the signature counts for another quote")
	}
}

// False lengths, counts and kinds give an error.
func TestFalseStructures(t *testing.T) {
	signing, _, quote, _ := made(t)
	set := func(b []byte, at int, to ...byte) []byte {
		b = bytes.Clone(b)
		copy(b[at:], to)
		return b
	}
	count := bytes.Index(quote, []byte{0, 0, 0, 1, 0, 0x0B, 3, 0xFF})
	for _, c := range []struct {
		name string
		key  bool
		b    []byte
		want string
	}{
		{"a key that is cut", true, signing[:30], "ends too early"},
		{"a key with something behind it", true, append(bytes.Clone(signing), 1), "follows"},
		{"a key of another kind", true, set(signing, 0, 0, 8), "kind"},
		{"a key with a name by SHA-1", true, set(signing, 2, 0, 4), "SHA-256"},
		{"a policy that is longer than the key", true, set(signing, 8, 0xFF, 0xFF), "ends too early"},
		{"another curve", true, set(signing, 16, 0, 0x20), "curve"},
		{"a point that is on no curve", true, set(signing, len(signing)-1, signing[len(signing)-1]^1), ""},
		{"something else than a quote", false, set(quote, 0, 0), "no quote"},
		{"another statement of a TPM", false, set(quote, 5, 0x17), "no quote"},
		{"two sets of registers", false, set(quote, count, 0, 0, 0, 2), "2 sets"},
		{"a mask that is longer than the quote", false, set(quote, count+6, 0xFF), "ends too early"},
		{"a quote that is cut", false, quote[:len(quote)-1], "ends too early"},
		{"a quote with something behind it", false, append(bytes.Clone(quote), 0), "ends too early"},
	} {
		t.Run(c.name, func(t *testing.T) {
			var err error
			if c.key {
				_, err = tpm.ReadPublic(c.b)
			} else {
				_, err = tpm.ReadQuote(c.b)
			}
			if says := fmt.Sprint(err); err == nil || !strings.Contains(says, c.want) {
				t.Errorf("error %v; want one that says %q", err, c.want)
			}
		})
	}
}

func TestSmallKeys(t *testing.T) {
	be := binary.BigEndian.AppendUint16
	area := be(be(nil, 1), 0x0B)
	area = binary.BigEndian.AppendUint32(area, 0x50072)
	area = be(be(be(area, 0), 0x10), 0x10)
	for _, c := range []struct {
		name     string
		bits     int
		exponent uint32
	}{{"1024 bits", 1024, 0}, {"an exponent of 3", 2048, 3}, {"an exponent that is too large", 2048, 1 << 31}} {
		t.Run(c.name, func(t *testing.T) {
			b := binary.BigEndian.AppendUint32(be(bytes.Clone(area), uint16(c.bits)), c.exponent)
			b = append(be(b, uint16(c.bits/8)), bytes.Repeat([]byte{0xA5}, c.bits/8)...)
			if _, err := tpm.ReadPublic(b); err == nil || !strings.Contains(err.Error(), "too small") {
				t.Errorf("error %v", err)
			}
		})
	}
}

// A credential that is sealed for one key opens for no other, and not where a bit of it is changed.
func TestSeal(t *testing.T) {
	chip := &sample.Chip{Seed: "a"}
	h, area, err := tpm.Created(chip.Answer(tpm.Create(tpm.EndorsementCurve)))
	if err != nil {
		t.Fatal(err)
	}
	key, signing, err := tpm.Created(chip.Answer(tpm.Create(tpm.Signing)))
	if err != nil {
		t.Fatal(err)
	}
	protects, err := tpm.ReadPublic(area)
	if err != nil {
		t.Fatal(err)
	}
	name, err := tpm.ReadPublic(signing)
	if err != nil {
		t.Fatal(err)
	}
	secret := []byte("thirty-two bytes of made-up text")
	c, err := protects.Seal(rand.Reader, name.Name, secret)
	if err != nil {
		t.Fatal(err)
	}
	got, err := tpm.Activated(chip.Answer(tpm.Activate(key, h, 0x03000000, c)))
	if err != nil || !bytes.Equal(got, secret) {
		t.Errorf("%q, %v", got, err)
	}
	for _, at := range []int{5, len(c.Blob) - 1} {
		spoiled := *c
		spoiled.Blob = bytes.Clone(c.Blob)
		spoiled.Blob[at] ^= 1
		if _, err := tpm.Activated(chip.Answer(tpm.Activate(key, h, 0x03000000, &spoiled))); err == nil {
			t.Errorf("it opens although byte %d is changed", at)
		}
	}
	if _, err := protects.Seal(rand.Reader, name.Name, bytes.Repeat(secret, 2)); err == nil {
		t.Error("a secret that no TPM takes was sealed")
	}
	if _, ok := protects.Key.(*ecdsa.PublicKey); !ok {
		t.Errorf("the key is %T", protects.Key)
	}
}

func FuzzReadPublic(f *testing.F) {
	signing, endorsement, _, _ := made(f)
	f.Add(signing)
	f.Add(endorsement)
	f.Fuzz(func(t *testing.T, b []byte) {
		p, err := tpm.ReadPublic(b)
		if err == nil && len(p.Name) != 34 {
			t.Errorf("a key without a name: %+v", p)
		}
	})
}

func FuzzReadQuote(f *testing.F) {
	signing, _, quote, signature := made(f)
	key, err := tpm.ReadPublic(signing)
	if err != nil {
		f.Fatal(err)
	}
	f.Add(quote, signature)
	f.Fuzz(func(t *testing.T, b, s []byte) {
		if q, err := tpm.ReadQuote(b); err == nil && len(q.Registers) > 8*255 {
			t.Errorf("%d registers", len(q.Registers))
		}
		if !bytes.Equal(b, quote) && key.Verify(b, s) == nil {
			t.Error("another message has a signature that fits")
		}
	})
}

// Answers of a TPM are bytes of another program: none may do harm.
func FuzzAnswers(f *testing.F) {
	chip := &sample.Chip{Seed: "a", Certificate: []byte("made-up")}
	f.Add(chip.Answer(tpm.Create(tpm.Signing)))
	f.Add(chip.Answer(tpm.ReadRegisters(0x0B)))
	f.Add(chip.Answer(tpm.ReadNVPublic(tpm.CertificateCurve)))
	f.Fuzz(func(t *testing.T, b []byte) {
		if got := tpm.Certificates(b); len(got) > 7 || len(slices.Concat(got...)) > len(b) {
			t.Errorf("%d certificates in %d bytes", len(got), len(b))
		}
		_, _, _ = tpm.Created(b)
		_, _, _ = tpm.Quoted(b)
		_, _ = tpm.NVSize(b)
		_, _ = tpm.NV(b)
		_, _ = tpm.HasRegisters(b)
		_, _ = tpm.Session(b)
		_ = tpm.Done(b)
		_ = tpm.Busy(b)
	})
}

// Keys of RSA have 2048 to 4096 bits, as many as they state, and the usual exponent or a greater one.
func TestKeysOfRSA(t *testing.T) {
	template := tpm.EndorsementRSA
	head := template[:len(template)-2-4-2-256]
	for _, tt := range []struct {
		bits     uint16
		bytes    int
		exponent uint32
		good     bool
	}{
		{2048, 256, 0, true}, {3072, 384, 65537, true}, {4096, 512, 65539, true}, {2048, 256, 1<<31 - 1, true},
		{2047, 255, 0, false}, {1024, 128, 0, false}, {4104, 513, 0, false}, {2048, 255, 0, false},
		{2048, 257, 0, false}, {2048, 256, 3, false}, {2048, 256, 65535, false}, {2048, 256, 1 << 31, false},
	} {
		t.Run(fmt.Sprint(tt), func(t *testing.T) {
			area := binary.BigEndian.AppendUint16(slices.Clone(head), tt.bits)
			area = binary.BigEndian.AppendUint32(area, tt.exponent)
			area = binary.BigEndian.AppendUint16(area, uint16(tt.bytes))
			area = append(area, bytes.Repeat([]byte{0x81}, tt.bytes)...)
			if _, err := tpm.ReadPublic(area); (err == nil) != tt.good {
				t.Errorf("%v; want it to be taken: %v", err, tt.good)
			}
		})
	}
}
