package models_test

import (
	"net/http"
	"regexp"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// From a file to a decision, by forms alone: orientations, one taken; hollowed and used;
// cut and used.
func TestPrintsWithoutJavaScript(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, route.Raw)
	page := s.Page("/models/1/prints")
	assert.Contains(t, page, "Nobody has looked yet")
	assert.Contains(t, page, "Take Tarn, in resin")
	assert.Contains(t, page, "Next best is Fell")
	assert.Equal(t, "/models/1/prints?process=resin", s.Sent("/models/1/make/orient", "process", "resin", "time", "1", "layer", "2,5"))
	s.Jobs.Settle(s.Ctx)
	page = s.Page("/models/1/prints")
	assert.Contains(t, page, "printed as in the file")
	assert.Contains(t, page, `name="layer" inputmode="decimal" class="fig" value="2.5"`, "what mattered is kept")
	taken := regexp.MustCompile(`name="orientation" value="(\d+)"`).FindStringSubmatch(page)
	require.NotNil(t, taken)
	assert.Equal(t, "/models/1/prints?process=resin", s.Sent("/models/1/orientation", "process", "resin", "orientation", taken[1]))
	assert.Contains(t, s.Page("/models/1/prints"), "In use.")
	assert.Contains(t, s.Page("/models/1"), "As printed now,")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.NotZero(t, sheet.Items[0].Parts[0].OrientationID)
	for _, wrong := range [][]string{{"process", "clay"}, {"process", "resin", "time", "much"}, {"process", "resin"}} {
		assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/models/1/make/orient", wrong...).StatusCode, wrong)
	}
	assert.Equal(t, http.StatusNotFound, s.Post("/models/1/orientation", "process", "resin", "orientation", "999").StatusCode)

	a := s.Upload("/models", "cube.stl", mesh.WriteSTL(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 30, Y: 30, Z: 30})))
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.Text)
	s.Jobs.Settle(s.Ctx)
	s.Sent("/models/2/make/hollow", "wall", "2", "holes", "2", "hole", "3,5", "seen", "front")
	s.Jobs.Settle(s.Ctx)
	page = s.Page("/models/2")
	assert.Contains(t, page, "hollow 2 mm, 2 holes.stl")
	assert.Contains(t, page, "2 holes of 3.5 mm")
	assert.Contains(t, page, "plug 3.5 mm.stl")
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/models/2/make/hollow", "wall", "thin", "holes", "2", "hole", "3").StatusCode)

	page = s.Page("/models/2/prints?pieces=2&process=filament")
	assert.Contains(t, page, "A failure is noticed 10.0 h later at most", "as the machine says")
	assert.Contains(t, page, "volumes 50 : 50")
	s.Sent("/models/2/make/cut", "process", "resin", "axis", "z", "at", "12,5 20", "pegs", "1", "peg", "4", "clearance", "0.2")
	s.Jobs.Settle(s.Ctx)
	page = s.Page("/models/2")
	assert.Contains(t, page, "piece 3 of 3.stl")
	assert.Contains(t, page, "dowel 4 ×")
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/models/2/make/cut", "axis", "z", "at", "here", "pegs", "0").StatusCode)
	for _, path := range []string{"/models/2/prints?process=clay", "/models/2/prints?scale=0", "/models/2/prints?pieces=99", "/models/2/prints?scale=x"} {
		assert.Equal(t, http.StatusUnprocessableEntity, s.Get(path).StatusCode, path)
	}

	s.Sent("/sign-out")
	s.SignIn("Jory Tamm")
	page = s.Page("/models/1/prints")
	assert.Contains(t, page, "Tarn")
	assert.NotContains(t, page, "€", "hands see hours, not money")
	assert.NotContains(t, page, "Use this orientation")
	for _, path := range []string{"/models/1/orientation", "/models/1/make/hollow", "/models/1/calibrate"} {
		assert.Equal(t, http.StatusForbidden, s.Post(path).StatusCode, path)
	}
}

// The canvas shows a model as it stands, tips and all, and a section offers to cut there.
func TestPartStandsAndIsCut(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	_ = s.Order(1, route.Raw)
	_, err := s.Models.Remake(s.Ctx, s.Owner, 1, studio.JobOrient, studio.JobOptions{Process: "resin", Wishes: process.Of("resin").Wishes})
	require.NoError(t, err)
	s.Jobs.Settle(s.Ctx)
	sheet, err := s.App.Models.PrintSheet(s.Ctx, 1, "resin", "raw", 1, 0)
	require.NoError(t, err)
	_, err = s.Pieces.ChooseOrientation(s.Ctx, s.Owner, 1, "resin", sheet.Orientations[0].ID)
	require.NoError(t, err)
	b := webtest.Browse(t, s.HTTP.URL)
	b.Open("/models/1")
	b.Until("document.querySelector('#part').dataset.ready === '1'")
	seen := func() []byte {
		t.Helper()
		b.Until("document.querySelector('#part').dataset.idle === '1'")
		png, err := chromedp.Run(b.Ctx, chromedp.Screenshot("#part canvas"))
		require.NoError(t, err)
		return png
	}
	before := seen()
	b.Do(chromedp.Click("#part-stand"))
	b.Until("document.querySelector('#part-stand').getAttribute('aria-pressed') === 'true'")
	after := seen()
	assert.NotEqual(t, before, after)
	b.Eval(`const a = document.getElementById("cut-axis"); a.value = "z"; a.dispatchEvent(new Event("change")); const r = document.getElementById("cut-at"); r.value = 250; r.dispatchEvent(new Event("input"))`)
	b.Until("!document.querySelector('#cut-here').hidden")
	assert.Equal(t, "/models/1/prints?axis=z&at=10.0#cut", b.Eval(`return document.querySelector("#cut-here").getAttribute("href")`))
	b.Open("/models/1/prints?axis=z&at=10.0")
	assert.Equal(t, "10.0", b.Eval(`return document.querySelector("details[open] input[name=at]").value`))
	b.Quiet()
}
