package web_test

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/web"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// The cross-origin check answers 403 before a session, a path or a body is looked at; like
// every answer it keeps foreign code out and has its line in the log.
func TestForeignPagesAreTurnedAwayFirst(t *testing.T) {
	s := webtest.Owned(t)
	for _, path := range []string{"/orders", "/sign-in", "/sign-out", "/no/such/sheet", "/q/unknown/answer", "/first"} {
		req, err := http.NewRequest(http.MethodPost, s.HTTP.URL+path, strings.NewReader("title=x&new_client=y"))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		req.Header.Set("Sec-Fetch-Site", "cross-site")
		a := s.Do(req)
		assert.Equal(t, http.StatusForbidden, a.StatusCode, path)
		assert.NotEmpty(t, a.Header.Get("X-Request-Id"))
		assert.Contains(t, a.Header.Get("Content-Security-Policy"), "default-src 'none'")
		assert.Contains(t, a.Text, "came from another site")
		assert.Empty(t, a.Header.Get("Set-Cookie"))
	}
	orders, err := s.Orders.Orders(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, orders)
	assert.Equal(t, http.StatusOK, s.Get("/").StatusCode, "still signed in")
}

func TestSecurityHeaders(t *testing.T) {
	s := webtest.Owned(t)
	for _, path := range []string{"/", "/sign-in", "/healthz", "/static/app.js", "/no/such/sheet"} {
		h := s.Get(path).Header
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
	s := webtest.Owned(t)
	no := s.Order(2, "painted")
	q := s.Accept(no)
	number := s.Print()
	for _, path := range []string{"/", "/orders", "/orders/new", "/orders/" + no, "/orders/" + no + "/delivery", "/clients", "/clients/1", "/plates", "/plates/1", "/bench?show=all",
		"/bench/" + no + "-1", "/studio", "/studio/machines/new", "/studio/materials/1", "/studio/people/new", "/rates", "/logbook", "/find?q=v", "/q/" + q.Token, "/models", "/models/1", "/models/1/layers", "/orders/" + no + "/items/1/size?by=ratio&ratio=50", "/orders/" + no + "/quote", "/orders/" + no + "/items/1/routes", "/quotes", "/rates/check", "/rates/history"} {
		body := s.Page(path)
		assert.NotContains(t, body, ` style="`, path)
		assert.NotContains(t, body, "<style", path)
		assert.NotContains(t, body, " onclick=", path)
		assert.NotContains(t, body, "<script>", path)
		assert.Equal(t, 1, strings.Count(body, "<h1"), "%s: one heading a sheet", path)
		assert.Contains(t, body, "<html lang=\"en\"", path)
	}
	assert.Equal(t, 1, number)
}

func TestHealthLogsAndPanics(t *testing.T) {
	s := webtest.Owned(t)
	assert.Equal(t, "ok\n", s.Page("/healthz"))
	a := s.Get("/no/such/sheet")
	assert.Equal(t, http.StatusNotFound, a.StatusCode)
	assert.Contains(t, a.Text, "no such sheet")

	srv := web.New(s.App, webtest.LogOf(s), kit.Options{})
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
	for _, line := range strings.Split(strings.TrimSpace(s.Log.String()), "\n") {
		var entry map[string]any
		require.NoError(t, json.Unmarshal([]byte(line), &entry), line)
		if entry["id"] == id && entry["msg"] == "panic" {
			found++
			assert.Equal(t, "a seam burst", entry["panic"])
			assert.Contains(t, entry["stack"], "headers_test.go")
		}
	}
	assert.Equal(t, 1, found)
}
