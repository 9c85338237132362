package plates_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
)

// printedIn gives the only part of an order's item a profile.
func printedIn(t *testing.T, s *apptest.Studio, no string, p studio.PrintProfile) error {
	t.Helper()
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	it := sheet.Items[0]
	return s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, orders.ItemForm{Title: it.Title, Tier: it.Tier, Copies: it.Copies, Scale: it.Scale,
		Parts: map[int64]orders.PartForm{it.Parts[0].ID: {Process: process.Resin, MaterialID: s.Resin, Copies: 1, Profile: &p}}})
}

// Pieces in other layers wait apart, take a plate of their own, and are timed by their layers; one of
// them is not laid among others, and says why.
func TestPlatesAreOfOneProfile(t *testing.T) {
	s := apptest.New(t)
	usual, coarse := s.Order(2, route.Raw), s.Order(2, route.Raw)
	apptest.Refusal(t, printedIn(t, s, coarse, studio.PrintProfile{LayerMM: 0.6}), "Layer of Vase")
	require.NoError(t, printedIn(t, s, coarse, studio.PrintProfile{LayerMM: 0.05}))
	s.Accept(usual)
	s.Accept(coarse)
	pieces, codes := apptest.PiecesOf(t, s, coarse)
	require.Len(t, codes, 2)
	assert.Equal(t, 0.05, pieces[codes[0]].Profile.LayerMM)

	sheet, err := s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	require.Len(t, sheet.Waiting, 2)
	by := studio.PrintProfile{LayerMM: 0.05}
	assert.Equal(t, by, sheet.Waiting[1].Profile)
	first, left, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	assert.Empty(t, left)
	fine, err := s.Plates.PlateSheet(s.Ctx, first)
	require.NoError(t, err)
	require.Len(t, fine.Pieces, 2)
	assert.Empty(t, fine.Candidates, "what waits is in other layers")
	apptest.Refusal(t, s.Plates.AddToPlate(s.Ctx, s.Bench, first, codes[0]), "it does not wait for a plate in")

	w, err := s.Plates.WhatIf(s.Ctx, process.Resin, s.Resin, by, studio.OtherMachine{}, 0)
	require.NoError(t, err)
	assert.Len(t, w.Pieces, 2)
	second, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, by)
	require.NoError(t, err)
	other, err := s.Plates.PlateSheet(s.Ctx, second)
	require.NoError(t, err)
	assert.Equal(t, 0.05, other.Machine.Figures.V("layer"))
	assert.InDelta(t, process.ResinOf(other.Machine.Figures).Minutes(40), other.Estimate.Minutes, 0.01)
	assert.Less(t, other.Estimate.Minutes, 0.7*fine.Estimate.Minutes, "three layers where there were five")
	_, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, by)
	apptest.Refusal(t, err, "0.05 mm layers")
}
