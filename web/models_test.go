package web

import (
	"archive/zip"
	"bufio"
	"bytes"
	"context"
	"image"
	"image/png"
	"log/slog"
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

	"sakuji/app"
	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/route"
	"sakuji/studio"
)

// bracelet is a ring with a hole, a stray block and a speck.
func bracelet() []byte {
	ring := meshtest.Ring(20, 6, 60, 36)
	return mesh.WriteSTL(meshtest.Together(ring.Part(12, ring.Len()), meshtest.Box(mesh.Vec{X: 34, Y: 0, Z: -5}, mesh.Vec{X: 8, Y: 8, Z: 10}), meshtest.Box(mesh.Vec{X: 40, Y: 40}, mesh.Vec{X: 0.2, Y: 0.2, Z: 0.2})))
}

func kept(t *testing.T, s *apptest.Studio, name string, data []byte) models.Kept {
	t.Helper()
	k, err := s.Models.Keep(name, bytes.NewReader(data))
	require.NoError(t, err)
	return k
}

// atWork carries jobs out in the background, as when it is served.
func atWork(t *testing.T, a *app.App) {
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { a.Jobs.Work(ctx, slog.New(slog.DiscardHandler)); close(done) }()
	t.Cleanup(func() { stop(); <-done })
}

func TestModelsWithoutJavaScript(t *testing.T) {
	s := owned(t)
	a := s.upload("/models", "bracelet.stl", bracelet(), "vase.stl", apptest.Vase(), "bad.obj", []byte("v 1 2 nonsense\nf 1 2 3\n"))
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.body)
	page := s.page("/models")
	assert.Contains(t, page, "Bracelet")
	assert.Contains(t, page, "Vase")
	assert.Contains(t, page, "bad.obj could not be read")
	s.Jobs.Settle(s.Ctx)
	page = s.page("/models")
	assert.Contains(t, page, "1 hole, 1 loose piece, 1 speck")
	assert.NotContains(t, s.page("/models?q=brace"), "Vase")
	assert.Contains(t, s.page("/models?q=nowhere"), "Nothing on the shelf")

	sheet := s.page("/models/1")
	assert.Contains(t, sheet, "One hole with a rim of")
	still := s.get("/models/1/still.png")
	picture, err := png.Decode(strings.NewReader(still.body))
	require.NoError(t, err)
	assert.Equal(t, image.Rect(0, 0, models.StillWidth, models.StillHeight), picture.Bounds())
	assert.Contains(t, still.Header.Get("Cache-Control"), "immutable")
	view := s.get("/models/1/view")
	assert.True(t, strings.HasPrefix(view.body, "SKV1"))

	to := s.sent("/models/1/make/mend")
	assert.Equal(t, "/models/3", to)
	page = s.page(to)
	assert.Contains(t, page, "bracelet, mended.stl")
	assert.Contains(t, page, "1 hole filled")
	assert.Equal(t, http.StatusUnprocessableEntity, s.post("/models/3/make/mend").StatusCode)
	assert.Equal(t, http.StatusUnprocessableEntity, s.post("/models/3/make/reduce", "how", "triangles", "triangles", "many").StatusCode)
	assert.Equal(t, "/models/4", s.sent("/models/3/make/reduce", "how", "deviation", "deviation", "0,2"))
	for _, format := range []string{"stl", "obj", "3mf"} {
		a := s.get("/models/3/as/" + format)
		assert.Contains(t, a.Header.Get("Content-Disposition"), url.PathEscape("bracelet, mended.")+format)
		back, err := mesh.Read([]byte(a.body), mesh.Limits{})
		require.NoError(t, err)
		assert.True(t, mesh.Measure(back).Watertight)
	}
	assert.Equal(t, http.StatusNotFound, s.get("/models/3/as/exe").StatusCode)
	assert.Equal(t, http.StatusNotFound, s.get("/models/99").StatusCode)

	assert.Equal(t, "/models/3", s.sent("/models/3/licence", "name", "Weir bracelet", "licence", "subscription", "fee", "4.50", "until", "2026-06-30", "source", "a circle of smiths"))
	page = s.page("/models?q=smiths")
	assert.Contains(t, page, "Weir bracelet")
	assert.Contains(t, page, "commercial, by subscription")
	assert.Equal(t, http.StatusUnprocessableEntity, s.post("/models/3/licence", "name", "x", "licence", "stolen").StatusCode)
	found := s.page("/find?q=weir")
	assert.Contains(t, found, `href="/models/`)
}

