package models_test

import (
	"archive/zip"
	"bufio"
	"bytes"
	"image"
	"image/png"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/webtest"
)

func TestModelsWithoutJavaScript(t *testing.T) {
	s := webtest.Owned(t)
	a := s.Upload("/models", "bracelet.stl", webtest.Bracelet(), "vase.stl", apptest.Vase(), "bad.obj", []byte("v 1 2 nonsense\nf 1 2 3\n"))
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.Text)
	page := s.Page("/models")
	assert.Contains(t, page, "Bracelet")
	assert.Contains(t, page, "Vase")
	assert.Contains(t, page, "bad.obj could not be read")
	s.Jobs.Settle(s.Ctx)
	page = s.Page("/models")
	assert.Contains(t, page, "1 hole, 1 loose piece, 1 speck")
	assert.NotContains(t, s.Page("/models?q=brace"), "Vase")
	assert.Contains(t, s.Page("/models?q=nowhere"), "Nothing on the shelf")

	sheet := s.Page("/models/1")
	assert.Contains(t, sheet, "One hole with a rim of")
	still := s.Get("/models/1/still.png")
	picture, err := png.Decode(strings.NewReader(still.Text))
	require.NoError(t, err)
	assert.Equal(t, image.Rect(0, 0, models.StillWidth, models.StillHeight), picture.Bounds())
	assert.Contains(t, still.Header.Get("Cache-Control"), "immutable")
	view := s.Get("/models/1/view")
	assert.True(t, strings.HasPrefix(view.Text, "SKV1"))

	to := s.Sent("/models/1/make/mend")
	assert.Equal(t, "/models/3", to)
	page = s.Page(to)
	assert.Contains(t, page, "bracelet, mended.stl")
	assert.Contains(t, page, "1 hole filled")
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/models/3/make/mend").StatusCode)
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/models/3/make/reduce", "how", "triangles", "triangles", "many").StatusCode)
	assert.Equal(t, "/models/4", s.Sent("/models/3/make/reduce", "how", "deviation", "deviation", "0,2"))
	for _, format := range []string{"stl", "obj", "3mf"} {
		a := s.Get("/models/3/as/" + format)
		assert.Contains(t, a.Header.Get("Content-Disposition"), url.PathEscape("bracelet, mended.")+format)
		back, err := mesh.Read([]byte(a.Text), mesh.Limits{})
		require.NoError(t, err)
		assert.True(t, mesh.Measure(back).Watertight)
	}
	assert.Equal(t, http.StatusNotFound, s.Get("/models/3/as/exe").StatusCode)
	assert.Equal(t, http.StatusNotFound, s.Get("/models/99").StatusCode)

	assert.Equal(t, "/models/3", s.Sent("/models/3/licence", "name", "Weir bracelet", "licence", "subscription", "fee", "4.50", "until", "2026-06-30", "source", "a circle of smiths"))
	page = s.Page("/models?q=smiths")
	assert.Contains(t, page, "Weir bracelet")
	assert.Contains(t, page, "commercial, by subscription")
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/models/3/licence", "name", "x", "licence", "stolen").StatusCode)
	found := s.Page("/find?q=weir")
	assert.Contains(t, found, `href="/models/`)
}

func TestBenchSeesModelsWithoutMoney(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, route.Primed)
	s.Jobs.Settle(s.Ctx)
	o := s.Upload("/models/1/revise", "vase-2.stl", mesh.WriteSTL(meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {12, 15}, {0, 60}}, 48)))
	require.Equal(t, http.StatusSeeOther, o.StatusCode, o.Text)
	assert.Contains(t, s.Page("/models/2"), "Net €")
	s.Sent("/sign-out")
	s.SignIn("Jory Tamm")
	page := s.Page("/models/2")
	assert.Contains(t, page, "Vase")
	assert.NotContains(t, page, "€")
	assert.NotContains(t, page, "Mend it")
	for _, path := range []string{"/models/1/make/mend", "/models/1/licence", "/models", "/jobs/1/cancel", "/orders/" + no + "/items/1/size"} {
		assert.Equal(t, http.StatusForbidden, s.Post(path).StatusCode, path)
	}
	assert.Equal(t, http.StatusForbidden, s.Get("/orders/"+no+"/items/1/size").StatusCode)
}

func TestStillsOnPapersAndTheClientsPage(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(2, route.Primed)
	q := s.Accept(no)
	page := s.Page("/q/" + q.Token)
	assert.Contains(t, page, `src="/q/`+q.Token+`/still/1"`)
	a := s.Get("/q/" + q.Token + "/still/1")
	_, err := png.Decode(strings.NewReader(a.Text))
	require.NoError(t, err)
	assert.Equal(t, http.StatusNotFound, s.Get("/q/"+q.Token+"/still/9").StatusCode)
	for _, path := range []string{"/orders/" + no + "/quotes/1.pdf", "/q/" + q.Token + "/quote.pdf", "/orders/" + no + "/labels.pdf", "/orders/" + no + "/packing-list.pdf"} {
		a := s.Get(path)
		assert.Equal(t, "application/pdf", a.Header.Get("Content-Type"), path)
		assert.Contains(t, a.Text, "/Image", "%s carries the picture", path)
	}
}

