package bench_test

import (
	"bytes"
	"fmt"
	"image/png"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// A recipe is written down with commas as people type them; its pot is scanned; a region is planned with it, and its
// stamp notes what was laid.
func TestARecipeFromTheFormToThePiece(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(1, route.Painted)
	s.Accept(no)
	s.Print()
	assert.Equal(t, "/bench/recipes/1", s.Sent("/bench/recipes", "name", "wing grey <b>", "medium", "acrylic", "coat", "", "colour", "#60656b", "paint", "white acrylic", "parts", "2,5", "paint", "black acrylic", "parts", "", "paint", "", "parts", "",
		"thinner", "water", "thinner_percent", "12,5", "tool", "airbrush", "pressure", "1,4", "coats", "2", "over", "grey primer", "over_colour", "#808080"))
	page := s.Page("/bench/recipes/1")
	assert.Contains(t, page, "wing grey &lt;b&gt;")
	assert.Contains(t, page, "2.5 white acrylic : 1 black acrylic, 12.5 % water; airbrush at 1.4 bar")
	a := s.Post("/bench/recipes", "name", "x", "medium", "acrylic", "colour", "red", "tool", "brush", "coats", "2", "paint", "red")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, "is no colour")
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/bench/recipes", "name", "x", "medium", "acrylic", "tool", "brush", "coats", "2").StatusCode, "of no paint")
	assert.Equal(t, http.StatusNotFound, s.Post("/bench/recipes/9", "name", "x", "medium", "acrylic", "tool", "brush", "coats", "2", "paint", "red").StatusCode)
	assert.Equal(t, "/bench/recipes/1", s.Get("/bench?code=r1").Header.Get("Location"))
	assert.True(t, strings.HasPrefix(s.Page("/bench/recipes/1/label.pdf"), "%PDF"))
	item := fmt.Sprint(1)
	assert.Equal(t, "/bench/paint/"+no, s.Sent("/bench/paint/"+no+"/regions", "item", item, "name", "wings", "stage", "base", "recipe", "1", "share", "40,5", "edge", "12"))
	page = s.Page("/bench/paint/" + no)
	assert.Contains(t, page, "Nobody has signed it off on a swatch")
	assert.Contains(t, page, "brush, mask or roll")
	assert.Equal(t, "/bench/recipes/1", s.Sent("/bench/recipes/1/swatches", "order", "1", "coats", "2", "picked", "1", "colour", "#555555"))
	s.Sent("/bench/swatches/1", "verdict", "yes", "by", "the client")
	assert.Contains(t, s.Page("/bench/paint/"+no), "Signed off by the client")
	code := no + "-1"
	for range 40 {
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		if p.Kind() == route.Base {
			break
		}
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1})
		require.NoError(t, err)
	}
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	if p.Wait {
		s.Clock.At = p.Until
	}
	assert.Contains(t, s.Page("/bench/"+code), `name="laid[1]"`)
	s.Sent("/bench/"+code+"/stamp", "shown", p.Shown(), "laid[1]", "3", "also", "1", "also_region", "tail")
	page = s.Page("/bench/" + code)
	assert.Contains(t, page, "version 1, 3 coats")
	assert.Contains(t, page, "<b>tail</b>")
	assert.Contains(t, s.Page("/bench/recipes?find=WINGS"), code)
	assert.Contains(t, s.Page("/find?q=wings"), "/bench/recipes/1")
	s.Sent("/bench/recipes/1/mixes", "ml", "20")
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/bench/mixes/1", "left", "21").StatusCode)
	s.Sent("/bench/mixes/1", "left", "4,5")
	assert.Contains(t, s.Page("/bench/recipes"), "4 ml mixed")
}

