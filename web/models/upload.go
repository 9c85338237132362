package models

import (
	"net/http"
	"net/url"

	"sakuji/app/models"
	"sakuji/web/kit"
)

func (s *Room) addModels(w http.ResponseWriter, r *http.Request) {
	s.TakeFiles(w, r, "/models", func(files []models.Kept, _ url.Values) (string, error) {
		return s.App.Orders.Receive(r.Context(), kit.Owner(r), "", files, true)
	})
}
