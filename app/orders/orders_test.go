package orders_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/app/pieces"
	"sakuji/app/plates"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
)

func stl(x, y, z float64) []byte {
	return mesh.WriteSTL(meshtest.Box(mesh.Vec{}, mesh.Vec{X: x, Y: y, Z: z}))
}

// What is proposed for a new part: resin where it fits, filament where only that
// does; thick resin is hollowed to the usual wall.
func TestProposals(t *testing.T) {
	s := apptest.New(t)
	small := apptest.Added(t, s, stl(12, 12, 30))
	assert.Equal(t, "resin", small.Process)
	assert.Zero(t, small.WallMM)
	assert.Equal(t, s.Resin, small.MaterialID)
	thick := apptest.Added(t, s, stl(40, 40, 40))
	assert.Equal(t, 2.0, thick.WallMM)
	wide := apptest.Added(t, s, stl(200, 150, 30))
	assert.Equal(t, "filament", wide.Process)
	assert.Equal(t, s.PLA, wide.MaterialID)
	assert.Zero(t, wide.WallMM)
}

// Changing a part to filament takes its wall away and gives it a material of that
// process, whatever was sent along.
func TestProcessBringsItsMaterial(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	part := sheet.Items[0].Parts[0]
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, sheet.Items[0].ID, orders.ItemForm{Title: "V", Tier: route.Raw, Copies: 1, Scale: 1,
		Parts: map[int64]orders.PartForm{part.ID: {Process: "filament", MaterialID: s.Resin, WallMM: 3, Copies: 1}}}))
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	got := sheet.Items[0].Parts[0]
	assert.Equal(t, s.PLA, got.MaterialID)
	assert.Zero(t, got.WallMM)
}

func TestPointsAndDeposits(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Painted)
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, no, studio.Colour, "Rim"))
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, no, studio.Question, "Handles?"))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.NoError(t, s.Orders.SettlePoint(s.Ctx, s.Owner, no, sheet.Points[0].ID, "brass"))
	assert.True(t, change.NotFound(s.Orders.SettlePoint(s.Ctx, s.Owner, no, 999, "x")))
	q := s.Accept(no)
	assert.Equal(t, []string{"Rim: brass"}, q.Document.Colours)
	assert.Equal(t, []string{"Handles?"}, q.Document.Questions)
	require.NoError(t, s.Paid(no, "5"))
	today, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	left := studio.Money{Minor: q.DepositMinor - 500, Currency: "EUR"}.String()
	found := false
	for _, task := range today.Tasks {
		if task.Action == "It arrived" {
			found = true
			assert.Contains(t, task.Detail, left, "what has come is taken off")
		}
	}
	assert.True(t, found)
	require.NoError(t, s.Paid(no, studio.Money{Minor: q.DepositMinor - 500, Currency: "EUR"}.Plain()))
	today, err = s.Today.Today(s.Ctx)
	require.NoError(t, err)
	for _, task := range today.Tasks {
		assert.NotEqual(t, "It arrived", task.Action)
	}
	again, err := s.Orders.RepeatOrder(s.Ctx, s.Owner, no)
	require.NoError(t, err)
	fresh, err := s.Quotes.OrderSheet(s.Ctx, again.Number)
	require.NoError(t, err)
	require.Len(t, fresh.Points, 1, "settled colours come along, open questions and prices do not")
	assert.Equal(t, "brass", fresh.Points[0].Answer)
	apptest.Refusal(t, s.Paid(again.Number, "5"), "no money is expected")
}

func TestDeliveredOnADayThatHasPassed(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	s.Accept(no)
	s.Print()
	s.Finish(no + "-1")
	progress, err := s.Orders.Progress(s.Ctx)
	require.NoError(t, err)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, "1 of 1 piece done", progress[sheet.Order.ID])
	s.Clock.Pass(72 * time.Hour)
	apptest.Refusal(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, s.Clock.At.Add(48*time.Hour), false), "day to come")
	yesterday := s.Clock.At.Add(-24 * time.Hour)
	require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, no, yesterday, false))
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, yesterday, d.Order.Delivered)
	assert.Equal(t, []string{no + "-1"}, d.Packed[0].Contents())
	apptest.Refusal(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, no+"-1"), "out of the studio")
	apptest.Refusal(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, orders.OrderForm{ClientID: 1, Title: "x"}), "repeat it instead")
}

