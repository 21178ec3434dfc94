package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/placeholder"
	"rolltop.example/rolltop/internal/signature"
)

// Kept is what became of an inventory that was handed in.
type Kept struct {
	Machine  Machine
	Created  bool // a machine not seen before
	Changed  bool // readings that this machine did not have before
	IsLatest bool // it is the machine's latest inventory now
	Beside   bool // it decides nothing until a person has looked at it

	Who identity.Kind // how it was recognised
	Why string        // for what is not beyond doubt: a sentence
}

// SignedBy is the entry of an inventory that a machine signed with a key at a time.
func (e Entry) SignedBy(key string, at time.Time) Entry {
	e.Signed = &signature.Signed{Key: key, Created: at}
	return e
}

// Entry is how an inventory comes in.
type Entry struct {
	Now      time.Time
	Token    int64             // that it was sent with; 0: a person, or a program that may do everything
	Imported bool              // the token may speak for machines that only persons handed in
	Counts   bool              // the token may add a bounded number of machines
	Tag      string            // a machine that it adds is given this tag
	Site     string            // and this place
	Text     []byte            // the document as it came, where that was JSON; nil: it is written anew
	Signed   *signature.Signed // nil: it is not signed
}

func (e *Entry) sender() identity.Sender {
	out := identity.Sender{Token: e.Token, Imported: e.Imported}
	if e.Signed != nil {
		out.Key, out.Created = e.Signed.Key, e.Signed.Created
	}
	return out
}

func (e *Entry) key() string { return e.sender().Key }

// clockTolerance is how far a machine's clock may be ahead of the service's.
const clockTolerance = 10 * time.Minute

// when is when an inventory was taken, by the service's clock, and a sentence where that is
// not what it says. What a machine signs, it sends at once: only the time between reading
// and sending is taken from its clock.
func (e *Entry) when(taken time.Time) (at time.Time, note string) {
	ahead := taken.Sub(e.Now)
	if e.Signed != nil {
		if age := e.Signed.Created.Sub(taken); age > 0 {
			at = e.Now.Add(-age)
		} else {
			at = e.Now
		}
		if ahead = e.Signed.Created.Sub(e.Now); ahead.Abs() > clockTolerance {
			note = "The clock of the machine shows " + e.Signed.Created.UTC().Format(time.RFC3339) +
				"; the time of receipt counts."
		}
		return at, note
	}
	if ahead > clockTolerance {
		return e.Now, "It is dated " + taken.UTC().Format(time.RFC3339) +
			", which is in the future; the time of receipt counts."
	}
	return taken, ""
}

// ErrUsedUp refuses a machine more than a token may add.
var ErrUsedUp = errors.New("the token cannot add more machines")

// Keep stores an inventory with its machine. The same readings again only move the time.
// One that does not come from whoever may speak for the machine is kept beside the others,
// and one that was taken before the machine's latest joins the history; neither becomes the
// latest. judge is called in the same transaction for the machine's latest inventory, so
// that a verdict never lags behind it. The error may be [ErrBusy] or [ErrUsedUp].
func (s *database) Keep(
	ctx context.Context, d *inventory.Document, e Entry, judge func(*Tx, *Machine, *inventory.Document) error,
) (Kept, error) {
	var is Machine // what the inventory says; worked out before anybody has to wait
	describe(&is, d)
	sha, packed, err := s.packed(d, e.Text)
	if err != nil {
		return Kept{}, err
	}
	at, note := e.when(d.TakenAt)
	d.TakenAt = at
	r := readings{at: at, sha: sha, packed: packed, entry: &e}
	var k Kept
	err = s.enqueue(ctx, func(tx *Tx) error { // it may be run again
		k = Kept{}
		if err := tx.recognise(is, at, &e, &k); err != nil {
			return err
		}
		if !k.Created {
			if why := identity.Vouch(k.Machine.speaker(), e.sender()); why != "" {
				return tx.keepBeside(&k, &r, why)
			}
		}
		if k.Why == "" {
			k.Why = note
		}
		return tx.keepVouched(&k, &is, &r, func() error { return judge(tx, &k.Machine, d) })
	})
	if err != nil {
		return Kept{}, err
	}
	return k, nil
}

