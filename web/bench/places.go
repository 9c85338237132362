package bench

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"

	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/papers"
)

func (s *Room) places(w http.ResponseWriter, r *http.Request) {
	list, err := s.App.Pieces.Places(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "places", kit.Page{Title: "Places", Sheet: "Places", Active: "/bench", Bench: true, D: map[string]any{"Places": list, "Kinds": studio.PlaceKinds()},
		Block: kit.Block("Places", fmt.Sprint(len(list))), Keys: kit.Keys("↑ ↓", "move", "Enter", "open it", "F", "find")})
}

func (s *Room) place(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Pieces.Place(r.Context(), chi.URLParam(r, "place"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "place", kit.Page{Title: sheet.Name, Sheet: "Place", Active: "/bench", Bench: true, D: sheet,
		Block: kit.Block("Label", sheet.Code), Keys: kit.Keys("L", "type or scan a label", "↑ ↓", "move", "F", "find")})
}

func (s *Room) addPlace(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Name string `form:"name"`
		Kind string `form:"kind"`
	}](r)
	var p studio.Place
	if err == nil {
		p, err = s.App.Pieces.AddPlace(r.Context(), s.Hand(r), studio.Place{Name: f.Name, Kind: f.Kind})
	}
	s.Ended(w, r, err, "/bench/places", p.Name+" has the label "+p.Code+".")
}

func (s *Room) endPlace(w http.ResponseWriter, r *http.Request) {
	s.Ended(w, r, s.App.Pieces.EndPlace(r.Context(), s.Hand(r), chi.URLParam(r, "place")), "/bench/places", "It is there no more.")
}

// put says where a piece lies: on a place's sheet its label is typed or scanned, on its own the place is chosen.
func (s *Room) put(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Code  string `form:"code"`
		Place string `form:"place"`
	}](r)
	if err == nil {
		err = s.App.Pieces.Put(r.Context(), s.Hand(r), f.Code, f.Place)
	}
	told := studio.Scanned(f.Code) + " lies there now."
	if f.Place == "" {
		told = studio.Scanned(f.Code) + " was taken away."
	}
	s.Ended(w, r, err, kit.Back(r, "/bench/places"), told)
}

// placeLabels are the labels of all places, to cut apart; those of pieces come with their order.
func (s *Room) placeLabels(w http.ResponseWriter, r *http.Request) {
	list, err := s.App.Pieces.Places(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var labels []papers.Label
	for _, p := range list {
		labels = append(labels, papers.Label{Code: p.Code, Name: p.Name})
	}
	s.SendLabels(w, r, labels, "labels-places.pdf")
}

// pieceLabel is the label of one piece.
func (s *Room) pieceLabel(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Pieces.Piece(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.SendLabels(w, r, []papers.Label{{Code: sheet.Code, Name: sheet.Name + ", " + sheet.Order.Client}}, "label-"+sheet.Code+".pdf")
}

// elsewhere are the places that a piece does not lie at.
func (v pieceView) Elsewhere() []studio.Place {
	return slices.DeleteFunc(slices.Clone(v.Places), func(p studio.Place) bool { return p.ID == v.Place.ID })
}
