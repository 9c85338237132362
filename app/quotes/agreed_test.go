package quotes_test

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/money"
	"sakuji/app/orders"
	"sakuji/app/plates"
	"sakuji/app/quotes"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// second drops what a change made: only whether it was refused counts.
func second[T any](_ T, err error) error { return err }

// What an order takes up again of an old revision has none of the parts that came later.
func TestAnOldRevisionHasNoNewerParts(t *testing.T) {
	s := apptest.New(t)
	no := apptest.Enquiry(s)
	var kit bytes.Buffer
	require.NoError(t, mesh.Write3MF(&kit, []mesh.Object{
		{Name: "cup", Soup: meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {12, 15}, {0, 15}}, 32)},
		{Name: "saucer", Soup: meshtest.Box(mesh.Vec{X: 30}, mesh.Vec{X: 20, Y: 20, Z: 3})},
	}))
	items, _, err := s.Orders.AddItem(s.Ctx, s.Owner, no, []models.Upload{apptest.Upload("tea.3mf", kit.Bytes())}, false)
	require.NoError(t, err)
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	first := apptest.Pricing(t, s, no)
	require.Equal(t, studio.JobDone, apptest.Remade(s, items[0].Parts[0].ModelID, studio.JobBodies, studio.JobOptions{}).State)
	require.NoError(t, s.Quotes.UseBodies(s.Ctx, s.Owner, no, items[0].Parts[0].ID, 0))
	s.Change(no, items[0].ID, 3, route.Painted, 1.5)
	require.Len(t, apptest.Pricing(t, s, no).Items[0].Parts, 2)
	require.NoError(t, s.Quotes.RestartFrom(s.Ctx, s.Owner, no, 1))
	again := apptest.Pricing(t, s, no)
	require.Len(t, again.Items[0].Parts, 1)
	assert.Equal(t, first.Items[0].Parts[0].ID, again.Items[0].Parts[0].ID)
	assert.Equal(t, first.Price.TotalMinor, again.Price.TotalMinor, "and costs what it cost")
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
}

// What the client chose is what the quote says afterwards: a raw kit promises no painting.
func TestTheChoiceIsWhatIsPromised(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Painted)
	require.NoError(t, s.Quotes.SaveVariant(s.Ctx, s.Owner, no, studio.Variant{Name: "Raw kit", Tier: route.Raw, Offered: true}))
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	promised := func() string { return strings.Join(q.Taken().Included, "; ") }
	assert.Contains(t, promised(), "painting")
	painted := q.Taken()
	require.NoError(t, s.Quotes.AnswerQuote(s.Ctx, q.Token, quotes.Answer{Accept: true, Name: "Odile", Agreed: true, Chosen: studio.Chosen{Alternative: 1}}))
	sheet := apptest.Pricing(t, s, no)
	q = *sheet.AcceptedQuote()
	assert.NotContains(t, promised(), "painting")
	assert.Less(t, q.Taken().Earliest, painted.Earliest)
	assert.Equal(t, q.TotalMinor, sheet.Price.TotalMinor, "what was agreed is the price of every sheet")
	assert.NotContains(t, quotes.Summary(q, ""), "painting, ")

	// Rates that move later move today's estimate and nothing that was agreed.
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"wage": 90}))
	later := apptest.Pricing(t, s, no)
	assert.Equal(t, q.TotalMinor, later.Price.TotalMinor)
	assert.Greater(t, later.Today.TotalMinor, q.TotalMinor)
	assert.NotEmpty(t, later.MovedSince(q), "and says why")
}

// A change to what was agreed asks for no deposit that has been paid.
func TestNoSecondDeposit(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(4, route.Painted)
	first := s.Accept(no)
	require.NoError(t, s.Paid(no, studio.Money{Minor: first.DepositMinor, Currency: "EUR"}.Plain()))
	s.Change(no, apptest.Pricing(t, s, no).Items[0].ID, 5, route.Painted, 1)
	second := s.Accept(no)
	require.Greater(t, second.TotalMinor, first.TotalMinor)
	assert.Equal(t, first.DepositMinor, second.Document.PaidMinor)
	a := studio.AccountOf(&second, apptest.Pricing(t, s, no).Payments)
	assert.Equal(t, second.DepositMinor-first.DepositMinor, a.DepositOpen().Minor, "the share of what was added")
}