func TestSizeByRuleOnTheScreen(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, route.Raw)
	path := "/orders/" + no + "/items/1/size"
	page := s.Page(path + "?by=scale&one_to=12&real=1.2")
	assert.Contains(t, page, "100.0<small> mm</small>")
	assert.Contains(t, page, "× 15.62", "two and a half times as tall is 15.6 times the volume")
	assert.Contains(t, s.Page(path+"?by=scale&one_to=12"), "how tall the real thing is")
	assert.Equal(t, "/orders/"+no+"#item-1", s.Sent(path, "by", "scale", "one_to", "12", "real", "1.2"))
	assert.Contains(t, s.Page("/orders/"+no), "1:12 of 1.2 m")
	a := s.Post(path, "by", "height", "height", "tall")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, "is not a number")
}

// A stream says how far a job is and ends when it has ended.
func TestJobsAreStreamed(t *testing.T) {
	s := webtest.Owned(t)
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Odile", Title: "Rings"})
	require.NoError(t, err)
	large := mesh.WriteSTL(meshtest.Ring(20, 6, 500, 300))
	_, err = s.Orders.Receive(s.Ctx, s.Owner, o.Number, []models.Kept{webtest.Kept(t, s.Studio, "large.stl", large)}, false)
	require.NoError(t, err)
	req, err := http.NewRequest(http.MethodGet, s.HTTP.URL+"/jobs/order/"+o.Number, nil)
	require.NoError(t, err)
	r, err := s.Client.Do(req)
	require.NoError(t, err)
	defer r.Body.Close()
	assert.Equal(t, "text/event-stream", r.Header.Get("Content-Type"))
	lines := bufio.NewScanner(r.Body)
	require.True(t, lines.Scan())
	assert.Equal(t, "event: jobs", lines.Text())
	require.True(t, lines.Scan())
	assert.Contains(t, lines.Text(), "Reading large.stl")
	assert.Contains(t, lines.Text(), "waits its turn")
	webtest.AtWork(t, s.App)
	over := false
	for lines.Scan() {
		over = over || lines.Text() == "event: over"
	}
	assert.True(t, over, "the stream ends by itself")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, o.Number)
	require.NoError(t, err)
	assert.Len(t, sheet.Items, 1)
}

// While a large model is read and studied, other pages answer.
func TestLongWorkBlocksNoPage(t *testing.T) {
	s := webtest.Owned(t)
	webtest.AtWork(t, s.App)
	a := s.Upload("/models", "huge.stl", mesh.WriteSTL(meshtest.Ring(40, 15, 800, 400)))
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.Text)
	pages := 0
	require.Eventually(t, func() bool {
		assert.Equal(t, http.StatusOK, s.Get("/orders").StatusCode)
		pages++
		v, err := s.Models.ModelSheet(s.Ctx, 1)
		return err == nil && v.Analysis != nil
	}, 10*time.Minute, 10*time.Millisecond)
	assert.Greater(t, pages, 3, "it took a while, and pages came meanwhile")
}

