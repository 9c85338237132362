package plates

import (
	"bytes"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"
	"github.com/johnfercher/maroto/v2/pkg/consts/fontstyle"

	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/papers"
)

// exports are the formats a plate is written in, with their media types.
var exports = map[string]string{"3mf": "model/3mf", "stl": "model/stl", "svg": "image/svg+xml", "csv": "text/csv; charset=utf-8"}

// Endings lists them for the sheet.
func (v PlateView) Endings() []string { return []string{"3mf", "stl", "svg", "pdf", "csv"} }

// paper sends the plate as a sheet of paper: its drawing, its figures and its list.
func (s *Room) paper(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Plates.PlateSheet(r.Context(), plateNumber(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p := papers.New(v.Shop.Studio, fmt.Sprintf("Plate %d", v.Plate.Number), v.Machine.Name, v.Now).Headed()
	if err := p.Bed(v.Machine.Bed(), v.Laid()); err != nil {
		s.Fail(w, r, err)
		return
	}
	p.Figure("Run", studio.Hours(v.Estimate.Minutes))
	p.Figure(v.Material.Name, fmt.Sprintf("%.0f g", v.Estimate.Grams))
	for _, lp := range v.Pieces {
		p.Two(lp.Piece.Code+"   "+lp.Piece.Name, fmt.Sprintf("%.0f mm, %.1f g", lp.Model.PrintHeightMM()*lp.Piece.Scale, lp.Grams), 11, fontstyle.Normal)
	}
	s.SendPDF(w, r, p, fmt.Sprintf("plate-%d.pdf", v.Plate.Number))
}

// export sends the plate as a file.
func (s *Room) export(w http.ResponseWriter, r *http.Request) {
	ending := chi.URLParam(r, "ending")
	if ending == "pdf" {
		s.paper(w, r)
		return
	}
	var out bytes.Buffer
	if err := s.App.Plates.Export(r.Context(), s.App.Models, plateNumber(r), ending, r.FormValue("supports") != "", &out); err != nil {
		s.Fail(w, r, err)
		return
	}
	kit.Write(w, exports[ending], fmt.Sprintf("plate-%d.%s", plateNumber(r), ending), out.Bytes())
}
