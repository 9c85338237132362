package quotes_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"log/slog"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/app/quotes"
	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

// with changes what is asked of an order's first item.
func with(t *testing.T, s *apptest.Studio, no string, change func(*orders.ItemForm, *studio.ItemOptions)) {
	t.Helper()
	it := apptest.Pricing(t, s, no).Items[0]
	making := it.ItemOptions
	f := orders.ItemForm{Title: it.Title, Tier: it.Tier, Copies: it.Copies, Scale: it.Scale, Making: &making}
	change(&f, &making)
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, f))
}

// What is counted, asked for and done by whom moves the price, and comes back as it went in.
func TestOptionsMoveThePrice(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Painted)
	cost := func() int64 { return apptest.Pricing(t, s, no).Price.CostMinor }
	plain := cost()
	before := plain
	for _, step := range []struct {
		what   string
		change func(*orders.ItemForm, *studio.ItemOptions)
		up     bool
	}{
		{"eyes and a face", func(_ *orders.ItemForm, m *studio.ItemOptions) { m.Features.Eyes, m.Features.Faces = 2, 1 }, true},
		{"masked edges", func(_ *orders.ItemForm, m *studio.ItemOptions) { m.Features.MaskMM = 500 }, true},
		{"weathered", func(_ *orders.ItemForm, m *studio.ItemOptions) { m.Features.Weather = true }, true},
		{"fitting out", func(_ *orders.ItemForm, m *studio.ItemOptions) { m.Features.FitHours = 1.5 }, true},
		{"finer than the mesh says", func(_ *orders.ItemForm, m *studio.ItemOptions) { m.DetailFactor, m.DetailWhy = 2.4, "lace" }, true},
		{"a new hand", func(_ *orders.ItemForm, m *studio.ItemOptions) { m.PersonID = s.Bench.ID }, true},
		{"as printed", func(_ *orders.ItemForm, m *studio.ItemOptions) { m.FinishRoute = "printed" }, false},
	} {
		with(t, s, no, step.change)
		now := cost()
		if step.up {
			assert.Greater(t, now, before, step.what)
		} else {
			assert.Less(t, now, before, step.what)
		}
		before = now
	}
	it := apptest.Pricing(t, s, no).Items[0]
	assert.Equal(t, finish.Features{Eyes: 2, Faces: 1, MaskMM: 500, Weather: true, FitHours: 1.5}, it.Features)
	assert.Equal(t, "lace", it.DetailWhy)

	apptest.Refusal(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, orders.ItemForm{Title: "V", Tier: route.Painted, Copies: 1, Scale: 1, Making: &studio.ItemOptions{DetailFactor: 2}}), "wants a reason")
	apptest.Refusal(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, orders.ItemForm{Title: "V", Tier: route.Painted, Copies: 1, Scale: 1, Making: &studio.ItemOptions{FinishRoute: "magic"}}), "no finish route")
}

// The pieces' strips follow the finish route, with its second rounds, and the book's minutes are
// kept apart so that what is logged later is compared with them.
func TestSupportsFollowTheFinishRoute(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Primed)
	with(t, s, no, func(_ *orders.ItemForm, m *studio.ItemOptions) { m.FinishRoute = "skin" })
	s.Accept(no)
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	var kinds []route.StageKind
	for _, st := range p.Stages {
		kinds = append(kinds, st.Kind)
		assert.Positive(t, st.BookMin, st.Kind)
		assert.Positive(t, st.PlannedMin, st.Kind)
	}
	assert.Equal(t, []route.StageKind{route.Print, route.Wash, route.RemoveSupports, route.Cure, route.Skin, route.Sand, route.Sand, route.Prime, route.Look, route.Fill, route.Sand, route.Sand, route.Prime, route.Look, route.Pack}, kinds, "a stage for each paper")
}

