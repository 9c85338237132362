package orders_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/pieces"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/studio"
)

// everything is what an item can take beside its prints.
var everything = []quote.Extra{
	{Kind: quote.Sculpt, What: "face", Hours: 4, Revisions: 1},
	{Kind: quote.Trial, What: "copper", Over: "sand", Hours: 0.5},
	{Kind: quote.BoughtIn, What: "light", Each: 6, Count: 2, PerCopy: true, Hours: 1, Inside: true},
	{Kind: quote.Base, What: "moss ground", Hours: 2, PerCopy: true, Ground: quote.Flocked},
	{Kind: quote.SoftGoods, What: "strap", Hours: 1},
	{Kind: quote.Other, What: "carrying it up", Hours: 1},
	{Kind: quote.Freight, What: "freight", Each: 12},
	{Kind: quote.Licence, What: "licence", Each: 3, PerCopy: true},
}

// Whatever an item takes beside its prints is a piece, gated where it must be: the print waits
// for the client's yes, the joint for what goes inside, the parcel for what goes with it; what
// was charged is planned to the minute, and only what the client gets is counted.
func TestExtrasArePieces(t *testing.T) {
	s := apptest.New(t)
	no, form, itemID := apptest.Kit(t, s, 2)
	form.Making = &studio.ItemOptions{}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	for _, e := range everything {
		require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, no, itemID, e))
	}
	quoted := s.Accept(no)
	by, codes := apptest.PiecesOf(t, s, no)
	named := map[string]string{}
	for _, code := range codes {
		named[by[code].Name] = code
	}
	assert.Len(t, codes, 8+7, "two trees of four, two bases, and one of each other; no fee, no freight")
	assert.Equal(t, []string{"base", "base"}, []string{by[no+"-1d"].What(), by[no+"-2d"].What()}, "a base for each, with its copy's label")
	sculpt, light, strap := named["Vase, face"], named["Vase, light, 4 pieces"], named["Vase, strap"]
	require.NotEmpty(t, sculpt)
	require.NotEmpty(t, light)
	progress, err := s.Orders.Progress(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, "0 of 2 pieces done", progress[by[no+"-1"].OrderID])

	// No plate before the client's yes; a no is another round.
	sheet, err := s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, sheet.Waiting)
	require.Len(t, sheet.Held, 6)
	assert.Equal(t, "the client’s yes to "+sculpt+" is still open", sheet.Held[0].Why)
	_, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	apptest.Refusal(t, err, "No piece waits")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, sculpt, studio.Stamp{Minutes: 200})
	require.NoError(t, err)
	require.NoError(t, s.Pieces.SendBack(s.Ctx, s.Owner, sculpt, route.Sculpt, "older, please", ""))
	s.Finish(sculpt)
	apptest.PrintAll(t, s)
	for _, code := range codes {
		if by[code].ParentID != 0 {
			s.Finish(code)
		}
	}
	// Scored, it waits for the light; the light cannot go in before the parts are there.
	for range 2 {
		_, err := s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: 5})
		require.NoError(t, err)
	}
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{})
	apptest.Refusal(t, err, no+"-1 waits for "+light+" Vase, light, 4 pieces")
	bench, err := s.Pieces.Bench(s.Ctx, pieces.BenchWaiting, no)
	require.NoError(t, err)
	at := slices.IndexFunc(bench.Rows, func(r pieces.BenchRow) bool { return r.Code == no+"-1" })
	require.GreaterOrEqual(t, at, 0, "it is among what waits")
	assert.Contains(t, bench.Rows[at].Held, light)
	s.Finish(light)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{})
	require.NoError(t, err)
	// Until they are packed: then what goes with it is wanted, and that fits only now.
	for {
		p, err := s.Pieces.Piece(s.Ctx, no+"-1")
		require.NoError(t, err)
		if p.Kind() == route.Pack {
			assert.Contains(t, p.Held, strap)
			assert.Len(t, p.With, 4, "light, two bases, strap")
			break
		}
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: 5})
		require.NoError(t, err)
	}
	apptest.Refusal(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false), "still in work")
	for range 6 { // in whatever order the gates allow
		for _, code := range apptest.OpenPieces(t, s, no) {
			apptest.FinishTo(t, s, code)
		}
	}
	require.Empty(t, apptest.OpenPieces(t, s, no))
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, 2, d.Given())
	charged := 0.0
	for _, it := range quoted.Document.Items {
		charged += it.Cost.HandsMinutes
	}
	assert.InDelta(t, charged, d.Planned, 0.01, "planned is what was charged, to the minute")
	require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false))
}

// A trial ends with what came out, and the next order that tries the pair is told.
func TestTrialsAreRemembered(t *testing.T) {
	s := apptest.New(t)
	no, _, itemID := apptest.Kit(t, s, 1)
	try := quote.Extra{Kind: quote.Trial, What: "Copper", Over: "fine sand", Hours: 0.5}
	require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, no, itemID, try))
	s.Accept(no)
	by, codes := apptest.PiecesOf(t, s, no)
	code := codes[slices.IndexFunc(codes, func(c string) bool { return by[c].Kind == studio.KindTrial })]
	_, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 20})
	require.NoError(t, err)
	s.Clock.Pass(48 * time.Hour)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 5, Note: " "})
	apptest.Refusal(t, err, "say in the note what came out")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 5, Note: "covers in one, no silver under it"})
	require.NoError(t, err)
	other, _, otherItem := apptest.Kit(t, s, 1)
	try.What = "copper"
	require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, other, otherItem, try))
	sheet := apptest.Pricing(t, s, other)
	tried := sheet.Tried(sheet.Items[0].Extras[0])
	require.Len(t, tried, 1)
	assert.Equal(t, "covers in one, no silver under it", tried[0].Note)
	assert.Equal(t, code, tried[0].Code)
	assert.Empty(t, sheet.Tried(quote.Extra{Kind: quote.Trial, What: "copper", Over: "moss"}))
}

