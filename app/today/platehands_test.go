package today_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/plates"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// What hands take at a plate is told alike: Today and the plan count its emptying, piece by piece, and the stamps of
// its pieces share the setting up and the emptying. Minutes by the book: set-up 8, emptying 5, a piece 1.5.
func TestHandsAtAPlate(t *testing.T) {
	s := apptest.New(t)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"plate.setup": 8, "plate.empty": 5, "plate.piece": 1.5}))
	no := s.Order(4, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	s.Begin(number)

	plan, err := s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(t, err)
	emptied := 0
	for _, x := range plan.Tasks {
		if x.Doing == studio.EmptyIt {
			assert.InDelta(t, 5+4*1.5, x.Minutes, 1e-9, "the plan")
			emptied++
		}
	}
	assert.Equal(t, 1, emptied)

	s.Clock.Pass(12 * time.Hour)
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	require.NoError(t, s.Plates.FinishRun(s.Ctx, s.Bench, number, sheet.Plate.Run.Due(), nil))
	morning, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	require.Equal(t, "Empty Tarn: plate 1 is finished", morning.Tasks[0].Title)
	assert.Contains(t, morning.Tasks[0].Detail, "4 pieces, about "+studio.HandsText(5+4*1.5)+" of hands")

	out := map[int64]studio.Outcome{}
	for _, p := range sheet.Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Good}
	}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: sheet.Plate.Run.Due()}))
	for _, p := range sheet.Pieces {
		piece, err := s.Pieces.Piece(s.Ctx, p.Piece.Code)
		require.NoError(t, err)
		assert.InDelta(t, (8+5)/4.0+1.5, piece.Stages[0].Minutes, 1e-9, "the stamp of %s", p.Piece.Code)
	}
}
