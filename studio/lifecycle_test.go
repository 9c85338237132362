package studio

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

var byIlse = Act{At: noon, PersonID: 1, Who: "Ilse Karg"}

func later(d time.Duration) Act {
	a := byIlse
	a.At = noon.Add(d)
	return a
}

// putty is a piece on the putty route: filling, sanding and priming come in two rounds.
func putty(t *testing.T) Piece {
	t.Helper()
	kinds := []route.StageKind{route.Print, route.Wash, route.RemoveSupports, route.Cure, route.Fill, route.Sand, route.Prime, route.Fill, route.Sand, route.Prime, route.Look, route.Base, route.Pack}
	p := Piece{ID: 1, Code: "0001-1", OrderID: 1, Process: process.Resin, Tier: route.Painted, Attempt: 1, State: AtBench, Stages: stages(kinds...)}
	for i := range p.Stages {
		p.Stages[i].PlannedMin, p.Stages[i].BookMin = float64(10+i), float64(5+i)
	}
	return p
}

// printed is one that has come off its plate.
func printed(t *testing.T) Piece {
	t.Helper()
	p := putty(t)
	p.Stages[0].mark(route.Done, byIlse, noon, 4, "plate 1")
	return p
}

// through stamps the next n stages.
func through(t *testing.T, p Piece, n int) Piece {
	t.Helper()
	for range n {
		at := noon
		if last := p.Last(); last != nil {
			at = later(last.Until.Sub(noon) + time.Minute).At
		}
		var err error
		p, _, err = p.Stamp(later(at.Sub(noon)+24*time.Hour), Stamp{Minutes: -1, At: at}, time.UTC)
		require.NoError(t, err)
	}
	return p
}

// A replacement and a piece sent back to the print pass every round again.
func TestEveryRoundIsPassedAgain(t *testing.T) {
	p := through(t, printed(t), 4)
	p.State = Scrapped
	fresh, _, err := p.Replace(byIlse, []Piece{p}, "0001-2")
	require.NoError(t, err)
	require.Len(t, fresh.Stages, 13, "both rounds of filling, sanding and priming")
	assert.Equal(t, p.ID, fresh.ReplacesID)
	assert.Equal(t, 2, fresh.Attempt)
	for i, s := range fresh.Stages {
		assert.Equal(t, route.Todo, s.Mark)
		assert.Equal(t, p.Stages[i].Kind, s.Kind)
		assert.Equal(t, p.Stages[i].BookMin, s.BookMin, "what the book plans comes along")
	}
	_, _, err = p.Replace(byIlse, []Piece{p, {ID: 2, ReplacesID: p.ID}}, "0001-3")
	assert.ErrorContains(t, err, "has its replacement already")

	p = through(t, printed(t), 9)
	back, e, err := p.SendBack(byIlse, route.Print, "warped", "", time.UTC)
	require.NoError(t, err)
	assert.Equal(t, Waiting, back.State)
	assert.Equal(t, 2, back.Attempt)
	assert.Equal(t, "sent back", e.Event)
	assert.Len(t, back.Stages[back.Strip().Now():], 13, "print to pack, with both rounds")
	again, _, err := back.TakeBack(byIlse)
	require.NoError(t, err)
	assert.Equal(t, p.Stages, again.Stages, "as if it had not been sent back")
	assert.Equal(t, 1, again.Attempt)
	assert.Equal(t, AtBench, again.State)
}

// What is taken back keeps the book's minutes and that it repeats a stage.
func TestTakenBackKeepsItsPlan(t *testing.T) {
	p := through(t, printed(t), 9)
	p, _, err := p.SendBack(byIlse, route.Fill, "a seam", "", time.UTC)
	require.NoError(t, err)
	at := p.Strip().Now()
	require.True(t, p.Stages[at].Repeat)
	was := p.Stages[at]
	p, _, err = p.Stamp(later(48*time.Hour), Stamp{Minutes: 7}, time.UTC)
	require.NoError(t, err)
	p, e, err := p.TakeBack(later(48 * time.Hour))
	require.NoError(t, err)
	assert.Equal(t, was, p.Stages[at])
	assert.Positive(t, was.BookMin)
	assert.Equal(t, "taken back", e.Event)
	p, _, err = p.Stamp(later(48*time.Hour), Stamp{Minutes: 7}, time.UTC)
	require.NoError(t, err)
	_, _, err = p.TakeBack(later(48*time.Hour + TakeBack + time.Minute))
	assert.Error(t, err, "after a while it stays")
}

// A stamp given on a sheet that another tablet has overtaken is not booked on the stage after.
func TestAStampNamesItsStage(t *testing.T) {
	p := through(t, printed(t), 4)
	shown := p.Shown() // sanding, on both tablets
	p, _, err := p.Stamp(later(48*time.Hour), Stamp{Minutes: 4, Shown: shown}, time.UTC)
	require.NoError(t, err)
	same, _, err := p.Stamp(later(48*time.Hour), Stamp{Minutes: 4, Shown: shown}, time.UTC)
	assert.ErrorContains(t, err, "has moved on meanwhile")
	assert.Equal(t, p, same)
	_, _, err = p.SendBack(later(48*time.Hour), route.Fill, "", shown, time.UTC)
	assert.ErrorContains(t, err, "has moved on meanwhile")
	rounds := map[string]bool{}
	for p := printed(t); p.Now() != nil; p = through(t, p, 1) {
		assert.False(t, rounds[p.Shown()], "no two stages go by one name: %s", p.Shown())
		rounds[p.Shown()] = true
	}
}

