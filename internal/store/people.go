package store

import (
	"context"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"
)

// User is somebody who signs in.
type User struct {
	Name     string `db:"name"`
	Role     string `db:"role"`
	Password string `db:"password"` // argon2id, in its usual text form
	Sites    string `db:"sites"`    // that they are limited to, separated by line feeds; "" is all
}

// UserByName finds a user. The error may be [ErrNotFound].
func (s people) UserByName(ctx context.Context, name string) (*User, error) {
	u := new(User)
	return u, none(s.reader.GetContext(ctx, u, "SELECT name, role, password, sites FROM user WHERE name=?", name))
}

// Users lists them by name, without passwords.
func (s people) Users(ctx context.Context) ([]User, error) {
	var out []User
	err := s.reader.SelectContext(ctx, &out, "SELECT name, role, sites FROM user ORDER BY name")
	return out, err
}

// ErrLast refuses to leave a service without anybody of a role.
var ErrLast = errors.New("the last one cannot be removed")

// endTokens ends the tokens that a user made of what they might themselves, and the links
// to visits.
func endTokens(tx *sqlx.Tx, user string) error {
	if _, err := tx.Exec("UPDATE visit_link SET expires_at=0 WHERE made_by=?", user); err != nil {
		return err
	}
	_, err := tx.Exec("DELETE FROM token WHERE owner=?", user)
	return err
}

// ChangeUser adds a user, or changes the role, and the password where one is
// given; whose password changes is signed out, and the tokens that they made of what
// they might themselves end with any change. keep is a role that somebody must
// have afterwards; else the error is [ErrLast].
func (s people) ChangeUser(ctx context.Context, u *User, keep string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if err := endTokens(tx, u.Name); err != nil {
			return err
		}
		if err := endInvitations(tx); err != nil {
			return err
		}
		if _, err := tx.NamedExec("INSERT INTO user (name, role, password, sites) VALUES (:name, :role, :password, "+
			":sites) ON CONFLICT DO UPDATE SET role=excluded.role, sites=excluded.sites, password=CASE "+
			"excluded.password WHEN '' THEN password ELSE excluded.password END", u); err != nil {
			return err
		}
		if u.Password != "" {
			if _, err := tx.Exec("DELETE FROM session WHERE user=?", u.Name); err != nil {
				return err
			}
		}
		return someLeft(tx, keep)
	})
}

// RemoveUser takes a user out and signs them out. The error may be
// [ErrNotFound], or [ErrLast] as for [Store.ChangeUser].
func (s people) RemoveUser(ctx context.Context, name, keep string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("DELETE FROM session WHERE user=?", name); err != nil {
			return err
		}
		if err := endTokens(tx, name); err != nil {
			return err
		}
		res, err := tx.Exec("DELETE FROM user WHERE name=?", name)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return ErrNotFound
		}
		return someLeft(tx, keep)
	})
}

func someLeft(tx *sqlx.Tx, role string) error {
	var n int
	if err := tx.Get(&n, "SELECT count(*) FROM user WHERE role=?", role); err != nil {
		return err
	}
	if n == 0 {
		return ErrLast
	}
	return nil
}

// SetUser adds a user or changes role and password. Open sessions of the user
// end.
func (s people) SetUser(ctx context.Context, u *User) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExec("INSERT INTO user (name, role, password) VALUES (:name, :role, :password) ON "+
			"CONFLICT DO UPDATE SET role=excluded.role, password=excluded.password", u); err != nil {
			return err
		}
		if err := endTokens(tx, u.Name); err != nil {
			return err
		}
		if err := endInvitations(tx); err != nil {
			return err
		}
		_, err := tx.Exec("DELETE FROM session WHERE user=?", u.Name)
		return err
	})
}

// endInvitations ends all links for a first administrator: whoever adds or changes a
// user has one.
func endInvitations(tx *sqlx.Tx) error {
	_, err := tx.Exec("DELETE FROM invitation")
	return err
}

// StartSession keeps the hash of a session's secret, and forgets sessions that
// are over.
func (s people) StartSession(ctx context.Context, sha []byte, user string, now, expires time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("DELETE FROM session WHERE expires_at<=?", millis(now)); err != nil {
			return err
		}
		_, err := tx.Exec("INSERT INTO session (sha, user, expires_at) VALUES (?, ?, ?)", sha, user, millis(expires))
		return err
	})
}

// SessionUser finds whose session it is. The error may be [ErrNotFound].
func (s people) SessionUser(ctx context.Context, sha []byte, now time.Time) (*User, error) {
	u := new(User)
	return u, none(s.reader.GetContext(ctx, u,
		`SELECT user.name, user.role, user.password, user.sites FROM session JOIN user ON user.name=session.user
		WHERE session.sha=? AND session.expires_at>?`, sha, millis(now)))
}

// EndSession forgets a session.
func (s people) EndSession(ctx context.Context, sha []byte) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("DELETE FROM session WHERE sha=?", sha)
		return err
	})
}

// Token lets a program in. The secret itself is not kept.
type Token struct {
	ID        int64  `db:"id"`
	Name      string `db:"name"`
	Scope     string `db:"scope"`
	CreatedAt int64  `db:"created_at"`
	UsedAt    int64  `db:"used_at"`
	ExpiresAt int64  `db:"expires_at"` // 0: never
	UsesLeft  int    `db:"uses_left"`  // machines that it may still add; -1: any number
	Tag       string `db:"tag"`        // that machines it adds are given
	Site      string `db:"site"`       // and their site
	Sites     string `db:"sites"`      // that it is limited to, as of [User]
	Imported  bool   `db:"imported"`   // it may speak for machines that only persons handed in
	Owner     string `db:"owner"`      // who made it of what they may themselves; "" is an administrator's work
}

