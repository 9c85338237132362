package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/route"
	"sakuji/studio"
)

var now = time.Date(2026, 5, 14, 7, 0, 0, 123e6, time.UTC)

func opened(t *testing.T) *Store {
	t.Helper()
	s, err := Open(t.Context(), t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

// order saves a client and an order.
func order(t *testing.T, tx *Tx, number string) studio.Order {
	t.Helper()
	c := studio.Client{Name: "Moth Post Guild", Address: "The Attic"}
	require.NoError(t, tx.SaveClient(&c))
	o := studio.Order{Number: number, ClientID: c.ID, Title: "Snails", Use: "gaming", State: studio.Enquiry, Created: now}
	require.NoError(t, tx.SaveOrder(&o))
	return o
}

func write(t *testing.T, s *Store, f func(*Tx)) {
	t.Helper()
	require.NoError(t, s.Write(t.Context(), func(tx *Tx) error { f(tx); return nil }))
}

func read(t *testing.T, s *Store, f func(*Tx)) {
	t.Helper()
	require.NoError(t, s.Read(t.Context(), func(tx *Tx) error { f(tx); return nil }))
}

func TestWhatIsSavedComesBack(t *testing.T) {
	s := opened(t)
	var o studio.Order
	write(t, s, func(tx *Tx) {
		o = order(t, tx, "0001")
		o.Wanted, o.BudgetMinor, o.Note = now.AddDate(0, 0, 9), 12_345, "quick"
		require.NoError(t, tx.SaveOrder(&o))
	})
	read(t, s, func(tx *Tx) {
		got, err := tx.Order("0001")
		require.NoError(t, err)
		o.Client = "Moth Post Guild"
		assert.Equal(t, o, got)
		assert.True(t, got.Accepted.IsZero(), "no time is no time, not 1970")
		_, err = tx.Order("0002")
		require.ErrorIs(t, err, ErrNotFound)
		_, err = tx.Studio()
		require.ErrorIs(t, err, ErrNotFound)
	})
}

func TestAnErrorKeepsNothing(t *testing.T) {
	s := opened(t)
	boom := errors.New("the glue ran out")
	err := s.Write(t.Context(), func(tx *Tx) error {
		order(t, tx, "0001")
		return boom
	})
	require.ErrorIs(t, err, boom)
	read(t, s, func(tx *Tx) {
		list, err := tx.Orders()
		require.NoError(t, err)
		assert.Empty(t, list)
	})
}

func TestReadersCannotWrite(t *testing.T) {
	s := opened(t)
	err := s.Read(t.Context(), func(tx *Tx) error { return tx.SaveClient(&studio.Client{Name: "X"}) })
	require.Error(t, err)
}

func TestTheLogbookIsAppendOnly(t *testing.T) {
	s := opened(t)
	write(t, s, func(tx *Tx) {
		require.NoError(t, tx.Log(studio.Entry{At: now, Who: "IK", Event: "stamped", Text: "x"}))
	})
	for _, q := range []string{`UPDATE logbook SET who = 'nobody'`, `DELETE FROM logbook`} {
		err := s.Write(t.Context(), func(tx *Tx) error { return tx.exec(q) })
		require.ErrorContains(t, err, "append only", q)
	}
	read(t, s, func(tx *Tx) {
		list, err := tx.Logbook(0, 10)
		require.NoError(t, err)
		require.Len(t, list, 1)
		assert.Equal(t, now, list[0].At, "to the millisecond")
	})
}

func TestClosedSetsAndReferencesAreKept(t *testing.T) {
	s := opened(t)
	write(t, s, func(tx *Tx) { order(t, tx, "0001") })
	for q, why := range map[string]string{
		`UPDATE orders SET state = 'lost'`: "changing orders: constraint failed: CHECK constraint failed: state IN",
		`UPDATE orders SET client_id = 99`: "changing orders: constraint failed: FOREIGN KEY constraint failed",
		`INSERT INTO people (name, initials, role, password_hash) VALUES ('A', 'A', 'king', '')`: "adding to people: constraint failed: CHECK constraint failed: role IN",
		`UPDATE orders SET created_ms = 'yesterday'`:                                             "cannot store TEXT value in INTEGER column orders.created_ms",
		`INSERT INTO machines (name, process, figures) VALUES ('A', 'resin', '{')`:               "CHECK constraint failed: json_valid(figures)",
		`INSERT INTO studio (id, name, address, email, tax_number, currency, tax_percent, time_zone, public_url, first_order) VALUES (2, '', '', '', '', 'EUR', 0, '', '', 1)`: "CHECK constraint failed: id = 1",
		`INSERT INTO orders (number, client_id, title, use, note, state, created_ms) SELECT number, client_id, title, use, note, state, created_ms FROM orders`:                "UNIQUE constraint failed: orders.number",
	} {
		assert.ErrorContains(t, s.Write(t.Context(), func(tx *Tx) error { return tx.exec(q) }), why)
	}
}

// Which processes there are is the program's to say, not the database's; none is nothing, and the tables are sound.
func TestAnyProcessIsKept(t *testing.T) {
	s := opened(t)
	foam, none := studio.Material{Name: "Blue foam", Process: "foam", Active: true}, studio.Material{Name: "Nothing"}
	require.NoError(t, s.Write(t.Context(), func(tx *Tx) error { return tx.SaveMaterial(&foam) }))
	assert.Error(t, s.Write(t.Context(), func(tx *Tx) error { return tx.SaveMaterial(&none) }))
	require.NoError(t, s.Read(t.Context(), func(tx *Tx) error {
		all, err := tx.Materials()
		require.Len(t, all, 1)
		assert.Equal(t, "foam", all[0].Process)
		return err
	}))
	damage, err := s.Check(t.Context())
	require.NoError(t, err)
	assert.Empty(t, damage)
}

func TestOpeningAgainKeepsEverything(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(t.Context(), dir)
	require.NoError(t, err)
	write(t, s, func(tx *Tx) { order(t, tx, "0001") })
	require.NoError(t, s.Close())
	s, err = Open(t.Context(), dir)
	require.NoError(t, err)
	defer s.Close()
	read(t, s, func(tx *Tx) {
		_, err := tx.Order("0001")
		require.NoError(t, err)
	})
	var mode string
	require.NoError(t, s.write.QueryRow(`PRAGMA journal_mode`).Scan(&mode))
	assert.Equal(t, "wal", mode)
	for pragma, want := range map[string]int{"synchronous": 2, "foreign_keys": 1, "busy_timeout": 5000} {
		var got int
		require.NoError(t, s.write.QueryRow(`PRAGMA `+pragma).Scan(&got))
		assert.Equal(t, want, got, pragma)
	}
}

// Many hands at once: every write is kept, none meets a locked database.
func TestManyHandsAtOnce(t *testing.T) {
	s := opened(t)
	var wait sync.WaitGroup
	for range 8 {
		wait.Go(func() {
			for range 10 {
				assert.NoError(t, s.Write(t.Context(), func(tx *Tx) error { return tx.SaveClient(&studio.Client{Name: "C"}) }))
				assert.NoError(t, s.Read(t.Context(), func(tx *Tx) error { _, err := tx.Clients(); return err }))
			}
		})
	}
	wait.Wait()
	read(t, s, func(tx *Tx) {
		list, err := tx.Clients()
		require.NoError(t, err)
		assert.Len(t, list, 80)
	})
}

func TestFilesByTheirContents(t *testing.T) {
	s := opened(t)
	sha, n, err := s.Keep(strings.NewReader("a small model"), 100)
	require.NoError(t, err)
	assert.EqualValues(t, 13, n)
	again, _, err := s.Keep(strings.NewReader("a small model"), 100)
	require.NoError(t, err)
	assert.Equal(t, sha, again)
	_, _, err = s.Keep(strings.NewReader(strings.Repeat("x", 101)), 100)
	require.ErrorIs(t, err, ErrTooLarge)
	_, _, err = s.Keep(&breaking{}, 100)
	require.ErrorIs(t, err, errBroke)
	left, err := os.ReadDir(filepath.Join(s.dir, "files"))
	require.NoError(t, err)
	require.Len(t, left, 1, "what broke off leaves nothing behind")
	f, err := s.File(sha)
	require.NoError(t, err)
	defer f.Close()
	var b bytes.Buffer
	_, err = b.ReadFrom(f)
	require.NoError(t, err)
	assert.Equal(t, "a small model", b.String())
	for _, bad := range []string{"", "../" + DatabaseName, strings.Repeat("/", 64), strings.Repeat("0", 64)} {
		_, err := s.File(bad)
		require.ErrorIs(t, err, ErrNotFound, bad)
	}
	require.NoError(t, s.Forget(t.Context(), sha))
	require.NoError(t, s.Forget(t.Context(), sha), "it was brought twice")
	_, err = s.File(sha)
	require.ErrorIs(t, err, ErrNotFound)
}

var errBroke = errors.New("the line broke")

// breaking gives a few bytes and then an error.
type breaking struct{ given bool }

func (b *breaking) Read(p []byte) (int, error) {
	if b.given {
		return 0, errBroke
	}
	b.given = true
	return copy(p, "half of it"), nil
}

// kept adds a file with its row.
func kept(t *testing.T, s *Store, text string) string {
	t.Helper()
	sha, n, err := s.Keep(strings.NewReader(text), 1000)
	require.NoError(t, err)
	write(t, s, func(tx *Tx) { require.NoError(t, tx.AddFile(sha, n, now)) })
	require.NoError(t, s.Forget(t.Context(), sha), "a file with a row stays")
	return sha
}

func TestCheckFindsDamage(t *testing.T) {
	s := opened(t)
	whole, changed, gone := kept(t, s, "whole"), kept(t, s, "changed"), kept(t, s, "gone")
	faults, err := s.Check(t.Context())
	require.NoError(t, err)
	assert.Empty(t, faults)
	require.NoError(t, os.Chmod(s.path(changed), 0o600))
	require.NoError(t, os.WriteFile(s.path(changed), []byte("tampered"), 0o600))
	require.NoError(t, os.Remove(s.path(gone)))
	faults, err = s.Check(t.Context())
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"files/" + changed + ": its contents have changed", "files/" + gone + ": missing"}, faults)
	assert.NotContains(t, strings.Join(faults, " "), whole)
}

