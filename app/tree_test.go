package app_test

import (
	"cmp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/app/pieces"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// A joined item becomes a tree for each copy: its prints first, then the assembly lies at the
// bench, is put together and packed; the packing list counts what the client gets.
func TestATreeFromQuoteToParcel(t *testing.T) {
	s := apptest.New(t)
	no, _, _ := apptest.Kit(t, s, 2)
	by, codes := apptest.PiecesOf(t, s, no)
	assert.Equal(t, []string{no + "-1", no + "-1a", no + "-1b", no + "-1c", no + "-2", no + "-2a", no + "-2b", no + "-2c"}, codes)
	assert.Equal(t, studio.InParts, by[no+"-1"].State)
	assert.Equal(t, by[no+"-1"].ID, by[no+"-1c"].ParentID)
	plates, err := s.Plates.Plates(s.Ctx)
	require.NoError(t, err)
	require.Len(t, plates.Waiting, 1)
	assert.Len(t, plates.Waiting[0].Pieces, 6, "what is joined is not printed")
	progress, err := s.Orders.Progress(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, "0 of 2 pieces done", progress[by[no+"-1"].OrderID])

	apptest.PrintAll(t, s)
	apptest.Refusal(t, func() error { _, err := s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: 5}); return err }(), "is in parts")
	for _, code := range codes[1:3] {
		s.Finish(code)
	}
	sheet, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, studio.InParts, sheet.State)
	assert.Len(t, sheet.Parts, 3)
	assert.Equal(t, "waits for its parts", sheet.Say)
	s.Finish(no + "-1c")
	sheet, err = s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, studio.AtBench, sheet.State, "the last part done, it lies there")
	assert.Equal(t, route.DryFit, sheet.Piece.Now().Kind)

	// A part is opened again: the assembly waits once more. Joined, it stays joined.
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Owner, no+"-1c"))
	by, _ = apptest.PiecesOf(t, s, no)
	assert.Equal(t, studio.InParts, by[no+"-1"].State)
	s.Finish(no + "-1c")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: 5})
	require.NoError(t, err)
	apptest.Refusal(t, s.Pieces.TakeBackStamp(s.Ctx, s.Owner, no+"-1c"), "is in "+no+"-1 already")
	bench, err := s.Pieces.Bench(s.Ctx, pieces.BenchAll, "")
	require.NoError(t, err)
	assert.Len(t, bench.Rows, 5, "three parts are built in")

	s.Finish(no + "-1")
	apptest.Refusal(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false), "4 pieces still in work")
	for _, code := range []string{"-2a", "-2b", "-2c", "-2"} {
		s.Finish(no + code)
	}
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.True(t, d.Complete())
	require.Len(t, d.Packed, 1)
	assert.Len(t, d.Packed[0].Pieces, 2)
	assert.Equal(t, 2, d.Given(), "of eight pieces")
	assert.Equal(t, []string{"Joined of 3: " + no + "-1, " + no + "-2"}, d.Packed[0].Contents())
	charged := 0.0
	for _, it := range d.AcceptedQuote().Taken().Items {
		charged += it.Cost.HandsMinutes
	}
	assert.InDelta(t, charged, d.Planned, 0.01, "planned is what was charged, to the minute")
	require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, time.Time{}, false))
}

