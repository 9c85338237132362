package bench_test

import (
	"bytes"
	"image"
	"image/jpeg"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// photographed is a piece with photographs of three stages.
func photographed(t *testing.T) (s *webtest.Site, code, token string) {
	s = webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(1, route.Primed)
	q := s.Accept(no)
	s.Print()
	code = no + "-1"
	for k := range 3 {
		var picture bytes.Buffer
		require.NoError(t, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 60+k, 40)), nil))
		require.Less(t, s.UploadAs("photo[0]", "/bench/"+code+"/photos", "moth.jpg", picture.Bytes()).StatusCode, 400)
		require.Less(t, s.UploadAs("photo[0]", "/bench/"+code+"/photos", "moth.jpg", picture.Bytes()).StatusCode, 400, "sent twice")
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(t, err)
		require.Len(t, p.Photos, k+1, "but there once")
		if p.Wait {
			s.Clock.At = p.Until
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 2})
		require.NoError(t, err)
	}
	return s, code, q.Token
}

// Nobody outside sees a photograph until the studio shows it to the client, and nobody else until the client allows it;
// either may take that back.
func TestOnlyAllowedPhotographsArePublic(t *testing.T) {
	s, code, token := photographed(t)
	outside := s.Fresh()
	seen := func(path string) int {
		r, err := outside.Get(s.HTTP.URL + path)
		require.NoError(t, err)
		r.Body.Close()
		return r.StatusCode
	}
	assert.Equal(t, http.StatusNotFound, seen("/q/"+token+"/photo/1"))
	assert.Equal(t, http.StatusNotFound, seen("/shown/1"))
	assert.Contains(t, s.Page("/shown"), "Nothing is shown yet")
	s.Sent("/bench/"+code+"/photos/1", "text", "fresh from the plate", "offered", "1", "strokes", "[[[0.1,0.2],[0.5,0.5]]]")
	assert.Contains(t, s.Page("/bench/"+code+"/photos"), `points="10.00,20.00 50.00,50.00 "`)
	assert.Equal(t, http.StatusOK, seen("/q/"+token+"/photo/1"))
	assert.Equal(t, http.StatusNotFound, seen("/q/"+token+"/photo/2"))
	assert.Equal(t, http.StatusNotFound, seen("/shown/1"), "the client has not allowed it")
	assert.Contains(t, s.Page("/q/"+token), "everybody may see it")
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/q/"+token+"/photos", "allow", "1").StatusCode, "who allows it?")
	s.Sent("/q/"+token+"/photos", "allow", "1", "allow", "2", "by", "Odile")
	assert.Equal(t, http.StatusOK, seen("/shown/1"))
	assert.Equal(t, http.StatusNotFound, seen("/shown/2"), "it was never shown to them")
	assert.Contains(t, s.Page("/shown"), "fresh from the plate")
	s.Sent("/q/" + token + "/photos")
	assert.Equal(t, http.StatusNotFound, seen("/shown/1"), "the client took it back")
	s.Sent("/q/"+token+"/photos", "allow", "1", "by", "Odile")
	s.Sent("/bench/"+code+"/photos/1", "strokes", "[]")
	assert.Equal(t, http.StatusNotFound, seen("/shown/1"), "the studio took it back")
	assert.Equal(t, http.StatusNotFound, seen("/q/"+token+"/photo/1"))
	s.Sent("/bench/"+code+"/photos/1", "offered", "1", "strokes", "[]")
	assert.Equal(t, http.StatusNotFound, seen("/shown/1"), "what was allowed once is asked for again")
	for _, bad := range []string{"[[[2,0]]]", "[[", "[[[-0.1,0.5]]]"} {
		assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/bench/"+code+"/photos/1", "strokes", bad).StatusCode, bad)
	}
	assert.Equal(t, http.StatusNotFound, s.Post("/bench/"+code+"/photos/99", "strokes", "[]").StatusCode)
	pdf := s.Page("/bench/contact/" + strings.TrimSuffix(code, "-1") + ".pdf")
	assert.True(t, strings.HasPrefix(pdf, "%PDF"))
	assert.Equal(t, 3, strings.Count(pdf, "/Subtype /Image"))
	assert.NotContains(t, s.Page("/bench/contact/"+strings.TrimSuffix(code, "-1")+".pdf?public=1"), "/Subtype /Image")
}

// With a finger, at the width of a phone: a line is drawn on a photograph and kept; before, during and after lie side by
// side.
func TestAPhotographIsDrawnOn(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a browser")
	}
	s, code, _ := photographed(t)
	b := webtest.Browse(t, s.HTTP.URL)
	b.Do(chromedp.EmulateViewport(400, 800))
	b.Open("/bench/" + code + "/photos/2")
	const draw = `const svg = document.querySelector("[data-drawable] svg"), box = svg.getBoundingClientRect();
		const at = (type, x, y) => svg.dispatchEvent(new PointerEvent(type, { pointerId: 1, clientX: box.left + x * box.width, clientY: box.top + y * box.height, bubbles: true }));
		svg.setPointerCapture = () => {};
		at("pointerdown", 0.2, 0.2); at("pointermove", 0.4, 0.5); at("pointermove", 0.6, 0.5); at("pointerup", 0.6, 0.5)`
	b.Eval(draw)
	b.Until(`document.querySelectorAll("[data-drawable] polyline").length === 1`)
	b.Eval(draw)
	b.Eval(`document.querySelector("[data-undraw]").click()`)
	b.Until(`document.querySelectorAll("[data-drawable] polyline").length === 1`)
	b.Button("Keep it")
	b.Until(`document.body.innerText.includes("It is kept.")`)
	p, err := s.Pieces.PhotoSheet(s.Ctx, code, nil)
	require.NoError(t, err)
	require.Len(t, p.Photos[1].Strokes, 1)
	assert.InDelta(t, 0.4, p.Photos[1].Strokes[0][1][0], 0.01)
	assert.Len(t, p.Beside, 3)
	b.Open("/bench/" + code + "/photos?beside=1&beside=3")
	b.Until(`document.querySelectorAll(".beside img").length === 2`)
	b.Quiet()
}
