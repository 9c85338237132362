package door_test

import (
	"bufio"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// A form that is half sent and then waited for is cut, and keeps nobody from signing in.
func TestHalfSentFormsAreCut(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{Patience: time.Second})
	address := strings.TrimPrefix(s.HTTP.URL, "http://")
	var lines []net.Conn
	for range 20 {
		c, err := net.Dial("tcp", address)
		require.NoError(t, err)
		defer c.Close()
		fmt.Fprintf(c, "POST /sign-in HTTP/1.1\r\nHost: %s\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 40\r\n\r\nname=Ilse", address)
		lines = append(lines, c)
	}
	s.SignIn("Ilse Karg")
	require.NoError(t, lines[0].SetReadDeadline(time.Now().Add(time.Minute)))
	r, err := http.ReadResponse(bufio.NewReader(lines[0]), nil)
	if err == nil {
		assert.NotEqual(t, http.StatusOK, r.StatusCode)
	} else {
		assert.NotErrorIs(t, err, os.ErrDeadlineExceeded, "the line is cut by the server, not by us")
	}
}

// Guessing gets slow, by name and by address; whoever has the password is told what was
// tried.
func TestGuessingGetsSlow(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{})
	guess := func(name, password string) webtest.Answer {
		return s.Post("/sign-in", "name", name, "password", password)
	}
	held := 0
	for range 60 {
		if a := guess("Ilse Karg", "wrong-password"); strings.Contains(a.Text, "Too many wrong passwords") {
			held++
			assert.NotEmpty(t, a.Header.Get("Retry-After"))
		}
	}
	assert.Equal(t, 56, held, "four are looked at")
	assert.Contains(t, guess("ÍLSE karg", apptest.Password).Text, "Too many wrong passwords", "the right one, too, however the name is written")
	assert.NotContains(t, guess("Jory Tamm", "wrong-password").Text, "Too many", "others are not kept out")
	assert.Contains(t, s.Log.String(), `"name":"ilse karg","from":"127.0.0.1"`)
	s.Clock.Pass(2 * time.Second)
	a := guess("Ilse Karg", apptest.Password)
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.Text)
	assert.Contains(t, s.Page("/"), "4 wrong passwords were tried at your name since Thu 14 May")

	known := s.Client // Ilse's, from now on
	s.Client = s.Fresh()
	for range 10 {
		guess("Ilse Karg", "wrong-password")
		guess("ik", "wrong-password")
	}
	assert.Contains(t, guess("IK", apptest.Password).Text, "Too many wrong passwords", "a stranger's device")
	s.Client = known
	s.Sent("/sign-out")
	for range 20 { // and nobody keeps her out
		assert.Equal(t, http.StatusSeeOther, guess("Ilse Karg", apptest.Password).StatusCode)
		s.Sent("/sign-out")
	}
	for range 5 {
		guess("Ilse Karg", "wrong-password")
	}
	assert.Contains(t, guess("Ilse Karg", apptest.Password).Text, "Too many wrong passwords", "its allowance has an end, too")
	assert.NotContains(t, guess("Jory Tamm", "wrong-password").Text, "Too many", "it is a device of hers alone")
}

// A new password ends every session but the one it was set in; a person sees theirs and ends
// them one by one; a backup carries none.
func TestSessionsEnd(t *testing.T) {
	s := webtest.Owned(t)
	here, there, third := s.Client, s.Fresh(), s.Fresh()
	in := func(c *http.Client) bool {
		s.Client = c
		return s.Get("/orders").StatusCode == http.StatusOK
	}
	for _, c := range []*http.Client{there, third} {
		s.Client = c
		s.SignIn("Ilse Karg")
	}
	s.Client = here
	page := s.Page("/me/sessions")
	assert.Equal(t, 2, strings.Count(page, "<button>Sign out there"))
	assert.Contains(t, page, "this one")
	assert.Contains(t, page, "A computer")
	form := regexp.MustCompile(`/me/sessions/[0-9a-f]{16}/end`).FindString(page)
	s.Sent(form)
	assert.Equal(t, 1, strings.Count(s.Page("/me/sessions"), "<button>Sign out there"))
	assert.NotEqual(t, in(there), in(third), "one of the two is out")
	require.True(t, in(here))

	people, err := s.Setup.People(s.Ctx)
	require.NoError(t, err)
	ilse := people[slices.IndexFunc(people, func(p studio.Person) bool { return p.Name == "Ilse Karg" })]
	s.Sent(fmt.Sprintf("/studio/people/%d", ilse.ID), "name", ilse.Name, "initials", ilse.Initials, "role", ilse.Role, "active", "1", "password", "another lantern")
	assert.True(t, in(here))
	assert.False(t, in(there))
	assert.False(t, in(third))
	require.NoError(t, s.Setup.SetPassword(s.Ctx, "Ilse Karg", "by the command"))
	assert.False(t, in(here), "by the command all of them")

	s.Client = s.Fresh()
	assert.Equal(t, http.StatusSeeOther, s.Post("/sign-in", "name", "Ilse Karg", "password", "by the command").StatusCode)
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
	s := webtest.Owned(t)
	there := s.Fresh()
	s.Client = there
	s.SignIn("Jory Tamm")
	s.Client = s.Fresh()
	s.SignIn("Jory Tamm")
	a := s.Post("/me/password", "now", apptest.Password, "next", "eleven char")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, "at least 12 characters")
	for range 6 {
		a = s.Post("/me/password", "now", "a guess at it", "next", "a password of mine")
		assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	}
	assert.Contains(t, a.Text, "The next is looked at in")
	s.Clock.Pass(time.Hour)
	assert.Equal(t, "/me/sessions", s.Sent("/me/password", "now", apptest.Password, "next", "a password of mine"))
	assert.Equal(t, http.StatusOK, s.Get("/bench").StatusCode, "here they stay")
	s.Client = there
	assert.Equal(t, http.StatusSeeOther, s.Get("/bench").StatusCode, "elsewhere they are out")
	_, err := s.Setup.SignIn(s.Ctx, "Jory Tamm", apptest.Password)
	assert.True(t, setup.WrongPassword(err))
	_, err = s.Setup.SignIn(s.Ctx, "Jory Tamm", "a password of mine")
	require.NoError(t, err)
}
