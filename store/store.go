// Package store keeps the studio in one folder: a SQLite database and, beside it,
// the uploaded files under their SHA-256. One file here per noun. It holds no rule
// of the trade; it saves and finds what studio describes.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver "sqlite"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is returned where one row was asked for and none is there.
var ErrNotFound = errors.New("not found")

// Store is an open data folder.
type Store struct {
	dir   string
	read  *sql.DB
	write *sql.DB
	memo  *memo
	asks  prepared
	past  past
	heard func(query string, args []any) // nil but where tests listen

	Upgrade *Upgrade // when its tables were brought up to date as it was opened

	coming struct { // files that were kept and of which no row knows yet, by how many bring each
		sync.Mutex
		of map[string]int
	}
}

// DatabaseName is the database's file in the data folder.
const DatabaseName = "sakuji.db"

// Open opens the data folder, making it and bringing its tables up to date: what was there is backed up before that. One
// that a newer program has served is refused.
func Open(ctx context.Context, dir string) (*Store, error) {
	up, err := beforeUpgrade(ctx, dir)
	if err != nil {
		return nil, err
	}
	s, err := open(ctx, dir)
	if err == nil {
		s.Upgrade = up
	}
	return s, err
}

// open opens it without a backup.
func open(ctx context.Context, dir string) (*Store, error) {
	if err := os.MkdirAll(filepath.Join(dir, "files"), 0o750); err != nil {
		return nil, err
	}
	write, err := sql.Open("sqlite", dsn(dir, "immediate", "rwc"))
	if err != nil {
		return nil, err
	}
	write.SetMaxOpenConns(1)
	if err := private(dir); err != nil {
		write.Close()
		return nil, err
	}
	if err := migrate(ctx, write); err != nil {
		write.Close()
		return nil, fmt.Errorf("%s: %w", filepath.Join(dir, DatabaseName), err)
	}
	read, err := sql.Open("sqlite", dsn(dir, "deferred", "rw")+"&_pragma=query_only(1)")
	if err != nil {
		write.Close()
		return nil, err
	}
	read.SetMaxOpenConns(8)
	read.SetMaxIdleConns(8)
	s := &Store{dir: dir, read: read, write: write}
	if err := s.remember(ctx); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// OpenToLook opens a data folder as it is, to look at and copy: nothing of it is changed, not
// even brought up to date, and the folder may be one that nobody may write.
func OpenToLook(ctx context.Context, dir string) (*Store, error) {
	name := (&url.URL{Path: filepath.Join(dir, DatabaseName)}).EscapedPath()
	var err error
	// Where beside the database nothing can be laid down, it is read as it lies.
	for _, how := range []string{"mode=ro", "mode=ro&immutable=1"} {
		db, failed := sql.Open("sqlite", (&url.URL{Scheme: "file", Opaque: name, RawQuery: how + "&_pragma=busy_timeout(5000)&_pragma=foreign_keys(1)"}).String())
		if failed == nil {
			var n int
			if failed = db.QueryRowContext(ctx, `SELECT count(*) FROM sqlite_master`).Scan(&n); failed == nil {
				return &Store{dir: dir, read: db, write: db}, nil
			}
			db.Close()
		}
		err = failed
	}
	return nil, fmt.Errorf("%s: %w", filepath.Join(dir, DatabaseName), err)
}

// private lets nobody else on the machine read the database, whatever the folder's own rights
// are: it is made before it is opened, for files beside it take its rights.
func private(dir string) error {
	name := filepath.Join(dir, DatabaseName)
	f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	f.Close()
	for _, beside := range []string{"", "-wal", "-shm"} {
		if err := os.Chmod(name+beside, 0o600); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

func dsn(dir, lock, mode string) string {
	q := url.Values{"mode": {mode}, "_txlock": {lock}, "_pragma": {
		"busy_timeout(5000)", "journal_mode(WAL)", "synchronous(FULL)", "foreign_keys(1)", "temp_store(MEMORY)", "cache_size(-16000)"}}
	return (&url.URL{Scheme: "file", Opaque: (&url.URL{Path: filepath.Join(dir, DatabaseName)}).EscapedPath(), RawQuery: q.Encode()}).String()
}

func migrate(ctx context.Context, db *sql.DB) error {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, sub)
	if err != nil {
		return err
	}
	if err := known(ctx, db); err != nil {
		return err
	}
	// Tables are rebuilt without their references being followed; all of them are looked
	// at afterwards.
	if _, err := db.ExecContext(ctx, `PRAGMA foreign_keys = OFF`); err != nil {
		return err
	}
	if _, err = p.Up(ctx); err != nil {
		return err
	}
	var table string
	switch err := db.QueryRowContext(ctx, `SELECT "table" FROM pragma_foreign_key_check LIMIT 1`).Scan(&table); {
	case err == nil:
		return fmt.Errorf("a row of %s points at nothing after the tables were brought up to date", table)
	case !errors.Is(err, sql.ErrNoRows):
		return err
	}
	if _, err = db.ExecContext(ctx, `PRAGMA foreign_keys = ON`); err != nil {
		return err
	}
	return served(ctx, db)
}

// Close closes the database; what was written is on disk.
func (s *Store) Close() error { return errors.Join(s.read.Close(), s.write.Close()) }

// LeftOver are files beside the kept ones that a broken upload or a kill has left behind.
func (s *Store) LeftOver() (names []string) {
	for _, pattern := range []string{filepath.Join("files", ".new-*"), ".backup-*", ".restore-*"} {
		found, _ := filepath.Glob(filepath.Join(s.dir, pattern)) // the patterns are ours
		names = append(names, found...)
	}
	return names
}

// Sweep takes them away; it is called before anything is served.
func (s *Store) Sweep() (err error) {
	for _, name := range s.LeftOver() {
		err = errors.Join(err, os.RemoveAll(name))
	}
	return err
}

// Loose are kept files that no row knows: nothing refers to them.
func (s *Store) Loose(ctx context.Context) (names []string, err error) {
	entries, err := os.ReadDir(filepath.Join(s.dir, "files"))
	if err != nil {
		return nil, err
	}
	err = s.Read(ctx, func(t *Tx) error {
		known, err := rows[string](t, `SELECT sha FROM files`)
		for _, e := range entries {
			if !strings.HasPrefix(e.Name(), ".") && !slices.Contains(known, e.Name()) {
				names = append(names, "files/"+e.Name())
			}
		}
		return err
	})
	return names, err
}

// Sessions is the database for the session library, which writes for itself.
func (s *Store) Sessions() (look, save *sql.DB) { return s.read, s.write }

// Ping asks whether the database answers.
func (s *Store) Ping(ctx context.Context) error {
	var one int
	return s.read.QueryRowContext(ctx, "SELECT 1").Scan(&one)
}

// Tx is a transaction; every query of the store hangs on it.
type Tx struct {
	ctx   context.Context
	tx    *sql.Tx
	store *Store

	memo    *memo     // nil: nothing is remembered, as in a transaction that changes things
	changes bool      // whether it may change something
	tick    int64     // the newest change it sees
	noted   *[]string // the tables of what is being found
	written []string  // the tables it has written to
	again   repeats   // what it does over and over
}

// remember makes the memory of what is read.
func (s *Store) remember(ctx context.Context) error {
	return s.Read(ctx, func(t *Tx) error {
		tables, err := rows[string](t, `SELECT name FROM sqlite_master WHERE type = 'table'`)
		s.memo = newMemo(tables)
		return err
	})
}

// Read runs f over one unchanging view of the data.
func (s *Store) Read(ctx context.Context, f func(*Tx) error) error {
	tx, err := s.read.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return err
	}
	defer tx.Rollback() //nolint:errcheck // nothing was changed
	t := &Tx{ctx: ctx, tx: tx, store: s, memo: s.memo}
	if t.memo != nil {
		now, err := scanned[int64](t, `SELECT n FROM ticks`, nil)
		if err != nil {
			return err
		}
		t.tick = now[0]
	}
	return f(t)
}

// Write runs f as one change: all of it is saved, or on an error none.
func (s *Store) Write(ctx context.Context, f func(*Tx) error) error {
	if s.memo == nil { // it was opened to look at
		return ErrReadOnly
	}
	tx, err := s.write.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback() //nolint:errcheck // after a commit there is nothing to roll back
	t := &Tx{ctx: ctx, tx: tx, store: s, changes: true}
	if err := f(t); err != nil || len(t.written) == 0 {
		return err
	}
	if err := tx.QueryRowContext(ctx, `UPDATE ticks SET n = n + 1 RETURNING n`).Scan(&t.tick); err != nil {
		return err
	}
	s.memo.changing(t.tick, t.written)
	if err = tx.Commit(); err != nil {
		s.memo.failed(t.tick)
	}
	return err
}

// Listen has every query told, with its values, before it is asked: tests look at how the database answers it. It is called
// by all that ask at once.
func (s *Store) Listen(heard func(query string, args []any)) { s.heard = heard }

// query asks the database.
func (t *Tx) query(query string, args []any) (*sql.Rows, error) {
	if t.store.heard != nil {
		t.store.heard(query, args)
	}
	if t.memo == nil {
		return t.tx.QueryContext(t.ctx, query, args...)
	}
	return t.store.asks.query(t.ctx, t.store.read, t.tx, query, args)
}

// writes notes which tables a statement changes, if it does.
func (t *Tx) writes(query string) {
	if !t.changes {
		return
	}
	if m := statement.FindStringSubmatch(query); m != nil && m[1] == "SELECT" {
		return
	}
	for _, name := range t.store.memo.named(query) {
		if !slices.Contains(t.written, name) {
			t.written = append(t.written, name)
		}
	}
}

// change runs a statement that changes rows.
func (t *Tx) change(query string, args ...any) (sql.Result, error) {
	t.writes(query)
	if t.store.heard != nil {
		t.store.heard(query, args)
	}
	r, err := t.again.exec(t.ctx, t.tx, query, args)
	return r, doing(query, args, err)
}

func (t *Tx) exec(query string, args ...any) error {
	_, err := t.change(query, args...)
	return err
}

// Try does something to see what would come of it, and undoes it: nothing of it is left.
func (t *Tx) Try(f func() error) error {
	if _, err := t.tx.ExecContext(t.ctx, `SAVEPOINT try`); err != nil {
		return err
	}
	err := f()
	_, back := t.tx.ExecContext(t.ctx, `ROLLBACK TO try`)
	_, end := t.tx.ExecContext(t.ctx, `RELEASE try`)
	return errors.Join(err, back, end)
}

// statement finds what a query does to which table.
var statement = regexp.MustCompile(`(?is)^\s*(?:WITH\b.*?\)\s*)?(SELECT|INSERT|UPDATE|DELETE)\b(?:.*?\b(?:FROM|INTO)\s+|\s+)(?:OR \w+ )?([a-z_]+)`)

// doing names what was being done, and on what, when an error came: the kind of rows and
// the first values of the query, which are mostly its key.
func doing(query string, args []any, err error) error {
	if err == nil {
		return nil
	}
	verb, table := "asking", "the database"
	if m := statement.FindStringSubmatch(query); m != nil {
		verb, table = map[string]string{"SELECT": "reading", "INSERT": "adding to", "UPDATE": "changing", "DELETE": "removing from"}[strings.ToUpper(m[1])], m[2]
	}
	on := ""
	for i, a := range args {
		if i == 2 {
			on += " …"
			break
		}
		if v, ok := a.(driver.Valuer); ok {
			a, _ = v.Value()
		}
		text := []rune(fmt.Sprint(a))
		if len(text) > 40 {
			text = append(text[:40], '…')
		}
		on += " " + string(text)
	}
	return fmt.Errorf("%s %s%s: %w", verb, table, on, err)
}
