package models

import (
	"cmp"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

// file gives a stored file back under its name: a picture to look at, anything else, papers of others too, to save.
func (s *Room) file(w http.ResponseWriter, r *http.Request) {
	sha, name := chi.URLParam(r, "sha"), chi.URLParam(r, "name")
	f, kind, err := s.App.Models.File(r.Context(), sha)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "private, max-age=86400")
	if !strings.HasPrefix(kind, "image/") {
		kind = cmp.Or(kind, "application/octet-stream")
		w.Header().Set("Content-Disposition", kit.Disposition("attachment", name))
	}
	w.Header().Set("Content-Type", kind)
	http.ServeContent(w, r, "", info.ModTime(), f)
}
