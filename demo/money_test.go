package demo

import (
	"html"
	"io"
	"log/slog"
	"maps"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/quote"
	"sakuji/studio"
	"sakuji/web"
	"sakuji/web/kit"
)

// walker goes through the demo as somebody.
type walker struct {
	t       *testing.T
	base    string
	client  *http.Client
	patient bool // what is still being worked out is waited for; the layers of models, which take longest, are left alone
}

func (w *walker) get(path string) (code int, kind, body string) {
	w.t.Helper()
	require.Eventually(w.t, func() bool {
		r, err := w.client.Get(w.base + path)
		require.NoError(w.t, err)
		defer r.Body.Close()
		b, err := io.ReadAll(r.Body)
		require.NoError(w.t, err)
		code, kind, body = r.StatusCode, r.Header.Get("Content-Type"), string(b)
		return !w.patient || !strings.Contains(body, "data-again") && !strings.Contains(body, "being worked out")
	}, 10*time.Minute, 200*time.Millisecond)
	return code, kind, body
}

const walkPassword = "lantern and larch"

func signedIn(t *testing.T, base, name string) *walker {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	w := &walker{t: t, base: base, client: &http.Client{Jar: jar,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
	r, err := w.client.PostForm(base+"/sign-in", url.Values{"name": {name}, "password": {walkPassword}})
	require.NoError(t, err)
	r.Body.Close()
	require.Equal(t, http.StatusSeeOther, r.StatusCode, name)
	return w
}

var leads = regexp.MustCompile(`(?:href|src|action|data-fresh|hx-get)="(/[^"#]*)`)

// walk follows every link of every sheet; of addresses alike, so many.
func (w *walker) walk(routes chi.Routes, alike int, from []string, see func(pattern, path, kind, body string)) (patterns map[string]int) {
	patterns = map[string]int{}
	seen := map[string]bool{}
	for todo := from; len(todo) > 0; todo = todo[1:] {
		path := strings.ReplaceAll(todo[0], "&amp;", "&")
		u, err := url.Parse(path)
		if err != nil || seen[path] {
			continue
		}
		seen[path] = true
		ctx := chi.NewRouteContext()
		if !routes.Match(ctx, http.MethodGet, u.Path) {
			continue
		}
		pattern := ctx.RoutePattern()
		if patterns[pattern] >= alike || strings.HasPrefix(pattern, "/static") || pattern == "/events" ||
			w.patient && strings.HasSuffix(pattern, "/layers") {
			continue
		}
		patterns[pattern]++
		code, kind, body := w.get(path)
		assert.Less(w.t, code, http.StatusInternalServerError, path)
		if code != http.StatusOK {
			continue
		}
		see(pattern, path, kind, body)
		if strings.HasPrefix(kind, "text/html") {
			for _, m := range leads.FindAllStringSubmatch(body, -1) {
				todo = append(todo, m[1])
			}
		}
	}
	return patterns
}

// An amount of money: a currency's sign or letters at a figure.
var amount = regexp.MustCompile(`(?:€|EUR)[\s\x{a0}\x{202f}]*-?\d[\d.,\x{a0}\x{202f}]*|\d[\d.,]*[\s\x{a0}\x{202f}]*(?:€|EUR)`)

// cents are amounts written in full.
var cents = regexp.MustCompile(`\d[\d,]*\.\d\d\b`)

// Of tags people read what stands in fields, and what is told of them.
var (
	told = regexp.MustCompile(`(?:value|placeholder|title|aria-label|alt)="([^"]*)"`)
	tags = regexp.MustCompile(`<[^>]*>`)
)

// textOf is what a sheet, a paper or a list says.
func textOf(t *testing.T, kind, body string) string {
	t.Helper()
	switch {
	case strings.HasPrefix(kind, "text/html"):
		var text strings.Builder
		for _, m := range told.FindAllStringSubmatch(body, -1) {
			text.WriteString(m[1] + "\n")
		}
		return html.UnescapeString(text.String() + tags.ReplaceAllString(body, " "))
	case strings.HasPrefix(kind, "text/") || strings.Contains(kind, "json"):
		return body
	case !strings.HasPrefix(kind, "application/pdf"):
		return ""
	}
	cmd := exec.Command("pdftotext", "-", "-")
	cmd.Stdin = strings.NewReader(body)
	out, err := cmd.Output()
	require.NoError(t, err)
	return string(out)
}

// People at the bench see days, hours and grams, and no money but the limit at which to stop and ask: on no sheet, paper,
// feed or list that they can open, whether a link leads them there or they have its address from somebody.
func TestTheBenchSeesNoMoney(t *testing.T) {
	d := opened(t)
	d.App.Store.Listen(asked.hear)
	for _, name := range []string{"Ilse Karg", "Jory Tamm"} {
		require.NoError(t, d.App.Setup.SetPassword(t.Context(), name, walkPassword))
	}
	s := web.New(d.App, slog.New(slog.DiscardHandler), kit.Options{})
	defer s.Close()
	server := httptest.NewServer(s.Handler())
	defer server.Close()
	routes := s.Handler().(chi.Routes)

	owner, all, priced := signedIn(t, server.URL, "Ilse Karg"), []string{}, map[string]bool{}
	amounts := map[string]bool{}
	ownerSees := owner.walk(routes, 6, []string{"/"}, func(pattern, path, kind, body string) {
		all = append(all, path)
		for _, a := range amount.FindAllString(textOf(t, kind, body), -1) {
			priced[pattern] = true
			if figure := cents.FindString(a); len(figure) > 5 { // long enough to be known again
				amounts[figure] = true
			}
		}
	})
	require.Greater(t, len(amounts), 100, "the owner sees money")
	require.Greater(t, len(priced), 6)

	// What may be seen: the limits at which hands stop and ask.
	limits := map[string]bool{}
	orders, err := d.App.Orders.Orders(t.Context())
	require.NoError(t, err)
	shop, err := d.App.Setup.Shop(t.Context())
	require.NoError(t, err)
	for _, o := range orders {
		sheet, err := d.App.Quotes.OrderSheet(t.Context(), o.Number)
		require.NoError(t, err)
		for _, it := range sheet.Items {
			for _, x := range it.Extras {
				if x.StopAt > 0 {
					limits[shop.Studio.Money(quote.Minor(x.StopAt, studio.Digits(shop.Studio.Currency))).String()] = true
				}
			}
		}
	}
	bench, looked := signedIn(t, server.URL, "Jory Tamm"), 0
	all = slices.DeleteFunc(all, func(path string) bool { return strings.HasPrefix(path, "/q/") }) // whose address is a client's secret
	benchSees := bench.walk(routes, 6, append([]string{"/"}, all...), func(pattern, path, kind, body string) {
		looked++
		assert.False(t, strings.HasPrefix(path, "/q/"), "no link of theirs leads to a client's page")
		text := textOf(t, kind, body)
		for limit := range limits {
			text = strings.ReplaceAll(text, limit, "")
		}
		assert.Empty(t, amount.FindAllString(text, -1), "%s (%s)", path, pattern)
		for _, figure := range cents.FindAllString(text, -1) {
			assert.False(t, amounts[figure], "%s: an amount of the owner's, %s", path, figure)
		}
	})
	t.Logf("%d addresses looked at, of %d routes; the owner has %d routes, with money on %q, and %d amounts", looked, len(benchSees), len(ownerSees), slices.Sorted(maps.Keys(priced)), len(amounts))
	assert.Greater(t, looked, 60)
	assert.Positive(t, benchSees["/plan/possible/{no}"], "which shows what ways cost to who may know")
	assert.True(t, priced["/plan/possible/{no}"])

	asked.scanNothing(t, d)
}