func backup(t *testing.T, s *Store, name string) {
	t.Helper()
	faults, err := s.Backup(t.Context(), name)
	require.NoError(t, err)
	require.Empty(t, faults)
}

func restore(t *testing.T, name, dir string) {
	t.Helper()
	lost, err := Restore(t.Context(), name, dir, false)
	require.NoError(t, err)
	require.Empty(t, lost)
}

// A backup says what is missing or damaged and holds the rest; of it, and of one that is cut
// off, what can be saved is brought back when it is asked for, and what is lost is listed.
func TestWhatIsDamagedIsTold(t *testing.T) {
	s := opened(t)
	whole, gone, changed := kept(t, s, "a model worth keeping"), kept(t, s, "one that goes"), kept(t, s, "one that rots")
	require.NoError(t, os.Remove(s.path(gone)))
	require.NoError(t, os.WriteFile(s.path(changed), []byte("one that rOts"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "files", strings.Repeat("e", 64)), []byte("left by an upload that was broken off"), 0o600))
	out := filepath.Join(t.TempDir(), "b")
	faults, err := s.Backup(t.Context(), out)
	require.NoError(t, err)
	want := []string{"files/" + gone + ": missing", "files/" + changed + ": its contents have changed"}
	assert.ElementsMatch(t, want, faults)
	_, err = Restore(t.Context(), out, filepath.Join(t.TempDir(), "r"), false)
	assert.ErrorContains(t, err, "damaged and was not restored")
	dir := filepath.Join(t.TempDir(), "r")
	lost, err := Restore(t.Context(), out, dir, true)
	require.NoError(t, err)
	assert.ElementsMatch(t, want, lost)
	r, err := Open(t.Context(), dir)
	require.NoError(t, err)
	defer r.Close()
	f, err := r.File(whole)
	require.NoError(t, err)
	f.Close()

	data, err := os.ReadFile(out)
	require.NoError(t, err)
	cut := filepath.Join(t.TempDir(), "cut")
	require.NoError(t, os.WriteFile(cut, data[:len(data)-1100], 0o600))
	lost, err = Restore(t.Context(), cut, filepath.Join(t.TempDir(), "r"), true)
	require.NoError(t, err)
	assert.Contains(t, lost[0], "it ends too early")
}

