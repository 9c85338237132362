package bench

import (
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

func (s *Room) flaw(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Pieces.Flaw(r.Context(), chi.URLParam(r, "code"), r.FormValue("is"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "flaw", kit.Page{Title: "Something is wrong with " + sheet.Piece.Code, Sheet: "Flaw", Active: "/bench", Bench: true, D: sheet,
		Block: kit.Block("Piece", sheet.Piece.Code), Keys: kit.Keys("↑ ↓", "move", "Enter", "choose it", "F", "find")})
}

func (s *Room) noteFlaw(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Kind    string  `form:"kind"`
		Cause   string  `form:"cause"`
		Text    string  `form:"text"`
		Verdict string  `form:"verdict"`
		BackTo  string  `form:"back_to"`
		Remedy  string  `form:"remedy"`
		Minutes float64 `form:"minutes" label:"Minutes"`
		Grams   float64 `form:"grams" label:"Grams"`
		Picture string  `form:"picture"`
		X       string  `form:"x"`
		Y       string  `form:"y"`
		Shown   string  `form:"shown"`
	}](r)
	code := chi.URLParam(r, "code")
	if err == nil {
		flaw := studio.Flaw{Kind: f.Kind, Cause: f.Cause, Text: f.Text, Verdict: f.Verdict, Remedy: f.Remedy, Minutes: f.Minutes, Grams: f.Grams}
		if f.Verdict == studio.FlawBack {
			flaw.BackTo = route.StageKind(f.BackTo)
		}
		if _, e := fmt.Sscan(f.X+" "+f.Y, &flaw.X, &flaw.Y); e == nil {
			flaw.Marked = true
			if f.Picture != "model" {
				flaw.PhotoSHA = f.Picture
			}
		}
		err = s.App.Pieces.NoteFlaw(r.Context(), s.Hand(r), code, flaw, f.Shown)
	}
	told := "Noted."
	if f.Verdict == studio.FlawBack {
		told = code + " is sent back."
	}
	s.Ended(w, r, err, "/bench/"+code, told)
}

func (s *Room) problems(w http.ResponseWriter, r *http.Request) {
	book, err := s.App.Pieces.Problems(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	n := 0
	for _, p := range book.Problems {
		n += p.Times
	}
	s.Show(w, r, "problems", kit.Page{Title: "Problem book", Sheet: "Problem book", Active: "/bench", Bench: true, D: book,
		Block: kit.Block("Written down", fmt.Sprint(n)), Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}
