package store

import (
	"errors"
	"path/filepath"

	"github.com/gofrs/flock"
)

// ErrServed says that another program serves the data folder.
var ErrServed = errors.New("another program serves this studio already")

// Serve takes the data folder for one program that serves it; others may look and copy
// meanwhile. The lock ends with done, or with the program, however it ends.
func (s *Store) Serve() (done func() error, err error) {
	lock := flock.New(filepath.Join(s.dir, ".served"), flock.SetPermissions(0o600))
	switch ours, err := lock.TryLock(); {
	case err != nil:
		return nil, err
	case !ours:
		return nil, ErrServed
	}
	return lock.Unlock, nil
}

// Served reports whether a program serves the data folder now.
func (s *Store) Served() bool {
	lock := flock.New(filepath.Join(s.dir, ".served"), flock.SetFlag(0))
	ours, err := lock.TryRLock()
	if ours {
		lock.Unlock() //nolint:errcheck // it was only tried
	}
	return err == nil && !ours
}