// What is joined after paint is fitted dry first, then coloured by itself while its assembly is, and
// joined when both are; what comes off is fitted and never glued. The minutes stay those charged.
func TestJoinedAfterPaint(t *testing.T) {
	s := apptest.New(t)
	no, form, itemID := apptest.Kit(t, s, 1)
	form.Tier = route.Painted
	for id, p := range form.Parts {
		if p.Copies == 2 { // the feet
			p.Joins = studio.JoinAfter
			form.Parts[id] = p
		}
	}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	quoted := s.Accept(no)
	kinds := func(code string) (out []route.StageKind) {
		by, _ := apptest.PiecesOf(t, s, no)
		for _, st := range by[code].Stages {
			out = append(out, st.Kind)
		}
		return out
	}
	assert.Equal(t, []route.StageKind{route.DryFit, route.Base, route.Shade, route.Light, route.Clear, route.JoinAfter, route.Pack}, kinds(no+"-1"))
	assert.NotContains(t, kinds(no+"-1a"), route.Base, "the body is coloured as the assembly")
	assert.Equal(t, route.Clear, kinds(no + "-1b")[len(kinds(no+"-1b"))-1])
	apptest.PrintAll(t, s)
	apptest.FinishTo(t, s, no+"-1a")
	apptest.FinishTo(t, s, no+"-1b")
	by, _ := apptest.PiecesOf(t, s, no)
	assert.Equal(t, studio.InParts, by[no+"-1"].State)
	apptest.FinishTo(t, s, no+"-1c")
	p, err := s.Pieces.Piece(s.Ctx, no+"-1c")
	require.NoError(t, err)
	assert.Equal(t, route.Base, p.Kind())
	assert.Equal(t, "waits for "+no+"-1 Vase", p.Held, "a dry fit comes before the first coat")
	apptest.Refusal(t, func() error { _, err := s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1c", studio.Stamp{}); return err }(), "waits for "+no+"-1")
	by, _ = apptest.PiecesOf(t, s, no)
	require.Equal(t, studio.AtBench, by[no+"-1"].State, "all are there to be fitted")
	apptest.FinishTo(t, s, no+"-1")
	p, err = s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, route.JoinAfter, p.Kind())
	assert.Contains(t, p.Held, no+"-1b")
	assert.Contains(t, p.Piece.Now().How, "Scrape paint off the mating faces first.")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1b", studio.Stamp{Minutes: 9})
	require.NoError(t, err)
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Owner, no+"-1b"), "its own coat is its own until it is joined")
	s.Finish(no + "-1b")
	s.Finish(no + "-1c")
	s.Finish(no + "-1")
	apptest.Refusal(t, s.Pieces.TakeBackStamp(s.Ctx, s.Owner, no+"-1b"), "is in "+no+"-1 already")
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.True(t, d.Complete())
	charged := 0.0
	for _, it := range quoted.Document.Items {
		charged += it.Cost.HandsMinutes
	}
	assert.InDelta(t, charged, d.Planned, 0.01)
}

// What comes off again is fitted and never glued; its assembly is not packed before it is coloured.
func TestWhatComesOffHoldsTheParcel(t *testing.T) {
	s := apptest.New(t)
	no, form, itemID := apptest.Kit(t, s, 1)
	form.Tier = route.Painted
	for id, p := range form.Parts {
		p.Joins = studio.JoinLoose
		form.Parts[id] = p
	}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	s.Accept(no)
	apptest.PrintAll(t, s)
	for _, code := range []string{"-1a", "-1b", "-1c", "-1"} {
		apptest.FinishTo(t, s, no+code)
	}
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, route.Pack, p.Kind())
	assert.Contains(t, p.Held, no+"-1b")
	for _, code := range []string{"-1b", "-1c"} {
		apptest.FinishTo(t, s, no+code)
	}
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Owner, no+"-1c"), "its coat is its own until the parcel")
	apptest.FinishTo(t, s, no+"-1c")
	apptest.FinishTo(t, s, no+"-1")
	assert.Empty(t, apptest.OpenPieces(t, s, no))
}

