package plates

import (
	"encoding/json"
	"fmt"
	"html/template"
	"maps"
	"math"
	"net/http"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/app/plates"
	"sakuji/core/plate"
	"sakuji/core/process"
	"sakuji/studio"
	"sakuji/web/kit"
)

// bedData is what the browser needs to move pieces about: the bed in millimetres, where it is drawn,
// and each piece's outline as it is before it is turned.
type bedData struct {
	Width    float64      `json:"width"`
	Depth    float64      `json:"depth"`
	Margin   float64      `json:"margin"`
	Spacing  float64      `json:"spacing"`
	Left     float64      `json:"left"`   // of the bed in the drawing
	Bottom   float64      `json:"bottom"` // the same
	Scale    float64      `json:"k"`
	KeptFree [][4]float64 `json:"kept_free"` // x, y, width, depth
	Pieces   []bedPart    `json:"pieces"`
	Waiting  []bedPart    `json:"candidates,omitempty"` // that may be brought onto it
}

type bedPart struct {
	Code    string         `json:"code"`
	X       float64        `json:"x"`
	Y       float64        `json:"y"`
	Angle   float64        `json:"angle"`
	Locked  bool           `json:"locked"`
	Skirt   float64        `json:"skirt"`
	Outline [][][2]float64 `json:"outline"`
	Label   string         `json:"label,omitempty"` // how tall it is
}

// outlineOf is a part's outline as the browser takes it.
func outlineOf(p plate.Part) (out [][][2]float64) {
	for _, ring := range p.Outline {
		points := make([][2]float64, len(ring))
		for k, q := range ring {
			points[k] = [2]float64{micron(q.X), micron(q.Y)}
		}
		out = append(out, points)
	}
	return out
}

// BedData is written for the browser.
func (v PlateView) BedData() (string, error) {
	bed := v.Machine.Bed()
	d := bedData{Width: bed.WidthMM, Depth: bed.DepthMM, Margin: bed.MarginMM, Spacing: v.Shop.Book.V("spacing"), Left: v.Drawing.BedX, Bottom: v.Drawing.Bottom(), Scale: v.Drawing.Scale}
	for _, k := range bed.KeepOut {
		d.KeptFree = append(d.KeptFree, [4]float64{k.XMM, k.YMM, k.WidthMM, k.DepthMM})
	}
	for i, l := range v.Laid() {
		d.Pieces = append(d.Pieces, bedPart{Code: l.Part.ID, X: l.XMM, Y: l.YMM, Angle: l.AngleDeg, Locked: v.Pieces[i].Locked, Skirt: l.SkirtMM, Outline: outlineOf(l.Part)})
	}
	for _, c := range v.Candidates {
		d.Waiting = append(d.Waiting, bedPart{Code: c.Part.ID, Skirt: c.Part.SkirtMM, Outline: outlineOf(c.Part), Label: fmt.Sprintf("%.0f", c.Part.HeightMM-v.Machine.LiftMM())})
	}
	b, err := json.Marshal(d)
	return string(b), err
}

// micron rounds to a thousandth of a millimetre.
func micron(mm float64) float64 { return math.Round(mm*1000) / 1000 }

// program takes a machine program of the plate in.
func (s *Room) program(w http.ResponseWriter, r *http.Request) {
	files, clean, err := kit.Uploads(w, r, "file")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	defer clean()
	if len(files) != 1 {
		s.Fail(w, r, change.RefuseField("file", "Choose one file."))
		return
	}
	kept, err := s.App.Models.KeepUpload(files[0])
	batch := ""
	if err == nil {
		batch, err = s.App.Plates.Calibrate(r.Context(), s.Hand(r), plates.Prepared{Plate: plateNumber(r)}, kept)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	to := fmt.Sprintf("/plates/%d", plateNumber(r))
	s.Follow(w, r, batch, to, "It is being read; what it says will stand here.", func(j studio.Job) (where, told string) { return to, j.Note })
}

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

// Nobody says that nobody is there when the run ends, and from when on somebody is; empty: somebody is.
func (v PlateView) Nobody(p kit.Page) string {
	if is, from := v.Shop.Attended(v.Ends()); !is {
		return "nobody is there before " + p.Clock(from)
	}
	return ""
}

// Disturbs says that the run, started now, would go on into the machine's quiet hours; empty: it does not.
func (v PlateView) Disturbs() string {
	return v.Machine.Disturbs(v.Now, v.Estimate.Minutes, v.Shop.Studio.Zone())
}

// LoadSVG draws how the area of the layers goes over the height of a plate.
func (v PlateView) LoadSVG() template.HTML {
	const w, h = 150.0, 34.0
	if v.Load.MostMM2 <= 0 {
		return ""
	}
	var d strings.Builder
	for i, mm2 := range v.Load.AreaMM2 {
		x, y := float64(i)/float64(len(v.Load.AreaMM2))*w, h-mm2/v.Load.MostMM2*h
		fmt.Fprintf(&d, "%s%.1f %.1fH%.1f", map[bool]string{true: "M", false: "L"}[i == 0], x, y, x+w/float64(len(v.Load.AreaMM2)))
	}
	at := v.Load.AtMM / v.Load.HeightMM * w
	return template.HTML(fmt.Sprintf(`<svg class="ml-auto mt-1" width="%[1]g" height="%[2]g" viewBox="0 -1 %[1]g %[3]g" role="img" aria-label="area of the layers, from the plate at the left to the top at the right"><path d="%[4]s" fill="none" stroke="var(--ink)"/><line x1="0" x2="%[1]g" y1="%[5]g" y2="%[5]g" stroke="var(--line)"/><line x1="%.1[6]f" x2="%.1[6]f" y1="0" y2="%[5]g" stroke="var(--persimmon)" stroke-dasharray="3 3"/></svg>`, //nolint:gosec // numbers
		w, h+2, h+2, d.String(), h, at))
}

// ProgramText says how the program of the plate compares with the estimate; empty: none was read.
func (v PlateView) ProgramText() string {
	if v.Plate.Program.Name == "" {
		return ""
	}
	text, far := v.Plate.Program.Beside(v.Estimate)
	if far {
		text += " Is it hollow, is the profile right?"
	}
	return text
}

// Failures are the causes of what failed on the plate, each once.
func (v PlateView) Failures() (out []process.Fault) {
	for _, p := range v.Pieces {
		f := process.FaultOf(p.Cause)
		if p.Outcome == studio.Failed && !slices.ContainsFunc(out, func(o process.Fault) bool { return o.Sign == f.Sign }) {
			out = append(out, f)
		}
	}
	return out
}
