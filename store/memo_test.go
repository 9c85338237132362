package store

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/rates"
	"sakuji/studio"
)

// What was read is remembered until its table is written, by whomever; a transaction that
// began earlier goes on seeing what it saw.
func TestReadOncePerChange(t *testing.T) {
	s := opened(t)
	names := func(tx *Tx) (out []string) {
		list, err := tx.Clients()
		require.NoError(t, err)
		for _, c := range list {
			out = append(out, c.Name)
		}
		return out
	}
	add := func(s *Store, name string) {
		write(t, s, func(tx *Tx) { require.NoError(t, tx.SaveClient(&studio.Client{Name: name})) })
	}
	finds := 0
	counted := func(tx *Tx) (n int) {
		n, err := Remember(tx, "clients", func() (int, error) { finds++; return len(names(tx)), nil })
		require.NoError(t, err)
		return n
	}
	add(s, "A")
	read(t, s, func(tx *Tx) { assert.Equal(t, 1, counted(tx)) })
	read(t, s, func(tx *Tx) { assert.Equal(t, 1, counted(tx)) })
	assert.Equal(t, 1, finds)
	write(t, s, func(tx *Tx) {
		require.NoError(t, tx.SaveStudio(studio.Studio{Name: "Test & Try", Currency: "EUR", TimeZone: "UTC", FirstOrder: 1}))
	})
	read(t, s, func(tx *Tx) { assert.Equal(t, 1, counted(tx)) })
	assert.Equal(t, 1, finds, "another table was written")
	require.Error(t, s.Write(t.Context(), func(tx *Tx) error {
		return errors.Join(tx.SaveClient(&studio.Client{Name: "never"}), errors.New("no"))
	}))
	read(t, s, func(tx *Tx) { assert.Equal(t, 1, counted(tx)) })
	assert.Equal(t, 1, finds, "nothing was changed")

	read(t, s, func(before *Tx) {
		assert.Equal(t, []string{"A"}, names(before))
		add(s, "B")
		assert.Equal(t, []string{"A"}, names(before), "one unchanging view")
		read(t, s, func(after *Tx) { assert.Equal(t, []string{"A", "B"}, names(after)) })
		assert.Equal(t, 1, counted(before))
	})
	read(t, s, func(tx *Tx) { assert.Equal(t, 2, counted(tx)) })
	write(t, s, func(tx *Tx) {
		require.NoError(t, tx.SaveClient(&studio.Client{Name: "C"}))
		assert.Equal(t, []string{"A", "B", "C"}, names(tx), "its own changes")
	})

	other, err := Open(t.Context(), s.dir) // another process
	require.NoError(t, err)
	defer other.Close()
	for i := range 3 {
		add(other, fmt.Sprint("D", i))
		read(t, s, func(tx *Tx) { assert.Len(t, names(tx), 4+2*i) })
		add(s, fmt.Sprint("E", i))
		read(t, other, func(tx *Tx) { assert.Len(t, names(tx), 5+2*i) })
	}
}

// A change that could not be saved leaves nothing behind that others would see.
func TestWhatWasNotSavedIsNotRemembered(t *testing.T) {
	s := opened(t)
	read(t, s, func(tx *Tx) { _, err := tx.Clients(); require.NoError(t, err) })
	ctx, cancel := context.WithCancel(t.Context())
	require.Error(t, s.Write(ctx, func(tx *Tx) error {
		defer cancel()
		return tx.SaveClient(&studio.Client{Name: "gone"})
	}))
	for range 3 {
		read(t, s, func(tx *Tx) { list, err := tx.Clients(); require.NoError(t, err); assert.Empty(t, list) })
	}
	write(t, s, func(tx *Tx) { require.NoError(t, tx.SaveClient(&studio.Client{Name: "kept"})) })
	read(t, s, func(tx *Tx) { list, err := tx.Clients(); require.NoError(t, err); assert.Len(t, list, 1) })
}

// Whatever many read while others write, here and in another process, each sees the state
// after some change, whole, and never an earlier one than before.
func TestManyReadWhileSomeWrite(t *testing.T) {
	s := opened(t)
	other, err := Open(t.Context(), s.dir)
	require.NoError(t, err)
	defer other.Close()
	var n atomic.Int64
	step := func(s *Store) error {
		return s.Write(t.Context(), func(tx *Tx) error {
			v := fmt.Sprint(n.Add(1))
			return errors.Join(tx.SaveStudio(studio.Studio{Name: v, Currency: "EUR", TimeZone: "UTC", FirstOrder: 1}),
				tx.SaveRates(int(n.Load()), map[rates.Key]float64{"v": float64(n.Load())}, now, v))
		})
	}
	require.NoError(t, step(s))
	until := time.Now().Add(700 * time.Millisecond)
	var all sync.WaitGroup
	var looks atomic.Int64
	for _, writer := range []*Store{s, s, other} {
		all.Go(func() {
			for time.Now().Before(until) {
				assert.NoError(t, step(writer))
				time.Sleep(2 * time.Millisecond)
			}
		})
	}
	for i := range 8 {
		all.Go(func() {
			from := []*Store{s, other}[i%2]
			for last := 0; time.Now().Before(until); looks.Add(1) {
				assert.NoError(t, from.Read(t.Context(), func(tx *Tx) error {
					st, err := tx.Studio()
					own, version, err2 := tx.OwnRates()
					name, _ := strconv.Atoi(st.Name)
					assert.Equal(t, name, version, "of one change")
					assert.EqualValues(t, version, own["v"])
					assert.GreaterOrEqual(t, version, last)
					last = version
					return errors.Join(err, err2)
				}))
			}
		})
	}
	all.Wait()
	assert.Greater(t, looks.Load(), int64(100))
}

func TestGuardSeesWhoChangesWhatIsEverybodys(t *testing.T) {
	s := opened(t)
	s.Guard()
	write(t, s, func(tx *Tx) { require.NoError(t, tx.SaveRates(1, map[rates.Key]float64{"wage": 20}, now, "Ilse")) })
	read(t, s, func(tx *Tx) {
		own, _, err := tx.OwnRates()
		require.NoError(t, err)
		own["wage"] = 1
		assert.Panics(t, func() { tx.OwnRates() }) //nolint:errcheck // it does not come to that
	})
}

// What is known of when tables were written is bounded; who saw too early a state for it
// looks for themselves.
func TestLongAgoIsForgotten(t *testing.T) {
	m := newMemo([]string{"a", "b"})
	_, known := m.as(5, []string{"a"})
	assert.True(t, known)
	for i := range int64(3 * longAgo) {
		m.changing(6+i, []string{"a"})
	}
	assert.LessOrEqual(t, len(m.written["a"]), longAgo)
	_, known = m.as(5, []string{"b"})
	assert.False(t, known)
	last, known := m.as(m.last, []string{"b"})
	assert.True(t, known)
	assert.EqualValues(t, 5, last, "everything is taken to be new when the memory begins")
	last, _ = m.as(m.last-1, []string{"a"})
	assert.Equal(t, m.last-1, last)
	m.changing(m.last+2, []string{"a"}) // somebody else has written in between
	last, known = m.as(m.last, []string{"b"})
	assert.True(t, known)
	assert.Equal(t, m.last, last)
}
