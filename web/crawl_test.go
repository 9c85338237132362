package web

import (
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/core/quote"
	"sakuji/studio"
	"sakuji/web/kit"
)

// busy is a studio with something on every sheet: pieces waiting, on a plate, at the
// bench, scrapped and done, quotes in every state, a question open.
func busy(t *testing.T) (*site, []string) {
	t.Helper()
	s := serve(t, apptest.New(t), kit.Options{Demo: &stoppedTime{}})
	first := s.Order(4, "painted")
	s.Accept(first)
	s.Print(first + "-2")
	require.NoError(t, s.Pieces.SendBack(s.Ctx, s.Bench, first+"-1", "print", "dropped", ""))
	s.Finish(first + "-3")
	s.painted(first)
	second := s.Order(2, "raw")
	q := s.offers(second, "painted")
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

// painted plans the paint of an order, with a swatch that nobody has judged, and something that went wrong.
func (s *site) painted(no string) {
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

// offers sends a quote with all that one can hold: an option that is restored and looks like
// a weapon, and the order at another tier beside it.
func (s *site) offers(no, tier string) studio.Quote {
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

var links = regexp.MustCompile(`(?:href|src|action)="(/[^"#]*)`)

// Every link on every sheet leads somewhere, and every form has a change behind it.
func TestEveryLinkLeadsSomewhere(t *testing.T) {
	s, sheets := busy(t)
	srv := New(s.App, testLog(s), kit.Options{Demo: &stoppedTime{}})
	defer srv.Close()
	posts := map[string]bool{}
	router := srv.routes()
	require.NoError(t, chi.Walk(router, func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		if method == http.MethodPost {
			posts[route] = true
		}
		return nil
	}))
	todo, seen, forms := slices.Clone(sheets), map[string]bool{}, map[string]bool{}
	for len(todo) > 0 {
		path := strings.ReplaceAll(todo[0], "&amp;", "&")
		todo = todo[1:]
		if seen[path] {
			continue
		}
		seen[path] = true
		require.Less(t, len(seen), 400, "the studio is finite")
		a := s.get(path)
		require.Contains(t, []int{http.StatusOK, http.StatusSeeOther}, a.StatusCode, path)
		if !strings.HasPrefix(a.Header.Get("Content-Type"), "text/html") {
			continue
		}
		for _, m := range links.FindAllStringSubmatch(a.body, -1) {
			if strings.HasPrefix(m[0], "action") {
				forms[m[1]] = true
			} else {
				todo = append(todo, m[1])
			}
		}
	}
	assert.Greater(t, len(seen), 50)
	assert.Greater(t, len(forms), 30)
	for form := range forms {
		u, err := url.Parse(form)
		require.NoError(t, err)
		ctx := chi.NewRouteContext()
		found := router.Match(ctx, http.MethodPost, u.Path) || router.Match(chi.NewRouteContext(), http.MethodGet, u.Path)
		assert.True(t, found, "no change behind the form %s", form)
	}
	assert.Greater(t, len(posts), 35)
}

// From a narrow phone to a wide screen nothing hangs over the edge of a sheet, and
// at the bench everything that is touched is large enough for a glove.
func TestFitsEveryWidth(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s, sheets := busy(t)
	b := browse(t, s.server.URL)
	for _, width := range []int64{380, 768, 1280, 2560} {
		b.do(chromedp.EmulateViewport(width, 800))
		for _, path := range sheets {
			b.open(path)
			over := b.eval(`const w = document.documentElement.clientWidth;
				return [...document.querySelectorAll("body *")].filter((e) => { const r = e.getBoundingClientRect();
					return r.width > 0 && r.right > w + 1 && !e.closest(".scroll, .margin, .box, .skip, svg") }).slice(0, 3).map((e) => e.outerHTML.slice(0, 120)).join("\n")`)
			assert.Empty(t, over, "%s at %d px", path, width)
		}
	}
	b.do(chromedp.EmulateViewport(400, 800))
	for _, path := range sheets {
		if !strings.HasPrefix(path, "/bench") {
			continue
		}
		b.open(path)
		small := b.eval(`return [...document.querySelectorAll("main button, main input, main select, main a.button, a.benchrow")].filter((e) => { const r = e.getBoundingClientRect();
			return r.height > 0 && r.height < 44 && e.type !== "checkbox" && e.type !== "hidden" && !(e.type === "radio" && e.closest("label").getBoundingClientRect().height >= 44) }).map((e) => e.outerHTML.slice(0, 120)).join("\n")`)
		assert.Empty(t, small, "%s: a target under 44 px", path)
	}
	b.quiet()
}
