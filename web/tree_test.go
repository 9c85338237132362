package web

import (
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/route"
	"sakuji/device"
	"sakuji/studio"
	"sakuji/web/kit"
)

// A prop that is cut to be printed, joined and lit: priced in two pieces with a light inside, agreed,
// held back until it is cut, printed, put together around its light, packed and delivered as one.
func TestACutJoinedAndLitProp(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := serve(t, apptest.New(t), kit.Options{Demo: &stoppedTime{}})
	no := s.Order(1, route.Primed)
	b := browse(t, s.server.URL)
	printers := device.Printers{Seed: 5}

	// Priced in two pieces, with a light that goes inside.
	b.open("/orders/" + no + "/quote")
	price := b.text("#price")
	b.eval(`const f = document.querySelector("[name='parts[1].cut']"); f.value = "2"; f.dispatchEvent(new Event("change", {bubbles: true}))`)
	b.until(`document.querySelector("#price").innerText !== %s`, price)
	b.eval(`document.querySelector("[data-keep^=extra]").open = true`)
	b.fill("form[action$=extras] [name=what]", "warm light")
	b.fill("form[action$=extras] [name=each]", "7,50")
	b.fill("form[action$=extras] [name=hours]", "0.5")
	b.eval(`document.querySelector("form[action$=extras] [name=inside]").click()`)
	b.press("form[action$=extras] button:not(.plain)")
	assert.Contains(t, b.text("main"), "warm light")
	b.open("/orders/" + no)
	b.button("Freeze and send")
	b.do(chromedp.Navigate(b.eval(`return document.querySelector("#client-link").value`)))
	b.fill("[name=name]", "Tamsin Rook")
	b.eval(`document.querySelector("[name=agreed]").click()`)
	b.button("Accept for")
	assert.Contains(t, b.body(), "Thank you")

	// Nothing of it is laid until it is cut; the plates' sheet leads there.
	b.open("/plates")
	assert.Contains(t, b.text("aside"), "is priced in 2 pieces and still one: cut it")
	b.eval(`[...document.querySelectorAll("aside a")].find((a) => a.innerText === "Its prints").click()`)
	b.until(`location.pathname === "/models/1/prints"`)
	b.until(`[...document.querySelectorAll("summary")].some((x) => x.innerText === "Cut somewhere else")`)
	b.eval(`[...document.querySelectorAll("summary")].find((x) => x.innerText === "Cut somewhere else").click()`)
	b.fill("details[open] [name=at]", "12")
	b.button("Cut it")
	s.Jobs.Settle(s.Ctx)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	versions, err := s.Models.Shelf(s.Ctx, "vase")
	require.NoError(t, err)
	require.NotEmpty(t, versions)
	b.open("/models/2")
	require.Contains(t, b.body(), "piece 1 of 2")
	b.button("Take the pieces as parts")
	agreed := sheet.Price.TotalMinor
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, agreed, sheet.Price.TotalMinor, "the price holds")

	// Printed together, and finished piece by piece, each paper a stage of its own.
	for range 3 {
		b.open("/plates")
		if !strings.Contains(b.body(), "Lay the next plate") {
			break
		}
		b.button("Lay the next plate")
		b.fill("[name=room]", "21")
		b.button("Start on Tarn")
		path := b.eval("return location.pathname")
		s.Clock.Pass(12 * time.Hour)
		require.NoError(t, printers.Drive(s.Ctx, s.App))
		b.open(path)
		b.until(`document.querySelectorAll("#empty input[type=radio]").length > 0`)
		assert.Contains(t, b.text("#empty"), "mating faces true")
		b.eval(`for (const r of document.querySelectorAll("#empty input[value=good]")) r.click()`)
		b.button("Empty the plate")
	}
	stamp := func(code string, until route.StageKind) {
		for range 60 {
			p, err := s.Pieces.Piece(s.Ctx, code)
			require.NoError(t, err)
			if p.State != studio.AtBench || p.Held != "" || p.Kind() == until {
				return
			}
			if p.Wait {
				s.Clock.At = p.Until
			}
			b.open("/bench/" + code)
			if paper := p.Piece.Now().Paper(); paper != "" {
				assert.Contains(t, b.text("main"), "P"+paper+", ")
			}
			b.fill("[name=minutes]", "4")
			b.button("Done: stamp it")
		}
		t.Fatal(code, " never ends")
	}
	by := func(kind studio.PieceKind) (out []studio.Piece) {
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		for _, p := range sheet.Pieces {
			if p.Kind == kind && p.Live() {
				out = append(out, p)
			}
		}
		return out
	}
	require.Len(t, by(studio.KindAssembly), 1)
	assembly, light := by(studio.KindAssembly)[0].Code, by(studio.KindBought)[0].Code
	prints := by(studio.KindPrint)
	require.Len(t, prints, 2+2, "two pieces and two dowels")
	b.open("/bench/" + assembly)
	assert.Contains(t, b.text("main"), "It waits for its parts.")
	assert.Contains(t, b.eval(`return document.querySelector("svg.exploded").getAttribute("aria-label")`), "4 parts, numbered in the order of joining")
	for _, p := range prints {
		stamp(p.Code, "")
	}

	// The joint waits for its light, the light for its joint; then it is closed.
	stamp(light, route.Insert)
	stamp(assembly, route.Insert)
	b.open("/bench/" + assembly)
	assert.Contains(t, b.text("main"), "Waits for "+light)
	assert.Contains(t, b.text("main"), "1 still to put in, 0 inside")
	assert.NotContains(t, b.text("main"), "Done: stamp it")
	stamp(light, "")
	b.open("/bench/" + assembly)
	assert.Contains(t, b.text("main"), "0 still to put in, 1 inside")
	stamp(assembly, route.Glue)
	b.open("/bench/" + assembly)
	assert.Contains(t, b.text("main"), "Handle after")
	stamp(assembly, "")
	b.open("/orders/" + no + "/delivery")
	assert.Contains(t, b.text("main"), "1 × Vase")
	b.button("Delivered")
	assert.Contains(t, b.text("main"), "delivered")
	b.quiet()
}