// One byte that is flipped costs the file it is in, and no other; wherever it is, what is left is brought back and what is
// lost is named.
func TestAFlippedByteCostsOneFile(t *testing.T) {
	s := opened(t)
	var shas []string
	for k := range 12 {
		sha, n, err := s.Keep(strings.NewReader(strings.Repeat(fmt.Sprintf("model %d ", k), 200+50*k)), 1<<20)
		require.NoError(t, err)
		write(t, s, func(tx *Tx) { require.NoError(t, tx.AddFile(sha, n, now)) })
		shas = append(shas, sha)
	}
	out := filepath.Join(t.TempDir(), "b")
	backup(t, s, out)
	data, err := os.ReadFile(out)
	require.NoError(t, err)
	begin := bytes.Index(data, []byte("files/")) // behind the database
	require.Positive(t, begin)
	for at := begin; at < len(data)-2*block; at += 97 {
		spoilt := slices.Clone(data)
		spoilt[at] ^= 0x10
		in := filepath.Join(t.TempDir(), "b")
		require.NoError(t, os.WriteFile(in, spoilt, 0o600))
		there := map[string]bool{}
		fault := eachPacked(in, func(entry string, r io.Reader) error {
			h := sha256.New()
			if _, err := io.Copy(h, r); err != nil {
				return err
			}
			there[strings.TrimPrefix(entry, "files/")] = entry == DatabaseName || hex.EncodeToString(h.Sum(nil)) == strings.TrimPrefix(entry, "files/")
			return nil
		})
		whole := 0
		for _, sha := range shas {
			if there[sha] {
				whole++
			}
		}
		require.GreaterOrEqual(t, whole, len(shas)-1, "byte %d", at)
		if whole < len(shas) {
			require.Error(t, fault, "byte %d: what is lost is told", at)
		}
	}
	spoilt := slices.Clone(data)
	spoilt[begin+block+20] ^= 0xff
	in := filepath.Join(t.TempDir(), "b")
	require.NoError(t, os.WriteFile(in, spoilt, 0o600))
	_, err = Restore(t.Context(), in, filepath.Join(t.TempDir(), "r"), false)
	require.Error(t, err)
	lost, err := Restore(t.Context(), in, filepath.Join(t.TempDir(), "r"), true)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(lost, "\n"), ": missing")
}

