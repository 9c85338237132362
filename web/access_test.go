package web

import (
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/setup"
	"sakuji/studio"
	"sakuji/web/kit"
)

func TestSignInAndOut(t *testing.T) {
	s := serve(t, apptest.New(t), kit.Options{})
	a := s.post("/sign-in", "name", "Ilse Karg", "password", "wrong")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.body, "do not belong together")
	assert.Equal(t, "/orders", s.sent("/sign-in", "name", "IK", "password", apptest.Password, "next", "/orders"))
	assert.Contains(t, s.page("/"), "Ilse")
	s.sent("/sign-out")
	assert.Equal(t, http.StatusSeeOther, s.get("/").StatusCode)
	for _, next := range []string{"//evil.example", "https://evil.example", `/\evil.example`} {
		s.client = s.fresh()
		assert.Equal(t, "/", s.sent("/sign-in", "name", "IK", "password", apptest.Password, "next", next), next)
	}
}

// The token known before signing in is worth nothing after (session fixation).
func TestSessionTokenIsRenewed(t *testing.T) {
	s := serve(t, apptest.New(t), kit.Options{})
	cookie := func() string {
		req, _ := http.NewRequest(http.MethodGet, s.server.URL, nil)
		for _, c := range s.client.Jar.Cookies(req.URL) {
			if c.Name == "sakuji" {
				return c.Value
			}
		}
		return ""
	}
	s.signIn("IK")
	first := cookie()
	require.NotEmpty(t, first)
	s.signIn("IK")
	assert.NotEqual(t, first, cookie())
}

// The cross-origin check answers 403 before a session, a path or a body is looked at; like
// every answer it keeps foreign code out and has its line in the log.
func TestForeignPagesAreTurnedAwayFirst(t *testing.T) {
	s := owned(t)
	for _, path := range []string{"/orders", "/sign-in", "/sign-out", "/no/such/sheet", "/q/unknown/answer", "/first"} {
		req, err := http.NewRequest(http.MethodPost, s.server.URL+path, strings.NewReader("title=x&new_client=y"))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		req.Header.Set("Sec-Fetch-Site", "cross-site")
		a := s.do(req)
		assert.Equal(t, http.StatusForbidden, a.StatusCode, path)
		assert.NotEmpty(t, a.Header.Get("X-Request-Id"))
		assert.Contains(t, a.Header.Get("Content-Security-Policy"), "default-src 'none'")
		assert.Contains(t, a.body, "came from another site")
		assert.Empty(t, a.Header.Get("Set-Cookie"))
	}
	orders, err := s.Orders.Orders(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, orders)
	assert.Equal(t, http.StatusOK, s.get("/").StatusCode, "still signed in")
}

func TestSecurityHeaders(t *testing.T) {
	s := owned(t)
	for _, path := range []string{"/", "/sign-in", "/healthz", "/static/app.js", "/no/such/sheet"} {
		h := s.get(path).Header
		csp := h.Get("Content-Security-Policy")
		assert.Contains(t, csp, "default-src 'none'", path)
		assert.Contains(t, csp, "script-src 'self'", path)
		assert.Contains(t, csp, "frame-ancestors 'none'", path)
		assert.NotContains(t, csp, "unsafe", path)
		assert.Equal(t, "nosniff", h.Get("X-Content-Type-Options"), path)
		assert.NotEmpty(t, h.Get("X-Request-Id"), path)
	}
}

// Without unsafe-inline nothing inline would work: no sheet may count on it.
func TestNoInlineStylesOrScripts(t *testing.T) {
	s := owned(t)
	no := s.Order(2, "painted")
	q := s.Accept(no)
	number := s.Print()
	for _, path := range []string{"/", "/orders", "/orders/new", "/orders/" + no, "/orders/" + no + "/delivery", "/clients", "/clients/1", "/plates", "/plates/1", "/bench?show=all",
		"/bench/" + no + "-1", "/studio", "/studio/machines/new", "/studio/materials/1", "/studio/people/new", "/rates", "/logbook", "/find?q=v", "/q/" + q.Token, "/models", "/models/1", "/models/1/layers", "/orders/" + no + "/items/1/size?by=ratio&ratio=50", "/orders/" + no + "/quote", "/orders/" + no + "/items/1/routes", "/quotes", "/rates/check", "/rates/history"} {
		body := s.page(path)
		assert.NotContains(t, body, ` style="`, path)
		assert.NotContains(t, body, "<style", path)
		assert.NotContains(t, body, " onclick=", path)
		assert.NotContains(t, body, "<script>", path)
		assert.Equal(t, 1, strings.Count(body, "<h1"), "%s: one heading a sheet", path)
		assert.Contains(t, body, "<html lang=\"en\"", path)
	}
	assert.Equal(t, 1, number)
}

