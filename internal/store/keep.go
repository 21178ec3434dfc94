package store

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/klauspost/compress/s2"
	"golang.org/x/crypto/blake2b"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/placeholder"
)

// Kept is what became of an inventory that was handed in.
type Kept struct {
	Device   Device
	Created  bool // a machine not seen before
	Changed  bool // readings that this machine did not have before
	IsLatest bool // no later inventory of this machine is there

	Who identity.Kind // how it was recognised
	Why string        // for what is not beyond doubt: a sentence
}

// Entry is how an inventory comes in.
type Entry struct {
	Now   time.Time
	Token int64  // of the token that may add only some machines; 0: any number
	Tag   string // a machine that it adds is given this tag
	Place string // and this place
	Text  []byte // the document as it came, where that was JSON; nil: it is written anew
}

// ErrUsedUp refuses a machine more than a token may add.
var ErrUsedUp = errors.New("the token has added as many machines as it may")

// Keep stores an inventory with its machine. The same readings again only move
// the time; an older inventory joins the history and does not become the
// machine's latest. judge is called in the same transaction for the machine's
// latest inventory, so that a verdict never lags behind it. The error may be
// [ErrBusy] or [ErrUsedUp].
func (s *Store) Keep(ctx context.Context, d *inventory.Document, e Entry, judge func(*Tx, *Device, *inventory.Document) error) (Kept, error) {
	var is Device // what the inventory says; worked out before anybody has to wait
	describe(&is, d)
	sha, packed, err := s.packed(d, e.Text)
	if err != nil {
		return Kept{}, err
	}
	var k Kept
	err = s.together(ctx, func(tx *Tx) error { // it may be run again
		k = Kept{}
		if err := tx.recognise(is, d.TakenAt, &e, &k); err != nil {
			return err
		}
		keep := tx.keepInventory
		if k.Created {
			tx.fresh, keep = k.Device.ID, tx.addInventory
		}
		id, changed, err := keep(k.Device.ID, d.TakenAt, sha, packed)
		if err != nil {
			return err
		}
		k.Changed = changed
		if err := tx.doubt(&k, id, e.Now); err != nil {
			return err
		}
		if at := millis(d.TakenAt); k.Created || at >= k.Device.TakenAt {
			k.IsLatest = true
			was := k.Device
			k.Device.take(&is)
			k.Device.InventoryID, k.Device.TakenAt = id, at
			if was.Board != "" && was.Board != k.Device.Board {
				if err := tx.boardChanged(k.Device.ID, e.Now); err != nil {
					return err
				}
			}
			if !k.Created { // a new one was written as it is
				if err := tx.move(&was, &k.Device); err != nil {
					return err
				}
			}
			tx.ran, tx.was = was.Installed, !k.Created
			return judge(tx, &k.Device, d)
		}
		return nil
	})
	if err != nil {
		return Kept{}, err
	}
	return k, nil
}

func (t *Tx) update(d *Device) error {
	_, err := t.exec(`UPDATE device SET name=?, class=?, maker=?, serial=?, uuid=?, model=?, installed=?, inventory_id=?, taken_at=?, board=?, retired_at=?, weak_key=? WHERE id=?`,
		d.Name, d.Class, d.Maker, d.Serial, d.UUID, d.Model, d.Installed, d.InventoryID, d.TakenAt, d.Board, d.RetiredAt, d.Weak, d.ID)
	return err
}

// move updates a machine that has a new latest inventory. Where nothing else changed,
// and that is usual, the indexes of the table need not be written.
func (t *Tx) move(was, is *Device) error {
	latest := *was
	latest.InventoryID, latest.TakenAt = is.InventoryID, is.TakenAt
	if latest != *is {
		return t.update(is)
	}
	_, err := t.exec("UPDATE device SET inventory_id=?, taken_at=?, retired_at=? WHERE id=?", is.InventoryID, is.TakenAt, is.RetiredAt, is.ID)
	return err
}

// packed is an inventory as it is kept.
func (s *Store) packed(d *inventory.Document, text []byte) (sha, packed []byte, err error) {
	s.coming.Add(1)
	defer s.coming.Add(-1)
	s.making <- struct{}{}
	defer func() { <-s.making }()
	body, err := bodyOf(d, text)
	if err == nil {
		sha, err = readingsHash(d, body)
	}
	if err != nil {
		return nil, nil, err
	}
	return sha, squeeze(body), nil
}

