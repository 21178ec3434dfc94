package service

import (
	"context"
	"crypto/rand"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/store"
)

// Attesting is how machines prove facts by their TPMs: each is asked with a nonce, once its inventory is kept,
// and what it sends counts once its TPM has opened a secret.
type Attesting struct {
	Records
	judge  *Judge
	index  *Index
	makers *x509.CertPool // of TPMs, that the organisation trusts; nil: none

	mu   sync.Mutex
	open map[string]*asking // by the nonce
}

// asking is one machine that was asked for a proof.
type asking struct {
	machine   string // its key in addresses
	signer    string // its public key
	inventory int64
	until     time.Time

	challenge *attest.Challenge // where its TPM must open a secret
	evidence  *attest.Evidence
	proof     *attest.Proof
}

// Bounds of what is asked for at a time.
const (
	askingLasts = 5 * time.Minute
	maxAsking   = 50_000
	maxHeld     = 32 << 20 // bytes of proofs whose TPM has to open a secret
	nonceSize   = 32
)

// Invite asks a machine for a proof that goes with the inventory it just sent. It gives a nonce, and until
// when it may be used; "" where the machine is not asked: it does not sign with its own key, or what it sent
// has no effect.
func (a *Attesting) Invite(k *Kept, signer string) (nonce string, until time.Time) {
	if signer == "" || k.Machine.PublicKey != signer || k.Beside || k.Machine.Class == fact.Mac {
		return "", time.Time{}
	}
	b := make([]byte, nonceSize)
	_, _ = rand.Read(b) // it never fails
	nonce = base64.RawURLEncoding.EncodeToString(b)
	now := a.Now()
	a.mu.Lock()
	defer a.mu.Unlock()
	if len(a.open) >= maxAsking {
		for key, q := range a.open {
			if now.After(q.until) {
				delete(a.open, key)
			}
		}
		if len(a.open) >= maxAsking {
			return "", time.Time{} // machines are asked again with their next inventory
		}
	}
	if a.open == nil {
		a.open = map[string]*asking{}
	}
	until = now.Add(askingLasts)
	a.open[nonce] = &asking{
		machine: k.Machine.Key, signer: signer, inventory: k.Machine.InventoryID, until: until,
	}
	return nonce, until
}

// take takes a question away: a nonce is answered once.
func (a *Attesting) take(nonce, signer string) (*asking, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	q := a.open[nonce]
	if q == nil || q.signer != signer || a.Now().After(q.until) {
		return nil, refuse("The proof was not asked for",
			"this nonce was not given to this machine, was used before, or is older than %d minutes; send the "+
				"inventory again to get another one", int(askingLasts.Minutes()))
	}
	delete(a.open, nonce)
	return q, nil
}

// AttestResult is what came of what a machine sent.
type AttestResult struct {
	State     string // a state of a machine's attestation; "" where its TPM has to open a secret first
	Why       string // it is no proof
	Challenge *tpm.Credential
	Attested  []string // facts
	Denied    []string // facts of which the system reports something else
}

// Take verifies what a machine sends. Where its TPM is not enrolled yet, the answer has a secret to open.
func (a *Attesting) Take(ctx context.Context, nonce, signer string, e *attest.Evidence) (*AttestResult, error) {
	q, err := a.take(nonce, signer)
	if err != nil {
		return nil, err
	}
	raw, err := base64.RawURLEncoding.DecodeString(nonce)
	if err != nil {
		return nil, err
	}
	q.evidence = e
	proof, err := attest.Verify(e, attest.Qualify(raw, signer))
	if no := new(attest.Refused); errors.As(err, &no) {
		return a.keep(ctx, q, &store.Attestation{State: attest.Rejected, Why: no.Says})
	} else if err != nil {
		return nil, err
	}
	proof.Certify(e, a.makers, a.Now())
	q.proof = proof
	d, err := a.Store.MachineByKey(ctx, q.machine)
	if err != nil {
		return nil, orMissing(err, NoMachine(q.machine))
	}
	enrolled, err := a.Store.TPM(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	switch {
	case enrolled == nil:
		owner, err := a.Store.MachineWithTPM(ctx, proof.Endorsement)
		if err == nil {
			return a.keep(ctx, q, &store.Attestation{State: attest.Rejected,
				Why: "this TPM is enrolled for the machine " + owner.Key})
		} else if !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
	case enrolled.Endorsement != proof.Endorsement:
		return a.keep(ctx, q, &store.Attestation{State: attest.AnotherTPM, Why: fmt.Sprintf(
			"the machine attested with TPM %s until now, and this is TPM %s", attest.Short(enrolled.Endorsement),
			attest.Short(proof.Endorsement))})
	case enrolled.Key == proof.Key:
		return a.keep(ctx, q, &store.Attestation{State: attest.Attested})
	}
	if q.challenge, err = attest.Enrol(e, rand.Reader); err != nil {
		return nil, err
	}
	if !a.hold(nonce, q) {
		return nil, refuse("Too many proofs at once",
			"many machines attest for the first time at this moment; the machine is asked again with its next "+
				"inventory")
	}
	return &AttestResult{Challenge: &q.challenge.Credential}, nil
}

// hold keeps a proof until its TPM has opened a secret, where there is room for it.
func (a *Attesting) hold(nonce string, q *asking) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	now, held := a.Now(), len(q.evidence.Log)
	for key, other := range a.open {
		switch {
		case now.After(other.until):
			delete(a.open, key)
		case other.evidence != nil:
			held += len(other.evidence.Log)
		}
	}
	if held > maxHeld {
		return false
	}
	a.open[nonce] = q
	return true
}

