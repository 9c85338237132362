package models_test

import (
	"bytes"
	"image"
	"image/png"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

func TestFilesComeBackAsTheyWereGiven(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, "raw")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	m := sheet.Items[0].Parts[0].Model
	a := s.Get("/files/" + m.SHA + "/" + m.Name)
	assert.Equal(t, string(apptest.Vase()), a.Text)
	assert.Contains(t, a.Header.Get("Content-Disposition"), `attachment; filename="vase.stl"`)
	for _, path := range []string{"/files/" + strings.Repeat("0", 64) + "/x", "/files/short/x", "/files/..%2f..%2fsakuji.db/x"} {
		assert.Equal(t, http.StatusNotFound, s.Get(path).StatusCode, path)
	}
	var sketch bytes.Buffer
	require.NoError(t, png.Encode(&sketch, image.NewGray(image.Rect(0, 0, 6, 4))))
	require.Equal(t, http.StatusSeeOther, s.Upload("/orders/"+no+"/pictures", "Skizze für Ö.png", sketch.Bytes()).StatusCode)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	p := s.Get("/files/" + sheet.Pictures[0].SHA + "/x.png")
	assert.Equal(t, "image/jpeg", p.Header.Get("Content-Type"), "of our own making")
	assert.Empty(t, p.Header.Get("Content-Disposition"))
	require.Equal(t, http.StatusSeeOther, s.Upload("/orders/"+no+"/pictures", "paper.pdf", []byte("%PDF-1.7")).StatusCode)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	p = s.Get("/files/" + sheet.Pictures[1].SHA + "/paper.pdf")
	assert.Contains(t, p.Header.Get("Content-Disposition"), `attachment; filename="paper.pdf"`, "what others made is saved, not opened here")
}

func TestDispositionNames(t *testing.T) {
	assert.Equal(t, `attachment; filename="M_we _x_.stl"; filename*=UTF-8''M%C3%B6we%20%22x%22.stl`, kit.Disposition("attachment", `Möwe "x".stl`))
}

func TestUploadErrorsNameTheFile(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, "raw")
	a := s.Upload("/orders/"+no+"/items", "broken.stl", apptest.Vase()[:500])
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, "broken.stl could not be read as a model")
	req, err := http.NewRequest(http.MethodPost, s.HTTP.URL+"/orders/"+no+"/items", io.LimitReader(bytes.NewReader([]byte("--x\r\nContent-Dispo")), 18))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "multipart/form-data; boundary=x")
	assert.Contains(t, s.Do(req).Text, "broke off")
	assert.Contains(t, s.Upload("/orders/"+no+"/items").Text, "Choose one or several")
}
