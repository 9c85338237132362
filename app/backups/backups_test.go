package backups_test

import (
	"context"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/backups"
	"sakuji/store"
)

func TestCopiesAreThinnedAsTheyAge(t *testing.T) {
	var list []backups.Copy
	begin := time.Date(2026, 5, 14, 3, 0, 0, 0, time.UTC)
	for day := range 400 { // one a day, newest first
		at := begin.AddDate(0, 0, -day)
		list = append(list, backups.Copy{Name: at.Format(time.DateOnly), At: at, Good: day%50 != 3})
	}
	gone := map[string]bool{}
	for _, c := range backups.Thinned(list, begin) {
		gone[c.Name] = true
	}
	var kept []string
	for _, c := range list {
		if !gone[c.Name] {
			kept = append(kept, c.Name)
		}
	}
	assert.Equal(t, []string{"2026-05-14", "2026-05-13", "2026-05-12", "2026-05-10", "2026-05-09", "2026-05-08", "2026-05-07", // days, the incomplete one left out
		"2026-05-03", "2026-04-30", "2026-04-26", "2026-03-31", // weeks end on Sundays, months on their last days: that of January is incomplete
		"2026-02-28", "2026-01-30", "2025-12-31", "2025-11-30", "2025-10-31", "2025-09-30", "2025-08-31", "2025-07-31", "2025-06-30"}, kept)
	assert.Empty(t, backups.Thinned(nil, begin))
	assert.Empty(t, backups.Thinned(list[3:4], begin), "an incomplete one is better than none")
}

func TestACopyADay(t *testing.T) {
	s := apptest.New(t)
	s.Order(1, "raw")
	room := s.Backups
	state, err := room.State()
	require.NoError(t, err)
	assert.Empty(t, state.Dir, "none until a folder is named")
	sheet := func() (titles []string) {
		today, err := s.Today.Today(s.Ctx)
		require.NoError(t, err)
		for _, task := range today.Tasks {
			titles = append(titles, task.Title)
		}
		return titles
	}
	room.Dir = filepath.Join(t.TempDir(), "second", "folder")
	assert.NotContains(t, sheet(), "The studio has no good backup", "the first is on its way")
	name, faults, err := room.Make(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
	lost, err := store.Restore(s.Ctx, name, filepath.Join(t.TempDir(), "back"), false)
	require.NoError(t, err)
	assert.Empty(t, lost)
	require.NoError(t, os.WriteFile(filepath.Join(room.Dir, "holiday.tgz"), []byte("mine"), 0o600))
	state, err = room.State()
	require.NoError(t, err)
	require.Len(t, state.Copies, 1, "other files are not ours")
	assert.Equal(t, s.Clock.At.Truncate(time.Second), state.Last().At)
	assert.NotContains(t, sheet(), "The last good backup is old")
	s.Clock.Pass(backups.Late)
	assert.Contains(t, sheet(), "The last good backup is old")

	// A model file is gone: the copy is made, told, and does not count.
	names, err := filepath.Glob(filepath.Join(s.Dir, "files", "*"))
	require.NoError(t, err)
	require.NotEmpty(t, names)
	require.NoError(t, os.Rename(names[0], names[0]+".away"))
	name, faults, err = room.Make(s.Ctx)
	require.NoError(t, err)
	assert.Len(t, faults, 1)
	assert.FileExists(t, name)
	state, err = room.State()
	require.NoError(t, err)
	require.Len(t, state.Copies, 2)
	assert.Equal(t, s.Clock.At.Add(-backups.Late).Truncate(time.Second), state.Last().At)
	assert.Contains(t, state.Trouble, "missing")
	require.NoError(t, os.Rename(names[0]+".away", names[0]))
	s.Clock.Pass(time.Minute)
	_, _, err = room.Make(s.Ctx)
	require.NoError(t, err)
	state, err = room.State()
	require.NoError(t, err)
	assert.Len(t, state.Copies, 2, "the incomplete one has gone")
	assert.Empty(t, state.Trouble)
	assert.FileExists(t, filepath.Join(room.Dir, "holiday.tgz"))

	// Nowhere to write.
	room.Dir = filepath.Join(room.Dir, "holiday.tgz")
	_, _, err = room.Make(s.Ctx)
	require.Error(t, err)
	assert.Contains(t, sheet(), "The studio has no good backup")
}

func TestCopiesAreMadeByThemselves(t *testing.T) {
	s := apptest.New(t)
	room := s.Backups
	room.Dir = t.TempDir()
	left := filepath.Join(room.Dir, ".backup-1234")
	require.NoError(t, os.Mkdir(left, 0o700))
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { room.Work(ctx, slog.New(slog.DiscardHandler)); close(done) }()
	copies := func(n int) func() bool {
		return func() bool {
			state, err := room.State()
			return err == nil && len(state.Copies) == n && state.Last().Good
		}
	}
	require.Eventually(t, copies(1), 3*time.Minute, 20*time.Millisecond)
	assert.NoDirExists(t, left, "of an earlier life")
	room.Ask()
	stop()
	<-done
}

func TestOneServesAStudio(t *testing.T) {
	s := apptest.New(t)
	assert.False(t, s.Store.Served())
	free, err := store.Serve(s.Dir)
	require.NoError(t, err)
	other, err := store.Open(s.Ctx, s.Dir)
	require.NoError(t, err)
	defer other.Close()
	_, err = store.Serve(s.Dir)
	require.ErrorIs(t, err, store.ErrServed)
	assert.True(t, other.Served())
	require.NoError(t, free())
	assert.False(t, other.Served())
	again, err := store.Serve(s.Dir)
	require.NoError(t, errors.Join(err, again()))
}
