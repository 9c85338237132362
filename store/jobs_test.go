package store

import (
	"database/sql"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/studio"
)

func TestJobsGoInOrder(t *testing.T) {
	s := open(t)
	now := time.Date(2026, 5, 14, 7, 0, 0, 0, time.UTC)
	write(t, s, func(tx *Tx) {
		for _, kind := range []string{studio.JobAnalyse, studio.JobRead, studio.JobMend} {
			require.NoError(t, tx.AddJob(&studio.Job{Kind: kind, Batch: "b", Name: "x.stl", Who: "IK", At: now, Options: studio.JobOptions{Unit: "in"}}))
		}
		for _, want := range []string{studio.JobRead, studio.JobMend, studio.JobAnalyse} {
			j, err := tx.NextJob()
			require.NoError(t, err)
			assert.Equal(t, want, j.Kind, "analyses last: nobody waits for them")
			assert.Equal(t, studio.JobRunning, j.State)
			assert.Equal(t, "in", j.Options.Unit)
		}
		_, err := tx.NextJob()
		assert.ErrorIs(t, err, ErrNotFound)

		running, err := tx.MoveJob(2, 0.5, "measuring")
		require.NoError(t, err)
		assert.True(t, running)
		ended, err := tx.EndJob(2, studio.JobCancelled, "cancelled", 0)
		require.NoError(t, err)
		assert.True(t, ended)
		running, err = tx.MoveJob(2, 0.9, "late")
		require.NoError(t, err)
		assert.False(t, running, "a cancelled job is told so")
		ended, err = tx.EndJob(2, studio.JobDone, "", 0)
		require.NoError(t, err)
		assert.False(t, ended, "and cannot be done any more")

		require.NoError(t, tx.WakeJobs())
		j, err := tx.Job(3)
		require.NoError(t, err)
		assert.Equal(t, studio.JobWaiting, j.State, "what ran when the program ended waits again")
		require.NoError(t, tx.SweepJobs(now.Add(time.Hour)))
		_, err = tx.Job(2)
		assert.ErrorIs(t, err, ErrNotFound, "ended jobs are forgotten in time")
		_, err = tx.Job(3)
		assert.NoError(t, err, "open ones never")
	})
}

func TestShelfSearchTakesLettersAsTheyAre(t *testing.T) {
	s := open(t)
	now := time.Date(2026, 5, 14, 7, 0, 0, 0, time.UTC)
	write(t, s, func(tx *Tx) {
		for i, name := range []string{"Toad 100%", "Toad_under", "Heron"} {
			sha := string(rune('a'+i)) + "123456789012345678901234567890123456789012345678901234567890123"
			require.NoError(t, tx.AddFile(sha, 1, now))
			m := studio.Model{SHA: sha, Name: name + ".stl", At: now, Measures: mesh.Measures{Shells: 1}}
			require.NoError(t, tx.AddModel(&m, name))
			body := studio.Model{SHA: sha[1:] + "f", Name: "body", At: now, DesignID: m.DesignID, FromID: m.ID, How: studio.Body}
			require.NoError(t, tx.AddFile(body.SHA, 1, now))
			if i == 0 {
				require.NoError(t, tx.AddModel(&body, ""))
			}
		}
		names := func(letters string) (out []string) {
			list, err := tx.Shelf(letters)
			require.NoError(t, err)
			for _, d := range list {
				out = append(out, d.Name)
			}
			return out
		}
		assert.Equal(t, []string{"Heron", "Toad_under", "Toad 100%"}, names(""), "the newest first")
		assert.Equal(t, []string{"Toad 100%"}, names("100%"))
		assert.Equal(t, []string{"Toad_under"}, names("d_u"))
		assert.Empty(t, names("%%"))
		list, err := tx.Shelf("100")
		require.NoError(t, err)
		assert.Equal(t, "Toad 100%.stl", list[0].File, "a body does not stand for its design")
		assert.Equal(t, 2, list[0].Versions)
		found, err := tx.Find("toad")
		require.NoError(t, err)
		assert.Len(t, found, 2)
		assert.Equal(t, "model", found[0].Kind)

		dropped, err := tx.DropFile(list[0].Design.Name)
		require.NoError(t, err)
		assert.False(t, dropped)
		m, err := tx.Model(1)
		require.NoError(t, err)
		dropped, err = tx.DropFile(m.SHA)
		require.NoError(t, err)
		assert.False(t, dropped, "a file that a model is made of stays")
		require.NoError(t, tx.SaveAnalysis(1, studio.Analysis{Bodies: []studio.AnalysisBody{{Name: "a"}}}, now))
		ids, err := tx.Unanalysed()
		require.NoError(t, err)
		assert.NotContains(t, ids, int64(1))
	})
}

// A studio kept since before models had versions opens with a design for each model.
func TestAnOldStudioGetsDesigns(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "files"), 0o750))
	db, err := sql.Open("sqlite", dsn(dir, "immediate", "rwc"))
	require.NoError(t, err)
	sub, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	p, err := goose.NewProvider(goose.DialectSQLite3, db, sub)
	require.NoError(t, err)
	_, err = p.UpTo(t.Context(), 1)
	require.NoError(t, err)
	sha := strings.Repeat("a", 64)
	for _, q := range []string{
		`INSERT INTO files VALUES ('` + sha + `', 7, 1000)`,
		`INSERT INTO models VALUES (5, '` + sha + `', 'toad.stl', '{"triangles":12}', '{}', 2000)`,
		`INSERT INTO clients VALUES (1, 'Odile', '', '', '', '')`,
		`INSERT INTO orders (id, number, client_id, title, use, note, state, created_ms) VALUES (1, '0001', 1, 'Toads', '', '', 'enquiry', 1000)`,
		`INSERT INTO items (id, order_id, position, title, tier, copies, scale) VALUES (1, 1, 0, 'Toad', 'raw', 1, 1)`,
		`INSERT INTO parts VALUES (1, 1, 5, 'Toad', 1, 'resin', NULL, 0)`,
	} {
		_, err = db.Exec(q)
		require.NoError(t, err, q)
	}
	require.NoError(t, db.Close())

	s, err := Open(t.Context(), dir)
	require.NoError(t, err)
	defer s.Close()
	read(t, s, func(tx *Tx) {
		m, err := tx.Model(5)
		require.NoError(t, err)
		assert.Equal(t, studio.Sent, m.How)
		d, err := tx.Design(m.DesignID)
		require.NoError(t, err)
		assert.Equal(t, "toad.stl", d.Name)
		assert.Equal(t, int64(2000), d.Got.UnixMilli())
		c, err := tx.Client(1)
		require.NoError(t, err)
		assert.False(t, c.MayShow || c.MayShare, "nothing is permitted that was not asked")
		items, err := tx.Items(1)
		require.NoError(t, err)
		assert.Equal(t, int64(5), items[0].Parts[0].ModelID)
		assert.Empty(t, items[0].Rule.By)
		ids, err := tx.Unanalysed()
		require.NoError(t, err)
		assert.Equal(t, []int64{5}, ids, "and it will be looked at closely")
	})
}