func TestBenchSeesModelsWithoutMoney(t *testing.T) {
	s := owned(t)
	no := s.Order(1, route.Primed)
	s.Jobs.Settle(s.Ctx)
	o := s.upload("/models/1/revise", "vase-2.stl", mesh.WriteSTL(meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {12, 15}, {0, 60}}, 48)))
	require.Equal(t, http.StatusSeeOther, o.StatusCode, o.body)
	assert.Contains(t, s.page("/models/2"), "Net €")
	s.sent("/sign-out")
	s.signIn("Jory Tamm")
	page := s.page("/models/2")
	assert.Contains(t, page, "Vase")
	assert.NotContains(t, page, "€")
	assert.NotContains(t, page, "Mend it")
	for _, path := range []string{"/models/1/make/mend", "/models/1/licence", "/models", "/jobs/1/cancel", "/orders/" + no + "/items/1/size"} {
		assert.Equal(t, http.StatusForbidden, s.post(path).StatusCode, path)
	}
	assert.Equal(t, http.StatusForbidden, s.get("/orders/"+no+"/items/1/size").StatusCode)
}

func TestStillsOnPapersAndTheClientsPage(t *testing.T) {
	s := owned(t)
	no := s.Order(2, route.Primed)
	q := s.Accept(no)
	page := s.page("/q/" + q.Token)
	assert.Contains(t, page, `src="/q/`+q.Token+`/still/1"`)
	a := s.get("/q/" + q.Token + "/still/1")
	_, err := png.Decode(strings.NewReader(a.body))
	require.NoError(t, err)
	assert.Equal(t, http.StatusNotFound, s.get("/q/"+q.Token+"/still/9").StatusCode)
	for _, path := range []string{"/orders/" + no + "/quotes/1.pdf", "/q/" + q.Token + "/quote.pdf", "/orders/" + no + "/labels.pdf", "/orders/" + no + "/packing-list.pdf"} {
		a := s.get(path)
		assert.Equal(t, "application/pdf", a.Header.Get("Content-Type"), path)
		assert.Contains(t, a.body, "/Image", "%s carries the picture", path)
	}
}

func TestSizeByRuleOnTheScreen(t *testing.T) {
	s := owned(t)
	no := s.Order(1, route.Raw)
	path := "/orders/" + no + "/items/1/size"
	page := s.page(path + "?by=scale&one_to=12&real=1.2")
	assert.Contains(t, page, "100.0<small> mm</small>")
	assert.Contains(t, page, "× 15.62", "two and a half times as tall is 15.6 times the volume")
	assert.Contains(t, s.page(path+"?by=scale&one_to=12"), "how tall the real thing is")
	assert.Equal(t, "/orders/"+no+"#item-1", s.sent(path, "by", "scale", "one_to", "12", "real", "1.2"))
	assert.Contains(t, s.page("/orders/"+no), "1:12 of 1.2 m")
	a := s.post(path, "by", "height", "height", "tall")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.body, "is not a number")
}

