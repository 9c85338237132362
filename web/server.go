// Package web is what people see. Each part of the work has a room of its own: its routes
// read as a table of contents, a handler reads the request, calls one use case of app and
// renders. Forms work without JavaScript; with it a refusal is shown beside what was typed.
package web

import (
	"context"
	"embed"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/alexedwards/scs/sqlite3store"
	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"sakuji/app"
	"sakuji/web/bench"
	"sakuji/web/client"
	"sakuji/web/delivery"
	"sakuji/web/door"
	"sakuji/web/kit"
	"sakuji/web/models"
	"sakuji/web/money"
	"sakuji/web/orders"
	"sakuji/web/plan"
	"sakuji/web/plates"
	"sakuji/web/quotes"
	"sakuji/web/setup"
	"sakuji/web/stock"
	"sakuji/web/today"
)

//go:embed static
var static embed.FS

// Options are how the server is started.
type Options = kit.Options

// Server answers requests.
type Server struct {
	*kit.Kit
	sweep *sqlite3store.SQLite3Store

	door     *door.Room
	today    *today.Room
	orders   *orders.Room
	quotes   *quotes.Room
	client   *client.Room
	models   *models.Room
	plan     *plan.Room
	plates   *plates.Room
	stock    *stock.Room
	bench    *bench.Room
	money    *money.Room
	delivery *delivery.Room
	setup    *setup.Room
}

// New makes a server over a studio.
func New(a *app.App, log *slog.Logger, opts Options) *Server {
	sessions := scs.New()
	look, save := a.Store.Sessions()
	sweep := sqlite3store.New(save)
	sessions.Store = sessionStore{sweep, sqlite3store.NewWithCleanupInterval(look, 0)}
	sessions.Lifetime = 30 * 24 * time.Hour
	sessions.Cookie.Name = "sakuji"
	sessions.Cookie.HttpOnly = true
	sessions.Cookie.SameSite = http.SameSiteLaxMode
	sessions.Cookie.Secure = opts.BehindTLS
	k := kit.New(a, log, opts, sessions, static)
	return &Server{Kit: k, sweep: sweep, door: door.New(k), today: today.New(k), orders: orders.New(k), quotes: quotes.New(k), client: client.New(k), models: models.New(k),
		plan: plan.New(k), plates: plates.New(k), stock: stock.New(k), bench: bench.New(k), money: money.New(k), delivery: delivery.New(k), setup: setup.New(k)}
}

// sessionStore saves through one door and looks through the other, so that who only looks
// does not wait behind who writes.
type sessionStore struct {
	*sqlite3store.SQLite3Store
	look *sqlite3store.SQLite3Store
}

// Find returns the data of a session.
func (s sessionStore) Find(token string) (data []byte, found bool, err error) {
	return s.look.Find(token)
}

// All returns the data of every session.
func (s sessionStore) All() (map[string][]byte, error) { return s.look.All() }

// Close ends what the server does by itself.
func (s *Server) Close() {
	s.HangUp()
	s.sweep.StopCleanup()
}

// Handler is the whole site.
func (s *Server) Handler() http.Handler {
	var h http.Handler = s.routes()
	if s.Opts.BehindTLS {
		h = kit.Proxied(h)
	}
	return h
}

// routes are the rooms, each behind its door.
func (s *Server) routes() chi.Router {
	site := chi.NewRouter()
	site.Use(kit.Identified, s.Logged, s.Recovered, kit.Secured, s.SameOrigin, s.Bounded, middleware.GetHead)
	site.NotFound(func(w http.ResponseWriter, r *http.Request) {
		s.ErrorPage(w, r, http.StatusNotFound, "There is no such sheet.", "")
	})
	site.MethodNotAllowed(func(w http.ResponseWriter, r *http.Request) {
		s.ErrorPage(w, r, http.StatusMethodNotAllowed, "That is not done here.", "")
	})
	site.Get("/healthz", s.health)
	site.Handle("/static/*", staticFiles())
	site.Get("/sw.js", worker)
	site.Route("/q/{token}", func(r chi.Router) { // what clients see
		r.Use(s.InTurn, middleware.GetHead, s.Once(kit.Whoever))
		s.client.LinkRoutes(r)
	})
	site.Group(func(r chi.Router) { // what everybody sees
		r.Use(s.InTurn)
		s.client.OpenRoutes(r)
	})
	site.Group(func(r chi.Router) { // what calendars ask for
		r.Use(s.InTurn)
		s.plan.FeedRoutes(r)
	})
	site.Group(func(r chi.Router) {
		r.Use(s.InTurn, s.Sessions.LoadAndSave, s.Once(s.Acting), s.Merged(site))
		s.door.OpenRoutes(r)
		r.Group(func(r chi.Router) {
			r.Use(s.SignedIn, s.TheirOwn)
			s.door.Routes(r)
			s.today.Routes(r)
			s.bench.Routes(r)
			s.plan.Routes(r)
			s.plates.Routes(r)
			s.stock.Routes(r)
			s.orders.Routes(r)
			s.delivery.Routes(r)
			s.models.Routes(r)
			r.Group(func(r chi.Router) {
				r.Use(s.OwnerOnly)
				s.orders.OwnerRoutes(r)
				s.quotes.OwnerRoutes(r)
				s.money.OwnerRoutes(r)
				s.delivery.OwnerRoutes(r)
				s.models.OwnerRoutes(r)
				s.setup.OwnerRoutes(r)
			})
		})
	})
	return site
}

// health says whether the server and its database answer.
func (s *Server) health(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	if err := s.App.Store.Ping(ctx); err != nil {
		s.Log.Error("health", "err", err)
		w.WriteHeader(http.StatusServiceUnavailable)
		w.Write([]byte("the database does not answer\n")) //nolint:errcheck // nobody is left to tell
		return
	}
	if err := s.App.Store.Writable(); err != nil {
		s.Log.Error("health", "err", err)
		w.WriteHeader(http.StatusServiceUnavailable)
		fmt.Fprintf(w, "reading goes on, writing does not: %v\n", err) //nolint:errcheck // as above
		return
	}
	w.Write([]byte("ok\n")) //nolint:errcheck // as above
	if b, err := s.App.Backups.State(); err == nil && b.Dir != "" {
		age := "none"
		if last := b.Last(); last.Good {
			age = fmt.Sprintf("%.1f h old", s.App.Clock.Now().Sub(last.At).Hours())
		}
		fmt.Fprintf(w, "last good backup: %s\n", age) //nolint:errcheck // as above
	}
}

// worker serves the script that keeps the bench’s sheets for while the network is away: from the top, for it may
// serve only what lies below it, and asked for again each time.
func worker(w http.ResponseWriter, _ *http.Request) {
	script, err := static.ReadFile("static/sw.js")
	if err != nil {
		panic(err)
	}
	w.Header().Set("Content-Type", "text/javascript; charset=utf-8")
	w.Header().Set("Cache-Control", "no-cache")
	w.Write(script) //nolint:errcheck // the reader has gone
}

// staticFiles serves what is built into the program. It changes only with the
// program, so browsers may keep it as long as its address, which carries a version.
func staticFiles() http.Handler {
	sub, err := fs.Sub(static, "static")
	if err != nil {
		panic(err)
	}
	files := http.StripPrefix("/static/", http.FileServerFS(sub))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, "/") { // nothing is listed
			http.NotFound(w, r)
			return
		}
		if r.URL.RawQuery != "" {
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		} else {
			w.Header().Set("Cache-Control", "public, max-age=3600")
		}
		files.ServeHTTP(w, r)
	})
}