func running(p ...Piece) Plate {
	pl := Plate{ID: 3, Number: 3, State: PlateRunning, Run: &Run{ID: 9, PlateID: 3, MachineID: 2, Started: noon, PlannedMin: 180}}
	for _, piece := range p {
		pl.Pieces = append(pl.Pieces, OnPlatePiece{PlateID: 3, PieceID: piece.ID})
	}
	return pl
}

// A run that ended in the night stamps its prints as of then: what has waited since may be
// washed at once.
func TestPrintsAreStampedAsOfTheRunsEnd(t *testing.T) {
	p := putty(t)
	p.State, p.Stages[0].WaitS = OnPlate, 3600
	ended, morning := noon.Add(3*time.Hour), later(20*time.Hour)
	pl, _, err := running(p).Finish(morning, ended, nil)
	require.NoError(t, err)
	p, _, err = p.ComeOff(morning, pl, Outcome{What: Good}, 6)
	require.NoError(t, err)
	assert.Equal(t, ended, p.Stages[0].Done)
	assert.Equal(t, ended.Add(time.Hour), p.Stages[0].Until)
	require.NoError(t, p.MayStamp(morning.At))
	back := p.GoBackOn(Good)
	assert.Equal(t, OnPlate, back.State)
	assert.Equal(t, p.Stages[0].BookMin, back.Stages[0].BookMin)
}

// A piece called off while it prints is marked so on its plate and never comes to the bench.
func TestCalledOffWhileItPrints(t *testing.T) {
	kept, off := putty(t), putty(t)
	off.ID, off.Code = 2, "0001-2"
	kept.State, off.State = OnPlate, OnPlate
	off, e, err := off.CallOff(byIlse, "the order was cancelled")
	require.NoError(t, err)
	assert.Equal(t, "piece called off", e.Event)
	pl, _, err := running(kept, off).Finish(later(4*time.Hour), noon.Add(3*time.Hour), nil)
	require.NoError(t, err)
	pl, e, err = pl.Empty(later(4*time.Hour), []Piece{kept, off}, map[int64]Outcome{kept.ID: {What: Good}}, "", false)
	require.NoError(t, err)
	assert.Equal(t, CalledOffOff, pl.Pieces[1].Outcome)
	assert.Contains(t, e.Text, "1 good, 0 failed, 0 scrapped, 1 called off")
	off, e, err = off.ComeOff(later(4*time.Hour), pl, Outcome{What: CalledOffOff}, 0)
	require.NoError(t, err)
	assert.Equal(t, PieceOff, off.State)
	assert.Equal(t, "print left over", e.Event)
	assert.Equal(t, off, off.GoBackOn(CalledOffOff), "and stays off when the emptying is taken back")
	_, _, err = off.CallOff(byIlse, "again")
	assert.Error(t, err)
}

// A run far too short for its prints is asked about, and only then.
func TestARunFarTooShortIsAskedAbout(t *testing.T) {
	p := putty(t)
	p.State = OnPlate
	for _, c := range []struct {
		minutes float64
		what    string
		asks    bool
	}{{1, Good, true}, {89, Good, true}, {90, Good, false}, {1, ScrappedOff, false}, {200, Good, false}} {
		pl, _, err := running(p).Finish(later(5*time.Hour), noon.Add(time.Duration(c.minutes*float64(time.Minute))), nil)
		require.NoError(t, err)
		_, _, err = pl.Empty(later(5*time.Hour), []Piece{p}, map[int64]Outcome{p.ID: {What: c.what}}, "", false)
		var ask *Confirm
		assert.Equal(t, c.asks, errors.As(err, &ask), "%v min, %s: %v", c.minutes, c.what, err)
		_, _, err = pl.Empty(later(5*time.Hour), []Piece{p}, map[int64]Outcome{p.ID: {What: c.what}}, "", true)
		assert.NoError(t, err, "said to be meant")
	}
}

