package store

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/studio"
)

// Of a database with a damaged page a backup holds what can be read, whole in itself, and says
// what is lost; one that is damaged at its head holds nothing, and says that.
func TestADamagedPage(t *testing.T) {
	s := opened(t)
	write(t, s, func(tx *Tx) {
		for i := range 400 {
			o := order(t, tx, fmt.Sprintf("%04d", i+1))
			require.NoError(t, tx.SavePoint(&studio.Point{OrderID: o.ID, Kind: studio.Asked, At: now, Text: strings.Repeat("Which blue? ", 20)}))
			require.NoError(t, tx.Log(studio.Entry{At: now, Who: "Ilse", Event: "order", Text: fmt.Sprint("note ", i), OrderID: o.ID}))
		}
	})
	sha := kept(t, s, "a model worth keeping")
	_, err := s.write.ExecContext(t.Context(), `PRAGMA wal_checkpoint(TRUNCATE)`)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	name := filepath.Join(s.dir, DatabaseName)
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	spoilt := bytes.Clone(data)
	at := bytes.LastIndex(spoilt, []byte("Snails")) // a page of orders
	require.Positive(t, at)
	page := at / 4096 * 4096
	for i := range 4096 {
		spoilt[page+i] = 0xee
	}
	require.NoError(t, os.WriteFile(name, spoilt, 0o600))

	l, err := OpenToLook(t.Context(), s.dir)
	require.NoError(t, err)
	defer l.Close()
	found, err := l.Check(t.Context())
	assert.True(t, err != nil || len(found) > 0, "check sees it")
	out := filepath.Join(t.TempDir(), "b")
	faults, err := l.Backup(t.Context(), out)
	require.NoError(t, err)
	told := strings.Join(faults, "\n")
	assert.Contains(t, told, "sakuji.db is damaged: what could be read of it is in the backup")
	assert.Regexp(t, `orders: \d+ rows could be read, others not`, told)
	assert.Regexp(t, `points: \d+ rows stood on others that are lost`, told)
	dir := filepath.Join(t.TempDir(), "r")
	restore(t, out, dir)
	r, err := Open(t.Context(), dir)
	require.NoError(t, err)
	defer r.Close()
	read(t, r, func(tx *Tx) {
		clients, err := tx.Clients()
		require.NoError(t, err)
		assert.Len(t, clients, 400, "what stands on other pages is all there")
		orders, err := tx.Orders()
		require.NoError(t, err)
		assert.Greater(t, len(orders), 300)
		assert.Less(t, len(orders), 400)
		for _, o := range orders {
			points, err := tx.Points(o.ID)
			require.NoError(t, err)
			assert.Len(t, points, 1, o.Number)
		}
		lines, err := tx.Logbook(0, 1000)
		require.NoError(t, err)
		assert.Len(t, lines, 400, "the logbook keeps its lines")
	})
	require.Error(t, r.Write(t.Context(), func(tx *Tx) error { return tx.exec(`DELETE FROM logbook`) }), "and stays append only")
	f, err := r.File(sha)
	require.NoError(t, err)
	f.Close()

	copy(spoilt, bytes.Repeat([]byte{0xee}, 4096))
	require.NoError(t, os.WriteFile(name, spoilt, 0o600))
	if l, err := OpenToLook(t.Context(), s.dir); err == nil {
		defer l.Close()
		_, err = l.Backup(t.Context(), filepath.Join(t.TempDir(), "c"))
		assert.Error(t, err)
	}
}
