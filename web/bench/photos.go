package bench

import (
	"encoding/json"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/pictures"
	"sakuji/app/pieces"
	"sakuji/store"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/papers"
)

// noPhoto says that a photograph is missing.
var noPhoto = change.Refuse("Take a photograph, or choose one. Nothing was saved.")

// asSeen keeps the photographs of a form as they are looked at.
func (s *Room) asSeen(w http.ResponseWriter, r *http.Request) (shas [][]string, err error) {
	return s.KeepPhotos(w, r, func() []pictures.Size { return []pictures.Size{pictures.AsSeen} })
}

// photograph keeps pictures of a piece.
func (s *Room) photograph(w http.ResponseWriter, r *http.Request) {
	code := chi.URLParam(r, "code")
	shas, err := s.KeepPhotos(w, r, func() []pictures.Size { // the form is read by then
		if r.PostFormValue("full") != "" {
			return []pictures.Size{pictures.AsSeen, pictures.AsSent}
		}
		return []pictures.Size{pictures.AsSeen}
	})
	var kept []pieces.KeptPhoto
	for _, of := range shas {
		k := pieces.KeptPhoto{SHA: of[0]}
		if len(of) > 1 {
			k.FullSHA = of[1]
		}
		kept = append(kept, k)
	}
	if err == nil && len(kept) == 0 {
		err = noPhoto
	}
	if err == nil {
		f, e := kit.Decode[struct {
			Text   string     `form:"text"`
			Queued kit.Queued `form:"queued"`
		}](r)
		if err = e; err == nil {
			err = s.App.Pieces.Photograph(r.Context(), s.Hand(r), code, kept, f.Text, s.When(r, kit.Moment{}, f.Queued))
		}
	}
	s.Ended(w, r, err, "/bench/"+code, code+" is photographed.")
}

// photoSheet is the photographs of a piece, some of them side by side.
func (s *Room) photoSheet(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[struct {
		Beside []int64 `form:"beside"`
	}](r)
	var sheet pieces.PhotoSheet
	if err == nil {
		sheet, err = s.App.Pieces.PhotoSheet(r.Context(), chi.URLParam(r, "code"), f.Beside)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "photos", kit.Page{Title: "Photographs of " + sheet.Piece.Code, Sheet: "Photographs", Active: "/bench", Bench: true, D: sheet,
		Block: kit.Block("Piece", sheet.Piece.Code), Keys: kit.Keys("↑ ↓", "move", "Enter", "open it", "F", "find")})
}

// photoView is one photograph, to be drawn on.
type photoView struct {
	pieces.PhotoSheet
	Photo studio.Photo
}

// StrokesJSON are what is drawn on it, for the browser.
func (v photoView) StrokesJSON() string {
	data, err := json.Marshal(v.Photo.Strokes)
	if err != nil || len(v.Photo.Strokes) == 0 {
		return "[]"
	}
	return string(data)
}

func (s *Room) photo(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Pieces.PhotoSheet(r.Context(), chi.URLParam(r, "code"), nil)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	one, ok := sheet.Photo(kit.PathID(r, "photo"))
	if !ok {
		s.Fail(w, r, store.ErrNotFound)
		return
	}
	s.Show(w, r, "photo", kit.Page{Title: "Photograph of " + sheet.Piece.Code, Sheet: "Photograph", Active: "/bench", Bench: true, D: photoView{sheet, one},
		Block: kit.Block("Piece", sheet.Piece.Code), Keys: kit.Keys("F", "find")})
}

func (s *Room) notePhoto(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Text    string `form:"text"`
		Offered bool   `form:"offered"`
	}](r)
	var strokes [][]studio.Spot
	if err == nil && json.Unmarshal([]byte(r.PostFormValue("strokes")), &strokes) != nil {
		err = change.Refuse("What was drawn did not arrive whole. Nothing was saved.")
	}
	code := chi.URLParam(r, "code")
	if err == nil {
		err = s.App.Pieces.NotePhotoText(r.Context(), s.Hand(r), code, kit.PathID(r, "photo"), f.Text, strokes, f.Offered)
	}
	s.Ended(w, r, err, fmt.Sprintf("/bench/%s/photos/%d", code, kit.PathID(r, "photo")), "It is kept.")
}

// contact is the contact sheet of an order.
func (s *Room) contact(w http.ResponseWriter, r *http.Request) {
	list, err := s.App.Pieces.Contact(r.Context(), chi.URLParam(r, "order"), r.FormValue("public") != "")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var frames []papers.Frame
	for _, p := range list.Photos {
		text := list.Codes[p.PieceID] + ", " + p.At.In(h.Studio.Zone()).Format("2 Jan 15:04")
		if p.Stage != "" {
			text += ", after " + p.Stage.Traits().Name
		}
		if p.Text != "" {
			text += ": " + p.Text
		}
		frames = append(frames, papers.Frame{JPEG: s.Photo(r, p.SHA), Text: text, Strokes: p.Strokes})
	}
	data, err := papers.Contact(list.Order.Number+", "+list.Order.Title, h.Studio.Name, frames, s.App.Clock.Now().In(h.Studio.Zone()))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kit.Write(w, "application/pdf", "photographs-"+list.Order.Number+".pdf", data)
}
