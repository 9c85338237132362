package pieces_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/plate"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// What is ready for the wash is shared out among loads of its tank, none twice and none beside the
// tank; a load is stamped as one act, its minutes shared, or not at all.
func TestLoadsAreStampedTogether(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(9, route.Raw)
	s.Accept(no)
	s.Print()
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"station.wash.width": 70, "station.wash.depth": 80}))
	require.NoError(t, s.Stock.Filled(s.Ctx, s.Bench, studio.Bath{Name: "first", Litres: 4, StrengthPercent: 96}))
	bench, err := s.Pieces.Bench(s.Ctx, "", "")
	require.NoError(t, err)
	assert.Equal(t, map[route.StageKind]int{route.Wash: 9}, bench.Loads)

	sheet, err := s.Pieces.LoadSheet(s.Ctx, route.Wash)
	require.NoError(t, err)
	require.Len(t, sheet.Loads, 3, "vases of 24 mm, 8 mm apart: two and two in 70 × 80 mm")
	seen := map[string]bool{}
	for _, l := range sheet.Loads {
		assert.Empty(t, plate.Check(l.Room, 8, l.Laid))
		assert.Empty(t, l.TooBig)
		for _, p := range l.Pieces {
			assert.False(t, seen[p.Piece.Code])
			seen[p.Piece.Code] = true
		}
	}
	assert.Len(t, seen, 9)

	first := map[string]string{}
	for _, p := range sheet.Loads[0].Pieces {
		first[p.Piece.Code] = p.Piece.Shown()
	}
	n, err := s.Pieces.StampTogether(s.Ctx, s.Bench, first, studio.Stamp{Minutes: 8, Bath: sheet.Baths[0].ID})
	require.NoError(t, err)
	assert.Equal(t, len(first), n)
	baths, err := s.Stock.Sheet(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, n, baths.Baths[0].Parts)
	for code := range first {
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		assert.InDelta(t, 8/float64(n), p.Last().Minutes, 1e-9)
	}
	_, err = s.Pieces.StampTogether(s.Ctx, s.Bench, first, studio.Stamp{Minutes: -1})
	apptest.Refusal(t, err, "Nothing was stamped")

	// One of the second load was stamped on another tablet meanwhile: none is stamped.
	second := map[string]string{}
	for _, p := range sheet.Loads[1].Pieces {
		second[p.Piece.Code] = p.Piece.Shown()
	}
	gone := sheet.Loads[1].Pieces[1].Piece
	_, err = s.Pieces.Stamp(s.Ctx, s.Owner, gone.Code, studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	_, err = s.Pieces.StampTogether(s.Ctx, s.Bench, second, studio.Stamp{Minutes: -1})
	apptest.Refusal(t, err, "Nothing was stamped")
	delete(second, gone.Code)
	n, err = s.Pieces.StampTogether(s.Ctx, s.Bench, second, studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	assert.Equal(t, len(second), n)
	_, err = s.Pieces.StampTogether(s.Ctx, s.Bench, nil, studio.Stamp{})
	apptest.Refusal(t, err, "Choose the pieces")
	_, err = s.Pieces.LoadSheet(s.Ctx, route.Base)
	assert.Error(t, err)

	s.Clock.Pass(2 * time.Hour)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"station.wash.width": 20}))
	sheet, err = s.Pieces.LoadSheet(s.Ctx, route.Wash)
	require.NoError(t, err)
	require.NotEmpty(t, sheet.Loads)
	assert.Contains(t, sheet.Loads[0].TooBig, "turned end for end")
}