// A part that is scrapped holds its assembly up until it is replaced, by a piece with a letter
// of its own; changes of the order keep what is printed and call off whole trees.
func TestTreesThroughLossAndChange(t *testing.T) {
	s := apptest.New(t)
	no, form, itemID := apptest.Kit(t, s, 2)
	apptest.PrintAll(t, s, no+"-1b")
	s.Finish(no + "-1a")
	s.Finish(no + "-1c")
	by, _ := apptest.PiecesOf(t, s, no)
	assert.Equal(t, studio.InParts, by[no+"-1"].State)
	require.NoError(t, s.Pieces.SettleScrapped(s.Ctx, s.Owner, no+"-1b", false))
	by, _ = apptest.PiecesOf(t, s, no)
	require.Contains(t, by, no+"-1d")
	assert.Equal(t, by[no+"-1"].ID, by[no+"-1d"].ParentID)
	apptest.PrintAll(t, s)
	s.Finish(no + "-1d")
	by, _ = apptest.PiecesOf(t, s, no)
	assert.Equal(t, studio.AtBench, by[no+"-1"].State)

	// One copy less: the tree that is the least far goes, whole.
	form.Copies = 1
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	s.Accept(no)
	_, codes := apptest.PiecesOf(t, s, no)
	assert.Equal(t, []string{no + "-1", no + "-1a", no + "-1c", no + "-1d"}, codes)

	// Handed over apart after all: the assembly is called off, its prints stand alone and are packed.
	form.Making = &studio.ItemOptions{Apart: true}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	s.Accept(no)
	by, codes = apptest.PiecesOf(t, s, no)
	assert.Equal(t, []string{no + "-1a", no + "-1c", no + "-1d"}, codes)
	for code, p := range by {
		assert.Zero(t, p.ParentID, code)
		assert.Equal(t, route.Pack, p.Now().Kind, "%s has its packing before it", code)
	}
	// And joined again, they are taken in.
	form.Making = &studio.ItemOptions{}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	s.Accept(no)
	by, codes = apptest.PiecesOf(t, s, no)
	assert.Equal(t, []string{no + "-3", no + "-1a", no + "-1c", no + "-1d"}, codes)
	for _, code := range codes[1:] {
		assert.Equal(t, by[no+"-3"].ID, by[code].ParentID, code)
		assert.Equal(t, studio.PieceDone, by[code].State, code)
	}
	assert.Equal(t, studio.AtBench, by[no+"-3"].State)
	s.Finish(no + "-3")
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.True(t, d.Complete())

	// An item taken off takes its trees along.
	other, _, otherItem := apptest.Kit(t, s, 1)
	require.NoError(t, s.Orders.RemoveItem(s.Ctx, s.Owner, other, otherItem))
	items, _, err := s.Orders.AddItem(s.Ctx, s.Owner, other, []models.Upload{apptest.Upload("slab.stl", apptest.Slab())}, false)
	require.NoError(t, err)
	require.NotEmpty(t, items)
	s.Accept(other)
	by, _ = apptest.PiecesOf(t, s, other)
	assert.Len(t, by, 1)
}

// A change says, before anybody has agreed to it, what of what was made it would call off and what
// has gone into that; until the yes nothing is touched, and a change that keeps all says nothing.
func TestAChangeSaysWhatItCallsOff(t *testing.T) {
	s := apptest.New(t)
	no, form, itemID := apptest.Kit(t, s, 2)
	apptest.PrintAll(t, s)
	s.Finish(no + "-1a")
	form.Copies = 3
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	assert.Empty(t, q.Document.Instead.CallsOff, "one more takes nothing away")
	before, codes := apptest.PiecesOf(t, s, no)
	form.Copies, form.Scale = 1, 1.4
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	q, err = s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	require.Len(t, q.Document.Instead.CallsOff, 6, "all six prints are of another size")
	assert.Contains(t, q.Document.Instead.CallsOff[0], no+"-1a, Vase, body: as far as look, ")
	assert.Regexp(t, `of hands, [^,]+ of machine, [\d.]+ g, about € [\d.]+$`, q.Document.Instead.CallsOff[0])
	after, still := apptest.PiecesOf(t, s, no)
	assert.Equal(t, codes, still)
	assert.Equal(t, before, after, "trying it has left nothing behind")
	log, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	for _, e := range log.Log {
		assert.NotEqual(t, "piece called off", e.Event)
	}
}