// Opened takes the secret that a TPM opened: it is enrolled for its machine, and its proof counts.
func (a *Attesting) Opened(ctx context.Context, nonce, signer string, secret []byte) (*AttestResult, error) {
	q, err := a.take(nonce, signer)
	switch {
	case err != nil:
		return nil, err
	case q.challenge == nil:
		return nil, refuse("The proof was not asked for", "the TPM of this machine was not asked to open a secret")
	case !q.challenge.Opened(secret):
		return a.keep(ctx, q, &store.Attestation{State: attest.Rejected,
			Why: "the TPM did not open the secret: the key of the quote is not in it"})
	}
	return a.keep(ctx, q, &store.Attestation{State: attest.Attested})
}

// keep stores what came of it, and judges the machine.
func (a *Attesting) keep(ctx context.Context, q *asking, is *store.Attestation) (*AttestResult, error) {
	now := a.Now()
	is.InventoryID, is.Millis = q.inventory, now.UnixMilli()
	if is.State == attest.Attested {
		text, err := json.Marshal(q.proof)
		if err != nil {
			return nil, err
		}
		is.Proof = string(text)
	}
	evidence, err := json.Marshal(q.evidence)
	if err != nil {
		return nil, err
	}
	out := &AttestResult{State: is.State, Why: is.Why}
	err = a.index.change(ctx, q.machine, func(tx *store.Tx, d *store.Machine, inv *inventory.Document) error {
		if d.PublicKey != q.signer {
			return refuse("The proof was not asked for", "the machine signs with another key by now")
		}
		is.MachineID = d.ID
		proofs := store.Proofs{Tx: tx}
		if is.State == attest.Attested {
			err := proofs.Enrol(&store.TPM{
				MachineID: d.ID, Endorsement: q.proof.Endorsement, Key: q.proof.Key, Millis: is.Millis,
			})
			if errors.Is(err, store.ErrOtherTPM) {
				return refuse("The proof is not this machine's",
					"meanwhile its TPM was enrolled for another machine, or another TPM for this machine")
			} else if err != nil {
				return err
			}
		}
		if is.State == attest.AnotherTPM {
			if err := proofs.AskAboutTPM(d, "Its TPM has changed: "+is.Why+
				". If it was exchanged, answer same; otherwise its proofs stay refused.", now); err != nil {
				return err
			}
		}
		if err := proofs.PutAttestation(is, a.Store.Packed(evidence)); err != nil {
			return err
		}
		got, err := a.judge.machine(tx, d, inv, store.ByProof)
		if err == nil {
			out.read(got.facts)
		}
		return err
	})
	if err != nil {
		return nil, orMissing(err, NoMachine(q.machine))
	}
	return out, nil
}

// read takes over what is attested and what is contradicted.
func (r *AttestResult) read(f *fact.Facts) {
	if f == nil { // its class has no target
		return
	}
	if s := f.Value(fact.Attestation).Text(); s != "" {
		r.State = s
	}
	r.Attested = f.Get(fact.AttestedFacts).Floor().Set()
	for _, def := range say.Denied(f) {
		r.Denied = append(r.Denied, def.Name)
	}
}

// endPast judges machines whose proof no longer counts.
func (a *Attesting) endPast(ctx context.Context, now time.Time) error {
	keys, err := a.Store.PastProofs(ctx, now.Add(-attest.Lasts))
	if err != nil {
		return err
	}
	_, err = a.judge.again(ctx, keys, func(tx *store.Tx, d *store.Machine) error {
		return store.Proofs{Tx: tx}.EndProof(d.ID)
	})
	return err
}
