package stock_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/plates"
	"sakuji/app/setup"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// A lot comes, is opened by its first run, goes down by what runs take, is set right by weighing, and
// its price reaches the cost of the run; what is spoken for and the least say what to buy.
func TestLots(t *testing.T) {
	s := apptest.New(t)
	stock := func() studio.Stock {
		sheet, err := s.Stock.Sheet(s.Ctx)
		require.NoError(t, err)
		for _, m := range sheet.Stock {
			if m.Material.ID == s.Resin {
				return m
			}
		}
		t.Fatal("no resin")
		return studio.Stock{}
	}
	assert.Empty(t, stock().Lots)
	assert.Zero(t, stock().BuyG())
	no := s.Order(3, route.Raw)
	s.Accept(no)
	spoken := stock().ReservedG
	assert.Positive(t, spoken)
	assert.InDelta(t, spoken, stock().BuyG(), 1e-9, "there is none of it")
	apptest.Refusal(t, s.Stock.Received(s.Ctx, s.Bench, studio.Lot{MaterialID: s.Resin, Label: " ", Grams: 500}), "hat stands on it")
	apptest.Refusal(t, s.Stock.Received(s.Ctx, s.Bench, studio.Lot{MaterialID: s.Resin, Label: "bottle", Grams: -5}), "hat is in it")
	assert.ErrorIs(t, s.Stock.Received(s.Ctx, s.Bench, studio.Lot{MaterialID: 99, Label: "bottle", Grams: 5}), store.ErrNotFound)
	require.NoError(t, s.Stock.Received(s.Ctx, s.Bench, studio.Lot{MaterialID: s.Resin, Label: "bottle 1", Grams: 500, PricePerKG: 400}))
	s.Clock.Pass(time.Minute)
	require.NoError(t, s.Stock.Received(s.Ctx, s.Bench, studio.Lot{MaterialID: s.Resin, Label: "bottle 2", Grams: 12, Expires: s.Clock.At.Add(48 * time.Hour)}))
	assert.Equal(t, "bottle 2", stock().Lots[0].Label, "what expires is used up first")
	assert.InDelta(t, 512, stock().LeftG, 1e-9)
	require.NoError(t, s.Stock.SetLeast(s.Ctx, s.Owner, s.Resin, 1000))
	assert.InDelta(t, 1000+spoken-512, stock().BuyG(), 1e-9)
	apptest.Refusal(t, s.Stock.SetLeast(s.Ctx, s.Owner, s.Resin, -1), "etween nothing")

	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	sheet := apptest.Lies(t, s, number)
	takes := sheet.Estimate.Grams
	small, large := sheet.Lots[0], sheet.Lots[1]
	var ask *studio.Confirm
	require.ErrorAs(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{Lot: studio.Lot{ID: small.ID}}), &ask)
	assert.Contains(t, ask.Text, "should have 12 g left")
	apptest.Refusal(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{Lot: studio.Lot{ID: 77}}), "used up, or of another material")
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{Lot: studio.Lot{ID: large.ID}}))
	running := apptest.Lies(t, s, number)
	assert.InDelta(t, 400, running.Material.Figures.V("price"), 1e-9, "its own price")
	assert.Greater(t, running.Estimate.CostMinor, sheet.Estimate.CostMinor)
	s.Clock.Pass(12 * time.Hour)
	out := map[int64]studio.Outcome{}
	for _, p := range running.Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Good}
	}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: running.Plate.Run.Due()}))
	now := stock()
	assert.Equal(t, "bottle 1", now.Lots[0].Label, "what is open is used up first")
	assert.False(t, now.Lots[0].Opened.IsZero())
	assert.InDelta(t, 500-takes, now.Lots[0].LeftG(), 1e-6, "pieces, supports and the loss of the plate")
	assert.Zero(t, now.ReservedG)

	s.Clock.Pass(time.Minute)
	require.NoError(t, s.Stock.Weigh(s.Ctx, s.Bench, large.ID, 300))
	assert.InDelta(t, 300, stock().Lots[0].LeftG(), 1e-9)
	apptest.Refusal(t, s.Stock.Weigh(s.Ctx, s.Bench, large.ID, 501), "that were bought")
	require.NoError(t, s.Stock.End(s.Ctx, s.Bench, large.ID))
	assert.Len(t, stock().Lots, 1)
	assert.ErrorIs(t, s.Stock.End(s.Ctx, s.Bench, 99), store.ErrNotFound)

	// Taken back and emptied again, it is booked once.
	s.Clock.Pass(72 * time.Hour)
	assert.True(t, stock().Lots[0].Expired(s.Clock.At))
	assert.Contains(t, stock().Lots[0].Short(1, s.Clock.At), "expired")
}