// An order that is cancelled takes whole trees along, laid on a plate or not, each piece once.
func TestCancellingTrees(t *testing.T) {
	s := apptest.New(t)
	no, _, _ := apptest.Kit(t, s, 2)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "the play is off"))
	_, codes := apptest.PiecesOf(t, s, no)
	assert.Empty(t, codes)
	plate, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	assert.Empty(t, plate.Pieces)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	said := map[int64]int{}
	require.NoError(t, s.Store.Read(s.Ctx, func(tx *store.Tx) error {
		for _, p := range sheet.Pieces {
			log, err := tx.LogOfPiece(p.ID)
			if err != nil {
				return err
			}
			for _, e := range log {
				if e.Event == "piece called off" {
					said[p.ID]++
				}
			}
		}
		return nil
	}))
	for code, n := range said {
		assert.Equal(t, 1, n, code)
	}
	assert.Len(t, said, 8)
}

// A cast order is one print, a mould, and the castings; each waits for what it is made of, every
// copy is primed and packed, and the client gets the castings.
func TestACastOrder(t *testing.T) {
	s := apptest.New(t)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"mould.life": 2}))
	no := s.Order(3, route.Primed)
	cast := func(on bool) {
		items, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		it := items.Items[0]
		form := orders.ItemForm{Title: "Vase", Tier: route.Primed, Copies: 3, Scale: 1, Making: &studio.ItemOptions{Cast: on}}
		require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, form))
	}
	cast(true)
	s.Accept(no)
	by, codes := apptest.PiecesOf(t, s, no)
	var kinds []studio.PieceKind
	for _, code := range codes {
		kinds = append(kinds, by[code].Kind)
	}
	assert.Equal(t, []studio.PieceKind{studio.KindMaster, studio.KindMould, studio.KindMould, studio.KindCast, studio.KindCast, studio.KindCast}, kinds, "two copies a mould")
	assert.Equal(t, by[no+"-3"].ID, by[no+"-6"].FromID, "the third comes of the second mould")
	progress, err := s.Orders.Progress(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, "0 of 3 pieces done", progress[by[codes[0]].OrderID])
	apptest.PrintAll(t, s)
	sheet, err := s.Pieces.Piece(s.Ctx, no+"-2")
	require.NoError(t, err)
	at := slices.IndexFunc(sheet.Stages, func(st studio.Stage) bool { return st.Kind == route.Rubber })
	assert.Contains(t, sheet.Stages[at].How, "no vacuum", "its wall is 2 mm")
	assert.Equal(t, "waits for its print", sheet.Say)
	s.Finish(no + "-1")
	s.Finish(no + "-2")
	by, _ = apptest.PiecesOf(t, s, no)
	assert.Equal(t, []studio.PieceState{studio.PieceDone, studio.AtBench, studio.AtBench, studio.AtBench, studio.InParts},
		[]studio.PieceState{by[no+"-2"].State, by[no+"-3"].State, by[no+"-4"].State, by[no+"-5"].State, by[no+"-6"].State})
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-4", studio.Stamp{Minutes: 9})
	require.NoError(t, err)
	apptest.Refusal(t, s.Pieces.TakeBackStamp(s.Ctx, s.Owner, no+"-2"), "is in "+no+"-4 already")
	for _, code := range []string{"-3", "-4", "-5", "-6"} {
		s.Finish(no + code)
	}
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.True(t, d.Complete())
	assert.Equal(t, []string{no + "-4, " + no + "-5, " + no + "-6"}, d.Packed[0].Contents())
	charged := 0.0
	for _, it := range d.AcceptedQuote().Taken().Items {
		charged += it.Cost.HandsMinutes
	}
	assert.InDelta(t, charged, d.Planned, 0.01, "planned is what was charged, to the minute")

	// Printed after all: what is cast is called off, prints wait.
	cast(false)
	s.Accept(no)
	by, codes = apptest.PiecesOf(t, s, no)
	assert.Len(t, codes, 3)
	for _, code := range codes {
		assert.Equal(t, studio.KindPrint, by[code].Kind, code)
	}
}

