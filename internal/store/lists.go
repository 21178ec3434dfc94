package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
)

// SavedFilter is a filter under a name.
type SavedFilter struct {
	Name   string `db:"name"`
	Filter string `db:"filter"`
	Sort   string `db:"sort"`
	Facts  string `db:"facts"`
	By     string `db:"by_whom"`
	Millis int64  `db:"at"`
}

// At is when it was saved.
func (f *SavedFilter) At() time.Time { return fromMillis(f.Millis) }

// SavedFilters lists them by name.
func (s lists) SavedFilters(ctx context.Context) ([]SavedFilter, error) {
	var out []SavedFilter
	err := s.reader.SelectContext(ctx, &out, "SELECT * FROM saved_filter ORDER BY name")
	return out, err
}

// SetFilter keeps a filter, or replaces the one of its name.
func (s lists) SetFilter(ctx context.Context, f *SavedFilter) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.NamedExec("INSERT OR REPLACE INTO saved_filter (name, filter, sort, facts, by_whom, at) VALUES "+
			"(:name, :filter, :sort, :facts, :by_whom, :at)", f)
		return err
	})
}

// RemoveFilter deletes a saved filter. The error may be [ErrNotFound].
func (s lists) RemoveFilter(ctx context.Context, name string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error { return one(tx.Exec("DELETE FROM saved_filter WHERE name=?", name)) })
}

// Expected is a machine of the organisation's own list.
type Expected struct {
	ID      int64  `db:"id"`
	Name    string `db:"name"`
	Serial  string `db:"serial"`
	Maker   string `db:"maker"`
	Model   string `db:"model"`
	Site    string `db:"site"`
	Reason  string `db:"reason"`
	Note    string `db:"note"`
	Millis  int64  `db:"at"`
	Machine string `db:"machine"` // key of the machine that it is, or ""
}

// Expected lists them, those that never reported first. One is a machine that has
// its serial number, or, where one of the two has none, its name.
func (s lists) Expected(ctx context.Context) ([]Expected, error) {
	var out []Expected
	err := s.reader.SelectContext(ctx, &out, `SELECT * FROM (SELECT e.*, coalesce(
			(SELECT d.key FROM machine d WHERE e.serial<>'' AND d.serial=e.serial AND (e.maker='' OR d.maker=e.maker) ORDER BY d.id LIMIT 1),
			(SELECT d.key FROM machine d WHERE d.name=e.name AND (e.serial='' OR d.serial='') ORDER BY d.id LIMIT 1),
			(SELECT d.key FROM machine d WHERE d.name=upper(e.name) AND (e.serial='' OR d.serial='') ORDER BY d.id LIMIT 1), '') AS machine FROM expected e)
		ORDER BY machine<>'', site, name, id`)
	return out, err
}

// SetExpected replaces the list; what was said of one that stays, by its serial
// number or its name, stays where the new list says nothing.
func (s lists) SetExpected(ctx context.Context, list []Expected) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		var before []Expected
		if err := tx.Select(&before, "SELECT *, '' AS machine FROM expected WHERE reason<>'' OR note<>''"); err != nil {
			return err
		}
		said := map[string]Expected{}
		for _, e := range before {
			said[e.known()] = e
		}
		if _, err := tx.Exec("DELETE FROM expected"); err != nil {
			return err
		}
		st, err := tx.PrepareNamed("INSERT INTO expected (name, serial, maker, model, site, reason, note, at) " +
			"VALUES (:name, :serial, :maker, :model, :site, :reason, :note, :at)")
		if err != nil {
			return err
		}
		defer st.Close()
		for i := range list {
			e := list[i]
			if was, ok := said[e.known()]; ok && e.Reason == "" && e.Note == "" {
				e.Reason, e.Note = was.Reason, was.Note
			}
			if _, err := st.Exec(&e); err != nil {
				return err
			}
		}
		return nil
	})
}

// known is what a machine of the list is known by from list to list.
func (e *Expected) known() string {
	if e.Serial != "" {
		return e.Maker + "\n" + e.Serial
	}
	return e.Name
}

// SetReason notes why an expected machine does not report. The error may be
// [ErrNotFound].
func (s lists) SetReason(ctx context.Context, id int64, reason, note string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		return one(tx.Exec("UPDATE expected SET reason=?, note=?, at=? WHERE id=?", reason, note, millis(now), id))
	})
}

// Progress is how many machines there were at the end of a day.
type Progress struct {
	Day         string `db:"day"`
	Site        string `db:"site"`
	Class       string `db:"class"`
	Disposition int    `db:"disposition"`
	Machines    int    `db:"machines"`
}

// PutProgress replaces the counts of a day.
func (s lists) PutProgress(ctx context.Context, day string, rows []Progress) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("DELETE FROM progress WHERE day=?", day); err != nil {
			return err
		}
		for _, r := range rows {
			if _, err := tx.Exec(
				"INSERT INTO progress (day, site, class, disposition, machines) VALUES (?, ?, ?, ?, ?)", day, r.Site,
				r.Class, r.Disposition, r.Machines); err != nil {
				return err
			}
		}
		return nil
	})
}

// Progress lists the counts since a day, of some sites, or of all where there are
// none, added up over sites and classes.
func (s lists) Progress(ctx context.Context, since string, sites []string) ([]Progress, error) {
	query, args := "SELECT day, disposition, sum(machines) AS machines FROM progress WHERE day>=? ", []any{since}
	if len(sites) > 0 {
		in, more, err := sqlx.In("AND site IN (?) ", sites)
		if err != nil {
			return nil, err
		}
		query, args = query+in, append(args, more...)
	}
	var out []Progress
	err := s.reader.SelectContext(ctx, &out, query+"GROUP BY day, disposition ORDER BY day, disposition", args...)
	return out, err
}
