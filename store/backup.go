package store

import (
	"archive/tar"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
)

// Packed is how a backup's name ends: a tar whose every file is compressed, and checked, alone, so that damage costs the
// file it is in and no other. Those of before were compressed as a whole, and are read, too.
const Packed = ".tar"

// Backup writes the whole studio into one tar and reads it again. It may run while
// the studio is served: the database is copied as of one moment, and files once kept never
// change. What is missing or damaged is told, a line each; the rest is in the backup, of the
// database, too.
func (s *Store) Backup(ctx context.Context, name string) (faults []string, err error) {
	if _, err := os.Stat(name); err == nil {
		return nil, fmt.Errorf("%s exists already", name)
	}
	scratch, err := os.MkdirTemp(filepath.Dir(name), ".backup-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(scratch)
	copied := filepath.Join(scratch, DatabaseName)
	if _, err := s.write.ExecContext(ctx, `VACUUM INTO ?`, copied); damaged(err) {
		if copied, faults, err = s.salvage(ctx, filepath.Join(scratch, "salvage")); err != nil {
			return nil, fmt.Errorf("the database is damaged, and nothing of it can be read: %w", err)
		}
		faults = append([]string{DatabaseName + " is damaged: what could be read of it is in the backup"}, faults...)
	} else if err != nil {
		return nil, fmt.Errorf("copying the database: %w", err)
	}
	shas, err := forBackup(ctx, copied)
	if err != nil {
		return nil, err
	}
	whole := filepath.Join(scratch, "backup")
	sums, err := s.pack(whole, copied, shas)
	if err != nil {
		return nil, err
	}
	for _, sha := range shas {
		switch sum, there := sums["files/"+sha]; {
		case !there:
			faults = append(faults, "files/"+sha+": missing")
		case sum != sha:
			faults = append(faults, "files/"+sha+": its contents have changed")
		}
	}
	read, err := sumsOf(whole)
	if err != nil {
		return nil, fmt.Errorf("the backup that was written does not read back: %w", err)
	}
	for name, sum := range sums {
		if read[name] != sum {
			return nil, fmt.Errorf("the backup that was written does not read back: %s is not what was put in", name)
		}
	}
	return faults, os.Rename(whole, name)
}

// Holdings are how much a studio holds.
type Holdings struct{ Clients, Orders, Pieces, Models, Lines, Files int }

func (h Holdings) String() string {
	return fmt.Sprintf("%d clients, %d orders, %d pieces, %d models, %d lines of the logbook, %d files", h.Clients, h.Orders, h.Pieces, h.Models, h.Lines, h.Files)
}

// Holds counts what the studio holds.
func (s *Store) Holds(ctx context.Context) (h Holdings, err error) {
	err = s.Read(ctx, func(t *Tx) error {
		h, err = one[Holdings](t, `SELECT (SELECT count(*) FROM clients) AS clients, (SELECT count(*) FROM orders) AS orders, (SELECT count(*) FROM pieces) AS pieces,
			(SELECT count(*) FROM models) AS models, (SELECT count(*) FROM logbook) AS lines, (SELECT count(*) FROM files) AS files`)
		return err
	})
	return h, err
}

// forBackup takes the sessions out of a copy, for who finds it is signed in nowhere, looks
// whether it is whole, and lists the files that it knows.
func forBackup(ctx context.Context, name string) (shas []string, err error) {
	db, err := sql.Open("sqlite", (&url.URL{Scheme: "file", Opaque: (&url.URL{Path: name}).EscapedPath()}).String())
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	for _, statement := range []string{`PRAGMA journal_mode = DELETE`, `PRAGMA secure_delete = ON`, `DELETE FROM sessions`} {
		if _, err := db.ExecContext(ctx, statement); err != nil {
			return nil, err
		}
	}
	var fault string
	if err := db.QueryRowContext(ctx, `PRAGMA integrity_check(1)`).Scan(&fault); err != nil {
		return nil, fmt.Errorf("the copy of the database is damaged: %w", err)
	}
	if fault != "ok" {
		return nil, fmt.Errorf("the copy of the database is damaged: %s", fault)
	}
	rows, err := db.QueryContext(ctx, `SELECT sha FROM files ORDER BY sha`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var sha string
		if err := rows.Scan(&sha); err != nil {
			return nil, err
		}
		shas = append(shas, sha)
	}
	return shas, rows.Err()
}

// pack writes the archive and returns what was put in, with its SHA-256.
func (s *Store) pack(name, database string, shas []string) (sums map[string]string, err error) {
	out, err := os.OpenFile(name, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	defer out.Close()
	archive := tar.NewWriter(out)
	scratch, err := os.OpenFile(name+".entry", os.O_CREATE|os.O_RDWR|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	defer scratch.Close()
	sums = map[string]string{}
	if sums[DatabaseName], err = addFile(archive, scratch, database, DatabaseName); err != nil {
		return nil, err
	}
	for _, sha := range shas {
		sum, err := addFile(archive, scratch, s.path(sha), "files/"+sha)
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		if err != nil {
			return nil, err
		}
		sums["files/"+sha] = sum
	}
	return sums, errors.Join(archive.Close(), out.Sync(), out.Close())
}

// addFile compresses a file by itself, and adds it.
func addFile(archive *tar.Writer, scratch *os.File, path, name string) (sum string, err error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return "", err
	}
	if _, err := scratch.Seek(0, io.SeekStart); err != nil {
		return "", err
	}
	h, zip := sha256.New(), gzip.NewWriter(scratch)
	if _, err = io.CopyN(io.MultiWriter(zip, h), f, info.Size()); err != nil {
		return "", err
	}
	if err := zip.Close(); err != nil {
		return "", err
	}
	n, err := scratch.Seek(0, io.SeekCurrent)
	if err != nil {
		return "", err
	}
	if err := archive.WriteHeader(&tar.Header{Name: name + zipped, Mode: 0o640, Size: n, ModTime: info.ModTime(), Format: tar.FormatGNU}); err != nil {
		return "", err
	}
	_, err = io.Copy(archive, io.NewSectionReader(scratch, 0, n))
	return hex.EncodeToString(h.Sum(nil)), err
}

// sumsOf reads a backup to its end.
func sumsOf(name string) (map[string]string, error) {
	sums := map[string]string{}
	err := eachPacked(name, func(entry string, r io.Reader) error {
		h := sha256.New()
		_, err := io.Copy(h, r)
		sums[entry] = hex.EncodeToString(h.Sum(nil))
		return err
	})
	return sums, err
}

// Restore unpacks a backup into a data folder that is empty or not there. It is unpacked
// beside it, checked, and only then put in its place. Where something of it is missing or
// damaged nothing is restored, unless what can be saved is asked for: then what is lost is
// told, a line each.
func Restore(ctx context.Context, name, dir string, whatCanBe bool) (lost []string, err error) {
	if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return nil, fmt.Errorf("%s is not empty: restore into a new folder, so that nothing is overwritten", dir)
	}
	parent := filepath.Dir(filepath.Clean(dir))
	if err := os.MkdirAll(parent, 0o750); err != nil {
		return nil, err
	}
	scratch, err := os.MkdirTemp(parent, ".restore-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(scratch)
	if err := unpack(name, scratch); err != nil && !whatCanBe {
		return nil, fmt.Errorf("%s: %w", name, err)
	} else if err != nil {
		lost = append(lost, fmt.Sprintf("%s is damaged: %v", name, err))
	}
	if _, err := os.Stat(filepath.Join(scratch, DatabaseName)); err != nil {
		return nil, fmt.Errorf("%s: no studio in it", name)
	}
	s, err := open(ctx, scratch) // the backup is there
	if err != nil {
		return nil, err
	}
	faults, err := s.Check(ctx)
	if err := errors.Join(err, s.Close()); err != nil {
		return nil, err
	}
	if len(faults) > 0 && !whatCanBe {
		return nil, fmt.Errorf("%s is damaged and was not restored: %s", name, strings.Join(faults, "; "))
	}
	if err := os.Remove(dir); err != nil && !errors.Is(err, os.ErrNotExist) {
		return nil, err
	}
	return append(lost, faults...), os.Rename(scratch, dir)
}

// unpack writes what is in a backup into a folder; its error names what could not be read, and the rest is there.
func unpack(name, dir string) error {
	if err := os.MkdirAll(filepath.Join(dir, "files"), 0o750); err != nil {
		return err
	}
	return eachPacked(name, func(entry string, r io.Reader) error {
		path := filepath.Join(dir, filepath.FromSlash(entry))
		out, err := os.OpenFile(path, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
		if err != nil {
			return err
		}
		_, err = io.Copy(out, r)
		if err := errors.Join(err, out.Sync(), out.Close()); err != nil {
			if entry != DatabaseName { // half a file is none
				os.Remove(path) //nolint:errcheck // it is named as damaged then
			}
			return err
		}
		return nil
	})
}
