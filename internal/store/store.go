// Package store keeps everything that the service knows in one SQLite file.
// SQLite is the truth and does keyed reads and writes; computing is the core's.
//
// All writing goes through one connection and [Store.write]; readers have
// connections of their own that cannot write. Times are UTC milliseconds.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofrs/flock"
	"github.com/jmoiron/sqlx"
	"github.com/klauspost/compress/zstd"
	"modernc.org/sqlite"
)

//go:embed migrations/*.sql
var migrations embed.FS

// readers is how many connections read.
const readers = 4

// applicationID marks a SQLite file as ours.
const applicationID = 1383361648

// ErrNotFound is the answer to a key that nothing has.
var ErrNotFound = errors.New("not found")

// ErrFull and ErrReadOnly are what a disk does to a write: nothing of it is kept.
var (
	ErrFull     = errors.New("the disk of the database is full")
	ErrReadOnly = errors.New("the database cannot be written")
)

// Codes of SQLite (sqlite.org/rescode.html); the low byte is the kind.
const (
	codeReadOnly = 8
	codeIO       = 10
	codeFull     = 13
)

// fault names what a disk did; other errors stay as they are.
func fault(err error) error {
	var e *sqlite.Error
	if !errors.As(err, &e) {
		return err
	}
	switch e.Code() & 0xff {
	case codeFull:
		return fmt.Errorf("%w: %w", ErrFull, err)
	case codeReadOnly, codeIO:
		return fmt.Errorf("%w: %w", ErrReadOnly, err)
	}
	return err
}

// maxUnpacked bounds what a stored document may unpack to, in bytes.
const maxUnpacked = 64 << 20

// Store is an open database. Each subject is a part of it, with a file or two of its own.
type Store struct {
	*database
	machines
	judgements
	releases
	handwork
	purchases
	waves
	decisions
	lists
	settings
	people
	webhooks
}

// What each part does is written in its files; all of them read and write through one database.
type (
	machines   struct{ *database } // machines, inventories, facts entered by hand, possible duplicates
	judgements struct{ *database } // verdicts, packed rows, changes of rules and dispositions
	releases   struct{ *database } // release documents, targets, own knowledge
	handwork   struct{ *database } // ticks, links to visits, who has which machine, stock
	purchases  struct{ *database } // orders of parts, replacements of machines, questions that were asked
	waves      struct{ *database }
	decisions  struct{ *database }
	lists      struct{ *database } // saved filters, expected machines, reasons, progress
	settings   struct{ *database } // settings, sites
	people     struct{ *database } // users, sessions, tokens, audit log
	webhooks   struct{ *database }
)

// database is the file and its connections, and the queue of inventories that wait to be kept.
type database struct {
	path           string
	fresh          bool // made when it was opened
	writer, reader *sqlx.DB
	lock           *flock.Flock
	plans          sync.Map // numbers of committed plans by their texts
	pack           *zstd.Encoder
	unpack         *zstd.Decoder

	jobs chan *job // inventories that wait to be kept, see together
	// as many at a time as there are processors: the one that commits should not stand in a line behind
	// hundreds
	making           chan struct{}
	coming           atomic.Int64  // inventories that are being made ready to wait
	closing, drained chan struct{} // no more are taken; the last one is answered
	statements       map[string]*sqlx.Stmt

	tokenBySecret *sqlx.Stmt // every call asks it
}

// Open opens the database file, makes it where there is none, and brings an
// older one up to date. It refuses, unchanged, a file that is not a Rolltop
// database, one that another program holds, and one from a newer version.
func Open(path string) (*Store, error) {
	path, err := resolved(path)
	if err != nil {
		return nil, err
	}
	lock, err := locked(path)
	if err != nil {
		return nil, err
	}
	s, err := open(path)
	if err != nil {
		return nil, errors.Join(err, lock.Unlock())
	}
	s.lock = lock
	return &Store{
		s,
		machines{s},
		judgements{s},
		releases{s},
		handwork{s},
		purchases{s},
		waves{s},
		decisions{s},
		lists{s},
		settings{s},
		people{s},
		webhooks{s},
	}, nil
}

