package signature_test

import (
	"crypto/ed25519"
	"errors"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/signature"
)

func TestSignature(t *testing.T) {
	key := ed25519.NewKeyFromSeed([]byte(strings.Repeat("k", 32)))
	other := ed25519.NewKeyFromSeed([]byte(strings.Repeat("o", 32)))
	now := time.Unix(1_800_000_000, 0)
	body := []byte(`{"format":"rolltop-inventory/1"}`)
	good := signature.Sign("POST", body, key, now)
	s, err := signature.Verify("POST", body, good)
	expect.NoError(t, err)
	expect.Same(t, "s.Key", s.Key, signature.Name(key.Public().(ed25519.PublicKey)))
	expect.That(t, "s.Created.Equal(now)", s.Created.Equal(now))
	if s, err := signature.Verify("POST", body, signature.Headers{}); s != nil || err != nil {
		t.Errorf("without a signature: %+v %v", s, err)
	}
	for _, c := range []struct {
		name, method, body string
		change             func(*signature.Headers)
		want               error
	}{
		{"another method", "PUT", string(body), nil, signature.ErrKey},
		{"another body", "POST", "{}", nil, signature.ErrBody},
		{"another body and its digest", "POST", "{}",
			func(h *signature.Headers) { h.Digest = signature.Digest([]byte("{}")) }, signature.ErrKey},
		{"another time", "POST", string(body),
			func(h *signature.Headers) { h.Input = strings.Replace(h.Input, "1800000000", "1800000001", 1) },
			signature.ErrKey},
		{"the name of another key", "POST", string(body),
			func(h *signature.Headers) { h.Input = signature.Sign("POST", body, other, now).Input }, signature.ErrKey},
		{"the signature of another key", "POST", string(body),
			func(h *signature.Headers) { h.Signature = signature.Sign("POST", body, other, now).Signature },
			signature.ErrKey},
		{"for something else", "POST", string(body),
			func(h *signature.Headers) { h.Input = strings.Replace(h.Input, "rolltop-inventory", "x", 1) },
			signature.ErrForm},
		{"less is covered", "POST", string(body),
			func(h *signature.Headers) { h.Input = strings.Replace(h.Input, ` "content-digest"`, "", 1) },
			signature.ErrForm},
		{"another algorithm", "POST", string(body),
			func(h *signature.Headers) { h.Input = strings.Replace(h.Input, "ed25519", "none", 1) }, signature.ErrForm},
		{"no signature", "POST", string(body), func(h *signature.Headers) { h.Signature = "" }, signature.ErrForm},
		{"no input", "POST", string(body), func(h *signature.Headers) { h.Input = "" }, signature.ErrForm},
		{"no digest", "POST", string(body), func(h *signature.Headers) { h.Digest = "" }, signature.ErrBody},
		{"a short signature", "POST", string(body), func(h *signature.Headers) { h.Signature = "rolltop=:AAAA:" },
			signature.ErrForm},
	} {
		t.Run(c.name, func(t *testing.T) {
			h := good
			if c.change != nil {
				c.change(&h)
			}
			if s, err := signature.Verify(c.method, []byte(c.body), h); !errors.Is(err, c.want) || s != nil {
				t.Errorf("%s: %+v %v, want %v", c.name, s, err, c.want)
			}
		})
	}
}

func FuzzVerify(f *testing.F) {
	key := ed25519.NewKeyFromSeed([]byte(strings.Repeat("k", 32)))
	h := signature.Sign("POST", []byte("{}"), key, time.Unix(1, 0))
	f.Add("{}", h.Digest, h.Input, h.Signature)
	f.Fuzz(func(t *testing.T, body, digest, input, sum string) {
		s, err := signature.Verify("POST", []byte(body),
			signature.Headers{Digest: digest, Input: input, Signature: sum})
		if s != nil {
			if err != nil || input != h.Input {
				t.Errorf("%q is taken: %+v %v", input, s, err)
			}
		}
	})
}
