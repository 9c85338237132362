package device

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"sync"
	"time"
)

// What is believed of a label printer, and how long it is waited for. Source: from memory.
const (
	labelPatience  = 5 * time.Second
	mostLabelBytes = 1 << 20
)

// PrintLabel sends a label to a printer: POST /print with a page of the label's size, application/pdf [published: ISO 32000].
func PrintLabel(ctx context.Context, link string, pdf []byte) error {
	ctx, stop := context.WithTimeout(ctx, labelPatience)
	defer stop()
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, link+"/print", bytes.NewReader(pdf))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/pdf")
	answer, err := client.Do(request)
	if err != nil {
		return fmt.Errorf("the label printer does not answer at %s", link)
	}
	defer answer.Body.Close()
	if answer.StatusCode < 200 || answer.StatusCode > 299 {
		why, _ := io.ReadAll(io.LimitReader(answer.Body, 200))
		return fmt.Errorf("the label printer refused it: %s", words(string(why), longestReason))
	}
	return nil
}

// SimulatedLabels is a stand-in for a label printer: POST /print takes a PDF; GET /last gives the last one back, as no real
// one does. It runs out of labels after Roll of them; 0: never.
type SimulatedLabels struct {
	Roll int

	mu      sync.Mutex
	printed int
	last    []byte
}

// Printed is how many it has printed.
func (s *SimulatedLabels) Printed() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.printed
}

func (s *SimulatedLabels) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch r.Method + " " + r.URL.Path {
	case "POST /print":
		data, err := io.ReadAll(io.LimitReader(r.Body, mostLabelBytes))
		switch {
		case err != nil || !bytes.HasPrefix(data, []byte("%PDF")):
			http.Error(w, "that is no label", http.StatusUnsupportedMediaType)
		case s.Roll > 0 && s.printed >= s.Roll:
			http.Error(w, "the roll is empty", http.StatusConflict)
		default:
			s.printed, s.last = s.printed+1, data
		}
	case "GET /last":
		w.Header().Set("Content-Type", "application/pdf")
		w.Write(s.last) //nolint:errcheck // the reader may have gone
	default:
		http.NotFound(w, r)
	}
}
