package kit

import (
	"maps"
	"net/http"
	"slices"

	"sakuji/app/models"
	"sakuji/app/pictures"
)

// KeepPicture keeps a picture that a form brings, in each of several sizes, and says under which names.
func (s *Kit) KeepPicture(r *http.Request, u models.Upload, sizes ...pictures.Size) (shas []string, err error) {
	f, err := u.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return s.App.Pictures.KeepEach(r.Context(), models.FileName(u.Name), f, sizes...)
}

// KeepPhotos keeps the photographs of a form, from a tablet's camera or its files, each in each of several sizes, and says
// under which names.
func (s *Kit) KeepPhotos(w http.ResponseWriter, r *http.Request, sizes func() []pictures.Size) (shas [][]string, err error) {
	files, clean, err := UploadsBy(w, r, "photo")
	defer clean()
	if err == nil {
		err = s.theirOwn(r)
	}
	if err != nil {
		return nil, err
	}
	for _, k := range slices.Sorted(maps.Keys(files)) {
		kept, err := s.KeepPicture(r, files[k], sizes()...)
		if err != nil {
			return nil, err
		}
		shas = append(shas, kept)
	}
	return shas, nil
}
