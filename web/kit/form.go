package kit

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/core/rates"
	"sakuji/studio"
)

// Form reads a posted form and remembers what is wrong with it, once for each field.
type Form struct {
	R     *http.Request
	Query bool // what stands in the address counts, too
	Err   error
}

func FormOf(r *http.Request) *Form { return &Form{R: r} }

// Wrong says what is wrong with a field. The first word on each counts.
func (f *Form) Wrong(field, format string, args ...any) {
	refusal, _ := f.Err.(*change.Refusal)
	if refusal == nil {
		refusal = &change.Refusal{}
		f.Err = refusal
	}
	if slices.ContainsFunc(refusal.Fields, func(w rates.Wrong) bool { return w.Field == field }) {
		return
	}
	text := fmt.Sprintf(format, args...)
	refusal.Fields = append(refusal.Fields, rates.Wrong{Field: field, Text: text})
	refusal.Text = strings.TrimSpace(refusal.Text + " " + text)
}

func (f *Form) Text(name string) string {
	if f.Query {
		return strings.TrimSpace(f.R.FormValue(name))
	}
	return strings.TrimSpace(f.R.PostFormValue(name))
}

func (f *Form) Checked(name string) bool { return f.Text(name) != "" }

// Number reads a number with point or comma; what names it in a refusal.
func (f *Form) Number(name, what string) float64 {
	text := f.Text(name)
	v, err := studio.ParseNumber(text)
	if err != nil {
		f.Wrong(name, "%s: %s.", what, err)
		return 0
	}
	return v
}

func (f *Form) ID(name string) int64 {
	id, _ := strconv.ParseInt(f.Text(name), 10, 64)
	return id
}

// Moment reads day and time of a field in the studio's zone; empty is the zero time.
func (f *Form) Moment(name, what string, zone *time.Location) time.Time {
	t, err := MomentOf(f.Text(name), name, what, zone)
	if err != nil {
		f.Wrong(name, "%s", err)
	}
	return t
}

// MomentOf reads what a field of day and time has sent; empty is the zero time.
func MomentOf(text, field, what string, zone *time.Location) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	for _, layout := range []string{"2006-01-02T15:04", "2006-01-02T15:04:05", time.DateOnly} {
		if t, err := time.ParseInLocation(layout, text, zone); err == nil {
			return t, nil
		}
	}
	return time.Time{}, change.RefuseField(field, "%s: %q is not a day and time.", what, text)
}

// PathID reads a number from the address; 0 when it is none.
func PathID(r *http.Request, name string) int64 {
	id, _ := strconv.ParseInt(chi.URLParam(r, name), 10, 64)
	return id
}

// MaxRequestBytes bounds all files of one upload together.
const MaxRequestBytes = 1 << 30

// Uploads reads the files of a multipart form; what is over a few megabytes lies on
// disk meanwhile. Call the returned func when they were read.
func Uploads(w http.ResponseWriter, r *http.Request, field string) (files []models.Upload, clean func(), err error) {
	r.Body = http.MaxBytesReader(w, r.Body, MaxRequestBytes)
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

// ChosenOf reads which of what was offered is meant.
func ChosenOf(f *Form, r *http.Request) (c studio.Chosen) {
	c.Alternative, _ = strconv.Atoi(f.Text("alternative"))
	options := r.PostForm["option"]
	if f.Query {
		options = r.Form["option"]
	}
	for _, text := range options {
		if id, err := strconv.ParseInt(text, 10, 64); err == nil {
			c.Options = append(c.Options, id)
		}
	}
	return c
}

// JustNow lets a field that was left as it stood mean now: it has no seconds.
func (s *Kit) JustNow(at time.Time) time.Time {
	if d := s.App.Clock.Now().Sub(at); d < 0 && d > -time.Minute || at.IsZero() {
		return time.Time{}
	}
	return at
}