// A folder that a newer program has served is refused, by the name of the one that takes it, and nothing of it is changed;
// one of an older program is backed up before it is brought up to date.
func TestNewerAndOlderFolders(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(t.Context(), dir)
	require.NoError(t, err)
	assert.Nil(t, s.Upgrade, "a new one")
	for _, statement := range []string{`INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, 1)`, `INSERT INTO programs (version, schema, first_ms) VALUES ('7.3.0', 9999, 1)`} {
		_, err = s.write.Exec(statement)
		require.NoError(t, err)
	}
	require.NoError(t, s.Close())
	_, err = Open(t.Context(), dir)
	require.ErrorIs(t, err, ErrNewer)
	assert.ErrorContains(t, err, "Serve it with Sakuji 7.3.0, or a later one. Nothing was changed")

	old := folderOf(t, 36)
	s, err = Open(t.Context(), old)
	require.NoError(t, err)
	require.NotNil(t, s.Upgrade)
	require.NoError(t, s.Close())
	assert.EqualValues(t, 36, s.Upgrade.From)
	assert.Contains(t, s.Upgrade.String(), ": missing", "what was amiss before is told")
	before := filepath.Join(t.TempDir(), "before")
	lost, err := Restore(t.Context(), s.Upgrade.Backup, before, true)
	require.NoError(t, err)
	assert.Len(t, lost, 1, "the file that was missing before")
	s, err = Open(t.Context(), old)
	require.NoError(t, err)
	assert.Nil(t, s.Upgrade, "once")
	require.NoError(t, s.Close())
}

