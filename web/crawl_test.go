package web_test

import (
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/web"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

var links = regexp.MustCompile(`(?:href|src|action)="(/[^"#]*)`)

// Every link on every sheet leads somewhere, and every form has a change behind it.
func TestEveryLinkLeadsSomewhere(t *testing.T) {
	s, sheets := webtest.Busy(t)
	srv := web.New(s.App, webtest.LogOf(s), kit.Options{Demo: &webtest.StoppedTime{}})
	defer srv.Close()
	posts := map[string]bool{}
	router := srv.Handler().(chi.Routes)
	require.NoError(t, chi.Walk(router, func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		if method == http.MethodPost {
			posts[route] = true
		}
		return nil
	}))
	todo, seen, forms := slices.Clone(sheets), map[string]bool{}, map[string]bool{}
	for len(todo) > 0 {
		path := strings.ReplaceAll(todo[0], "&amp;", "&")
		todo = todo[1:]
		if seen[path] {
			continue
		}
		seen[path] = true
		require.Less(t, len(seen), 400, "the studio is finite")
		a := s.Get(path)
		require.Contains(t, []int{http.StatusOK, http.StatusSeeOther}, a.StatusCode, path)
		if !strings.HasPrefix(a.Header.Get("Content-Type"), "text/html") {
			continue
		}
		for _, m := range links.FindAllStringSubmatch(a.Text, -1) {
			if strings.HasPrefix(m[0], "action") {
				forms[m[1]] = true
			} else {
				todo = append(todo, m[1])
			}
		}
	}
	assert.Greater(t, len(seen), 50)
	assert.Greater(t, len(forms), 30)
	for form := range forms {
		u, err := url.Parse(form)
		require.NoError(t, err)
		ctx := chi.NewRouteContext()
		found := router.Match(ctx, http.MethodPost, u.Path) || router.Match(chi.NewRouteContext(), http.MethodGet, u.Path)
		assert.True(t, found, "no change behind the form %s", form)
	}
	assert.Greater(t, len(posts), 35)
}

// From a narrow phone to a wide screen nothing hangs over the edge of a sheet, and
// at the bench everything that is touched is large enough for a glove.
func TestFitsEveryWidth(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s, sheets := webtest.Busy(t)
	b := webtest.Browse(t, s.HTTP.URL)
	for _, path := range sheets {
		b.Open(path)
		for _, width := range []int64{380, 768, 1280, 2560} {
			b.Do(chromedp.EmulateViewport(width, 800))
			b.Until("innerWidth === %s", width)
			over := b.Eval(`const w = document.documentElement.clientWidth;
				return [...document.querySelectorAll("body *")].filter((e) => { const r = e.getBoundingClientRect();
					return r.width > 0 && r.right > w + 1 && !e.closest(".scroll, .margin, .box, .skip, svg") }).slice(0, 3).map((e) => e.outerHTML.slice(0, 120)).join("\n")`)
			assert.Empty(t, over, "%s at %d px", path, width)
		}
	}
	b.Do(chromedp.EmulateViewport(400, 800))
	for _, path := range sheets {
		if !strings.HasPrefix(path, "/bench") {
			continue
		}
		b.Open(path)
		small := b.Eval(`return [...document.querySelectorAll("main button, main input, main select, main a.Button, a.benchrow")].filter((e) => { const r = e.getBoundingClientRect();
			return r.height > 0 && r.height < 44 && e.type !== "checkbox" && e.type !== "hidden" && !(e.type === "radio" && e.closest("label").getBoundingClientRect().height >= 44) }).map((e) => e.outerHTML.slice(0, 120)).join("\n")`)
		assert.Empty(t, small, "%s: a target under 44 px", path)
	}
	b.Quiet()
}
