package web

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
)

// What the doors promise, as a browser sees it: it is led nowhere else, its session is out of
// reach of scripts, strange scripts and frames do nothing, a form of another site changes
// nothing, and two taps stamp once.
func TestTheDoorsInABrowser(t *testing.T) {
	s := owned(t)
	no := s.Order(2, "primed")
	s.Accept(no)
	s.Print()
	b := browse(t, s.server.URL)
	signIn := func(next string) {
		b.open("/sign-in?next=" + url.QueryEscape(next))
		b.fill("[name=name]", "Ilse Karg")
		b.fill("[name=password]", apptest.Password)
		b.press("form[action^='/sign-in'] button")
	}
	for _, next := range []string{"/\t/elsewhere.invalid/x", "//elsewhere.invalid/x", `/\elsewhere.invalid/x`, "https://elsewhere.invalid/x", "javascript:alert(1)"} {
		signIn(next)
		assert.Equal(t, s.server.URL+"/", b.eval("return location.href"), next)
		b.eval("document.cookie = 'x=1'")
		assert.Equal(t, "x=1", b.eval("return document.cookie"), "the session is not for scripts")
		require.Equal(t, "true", b.eval("document.cookie = 'x=; Max-Age=0'; return document.cookie === ''"))
		b.open("/sign-in")
	}
	signIn("/bench/" + no + "-1?x=1")
	assert.Equal(t, "/bench/"+no+"-1?x=1", b.eval("return location.pathname + location.search"), "a path of ours is followed")
	b.quiet()

	b.eval(`const s = document.createElement("script"); s.textContent = "window.strange = 1"; document.body.append(s);
		document.body.insertAdjacentHTML("beforeend", "<img src=x onerror='window.strange = 2'><iframe src='/orders'></iframe>")`)
	complaints := func() string {
		b.mu.Lock()
		defer b.mu.Unlock()
		return strings.ToLower(strings.Join(b.said, "\n"))
	}
	require.Eventually(t, func() bool {
		return strings.Contains(complaints(), "fram") && strings.Contains(complaints(), "inline script") && strings.Contains(complaints(), "inline event handler")
	}, 10*time.Second, 20*time.Millisecond, complaints())
	assert.Contains(t, complaints(), "content security policy")
	assert.Equal(t, "undefined", b.eval("return window.strange"))
	b.mu.Lock()
	b.said = nil
	b.mu.Unlock()

	before, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	b.open("/bench/" + no + "-1")
	const button = `document.querySelector("form[action$='/stamp'] button[data-key=s]")`
	b.eval("window.left = true; for (const d of document.querySelectorAll('form details')) d.open = true; " + button + ".click(); " + button + ".click(); " + button + ".click()")
	b.until("window.left !== true || document.querySelector('#notice').innerText !== ''")
	b.until("document.readyState === 'complete'")
	after, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, done(before.Piece)+1, done(after.Piece), "one stage is stamped")

	// A page of another site, on this machine's other name, has the browser send a form.
	form := `<form method="post" action="` + s.server.URL + `/clients"><input name="name" value="Nobody we know"><button>Go</button></form>`
	foreign := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		w.Write([]byte("<main>" + form + "</main>")) //nolint:errcheck // to this test
	}))
	defer foreign.Close()
	b.base = strings.Replace(foreign.URL, "127.0.0.1", "localhost", 1)
	b.open("/")
	b.press("form button")
	assert.Contains(t, b.body(), "came from another site")
	assert.NotContains(t, s.page("/clients"), "Nobody we know")
}