// quick marks an inventory that is packed for speed, by its first byte: no zstd frame
// begins so (RFC 8878, section 3.1.1).
const quick = 1

// squeeze packs an inventory. Many come at once, and zstd takes four times as long for
// bodies that are a quarter smaller.
func squeeze(body []byte) []byte {
	out := make([]byte, 1+s2.MaxEncodedLen(len(body)))
	out[0] = quick
	return out[:1+len(s2.Encode(out[1:], body))]
}

// unsqueeze reads what squeeze packed, or zstd as versions before it did.
func (s *Store) unsqueeze(packed []byte) ([]byte, error) {
	if len(packed) == 0 || packed[0] != quick {
		return s.unpack.DecodeAll(packed, nil)
	}
	if n, err := s2.DecodedLen(packed[1:]); err != nil || n > mostUnpacked {
		return nil, fmt.Errorf("it is damaged: %w", cmp.Or(err, s2.ErrTooLarge))
	}
	return s2.Decode(nil, packed[1:])
}

// bodyOf is the document as it is kept: what came, without its blanks, so that what was
// said can be shown as it was said and need not be written again.
func bodyOf(d *inventory.Document, text []byte) ([]byte, error) {
	if !doc.IsJSON(text) {
		return json.Marshal(d)
	}
	return unspaced(text), nil
}

// unspaced leaves out the blanks of JSON that has no mistakes, outside of its texts. What
// has none is given back as it is.
func unspaced(text []byte) []byte {
	var out []byte
	kept := 0 // of text, what is in out
	for at := 0; at < len(text); {
		quote := bytes.IndexByte(text[at:], '"')
		if quote < 0 {
			quote = len(text) - at
		}
		for end := at + quote; at < end; {
			if text[at] > ' ' {
				at++
				continue
			}
			out = append(out, text[kept:at]...)
			for at < end && text[at] <= ' ' {
				at++
			}
			kept = at
		}
		at = behindText(text, at)
	}
	if kept == 0 {
		return text
	}
	return append(out, text[kept:]...)
}

// behindText is the place behind a text that begins at a quote.
func behindText(json []byte, at int) int {
	for at++; at < len(json); {
		next := bytes.IndexByte(json[at:], '"')
		if next < 0 {
			break
		}
		end := at + next
		slashes := 0
		for end-slashes > at && json[end-slashes-1] == '\\' {
			slashes++
		}
		if at = end + 1; slashes%2 == 0 { // an escaped quote ends nothing
			return at
		}
	}
	return len(json)
}

// boardChanged ends facts that a person entered: they were of another board.
func (t *Tx) boardChanged(device int64, now time.Time) error {
	_, err := t.exec("UPDATE hand_fact SET ended_at=?, ended_by='the board was exchanged' WHERE device_id=? AND ended_at=0", millis(now), device)
	return err
}

// readingsHash covers what was read and not when: the document without its times.
// body is the document; where its times stand in the usual places they are cut out of
// it, which gives the same hash as writing it again without them. It is BLAKE2b
// (RFC 7693), three times as fast as SHA-256 where the processor does not help with that.
func readingsHash(d *inventory.Document, body []byte) ([]byte, error) {
	h, err := blake2b.New256(nil)
	if err != nil {
		return nil, err // it is for keys
	}
	if withoutTimes(d, body, h) {
		return h.Sum(nil), nil
	}
	c := *d
	c.TakenAt, c.Collector.DurationMS = time.Time{}, inventory.Opt[int64]{}
	b, err := json.Marshal(&c)
	if err != nil {
		return nil, err
	}
	_, _ = h.Write(b)
	return h.Sum(nil), nil
}

// withoutTimes writes a document without its times; false, and nothing, where they stand
// elsewhere.
func withoutTimes(d *inventory.Document, body []byte, to io.Writer) bool {
	const taken, none = `"taken_at":"`, `0001-01-01T00:00:00Z`
	from := bytes.Index(body[:min(len(body), 100)], []byte(taken))
	if from < 0 {
		return false
	}
	from += len(taken)
	end := bytes.IndexByte(body[from:], '"')
	if end < 0 {
		return false
	}
	rest := body[from+end:]
	var before []byte
	if ms, timed := d.Collector.DurationMS.Get(); timed {
		// It is the last of the collector's, behind another one.
		duration := strconv.AppendInt([]byte(`,"duration_ms":`), ms, 10)
		at := bytes.Index(rest[:min(len(rest), 400)], append(duration, '}'))
		if at < 0 {
			return false
		}
		before, rest = rest[:at], rest[at+len(duration):]
	}
	for _, part := range [][]byte{body[:from], []byte(none), before, rest} {
		_, _ = to.Write(part) // a hash takes all
	}
	return true
}