// A stream says how far a job is and ends when it has ended.
func TestJobsAreStreamed(t *testing.T) {
	s := owned(t)
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Odile", Title: "Rings"})
	require.NoError(t, err)
	large := mesh.WriteSTL(meshtest.Ring(20, 6, 500, 300))
	_, err = s.Orders.Receive(s.Ctx, s.Owner, o.Number, []models.Kept{kept(t, s.Studio, "large.stl", large)}, false)
	require.NoError(t, err)
	req, err := http.NewRequest(http.MethodGet, s.server.URL+"/jobs/order/"+o.Number, nil)
	require.NoError(t, err)
	r, err := s.client.Do(req)
	require.NoError(t, err)
	defer r.Body.Close()
	assert.Equal(t, "text/event-stream", r.Header.Get("Content-Type"))
	lines := bufio.NewScanner(r.Body)
	require.True(t, lines.Scan())
	assert.Equal(t, "event: jobs", lines.Text())
	require.True(t, lines.Scan())
	assert.Contains(t, lines.Text(), "Reading large.stl")
	assert.Contains(t, lines.Text(), "waits its turn")
	atWork(t, s.App)
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
	s := owned(t)
	atWork(t, s.App)
	a := s.upload("/models", "huge.stl", mesh.WriteSTL(meshtest.Ring(40, 15, 800, 400)))
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.body)
	pages := 0
	require.Eventually(t, func() bool {
		assert.Equal(t, http.StatusOK, s.get("/orders").StatusCode)
		pages++
		v, err := s.Models.ModelSheet(s.Ctx, 1)
		return err == nil && v.Analysis != nil
	}, 60*time.Second, 10*time.Millisecond)
	assert.Greater(t, pages, 3, "it took a while, and pages came meanwhile")
}

// ink counts pixels of about a colour in a picture.
func ink(t *testing.T, shot []byte, r, g, b int) (n int) {
	t.Helper()
	img, err := png.Decode(bytes.NewReader(shot))
	require.NoError(t, err)
	near := func(a uint32, b int) bool { return int(a>>8)-b < 24 && b-int(a>>8) < 24 }
	for y := img.Bounds().Min.Y; y < img.Bounds().Max.Y; y++ {
		for x := img.Bounds().Min.X; x < img.Bounds().Max.X; x++ {
			if cr, cg, cb, _ := img.At(x, y).RGBA(); near(cr, r) && near(cg, g) && near(cb, b) {
				n++
			}
		}
	}
	return n
}

// differ counts the pixels in which two pictures of one size differ.
func differ(t *testing.T, a, b []byte) (n int) {
	t.Helper()
	one, err := png.Decode(bytes.NewReader(a))
	require.NoError(t, err)
	two, err := png.Decode(bytes.NewReader(b))
	require.NoError(t, err)
	require.Equal(t, one.Bounds(), two.Bounds())
	for y := one.Bounds().Min.Y; y < one.Bounds().Max.Y; y++ {
		for x := one.Bounds().Min.X; x < one.Bounds().Max.X; x++ {
			if one.At(x, y) != two.At(x, y) {
				n++
			}
		}
	}
	return n
}