func TestThePartSheetInABrowser(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := webtest.Owned(t)
	webtest.AtWork(t, s.App)
	b := webtest.Browse(t, s.HTTP.URL)
	b.Open("/sign-in")
	b.Fill("[name=name]", "Ilse Karg")
	b.Fill("[name=password]", apptest.Password)
	b.Press("main form button")
	b.Open("/models")
	b.Drop(map[string][]byte{"bracelet.stl": webtest.Bracelet()})
	b.Press(".shelf a")
	b.Until(`document.querySelector("#part")?.dataset.ready === "1"`)
	canvas := func() []byte {
		b.Until(`document.querySelector("#part").dataset.idle === "1"`)
		b.Eval(`window.shown = false; requestAnimationFrame(() => requestAnimationFrame(() => (window.shown = true)))`)
		b.Until("window.shown === true")
		var last []byte
		for range 20 { // a busy machine may still be putting the picture together
			shot, err := chromedp.Run(b.Ctx, chromedp.Screenshot("#part canvas"))
			require.NoError(t, err)
			if bytes.Equal(shot, last) {
				break
			}
			last = shot
		}
		return last
	}
	const pr, pg, pb = 0xad, 0x3a, 0x08 // persimmon
	plain := canvas()
	paper := webtest.Ink(t, plain, 0xf6, 0xf0, 0xe2)
	assert.Less(t, paper, 700*500*95/100, "something is drawn")
	b.Eval(`document.querySelector("[data-tint=overhang]").click()`)
	overhang := canvas()
	assert.Greater(t, webtest.Differ(t, plain, overhang), 2000, "what leans over is tinted")
	assert.Zero(t, webtest.Differ(t, overhang, canvas()), "and nothing moves by itself")
	assert.Contains(t, b.Text("#part .legend"), "leans over")
	b.Eval(`document.querySelector("[data-tint=bodies]").click()`)
	assert.Contains(t, b.Text("#part .legend"), "body 3")
	b.Eval(`document.querySelector("[data-tint=walls]").click()`)
	assert.Contains(t, b.Text("#part .legend"), "under 0.5 mm")
	b.Eval(`document.querySelector("[data-tint=plain]").click()`)

	// A section shows the inside; the arrow keys turn; a fault is flown to.
	b.Eval(`const a = document.getElementById("cut-axis"); a.value = "z"; a.dispatchEvent(new Event("change"))`)
	assert.Equal(t, "6.0 mm", b.Text("#part-tools output"))
	cut := canvas()
	assert.Greater(t, webtest.Ink(t, cut, pr, pg, pb), webtest.Ink(t, plain, pr, pg, pb)+1000, "the inside of the wall shows")
	b.Eval(`const a = document.getElementById("cut-axis"); a.value = ""; a.dispatchEvent(new Event("change"))`)
	back := canvas()
	b.Eval(`document.querySelector("#part canvas").focus()`)
	b.Do(chromedp.KeyEvent(kb.ArrowLeft))
	assert.NotEqual(t, back, canvas(), "turned by a key")
	b.Eval(`document.querySelector("button.spot").click()`)
	b.Until(`document.querySelector("#part").dataset.flown === "1"`)
	near := canvas()
	assert.Less(t, webtest.Ink(t, near, 0xf6, 0xf0, 0xe2), paper, "it has come nearer")

	// Mending leads to the new version.
	b.Button("Mend it")
	b.Until(`location.pathname === "/models/2"`)
	assert.Contains(t, b.Text("main"), "bracelet, mended.stl")
	b.Until(`document.querySelector("#part")?.dataset.ready === "1"`)
	b.Button("Take apart into")
	b.Until(`document.body.innerText.includes("body 2.stl")`)

	// On a telephone nothing is wider than the screen.
	b.Do(chromedp.EmulateViewport(400, 800))
	b.Open("/models/1")
	b.Until(`document.querySelector("#part")?.dataset.ready === "1"`)
	const wide = `return [...document.querySelectorAll("main *, footer *")].filter((e) => !e.closest(".box") && e.getBoundingClientRect().right > 400.5).map((e) => e.tagName + "." + e.className).slice(0, 4).join(" ")`
	assert.Empty(t, b.Eval(wide))
	b.Open("/models")
	assert.Empty(t, b.Eval(wide))
	b.Quiet()
}

// A licence that stops a quote asks for a reason on the order's sheet.
func TestALicenceStopsTheQuoteOnTheScreen(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, route.Raw)
	require.NoError(t, s.Models.SaveLicence(s.Ctx, s.Owner, 1, models.LicenceForm{Licence: studio.LicencePersonal}))
	page := s.Page("/orders/" + no)
	assert.Contains(t, page, "licensed for personal use only")
	assert.Regexp(t, regexp.MustCompile(`name="despite" required`), page)
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/orders/"+no+"/quote").StatusCode)
	assert.Equal(t, "/orders/"+no, s.Sent("/orders/"+no+"/quote", "despite", "the maker agreed"))
}

func TestHostileUploads(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, route.Raw)
	for name, data := range map[string][]byte{
		"empty.stl": {}, "text.stl": []byte("hello"), "short.3mf": []byte("PK\x03\x04nothing"), `..\..\evil.stl`: []byte("solid\nfacet"),
		"huge.stl": append(make([]byte, 80), 0xff, 0xff, 0xff, 0xff), "bomb.gz": {0x1f, 0x8b, 8, 0},
	} {
		a := s.Upload("/orders/"+no+"/items", name, data)
		assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode, "%s: %s", name, a.Text)
		assert.Contains(t, a.Text, "not kept", name)
	}
	a := s.Upload("/orders/"+no+"/items", "vase.stl", apptest.Vase(), "broken.stl", []byte("solid x"))
	assert.Equal(t, http.StatusSeeOther, a.StatusCode, "the good one is kept")
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults, "nothing is left of the bad ones")
}

