package quotes_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/app/quotes"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

func TestPriceFollowsWhatIsChosen(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	price := func() int64 {
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		return sheet.Price.TotalMinor
	}
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	item := sheet.Items[0].ID
	raw := price()
	s.Change(no, item, 1, route.Painted, 1)
	painted := price()
	assert.Greater(t, painted, raw)
	s.Change(no, item, 4, route.Painted, 1)
	assert.Less(t, price(), 4*painted, "four share set-up and what is opened")
	assert.Greater(t, price(), painted)
	s.Change(no, item, 1, route.Painted, 1.5)
	assert.Greater(t, price(), painted)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"wage": 60}))
	dear := price()
	assert.Greater(t, dear, painted)
	apptest.Refusal(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"margin": 120}), "between 0 and 90")
	for _, bad := range []orders.ItemForm{{Title: "V", Tier: route.Raw, Copies: 0, Scale: 1}, {Title: "V", Tier: route.Raw, Copies: 1, Scale: 0}, {Title: "", Tier: route.Raw, Copies: 1, Scale: 1}, {Title: "V", Tier: "gold", Copies: 1, Scale: 1}} {
		err := s.Orders.ChangeItem(s.Ctx, s.Owner, no, item, bad)
		var r *change.Refusal
		assert.ErrorAs(t, err, &r, "%+v", bad)
	}
	assert.Equal(t, dear, price(), "nothing of a refused change is kept")
}

func TestQuoteLinkEndsWithTheQuote(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	first, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	assert.Len(t, first.Token, 26, "128 bits and more")
	second, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	assert.Equal(t, 2, second.Revision)
	old, err := s.Quotes.ClientQuote(s.Ctx, first.Token)
	require.NoError(t, err)
	assert.Contains(t, old.Ended, "newer quote")
	apptest.Refusal(t, s.Quotes.AnswerQuote(s.Ctx, first.Token, quotes.Answer{Accept: true, Name: "O", Agreed: true}), "newer quote")
	apptest.Refusal(t, s.Quotes.AnswerQuote(s.Ctx, second.Token, quotes.Answer{Accept: true, Name: "O"}), "Tick")
	apptest.Refusal(t, s.Quotes.AnswerQuote(s.Ctx, second.Token, quotes.Answer{Accept: true, Agreed: true}), "name")
	require.NoError(t, s.Quotes.AskAboutQuote(s.Ctx, second.Token, "In white?"))
	s.Clock.Pass(15 * 24 * time.Hour)
	late, err := s.Quotes.ClientQuote(s.Ctx, second.Token)
	require.NoError(t, err)
	assert.Contains(t, late.Ended, "valid until")
	apptest.Refusal(t, s.Quotes.AnswerQuote(s.Ctx, second.Token, quotes.Answer{Accept: true, Name: "O", Agreed: true}), "valid until")
	apptest.Refusal(t, s.Quotes.AskAboutQuote(s.Ctx, second.Token, "Still?"), "valid until")

	third, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	require.NoError(t, s.Quotes.AnswerQuote(s.Ctx, third.Token, quotes.Answer{Name: "Odile", From: "192.0.2.7"}))
	apptest.Refusal(t, s.Quotes.AnswerQuote(s.Ctx, third.Token, quotes.Answer{Accept: true, Name: "O", Agreed: true}), "already declined")
	today, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	assert.Contains(t, apptest.Titles(today), "Odile Brackwater has declined: Vases")
}

// A frozen quote does not move when rates, names or items do.
func TestFrozenQuoteStays(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Painted)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"wage": 99}))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	s.Change(no, sheet.Items[0].ID, 9, route.Raw, 2)
	require.NoError(t, s.Quotes.AnswerQuote(s.Ctx, q.Token, quotes.Answer{Accept: true, Name: "O", Agreed: true}))
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, q.TotalMinor, sheet.AcceptedQuote().TotalMinor)
	require.Len(t, sheet.Pieces, 2, "the pieces are those that were accepted, not those that were drafted since")
	assert.Equal(t, route.Painted, sheet.Pieces[0].Tier)
	assert.True(t, sheet.Changed())
}

func TestChangingAnAcceptedOrder(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Raw)
	s.Accept(no)
	s.Print(no + "-3")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	item := sheet.Items[0].ID

	// More copies, painted: the printed ones stay and get the longer strip.
	s.Change(no, item, 4, route.Painted, 1)
	s.Accept(no)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Pieces, 4)
	for _, p := range sheet.Pieces {
		assert.Equal(t, route.Painted, p.Tier, p.Code)
		last := p.Stages[len(p.Stages)-1].Kind
		assert.Equal(t, route.Pack, last)
	}
	assert.Equal(t, route.Done, sheet.Pieces[0].Stages[0].Mark, "the print is not lost")

	// Another size: what is printed is called off and kept, what is not is changed.
	s.Change(no, item, 2, route.Painted, 1.2)
	s.Accept(no)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	states := map[studio.PieceState]int{}
	for _, p := range sheet.Pieces {
		states[p.State]++
		if p.State == studio.Waiting {
			assert.Equal(t, 1.2, p.Scale)
		}
	}
	assert.Equal(t, map[studio.PieceState]int{studio.PieceOff: 2, studio.Waiting: 2}, states)

	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "the client moved away"))
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Len(t, sheet.Pieces, 4, "pieces are kept")
	assert.NotEmpty(t, sheet.Log)
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	apptest.Refusal(t, err, "cannot be changed")

	again, err := s.Orders.RepeatOrder(s.Ctx, s.Owner, no)
	require.NoError(t, err)
	fresh, err := s.Quotes.OrderSheet(s.Ctx, again.Number)
	require.NoError(t, err)
	assert.Equal(t, studio.Enquiry, fresh.Order.State)
	require.Len(t, fresh.Items, 1)
	assert.Equal(t, 2, fresh.Items[0].Copies)
	assert.Empty(t, fresh.Pieces)
}

// Two answers at the same moment: one holds, the other is told so.
func TestTwoAnswersAtOnce(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	errs := make(chan error, 2)
	for _, accept := range []bool{true, false} {
		go func() {
			errs <- s.Quotes.AnswerQuote(s.Ctx, q.Token, quotes.Answer{Accept: accept, Name: "Odile", Agreed: true})
		}()
	}
	refused := 0
	for range 2 {
		if err := <-errs; err != nil {
			refused++
			apptest.Refusal(t, err, "already")
		}
	}
	assert.Equal(t, 1, refused)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	switch sheet.Order.State {
	case studio.Accepted:
		assert.Len(t, sheet.Pieces, 2)
	case studio.Declined:
		assert.Empty(t, sheet.Pieces)
	default:
		t.Fatal(sheet.Order.State)
	}
}
