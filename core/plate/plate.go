// Package plate lays parts on build plates by their true outlines: in each other's hollows, in
// steps of a turn, with the spacing asked for kept everywhere. It decides which parts share a
// plate by what the runs take, and goes on finding better answers for as long as it is let.
// Lengths are millimetres, angles degrees anticlockwise; the bed's lower left is 0, 0.
package plate

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"sakuji/core/solid"
)

// Bed is the room a machine has.
type Bed struct {
	WidthMM, DepthMM, HeightMM float64
	MarginMM                   float64   // kept free along every edge
	KeepOut                    []KeepOut // and these places, for clips or a bent corner
}

// KeepOut is a box of the bed where nothing may lie.
type KeepOut struct {
	XMM, YMM, WidthMM, DepthMM float64
}

// outline is the place as something that lies there.
func (k KeepOut) outline() solid.Outline {
	return solid.Outline{{{X: 0, Y: 0}, {X: k.WidthMM, Y: 0}, {X: k.WidthMM, Y: k.DepthMM}, {X: 0, Y: k.DepthMM}}}
}

// Part is one thing to lay down.
type Part struct {
	ID       string
	Outline  solid.Outline // its shadow as it stands
	HeightMM float64       // all it takes upward, raft and stand included
	SkirtMM  float64       // how far a raft or brim reaches beyond its shadow
	Minutes  float64       // what it adds to a run whose hours add up
	Apart    string        // parts with the same word never share a plate; empty: it may lie with any
	Spread   string        // parts with the same word are not all put at one risk where there are several plates; empty: it does not matter
	DueMin   float64       // minutes from now by which its run should have ended; 0: whenever
}

// Placed says where a part lies: its outline is turned by the angle, then the lower left of the
// turned outline's box is moved to (XMM, YMM).
type Placed struct {
	ID       string
	XMM, YMM float64
	AngleDeg float64
}

// Laid is a part that lies on the bed already.
type Laid struct {
	Part
	Placed
}

// On is its outline where it lies on the bed.
func (l Laid) On() solid.Outline {
	return l.Part.Outline.Rotated(l.AngleDeg).Each(func(p solid.Point) solid.Point { return solid.Point{X: p.X + l.XMM, Y: p.Y + l.YMM} })
}

// Left is a part that was not laid down, and why.
type Left struct {
	ID     string
	Reason string
	Never  bool // it would not fit on an empty bed either
}

// Fill lays down as many parts as it can around those that lie there already, in steps of a turn,
// largest first, each at the place that reaches least far from the front of the bed, then from its
// left.
func Fill(bed Bed, spacingMM, stepDeg float64, there []Laid, parts []Part) (placed []Placed, left []Left) {
	j := Job{Bed: bed, SpacingMM: spacingMM, StepDeg: stepDeg, Parts: parts}
	return j.around(newLayer(bed, spacingMM, stepDeg, parts), there, bySize(parts))
}

// Fill lays the job's parts on one plate around what lies there: of several orders, what is due
// first and the largest first among them, the one is taken that covers most.
func (j Job) Fill(there []Laid) (placed []Placed, left []Left) {
	l := newLayer(j.Bed, j.SpacingMM, j.StepDeg, j.Parts)
	order := bySize(j.Parts)
	sooner := slices.Clone(order)
	slices.SortStableFunc(sooner, func(a, b int) int { return cmp.Compare(due(j.Parts[a]), due(j.Parts[b])) })
	most := -1.0
	for try := range fillTries {
		switch {
		case try == 1:
			sooner = order
		case try > 1 && j.Die == nil:
			return placed, left
		case try > 1:
			sooner = slices.Clone(order)
			for range 1 + len(order)/8 {
				a, b := j.Die.IntN(len(order)), j.Die.IntN(len(order))
				sooner[a], sooner[b] = sooner[b], sooner[a]
			}
		}
		on, off := j.around(l, there, sooner)
		area := 0.0
		for _, at := range on {
			area += j.Parts[slices.IndexFunc(j.Parts, func(p Part) bool { return p.ID == at.ID })].Outline.AreaMM2()
		}
		if area > most+tiny {
			placed, left, most = on, off, area
		}
		if len(off) == 0 {
			break
		}
	}
	return placed, left
}

