package service

import (
	"context"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/base64"
	"strings"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/internal/store"
)

// Attest lets a machine prove what a made-up TPM attests, as its collector would: it sends its inventory again,
// signed with a key that follows from its name, and then the proof.
func (s *Service) Attest(ctx context.Context, name string, at time.Time, chip *sample.Chip, log []byte) error {
	ctx = ByItself(ctx)
	d, err := s.Store.MachineByKey(ctx, strings.ToLower(name))
	if err != nil {
		return err
	}
	inv, err := s.Store.Inventory(ctx, d.ID, d.InventoryID)
	if err != nil {
		return err
	}
	seed := sha256.Sum256([]byte(name))
	public, _ := ed25519.NewKeyFromSeed(seed[:]).Public().(ed25519.PublicKey)
	signer := base64.RawURLEncoding.EncodeToString(public)
	kept, err := s.Intake.Keep(ctx, inv, store.Entry{}.SignedBy(signer, at))
	if err != nil {
		return err
	}
	nonce, _ := s.Attesting.Invite(&kept, signer)
	raw, err := base64.RawURLEncoding.DecodeString(nonce)
	if err != nil {
		return err
	}
	talk, err := attest.Begin(func(command []byte) ([]byte, error) { return chip.Answer(command), nil })
	if err != nil {
		return err
	}
	evidence, err := talk.Evidence(attest.Qualify(raw, signer), log)
	if err != nil {
		return err
	}
	got, err := s.Attesting.Take(ctx, nonce, signer, evidence)
	if err != nil || got.Challenge == nil {
		return err
	}
	secret, err := talk.Open(got.Challenge)
	if err != nil {
		return err
	}
	_, err = s.Attesting.Opened(ctx, nonce, signer, secret)
	return err
}
