package plates

import (
	"bytes"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"sakuji/web/kit"
)

// exports are the formats a plate is written in, with their media types.
var exports = map[string]string{"3mf": "model/3mf", "stl": "model/stl", "svg": "image/svg+xml", "csv": "text/csv; charset=utf-8"}

// Endings lists them for the sheet.
func (v PlateView) Endings() []string { return []string{"3mf", "stl", "svg", "csv"} }

// export sends the plate as a file.
func (s *Room) export(w http.ResponseWriter, r *http.Request) {
	ending := chi.URLParam(r, "ending")
	var out bytes.Buffer
	if err := s.App.Plates.Export(r.Context(), s.App.Models, plateNumber(r), ending, &out); err != nil {
		s.Fail(w, r, err)
		return
	}
	kit.Write(w, exports[ending], fmt.Sprintf("plate-%d.%s", plateNumber(r), ending), out.Bytes())
}
