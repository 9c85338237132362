package plates_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/pieces"
	"sakuji/app/plates"
	"sakuji/core/route"
	"sakuji/studio"
)

func TestPlateOutcomes(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Raw)
	s.Accept(no)
	number, left, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	assert.Empty(t, left)
	apptest.Refusal(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{}), "nothing to empty")
	cold := 17.5
	var ask *studio.Confirm
	long := studio.Started{At: s.Clock.At.Add(-50 * time.Hour)}
	require.ErrorAs(t, s.Plates.StartRun(s.Ctx, s.Bench, number, long), &ask)
	assert.Contains(t, ask.Text, "is 2 d 2 h ago")
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{At: s.Clock.At.Add(-2 * time.Hour), RoomC: &cold}))
	apptest.Refusal(t, s.Plates.LiftOff(s.Ctx, s.Bench, number, no+"-1"), "stays as it is")
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Equal(t, cold, *sheet.Plate.Run.RoomC)
	id := func(i int) int64 { return sheet.Pieces[i].Piece.ID }
	out := map[int64]studio.Outcome{id(0): {What: studio.Good}, id(1): {What: studio.Failed}, id(2): {What: studio.ScrappedOff, Cause: "wrong settings"}}
	ended := sheet.Plate.Run.Due()
	apptest.Refusal(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: ended.Add(24 * time.Hour)}), "later than now")
	s.Clock.Pass(10 * time.Hour)
	apptest.Refusal(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: ended}), "say why it failed")
	out[id(1)] = studio.Outcome{What: studio.Failed, Cause: "supports too few"}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: ended, Note: "cold night"}))

	piece := func(n string) pieces.PieceSheet {
		p, err := s.Pieces.Piece(s.Ctx, no+n)
		require.NoError(t, err)
		return p
	}
	assert.Equal(t, studio.AtBench, piece("-1").State)
	assert.Equal(t, "JT", piece("-1").Stages[0].Initials)
	assert.Equal(t, studio.Waiting, piece("-2").State)
	assert.Equal(t, 2, piece("-2").Attempt)
	assert.Equal(t, studio.Scrapped, piece("-3").State)
	grams := sheet.Pieces[0].Grams
	assert.InDelta(t, 3*grams, piece("-1").Booked, 1e-6, "failed prints cost material too")

	// Taken back within the half hour: all as before; the logbook keeps both.
	require.NoError(t, s.Plates.TakeBackPlate(s.Ctx, s.Bench, number))
	assert.Equal(t, studio.OnPlate, piece("-1").State)
	assert.Equal(t, route.Todo, piece("-1").Stages[0].Mark)
	assert.Equal(t, 1, piece("-2").Attempt)
	assert.Zero(t, piece("-1").Booked)
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))
	s.Clock.Pass(31 * time.Minute)
	apptest.Refusal(t, s.Plates.TakeBackPlate(s.Ctx, s.Bench, number), "30 minutes")

	// Short of one: it blocks delivery until it is settled.
	apptest.Refusal(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false), "scrapped")
	require.NoError(t, s.Pieces.SettleScrapped(s.Ctx, s.Owner, no+"-3", false))
	apptest.Refusal(t, s.Pieces.SettleScrapped(s.Ctx, s.Owner, no+"-3", false), "replacement already")
	assert.Equal(t, studio.Waiting, piece("-4").State)
}

func TestPlatesAreLaidAndChanged(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(30, route.Raw)
	s.Accept(no)
	number, left, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NotEmpty(t, left)
	assert.Contains(t, left[0].Reason, "no room left")
	_, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Fell, s.PLA, studio.PrintProfile{})
	apptest.Refusal(t, err, "No piece waits")
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	n := len(sheet.Pieces)
	require.Len(t, sheet.Candidates, 1)
	assert.False(t, sheet.Candidates[0].Fits)
	assert.Equal(t, 30-n-1, sheet.Candidates[0].Others)

	lifted := sheet.Pieces[0].Piece.Code
	require.NoError(t, s.Plates.LiftOff(s.Ctx, s.Bench, number, lifted))
	sheet, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Len(t, sheet.Pieces, n-1)
	assert.True(t, sheet.Candidates[0].Fits)
	assert.InDelta(t, 0, sheet.Candidates[0].AddMinutes, 1e-9, "one more of the same height costs a resin run no time")
	assert.Positive(t, sheet.Candidates[0].AddGrams)
	require.NoError(t, s.Plates.AddToPlate(s.Ctx, s.Bench, number, lifted))
	apptest.Refusal(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{At: s.Clock.At.Add(time.Hour)}), "later than now")
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))

	second, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	apptest.Refusal(t, s.Plates.StartRun(s.Ctx, s.Bench, second, studio.Started{}), "still runs plate")
	require.NoError(t, s.Plates.DiscardPlate(s.Ctx, s.Bench, second))
	apptest.Refusal(t, s.Plates.AddToPlate(s.Ctx, s.Bench, second, lifted), "discarded")
}

// Whatever will not fit any machine is said before it is promised.
func TestTooLargeForEveryMachine(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	s.Change(no, sheet.Items[0].ID, 1, route.Raw, 9)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.NotEmpty(t, sheet.Troubles())
	assert.Contains(t, sheet.Troubles()[0], "fits no machine")
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	apptest.Refusal(t, err, "cannot be sent yet")
}

// A run that stops early has laid down only part of its material.
func TestMaterialOfAStoppedRun(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	half := time.Duration(sheet.Plate.Run.PlannedMin/2) * time.Minute
	s.Clock.Pass(half)
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: map[int64]studio.Outcome{sheet.Pieces[0].Piece.ID: {What: studio.Failed, Cause: "power cut"}}}))
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.InDelta(t, sheet.Pieces[0].Grams/2, p.Booked, sheet.Pieces[0].Grams*0.01)
}

// What is called off while it prints is kept, and its material is booked all the
// same.
func TestCancellingWhileItPrints(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "the première is off"))
	s.Clock.Pass(9 * time.Hour)
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	require.Len(t, sheet.Pieces, 2)
	out := map[int64]studio.Outcome{}
	for _, p := range sheet.Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Good}
	}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, studio.PieceOff, p.State)
	assert.Positive(t, p.Booked)

	// Laid but not started, it is lifted off.
	other := s.Order(2, route.Raw)
	s.Accept(other)
	number, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, other, "too dear"))
	sheet, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Empty(t, sheet.Pieces)
	apptest.Refusal(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}), "is bare")
}
