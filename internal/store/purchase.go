package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/work"
)

// FromStock is the number of the order that stands for the stock.
const FromStock = "stock"

// Purchase is an order of parts that was placed.
type Purchase struct {
	ID       int64  `db:"id"`
	Number   string `db:"number"`
	Supplier string `db:"supplier"`
	Day      string `db:"day"`      // on which it was ordered
	Expected string `db:"expected"` // day on which it should arrive; "": not known
	By       string `db:"by_whom"`
	Millis   int64  `db:"at"`
}

// PurchaseItem is a part of an order that one machine gets.
type PurchaseItem struct {
	ID         int64  `db:"id"`
	PurchaseID int64  `db:"purchase_id"`
	MachineID  int64  `db:"machine_id"` // 0: its record was removed
	Part       string `db:"part"`       // in words, as in the stock
	Kind       string `db:"kind"`
	Count      int    `db:"count"`
	Price      int64  `db:"price"` // of one, in hundredths; -1: not known
	Currency   string `db:"currency"`
	State      string `db:"state"` // see package work
	Day        string `db:"day"`   // since when it is in this state
}

// Purchases are the orders that were placed, the latest first, and their items.
func (s purchases) Purchases(ctx context.Context) (list []Purchase, items []PurchaseItem, err error) {
	err = s.reader.SelectContext(ctx, &list, "SELECT * FROM purchase ORDER BY day DESC, id DESC")
	if err == nil {
		err = s.reader.SelectContext(ctx, &items, "SELECT * FROM purchase_item ORDER BY id")
	}
	return list, items, err
}

// PurchaseItems are the items of all orders.
func (s purchases) PurchaseItems(ctx context.Context) (items []PurchaseItem, err error) {
	err = s.reader.SelectContext(ctx, &items, "SELECT * FROM purchase_item ORDER BY id")
	return items, err
}

// ItemsOf are the items of all orders for one machine.
func (s purchases) ItemsOf(ctx context.Context, machine int64) (items []PurchaseItem, err error) {
	err = s.reader.SelectContext(ctx, &items, "SELECT * FROM purchase_item WHERE machine_id=? ORDER BY id", machine)
	return items, err
}

// ErrTaken says that something of this name exists.
var ErrTaken = errors.New("it exists already")

// ErrStock says that the stock has less of a part than is taken.
var ErrStock = errors.New("the stock has too little of the part")

// AddPurchase keeps an order with its items. With more, the order exists and gets further items. Items of the order
// [FromStock] leave the stock. The error may be [ErrTaken], [ErrNotFound] or [ErrStock].
func (s purchases) AddPurchase(ctx context.Context, p *Purchase, items []PurchaseItem, more bool) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		var had []Purchase
		if err := tx.Select(&had, "SELECT * FROM purchase WHERE number=?", p.Number); err != nil {
			return err
		}
		switch {
		case len(had) > 0 && !more && p.Number != FromStock:
			return ErrTaken
		case len(had) == 0 && more:
			return ErrNotFound
		case len(had) > 0:
			p.ID = had[0].ID
		default:
			res, err := tx.NamedExec("INSERT INTO purchase (number, supplier, day, expected, by_whom, at) VALUES "+
				"(:number, :supplier, :day, :expected, :by_whom, :at)", p)
			if err != nil {
				return err
			}
			if p.ID, err = res.LastInsertId(); err != nil {
				return err
			}
		}
		for i := range items {
			if err := addItem(tx, p, &items[i]); err != nil {
				return err
			}
		}
		return nil
	})
}

func addItem(tx *sqlx.Tx, p *Purchase, item *PurchaseItem) error {
	item.PurchaseID = p.ID
	if p.Number == FromStock {
		if err := moveStock(tx, item.Part, -item.Count, p.By, p.Millis); err != nil {
			return err
		}
	}
	_, err := tx.NamedExec("INSERT INTO purchase_item (purchase_id, machine_id, part, kind, count, price, currency, "+
		"state, day) VALUES (:purchase_id, :machine_id, :part, :kind, :count, :price, :currency, :state, :day)", item)
	return err
}

// moveStock puts parts into the stock, or takes some out.
func moveStock(tx *sqlx.Tx, part string, more int, by string, at int64) error {
	if _, err := tx.Exec("INSERT INTO stock (part, on_hand, lead_days, by_whom, at) VALUES (?, 0, 0, ?, ?) ON "+
		"CONFLICT DO NOTHING", part, by, at); err != nil {
		return err
	}
	res, err := tx.Exec("UPDATE stock SET on_hand=on_hand+?, by_whom=?, at=? WHERE part=? AND on_hand+?>=0", more, by,
		at, part, more)
	if err = one(res, err); errors.Is(err, ErrNotFound) {
		return fmt.Errorf("%w: %s", ErrStock, part)
	}
	return err
}

// SetItems puts items of orders into another state. What comes to the stock is in it then, and what leaves it is not.
// The error may be [ErrStock].
func (s purchases) SetItems(
	ctx context.Context, items []PurchaseItem, state, day, by string, now time.Time,
) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		for i := range items {
			item := &items[i]
			if _, err := tx.Exec(
				"UPDATE purchase_item SET state=?, day=? WHERE id=?", state, day, item.ID,
			); err != nil {
				return err
			}
			more := 0
			if state == work.InStock {
				more += item.Count
			}
			if item.State == work.InStock {
				more -= item.Count
			}
			if more == 0 {
				continue
			}
			if err := moveStock(tx, item.Part, more, by, millis(now)); err != nil {
				return err
			}
		}
		return nil
	})
}

// RemovePurchase deletes an order with its items. The error may be [ErrNotFound].
func (s purchases) RemovePurchase(ctx context.Context, id int64) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("DELETE FROM purchase_item WHERE purchase_id=?", id); err != nil {
			return err
		}
		return one(tx.Exec("DELETE FROM purchase WHERE id=?", id))
	})
}

// Replacement is which machine takes the place of which.
type Replacement struct {
	MachineID int64  `db:"machine_id"` // the old one
	NewName   string `db:"new_name"`   // of the new one, which may not have reported yet
	Note      string `db:"note"`
	By        string `db:"by_whom"`
	Millis    int64  `db:"at"`
}

// Replacements are all of them.
func (s purchases) Replacements(ctx context.Context) (list []Replacement, err error) {
	err = s.reader.SelectContext(ctx, &list, "SELECT * FROM replacement ORDER BY machine_id")
	return list, err
}

// SetReplacement keeps which machine takes the place of another. The error may be [ErrTaken]: one new machine takes the
// place of one old machine.
func (s purchases) SetReplacement(ctx context.Context, r *Replacement) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		var others int
		err := tx.Get(&others, "SELECT count(*) FROM replacement WHERE new_name=? AND machine_id<>?", r.NewName,
			r.MachineID)
		switch {
		case err != nil:
			return err
		case others > 0:
			return ErrTaken
		}
		_, err = tx.NamedExec("INSERT OR REPLACE INTO replacement (machine_id, new_name, note, by_whom, at) VALUES "+
			"(:machine_id, :new_name, :note, :by_whom, :at)", r)
		return err
	})
}

// RemoveReplacement deletes the replacement of a machine. The error may be [ErrNotFound].
func (s purchases) RemoveReplacement(ctx context.Context, machine int64) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		return one(tx.Exec("DELETE FROM replacement WHERE machine_id=?", machine))
	})
}
