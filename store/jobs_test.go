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
	s := opened(t)
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

		require.NoError(t, tx.WakeJobs(2, "set aside"))
		j, err := tx.Job(3)
		require.NoError(t, err)
		assert.Equal(t, studio.JobWaiting, j.State, "what ran when the program ended waits again")
		_, err = tx.NextJob()
		require.NoError(t, err)
		require.NoError(t, tx.PutBackJob(3))
		_, err = tx.NextJob()
		require.NoError(t, err)
		require.NoError(t, tx.WakeJobs(2, "set aside"))
		j, err = tx.Job(3)
		require.NoError(t, err)
		assert.Equal(t, []string{studio.JobFailed, "set aside"}, []string{j.State, j.Note}, "begun twice, and each time the program ended")
		again, err := tx.RetryJob(3)
		require.NoError(t, err)
		assert.True(t, again)
		again, err = tx.RetryJob(3)
		require.NoError(t, err)
		assert.False(t, again)
		require.NoError(t, tx.SweepJobs(now.Add(time.Hour)))
		_, err = tx.Job(2)
		assert.ErrorIs(t, err, ErrNotFound, "ended jobs are forgotten in time")
		_, err = tx.Job(3)
		assert.NoError(t, err, "open ones never")
	})
}

func TestShelfSearchTakesLettersAsTheyAre(t *testing.T) {
	s := opened(t)
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
// folderOf is the data folder of an older version of the program, with rows in it.
func folderOf(t *testing.T, version int64, rows ...string) (dir string) {
	t.Helper()
	dir = t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "files"), 0o750))
	db, err := sql.Open("sqlite", dsn(dir, "immediate", "rwc"))
	require.NoError(t, err)
	sub, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	p, err := goose.NewProvider(goose.DialectSQLite3, db, sub)
	require.NoError(t, err)
	_, err = p.UpTo(t.Context(), version)
	require.NoError(t, err)
	for _, q := range append([]string{
		`INSERT INTO files VALUES ('` + strings.Repeat("a", 64) + `', 7, 1000)`,
		`INSERT INTO clients (id, name, email, phone, address, note) VALUES (1, 'Odile', '', '', '', '')`,
	}, rows...) {
		_, err = db.Exec(q)
		require.NoError(t, err, q)
	}
	require.NoError(t, db.Close())
	return dir
}