// readings are an inventory as it is stored.
type readings struct {
	at          time.Time
	sha, packed []byte
	entry       *Entry
}

// keepVouched keeps an inventory of whoever may speak for the machine.
func (t *Tx) keepVouched(k *Kept, is *Machine, r *readings, judge func() error) error {
	was := k.Machine
	if k.Created {
		t.fresh = k.Machine.ID
	}
	id, changed, err := t.keepInventory(k, r)
	if err != nil {
		return err
	}
	k.Changed = changed
	if err := t.duplicate(k, id, r.entry.Now); err != nil {
		return err
	}
	if !k.Created {
		other, err := t.bind(&k.Machine, r.entry)
		if err != nil {
			return err
		}
		if err := t.askAboutKey(k.Machine.ID, other, r.entry.Now); err != nil {
			return err
		}
	}
	at := millis(r.at)
	// A time ahead of the clock, from before times were held against it, counts as now.
	latest := min(k.Machine.TakenAt, millis(r.entry.Now))
	if !k.Created && r.entry.Signed == nil && at < latest {
		return t.move(&was, &k.Machine)
	}
	k.IsLatest = true
	k.Machine.RetiredAt = 0 // it is back
	k.Machine.take(is)
	k.Machine.InventoryID, k.Machine.TakenAt, k.Machine.ReceivedAt = id, at, millis(r.entry.Now)
	if was.Board != "" && was.Board != k.Machine.Board {
		if err := t.boardChanged(k.Machine.ID, r.entry.Now); err != nil {
			return err
		}
	}
	if err := t.move(&was, &k.Machine); err != nil {
		return err
	}
	t.ran, t.was = was.Installed, !k.Created
	return judge()
}

func (t *Tx) update(d *Machine) error {
	_, err := t.exec(
		`UPDATE machine SET name=?, class=?, maker=?, serial=?, uuid=?, model=?, installed=?, inventory_id=?, taken_at=?, board=?,
		retired_at=?, weak_key=?, token_id=?, public_key=?, key_at=?, signed_at=?, received_at=?, kept_on=?, kept_count=? WHERE id=?`,
		d.Name, d.Class, d.Maker, d.Serial, d.UUID, d.Model, d.Installed, d.InventoryID, d.TakenAt, d.Board,
		d.RetiredAt, d.Weak, d.TokenID, d.PublicKey, d.KeyAt, d.SignedAt, d.ReceivedAt, d.KeptOn, d.KeptCount, d.ID)
	return err
}

// move updates a machine that was changed. Where only its latest inventory is another
// one, and that is usual, the indexes of the table need not be written.
func (t *Tx) move(was, is *Machine) error {
	if *was == *is {
		return nil
	}
	latest := *was
	latest.InventoryID, latest.TakenAt, latest.RetiredAt = is.InventoryID, is.TakenAt, is.RetiredAt
	latest.SignedAt, latest.ReceivedAt, latest.KeptOn, latest.KeptCount = is.SignedAt, is.ReceivedAt, is.KeptOn,
		is.KeptCount
	if latest != *is {
		return t.update(is)
	}
	_, err := t.exec("UPDATE machine SET inventory_id=?, taken_at=?, retired_at=?, signed_at=?, received_at=?, "+
		"kept_on=?, kept_count=? WHERE id=?",
		is.InventoryID, is.TakenAt, is.RetiredAt, is.SignedAt, is.ReceivedAt, is.KeptOn, is.KeptCount, is.ID)
	return err
}

// boardChanged ends facts that a person entered: they were of another board.
func (t *Tx) boardChanged(machine int64, now time.Time) error {
	_, err := t.exec("UPDATE hand_fact SET ended_at=?, ended_by='the board was exchanged' WHERE machine_id=? AND "+
		"ended_at=0", millis(now), machine)
	return err
}

// unnamed stands where a machine has no host name.
const unnamed = "unnamed"

