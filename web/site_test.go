package web

import (
	"bytes"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/web/kit"
)

// site is a served test studio and a browser without JavaScript.
type site struct {
	srv *Server
	*apptest.Studio
	t      *testing.T
	server *httptest.Server
	client *http.Client
	log    *bytes.Buffer
}

func serve(t *testing.T, s *apptest.Studio, opts kit.Options) *site {
	t.Helper()
	st := &site{Studio: s, t: t, log: &bytes.Buffer{}}
	srv := New(s.App, slog.New(slog.NewJSONHandler(st.log, nil)), opts)
	st.srv = srv
	st.server = httptest.NewServer(srv.Handler())
	t.Cleanup(func() { st.server.Close(); srv.Close() })
	st.client = st.fresh()
	return st
}

// fresh is a browser with no cookies that follows no redirect by itself.
func (s *site) fresh() *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(s.t, err)
	return &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
}

// answer is a response read to its end.
type answer struct {
	*http.Response
	body string
}

func (s *site) do(req *http.Request) answer {
	s.t.Helper()
	r, err := s.client.Do(req)
	require.NoError(s.t, err)
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	require.NoError(s.t, err)
	return answer{r, string(b)}
}

func (s *site) get(path string) answer {
	s.t.Helper()
	req, err := http.NewRequest(http.MethodGet, s.server.URL+path, nil)
	require.NoError(s.t, err)
	return s.do(req)
}

// page gets a sheet that must be there.
func (s *site) page(path string) string {
	s.t.Helper()
	a := s.get(path)
	require.Equal(s.t, http.StatusOK, a.StatusCode, "%s: %s", path, a.body)
	return a.body
}

// post sends a form; fields are name, value, name, value.
func (s *site) post(path string, fields ...string) answer {
	s.t.Helper()
	v := url.Values{}
	for i := 0; i+1 < len(fields); i += 2 {
		v.Add(fields[i], fields[i+1])
	}
	req, err := http.NewRequest(http.MethodPost, s.server.URL+path, strings.NewReader(v.Encode()))
	require.NoError(s.t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return s.do(req)
}

// sent posts a form that must be taken and returns where it leads.
func (s *site) sent(path string, fields ...string) string {
	s.t.Helper()
	a := s.post(path, fields...)
	require.Equal(s.t, http.StatusSeeOther, a.StatusCode, "%s: %s", path, a.body)
	return a.Header.Get("Location")
}

// upload posts files, name and bytes in turn.
func (s *site) upload(path string, files ...any) answer {
	s.t.Helper()
	return s.uploadAs("files", path, files...)
}

// uploadAs sends files as a field.
func (s *site) uploadAs(field, path string, files ...any) answer {
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
	req, err := http.NewRequest(http.MethodPost, s.server.URL+path, &b)
	require.NoError(s.t, err)
	req.Header.Set("Content-Type", w.FormDataContentType())
	return s.do(req)
}

// signIn signs somebody of the test studio in.
func (s *site) signIn(name string) {
	s.t.Helper()
	require.Equal(s.t, "/", s.sent("/sign-in", "name", name, "password", apptest.Password))
}

// owned is a site with its owner signed in.
func owned(t *testing.T) *site {
	t.Helper()
	s := serve(t, apptest.New(t), kit.Options{})
	s.signIn("Ilse Karg")
	return s
}