// What is cast follows its order: a new name and tier reach every kind of piece, a mould whose
// castings lose it gives them another, and at another size what is made already is called off.
func TestCastOrdersThroughChange(t *testing.T) {
	s := apptest.New(t)
	require.NoError(t, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"mould.life": 2}))
	no := s.Order(4, route.Primed)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	form := orders.ItemForm{Title: "Vase", Tier: route.Primed, Copies: 4, Scale: 1, Making: &studio.ItemOptions{Cast: true}}
	change := func() (map[string]studio.Piece, []string) {
		require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, sheet.Items[0].ID, form))
		s.Accept(no)
		return apptest.PiecesOf(t, s, no)
	}
	of := func(by map[string]studio.Piece, kind studio.PieceKind) (list []studio.Piece) {
		for _, p := range by {
			if p.Kind == kind {
				list = append(list, p)
			}
		}
		slices.SortFunc(list, func(a, b studio.Piece) int { return cmp.Compare(a.ID, b.ID) })
		return list
	}
	_, codes := change()
	require.Len(t, codes, 7, "a print, two moulds, four castings")
	apptest.PrintAll(t, s, codes[0])
	form.Title, form.Tier = "Urn", route.Painted
	_, codes = change()
	require.Len(t, codes, 6, "the print that is lost is not made again by itself")
	require.NoError(t, s.Pieces.SettleScrapped(s.Ctx, s.Owner, no+"-1", false))
	by, _ := apptest.PiecesOf(t, s, no)
	master := of(by, studio.KindMaster)[0]
	for _, p := range by {
		want := map[studio.PieceKind]string{studio.KindMaster: "Vase, the print to cast", studio.KindMould: "Urn, mould", studio.KindCast: "Urn"}[p.Kind]
		assert.Equal(t, want, p.Name, p.Code)
	}
	by, _ = change()
	assert.Equal(t, "Urn, the print to cast", by[master.Code].Name)
	apptest.PrintAll(t, s)
	s.Finish(master.Code)
	by, _ = apptest.PiecesOf(t, s, no)
	for _, p := range of(by, studio.KindMould) {
		assert.Equal(t, studio.AtBench, p.State, "it is made around the print that stands for the lost one")
	}
	// One mould is enough for two; that which is the least far goes, and its castings with it or to the other.
	s.Finish(of(by, studio.KindMould)[1].Code)
	form.Copies = 2
	by, codes = change()
	require.Len(t, codes, 4)
	for _, p := range of(by, studio.KindCast) {
		assert.Equal(t, of(by, studio.KindMould)[0].ID, p.FromID, p.Code)
		assert.Equal(t, studio.AtBench, p.State)
		assert.Equal(t, route.Painted, p.Tier)
	}
	// At another size all of it is made again.
	form.Scale = 1.5
	by, codes = change()
	require.Len(t, codes, 4)
	assert.NotContains(t, by, master.Code)
	for _, p := range by {
		assert.Equal(t, 1.5, p.Scale, p.Code)
		assert.Nil(t, p.Last(), p.Code)
		assert.NotEqual(t, studio.AtBench, p.State, p.Code)
	}
}

// A tree follows its order: under another name and tier a finished assembly is opened again, and
// what is cast after all takes no print out of a tree for a copy.
func TestTreesFollowTheirOrder(t *testing.T) {
	s := apptest.New(t)
	no, form, itemID := apptest.Kit(t, s, 1)
	apptest.PrintAll(t, s)
	for _, code := range []string{"-1a", "-1b", "-1c", "-1"} {
		s.Finish(no + code)
	}
	form.Title, form.Tier = "Urn", route.Painted
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	s.Accept(no)
	by, codes := apptest.PiecesOf(t, s, no)
	require.Len(t, codes, 4)
	assert.Equal(t, "Urn", by[no+"-1"].Name)
	assert.Equal(t, studio.AtBench, by[no+"-1"].State)
	require.NotNil(t, by[no+"-1"].Now())
	assert.Equal(t, route.Base, by[no+"-1"].Now().Kind)

	other, form, itemID := apptest.Kit(t, s, 1)
	apptest.PrintAll(t, s)
	form.Making = &studio.ItemOptions{Cast: true}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, other, itemID, form))
	s.Accept(other)
	by, _ = apptest.PiecesOf(t, s, other)
	cast := 0
	for _, p := range by {
		if p.Kind == studio.KindCast {
			cast++
			assert.Equal(t, by[other+"-1"].ID, p.ParentID, p.Code)
			assert.True(t, strings.HasPrefix(p.Code, other+"-1"), p.Code)
		}
		assert.Equal(t, p.Kind == studio.KindAssembly, p.ClientGets(), p.Code)
	}
	assert.Equal(t, 3, cast, "every part is cast, and joined")
}

