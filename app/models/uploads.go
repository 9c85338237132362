package models

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"

	"sakuji/app/change"
	"sakuji/core/mesh"
	"sakuji/store"
	"sakuji/studio"
)

// Upload is a file on its way in.
type Upload struct {
	Name string
	Open func() (io.ReadCloser, error)
}

// FileName is the last part of a client's file name, printable and not too long.
func FileName(name string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	name = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return -1
		}
		return r
	}, name)
	if r := []rune(name); len(r) > 120 {
		name = string(r[len(r)-120:])
	}
	return name
}

// Title makes a name of a file's.
func Title(file string) string {
	name := strings.TrimSuffix(file, path.Ext(file))
	for _, packed := range []string{".stl", ".obj", ".3mf"} {
		name = strings.TrimSuffix(name, packed)
	}
	return studio.UpperFirst(strings.TrimSpace(strings.NewReplacer("_", " ", "-", " ").Replace(name)))
}

// Kept is a file that has arrived whole and lies on disk under its SHA-256.
type Kept struct {
	Name  string
	SHA   string
	Bytes int64
}

func (a *Room) uploadBytes() int64 {
	if a.Limits.UploadBytes > 0 {
		return a.Limits.UploadBytes
	}
	return MaxUploadBytes
}

func (a *Room) meshLimits() mesh.Limits {
	return mesh.Limits{MaxBytes: max(a.uploadBytes(), mesh.DefaultMaxBytes), MaxTriangles: a.Limits.Triangles}
}

// Keep streams a file to disk.
func (a *Room) Keep(name string, r io.Reader) (k Kept, err error) {
	k.Name = FileName(name)
	k.SHA, k.Bytes, err = a.Store.Keep(r, a.uploadBytes())
	if errors.Is(err, store.ErrTooLarge) {
		err = change.Refuse("%s: %s. Nothing of it was kept.", k.Name, err)
	}
	return k, err
}

// A zip of several models is taken apart, up to so many files and so many bytes of them.
const (
	mostPacked      = 100
	mostPackedBytes = 1 << 30
)

// Arrive keeps a file that a client has sent: each model of a zip by itself, as if they had
// come singly. What is refused is told by name and leaves the others.
func (a *Room) Arrive(name string, r io.Reader) (kept []Kept, problems []string, err error) {
	whole, err := a.Keep(name, r)
	if err != nil {
		return refusedOnly(nil, err)
	}
	f, err := a.Store.File(whole.SHA)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	z, err := zip.NewReader(f, whole.Bytes)
	if err != nil { // not a zip: reading says what it is
		return []Kept{whole}, nil, nil
	}
	packed, is3MF := mesh.Packed(z)
	if is3MF || len(packed) < 2 {
		return []Kept{whole}, nil, nil
	}
	defer a.Store.Forget(context.Background(), whole.SHA) //nolint:errcheck // the check names what is left behind
	if len(packed) > mostPacked {
		return nil, []string{fmt.Sprintf("%s holds %d models; at most %d are taken at once. Nothing of it was kept.", whole.Name, len(packed), mostPacked)}, nil
	}
	left := int64(mostPackedBytes)
	for _, entry := range packed {
		one, err := a.keepEntry(entry, left)
		if kept, problems, err = addKept(kept, problems, one, err); err != nil {
			return kept, problems, err
		}
		left -= one.Bytes
	}
	return kept, problems, nil
}

// keepEntry unpacks a file of a zip, as long as there is room.
func (a *Room) keepEntry(entry *zip.File, left int64) (Kept, error) {
	if left <= 0 {
		return Kept{}, change.Refuse("%s was not taken: the zip is too large unpacked.", FileName(entry.Name))
	}
	r, err := entry.Open()
	if err != nil {
		return Kept{}, errPacked(entry)
	}
	defer r.Close()
	one, err := a.Keep(entry.Name, io.LimitReader(r, left))
	var disk *fs.PathError
	var refusal *change.Refusal
	if err != nil && !errors.As(err, &disk) && !errors.As(err, &refusal) { // it is the zip that is broken
		return Kept{}, errPacked(entry)
	}
	return one, err
}

// errPacked says that a file of a zip cannot be had out of it.
func errPacked(entry *zip.File) error {
	return change.Refuse("%s cannot be unpacked: the zip is damaged there, or locked by a password. Send it again.", FileName(entry.Name))
}

// addKept adds a file that was kept, or what was wrong with it.
func addKept(kept []Kept, problems []string, one Kept, err error) ([]Kept, []string, error) {
	if err != nil {
		_, more, err := refusedOnly(nil, err)
		return kept, append(problems, more...), err
	}
	return append(kept, one), problems, nil
}

// refusedOnly makes of a refusal a problem that is told.
func refusedOnly(kept []Kept, err error) ([]Kept, []string, error) {
	var refusal *change.Refusal
	if errors.As(err, &refusal) {
		return kept, []string{refusal.Text}, nil
	}
	return kept, nil, err
}

// Forget lets go of kept files that were not taken after all, and of which nothing speaks.
func (a *Room) Forget(ctx context.Context, files ...Kept) {
	for _, f := range files {
		_ = a.Store.Forget(ctx, f.SHA) // a file left behind does no harm: the check names it
	}
}

// QueueFile queues a file, or finds it known.
func (a *Room) QueueFile(d change.Change, f Kept, batch string, options studio.JobOptions, orderID int64) (j studio.Job, err error) {
	j = studio.Job{Kind: studio.JobRead, Batch: batch, OrderID: orderID, ModelID: options.Revises, SHA: f.SHA, Bytes: f.Bytes, Name: f.Name, Options: options, Who: d.Who.Name, ActorID: d.Who.ID, At: d.Now}
	if err = d.AddFile(f.SHA, f.Bytes, d.Now); err != nil {
		return j, err
	}
	known, err := d.ModelBySHA(f.SHA)
	switch {
	case err == nil && options.Revises == 0:
		j.State, j.MadeID, j.Share = studio.JobDone, known.ID, 1
	case err == nil:
		return j, change.Refuse("%s is already here, as %s of %s; nothing was added.", f.Name, known.HowText(), known.Name)
	case !change.NotFound(err):
		return j, err
	}
	return j, d.AddJob(&j)
}

// KeepUpload keeps one file as it is.
func (a *Room) KeepUpload(u Upload) (Kept, error) {
	r, err := u.Open()
	if err != nil {
		return Kept{}, err
	}
	defer r.Close()
	return a.Keep(u.Name, r)
}
