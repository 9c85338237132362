package kit

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"time"

	"sakuji/app/change"
)

// Every body has a limit of its kind, counted before anything of it is read, and a deadline
// that moves on with what arrives. Files are taken only where a sheet takes them. Source of
// the figures: from memory.
const (
	maxFormBytes   = 1 << 20
	usualPatience  = 20 * time.Second // for the first byte, and on top of the slowest line
	slowestPerS    = 4 << 10          // bytes: slower than that nobody sends
	deadlineEvery  = time.Second
	maxDeadlineFor = 12 * time.Hour
)

// MaxRequestBytes bounds all files of one upload together.
const MaxRequestBytes = 1 << 30

// errNoFiles is what a form of files meets where none are taken.
var errNoFiles = &change.Refusal{Text: "No files are taken here."}

// body is a request's, while it arrives.
type body struct {
	io.ReadCloser
	line    *http.ResponseController
	files   bool // it brings files
	taken   bool // and the sheet takes them
	left    int64
	read    int64
	begin   time.Time
	renewed time.Time

	patience time.Duration
}

// Bounded bounds the body of every request.
func (s *Kit) Bounded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Body == nil || r.Body == http.NoBody {
			next.ServeHTTP(w, r)
			return
		}
		kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type"))
		b := &body{ReadCloser: r.Body, line: http.NewResponseController(w), files: kind == "multipart/form-data", left: maxFormBytes, begin: time.Now(), patience: cmp.Or(s.Opts.Patience, usualPatience)}
		if !b.files && r.ContentLength > maxFormBytes {
			w.Header().Set("Connection", "close")
			s.ErrorPage(w, r, http.StatusRequestEntityTooLarge, fmt.Sprintf("A form is at most %d kB. Nothing was saved.", maxFormBytes>>10), "")
			return
		}
		r.Body = b
		next.ServeHTTP(w, r)
	})
}

// takeFiles says that a sheet takes the files of a request.
func takeFiles(r *http.Request) {
	if b, ok := r.Body.(*body); ok {
		b.taken, b.left = true, MaxRequestBytes
	}
}

func (b *body) Read(p []byte) (n int, err error) {
	switch {
	case b.files && !b.taken:
		return 0, errNoFiles
	case b.left <= 0:
		if n, err := b.ReadCloser.Read(make([]byte, 1)); n == 0 && errors.Is(err, io.EOF) {
			return 0, err
		}
		return 0, &http.MaxBytesError{Limit: b.read}
	}
	if now := time.Now(); now.Sub(b.renewed) > deadlineEvery {
		b.renewed = now
		until := min(maxDeadlineFor, b.patience+time.Duration(b.read/slowestPerS)*time.Second)
		_ = b.line.SetReadDeadline(b.begin.Add(until)) // a line that has none is not the network's
	}
	n, err = b.ReadCloser.Read(p[:min(int64(len(p)), b.left)])
	b.read, b.left = b.read+int64(n), b.left-int64(n)
	if errors.Is(err, io.EOF) { // all of it: the answer may take its time
		_ = b.line.SetReadDeadline(time.Time{})
	}
	return n, err
}
