package pieces_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/app/plates"
	"sakuji/core/route"
	"sakuji/studio"
)

// A piece that could not be printed again in time gets a spare beside it; when it fails and the spare
// does not, the spare stands in for it and goes the rest of its way. The order neither counts the spare
// nor waits for it.
func TestASpareStandsIn(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Primed)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, orders.OrderForm{Title: "Vases", ClientID: 1, Use: "shelf", Wanted: s.Clock.At.AddDate(0, 0, 1).Format(time.DateOnly), Sure: true}))
	s.Accept(no)
	s.Clock.Pass(18 * time.Hour)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	sheet := apptest.Lies(t, s, number)
	require.NotEmpty(t, sheet.Risks)
	require.True(t, sheet.Risks[0].Spare)
	first := sheet.Risks[0].Piece
	before := sheet.Estimate.Minutes
	require.NoError(t, s.Plates.AddSpare(s.Ctx, s.Bench, number, first.Code))
	sheet = apptest.Lies(t, s, number)
	require.Len(t, sheet.Pieces, 3)
	assert.InDelta(t, before, sheet.Estimate.Minutes, 1e-9, "as tall as before")
	spare := sheet.Pieces[2].Piece
	assert.Equal(t, studio.KindSpare, spare.Kind)
	assert.Equal(t, spare.Code, sheet.Risks[0].Has)
	kinds := func(p studio.Piece) (out []route.StageKind) {
		for _, st := range p.Stages {
			out = append(out, st.Kind)
		}
		return out
	}
	assert.Equal(t, []route.StageKind{route.Print, route.Wash, route.RemoveSupports, route.Cure}, kinds(spare))
	apptest.Refusal(t, s.Plates.AddSpare(s.Ctx, s.Bench, number, spare.Code), "no spare is printed of it")

	s.Begin(number)
	s.Clock.Pass(20 * time.Hour)
	out := map[int64]studio.Outcome{}
	for _, p := range sheet.Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Good}
	}
	out[first.ID] = studio.Outcome{What: studio.Failed, Cause: "half printed"}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))
	lost, err := s.Pieces.Piece(s.Ctx, first.Code)
	require.NoError(t, err)
	assert.Equal(t, spare.Code, lost.Spare)
	other := sheet.Pieces[0].Piece
	if other.ID == first.ID {
		other = sheet.Pieces[1].Piece
	}
	_, err = s.Pieces.TakeSpare(s.Ctx, s.Bench, other.Code)
	apptest.Refusal(t, err, "No spare may stand in")
	taken, err := s.Pieces.TakeSpare(s.Ctx, s.Bench, first.Code)
	require.NoError(t, err)
	assert.Equal(t, spare.Code, taken)
	by, _ := apptest.PiecesOf(t, s, no)
	gone, err := s.Pieces.Piece(s.Ctx, first.Code)
	require.NoError(t, err)
	assert.Equal(t, studio.PieceOff, gone.State)
	assert.Equal(t, kinds(other), kinds(by[taken]), "all that the piece would have passed")
	assert.Equal(t, studio.KindPrint, by[taken].Kind)
	assert.Equal(t, first.Name, by[taken].Name)
	_, err = s.Pieces.TakeSpare(s.Ctx, s.Bench, first.Code)
	apptest.Refusal(t, err, "No spare may stand in")
	s.Finish(taken)
	s.Finish(other.Code)
	require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false))
}

// A spare that nobody needed stays on the shelf and does not keep its order; lifted off its plate, or
// failed, it is gone.
func TestASpareThatNobodyNeeds(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	code := apptest.Lies(t, s, number).Pieces[0].Piece.Code
	require.NoError(t, s.Plates.AddSpare(s.Ctx, s.Bench, number, code))
	spare := apptest.Lies(t, s, number).Pieces[1].Piece
	require.NoError(t, s.Plates.LiftOff(s.Ctx, s.Bench, number, spare.Code))
	gone, err := s.Pieces.Piece(s.Ctx, spare.Code)
	require.NoError(t, err)
	assert.Equal(t, studio.PieceOff, gone.State)
	require.NoError(t, s.Plates.AddSpare(s.Ctx, s.Bench, number, code))
	s.Begin(number)
	s.Clock.Pass(20 * time.Hour)
	out := map[int64]studio.Outcome{}
	for _, p := range apptest.Lies(t, s, number).Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Good}
	}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))
	s.Finish(code)
	progress, err := s.Orders.Progress(s.Ctx)
	require.NoError(t, err)
	for _, text := range progress {
		assert.Equal(t, "1 of 1 piece done", text)
	}
	require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false))
}
