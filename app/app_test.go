package app_test

import (
	"bytes"
	"image"
	"image/png"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/app/pieces"
	"sakuji/app/plates"
	"sakuji/app/quotes"
	"sakuji/app/setup"
	"sakuji/app/today"
	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// refusal asserts that an error is an answer to a person, not a fault.
func refusal(t *testing.T, err error, says string) {
	t.Helper()
	var r *change.Refusal
	require.ErrorAs(t, err, &r)
	assert.Contains(t, r.Text, says)
}

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
	refusal(t, s.Money.CloseOrder(s.Ctx, s.Owner, no, ""), "give the reason")
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.NoError(t, s.Paid(no, sheet.Account().Open().Plain()))
	require.NoError(t, s.Money.CloseOrder(s.Ctx, s.Owner, no, ""))
	refusal(t, s.Money.CloseOrder(s.Ctx, s.Owner, no, ""), "closed after delivery")
	refusal(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "too late"), "cannot be cancelled")

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
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[string]float64{"wage": 60}))
	dear := price()
	assert.Greater(t, dear, painted)
	refusal(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[string]float64{"margin": 120}), "between 0 and 90")
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
	refusal(t, s.Quotes.AnswerQuote(s.Ctx, first.Token, quotes.Answer{Accept: true, Name: "O", Agreed: true}), "newer quote")
	refusal(t, s.Quotes.AnswerQuote(s.Ctx, second.Token, quotes.Answer{Accept: true, Name: "O"}), "Tick")
	refusal(t, s.Quotes.AnswerQuote(s.Ctx, second.Token, quotes.Answer{Accept: true, Agreed: true}), "name")
	require.NoError(t, s.Quotes.AskAboutQuote(s.Ctx, second.Token, "In white?"))
	s.Clock.Pass(15 * 24 * time.Hour)
	late, err := s.Quotes.ClientQuote(s.Ctx, second.Token)
	require.NoError(t, err)
	assert.Contains(t, late.Ended, "valid until")
	refusal(t, s.Quotes.AnswerQuote(s.Ctx, second.Token, quotes.Answer{Accept: true, Name: "O", Agreed: true}), "valid until")
	refusal(t, s.Quotes.AskAboutQuote(s.Ctx, second.Token, "Still?"), "valid until")

	third, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	require.NoError(t, s.Quotes.AnswerQuote(s.Ctx, third.Token, quotes.Answer{Name: "Odile", From: "192.0.2.7"}))
	refusal(t, s.Quotes.AnswerQuote(s.Ctx, third.Token, quotes.Answer{Accept: true, Name: "O", Agreed: true}), "already declined")
	today, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	assert.Contains(t, titles(today), "Odile Brackwater has declined: Vases")
}

func titles(t today.TodaySheet) (out []string) {
	for _, task := range t.Tasks {
		out = append(out, task.Title)
	}
	return out
}

// A frozen quote does not move when rates, names or items do.
func TestFrozenQuoteStays(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Painted)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[string]float64{"wage": 99}))
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
	refusal(t, err, "cannot be changed")

	again, err := s.Orders.RepeatOrder(s.Ctx, s.Owner, no)
	require.NoError(t, err)
	fresh, err := s.Quotes.OrderSheet(s.Ctx, again.Number)
	require.NoError(t, err)
	assert.Equal(t, studio.Enquiry, fresh.Order.State)
	require.Len(t, fresh.Items, 1)
	assert.Equal(t, 2, fresh.Items[0].Copies)
	assert.Empty(t, fresh.Pieces)
}

