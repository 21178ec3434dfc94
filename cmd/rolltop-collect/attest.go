package main

import (
	"context"
	"crypto/ed25519"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"strings"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/signature"
)

// openTPM is how the machine's TPM is reached; tests have one of their own.
var openTPM = collect.OpenTPM

// prove sends what the machine's TPM attests, where the service asks for it. It is an error that it cannot only
// where --attest was given: most machines that cannot have no TPM 2.0, and their inventory says so.
func prove(
	ctx context.Context, o *options, c *client.Client, key ed25519.PrivateKey, asked *api.Attest, out, errOut io.Writer,
) error {
	if !o.attest {
		return nil
	}
	answer, err := attested(ctx, c, key, asked)
	switch {
	case err != nil && o.mustAttest:
		return fmt.Errorf("nothing was attested: %w", err)
	case errors.Is(err, errNotAsked), errors.Is(err, collect.ErrNoTPM):
		return nil
	case err != nil:
		fmt.Fprintf(errOut, "rolltop-collect: nothing was attested: %v\n", err)
		return nil
	}
	if o.out == "-" || o.format == "json" || o.quiet {
		return nil
	}
	switch answer.State {
	case attest.Attested:
		fmt.Fprintf(out, "Attested by the TPM: %s.\n", clean(answer.Facts))
	case attest.Contradicted:
		fmt.Fprintf(out, "The TPM contradicts what the system reports: %s.\n", clean(answer.Denied))
	default:
		fmt.Fprintf(out, "Nothing was attested: %s.\n", inventory.Clean(answer.Why))
	}
	return nil
}

func clean(names []string) string { return inventory.Clean(strings.Join(names, ", ")) }

// errNotAsked: the service did not ask this machine.
var errNotAsked = errors.New("the service does not ask for it: the inventory is not signed with the machine's key, " +
	"or has no effect until somebody reviews it")

// attested asks the TPM for a quote with the service's nonce, and hands it in. A TPM that is new to the service
// opens a secret first.
func attested(
	ctx context.Context, c *client.Client, key ed25519.PrivateKey, asked *api.Attest,
) (answer api.AttestAnswer, err error) {
	if asked == nil || key == nil {
		return answer, errNotAsked
	}
	nonce, err := base64.RawURLEncoding.DecodeString(asked.Nonce)
	if err != nil {
		return answer, errors.New("the service sent a nonce that cannot be read")
	}
	t, err := openTPM()
	if err != nil {
		return answer, err
	}
	defer t.Close()
	public, _ := key.Public().(ed25519.PublicKey)
	e, err := t.Evidence(attest.Qualify(nonce, signature.Name(public)), t.Log)
	if err != nil {
		return answer, err
	}
	proof := &api.Evidence{
		Nonce:        asked.Nonce,
		Key:          e.Key,
		Endorsement:  e.Endorsement,
		Quote:        e.Quote,
		Signature:    e.Signature,
		Log:          e.Log,
		Certificates: e.Certificates,
	}
	if answer, err = c.Attest(ctx, proof, key); err != nil || answer.Challenge == nil {
		return answer, err
	}
	secret, err := t.Open(&tpm.Credential{Blob: answer.Challenge.Credential, Secret: answer.Challenge.Secret})
	if err != nil {
		return answer, err
	}
	return c.OpenSecret(ctx, &api.OpenedSecret{Nonce: asked.Nonce, Secret: secret}, key)
}