// What nobody can do without is left out only with the client's word.
func TestLeavingOutAScrappedPiece(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Plates.StartRun(s.Ctx, s.Bench, number, studio.Started{}))
	s.Clock.Pass(9 * time.Hour)
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: map[int64]studio.Outcome{
		sheet.Pieces[0].Piece.ID: {What: studio.Good}, sheet.Pieces[1].Piece.ID: {What: studio.ScrappedOff}}}))
	s.Finish(no + "-1")
	today, err := s.Today.Today(s.Ctx)
	require.NoError(t, err)
	assert.Contains(t, apptest.Titles(today), no+"-2 was scrapped: Vase")
	apptest.Refusal(t, s.Pieces.SettleScrapped(s.Ctx, s.Owner, no+"-1", true), "not scrapped")
	require.NoError(t, s.Pieces.SettleScrapped(s.Ctx, s.Owner, no+"-2", true))
	today, err = s.Today.Today(s.Ctx)
	require.NoError(t, err)
	assert.Contains(t, apptest.Titles(today), "Deliver Vases to Odile Brackwater")
	d, err := s.Delivery.Delivery(s.Ctx, no)
	require.NoError(t, err)
	assert.True(t, d.Complete())
	assert.Len(t, d.Packed[0].Pieces, 1)

	// A new revision for as many as before does not bring it back by itself.
	s.Accept(no)
	sheet2, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Len(t, sheet2.Pieces, 2)
}

// A declined change leaves what was agreed; the pieces stay as they are.
func TestADeclinedChangeLeavesTheOrder(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Raw)
	first := s.Accept(no)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	s.Change(no, sheet.Items[0].ID, 5, route.Painted, 1)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	require.NoError(t, s.Quotes.NoteAnswer(s.Ctx, s.Owner, no, false, "", studio.Chosen{}))
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, studio.Accepted, sheet.Order.State)
	assert.Equal(t, first.Revision, sheet.AcceptedQuote().Revision)
	assert.Equal(t, studio.QuoteDeclined, sheet.Newest().State)
	assert.Equal(t, q.Revision, sheet.Newest().Revision)
	assert.Len(t, sheet.Pieces, 2)
	apptest.Refusal(t, s.Quotes.NoteAnswer(s.Ctx, s.Owner, no, true, "", studio.Chosen{}), "No quote of order")
}

// The bench's sheet: filters count, waits come in the order they end.
func TestBenchFilters(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(3, route.Raw)
	s.Accept(no)
	s.Print(no + "-3")
	for i, code := range []string{no + "-2", no + "-1"} {
		_, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 2})
		require.NoError(t, err)
		if i == 0 {
			s.Clock.Pass(10 * time.Minute)
		}
	}
	ready, err := s.App.Pieces.Bench(s.Ctx, pieces.BenchReady, "")
	require.NoError(t, err)
	assert.Empty(t, ready.Rows)
	assert.Equal(t, map[string]int{pieces.BenchAll: 3, pieces.BenchWaiting: 2}, ready.Count)
	waits, err := s.App.Pieces.Bench(s.Ctx, pieces.BenchWaiting, no)
	require.NoError(t, err)
	require.Len(t, waits.Rows, 2)
	assert.Equal(t, no+"-2", waits.Rows[0].Code, "the one that ends first")
	assert.Equal(t, "alcohol off", waits.Rows[0].For)
	all, err := s.App.Pieces.Bench(s.Ctx, pieces.BenchAll, "9999")
	require.NoError(t, err)
	assert.Empty(t, all.Rows)
	s.Clock.Pass(time.Hour)
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, no+"-2", p.Next, "the next for the same stage")
	assert.Equal(t, 1, p.NextAlike)
}

// What to mind at the print is told by process: filament holds no uncured resin.
func TestCautionsFollowTheProcess(t *testing.T) {
	assert.Contains(t, process.Of("resin").Caution(route.Print), "Uncured resin")
	assert.NotContains(t, process.Of("filament").Caution(route.Print), "resin")
	harmless := []route.StageKind{route.Look, route.Sculpt, route.ClientYes, route.Revise, route.Judge, route.Ask, route.Order, route.Here, route.Pattern, route.Ready, route.Work}
	for _, kind := range route.All() {
		if !slices.Contains(harmless, kind) {
			assert.NotEmpty(t, process.Of("resin").Caution(kind), kind)
		}
	}
}
