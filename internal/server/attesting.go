package server

import (
	"context"
	"net/http"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/bootlog"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/signature"
)

// attestMax bounds a proof: a boot log in base64, and a little more.
const attestMax = bootlog.MaxBytes/3*4 + 256<<10

// SignedInput is a call that the machine signs with its own key.
type SignedInput struct {
	RawBody   []byte
	Digest    string `header:"Content-Digest" doc:"Of the body (RFC 9530)"`
	Input     string `header:"Signature-Input" doc:"Of the signature with the machine's key (RFC 9421)"`
	Signature string `header:"Signature"`
}

// signer is the public key of the machine that calls.
func (h *SignedInput) signer() (string, error) {
	signed, err := signature.Verify(http.MethodPost, h.RawBody,
		signature.Headers{Digest: h.Digest, Input: h.Input, Signature: h.Signature})
	switch {
	case err != nil:
		return "", refuse("Invalid signature", "%s; nothing was saved", err)
	case signed == nil:
		return "", refuse("Invalid signature", "a proof is signed with the machine's own key; nothing was saved")
	}
	return signed.Key, nil
}

func (s intakeAPI) attest(ctx context.Context, in *struct {
	SignedInput
	Body api.Evidence
}) (out api.AttestAnswer, err error) {
	signer, err := in.signer()
	if err != nil {
		return out, err
	}
	got, err := s.Attesting.Take(ctx, in.Body.Nonce, signer, &attest.Evidence{
		Key:          in.Body.Key,
		Endorsement:  in.Body.Endorsement,
		Quote:        in.Body.Quote,
		Signature:    in.Body.Signature,
		Log:          in.Body.Log,
		Certificates: in.Body.Certificates,
	})
	if err != nil {
		return out, err
	}
	return attestAnswer(got), nil
}

func (s intakeAPI) openSecret(ctx context.Context, in *struct {
	SignedInput
	Body api.OpenedSecret
}) (out api.AttestAnswer, err error) {
	signer, err := in.signer()
	if err != nil {
		return out, err
	}
	got, err := s.Attesting.Opened(ctx, in.Body.Nonce, signer, in.Body.Secret)
	if err != nil {
		return out, err
	}
	return attestAnswer(got), nil
}

func attestAnswer(r *service.AttestResult) api.AttestAnswer {
	out := api.AttestAnswer{State: r.State, Why: r.Why, Facts: r.Attested, Denied: r.Denied}
	if c := r.Challenge; c != nil {
		out.State, out.Challenge = "enrolling", &api.Challenge{Credential: c.Blob, Secret: c.Secret}
	}
	return out
}

// attestation is what the TPM of a machine proved. What the boot log says beside facts may name drives: it is
// for those who may see serial numbers.
func attestation(facts *service.Facts, plain bool) api.Attestation {
	f, s := fact.Read(facts.Inventory), facts.Standing
	out := api.Attestation{State: "none", Says: say.Attestation(s, f)}
	if s == nil {
		return out
	}
	out.State, out.At = f.Value(fact.Attestation).Text(), s.At
	if out.State == "" {
		out.State = "ended"
	}
	if s.Proof == nil {
		return out
	}
	out.TPM, out.Key, out.Certificate, out.Maker = s.Proof.Endorsement, s.Proof.Key, s.Proof.Certificate, s.Proof.Maker
	attested := fact.Items(f.Get(fact.AttestedFacts).Floor().Set())
	for _, c := range s.Proof.Claims {
		def := fact.ByName(c.Fact)
		if def == nil {
			continue
		}
		value, _ := fact.Parse(def.Kind, c.Value)
		row := api.AttestedFact{Fact: c.Fact, Label: def.Label, Value: say.Value(def, value)}
		if !attested.Has(c.Fact) {
			row.Reported = say.Reading(def, f.Get(def.ID))
			if others := f.Get(def.ID).Others(); len(others) > 0 {
				row.Reported = say.Value(def, others[0].Value)
			}
		}
		out.Facts = append(out.Facts, row)
	}
	if plain {
		out.Measured = measured(s.Proof.Measured)
	}
	return out
}

// measured is what a boot log proves beside facts, in words.
func measured(m *bootlog.Measured) []api.Measured {
	var out []api.Measured
	add := func(label, value string) {
		if value != "" {
			out = append(out, api.Measured{Label: label, Value: value})
		}
	}
	if m == nil {
		return nil
	}
	add("version of the first code of the firmware", m.Firmware)
	for _, list := range []struct {
		label string
		n     int
	}{
		{"platform keys", m.Keys.Platform},
		{"keys that may change the lists", m.Keys.Exchange},
		{"allowed keys and programs", m.Keys.Allowed},
		{"revoked keys and programs", m.Keys.Revoked},
	} {
		if list.n >= 0 {
			add(list.label, strconv.Itoa(list.n))
		}
	}
	add("boot entries, in their order", strings.Join(m.BootOrder, ", "))
	if m.BootDisk != nil {
		add("disk whose partition table was measured",
			m.BootDisk.Disk+", "+strconv.Itoa(m.BootDisk.Partitions)+" partitions")
	}
	return out
}