// SQLite's own program checks the database.
func TestSQLiteAloneChecksIt(t *testing.T) {
	s := opened(t)
	rows, err := s.read.Query(`SELECT name, coalesce(sql, '') FROM sqlite_master WHERE type IN ('index', 'table', 'view')`)
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var name, text string
		require.NoError(t, rows.Scan(&name, &text))
		assert.NotContains(t, text, "folded(", "%s: a function of ours, which that program does not have", name)
	}
	require.NoError(t, rows.Err())
}

func TestBackupAndRestore(t *testing.T) {
	s := opened(t)
	sha := kept(t, s, "a model worth keeping")
	write(t, s, func(tx *Tx) { order(t, tx, "0001") })
	out := filepath.Join(t.TempDir(), "studio.backup")
	backup(t, s, out)
	_, err := s.Backup(t.Context(), out)
	require.ErrorContains(t, err, "exists already", "nothing is overwritten")
	write(t, s, func(tx *Tx) { order(t, tx, "0002") })

	dir := filepath.Join(t.TempDir(), "new")
	restore(t, out, dir)
	r, err := Open(t.Context(), dir)
	require.NoError(t, err)
	defer r.Close()
	read(t, r, func(tx *Tx) {
		_, err := tx.Order("0001")
		require.NoError(t, err)
		_, err = tx.Order("0002")
		require.ErrorIs(t, err, ErrNotFound, "as of the moment of the backup")
	})
	f, err := r.File(sha)
	require.NoError(t, err)
	f.Close()
	_, err = Restore(t.Context(), out, dir, false)
	require.ErrorContains(t, err, "is not empty")

	data, err := os.ReadFile(out)
	require.NoError(t, err)
	half := filepath.Join(t.TempDir(), "half")
	require.NoError(t, os.WriteFile(half, data[:len(data)/2], 0o600))
	into := filepath.Join(t.TempDir(), "into")
	_, err = Restore(t.Context(), half, into, false)
	require.Error(t, err)
	_, err = os.Stat(into)
	require.ErrorIs(t, err, os.ErrNotExist, "a broken backup restores nothing")
	scratch, err := filepath.Glob(filepath.Join(filepath.Dir(into), ".restore-*"))
	require.NoError(t, err)
	assert.Empty(t, scratch)
}

// A backup taken while hands are writing is whole.
func TestBackupWhileServing(t *testing.T) {
	s := opened(t)
	ctx, stop := context.WithCancel(t.Context())
	var wait sync.WaitGroup
	wait.Go(func() {
		for ctx.Err() == nil {
			s.Write(t.Context(), func(tx *Tx) error { return tx.SaveClient(&studio.Client{Name: "C"}) }) //nolint:errcheck // checked by the count below
		}
	})
	for i := range 3 {
		out := filepath.Join(t.TempDir(), "b")
		backup(t, s, out)
		restore(t, out, filepath.Join(t.TempDir(), fmt.Sprint("r", i)))
	}
	stop()
	wait.Wait()
}