func TestPlateOutcomes(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Raw)
	s.Accept(no)
	number, left, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	assert.Empty(t, left)
	refusal(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{}), "nothing to empty")
	cold := 17.5
	var ask *studio.Confirm
	long := studio.Started{At: s.Clock.At.Add(-50 * time.Hour)}
	require.ErrorAs(t, s.Plates.StartRun(s.Ctx, s.Bench, number, long), &ask)
	assert.Contains(t, ask.Text, "is 2 d 2 h ago")
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{At: s.Clock.At.Add(-2 * time.Hour), RoomC: &cold}))
	refusal(t, s.Plates.LiftOff(s.Ctx, s.Bench, number, no+"-1"), "stays as it is")
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Equal(t, cold, *sheet.Plate.Run.RoomC)
	id := func(i int) int64 { return sheet.Pieces[i].Piece.ID }
	out := map[int64]studio.Outcome{id(0): {What: studio.Good}, id(1): {What: studio.Failed}, id(2): {What: studio.ScrappedOff, Cause: "wrong settings"}}
	ended := sheet.Plate.Run.Due()
	refusal(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: ended.Add(24 * time.Hour)}), "later than now")
	s.Clock.Pass(10 * time.Hour)
	refusal(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: ended}), "say why it failed")
	out[id(1)] = studio.Outcome{What: studio.Failed, Cause: "supports too few"}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: ended, Note: "cold night"}))

	piece := func(n string) pieces.PieceSheet {
		p, err := s.Pieces.Piece(s.Ctx, no+n)
		require.NoError(t, err)
		return p
	}
	assert.Equal(t, studio.AtBench, piece("-1").State)
	assert.Equal(t, "JT", piece("-1").Stages[0].Initials)
	assert.Equal(t, studio.Waiting, piece("-2").State)
	assert.Equal(t, 2, piece("-2").Attempt)
	assert.Equal(t, studio.Scrapped, piece("-3").State)
	grams := sheet.Pieces[0].Grams
	assert.InDelta(t, 3*grams, piece("-1").Booked, 1e-6, "failed prints cost material too")

	// Taken back within the half hour: all as before; the logbook keeps both.
	require.NoError(t, s.Plates.TakeBackPlate(s.Ctx, s.Bench, number))
	assert.Equal(t, studio.OnPlate, piece("-1").State)
	assert.Equal(t, route.Todo, piece("-1").Stages[0].Mark)
	assert.Equal(t, 1, piece("-2").Attempt)
	assert.Zero(t, piece("-1").Booked)
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))
	s.Clock.Pass(31 * time.Minute)
	refusal(t, s.Plates.TakeBackPlate(s.Ctx, s.Bench, number), "30 minutes")

	// Short of one: it blocks delivery until it is settled.
	refusal(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false), "scrapped")
	require.NoError(t, s.Pieces.SettleScrapped(s.Ctx, s.Owner, no+"-3", false))
	refusal(t, s.Pieces.SettleScrapped(s.Ctx, s.Owner, no+"-3", false), "replacement already")
	assert.Equal(t, studio.Waiting, piece("-4").State)
}

func TestPlatesAreLaidAndChanged(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(30, route.Raw)
	s.Accept(no)
	number, left, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NotEmpty(t, left)
	assert.Contains(t, left[0].Reason, "no room left")
	_, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Fell, s.PLA, studio.PrintProfile{})
	refusal(t, err, "No piece waits")
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	n := len(sheet.Pieces)
	require.Len(t, sheet.Candidates, 1)
	assert.False(t, sheet.Candidates[0].Fits)
	assert.Equal(t, 30-n-1, sheet.Candidates[0].Others)

	lifted := sheet.Pieces[0].Piece.Code
	require.NoError(t, s.Plates.LiftOff(s.Ctx, s.Bench, number, lifted))
	sheet, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Len(t, sheet.Pieces, n-1)
	assert.True(t, sheet.Candidates[0].Fits)
	assert.InDelta(t, 0, sheet.Candidates[0].AddMinutes, 1e-9, "one more of the same height costs a resin run no time")
	assert.Positive(t, sheet.Candidates[0].AddGrams)
	require.NoError(t, s.Plates.AddToPlate(s.Ctx, s.Bench, number, lifted))
	refusal(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{At: s.Clock.At.Add(time.Hour)}), "later than now")
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))

	second, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	refusal(t, s.Plates.StartRun(s.Ctx, s.Bench, second, studio.Started{}), "still runs plate")
	require.NoError(t, s.Plates.DiscardPlate(s.Ctx, s.Bench, second))
	refusal(t, s.Plates.AddToPlate(s.Ctx, s.Bench, second, lifted), "discarded")
}

