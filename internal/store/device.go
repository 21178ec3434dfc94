package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// Device is a machine as the store keeps it.
type Device struct {
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
}

// Taken is when its latest inventory was taken.
func (d *Device) Taken() time.Time { return fromMillis(d.TakenAt) }

// Kept is what became of an inventory that was handed in.
type Kept struct {
	Device   Device
	Created  bool // a machine not seen before
	Changed  bool // readings that this machine did not have before
	IsLatest bool // no later inventory of this machine is there
}

// Keep stores an inventory with its machine. The same readings again only move
// the time; an older inventory joins the history and does not become the
// machine's latest. judge is called in the same transaction for the machine's
// latest inventory, so that a verdict never lags behind it.
func (s *Store) Keep(ctx context.Context, d *inventory.Document, judge func(*Tx, *Device, *inventory.Document) error) (Kept, error) {
	body, err := json.Marshal(d)
	if err != nil {
		return Kept{}, err
	}
	sha, err := readingsHash(d)
	if err != nil {
		return Kept{}, err
	}
	var k Kept
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		k = Kept{}
		if err := s.matchOrMake(tx, d, &k); err != nil {
			return err
		}
		id, changed, err := s.keepInventory(tx, k.Device.ID, d.TakenAt, sha, body)
		if err != nil {
			return err
		}
		k.Changed = changed
		if at := millis(d.TakenAt); k.Created || at >= k.Device.TakenAt {
			k.IsLatest = true
			describe(&k.Device, d)
			k.Device.InventoryID, k.Device.TakenAt = id, at
			if _, err := tx.NamedExec(`UPDATE device SET name=:name, class=:class, maker=:maker, serial=:serial, uuid=:uuid,
				model=:model, installed=:installed, inventory_id=:inventory_id, taken_at=:taken_at WHERE id=:id`, &k.Device); err != nil {
				return err
			}
			return judge(&Tx{tx}, &k.Device, d)
		}
		return nil
	})
	return k, err
}

// readingsHash covers what was read and not when.
func readingsHash(d *inventory.Document) ([]byte, error) {
	c := *d
	c.TakenAt, c.Collector.DurationMS = time.Time{}, inventory.Opt[int64]{}
	b, err := json.Marshal(&c)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(b)
	return sum[:], nil
}

// describe copies what lists show. What an inventory without rights could not
// read stays as an earlier one gave it.
func describe(v *Device, d *inventory.Document) {
	keep := func(to *string, from inventory.Opt[string]) {
		if s, ok := from.Get(); ok {
			*to = s
		}
	}
	keep(&v.Name, d.Device.Name)
	keep(&v.Maker, d.Device.Manufacturer)
	keep(&v.Serial, d.Device.Serial)
	keep(&v.UUID, d.Device.UUID)
	keep(&v.Model, d.Device.ModelID)
	keep(&v.Model, d.Device.Model)
	keep(&v.Installed, d.OS.Name)
	v.Class = fact.Read(d).Class()
	if v.Name == "" {
		v.Name = "unnamed"
	}
}

// matchOrMake finds the machine that an inventory is of: by UUID, by maker and
// serial, or, where one of the two sides has neither, by name.
func (s *Store) matchOrMake(tx *sqlx.Tx, d *inventory.Document, k *Kept) error {
	var n Device
	describe(&n, d)
	find := func(query string, args ...any) (bool, error) {
		err := tx.Get(&k.Device, query+" ORDER BY id LIMIT 1", args...)
		if errors.Is(err, sql.ErrNoRows) {
			return false, nil
		}
		return err == nil, err
	}
	type try struct {
		use   bool
		query string
		args  []any
	}
	blank := n.UUID == "" && n.Serial == ""
	for _, t := range []try{
		{n.UUID != "", "SELECT * FROM device WHERE uuid=? AND uuid<>'' AND (serial='' OR ?='' OR serial=?)", []any{n.UUID, n.Serial, n.Serial}},
		{n.Serial != "", "SELECT * FROM device WHERE maker=? AND serial=? AND serial<>'' AND (uuid='' OR ?='' OR uuid=?)", []any{n.Maker, n.Serial, n.UUID, n.UUID}},
		{!blank, "SELECT * FROM device WHERE name=? AND uuid='' AND serial=''", []any{n.Name}},
		{blank && n.Name != "unnamed", "SELECT * FROM device WHERE name=?", []any{n.Name}},
	} {
		if !t.use {
			continue
		}
		if found, err := find(t.query, t.args...); found || err != nil {
			return err
		}
	}
	k.Created, k.Device = true, n
	key, err := freeKey(tx, n.Name)
	if err != nil {
		return err
	}
	k.Device.Key, k.Device.TakenAt = key, millis(d.TakenAt)
	res, err := tx.NamedExec(`INSERT INTO device (key, name, class, maker, serial, uuid, model, installed, taken_at)
		VALUES (:key, :name, :class, :maker, :serial, :uuid, :model, :installed, :taken_at)`, &k.Device)
	if err != nil {
		return err
	}
	k.Device.ID, err = res.LastInsertId()
	return err
}