func TestFirstOwnerOnThisMachine(t *testing.T) {
	s := serve(t, apptest.Bare(t), kit.Options{})
	assert.Equal(t, "/first", s.get("/").Header.Get("Location"))
	assert.NotContains(t, s.page("/first"), `name="token"`)
	a := s.post("/first", "name", "Ilse Karg", "password", "long-enough-now", "again", "different")
	assert.Contains(t, a.body, "differ")
	assert.Contains(t, s.post("/first", "name", "Ilse Karg", "password", "short", "again", "short").body, "12 characters")
	assert.Equal(t, "/studio", s.sent("/first", "name", "Ilse Karg", "password", "long-enough-now", "again", "long-enough-now"))
	body := s.page("/studio")
	assert.Contains(t, body, "Welcome, Ilse Karg")
	assert.Contains(t, body, "Add the machines that print.")
	assert.Equal(t, "/", s.get("/first").Header.Get("Location"), "only once")
}

func TestFirstOwnerFromElsewhereNeedsTheToken(t *testing.T) {
	s := serve(t, apptest.Bare(t), kit.Options{Exposed: true, FirstToken: "PRINTED-ONCE"})
	assert.Contains(t, s.page("/first"), `name="token"`)
	form := []string{"name", "Ilse Karg", "password", "long-enough-now", "again", "long-enough-now"}
	for _, token := range []string{"", "guessed"} {
		assert.Equal(t, http.StatusUnprocessableEntity, s.post("/first", append(form, "token", token)...).StatusCode)
	}
	s.sent("/first", append(form, "token", "PRINTED-ONCE")...)

	// A name that points at this machine from outside is not this machine.
	bare := serve(t, apptest.Bare(t), kit.Options{})
	req, err := http.NewRequest(http.MethodGet, bare.server.URL+"/first", nil)
	require.NoError(t, err)
	req.Host = "rebound.example"
	assert.Contains(t, bare.do(req).body, `name="token"`)
}

// stoppedTime is a demo whose time does not move.
type stoppedTime struct{ passed time.Duration }

func (s *stoppedTime) Pass(_ context.Context, d time.Duration) error { s.passed += d; return nil }
func (s *stoppedTime) ToNext(context.Context) (bool, error)          { return false, nil }

func TestDemoSignsInOnLoopbackOnly(t *testing.T) {
	clock := &stoppedTime{}
	s := serve(t, apptest.New(t), kit.Options{Demo: clock})
	assert.Contains(t, s.page("/"), "Good morning, Ilse")
	assert.Equal(t, "/", s.sent("/demo/pass", "how", "hour"))
	assert.Equal(t, time.Hour, clock.passed)
	s.sent("/demo/pass", "how", "event", "back", "/plates")
	assert.Contains(t, s.page("/plates"), "Nothing ends by itself any more")

	s.client = s.fresh()
	req, err := http.NewRequest(http.MethodGet, s.server.URL+"/", nil)
	require.NoError(t, err)
	req.Host = "rebound.example"
	assert.Equal(t, http.StatusSeeOther, s.do(req).StatusCode)

	srv := New(s.App, testLog(s), kit.Options{Demo: clock})
	defer srv.Close()
	w := httptest.NewRecorder()
	r := httptest.NewRequest(http.MethodGet, "http://localhost/", nil)
	r.RemoteAddr = "192.0.2.9:4711"
	srv.Handler().ServeHTTP(w, r)
	assert.Equal(t, http.StatusSeeOther, w.Code, "from another machine")
}

// Behind a proxy that speaks HTTPS the cookie is Secure and the client's address is
// the one the proxy has added; from anywhere else the header is worth nothing.
func TestBehindAProxy(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, "raw")
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	st := serve(t, s, kit.Options{BehindTLS: true, Exposed: true})
	ask := func(peer string) *httptest.ResponseRecorder {
		srv := New(s.App, testLog(st), kit.Options{BehindTLS: true})
		defer srv.Close()
		w := httptest.NewRecorder()
		r := httptest.NewRequest(http.MethodPost, "http://quotes.example/q/"+q.Token+"/answer", strings.NewReader("name=O&agreed=1&answer=accept"))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("X-Forwarded-For", "10.9.9.9, 198.51.100.4")
		r.RemoteAddr = peer
		srv.Handler().ServeHTTP(w, r)
		return w
	}
	w := ask("127.0.0.1:999")
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	require.NotEmpty(t, w.Result().Cookies())
	assert.True(t, w.Result().Cookies()[0].Secure)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, "198.51.100.4", sheet.Quotes[0].AnsweredFrom)

	q, err = s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	require.Equal(t, http.StatusSeeOther, ask("192.0.2.50:999").Code)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, "192.0.2.50", sheet.Quotes[0].AnsweredFrom)
}