// describe copies what lists show. What an inventory without rights could not
// read stays as an earlier one gave it.
func describe(v *Machine, d *inventory.Document) {
	dev := &d.Device
	v.take(&Machine{
		Name: inventory.Clean(dev.Name.Or("")), Maker: placeholder.Text(dev.Manufacturer.Or("")),
		Serial:    placeholder.Text(dev.Serial.Or("")),
		UUID:      placeholder.UUID(dev.UUID.Or("")),
		Model:     cmp.Or(placeholder.Text(dev.Model.Or("")), dev.ModelID.Or("")),
		Installed: d.OS.Name.Or(""), Board: placeholder.Text(dev.Board.Serial.Or("")), Weak: dev.WeakKey.Or(""),
		Class: fact.ClassOf(d),
	})
}

// take copies what is known of another description.
func (d *Machine) take(is *Machine) {
	d.Maker, d.Serial, d.UUID = cmp.Or(is.Maker, d.Maker), cmp.Or(is.Serial, d.Serial), cmp.Or(is.UUID, d.UUID)
	d.Model, d.Installed, d.Board = cmp.Or(is.Model, d.Model), cmp.Or(is.Installed, d.Installed),
		cmp.Or(is.Board, d.Board)
	d.Weak = cmp.Or(is.Weak, d.Weak)
	if is.Name != "" && is.Name != unnamed {
		d.Name = is.Name
	}
	if d.Name == "" {
		d.Name = unnamed
	}
	d.Class = is.Class
}

// keptPerDay bounds the inventories of one machine on one day that stay. Further ones take
// the site of the latest: a machine that sends every minute, or somebody in its name, must
// not fill the disk.
const keptPerDay = 48

// keepInventory writes an inventory of a machine, or moves the time of the one with the
// same readings.
func (t *Tx) keepInventory(k *Kept, r *readings) (id int64, changed bool, err error) {
	d := &k.Machine
	if k.Created {
		id, err = t.addInventory(d.ID, r, false)
		return id, true, err
	}
	var same struct {
		ID     int64 `db:"id"`
		Beside bool  `db:"beside"`
	}
	err = t.get(&same, "SELECT id, beside FROM inventory WHERE machine_id=? AND sha=?", d.ID, r.sha)
	if err == nil {
		if same.Beside {
			if err := t.answered(d.ID, same.ID, r.entry.Now); err != nil {
				return 0, false, err
			}
		}
		_, err = t.exec("UPDATE inventory SET last_seen_at=max(last_seen_at, ?), beside=0 WHERE id=?", millis(r.at),
			same.ID)
		return same.ID, false, err
	}
	if !errors.Is(err, sql.ErrNoRows) {
		return 0, false, err
	}
	if day := dayOf(r.entry.Now); d.KeptOn != day {
		d.KeptOn, d.KeptCount = day, 0
	}
	if d.KeptCount++; d.KeptCount > keptPerDay && r.entry.Token != 0 {
		_, err = t.exec("UPDATE inventory SET taken_at=?, last_seen_at=?, sha=?, body=?, received_at=?, token_id=?, "+
			"public_key=? WHERE id=?",
			millis(r.at), millis(r.at), r.sha, r.packed, millis(r.entry.Now), r.entry.Token, r.entry.key(),
			d.InventoryID)
		return d.InventoryID, true, err
	}
	id, err = t.addInventory(d.ID, r, false)
	return id, true, err
}

func dayOf(t time.Time) int64 { return t.Unix() / (24 * 60 * 60) }

func (t *Tx) addInventory(machine int64, r *readings, beside bool) (id int64, err error) {
	if id, err = t.nextInventory(); err != nil {
		return 0, err
	}
	if _, err := t.exec(
		`INSERT INTO inventory (id, machine_id, taken_at, last_seen_at, sha, body, received_at, beside, token_id, public_key)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		id, machine, millis(r.at), millis(r.at), r.sha, r.packed, millis(r.entry.Now), beside, r.entry.Token,
		r.entry.key()); err != nil {
		return 0, err
	}
	t.inventory = id
	return id, nil
}