// cut gets the layers' sheet, asking again for as long as the model is being cut.
func cut(t *testing.T, s *webtest.Site, path string) (page string) {
	t.Helper()
	require.Eventually(t, func() bool {
		page = s.Page(path)
		return !strings.Contains(page, "data-again")
	}, time.Minute, 50*time.Millisecond)
	return page
}

func TestTheLayersSheet(t *testing.T) {
	s := webtest.Owned(t)
	legs := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 6, Y: 6, Z: 30}), meshtest.Box(mesh.Vec{X: 20, Z: 12}, mesh.Vec{X: 6, Y: 6, Z: 18}), meshtest.Box(mesh.Vec{Z: 30}, mesh.Vec{X: 26, Y: 6, Z: 4}))
	a := s.Upload("/models", "stool.stl", mesh.WriteSTL(legs))
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.Text)
	page := cut(t, s, "/models/1/layers?mm=0.5")
	assert.Contains(t, page, "cut into 68 layers of 0.5 mm")
	assert.Contains(t, page, "1.56<small> cm²", "the seat cures most at once")
	assert.Contains(t, page, "1 island")
	assert.Contains(t, page, "layer 25", "the leg that begins at 12 mm")
	assert.Contains(t, page, "evenodd")
	low := cut(t, s, "/models/1/layers?mm=0.5&at=10")
	assert.Contains(t, low, "0.36 cm², 1 region")
	high := cut(t, s, "/models/1/layers?mm=0.5&at=30")
	assert.Contains(t, high, "0.72 cm², 2 regions")
	assert.Contains(t, cut(t, s, "/models/1/layers?at=99999"), "of 1133", "past the top is the top")
	for _, bad := range []string{"mm=0", "mm=thin", "mm=-2", "mm=90"} {
		assert.Equal(t, http.StatusUnprocessableEntity, s.Get("/models/1/layers?"+bad).StatusCode, bad)
	}
	assert.Equal(t, http.StatusNotFound, s.Get("/models/77/layers").StatusCode)

	// What takes long shows that it goes on, and is there when asked for again.
	a = s.Upload("/models", "ring.stl", mesh.WriteSTL(meshtest.Ring(60, 22, 700, 400)))
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.Text)
	first := s.Page("/models/2/layers?mm=0.02")
	assert.True(t, strings.Contains(first, "is being cut into layers") || strings.Contains(first, "Largest area cured at once"), "on a fast machine it is there at once")
	assert.Contains(t, cut(t, s, "/models/2/layers?mm=0.02"), "Largest area cured at once")
}

func zipped(t *testing.T, files ...any) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i+1 < len(files); i += 2 {
		w, err := z.Create(files[i].(string))
		require.NoError(t, err)
		_, err = w.Write(files[i+1].([]byte))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// A zip of several models is taken apart into parts, and what is refused leaves the others.
func TestAKitInAZip(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, "raw")
	s.Models.Limits.UploadBytes = 200_000
	kit := zipped(t, "kit/body.stl", apptest.VaseOf(20), "kit/../../lid.stl", apptest.VaseOf(12), "kit/readme.txt", []byte("glue it"), "__MACOSX/kit/._body.stl", []byte("x"),
		"kit/broken.stl", []byte("solid nothing"), "kit/huge.stl", make([]byte, 300_000))
	a := s.Upload("/orders/"+no+"/items", "kit.zip", kit, "too-large.stl", make([]byte, 250_000), "spare.stl", apptest.Slab())
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.Text)
	s.Jobs.Settle(s.Ctx)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Items, 2)
	var names []string
	for _, p := range sheet.Items[1].Parts {
		names = append(names, p.Name)
	}
	assert.Equal(t, []string{"Body", "Lid", "Spare"}, names)
	told := s.Page("/orders/" + no)
	for _, why := range []string{"huge.stl", "too-large.stl", "broken.stl"} {
		assert.Contains(t, told, why)
	}
	one := s.Upload("/orders/"+no+"/items", "alone.zip", zipped(t, "vase.stl", apptest.VaseOf(15)))
	require.Equal(t, http.StatusSeeOther, one.StatusCode, one.Text)
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults, "nothing is left behind of what was refused")
}

// What fits no machine says what to do about it, with the links.
func TestWhatFitsNoMachineHasItsLinks(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, "raw")
	s.Change(no, 1, 1, "raw", 30)
	for _, path := range []string{"/orders/" + no, "/orders/" + no + "/quote"} {
		page := s.Page(path)
		assert.Contains(t, page, "fits no machine")
		for _, link := range []string{`href="/models/1/prints?process=resin&amp;scale=30#cut"`, `href="/models/1/prints?process=filament&amp;scale=30"`, `href="/orders/` + no + `/items/1/size"`} {
			assert.Contains(t, page, link, path)
		}
	}
	s.Page("/models/1/prints?process=filament&scale=30")
}
