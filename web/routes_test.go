package web_test

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/web"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// passes is who may pass to an address.
type passes int

const (
	inside passes = iota // who is signed in: what no room says otherwise
	open
	owners
)

// walkedRoute is one address of the site and what is done there.
type walkedRoute struct {
	method, pattern string
	passes          passes
}

// walked are all routes of the site, each with the door that its room names it to be behind: OwnerRoutes are the owner's;
// OpenRoutes, and those of who has a secret, are open; all others are for who is signed in.
func walked(t *testing.T, s *web.Server) (all []walkedRoute) {
	t.Helper()
	doors := map[string]passes{}
	said := func(d passes, prefix string, routes func(chi.Router)) {
		r := chi.NewRouter()
		routes(r)
		require.NoError(t, chi.Walk(r, func(method, pattern string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
			doors[method+" "+prefix+pattern] = d
			return nil
		}))
	}
	said(open, "", func(r chi.Router) { // the server's own
		for _, pattern := range []string{"/healthz", "/sw.js", "/static/*"} {
			r.Handle(pattern, http.NotFoundHandler())
		}
	})
	rooms, named := reflect.ValueOf(s).Elem(), 0
	for i := range rooms.NumField() {
		room := rooms.Field(i)
		if room.Kind() != reflect.Pointer || !room.Type().Elem().ConvertibleTo(reflect.TypeFor[struct{ *kit.Kit }]()) && room.Type().Elem().Name() != "Room" {
			continue
		}
		for m := range room.Type().Methods() {
			switch m.Name {
			case "OwnerRoutes", "OpenRoutes", "FeedRoutes", "LinkRoutes":
			default:
				continue
			}
			named++
			routes := reflect.NewAt(room.Type(), room.Addr().UnsafePointer()).Elem().MethodByName(m.Name).Interface().(func(chi.Router))
			switch m.Name {
			case "OwnerRoutes":
				said(owners, "", routes)
			case "LinkRoutes":
				said(open, "/q/{token}", routes)
			default:
				said(open, "", routes)
			}
		}
	}
	require.Greater(t, named, 6, "the rooms are found")
	require.NoError(t, chi.Walk(s.Handler().(chi.Routes), func(method, pattern string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		if method == http.MethodGet || method == http.MethodPost {
			all = append(all, walkedRoute{method, pattern, doors[method+" "+pattern]})
		}
		return nil
	}))
	require.Greater(t, len(all), 150)
	return all
}

var blanks = regexp.MustCompile(`\{[a-z]+(?::[^}]*)?\}|\*`)

