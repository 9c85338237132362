package bench_test

import (
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"log"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/pieces"
	"sakuji/app/setup"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// With keys alone, at the width of a phone: two pieces are begun as one act, the clock outlives the sheet, one is left
// out of the stamp; the air of the day is noted, and moves what waits.
func TestHandsAtTheBench(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(2, route.Primed)
	s.Accept(no)
	s.Print()
	a, c := no+"-1", no+"-2"
	b := webtest.Browse(t, s.HTTP.URL)
	b.Do(chromedp.EmulateViewport(400, 800))
	b.Open("/bench/mine")
	assert.Contains(t, b.Body(), "You have nothing in hand")
	b.Button("Start")
	b.Until(`document.body.innerText.includes("Begun: 2 pieces.")`)
	assert.Equal(t, "0:00", b.Text(".clock")[:4])
	s.Clock.Pass(7 * time.Minute)
	b.Open("/bench/" + a)
	b.Until(`document.querySelector(".clock").innerText.startsWith("3:3")`)
	b.Open("/bench/mine")
	b.Until(`document.querySelector(".clock").innerText.startsWith("7:0")`)
	b.Do(chromedp.KeyEvent("t"))
	b.Until(`document.body.innerText.includes("The clock stands.")`)
	s.Clock.Pass(time.Hour)
	b.Open("/bench/mine")
	b.Until(`document.querySelector(".clock").innerText === "7:00"`)
	b.Do(chromedp.KeyEvent("t"))
	b.Until(`document.body.innerText.includes("Begun: 2 pieces.")`)
	b.Eval(`document.querySelector("[name='in[" + %s + "]']").click()`, c)
	b.Do(chromedp.KeyEvent("s"))
	b.Until(`document.body.innerText.includes("1 piece stamped.")`)
	one, err := s.Pieces.Piece(s.Ctx, a)
	require.NoError(t, err)
	assert.InDelta(t, 3.5, one.Piece.Last().Minutes, 0.01)
	other, err := s.Pieces.Piece(s.Ctx, c)
	require.NoError(t, err)
	assert.Equal(t, route.Wash, other.Piece.Now().Kind, "the odd one out is in hand still")
	b.Until(`document.querySelector(".clock").innerText.startsWith("3:3")`)

	until := one.Until
	b.Open("/bench?show=waits")
	b.Eval(`document.querySelector("form[action='/bench/air']").closest("details").open = true`)
	b.Fill("[name=c]", "11,5")
	b.Fill("[name=humidity]", "80")
	b.Button("It is so now")
	b.Until(`document.body.innerText.includes("1 piece will be dry later.")`)
	one, err = s.Pieces.Piece(s.Ctx, a)
	require.NoError(t, err)
	assert.True(t, one.Until.After(until))
	b.Quiet()

	for _, fields := range [][]string{{"do", "begin"}, {"do", "hurry", "in[" + a + "]", "x"}, {"do", "stamp", "in[0000-1]", "x"}, {"do", "pause", "in[" + a + "]", "x", "at", "then"}} {
		assert.GreaterOrEqual(t, s.Post("/bench/mine", fields...).StatusCode, 400, fields)
	}
	assert.GreaterOrEqual(t, s.Post("/bench/air", "c", "warm").StatusCode, 400)
	assert.GreaterOrEqual(t, s.Post("/bench/air", "humidity", "40").StatusCode, 400)
}

// While the network is away a stamp stays on the tablet, the sheets that were opened can be opened, and when it is back
// the stamp arrives once, as of when it was given; what another tablet did meanwhile is told as a clash.
func TestTheNetworkIsAwayForAWhile(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(2, route.Primed)
	s.Accept(no)
	s.Print()
	a, c := no+"-1", no+"-2"
	var away atomic.Bool
	var strange atomic.Int32 // what somebody else answers in the studio's place; 0: nobody does
	h := s.HTTP.Config.Handler
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if away.Load() {
			panic(http.ErrAbortHandler)
		}
		if code := strange.Load(); code != 0 && r.Method == http.MethodPost {
			w.WriteHeader(int(code))
			return
		}
		h.ServeHTTP(w, r)
	}))
	server.Config.ErrorLog = log.New(io.Discard, "", 0)
	t.Cleanup(server.Close)
	b := webtest.Browse(t, server.URL)
	b.Open("/bench/" + c)
	b.Until(`navigator.serviceWorker.controller !== null`)
	b.Open("/bench/" + c)
	b.Open("/bench/" + a)
	stage := func(code string) *studio.Stage {
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		return p.Piece.Last()
	}

	away.Store(true)
	b.Eval(`document.querySelector("[name=note]").value = "gently"; [...document.querySelectorAll("button")].find((e) => e.innerText.startsWith("Done")).click()`)
	b.Until(`document.querySelector("#queue")?.innerText.includes("Kept on this tablet")`)
	assert.Equal(t, route.Print, stage(a).Kind, "nothing has arrived")
	given := s.Clock.At
	var picture bytes.Buffer
	require.NoError(t, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 60, 40)), nil))
	b.Eval(`const i = document.querySelector("[name='photo[0]']"), d = new DataTransfer();
		d.items.add(new File([Uint8Array.from(atob(%s), (c) => c.charCodeAt(0))], "moth.jpg", { type: "image/jpeg" }));
		i.files = d.files;
		i.dispatchEvent(new Event("change", { bubbles: true }))`, base64.StdEncoding.EncodeToString(picture.Bytes()))
	b.Until(`document.querySelector("#queue")?.innerText.includes("A photograph is kept on this tablet")`)
	s.Clock.Pass(10 * time.Minute)
	b.Open("/bench/" + c) // from what the tablet has kept
	b.Until(`document.querySelector("#queue").innerText.includes("this sheet is as it was at")`)
	b.Until(`Math.abs(Number(document.body.dataset.ahead) - Number(localStorage.getItem("sakuji-ahead"))) < 1`)
	b.Until(`document.querySelector("#queue")?.innerText.includes("Vase: Done")`)
	b.Eval(`[...document.querySelectorAll("button")].find((e) => e.innerText.startsWith("Done")).click()`)
	b.Until(`JSON.parse(localStorage.getItem("sakuji-queue")).length === 2`)
	s.Clock.Pass(25 * time.Minute)
	_, err := s.Pieces.Stamp(s.Ctx, s.Owner, c, studio.Stamp{Minutes: 4}) // on another tablet
	require.NoError(t, err)

	for _, code := range []int32{http.StatusTooManyRequests, http.StatusOK, http.StatusBadGateway} { // none of them took it
		strange.Store(code)
		away.Store(false)
		b.Eval("dispatchEvent(new Event('online'))")
		time.Sleep(300 * time.Millisecond)
		assert.Equal(t, "2", b.Eval(`return JSON.parse(localStorage.getItem("sakuji-queue")).filter((q) => !q.why).length`), code)
	}
	strange.Store(0)
	b.Until(`document.querySelector("#queue")?.innerText.includes("did not count")`)
	assert.Contains(t, b.Text("#queue"), "has moved on meanwhile")
	washed := stage(a)
	assert.Equal(t, route.Wash, washed.Kind)
	assert.Equal(t, "gently", washed.Note)
	assert.WithinDuration(t, given, washed.Done, time.Minute, "as of when it was given")
	assert.Equal(t, 4.0, stage(c).Minutes, "the other tablet’s stands")
	b.Eval(`[...document.querySelectorAll("#queue button")].forEach((e) => e.click())`)
	b.Until(`document.querySelector("#queue") === null`)
	b.Open("/bench/" + a)
	b.Until(`document.querySelector("#queue") === null`)
	var photos []studio.Photo
	require.Eventually(t, func() bool {
		p, err := s.Pieces.Piece(s.Ctx, a)
		photos = p.Photos
		return err == nil && len(photos) == 1
	}, 3*time.Minute, 50*time.Millisecond, "the photograph follows")
	assert.WithinDuration(t, given, photos[0].At, time.Minute, "as of when it was taken")
	assert.Equal(t, route.Wash, photos[0].Stage)
	assert.Equal(t, "[]", b.Eval(`return localStorage.getItem("sakuji-queue")`))
}

