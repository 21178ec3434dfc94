package say

import (
	"fmt"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/fact"
)

// Sender is who the facts of a machine came from.
type Sender uint8

// The senders.
const (
	UnknownSender Sender = iota // from before that was noted
	PersonSender
	TokenSender
	KeySender
)

// Vouched says how it is vouched for that the facts of a machine are its own; since is
// when its key became known.
func Vouched(by Sender, since time.Time) string {
	switch by {
	case KeySender:
		return "Signed by the machine with its own key, known since " + Day(since) + "."
	case TokenSender:
		return "Submitted with the token of this machine. It has no key of its own, so anyone with the token can " +
			"submit facts in its name."
	case PersonSender:
		return "Imported by a person. Nothing assures the origin of these facts."
	}
	return "The sender of these facts was not recorded. The next sender will be bound to this machine."
}

// Attestation says in a sentence or two what a machine's TPM proved; s is nil where the machine sent no proof.
// f is the facts with the proof applied.
func Attestation(s *attest.Standing, f *fact.Facts) string {
	if s == nil {
		return "The values are not attested."
	}
	day := Day(s.At)
	switch f.Value(fact.Attestation).Text() {
	case attest.Attested:
		return fmt.Sprintf("Its TPM attested %s on %s. %s", And(attestedLabels(f)), day, certificate(s.Proof))
	case attest.Contradicted:
		if len(Denied(f)) == 0 {
			return "Its TPM contradicted its system on " + day + ", and a person entered what is right."
		}
		return fmt.Sprintf("Its TPM contradicts its system on %s. Until somebody has examined the machine, no result "+
			"rests on what they disagree on.", And(deniedLabels(f)))
	case attest.Rejected:
		return fmt.Sprintf("What it sent on %s as a proof by its TPM was refused: %s.", day, s.Why)
	case attest.AnotherTPM:
		return "Its TPM has changed, and nothing is attested until somebody confirms it: " + s.Why + "."
	}
	return "The latest proof by its TPM is of " + day + ". A proof counts for 30 days."
}

// certificate says who vouches for the TPM.
func certificate(p *attest.Proof) string {
	switch p.Certificate {
	case attest.CertificateVerified:
		return p.Maker + " certified the TPM."
	case attest.CertificateUnknown:
		return "The TPM has a certificate, and its issuer is not among the makers that the service knows."
	}
	return "The TPM has no certificate of its maker: it is known since the machine first attested with it."
}

func attestedLabels(f *fact.Facts) []string {
	return itemsOf(fact.AttestedFacts.Def(), f.Get(fact.AttestedFacts).Floor().Set())
}

// Denied are the facts of which a machine's system reports something else than its TPM attests.
func Denied(f *fact.Facts) []*fact.Def {
	var out []*fact.Def
	if !f.Is(fact.Attestation, attest.Contradicted) {
		return nil
	}
	for i := range fact.All() {
		if def := &fact.All()[i]; def.ID.Attestable() && contradicted(f.Get(def.ID)) {
			out = append(out, def)
		}
	}
	return out
}

func contradicted(r *fact.Reading) bool { return r.Gap != nil && r.Gap.Detail == attest.Differs }

func deniedLabels(f *fact.Facts) []string {
	var out []string
	for _, def := range Denied(f) {
		out = append(out, def.Label)
	}
	return out
}