// unnamed stands where a machine has no host name.
const unnamed = "unnamed"

// describe copies what lists show. What an inventory without rights could not
// read stays as an earlier one gave it.
func describe(v *Device, d *inventory.Document) {
	dev := &d.Device
	v.take(&Device{
		Name: dev.Name.Or(""), Maker: placeholder.Text(dev.Manufacturer.Or("")), Serial: placeholder.Text(dev.Serial.Or("")),
		UUID: placeholder.UUID(dev.UUID.Or("")), Model: cmp.Or(placeholder.Text(dev.Model.Or("")), dev.ModelID.Or("")),
		Installed: d.OS.Name.Or(""), Board: placeholder.Text(dev.Board.Serial.Or("")), Weak: dev.WeakKey.Or(""), Class: fact.ClassOf(d),
	})
}

// take copies what is known of another description.
func (d *Device) take(is *Device) {
	d.Maker, d.Serial, d.UUID = cmp.Or(is.Maker, d.Maker), cmp.Or(is.Serial, d.Serial), cmp.Or(is.UUID, d.UUID)
	d.Model, d.Installed, d.Board = cmp.Or(is.Model, d.Model), cmp.Or(is.Installed, d.Installed), cmp.Or(is.Board, d.Board)
	d.Weak = cmp.Or(is.Weak, d.Weak)
	if is.Name != "" && is.Name != unnamed {
		d.Name = is.Name
	}
	if d.Name == "" {
		d.Name = unnamed
	}
	d.Class = is.Class
}

// candidates are the machines that share something with an inventory's. Each part goes
// by an index of its own.
const candidates = `SELECT ` + recognised + ` FROM device WHERE uuid<>'' AND uuid IN (?1, ?2) OR maker=?3 AND serial=?4 AND serial<>'' OR name=?5 OR board=?6 AND board<>'' OR weak_key=?7 AND weak_key<>'' LIMIT 200` // mostCandidates

// closest are those of them that share a number, before many that share a name.
const closest = `SELECT ` + recognised + ` FROM device WHERE uuid<>'' AND uuid IN (?1, ?2) OR maker=?3 AND serial=?4 AND serial<>'' OR name=?5 OR board=?6 AND board<>'' OR weak_key=?7 AND weak_key<>'' ORDER BY uuid IN (?1, ?2) OR serial=?4 DESC, id LIMIT 200`

const (
	recognised     = "id, key, name, class, maker, serial, uuid, model, installed, inventory_id, taken_at, board, placed, retired_at, weak_key"
	mostCandidates = 200
)

// candidatesOf reads them.
func (t *Tx) candidatesOf(n *Device) ([]Device, error) {
	list, err := t.sharing(candidates, n)
	if err == nil && len(list) == mostCandidates {
		list, err = t.sharing(closest, n)
	}
	return list, err
}

func (t *Tx) sharing(query string, n *Device) ([]Device, error) {
	st, err := t.stmt(query)
	if err != nil {
		return nil, err
	}
	rows, err := st.Stmt.Query(n.UUID, placeholder.Swap(n.UUID), n.Maker, n.Serial, n.Name, n.Board, n.Weak)
	if err != nil {
		return nil, err
	}
	var list []Device
	for rows.Next() {
		var d Device
		if err = rows.Scan(&d.ID, &d.Key, &d.Name, &d.Class, &d.Maker, &d.Serial, &d.UUID, &d.Model, &d.Installed, &d.InventoryID, &d.TakenAt, &d.Board, &d.Placed, &d.RetiredAt, &d.Weak); err != nil {
			break
		}
		list = append(list, d)
	}
	return list, errors.Join(err, rows.Err(), rows.Close())
}

