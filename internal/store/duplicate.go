package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/inventory"
)

// Duplicate is a question of which machine is which. In a conflict two machines share
// what no two should; in a weak match Key and Other are the same machine, and an
// inventory of it is doubted.
type Duplicate struct {
	ID          int64  `db:"id"`
	MachineID   int64  `db:"machine_id"`
	OtherID     int64  `db:"other_id"`
	InventoryID int64  `db:"inventory_id"`
	Kind        string `db:"kind"`
	Why         string `db:"why"`
	Millis      int64  `db:"at"`
	Key         string `db:"key"`
	Name        string `db:"name"`
	Other       string `db:"other"`
	OtherName   string `db:"other_name"`
	TakenAt     int64  `db:"taken_at"` // of the inventory; 0 where it is about none
}

// Taken is when the doubted inventory was taken; zero where it is about none.
func (d *Duplicate) Taken() time.Time {
	if d.TakenAt == 0 {
		return time.Time{}
	}
	return fromMillis(d.TakenAt)
}

// At is when it came up.
func (d *Duplicate) At() time.Time { return fromMillis(d.Millis) }

const selectDuplicates = `SELECT q.id, q.machine_id, q.other_id, q.inventory_id, q.kind, q.why, q.at, d.key, d.name, o.key AS other, o.name AS other_name,
	coalesce((SELECT i.last_seen_at FROM inventory i WHERE i.id=q.inventory_id), 0) AS taken_at FROM duplicate q JOIN machine d ON d.id=q.machine_id JOIN machine o ON o.id=q.other_id WHERE q.ended_at=0 `

// Duplicates lists what nobody has settled, the oldest first. What is only noted is
// not among them.
func (s machines) Duplicates(ctx context.Context) ([]Duplicate, error) {
	var out []Duplicate
	err := s.reader.SelectContext(ctx, &out, selectDuplicates+"AND q.kind<>'noted' ORDER BY q.id")
	return out, err
}

// DuplicatesOf lists the possible duplicates of a machine, with remarks that need no resolution.
func (s machines) DuplicatesOf(ctx context.Context, machine int64) ([]Duplicate, error) {
	var out []Duplicate
	err := s.reader.SelectContext(ctx, &out, selectDuplicates+"AND (q.machine_id=? OR q.other_id=?) ORDER BY q.id",
		machine,
		machine)
	return out, err
}

// DuplicateByID finds a possible duplicate that is not resolved. The error may be [ErrNotFound].
func (s machines) DuplicateByID(ctx context.Context, id int64) (*Duplicate, error) {
	d := new(Duplicate)
	return d, none(s.reader.GetContext(ctx, d, selectDuplicates+"AND q.id=?", id))
}

// Verdicts on a doubt.
const (
	VerdictSame  = "same"
	VerdictApart = "apart"
)

// Settling is a person's word on a doubt.
type Settling struct {
	Verdict string
	By      string
	Now     time.Time
}

// ResolveDuplicate carries out what a person said. Two machines that are one become the
// one that was there first, with all of their inventories; an inventory that is of
// another machine becomes that machine. judge is called for every machine whose
// latest inventory is another one then. It gives the machines that were touched. The
// error may be [ErrNotFound].
func (s machines) ResolveDuplicate(
	ctx context.Context, id int64, how Settling, judge func(*Tx, *Machine, *inventory.Document) error,
) (touched []int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		var d Duplicate
		if err := tx.Get(&d, selectDuplicates+"AND q.id=?", id); err != nil {
			return none(err)
		}
		if _, err := tx.Exec("UPDATE duplicate SET ended_at=?, ended_by=?, verdict=? WHERE id=?", millis(how.Now),
			how.By,
			how.Verdict, id); err != nil {
			return err
		}
		t := &Tx{tx: tx}
		touched = []int64{d.MachineID, d.OtherID}
		switch {
		case d.MachineID != d.OtherID && how.Verdict == VerdictSame:
			if err := t.join(d.OtherID, d.MachineID, d.Key); err != nil {
				return err
			}
			return s.again(t, d.OtherID, judge)
		case d.Kind == Unvouched && how.Verdict == VerdictSame:
			if err := t.adopt(d.MachineID, d.InventoryID, how.Now); err != nil {
				return err
			}
			return s.again(t, d.MachineID, judge)
		case d.Kind == AnotherTPM && how.Verdict == VerdictSame:
			if err := (Proofs{t}).forgetTPM(d.MachineID); err != nil {
				return err
			}
			return s.again(t, d.MachineID, judge)
		case d.Kind == AnotherTPM: // proofs of that TPM go on being refused
		case d.MachineID == d.OtherID && how.Verdict == VerdictApart:
			other, err := s.part(t, &d)
			if err != nil {
				return err
			}
			touched = append(touched, other)
			for _, id := range []int64{d.MachineID, other} {
				if err := s.again(t, id, judge); err != nil {
					return err
				}
			}
		}
		return nil
	})
	return touched, err
}

