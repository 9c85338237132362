package web

import (
	"cmp"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"

	"sakuji/app/plates"
	"sakuji/core/process"
	"sakuji/core/solid"
)

// path2D writes an outline as SVG path data; place maps its points to the drawing.
func path2D(o solid.Outline, place func(solid.Point) solid.Point) string {
	var b strings.Builder
	for _, ring := range o {
		for i, p := range ring {
			q := place(p)
			c := 'L'
			if i == 0 {
				c = 'M'
			}
			fmt.Fprintf(&b, "%c%.1f %.1f", c, q.X, q.Y)
		}
		b.WriteByte('Z')
	}
	return b.String()
}

// outlineSVG draws a silhouette into a box of w × h pixels, standing on its base.
func outlineSVG(o solid.Outline, w, h float64) template.HTML {
	if len(o) == 0 {
		return ""
	}
	low, high := o.Size()
	k := math.Min((w-2)/math.Max(high.X-low.X, 1e-9), (h-2)/math.Max(high.Y-low.Y, 1e-9))
	d := path2D(o, func(p solid.Point) solid.Point {
		return solid.Point{X: 1 + (p.X-low.X)*k + (w-2-(high.X-low.X)*k)/2, Y: h - 1 - (p.Y-low.Y)*k}
	})
	return template.HTML(fmt.Sprintf(`<svg class="silhouette" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" aria-hidden="true"><path d="%s" fill="var(--paper2)" fill-rule="evenodd" stroke="currentColor" stroke-width="1.2"/></svg>`, w, h, w, h, d)) //nolint:gosec // numbers only
}

// hatches are the fills of drawings: five densities for height, one per kind of
// cost, as materials are hatched in section.
const hatches template.HTML = `<svg width="0" height="0" class="absolute" aria-hidden="true"><defs>
<pattern id="h0" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="9" y2="0" stroke="var(--ink)" stroke-width=".7"/></pattern>
<pattern id="h1" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="7" y2="0" stroke="var(--ink)" stroke-width=".7"/></pattern>
<pattern id="h2" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="5" y2="0" stroke="var(--ink)" stroke-width=".7"/></pattern>
<pattern id="h3" width="3.5" height="3.5" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="3.5" y2="0" stroke="var(--ink)" stroke-width=".7"/></pattern>
<pattern id="h4" width="3" height="3" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><rect width="3" height="3" fill="var(--paper)"/><line x1="0" y1="0" x2="3" y2="0" stroke="var(--persimmon)" stroke-width="1"/></pattern>
<pattern id="k0" width="4" height="5" patternUnits="userSpaceOnUse"><line x1="0" y1="1" x2="4" y2="1" stroke="var(--ink2)" stroke-width="1"/></pattern>
<pattern id="k1" width="4" height="4" patternUnits="userSpaceOnUse"><line x1="1" y1="0" x2="1" y2="4" stroke="var(--indigo)" stroke-width="1"/></pattern>
<pattern id="k2" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><line x1="0" y1="0" x2="5" y2="0" stroke="var(--persimmon)" stroke-width="1.4"/></pattern>
<pattern id="k3" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="5" y2="0" stroke="var(--ochre)" stroke-width="1.4"/></pattern>
<pattern id="k4" width="6" height="6" patternUnits="userSpaceOnUse"><circle cx="2" cy="2" r="1.1" fill="var(--moss)"/><circle cx="5" cy="5" r="1.1" fill="var(--moss)"/></pattern>
<pattern id="k5" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><line x1="0" y1="0" x2="9" y2="0" stroke="var(--ink2)" stroke-width="1"/></pattern>
</defs></svg>`

// costBar draws an item's cost as a bar cut where the money goes.
func costBar(sums []int64, longest int64) template.HTML {
	var total int64
	for _, v := range sums {
		total += v
	}
	if total <= 0 || longest <= 0 {
		return ""
	}
	var b strings.Builder
	width := 1000 * math.Max(0.16, float64(total)/float64(longest))
	fmt.Fprint(&b, `<svg class="bar" viewBox="0 0 1000 28" preserveAspectRatio="none" height="28" role="img" aria-label="where the money goes">`)
	x := 0.0
	for i, v := range sums {
		w := width * float64(v) / float64(total)
		fmt.Fprintf(&b, `<rect x="%.1f" y=".5" width="%.1f" height="27" fill="url(#k%d)" stroke="var(--ink)" vector-effect="non-scaling-stroke"/>`, x, w, i)
		x += w
	}
	b.WriteString("</svg>")
	return template.HTML(b.String()) //nolint:gosec // numbers only
}

// kindKey is the little field that explains a hatch.
func kindKey(i int) template.HTML {
	return template.HTML(fmt.Sprintf(`<svg width="17" height="12" aria-hidden="true"><rect x=".5" y=".5" width="16" height="11" fill="url(#k%d)" stroke="var(--ink)"/></svg>`, i)) //nolint:gosec // numbers only
}

// Drawn is a piece on the plate's drawing.
type Drawn struct {
	Code, Label string
	D           string // plan
	Elevation   string
	Fill        string
	X, Y        float64 // of the label
	Tallest     bool
	Room        float64 // the smaller side of its box, in units of the drawing
}

// LX, LY and TY place the label's ground and its line of text.
func (d Drawn) LX() float64 { return d.X - 13 }
func (d Drawn) LY() float64 { return d.Y - 9 }
func (d Drawn) TY() float64 { return d.Y + 4.5 }

