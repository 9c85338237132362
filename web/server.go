// Package web is what people see: one file per screen, its templates beside it. A
// handler reads the request, calls one use case of app and renders; it decides
// nothing. Forms work without JavaScript; with it a refusal is shown beside what
// was typed.
package web

import (
	"context"
	"crypto/rand"
	"embed"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/sqlite3store"
	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"

	"sakuji/app"
)

//go:embed static
var static embed.FS

// TimeMachine lets simulated time pass; only the demo has one.
type TimeMachine interface {
	// Pass lets time pass, machines and waits included.
	Pass(ctx context.Context, d time.Duration) error
	// ToNext lets time pass until something ends by itself, and says whether anything did.
	ToNext(ctx context.Context) (bool, error)
}

// Options are how the server is started.
type Options struct {
	Demo       TimeMachine // not nil: the demo studio, its owner signed in by itself on loopback
	FirstToken string      // asked for when the first owner is named from elsewhere than this machine
	Exposed    bool        // it listens on more than loopback
	BehindTLS  bool        // a proxy on this machine speaks HTTPS for it and says who asks
}

// Server answers requests.
type Server struct {
	App      *app.App
	Log      *slog.Logger
	Opts     Options
	Sessions *scs.SessionManager
	sweep    *sqlite3store.SQLite3Store
	pages    pages
	signIns  chan struct{}
	Closing  chan struct{} // closed when the server is to end: streams end by it
	hungUp   sync.Once
}

// New makes a server over a studio.
func New(a *app.App, log *slog.Logger, opts Options) *Server {
	sessions := scs.New()
	sweep := sqlite3store.New(a.Store.Sessions())
	sessions.Store = sweep
	sessions.Lifetime = 30 * 24 * time.Hour
	sessions.IdleTimeout = 7 * 24 * time.Hour
	sessions.Cookie.Name = "sakuji"
	sessions.Cookie.HttpOnly = true
	sessions.Cookie.SameSite = http.SameSiteLaxMode
	sessions.Cookie.Secure = opts.BehindTLS
	return &Server{App: a, Log: log, Opts: opts, Sessions: sessions, sweep: sweep, pages: parsePages(), signIns: make(chan struct{}, 2), Closing: make(chan struct{})}
}

// HangUp ends the streams, which would otherwise go on as long as somebody looks.
func (s *Server) HangUp() { s.hungUp.Do(func() { close(s.Closing) }) }

// Close ends what the server does by itself.
func (s *Server) Close() {
	s.HangUp()
	s.sweep.StopCleanup()
}

// Handler is the whole site. The cross-origin check is the outermost door: what it
// turns away has asked nothing else.
func (s *Server) Handler() http.Handler {
	var h http.Handler = s.routes()
	if s.Opts.BehindTLS {
		h = forwarded(h)
	}
	return http.NewCrossOriginProtection().Handler(h)
}

// forwarded takes the client's address from the proxy: the last one in
// X-Forwarded-For, which the proxy itself has added, and only where the proxy stands
// on this machine; anybody can send the header.
func forwarded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		list := strings.Split(r.Header.Get("X-Forwarded-For"), ",")
		if ip := net.ParseIP(strings.TrimSpace(list[len(list)-1])); ip != nil && isLoopback(r.RemoteAddr) {
			r.RemoteAddr = net.JoinHostPort(ip.String(), "0")
		}
		next.ServeHTTP(w, r)
	})
}

