package plates

import (
	"encoding/json"
	"maps"
	"math"
	"net/http"
	"slices"

	"sakuji/app/plates"
	"sakuji/web/kit"
)

// bedData is what the browser needs to move pieces about: the bed in millimetres, where it is drawn,
// and each piece's outline as it is before it is turned.
type bedData struct {
	Width   float64   `json:"width"`
	Depth   float64   `json:"depth"`
	Margin  float64   `json:"margin"`
	Spacing float64   `json:"spacing"`
	Left    float64   `json:"left"`   // of the bed in the drawing
	Bottom  float64   `json:"bottom"` // the same
	Scale   float64   `json:"k"`
	Pieces  []bedPart `json:"pieces"`
}

type bedPart struct {
	Code    string         `json:"code"`
	X       float64        `json:"x"`
	Y       float64        `json:"y"`
	Angle   float64        `json:"angle"`
	Locked  bool           `json:"locked"`
	Skirt   float64        `json:"skirt"`
	Outline [][][2]float64 `json:"outline"`
}

// BedData is written for the browser.
func (v PlateView) BedData() (string, error) {
	bed := v.Machine.Bed()
	d := bedData{Width: bed.WidthMM, Depth: bed.DepthMM, Margin: bed.MarginMM, Spacing: v.Shop.Book.V("spacing"), Left: v.Drawing.BedX, Bottom: v.Drawing.Bottom(), Scale: v.Drawing.Scale}
	for i, l := range v.Laid() {
		p := bedPart{Code: l.Part.ID, X: l.XMM, Y: l.YMM, Angle: l.AngleDeg, Locked: v.Pieces[i].Locked, Skirt: l.SkirtMM}
		for _, ring := range l.Part.Outline {
			points := make([][2]float64, len(ring))
			for k, q := range ring {
				points[k] = [2]float64{micron(q.X), micron(q.Y)}
			}
			p.Outline = append(p.Outline, points)
		}
		d.Pieces = append(d.Pieces, p)
	}
	b, err := json.Marshal(d)
	return string(b), err
}

// micron rounds to a thousandth of a millimetre.
func micron(mm float64) float64 { return math.Round(mm*1000) / 1000 }

// arrange puts the pieces where the form says.
func (s *Room) arrange(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Version string             `form:"version"`
		X       map[string]float64 `form:"x" label:"x"`
		Y       map[string]float64 `form:"y" label:"y"`
		Angle   map[string]float64 `form:"angle" label:"turned"`
		Locked  map[string]bool    `form:"locked"`
	}](r)
	moves := plates.Moves{Version: f.Version}
	for _, code := range slices.Sorted(maps.Keys(f.X)) {
		moves.Pieces = append(moves.Pieces, plates.Move{Code: code, XMM: f.X[code], YMM: f.Y[code], AngleDeg: f.Angle[code], Locked: f.Locked[code]})
	}
	if err == nil {
		err = s.App.Plates.Arrange(r.Context(), s.Hand(r), plateNumber(r), moves)
	}
	s.plateDone(w, r, err, "Kept: the pieces lie so.")
}
