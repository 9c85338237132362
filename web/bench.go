package web

import (
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/pieces"
	"sakuji/core/route"
	"sakuji/studio"
)

// benchView is the bench with the hands that may be chosen.
type benchView struct {
	pieces.BenchSheet
	People []studio.Person
	Marks  []route.StageKind
}

// First is the stage of the first piece whose stage carries a caution.
func (v benchView) First() route.StageKind {
	for _, r := range v.Rows {
		if now := r.Now(); now != nil && now.Kind.Manner().Caution != "" {
			return now.Kind
		}
	}
	return ""
}

func (s *Server) bench(w http.ResponseWriter, r *http.Request) {
	if code := r.FormValue("code"); code != "" { // a label typed or scanned
		switch p, err := s.App.Pieces.Piece(r.Context(), code); {
		case err == nil:
			http.Redirect(w, r, "/bench/"+p.Code, http.StatusSeeOther)
		case change.NotFound(err):
			s.refuse(w, r, "No piece has the label "+code+".")
		default:
			s.fail(w, r, err)
		}
		return
	}
	sheet, err := s.App.Pieces.Bench(r.Context(), r.FormValue("show"), r.FormValue("order"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	people, err := s.hands(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.show(w, r, "bench", Page{Title: "On the bench", Sheet: "Bench", Active: "/bench", Bench: true, D: benchView{sheet, people, route.All()},
		Keys: []Key{{"↑ ↓", "move"}, {"Enter", "take it"}, {"L", "type a label"}, {"F", "find"}}})
}

func (s *Server) hands(r *http.Request) (active []studio.Person, err error) {
	people, err := s.App.Setup.People(r.Context())
	for _, p := range people {
		if p.Active {
			active = append(active, p)
		}
	}
	return active, err
}

// chooseHand sets whose initials the next stamps carry, without signing out.
func (s *Server) chooseHand(w http.ResponseWriter, r *http.Request) {
	p, err := s.App.Setup.Person(r.Context(), formOf(r).ID("hand"))
	if err == nil && !p.Active {
		err = &change.Refusal{Text: p.Name + " no longer works here."}
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.Sessions.Put(r.Context(), "hand", p.ID)
	s.done(w, r, back(r, "/bench"), p.Name+" stamps now.")
}

// pieceView is a piece with the hands that may be chosen.
type pieceView struct {
	pieces.PieceSheet
	People []studio.Person
}

// Kind is the stage that is next, or none.
func (v pieceView) Kind() route.StageKind {
	if now := v.Piece.Now(); now != nil {
		return now.Kind
	}
	return ""
}

func (s *Server) piece(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Pieces.Piece(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	people, err := s.hands(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.show(w, r, "piece", Page{Title: sheet.Piece.Code, Sheet: sheet.Piece.Code, Active: "/bench", Bench: true, D: pieceView{sheet, people},
		Block: []Field{{"Order", sheet.Order.Number}, {"Try", strconv.Itoa(sheet.Attempt)}},
		Keys:  []Key{{"S", "stamp"}, {"B", "send back"}, {"N", "next piece"}, {"U", "take back"}}})
}

func (s *Server) stamp(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	st := studio.Stamp{Minutes: -1, Note: f.Text("note"), Early: f.Checked("early"), Shown: f.Text("shown")}
	if f.Checked("minutes") {
		st.Minutes = f.Number("minutes", "Minutes")
		if st.Minutes < 0 {
			f.Wrong("Minutes: 0 or more.")
		}
	}
	if f.Checked("at") {
		st.At = s.justNow(f.Moment("at", "Done at", s.zone(r)))
	}
	if f.Err != nil {
		s.fail(w, r, f.Err)
		return
	}
	code := chi.URLParam(r, "code")
	p, err := s.App.Pieces.Stamp(r.Context(), s.hand(r), code, st)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	to := "/bench/" + p.Code
	if next := f.Text("next"); f.Text("then") == "next" && next != "" {
		to = "/bench/" + next
	}
	told := p.Code + " is stamped."
	if p.State == studio.PieceDone {
		told = p.Code + " is done."
	}
	s.done(w, r, to, told)
}

func (s *Server) sendBack(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	code := chi.URLParam(r, "code")
	if err := s.App.Pieces.SendBack(r.Context(), s.hand(r), code, route.StageKind(f.Text("to")), f.Text("note"), f.Text("shown")); err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/bench/"+code, code+" is sent back.")
}

func (s *Server) takeBack(w http.ResponseWriter, r *http.Request) {
	code := chi.URLParam(r, "code")
	if err := s.App.Pieces.TakeBackStamp(r.Context(), s.hand(r), code); err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/bench/"+code, "Taken back. The logbook keeps both.")
}
