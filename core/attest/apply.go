package attest

import (
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
)

// Lasts is how long a proof counts. It is of one start of the machine: later readings may only agree with it.
const Lasts = 30 * 24 * time.Hour

// States of a machine's attestation; see the fact tpm.attestation.
const (
	Attested     = "attested"
	Contradicted = "contradicted"
	Rejected     = "refused"
	AnotherTPM   = "another-tpm"
)

// Differs is the detail of the gap of a fact that a TPM contradicts.
const Differs = "what the system reports and what its TPM attests differ"

// Standing is the latest attestation of a machine.
type Standing struct {
	State string    // Attested, Rejected or AnotherTPM
	At    time.Time // when it came
	Proof *Proof    // nil where it was no proof
	Why   string    // why it was none
	Fresh bool      // it was taken with the inventory, and not with an earlier one
}

// Apply returns the inventory with what the standing says of it; d itself stays as it is. A fact that the TPM
// attested fills a gap. Where the system reported something else, nothing is known: both readings stay, and the
// fact is contradicted. An earlier proof says nothing of a fact that has another value now. nil is a machine
// that was never attested.
func Apply(d *inventory.Document, s *Standing, now time.Time) *inventory.Document {
	if s == nil || fact.ClassOf(d) == fact.Mac {
		return d
	}
	out := d.Clone()
	out.TPM.Attestation, out.TPM.Attested = inventory.Opt[string]{}, nil
	out.DropGap(fact.AttestedFacts.String())
	switch {
	case s.State != Attested:
		out.TPM.Attestation = inventory.Some(s.State)
		out.AddGap(fact.AttestedFacts.String(), inventory.ReadFailed, s.Why, "")
		return out
	case now.Sub(s.At) > Lasts:
		out.AddGap(fact.AttestedFacts.String(), inventory.NotAsked, "the latest proof by its TPM is of "+
			s.At.UTC().Format(time.DateOnly)+"; a proof counts for 30 days", "")
		return out
	}
	state := Attested
	for _, c := range s.Proof.Claims {
		switch verdict := s.claim(&out, c); verdict {
		case Attested:
			out.TPM.Attested = append(out.TPM.Attested, c.Fact)
		case Contradicted:
			state = Contradicted
		}
	}
	out.TPM.Attestation = inventory.Some(state)
	// What is not among the attested facts may be attested another time: nothing is known not to be.
	out.AddGap(fact.AttestedFacts.String(), inventory.NotOffered, "the proof by its TPM of "+
		s.At.UTC().Format(time.DateOnly)+" says nothing else", "")
	return out
}

// claim puts one claim into an inventory, and says what came of it; "" where it says nothing.
func (s *Standing) claim(d **inventory.Document, c Claim) string {
	def := fact.ByName(c.Fact)
	if def == nil || !def.ID.Attestable() {
		return ""
	}
	r := fact.Read(*d).Get(def.ID)
	value, ok := fact.Parse(def.Kind, c.Value)
	switch {
	case !ok:
		return ""
	case r.Value.Known() && r.Value.Equal(value):
		return Attested
	case !s.Fresh, def.ID == fact.TPMState && r.Value.Known(): // one that is locked for a while answers too
		return ""
	case def.ID == fact.BootStyle: // firmware also measures the table of a disk that it only tried
		return ""
	}
	next, left := manual.Enter(*d, []manual.Fact{{Fact: c.Fact, Value: c.Value, From: s.Proof.Source(s.At)}})
	if left != nil {
		return ""
	}
	*d = next
	if g := next.GapOf(c.Fact); g != nil && g.Fact == c.Fact && g.Cause == inventory.Disagree {
		g.Detail = Differs
		g.Try = "restart the machine and run rolltop-collect again; if they still differ, examine the machine: " +
			"something on it reports what is not so"
		return Contradicted
	}
	return Attested
}
