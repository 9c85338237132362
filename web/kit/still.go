package kit

import (
	"errors"
	"io"
	"net/http"
	"time"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/store"
	"sakuji/web/papers"
)

// Forever tells browsers that what they got never changes.
func Forever(w http.ResponseWriter) {
	w.Header().Set("Cache-Control", "private, max-age=31536000, immutable")
}

func (s *Kit) SendStill(w http.ResponseWriter, r *http.Request, sha string) {
	picture, err := s.App.Models.Still(r.Context(), sha)
	if errors.Is(err, jobs.ErrUnderway) { // a close look draws it, too
		w.Header().Set("Retry-After", "5")
		w.WriteHeader(http.StatusServiceUnavailable)
		return
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	Forever(w)
	w.Header().Set("Content-Type", "image/png")
	w.Write(picture) //nolint:errcheck // the reader has gone
}

// Stills are the pictures that papers show.
func (s *Kit) Stills(r *http.Request) papers.Stills {
	return func(sha string) []byte {
		picture, err := s.App.Models.Still(r.Context(), sha)
		if err != nil && !change.NotFound(err) {
			s.Log.Error("still", "id", RequestID(r.Context()), "err", err)
		}
		return picture
	}
}

// SendPhoto answers with a photograph that was kept.
func (s *Kit) SendPhoto(w http.ResponseWriter, r *http.Request, sha string) {
	f, kind, err := s.App.Models.File(r.Context(), sha)
	if err == nil && kind == "" {
		f.Close()
		err = store.ErrNotFound
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	defer f.Close()
	w.Header().Set("Cache-Control", "private, max-age=3600")
	w.Header().Set("Content-Type", kind)
	http.ServeContent(w, r, "", time.Time{}, f)
}

// Photo reads a photograph that was kept; nothing where it cannot be read.
func (s *Kit) Photo(r *http.Request, sha string) []byte {
	f, _, err := s.App.Models.File(r.Context(), sha)
	if err != nil {
		return nil
	}
	defer f.Close()
	data, err := io.ReadAll(f)
	if err != nil {
		return nil
	}
	return data
}