func TestThePartSheetInABrowser(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := owned(t)
	atWork(t, s.App)
	b := browse(t, s.server.URL)
	b.open("/sign-in")
	b.fill("[name=name]", "Ilse Karg")
	b.fill("[name=password]", apptest.Password)
	b.press("main form button")
	b.open("/models")
	b.drop(map[string][]byte{"bracelet.stl": bracelet()})
	b.press(".shelf a")
	b.until(`document.querySelector("#part")?.dataset.ready === "1"`)
	canvas := func() []byte {
		b.until(`document.querySelector("#part").dataset.idle === "1"`)
		b.eval(`window.shown = false; requestAnimationFrame(() => requestAnimationFrame(() => (window.shown = true)))`)
		b.until("window.shown === true")
		var last []byte
		for range 20 { // a busy machine may still be putting the picture together
			shot, err := chromedp.Run(b.ctx, chromedp.Screenshot("#part canvas"))
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
	paper := ink(t, plain, 0xf6, 0xf0, 0xe2)
	assert.Less(t, paper, 700*500*95/100, "something is drawn")
	b.eval(`document.querySelector("[data-tint=overhang]").click()`)
	overhang := canvas()
	assert.Greater(t, differ(t, plain, overhang), 2000, "what leans over is tinted")
	assert.Zero(t, differ(t, overhang, canvas()), "and nothing moves by itself")
	assert.Contains(t, b.text("#part .legend"), "leans over")
	b.eval(`document.querySelector("[data-tint=bodies]").click()`)
	assert.Contains(t, b.text("#part .legend"), "body 3")
	b.eval(`document.querySelector("[data-tint=walls]").click()`)
	assert.Contains(t, b.text("#part .legend"), "under 0.5 mm")
	b.eval(`document.querySelector("[data-tint=plain]").click()`)

	// A section shows the inside; the arrow keys turn; a fault is flown to.
	b.eval(`const a = document.getElementById("cut-axis"); a.value = "z"; a.dispatchEvent(new Event("change"))`)
	assert.Equal(t, "6.0 mm", b.text("#part-tools output"))
	cut := canvas()
	assert.Greater(t, ink(t, cut, pr, pg, pb), ink(t, plain, pr, pg, pb)+1000, "the inside of the wall shows")
	b.eval(`const a = document.getElementById("cut-axis"); a.value = ""; a.dispatchEvent(new Event("change"))`)
	back := canvas()
	b.eval(`document.querySelector("#part canvas").focus()`)
	b.do(chromedp.KeyEvent(kb.ArrowLeft))
	assert.NotEqual(t, back, canvas(), "turned by a key")
	b.eval(`document.querySelector("button.spot").click()`)
	b.until(`document.querySelector("#part").dataset.flown === "1"`)
	near := canvas()
	assert.Less(t, ink(t, near, 0xf6, 0xf0, 0xe2), paper, "it has come nearer")

	// Mending leads to the new version.
	b.button("Mend it")
	b.until(`location.pathname === "/models/2"`)
	assert.Contains(t, b.text("main"), "bracelet, mended.stl")
	b.until(`document.querySelector("#part")?.dataset.ready === "1"`)
	b.button("Take apart into")
	b.until(`document.body.innerText.includes("body 2.stl")`)

	// On a telephone nothing is wider than the screen.
	b.do(chromedp.EmulateViewport(400, 800))
	b.open("/models/1")
	b.until(`document.querySelector("#part")?.dataset.ready === "1"`)
	const wide = `return [...document.querySelectorAll("main *, footer *")].filter((e) => !e.closest(".box") && e.getBoundingClientRect().right > 400.5).map((e) => e.tagName + "." + e.className).slice(0, 4).join(" ")`
	assert.Empty(t, b.eval(wide))
	b.open("/models")
	assert.Empty(t, b.eval(wide))
	b.quiet()
}

// A licence that stops a quote asks for a reason on the order's sheet.
func TestALicenceStopsTheQuoteOnTheScreen(t *testing.T) {
	s := owned(t)
	no := s.Order(1, route.Raw)
	require.NoError(t, s.Models.SaveLicence(s.Ctx, s.Owner, 1, models.LicenceForm{Licence: studio.LicencePersonal}))
	page := s.page("/orders/" + no)
	assert.Contains(t, page, "licensed for personal use only")
	assert.Regexp(t, regexp.MustCompile(`name="despite" required`), page)
	assert.Equal(t, http.StatusUnprocessableEntity, s.post("/orders/"+no+"/quote").StatusCode)
	assert.Equal(t, "/orders/"+no, s.sent("/orders/"+no+"/quote", "despite", "the maker agreed"))
}

func TestHostileUploads(t *testing.T) {
	s := owned(t)
	no := s.Order(1, route.Raw)
	for name, data := range map[string][]byte{
		"empty.stl": {}, "text.stl": []byte("hello"), "short.3mf": []byte("PK\x03\x04nothing"), `..\..\evil.stl`: []byte("solid\nfacet"),
		"huge.stl": append(make([]byte, 80), 0xff, 0xff, 0xff, 0xff), "bomb.gz": {0x1f, 0x8b, 8, 0},
	} {
		a := s.upload("/orders/"+no+"/items", name, data)
		assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode, "%s: %s", name, a.body)
		assert.Contains(t, a.body, "not kept", name)
	}
	a := s.upload("/orders/"+no+"/items", "vase.stl", apptest.Vase(), "broken.stl", []byte("solid x"))
	assert.Equal(t, http.StatusSeeOther, a.StatusCode, "the good one is kept")
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults, "nothing is left of the bad ones")
}

// cut gets the layers' sheet, asking again for as long as the model is being cut.
func (s *site) cut(path string) (page string) {
	s.t.Helper()
	require.Eventually(s.t, func() bool {
		page = s.page(path)
		return !strings.Contains(page, "data-again")
	}, time.Minute, 50*time.Millisecond)
	return page
}

