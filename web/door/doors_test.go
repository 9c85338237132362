package door_test

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
	"sakuji/web/webtest"
)

// What the doors promise, as a browser sees it: it is led nowhere else, its session is out of
// reach of scripts, strange scripts and frames do nothing, a form of another site changes
// nothing, and two taps stamp once.
func TestTheDoorsInABrowser(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(2, "primed")
	s.Accept(no)
	s.Print()
	b := webtest.Browse(t, s.HTTP.URL)
	signIn := func(next string) {
		b.Open("/sign-in?next=" + url.QueryEscape(next))
		b.Fill("[name=name]", "Ilse Karg")
		b.Fill("[name=password]", apptest.Password)
		b.Press("form[action^='/sign-in'] button")
	}
	for _, next := range []string{"/\t/elsewhere.invalid/x", "//elsewhere.invalid/x", `/\elsewhere.invalid/x`, "https://elsewhere.invalid/x", "javascript:alert(1)"} {
		signIn(next)
		assert.Equal(t, s.HTTP.URL+"/", b.Eval("return location.href"), next)
		b.Eval("document.cookie = 'x=1'")
		assert.Equal(t, "x=1", b.Eval("return document.cookie"), "the session is not for scripts")
		require.Equal(t, "true", b.Eval("document.cookie = 'x=; Max-Age=0'; return document.cookie === ''"))
		b.Open("/sign-in")
	}
	signIn("/bench/" + no + "-1?x=1")
	assert.Equal(t, "/bench/"+no+"-1?x=1", b.Eval("return location.pathname + location.search"), "a path of ours is followed")
	b.Quiet()

	b.Eval(`const s = document.createElement("script"); s.textContent = "window.strange = 1"; document.body.append(s);
		document.body.insertAdjacentHTML("beforeend", "<img src=x onerror='window.strange = 2'><iframe src='/orders'></iframe>")`)
	complaints := func() string { return strings.ToLower(strings.Join(b.Said(), "\n")) }
	require.Eventually(t, func() bool {
		return strings.Contains(complaints(), "fram") && strings.Contains(complaints(), "inline script") && strings.Contains(complaints(), "inline event handler")
	}, 3*time.Minute, 20*time.Millisecond, complaints())
	assert.Contains(t, complaints(), "content security policy")
	assert.Equal(t, "undefined", b.Eval("return window.strange"))
	b.Forget()

	before, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	b.Open("/bench/" + no + "-1")
	const button = `document.querySelector("form[action$='/stamp'] button[data-key=s]")`
	b.Eval("window.left = true; for (const d of document.querySelectorAll('form details')) d.open = true; " + button + ".click(); " + button + ".click(); " + button + ".click()")
	b.Until("window.left !== true || document.querySelector('#notice').innerText !== ''")
	b.Until("document.readyState === 'complete'")
	after, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, webtest.Done(before.Piece)+1, webtest.Done(after.Piece), "one stage is stamped")

	// A page of another site, on this machine's other name, has the browser send a form.
	form := `<form method="post" action="` + s.HTTP.URL + `/clients"><input name="name" value="Nobody we know"><button>Go</button></form>`
	foreign := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		w.Write([]byte("<main>" + form + "</main>")) //nolint:errcheck // to this test
	}))
	defer foreign.Close()
	b.Base = strings.Replace(foreign.URL, "127.0.0.1", "localhost", 1)
	b.Open("/")
	b.Press("form button")
	assert.Contains(t, b.Body(), "came from another site")
	assert.NotContains(t, s.Page("/clients"), "Nobody we know")
}