// What one tablet stamps shows on the others within a second, but not over what somebody has typed.
func TestTheBenchIsLive(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(3, route.Primed)
	s.Accept(no)
	s.Print()
	b := webtest.Browse(t, s.HTTP.URL)
	b.Open("/bench")
	b.Until(`document.querySelectorAll(".benchrow").length === 3`)
	_, err := s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	b.Until(`document.querySelectorAll(".benchrow").length === 2`)
	b.Open("/bench/" + no + "-2")
	b.Until(`document.querySelector("[name=note]") !== null`)
	b.Eval(`document.querySelector("[name=note]").value = "half a sentence"`)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-3", studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	b.Until(`!document.querySelector("#redraw").hidden`)
	assert.Equal(t, "half a sentence", b.Eval(`return document.querySelector("[name=note]").value`))

	b.Open("/bench?show=waits") // in the background it holds no connection, and catches up when it is seen again
	b.Until(`document.querySelectorAll(".benchrow").length === 2`)
	seen := func(state string) {
		b.Eval(`Object.defineProperty(document, "hidden", { configurable: true, value: %s === "hidden" }); document.dispatchEvent(new Event("visibilitychange"))`, state)
	}
	seen("hidden")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, no+"-2", studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	time.Sleep(1500 * time.Millisecond)
	assert.Equal(t, "2", b.Eval(`return document.querySelectorAll(".benchrow").length`))
	seen("visible")
	b.Until(`document.querySelectorAll(".benchrow").length === 3`)
	b.Quiet()
}

