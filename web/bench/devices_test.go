package bench_test

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/route"
	"sakuji/device"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// Pieces, places, pots, lots and baths have labels; a label printer prints them, and what it refuses is told. A scan leads to
// each.
func TestLabelsOfEverything(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(1, route.Primed)
	s.Accept(no)
	s.Print()
	_, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, studio.Recipe{Name: "slate", Medium: "acrylic", Tool: "brush", Coats: 2, Paints: []studio.PaintPart{{Paint: "slate", Parts: 1}}})
	require.NoError(t, err)
	_, err = s.Pieces.AddPlace(s.Ctx, s.Bench, studio.Place{Name: "shelf A", Kind: "shelf"})
	require.NoError(t, err)
	require.NoError(t, s.Stock.Received(s.Ctx, s.Owner, studio.Lot{MaterialID: s.Resin, Label: "bottle 1", Grams: 1000, PricePerKG: 31}))
	require.NoError(t, s.Stock.Filled(s.Ctx, s.Bench, studio.Bath{Name: "first wash", Litres: 5, StrengthPercent: 96}))
	printer := &device.SimulatedLabels{Roll: 5}
	server := httptest.NewServer(printer)
	t.Cleanup(server.Close)
	paths := []string{"/bench/" + no + "-1", "/bench/recipes/1", "/stock/lots/1", "/stock/baths/1"}
	for _, path := range paths {
		assert.True(t, strings.HasPrefix(s.Page(path+"/label.pdf"), "%PDF"), path)
		assert.Equal(t, http.StatusUnprocessableEntity, s.Post(path+"/label").StatusCode, "no printer is set up")
	}
	s.Sent("/studio/devices", "labels", server.URL)
	for _, path := range paths {
		assert.Contains(t, s.Page(path), "Print its label", path)
		s.Sent(path+"/label", "back", path)
	}
	s.Sent("/bench/places/labels", "back", "/bench/places")
	assert.Equal(t, 5, printer.Printed())
	a := s.Post("/bench/recipes/1/label")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, "the roll is empty")
	assert.Equal(t, http.StatusNotFound, s.Get("/stock/lots/99/label.pdf").StatusCode)
	for code, path := range map[string]string{"l1": "/stock/lots/1", "B1": "/stock/baths/1", "R1": "/bench/recipes/1", no + "-1": "/bench/" + no + "-1", "P1": "/bench/places/P1"} {
		assert.Equal(t, path, s.Get("/bench?code="+code).Header.Get("Location"), code)
	}
	assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/studio/devices", "sensor", "in the corner").StatusCode)
}

// With a camera and a browser that reads codes, a label is scanned into its field; without, there is no button.
func TestALabelIsScannedByTheCamera(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(1, route.Primed)
	s.Accept(no)
	s.Print()
	b := webtest.Browse(t, s.HTTP.URL)
	b.Open("/bench")
	assert.Equal(t, "0", b.Eval(`return String(document.querySelectorAll("[data-scan]").length)`))
	b.Eval(`window.BarcodeDetector = class { async detect() { return [{ rawValue: %s }]; } };
		const canvas = document.createElement("canvas");
		navigator.mediaDevices.getUserMedia = async () => canvas.captureStream();
		HTMLVideoElement.prototype.play = async () => {};
		const script = document.createElement("script");
		script.src = document.querySelector("script[src*='/static/app.js']").src + "&again";
		document.head.append(script)`, "https://studio.example.org/bench?code="+no+"-1")
	b.Until(`document.querySelectorAll("[data-scan]").length > 0`)
	b.Eval(`document.querySelector("[data-scan]").click()`)
	b.Until(`location.pathname === "/bench/" + %s`, no+"-1")
}