func TestStampsWaitsAndLooks(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Primed)
	s.Accept(no)
	code := no + "-1"
	_, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 1})
	refusal(t, err, "waiting")
	s.Print()
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, Note: "second bath tired"})
	require.NoError(t, err)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3})
	refusal(t, err, "alcohol off at")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, Early: true})
	refusal(t, err, "say in the note why")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, Early: true, Note: "blown dry"})
	require.NoError(t, err)

	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, code))
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, route.RemoveSupports, p.Piece.Now().Kind)
	assert.True(t, p.Wait)

	// Forgotten in the evening, stamped in the morning with the time it was done.
	washed := p.Piece.Last().Done
	s.Clock.Pass(15 * time.Hour)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, At: washed.Add(-time.Minute)})
	refusal(t, err, "cannot have been done earlier")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, At: s.Clock.At.Add(time.Minute)})
	refusal(t, err, "later than now")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, At: washed.Add(5 * time.Minute)})
	refusal(t, err, "say in the note why")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3, At: washed.Add(time.Hour)})
	require.NoError(t, err)
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, washed.Add(time.Hour), p.Piece.Last().Done)

	for p.Piece.Now().Kind != route.Look {
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1})
		require.NoError(t, err)
		p, err = s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
	}
	s.Clock.At = p.Until
	before := len(p.Stages)
	require.NoError(t, s.Pieces.SendBack(s.Ctx, s.Owner, code, route.Fill, "pits at the rim", ""))
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, route.Fill, p.Piece.Now().Kind)
	assert.Len(t, p.Stages, before+6, "fill, three papers, prime and look again")
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Owner, code))
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Len(t, p.Stages, before)
	assert.Equal(t, route.Look, p.Piece.Now().Kind)

	// Broken at the bench: back to the print, with the next attempt counted.
	require.NoError(t, s.Pieces.SendBack(s.Ctx, s.Owner, code, route.Print, "dropped", ""))
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, studio.Waiting, p.State)
	assert.Equal(t, 2, p.Attempt)
	s.Print()
	s.Finish(code)
	p, err = s.Pieces.Piece(s.Ctx, strings.ToUpper(code))
	require.NoError(t, err)
	assert.Equal(t, studio.PieceDone, p.State)
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, code))
	s.Clock.Pass(time.Hour)
	refusal(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, code), "30 minutes")
}

func TestTodayInOrderOfUrgency(t *testing.T) {
	s := apptest.New(t)
	late := s.Order(2, route.Painted)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, late, orders.OrderForm{ClientID: 1, Title: "Late vases", Use: "shelf", Wanted: "2026-05-14"}))
	s.Accept(late)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	open := s.Order(1, route.Raw)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, open, "")
	require.NoError(t, err)
	require.NoError(t, s.Quotes.AskAboutQuote(s.Ctx, q.Token, "How heavy is it?"))
	s.Clock.Pass(8 * time.Hour)
	require.NoError(t, s.Plates.FinishRun(s.Ctx, change.Actor{Name: "Tarn"}, number, time.Time{}, nil))

	today, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	got := titles(today)
	require.GreaterOrEqual(t, len(got), 5, "%v", got)
	assert.Equal(t, "Empty Tarn: plate 1 is finished", got[0])
	assert.Equal(t, "Late vases cannot be ready in time", got[1])
	assert.Equal(t, "Odile Brackwater has accepted: Late vases", got[2])
	assert.Contains(t, got[3], "asks: How heavy is it?")
	assert.Contains(t, got[len(got)-1], "owes the deposit")
	for _, task := range today.Tasks {
		assert.NotEmpty(t, task.Action)
		assert.True(t, strings.HasPrefix(task.Link, "/"), task.Link)
	}
	require.Len(t, today.Promises, 1)
	pr := today.Promises[0]
	assert.True(t, pr.Late)
	assert.Positive(t, pr.HandsMin)
	assert.Contains(t, today.Caution, "nitrile gloves")
	assert.NotEmpty(t, today.Night)
	require.NoError(t, s.Quotes.SeeAnswer(s.Ctx, s.Owner, late))
	today, err = s.Today.Today(s.Ctx)
	require.NoError(t, err)
	assert.NotContains(t, titles(today), "Odile Brackwater has accepted: Late vases")
}

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