func TestAnOldStudioGetsDesigns(t *testing.T) {
	dir := folderOf(t, 1,
		`INSERT INTO models VALUES (5, '`+strings.Repeat("a", 64)+`', 'toad.stl', '{"triangles":12}', '{}', 2000)`,
		`INSERT INTO orders (id, number, client_id, title, use, note, state, created_ms) VALUES (1, '0001', 1, 'Toads', '', '', 'enquiry', 1000)`,
		`INSERT INTO items (id, order_id, position, title, tier, copies, scale) VALUES (1, 1, 0, 'Toad', 'raw', 1, 1)`,
		`INSERT INTO parts VALUES (1, 1, 5, 'Toad', 1, 'resin', NULL, 0)`)

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

// A data folder of the version before rooms comes up whole: what was renamed is read by its
// new name, what the old version had dropped of a plan is counted, and nothing dangles.
func TestTheFolderBeforeRooms(t *testing.T) {
	sha := strings.Repeat("a", 64)
	dir := folderOf(t, 3,
		`INSERT INTO people (id, name, initials, role, password_hash) VALUES (1, 'Ilse Karg', 'IK', 'owner', 'x')`,
		`INSERT INTO machines (id, name, process, figures) VALUES (1, 'Tarn', 'resin', '{}')`,
		`INSERT INTO materials (id, name, process, figures) VALUES (1, 'Grey', 'resin', '{}')`,
		`INSERT INTO designs (id, name, got_ms) VALUES (1, 'toad.stl', 2000)`,
		`INSERT INTO models (id, sha, name, measures, shape, at_ms, design_id) VALUES (5, '`+sha+`', 'toad.stl', '{"triangles":12}', '{}', 2000, 1)`,
		`INSERT INTO standings (id, model_id, process, facts, shape, taken, at_ms) VALUES (7, 5, 'resin', '{}', '{}', 1, 1)`,
		`INSERT INTO orders (id, number, client_id, title, use, note, state, created_ms) VALUES (1, '0001', 1, 'Toads', '', '', 'accepted', 1000)`,
		`INSERT INTO items (id, order_id, position, title, tier, copies, scale, making) VALUES (1, 1, 0, 'Toad', 'painted', 1, 1, '{"school":"putty"}')`,
		`INSERT INTO parts (id, item_id, model_id, name, copies, process, material_id, wall_mm, standing_id) VALUES (1, 1, 5, 'Toad', 1, 'resin', 1, 0, 7)`,
		`INSERT INTO payments (id, order_id, kind, amount_minor, currency, at_ms) VALUES (4, 1, 'deposit', 5000, 'EUR', 9)`,
		`INSERT INTO plates VALUES (1, 1, 1, 1, 'dissolved', 5), (2, 2, 1, 1, 'emptied', 6)`,
		`INSERT INTO pieces (id, code, order_id, item_id, part_id, name, process, material_id, scale, wall_mm, tier, state, standing_id) VALUES (1, '0001-1', 1, 1, 1, 'Toad', 'resin', 1, 1, 0, 'painted', 'bench', 7)`,
		`INSERT INTO plate_pieces (plate_id, piece_id, x_mm, y_mm, quarters, outcome) VALUES (2, 1, 10, 10, 0, 'good')`,
		`INSERT INTO stages (piece_id, position, kind, mark, planned_min, wait_s, repeat) VALUES (1, 0, 'print', 'done', 1, 0, 0), (1, 1, 'fill', 'done', 1, 0, 0), (1, 2, 'look', 'sent back', 1, 0, 0),
			(1, 3, 'fill', 'todo', 1, 0, 1), (1, 4, 'look', 'todo', 1, 0, 1), (1, 5, 'pack', 'todo', 1, 0, 0)`,
		`INSERT INTO jobs (id, kind, batch, model_id, sha, bytes, name, options, state, who, hand_id, at_ms) VALUES (9, 'study', 'b', 5, '`+sha+`', 7, 'toad.stl', '{}', 'waiting', 'Ilse', 1, 3)`,
		`INSERT INTO logbook (at_ms, person_id, who, deed, text, order_id) VALUES (1, 1, 'Ilse Karg', 'enquiry taken in', 'Toads', 1)`)
	s, err := Open(t.Context(), dir)
	require.NoError(t, err)
	defer s.Close()
	faults, err := s.Check(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []string{"files/" + sha + ": missing"}, faults, "the test laid none down; nothing else is amiss")
	read(t, s, func(tx *Tx) {
		items, err := tx.Items(1)
		require.NoError(t, err)
		assert.Equal(t, "putty", items[0].FinishRoute)
		assert.Equal(t, int64(7), items[0].Parts[0].OrientationID)
		paid, err := tx.Payments(1)
		require.NoError(t, err)
		require.Len(t, paid, 1)
		assert.Equal(t, studio.PaidDeposit, paid[0].Kind)
		plates, err := tx.Plates(studio.PlateDiscarded)
		require.NoError(t, err)
		assert.Len(t, plates, 1)
		pieces, err := tx.PiecesOf(1)
		require.NoError(t, err)
		assert.Equal(t, 2, pieces[0].Stages[2].Again, "the look's repeat can still be taken back")
		log, err := tx.LogOfOrder(1, 9)
		require.NoError(t, err)
		assert.Equal(t, "enquiry taken in", log[0].Event)
		job, err := tx.Job(9)
		require.NoError(t, err)
		assert.Equal(t, studio.JobAnalyse, job.Kind)
	})
	require.NoError(t, s.Write(t.Context(), func(tx *Tx) error { // ids go on, never back
		p := studio.Payment{OrderID: 1, Kind: studio.PaidRest, AmountMinor: 1, Currency: "EUR", At: time.UnixMilli(10)}
		if err := tx.AddPayment(&p); err != nil {
			return err
		}
		assert.Equal(t, int64(5), p.ID)
		return nil
	}))
}
