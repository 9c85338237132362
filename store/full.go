package store

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"syscall"

	"modernc.org/sqlite"
	lib "modernc.org/sqlite/lib"
)

// ErrFull and ErrReadOnly are why nothing can be saved, whatever it is.
var (
	ErrFull     = errors.New("the disk is full")
	ErrReadOnly = errors.New("the data folder cannot be written")
)

// Unwritable tells whether an error comes of a disk that is full or may not be written; nil
// when it does not.
func Unwritable(err error) error {
	var db *sqlite.Error
	code := 0
	if errors.As(err, &db) {
		code = db.Code() & 0xff
	}
	switch {
	case code == lib.SQLITE_FULL, errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return ErrFull
	case code == lib.SQLITE_READONLY, code == lib.SQLITE_CANTOPEN, errors.Is(err, syscall.EROFS), errors.Is(err, os.ErrPermission):
		return ErrReadOnly
	}
	return nil
}

// Writable tries whether something can be laid down, and takes it away again.
func (s *Store) Writable() error {
	f, err := os.CreateTemp(filepath.Join(s.dir, "files"), ".new-*")
	if err == nil {
		_, err = f.Write(bytes.Repeat([]byte{1}, 64<<10))
		err = errors.Join(err, f.Close(), os.Remove(f.Name()))
	}
	if why := Unwritable(err); why != nil {
		return why
	}
	return err
}