// Labelled reports whether the part has room for its code beneath its height.
func (d Drawn) Labelled() bool { return d.Room > 58 }
func (d Drawn) CX() float64    { return d.X - 30 }
func (d Drawn) CY() float64    { return d.Y + 9 }
func (d Drawn) CTY() float64   { return d.Y + 19 }

// Drawing is a plate in plan and elevation, aligned as in orthographic drawing.
type Drawing struct {
	W, H                         float64 // of the drawing
	BedX, BedY, BedW, BedH       float64
	InX, InY, InW, InH           float64 // inside the margin
	GroundY, TopY, SecondY       float64
	HasTop, HasSecond            bool
	Pieces                       []Drawn
	WidthText, DepthText         string
	DimX, DimY, DimMidX, DimMidY float64
}

// Right and Bottom are the bed's far edges.
func (d Drawing) Right() float64  { return d.BedX + d.BedW }
func (d Drawing) Bottom() float64 { return d.BedY + d.BedH }

// TopLabel and SecondLabel keep the two heights' labels apart.
func (d Drawing) TopLabel() float64    { return d.TopY - 5 }
func (d Drawing) SecondLabel() float64 { return math.Max(d.SecondY-5, d.TopY+14) }

// The grounds and texts of the two dimensions.
func (d Drawing) WBoxX() float64  { return d.DimMidX - 24 }
func (d Drawing) WBoxY() float64  { return d.DimY - 9 }
func (d Drawing) WTextY() float64 { return d.DimY + 4.5 }
func (d Drawing) DBoxX() float64  { return d.DimX - 20 }
func (d Drawing) DBoxY() float64  { return d.DimMidY - 9 }
func (d Drawing) DTextY() float64 { return d.DimMidY + 4.5 }

// drawPlate lays a plate out on a sheet 730 units wide, plan and elevation at one
// scale.
func drawPlate(v plateView) Drawing {
	const wide, head, gap, foot, room = 730.0, 24.0, 36.0, 36.0, 520.0
	bed := v.Machine.Bed()
	tallest := 0.0
	for _, p := range v.Pieces {
		tallest = math.Max(tallest, p.Model.Measures.SizeMM[2]*p.Piece.Scale)
	}
	k := math.Min(600/bed.WidthMM, room/(bed.DepthMM+math.Max(tallest, 20)))
	elevation := head + math.Max(tallest, 20)*k
	d := Drawing{BedX: (wide - bed.WidthMM*k) / 2, BedY: elevation + gap, BedW: bed.WidthMM * k, BedH: bed.DepthMM * k, GroundY: elevation, W: wide,
		WidthText: fmt.Sprintf("%.0f", bed.WidthMM), DepthText: fmt.Sprintf("%.0f", bed.DepthMM)}
	d.InX, d.InY, d.InW, d.InH = d.BedX+bed.MarginMM*k, d.BedY+bed.MarginMM*k, d.BedW-2*bed.MarginMM*k, d.BedH-2*bed.MarginMM*k
	d.H = d.BedY + d.BedH + foot
	d.DimX, d.DimY, d.DimMidX, d.DimMidY = d.BedX-24, d.BedY+d.BedH+22, wide/2, d.BedY+d.BedH/2
	d.HasTop = v.Machine.Process == process.Resin && tallest > 0
	d.TopY = elevation - tallest*k
	d.HasSecond = d.HasTop && v.Estimate.WithoutMM > 0 && v.Estimate.WithoutMM < 0.97*tallest
	d.SecondY = elevation - v.Estimate.WithoutMM*k
	byDepth := slices.Clone(v.Pieces) // what stands at the back is drawn first
	slices.SortStableFunc(byDepth, func(a, b plates.LaidPiece) int { return cmp.Compare(b.YMM, a.YMM) })
	for _, p := range byDepth {
		plan := p.Model.Shape.Plan.Scaled(p.Piece.Scale).Turned(p.Quarters)
		height := p.Model.Measures.SizeMM[2] * p.Piece.Scale
		low, high := plan.Size()
		side := p.Model.Shape.Front
		if p.Quarters%2 == 1 {
			side = p.Model.Shape.Side
		}
		side = side.Scaled(p.Piece.Scale)
		sl, sh := side.Size()
		mirror := p.Quarters >= 2
		dr := Drawn{
			Code: p.Piece.Code, Label: fmt.Sprintf("%.0f", height), Room: math.Min(high.X-low.X, high.Y-low.Y) * k, Tallest: d.HasTop && p.Piece.ID == v.Estimate.TallestID,
			D: path2D(plan, func(q solid.Point) solid.Point {
				return solid.Point{X: d.BedX + (p.XMM+q.X)*k, Y: d.BedY + d.BedH - (p.YMM+q.Y)*k}
			}),
			Elevation: path2D(side, func(q solid.Point) solid.Point {
				x := q.X - sl.X
				if mirror {
					x = sh.X - q.X
				}
				return solid.Point{X: d.BedX + (p.XMM+x)*k, Y: elevation - math.Max(0, q.Y)*k}
			}),
			X: d.BedX + (p.XMM+(low.X+high.X)/2)*k, Y: d.BedY + d.BedH - (p.YMM+(low.Y+high.Y)/2)*k,
		}
		dr.Fill = fmt.Sprintf("url(#h%d)", min(3, int(4*height/math.Max(tallest, 1))))
		if dr.Tallest {
			dr.Fill = "url(#h4)"
		}
		d.Pieces = append(d.Pieces, dr)
	}
	return d
}
