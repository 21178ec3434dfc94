package store

import (
	"cmp"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/placeholder"
)

// Machines that share something with an inventory's. Each part goes by an index of its own
// and gives a few: however many machines bear one name or one number, looking at them costs
// the same.
const candidates = `SELECT * FROM (SELECT ` + recognised + ` FROM machine WHERE uuid=?1 AND uuid<>'' LIMIT 8)
	UNION ALL SELECT * FROM (SELECT ` + recognised + ` FROM machine WHERE uuid=?2 AND uuid<>'' LIMIT 8)
	UNION ALL SELECT * FROM (SELECT ` + recognised + ` FROM machine WHERE maker=?3 AND serial=?4 AND serial<>'' LIMIT 8)
	UNION ALL SELECT * FROM (SELECT ` + recognised + ` FROM machine WHERE board=?6 AND board<>'' LIMIT 8)
	UNION ALL SELECT * FROM (SELECT ` + recognised + ` FROM machine WHERE weak_key=?7 AND weak_key<>'' LIMIT 8)
	UNION ALL SELECT * FROM (SELECT ` + recognised + ` FROM machine WHERE name=?5 AND model=?8 AND serial='' AND uuid='' LIMIT 8)
	UNION ALL SELECT * FROM (SELECT ` + recognised + ` FROM machine WHERE name=?5 AND model=?8 LIMIT 8)`

const recognised = "id, key, name, class, maker, serial, uuid, model, installed, inventory_id, taken_at, board, " +
	"site, retired_at, weak_key, token_id, public_key, key_at, signed_at, received_at, kept_on, kept_count"

// candidatesOf reads them.
func (t *Tx) candidatesOf(n *Machine) ([]Machine, error) {
	st, err := t.stmt(candidates)
	if err != nil {
		return nil, err
	}
	name := n.Name
	if name == unnamed && n.Weak == "" {
		name = "" // that it has none says nothing
	}
	rows, err := st.Stmt.Query(n.UUID, placeholder.Swap(n.UUID), n.Maker, n.Serial, name, n.Board, n.Weak, n.Model)
	if err != nil {
		return nil, err
	}
	var list []Machine
	for rows.Next() {
		var d Machine
		if err = rows.Scan(&d.ID, &d.Key, &d.Name, &d.Class, &d.Maker, &d.Serial, &d.UUID, &d.Model, &d.Installed,
			&d.InventoryID, &d.TakenAt, &d.Board,
			&d.Site, &d.RetiredAt, &d.Weak, &d.TokenID, &d.PublicKey, &d.KeyAt, &d.SignedAt, &d.ReceivedAt, &d.KeptOn,
			&d.KeptCount); err != nil {
			break
		}
		list = append(list, d)
	}
	return list, errors.Join(err, rows.Err(), rows.Close())
}

// recognise finds the machine that an inventory is of, or makes one.
func (t *Tx) recognise(n Machine, at time.Time, e *Entry, k *Kept) error {
	list, err := t.candidatesOf(&n)
	if err != nil {
		return err
	}
	found := make(map[int64]Machine, len(list))
	for _, d := range list {
		found[d.ID] = d
	}
	answer := identity.Decide(n.marks(), known(found))
	k.Who, k.Why = answer.Kind, answer.Why
	if answer.Kind != identity.New && answer.Kind != identity.Conflict {
		k.Machine = found[answer.ID]
		return nil
	}
	if err := t.add(n, at, e, k); err != nil {
		return err
	}
	if answer.Kind == identity.Conflict {
		_, err := t.exec(insertDuplicate, k.Machine.ID, answer.ID, 0, answer.Kind.String(), answer.Why, millis(e.Now))
		return err
	}
	return nil
}

// speaker is who may speak for the machine.
func (d *Machine) speaker() identity.Speaker {
	return identity.Speaker{Key: d.PublicKey, Token: d.TokenID, SignedAt: fromMillis(d.SignedAt)}
}

// bind notes who speaks for a machine from now on. It gives the machine that has the key
// already, where one has, and binds nothing then.
func (t *Tx) bind(d *Machine, e *Entry) (other keyHolder, err error) {
	if d.TokenID <= 0 && e.Token > 0 {
		d.TokenID = e.Token
	}
	if e.Signed == nil {
		return other, nil
	}
	if d.PublicKey != e.key() {
		err := t.get(&other, "SELECT id, name FROM machine WHERE public_key=? AND id<>? LIMIT 1", e.key(), d.ID)
		if !errors.Is(err, sql.ErrNoRows) {
			return other, err
		}
		d.PublicKey, d.KeyAt = e.key(), millis(e.Now)
	}
	d.SignedAt = min(e.Signed.Created.UnixMilli(), millis(e.Now))
	return other, nil
}

// keyHolder is a machine that has a key which another one signs with.
type keyHolder struct {
	ID   int64  `db:"id"`
	Name string `db:"name"`
}

// askAboutKey asks a person about two machines with one key: a disk was moved, or copied.
func (t *Tx) askAboutKey(machine int64, other keyHolder, now time.Time) error {
	if other.ID == 0 {
		return nil
	}
	why := fmt.Sprintf("It signs with the key of %s: a disk was moved from one machine to the other, or copied.",
		other.Name)
	_, err := t.exec(insertDuplicate, machine, other.ID, 0, identity.Conflict.String(), why, millis(now))
	return err
}