// recognise finds the machine that an inventory is of, or makes one.
func (t *Tx) recognise(n Device, at time.Time, e *Entry, k *Kept) error {
	list, err := t.candidatesOf(&n)
	if err != nil {
		return err
	}
	found := make(map[int64]Device, len(list))
	for _, d := range list {
		found[d.ID] = d
	}
	answer := identity.Decide(n.marks(), known(found))
	k.Who, k.Why = answer.Kind, answer.Why
	if answer.Kind != identity.New && answer.Kind != identity.Conflict {
		k.Device = found[answer.ID]
		k.Device.RetiredAt = 0 // it is back
		return nil
	}
	if err := t.add(n, at, e, k); err != nil {
		return err
	}
	if answer.Kind == identity.Conflict {
		_, err := t.exec(insertDoubt, k.Device.ID, answer.ID, 0, answer.Kind.String(), answer.Why, millis(e.Now))
		return err
	}
	return nil
}

// marks are what tells the machine from others.
func (d *Device) marks() identity.Marks {
	m := identity.Marks{Maker: d.Maker, Model: d.Model, Serial: d.Serial, UUID: d.UUID, Board: d.Board, Name: d.Name, Weak: d.Weak}
	if m.Name == unnamed {
		m.Name = ""
	}
	return m
}

func known(found map[int64]Device) []identity.Known {
	out := make([]identity.Known, 0, len(found))
	for id, d := range found {
		out = append(out, identity.Known{ID: id, Marks: d.marks()})
	}
	slices.SortFunc(out, func(a, b identity.Known) int { return cmp.Compare(a.ID, b.ID) })
	return out
}

// doubt notes what was odd about recognising a machine, once.
func (t *Tx) doubt(k *Kept, inventory int64, now time.Time) error {
	if k.Who != identity.Noted && k.Who != identity.Weak {
		return nil
	}
	_, err := t.exec(insertDoubt, k.Device.ID, k.Device.ID, inventory, k.Who.String(), k.Why, millis(now))
	return err
}

const insertDoubt = "INSERT INTO doubt (device_id, other_id, inventory_id, kind, why, at) VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING"

// add makes a machine.
func (t *Tx) add(n Device, at time.Time, e *Entry, k *Kept) error {
	if e.Token != 0 {
		res, err := t.exec("UPDATE token SET uses_left=uses_left-1 WHERE id=? AND uses_left>0", e.Token)
		if err != nil {
			return err
		}
		if taken, err := res.RowsAffected(); err != nil || taken == 0 {
			return cmp.Or(err, ErrUsedUp)
		}
	}
	k.Created, k.Device = true, n
	v := &k.Device
	v.TakenAt, v.Placed = millis(at), e.Place
	var err error
	if v.InventoryID, err = t.nextInventory(); err != nil {
		return err
	}
	base := keyOf(n.Name)
	for i := 1; v.ID == 0; i++ {
		v.Key = base
		if i > 1 {
			v.Key = fmt.Sprintf("%s-%d", base, i)
		}
		res, err := t.exec(`INSERT INTO device (key, name, class, maker, serial, uuid, model, installed, inventory_id, taken_at, board, placed, weak_key) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (key) DO NOTHING`,
			v.Key, v.Name, v.Class, v.Maker, v.Serial, v.UUID, v.Model, v.Installed, v.InventoryID, v.TakenAt, v.Board, v.Placed, v.Weak)
		if err != nil {
			return err
		}
		if added, err := res.RowsAffected(); err != nil {
			return err
		} else if added == 0 {
			continue // another machine has the key
		}
		if v.ID, err = res.LastInsertId(); err != nil {
			return err
		}
	}
	if e.Tag == "" {
		return nil
	}
	_, err = t.exec(insertTag, v.ID, e.Tag)
	return err
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

func (t *Tx) keepInventory(device int64, at time.Time, sha, packed []byte) (id int64, changed bool, err error) {
	err = t.get(&id, "SELECT id FROM inventory WHERE device_id=? AND sha=?", device, sha)
	if err == nil {
		_, err = t.exec("UPDATE inventory SET last_seen_at=max(last_seen_at, ?) WHERE id=?", millis(at), id)
		return id, false, err
	}
	if !errors.Is(err, sql.ErrNoRows) {
		return 0, false, err
	}
	return t.addInventory(device, at, sha, packed)
}

func (t *Tx) addInventory(device int64, at time.Time, sha, packed []byte) (id int64, changed bool, err error) {
	if id, err = t.nextInventory(); err != nil {
		return 0, false, err
	}
	if _, err := t.exec("INSERT INTO inventory (id, device_id, taken_at, last_seen_at, sha, body) VALUES (?, ?, ?, ?, ?, ?)", id, device, millis(at), millis(at), sha, packed); err != nil {
		return 0, false, err
	}
	t.inventory = id
	return id, true, nil
}
