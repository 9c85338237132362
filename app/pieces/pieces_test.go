package pieces_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/route"
	"sakuji/studio"
)

func TestStampsWaitsAndLooks(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Primed)
	s.Accept(no)
	code := no + "-1"
	_, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 1})
	apptest.Refusal(t, err, "waiting")
	s.Print()
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, Note: "second bath tired"})
	require.NoError(t, err)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3})
	apptest.Refusal(t, err, "alcohol off at")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, Early: true})
	apptest.Refusal(t, err, "say in the note why")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, Early: true, Note: "blown dry"})
	require.NoError(t, err)

	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, code))
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, route.RemoveSupports, p.Piece.Now().Kind)
	assert.True(t, p.Wait)

	// Forgotten in the evening, stamped in the morning with the time it was done.
	washed := p.Piece.Last().Done
	s.Clock.Pass(15 * time.Hour)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, At: washed.Add(-time.Minute)})
	apptest.Refusal(t, err, "cannot have been done earlier")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, At: s.Clock.At.Add(time.Minute)})
	apptest.Refusal(t, err, "later than now")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, At: washed.Add(5 * time.Minute)})
	apptest.Refusal(t, err, "say in the note why")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, At: washed.Add(time.Hour)})
	require.NoError(t, err)
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, washed.Add(time.Hour), p.Piece.Last().Done)

	for p.Piece.Now().Kind != route.Look {
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1})
		require.NoError(t, err)
		p, err = s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
	}
	s.Clock.At = p.Until
	before := len(p.Stages)
	require.NoError(t, s.Pieces.SendBack(s.Ctx, s.Owner, code, route.Fill, "pits at the rim", ""))
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, route.Fill, p.Piece.Now().Kind)
	assert.Len(t, p.Stages, before+6, "fill, three papers, prime and look again")
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Owner, code))
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Len(t, p.Stages, before)
	assert.Equal(t, route.Look, p.Piece.Now().Kind)

	// Broken at the bench: back to the print, with the next attempt counted.
	require.NoError(t, s.Pieces.SendBack(s.Ctx, s.Owner, code, route.Print, "dropped", ""))
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, studio.Waiting, p.State)
	assert.Equal(t, 2, p.Attempt)
	s.Print()
	s.Finish(code)
	p, err = s.Pieces.Piece(s.Ctx, strings.ToUpper(code))
	require.NoError(t, err)
	assert.Equal(t, studio.PieceDone, p.State)
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, code))
	s.Clock.Pass(time.Hour)
	apptest.Refusal(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, code), "30 minutes")
}
