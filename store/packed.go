package store

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
)

// zipped is how the names of the files in a backup end.
const zipped = ".gz"

// belongs reports a name that a backup may hold: the database, or a file under its SHA-256.
func belongs(name string) bool {
	base, isFile := strings.CutPrefix(name, "files/")
	return name == DatabaseName || isFile && len(base) == 64 && !strings.ContainsAny(base, `/\`)
}

// eachPacked goes through a backup. A file of it that is damaged is told in the error, and those behind it are read.
func eachPacked(name string, do func(entry string, r io.Reader) error) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	begin := make([]byte, 2)
	if _, err := f.ReadAt(begin, 0); err != nil {
		return fmt.Errorf("no backup: %w", err)
	}
	if bytes.Equal(begin, []byte("\x1f\x8b")) {
		return eachAsBefore(f, do)
	}
	return eachAlone(f, info.Size(), do)
}

// block is what a tar is made of.
const block = 512

// eachAlone goes through a tar whose every file is compressed alone. Where no header can be read it looks for the next one
// that can: a header carries a sum of its own.
func eachAlone(f io.ReaderAt, size int64, do func(entry string, r io.Reader) error) (faults error) {
	header, ended, lost := make([]byte, block), false, false
	for at := int64(0); at+block <= size; {
		if _, err := f.ReadAt(header, at); err != nil {
			return errors.Join(faults, err)
		}
		if bytes.Equal(header, make([]byte, block)) { // the end, but for what follows a damaged one
			ended, at = true, at+block
			continue
		}
		h, err := tar.NewReader(io.MultiReader(bytes.NewReader(header), zeros{})).Next()
		entry := ""
		if err == nil {
			entry = strings.TrimSuffix(h.Name, zipped)
		}
		if err != nil || h.Typeflag != tar.TypeReg || h.Size < 0 || h.Size > size {
			if !lost {
				faults = errors.Join(faults, fmt.Errorf("a file whose name cannot be read any more, at byte %d", at))
			}
			lost, at = true, at+block
			continue
		}
		if !belongs(entry) || entry == h.Name {
			return errors.Join(faults, fmt.Errorf("%q does not belong into a backup", h.Name))
		}
		lost, ended = false, false
		if err := alone(io.NewSectionReader(f, at+block, h.Size), entry, do); err != nil {
			faults = errors.Join(faults, fmt.Errorf("%s: %w", entry, err))
		}
		at += block + (h.Size+block-1)/block*block
	}
	if !ended {
		faults = errors.Join(faults, errors.New("it ends too early"))
	}
	return faults
}

// zeros are without end.
type zeros struct{}

func (zeros) Read(p []byte) (int, error) {
	clear(p)
	return len(p), nil
}

// alone reads a file of a backup to its end.
func alone(r io.Reader, entry string, do func(entry string, r io.Reader) error) error {
	zip, err := gzip.NewReader(r)
	if err != nil {
		return err
	}
	return do(entry, zip)
}

// eachAsBefore goes through a backup that was compressed as a whole.
func eachAsBefore(f io.ReadSeeker, do func(entry string, r io.Reader) error) error {
	zip, err := gzip.NewReader(f)
	if err != nil {
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
		if h.Typeflag != tar.TypeReg || !belongs(h.Name) {
			return fmt.Errorf("%q does not belong into a backup", h.Name)
		}
		if err := do(h.Name, archive); err != nil {
			return err
		}
	}
}