// A wash says which bath, the bath counts parts and surface, and wants changing by the book; filled
// again it begins at nothing, and the old one takes no more. From a piece to its machine, plate, lot and
// bath, and back from lot and bath to their pieces.
func TestBathsAndWhence(t *testing.T) {
	s := apptest.New(t)
	require.NoError(t, s.Stock.Received(s.Ctx, s.Bench, studio.Lot{MaterialID: s.Resin, Label: "bottle 1", Grams: 1000}))
	apptest.Refusal(t, s.Stock.Filled(s.Ctx, s.Bench, studio.Bath{Name: "wash", Litres: 4, StrengthPercent: 140}), "strength")
	require.NoError(t, s.Stock.Filled(s.Ctx, s.Bench, studio.Bath{Name: "wash", Litres: 0.001, StrengthPercent: 96}))
	no := s.Order(2, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	sheet := apptest.Lies(t, s, number)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{Lot: studio.Lot{ID: sheet.Lots[0].ID}}))
	s.Clock.Pass(12 * time.Hour)
	out := map[int64]studio.Outcome{}
	for _, p := range sheet.Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Good}
	}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: s.Clock.At}))
	piece, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	require.Equal(t, route.Wash, piece.Kind())
	require.Len(t, piece.Baths, 1)
	assert.Contains(t, piece.Load, "at once")
	first := piece.Baths[0]
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: 2, Bath: 99})
	apptest.Refusal(t, err, "That bath was emptied")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: 2, Bath: first.ID})
	require.NoError(t, err)
	stock, err := s.Stock.Sheet(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, 1, stock.Baths[0].Parts)
	assert.InEpsilon(t, piece.Model.Measures.AreaMM2, stock.Baths[0].AreaMM2, 1e-9)
	assert.Contains(t, stock.Baths[0].Due(stock.Shop.Book), "wants changing: 1 part", "a spoonful does not take a vase")
	piece, err = s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, store.Whence{Machine: "Tarn", Plate: number, Lot: "bottle 1", Bath: "wash"}, piece.Whence)
	made, err := s.Stock.Made(s.Ctx, sheet.Lots[0].ID, 0)
	require.NoError(t, err)
	assert.Len(t, made, 2)
	made, err = s.Stock.Made(s.Ctx, 0, first.ID)
	require.NoError(t, err)
	require.Len(t, made, 1)
	assert.Equal(t, no+"-1", made[0].Code)

	require.NoError(t, s.Stock.Filled(s.Ctx, s.Bench, studio.Bath{Name: "Wash ", Litres: 4, StrengthPercent: 96}))
	stock, err = s.Stock.Sheet(s.Ctx)
	require.NoError(t, err)
	require.Len(t, stock.Baths, 1)
	assert.Zero(t, stock.Baths[0].Parts)
	assert.Empty(t, stock.Baths[0].Due(stock.Shop.Book))
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-2", studio.Stamp{Minutes: 2, Bath: first.ID})
	apptest.Refusal(t, err, "That bath was emptied")
}

// What wears on a machine is counted by its runs; replaced, it begins again.
func TestWearOfAMachine(t *testing.T) {
	s := apptest.New(t)
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	tarn, _ := h.Machine(s.Tarn)
	figures := map[rates.FigureKey]float64{}
	for key, f := range tarn.Figures {
		figures[key] = f.Value
	}
	figures["film_plates"] = 1
	_, err = s.Setup.SaveMachine(s.Ctx, s.Owner, s.Tarn, setup.GearForm{Name: tarn.Name, Process: tarn.Process, Active: true, Figures: figures})
	require.NoError(t, err)
	no := s.Order(1, route.Raw)
	s.Accept(no)
	sheet := func() plates.PlatesSheet {
		all, err := s.Plates.Plates(s.Ctx)
		require.NoError(t, err)
		return all
	}
	assert.Empty(t, sheet().Worn[s.Tarn])
	s.Print(no + "-1")
	worn := sheet().Worn[s.Tarn]
	require.Len(t, worn, 1)
	assert.Equal(t, "The film has done 1 of 1 plates: replace it.", worn[0].Text())
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	for _, c := range apptest.Lies(t, s, number).Ready {
		assert.True(t, c.Key != "film" || c.Why == worn[0].Text(), "it is asked before the run")
	}
	apptest.Refusal(t, s.Plates.Replaced(s.Ctx, s.Bench, s.Tarn, process.Nozzle), "no such part")
	assert.ErrorIs(t, s.Plates.Replaced(s.Ctx, s.Bench, 99, process.Film), store.ErrNotFound)
	s.Clock.Pass(time.Minute)
	require.NoError(t, s.Plates.Replaced(s.Ctx, s.Bench, s.Tarn, process.Film))
	assert.Empty(t, sheet().Worn[s.Tarn])
}