// The account to its end: deposit, part, rest, one too many, a mistake, money back.
func TestAccount(t *testing.T) {
	eur := func(minor int64) Money { return Money{minor, "EUR"} }
	o := Order{ID: 1, Number: "0001", State: Accepted}
	q := &Quote{Currency: "EUR", State: QuoteAccepted, TotalMinor: 100_01, DepositMinor: 50_00}
	a := AccountOf(q, nil)
	assert.Equal(t, PaidDeposit, a.Next())
	assert.Equal(t, eur(50_00), a.Due())
	take := func(kind PaymentKind, minor int64, sure bool) error {
		p, _, err := a.Receive(byIlse, o, kind, eur(minor), "", sure)
		if err == nil {
			p.ID = int64(len(a.Payments) + 1)
			a = AccountOf(q, append(a.Payments, p))
		}
		return err
	}
	require.NoError(t, take(PaidDeposit, 30_00, false))
	assert.Equal(t, eur(20_00), a.DepositOpen(), "the rest of the deposit")
	require.NoError(t, take(PaidPart, 40_00, false))
	assert.Equal(t, eur(30_01), a.Due(), "no second deposit is asked")
	var ask *Confirm
	require.ErrorAs(t, take(PaidRest, 30_02, false), &ask)
	assert.Contains(t, ask.Text, "€ 30.01 are still to pay")
	require.NoError(t, take(PaidRest, 30_02, true))
	assert.Equal(t, eur(1), a.Over())
	assert.Zero(t, a.Due().Minor)

	p, _, err := a.Reverse(byIlse, o, 3)
	require.NoError(t, err)
	a = AccountOf(q, append(a.Payments, p))
	assert.Equal(t, eur(30_01), a.Open())
	_, _, err = a.Reverse(byIlse, o, 3)
	assert.ErrorContains(t, err, "reversed already")
	_, _, err = a.PayBack(byIlse, o, eur(70_01), "", false)
	require.ErrorAs(t, err, &ask)
	p, _, err = a.PayBack(byIlse, o, eur(10_00), "one leaf less", false)
	require.NoError(t, err)
	assert.Equal(t, int64(-10_00), p.AmountMinor)

	for _, state := range []OrderState{Enquiry, Quoted, Cancelled} {
		_, _, err := a.Receive(byIlse, Order{State: state}, PaidPart, eur(1), "", true)
		assert.ErrorContains(t, err, "no money is expected", state)
	}
	_, _, err = o.Close(byIlse, a, "")
	assert.Error(t, err, "an order is closed after it was delivered")
	o.State = Delivered
	_, _, err = o.Close(byIlse, a, "")
	assert.ErrorContains(t, err, "€ 30.01")
	o, e, err := o.Close(byIlse, a, "written off: the client has moved away")
	require.NoError(t, err)
	assert.Equal(t, Closed, o.State)
	assert.Contains(t, e.Text, "written off")
}

// What was agreed is the price: items as they were accepted keep theirs whatever the book
// says today, and what is added moves the sum by itself alone.
func TestAgreedPricesHold(t *testing.T) {
	h := house()
	one, two := item(block(20, 30, 40), process.Resin, route.Raw, 2, 1), item(block(30, 30, 30), process.Resin, route.Raw, 1, 1)
	one.ID, two.ID = 1, 2
	s, err := h.Price([]Item{one, two}, Terms{})
	require.NoError(t, err)
	doc := Document{Studio: h.Studio, Terms: s.Terms, Price: s.Price}
	for _, it := range s.Items {
		doc.Items = append(doc.Items, DocumentItem{Spec: it.Item, NetMinor: it.NetMinor})
	}
	q := Quote{State: QuoteAccepted, Revision: 1, Currency: h.Studio.Currency, TotalMinor: s.Price.TotalMinor, DepositMinor: s.Price.DepositMinor, Document: doc}

	h.Book = h.Book.With(map[rates.Key]float64{"wage": 80})
	dear, err := h.Price([]Item{one, two}, Terms{})
	require.NoError(t, err)
	require.Greater(t, dear.Price.TotalMinor, s.Price.TotalMinor)
	today := dear.Price
	dear.Keep(q)
	assert.Equal(t, s.Price.TotalMinor, dear.Price.TotalMinor)
	assert.Equal(t, today, dear.Today, "today's estimate stands beside it")

	three := item(block(25, 25, 25), process.Resin, route.Raw, 1, 1)
	three.ID = 3
	more, err := h.Price([]Item{one, two, three}, Terms{})
	require.NoError(t, err)
	fresh := more.Items[2].NetMinor
	more.Keep(q)
	assert.True(t, more.Items[0].Kept && more.Items[1].Kept)
	assert.False(t, more.Items[2].Kept)
	assert.Equal(t, q.Taken().NetMinor+fresh, more.Price.NetMinor)

	two.Copies = 2
	changed, err := h.Price([]Item{one, two}, Terms{})
	require.NoError(t, err)
	fresh = changed.Items[1].NetMinor
	changed.Keep(q)
	assert.Equal(t, q.Taken().NetMinor-doc.Items[1].NetMinor+fresh, changed.Price.NetMinor)

	off := 10.0
	other, err := h.Price([]Item{one, two}, Terms{MarginPercent: &off})
	require.NoError(t, err)
	other.Keep(q)
	assert.Equal(t, other.Today, other.Price, "other terms ask for all of it again")
}

// An order holds so many pieces in all, however its items came about.
func TestAnOrderHoldsSoMany(t *testing.T) {
	many := item(block(10, 10, 10), process.Resin, route.Raw, 1000, 1)
	items := make([]Item, MaxAllParts/1000)
	for i := range items {
		items[i] = many
	}
	require.NoError(t, CheckItems(items))
	one := many
	one.Copies = 1
	assert.ErrorContains(t, CheckItems(append(items, one)), "an order holds")
}
