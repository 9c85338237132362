// Package pictures takes in what people photograph and what clients send as pictures: each is read in a
// process apart, in a lane of its own, and what is kept is a JPEG of our own making. What a picture is of,
// the rooms above know.
package pictures

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"sakuji/app/apart"
	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/format/photo"
)

// Size is in which size a picture is kept.
type Size int

const (
	AsSeen Size = iota // no larger than it is looked at
	AsSent             // in the size in which it came
)

// Room takes pictures in.
type Room struct {
	change.Base
	queue *jobs.Queue   // that knows where work apart is done
	lane  chan struct{} // one at a time for each processor; models go another way
}

// New makes the room.
func New(base change.Base, queue *jobs.Queue) *Room {
	return &Room{Base: base, queue: queue, lane: make(chan struct{}, runtime.GOMAXPROCS(0))}
}

// cleanTime is how much of the processors' time a picture may take. Source: from memory; 120 million pixels
// take about 15 s.
const cleanTime = time.Minute

// cleaning is a picture on its way: two files, and the size.
type cleaning struct {
	From, To string
	Size     Size
}

var clean = apart.NewKind("picture", func(_ context.Context, c cleaning, _ apart.Told) (struct{}, error) {
	data, err := os.ReadFile(c.From)
	if err != nil {
		return struct{}{}, err
	}
	make := photo.Clean
	if c.Size == AsSent {
		make = photo.Full
	}
	if data, err = make(data); err != nil {
		return struct{}{}, change.Refuse("%s", err)
	}
	return struct{}{}, os.WriteFile(c.To, data, 0o600)
})

// Keep keeps a picture, turned upright and without where it was taken, and says under which name. What is
// called, for people, is its name.
func (a *Room) Keep(ctx context.Context, what string, picture io.Reader, size Size) (sha string, err error) {
	shas, err := a.KeepEach(ctx, what, picture, size)
	if err != nil {
		return "", err
	}
	return shas[0], nil
}

// KeepEach keeps it so in each of several sizes.
func (a *Room) KeepEach(ctx context.Context, what string, picture io.Reader, sizes ...Size) (shas []string, err error) {
	dir, done, err := a.Store.Scratch()
	if err != nil {
		return nil, err
	}
	defer done()
	came := filepath.Join(dir, "came")
	if err := spool(came, picture); err != nil {
		return nil, refused(what, err)
	}
	for _, size := range sizes {
		sha, err := a.keep(ctx, what, cleaning{came, filepath.Join(dir, fmt.Sprintf("made-%d", size)), size})
		if err != nil {
			return nil, err
		}
		shas = append(shas, sha)
	}
	return shas, nil
}

// spool writes a picture to disk as it comes, and turns away what is none before all of it has come.
func spool(name string, picture io.Reader) error {
	begin := make([]byte, 64)
	n, err := io.ReadFull(picture, begin)
	switch {
	case err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF):
		return err
	case !photo.Known(begin[:n]):
		return change.Refuse("%s", photo.ErrUnknown)
	}
	f, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := f.Write(begin[:n]); err != nil {
		return err
	}
	more, err := io.Copy(f, io.LimitReader(picture, photo.MostBytes+1))
	if err == nil && int64(n)+more > photo.MostBytes {
		err = change.Refuse("%s: at most %d MB are taken", photo.ErrTooLarge, photo.MostBytes>>20)
	}
	return errors.Join(err, f.Close())
}

// keep makes one and keeps it, when it is its turn.
func (a *Room) keep(ctx context.Context, what string, c cleaning) (sha string, err error) {
	select {
	case a.lane <- struct{}{}:
		defer func() { <-a.lane }()
	case <-ctx.Done():
		return "", ctx.Err()
	}
	_, err = clean.Run(ctx, a.queue.Apart, apart.LimitsFor(0, cleanTime), what, c, func(float64, string) error { return nil })
	if err != nil {
		return "", refused(what, err)
	}
	made, err := os.Open(c.To)
	if err != nil {
		return "", err
	}
	defer made.Close()
	sha, _, err = a.Store.Keep(made, 2*photo.MostBytes) // in full size one may grow
	return sha, err
}

// refused says of which picture something is wrong.
func refused(what string, err error) error {
	var r *change.Refusal
	if errors.As(err, &r) {
		return change.Refuse("%s: %s. It was not kept.", what, r.Text)
	}
	return err
}
