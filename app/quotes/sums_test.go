package quotes_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/quotes"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// What was agreed stays to the cent when rates and tax move: each item's line, and the tax of it. Only what is new is at
// today's price, with today's tax on it alone.
func TestWhatWasAgreedStaysToTheCent(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Painted)
	q := s.Accept(no)
	agreed := q.Taken()
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"wage": 61, "wage.paint": 63}))
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	profile := h.Studio
	profile.TaxPercent = 7
	require.NoError(t, s.Setup.SaveStudio(s.Ctx, s.Owner, profile))

	d := apptest.Pricing(t, s, no)
	require.Len(t, d.Items, 1)
	assert.True(t, d.Items[0].Kept)
	assert.Equal(t, agreed.Items[0].NetMinor, d.Items[0].NetMinor, "its line is as agreed")
	assert.Equal(t, agreed.Items[0].NetMinor, d.Items[0].Share.Minor)
	assert.Equal(t, agreed.NetMinor, d.Price.NetMinor)
	assert.Equal(t, agreed.TaxMinor, d.Price.TaxMinor)
	assert.NotEqual(t, d.Today.NetMinor, d.Price.NetMinor, "today it would be another")

	items, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, no, []models.Upload{apptest.Upload("vase.stl", apptest.Vase())}, false)
	require.NoError(t, err)
	require.Empty(t, problems)
	s.Change(no, items[0].ID, 2, route.Primed, 1)
	d = apptest.Pricing(t, s, no)
	require.Len(t, d.Items, 2)
	fresh := d.Items[1].NetMinor
	assert.Positive(t, fresh)
	assert.Equal(t, agreed.Items[0].NetMinor, d.Items[0].NetMinor, "its line still is")
	assert.Equal(t, agreed.NetMinor+fresh, d.Price.NetMinor)
	assert.Equal(t, agreed.TaxMinor+quote.Share(fresh, 7), d.Price.TaxMinor, "7 % on what is new, 20 % on what was agreed")
	assert.Equal(t, d.Price.NetMinor+d.Price.TaxMinor, d.Price.TotalMinor)
	assert.Equal(t, quote.Share(d.Price.TotalMinor, d.Terms.DepositPercent), d.Price.DepositMinor)
}

// The deposit that a client reads in a message is the one that is asked: of the price with its tax.
func TestTheDepositIsOfThePriceWithTax(t *testing.T) {
	s := apptest.New(t)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, s.Order(3, route.Painted), "")
	require.NoError(t, err)
	deposit := quote.Share(q.Document.Price.TotalMinor, q.Document.Terms.DepositPercent)
	assert.Greater(t, deposit, quote.Share(q.Document.Price.NetMinor, q.Document.Terms.DepositPercent))
	assert.Equal(t, deposit, q.DepositMinor)
	assert.Contains(t, quotes.Summary(q, "a link"), "Deposit on acceptance: "+q.Document.Studio.Money(deposit).String()+"\n")
}

// A month's fee is shared by as many orders as a studio has of a design in it, and asked once of an order, however many
// of its parts are of the design.
func TestASubscriptionIsShared(t *testing.T) {
	s := apptest.New(t)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"subscription.uses": 5}))
	no := s.Order(4, route.Raw)
	it := apptest.Pricing(t, s, no).Items[0]
	until := s.Clock.Now().AddDate(0, 3, 0)
	require.NoError(t, s.Models.SaveLicence(s.Ctx, s.Owner, it.Parts[0].ModelID,
		models.LicenceForm{Licence: studio.LicenceSubscription, Fee: "12", Until: until}))
	d := apptest.Pricing(t, s, no)
	require.Len(t, d.Items[0].Fees, 1)
	assert.Equal(t, 12.0/5, d.Items[0].Fees[0].Each)
	fee := int64(0)
	for _, l := range d.Items[0].Estimate.Lines {
		if l.Kind == quote.Bought {
			fee += l.Minor
		}
	}
	assert.EqualValues(t, 2_40, fee)
}
