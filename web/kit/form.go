package kit

import (
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/studio"
)

// Word reads the only field of a posted form; how long it may be is the rule's that takes it.
func Word(r *http.Request, name string) string { return strings.TrimSpace(r.PostFormValue(name)) }

// PathID reads a number from the address; 0 when it is none.
func PathID(r *http.Request, name string) int64 {
	id, _ := strconv.ParseInt(chi.URLParam(r, name), 10, 64)
	return id
}

// Uploads reads the files of a multipart form; what is over a few megabytes lies on
// disk meanwhile. Call the returned func when they were read.
func Uploads(w http.ResponseWriter, r *http.Request, field string) (files []models.Upload, clean func(), err error) {
	takeFiles(r)
	if err := r.ParseMultipartForm(8 << 20); err != nil {
		return nil, func() {}, uploadError(err)
	}
	for _, h := range r.MultipartForm.File[field] {
		if h.Size > 0 || h.Filename != "" {
			files = append(files, models.Upload{Name: h.Filename, Open: opener(h)})
		}
	}
	return files, func() { r.MultipartForm.RemoveAll() }, nil //nolint:errcheck // the system clears its temporary files too
}

// UploadsBy reads the files of a multipart form whose fields are named alike, photo[7], by what stands
// in the brackets; none of a form that is not multipart.
func UploadsBy(w http.ResponseWriter, r *http.Request, field string) (files map[string]models.Upload, clean func(), err error) {
	if !strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/") {
		return nil, func() {}, nil
	}
	if _, clean, err = Uploads(w, r, field); err != nil {
		return nil, clean, err
	}
	files = map[string]models.Upload{}
	for name, list := range r.MultipartForm.File {
		if key, ok := strings.CutPrefix(name, field+"["); ok && len(list) > 0 && list[0].Size > 0 {
			files[strings.TrimSuffix(key, "]")] = models.Upload{Name: list[0].Filename, Open: opener(list[0])}
		}
	}
	return files, clean, nil
}

func uploadError(err error) error {
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return err
	}
	return &change.Refusal{Text: "The upload broke off before it was complete; nothing of it was kept. Send it again."}
}

func opener(h *multipart.FileHeader) func() (io.ReadCloser, error) {
	return func() (io.ReadCloser, error) { return h.Open() }
}

// ChosenForm is which of what was offered is meant.
type ChosenForm struct {
	Alternative int     `form:"alternative"`
	Options     []int64 `form:"option"`
}

// Chosen is the same for the quote.
func (f ChosenForm) Chosen() studio.Chosen {
	return studio.Chosen{Alternative: f.Alternative, Options: f.Options}
}

// Queued is when a form was sent that had to wait on a tablet for the network, in milliseconds; it counts where
// nothing else says when a thing was done.
type Queued int64

// When is when something was done: as the form says, or when it was sent on a tablet without a network; zero: now.
func (s *Kit) When(r *http.Request, m Moment, q Queued) time.Time {
	if at := s.JustNow(r, m); !at.IsZero() || q <= 0 {
		return at
	}
	if at := time.UnixMilli(int64(q)); at.Before(s.App.Clock.Now()) {
		return at.In(s.Zone(r))
	}
	return time.Time{}
}

// JustNow is a moment in the studio's zone; a field that was left as it stood means now, for
// it has no seconds.
func (s *Kit) JustNow(r *http.Request, m Moment) time.Time {
	at := m.In(s.Zone(r))
	if d := s.App.Clock.Now().Sub(at); d < 0 && d > -time.Minute || at.IsZero() {
		return time.Time{}
	}
	return at
}
