package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
)

// Knowledge is an organisation's own document of one kind. An empty text is the
// return to what the program ships.
type Knowledge struct {
	Kind    string `db:"kind"`
	Number  int    `db:"number"`
	Text    string `db:"text"`
	AddedAt int64  `db:"added_at"`
	AddedBy string `db:"added_by"`
}

// Added is when it was handed in.
func (k *Knowledge) Added() time.Time { return fromMillis(k.AddedAt) }

// AllKnowledge are the documents in force, one of each kind that there is.
func (s releases) AllKnowledge(ctx context.Context) ([]Knowledge, error) {
	var out []Knowledge
	err := s.reader.SelectContext(ctx, &out,
		"SELECT kind, number, text, added_at, added_by FROM knowledge h WHERE number=(SELECT max(number) FROM "+
			"knowledge "+
			"WHERE kind=h.kind) ORDER BY kind")
	return out, err
}

// KnowledgeHistory are the documents of a kind that were in force, the latest first.
func (s releases) KnowledgeHistory(ctx context.Context, kind string) ([]Knowledge, error) {
	out := []Knowledge{}
	err := s.reader.SelectContext(ctx, &out,
		"SELECT kind, number, text, added_at, added_by FROM knowledge WHERE kind=? ORDER BY number DESC", kind)
	return out, err
}

// SetKnowledge keeps a document behind those of its kind before it.
func (s releases) SetKnowledge(ctx context.Context, kind, text, by string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("INSERT INTO knowledge (kind, number, text, added_at, added_by) SELECT ?, "+
			"coalesce(max(number), 0)+1, ?, ?, ? FROM knowledge WHERE kind=?", kind, text, millis(now), by, kind)
		return err
	})
}