func open(path string) (*database, error) {
	_, statErr := os.Stat(path)
	isNew := errors.Is(statErr, fs.ErrNotExist)
	dsn := func(pragmas ...string) string {
		v := url.Values{"_pragma": append([]string{"busy_timeout(5000)", "foreign_keys(1)"}, pragmas...)}
		return "file:" + (&url.URL{Path: path}).EscapedPath() + "?" + v.Encode()
	}
	if !isNew {
		if err := inspect(path, dsn("query_only(1)")); err != nil {
			return nil, err
		}
	}
	if err := errors.Join(private(path), removePartial(path)); err != nil {
		return nil, err
	}
	writer, err := sqlx.Open("sqlite",
		dsn("journal_mode(WAL)", "synchronous(FULL)", "wal_autocheckpoint(4000)")+"&_txlock=immediate")
	if err != nil {
		return nil, err
	}
	writer.SetMaxOpenConns(1)
	if err := migrate(writer.DB, newestMigration()); err != nil {
		return nil, errors.Join(explain(path, err), writer.Close())
	}
	if err := verifySchema(path, writer.DB); err != nil {
		return nil, errors.Join(err, writer.Close())
	}
	reader, err := sqlx.Open("sqlite", dsn("query_only(1)"))
	if err != nil {
		return nil, errors.Join(err, writer.Close())
	}
	reader.SetMaxOpenConns(readers)
	reader.SetMaxIdleConns(readers) // one that is closed takes its prepared statements with it
	s := &database{
		path:       path,
		fresh:      isNew,
		writer:     writer,
		reader:     reader,
		jobs:       make(chan *job, maxWaiting),
		making:     make(chan struct{}, max(1, runtime.GOMAXPROCS(0)-1)),
		closing:    make(chan struct{}),
		drained:    make(chan struct{}),
		statements: map[string]*sqlx.Stmt{},
	}
	go s.group()
	if s.pack, err = zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest),
		zstd.WithEncoderConcurrency(0)); err == nil {
		s.unpack, err = zstd.NewReader(nil, zstd.WithDecoderMaxMemory(maxUnpacked), zstd.WithDecoderConcurrency(0))
	}
	if err == nil {
		s.tokenBySecret, err = reader.Preparex(selectTokenBySecret)
	}
	if err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// inspect refuses a file that is not ours or is newer than this program,
// before anything is written.
func inspect(path, dsn string) error {
	db, err := sql.Open("sqlite", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	var app, tables int64
	if err := db.QueryRow("PRAGMA application_id").Scan(&app); err != nil {
		return explain(path, err)
	}
	if err := db.QueryRow("SELECT count(*) FROM sqlite_schema").Scan(&tables); err != nil {
		return explain(path, err)
	}
	if app != applicationID {
		if tables == 0 && app == 0 {
			return nil // an empty file
		}
		return fmt.Errorf("%s is a database of another program; name another file", path)
	}
	var version int64
	if err := db.QueryRow("SELECT coalesce(max(version_id), 0) FROM goose_db_version").Scan(&version); err != nil {
		return explain(path, err)
	}
	if newest := newestMigration(); version > newest {
		return fmt.Errorf("the database %s is from a newer version of rolltop (schema %d; this one knows %d); use "+
			"that version, or restore a backup from before", path, version, newest)
	}
	return verifySchema(path, db)
}

func explain(path string, err error) error {
	switch text := err.Error(); {
	case strings.Contains(text, "not a database"):
		return fmt.Errorf("%s is not a database file; name another file", path)
	case strings.Contains(text, "locked"), strings.Contains(text, "SQLITE_BUSY"):
		return fmt.Errorf("the database %s is locked by another program; stop that, or name another file", path)
	}
	return fmt.Errorf("the database %s cannot be read: %w", path, err)
}

// Close ends all connections and gives the file free.
func (s *database) Close() error {
	var errs []error
	close(s.closing)
	<-s.drained
	for _, st := range s.statements {
		errs = append(errs, st.Close())
	}
	for _, db := range []*sqlx.DB{s.reader, s.writer} {
		if db != nil {
			errs = append(errs, db.Close())
		}
	}
	if s.unpack != nil {
		s.unpack.Close()
	}
	if s.lock != nil {
		errs = append(errs, s.lock.Unlock())
	}
	return errors.Join(errs...)
}

// Ping says whether the database answers.
func (s *database) Ping(ctx context.Context) error { return s.reader.PingContext(ctx) }

// write runs f in one transaction: all of it is kept, or nothing. f must use
// the transaction and not the store. The error may be [ErrFull] or [ErrReadOnly].
func (s *database) write(ctx context.Context, f func(tx *sqlx.Tx) error) error {
	return fault(s.transact(ctx, f))
}

func (s *database) transact(ctx context.Context, f func(tx *sqlx.Tx) error) error {
	tx, err := s.writer.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }() // does nothing after a commit
	if err := f(tx); err != nil {
		return err
	}
	entry, err := addAuditEntry(ctx, tx)
	if err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	if entry != nil {
		entry.kept = true
	}
	return nil
}

func millis(t time.Time) int64      { return t.UnixMilli() }
func fromMillis(ms int64) time.Time { return time.UnixMilli(ms).UTC() }

func none(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// one makes a change of nothing [ErrNotFound].
func one(res sql.Result, err error) error {
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return ErrNotFound
	}
	return nil
}
