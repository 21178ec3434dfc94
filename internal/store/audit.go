package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
)

// AuditEntry is what somebody does: it is kept in the same transaction as the first
// change that is made for it, so that no change is without it and it is not
// without a change.
type AuditEntry struct {
	ID      int64  `db:"id"`
	Millis  int64  `db:"at"`
	Who     string `db:"who"`
	What    string `db:"what"`
	Subject string `db:"subject"`
	Was     string `db:"was"`
	Becomes string `db:"becomes"`

	kept bool
}

// At is when it was done.
func (a *AuditEntry) At() time.Time { return fromMillis(a.Millis) }

type auditKey struct{}

// Acting gives the writes under a context to an act.
func Acting(ctx context.Context, a *AuditEntry) context.Context {
	return context.WithValue(ctx, auditKey{}, a)
}

// Note says of the act under a context what was before and what is after.
func Note(ctx context.Context, was, becomes string) {
	if a, ok := ctx.Value(auditKey{}).(*AuditEntry); ok {
		a.Was, a.Becomes = was, becomes
	}
}

// renameAct gives the act under a context another subject.
func auditRename(ctx context.Context, subject string) {
	if a, ok := ctx.Value(auditKey{}).(*AuditEntry); ok {
		a.Subject = subject
	}
}

// keepAct writes the act under a context, once.
func addAuditEntry(ctx context.Context, tx *sqlx.Tx) (*AuditEntry, error) {
	a, ok := ctx.Value(auditKey{}).(*AuditEntry)
	if !ok || a.kept {
		return nil, nil
	}
	_, err := tx.NamedExec("INSERT INTO audit (at, who, what, subject, was, becomes) VALUES (:at, :who, :what, "+
		":subject, :was, :becomes)", a)
	return a, err
}

// AddAuditEntry writes an entry of the audit log that belongs to no other change.
func (s people) AddAuditEntry(ctx context.Context, a *AuditEntry) error {
	return s.write(Acting(ctx, a), func(*sqlx.Tx) error { return nil })
}

// Audit lists what was done, the latest first: those before a number, all where
// it is 0. who and subject pick, where they are not empty.
func (s people) Audit(ctx context.Context, before int64, limit int, who, subject string) ([]AuditEntry, error) {
	var out []AuditEntry
	err := s.reader.SelectContext(ctx, &out, `SELECT id, at, who, what, subject, was, becomes FROM audit
		WHERE (?=0 OR id<?) AND (?='' OR who=?) AND (?='' OR subject=? OR substr(subject, 1, length(?)+1)=?||'/') ORDER BY id DESC LIMIT ?`,
		before, before, who, who, subject, subject, subject, subject, limit)
	return out, err
}
