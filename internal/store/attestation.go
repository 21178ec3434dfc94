package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"rolltop.example/rolltop/core/attest"
)

// AnotherTPM is the kind of a question about a machine whose TPM is not the one that it had.
const AnotherTPM = "another-tpm"

// TPM is the enrolled TPM of a machine.
type TPM struct {
	MachineID   int64  `db:"machine_id"`
	Endorsement string `db:"endorsement"` // name of its endorsement key, as hexadecimal digits
	Key         string `db:"key"`         // name of the key that signs its quotes
	Millis      int64  `db:"at"`
}

// At is when it was enrolled.
func (t *TPM) At() time.Time { return fromMillis(t.Millis) }

// Attestation is the latest attestation of a machine.
type Attestation struct {
	MachineID   int64  `db:"machine_id"`
	InventoryID int64  `db:"inventory_id"`
	Millis      int64  `db:"at"`
	State       string `db:"state"`
	Why         string `db:"why"`
	Proof       string `db:"proof"`
}

// Proofs are what a write does with attestations.
type Proofs struct{ *Tx }

const selectAttestation = "SELECT machine_id, inventory_id, at, state, why, proof FROM attestation WHERE machine_id=?"

// standing is what an attestation says of an inventory.
func (a *Attestation) standing(inventory int64) (*attest.Standing, error) {
	out := &attest.Standing{State: a.State, At: fromMillis(a.Millis), Why: a.Why, Fresh: a.InventoryID == inventory}
	if a.Proof == "" {
		return out, nil
	}
	out.Proof = new(attest.Proof)
	if err := json.Unmarshal([]byte(a.Proof), out.Proof); err != nil {
		return nil, fmt.Errorf("a stored proof cannot be read: %w", err)
	}
	return out, nil
}

// Standing is a machine's latest attestation, as it bears on its latest inventory; nil where it has none.
func (s machines) Standing(ctx context.Context, machine *Machine) (*attest.Standing, error) {
	return standingOf(machine, func(a *Attestation) error {
		return s.reader.GetContext(ctx, a, selectAttestation, machine.ID)
	})
}

// Standing is a machine's latest attestation, as it bears on its latest inventory, within a write; nil where it
// has none.
func (t Proofs) Standing(machine *Machine) (*attest.Standing, error) {
	if machine.ID == t.fresh {
		return nil, nil
	}
	return standingOf(machine, func(a *Attestation) error { return t.get(a, selectAttestation, machine.ID) })
}

// standingOf reads the standing of a machine. One without a key of its own has none.
func standingOf(machine *Machine, read func(*Attestation) error) (*attest.Standing, error) {
	if machine.PublicKey == "" {
		return nil, nil
	}
	a := new(Attestation)
	if err := read(a); errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	return a.standing(machine.InventoryID)
}

// TPM is the enrolled TPM of a machine; nil where it has none.
func (s machines) TPM(ctx context.Context, machine int64) (*TPM, error) {
	t := new(TPM)
	err := s.reader.GetContext(ctx, t, "SELECT * FROM tpm WHERE machine_id=?", machine)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return t, err
}

// MachineWithTPM is the machine that a TPM is enrolled for. The error may be [ErrNotFound].
func (s machines) MachineWithTPM(ctx context.Context, endorsement string) (*Machine, error) {
	d := new(Machine)
	return d, none(s.reader.GetContext(ctx, d,
		"SELECT d.* FROM machine d JOIN tpm t ON t.machine_id=d.id WHERE t.endorsement=?", endorsement))
}

// ErrOtherTPM says that the TPM is another machine's, or the machine has another TPM.
var ErrOtherTPM = errors.New("the TPM and the machine do not belong together")

// Enrol makes a TPM that of a machine. The error may be [ErrOtherTPM].
func (t Proofs) Enrol(is *TPM) error {
	var others int
	err := t.get(&others, "SELECT count(*) FROM tpm WHERE (machine_id=?1)<>(endorsement=?2) AND "+
		"(machine_id=?1 OR endorsement=?2)", is.MachineID, is.Endorsement)
	if err != nil {
		return err
	}
	if others > 0 {
		return ErrOtherTPM
	}
	_, err = t.exec("INSERT OR REPLACE INTO tpm (machine_id, endorsement, key, at) VALUES (?, ?, ?, ?)", is.MachineID,
		is.Endorsement, is.Key, is.Millis)
	return err
}

// Packed is a text as the store keeps large ones.
func (s machines) Packed(text []byte) []byte { return s.pack.EncodeAll(text, nil) }

// PutAttestation keeps what a machine sent, instead of what it sent before.
func (t Proofs) PutAttestation(a *Attestation, evidence []byte) error {
	_, err := t.exec("INSERT OR REPLACE INTO attestation (machine_id, inventory_id, at, state, why, proof, evidence) "+
		"VALUES (?, ?, ?, ?, ?, ?, ?)", a.MachineID, a.InventoryID, a.Millis, a.State, a.Why, a.Proof, evidence)
	return err
}

// AskAboutTPM asks a person whether a machine has another TPM now, once for each.
func (t Proofs) AskAboutTPM(machine *Machine, why string, now time.Time) error {
	_, err := t.exec(
		`INSERT INTO duplicate (machine_id, other_id, inventory_id, kind, why, at) VALUES (?1, ?1, ?2, ?3, ?4, ?5)
		ON CONFLICT DO UPDATE SET inventory_id=excluded.inventory_id, why=excluded.why, at=excluded.at, ended_at=0, ended_by='', verdict=''
		WHERE duplicate.why<>excluded.why`,
		machine.ID, machine.InventoryID, AnotherTPM, why, millis(now))
	return err
}

// forgetTPM lets the next TPM that a machine attests with be its own.
func (t Proofs) forgetTPM(machine int64) error {
	if _, err := t.exec("DELETE FROM tpm WHERE machine_id=?", machine); err != nil {
		return err
	}
	_, err := t.exec("DELETE FROM attestation WHERE machine_id=?", machine)
	return err
}

// PastProofs lists machines whose proof came before a time and still counts.
func (s machines) PastProofs(ctx context.Context, before time.Time) (keys []string, err error) {
	err = s.reader.SelectContext(ctx, &keys, "SELECT d.key FROM attestation a JOIN machine d ON d.id=a.machine_id "+
		"WHERE a.ended=0 AND a.at<?", millis(before))
	return keys, err
}

// EndProof notes that a machine was judged without its proof, which no longer counts.
func (t Proofs) EndProof(machine int64) error {
	_, err := t.exec("UPDATE attestation SET ended=1 WHERE machine_id=?", machine)
	return err
}
