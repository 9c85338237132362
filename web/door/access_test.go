package door_test

import (
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
	"sakuji/web"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

func TestSignInAndOut(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{})
	a := s.Post("/sign-in", "name", "Ilse Karg", "password", "wrong")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, "do not belong together")
	assert.Equal(t, "/orders", s.Sent("/sign-in", "name", "IK", "password", apptest.Password, "next", "/orders"))
	assert.Contains(t, s.Page("/"), "Ilse")
	s.Sent("/sign-out")
	assert.Equal(t, http.StatusSeeOther, s.Get("/").StatusCode)
	for _, next := range []string{"//evil.example", "https://evil.example", `/\evil.example`} {
		s.Client = s.Fresh()
		assert.Equal(t, "/", s.Sent("/sign-in", "name", "IK", "password", apptest.Password, "next", next), next)
	}
}

// The token known before signing in is worth nothing after (session fixation).
func TestSessionTokenIsRenewed(t *testing.T) {
	s := webtest.Serve(t, apptest.New(t), kit.Options{})
	cookie := func() string {
		req, _ := http.NewRequest(http.MethodGet, s.HTTP.URL, nil)
		for _, c := range s.Client.Jar.Cookies(req.URL) {
			if c.Name == "sakuji" {
				return c.Value
			}
		}
		return ""
	}
	s.SignIn("IK")
	first := cookie()
	require.NotEmpty(t, first)
	s.SignIn("IK")
	assert.NotEqual(t, first, cookie())
}

func TestFirstOwnerOnThisMachine(t *testing.T) {
	s := webtest.Serve(t, apptest.Bare(t), kit.Options{})
	assert.Equal(t, "/first", s.Get("/").Header.Get("Location"))
	assert.NotContains(t, s.Page("/first"), `name="token"`)
	a := s.Post("/first", "name", "Ilse Karg", "password", "long-enough-now", "again", "different")
	assert.Contains(t, a.Text, "differ")
	assert.Contains(t, s.Post("/first", "name", "Ilse Karg", "password", "short", "again", "short").Text, "12 characters")
	assert.Equal(t, "/studio", s.Sent("/first", "name", "Ilse Karg", "password", "long-enough-now", "again", "long-enough-now"))
	body := s.Page("/studio")
	assert.Contains(t, body, "Welcome, Ilse Karg")
	assert.Contains(t, body, "Add the machines that print.")
	assert.Equal(t, "/", s.Get("/first").Header.Get("Location"), "only once")
}

func TestFirstOwnerFromElsewhereNeedsTheToken(t *testing.T) {
	s := webtest.Serve(t, apptest.Bare(t), kit.Options{Exposed: true, FirstToken: "PRINTED-ONCE"})
	assert.Contains(t, s.Page("/first"), `name="token"`)
	form := []string{"name", "Ilse Karg", "password", "long-enough-now", "again", "long-enough-now"}
	for _, token := range []string{"", "guessed"} {
		assert.Equal(t, http.StatusUnprocessableEntity, s.Post("/first", append(form, "token", token)...).StatusCode)
	}
	s.Sent("/first", append(form, "token", "PRINTED-ONCE")...)

	// A name that points at this machine from outside is not this machine.
	bare := webtest.Serve(t, apptest.Bare(t), kit.Options{})
	req, err := http.NewRequest(http.MethodGet, bare.HTTP.URL+"/first", nil)
	require.NoError(t, err)
	req.Host = "rebound.example"
	assert.Contains(t, bare.Do(req).Text, `name="token"`)
}

func TestDemoSignsInOnLoopbackOnly(t *testing.T) {
	clock := &webtest.StoppedTime{}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: clock})
	assert.Contains(t, s.Page("/"), "Good morning, Ilse")
	assert.Equal(t, "/", s.Sent("/demo/pass", "how", "hour"))
	assert.Equal(t, time.Hour, clock.Passed)
	s.Sent("/demo/pass", "how", "event", "back", "/plates")
	assert.Contains(t, s.Page("/plates"), "Nothing ends by itself any more")

	s.Client = s.Fresh()
	req, err := http.NewRequest(http.MethodGet, s.HTTP.URL+"/", nil)
	require.NoError(t, err)
	req.Host = "rebound.example"
	assert.Equal(t, http.StatusSeeOther, s.Do(req).StatusCode)

	srv := web.New(s.App, webtest.LogOf(s), kit.Options{Demo: clock})
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
	st := webtest.Serve(t, s, kit.Options{BehindTLS: true, Exposed: true})
	ask := func(peer string) *httptest.ResponseRecorder {
		srv := web.New(s.App, webtest.LogOf(st), kit.Options{BehindTLS: true})
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

func TestClientLinksStayOutOfTheLog(t *testing.T) {
	s := webtest.Owned(t)
	q := s.Accept(s.Order(1, "raw"))
	s.Page("/q/" + q.Token)
	assert.NotContains(t, s.Log.String(), q.Token)
	assert.Contains(t, s.Log.String(), "/q/…")
}

func TestSettings(t *testing.T) {
	s := webtest.Owned(t)
	assert.Contains(t, s.Page("/"), `data-theme="auto"`)
	assert.Equal(t, "/bench", s.Sent("/me", "theme", "night", "back", "/bench"))
	assert.Contains(t, s.Page("/"), `data-theme="night"`)
	assert.Contains(t, s.Page("/"), `data-letters="on"`)
	s.Sent("/me", "letters", "off")
	assert.Contains(t, s.Page("/"), `data-letters="off"`)
	assert.Equal(t, "/", s.Sent("/me", "theme", "day", "back", "//evil.example"))
}

// Whoever was signed out meanwhile loses nothing of what was typed, and names match
// without case and accents.
func TestSignedOutWhileTyping(t *testing.T) {
	s := webtest.Owned(t)
	_, err := s.Setup.SavePerson(s.Ctx, s.Owner, 0, setup.PersonForm{Name: "Zoë Łukasz", Role: studio.Owner, Active: true, Password: apptest.Password})
	require.NoError(t, err)
	no := s.Order(1, "raw")
	form := s.Drawn("/orders/"+no, "/orders/"+no+"/points")
	form.Set("text", "Which blue for the lining? “Dusk” & <night>")
	s.Client = s.Fresh()
	a := s.Send("/orders/"+no+"/points", form)
	require.Equal(t, http.StatusUnauthorized, a.StatusCode)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Empty(t, sheet.Points)
	door := kit.DrawnForms([]byte(a.Text))[0].Values
	door.Set("name", "zoe lukasz")
	door.Set("password", apptest.Password)
	a = s.Send("/sign-in", door)
	require.Equal(t, http.StatusOK, a.StatusCode, a.Text)
	again := kit.DrawnForms([]byte(a.Text))[0]
	require.Equal(t, http.StatusSeeOther, s.Send(again.Action, again.Values).StatusCode)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Points, 1)
	assert.Equal(t, "Which blue for the lining? “Dusk” & <night>", sheet.Points[0].Text)

	s.Client = s.Fresh()
	req, err := http.NewRequest(http.MethodPost, s.HTTP.URL+"/orders/"+no+"/points", strings.NewReader(form.Encode()))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("HX-Request", "true")
	a = s.Do(req)
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, "what you typed is still here")
	assert.Empty(t, a.Header.Get("HX-Redirect"), "the sheet stays")
}