// The money of an order comes to an end: more than is owed is asked about, a mistake is
// reversed, and closing with money open wants a reason.
func TestTheMoneyHasAnEnd(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	q := s.Accept(no)
	s.Print()
	s.Finish(no + "-1")
	require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false))
	apptest.Refusal(t, s.Money.CloseOrder(s.Ctx, s.Owner, no, ""), q.Total().String())
	pay := func(kind studio.PaymentKind, amount string, sure bool) error {
		return s.Money.NotePayment(s.Ctx, s.Owner, no, money.PaymentForm{Kind: kind, Amount: amount, Sure: sure})
	}
	apptest.Refusal(t, pay(studio.PaidPart, "ten", false), "ten")
	apptest.Refusal(t, pay(studio.PaidPart, "-3", false), "")
	assert.Contains(t, apptest.Asked(t, pay(studio.PaidRest, "100000", false)), "more than that")
	require.NoError(t, pay(studio.PaidPart, "1,50", false))
	paid := apptest.Pricing(t, s, no).Payments
	require.Len(t, paid, 1)
	assert.EqualValues(t, 150, paid[0].AmountMinor)
	require.NoError(t, s.Money.ReversePayment(s.Ctx, s.Owner, no, paid[0].ID))
	apptest.Refusal(t, s.Money.ReversePayment(s.Ctx, s.Owner, no, paid[0].ID), "already")
	require.NoError(t, pay(studio.PaidRest, q.Total().Plain(), false))
	today, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	for _, task := range today.Tasks {
		assert.NotContains(t, task.Title+task.Detail, "still to be paid")
	}
	require.NoError(t, s.Money.CloseOrder(s.Ctx, s.Owner, no, ""), "nothing is open")
}

// Dates that make no sense are asked about, and taken when they are meant.
func TestOddDatesAreAskedAbout(t *testing.T) {
	s := apptest.New(t)
	form := orders.OrderForm{NewClient: "Odile Brackwater", Title: "A toad", Wanted: "2026-05-01"}
	assert.NotEmpty(t, apptest.Asked(t, second(s.Orders.NewOrder(s.Ctx, s.Owner, form))), "a day that has passed")
	form.Sure = true
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, form)
	require.NoError(t, err)
	assert.Equal(t, "2026-05-01", o.Wanted.UTC().Format(time.DateOnly))
	apptest.Refusal(t, second(s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{ClientID: 1, Title: "x", Wanted: "yesterday"})), "yesterday")

	// Two clients of one name are told apart.
	form = orders.OrderForm{NewClient: "odile  BRACKWATER", Title: "Another toad"}
	assert.Contains(t, apptest.Asked(t, second(s.Orders.NewOrder(s.Ctx, s.Owner, form))), "Odile Brackwater")
	form.Sure = true
	_, err = s.Orders.NewOrder(s.Ctx, s.Owner, form)
	require.NoError(t, err)
	known, err := s.Orders.Clients(s.Ctx)
	require.NoError(t, err)
	require.Len(t, known, 2)
	assert.NotEqual(t, studio.ClientLabel(known[0], known), studio.ClientLabel(known[1], known))
}

// A cancelled order's piece on a running plate is taken off the plate, and never stands on
// the bench.
func TestCancelledWhileItRuns(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "the opera has closed"))
	plate, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	for _, p := range plate.Pieces {
		assert.Equal(t, studio.PieceOff, p.Piece.State, "it is marked while the plate runs")
	}
	s.Clock.Pass(48 * time.Hour)
	require.NoError(t, s.Plates.FinishRun(s.Ctx, s.Bench, number, time.Time{}, nil))
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{}))
	bench, err := s.Pieces.Bench(s.Ctx, "all", "")
	require.NoError(t, err)
	assert.Empty(t, bench.Rows)
}