// Stamps draw the reckoning toward what hands really take; the first few a little.
func TestLogbookTeachesPrices(t *testing.T) {
	s := apptest.New(t)
	first, second := s.Order(6, route.Raw), s.Order(6, route.Raw)
	strip := func() (minutes float64) {
		for _, l := range apptest.Pricing(t, s, second).Items[0].Estimate.Lines {
			if l.What == "strip" {
				minutes = l.Minutes
			}
		}
		return minutes
	}
	before := strip()
	s.Accept(first)
	s.Print()
	for i := range 6 {
		code := fmt.Sprintf("%s-%d", first, i+1)
		for {
			p, err := s.Pieces.Piece(s.Ctx, code)
			require.NoError(t, err)
			if p.State != studio.AtBench {
				break
			}
			if p.Wait {
				s.Clock.At = p.Until
			}
			minutes := p.Piece.Now().BookMin
			if p.Piece.Now().Kind == route.RemoveSupports {
				minutes *= 3
			}
			_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: minutes})
			require.NoError(t, err)
		}
	}
	after := strip()
	book := finish.SpreadOf(rates.Starting(), "strip").Mean
	trust := rates.Starting().V("spread.trust")
	assert.InEpsilon(t, (6*3+trust*book)/(6+trust)/book, after/before, 1e-6, "six stamps of three times the book")
	assert.Equal(t, 6, apptest.Pricing(t, s, second).Shop.History.Practice[s.Bench.ID][route.RemoveSupports])
	assert.True(t, apptest.Pricing(t, s, second).Shop.History.Printed[apptest.Pricing(t, s, second).Items[0].Parts[0].ModelID])

	// Out of the studio, it is priced again beside what it cost.
	require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, first, time.Time{}, false))
	list, h, err := s.Quotes.CheckRates(s.Ctx)
	require.NoError(t, err)
	require.Len(t, list, 1)
	c := list[0]
	assert.Equal(t, first, c.Order.Number)
	var now, real int64
	var realMin float64
	for _, l := range c.Lines {
		now, real, realMin = now+l.Now, real+l.Real, realMin+l.RealMin
	}
	assert.Equal(t, c.Now, now)
	assert.Equal(t, c.Real, real)
	assert.InDelta(t, c.Hands.Result.Value, c.Hands.Inputs[0].Value*h.Book.V("wage"), 0.01, "nothing was painted: one wage")
	assert.Positive(t, c.Material.Result.Value)
	assert.Positive(t, c.Machine.Result.Value)
	none, _, err := s.Quotes.CheckRates(s.Ctx, second)
	require.NoError(t, err)
	assert.Empty(t, none)
}

// An order's own terms: they change the price, never the cost.
func TestTerms(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Primed)
	plain := apptest.Pricing(t, s, no).Price
	ask := func(terms studio.Terms) quote.Price {
		require.NoError(t, s.Quotes.SaveTerms(s.Ctx, s.Owner, no, terms))
		d := apptest.Pricing(t, s, no)
		assert.Equal(t, plain.CostMinor, d.Price.CostMinor)
		return d.Price
	}
	m := 50.0
	assert.InDelta(t, 50, ask(studio.Terms{MarginPercent: &m}).MarginPercent, 1)
	assert.InEpsilon(t, 1.25, float64(ask(studio.Terms{RushPercent: 25}).NetMinor)/float64(plain.NetMinor), 0.02)
	require.NoError(t, s.Setup.SaveDefaults(s.Ctx, s.Owner, studio.Defaults{}, "guild 10\n\nFAIR 5 %"))
	off := ask(studio.Terms{DiscountWhy: "guild"})
	assert.InEpsilon(t, 0.9, float64(off.NetMinor)/float64(plain.NetMinor), 0.02)
	assert.Contains(t, off.Working.Inputs[2].Label, "GUILD")
	assert.EqualValues(t, 500_00, ask(studio.Terms{AskedMinor: 500_00}).TotalMinor)
	assert.EqualValues(t, 0, ask(studio.Terms{BeforeTax: true}).NetMinor%100, "the net is the round figure")
	apptest.Refusal(t, s.Quotes.SaveTerms(s.Ctx, s.Owner, no, studio.Terms{Discount: 10}), "reason or a code")
	apptest.Refusal(t, s.Quotes.SaveTerms(s.Ctx, s.Owner, no, studio.Terms{RushPercent: -5}), "rush")
	apptest.Refusal(t, s.Setup.SaveDefaults(s.Ctx, s.Owner, studio.Defaults{}, "GUILD 10\nnonsense"), "line 2")
	apptest.Refusal(t, s.Setup.SaveDefaults(s.Ctx, s.Owner, studio.Defaults{FinishRoutes: map[string]string{"resin primed": "magic"}}, ""), "magic")
	require.NoError(t, s.Setup.SaveStudio(s.Ctx, s.Owner, apptest.Pricing(t, s, no).Shop.Studio))
	assert.Equal(t, 10.0, apptest.Pricing(t, s, no).Shop.Studio.Defaults.DiscountCodes["GUILD"], "saving the house keeps its ways")
}

