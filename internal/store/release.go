package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/release"
)

// ErrRevision refuses a revision that is there already with other content, or
// that does not follow the latest.
var ErrRevision = errors.New("revision")

// ReleaseRef is a kept revision.
type ReleaseRef struct {
	ID       string `db:"id"`
	Revision int    `db:"revision"`
	Name     string `db:"name"`
	Class    string `db:"class"`
	Draft    bool   `db:"draft"`
	Test     bool   `db:"test"`
	Follows  string `db:"follows"`
	AddedAt  int64  `db:"added_at"`
}

// Added is when the revision came.
func (r *ReleaseRef) Added() time.Time { return fromMillis(r.AddedAt) }

// AddRelease keeps a revision of a release document as it was given. A revision
// is never overwritten; the same one again changes nothing.
func (s releases) AddRelease(
	ctx context.Context, rel *release.Release, src []byte, now time.Time,
) (added bool, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		var body []byte
		err := tx.Get(&body, "SELECT body FROM release WHERE id=? AND revision=?", rel.ID, rel.Revision)
		if err == nil {
			old, err := s.unpack.DecodeAll(body, nil)
			if err == nil && string(old) != string(src) {
				err = fmt.Errorf("%w %d of %s already exists with other content; increase the revision", ErrRevision,
					rel.Revision, rel.ID)
			}
			return err
		}
		if !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		var latest int
		if err := tx.Get(&latest, "SELECT coalesce(max(revision), 0) FROM release WHERE id=?", rel.ID); err != nil {
			return err
		}
		if rel.Revision < latest {
			return fmt.Errorf("%w %d of %s is older than the latest, %d; increase the revision", ErrRevision,
				rel.Revision, rel.ID, latest)
		}
		added = true
		_, err = tx.Exec("INSERT INTO release (id, revision, name, class, draft, test, follows, added_at, body) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
			rel.ID, rel.Revision, rel.Name, rel.InstallsOn, rel.Draft, rel.TestRelease, rel.Follows, millis(now),
			s.pack.EncodeAll(src, nil))
		return err
	})
	return added, err
}

// Releases lists all revisions, the latest of each release first.
func (s releases) Releases(ctx context.Context) ([]ReleaseRef, error) {
	var out []ReleaseRef
	err := s.reader.SelectContext(ctx, &out,
		"SELECT id, revision, name, class, draft, test, follows, added_at FROM release ORDER BY class DESC, id, "+
			"revision DESC")
	return out, err
}

// ReleaseSource returns the text of a revision; 0 is the latest. The error may
// be [ErrNotFound].
func (s releases) ReleaseSource(ctx context.Context, id string, revision int) ([]byte, error) {
	var body []byte
	err := s.reader.GetContext(ctx, &body,
		"SELECT body FROM release WHERE id=? AND (?=0 OR revision=?) ORDER BY revision DESC LIMIT 1", id, revision,
		revision)
	if err != nil {
		return nil, none(err)
	}
	return s.unpack.DecodeAll(body, nil)
}

// FinalRevision is the latest revision that is no draft. The error may be
// [ErrNotFound].
func (s releases) FinalRevision(ctx context.Context, id string) (revision int, err error) {
	err = s.reader.GetContext(ctx, &revision,
		"SELECT revision FROM release WHERE id=? AND NOT draft ORDER BY revision DESC LIMIT 1", id)
	return revision, none(err)
}

// Aim is the release that a class of hardware is to get, with the revision in force.
type Aim struct {
	ID       string `db:"release_id"`
	Revision int    `db:"revision"` // 0: the latest one that is no draft
}

// Targets are the target releases by class of hardware.
func (s releases) Targets(ctx context.Context) (map[string]Aim, error) {
	var rows []struct {
		Class string `db:"class"`
		Aim
	}
	err := s.reader.SelectContext(ctx, &rows, "SELECT class, release_id, revision FROM target")
	out := make(map[string]Aim, len(rows))
	for _, r := range rows {
		out[r.Class] = r.Aim
	}
	return out, err
}

// SetTarget chooses the target of a class of hardware.
func (s releases) SetTarget(ctx context.Context, class string, aim Aim) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec(
			"INSERT INTO target (class, release_id, revision) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET "+
				"release_id=excluded.release_id, revision=excluded.revision",
			class,
			aim.ID,
			aim.Revision,
		)
		return err
	})
}

// Judged is the release and the revision of a judgement. The error may be [ErrNotFound].
func (s releases) Judged(ctx context.Context, judgement int64) (release string, revision int, err error) {
	var row struct {
		Release  string `db:"release_id"`
		Revision int    `db:"revision"`
	}
	err = s.reader.GetContext(ctx, &row, "SELECT release_id, revision FROM judgement WHERE id=?", judgement)
	return row.Release, row.Revision, none(err)
}