// Every address of the router is tried as nobody, as bench and as owner: nobody passes but by an open door, the bench opens
// nothing of the owner's, by whatever method, and changes nothing there; the owner is kept from none. Of all this no secret
// stands in the log.
func TestEveryAddressByEveryDoor(t *testing.T) {
	const wrong, first = "never-to-be-read-9876", "first-owner-token-1234"
	s := webtest.Serve(t, apptest.New(t), kit.Options{FirstToken: first})
	no := s.Order(2, "raw")
	q := s.Accept(no)
	s.Print()
	people, err := s.Setup.People(s.Ctx)
	require.NoError(t, err)
	require.NoError(t, s.Plan.AddCalendar(s.Ctx, s.Owner, 0, 0))
	feeds, err := s.Plan.Feeds(s.Ctx, people[0])
	require.NoError(t, err)
	calendar := feeds.Calendars[0].Secret
	secrets := []string{q.Token, calendar, apptest.Password, wrong, first}
	path := func(pattern string) string {
		return blanks.ReplaceAllStringFunc(pattern, func(blank string) string {
			switch {
			case blank == "{token}":
				return q.Token
			case blank == "{secret}":
				return calendar
			case strings.HasPrefix(blank, "{no") && strings.Contains(pattern, "orders/"):
				return no
			case blank == "{code}" || strings.HasPrefix(pattern, "/bench/{no"):
				return no + "-1"
			}
			return "1"
		})
	}
	try := func(c *http.Client, method, path string) (code int, to, body string) {
		ctx, stop := context.WithTimeout(t.Context(), time.Minute)
		defer stop()
		req, err := http.NewRequestWithContext(ctx, method, s.HTTP.URL+path, strings.NewReader("name=x&amount=1"))
		require.NoError(t, err)
		if method == http.MethodPost {
			req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		}
		r, err := c.Do(req)
		require.NoError(t, err, path)
		defer r.Body.Close()
		if r.Header.Get("Content-Type") != "text/event-stream" { // which has no end
			b, err := io.ReadAll(r.Body)
			require.NoError(t, err, path)
			body = string(b)
		}
		return r.StatusCode, r.Header.Get("Location"), body
	}
	all := walked(t, s.Server)
	stranger, shut, passed := s.Fresh(), 0, map[passes]int{}
	for _, r := range all {
		code, to, body := try(stranger, r.method, path(r.pattern))
		assert.Less(t, code, 500, "%v", r)
		if r.passes == open {
			assert.False(t, code == http.StatusForbidden, "%v: %d", r, code)
			continue
		}
		shut++
		assert.NotContains(t, body, "Test &amp; Try", "%v", r)
		if r.method == http.MethodGet {
			assert.Equal(t, http.StatusSeeOther, code, "%v", r)
			assert.True(t, strings.HasPrefix(to, "/sign-in"), "%v leads to %s", r, to)
		} else {
			assert.Equal(t, http.StatusUnauthorized, code, "%v", r)
			assert.Contains(t, body, "Sign in", "%v: the door, which keeps what was typed", r)
		}
	}
	signedIn := func(name string) *http.Client {
		s.Client = s.Fresh()
		s.Post("/sign-in", "name", name, "password", wrong)
		s.Post("/sign-in", "name", wrong, "password", name) // in the wrong field
		s.SignIn(name)
		for _, cookie := range s.Client.Jar.Cookies(&url.URL{Scheme: "http", Host: s.HTTP.Listener.Addr().String(), Path: "/"}) {
			if cookie.Name == "sakuji" || cookie.Name == "device" {
				secrets = append(secrets, cookie.Value)
			}
		}
		return s.Client
	}
	bench := signedIn("Jory Tamm")
	last, err := s.LastChange(s.Ctx)
	require.NoError(t, err)
	for _, r := range all {
		if r.passes != owners {
			continue
		}
		passed[owners]++
		for _, method := range []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodDelete} {
			as := strings.Replace(method, http.MethodHead, http.MethodGet, 1)
			if slices.ContainsFunc(all, func(o walkedRoute) bool { return o.method == as && o.pattern == r.pattern && o.passes != owners }) {
				continue // the bench may look, and not write
			}
			code, _, body := try(bench, method, path(r.pattern))
			if method == r.method {
				assert.Equal(t, http.StatusForbidden, code, "%v", r)
			}
			assert.Contains(t, []int{http.StatusForbidden, http.StatusMethodNotAllowed, http.StatusNotFound}, code, "%s %v", method, r)
			assert.NotContains(t, body, "€", "%s %v", method, r)
		}
	}
	now, err := s.LastChange(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, last, now, "nothing was changed by who may not")

	for _, name := range []string{"Jory Tamm", "Ilse Karg"} {
		c := signedIn(name)
		inOrder := slices.Clone(all) // first what is only looked at
		slices.SortStableFunc(inOrder, func(a, b walkedRoute) int { return strings.Compare(a.method, b.method) })
		for _, r := range inOrder {
			if r.passes == open || r.passes == owners && name != "Ilse Karg" || strings.HasPrefix(r.pattern, "/sign-out") || strings.HasPrefix(r.pattern, "/me/") {
				continue
			}
			passed[r.passes]++
			code, to, body := try(c, r.method, path(r.pattern))
			assert.Less(t, code, 500, "%v: %s", r, body)
			assert.NotEqual(t, http.StatusForbidden, code, "%v is shut to %s", r, name)
			assert.NotEqual(t, http.StatusUnauthorized, code, "%v", r)
			assert.False(t, strings.HasPrefix(to, "/sign-in"), "%v", r)
			if name != "Ilse Karg" {
				assert.NotContains(t, body, "€", "%v shows money", r)
			}
		}
	}
	t.Logf("%d routes, %d of them shut to nobody", len(all), shut)
	assert.Greater(t, passed[owners], 100)

	for _, odd := range []string{"//q/", "/Q/", "/q//", "/feed/", "/x/../q/", "/%71/", "/orders/q/", "/feed//"} {
		for _, secret := range []string{q.Token, calendar} {
			try(stranger, http.MethodGet, odd+secret)
			try(stranger, http.MethodPost, odd+secret+"/no/such")
		}
	}
	s.Client = stranger
	s.Post("/first", "name", "x", "password", wrong, "again", wrong, "token", first)
	require.Greater(t, len(secrets), 10)
	for _, secret := range secrets {
		require.Greater(t, len(secret), 12)
		assert.NotContains(t, s.Log.String(), secret)
	}
	assert.Contains(t, s.Log.String(), "/feed/…")
}
