package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"
)

// ErrTooLarge is returned when a file is longer than allowed; nothing of it is kept.
var ErrTooLarge = errors.New("the file is too large")

// Keep saves what r holds under its SHA-256 and returns it with the length. The
// bytes are on disk before the name is; two files alike share one place. The row
// that knows the file is written by Tx.AddFile afterwards.
func (s *Store) Keep(r io.Reader, maxBytes int64) (sha string, n int64, err error) {
	f, err := os.CreateTemp(filepath.Join(s.dir, "files"), ".new-*")
	if err != nil {
		return "", 0, err
	}
	defer os.Remove(f.Name()) //nolint:errcheck // renamed away when all went well
	defer f.Close()
	sum := sha256.New()
	n, err = io.Copy(io.MultiWriter(f, sum), io.LimitReader(r, maxBytes+1))
	if err != nil {
		return "", 0, err
	}
	if n > maxBytes {
		return "", 0, fmt.Errorf("%w: at most %d MB are taken", ErrTooLarge, maxBytes>>20)
	}
	sha = hex.EncodeToString(sum.Sum(nil))
	if err := f.Sync(); err != nil {
		return "", 0, err
	}
	if err := os.Chmod(f.Name(), 0o640); err != nil {
		return "", 0, err
	}
	s.comes(sha, 1)
	if _, err := os.Stat(s.path(sha)); err == nil {
		return sha, n, nil
	}
	if err := os.Rename(f.Name(), s.path(sha)); err != nil {
		return "", 0, err
	}
	return sha, n, syncDir(filepath.Dir(s.path(sha)))
}

// comes counts who brings a file and has not said yet whether it stays; it returns how many
// still do.
func (s *Store) comes(sha string, n int) int {
	s.coming.Lock()
	defer s.coming.Unlock()
	if s.coming.of == nil {
		s.coming.of = map[string]int{}
	}
	left := max(0, s.coming.of[sha]+n)
	if s.coming.of[sha] = left; left == 0 {
		delete(s.coming.of, sha)
	}
	return left
}

// Scratch makes a folder for what is on its way to be kept; done clears it.
func (s *Store) Scratch() (dir string, done func(), err error) {
	dir, err = os.MkdirTemp(filepath.Join(s.dir, "files"), ".new-*")
	return dir, func() { os.RemoveAll(dir) }, err //nolint:errcheck // the check names what is left behind
}

func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

func (s *Store) path(sha string) string { return filepath.Join(s.dir, "files", sha) }

// File opens a kept file.
func (s *Store) File(sha string) (*os.File, error) {
	if len(sha) != 64 || filepath.Base(sha) != sha {
		return nil, ErrNotFound
	}
	f, err := os.Open(s.path(sha))
	if errors.Is(err, os.ErrNotExist) {
		return nil, ErrNotFound
	}
	return f, err
}

// Forget removes a kept file that no row knows and that nobody else has just brought.
func (s *Store) Forget(ctx context.Context, sha string) error {
	if s.comes(sha, -1) > 0 {
		return nil
	}
	return s.Write(ctx, func(t *Tx) error {
		known, err := one[int](t, `SELECT count(*) FROM files WHERE sha = ?`, sha)
		if err != nil || known > 0 {
			return err
		}
		return os.Remove(s.path(sha))
	})
}

// AddFile notes a kept file.
func (t *Tx) AddFile(sha string, bytes int64, now time.Time) error {
	t.store.comes(sha, -1)
	return t.exec(`INSERT INTO files (sha, bytes, at_ms) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, sha, bytes, at(&now))
}

// Check looks for damage: the database's own integrity, its references, and every
// file against its name. It returns one line per fault.
func (s *Store) Check(ctx context.Context) (faults []string, err error) {
	err = s.Read(ctx, func(t *Tx) error {
		lines, err := rows[string](t, `PRAGMA integrity_check`)
		if err != nil {
			return err
		}
		for _, l := range lines {
			if l != "ok" {
				faults = append(faults, DatabaseName+": "+l)
			}
		}
		broken, err := rows[string](t, `SELECT "table" || ': row ' || coalesce(rowid, '?') || ' points at a missing row of ' || parent FROM pragma_foreign_key_check`)
		if err != nil {
			return err
		}
		for _, l := range broken {
			faults = append(faults, DatabaseName+": "+l)
		}
		shas, err := rows[string](t, `SELECT sha FROM files ORDER BY sha`)
		for _, sha := range shas {
			if why := s.checkFile(sha); why != "" {
				faults = append(faults, "files/"+sha+": "+why)
			}
		}
		return err
	})
	return faults, err
}

func (s *Store) checkFile(sha string) string {
	f, err := s.File(sha)
	if err != nil {
		return "missing"
	}
	defer f.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, f); err != nil {
		return err.Error()
	}
	if got := hex.EncodeToString(sum.Sum(nil)); got != sha {
		return "its contents have changed"
	}
	return ""
}
