package papers_test

import (
	"image/png"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/multi/qrcode"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// scanned reads the QR codes of a PDF's first page as a scanner would: drawn at 150 dots an inch by Debian's poppler,
// and read by gozxing, a library that has nothing to do with the one that writes them.
func scanned(t *testing.T, pdf string) (out []string) {
	t.Helper()
	file := filepath.Join(t.TempDir(), "labels")
	require.NoError(t, os.WriteFile(file+".pdf", []byte(pdf), 0o600))
	require.NoError(t, exec.Command("pdftoppm", "-r", "150", "-l", "1", "-singlefile", "-png", file+".pdf", file).Run())
	f, err := os.Open(file + ".png")
	require.NoError(t, err)
	defer f.Close()
	page, err := png.Decode(f)
	require.NoError(t, err)
	bits, err := gozxing.NewBinaryBitmapFromImage(page)
	require.NoError(t, err)
	found, err := qrcode.NewQRCodeMultiReader().DecodeMultiple(bits, nil)
	require.NoError(t, err)
	for _, r := range found {
		out = append(out, r.GetText())
	}
	return out
}

func TestLabelsAreRead(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(2, route.Primed)
	s.Accept(no)
	for _, name := range []string{"shelf C", "box Ü, by the window", "line"} {
		assert.Less(t, s.Post("/bench/places", "name", name, "kind", "shelf").StatusCode, 400)
	}
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	var codes []string
	for _, text := range scanned(t, s.Get("/bench/places/labels.pdf").Text) {
		codes = append(codes, studio.Scanned(text))
		assert.Equal(t, h.Studio.ScanOf(studio.Scanned(text)), text)
	}
	assert.ElementsMatch(t, []string{"P1", "P2", "P3"}, codes)
	one := scanned(t, s.Get("/bench/"+no+"-1/label.pdf").Text)
	require.Len(t, one, 1)
	assert.Equal(t, no+"-1", studio.Scanned(one[0]))
	var order []string
	for _, text := range scanned(t, s.Get("/orders/"+no+"/labels.pdf").Text) {
		order = append(order, studio.Scanned(text))
	}
	assert.ElementsMatch(t, []string{no + "-1", no + "-2"}, order)

	strip := s.Get("/bench/" + no + "-1/traveller.pdf").Text
	require.Len(t, scanned(t, strip), 1)
	assert.Equal(t, no+"-1", studio.Scanned(scanned(t, strip)[0]))
	assert.Contains(t, words(t, strip), "Prime in light coats")
	assert.Contains(t, words(t, strip), "______ by ______")

	assert.Equal(t, "/bench/places/P2", s.Get("/bench?code=P2").Header.Get("Location"))
	assert.Equal(t, "/bench/"+no+"-2", s.Get("/bench?code="+no+"-2").Header.Get("Location"))
	assert.Contains(t, s.Get("/bench?code=Q9").Text, "No piece and no place has the label Q9.")
	assert.Equal(t, http.StatusNotFound, s.Get("/bench/places/P9").StatusCode)
	assert.Less(t, s.Post("/bench/put", "code", no+"-1", "place", "P1").StatusCode, 400)
	assert.Contains(t, s.Get("/bench/places/P1").Text, no+"-1")
	assert.Contains(t, s.Get("/bench/"+no+"-1").Text, "shelf C")
	assert.GreaterOrEqual(t, s.Post("/bench/places/P1/end").StatusCode, 400)
	assert.Less(t, s.Post("/bench/places/P3/end").StatusCode, 400)
}

// words are those of a PDF, as Debian's poppler reads them.
func words(t *testing.T, pdf string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "strip.pdf")
	require.NoError(t, os.WriteFile(file, []byte(pdf), 0o600))
	out, err := exec.Command("pdftotext", "-layout", file, "-").Output()
	require.NoError(t, err)
	return string(out)
}