func TestPiecesWithTheirStages(t *testing.T) {
	s := opened(t)
	var p studio.Piece
	write(t, s, func(tx *Tx) {
		o := order(t, tx, "0001")
		sha := strings.Repeat("a", 64)
		require.NoError(t, tx.AddFile(sha, 1, now))
		m := studio.Model{SHA: sha, Name: "m.stl", At: now}
		require.NoError(t, tx.AddModel(&m, "Vase"))
		mat := studio.Material{Name: "Grey", Process: "resin", Active: true}
		require.NoError(t, tx.SaveMaterial(&mat))
		it := studio.Item{OrderID: o.ID, Title: "Snail", Tier: route.Raw, Copies: 2, Scale: 1, Parts: []studio.Part{{ModelID: m.ID, Name: "snail", Copies: 1, Process: "resin", MaterialID: mat.ID}}}
		require.NoError(t, tx.SaveItem(&it))
		p = studio.Piece{Code: "0001-1", Kind: studio.KindPrint, OrderID: o.ID, ItemID: it.ID, PartID: it.Parts[0].ID, ModelID: it.Parts[0].ModelID, Name: "Snail", Process: "resin", MaterialID: mat.ID, Scale: 1, Tier: route.Raw, Attempt: 1, State: studio.AtBench}
		for _, k := range []route.StageKind{route.Print, route.Wash, route.RemoveSupports, route.Cure, route.Pack} {
			p.Stages = append(p.Stages, studio.Stage{Stage: route.Stage{Kind: k, Mark: route.Todo, PlannedMin: 4, WaitS: 60}})
		}
		p.Stages[0].Mark, p.Stages[0].Done, p.Stages[0].Minutes, p.Stages[0].Until = route.Done, now, 5.5, now.Add(time.Minute)
		require.NoError(t, tx.AddPiece(&p))
	})
	read(t, s, func(tx *Tx) {
		got, err := tx.Piece("0001-1")
		require.NoError(t, err)
		assert.Equal(t, p, got)
		for _, list := range []func() ([]studio.Piece, error){
			func() ([]studio.Piece, error) { return tx.PiecesOf(p.OrderID) },
			func() ([]studio.Piece, error) { return tx.PiecesIn(studio.Waiting, studio.AtBench) },
		} {
			pieces, err := list()
			require.NoError(t, err)
			require.Len(t, pieces, 1)
			assert.Equal(t, p.Stages, pieces[0].Stages)
		}
		none, err := tx.PiecesIn(studio.Scrapped)
		require.NoError(t, err)
		assert.Empty(t, none)
		ended, err := tx.WaitsSince(now)
		require.NoError(t, err)
		require.Len(t, ended, 1)
		assert.Equal(t, p.Stages[ended[0].Position], ended[0])
		items, err := tx.Items(p.OrderID)
		require.NoError(t, err)
		assert.Equal(t, "m.stl", items[0].Parts[0].Model.Name)
	})
	write(t, s, func(tx *Tx) { require.NoError(t, tx.RemoveItem(p.ItemID)) })
	read(t, s, func(tx *Tx) {
		items, err := tx.Items(p.OrderID)
		require.NoError(t, err)
		assert.Empty(t, items)
		_, err = tx.Piece("0001-1")
		require.NoError(t, err, "pieces outlive their item")
	})
}

// An error names what was being done, and on what.
func TestErrorsNameWhatWasDone(t *testing.T) {
	s := opened(t)
	read(t, s, func(tx *Tx) {
		_, err := tx.Order("0408")
		assert.ErrorIs(t, err, ErrNotFound)
		assert.EqualError(t, err, "reading orders 0408: not found")
		_, err = tx.Piece("0408-1")
		assert.ErrorIs(t, err, ErrNotFound)
		assert.Contains(t, err.Error(), "reading pieces 0408-1")
	})
	broken := doing("INSERT INTO files VALUES (?, ?, ?)", []any{strings.Repeat("a", 64), 7, 8}, errors.New("disk full"))
	assert.EqualError(t, broken, "adding to files "+strings.Repeat("a", 40)+"… 7 …: disk full")
	assert.EqualError(t, doing("PRAGMA x", nil, errors.New("no")), "asking the database: no")
}

