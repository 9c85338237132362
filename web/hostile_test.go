package web_test

import (
	"maps"
	"math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/web"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

var fields = []string{"name", "title", "client", "new_client", "use", "wanted", "budget", "note", "tier", "copies", "scale", "parts[1].process", "parts[1].material", "parts[1].wall", "parts[1].copies", "kind", "text", "answer",
	"amount", "code", "how", "on", "why", "minutes", "early", "at", "then", "next", "to", "hand", "machine", "material", "started", "room", "ended", "outcome[1]", "cause[1]", "outcome[2]", "outcome[3]", "currency", "tax", "zone", "public_url",
	"email", "initials", "role", "password", "active", "from", "process", "figures[width]", "figures[layer]", "r-wage", "r-margin", "r-nonsense", "theme", "letters", "back", "agreed", "token", "q", "each"}

// Whatever is sent to whatever form, the server answers: with a refusal, a page that
// is not there, or the change done. It never breaks, and the data stays whole.
func TestNoFormBreaksTheServer(t *testing.T) {
	s, sheets := webtest.Busy(t)
	r := rand.New(rand.NewPCG(5, 8))
	pick := func(of []string) string { return of[r.IntN(len(of))] }
	var posts []string
	srv := web.New(s.App, webtest.LogOf(s), kit.Options{Demo: &webtest.StoppedTime{}})
	defer srv.Close()
	require.NoError(t, chi.Walk(srv.Handler().(chi.Routes), func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		if method == http.MethodPost && route != "/sign-out" && route != "/sign-in" && route != "/first" {
			posts = append(posts, route)
		}
		return nil
	}))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, "0002")
	require.NoError(t, err)
	params := map[string][]string{"no": {"0001", "0002", "0003", "7777", "%2e%2e"}, "item": {"1", "2", "99", "x"}, "point": {"1", "9"}, "number": {"1", "2", "3", "-1", "x"},
		"code": {"0001-1", "0001-3", "0001-4", "0002-1", "x", "%00"}, "id": {"1", "2", "99", "new"}, "token": {sheet.Quotes[0].Token, "x"}, "rev": {"1"}}
	taken := map[int]int{}
	for range 12 {
		for _, route := range posts {
			path := route
			for _, name := range slices.Sorted(maps.Keys(params)) { // in order: a seed must give the same forms again
				path = strings.ReplaceAll(path, "{"+name+"}", pick(params[name]))
			}
			form := url.Values{}
			for _, f := range fields {
				if r.IntN(3) > 0 {
					form.Set(f, pick(webtest.Hostile))
				}
			}
			if route == "/studio/people/{id}" { // hashing is dear, and is tested elsewhere
				form.Del("password")
			}
			req, err := http.NewRequest(http.MethodPost, s.HTTP.URL+path, strings.NewReader(form.Encode()))
			require.NoError(t, err)
			req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			a := s.Do(req)
			taken[a.StatusCode]++
			assert.Less(t, a.StatusCode, 500, "%s\n%s\n%s", path, form.Encode()[:min(600, len(form.Encode()))], s.LastError())
		}
	}
	assert.Positive(t, taken[http.StatusSeeOther], "some of it made sense")
	assert.Positive(t, taken[http.StatusUnprocessableEntity])
	for _, path := range sheets {
		assert.Less(t, s.Get(path).StatusCode, 500, path)
	}
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
}

// Addresses that nobody links to answer too.
func TestOddAddresses(t *testing.T) {
	s, _ := webtest.Busy(t)
	for _, path := range []string{"/orders/%00", "/orders/" + strings.Repeat("9", 3000), "/plates/99999999999999999999", "/plates/x", "/bench/%ff", "/clients/-1", "/studio/machines/x?from=nothing",
		"/find?q=%25%5F%5C", "/find?q=" + strings.Repeat("z", 4000), "/logbook?before=-5", "/logbook?before=x", "/bench?show=nothing&order=%00", "/files/x/y", "/q/%00", "/orders/0001/quotes/x.pdf"} {
		assert.Less(t, s.Get(path).StatusCode, 500, path)
	}
}
