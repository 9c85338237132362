package bench

import (
	"io"
	"maps"
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/format/photo"
	"sakuji/web/kit"
)

// noPhoto says that a photograph is missing.
var noPhoto = change.Refuse("Take a photograph, or choose one. Nothing was saved.")

// photos reads the photographs of a form: from the tablet's camera, or from its files.
func photos(w http.ResponseWriter, r *http.Request) (list [][]byte, err error) {
	files, clean, err := kit.UploadsBy(w, r, "photo")
	defer clean()
	for _, k := range slices.Sorted(maps.Keys(files)) {
		if err != nil {
			break
		}
		f, e := files[k].Open()
		if err = e; err != nil {
			break
		}
		data, e := io.ReadAll(io.LimitReader(f, photo.MostBytes+1))
		f.Close()
		list, err = append(list, data), e
	}
	return list, err
}

// photograph keeps pictures of a piece.
func (s *Room) photograph(w http.ResponseWriter, r *http.Request) {
	code := chi.URLParam(r, "code")
	pictures, err := photos(w, r)
	var shas []string
	for _, data := range pictures {
		if err == nil {
			var sha string
			sha, err = s.App.Pieces.KeepPhoto(data)
			shas = append(shas, sha)
		}
	}
	if err == nil && len(shas) == 0 {
		err = noPhoto
	}
	if err == nil {
		err = s.App.Pieces.Photograph(r.Context(), s.Hand(r), code, shas, r.PostFormValue("text"))
	}
	s.Ended(w, r, err, "/bench/"+code, code+" is photographed.")
}