// Variants, options, what is bought in: offered, chosen by the client, and the order is made so.
func TestTheClientChooses(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Painted)
	items, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, no, []models.Upload{apptest.Upload("lid.stl", apptest.Vase())}, false)
	require.NoError(t, err)
	require.Empty(t, problems)
	lid := items[0].ID
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, lid, orders.ItemForm{Title: "Lid", Tier: route.Painted, Copies: 1, Scale: 0.5, Making: &studio.ItemOptions{Option: true}}))
	before := apptest.Pricing(t, s, no)
	assert.Positive(t, before.Options[lid].TotalMinor)
	require.NoError(t, s.Quotes.SaveVariant(s.Ctx, s.Owner, no, studio.Variant{Name: "Raw kit", Tier: route.Raw, Offered: true}))
	require.NoError(t, s.Quotes.SaveVariant(s.Ctx, s.Owner, no, studio.Variant{Name: "Half the size", Factor: 0.5}))
	require.NoError(t, s.Quotes.SaveVariant(s.Ctx, s.Owner, no, studio.Variant{Name: "In three", CutInto: 3}))
	apptest.Refusal(t, s.Quotes.SaveVariant(s.Ctx, s.Owner, no, studio.Variant{Name: "Fifth", Tier: route.Raw}), "Four side by side")
	apptest.Refusal(t, s.Quotes.SaveVariant(s.Ctx, s.Owner, no, studio.Variant{}), "name")
	d := apptest.Pricing(t, s, no)
	require.Len(t, d.Variants, 3)
	assert.Equal(t, before.Price.TotalMinor, d.Price.TotalMinor, "what stands beside it does not move the price")
	raw, half := d.Variants[0], d.Variants[1]
	assert.Less(t, raw.Price.TotalMinor, d.Price.TotalMinor)
	assert.Less(t, half.Price.TotalMinor, d.Price.TotalMinor)
	assert.Equal(t, []studio.Change{{What: "Vase, finish", Before: "painted", After: "raw kit"}}, raw.Changes)
	assert.False(t, raw.Earliest.After(d.Earliest))

	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	doc := q.Document
	require.Len(t, doc.Items, 1)
	require.Len(t, doc.Options, 1)
	require.Len(t, doc.Alternatives, 1, "only what is offered")
	text := quotes.Summary(q, "https://x.example/q/1")
	for _, says := range []string{"Or Raw kit", "Optional extra: Lid", "Valid until", "https://x.example/q/1", "Not included: ", "2 × Vase"} {
		assert.Contains(t, text, says)
	}
	apptest.Refusal(t, s.Quotes.AnswerQuote(s.Ctx, q.Token, quotes.Answer{Accept: true, Name: "O", Agreed: true, Chosen: studio.Chosen{Alternative: 7}}), "no such alternative")
	apptest.Refusal(t, s.Quotes.AnswerQuote(s.Ctx, q.Token, quotes.Answer{Accept: true, Name: "O", Agreed: true, Chosen: studio.Chosen{Options: []int64{99}}}), "no such option")
	require.NoError(t, s.Quotes.AnswerQuote(s.Ctx, q.Token, quotes.Answer{Accept: true, Name: "Odile", Agreed: true, From: "192.0.2.9", Chosen: studio.Chosen{Alternative: 1, Options: []int64{lid, lid}}}))

	after := apptest.Pricing(t, s, no)
	a := after.AcceptedQuote()
	require.NotNil(t, a)
	beside := doc.Alternatives[0].Options[0]
	assert.NotEqual(t, doc.Options[0].TotalMinor, beside.TotalMinor, "an option is priced beside what it is taken with")
	want := doc.Alternatives[0].Price.TotalMinor + beside.TotalMinor
	assert.Equal(t, want, a.TotalMinor)
	assert.Equal(t, quote.Share(want, doc.Terms.DepositPercent), a.DepositMinor)
	assert.Equal(t, "192.0.2.9", a.AnsweredFrom)
	assert.False(t, after.Changed(), "the order is what was chosen")
	assert.Empty(t, after.Variants)
	assert.Len(t, after.Pieces, 3)
	tiers := map[string]string{}
	for _, p := range after.Pieces {
		tiers[p.Name] = p.Tier
	}
	assert.Equal(t, map[string]string{"Vase": route.Raw, "Lid": route.Painted}, tiers)
	assert.False(t, after.Items[1].Option, "taken, it is no option any more")
}

