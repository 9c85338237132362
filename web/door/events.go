package door

import (
	"fmt"
	"net/http"
	"time"

	"sakuji/web/kit"
)

// eventsEvery is how often it is looked whether something has happened.
const eventsEvery = 800 * time.Millisecond

// events tells a sheet when something has happened in the studio.
func (s *Room) events(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[struct {
		Since int64 `form:"since"` // what the sheet shows
	}](r)
	first := f.Since
	if err == nil && first == 0 {
		first, err = s.App.LastChange(r.Context())
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	out := http.NewResponseController(w)
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	fmt.Fprint(w, ": here\n\n")
	every := time.NewTicker(eventsEvery)
	defer every.Stop()
	for out.Flush() == nil {
		select {
		case <-r.Context().Done():
			return
		case <-s.Closing:
			return
		case <-every.C:
		}
		if last, err := s.App.LastChange(r.Context()); err != nil || last != first {
			fmt.Fprint(w, "event: changed\ndata: .\n\n")
			out.Flush() //nolint:errcheck // the reader has gone
			return
		}
	}
}