// routes are the sheets and changes, behind the door.
func (s *Server) routes() chi.Router {
	r := chi.NewRouter()
	r.Use(s.identified, s.logged, s.recovered, secured)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) {
		s.errorPage(w, r, http.StatusNotFound, "There is no such sheet.", "")
	})
	r.MethodNotAllowed(func(w http.ResponseWriter, r *http.Request) {
		s.errorPage(w, r, http.StatusMethodNotAllowed, "That is not done here.", "")
	})

	r.Get("/healthz", s.health)
	r.Handle("/static/*", staticFiles())

	r.Route("/q/{token}", func(r chi.Router) { // what clients see
		r.Use(s.Sessions.LoadAndSave)
		r.Get("/", s.clientQuote)
		r.Get("/quote.pdf", s.clientQuotePDF)
		r.Get("/still/{item}", s.clientStill)
		r.Post("/answer", s.clientAnswer)
		r.Post("/question", s.clientQuestion)
	})

	r.Group(func(r chi.Router) {
		r.Use(s.Sessions.LoadAndSave)
		r.Get("/first", s.first)
		r.Post("/first", s.firstSave)
		r.Get("/sign-in", s.signIn)
		r.Post("/sign-in", s.signInCheck)

		r.Group(func(r chi.Router) {
			r.Use(s.signedIn)
			r.Post("/sign-out", s.signOut)
			r.Post("/me", s.saveMe)
			r.Get("/", s.today)
			r.Get("/find", s.find)
			r.Get("/logbook", s.logbook)
			r.Get("/files/{sha}/{name}", s.file)

			r.Get("/bench", s.bench)
			r.Post("/bench/hand", s.chooseHand)
			r.Get("/bench/{code}", s.piece)
			r.Post("/bench/{code}/stamp", s.stamp)
			r.Post("/bench/{code}/back", s.sendBack)
			r.Post("/bench/{code}/take-back", s.takeBack)

			r.Get("/plates", s.plates)
			r.Post("/plates", s.layPlate)
			r.Route("/plates/{number}", func(r chi.Router) {
				r.Get("/", s.plate)
				r.Post("/fill", s.fillAgain)
				r.Post("/add", s.addToPlate)
				r.Post("/lift", s.liftOff)
				r.Post("/dissolve", s.discardPlate)
				r.Post("/start", s.startRun)
				r.Post("/end", s.endRun)
				r.Post("/empty", s.emptyPlate)
				r.Post("/take-back", s.takeBackPlate)
			})

			r.Get("/orders", s.orders)
			r.Get("/orders/{no}", s.order)
			r.Get("/orders/{no}/delivery", s.delivery)
			r.Get("/orders/{no}/packing-list.pdf", s.packingList)
			r.Get("/orders/{no}/labels.pdf", s.labels)
			r.Get("/orders/{no}/delivery-note.pdf", s.deliveryNote)
			r.Get("/clients", s.clients)
			r.Get("/clients/{id}", s.client)
			s.modelRoutes(r)

			if s.Opts.Demo != nil {
				r.Post("/demo/pass", s.passTime)
			}
			r.Group(s.ownerRoutes)
		})
	})
	return r
}

// ownerRoutes are changes of the owner: prices, clients, and the studio itself.
func (s *Server) ownerRoutes(r chi.Router) {
	r.Use(s.ownerOnly)
	r.Get("/orders/new", s.newOrder)
	r.Post("/orders", s.addOrder)
	r.Post("/orders/{no}/details", s.saveOrder)
	r.Post("/orders/{no}/repeat", s.repeatOrder)
	r.Post("/orders/{no}/cancel", s.cancelOrder)
	r.Post("/orders/{no}/items", s.addItems)
	r.Post("/orders/{no}/items/{item}", s.saveItem)
	r.Post("/orders/{no}/items/{item}/remove", s.removeItem)
	r.Post("/orders/{no}/points", s.addPoint)
	r.Post("/orders/{no}/points/{point}", s.settlePoint)
	r.Post("/orders/{no}/pictures", s.addPictures)
	r.Post("/orders/{no}/quote", s.sendQuote)
	s.quoteRoutes(r)
	r.Get("/orders/{no}/quotes/{rev}.pdf", s.quotePDF)
	r.Post("/orders/{no}/answer", s.noteAnswer)
	r.Post("/orders/{no}/payments", s.notePayment)
	r.Post("/orders/{no}/payments/{payment}/reverse", s.reversePayment)
	r.Post("/orders/{no}/seen", s.seeAnswer)
	r.Post("/orders/{no}/scrapped", s.settleScrapped)
	r.Post("/orders/{no}/deliver", s.deliver)
	r.Post("/orders/{no}/close", s.closeOrder)
	r.Post("/clients", s.saveClient)
	r.Post("/clients/{id}", s.saveClient)
	r.Get("/studio", s.studio)
	r.Post("/studio", s.saveStudio)
	r.Get("/studio/machines/{id}", s.machine)
	r.Post("/studio/machines/{id}", s.saveMachine)
	r.Get("/studio/materials/{id}", s.material)
	r.Post("/studio/materials/{id}", s.saveMaterial)
	r.Get("/studio/people/{id}", s.person)
	r.Post("/studio/people/{id}", s.savePerson)
	s.rateRoutes(r)
	s.ownerModelRoutes(r)
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
	w.Write([]byte("ok\n")) //nolint:errcheck // as above
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
		if r.URL.RawQuery != "" {
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		} else {
			w.Header().Set("Cache-Control", "public, max-age=3600")
		}
		files.ServeHTTP(w, r)
	})
}