// Expires is when it stops to let anybody in; zero for never.
func (t *Token) Expires() time.Time {
	if t.ExpiresAt == 0 {
		return time.Time{}
	}
	return fromMillis(t.ExpiresAt)
}

// Times of creation and last use; the second is zero for a token never used.
func (t *Token) Times() (created, used time.Time) {
	if t.UsedAt > 0 {
		used = fromMillis(t.UsedAt)
	}
	return fromMillis(t.CreatedAt), used
}

// AddToken keeps a token by the hash of its secret.
func (s people) AddToken(ctx context.Context, t *Token, sha []byte) (id int64, err error) {
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.Exec("INSERT INTO token (name, scope, sha, created_at, expires_at, uses_left, tag, site, "+
			"sites, owner, imported) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
			t.Name, t.Scope, sha, t.CreatedAt, t.ExpiresAt, t.UsesLeft, t.Tag, t.Site, t.Sites, t.Owner, t.Imported)
		if err != nil {
			return err
		}
		id, err = res.LastInsertId()
		return err
	})
	return id, err
}

const selectTokenBySecret = "SELECT id, name, scope, created_at, used_at, expires_at, uses_left, tag, site, sites, " +
	"owner, imported FROM token WHERE sha=? AND (expires_at=0 OR expires_at>?)"

// TokenBySecret finds a token by the hash of its secret. It writes nothing, so that a
// disk that cannot be written keeps nobody from reading. The error may be
// [ErrNotFound], for one that has expired, too.
func (s people) TokenBySecret(ctx context.Context, sha []byte, now time.Time) (*Token, error) {
	t := new(Token)
	return t, none(s.tokenBySecret.GetContext(ctx, t, sha, millis(now)))
}

// NoteUses notes when tokens were used last, by their numbers.
func (s people) NoteUses(ctx context.Context, uses map[int64]time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		for id, at := range uses {
			if _, err := tx.Exec("UPDATE token SET used_at=max(used_at, ?) WHERE id=?", millis(at), id); err != nil {
				return err
			}
		}
		return nil
	})
}

// NameTaken says that a user or a token has a name, whatever the case of its letters.
func (s people) NameTaken(ctx context.Context, name string) (bool, error) {
	var n int
	err := s.reader.GetContext(ctx, &n, `SELECT (SELECT count(*) FROM user WHERE name=?1 COLLATE NOCASE)
		+ (SELECT count(*) FROM token WHERE name=?1 COLLATE NOCASE)`, name)
	return n > 0, err
}

// Tokens lists all tokens by name.
func (s people) Tokens(ctx context.Context) ([]Token, error) {
	var out []Token
	err := s.reader.SelectContext(ctx, &out,
		"SELECT id, name, scope, created_at, used_at, expires_at, uses_left, tag, site, sites, owner, imported "+
			"FROM token ORDER BY name")
	return out, err
}

// DeleteToken forgets a token. The error may be [ErrNotFound].
func (s people) DeleteToken(ctx context.Context, id int64) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("UPDATE visit_link SET expires_at=0 WHERE made_by=(SELECT name FROM token WHERE id=?)",
			id); err != nil {
			return err
		}
		res, err := tx.Exec("DELETE FROM token WHERE id=?", id)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return ErrNotFound
		}
		return nil
	})
}

// AddInvitation keeps a one-time link by the hash of its secret, and ends those before
// it. The error is [ErrNotFound] where an administrator exists.
func (s people) AddInvitation(ctx context.Context, sha []byte, expires time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if someLeft(tx, administrator) == nil {
			return ErrNotFound
		}
		if err := endInvitations(tx); err != nil {
			return err
		}
		_, err := tx.Exec("INSERT INTO invitation (sha, expires_at) VALUES (?, ?)", sha, millis(expires))
		return err
	})
}

// administrator is the role of whom a link for a first administrator makes.
const administrator = "administrator"

// Invited says that a one-time link works now.
func (s people) Invited(ctx context.Context, sha []byte, now time.Time) (bool, error) {
	var n int
	err := s.reader.GetContext(ctx, &n,
		"SELECT count(*) FROM invitation WHERE sha=? AND expires_at>? AND NOT EXISTS (SELECT 1 FROM user WHERE role=?)",
		sha, millis(now), administrator)
	return n > 0, err
}

// TakeInvitation adds the first administrator with a one-time link, which is used up
// then. The error is [ErrNotFound] for a link that is not known or has expired, and
// where an administrator exists; it is [ErrRevision] where the name is taken.
func (s people) TakeInvitation(ctx context.Context, sha []byte, now time.Time, u *User) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		var n int
		if err := tx.Get(&n, "SELECT count(*) FROM invitation WHERE sha=? AND expires_at>?", sha,
			millis(now)); err != nil {
			return err
		}
		if n == 0 || someLeft(tx, administrator) == nil {
			return ErrNotFound
		}
		if err := endInvitations(tx); err != nil {
			return err
		}
		if err := tx.Get(&n, "SELECT count(*) FROM user WHERE name=?", u.Name); err != nil {
			return err
		}
		if n > 0 {
			return ErrRevision
		}
		_, err := tx.NamedExec("INSERT INTO user (name, role, password, sites) VALUES (:name, :role, :password, "+
			":sites)", u)
		return err
	})
}
