package plates

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"sakuji/app/plates"
	"sakuji/core/process"
	"sakuji/core/solid"
	"sakuji/web/kit"
)

// Drawn is a piece on the plate's drawing.
type Drawn struct {
	Code, Label string
	D           string // plan
	Elevation   string
	Fill        string
	X, Y        float64 // of the label
	Tallest     bool
	Locked      bool
	Room        float64 // the smaller side of its box, in units of the drawing
}

// Labelled reports whether the part has room for its code beneath its height.
func (d Drawn) Labelled() bool { return d.Room > 58 }

// Drawing is a plate in plan and elevation, aligned as in orthographic drawing.
type Drawing struct {
	W, H                         float64 // of the drawing
	BedX, BedY, BedW, BedH       float64
	InX, InY, InW, InH           float64 // inside the margin
	GroundY, TopY, SecondY       float64
	HasTop, HasSecond            bool
	Pieces                       []Drawn
	KeptFree                     [][4]float64 // x, y, width, height of places of the bed
	WidthText, DepthText         string
	Scale                        float64 // of the drawing, units for a millimetre
	DimX, DimY, DimMidX, DimMidY float64
}

// Right and Bottom are the bed's far edges.
func (d Drawing) Right() float64 { return d.BedX + d.BedW }

func (d Drawing) Bottom() float64 { return d.BedY + d.BedH }

// TopLabel and SecondLabel keep the two heights' labels apart.
func (d Drawing) TopLabel() float64 { return d.TopY - 5 }

func (d Drawing) SecondLabel() float64 { return math.Max(d.SecondY-5, d.TopY+14) }

// The grounds and texts of the two dimensions.
func (d Drawing) WBoxX() float64 { return d.DimMidX - 24 }

func (d Drawing) WBoxY() float64 { return d.DimY - 9 }

func (d Drawing) WTextY() float64 { return d.DimY + 4.5 }

func (d Drawing) DBoxX() float64 { return d.DimX - 20 }

func (d Drawing) DBoxY() float64 { return d.DimMidY - 9 }

func (d Drawing) DTextY() float64 { return d.DimMidY + 4.5 }

// DrawPlate lays a plate out on a sheet 730 units wide, plan and elevation at one
// scale.
func DrawPlate(v PlateView) Drawing {
	const wide, head, gap, foot, room = 730.0, 24.0, 36.0, 36.0, 520.0
	bed := v.Machine.Bed()
	tallest := 0.0
	for _, p := range v.Pieces {
		tallest = math.Max(tallest, p.Model.Measures.SizeMM[2]*p.Piece.Scale)
	}
	k := math.Min(600/bed.WidthMM, room/(bed.DepthMM+math.Max(tallest, 20)))
	elevation := head + math.Max(tallest, 20)*k
	d := Drawing{BedX: (wide - bed.WidthMM*k) / 2, BedY: elevation + gap, BedW: bed.WidthMM * k, BedH: bed.DepthMM * k, GroundY: elevation, W: wide, Scale: k,
		WidthText: fmt.Sprintf("%.0f", bed.WidthMM), DepthText: fmt.Sprintf("%.0f", bed.DepthMM)}
	d.InX, d.InY, d.InW, d.InH = d.BedX+bed.MarginMM*k, d.BedY+bed.MarginMM*k, d.BedW-2*bed.MarginMM*k, d.BedH-2*bed.MarginMM*k
	d.H = d.BedY + d.BedH + foot
	d.DimX, d.DimY, d.DimMidX, d.DimMidY = d.BedX-24, d.BedY+d.BedH+22, wide/2, d.BedY+d.BedH/2
	d.HasTop = process.Of(v.Machine.Process).TallestSets && tallest > 0
	d.TopY = elevation - tallest*k
	d.HasSecond = d.HasTop && v.Estimate.WithoutMM > 0 && v.Estimate.WithoutMM < 0.97*tallest
	d.SecondY = elevation - v.Estimate.WithoutMM*k
	for _, o := range bed.KeepOut {
		d.KeptFree = append(d.KeptFree, [4]float64{d.BedX + o.XMM*k, d.BedY + d.BedH - (o.YMM+o.DepthMM)*k, o.WidthMM * k, o.DepthMM * k})
	}
	byDepth := slices.Clone(v.Pieces) // what stands at the back is drawn first
	slices.SortStableFunc(byDepth, func(a, b plates.LaidPiece) int { return cmp.Compare(b.YMM, a.YMM) })
	for _, p := range byDepth {
		plan := p.Model.Shape.Plan.Scaled(p.Piece.Scale).Rotated(p.AngleDeg)
		height := p.Model.Measures.SizeMM[2] * p.Piece.Scale
		low, high := plan.Size()
		quarter := int(math.Round(p.AngleDeg/90)) % 4 // between quarters it is drawn as from the nearest, as wide as it lies
		side := p.Model.Shape.Front
		if quarter%2 == 1 {
			side = p.Model.Shape.Side
		}
		side = side.Scaled(p.Piece.Scale)
		sl, sh := side.Size()
		wide, mirror := (high.X-low.X)/math.Max(1e-9, sh.X-sl.X), quarter >= 2
		dr := Drawn{
			Code: p.Piece.Code, Locked: p.Locked, Label: fmt.Sprintf("%.0f", height), Room: math.Min(high.X-low.X, high.Y-low.Y) * k, Tallest: d.HasTop && p.Piece.ID == v.Estimate.TallestID,
			D: kit.Path2D(plan, func(q solid.Point) solid.Point {
				return solid.Point{X: d.BedX + (p.XMM+q.X)*k, Y: d.BedY + d.BedH - (p.YMM+q.Y)*k}
			}),
			Elevation: kit.Path2D(side, func(q solid.Point) solid.Point {
				x := q.X - sl.X
				if mirror {
					x = sh.X - q.X
				}
				return solid.Point{X: d.BedX + (p.XMM+x*wide)*k, Y: elevation - math.Max(0, q.Y)*k}
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
