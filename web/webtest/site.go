// Package webtest serves the test studio of apptest whole, and looks at it as a browser does: with JavaScript (Browser) or
// without (Site). The rooms' own tests drive it.
package webtest

import (
	"bytes"
	"context"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/web"
	"sakuji/web/kit"
)

// Site is a served test studio and a browser without JavaScript.
type Site struct {
	*apptest.Studio
	Server *web.Server
	HTTP   *httptest.Server
	Client *http.Client
	Log    *Log
	t      *testing.T
}

// Serve serves a studio until the test ends.
func Serve(t *testing.T, s *apptest.Studio, opts kit.Options) *Site {
	t.Helper()
	st := &Site{Studio: s, t: t, Log: &Log{}}
	st.Server = web.New(s.App, LogOf(st), opts)
	st.HTTP = httptest.NewServer(st.Server.Handler())
	t.Cleanup(func() { st.HTTP.Close(); st.Server.Close() })
	st.Client = st.Fresh()
	return st
}

// Owned is a site with its owner signed in.
func Owned(t *testing.T) *Site {
	t.Helper()
	s := Serve(t, apptest.New(t), kit.Options{})
	s.SignIn("Ilse Karg")
	return s
}

// Log is what the server has written so far; it writes while somebody reads.
type Log struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *Log) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

// String is all of it.
func (l *Log) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

// LogOf is the log of a site.
func LogOf(s *Site) *slog.Logger { return slog.New(slog.NewJSONHandler(s.Log, nil)) }

// StoppedTime is a demo whose time does not move.
type StoppedTime struct{ Passed time.Duration }

// Pass notes how far time was to move.
func (s *StoppedTime) Pass(_ context.Context, d time.Duration) error { s.Passed += d; return nil }

// ToNext finds nothing that ends.
func (s *StoppedTime) ToNext(context.Context) (bool, error) { return false, nil }

// Fresh is a browser with no cookies that follows no redirect by itself.
func (s *Site) Fresh() *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(s.t, err)
	return &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
}

// Answer is a response read to its end.
type Answer struct {
	*http.Response
	Text string
}

// Do sends a request and reads the answer.
func (s *Site) Do(req *http.Request) Answer {
	s.t.Helper()
	r, err := s.Client.Do(req)
	require.NoError(s.t, err)
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	require.NoError(s.t, err)
	return Answer{r, string(b)}
}

// Get asks for an address.
func (s *Site) Get(path string) Answer {
	s.t.Helper()
	req, err := http.NewRequest(http.MethodGet, s.HTTP.URL+path, nil)
	require.NoError(s.t, err)
	return s.Do(req)
}

// Page gets a sheet that must be there.
func (s *Site) Page(path string) string {
	s.t.Helper()
	a := s.Get(path)
	require.Equal(s.t, http.StatusOK, a.StatusCode, "%s: %s", path, a.Text)
	return a.Text
}

// form makes values of name, value, name, value.
func form(fields []string) url.Values {
	v := url.Values{}
	for i := 0; i+1 < len(fields); i += 2 {
		v.Add(fields[i], fields[i+1])
	}
	return v
}

// Post sends a form; fields are name, value, name, value.
func (s *Site) Post(path string, fields ...string) Answer {
	s.t.Helper()
	return s.Send(path, form(fields))
}

// Sent posts a form that must be taken and returns where it leads.
func (s *Site) Sent(path string, fields ...string) string {
	s.t.Helper()
	a := s.Post(path, fields...)
	require.Equal(s.t, http.StatusSeeOther, a.StatusCode, "%s: %s", path, a.Text)
	return a.Header.Get("Location")
}

// Send posts the values of a form.
func (s *Site) Send(path string, values url.Values) Answer {
	s.t.Helper()
	return s.send(path, values, nil)
}

// HTMX posts as a form does that stays on its page.
func (s *Site) HTMX(path string, fields ...string) Answer {
	s.t.Helper()
	return s.Fragment(path, form(fields))
}

// Fragment sends the values of a form as htmx does.
func (s *Site) Fragment(path string, values url.Values) Answer {
	s.t.Helper()
	return s.send(path, values, http.Header{"HX-Request": {"true"}})
}

func (s *Site) send(path string, values url.Values, header http.Header) Answer {
	s.t.Helper()
	req, err := http.NewRequest(http.MethodPost, s.HTTP.URL+path, strings.NewReader(values.Encode()))
	require.NoError(s.t, err)
	if header != nil {
		req.Header = header
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return s.Do(req)
}

// Drawn is the form of a sheet that sends itself to an address.
func (s *Site) Drawn(path, action string) url.Values {
	s.t.Helper()
	for _, f := range kit.DrawnForms([]byte(s.Page(path))) {
		if f.Action == action {
			return f.Values
		}
	}
	require.FailNow(s.t, "no such form", "%s on %s", action, path)
	return nil
}

// Upload posts files, name and bytes in turn.
func (s *Site) Upload(path string, files ...any) Answer {
	s.t.Helper()
	return s.UploadAs("files", path, files...)
}

// UploadAs sends files as a field.
func (s *Site) UploadAs(field, path string, files ...any) Answer {
	s.t.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for i := 0; i+1 < len(files); i += 2 {
		f, err := w.CreateFormFile(field, files[i].(string))
		require.NoError(s.t, err)
		_, err = f.Write(files[i+1].([]byte))
		require.NoError(s.t, err)
	}
	require.NoError(s.t, w.Close())
	req, err := http.NewRequest(http.MethodPost, s.HTTP.URL+path, &b)
	require.NoError(s.t, err)
	req.Header.Set("Content-Type", w.FormDataContentType())
	return s.Do(req)
}

// SignIn signs somebody of the test studio in.
func (s *Site) SignIn(name string) {
	s.t.Helper()
	require.Equal(s.t, "/", s.Sent("/sign-in", "name", name, "password", apptest.Password))
}

// LastError is the newest error of the log.
func (s *Site) LastError() string {
	lines := strings.Split(s.Log.String(), "\n")
	for i := len(lines) - 1; i >= 0; i-- {
		if strings.Contains(lines[i], `"level":"ERROR"`) {
			return lines[i][:min(800, len(lines[i]))]
		}
	}
	return ""
}
