package web

import (
	"fmt"
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
)

// A recipe is written down with commas as people type them; its pot is scanned; a region is planned with it, and its
// stamp notes what was laid.
func TestARecipeFromTheFormToThePiece(t *testing.T) {
	s := serve(t, apptest.New(t), kit.Options{Demo: &stoppedTime{}})
	no := s.Order(1, route.Painted)
	s.Accept(no)
	s.Print()
	assert.Equal(t, "/bench/recipes/1", s.sent("/bench/recipes", "name", "wing grey <b>", "medium", "acrylic", "coat", "", "colour", "#60656b", "paint", "white acrylic", "parts", "2,5", "paint", "black acrylic", "parts", "", "paint", "", "parts", "",
		"thinner", "water", "thinner_percent", "12,5", "tool", "airbrush", "pressure", "1,4", "coats", "2", "over", "grey primer", "over_colour", "#808080"))
	page := s.page("/bench/recipes/1")
	assert.Contains(t, page, "wing grey &lt;b&gt;")
	assert.Contains(t, page, "2.5 white acrylic : 1 black acrylic, 12.5 % water; airbrush at 1.4 bar")
	a := s.post("/bench/recipes", "name", "x", "medium", "acrylic", "colour", "red", "tool", "brush", "coats", "2", "paint", "red")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.body, "is no colour")
	assert.Equal(t, http.StatusUnprocessableEntity, s.post("/bench/recipes", "name", "x", "medium", "acrylic", "tool", "brush", "coats", "2").StatusCode, "of no paint")
	assert.Equal(t, http.StatusNotFound, s.post("/bench/recipes/9", "name", "x", "medium", "acrylic", "tool", "brush", "coats", "2", "paint", "red").StatusCode)
	assert.Equal(t, "/bench/recipes/1", s.get("/bench?code=r1").Header.Get("Location"))
	assert.True(t, strings.HasPrefix(s.page("/bench/recipes/1/label.pdf"), "%PDF"))
	item := fmt.Sprint(1)
	assert.Equal(t, "/bench/paint/"+no, s.sent("/bench/paint/"+no+"/regions", "item", item, "name", "wings", "stage", "base", "recipe", "1", "share", "40,5", "edge", "12"))
	page = s.page("/bench/paint/" + no)
	assert.Contains(t, page, "Nobody has signed it off on a swatch")
	assert.Contains(t, page, "brush, mask or roll")
	assert.Equal(t, "/bench/recipes/1", s.sent("/bench/recipes/1/swatches", "order", "1", "coats", "2", "picked", "1", "colour", "#555555"))
	s.sent("/bench/swatches/1", "verdict", "yes", "by", "the client")
	assert.Contains(t, s.page("/bench/paint/"+no), "Signed off by the client")
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
	assert.Contains(t, s.page("/bench/"+code), `name="laid[1]"`)
	s.sent("/bench/"+code+"/stamp", "shown", p.Shown(), "laid[1]", "3", "also", "1", "also_region", "tail")
	page = s.page("/bench/" + code)
	assert.Contains(t, page, "version 1, 3 coats")
	assert.Contains(t, page, "<b>tail</b>")
	assert.Contains(t, s.page("/bench/recipes?find=WINGS"), code)
	assert.Contains(t, s.page("/find?q=wings"), "/bench/recipes/1")
	s.sent("/bench/recipes/1/mixes", "ml", "20")
	assert.Equal(t, http.StatusUnprocessableEntity, s.post("/bench/mixes/1", "left", "21").StatusCode)
	s.sent("/bench/mixes/1", "left", "4,5")
	assert.Contains(t, s.page("/bench/recipes"), "4 ml mixed")
}