func TestHealthLogsAndPanics(t *testing.T) {
	s := owned(t)
	assert.Equal(t, "ok\n", s.page("/healthz"))
	a := s.get("/no/such/sheet")
	assert.Equal(t, http.StatusNotFound, a.StatusCode)
	assert.Contains(t, a.body, "no such sheet")

	srv := New(s.App, testLog(s), kit.Options{})
	defer srv.Close()
	broken := kit.Identified(srv.Logged(srv.Recovered(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { panic("a seam burst") }))))
	w := httptest.NewRecorder()
	broken.ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/bench", nil))
	assert.Equal(t, http.StatusInternalServerError, w.Code)
	id := w.Header().Get("X-Request-Id")
	require.NotEmpty(t, id)
	assert.Contains(t, w.Body.String(), id, "the page carries the id")
	assert.NotContains(t, w.Body.String(), "a seam burst")

	found := 0
	for _, line := range strings.Split(strings.TrimSpace(s.log.String()), "\n") {
		var entry map[string]any
		require.NoError(t, json.Unmarshal([]byte(line), &entry), line)
		if entry["id"] == id && entry["msg"] == "panic" {
			found++
			assert.Equal(t, "a seam burst", entry["panic"])
			assert.Contains(t, entry["stack"], "access_test.go")
		}
	}
	assert.Equal(t, 1, found)
}

func TestClientLinksStayOutOfTheLog(t *testing.T) {
	s := owned(t)
	q := s.Accept(s.Order(1, "raw"))
	s.page("/q/" + q.Token)
	assert.NotContains(t, s.log.String(), q.Token)
	assert.Contains(t, s.log.String(), "/q/…")
}

func TestSettings(t *testing.T) {
	s := owned(t)
	assert.Contains(t, s.page("/"), `data-theme="auto"`)
	assert.Equal(t, "/bench", s.sent("/me", "theme", "night", "back", "/bench"))
	assert.Contains(t, s.page("/"), `data-theme="night"`)
	assert.Contains(t, s.page("/"), `data-letters="on"`)
	s.sent("/me", "letters", "off")
	assert.Contains(t, s.page("/"), `data-letters="off"`)
	assert.Equal(t, "/", s.sent("/me", "theme", "day", "back", "//evil.example"))
}

// Whoever was signed out meanwhile loses nothing of what was typed, and names match
// without case and accents.
func TestSignedOutWhileTyping(t *testing.T) {
	s := owned(t)
	_, err := s.Setup.SavePerson(s.Ctx, s.Owner, 0, setup.PersonForm{Name: "Zoë Łukasz", Role: studio.Owner, Active: true, Password: apptest.Password})
	require.NoError(t, err)
	no := s.Order(1, "raw")
	form := s.drawn("/orders/"+no, "/orders/"+no+"/points")
	form.Set("text", "Which blue for the lining? “Dusk” & <night>")
	s.client = s.fresh()
	a := s.send("/orders/"+no+"/points", form)
	require.Equal(t, http.StatusUnauthorized, a.StatusCode)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Empty(t, sheet.Points)
	door := kit.DrawnForms([]byte(a.body))[0].Values
	door.Set("name", "zoe lukasz")
	door.Set("password", apptest.Password)
	a = s.send("/sign-in", door)
	require.Equal(t, http.StatusOK, a.StatusCode, a.body)
	again := kit.DrawnForms([]byte(a.body))[0]
	require.Equal(t, http.StatusSeeOther, s.send(again.Action, again.Values).StatusCode)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Points, 1)
	assert.Equal(t, "Which blue for the lining? “Dusk” & <night>", sheet.Points[0].Text)

	s.client = s.fresh()
	req, err := http.NewRequest(http.MethodPost, s.server.URL+"/orders/"+no+"/points", strings.NewReader(form.Encode()))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("HX-Request", "true")
	a = s.do(req)
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.body, "what you typed is still here")
	assert.Empty(t, a.Header.Get("HX-Redirect"), "the sheet stays")
}
