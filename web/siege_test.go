package web_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/webtest"
)

// Nobody who is not let in can lay anything on the disk, and a form has an end.
func TestBodiesHaveAnEnd(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, route.Raw)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	tmp := t.TempDir()
	t.Setenv("TMPDIR", tmp)
	stranger := s.Fresh()
	files := func(path string, mb int) int {
		r, w := io.Pipe()
		form := multipart.NewWriter(w)
		go func() {
			f, _ := form.CreateFormFile("name", "x.bin")
			for block := make([]byte, 1<<20); mb > 0; mb-- {
				if _, err := f.Write(block); err != nil {
					return
				}
			}
			form.Close()
			w.Close()
		}()
		req, err := http.NewRequest(http.MethodPost, s.HTTP.URL+path, r)
		require.NoError(t, err)
		req.Header.Set("Content-Type", form.FormDataContentType())
		a, err := stranger.Do(req)
		r.Close()
		if err != nil {
			return 0 // cut
		}
		a.Body.Close()
		return a.StatusCode
	}
	for _, path := range []string{"/sign-in", "/first", "/q/" + q.Token + "/question", "/q/" + q.Token + "/answer", "/orders", "/models"} {
		code := files(path, 64)
		assert.True(t, code == 0 || code >= 300, "%s: %d", path, code)
	}
	left, err := filepath.Glob(filepath.Join(tmp, "*"))
	require.NoError(t, err)
	assert.Empty(t, left, "nothing of it lies on the disk")

	long := strings.Repeat("x", 2<<20)
	assert.Equal(t, http.StatusRequestEntityTooLarge, s.Post("/orders", "title", long).StatusCode)
	assert.Less(t, s.Upload("/orders/"+no+"/items", "vase.stl", bytes.Repeat([]byte{0}, 2<<20)).StatusCode, 500, "files may be larger, where they are taken")
}

// HEAD is answered wherever GET is, what is built in lists nothing, and no client's token
// stands in a log.
func TestSmallDoors(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, route.Raw)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	for _, path := range []string{"/", "/orders", "/orders/" + no, "/q/" + q.Token, "/healthz", "/static/app.css"} {
		req, err := http.NewRequest(http.MethodHead, s.HTTP.URL+path, nil)
		require.NoError(t, err)
		a := s.Do(req)
		assert.Equal(t, http.StatusOK, a.StatusCode, path)
		assert.Empty(t, a.Text)
	}
	for _, path := range []string{"/static/", "/static/fonts/"} {
		assert.Equal(t, http.StatusNotFound, s.Get(path).StatusCode, path)
	}
	s.Get("/q/" + q.Token + "/no-such")
	s.Post("/q/"+q.Token+"/question", "text", strings.Repeat("x", 2<<20))
	assert.NotContains(t, s.Log.String(), q.Token)
	assert.Contains(t, s.Log.String(), `/q/…/question`)
}

// Names have an end, and fifty questions are fifty however many are asked at once; no cell of
// a table is taken for a formula.
func TestWhatClientsTypeHasAnEnd(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, route.Raw)
	assert.Contains(t, s.Post("/orders", "title", strings.Repeat("x", 201), "new_client", "X").Text, "at most 200 letters")
	assert.Contains(t, s.Post("/orders", "title", "Vase", "new_client", "X", "note", strings.Repeat("x", 4001)).Text, "at most 4000 letters")
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	var all sync.WaitGroup
	for i := range 70 {
		all.Go(func() { s.Post("/q/"+q.Token+"/question", "text", fmt.Sprintf("question %d", i)) })
	}
	all.Wait()
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	asked := 0
	for _, p := range sheet.Points {
		if p.Kind == studio.Asked {
			asked++
		}
	}
	assert.Equal(t, studio.MaxAsked, asked)
	form := s.Drawn("/orders/"+no+"/quote", "/orders/"+no+"/quote/items/1")
	form.Set("title", "=HYPERLINK(1)")
	require.Equal(t, http.StatusSeeOther, s.Send("/orders/"+no+"/quote/items/1", form).StatusCode)
	rows, err := csv.NewReader(strings.NewReader(s.Get("/orders/" + no + "/quote/working.csv").Text)).ReadAll()
	require.NoError(t, err)
	for _, row := range rows {
		for k, cell := range row {
			if k != 3 && k != 4 {
				assert.NotContains(t, "=+-@", (cell + " ")[:1], "%q", cell)
			}
		}
	}
}

// On a full disk everything can be read, and what cannot be saved is refused in words. The
// database is kept from growing, as SQLite's own tests do it.
func TestAFullDiskIsToldAndReadingGoesOn(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, route.Raw)
	var pages int
	_, save := s.Store.Sessions()
	require.NoError(t, save.QueryRow(`PRAGMA page_count`).Scan(&pages))
	_, err := save.Exec(fmt.Sprintf(`PRAGMA max_page_count = %d`, pages))
	require.NoError(t, err)
	full := webtest.Answer{}
	for i := range 60 { // what is free in the pages that are there is filled first
		if full = s.Post("/orders", "title", fmt.Sprint("Vase ", i), "new_client", fmt.Sprint("Client ", i), "note", strings.Repeat("x", 3900)); full.StatusCode != http.StatusSeeOther {
			break
		}
	}
	assert.Equal(t, http.StatusInsufficientStorage, full.StatusCode)
	assert.Contains(t, full.Text, "The disk is full: nothing was saved.")
	for _, path := range []string{"/", "/orders", "/orders/" + no, "/bench", "/plates", "/models", "/logbook"} {
		page := s.Page(path)
		assert.Contains(t, page, "</html>", "%s: all of it", path)
	}
	_, err = save.Exec(`PRAGMA max_page_count = 1000000`)
	require.NoError(t, err)
	s.Sent("/orders", "title", "Room again", "new_client", "Somebody")
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
}
