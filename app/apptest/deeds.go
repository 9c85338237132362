package apptest

import (
	"bytes"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/app/plates"
	"sakuji/app/quotes"
	"sakuji/app/today"
	"sakuji/core/finish"
	"sakuji/core/plate"
	"sakuji/core/route"
	"sakuji/studio"
)

// Asked is the question that a change came back with.
func Asked(t *testing.T, err error) string {
	t.Helper()
	var q *studio.Confirm
	require.True(t, errors.As(err, &q), "%v", err)
	return q.Text
}

// Refusal asserts that an error is an answer to a person, not a fault.
func Refusal(t *testing.T, err error, says string) {
	t.Helper()
	var r *change.Refusal
	require.ErrorAs(t, err, &r)
	assert.Contains(t, r.Text, says)
}

// Titles are what Today asks for.
func Titles(t today.TodaySheet) (out []string) {
	for _, task := range t.Tasks {
		out = append(out, task.Title)
	}
	return out
}

// OpenPieces are an order's pieces that somebody has still to work on, by code.
func OpenPieces(t *testing.T, s *Studio, number string) (codes []string) {
	by, all := PiecesOf(t, s, number)
	for _, code := range all {
		if by[code].State != studio.PieceDone {
			codes = append(codes, code)
		}
	}
	return codes
}

// FinishTo stamps a piece until it is done or held up.
func FinishTo(t *testing.T, s *Studio, code string) {
	for {
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		if p.State != studio.AtBench || p.Held != "" {
			return
		}
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 5, Note: "it held"})
		require.NoError(t, err)
	}
}

// Keep lays a file of a model down.
func Keep(s *Studio, name string, data []byte) models.Kept {
	s.T.Helper()
	k, err := s.Models.Keep(name, bytes.NewReader(data))
	require.NoError(s.T, err)
	return k
}

// Enquiry is an order that has only been asked for.
func Enquiry(s *Studio) string {
	s.T.Helper()
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Odile Brackwater", Title: "A toad", Sure: true})
	require.NoError(s.T, err)
	return o.Number
}

// Remade carries a change on a model out and returns what came of it.
func Remade(s *Studio, id int64, kind string, o studio.JobOptions) studio.Job {
	s.T.Helper()
	batch, err := s.Models.Remake(s.Ctx, s.Owner, id, kind, o)
	require.NoError(s.T, err)
	jobs, err := s.Jobs.Await(s.Ctx, batch, time.Minute)
	require.NoError(s.T, err)
	return jobs[0]
}

// Added adds one model to a new order and returns its part as the studio proposes it.
func Added(t *testing.T, s *Studio, data []byte) studio.Part {
	t.Helper()
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "N", Title: "T", Sure: true})
	require.NoError(t, err)
	items, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, o.Number, []models.Upload{Upload("a_part-of it.STL", data)}, false)
	require.NoError(t, err)
	require.Empty(t, problems)
	assert.Equal(t, "A part of it", items[0].Title, "named after its file")
	return items[0].Parts[0]
}

// Promised is the sure date of an order.
func Promised(t *testing.T, s *Studio, no string) time.Time {
	t.Helper()
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	at, err := s.Plan.ReadyBy(s.Ctx, sheet.Order, sheet.Steps(), time.Minute)
	require.NoError(t, err)
	return at.Sure
}

// Pricing is the quote sheet of an order.
func Pricing(t *testing.T, s *Studio, no string) quotes.Pricing {
	t.Helper()
	d, err := s.App.Quotes.Pricing(s.Ctx, no)
	require.NoError(t, err)
	return d
}

// Grey is a recipe as somebody writes it down.
func Grey(name string) studio.Recipe {
	return studio.Recipe{Name: name, Medium: route.AcrylicPaint, Colour: "#60656b",
		Paints: []studio.PaintPart{{Paint: "white acrylic", Parts: 2}, {Paint: "black acrylic", Parts: 1}}, Thinner: "water",
		ThinnerPercent: 20,
		Tool:           finish.Airbrush, PressureBar: 1.4, Coats: 2, Over: "grey primer", OverColour: "#808080"}
}

