package models

import (
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"strconv"
	"strings"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/models"
	"sakuji/core/solid"
	"sakuji/studio"
	"sakuji/web/kit"
)

// layersView is a model in layers, one of them shown.
type layersView struct {
	*models.Layers
	Model  studio.Model
	Design studio.Design
	At     int
	Shown  solid.Figures
	Plan   template.HTML
	Rise   template.HTML // area over height
}

// Top is the number of the last layer.
func (v layersView) Top() int { return len(v.Figures) - 1 }

// Height is how far above its lowest point a layer is cut.
func (v layersView) Height(layer int) float64 { return (float64(layer) + 0.5) * v.LayerMM }

// layers is the sheet of a model's layers.
func (s *Room) layers(w http.ResponseWriter, r *http.Request) {
	m, d, _, err := s.App.Models.Design(r.Context(), kit.PathID(r, "id"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	mm := 0.0
	if text := r.FormValue("mm"); text != "" {
		if mm, err = studio.ParseNumber(text); err != nil || mm == 0 {
			s.Fail(w, r, &change.Refusal{Text: fmt.Sprintf("Layer thickness: %q is not a number over 0.", text)})
			return
		}
	}
	v := layersView{Model: m, Design: d}
	v.Layers, err = s.App.Models.Layers(r.Context(), m.ID, mm, kit.Soon)
	if errors.Is(err, jobs.ErrUnderway) {
		s.Show(w, r, "cutting", kit.Page{Title: "Layers of " + d.Name, Sheet: "Layers", Active: "/models", D: v})
		return
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if len(v.Figures) == 0 {
		s.Fail(w, r, &change.Refusal{Text: "It is too flat to be cut into layers of that thickness."})
		return
	}
	v.At = v.Largest
	if at, err := strconv.Atoi(r.FormValue("at")); err == nil {
		v.At = max(0, min(v.Top(), at))
	}
	v.Shown = v.Figures[v.At]
	v.Plan, v.Rise = drawLayer(v.Rings, v.At, v.Layers.Model), drawRise(v)
	p := kit.Page{Title: "Layers of " + d.Name, Sheet: "Layers", Active: "/models", D: v,
		Block: kit.Block("Layers", fmt.Sprint(len(v.Figures)), "mm", fmt.Sprintf("%.3g", v.LayerMM)), Keys: kit.Keys("L", "the slider", "F", "find")}
	if !kit.ByHTMX(r) {
		s.Show(w, r, "layers", p)
		return
	}
	s.Fragment(w, r, "layers", "cut", p)
}

// The two drawings of the layers' sheet, in units of the drawing.
const planWide, planHigh, riseWide = 560.0, 430.0, 190.0

// drawLayer draws a layer in plan: solid hatched as in section, the part's whole
// outline around it.
func drawLayer(layers []solid.Outline, layer int, m studio.Model) template.HTML {
	low, high := m.Shape.Plan.Size()
	k := math.Min((planWide-20)/math.Max(high.X-low.X, 1e-9), (planHigh-20)/math.Max(high.Y-low.Y, 1e-9))
	left, foot := (planWide-(high.X-low.X)*k)/2, (planHigh+(high.Y-low.Y)*k)/2
	at := func(x, y float64) solid.Point { return solid.Point{X: left + (x-low.X)*k, Y: foot - (y-low.Y)*k} }
	box := [2]float64{high.X - low.X, high.Y - low.Y}
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="plan" viewBox="0 0 %.0f %.0f" role="img" aria-label="the layer from above, %.1f × %.1f mm in all">`, planWide, planHigh, box[0], box[1])
	fmt.Fprintf(&b, `<path d="%s" fill="none" stroke="var(--line)" stroke-dasharray="3 3"/>`, kit.Path2D(m.Shape.Plan, func(p solid.Point) solid.Point { return at(p.X, p.Y) }))
	if layers == nil {
		fmt.Fprintf(&b, `<text x="%.0f" y="%.0f" text-anchor="middle" font-size="13">too intricate to draw here</text></svg>`, planWide/2, planHigh/2)
		return template.HTML(b.String()) //nolint:gosec // numbers only
	}
	d := kit.Path2D(layers[layer], func(p solid.Point) solid.Point { return at(p.X, p.Y) })
	fmt.Fprintf(&b, `<path d="%s" fill="url(#h2)" fill-rule="evenodd" stroke="var(--ink)" stroke-width="1.2"/></svg>`, d)
	return template.HTML(b.String()) //nolint:gosec // numbers only
}

// drawRise draws area over height: the part stands on its plate at the foot, each
// layer reaches as far as it cures. Islands are marked at the left edge.
func drawRise(v layersView) template.HTML {
	const head, foot, left = 8.0, 8.0, 18.0
	most, n := math.Max(v.Figures[v.Largest].AreaMM2, 1e-9), float64(len(v.Figures))
	y := func(layer float64) float64 { return planHigh - foot - (planHigh-head-foot)*(layer+0.5)/n }
	x := func(area float64) float64 { return left + (riseWide-left-6)*area/most }
	var line strings.Builder
	fmt.Fprintf(&line, "M%.1f %.1f", left, y(-0.5))
	step := max(1, len(v.Figures)/400)
	for i := 0; i < len(v.Figures); i += step {
		largest := 0.0
		for _, f := range v.Figures[i:min(i+step, len(v.Figures))] {
			largest = math.Max(largest, f.AreaMM2)
		}
		fmt.Fprintf(&line, "L%.1f %.1f", x(largest), y(float64(i)+float64(step-1)/2))
	}
	fmt.Fprintf(&line, "L%.1f %.1fZ", left, y(n-0.5))
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="rise" viewBox="0 0 %.0f %.0f" role="img" aria-label="area of the layers over the height">`, riseWide, planHigh)
	fmt.Fprintf(&b, `<path d="%s" fill="var(--paper2)" stroke="var(--ink)"/>`, line.String())
	fmt.Fprintf(&b, `<line x1="0" x2="%.0f" y1="%.1f" y2="%.1f" stroke="var(--ink)" stroke-width="1.5"/>`, riseWide, y(-0.5), y(-0.5))
	for _, i := range v.Islands {
		fmt.Fprintf(&b, `<path d="M2 %.1fl12 -5v10z" fill="var(--persimmon)"/>`, y(float64(i.Layer)))
	}
	fmt.Fprintf(&b, `<line x1="0" x2="%.0f" y1="%.1f" y2="%.1f" stroke="var(--persimmon)" stroke-width="1.5"/></svg>`, riseWide, y(float64(v.At)), y(float64(v.At)))
	return template.HTML(b.String()) //nolint:gosec // numbers only
}
