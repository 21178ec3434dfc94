package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/inventory"
)

// Machine is a machine as the store keeps it.
type Machine struct {
	ID          int64  `db:"id"`
	Key         string `db:"key"`
	Name        string `db:"name"`
	Class       string `db:"class"`
	Maker       string `db:"maker"`
	Serial      string `db:"serial"`
	UUID        string `db:"uuid"`
	Model       string `db:"model"`
	Installed   string `db:"installed"`
	InventoryID int64  `db:"inventory_id"`
	TakenAt     int64  `db:"taken_at"`
	Board       string `db:"board"`    // serial number of its board
	Weak        string `db:"weak_key"` // keyed hash of its system's id
	Site        string `db:"site"`     // the site that a person gave it; "" is by its name
	RetiredAt   int64  `db:"retired_at"`
	TokenID     int64  `db:"token_id"`   // the token that speaks for it; 0: none yet
	PublicKey   string `db:"public_key"` // that it signs with; "": it has none
	KeyAt       int64  `db:"key_at"`     // since when
	SignedAt    int64  `db:"signed_at"`  // the latest signature, no later than it was received
	ReceivedAt  int64  `db:"received_at"`
	KeptOn      int64  `db:"kept_on"` // the day of KeptCount, in days since 1970
	KeptCount   int64  `db:"kept_count"`
}

// Taken is when its latest inventory was taken.
func (d *Machine) Taken() time.Time { return fromMillis(d.TakenAt) }

// MachineByKey finds a machine. The error may be [ErrNotFound].
func (s machines) MachineByKey(ctx context.Context, key string) (*Machine, error) {
	d := new(Machine)
	return d, none(s.reader.GetContext(ctx, d, "SELECT * FROM machine WHERE key=?", key))
}

// Named finds the machines that have a serial number (case does not count), a board's,
// or a UUID, by the name of the fact.
func (s machines) Named(ctx context.Context, fact, value string) ([]int64, error) {
	where := map[string]string{
		"device.serial":       "serial IN (?, upper(?), lower(?))",
		"device.board.serial": "board IN (?, upper(?), lower(?))",
		"device.uuid":         "uuid IN (?, upper(?), lower(?))",
	}[fact]
	if where == "" || value == "" {
		return nil, nil
	}
	var ids []int64
	column, _, _ := strings.Cut(where, " ")
	err := s.reader.SelectContext(ctx, &ids,
		"SELECT id FROM machine WHERE "+column+"<>'' AND "+where+" ORDER BY id LIMIT 1000", value, value, value)
	return ids, err
}

// Machines is how many machines are kept.
func (s machines) Machines(ctx context.Context) (n int, err error) {
	return n, s.reader.GetContext(ctx, &n, "SELECT count(*) FROM machine")
}

// ByName gives a page of the numbers of the machines that are in use, by name, and how
// many there are.
func (s machines) ByName(ctx context.Context, from, size int) (ids []int64, total int, err error) {
	if err := s.reader.GetContext(ctx, &total, "SELECT count(*) FROM machine WHERE retired_at=0"); err != nil {
		return nil, 0, err
	}
	err = s.reader.SelectContext(ctx, &ids,
		"SELECT id FROM machine WHERE retired_at=0 ORDER BY lower(name), id LIMIT ? OFFSET ?", size, from)
	return ids, total, err
}

// InventoryRef is an inventory in a machine's history.
type InventoryRef struct {
	ID         int64 `db:"id"`
	TakenAt    int64 `db:"taken_at"`
	LastSeenAt int64 `db:"last_seen_at"`
	Beside     bool  `db:"beside"` // it decides nothing: whoever sent it does not speak for the machine
}

// Times of the first and the last time that these readings came.
func (r InventoryRef) Times() (first, last time.Time) {
	return fromMillis(r.TakenAt), fromMillis(r.LastSeenAt)
}

// History lists a machine's inventories, the latest first.
func (s machines) History(ctx context.Context, machine int64) ([]InventoryRef, error) {
	var out []InventoryRef
	err := s.reader.SelectContext(ctx, &out,
		"SELECT id, taken_at, last_seen_at, beside FROM inventory "+
			"WHERE machine_id=? ORDER BY last_seen_at DESC, id DESC", machine)
	return out, err
}

// Inventory reads one of a machine's inventories. Its time is the last one at
// which the same readings came.
func (s machines) Inventory(ctx context.Context, machine, id int64) (*inventory.Document, error) {
	var row struct {
		Body       []byte `db:"body"`
		LastSeenAt int64  `db:"last_seen_at"`
	}
	if err := s.reader.GetContext(ctx, &row, "SELECT body, last_seen_at FROM inventory WHERE machine_id=? AND id=?",
		machine, id); err != nil {
		return nil, none(err)
	}
	return s.decode(row.Body, row.LastSeenAt)
}

func (s *database) decode(packed []byte, seen int64) (*inventory.Document, error) {
	body, err := s.unsqueeze(packed)
	if err != nil {
		return nil, fmt.Errorf("a stored inventory cannot be unpacked: %w", err)
	}
	d := new(inventory.Document)
	// The library is lenient where the program has learned new rules since; what it
	// does not take, as a number written 1e3, was taken by the strict reader.
	if json.Unmarshal(body, d) != nil {
		if d, err = inventory.Read("a stored inventory", body); err != nil {
			return nil, fmt.Errorf("a stored inventory cannot be read: %w", err)
		}
	}
	d.TakenAt = fromMillis(seen)
	return d, nil
}

// MachineByID finds a machine by its number. The error may be [ErrNotFound].
func (s machines) MachineByID(ctx context.Context, id int64) (*Machine, error) {
	d := new(Machine)
	return d, none(s.reader.GetContext(ctx, d, "SELECT * FROM machine WHERE id=?", id))
}

// deviceTables hold rows of one machine each, which go with it.
var machineTables = []string{
	"verdict", "fact_row", "hand_fact", "tick", "visit_link", "tag", "flip", "duplicate", "assignment", "arrival",
	"wave_machine", "wave_hop", "note", "contact", "wave_record", "replacement",
	"tpm", "attestation",
	"inventory",
}

// RemoveMachine removes a machine with everything about it, and gives its number.
// What was done to it stays without what it was and who it names. The error may
// be [ErrNotFound].
func (s machines) RemoveMachine(ctx context.Context, key string) (id int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		if err := tx.Get(&id, "SELECT id FROM machine WHERE key=?", key); err != nil {
			return none(err)
		}
		name, err := forget(tx, id, key)
		auditRename(ctx, name)
		return err
	})
	return id, err
}

// forget removes a machine, and gives the name under which what was done to it
// stays.
func forget(tx *sqlx.Tx, id int64, key string) (string, error) {
	name := fmt.Sprintf("machine %d", id)
	if _, err := tx.Exec("DELETE FROM duplicate WHERE other_id=?", id); err != nil {
		return name, err
	}
	for _, table := range machineTables {
		if _, err := tx.Exec("DELETE FROM "+table+" WHERE machine_id=?", id); err != nil {
			return name, err
		}
	}
	// What was paid for it stays.
	if _, err := tx.Exec("UPDATE purchase_item SET machine_id=0 WHERE machine_id=?", id); err != nil {
		return name, err
	}
	if _, err := tx.Exec("DELETE FROM machine WHERE id=?", id); err != nil {
		return name, err
	}
	_, err := tx.Exec("UPDATE audit SET subject=?, was='', becomes='' WHERE subject=? OR substr(subject, 1, "+
		"length(?)+1)=?||'/'", name, key, key, key)
	return name, err
}
