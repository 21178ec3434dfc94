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

	BulkID int64 `db:"bulk_id"` // of a change of many machines: its number; 0: it is none
	Undone int64 `db:"undone"`  // when that was undone; 0: it was not

	kept bool
	bulk int64 // that is to know the number of the entry
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
	res, err := tx.NamedExec("INSERT INTO audit (at, who, what, subject, was, becomes) VALUES (:at, :who, :what, "+
		":subject, :was, :becomes)", a)
	if err != nil || a.bulk == 0 {
		return a, err
	}
	id, err := res.LastInsertId()
	if err == nil {
		_, err = tx.Exec("UPDATE bulk SET audit_id=? WHERE id=?", id, a.bulk)
	}
	return a, err
}

// AddAuditEntry writes an entry of the audit log that belongs to no other change.
func (s people) AddAuditEntry(ctx context.Context, a *AuditEntry) error {
	return s.write(Acting(ctx, a), func(*sqlx.Tx) error { return nil })
}

// Audit lists what was done, the latest first: those before a number, all where it
// is 0. who and subject pick, where they are not empty; the key of a machine also finds the changes of many machines
// that it was among.
func (s people) Audit(ctx context.Context, before int64, limit int, who, subject string) ([]AuditEntry, error) {
	var out []AuditEntry
	err := s.reader.SelectContext(
		ctx,
		&out,
		`SELECT a.id, a.at, a.who, a.what, a.subject, a.was, a.becomes, coalesce(b.id, 0) AS bulk_id,
		coalesce(b.undone_at, 0) AS undone FROM audit a LEFT JOIN bulk b ON b.audit_id=a.id AND b.audit_id>0
		WHERE (?1=0 OR a.id<?1) AND (?2='' OR a.who=?2) AND (?3='' OR a.subject=?3 OR substr(a.subject, 1, length(?3)+1)=?3||'/'
			OR b.id IN (SELECT m.bulk_id FROM bulk_machine m JOIN machine d ON d.id=m.machine_id WHERE d.key=?3))
		ORDER BY a.id DESC LIMIT ?4`,
		before,
		who,
		subject,
		limit,
	)
	return out, err
}
