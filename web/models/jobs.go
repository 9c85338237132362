package models

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/studio"
	"sakuji/web/kit"
)

func (s *Room) cancelJob(w http.ResponseWriter, r *http.Request) {
	err := s.App.Jobs.CancelJob(r.Context(), kit.PathID(r, "id"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, kit.Back(r, "/models"), "")
}

// retryJob begins a job again that failed or was set aside.
func (s *Room) retryJob(w http.ResponseWriter, r *http.Request) {
	if err := s.App.Jobs.Retry(r.Context(), kit.PathID(r, "id")); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, kit.Back(r, "/models"), "")
}

// jobs streams how far jobs are, as server-sent events: "jobs" with the list drawn
// again at every change, and "over" when none runs any more.
func (s *Room) jobs(w http.ResponseWriter, r *http.Request) {
	key := chi.URLParam(r, "key")
	var load func() ([]studio.Job, error)
	view := kit.JobsView{}
	switch chi.URLParam(r, "of") {
	case "order":
		view.Back = "/orders/" + key
		load = func() ([]studio.Job, error) { return s.App.Jobs.JobsOfOrder(r.Context(), key) }
	case "model":
		view.Back = "/models/" + key
		load = func() ([]studio.Job, error) { return s.App.Jobs.JobsOfModel(r.Context(), kit.PathID(r, "key")) }
	case "shelf":
		view.Back = "/models"
		load = func() ([]studio.Job, error) { return s.App.Jobs.JobsOfShelf(r.Context()) }
	default:
		s.ErrorPage(w, r, http.StatusNotFound, "There is no such sheet.", "")
		return
	}
	view.Owner = kit.IsOwner(r)
	out := http.NewResponseController(w)
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	for {
		changed := s.App.Jobs.Changed()
		var err error
		if view.List, err = load(); err != nil {
			return
		}
		var b strings.Builder
		if err := s.Part(&b, "models", "joblist", view); err != nil {
			s.Log.Error("template", "err", err)
			return
		}
		fmt.Fprintf(w, "event: jobs\ndata: %s\n\n", strings.ReplaceAll(b.String(), "\n", " "))
		if !view.Open() {
			fmt.Fprint(w, "event: over\ndata: .\n\n")
		}
		if out.Flush() != nil || !view.Open() {
			return
		}
		select {
		case <-changed:
			time.Sleep(100 * time.Millisecond) // a picture of every step is not needed
		case <-time.After(15 * time.Second): // and a sign of life
		case <-r.Context().Done():
			return
		case <-s.Closing:
			return
		}
	}
}
