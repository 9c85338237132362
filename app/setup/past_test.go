package setup_test

import (
	"database/sql"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/route"
	"sakuji/studio"
)

// What was learned long ago is summed up once, and comes to the same as a sum over everything: after weeks, after a
// stamp that is noted for a day long past.
func TestWhatWasLearnedLongAgo(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(6, route.Primed)
	s.Accept(no)
	s.Print()
	db, err := sql.Open("sqlite", filepath.Join(s.Dir, "sakuji.db"))
	require.NoError(t, err)
	defer db.Close()
	same := func() (learned int) {
		h, err := s.Setup.Shop(s.Ctx)
		require.NoError(t, err)
		var counted, washes int
		var mean, square float64
		require.NoError(t, db.QueryRow(`SELECT count(*), count(CASE WHEN kind = 'wash' THEN 1 END) FROM stages WHERE mark = 'done' AND person_id = ?`, s.Bench.ID).Scan(&counted, &washes))
		for _, n := range h.History.Practice[s.Bench.ID] {
			learned += n
		}
		assert.Equal(t, counted, learned)
		assert.Equal(t, washes, h.History.Practice[s.Bench.ID][route.Wash])
		require.NoError(t, db.QueryRow(`SELECT coalesce(avg(minutes / book_min), 0), coalesce(avg(minutes / book_min * minutes / book_min), 0) FROM stages
			WHERE kind = 'wash' AND mark = 'done' AND minutes > 0 AND book_min > 0 AND minutes / book_min BETWEEN ? AND ?`, studio.TeachesLeast, studio.TeachesMost).Scan(&mean, &square))
		l := h.History.Logged["resin"][route.Wash]
		assert.InDelta(t, mean, l.Mean, 1e-9)
		assert.InDelta(t, max(0, square-mean*mean), l.Var, 1e-9)
		return learned
	}
	stamp := func(code string, at time.Time) {
		_, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 1 + float64(len(code)), At: at})
		require.NoError(t, err)
	}
	before := same()
	stamp(no+"-1", time.Time{})
	begun := s.Clock.At
	assert.Equal(t, before+1, same())
	s.Clock.Pass(30 * 24 * time.Hour)
	stamp(no+"-2", time.Time{})
	stamp(no+"-1", time.Time{})
	assert.Equal(t, before+3, same())
	stamp(no+"-3", begun.Add(time.Hour)) // noted late
	assert.Equal(t, before+4, same())
}
