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
func (s *Store) AddRelease(ctx context.Context, rel *release.Release, src []byte, now time.Time) (added bool, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		var body []byte
		err := tx.Get(&body, "SELECT body FROM release WHERE id=? AND revision=?", rel.ID, rel.Revision)
		if err == nil {
			old, err := s.unpack.DecodeAll(body, nil)
			if err == nil && string(old) != string(src) {
				err = fmt.Errorf("%w %d of %s is there already with other content; a revision is never overwritten: count it up", ErrRevision, rel.Revision, rel.ID)
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
			return fmt.Errorf("%w %d of %s is older than the latest, which is %d; count it up", ErrRevision, rel.Revision, rel.ID, latest)
		}
		added = true
		_, err = tx.Exec("INSERT INTO release (id, revision, name, class, draft, test, follows, added_at, body) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
			rel.ID, rel.Revision, rel.Name, rel.InstallsOn, rel.Draft, rel.TestRelease, rel.Follows, millis(now), s.pack.EncodeAll(src, nil))
		return err
	})
	return added, err
}

// Releases lists all revisions, the latest of each release first.
func (s *Store) Releases(ctx context.Context) ([]ReleaseRef, error) {
	var out []ReleaseRef
	err := s.reader.SelectContext(ctx, &out, "SELECT id, revision, name, class, draft, test, follows, added_at FROM release ORDER BY class DESC, id, revision DESC")
	return out, err
}

// ReleaseSource returns the text of a revision; 0 is the latest. The error may
// be [ErrNotFound].
func (s *Store) ReleaseSource(ctx context.Context, id string, revision int) ([]byte, error) {
	var body []byte
	err := s.reader.GetContext(ctx, &body, "SELECT body FROM release WHERE id=? AND (?=0 OR revision=?) ORDER BY revision DESC LIMIT 1", id, revision, revision)
	if err != nil {
		return nil, none(err)
	}
	return s.unpack.DecodeAll(body, nil)
}

// FinalRevision is the latest revision that is no draft. The error may be
// [ErrNotFound].
func (s *Store) FinalRevision(ctx context.Context, id string) (revision int, err error) {
	err = s.reader.GetContext(ctx, &revision, "SELECT revision FROM release WHERE id=? AND NOT draft ORDER BY revision DESC LIMIT 1", id)
	return revision, none(err)
}

// Targets are the target releases by class of hardware.
func (s *Store) Targets(ctx context.Context) (map[string]string, error) {
	var rows []struct {
		Class     string `db:"class"`
		ReleaseID string `db:"release_id"`
	}
	err := s.reader.SelectContext(ctx, &rows, "SELECT class, release_id FROM target")
	out := make(map[string]string, len(rows))
	for _, r := range rows {
		out[r.Class] = r.ReleaseID
	}
	return out, err
}

// SetTarget chooses the target of a class of hardware.
func (s *Store) SetTarget(ctx context.Context, class, id string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("INSERT INTO target (class, release_id) VALUES (?, ?) ON CONFLICT DO UPDATE SET release_id=excluded.release_id", class, id)
		return err
	})
}

// InForce is the judgement whose verdicts of a class are kept up to date, or 0.
func (s *Store) InForce(ctx context.Context, class string) (judgement int64, err error) {
	err = s.reader.GetContext(ctx, &judgement, "SELECT judgement_id FROM target WHERE class=?", class)
	if errors.Is(none(err), ErrNotFound) {
		return 0, nil
	}
	return judgement, err
}

// PutInForce notes the judgement whose verdicts are kept up to date, and which
// machines' dispositions it changed.
func (s *Store) PutInForce(ctx context.Context, class string, judgement int64, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec(`INSERT INTO flip (device_id, release_id, was, becomes, cause, at)
			SELECT n.device_id, j.release_id, o.disposition, n.disposition, ?, ? FROM target t
			JOIN verdict o ON o.judgement_id=t.judgement_id JOIN verdict n ON n.judgement_id=? AND n.device_id=o.device_id AND n.disposition<>o.disposition
			JOIN judgement j ON j.id=n.judgement_id WHERE t.class=? AND t.judgement_id<>n.judgement_id`, ByRules, millis(now), judgement, class); err != nil {
			return err
		}
		_, err := tx.Exec("UPDATE target SET judgement_id=? WHERE class=?", judgement, class)
		return err
	})
}