// After a yes, a change is an order of its own: told against what was agreed, with its own
// price; until it is accepted, what was agreed holds.
func TestChangeOrder(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	first := s.Accept(no)
	it := apptest.Pricing(t, s, no).Items[0].ID
	s.Change(no, it, 3, route.Primed, 1)
	d := apptest.Pricing(t, s, no)
	assert.True(t, d.Changed())
	assert.Equal(t, []studio.Change{{What: "Vase, copies", Before: "2", After: "3"}, {What: "Vase, finish", Before: "raw kit", After: "smoothed and primed"}}, d.Since)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	require.NotNil(t, q.Document.Instead)
	assert.Equal(t, first.TotalMinor, q.Document.Instead.TotalMinor)
	assert.Equal(t, d.Since, q.Document.Instead.Changes)
	assert.Contains(t, quotes.Summary(q, ""), "as agreed in revision 1")
	require.NoError(t, s.Quotes.AnswerQuote(s.Ctx, q.Token, quotes.Answer{Name: "Odile"}))
	d = apptest.Pricing(t, s, no)
	assert.Equal(t, studio.Accepted, d.Order.State)
	assert.Equal(t, 1, d.AcceptedQuote().Revision)
	assert.Len(t, d.Pieces, 2)

	// Taken up again from what was agreed.
	require.NoError(t, s.Quotes.RestartFrom(s.Ctx, s.Owner, no, 1))
	d = apptest.Pricing(t, s, no)
	assert.Equal(t, 2, d.Items[0].Copies)
	assert.Equal(t, route.Raw, d.Items[0].Tier)
	assert.Empty(t, studio.Differences(d.AcceptedQuote().Taken().Specs(), []studio.Item{d.Items[0].Item}))
	require.NoError(t, s.Orders.RemoveItem(s.Ctx, s.Owner, no, it))
	require.NoError(t, s.Quotes.RestartFrom(s.Ctx, s.Owner, no, 2))
	d = apptest.Pricing(t, s, no)
	require.Len(t, d.Items, 1, "an item taken off comes back with the version that had it")
	assert.Equal(t, 3, d.Items[0].Copies)
	assert.Error(t, s.Quotes.RestartFrom(s.Ctx, s.Owner, no, 9))
}

// Work without a print: priced by hours and odds, sent, delivered.
func TestRestoration(t *testing.T) {
	s := apptest.New(t)
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Odile Brackwater", Title: "Old letter box", Sure: true})
	require.NoError(t, err)
	require.NoError(t, s.Orders.AddPlainItem(s.Ctx, s.Owner, o.Number, "Restore the box"))
	apptest.Refusal(t, s.Orders.AddPlainItem(s.Ctx, s.Owner, o.Number, " "), "name")
	id := apptest.Pricing(t, s, o.Number).Items[0].ID
	apptest.Refusal(t, s.Orders.AddExtra(s.Ctx, s.Owner, o.Number, id, quote.Extra{Kind: quote.Restore, What: "nothing"}), "price or hours")
	apptest.Refusal(t, s.Orders.AddExtra(s.Ctx, s.Owner, o.Number, id, quote.Extra{Kind: quote.Restore, What: "x", Hours: 2, Odds: 3}), "Odds")
	require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, o.Number, id, quote.Extra{Kind: quote.Restore, What: "strip and repaint", Hours: 5, Odds: 0.4, WorseHours: 6, StopAt: 400}))
	require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, o.Number, id, quote.Extra{Kind: quote.Freight, What: "by cart", Each: 12}))
	require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, o.Number, id, quote.Extra{Kind: quote.Other, What: "slip", Each: 1}))
	require.NoError(t, s.Orders.DropExtra(s.Ctx, s.Owner, o.Number, id, 2))
	apptest.Refusal(t, s.Orders.DropExtra(s.Ctx, s.Owner, o.Number, id, 7), "gone")
	d := apptest.Pricing(t, s, o.Number)
	r := d.RangeOf()
	assert.Greater(t, r.Quantiles[90]-r.Quantiles[10], r.ExpectedMinor/4, "finding worse is a wide range")
	assert.Contains(t, r.Drivers[0].What, "worse")
	q := s.Accept(o.Number)
	assert.Contains(t, q.Document.Items[0].RestoreText(q.Document.Studio), "€ 400.00")
	assert.Contains(t, strings.Join(q.Document.Included, "; "), "delivery: by cart")
	apptest.Refusal(t, s.Delivery.Deliver(s.Ctx, s.Owner, o.Number, time.Time{}, false), "1 piece still in work")
	s.Finish(o.Number + "-1")
	require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, o.Number, time.Time{}, false))
}