// A photograph is asked for after each stage, and may be left; what is no picture is refused, and nothing is kept.
func TestPiecesArePhotographed(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(1, route.Primed)
	s.Accept(no)
	s.Print()
	path := "/bench/" + no + "-1"
	assert.Contains(t, s.Get(path).Text, "As it is after print: nobody has photographed it yet")
	var picture bytes.Buffer
	require.NoError(t, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 60, 40)), nil))
	assert.Less(t, s.UploadAs("photo[0]", path+"/photos", "moth.jpg", picture.Bytes()).StatusCode, 400)
	sheet := s.Get(path).Text
	assert.Contains(t, sheet, "after print, ")
	assert.NotContains(t, sheet, "nobody has photographed it yet")
	_, err := s.Pieces.Stamp(s.Ctx, s.Bench, no+"-1", studio.Stamp{Minutes: 3})
	require.NoError(t, err)
	assert.Contains(t, s.Get(path).Text, "As it is after wash: nobody has photographed it yet")
	assert.GreaterOrEqual(t, s.UploadAs("photo[0]", path+"/photos", "note.txt", []byte("no picture")).StatusCode, 400)
	assert.GreaterOrEqual(t, s.UploadAs("other", path+"/photos", "note.txt", []byte("no picture")).StatusCode, 400)
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	require.Len(t, p.Photos, 1)
	assert.Equal(t, route.Print, p.Photos[0].Stage)
	require.ErrorContains(t, s.Pieces.Photograph(s.Ctx, s.Bench, no+"-1", []pieces.KeptPhoto{{SHA: p.Photos[0].SHA[1:] + "0"}}, strings.Repeat("ä", 301), time.Time{}), "at most 300 letters")
	require.NoError(t, s.Pieces.Photograph(s.Ctx, s.Bench, no+"-1", []pieces.KeptPhoto{{SHA: "../sakuji.db"}}, "", time.Time{}))
	p, err = s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Len(t, p.Photos, 1, "no name that leads elsewhere")
}