// freeKey makes a short name for addresses from a host name.
func freeKey(tx *sqlx.Tx, name string) (string, error) {
	base := strings.Trim(strings.Map(func(c rune) rune {
		switch {
		case c >= 'a' && c <= 'z', c >= '0' && c <= '9', c == '-', c == '_':
			return c
		case c >= 'A' && c <= 'Z':
			return c + 'a' - 'A'
		}
		return '-'
	}, name), "-")
	if base == "" {
		base = "machine"
	}
	base = base[:min(len(base), 63)]
	for i := 1; ; i++ {
		key := base
		if i > 1 {
			key = fmt.Sprintf("%s-%d", base, i)
		}
		var n int
		if err := tx.Get(&n, "SELECT count(*) FROM device WHERE key=?", key); err != nil || n == 0 {
			return key, err
		}
	}
}

func (s *Store) keepInventory(tx *sqlx.Tx, device int64, at time.Time, sha, body []byte) (id int64, changed bool, err error) {
	err = tx.Get(&id, "SELECT id FROM inventory WHERE device_id=? AND sha=?", device, sha)
	if err == nil {
		_, err = tx.Exec("UPDATE inventory SET last_seen_at=max(last_seen_at, ?) WHERE id=?", millis(at), id)
		return id, false, err
	}
	if !errors.Is(err, sql.ErrNoRows) {
		return 0, false, err
	}
	res, err := tx.Exec("INSERT INTO inventory (device_id, taken_at, last_seen_at, sha, body) VALUES (?, ?, ?, ?, ?)",
		device, millis(at), millis(at), sha, s.pack.EncodeAll(body, nil))
	if err != nil {
		return 0, false, err
	}
	id, err = res.LastInsertId()
	return id, true, err
}

// DeviceByKey finds a machine. The error may be [ErrNotFound].
func (s *Store) DeviceByKey(ctx context.Context, key string) (*Device, error) {
	d := new(Device)
	return d, none(s.reader.GetContext(ctx, d, "SELECT * FROM device WHERE key=?", key))
}

// InventoryRef is an inventory in a machine's history.
type InventoryRef struct {
	ID         int64 `db:"id"`
	TakenAt    int64 `db:"taken_at"`
	LastSeenAt int64 `db:"last_seen_at"`
}

// Times of the first and the last time that these readings came.
func (r InventoryRef) Times() (first, last time.Time) {
	return fromMillis(r.TakenAt), fromMillis(r.LastSeenAt)
}

// History lists a machine's inventories, the latest first.
func (s *Store) History(ctx context.Context, device int64) ([]InventoryRef, error) {
	var out []InventoryRef
	err := s.reader.SelectContext(ctx, &out, "SELECT id, taken_at, last_seen_at FROM inventory WHERE device_id=? ORDER BY last_seen_at DESC, id DESC", device)
	return out, err
}

// Inventory reads one of a machine's inventories. Its time is the last one at
// which the same readings came.
func (s *Store) Inventory(ctx context.Context, device, id int64) (*inventory.Document, error) {
	var row struct {
		Body       []byte `db:"body"`
		LastSeenAt int64  `db:"last_seen_at"`
	}
	if err := s.reader.GetContext(ctx, &row, "SELECT body, last_seen_at FROM inventory WHERE device_id=? AND id=?", device, id); err != nil {
		return nil, none(err)
	}
	return s.decode(row.Body, row.LastSeenAt)
}

func (s *Store) decode(packed []byte, seen int64) (*inventory.Document, error) {
	body, err := s.unpack.DecodeAll(packed, nil)
	if err != nil {
		return nil, fmt.Errorf("a stored inventory cannot be unpacked: %w", err)
	}
	d := new(inventory.Document)
	if err := json.Unmarshal(body, d); err != nil {
		return nil, fmt.Errorf("a stored inventory cannot be read: %w", err)
	}
	d.TakenAt = fromMillis(seen)
	return d, nil
}

// RemoveDevice removes a machine with everything about it, and gives its number.
// What was done to it stays without what it was and who it names. The error may
// be [ErrNotFound].
func (s *Store) RemoveDevice(ctx context.Context, key string) (id int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		if err := tx.Get(&id, "SELECT id FROM device WHERE key=?", key); err != nil {
			return none(err)
		}
		for _, table := range []string{"verdict", "fact_row", "hand_fact", "tick", "visit_link", "inventory"} {
			if _, err := tx.Exec("DELETE FROM "+table+" WHERE device_id=?", id); err != nil {
				return err
			}
		}
		if _, err := tx.Exec("DELETE FROM device WHERE id=?", id); err != nil {
			return err
		}
		name := fmt.Sprintf("machine %d", id)
		renameAct(ctx, name)
		_, err := tx.Exec("UPDATE audit SET subject=?, was='', becomes='' WHERE subject=? OR substr(subject, 1, length(?)+1)=?||'/'", name, key, key, key)
		return err
	})
	return id, err
}