type ctxKey int

const (
	keyRequestID ctxKey = iota
	KeyPerson
)

// identified gives every request an id, which its log line and any error page carry.
func (s *Server) identified(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := rand.Text()[:10]
		w.Header().Set("X-Request-Id", id)
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), keyRequestID, id)))
	})
}

func requestID(ctx context.Context) string {
	id, _ := ctx.Value(keyRequestID).(string)
	return id
}

// watched notes the status and length of an answer.
type watched struct {
	http.ResponseWriter
	status, bytes int
}

func (w *watched) WriteHeader(status int) {
	if w.status == 0 {
		w.status = status
	}
	w.ResponseWriter.WriteHeader(status)
}

func (w *watched) Write(b []byte) (int, error) {
	if w.status == 0 {
		w.status = http.StatusOK
	}
	n, err := w.ResponseWriter.Write(b)
	w.bytes += n
	return n, err
}

func (w *watched) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (s *Server) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		start := time.Now()
		ww := &watched{ResponseWriter: w}
		next.ServeHTTP(ww, r)
		path := r.URL.Path
		if len(path) > 3 && path[:3] == "/q/" {
			path = "/q/…" // the token is as good as a key
		}
		s.Log.Info("request", "id", requestID(r.Context()), "method", r.Method, "path", path,
			"status", ww.status, "bytes", ww.bytes, "ms", time.Since(start).Milliseconds())
	})
}

// recovered turns a panic into an error page that carries the request's id.
func (s *Server) recovered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if p := recover(); p != nil {
				if p == http.ErrAbortHandler {
					panic(p)
				}
				s.Log.Error("panic", "id", requestID(r.Context()), "panic", p, "stack", stack())
				s.errorPage(w, r, http.StatusInternalServerError, "Something in the program broke. What was saved before is still there.", requestID(r.Context()))
			}
		}()
		next.ServeHTTP(w, r)
	})
}

// secured sets the headers that keep foreign code out of the pages.
func secured(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "+
			"connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=()")
		h.Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

// isLoopback reports a host, with or without port, that is this machine.
func isLoopback(hostport string) bool {
	host, _, err := net.SplitHostPort(hostport)
	if err != nil {
		host = hostport
	}
	if host == "localhost" {
		return true
	}
	ip := net.ParseIP(trimBrackets(host))
	return ip != nil && ip.IsLoopback()
}

func trimBrackets(host string) string {
	if len(host) > 1 && host[0] == '[' {
		return host[1 : len(host)-1]
	}
	return host
}

// local reports a request that comes from this machine and speaks to it by a name
// of this machine, so that no foreign name can be pointed here.
func local(r *http.Request) bool { return isLoopback(r.RemoteAddr) && isLoopback(r.Host) }