// What one person gave on a tablet without a network goes in as theirs when another has signed in there since, and once,
// however often it is sent; of somebody who is gone it is refused. A key counts for one person at one address.
func TestWhatWaitedGoesInAsTheirs(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{})
	no := s.Order(2, route.Primed)
	s.Accept(no)
	s.Print()
	s.SignIn("Ilse Karg")
	jory, when := fmt.Sprint(s.Bench.ID), fmt.Sprint(s.Clock.At.Add(-time.Second).UnixMilli())
	given := []string{"minutes", "4", "act", "KEPT-1", "queued_by", jory, "queued", when}
	s.Sent("/bench/"+no+"-1/stamp", given...)
	s.Sent("/bench/"+no+"-1/stamp", given...) // its first answer was lost
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, route.Wash, p.Piece.Last().Kind, "once")
	assert.Equal(t, s.Bench.ID, p.Piece.Last().PersonID, "Jory's, though Ilse is signed in")

	s.Sent("/bench/"+no+"-2/stamp", "minutes", "4", "act", "KEPT-1", "queued_by", jory, "queued", when)
	p, err = s.Pieces.Piece(s.Ctx, no+"-2")
	require.NoError(t, err)
	assert.Equal(t, route.Wash, p.Piece.Last().Kind, "the same key elsewhere is another act")

	_, err = s.Setup.SavePerson(s.Ctx, s.Owner, s.Bench.ID, setup.PersonForm{Name: "Jory Tamm", Role: studio.Bench})
	require.NoError(t, err)
	a := s.Post("/bench/"+no+"-1/stamp", "act", "KEPT-2", "queued_by", jory, "queued", when)
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, "does not work here any more")
	var picture bytes.Buffer
	require.NoError(t, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 60, 40)), nil))
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	require.NoError(t, w.WriteField("queued_by", jory))
	f, err := w.CreateFormFile("photo[0]", "moth.jpg")
	require.NoError(t, err)
	_, err = f.Write(picture.Bytes())
	require.NoError(t, errors.Join(err, w.Close()))
	req, err := http.NewRequest(http.MethodPost, s.HTTP.URL+"/bench/"+no+"-1/photos", &form)
	require.NoError(t, err)
	req.Header.Set("Content-Type", w.FormDataContentType())
	assert.Contains(t, s.Do(req).Text, "does not work here any more", "a photograph of theirs, too")
}

// A photograph that waited on a tablet and is refused stays there, with why, until a person drops it; who must sign in finds
// no kept sheets.
func TestARefusedPhotographStays(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(1, route.Primed)
	s.Accept(no)
	s.Print()
	var away atomic.Bool
	h := s.HTTP.Config.Handler
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if away.Load() {
			panic(http.ErrAbortHandler)
		}
		h.ServeHTTP(w, r)
	}))
	server.Config.ErrorLog = log.New(io.Discard, "", 0)
	t.Cleanup(server.Close)
	b := webtest.Browse(t, server.URL)
	b.Open("/bench/" + no + "-1")
	b.Until(`navigator.serviceWorker.controller !== null`)
	b.Open("/bench/" + no + "-1")
	assert.Equal(t, fmt.Sprint(s.Owner.ID), b.Eval(`return document.body.dataset.hand`))
	b.Until(`document.querySelector("[name='photo[0]']") !== null`)
	away.Store(true)
	b.Eval(`const i = document.querySelector("[name='photo[0]']"), d = new DataTransfer();
		d.items.add(new File(["no picture"], "moth.jpg", { type: "image/jpeg" }));
		i.files = d.files;
		i.dispatchEvent(new Event("change", { bubbles: true }))`)
	b.Until(`document.querySelector("#queue")?.innerText.includes("A photograph is kept on this tablet")`)
	away.Store(false)
	b.Eval("dispatchEvent(new Event('online'))")
	b.Until(`document.querySelector("#queue")?.innerText.includes("was refused")`)
	assert.Contains(t, b.Text("#queue"), "moth.jpg: not a JPEG, PNG or WebP picture")
	b.Open("/bench") // whatever is opened meanwhile
	b.Until(`document.querySelector("#queue")?.innerText.includes("was refused")`)
	b.Eval(`[...document.querySelectorAll("#queue button")].find((e) => e.innerText === "send it again").click(); document.querySelector("#queue").dataset.before = "yes"`)
	b.Until(`document.querySelector("#queue") && !document.querySelector("#queue").dataset.before && document.querySelector("#queue")?.innerText.includes("was refused")`)
	b.Eval(`[...document.querySelectorAll("#queue button")].find((e) => e.innerText === "drop it").click()`)
	b.Until(`document.querySelector("#queue") === null`)
	b.Open("/bench")
	assert.Equal(t, "null", b.Eval(`return String(document.querySelector("#queue"))`))

	b.Eval(`window.kept = -1; caches.open("sheets-1").then((c) => c.keys()).then((k) => { window.kept = k.length; })`)
	b.Until(`window.kept > 0`)
	b.Open("/sign-in")
	b.Eval(`window.there = true; const look = () => caches.has("sheets-1").then((there) => { window.there = there; if (there) setTimeout(look, 50); }); look()`)
	b.Until(`window.there === false`)
}