// An order of castings in parts is joined: each assembly waits for its castings, those for their
// moulds, and what was charged is planned; handed over apart, they stand alone.
func TestAssembliesOfCastings(t *testing.T) {
	s := apptest.New(t)
	no, form, itemID := apptest.Kit(t, s, 2)
	form.Tier, form.Making = route.Painted, &studio.ItemOptions{Cast: true}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	quoted := s.Accept(no)
	kinds := func() map[studio.PieceKind]int {
		by, _ := apptest.PiecesOf(t, s, no)
		n := map[studio.PieceKind]int{}
		for _, p := range by {
			n[p.Kind]++
		}
		return n
	}
	assert.Equal(t, map[studio.PieceKind]int{studio.KindAssembly: 2, studio.KindMaster: 2, studio.KindMould: 2, studio.KindCast: 6}, kinds())
	apptest.PrintAll(t, s)
	for range 4 {
		for _, code := range apptest.OpenPieces(t, s, no) {
			apptest.FinishTo(t, s, code)
		}
	}
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	require.True(t, d.Complete(), "%v", apptest.OpenPieces(t, s, no))
	assert.Equal(t, 2, d.Given())
	charged := 0.0
	for _, it := range quoted.Document.Items {
		charged += it.Cost.HandsMinutes
	}
	assert.InDelta(t, charged, d.Planned, 0.01)
	form.Making = &studio.ItemOptions{Cast: true, Apart: true}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	s.Accept(no)
	assert.Equal(t, map[studio.PieceKind]int{studio.KindMaster: 2, studio.KindMould: 2, studio.KindCast: 6}, kinds())
	by, _ := apptest.PiecesOf(t, s, no)
	for _, p := range by {
		assert.Zero(t, p.ParentID, p.Code)
	}
}

// Resin shut in stops a quote, until somebody gives the reason; in filament nothing is shut in.
// What is priced in pieces is said to want cutting first.
func TestClosedHollowsStopAQuote(t *testing.T) {
	s := apptest.New(t)
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Odile Brackwater", Title: "Float", Sure: true})
	require.NoError(t, err)
	hole := meshtest.Box(mesh.Vec{X: 5, Y: 5, Z: 5}, mesh.Vec{X: 20, Y: 20, Z: 20}).Weld()
	for i, c := range hole.Triangles {
		hole.Triangles[i] = [3]int32{c[0], c[2], c[1]}
	}
	float := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 30, Y: 30, Z: 30}), hole.Soup("stl"))
	items, _, err := s.Orders.AddItem(s.Ctx, s.Owner, o.Number, []models.Upload{apptest.Upload("float.stl", mesh.WriteSTL(float))}, false)
	require.NoError(t, err)
	form := orders.ItemForm{Title: "Float", Tier: route.Raw, Copies: 1, Scale: 1, Parts: map[int64]orders.PartForm{items[0].Parts[0].ID: {Process: "resin", Copies: 1, CutInto: 2}}}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, o.Number, items[0].ID, form))
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, o.Number, "")
	apptest.Refusal(t, err, "has 1 closed hollow: resin shut in is never cured")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, o.Number)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(sheet.Marks, " "), "priced in 2 pieces and still one: cut it")
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, o.Number, "bored by hand at the bench")
	require.NoError(t, err)
	form.Parts[items[0].Parts[0].ID] = orders.PartForm{Process: "filament", Copies: 1}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, o.Number, items[0].ID, form))
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, o.Number, "")
	require.NoError(t, err)
}
