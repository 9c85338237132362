package webtest

import (
	"bytes"
	"context"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"sakuji/app"
	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

// Busy is a studio with something on every sheet: pieces waiting, on a plate, at the
// bench, scrapped and done, quotes in every state, a question open.
func Busy(t *testing.T) (*Site, []string) {
	t.Helper()
	s := Serve(t, apptest.New(t), kit.Options{Demo: &StoppedTime{}})
	first := s.Order(4, "painted")
	s.Accept(first)
	s.Print(first + "-2")
	require.NoError(t, s.Pieces.SendBack(s.Ctx, s.Bench, first+"-1", "print", "dropped", ""))
	s.Finish(first + "-3")
	s.Painted(first)
	second := s.Order(2, "raw")
	q := s.Offers(second, "painted")
	require.NoError(t, s.Quotes.AskAboutQuote(s.Ctx, q.Token, "How heavy will it be, and can it be hung from a line of nylon?"))
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, second, "question", "Gloss or matt?"))
	_, err := s.Orders.RepeatOrder(s.Ctx, s.Owner, first)
	require.NoError(t, err)
	_, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	require.NoError(t, s.Stock.Received(s.Ctx, s.Owner, studio.Lot{MaterialID: s.Resin, Label: "bottle 1, with a long name that stands on it", Grams: 1000, PricePerKG: 31}))
	return s, []string{"/", "/stock", "/plates/plan?process=resin&material=1&like=1&percent=50", "/orders", "/orders/new", "/orders/" + first, "/orders/" + second, "/orders/" + first + "/delivery", "/clients", "/clients/1", "/plates", "/plates/1", "/plates/2", "/plan",
		"/bench?show=all", "/bench/" + first + "-1", "/bench/" + first + "-4", "/bench/recipes?find=wing", "/bench/recipes/1", "/bench/paint/" + first, "/bench/paint/" + first + "/regions/1/mark", "/bench/problems", "/bench/" + first + "-1/advice?gap=0,8", "/bench/" + first + "-3/photos", "/bench/" + first + "-3/flaw", "/bench/" + first + "-3/flaw?is=run", "/studio", "/studio/machines/new", "/studio/machines/1", "/studio/people/2", "/rates", "/logbook", "/find?q=vas", "/q/" + q.Token,
		"/models", "/models/1", "/models/1/layers", "/models/1/prints", "/models/1/prints?process=filament&scale=2&tier=raw&noticed=morning&pieces=3", "/orders/" + first + "/items/1/size?by=height&height=50",
		"/orders/" + first + "/quote", "/orders/" + second + "/quote", "/orders/" + first + "/items/1/routes", "/quotes", "/rates/check", "/rates/history"}
}

// Painted plans the paint of an order, with a swatch that nobody has judged, and something that went wrong.
func (s *Site) Painted(no string) {
	s.t.Helper()
	r, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, studio.Recipe{Name: "wing grey", Medium: "acrylic", Colour: "#60656b", Tool: "airbrush", Coats: 2, Paints: []studio.PaintPart{{Paint: "white", Parts: 2}, {Paint: "black", Parts: 1}}})
	require.NoError(s.t, err)
	plan, err := s.Paint.Plan(s.Ctx, no)
	require.NoError(s.t, err)
	require.NoError(s.t, s.Paint.SaveRegion(s.Ctx, s.Bench, no, studio.Region{ItemID: plan.Items[0].Item.ID, Name: "wings", Stage: "base", RecipeNumber: r.Number, SharePercent: 40, EdgeMM: 300, Care: studio.CareFocal}, ""))
	require.NoError(s.t, s.Paint.AddSwatch(s.Ctx, s.Bench, r.Number, studio.Swatch{OrderID: plan.Order.ID, Coats: 2}))
	require.NoError(s.t, s.Paint.MixRecipe(s.Ctx, s.Bench, r.Number, 30))
	require.NoError(s.t, s.Pieces.NoteFlaw(s.Ctx, s.Bench, no+"-3", studio.Flaw{Kind: "run", Cause: "thinned too much", Text: "at the rim", Verdict: studio.FlawMended, Minutes: 5, Marked: true, X: 0.3, Y: 0.6}, ""))
}

// Offers sends a quote with all that one can hold: an option that is restored and looks like
// a weapon, and the order at another tier beside it.
func (s *Site) Offers(no, tier string) studio.Quote {
	s.t.Helper()
	require.NoError(s.t, s.Orders.AddPlainItem(s.Ctx, s.Owner, no, "A stand, mended"))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(s.t, err)
	stand := sheet.Items[len(sheet.Items)-1].ID
	require.NoError(s.t, s.Orders.AddExtra(s.Ctx, s.Owner, no, stand, quote.Extra{Kind: quote.Restore, What: "the old stand", Hours: 2, Odds: 0.3, WorseHours: 3, StopAt: 200}))
	require.NoError(s.t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, stand, orders.ItemForm{Title: "A stand, mended", Tier: "raw", Copies: 1, Scale: 1, Making: &studio.ItemOptions{Option: true, Weapon: "yes"}}))
	require.NoError(s.t, s.Quotes.SaveVariant(s.Ctx, s.Owner, no, studio.Variant{Name: "Another way", Tier: tier, Offered: true}))
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(s.t, err)
	return q
}

// Done is how many stages of a piece are stamped.
func Done(p studio.Piece) (n int) {
	for _, st := range p.Stages {
		if st.Mark == route.Done {
			n++
		}
	}
	return n
}

// Kept lays a file of a model down.
func Kept(t *testing.T, s *apptest.Studio, name string, data []byte) models.Kept {
	t.Helper()
	k, err := s.Models.Keep(name, bytes.NewReader(data))
	require.NoError(t, err)
	return k
}

// AtWork carries jobs out in the background, as when it is served.
func AtWork(t *testing.T, a *app.App) {
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { a.Jobs.Work(ctx, slog.New(slog.DiscardHandler)); close(done) }()
	t.Cleanup(func() { stop(); <-done })
}

// Hostile are values nobody means to send.
var Hostile = []string{"", " ", "0", "-1", "1", "2", "3.5", "1e308", "-1e308", "NaN", "Inf", "99999999999999999999", "0x10", "resin", "filament", "painted", "good", "failed", "accept", "now",
	"2026-05-14", "2026-05-14T09:00", "9999-12-31T23:59", "0000-00-00", "'; DROP TABLE orders; --", "<b>x</b>", "\x00", "\xff\xfe", "…", strings.Repeat("x", 5000), "../../etc/passwd", "%s%n", "EUR", "Europe/Vienna", "IK"}

// Vienna is where the test studio is.
func Vienna(t testing.TB) *time.Location {
	loc, err := time.LoadLocation("Europe/Vienna")
	require.NoError(t, err)
	return loc
}