// join gives everything of one machine to another, and removes it.
func (t *Tx) join(to, from int64, key string) error {
	for _, q := range []string{
		"UPDATE OR IGNORE inventory SET machine_id=? WHERE machine_id=?",
		"UPDATE hand_fact SET machine_id=? WHERE machine_id=?",
		"UPDATE tick SET machine_id=? WHERE machine_id=?",
		"UPDATE OR IGNORE tag SET machine_id=? WHERE machine_id=?",
		"UPDATE flip SET machine_id=? WHERE machine_id=?",
		"UPDATE wave_record SET machine_id=? WHERE machine_id=?",
		"UPDATE purchase_item SET machine_id=? WHERE machine_id=?",
		"UPDATE OR IGNORE replacement SET machine_id=? WHERE machine_id=?",
		"UPDATE OR IGNORE tpm SET machine_id=? WHERE machine_id=?",
		"UPDATE OR IGNORE attestation SET machine_id=? WHERE machine_id=?",
	} {
		if _, err := t.exec(q, to, from); err != nil {
			return err
		}
	}
	// The same readings of both are kept once, with the later time.
	if _, err := t.exec(
		`UPDATE inventory SET last_seen_at=max(last_seen_at, (SELECT i.last_seen_at FROM inventory i WHERE i.machine_id=? AND i.sha=inventory.sha))
		WHERE machine_id=? AND sha IN (SELECT sha FROM inventory WHERE machine_id=?)`, from, to, from); err != nil {
		return err
	}
	if err := t.joinSpeakers(to, from); err != nil {
		return err
	}
	_, err := forget(t.tx, from, key)
	return err
}

// part makes a machine of its own from an inventory that was taken for another's.
func (s machines) part(t *Tx, d *Duplicate) (int64, error) {
	var left int
	if err := t.get(&left, "SELECT count(*) FROM inventory WHERE machine_id=? AND id<>? AND beside=0", d.MachineID,
		d.InventoryID); err != nil || left == 0 {
		return d.MachineID, err // it is all that is known of the machine
	}
	inv, err := s.inventoryOf(t, d.InventoryID)
	if err != nil {
		return 0, err
	}
	var k Kept
	var n Machine
	describe(&n, inv)
	if err := t.add(n, inv.TakenAt, &Entry{Now: inv.TakenAt}, &k); err != nil {
		return 0, err
	}
	if _, err = t.exec("UPDATE inventory SET machine_id=?, beside=0 WHERE id=?", k.Machine.ID,
		d.InventoryID); err != nil {
		return 0, err
	}
	return k.Machine.ID, t.adopt(k.Machine.ID, d.InventoryID, inv.TakenAt)
}

// again describes a machine by its latest inventory, and has it judged.
func (s machines) again(t *Tx, id int64, judge func(*Tx, *Machine, *inventory.Document) error) error {
	var d Machine
	if err := t.get(&d, "SELECT * FROM machine WHERE id=?", id); err != nil {
		return err
	}
	if err := t.get(&d.InventoryID,
		"SELECT id FROM inventory WHERE machine_id=? AND beside=0 ORDER BY last_seen_at DESC, id DESC LIMIT 1",
		id); err != nil {
		return err
	}
	inv, err := s.inventoryOf(t, d.InventoryID)
	if err != nil {
		return err
	}
	describe(&d, inv)
	d.TakenAt = millis(inv.TakenAt)
	if err := t.update(&d); err != nil {
		return err
	}
	return judge(t, &d, inv)
}

func (s machines) inventoryOf(t *Tx, id int64) (*inventory.Document, error) {
	var row struct {
		Body       []byte `db:"body"`
		LastSeenAt int64  `db:"last_seen_at"`
	}
	if err := t.get(&row, "SELECT body, last_seen_at FROM inventory WHERE id=?", id); err != nil {
		return nil, none(err)
	}
	return s.decode(row.Body, row.LastSeenAt)
}
