package kit

import (
	"context"
	"crypto/rand"
	"net"
	"net/http"
	"regexp"
	"runtime/debug"
	"time"

	"github.com/go-chi/chi/v5/middleware"
)

type ctxKey int

// KeyPerson is under what the request's context knows who is signed in.
const KeyPerson ctxKey = iota

// Identified gives every request an id of the server's own, which its log line and any
// error page carry.
func Identified(next http.Handler) http.Handler {
	next = middleware.RequestID(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := rand.Text()[:10] // never what the browser says, and nothing that names the machine
		r.Header.Set(middleware.RequestIDHeader, id)
		w.Header().Set(middleware.RequestIDHeader, id)
		next.ServeHTTP(w, r)
	})
}

// RequestID is a request's id.
func RequestID(ctx context.Context) string { return middleware.GetReqID(ctx) }

// Logged writes a line for every request.
func (s *Kit) Logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		start := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		path := openPath(r.URL.Path)
		s.Log.Info("request", "id", RequestID(r.Context()), "method", r.Method, "path", path,
			"status", ww.Status(), "bytes", ww.BytesWritten(), "ms", time.Since(start).Milliseconds())
	})
}

// secretAt is where the secret of a client's link or of a calendar stands in an address, however that is written.
var secretAt = regexp.MustCompile(`(?i)/(q|feed)/+[^/]+`)

// openPath is an address without the secret of a client's link or of a calendar, which is as good as a key.
func openPath(path string) string { return secretAt.ReplaceAllString(path, "/$1/…") }

// Recovered turns a panic into an error page that carries the request's id.
func (s *Kit) Recovered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if p := recover(); p != nil {
				if p == http.ErrAbortHandler {
					panic(p)
				}
				s.Log.Error("panic", "id", RequestID(r.Context()), "panic", p, "stack", string(debug.Stack()))
				s.ErrorPage(w, r, http.StatusInternalServerError, "Something in the program broke. What was saved before is still there.", RequestID(r.Context()))
			}
		}()
		next.ServeHTTP(w, r)
	})
}

// Secured sets the headers that keep foreign code out of the pages.
func Secured(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "+
			"connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(self), microphone=(), geolocation=()")
		h.Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

// SameOrigin turns away what another site has a browser send.
func (s *Kit) SameOrigin(next http.Handler) http.Handler {
	check := http.NewCrossOriginProtection()
	check.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		s.ErrorPage(w, r, http.StatusForbidden, "That came from another site; nothing was changed.", "")
	}))
	return check.Handler(next)
}

// Proxied lets a proxy on this machine say who asks; anybody else's word is not taken.
func Proxied(next http.Handler) http.Handler {
	return middleware.ClientIPFromXFF("127.0.0.0/8", "::1/128")(next)
}

// AddressOf is the network address a request comes from.
func AddressOf(r *http.Request) string {
	if ip := middleware.GetClientIP(r.Context()); ip != "" {
		return ip
	}
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// IsLoopback reports a host, with or without port, that is this machine.
func IsLoopback(hostport string) bool {
	host, _, err := net.SplitHostPort(hostport)
	if err != nil {
		host = hostport
	}
	if host == "localhost" {
		return true
	}
	if len(host) > 1 && host[0] == '[' {
		host = host[1 : len(host)-1]
	}
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback()
}

// Local reports a request that comes from this machine and speaks to it by a name
// of this machine, so that no foreign name can be pointed here.
func Local(r *http.Request) bool { return IsLoopback(AddressOf(r)) && IsLoopback(r.Host) }