func TestPeopleAndPasswords(t *testing.T) {
	s := apptest.New(t)
	for _, name := range []string{"Ilse Karg", "ik", "ILSE KARG"} {
		p, err := s.Setup.SignIn(s.Ctx, name, apptest.Password)
		require.NoError(t, err, name)
		assert.Equal(t, s.Owner.ID, p.ID)
	}
	_, err := s.Setup.SignIn(s.Ctx, "Ilse Karg", "wrong")
	refusal(t, err, "do not belong together")
	_, err = s.Setup.SignIn(s.Ctx, "Nobody", apptest.Password)
	refusal(t, err, "do not belong together")
	_, err = s.Setup.FirstOwner(s.Ctx, setup.PersonForm{Name: "Second", Password: "long-enough-now"})
	refusal(t, err, "already has an owner")
	_, err = s.Setup.SavePerson(s.Ctx, s.Owner, s.Owner.ID, setup.PersonForm{Name: "Ilse Karg", Role: studio.Bench, Active: true})
	refusal(t, err, "only owner")
	_, err = s.Setup.SavePerson(s.Ctx, s.Owner, 0, setup.PersonForm{Name: "Ida Kern", Role: studio.Bench, Active: true})
	refusal(t, err, "already stamps with IK")
	require.NoError(t, s.Setup.SetPassword(s.Ctx, "JT", "another-password"))
	_, err = s.Setup.SignIn(s.Ctx, "JT", "another-password")
	require.NoError(t, err)
	p, err := s.Setup.Person(s.Ctx, s.Bench.ID)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(p.PasswordHash, "$argon2id$"))
	refusal(t, s.Setup.SetPassword(s.Ctx, "JT", "short"), "12 characters")
}

func TestStudioRefusesNonsense(t *testing.T) {
	s := apptest.New(t)
	good := studio.Studio{Name: "A", Currency: "eur", TaxPercent: 19, TimeZone: "Europe/Berlin", PublicURL: "https://a.example/"}
	require.NoError(t, s.Setup.SaveStudio(s.Ctx, s.Owner, good))
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, "EUR", h.Studio.Currency)
	assert.Equal(t, "https://a.example", h.Studio.PublicURL)
	good.FirstOrder = 398
	require.NoError(t, s.Setup.SaveStudio(s.Ctx, s.Owner, good))
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "N", Title: "T", Sure: true})
	require.NoError(t, err)
	assert.Equal(t, "0398", o.Number, "numbers go on from the studio's own")
	for says, change := range map[string]func(*studio.Studio){
		"numbers go on":  func(s *studio.Studio) { s.FirstOrder = -4 },
		"name":           func(s *studio.Studio) { s.Name = " " },
		"three letters":  func(s *studio.Studio) { s.Currency = "€" },
		"0 and 100":      func(s *studio.Studio) { s.TaxPercent = 120 },
		"time zone":      func(s *studio.Studio) { s.TimeZone = "Sorrel/Vale" },
		"public address": func(s *studio.Studio) { s.PublicURL = "javascript:alert(1)" },
		"mail address":   func(s *studio.Studio) { s.Email = "nobody" },
	} {
		bad := good
		change(&bad)
		refusal(t, s.Setup.SaveStudio(s.Ctx, s.Owner, bad), says)
	}
	_, err = s.Setup.SaveMachine(s.Ctx, s.Owner, s.Tarn, setup.GearForm{Name: "Tarn", Active: true, Figures: map[string]float64{"layer": 0}})
	refusal(t, err, "Layer height")
	m, err := s.Setup.SaveMachine(s.Ctx, s.Owner, s.Tarn, setup.GearForm{Name: "Tarn", Active: true, Figures: map[string]float64{"layer": 0.05}})
	require.NoError(t, err)
	assert.Equal(t, rates.Ours, m.Figures["layer"].Source)
	assert.Equal(t, rates.Memory, m.Figures["width"].Source)
	_, err = s.Setup.SaveMachine(s.Ctx, s.Owner, 0, setup.GearForm{Name: "tarn", Active: true, Process: "resin"})
	refusal(t, err, "already called Tarn")
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

