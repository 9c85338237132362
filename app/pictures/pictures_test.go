package pictures

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apart"
	"sakuji/app/apart/aparttest"
	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/format/photo/phototest"
	"sakuji/store"
)

// The test is the process apart, too.
func TestMain(m *testing.M) { aparttest.Main(m) }

func room(t *testing.T, command ...string) *Room {
	t.Helper()
	st, err := store.Open(t.Context(), t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { st.Close() })
	base := change.Base{Store: st, Clock: change.Wall{}}
	queue := jobs.New(base)
	queue.Apart = apart.Process{Command: command}
	return New(base, queue)
}

func plain(t *testing.T, w, h int) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewPaletted(image.Rect(0, 0, w, h), color.Palette{color.White, color.Black})))
	return b.Bytes()
}

func TestPicturesAreReadApart(t *testing.T) {
	self, err := os.Executable()
	require.NoError(t, err)
	for where, a := range map[string]*Room{"here": room(t), "apart": room(t, self)} {
		shas, err := a.KeepEach(t.Context(), "wing.png", bytes.NewReader(plain(t, 2400, 600)), AsSeen, AsSent)
		require.NoError(t, err, where)
		for k, width := range []int{1800, 2400} {
			f, err := a.Store.File(shas[k])
			require.NoError(t, err)
			c, err := jpeg.DecodeConfig(f)
			require.NoError(t, err)
			f.Close()
			assert.Equal(t, width, c.Width, where)
		}
		for name, data := range map[string][]byte{"page.png": []byte("<html>"), "nothing.png": nil, "half.png": plain(t, 300, 300)[:70]} {
			_, err := a.Keep(t.Context(), name, bytes.NewReader(data), AsSeen)
			var r *change.Refusal
			require.ErrorAs(t, err, &r, name)
			assert.Regexp(t, "^"+name+": .*It was not kept.$", r.Text)
		}
		left, err := filepath.Glob(filepath.Join(filepath.Dir(mustFile(t, a, shas[0])), ".new-*"))
		require.NoError(t, err)
		assert.Empty(t, left, "nothing of those on their way is left")
	}
}

func mustFile(t *testing.T, a *Room, sha string) string {
	t.Helper()
	f, err := a.Store.File(sha)
	require.NoError(t, err)
	defer f.Close()
	return f.Name()
}

// Large pictures, several at once: here they take a few megabytes in all.
func TestManyLargePicturesTakeNoMemoryHere(t *testing.T) {
	self, err := os.Executable()
	require.NoError(t, err)
	a := room(t, self)
	const many = 6
	head := phototest.Claiming(t, 11_000, 9_000)
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	errs := make(chan error)
	for k := range many {
		go func() {
			_, err := a.Keep(t.Context(), fmt.Sprintf("%d.png", k), bytes.NewReader(head), AsSeen)
			errs <- err
		}()
	}
	for range many {
		assert.ErrorContains(t, <-errs, "the picture is damaged")
	}
	runtime.ReadMemStats(&after)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(30<<20))
}

// A picture has its own lane: it waits for other pictures, never for a model; who has gone waits no more.
func TestALaneOfTheirOwn(t *testing.T) {
	a := room(t)
	for range cap(a.lane) {
		a.lane <- struct{}{}
	}
	ctx, cancel := context.WithTimeout(t.Context(), 50*time.Millisecond)
	defer cancel()
	_, err := a.Keep(ctx, "x.png", bytes.NewReader(plain(t, 8, 8)), AsSeen)
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	<-a.lane
	_, err = a.Keep(t.Context(), "x.png", bytes.NewReader(plain(t, 8, 8)), AsSeen)
	assert.NoError(t, err)
}

// The process apart is told of no program that it could start.
func TestApartThereIsNoPath(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"magick", "convert", "sh"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("#!/bin/sh\necho x >> "+filepath.Join(dir, "log")+"\n"), 0o755))
	}
	t.Setenv("PATH", dir)
	self, err := os.Executable()
	require.NoError(t, err)
	a := room(t, self)
	for _, data := range []string{"\x89PNG\r\n\x1a\n" + strings.Repeat("x", 90), "\xff\xd8\xff" + strings.Repeat("x", 90), "RIFF\x60\x00\x00\x00WEBP" + strings.Repeat("x", 90)} {
		_, err := a.Keep(t.Context(), "x", strings.NewReader(data), AsSeen)
		assert.ErrorContains(t, err, "It was not kept")
	}
	assert.NoFileExists(t, filepath.Join(dir, "log"))
}