// Fees of licences are in the price by themselves, and never kept as somebody's own line.
func TestLicenceFees(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(4, route.Raw)
	plain := apptest.Pricing(t, s, no).Price.CostMinor
	design := apptest.Pricing(t, s, no).Items[0].Parts[0].Model.DesignID
	model := apptest.Pricing(t, s, no).Items[0].Parts[0].ModelID
	require.NoError(t, s.Models.SaveLicence(s.Ctx, s.Owner, model, models.LicenceForm{Licence: studio.LicencePerCopy, Fee: "2.50"}))
	d := apptest.Pricing(t, s, no)
	fee := int64(0)
	for _, l := range d.Items[0].Estimate.Lines {
		if l.Kind == quote.Bought {
			fee += l.Minor
		}
	}
	assert.EqualValues(t, 10_00, fee, "four copies, design %d", design)
	assert.Greater(t, d.Price.CostMinor, plain)
	q := s.Accept(no)
	assert.Empty(t, q.Document.Items[0].Spec.Extras)
	assert.False(t, apptest.Pricing(t, s, no).Changed())
	// A fee that somebody enters under the same words is their own.
	require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, no, d.Items[0].ID, quote.Extra{Kind: quote.Licence, What: "licence: mine", Each: 3}))
	d = apptest.Pricing(t, s, no)
	assert.Len(t, d.Items[0].Extras, 1)
	assert.Len(t, d.Items[0].Fees, 1)
	// The size sheet asks the same price as the order's.
	size, err := s.Quotes.SizeSheet(s.Ctx, no, d.Items[0].ID, studio.SizeRule{})
	require.NoError(t, err)
	assert.Equal(t, d.Items[0].NetMinor, size.Now.Net.Minor)
}

// What sounds like a weapon is asked about before a quote goes out, and marked.
func TestWeaponsAreAskedAbout(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	with(t, s, no, func(f *orders.ItemForm, _ *studio.ItemOptions) { f.Title = "Moth-guard’s sword" })
	_, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	apptest.Refusal(t, err, "looks like a weapon")
	id := apptest.Pricing(t, s, no).Items[0].ID
	require.NoError(t, s.Orders.SayWeapon(s.Ctx, s.Owner, no, id, true))
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	assert.Contains(t, strings.Join(q.Document.Cautions, " "), "look-alikes")
	require.NoError(t, s.Orders.SayWeapon(s.Ctx, s.Owner, no, id, false))
	assert.Empty(t, apptest.Pricing(t, s, no).Troubles())
}

// The finish routes of an item, side by side; one is taken, one becomes the studio’s.
func TestFinishRoutesSideBySide(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Primed)
	id := apptest.Pricing(t, s, no).Items[0].ID
	_, _, list, err := s.Quotes.FinishRoutes(s.Ctx, no, id)
	require.NoError(t, err)
	assert.Len(t, list, len(finish.Routes(rates.Starting())))
	for i, r := range list {
		if i > 0 {
			assert.GreaterOrEqual(t, r.Minor, list[i-1].Minor)
		}
		assert.Equal(t, r.Key == "light", r.Now)
	}
	require.NoError(t, s.Orders.SetFinishRoute(s.Ctx, s.Owner, no, id, "primer", false))
	assert.Equal(t, "primer", apptest.Pricing(t, s, no).Items[0].FinishRoute)
	require.NoError(t, s.Orders.SetFinishRoute(s.Ctx, s.Owner, no, id, "gaps", true))
	d := apptest.Pricing(t, s, no)
	assert.Empty(t, d.Items[0].FinishRoute)
	assert.Equal(t, "gaps", d.Shop.Studio.Defaults.FinishRoute("resin", route.Primed))
	apptest.Refusal(t, s.Orders.SetFinishRoute(s.Ctx, s.Owner, no, id, "magic", false), "no such finish route")
	s.Change(no, id, 1, route.Raw, 1)
	_, _, list, err = s.Quotes.FinishRoutes(s.Ctx, no, id)
	require.NoError(t, err)
	assert.Empty(t, list, "a raw kit is not smoothed")
}

