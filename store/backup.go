package store

import (
	"archive/tar"
	"compress/gzip"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
)

// Backup writes the whole studio into one gzipped tar. It may run while the
// studio is served: the database is copied as of one moment, and files once kept
// never change.
func (s *Store) Backup(ctx context.Context, name string) (err error) {
	if _, err := os.Stat(name); err == nil {
		return fmt.Errorf("%s exists already", name)
	}
	scratch, err := os.MkdirTemp(filepath.Dir(name), ".backup-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(scratch)
	copied := filepath.Join(scratch, DatabaseName)
	if _, err := s.write.ExecContext(ctx, `VACUUM INTO ?`, copied); err != nil {
		return err
	}
	if err := withoutSessions(ctx, copied); err != nil {
		return err
	}
	whole := filepath.Join(scratch, "backup")
	out, err := os.OpenFile(whole, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	defer out.Close()
	zip := gzip.NewWriter(out)
	archive := tar.NewWriter(zip)
	if err := addFile(archive, copied, DatabaseName); err != nil {
		return err
	}
	entries, err := os.ReadDir(filepath.Join(s.dir, "files"))
	if err != nil {
		return err
	}
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), ".") {
			continue
		}
		if err := addFile(archive, s.path(e.Name()), "files/"+e.Name()); err != nil {
			return err
		}
	}
	if err := errors.Join(archive.Close(), zip.Close(), out.Sync(), out.Close()); err != nil {
		return err
	}
	return os.Rename(whole, name)
}

// withoutSessions takes the sessions out of a copy: who finds it is signed in nowhere.
func withoutSessions(ctx context.Context, name string) (err error) {
	db, err := sql.Open("sqlite", (&url.URL{Scheme: "file", Opaque: (&url.URL{Path: name}).EscapedPath()}).String())
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	for _, statement := range []string{`PRAGMA journal_mode = DELETE`, `PRAGMA secure_delete = ON`, `DELETE FROM sessions`, `DELETE FROM acts`} {
		if _, err := db.ExecContext(ctx, statement); err != nil {
			return err
		}
	}
	return nil
}

func addFile(archive *tar.Writer, path, name string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	if err := archive.WriteHeader(&tar.Header{Name: name, Mode: 0o640, Size: info.Size(), ModTime: info.ModTime()}); err != nil {
		return err
	}
	_, err = io.CopyN(archive, f, info.Size())
	return err
}

// Restore unpacks a backup into a data folder that is empty or not there. It is
// unpacked beside it, checked, and only then put in its place.
func Restore(ctx context.Context, name, dir string) error {
	if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return fmt.Errorf("%s is not empty: restore into a new folder, so that nothing is overwritten", dir)
	}
	parent := filepath.Dir(filepath.Clean(dir))
	if err := os.MkdirAll(parent, 0o750); err != nil {
		return err
	}
	scratch, err := os.MkdirTemp(parent, ".restore-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(scratch)
	if err := unpack(name, scratch); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	if _, err := os.Stat(filepath.Join(scratch, DatabaseName)); err != nil {
		return fmt.Errorf("%s: no studio in it", name)
	}
	s, err := Open(ctx, scratch)
	if err != nil {
		return err
	}
	faults, err := s.Check(ctx)
	if err := errors.Join(err, s.Close()); err != nil {
		return err
	}
	if len(faults) > 0 {
		return fmt.Errorf("%s is damaged and was not restored: %s", name, strings.Join(faults, "; "))
	}
	if err := os.Remove(dir); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	return os.Rename(scratch, dir)
}

func unpack(name, dir string) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	zip, err := gzip.NewReader(f)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Join(dir, "files"), 0o750); err != nil {
		return err
	}
	archive := tar.NewReader(zip)
	for {
		h, err := archive.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		base, isFile := strings.CutPrefix(h.Name, "files/")
		if h.Typeflag != tar.TypeReg || h.Name != DatabaseName && (!isFile || len(base) != 64 || strings.ContainsAny(base, `/\`)) {
			return fmt.Errorf("%q does not belong into a backup", h.Name)
		}
		out, err := os.OpenFile(filepath.Join(dir, filepath.FromSlash(h.Name)), os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o640)
		if err != nil {
			return err
		}
		_, err = io.Copy(out, archive)
		if err := errors.Join(err, out.Sync(), out.Close()); err != nil {
			return err
		}
	}
}
