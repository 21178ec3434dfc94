package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/inventory"
)

// Doubt is a question of which machine is which. In a conflict two machines share
// what no two should; in a weak match Key and Other are the same machine, and an
// inventory of it is doubted.
type Doubt struct {
	ID          int64  `db:"id"`
	DeviceID    int64  `db:"device_id"`
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
func (d *Doubt) Taken() time.Time {
	if d.TakenAt == 0 {
		return time.Time{}
	}
	return fromMillis(d.TakenAt)
}

// At is when it came up.
func (d *Doubt) At() time.Time { return fromMillis(d.Millis) }

const selectDoubts = `SELECT q.id, q.device_id, q.other_id, q.inventory_id, q.kind, q.why, q.at, d.key, d.name, o.key AS other, o.name AS other_name,
	coalesce((SELECT i.last_seen_at FROM inventory i WHERE i.id=q.inventory_id), 0) AS taken_at FROM doubt q JOIN device d ON d.id=q.device_id JOIN device o ON o.id=q.other_id WHERE q.ended_at=0 `

// Doubts lists what nobody has settled, the oldest first. What is only noted is
// not among them.
func (s *Store) Doubts(ctx context.Context) ([]Doubt, error) {
	var out []Doubt
	err := s.reader.SelectContext(ctx, &out, selectDoubts+"AND q.kind<>'noted' ORDER BY q.id")
	return out, err
}

// DoubtsOf lists those about a machine, with what is only noted.
func (s *Store) DoubtsOf(ctx context.Context, device int64) ([]Doubt, error) {
	var out []Doubt
	err := s.reader.SelectContext(ctx, &out, selectDoubts+"AND (q.device_id=? OR q.other_id=?) ORDER BY q.id", device,
		device)
	return out, err
}

// DoubtByID finds one that is not settled. The error may be [ErrNotFound].
func (s *Store) DoubtByID(ctx context.Context, id int64) (*Doubt, error) {
	d := new(Doubt)
	return d, none(s.reader.GetContext(ctx, d, selectDoubts+"AND q.id=?", id))
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

// SettleDoubt carries out what a person said. Two machines that are one become the
// one that was there first, with all of their inventories; an inventory that is of
// another machine becomes that machine. judge is called for every machine whose
// latest inventory is another one then. It gives the machines that were touched. The
// error may be [ErrNotFound].
func (s *Store) SettleDoubt(
	ctx context.Context, id int64, how Settling, judge func(*Tx, *Device, *inventory.Document) error,
) (touched []int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		var d Doubt
		if err := tx.Get(&d, selectDoubts+"AND q.id=?", id); err != nil {
			return none(err)
		}
		if _, err := tx.Exec("UPDATE doubt SET ended_at=?, ended_by=?, verdict=? WHERE id=?", millis(how.Now), how.By,
			how.Verdict, id); err != nil {
			return err
		}
		t := &Tx{tx: tx}
		touched = []int64{d.DeviceID, d.OtherID}
		switch {
		case d.DeviceID != d.OtherID && how.Verdict == VerdictSame:
			if err := t.join(d.OtherID, d.DeviceID, d.Key); err != nil {
				return err
			}
			return s.again(t, d.OtherID, judge)
		case d.Kind == Unvouched && how.Verdict == VerdictSame:
			if err := t.adopt(d.DeviceID, d.InventoryID, how.Now); err != nil {
				return err
			}
			return s.again(t, d.DeviceID, judge)
		case d.DeviceID == d.OtherID && how.Verdict == VerdictApart:
			other, err := s.part(t, &d)
			if err != nil {
				return err
			}
			touched = append(touched, other)
			for _, id := range []int64{d.DeviceID, other} {
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
		"UPDATE OR IGNORE inventory SET device_id=? WHERE device_id=?",
		"UPDATE hand_fact SET device_id=? WHERE device_id=?",
		"UPDATE tick SET device_id=? WHERE device_id=?",
		"UPDATE OR IGNORE tag SET device_id=? WHERE device_id=?",
		"UPDATE flip SET device_id=? WHERE device_id=?",
	} {
		if _, err := t.exec(q, to, from); err != nil {
			return err
		}
	}
	// The same readings of both are kept once, with the later time.
	if _, err := t.exec(
		`UPDATE inventory SET last_seen_at=max(last_seen_at, (SELECT i.last_seen_at FROM inventory i WHERE i.device_id=? AND i.sha=inventory.sha))
		WHERE device_id=? AND sha IN (SELECT sha FROM inventory WHERE device_id=?)`, from, to, from); err != nil {
		return err
	}
	if err := t.joinSpeakers(to, from); err != nil {
		return err
	}
	_, err := forget(t.tx, from, key)
	return err
}

// part makes a machine of its own from an inventory that was taken for another's.
func (s *Store) part(t *Tx, d *Doubt) (int64, error) {
	var left int
	if err := t.get(&left, "SELECT count(*) FROM inventory WHERE device_id=? AND id<>? AND beside=0", d.DeviceID,
		d.InventoryID); err != nil || left == 0 {
		return d.DeviceID, err // it is all that is known of the machine
	}
	inv, err := s.inventoryOf(t, d.InventoryID)
	if err != nil {
		return 0, err
	}
	var k Kept
	var n Device
	describe(&n, inv)
	if err := t.add(n, inv.TakenAt, &Entry{Now: inv.TakenAt}, &k); err != nil {
		return 0, err
	}
	if _, err = t.exec("UPDATE inventory SET device_id=?, beside=0 WHERE id=?", k.Device.ID,
		d.InventoryID); err != nil {
		return 0, err
	}
	return k.Device.ID, t.adopt(k.Device.ID, d.InventoryID, inv.TakenAt)
}

// again describes a machine by its latest inventory, and has it judged.
func (s *Store) again(t *Tx, id int64, judge func(*Tx, *Device, *inventory.Document) error) error {
	var d Device
	if err := t.get(&d, "SELECT * FROM device WHERE id=?", id); err != nil {
		return err
	}
	if err := t.get(&d.InventoryID,
		"SELECT id FROM inventory WHERE device_id=? AND beside=0 ORDER BY last_seen_at DESC, id DESC LIMIT 1",
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

func (s *Store) inventoryOf(t *Tx, id int64) (*inventory.Document, error) {
	var row struct {
		Body       []byte `db:"body"`
		LastSeenAt int64  `db:"last_seen_at"`
	}
	if err := t.get(&row, "SELECT body, last_seen_at FROM inventory WHERE id=?", id); err != nil {
		return nil, none(err)
	}
	return s.decode(row.Body, row.LastSeenAt)
}
