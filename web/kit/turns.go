package kit

import (
	"net/http"
	"runtime"
	"sync"
	"time"
)

// longestTurn is how long one sheet keeps others waiting; what takes longer goes on beside
// them.
const longestTurn = time.Second

// newTurns is room for one more sheet than can be worked on, so that none waits while one of
// them is with the database.
func newTurns() chan struct{} { return make(chan struct{}, runtime.GOMAXPROCS(0)+1) }

// InTurn lets as many sheets be made at once as the machine has room for, and the rest wait
// in the order they came: each takes no longer for it, and a stamp, which does not wait, is
// not slowed by fifty tablets that look.
func (s *Kit) InTurn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			next.ServeHTTP(w, r)
			return
		}
		select {
		case s.turns <- struct{}{}:
		case <-r.Context().Done():
			return
		}
		over := sync.OnceFunc(func() { <-s.turns })
		defer over()
		defer time.AfterFunc(longestTurn, over).Stop()
		next.ServeHTTP(&turn{w, over}, r)
	})
}

// turn is over as soon as there is something to send: a slow reader keeps nobody waiting.
type turn struct {
	http.ResponseWriter
	over func()
}

func (t *turn) WriteHeader(code int) {
	t.over()
	t.ResponseWriter.WriteHeader(code)
}

func (t *turn) Write(b []byte) (int, error) {
	t.over()
	return t.ResponseWriter.Write(b)
}

// Unwrap is for http.ResponseController.
func (t *turn) Unwrap() http.ResponseWriter { return t.ResponseWriter }
