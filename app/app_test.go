package app_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/app/setup"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// One order, all the way.
func TestOrderFromFileToClosed(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Primed)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Items, 1)
	assert.InDelta(t, 40, sheet.Items[0].Parts[0].Model.Measures.SizeMM[2], 1e-4)
	assert.Positive(t, sheet.Price.TotalMinor)
	assert.Empty(t, sheet.Troubles())

	q := s.Accept(no)
	assert.Equal(t, sheet.Price.TotalMinor, q.TotalMinor, "frozen as it was shown")
	require.NoError(t, s.Paid(no, q.Deposit().Plain()))
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Pieces, 3)
	assert.Equal(t, studio.Accepted, sheet.Order.State)
	assert.Equal(t, []string{no + "-1", no + "-2", no + "-3"}, []string{sheet.Pieces[0].Code, sheet.Pieces[1].Code, sheet.Pieces[2].Code})

	s.Print()
	for _, p := range sheet.Pieces {
		s.Finish(p.Code)
	}
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.True(t, d.Complete())
	assert.Positive(t, d.Planned)
	assert.InDelta(t, 3*14*5+d.Hours[0].Actual, d.Actual, 0.01, "fourteen stages of five minutes each, and the plate")
	require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false))
	apptest.Refusal(t, s.Money.CloseOrder(s.Ctx, s.Owner, no, ""), "give the reason")
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.NoError(t, s.Paid(no, sheet.Account().Open().Plain()))
	require.NoError(t, s.Money.CloseOrder(s.Ctx, s.Owner, no, ""))
	apptest.Refusal(t, s.Money.CloseOrder(s.Ctx, s.Owner, no, ""), "closed after delivery")
	apptest.Refusal(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "too late"), "cannot be cancelled")

	log, err := s.Logbook(s.Ctx, 0)
	require.NoError(t, err)
	var events []string
	for _, e := range log {
		events = append(events, e.Event)
		assert.NotEmpty(t, e.Who, e.Event)
	}
	for _, want := range []string{"enquiry taken in", "item added", "quote sent", "quote accepted", "pieces made", "payment arrived", "plate laid", "run started",
		"run ended", "plate emptied", "printed", "stamped", "delivered", "order closed"} {
		assert.Contains(t, events, want)
	}
}

func TestFindByAFewLetters(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	s.Accept(no)
	second := s.Order(1, route.Raw)
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, second, "colour", "Coat: Préußisch blue"))
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, second, "question", "Which ŁÓDŹ red?"))
	for letters, want := range map[string]string{"rackwa": "client", "vas": "order", no + "-": "piece", "%": "", "preussisch": "colour", "lodz": "question", "VÁSE": "order"} {
		found, err := s.Today.Find(s.Ctx, letters)
		require.NoError(t, err)
		kinds := ""
		for _, f := range found {
			kinds += f.Kind + " "
		}
		if want == "" {
			assert.Empty(t, kinds, "a sign is a sign, not a wildcard")
		} else {
			assert.Contains(t, kinds, want, letters)
		}
	}
}

// Every change leaves a line in the logbook; a change refused leaves none.
func TestEveryChangeIsLogged(t *testing.T) {
	s := apptest.New(t)
	lines := func() int {
		list, err := s.Logbook(s.Ctx, 0)
		require.NoError(t, err)
		if len(list) == 0 {
			return 0
		}
		return int(list[0].ID)
	}
	no := s.Order(1, route.Primed)
	s.Accept(no)
	s.Print()
	code := no + "-1"
	for name, do := range map[string]func() error{
		"stamp":  func() error { _, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 1}); return err },
		"client": func() error { _, err := s.Orders.SaveClient(s.Ctx, s.Owner, studio.Client{Name: "New"}); return err },
		"rates":  func() error { return s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"wage": 44}) },
		"person": func() error {
			_, err := s.Setup.SavePerson(s.Ctx, s.Owner, 0, setup.PersonForm{Name: "Maren Osk", Role: studio.Bench, Active: true})
			return err
		},
		"deposit": func() error { return s.Paid(no, "3") },
		"repeat":  func() error { _, err := s.Orders.RepeatOrder(s.Ctx, s.Owner, no); return err },
		"point":   func() error { return s.Orders.AddPoint(s.Ctx, s.Owner, no, studio.Colour, "white") },
	} {
		before := lines()
		require.NoError(t, do(), name)
		assert.Greater(t, lines(), before, name)
	}
	before := lines()
	for name, do := range map[string]func() error{
		"point": func() error { return s.Orders.AddPoint(s.Ctx, s.Owner, no, studio.Colour, " ") },
		"client": func() error {
			_, err := s.Orders.SaveClient(s.Ctx, s.Owner, studio.Client{Name: "A", Email: "nowhere"})
			return err
		},
		"deposit": func() error { return s.Paid(no, "-3") },
		"deliver": func() error { return s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false) },
		"order": func() error {
			_, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "B", Sure: true})
			return err
		},
		"long": func() error { return s.Orders.AddPoint(s.Ctx, s.Owner, no, studio.Colour, strings.Repeat("x", 4001)) },
	} {
		var r *change.Refusal
		require.ErrorAs(t, do(), &r, name)
	}
	assert.Equal(t, before, lines(), "what is refused changes nothing, not even a client's name")
	clients, err := s.Orders.Clients(s.Ctx)
	require.NoError(t, err)
	assert.Len(t, clients, 2)
}
