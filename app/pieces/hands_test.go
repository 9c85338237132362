package pieces_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/pieces"
	"sakuji/app/today"
	"sakuji/core/route"
	"sakuji/studio"
)

// Clocks run for several pieces at once and share the minutes; they are paused, gone on with, and outlive a sheet
// that is closed. A stamp takes what they say, unless it says its own; nothing that must wait is begun.
func TestClocksOfHands(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Primed)
	s.Accept(no)
	s.Print()
	a, b, c := no+"-1", no+"-2", no+"-3"
	shown := func(codes ...string) map[string]string {
		out := map[string]string{}
		for _, code := range codes {
			p, err := s.Pieces.Piece(s.Ctx, code)
			require.NoError(t, err)
			out[code] = p.Piece.Shown()
		}
		return out
	}
	inHand := func(person int64) []pieces.InHand {
		h, err := s.Pieces.Hands(s.Ctx, person)
		require.NoError(t, err)
		return h.InHand
	}
	stale := shown(a)
	require.NoError(t, s.Pieces.Begin(s.Ctx, s.Bench, shown(a, b), time.Time{}))
	require.NoError(t, s.Pieces.Begin(s.Ctx, s.Bench, shown(a), time.Time{}), "it runs already")
	s.Clock.Pass(10 * time.Minute)
	one := inHand(s.Bench.ID)
	require.Len(t, one, 1)
	assert.Len(t, one[0].Pieces, 2)
	assert.InDelta(t, 10, one[0].RanMin, 1e-6, "ten minutes of two hands, not twenty")
	assert.InDelta(t, 1, one[0].Rate, 1e-9)
	assert.Equal(t, "10:00", one[0].Clock())
	assert.Empty(t, inHand(s.Owner.ID))

	require.NoError(t, s.Pieces.Pause(s.Ctx, s.Bench, []string{b}, time.Time{}))
	s.Clock.Pass(4 * time.Minute)
	require.Len(t, inHand(s.Bench.ID), 2, "one runs, one stands")
	done, err := s.Pieces.Stamp(s.Ctx, s.Bench, a, studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	assert.InDelta(t, 9, done.Last().Minutes, 1e-6, "half of ten, and four")
	done, err = s.Pieces.Stamp(s.Ctx, s.Bench, b, studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	assert.InDelta(t, 5, done.Last().Minutes, 1e-6)
	assert.Empty(t, inHand(s.Bench.ID))

	assert.ErrorContains(t, s.Pieces.Begin(s.Ctx, s.Bench, shown(a), time.Time{}), "cannot be begun")
	assert.ErrorContains(t, s.Pieces.Begin(s.Ctx, s.Bench, stale, time.Time{}), "has moved on meanwhile")
	assert.ErrorContains(t, s.Pieces.Begin(s.Ctx, s.Bench, nil, time.Time{}), "Choose the pieces")
	require.NoError(t, s.Pieces.Begin(s.Ctx, s.Bench, shown(c), time.Time{}))
	require.NoError(t, s.Pieces.Begin(s.Ctx, s.Owner, shown(c), time.Time{}))
	s.Clock.Pass(20 * time.Hour)
	hand := inHand(s.Bench.ID)
	require.Len(t, hand, 1)
	assert.True(t, hand[0].Forgotten)
	now, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(now.Tasks, func(x today.Task) bool { return strings.HasSuffix(x.Title, "’s clock runs still") }))
	begun := s.Clock.At.Add(-20 * time.Hour)
	assert.ErrorContains(t, s.Pieces.Pause(s.Ctx, s.Bench, []string{c}, begun.Add(-time.Minute)), "after that")
	require.NoError(t, s.Pieces.Pause(s.Ctx, s.Bench, []string{c}, begun.Add(3*time.Minute)))
	done, err = s.Pieces.Stamp(s.Ctx, s.Owner, c, studio.Stamp{Minutes: 8})
	require.NoError(t, err)
	assert.InDelta(t, 8, done.Last().Minutes, 1e-6, "a hand says its own")
	assert.Empty(t, inHand(s.Owner.ID), "the other clock ends with it")
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Owner, c))
	hand = inHand(s.Bench.ID)
	require.Len(t, hand, 1)
	assert.InDelta(t, 3, hand[0].RanMin, 1e-6, "taken back, it stands where it stood")
}
