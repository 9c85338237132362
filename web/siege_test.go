package web

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/core/route"
	"sakuji/web/kit"
)

// Nobody who is not let in can lay anything on the disk, and a form has an end.
func TestBodiesHaveAnEnd(t *testing.T) {
	s := owned(t)
	no := s.Order(1, route.Raw)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	tmp := t.TempDir()
	t.Setenv("TMPDIR", tmp)
	stranger := s.fresh()
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
		req, err := http.NewRequest(http.MethodPost, s.server.URL+path, r)
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
	assert.Equal(t, http.StatusRequestEntityTooLarge, s.post("/orders", "title", long).StatusCode)
	assert.Less(t, s.upload("/orders/"+no+"/items", "vase.stl", bytes.Repeat([]byte{0}, 2<<20)).StatusCode, 500, "files may be larger, where they are taken")
}

// A form that is half sent and then waited for is cut, and keeps nobody from signing in.
func TestHalfSentFormsAreCut(t *testing.T) {
	s := serve(t, apptest.New(t), kit.Options{Patience: time.Second})
	address := strings.TrimPrefix(s.server.URL, "http://")
	var lines []net.Conn
	for range 20 {
		c, err := net.Dial("tcp", address)
		require.NoError(t, err)
		defer c.Close()
		fmt.Fprintf(c, "POST /sign-in HTTP/1.1\r\nHost: %s\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 40\r\n\r\nname=Ilse", address)
		lines = append(lines, c)
	}
	s.signIn("Ilse Karg")
	require.NoError(t, lines[0].SetReadDeadline(time.Now().Add(time.Minute)))
	r, err := http.ReadResponse(bufio.NewReader(lines[0]), nil)
	if err == nil {
		assert.NotEqual(t, http.StatusOK, r.StatusCode)
	} else {
		assert.NotErrorIs(t, err, os.ErrDeadlineExceeded, "the line is cut by the server, not by us")
	}
}

// HEAD is answered wherever GET is, what is built in lists nothing, and no client's token
// stands in a log.
func TestSmallDoors(t *testing.T) {
	s := owned(t)
	no := s.Order(1, route.Raw)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	for _, path := range []string{"/", "/orders", "/orders/" + no, "/q/" + q.Token, "/healthz", "/static/app.css"} {
		req, err := http.NewRequest(http.MethodHead, s.server.URL+path, nil)
		require.NoError(t, err)
		a := s.do(req)
		assert.Equal(t, http.StatusOK, a.StatusCode, path)
		assert.Empty(t, a.body)
	}
	for _, path := range []string{"/static/", "/static/fonts/"} {
		assert.Equal(t, http.StatusNotFound, s.get(path).StatusCode, path)
	}
	s.get("/q/" + q.Token + "/no-such")
	s.post("/q/"+q.Token+"/question", "text", strings.Repeat("x", 2<<20))
	assert.NotContains(t, s.log.String(), q.Token)
	assert.Contains(t, s.log.String(), `/q/…/question`)
}
