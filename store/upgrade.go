package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// Program is the version of the program, as it tells of itself; whoever starts it says so before a folder is opened.
var Program = "unknown"

// Upgrade is what was done when a folder of an older program was opened.
type Upgrade struct {
	From, To int64    // of the tables
	Backup   string   // what was there, as a backup that was read back
	Faults   []string // what of that was missing or damaged before
}

func (u Upgrade) String() string {
	text := fmt.Sprintf("its tables were brought from %d to %d; what was there is in %s, which was read back", u.From, u.To, u.Backup)
	if len(u.Faults) > 0 {
		text += "; missing or damaged before that: " + strings.Join(u.Faults, "; ")
	}
	return text
}

// ErrNewer says that a newer program has served the folder.
var ErrNewer = errors.New("a newer program has served this studio")

// newest is the version of the tables that this program knows.
func newest() (version int64) {
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		panic(err) // the pattern is ours
	}
	for _, name := range names {
		n, _, _ := strings.Cut(filepath.Base(name), "_")
		v, err := strconv.ParseInt(n, 10, 64)
		if err != nil {
			panic(err)
		}
		version = max(version, v)
	}
	return version
}

// versionOf is the version of a database's tables; 0: there are none yet.
func versionOf(ctx context.Context, db *sql.DB) (version int64, err error) {
	var there int
	if err := db.QueryRowContext(ctx, `SELECT count(*) FROM sqlite_master WHERE name = 'goose_db_version'`).Scan(&there); err != nil || there == 0 {
		return 0, err
	}
	err = db.QueryRowContext(ctx, `SELECT coalesce(max(version_id), 0) FROM goose_db_version WHERE is_applied`).Scan(&version)
	return version, err
}

// known refuses tables that are newer than this program.
func known(ctx context.Context, db *sql.DB) error {
	version, err := versionOf(ctx, db)
	if err != nil || version <= newest() {
		return err
	}
	by := "a version that does not say which"
	var name string
	if err := db.QueryRowContext(ctx, `SELECT version FROM programs ORDER BY schema DESC, first_ms DESC LIMIT 1`).Scan(&name); err == nil {
		by = "Sakuji " + name
	}
	return fmt.Errorf("%w: its tables are of version %d, this program (%s) knows them up to %d. Serve it with %s, or a later one. Nothing was changed", ErrNewer, version, Program, newest(), by)
}

// served notes that this program has opened the folder, the first time it does.
func served(ctx context.Context, db *sql.DB) error {
	_, err := db.ExecContext(ctx, `INSERT INTO programs (version, schema, first_ms) VALUES (?, ?, CAST(unixepoch('subsec') * 1000 AS INTEGER)) ON CONFLICT (version) DO UPDATE SET schema = excluded.schema WHERE schema <> excluded.schema`, Program, newest())
	return err
}

// beforeUpgrade backs a folder of an older program up, into itself, and reads that back; nil where nothing is to be brought
// up to date. Without that backup nothing is changed.
func beforeUpgrade(ctx context.Context, dir string) (*Upgrade, error) {
	if info, err := os.Stat(filepath.Join(dir, DatabaseName)); err != nil || info.Size() == 0 {
		return nil, nil // a new one
	}
	look, err := OpenToLook(ctx, dir)
	if err != nil {
		return nil, nil // opening it says what is wrong
	}
	defer look.Close()
	from, err := versionOf(ctx, look.read)
	if err != nil || from == 0 || from >= newest() {
		return nil, nil // the same
	}
	up := &Upgrade{From: from, To: newest(), Backup: filepath.Join(dir, fmt.Sprintf("before-upgrade-%d-to-%d%s", from, newest(), Packed))}
	for k := 2; ; k++ { // one that broke off before has left its own
		if _, err := os.Stat(up.Backup); errors.Is(err, fs.ErrNotExist) {
			break
		}
		up.Backup = filepath.Join(dir, fmt.Sprintf("before-upgrade-%d-to-%d-%d%s", from, newest(), k, Packed))
	}
	if up.Faults, err = look.Backup(ctx, up.Backup); err != nil {
		return nil, fmt.Errorf("%s is of an older program and must be backed up before it is brought up to date; that failed, and nothing was changed: %w", dir, err)
	}
	return up, nil
}
