package web_test

import (
	"fmt"
	"io"
	"log/slog"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"sakuji/app/change"
	"sakuji/app/pieces"
	"sakuji/app/quotes"
	"sakuji/demo"
	"sakuji/studio"
	"sakuji/web"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// TestScreenshots takes the pictures of docs/screenshots from the demo's morning:
// `make shots`. Without a folder to put them in there is nothing to do.
func TestScreenshots(t *testing.T) {
	if *shots == "" {
		t.Skip("no -shots folder")
	}
	d, err := demo.Open(t.Context(), t.TempDir())
	require.NoError(t, err)
	defer d.Close()
	srv := web.New(d.App, slog.New(slog.NewTextHandler(io.Discard, nil)), kit.Options{Demo: d})
	server := httptest.NewServer(srv.Handler())
	defer server.Close()
	defer srv.Close() // first: it ends what is watched

	orders, err := d.App.Orders.Orders(t.Context())
	require.NoError(t, err)
	token := ""
	for _, o := range orders {
		s, err := d.App.Quotes.OrderSheet(t.Context(), o.Number)
		require.NoError(t, err)
		if q := s.Newest(); q != nil && q.State == "sent" {
			token = q.Token
		}
	}
	d.App.Jobs.Settle(t.Context()) // every model is looked at closely
	shelf, err := d.App.Models.Shelf(t.Context(), "heron-postmaster")
	require.NoError(t, err)
	model := fmt.Sprintf("/models/%d", shelf[0].ModelID)
	sheetOf := func(title string) quotes.OrderSheet {
		for _, o := range orders {
			if strings.HasPrefix(o.Title, title) {
				s, err := d.App.Quotes.OrderSheet(t.Context(), o.Number)
				require.NoError(t, err)
				return s
			}
		}
		t.Fatal("no order is called ", title)
		return quotes.OrderSheet{}
	}
	heron, loom, relay := sheetOf("Heron Postmaster with satchel"), sheetOf("Cloud Loom prop"), sheetOf("Relay lantern")
	routes := fmt.Sprintf("/orders/%s/items/%d/routes", loom.Order.Number, loom.Items[0].ID)
	bench, err := d.App.Pieces.Bench(t.Context(), pieces.BenchReady, "")
	require.NoError(t, err)
	require.NotEmpty(t, bench.Rows)
	piece := bench.Rows[len(bench.Rows)-1].Code

	shop, err := d.App.Setup.Shop(t.Context())
	require.NoError(t, err)
	tarn, grey := shop.Machines[slices.IndexFunc(shop.Machines, func(m studio.Machine) bool { return m.Name == "Tarn" })].ID, shop.Materials[slices.IndexFunc(shop.Materials, func(m studio.Material) bool { return m.Name == "Grey standard resin" })].ID

	b := webtest.Browse(t, server.URL)
	b.Open("/")
	for _, s := range []struct {
		file, path, theme string
		w, h              int64
	}{
		{"today", "/", "day", 1280, 800}, {"machine", fmt.Sprintf("/plates/machines/%d", tarn), "day", 1280, 800}, {"order", "/orders/" + relay.Order.Number, "day", 1280, 800},
		{"quote", "/q/" + token, "day", 1280, 800}, {"quote-sheet", "/orders/" + loom.Order.Number + "/quote", "day", 1280, 800}, {"routes", routes, "day", 1280, 800}, {"plate", "lay", "day", 1280, 800},
		{"bench", "/bench?show=all", "day", 1280, 800}, {"piece", "/bench/" + relay.Order.Number + "-1", "day", 1280, 800}, {"schedule", "/plan", "day", 1280, 800}, {"piece-phone-night", "/bench/" + piece, "night", 400, 800},
		{"delivery", "/orders/0405/delivery", "day", 1280, 800},
		{"models", "/models", "day", 1280, 800}, {"model", model, "day", 1280, 800}, {"paint", "/bench/paint/" + heron.Order.Number, "day", 1280, 800}, {"photos", "/bench/0408-6/photos", "day", 1280, 800}, {"prints", fmt.Sprintf("/models/%d/prints", heron.Items[0].Parts[0].ModelID), "day", 1280, 800},
		{"rates", "/rates", "day", 1280, 800}, {"hands-phone-night", "begin", "night", 400, 800},
	} {
		if s.path == "begin" { // somebody has taken up the first that are ready
			hands, err := d.App.Setup.People(t.Context())
			require.NoError(t, err)
			row := bench.Rows[0]
			require.NoError(t, d.App.Pieces.Begin(t.Context(), change.ActorOf(hands[0]), map[string]string{row.Code: row.Shown()}, time.Time{}))
			require.NoError(t, d.Pass(t.Context(), 12*time.Minute))
			s.path = "/bench/mine"
		}
		if s.path == "lay" { // what waits is laid once it was compared
			number, _, err := d.App.Plates.LayPlate(t.Context(), change.Actor{Name: "the pictures"}, tarn, grey, studio.PrintProfile{})
			require.NoError(t, err)
			s.path = fmt.Sprintf("/plates/%d", number)
		}
		b.Open("/")
		b.Eval(`fetch("/me", {method: "POST", body: new URLSearchParams({theme: %s})}).then(() => (window.themed = true))`, s.theme)
		b.Until("window.themed === true")
		b.Do(chromedp.EmulateViewport(s.w, s.h))
		b.Open(s.path)
		b.Until("document.readyState === 'complete' && document.fonts.status === 'loaded'")
		b.Until("!document.querySelector('#part') || document.querySelector('#part').dataset.idle === '1'")
		b.Until("[...document.images].every((i) => i.complete || i.getBoundingClientRect().top > innerHeight)")
		b.Shot(filepath.Join(*shots, s.file+".png"))
	}
	b.Quiet()
}
