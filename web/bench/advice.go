package bench

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"sakuji/app/pieces"
	"sakuji/web/kit"
)

// advice is what to take for a piece now.
func (s *Room) advice(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[struct {
		Gap float64 `form:"gap" label:"Gap" validate:"gte=0,lte=100"`
	}](r)
	var sheet pieces.AdviceSheet
	if err == nil {
		sheet, err = s.App.Pieces.Advice(r.Context(), chi.URLParam(r, "code"), f.Gap)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "advice", kit.Page{Title: "What to take for " + sheet.Piece.Code, Sheet: "Advice", Active: "/bench", Bench: true, D: sheet,
		Block: kit.Block("Piece", sheet.Piece.Code), Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}
