package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"
)

// Thinned is how much of the history went.
type Thinned struct {
	Inventories int
	Machines    []int64 // that were retired long enough
}

// thinAtOnce bounds how long one transaction holds the writer.
const thinAtOnce = 2000

// Thin lets go of history: of the inventories that were last seen before a time one
// a quarter stays for each machine, the last of it, and the latest always. Machines
// that were retired before another time go with everything about them; a zero time
// keeps them.
func (s *database) Thin(ctx context.Context, every, retired time.Time) (out Thinned, err error) {
	for {
		var n int64
		err := s.write(ctx, func(tx *sqlx.Tx) error {
			res, err := tx.Exec(`DELETE FROM inventory WHERE id IN (
				SELECT i.id FROM inventory i WHERE i.last_seen_at<? AND i.id<>(SELECT inventory_id FROM machine WHERE id=i.machine_id)
				AND EXISTS (SELECT 1 FROM inventory l WHERE l.machine_id=i.machine_id AND l.beside=i.beside AND l.last_seen_at<? AND (l.last_seen_at, l.id)>(i.last_seen_at, i.id)
					AND `+quarter("l")+`=`+quarter("i")+`) LIMIT ?)`, millis(every), millis(every), thinAtOnce)
			if err != nil {
				return err
			}
			n, err = res.RowsAffected()
			return err
		})
		if err != nil {
			return out, err
		}
		out.Inventories += int(n)
		if n < thinAtOnce {
			break
		}
	}
	if retired.IsZero() {
		return out, nil
	}
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		out.Machines = nil
		var gone []struct {
			ID  int64  `db:"id"`
			Key string `db:"key"`
		}
		if err := tx.Select(&gone, "SELECT id, key FROM machine WHERE retired_at>0 AND retired_at<? LIMIT 500",
			millis(retired)); err != nil {
			return err
		}
		for _, g := range gone {
			if _, err := forget(tx, g.ID, g.Key); err != nil {
				return err
			}
			out.Machines = append(out.Machines, g.ID)
		}
		return nil
	})
	return out, err
}

// quarter is the year and quarter of an inventory.
func quarter(alias string) string {
	at := alias + ".last_seen_at/1000, 'unixepoch'"
	return fmt.Sprintf("(strftime('%%Y', %s)*4 + (strftime('%%m', %s)-1)/3)", at, at)
}
