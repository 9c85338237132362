package plates_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/plates"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// What is found on a machine for a material goes into every estimate in it, stands in the machine's log
// with what it took, and can be taken back.
func TestAMachineIsSetForAMaterial(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	hours := func() float64 {
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		return sheet.Items[0].Estimate.MachineMinutes
	}
	sheet := func() plates.MachineSheet {
		m, err := s.Plates.MachineSheet(s.Ctx, s.Tarn, s.Resin)
		require.NoError(t, err)
		return m
	}
	before := hours()
	require.NoError(t, s.Plates.Tune(s.Ctx, s.Bench, s.Tarn, s.Resin, map[rates.FigureKey]float64{"exposure": 5, "watts": 9, "lift": 6}))
	assert.Greater(t, hours(), 1.15*before)
	m := sheet()
	assert.Equal(t, 70.0, m.Machine.Figures.V("watts"), "only what a material may change")
	require.Len(t, m.Machine.Tuned[s.Resin], 1, "6 mm of lift is what the machine has anyway")
	assert.Contains(t, m.Log[0].Text, "exposure 5 s, was 2.5")
	assert.Equal(t, s.Bench.ID, m.Log[0].Who)
	apptest.Refusal(t, s.Plates.Tune(s.Ctx, s.Bench, s.Tarn, s.Resin, map[rates.FigureKey]float64{"exposure": -1}), "hard to believe")
	apptest.Refusal(t, s.Plates.Tune(s.Ctx, s.Bench, s.Tarn, s.PLA, map[rates.FigureKey]float64{"exposure": 3}), "Choose a resin material")

	told, err := s.Plates.Calibrated(s.Ctx, s.Bench, s.Tarn, plates.Tried{MaterialID: s.Resin, HandsMin: 20, Grams: 6,
		Tried: process.Tried{Exposed: []process.Exposed{{ExposureS: 2, PinMM: 0.4, SlotMM: 0.2},
			{ExposureS: 4.5, PinMM: 0.2, SlotMM: 0.4}}}})
	require.NoError(t, err)
	assert.Equal(t, "Exposure for "+m.Material.Name+": 3 s, was 5.", told)
	assert.Contains(t, sheet().Log[0].Text, "test piece: exposure 3 s, was 5 (20 min, 6 g)")
	_, err = s.Plates.Calibrated(s.Ctx, s.Bench, s.Tarn, plates.Tried{MaterialID: s.Resin,
		Tried: process.Tried{Exposed: []process.Exposed{{ExposureS: 2, PinMM: 0.4, SlotMM: 0.2}}}})
	apptest.Refusal(t, err, "Two exposures at least")
	require.NoError(t, s.Plates.Tune(s.Ctx, s.Bench, s.Tarn, s.Resin, map[rates.FigureKey]float64{"exposure": 0}))
	assert.InDelta(t, before, hours(), 1e-9)
	assert.Empty(t, sheet().Machine.Tuned)

	told, err = s.Plates.Calibrated(s.Ctx, s.Bench, s.Fell, plates.Tried{MaterialID: s.PLA,
		Tried: process.Tried{WallMM: []float64{0.5, 0.5, 0.5}}})
	require.NoError(t, err)
	assert.Contains(t, told, "90 %, was 100")
	fell, err := s.Plates.MachineSheet(s.Ctx, s.Fell, s.PLA)
	require.NoError(t, err)
	assert.Equal(t, rates.FigureKey("flow"), fell.Trial.Sets)
	assert.Positive(t, fell.Trial.Minutes)
}

// A machine is on trial until enough of its runs went well; what it failed at is told apart by whose
// doing it was; grams of a trial come off the lot.
func TestAMachinesRecord(t *testing.T) {
	s := apptest.New(t)
	require.NoError(t, s.Stock.Received(s.Ctx, s.Owner, studio.Lot{MaterialID: s.Resin, Label: "bottle 1", Grams: 1000}))
	require.NoError(t, s.Plates.NoteTuning(s.Ctx, s.Bench, studio.Tuning{MachineID: s.Tarn, MaterialID: s.Resin, Did: " level ", HandsMin: 15, Grams: 40}))
	apptest.Refusal(t, s.Plates.NoteTuning(s.Ctx, s.Bench, studio.Tuning{MachineID: s.Tarn}), "Say what was done")
	stock, err := s.Stock.Sheet(s.Ctx)
	require.NoError(t, err)
	assert.InDelta(t, 960, stock.Stock[0].LeftG, 1e-9)

	no := s.Order(2, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	on := apptest.Lies(t, s, number).Pieces
	s.Begin(number)
	s.Clock.Pass(20 * time.Hour)
	out := map[int64]studio.Outcome{on[0].Piece.ID: {What: studio.Good}, on[1].Piece.ID: {What: studio.Failed, Cause: "wrong settings"}}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))
	m, err := s.Plates.MachineSheet(s.Ctx, s.Tarn, s.Resin)
	require.NoError(t, err)
	assert.Equal(t, "on trial: 0 of 5 runs went well; about 4 tries fail until then", m.OnTrial)
	assert.Equal(t, 1, m.Failures.Failed)
	require.Len(t, m.Failures.Whose, 1)
	assert.Equal(t, process.Persons, m.Failures.Whose[0].Name)
	assert.InDelta(t, 0.5, m.Failures.Whose[0].Mean, 1e-9, "one of one, among three kinds that were each believed once")
	assert.Less(t, m.Failures.Low, m.Failures.PerHour)
	assert.Greater(t, m.Failures.High, m.Failures.PerHour)
	assert.Equal(t, "level (15 min, 40 g)", m.Log[0].Text[len(m.Material.Name)+2:])
	_, err = s.Plates.MachineSheet(s.Ctx, 999, 0)
	assert.Error(t, err)
}

// Two runs in a row that failed by the file hold the file, not the machine: no print of it is laid before
// somebody says what is changed; others are.
func TestAFileIsHeld(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	s.Accept(no)
	fail := func() {
		number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
		require.NoError(t, err)
		s.Begin(number)
		s.Clock.Pass(20 * time.Hour)
		out := map[int64]studio.Outcome{}
		for _, p := range apptest.Lies(t, s, number).Pieces {
			out[p.Piece.ID] = studio.Outcome{What: studio.Failed, Cause: "supports too few"}
		}
		require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))
	}
	fail()
	fail()
	sheet, err := s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, sheet.Holds, "it is not the machine's doing")
	assert.Empty(t, sheet.Waiting)
	require.Len(t, sheet.Held, 2)
	assert.Contains(t, sheet.Held[0].Why, "failed in 2 runs in a row, and the file is to blame (supports too few)")
	assert.Equal(t, s.Tarn, sheet.Held[0].MachineID)
	assert.Zero(t, sheet.Held[1].MachineID, "asked once for both")
	_, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	apptest.Refusal(t, err, "No piece waits")

	r := studio.Remedy{MachineID: s.Tarn, ModelID: sheet.Held[0].Piece.ModelID, Cause: "supports too few"}
	apptest.Refusal(t, s.Plates.PutRight(s.Ctx, s.Bench, r), "Say what was put right")
	s.Clock.Pass(time.Minute)
	r.Did = "more supports"
	require.NoError(t, s.Plates.PutRight(s.Ctx, s.Bench, r))
	sheet, err = s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, sheet.Held)
	require.Len(t, sheet.Waiting, 1)
	fail()
	sheet, err = s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, sheet.Held, "one failure since then")
	fail()
	sheet, err = s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	assert.Len(t, sheet.Held, 2)
}
