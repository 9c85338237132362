package store

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/gofrs/flock"
)

// ErrServed says that another program serves the data folder.
var ErrServed = errors.New("another program serves this studio already")

// Serve takes a data folder for one program that serves it, before it is opened and brought
// up to date; others may look and copy meanwhile. The lock ends with done, or with the program,
// however it ends.
func Serve(dir string) (done func() error, err error) {
	if err := os.MkdirAll(dir, 0o750); err != nil {
		return nil, err
	}
	lock := flock.New(filepath.Join(dir, ".served"), flock.SetPermissions(0o600))
	switch ours, err := lock.TryLock(); {
	case err != nil:
		return nil, err
	case !ours:
		return nil, fmt.Errorf("%s: %w", dir, ErrServed)
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