// Gap is what is left of a bed around what lies there: one part after another can be tried in it.
type Gap struct {
	l *layer
	f *field
}

// NewGap prepares a bed.
func NewGap(bed Bed, spacingMM, stepDeg float64, there []Laid) Gap {
	parts := make([]Part, len(there))
	for i, t := range there {
		parts[i] = t.Part
	}
	g := Gap{l: newLayer(bed, spacingMM, stepDeg, parts)}
	g.f = g.l.emptyField()
	for _, t := range there {
		g.f.takeAt(g.l, t)
	}
	return g
}

// Try finds a place for a part and takes nothing; why says why there is none.
func (g Gap) Try(p Part) (at Placed, why string) {
	if why := Fits(g.l.bed, p, g.l.stepDeg); why != "" {
		return at, why
	}
	b, x, band := g.f.find(g.l, p, g.l.turns())
	if b == nil {
		return at, "no room left on this plate"
	}
	return g.l.placed(p, b, x, band), ""
}

// fillTries is how many orders are tried to fill one plate.
const fillTries = 10

// around lays parts in an order around what lies there.
func (j Job) around(l *layer, there []Laid, order []int) (placed []Placed, left []Left) {
	f := l.emptyField()
	var on []Part
	for _, t := range there {
		f.takeAt(l, t)
		on = append(on, t.Part)
	}
	for _, k := range order {
		p := j.Parts[k]
		if why := Fits(j.Bed, p, j.StepDeg); why != "" {
			left = append(left, Left{p.ID, why, true})
			continue
		}
		if j.MostMin > 0 && j.RunMin != nil && len(on) > 0 && j.RunMin(append(on, p)) > j.MostMin {
			left = append(left, Left{ID: p.ID, Reason: "the run would take longer than may be lost at once"})
			continue
		}
		if p.Apart != "" && slices.ContainsFunc(on, func(o Part) bool { return o.Apart == p.Apart }) {
			left = append(left, Left{ID: p.ID, Reason: "its other half lies there, and both must not be lost at once"})
			continue
		}
		at, ok := f.lay(l, p, l.turns())
		if !ok {
			left = append(left, Left{ID: p.ID, Reason: "no room left on this plate"})
			continue
		}
		placed, on = append(placed, at), append(on, p)
	}
	return placed, left
}

// Fits says why a part could never lie on the bed, or nothing.
func Fits(bed Bed, p Part, stepDeg float64) string {
	fw, fd := bed.WidthMM-2*bed.MarginMM-2*p.SkirtMM, bed.DepthMM-2*bed.MarginMM-2*p.SkirtMM
	switch {
	case len(p.Outline) == 0:
		return "it has no outline"
	case p.HeightMM > bed.HeightMM:
		return fmt.Sprintf("%.0f mm tall with its stand, the machine builds %.0f mm", p.HeightMM, bed.HeightMM)
	}
	for _, deg := range turns(stepDeg) {
		low, high := p.Outline.Rotated(deg).Size()
		if high.X-low.X <= fw+tiny && high.Y-low.Y <= fd+tiny {
			return ""
		}
	}
	low, high := p.Outline.Size()
	return fmt.Sprintf("%.0f × %.0f mm on the plate, the bed has %.0f × %.0f mm inside its margin", high.X-low.X, high.Y-low.Y, fw, fd)
}

// tiny is a length that does not count.
const tiny = 1e-9

// turns are the angles that steps of a turn come to, quarters first; 0 leaves parts as they stand.
func turns(stepDeg float64) []float64 {
	if !(stepDeg > 0) {
		return []float64{0}
	}
	quarters, others := []float64{}, []float64{}
	for k := 0; float64(k)*stepDeg < 360-1e-6 && k < mostTurns; k++ {
		deg := float64(k) * stepDeg
		if math.Mod(deg, 90) == 0 {
			quarters = append(quarters, deg)
		} else {
			others = append(others, deg)
		}
	}
	return append(quarters, others...)
}

// mostTurns bounds how finely parts are turned.
const mostTurns = 360