// A region is marked on the model by keys alone; its area is told, and its mask comes 1:1.
func TestARegionIsMarkedOnTheModel(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(1, route.Painted)
	_, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, studio.Recipe{Name: "slate", Medium: "acrylic", Tool: "brush", Coats: 2, Paints: []studio.PaintPart{{Paint: "slate", Parts: 1}}})
	require.NoError(t, err)
	require.NoError(t, s.Paint.SaveRegion(s.Ctx, s.Bench, no, studio.Region{ItemID: 1, Name: "front", Stage: route.Base, RecipeNumber: 1, SharePercent: 10}, ""))
	path := "/bench/paint/" + no + "/regions/1"
	assert.Contains(t, s.Get(path+"/masks.pdf").Text, "is not marked on its model yet")
	webtest.AtWork(t, s.App)
	b := webtest.Browse(t, s.HTTP.URL)
	require.Eventually(t, func() bool { return strings.Contains(s.Page(path+"/mark"), "/view") }, time.Minute, 50*time.Millisecond, "it is looked at closely")
	b.Open(path + "/mark")
	b.Until(`document.querySelector("#marking")?.dataset.ready === "1"`)
	assert.Equal(t, "Nothing is marked yet.", b.Text("#marking-told"))
	canvas := func() []byte {
		b.Until(`document.querySelector("#marking").dataset.idle === "1"`)
		b.Eval(`window.shown = false; requestAnimationFrame(() => requestAnimationFrame(() => (window.shown = true)))`)
		b.Until("window.shown === true")
		shot, err := chromedp.Run(b.Ctx, chromedp.Screenshot("#marking canvas"))
		require.NoError(t, err)
		return shot
	}
	var plain []byte
	require.Eventually(t, func() bool {
		plain = canvas()
		size, err := png.DecodeConfig(bytes.NewReader(plain))
		require.NoError(t, err)
		return webtest.Ink(t, plain, 0xf6, 0xf0, 0xe2) < size.Width*size.Height*95/100
	}, 3*time.Minute, 200*time.Millisecond, "something is drawn")
	b.Eval(`document.querySelector("#marking canvas").focus()`)
	b.Do(chromedp.KeyEvent(kb.Enter))
	b.Until(`document.querySelector("#marking-told").innerText.includes("cm²")`)
	before := b.Text("#marking-told")
	assert.Greater(t, webtest.Differ(t, plain, canvas()), 500, "what is marked shows")
	b.Eval(`document.getElementById("marking-undo").click()`)
	b.Until(`document.querySelector("#marking-told").innerText === "Nothing is marked yet."`)
	b.Do(chromedp.KeyEvent(kb.Enter))
	b.Until(`document.querySelector("#marking-told").innerText === %s`, before)
	b.Button("Keep it")
	b.Until(`document.body.innerText.includes("The region is marked.")`)
	plan, err := s.Paint.Plan(s.Ctx, no)
	require.NoError(t, err)
	r := plan.Items[0].Regions[0]
	assert.Greater(t, r.AreaMM2, 1.0)
	assert.Len(t, r.Marks, 1)
	assert.InDelta(t, r.AreaMM2, r.Area.Result.Value, 1e-6)
	a := s.Get(path + "/masks.pdf")
	assert.True(t, strings.HasPrefix(a.Text, "%PDF") || a.StatusCode == http.StatusUnprocessableEntity && strings.Contains(a.Text, "mark"), a.Text)
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post(path+"/mark", "marks", "[{").StatusCode)
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post(path+"/mark", "marks", "[]", "mirror", "q").StatusCode)
	s.Sent(path+"/mark", "marks", "[]")
	plan, err = s.Paint.Plan(s.Ctx, no)
	require.NoError(t, err)
	assert.Zero(t, plan.Items[0].Regions[0].AreaMM2, "it goes by its share again")
}

// With a finger at the width of a phone: what is wrong is chosen, its place tapped on the picture, and the piece sent
// back for it.
func TestAFlawIsMarkedByATap(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(1, route.Primed)
	s.Accept(no)
	s.Print()
	code := no + "-1"
	for range 30 {
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		if p.Kind() == route.Look && !p.Wait {
			break
		}
		if p.Wait {
			s.Clock.At = p.Until
			continue
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 1})
		require.NoError(t, err)
	}
	b := webtest.Browse(t, s.HTTP.URL)
	b.Do(chromedp.EmulateViewport(400, 900))
	b.Open("/bench/" + code)
	b.Do(chromedp.KeyEvent("w"))
	b.Until(`location.pathname.endsWith("/flaw")`)
	b.Eval(`[...document.querySelectorAll("main a")].find((a) => a.innerText.includes("seam")).click()`)
	b.Until(`location.search === "?is=seam"`)
	b.Eval(`document.querySelector("[data-marking] img").scrollIntoView({block: "center"})`)
	b.Do(chromedp.Click("[data-marking] img"))
	b.Until(`document.querySelector("[data-marking-say]").innerText.startsWith("Marked")`)
	assert.Contains(t, b.Eval(`return document.querySelector("[name=x]").value`), "0.5")
	b.Fill("[name=text]", "at the neck")
	b.Button("Send it back")
	b.Until(`document.body.innerText.includes("is sent back.")`)
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	require.Len(t, p.Wrong, 1)
	assert.InDelta(t, 0.5, p.Wrong[0].X, 0.02)
	assert.Equal(t, "at the neck", p.Wrong[0].Text)
	assert.Contains(t, b.Body(), "A seam or step shows")
	b.Open("/bench/problems")
	assert.Contains(t, b.Body(), "not lined up when it was glued")
	wide := b.Eval(`return String(document.documentElement.scrollWidth)`)
	assert.LessOrEqual(t, len(wide), 3)
}
