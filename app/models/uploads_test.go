package models_test

import (
	"bytes"
	"image"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/core/route"
	"sakuji/studio"
)

func TestUploadsThatAreWrong(t *testing.T) {
	s := apptest.New(t)
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "N", Title: "T", Sure: true})
	require.NoError(t, err)
	cut := apptest.Slab()
	added, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, o.Number, []models.Upload{apptest.Upload("broken.stl", cut[:200]), apptest.Upload("../../etc/slab.stl", apptest.Slab())}, false)
	require.NoError(t, err)
	require.Len(t, added, 1, "the good one is kept")
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0], "broken.stl could not be read as a model")
	assert.Contains(t, problems[0], "12 triangles")
	assert.Equal(t, "slab.stl", added[0].Parts[0].Model.Name)

	again, _, err := s.Orders.AddItem(s.Ctx, s.Owner, o.Number, []models.Upload{apptest.Upload("copy.stl", apptest.Slab()), apptest.Upload("vase.stl", apptest.Vase())}, true)
	require.NoError(t, err)
	require.Len(t, again, 2, "an item for each")
	assert.Equal(t, added[0].Parts[0].ModelID, again[0].Parts[0].ModelID, "the same file twice is one model")
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewGray(image.Rect(0, 0, 6, 4))))
	n, problems, err := s.Orders.AddPictures(s.Ctx, s.Owner, o.Number, []models.Upload{apptest.Upload("x.png", []byte("<html>")), apptest.Upload("old.gif", []byte("GIF89a\x01\x00\x01\x00\x00\x00\x00;")),
		apptest.Upload("a.png", picture.Bytes()), apptest.Upload("b.png", picture.Bytes()), apptest.Upload("c.pdf", []byte("%PDF-1.7"))})
	require.NoError(t, err)
	assert.Equal(t, 2, n, "the refused ones leave the others; the same picture twice is one")
	assert.Contains(t, strings.Join(problems, " "), "x.png: not a JPEG, PNG or WebP picture. It was not kept.")
	assert.Contains(t, strings.Join(problems, " "), "old.gif: not a JPEG, PNG or WebP picture")
	assert.Contains(t, strings.Join(problems, " "), "b.png is here already, as a.png")
	there, err := s.Quotes.OrderSheet(s.Ctx, o.Number)
	require.NoError(t, err)
	require.Len(t, there.Pictures, 2)
	assert.Equal(t, []string{"image/jpeg", "application/pdf"}, []string{there.Pictures[0].Type, there.Pictures[1].Type}, "what browsers are given is of our own making")
}

// A whole kit dropped at once is one item in parts; every copy of every part is a
// piece of its own.
func TestKitInParts(t *testing.T) {
	s := apptest.New(t)
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Moth Post Guild", Title: "Kiosk kit", Sure: true})
	require.NoError(t, err)
	items, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, o.Number, []models.Upload{apptest.Upload("kiosk_roof.stl", apptest.Vase()), apptest.Upload("kiosk-wall.stl", apptest.Slab())}, false)
	require.NoError(t, err)
	require.Empty(t, problems)
	require.Len(t, items, 1)
	require.Len(t, items[0].Parts, 2)
	form := orders.ItemForm{Title: "Kiosk", Tier: route.Raw, Copies: 2, Scale: 1, Parts: map[int64]orders.PartForm{}}
	for i, p := range items[0].Parts {
		form.Parts[p.ID] = orders.PartForm{Process: []string{"resin", "filament"}[i], Copies: []int{1, 4}[i]}
	}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, o.Number, items[0].ID, form))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, o.Number)
	require.NoError(t, err)
	assert.Contains(t, sheet.Items[0].Detail, "2 parts, ")
	s.Accept(o.Number)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, o.Number)
	require.NoError(t, err)
	count := map[string]int{}
	for _, p := range sheet.Pieces {
		count[p.Name+", "+p.Process]++
		assert.Equal(t, route.Print, p.Stages[0].Kind)
	}
	assert.Equal(t, map[string]int{"Kiosk, roof, resin": 2, "Kiosk, wall, filament": 8}, count)
	plates, err := s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	require.Len(t, plates.Waiting, 2, "resin and filament wait apart")
	assert.Equal(t, "Fell", plates.Waiting[1].Machines[0].Name)
	number, left, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Fell, s.PLA, studio.PrintProfile{})
	require.NoError(t, err)
	assert.Empty(t, left)
	plate, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Len(t, plate.Pieces, 8)
	left, err = s.Plates.FillAgain(s.Ctx, s.Bench, number)
	require.NoError(t, err)
	assert.Empty(t, left)
	refilled, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Len(t, refilled.Pieces, 8)
	form.Copies, form.Parts[items[0].Parts[0].ID] = 1000, orders.PartForm{Process: "resin", Copies: 2}
	apptest.Refusal(t, s.Orders.ChangeItem(s.Ctx, s.Owner, o.Number, items[0].ID, form), "6000 pieces; an order holds 5000 at most")
}