// A change of what an item takes beside its prints makes, keeps and calls off piece by piece.
func TestExtrasFollowTheirOrder(t *testing.T) {
	s := apptest.New(t)
	no, form, itemID := apptest.Kit(t, s, 2)
	for _, e := range everything {
		require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, no, itemID, e))
	}
	s.Accept(no)
	of := func(kind studio.PieceKind) (codes []string) {
		by, all := apptest.PiecesOf(t, s, no)
		for _, code := range all {
			if by[code].Kind == kind {
				codes = append(codes, code)
			}
		}
		return codes
	}
	trial, bases := of(studio.KindTrial), of(studio.KindBase)
	s.Finish(trial[0])
	require.NoError(t, s.Orders.DropExtra(s.Ctx, s.Owner, no, itemID, 0)) // no sculpting after all
	form.Copies, form.Title = 3, "Urn"
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	s.Accept(no)
	assert.Empty(t, of(studio.KindSculpt))
	assert.Equal(t, trial, of(studio.KindTrial), "what was tried stays")
	assert.Subset(t, of(studio.KindBase), bases)
	assert.Len(t, of(studio.KindBase), 3)
	by, _ := apptest.PiecesOf(t, s, no)
	assert.Equal(t, "Urn, light, 6 pieces", by[of(studio.KindBought)[0]].Name)
	sheet, err := s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, sheet.Held, "nothing waits for a yes any more")
	require.NoError(t, s.Orders.RemoveItem(s.Ctx, s.Owner, no, itemID))
	require.NoError(t, s.Orders.AddPlainItem(s.Ctx, s.Owner, no, "Carrying"))
	items, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, no, items.Items[0].ID, quote.Extra{Kind: quote.Other, What: "carrying", Hours: 2}))
	s.Accept(no)
	_, codes := apptest.PiecesOf(t, s, no)
	require.Len(t, codes, 1)
	assert.Equal(t, codes, of(studio.KindWork))
}

// An old piece is stripped, looked over, and mended once its spares are printed; where a limit
// was agreed it stops to ask. The client gets it, and not its spares.
func TestARestoration(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, no, sheet.Items[0].ID, quote.Extra{Kind: quote.Restore, What: "old vase", Hours: 5, Odds: 0.25, WorseHours: 8, StopAt: 90}))
	s.Accept(no)
	by, codes := apptest.PiecesOf(t, s, no)
	require.Len(t, codes, 2)
	old := slices.IndexFunc(codes, func(c string) bool { return by[c].Kind == studio.KindRestoration })
	var kinds []route.StageKind
	for _, st := range by[codes[old]].Stages {
		kinds = append(kinds, st.Kind)
	}
	assert.Equal(t, []route.StageKind{route.Soak, route.Assess, route.Ask, route.Mend, route.Prime, route.Base, route.Look, route.Pack}, kinds)
	apptest.FinishTo(t, s, codes[old])
	p, err := s.Pieces.Piece(s.Ctx, codes[old])
	require.NoError(t, err)
	assert.Equal(t, route.Mend, p.Kind())
	assert.Contains(t, p.Held, codes[1-old])
	apptest.PrintAll(t, s)
	s.Finish(codes[1-old])
	apptest.FinishTo(t, s, codes[old])
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.True(t, d.Complete())
	assert.Equal(t, 1, d.Given())
	assert.Equal(t, codes[old], d.Packed[0].Pieces[0].Code)
}

// A file is made ready and handed over, and nothing is printed; what is left in its colour has its
// scars dressed, is joined, and meets neither filler nor primer.
func TestFurtherStoppingPoints(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.FileOnly)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	e := sheet.Items[0].Estimate
	assert.Zero(t, e.MachineMinutes)
	assert.Zero(t, e.Grams)
	assert.Empty(t, e.Troubles)
	quoted := s.Accept(no)
	assert.Contains(t, quoted.Document.Included, "the file made ready to print: hollowed, drained, cut and checked")
	by, codes := apptest.PiecesOf(t, s, no)
	require.Len(t, codes, 1, "of two copies there is one file")
	assert.Equal(t, studio.KindFile, by[codes[0]].Kind)
	s.Finish(codes[0])
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.True(t, d.Complete())
	assert.Equal(t, 1, d.Given())
	assert.InDelta(t, quoted.Document.Items[0].Cost.HandsMinutes, d.Planned, 0.01)
	// Printed after all: the file stays with the studio, prints wait.
	s.Change(no, sheet.Items[0].ID, 2, route.Raw, 1)
	s.Accept(no)
	by, codes = apptest.PiecesOf(t, s, no)
	require.Len(t, codes, 2)
	for _, p := range by {
		assert.Equal(t, studio.KindPrint, p.Kind)
	}

	kitNo, form, itemID := apptest.Kit(t, s, 1)
	form.Tier = route.Coloured
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, kitNo, itemID, form))
	s.Accept(kitNo)
	by, codes = apptest.PiecesOf(t, s, kitNo)
	for _, code := range codes {
		for _, st := range by[code].Stages {
			assert.NotContains(t, []route.StageKind{route.Fill, route.Prime, route.Base, route.Clear}, st.Kind, code)
		}
	}
	assert.Equal(t, studio.KindAssembly, by[kitNo+"-1"].Kind)
}
