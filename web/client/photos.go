package client

import (
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"

	"sakuji/studio"
	"sakuji/web/kit"
)

// clientPhoto is a photograph that the client is shown.
func (s *Room) clientPhoto(w http.ResponseWriter, r *http.Request) {
	q, ok := s.clientSheet(w, r)
	if !ok {
		return
	}
	id := kit.PathID(r, "photo")
	at := slices.IndexFunc(q.Photos, func(p studio.Photo) bool { return p.ID == id })
	if at < 0 {
		s.ErrorPage(w, r, http.StatusNotFound, "There is no such picture.", "")
		return
	}
	s.SendPhoto(w, r, q.Photos[at].SHA)
}

// allowPhotos notes which photographs the client allows everybody to see.
func (s *Room) allowPhotos(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		By    string  `form:"by"`
		Allow []int64 `form:"allow"`
	}](r)
	token := chi.URLParam(r, "token")
	if err == nil {
		err = s.App.Quotes.AllowPhotos(r.Context(), token, f.By, f.Allow)
	}
	told := "Nobody else sees them."
	if len(f.Allow) > 0 {
		told = "Thank you. Everybody may see " + studio.Say(len(f.Allow), "photograph") + "; you may take that back here."
	}
	s.Ended(w, r, err, "/q/"+token, told)
}

// shown is what everybody may see: the photographs that clients have allowed.
func (s *Room) shown(w http.ResponseWriter, r *http.Request) {
	list, st, err := s.App.Pieces.Public(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, http.StatusOK, "shown", "bare", kit.Page{Title: "Shown by " + st.Name, D: list, Studio: st, Now: s.App.Clock.Now(), Theme: kit.Theme(r)})
}

func (s *Room) shownPhoto(w http.ResponseWriter, r *http.Request) {
	list, _, err := s.App.Pieces.Public(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	id := kit.PathID(r, "photo")
	for _, p := range list {
		if p.ID == id {
			s.SendPhoto(w, r, p.SHA)
			return
		}
	}
	s.ErrorPage(w, r, http.StatusNotFound, "There is no such picture.", "")
}
