package models

import (
	"cmp"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"strings"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/models"
	"sakuji/app/plates"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/core/solid"
	"sakuji/studio"
	"sakuji/web/kit"
)

// printsView is how a model may be printed.
type printsView struct {
	models.PrintSheet
	Looking bool // where to cut is still being worked out
	Running kit.JobsView
	Cuts    []solid.Cuts
	Wishes  []wish
	Seen    string // the side that scars keep off

	SupportDeg float64 // the limit they were looked at by, if not the usual
	CutAt      string  // asked for from the section of the part sheet
	CutAxis    string
	Tiers      []string
}

// wish is one thing that may matter of an orientation.
type wish struct {
	Name, Label string
	Value       float64
}

// wishesOf are those that a process knows.
func wishesOf(processName string, w solid.Wishes) []wish {
	out := []wish{{"time", "hours", w.Time}, {"support", "material in supports", w.Support}, {"scar", "scars", w.Scar}}
	if process.Of(processName).Wet {
		return append(out, wish{"layer", "pull of the largest layer", w.Layer}, wish{"drain", "cups", w.Drain})
	}
	return append(out, wish{"strength", "strength across layers", w.Strength})
}

// prints is the sheet of how a model prints.
func (s *Room) prints(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[struct {
		Process string       `form:"process"`
		Tier    string       `form:"tier"`
		Scale   kit.Optional `form:"scale" label:"Scale"`
		Pieces  int          `form:"pieces" label:"Pieces"`
		At      string       `form:"at"`
		Axis    string       `form:"axis"`
	}](r)
	processName, scale, pieces := cmp.Or(f.Process, process.Resin), 1.0, f.Pieces
	if f.Scale.Given {
		scale = f.Scale.Value
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	id := kit.PathID(r, "id")
	sheet, err := s.App.Models.PrintSheet(r.Context(), id, processName, f.Tier, scale, pieces)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := printsView{PrintSheet: sheet, CutAt: f.At, CutAxis: f.Axis, Tiers: route.Tiers(),
		Running: kit.JobsView{List: sheet.Jobs, Stream: fmt.Sprintf("/jobs/model/%d", id), Back: r.URL.RequestURI(), Owner: kit.IsOwner(r)}}
	wishes := process.Of(processName).Wishes
	if len(sheet.Orientations) > 0 {
		facts := sheet.Orientations[0].Facts
		wishes = facts.Wishes
		if facts.SupportDeg > solid.OverhangDeg {
			v.SupportDeg = facts.SupportDeg
		}
	}
	v.Wishes, v.Seen = wishesOf(processName, wishes), models.SeenFrom(wishes.Seen)
	if sheet.Machine.ID != 0 && sheet.Pieces > 1 && (pieces > 0 || sheet.Model.Measures.Triangles <= studio.ViewTriangles) { // a larger file is read for it only when somebody asks
		if v.Cuts, err = s.App.Models.SuggestCuts(r.Context(), sheet.Model, sheet.Machine, scale, sheet.Pieces, kit.Soon); errors.Is(err, jobs.ErrUnderway) {
			v.Looking = true
		} else if err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	s.Show(w, r, "prints", kit.Page{Title: "How " + sheet.Design.Name + " prints", Sheet: "Prints", Active: "/models", D: v,
		Block: kit.Block("Process", processName, "Scale", fmt.Sprintf("%.3g", scale)), Keys: kit.Keys("L", "find orientations", "↑ ↓", "move")})
}

// chooseOrientation decides how a model stands.
func (s *Room) chooseOrientation(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Process     string `form:"process"`
		Orientation int64  `form:"orientation"`
	}](r)
	id, n := kit.PathID(r, "id"), 0
	if err == nil {
		n, err = s.App.Pieces.ChooseOrientation(r.Context(), kit.Owner(r), id, f.Process, f.Orientation)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	told := "New parts stand so from now on."
	if n > 0 {
		told = fmt.Sprintf("It stands so in %s of open orders; what is printed or on a plate already stays as it is.", studio.Say(n, "part"))
	}
	s.Done(w, r, fmt.Sprintf("/models/%d/prints?process=%s", id, processOr(f.Process)), told)
}

// calibrate takes a prepared file in, for its machine to learn from.
func (s *Room) calibrate(w http.ResponseWriter, r *http.Request) {
	files, clean, err := kit.Uploads(w, r, "file")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	defer clean()
	id, batch := kit.PathID(r, "id"), ""
	f, err := kit.Decode[struct {
		Machine int64   `form:"machine"`
		Scale   float64 `form:"scale" label:"Scale" validate:"required"`
	}](r)
	if err == nil && len(files) != 1 {
		err = change.RefuseField("file", "Choose one file.")
	}
	var kept models.Kept
	if err == nil {
		kept, err = s.App.Models.KeepUpload(files[0])
	}
	if err == nil {
		batch, err = s.App.Plates.Calibrate(r.Context(), kit.Owner(r), plates.Prepared{ModelID: id, MachineID: f.Machine, Scale: f.Scale}, kept)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	to := fmt.Sprintf("/models/%d/prints?process=filament", id)
	s.Follow(w, r, batch, to, "It is being read; the logbook will say what the machine learned.", func(j studio.Job) (where, told string) { return to, j.Note })
}

// options are what the form asks of a kind of job.
func (f remakeForm) options(kind string) (o studio.JobOptions, err error) {
	switch kind {
	case studio.JobReduce:
		if f.How == "deviation" {
			o.DeviationMM = f.DeviationMM
		} else {
			o.Triangles = f.Triangles
		}
	case studio.JobUnit:
		o.Unit = f.Unit
	case studio.JobOrient:
		o.Process, o.Seen, o.LayerMM, o.SupportDeg = f.Process, f.Seen, f.LayerMM, f.SupportDeg
		o.Wishes = solid.Wishes{Time: f.Time, Support: f.Support, Scar: f.Scar, Layer: f.Layer, Drain: f.Drain, Strength: f.Strength}
	case studio.JobHollow:
		if o.WallMM, o.Holes, o.Seen = f.WallMM, f.Holes, f.Seen; o.Holes > 0 {
			o.HoleMM = f.HoleMM
		}
	case studio.JobCut:
		o.Axis = f.Axis
		for _, word := range strings.FieldsFunc(f.At, func(c rune) bool { return c == ' ' || c == ';' }) {
			mm, err := studio.ParseNumber(word)
			if err != nil {
				return o, change.RefuseField("at", "Where to cut: %s.", err)
			}
			o.At = append(o.At, mm)
		}
		if o.Pegs = f.Pegs; o.Pegs > 0 {
			o.PegMM, o.ClearanceMM = f.PegMM, f.ClearanceMM
		}
	}
	return o, nil
}

// remakeForm is what is asked of a job on a model; each kind of job reads its own fields.
type remakeForm struct {
	Process     string  `form:"process"`
	Seen        string  `form:"seen"`
	How         string  `form:"how"`
	DeviationMM float64 `form:"deviation" label:"How far the surface may move"`
	Triangles   int     `form:"triangles" label:"Triangles to leave"`
	Unit        string  `form:"unit"`
	LayerMM     float64 `form:"layer_mm" label:"Layer"`
	SupportDeg  float64 `form:"support_deg" label:"Support limit"`
	Time        float64 `form:"time" label:"How much hours matter"`
	Support     float64 `form:"support" label:"How much supports matter"`
	Scar        float64 `form:"scar" label:"How much scars matter"`
	Layer       float64 `form:"layer" label:"How much the largest layer matters"`
	Drain       float64 `form:"drain" label:"How much cups matter"`
	Strength    float64 `form:"strength" label:"How much strength matters"`
	WallMM      float64 `form:"wall" label:"Wall"`
	Holes       int     `form:"holes" label:"Holes"`
	HoleMM      float64 `form:"hole" label:"Width of a hole"`
	Axis        string  `form:"axis"`
	At          string  `form:"at"`
	Pegs        int     `form:"pegs" label:"Dowels"`
	PegMM       float64 `form:"peg" label:"Width of a dowel"`
	ClearanceMM float64 `form:"clearance" label:"Play"`
}

// Sides are those from which a part may be looked at most.
func (v printsView) Sides() []string { return []string{"front", "back", "left", "right", "above"} }

// AxisName is the letter of an axis.
func (v printsView) AxisName(c solid.Cuts) string {
	switch {
	case c.Axis.X != 0:
		return "x"
	case c.Axis.Y != 0:
		return "y"
	}
	return "z"
}

// AxisText says across which way a cut lies.
func (v printsView) AxisText(c solid.Cuts) string {
	return map[string]string{"x": "left to right", "y": "front to back", "z": "across its height"}[v.AxisName(c)]
}

// CutsAt are the places of cuts over the part's lowest point along the axis, as typed.
func (v printsView) CutsAt(c solid.Cuts) string {
	var out []string
	for _, at := range c.At {
		out = append(out, fmt.Sprintf("%.1f", at-c.LowMM))
	}
	return strings.Join(out, " ")
}

// Shares are the volumes of the pieces in hundredths.
func (v printsView) Shares(c solid.Cuts) string {
	total := 0.0
	for _, x := range c.Volumes {
		total += x
	}
	var out []string
	for _, x := range c.Volumes {
		out = append(out, fmt.Sprintf("%.0f", 100*x/total))
	}
	return strings.Join(out, " : ")
}

// Sections adds the areas of the seams, in cm².
func (v printsView) Sections(c solid.Cuts) float64 {
	sum := 0.0
	for _, x := range c.SectionMM2 {
		sum += x
	}
	return sum / 100
}

// Stand draws an orientation: the silhouette on its plate, tips of supports as ticks.
func (v printsView) Stand(s studio.Orientation) template.HTML {
	const wide, high, foot = 150.0, 130.0, 16.0
	low, top := s.Shape.Front.Size()
	w, h := top.X-low.X, top.Y-low.Y
	if !(w > 0 && h > 0) {
		return ""
	}
	// All ways of one model at one scale, so that the eye compares heights.
	reach := v.Model.Measures.SizeMM
	k := math.Min((wide-12)/math.Sqrt(reach[0]*reach[0]+reach[1]*reach[1]+reach[2]*reach[2])*1.15, math.Min((wide-12)/w, (high-foot-6)/h))
	left := (wide - w*k) / 2
	at := func(p solid.Point) solid.Point {
		return solid.Point{X: left + (p.X-low.X)*k, Y: high - foot - (p.Y-low.Y)*k}
	}
	var b strings.Builder
	fmt.Fprintf(&b, `<svg viewBox="0 0 %.0f %.0f" role="img" aria-label="%.0f mm high on the plate">`, wide, high, s.Facts.HeightMM)
	fmt.Fprintf(&b, `<path d="%s" fill="var(--paper2)" stroke="var(--ink)" stroke-width="1.2" fill-rule="evenodd"/>`, kit.Path2D(s.Shape.Front, at))
	m := s.Facts.Matrix
	for _, c := range s.Facts.Contacts { // they lie as in the file
		p := at(solid.Point{X: m[0]*c.X + m[1]*c.Y + m[2]*c.Z - s.Facts.Low.X, Y: m[6]*c.X + m[7]*c.Y + m[8]*c.Z - s.Facts.Low.Z})
		fmt.Fprintf(&b, `<path d="M%.1f %.1fv5" stroke="var(--persimmon)" stroke-width="1"/>`, p.X, p.Y)
	}
	fmt.Fprintf(&b, `<line x1="2" x2="%.0f" y1="%.1f" y2="%.1f" stroke="var(--ink)" stroke-width="1.5"/>`, wide-2, high-foot, high-foot)
	fmt.Fprintf(&b, `<text x="%.0f" y="%.0f" text-anchor="end" font-size="10.5" fill="var(--ink2)">%.0f mm high</text></svg>`, wide-2, high-3, s.Facts.HeightMM)
	return template.HTML(b.String()) //nolint:gosec // numbers only
}

// CurveSVG draws what each number of parts is expected to cost.
func (v printsView) CurveSVG() template.HTML {
	const wide, high, foot = 300.0, 120.0, 18.0
	most := 0.0
	n := min(8, len(v.Curve))
	for _, p := range v.Curve[:n] {
		most = math.Max(most, p.Cost)
	}
	if most <= 0 {
		return ""
	}
	var b strings.Builder
	fmt.Fprintf(&b, `<svg viewBox="0 0 %.0f %.0f" role="img" aria-label="expected cost for each number of pieces">`, wide, high)
	step := wide / float64(n)
	for i, p := range v.Curve[:n] {
		h := (high - foot - 14) * p.Cost / most
		x := float64(i)*step + 5
		fill := "none"
		if i == v.Best {
			fill = "url(#h2)"
		}
		fmt.Fprintf(&b, `<rect x="%.1f" y="%.1f" width="%.1f" height="%.1f" fill="%s" stroke="var(--ink)"/>`, x, high-foot-h, step-10, h, fill)
		fmt.Fprintf(&b, `<text x="%.1f" y="%.1f" text-anchor="middle" font-size="10.5" fill="var(--ink)">%.0f</text>`, x+step/2-5, high-foot-h-3, p.Cost)
		weight := "400"
		if i == v.Best {
			weight = "700"
		}
		fmt.Fprintf(&b, `<text x="%.1f" y="%.1f" text-anchor="middle" font-size="11.5" font-weight="%s" fill="var(--ink)">%d</text>`, x+step/2-5, high-4, weight, p.Parts)
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String()) //nolint:gosec // numbers only
}