// A region is marked on the model by keys alone; its area is told, and its mask comes 1:1.
func TestARegionIsMarkedOnTheModel(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := serve(t, apptest.New(t), kit.Options{Demo: &stoppedTime{}})
	no := s.Order(1, route.Painted)
	_, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, studio.Recipe{Name: "slate", Medium: "acrylic", Tool: "brush", Coats: 2, Paints: []studio.PaintPart{{Paint: "slate", Parts: 1}}})
	require.NoError(t, err)
	require.NoError(t, s.Paint.SaveRegion(s.Ctx, s.Bench, no, studio.Region{ItemID: 1, Name: "front", Stage: route.Base, RecipeNumber: 1, SharePercent: 10}, ""))
	path := "/bench/paint/" + no + "/regions/1"
	assert.Contains(t, s.get(path+"/masks.pdf").body, "is not marked on its model yet")
	atWork(t, s.App)
	b := browse(t, s.server.URL)
	require.Eventually(t, func() bool { return strings.Contains(s.page(path+"/mark"), "/view") }, time.Minute, 50*time.Millisecond, "it is looked at closely")
	b.open(path + "/mark")
	b.until(`document.querySelector("#marking")?.dataset.ready === "1"`)
	assert.Equal(t, "Nothing is marked yet.", b.text("#marking-told"))
	canvas := func() []byte {
		b.until(`document.querySelector("#marking").dataset.idle === "1"`)
		b.eval(`window.shown = false; requestAnimationFrame(() => requestAnimationFrame(() => (window.shown = true)))`)
		b.until("window.shown === true")
		shot, err := chromedp.Run(b.ctx, chromedp.Screenshot("#marking canvas"))
		require.NoError(t, err)
		return shot
	}
	plain := canvas()
	assert.Less(t, ink(t, plain, 0xf6, 0xf0, 0xe2), 700*440*95/100, "something is drawn")
	b.eval(`document.querySelector("#marking canvas").focus()`)
	b.do(chromedp.KeyEvent(kb.Enter))
	b.until(`document.querySelector("#marking-told").innerText.includes("cm²")`)
	before := b.text("#marking-told")
	assert.Greater(t, differ(t, plain, canvas()), 500, "what is marked shows")
	b.eval(`document.getElementById("marking-undo").click()`)
	b.until(`document.querySelector("#marking-told").innerText === "Nothing is marked yet."`)
	b.do(chromedp.KeyEvent(kb.Enter))
	b.until(`document.querySelector("#marking-told").innerText === %s`, before)
	b.button("Keep it")
	b.until(`document.body.innerText.includes("The region is marked.")`)
	plan, err := s.Paint.Plan(s.Ctx, no)
	require.NoError(t, err)
	r := plan.Items[0].Regions[0]
	assert.Greater(t, r.AreaMM2, 1.0)
	assert.Len(t, r.Marks, 1)
	assert.InDelta(t, r.AreaMM2, r.Area.Result.Value, 1e-6)
	a := s.get(path + "/masks.pdf")
	assert.True(t, strings.HasPrefix(a.body, "%PDF") || a.StatusCode == http.StatusUnprocessableEntity && strings.Contains(a.body, "mark"), a.body)
	assert.Equal(t, http.StatusUnprocessableEntity, s.post(path+"/mark", "marks", "[{").StatusCode)
	assert.Equal(t, http.StatusUnprocessableEntity, s.post(path+"/mark", "marks", "[]", "mirror", "q").StatusCode)
	s.sent(path+"/mark", "marks", "[]")
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
	s := serve(t, apptest.New(t), kit.Options{Demo: &stoppedTime{}})
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
	b := browse(t, s.server.URL)
	b.do(chromedp.EmulateViewport(400, 900))
	b.open("/bench/" + code)
	b.do(chromedp.KeyEvent("w"))
	b.until(`location.pathname.endsWith("/flaw")`)
	b.eval(`[...document.querySelectorAll("main a")].find((a) => a.innerText.includes("seam")).click()`)
	b.until(`location.search === "?is=seam"`)
	b.eval(`document.querySelector("[data-marking] img").scrollIntoView({block: "center"})`)
	b.do(chromedp.Click("[data-marking] img"))
	b.until(`document.querySelector("[data-marking-say]").innerText.startsWith("Marked")`)
	assert.Contains(t, b.eval(`return document.querySelector("[name=x]").value`), "0.5")
	b.fill("[name=text]", "at the neck")
	b.button("Send it back")
	b.until(`document.body.innerText.includes("is sent back.")`)
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	require.Len(t, p.Wrong, 1)
	assert.InDelta(t, 0.5, p.Wrong[0].X, 0.02)
	assert.Equal(t, "at the neck", p.Wrong[0].Text)
	assert.Contains(t, b.body(), "A seam or step shows")
	b.open("/bench/problems")
	assert.Contains(t, b.body(), "not lined up when it was glued")
	wide := b.eval(`return String(document.documentElement.scrollWidth)`)
	assert.LessOrEqual(t, len(wide), 3)
}
