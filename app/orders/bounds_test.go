package orders_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
)

// However an item comes to an order, the order holds so many pieces and no more.
func TestHowMuchAnOrderHolds(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1000, route.Raw)
	item := func() studio.Item {
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		return sheet.Specs()[0]
	}
	form := func(copies int) orders.ItemForm {
		it := item()
		return orders.ItemForm{Title: it.Title, Tier: it.Tier, Copies: 1000, Scale: 1, Parts: map[int64]orders.PartForm{it.Parts[0].ID: {Process: process.Resin, Copies: copies}}}
	}
	const most = "an order holds 5000 at most"
	add := func(files ...models.Upload) []string {
		_, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, no, files, false)
		require.NoError(t, err)
		return problems
	}
	one := apptest.Upload("one-more.stl", apptest.VaseOf(30))
	apptest.Refusal(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, item().ID, form(6)), "6000 pieces; "+most)
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, item().ID, form(5)))
	assert.Equal(t, []string{"That comes to 5001 pieces; " + most}, add(one))
	assert.Equal(t, []string{"That comes to 5002 pieces; " + most}, add(one, apptest.Upload("two-more.stl", apptest.VaseOf(31))))
	open, err := s.Jobs.JobsOfOrder(s.Ctx, no)
	require.NoError(t, err)
	assert.Empty(t, open, "no job is left standing")
	again, err := s.Orders.RepeatOrder(s.Ctx, s.Owner, no)
	require.NoError(t, err)
	no = again.Number
	_, _, err = s.Orders.AddItem(s.Ctx, s.Owner, no, []models.Upload{one}, false) // the file is known by now
	apptest.Refusal(t, err, "5001 pieces; "+most)
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, item().ID, form(4)))
	assert.Empty(t, add(one))
}
