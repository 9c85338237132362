package plates_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
)

// BenchmarkPlateSheet reads the sheet of a plate of 150 pieces, with more waiting.
func BenchmarkPlateSheet(b *testing.B) {
	s := apptest.New(b)
	no := s.Order(190, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(b, err)
	it := sheet.Items[0]
	require.NoError(b, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, orders.ItemForm{Title: it.Title, Tier: it.Tier, Copies: it.Copies, Scale: 0.2}))
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(b, err)
	plate, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(b, err)
	b.Run("sheet", func(b *testing.B) {
		for b.Loop() {
			_, err = s.Plates.PlateSheet(s.Ctx, number)
			require.NoError(b, err)
		}
		b.ReportMetric(float64(len(plate.Pieces)), "pieces")
	})
	b.Run("whatif", func(b *testing.B) {
		for b.Loop() {
			_, err = s.Plates.WhatIf(s.Ctx, process.Resin, s.Resin, studio.PrintProfile{}, studio.OtherMachine{}, 0)
			require.NoError(b, err)
		}
	})
}