// Looking changes nothing, also where nobody may write; what was left behind is named, and
// swept before anything is served.
func TestLookingChangesNothing(t *testing.T) {
	s := opened(t)
	sha := kept(t, s, "a model worth keeping")
	dir := s.dir
	loose := filepath.Join("files", strings.Repeat("e", 64))
	require.NoError(t, os.WriteFile(filepath.Join(dir, loose), []byte("x"), 0o600))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "files", ".new-1"), 0o700))
	require.NoError(t, s.Close())
	before, err := os.ReadFile(filepath.Join(dir, DatabaseName))
	require.NoError(t, err)
	for _, mode := range []os.FileMode{0o500, 0o750} {
		require.NoError(t, os.Chmod(dir, mode))
		l, err := OpenToLook(t.Context(), dir)
		require.NoError(t, err)
		faults, err := l.Check(t.Context())
		require.NoError(t, err)
		assert.Empty(t, faults)
		names, err := l.Loose(t.Context())
		require.NoError(t, err)
		assert.Equal(t, []string{loose}, names)
		assert.Len(t, l.LeftOver(), 1)
		out := filepath.Join(t.TempDir(), "b")
		faults, err = l.Backup(t.Context(), out)
		require.NoError(t, err)
		assert.Empty(t, faults)
		sums, err := sumsOf(out)
		require.NoError(t, err)
		assert.Contains(t, sums, "files/"+sha)
		assert.NotContains(t, sums, loose, "nothing refers to it")
		assert.Error(t, l.Write(t.Context(), func(tx *Tx) error { return tx.SaveClient(&studio.Client{Name: "C"}) }))
		require.NoError(t, l.Close())
	}
	after, err := os.ReadFile(filepath.Join(dir, DatabaseName))
	require.NoError(t, err)
	assert.True(t, bytes.Equal(before, after))
	again, err := Open(t.Context(), dir)
	require.NoError(t, err)
	defer again.Close()
	require.NoError(t, again.Sweep())
	assert.Empty(t, again.LeftOver())

	old := folderOf(t, 3)
	l, err := OpenToLook(t.Context(), old)
	require.NoError(t, err)
	defer l.Close()
	read(t, l, func(tx *Tx) {
		tables, err := rows[string](tx, `SELECT name FROM sqlite_master WHERE name = 'standings'`)
		require.NoError(t, err)
		assert.Len(t, tables, 1, "it is not brought up to date")
	})
}

// Two bring the same file, and one of them breaks off: the other's stays.
func TestTheSameFileTwiceAtOnce(t *testing.T) {
	s := opened(t)
	bring := func() string {
		sha, _, err := s.Keep(strings.NewReader("a model worth keeping"), 1<<20)
		require.NoError(t, err)
		return sha
	}
	there := func(sha string) bool {
		f, err := s.File(sha)
		if err == nil {
			f.Close()
		}
		return err == nil
	}
	sha := bring()
	require.Equal(t, sha, bring())
	require.NoError(t, s.Forget(t.Context(), sha))
	assert.True(t, there(sha), "somebody else has brought it, too")
	write(t, s, func(tx *Tx) { require.NoError(t, tx.AddFile(sha, 21, time.Now())) })
	require.NoError(t, s.Forget(t.Context(), sha))
	assert.True(t, there(sha), "it is known now")
	write(t, s, func(tx *Tx) {
		dropped, err := tx.DropFile(sha)
		require.NoError(t, err)
		assert.True(t, dropped)
	})
	require.NoError(t, s.Forget(t.Context(), sha))
	assert.False(t, there(sha))
	sha = bring()
	require.NoError(t, s.Forget(t.Context(), sha))
	assert.False(t, there(sha), "nobody wants it")
}

// Whatever points at a row of a table that grows is found through an index.
func TestWhatPointsIsFound(t *testing.T) {
	s := opened(t)
	rows, err := s.read.Query(`SELECT m.name || '.' || f."from" FROM sqlite_master m, pragma_foreign_key_list(m.name) f
		WHERE m.type = 'table' AND f."table" NOT IN ('people', 'machines', 'materials')
			AND NOT EXISTS (SELECT 1 FROM pragma_index_list(m.name) l, pragma_index_info(l.name) i WHERE i.seqno = 0 AND i.name = f."from")
			AND NOT EXISTS (SELECT 1 FROM pragma_table_info(m.name) c WHERE c.name = f."from" AND c.pk = 1)`)
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var name string
		require.NoError(t, rows.Scan(&name))
		assert.Fail(t, "no index", name)
	}
	require.NoError(t, rows.Err())
	var detail string
	var id, parent, unused int
	require.NoError(t, s.read.QueryRow(`EXPLAIN QUERY PLAN SELECT state, count(*) FROM pieces WHERE part_id = 1 GROUP BY state`).Scan(&id, &parent, &unused, &detail))
	assert.Contains(t, detail, "pieces_by_part", "of which a model's sheet asks for each of its uses")
}
