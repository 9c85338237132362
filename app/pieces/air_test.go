package pieces_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/pieces"
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/studio"
)

// What dries is ready later when the room turns cold, and sooner when it is warmed; the bench, the piece and the
// stamp go by it, and a note that cannot be is refused.
func TestTheAirOfTheDay(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Primed)
	s.Accept(no)
	s.Print()
	code := no + "-1"
	_, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	waits := func() time.Time {
		b, err := s.Pieces.Bench(s.Ctx, pieces.BenchWaiting, "")
		require.NoError(t, err)
		require.Len(t, b.Rows, 1)
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		assert.Equal(t, b.Rows[0].Until, p.Until)
		return p.Until
	}
	note := func(c, humidity float64) (sooner, later int) {
		sooner, later, err := s.Pieces.NoteAir(s.Ctx, s.Bench, studio.AirReading{Reading: finish.Reading{C: c, HumidityPercent: humidity}})
		require.NoError(t, err)
		return sooner, later
	}
	washed := s.Clock.At
	took := waits().Sub(washed)
	_, later := note(11, 50)
	assert.Equal(t, 1, later)
	assert.InDelta(t, 2*took.Minutes(), waits().Sub(washed).Minutes(), 0.1, "ten degrees less than the book’s room")
	s.Clock.Pass(took)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1})
	assert.ErrorContains(t, err, "must wait")
	sooner, _ := note(31, 50)
	assert.Equal(t, 1, sooner)
	assert.Less(t, waits().Sub(washed).Minutes(), 1.6*took.Minutes())
	sooner, later = note(31, 50)
	assert.Zero(t, sooner+later)
	_, _, err = s.Pieces.NoteAir(s.Ctx, s.Bench, studio.AirReading{Reading: finish.Reading{C: 95, HumidityPercent: 50}})
	assert.ErrorContains(t, err, "−10 and 50")
	log, err := s.Logbook(s.Ctx, 0)
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(log, func(e studio.Entry) bool {
		return e.Event == "air noted" && e.Text == "11 °C, 50 % damp; 1 piece waits longer"
	}))
}