// Whatever will not fit any machine is said before it is promised.
func TestTooLargeForEveryMachine(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	s.Change(no, sheet.Items[0].ID, 1, route.Raw, 9)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.NotEmpty(t, sheet.Troubles())
	assert.Contains(t, sheet.Troubles()[0], "fits no machine")
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	refusal(t, err, "cannot be sent yet")
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
			refusal(t, err, "already")
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
		assert.Equal(t, route.For(p.Process, route.Raw)[0], p.Stages[0].Kind)
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
	refusal(t, s.Orders.ChangeItem(s.Ctx, s.Owner, o.Number, items[0].ID, form), "6000 pieces; an order holds 5000 at most")
}

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
	refusal(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, item().ID, form(6)), "6000 pieces; "+most)
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
	refusal(t, err, "5001 pieces; "+most)
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, item().ID, form(4)))
	assert.Empty(t, add(one))
}

// A run that stops early has laid down only part of its material.
func TestMaterialOfAStoppedRun(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	half := time.Duration(sheet.Plate.Run.PlannedMin/2) * time.Minute
	s.Clock.Pass(half)
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: map[int64]studio.Outcome{sheet.Pieces[0].Piece.ID: {What: studio.Failed, Cause: "power cut"}}}))
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.InDelta(t, sheet.Pieces[0].Grams/2, p.Booked, sheet.Pieces[0].Grams*0.01)
}

// What is called off while it prints is kept, and its material is booked all the
// same.
func TestCancellingWhileItPrints(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "the première is off"))
	s.Clock.Pass(9 * time.Hour)
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	require.Len(t, sheet.Pieces, 2)
	out := map[int64]studio.Outcome{}
	for _, p := range sheet.Pieces {
		out[p.Piece.ID] = studio.Outcome{What: studio.Good}
	}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out}))
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, studio.PieceOff, p.State)
	assert.Positive(t, p.Booked)

	// Laid but not started, it is lifted off.
	other := s.Order(2, route.Raw)
	s.Accept(other)
	number, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, other, "too dear"))
	sheet, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Empty(t, sheet.Pieces)
	refusal(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}), "is bare")
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
		"rates":  func() error { return s.Setup.SaveRates(s.Ctx, s.Owner, map[string]float64{"wage": 44}) },
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

// A new studio is led from Today.
func TestAnEmptyStudioIsLed(t *testing.T) {
	s := apptest.Bare(t)
	today, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"Name the studio", "Add the machines that print", "Add the materials they print with"}, titles(today))
	o, err := s.Orders.NewOrder(s.Ctx, change.Actor{Name: "x"}, orders.OrderForm{NewClient: "A", Title: "B", Sure: true})
	require.NoError(t, err)
	_, _, err = s.Orders.AddItem(s.Ctx, change.Actor{Name: "x"}, o.Number, []models.Upload{apptest.Upload("vase.stl", apptest.Vase())}, false)
	require.NoError(t, err)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, o.Number)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(sheet.Troubles(), " "), "no resin machine in the studio")
	_, err = s.Quotes.SendQuote(s.Ctx, change.Actor{Name: "x"}, o.Number, "")
	refusal(t, err, "cannot be sent yet")
}

func TestNextEvent(t *testing.T) {
	s := apptest.New(t)
	_, ok, err := s.Today.NextEvent(s.Ctx)
	require.NoError(t, err)
	assert.False(t, ok)
	no := s.Order(1, route.Raw)
	s.Accept(no)
	s.Print()
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: 2})
	require.NoError(t, err)
	at, ok, err := s.Today.NextEvent(s.Ctx)
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, s.Clock.At.Add(time.Duration(30*finish.Slower(21)*60)*time.Second), at.UTC(), "the alcohol is off, a little later at 21 °C")
}