// The working as CSV adds up to the price, and a name that looks like a formula stays a name.
func TestWorkingAddsUp(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Painted)
	with(t, s, no, func(f *orders.ItemForm, _ *studio.ItemOptions) { f.Title = "=1+1" })
	d := apptest.Pricing(t, s, no)
	rows, err := csv.NewReader(bytes.NewReader(d.Working())).ReadAll()
	require.NoError(t, err)
	sum := 0.0
	for _, r := range rows[1:] {
		amount, err := strconv.ParseFloat(r[3], 64)
		require.NoError(t, err)
		assert.NotEmpty(t, r[5], r[2])
		if r[1] != "price" {
			sum += amount
			assert.Equal(t, "'=1+1", r[0])
		}
	}
	assert.InDelta(t, float64(d.Price.CostMinor)/100, sum, 1e-6)
}

// Rates go out and come back, whole; their history tells each change.
func TestRatesTravel(t *testing.T) {
	s := apptest.New(t)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"wage": 31, "sand.resin": 8}))
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	book := setup.Export(h)
	assert.Len(t, book.Machines, len(h.Machines))
	back, err := rates.Read(book.Export())
	require.NoError(t, err)
	assert.Equal(t, 31.0, back.V("wage"))
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"wage": 40}))
	n, err := s.Setup.ImportRates(s.Ctx, s.Owner, book.ExportCSV())
	require.NoError(t, err)
	assert.Equal(t, len(book.Rates), n)
	list, err := s.Setup.RateHistory(s.Ctx)
	require.NoError(t, err)
	require.Len(t, list, 4)
	assert.Equal(t, [2]float64{40, 31}, [2]float64{list[0].Before, list[0].After}, "newest first")
	assert.Equal(t, s.Owner.Name, list[0].Who)
	_, err = s.Setup.ImportRates(s.Ctx, s.Owner, []byte("key,value\nwage,12\nmargin,99\n"))
	apptest.Refusal(t, err, "line 3")
	h, err = s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, 31.0, h.Book.V("wage"), "nothing is taken by halves")
	_, err = s.Setup.ImportRates(s.Ctx, s.Owner, []byte("key,value\n"))
	apptest.Refusal(t, err, "no rate")
}

// What would cost less is said, and done with one word: a long print in pieces, many copies
// cast.
func TestSavingsAreTaken(t *testing.T) {
	s := apptest.New(t)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"failure.resin": 0.3, "seam.piece": 1,
		"seam.length": 0.1, "plate.setup": 1, "plate.empty": 1, "mould.hours": 0.2, "cast.minutes": 0.5}))
	long, many := s.Order(1, route.Raw), s.Order(60, route.Raw)
	s.Change(long, apptest.Pricing(t, s, long).Items[0].ID, 1, route.Raw, 3.5)
	for no, cast := range map[string]bool{long: false, many: true} {
		before := apptest.Pricing(t, s, no)
		require.Len(t, before.Items[0].Estimate.Savings, 1)
		saving := before.Items[0].Estimate.Savings[0]
		assert.Equal(t, cast, saving.Cast)
		require.NoError(t, s.Orders.TakeSaving(s.Ctx, s.Owner, no, before.Items[0].ID, saving))
		after := apptest.Pricing(t, s, no)
		assert.Less(t, after.Price.CostMinor, before.Price.CostMinor, saving.Text)
		assert.Empty(t, after.Items[0].Estimate.Savings)
	}
	no, it := long, apptest.Pricing(t, s, long).Items[0]
	apptest.Refusal(t, s.Orders.TakeSaving(s.Ctx, s.Owner, no, it.ID, studio.Saving{PartID: 99}), "not on the item")
	apptest.Refusal(t, s.Orders.TakeSaving(s.Ctx, s.Owner, no, it.ID, studio.Saving{PartID: it.Parts[0].ID, CutInto: 99}), "at most")
}

// A date sooner than usual hours allow asks a rush; one that nobody can keep is told so.
func TestRush(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(24, route.Painted)
	d := apptest.Pricing(t, s, no)
	require.True(t, d.Soonest.Before(d.Earliest))
	percent, never := d.RushFor(d.Earliest.Add(time.Hour))
	assert.Zero(t, percent)
	assert.False(t, never)
	percent, never = d.RushFor(d.Earliest.Add(-25 * time.Hour))
	assert.Equal(t, 2*d.Shop.Book.V("rush.day"), percent)
	assert.False(t, never)
	_, never = d.RushFor(d.Soonest.Add(-time.Hour))
	assert.True(t, never)
}

