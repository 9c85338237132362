package kit

import (
	"context"
	"net/http"
	"net/http/httptest"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// Of many who look only some are served at a time; who changes something does not wait, nor
// does anybody wait for a slow reader or for somebody who has gone.
func TestSheetsAreMadeInTurn(t *testing.T) {
	s := &Kit{turns: newTurns()}
	room := cap(s.turns)
	var within, most atomic.Int64
	begun, end := make(chan struct{}, 100), make(chan struct{})
	h := s.InTurn(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/slow":
			w.WriteHeader(http.StatusOK) // from here on it only sends
			begun <- struct{}{}
			<-end
		case "/sheet":
			n := within.Add(1)
			for old := most.Load(); n > old && !most.CompareAndSwap(old, n); old = most.Load() {
			}
			time.Sleep(2 * time.Millisecond)
			within.Add(-1)
		case "/hold":
			begun <- struct{}{}
			<-end
		}
	}))
	ask := func(ctx context.Context, method, path string) {
		h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(method, path, nil).WithContext(ctx))
	}
	var all, rest sync.WaitGroup
	for range 2 * room {
		rest.Go(func() { ask(t.Context(), http.MethodGet, "/slow") })
	}
	for range 2 * room {
		<-begun
	}
	for range 10 * room {
		all.Go(func() { ask(t.Context(), http.MethodGet, "/sheet") })
	}
	all.Wait()
	assert.EqualValues(t, room, most.Load())

	for range room {
		rest.Go(func() { ask(t.Context(), http.MethodGet, "/hold") })
		<-begun
	}
	start := time.Now()
	ask(t.Context(), http.MethodPost, "/sheet")
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	ask(gone, http.MethodGet, "/sheet")
	assert.Less(t, time.Since(start), longestTurn/2)
	ask(t.Context(), http.MethodGet, "/sheet")
	assert.Greater(t, time.Since(start), longestTurn/2, "a sheet waits, but not for ever")
	assert.Less(t, time.Since(start), 3*longestTurn)
	close(end)
	rest.Wait()
	assert.Empty(t, s.turns)
}
