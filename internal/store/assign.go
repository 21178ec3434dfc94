package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/work"
)

// Assignment is who does the work on a machine.
type Assignment struct {
	MachineID int64  `db:"machine_id"`
	Who       string `db:"who"`
	Note      string `db:"note"`
	Day       string `db:"day"`  // of the visit; "": none yet
	Half      string `db:"half"` // am, pm; "": the whole day
	By        string `db:"by_whom"`
	Millis    int64  `db:"at"`
}

// Assignments are all of them by the numbers of machines.
func (s handwork) Assignments(ctx context.Context) (map[int64]Assignment, error) {
	var rows []Assignment
	err := s.reader.SelectContext(ctx, &rows, "SELECT * FROM assignment")
	out := make(map[int64]Assignment, len(rows))
	for _, r := range rows {
		out[r.MachineID] = r
	}
	return out, err
}

// AssignedTo are the numbers of the machines that somebody has the work on.
func (s handwork) AssignedTo(ctx context.Context, who string) ([]int64, error) {
	var ids []int64
	err := s.reader.SelectContext(ctx, &ids, "SELECT machine_id FROM assignment WHERE who=? COLLATE NOCASE", who)
	return ids, err
}

// Stocks are what is there of parts, by the parts' words.
func (s handwork) Stocks(ctx context.Context) (map[string]work.Stock, error) {
	var rows []struct {
		Part     string `db:"part"`
		OnHand   int    `db:"on_hand"`
		LeadDays int    `db:"lead_days"`
	}
	err := s.reader.SelectContext(ctx, &rows, "SELECT part, on_hand, lead_days FROM stock")
	out := make(map[string]work.Stock, len(rows))
	for _, r := range rows {
		out[r.Part] = work.Stock{OnHand: r.OnHand, LeadDays: r.LeadDays}
	}
	return out, err
}

// SetStock records the stock and the lead time of a part.
func (s handwork) SetStock(ctx context.Context, part string, k work.Stock, by string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("INSERT OR REPLACE INTO stock (part, on_hand, lead_days, by_whom, at) VALUES (?, ?, ?, ?, ?)",
			part, k.OnHand, k.LeadDays, by, millis(now))
		return err
	})
}

// ItemTick is what somebody said of an item of a machine.
type ItemTick struct {
	MachineID int64  `db:"machine_id"`
	Item      string `db:"item"`
	State     string `db:"state"`
	By        string `db:"by_whom"`
	Millis    int64  `db:"at"`
}

// At is when it was said.
func (t *ItemTick) At() time.Time { return fromMillis(t.Millis) }

// ItemTicks are what was said of items whose names begin so, and counts.
func (s handwork) ItemTicks(ctx context.Context, prefix string) ([]ItemTick, error) {
	var out []ItemTick
	err := s.reader.SelectContext(ctx, &out,
		"SELECT machine_id, item, state, by_whom, at FROM tick WHERE ended_at=0 AND item LIKE ?||'%' ORDER BY id",
		prefix)
	return out, err
}
