package web

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/setup"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
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

// Guessing gets slow, by name and by address; whoever has the password is told what was
// tried.
func TestGuessingGetsSlow(t *testing.T) {
	s := serve(t, apptest.New(t), kit.Options{})
	guess := func(name, password string) answer { return s.post("/sign-in", "name", name, "password", password) }
	held := 0
	for range 60 {
		if a := guess("Ilse Karg", "wrong-password"); strings.Contains(a.body, "Too many wrong passwords") {
			held++
			assert.NotEmpty(t, a.Header.Get("Retry-After"))
		}
	}
	assert.Equal(t, 56, held, "four are looked at")
	assert.Contains(t, guess("ÍLSE karg", apptest.Password).body, "Too many wrong passwords", "the right one, too, however the name is written")
	assert.NotContains(t, guess("Jory Tamm", "wrong-password").body, "Too many", "others are not kept out")
	assert.Contains(t, s.log.String(), `"name":"ilse karg","from":"127.0.0.1"`)
	s.Clock.Pass(2 * time.Second)
	a := guess("Ilse Karg", apptest.Password)
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.body)
	assert.Contains(t, s.page("/"), "4 wrong passwords were tried at your name since Thu 14 May")

	known := s.client // Ilse's, from now on
	s.client = s.fresh()
	for range 10 {
		guess("Ilse Karg", "wrong-password")
		guess("ik", "wrong-password")
	}
	assert.Contains(t, guess("IK", apptest.Password).body, "Too many wrong passwords", "a stranger's device")
	s.client = known
	s.sent("/sign-out")
	for range 20 { // and nobody keeps her out
		assert.Equal(t, http.StatusSeeOther, guess("Ilse Karg", apptest.Password).StatusCode)
		s.sent("/sign-out")
	}
	for range 5 {
		guess("Ilse Karg", "wrong-password")
	}
	assert.Contains(t, guess("Ilse Karg", apptest.Password).body, "Too many wrong passwords", "its allowance has an end, too")
	assert.NotContains(t, guess("Jory Tamm", "wrong-password").body, "Too many", "it is a device of hers alone")
}

// A new password ends every session but the one it was set in; a person sees theirs and ends
// them one by one; a backup carries none.
func TestSessionsEnd(t *testing.T) {
	s := owned(t)
	here, there, third := s.client, s.fresh(), s.fresh()
	in := func(c *http.Client) bool {
		s.client = c
		return s.get("/orders").StatusCode == http.StatusOK
	}
	for _, c := range []*http.Client{there, third} {
		s.client = c
		s.signIn("Ilse Karg")
	}
	s.client = here
	page := s.page("/me/sessions")
	assert.Equal(t, 2, strings.Count(page, "<button>Sign out there"))
	assert.Contains(t, page, "this one")
	assert.Contains(t, page, "A computer")
	form := regexp.MustCompile(`/me/sessions/[0-9a-f]{16}/end`).FindString(page)
	s.sent(form)
	assert.Equal(t, 1, strings.Count(s.page("/me/sessions"), "<button>Sign out there"))
	assert.NotEqual(t, in(there), in(third), "one of the two is out")
	require.True(t, in(here))

	people, err := s.Setup.People(s.Ctx)
	require.NoError(t, err)
	ilse := people[slices.IndexFunc(people, func(p studio.Person) bool { return p.Name == "Ilse Karg" })]
	s.sent(fmt.Sprintf("/studio/people/%d", ilse.ID), "name", ilse.Name, "initials", ilse.Initials, "role", ilse.Role, "active", "1", "password", "another lantern")
	assert.True(t, in(here))
	assert.False(t, in(there))
	assert.False(t, in(third))
	require.NoError(t, s.Setup.SetPassword(s.Ctx, "Ilse Karg", "by the command"))
	assert.False(t, in(here), "by the command all of them")

	s.client = s.fresh()
	assert.Equal(t, http.StatusSeeOther, s.post("/sign-in", "name", "Ilse Karg", "password", "by the command").StatusCode)
	backup := filepath.Join(t.TempDir(), "b.tgz")
	faults, err := s.Store.Backup(s.Ctx, backup)
	require.NoError(t, err)
	require.Empty(t, faults)
	dir := filepath.Join(t.TempDir(), "again")
	_, err = store.Restore(s.Ctx, backup, dir, false)
	require.NoError(t, err)
	again, err := store.Open(s.Ctx, dir)
	require.NoError(t, err)
	defer again.Close()
	var n int
	look, _ := again.Sessions()
	require.NoError(t, look.QueryRow(`SELECT count(*) FROM sessions`).Scan(&n))
	assert.Zero(t, n)
}