// InForce is the judgement whose verdicts of a class are kept up to date, or 0.
func (s releases) InForce(ctx context.Context, class string) (judgement int64, err error) {
	err = s.reader.GetContext(ctx, &judgement, "SELECT judgement_id FROM target WHERE class=?", class)
	if errors.Is(none(err), ErrNotFound) {
		return 0, nil
	}
	return judgement, err
}

// PutInForce notes the judgement whose verdicts are kept up to date, and which
// machines' dispositions it changed; why gives the requirements that did it, separated by
// blanks, from a machine's outcomes before and after.
func (s releases) PutInForce(
	ctx context.Context, class string, judgement int64, now time.Time, why func(was, is string) string,
) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		var was int64
		if err := tx.Get(&was, "SELECT judgement_id FROM target WHERE class=?", class); err != nil &&
			!errors.Is(err, sql.ErrNoRows) {
			return err
		}
		if was != 0 && was != judgement {
			if err := flipAll(tx, class, was, judgement, now, why); err != nil {
				return err
			}
		}
		_, err := tx.Exec("UPDATE target SET judgement_id=? WHERE class=?", judgement, class)
		return err
	})
}

// flipAll notes what one judgement says otherwise than another.
func flipAll(tx *sqlx.Tx, class string, was, is int64, now time.Time, why func(was, is string) string) error {
	var flips []struct {
		Machine    int64  `db:"machine_id"`
		Was        int    `db:"was"`
		Becomes    int    `db:"becomes"`
		WasLetters string `db:"was_outcomes"`
		Letters    string `db:"outcomes"`
	}
	if err := tx.Select(&flips,
		`SELECT n.machine_id, o.disposition AS was, n.disposition AS becomes, o.outcomes AS was_outcomes, n.outcomes FROM verdict o
		JOIN verdict n ON n.judgement_id=? AND n.machine_id=o.machine_id AND n.disposition<>o.disposition WHERE o.judgement_id=?`, is, was); err != nil {
		return err
	}
	if len(flips) == 0 {
		var same bool
		if err := tx.Get(&same, "SELECT count(DISTINCT release_id||'@'||revision)=1 FROM judgement WHERE id IN (?, ?)",
			was, is); err != nil ||
			same {
			return err // only the program is another
		}
	}
	res, err := tx.Exec(
		`INSERT INTO rule_change (class, release_id, revision, was_release, was_revision, machines, at)
		SELECT ?, n.release_id, n.revision, o.release_id, o.revision, (SELECT count(*) FROM verdict WHERE judgement_id=n.id), ? FROM judgement n JOIN judgement o ON o.id=? WHERE n.id=?`,
		class,
		millis(now),
		was,
		is,
	)
	if err != nil {
		return err
	}
	change, err := res.LastInsertId()
	if err != nil {
		return err
	}
	put, err := tx.Prepare(
		"INSERT INTO flip (machine_id, release_id, was, becomes, cause, at, about, why) SELECT ?, " +
			"release_id, ?, ?, ?, ?, ?, ? FROM judgement WHERE id=?",
	)
	if err != nil {
		return err
	}
	defer put.Close()
	for _, f := range flips {
		if _, err := put.Exec(f.Machine, f.Was, f.Becomes, ByRules, millis(now), change, why(f.WasLetters, f.Letters),
			is); err != nil {
			return err
		}
	}
	return nil
}

// RuleChange is that other rules were put in force.
type RuleChange struct {
	ID          int64  `db:"id"`
	Class       string `db:"class"`
	Release     string `db:"release_id"`
	Revision    int    `db:"revision"`
	WasRelease  string `db:"was_release"`
	WasRevision int    `db:"was_revision"`
	Machines    int    `db:"machines"`
	Millis      int64  `db:"at"`
}

// At is when it was.
func (c *RuleChange) At() time.Time { return fromMillis(c.Millis) }

// RuleChanges lists the latest of them, the latest first.
func (s releases) RuleChanges(ctx context.Context, limit int) ([]RuleChange, error) {
	var out []RuleChange
	err := s.reader.SelectContext(ctx, &out, "SELECT * FROM rule_change ORDER BY id DESC LIMIT ?", limit)
	return out, err
}

// Turned are the machines whose disposition a change of rules changed.
func (s releases) Turned(ctx context.Context, change int64) ([]Flip, error) {
	var out []Flip
	err := s.reader.SelectContext(
		ctx,
		&out,
		"SELECT f.id, f.machine_id, d.key, d.name, f.release_id, f.was, f.becomes, f.cause, f.at, f.about, f.why FROM "+
			"flip f JOIN machine d ON d.id=f.machine_id WHERE f.about=? AND f.cause=? ORDER BY f.becomes DESC, f.was, "+
			"d.name",
		change,
		ByRules,
	)
	return out, err
}