// Models from before creases were measured and faces told apart get theirs when the program
// starts, and the price follows.
func TestShapesAreMeasuredLater(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Painted)
	before := apptest.Pricing(t, s, no)
	m := before.Items[0].Parts[0].Model
	require.True(t, m.Shape.Detail.Measured())
	require.True(t, m.Shape.Faces.Known())
	known := m.Shape
	m.Shape.Detail.RaisedMM, m.Shape.Detail.HollowMM, m.Shape.Faces, m.Shape.BentMM = nil, nil, solid.Faces{}, 0
	require.NoError(t, s.Store.Write(s.Ctx, func(tx *store.Tx) error { return tx.SaveShape(m) }))
	plain := apptest.Pricing(t, s, no)
	require.False(t, plain.Items[0].Parts[0].Model.Shape.Detail.Measured())
	assert.Less(t, plain.Price.CostMinor, before.Price.CostMinor, "no edges are known to be lit")
	ctx, stop := context.WithCancel(s.Ctx)
	done := make(chan struct{})
	go func() { s.Jobs.Work(ctx, slog.New(slog.DiscardHandler)); close(done) }()
	require.Eventually(t, func() bool { return apptest.Pricing(t, s, no).Items[0].Parts[0].Model.Shape.Detail.Measured() }, 3*time.Minute, 20*time.Millisecond)
	stop()
	<-done
	assert.Equal(t, known, apptest.Pricing(t, s, no).Items[0].Parts[0].Model.Shape)
	assert.Equal(t, before.Price.CostMinor, apptest.Pricing(t, s, no).Price.CostMinor)
}

// Runs that fail teach the machine's own odds: half a plate lost is half a failure.
func TestFailedRunsTeachOdds(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(4, route.Raw)
	s.Accept(no)
	s.Print(no+"-1", no+"-2")
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	require.Len(t, h.History.Failed, 1)
	for key, f := range h.History.Failed {
		assert.Equal(t, s.Tarn, key[0])
		assert.InDelta(t, 0.5, f.Fails, 1e-9)
		assert.Positive(t, f.Hours)
	}
	tarn, _ := h.Machine(s.Tarn)
	material, _ := h.Material(s.Resin, "resin")
	assert.Greater(t, h.FailurePerHour(tarn, material).Value, h.Book.V("failure.resin"))
	rows, err := s.Quotes.QuoteRows(s.Ctx, time.Time{})
	require.NoError(t, err)
	require.Len(t, rows, 1)
	assert.Equal(t, no, rows[0].Order)
	assert.Equal(t, studio.QuoteAccepted, rows[0].State)
	older, err := s.Quotes.QuoteRows(s.Ctx, rows[0].Sent)
	require.NoError(t, err)
	assert.Empty(t, older)
}

// A named hand that has never done a stage is reckoned slower, and less so with each stamp.
func TestFirstTimesOfAPerson(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	plain := apptest.Pricing(t, s, no).Price.CostMinor
	with(t, s, no, func(_ *orders.ItemForm, m *studio.ItemOptions) { m.PersonID = s.Bench.ID })
	green := apptest.Pricing(t, s, no).Price.CostMinor
	assert.Greater(t, green, plain)
	other := s.Order(3, route.Raw)
	s.Accept(other)
	s.Print()
	for i := range 3 {
		s.Finish(fmt.Sprintf("%s-%d", other, i+1))
	}
	d := apptest.Pricing(t, s, no)
	assert.Positive(t, d.Shop.History.Practice[s.Bench.ID][route.Wash])
	for _, l := range d.Items[0].Estimate.Lines {
		if l.What != "wash" {
			continue
		}
		var labels []string
		for _, in := range l.Working.Inputs {
			labels = append(labels, in.Label)
		}
		assert.Contains(t, labels, "stamped before by this hand")
	}
	_, err := s.Setup.SavePerson(s.Ctx, s.Owner, s.Bench.ID, setup.PersonForm{Name: "Jory Tamm", Initials: "JT", Role: studio.Bench, Active: true, Wage: "90"})
	require.NoError(t, err)
	assert.Greater(t, apptest.Pricing(t, s, no).Price.CostMinor, d.Price.CostMinor, "a wage of one's own")
}