// Whoever knows their password sets a new one themselves; guessing it there is slow, too.
func TestAPasswordOfOnesOwn(t *testing.T) {
	s := owned(t)
	there := s.fresh()
	s.client = there
	s.signIn("Jory Tamm")
	s.client = s.fresh()
	s.signIn("Jory Tamm")
	a := s.post("/me/password", "now", apptest.Password, "next", "eleven char")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.body, "at least 12 characters")
	for range 6 {
		a = s.post("/me/password", "now", "a guess at it", "next", "a password of mine")
		assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	}
	assert.Contains(t, a.body, "The next is looked at in")
	s.Clock.Pass(time.Hour)
	assert.Equal(t, "/me/sessions", s.sent("/me/password", "now", apptest.Password, "next", "a password of mine"))
	assert.Equal(t, http.StatusOK, s.get("/bench").StatusCode, "here they stay")
	s.client = there
	assert.Equal(t, http.StatusSeeOther, s.get("/bench").StatusCode, "elsewhere they are out")
	_, err := s.Setup.SignIn(s.Ctx, "Jory Tamm", apptest.Password)
	assert.True(t, setup.WrongPassword(err))
	_, err = s.Setup.SignIn(s.Ctx, "Jory Tamm", "a password of mine")
	require.NoError(t, err)
}

// Names have an end, and fifty questions are fifty however many are asked at once; no cell of
// a table is taken for a formula.
func TestWhatClientsTypeHasAnEnd(t *testing.T) {
	s := owned(t)
	no := s.Order(1, route.Raw)
	assert.Contains(t, s.post("/orders", "title", strings.Repeat("x", 201), "new_client", "X").body, "at most 200 letters")
	assert.Contains(t, s.post("/orders", "title", "Vase", "new_client", "X", "note", strings.Repeat("x", 4001)).body, "at most 4000 letters")
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	var all sync.WaitGroup
	for i := range 70 {
		all.Go(func() { s.post("/q/"+q.Token+"/question", "text", fmt.Sprintf("question %d", i)) })
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
	form := s.drawn("/orders/"+no+"/quote", "/orders/"+no+"/quote/items/1")
	form.Set("title", "=HYPERLINK(1)")
	require.Equal(t, http.StatusSeeOther, s.send("/orders/"+no+"/quote/items/1", form).StatusCode)
	rows, err := csv.NewReader(strings.NewReader(s.get("/orders/" + no + "/quote/working.csv").body)).ReadAll()
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
	s := owned(t)
	no := s.Order(1, route.Raw)
	var pages int
	_, save := s.Store.Sessions()
	require.NoError(t, save.QueryRow(`PRAGMA page_count`).Scan(&pages))
	_, err := save.Exec(fmt.Sprintf(`PRAGMA max_page_count = %d`, pages))
	require.NoError(t, err)
	full := answer{}
	for i := range 60 { // what is free in the pages that are there is filled first
		if full = s.post("/orders", "title", fmt.Sprint("Vase ", i), "new_client", fmt.Sprint("Client ", i), "note", strings.Repeat("x", 3900)); full.StatusCode != http.StatusSeeOther {
			break
		}
	}
	assert.Equal(t, http.StatusInsufficientStorage, full.StatusCode)
	assert.Contains(t, full.body, "The disk is full: nothing was saved.")
	for _, path := range []string{"/", "/orders", "/orders/" + no, "/bench", "/plates", "/models", "/logbook"} {
		page := s.page(path)
		assert.Contains(t, page, "</html>", "%s: all of it", path)
	}
	_, err = save.Exec(`PRAGMA max_page_count = 1000000`)
	require.NoError(t, err)
	s.sent("/orders", "title", "Room again", "new_client", "Somebody")
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
}
