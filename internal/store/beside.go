package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/inventory"
)

// Inventories that do not come from whoever may speak for their machine.

// Unvouched is the kind of a question about such an inventory.
const Unvouched = "unvouched"

// maxBeside is how many of them stay for one machine. Further ones take the place of the
// last, so that nobody fills the disk in another machine's name, or pushes out the first.
const maxBeside = 5

// keepBeside keeps an inventory beside those of its machine, with a question for a person.
// Readings that the machine has sent itself ask nothing, and do not count as seen again.
func (t *Tx) keepBeside(k *Kept, r *readings, why string) error {
	k.Beside, k.Why = true, why
	machine := k.Machine.ID
	var same struct {
		ID     int64 `db:"id"`
		Beside bool  `db:"beside"`
	}
	err := t.get(&same, "SELECT id, beside FROM inventory WHERE machine_id=? AND sha=?", machine, r.sha)
	switch {
	case err == nil && !same.Beside:
		return nil
	case err == nil:
		if _, err := t.exec("UPDATE inventory SET last_seen_at=max(last_seen_at, ?) WHERE id=?", millis(r.at),
			same.ID); err != nil {
			return err
		}
		return t.askAbout(machine, same.ID, why, r.entry.Now)
	case !errors.Is(err, sql.ErrNoRows):
		return err
	}
	k.Changed = true
	var held []int64
	if err := t.list(&held, "SELECT id FROM inventory WHERE machine_id=? AND beside=1 ORDER BY id",
		machine); err != nil {
		return err
	}
	if len(held) >= maxBeside {
		id := held[len(held)-1]
		if _, err := t.exec("UPDATE inventory SET taken_at=?, last_seen_at=?, sha=?, body=?, received_at=?, "+
			"token_id=?, public_key=? WHERE id=?",
			millis(r.at), millis(r.at), r.sha, r.packed, millis(r.entry.Now), r.entry.Token, r.entry.key(),
			id); err != nil {
			return err
		}
		return t.askAbout(machine, id, why, r.entry.Now)
	}
	id, err := t.addInventory(machine, r, true)
	if err != nil {
		return err
	}
	return t.askAbout(machine, id, why, r.entry.Now)
}

// answered ends the question about an inventory that the machine has sent itself since.
func (t *Tx) answered(machine, inventory int64, now time.Time) error {
	_, err := t.exec("UPDATE duplicate SET ended_at=?, ended_by='the machine sent it itself', verdict=? WHERE "+
		"machine_id=? AND inventory_id=? AND kind=? AND ended_at=0",
		millis(now), VerdictSame, machine, inventory, Unvouched)
	return err
}

// askAbout asks a person about an inventory, again where an earlier question was settled.
func (t *Tx) askAbout(machine, inventory int64, why string, now time.Time) error {
	_, err := t.exec(
		`INSERT INTO duplicate (machine_id, other_id, inventory_id, kind, why, at) VALUES (?1, ?1, ?2, ?3, ?4, ?5)
		ON CONFLICT DO UPDATE SET inventory_id=excluded.inventory_id, why=excluded.why, at=excluded.at, ended_at=0, ended_by='', verdict=''`,
		machine, inventory, Unvouched, why, millis(now))
	return err
}

// adopt takes an inventory for one of the machine, and whoever sent it for who speaks for
// the machine. A machine keeps its key where the inventory is not signed.
func (t *Tx) adopt(machine, inventory int64, now time.Time) error {
	var from struct {
		Token int64  `db:"token_id"`
		Key   string `db:"public_key"`
		At    int64  `db:"received_at"`
	}
	if err := t.get(&from, "SELECT token_id, public_key, received_at FROM inventory WHERE id=?",
		inventory); err != nil {
		return none(err)
	}
	if _, err := t.exec("UPDATE inventory SET beside=0 WHERE id=?", inventory); err != nil {
		return err
	}
	if from.Token == identity.ByPerson && from.At == 0 {
		from.Token = identity.ByAnybody // it came before that was noted
	}
	if from.Key != "" {
		// Another machine that had it has lost it with the disk.
		if _, err := t.exec("UPDATE machine SET public_key='', key_at=0, signed_at=0 WHERE public_key=? AND id<>?",
			from.Key, machine); err != nil {
			return err
		}
		_, err := t.exec("UPDATE machine SET public_key=?, key_at=?, signed_at=?, token_id=? WHERE id=?", from.Key,
			millis(now), from.At, from.Token, machine)
		return err
	}
	_, err := t.exec("UPDATE machine SET token_id=? WHERE id=? AND public_key=''", from.Token, machine)
	return err
}

// joinSpeakers lets whoever spoke for one of two machines speak for the one that they
// are: the later one, where both had somebody.
func (t *Tx) joinSpeakers(to, from int64) error {
	_, err := t.exec(
		`UPDATE machine SET (public_key, key_at, signed_at)=(SELECT f.public_key, f.key_at, f.signed_at FROM machine f WHERE f.id=?2)
		WHERE id=?1 AND (SELECT f.public_key FROM machine f WHERE f.id=?2)<>''`, to, from)
	if err != nil {
		return err
	}
	_, err = t.exec(`UPDATE machine SET token_id=(SELECT f.token_id FROM machine f WHERE f.id=?2)
		WHERE id=?1 AND (SELECT f.token_id FROM machine f WHERE f.id=?2)>0`, to, from)
	return err
}

// Rekey lets a machine speak with another key: with that of an inventory that is kept
// beside the others, which becomes one of the machine, or with that of the next one that
// is signed. judge is called where the machine has another latest inventory then. The
// error may be [ErrNotFound].
func (s machines) Rekey(
	ctx context.Context, key string, how Settling, judge func(*Tx, *Machine, *inventory.Document) error,
) (id int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		t := &Tx{tx: tx}
		if err := t.get(&id, "SELECT id FROM machine WHERE key=?", key); err != nil {
			return none(err)
		}
		var waiting int64
		err := t.get(&waiting, "SELECT id FROM inventory WHERE machine_id=? AND beside=1 AND public_key<>'' ORDER BY "+
			"received_at DESC, id DESC LIMIT 1", id)
		if errors.Is(err, sql.ErrNoRows) {
			_, err = t.exec("UPDATE machine SET public_key='', key_at=0, signed_at=0 WHERE id=?", id)
			return err
		}
		if err != nil {
			return err
		}
		if _, err := t.exec("UPDATE duplicate SET ended_at=?, ended_by=?, verdict=? WHERE machine_id=? AND kind=? AND "+
			"ended_at=0",
			millis(how.Now), how.By, VerdictSame, id, Unvouched); err != nil {
			return err
		}
		if err := t.adopt(id, waiting, how.Now); err != nil {
			return err
		}
		return s.again(t, id, judge)
	})
	return id, err
}

// TokenKnown says whether a token exists, or machines that one added which was removed.
func (s people) TokenKnown(ctx context.Context, id int64) (known bool, err error) {
	return known, s.reader.GetContext(ctx, &known,
		"SELECT EXISTS (SELECT 1 FROM token WHERE id=?) OR EXISTS (SELECT 1 FROM machine WHERE token_id=?)", id, id)
}

// Succeed lets one token speak for the machines of another.
func (s people) Succeed(ctx context.Context, token, former int64) (machines int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.Exec("UPDATE machine SET token_id=? WHERE token_id=?", token, former)
		if err != nil {
			return err
		}
		machines, err = res.RowsAffected()
		return err
	})
	return machines, err
}