func TestTheLayersSheet(t *testing.T) {
	s := owned(t)
	legs := meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 6, Y: 6, Z: 30}), meshtest.Box(mesh.Vec{X: 20, Z: 12}, mesh.Vec{X: 6, Y: 6, Z: 18}), meshtest.Box(mesh.Vec{Z: 30}, mesh.Vec{X: 26, Y: 6, Z: 4}))
	a := s.upload("/models", "stool.stl", mesh.WriteSTL(legs))
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.body)
	page := s.cut("/models/1/layers?mm=0.5")
	assert.Contains(t, page, "cut into 68 layers of 0.5 mm")
	assert.Contains(t, page, "1.56<small> cm²", "the seat cures most at once")
	assert.Contains(t, page, "1 island")
	assert.Contains(t, page, "layer 25", "the leg that begins at 12 mm")
	assert.Contains(t, page, "evenodd")
	low := s.cut("/models/1/layers?mm=0.5&at=10")
	assert.Contains(t, low, "0.36 cm², 1 region")
	high := s.cut("/models/1/layers?mm=0.5&at=30")
	assert.Contains(t, high, "0.72 cm², 2 regions")
	assert.Contains(t, s.cut("/models/1/layers?at=99999"), "of 1133", "past the top is the top")
	for _, bad := range []string{"mm=0", "mm=thin", "mm=-2", "mm=90"} {
		assert.Equal(t, http.StatusUnprocessableEntity, s.get("/models/1/layers?"+bad).StatusCode, bad)
	}
	assert.Equal(t, http.StatusNotFound, s.get("/models/77/layers").StatusCode)

	// What takes long shows that it goes on, and is there when asked for again.
	a = s.upload("/models", "ring.stl", mesh.WriteSTL(meshtest.Ring(60, 22, 700, 400)))
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.body)
	first := s.page("/models/2/layers?mm=0.02")
	assert.True(t, strings.Contains(first, "is being cut into layers") || strings.Contains(first, "Largest area cured at once"), "on a fast machine it is there at once")
	assert.Contains(t, s.cut("/models/2/layers?mm=0.02"), "Largest area cured at once")
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
	s := owned(t)
	no := s.Order(1, "raw")
	s.Models.Limits.UploadBytes = 200_000
	kit := zipped(t, "kit/body.stl", apptest.VaseOf(20), "kit/../../lid.stl", apptest.VaseOf(12), "kit/readme.txt", []byte("glue it"), "__MACOSX/kit/._body.stl", []byte("x"),
		"kit/broken.stl", []byte("solid nothing"), "kit/huge.stl", make([]byte, 300_000))
	a := s.upload("/orders/"+no+"/items", "kit.zip", kit, "too-large.stl", make([]byte, 250_000), "spare.stl", apptest.Slab())
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.body)
	s.Jobs.Settle(s.Ctx)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Items, 2)
	var names []string
	for _, p := range sheet.Items[1].Parts {
		names = append(names, p.Name)
	}
	assert.Equal(t, []string{"Body", "Lid", "Spare"}, names)
	told := s.page("/orders/" + no)
	for _, why := range []string{"huge.stl", "too-large.stl", "broken.stl"} {
		assert.Contains(t, told, why)
	}
	one := s.upload("/orders/"+no+"/items", "alone.zip", zipped(t, "vase.stl", apptest.VaseOf(15)))
	require.Equal(t, http.StatusSeeOther, one.StatusCode, one.body)
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults, "nothing is left behind of what was refused")
}

// What fits no machine says what to do about it, with the links.
func TestWhatFitsNoMachineHasItsLinks(t *testing.T) {
	s := owned(t)
	no := s.Order(1, "raw")
	s.Change(no, 1, 1, "raw", 30)
	for _, path := range []string{"/orders/" + no, "/orders/" + no + "/quote"} {
		page := s.page(path)
		assert.Contains(t, page, "fits no machine")
		for _, link := range []string{`href="/models/1/prints?process=resin&amp;scale=30#cut"`, `href="/models/1/prints?process=filament&amp;scale=30"`, `href="/orders/` + no + `/items/1/size"`} {
			assert.Contains(t, page, link, path)
		}
	}
	s.page("/models/1/prints?process=filament&scale=30")
}
