package store

import (
	"context"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
)

const insertTag = "INSERT INTO tag (machine_id, tag) VALUES (?, ?) ON CONFLICT DO NOTHING"

// Change is what is written on several machines at once.
type Change struct {
	Tag, Untag []string
	Site       *string // "" is the site by its name again
	Retire     *bool

	Contact, Desk *string // whom to ask about it, and where it stands; "" is nobody, or nowhere
	By            string  // who says so
}

// RetireMachine takes a machine out of use.
func (s machines) RetireMachine(ctx context.Context, id int64, now time.Time) error {
	yes := true
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := (&Tx{tx: tx}).mark(id, &Change{Retire: &yes}, now)
		return err
	})
}

func (t *Tx) mark(id int64, m *Change, now time.Time) (changes int64, err error) {
	do := func(query string, args ...any) {
		if err != nil {
			return
		}
		res, e := t.exec(query, args...)
		if err = e; err == nil {
			n, e := res.RowsAffected()
			changes, err = changes+n, e
		}
	}
	for _, tag := range m.Tag {
		do(insertTag, id, tag)
	}
	for _, tag := range m.Untag {
		do("DELETE FROM tag WHERE machine_id=? AND tag=?", id, tag)
	}
	if m.Site != nil {
		do("UPDATE machine SET site=? WHERE id=? AND site<>?", *m.Site, id, *m.Site)
	}
	if m.Retire != nil && *m.Retire {
		do("UPDATE machine SET retired_at=? WHERE id=? AND retired_at=0", millis(now), id)
	} else if m.Retire != nil {
		do("UPDATE machine SET retired_at=0 WHERE id=? AND retired_at<>0", id)
	}
	if err != nil || m.Contact == nil && m.Desk == nil {
		return changes, err
	}
	return changes, markContact(t, id, m, now)
}

// markContact changes the parts of a machine's contact that are given.
func markContact(t *Tx, id int64, m *Change, now time.Time) error {
	is, err := marksOf(t, id)
	if err != nil {
		return err
	}
	c := &Contact{Contact: is.Contact, Desk: is.Desk, By: m.By, Millis: millis(now)}
	if m.Contact != nil {
		c.Contact = *m.Contact
	}
	if m.Desk != nil {
		c.Desk = *m.Desk
	}
	return setContact(t, id, c)
}

// AddMarks adds to machines, which stand in the order of their numbers or are few,
// what people wrote on them.
func (s *database) AddMarks(ctx context.Context, rows []Row) error {
	at := make(map[int64]int, len(rows))
	first, last := rows[0].ID, rows[0].ID
	for i := range rows {
		at[rows[i].ID] = i
		first, last = min(first, rows[i].ID), max(last, rows[i].ID)
	}
	where, args := "BETWEEN ? AND ?", []any{first, last}
	if last-first > 2*int64(len(rows)) { // few, and far from each other
		where, args = "IN (?"+strings.Repeat(",?", len(rows)-1)+")", args[:0]
		for i := range rows {
			args = append(args, rows[i].ID)
		}
	}
	var tags []struct {
		ID  int64  `db:"machine_id"`
		Tag string `db:"tag"`
	}
	if err := s.reader.SelectContext(ctx, &tags,
		"SELECT machine_id, tag FROM tag WHERE machine_id "+where+" ORDER BY machine_id, tag", args...); err != nil {
		return err
	}
	for _, t := range tags {
		if i, ok := at[t.ID]; ok {
			rows[i].Tags = append(rows[i].Tags, t.Tag)
		}
	}
	var duplicate []int64
	open := " AND ended_at=0 AND kind NOT IN ('noted', 'another-tpm')"
	if err := s.reader.SelectContext(ctx, &duplicate,
		"SELECT machine_id FROM duplicate WHERE machine_id "+where+open+" UNION SELECT other_id FROM duplicate "+
			"WHERE other_id "+
			where+open,
		append(args, args...)...); err != nil {
		return err
	}
	for _, id := range duplicate {
		if i, ok := at[id]; ok {
			rows[i].Duplicate = true
		}
	}
	return nil
}
