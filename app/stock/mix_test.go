package stock_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/setup"
	"sakuji/studio"
)

// A mix is a lot of its own: what went into it is gone from the others, its price is theirs, its recipe is
// kept, and can be mixed once more from what has taken their place.
func TestAMixIsALotWithARecipe(t *testing.T) {
	s := apptest.New(t)
	receive := func(label string, price float64, days int) {
		l := studio.Lot{MaterialID: s.Resin, Label: label, Grams: 1000, PricePerKG: price}
		if days > 0 {
			l.Expires = s.Clock.At.AddDate(0, 0, days)
		}
		require.NoError(t, s.Stock.Received(s.Ctx, s.Owner, l))
	}
	receive("grey 1", 30, 90)
	receive("tough 1", 50, 30)
	stock := func() map[string]studio.Lot {
		sheet, err := s.Stock.Sheet(s.Ctx)
		require.NoError(t, err)
		out := map[string]studio.Lot{}
		for _, st := range sheet.Stock {
			for _, l := range st.Lots {
				out[l.Label] = l
			}
		}
		return out
	}
	grey, tough := stock()["grey 1"], stock()["tough 1"]
	mix := func(label string, grams map[int64]float64) error {
		return s.Stock.Mix(s.Ctx, s.Bench, s.Resin, label, grams)
	}
	apptest.Refusal(t, mix("m", map[int64]float64{grey.ID: 100}), "two lots at least")
	apptest.Refusal(t, mix("m", map[int64]float64{grey.ID: 1100, tough.ID: 5}), "there are 1000 g")
	apptest.Refusal(t, mix("m", map[int64]float64{grey.ID: 100, tough.ID: -5}), "Of tough 1")
	apptest.Refusal(t, mix(" ", map[int64]float64{grey.ID: 100, tough.ID: 50}), "what stands on it")
	require.NoError(t, mix("tough grey", map[int64]float64{grey.ID: 350, tough.ID: 150}))
	got := stock()["tough grey"]
	assert.InDelta(t, 500, got.LeftG(), 1e-9)
	assert.InDelta(t, 36, got.PricePerKG, 1e-9, "(350 × 30 + 150 × 50) / 500")
	assert.Equal(t, "70 % of grey 1 and 30 % of tough 1", got.Recipe())
	assert.WithinDuration(t, tough.Expires, got.Expires, time.Millisecond, "good as long as the first of them")
	assert.InDelta(t, 650, stock()["grey 1"].LeftG(), 1e-9)
	assert.False(t, stock()["tough 1"].Opened.IsZero())

	lots := []studio.Lot{stock()["grey 1"], stock()["tough 1"]}
	assert.Equal(t, map[int64]float64{grey.ID: 350, tough.ID: 150}, got.Again(lots))
	require.NoError(t, s.Stock.End(s.Ctx, s.Bench, grey.ID))
	receive("grey 2", 31, 200)
	all := stock()
	again := got.Again([]studio.Lot{all["tough 1"], all["grey 2"]})
	assert.InDelta(t, 500, again[tough.ID]+again[all["grey 2"].ID], 1e-9, "of what there is of the same material")

	require.NoError(t, s.Stock.WeighFull(s.Ctx, s.Bench, tough.ID, 900, 120))
	assert.InDelta(t, 780, stock()["tough 1"].LeftG(), 1e-9)
	apptest.Refusal(t, s.Stock.WeighFull(s.Ctx, s.Bench, tough.ID, 90, 120), "less than the 120 g")
	apptest.Refusal(t, s.Stock.WeighFull(s.Ctx, s.Bench, tough.ID, 900, 0), "when it is empty")
	apptest.Refusal(t, s.Setup.SetDevices(s.Ctx, s.Owner, setup.Devices{Scale: "the one on the shelf"}), "is no address")
	require.NoError(t, s.Setup.SetDevices(s.Ctx, s.Owner, setup.Devices{Scale: "http://127.0.0.1:8652/"}))
	sheet, err := s.Stock.Sheet(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, "http://127.0.0.1:8652", sheet.Shop.Studio.Defaults.Scale)
}
