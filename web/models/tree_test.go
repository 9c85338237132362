package models_test

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
	"sakuji/web/webtest"
)

// A prop that is cut to be printed, joined and lit: priced in two pieces with a light inside, agreed,
// held back until it is cut, printed, put together around its light, packed and delivered as one.
func TestACutJoinedAndLitProp(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(1, route.Primed)
	b := webtest.Browse(t, s.HTTP.URL)
	printers := device.Printers{Seed: 5}

	// Priced in two pieces, with a light that goes inside.
	b.Open("/orders/" + no + "/quote")
	price := b.Text("#price")
	b.Eval(`const f = document.querySelector("[name='parts[1].cut']"); f.value = "2"; f.dispatchEvent(new Event("change", {bubbles: true}))`)
	b.Until(`document.querySelector("#price").innerText !== %s`, price)
	b.Eval(`document.querySelector("[data-keep^=extra]").open = true`)
	b.Fill("form[action$=extras] [name=what]", "warm light")
	b.Fill("form[action$=extras] [name=each]", "7,50")
	b.Fill("form[action$=extras] [name=hours]", "0.5")
	b.Eval(`document.querySelector("form[action$=extras] [name=inside]").click()`)
	b.Press("form[action$=extras] button:not(.plain)")
	assert.Contains(t, b.Text("main"), "warm light")
	b.Open("/orders/" + no)
	b.Button("Freeze and send")
	b.Do(chromedp.Navigate(b.Eval(`return document.querySelector("#client-link").value`)))
	b.Fill("[name=name]", "Tamsin Rook")
	b.Eval(`document.querySelector("[name=agreed]").click()`)
	b.Button("Accept for")
	assert.Contains(t, b.Body(), "Thank you")

	// Nothing of it is laid until it is cut; the plates' sheet leads there.
	b.Open("/plates")
	assert.Contains(t, b.Text("aside"), "is priced in 2 pieces and still one: cut it")
	b.Eval(`[...document.querySelectorAll("aside a")].find((a) => a.innerText === "Its prints").click()`)
	b.Until(`location.pathname === "/models/1/prints"`)
	b.Until(`[...document.querySelectorAll("summary")].some((x) => x.innerText === "Cut somewhere else")`)
	b.Eval(`[...document.querySelectorAll("summary")].find((x) => x.innerText === "Cut somewhere else").click()`)
	b.Fill("details[open] [name=at]", "12")
	b.Button("Cut it")
	s.Jobs.Settle(s.Ctx)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	versions, err := s.Models.Shelf(s.Ctx, "vase")
	require.NoError(t, err)
	require.NotEmpty(t, versions)
	b.Open("/models/2")
	require.Contains(t, b.Body(), "piece 1 of 2")
	b.Button("Take the pieces as parts")
	agreed := sheet.Price.TotalMinor
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, agreed, sheet.Price.TotalMinor, "the price holds")

	// Printed together, and finished piece by piece, each paper a stage of its own.
	for range 3 {
		b.Open("/plates")
		if !strings.Contains(b.Body(), "Lay the next plate") {
			break
		}
		b.Button("Lay the next plate")
		b.Fill("[name=room]", "21")
		b.Button("Start on Tarn")
		path := b.Eval("return location.pathname")
		s.Clock.Pass(12 * time.Hour)
		require.NoError(t, printers.Drive(s.Ctx, s.App))
		b.Open(path)
		b.Until(`document.querySelectorAll("#empty input[type=radio]").length > 0`)
		assert.Contains(t, b.Text("#empty"), "mating faces true")
		b.Eval(`for (const r of document.querySelectorAll("#empty input[value=good]")) r.click()`)
		b.Button("Empty the plate")
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
			b.Open("/bench/" + code)
			if paper := p.Piece.Now().Paper(); paper != "" {
				assert.Contains(t, b.Text("main"), "P"+paper+", ")
			}
			b.Fill("[name=minutes]", "4")
			b.Button("Done: stamp it")
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
	b.Open("/bench/" + assembly)
	assert.Contains(t, b.Text("main"), "It waits for its parts.")
	assert.Contains(t, b.Eval(`return document.querySelector("svg.exploded").getAttribute("aria-label")`), "4 parts, numbered in the order of joining")
	for _, p := range prints {
		stamp(p.Code, "")
	}

	// The joint waits for its light, the light for its joint; then it is closed.
	stamp(light, route.Insert)
	stamp(assembly, route.Insert)
	b.Open("/bench/" + assembly)
	assert.Contains(t, b.Text("main"), "Waits for "+light)
	assert.Contains(t, b.Text("main"), "1 still to put in, 0 inside")
	assert.NotContains(t, b.Text("main"), "Done: stamp it")
	stamp(light, "")
	b.Open("/bench/" + assembly)
	assert.Contains(t, b.Text("main"), "0 still to put in, 1 inside")
	stamp(assembly, route.Glue)
	b.Open("/bench/" + assembly)
	assert.Contains(t, b.Text("main"), "Handle after")
	stamp(assembly, "")
	b.Open("/orders/" + no + "/delivery")
	assert.Contains(t, b.Text("main"), "1 × Vase")
	b.Button("Delivered")
	assert.Contains(t, b.Text("main"), "delivered")
	b.Quiet()
}