// marks are what tells the machine from others.
func (d *Machine) marks() identity.Marks {
	m := identity.Marks{
		Maker:  d.Maker,
		Model:  d.Model,
		Serial: d.Serial,
		UUID:   d.UUID,
		Board:  d.Board,
		Name:   d.Name,
		Weak:   d.Weak,
	}
	if m.Name == unnamed {
		m.Name = ""
	}
	return m
}

func known(found map[int64]Machine) []identity.Known {
	out := make([]identity.Known, 0, len(found))
	for id, d := range found {
		out = append(out, identity.Known{ID: id, Marks: d.marks()})
	}
	slices.SortFunc(out, func(a, b identity.Known) int { return cmp.Compare(a.ID, b.ID) })
	return out
}

// doubt notes what was odd about recognising a machine, once.
func (t *Tx) duplicate(k *Kept, inventory int64, now time.Time) error {
	if k.Who != identity.Noted && k.Who != identity.Weak {
		return nil
	}
	_, err := t.exec(insertDuplicate, k.Machine.ID, k.Machine.ID, inventory, k.Who.String(), k.Why, millis(now))
	return err
}

const insertDuplicate = "INSERT INTO duplicate (machine_id, other_id, inventory_id, kind, why, at) VALUES (?, ?, " +
	"?, ?, ?, ?) " +
	"ON CONFLICT DO NOTHING"

// add makes a machine.
func (t *Tx) add(n Machine, at time.Time, e *Entry, k *Kept) error {
	if e.Counts {
		res, err := t.exec("UPDATE token SET uses_left=uses_left-1 WHERE id=? AND uses_left>0", e.Token)
		if err != nil {
			return err
		}
		if taken, err := res.RowsAffected(); err != nil || taken == 0 {
			return cmp.Or(err, ErrUsedUp)
		}
	}
	k.Created, k.Machine = true, n
	v := &k.Machine
	v.TakenAt, v.Site = millis(at), e.Site
	var err error
	if v.InventoryID, err = t.nextInventory(); err != nil {
		return err
	}
	v.ReceivedAt, v.KeptOn, v.KeptCount = millis(e.Now), dayOf(e.Now), 1
	other, err := t.bind(v, e)
	if err != nil {
		return err
	}
	if err := t.insertMachine(v); err != nil {
		return err
	}
	if err := t.askAboutKey(v.ID, other, e.Now); err != nil {
		return err
	}
	if e.Tag == "" {
		return nil
	}
	_, err = t.exec(insertTag, v.ID, e.Tag)
	return err
}

// insertDevice writes a machine under a key that no other has. Looking for one costs the
// same however many machines have the same name.
func (t *Tx) insertMachine(v *Machine) error {
	base := keyOf(v.Name)
	v.Key = base
	for try := 0; ; try++ {
		res, err := t.exec(
			`INSERT INTO machine (key, name, class, maker, serial, uuid, model, installed, inventory_id, taken_at, board, site, weak_key,
			token_id, received_at, kept_on, kept_count, public_key, key_at, signed_at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (key) DO NOTHING`,
			v.Key, v.Name, v.Class, v.Maker, v.Serial, v.UUID, v.Model, v.Installed, v.InventoryID, v.TakenAt, v.Board,
			v.Site, v.Weak,
			v.TokenID, v.ReceivedAt, v.KeptOn, v.KeptCount, v.PublicKey, v.KeyAt, v.SignedAt)
		if err != nil {
			return err
		}
		added, err := res.RowsAffected()
		switch {
		case err != nil:
			return err
		case added > 0:
			v.ID, err = res.LastInsertId()
			return err
		case try < keyTries:
			if v.Key, err = t.nextKey(base); err != nil {
				return err
			}
		default: // somebody has named machines as our keys are made
			v.Key = base[:min(len(base), 50)] + "-" + strings.ToLower(rand.Text()[:10])
		}
	}
}

// keyTries is how often the next number is tried for a key.
const keyTries = 4

// nextKey gives the next key with a number. Where a base is new to the table, which came
// later than machines did, it begins behind those that there are.
func (t *Tx) nextKey(base string) (string, error) {
	var n int64
	err := t.get(&n, "UPDATE key_base SET next=next+1 WHERE base=? RETURNING next-1", base)
	if errors.Is(err, sql.ErrNoRows) {
		err = t.get(&n, `INSERT INTO key_base (base, next) VALUES (?1, (SELECT count(*) FROM machine WHERE key>?1||'-' AND key<?1||'.')+3) RETURNING next-1`, base)
	}
	return fmt.Sprintf("%s-%d", base, n), err
}

// nextInventory is the number that the next inventory gets: it is given to its machine
// before it is there, so that a new machine is written once.
func (t *Tx) nextInventory() (id int64, err error) {
	if t.inventory == 0 {
		if err := t.get(&t.inventory, "SELECT coalesce(max(id), 0) FROM inventory"); err != nil {
			return 0, err
		}
	}
	return t.inventory + 1, nil
}

// keyOf makes a short name for addresses from a host name.
func keyOf(name string) string {
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
		return "machine"
	}
	return base[:min(len(base), 63)]
}
