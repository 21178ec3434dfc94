package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
)

// Inquiry is whom an open question was put to, and what came of it.
type Inquiry struct {
	ID       int64  `db:"id"`
	Question string `db:"question"` // its id
	Says     string `db:"says"`     // the question in words
	Asked    string `db:"asked"`    // whom, by role or name
	Due      string `db:"due"`      // day by which an answer is expected; "": none
	Note     string `db:"note"`
	By       string `db:"by_whom"`
	Millis   int64  `db:"at"`
	Answer   string `db:"answer"`   // what came of it, in words
	EndedAt  int64  `db:"ended_at"` // 0: an answer is awaited
	EndedBy  string `db:"ended_by"`
}

// Inquiries are all of them, the latest first.
func (s purchases) Inquiries(ctx context.Context) (list []Inquiry, err error) {
	err = s.reader.SelectContext(ctx, &list, "SELECT * FROM inquiry ORDER BY id DESC")
	return list, err
}

// AddInquiry records that a question was put to somebody; an inquiry of the question that is open ends.
func (s purchases) AddInquiry(ctx context.Context, q *Inquiry) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("UPDATE inquiry SET ended_at=?, ended_by=?, answer='asked again' WHERE question=? AND "+
			"ended_at=0", q.Millis, q.By, q.Question); err != nil {
			return err
		}
		_, err := tx.NamedExec(
			"INSERT INTO inquiry (question, says, asked, due, note, by_whom, at) VALUES (:question, "+
				":says, :asked, :due, :note, :by_whom, :at)",
			q,
		)
		return err
	})
}

// EndInquiry records what came of a question. A question that nobody was asked gets an inquiry that has ended.
func (s purchases) EndInquiry(ctx context.Context, question, says, answer, by string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.Exec("UPDATE inquiry SET ended_at=?, ended_by=?, answer=? WHERE question=? AND ended_at=0",
			millis(now), by, answer, question)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n > 0 {
			return err
		}
		_, err = tx.Exec("INSERT INTO inquiry (question, says, asked, due, note, by_whom, at, answer, ended_at, "+
			"ended_by) VALUES (?, ?, '', '', '', ?, ?, ?, ?, ?)", question, says, by, millis(now), answer, millis(now),
			by)
		return err
	})
}