// ToBase stamps a piece until its base coats are next.
func ToBase(t *testing.T, s *Studio, code string) {
	t.Helper()
	for range 40 {
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		if p.Kind() == route.Base && !p.Wait {
			return
		}
		if p.Wait {
			s.Clock.At = p.Until
			continue
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1})
		require.NoError(t, err)
	}
	t.Fatal("no base coats")
}

// Painted is an order whose pieces are printed, with a plan for its wings.
func Painted(t *testing.T, copies int) (s *Studio, number string, r studio.Recipe, item studio.Item) {
	s = New(t)
	number = s.Order(copies, route.Painted)
	s.Accept(number)
	s.Print()
	r, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, Grey("wing grey"))
	require.NoError(t, err)
	plan, err := s.Paint.Plan(s.Ctx, number)
	require.NoError(t, err)
	item = plan.Items[0].Item
	require.NoError(t, s.Paint.SaveRegion(s.Ctx, s.Bench, number, studio.Region{ItemID: item.ID, Name: "wings", Stage: route.Base, RecipeNumber: r.Number, SharePercent: 40}, ""))
	return s, number, r, item
}

// Kit is an accepted order of copies of a vase with two feet, in resin, that are joined.
func Kit(t *testing.T, s *Studio, copies int) (number string, form orders.ItemForm, itemID int64) {
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Moth Post Guild", Title: "Footed vases", Sure: true})
	require.NoError(t, err)
	items, _, err := s.Orders.AddItem(s.Ctx, s.Owner, o.Number, []models.Upload{Upload("vase_body.stl", Vase()), Upload("vase-foot.stl", VaseOf(18))}, false)
	require.NoError(t, err)
	form = orders.ItemForm{Title: "Vase", Tier: route.Primed, Copies: copies, Scale: 1, Parts: map[int64]orders.PartForm{}}
	for i, p := range items[0].Parts {
		form.Parts[p.ID] = orders.PartForm{Process: "resin", Copies: i + 1}
	}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, o.Number, items[0].ID, form))
	s.Accept(o.Number)
	return o.Number, form, items[0].ID
}

// PiecesOf are an order's pieces by code, and their codes in the order they were made.
func PiecesOf(t *testing.T, s *Studio, number string) (by map[string]studio.Piece, codes []string) {
	sheet, err := s.Quotes.OrderSheet(s.Ctx, number)
	require.NoError(t, err)
	by = map[string]studio.Piece{}
	for _, p := range sheet.Pieces {
		if p.Live() {
			by[p.Code] = p
			codes = append(codes, p.Code)
		}
	}
	return by, codes
}

// PrintAll lays, runs and empties plates until nothing waits.
func PrintAll(t *testing.T, s *Studio, scrapped ...string) {
	for range 6 {
		waiting, err := s.Plates.Plates(s.Ctx)
		require.NoError(t, err)
		if len(waiting.Waiting) == 0 {
			return
		}
		number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
		require.NoError(t, err)
		s.Begin(number)
		s.Clock.Pass(12 * time.Hour)
		sheet, err := s.Plates.PlateSheet(s.Ctx, number)
		require.NoError(t, err)
		out := map[int64]studio.Outcome{}
		for _, p := range sheet.Pieces {
			out[p.Piece.ID] = studio.Outcome{What: studio.Good}
			if studio.OneOf(p.Piece.Code, scrapped...) {
				out[p.Piece.ID] = studio.Outcome{What: studio.ScrappedOff}
			}
		}
		require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: sheet.Plate.Run.Due()}))
	}
	t.Fatal("plates never end")
}

// Lies fails where what lies on a plate comes too near to anything, by the geometry of the sheet.
func Lies(t *testing.T, s *Studio, number int) plates.PlateSheet {
	t.Helper()
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	require.Empty(t, plate.Check(sheet.Machine.Bed(), sheet.Shop.Book.V("spacing"), sheet.Laid()))
	return sheet
}
