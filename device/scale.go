package device

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"strconv"
	"sync"
	"time"
)

// Weight is what a scale answers to GET /weight.
type Weight struct {
	Grams  float64 `json:"grams"`
	Stable bool    `json:"stable"` // it has come to rest
}

// What is believed of a scale, and how long it is waited for. Source: from memory.
const (
	scalePatience = 3 * time.Second
	mostWeightG   = 100_000
)

// Weigh asks a scale what lies on it.
func Weigh(ctx context.Context, link string) (grams float64, err error) {
	if link == "" {
		return 0, errors.New("no scale is set up")
	}
	ctx, stop := context.WithTimeout(ctx, scalePatience)
	defer stop()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, link+"/weight", nil)
	if err != nil {
		return 0, err
	}
	answer, err := client.Do(request)
	if err != nil {
		return 0, fmt.Errorf("the scale does not answer at %s", link)
	}
	defer answer.Body.Close()
	var w Weight
	if answer.StatusCode != http.StatusOK || json.NewDecoder(io.LimitReader(answer.Body, 4096)).Decode(&w) != nil {
		return 0, fmt.Errorf("what answers at %s is no scale", link)
	}
	switch {
	case !w.Stable:
		return 0, errors.New("the scale has not come to rest")
	case !(w.Grams >= 0 && w.Grams <= mostWeightG):
		return 0, fmt.Errorf("the scale shows %g g: set it to zero", w.Grams)
	}
	return w.Grams, nil
}

// SimulatedScale is a stand-in for a scale: GET /weight; and, as no real one does, POST /put?grams=N puts
// something on it. For a moment after that it is not at rest, and it shows a little off.
type SimulatedScale struct {
	RestS float64 // until it is at rest
	OffG  float64 // by how much it is off at most

	mu    sync.Mutex
	grams float64
	since time.Time
}

func (s *SimulatedScale) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch r.Method + " " + r.URL.Path {
	case "GET /weight":
		w.Header().Set("Content-Type", "application/json")
		json.NewEncoder(w).Encode(Weight{s.grams + s.OffG*(2*rand.Float64()-1), time.Since(s.since).Seconds() >= s.RestS}) //nolint:errcheck // the reader may have gone
	case "POST /put":
		g, err := strconv.ParseFloat(r.FormValue("grams"), 64)
		if err != nil {
			http.Error(w, "grams: a number", http.StatusBadRequest)
			return
		}
		s.grams, s.since = g, time.Now()
	default:
		http.NotFound(w, r)
	}
}
