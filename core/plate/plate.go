// Package plate lays parts on a build plate by their outlines. It fills a raster
// of the bed, so parts nest into each other's hollows; it turns them by quarters.
// It never lets two parts come nearer than the spacing asked for, nor any leave
// the bed inside its margin. Lengths are millimetres, the bed's lower left is 0, 0.
package plate

import (
	"fmt"
	"math"
	"math/bits"
	"slices"

	"sakuji/core/solid"
)

// Bed is the room a machine has.
type Bed struct {
	WidthMM, DepthMM, HeightMM float64
	MarginMM                   float64 // kept free along every edge
}

// Part is one thing to lay down.
type Part struct {
	ID       string
	Outline  solid.Outline
	HeightMM float64 // all it takes upward, raft and stand included
}

// Placed says where a part lies: its outline is turned anticlockwise by quarters,
// then the lower left of its box is moved to (XMM, YMM).
type Placed struct {
	ID       string
	XMM, YMM float64
	Quarters int
}

// Left is a part that was not laid down, and why.
type Left struct {
	ID     string
	Reason string
	Never  bool // it would not fit on an empty bed either
}

// CellMM is the grain of the raster.
const CellMM = 1.0

// Fill lays down as many parts as it can around those that lie there already,
// largest first, each at the place that reaches least far from the front of the
// bed, then from its left.
func Fill(bed Bed, spacingMM float64, there []Laid, parts []Part) (placed []Placed, left []Left) {
	r := newRaster(bed)
	for _, l := range there {
		r.take(maskOf(l.Outline.Turned(l.Quarters)), cells(l.XMM-bed.MarginMM), cells(l.YMM-bed.MarginMM), spacingMM)
	}
	order := slices.Clone(parts)
	slices.SortStableFunc(order, func(a, b Part) int {
		switch da, db := a.Outline.AreaMM2(), b.Outline.AreaMM2(); {
		case da > db:
			return -1
		case da < db:
			return 1
		}
		return 0
	})
	for _, p := range order {
		if why := tooBig(bed, p); why != "" {
			left = append(left, Left{p.ID, why, true})
			continue
		}
		at, ok := r.best(p, spacingMM)
		if !ok {
			left = append(left, Left{ID: p.ID, Reason: "no room left on this plate"})
			continue
		}
		at.XMM += bed.MarginMM
		at.YMM += bed.MarginMM
		placed = append(placed, at)
	}
	return placed, left
}

// Laid is a part that lies on the bed already.
type Laid struct {
	Part
	Placed
}

func cells(mm float64) int { return int(math.Round(mm / CellMM)) }

// Fits says why a part could never lie on the bed, or nothing.
func Fits(bed Bed, p Part) string { return tooBig(bed, p) }

func tooBig(bed Bed, p Part) string {
	low, high := p.Outline.Size()
	w, d := high.X-low.X, high.Y-low.Y
	fw, fd := bed.WidthMM-2*bed.MarginMM, bed.DepthMM-2*bed.MarginMM
	switch {
	case len(p.Outline) == 0:
		return "it has no outline"
	case p.HeightMM > bed.HeightMM:
		return fmt.Sprintf("%.0f mm tall with its stand, the machine builds %.0f mm", p.HeightMM, bed.HeightMM)
	case !(w <= fw && d <= fd || d <= fw && w <= fd):
		return fmt.Sprintf("%.0f × %.0f mm on the plate, the bed has %.0f × %.0f mm inside its margin", w, d, fw, fd)
	}
	return ""
}

// raster is the free bed in cells, a row of bits per row of cells.
type raster struct {
	w, h, words int
	bits        []uint64
}

func newRaster(bed Bed) *raster {
	w := int((bed.WidthMM - 2*bed.MarginMM) / CellMM)
	h := int((bed.DepthMM - 2*bed.MarginMM) / CellMM)
	words := max(0, w+63)/64 + 1
	return &raster{w: w, h: h, words: words, bits: make([]uint64, max(0, h)*words)}
}

// best finds the place for a part.
func (r *raster) best(p Part, spacingMM float64) (at Placed, ok bool) {
	var chosen *mask
	top, right := math.MaxInt, math.MaxInt
	var cx, cy int
	for q := range 4 {
		m := maskOf(p.Outline.Turned(q))
		x, y, found := r.lowest(m, top)
		if found && (y+m.h < top || y+m.h == top && x+m.w < right) {
			chosen, cx, cy, top, right = m, x, y, y+m.h, x+m.w
			at, ok = Placed{p.ID, float64(x) * CellMM, float64(y) * CellMM, q}, true
		}
	}
	if ok {
		r.take(chosen, cx, cy, spacingMM)
	}
	return at, ok
}

// lowest scans from the front for the first free place that ends at or below top.
func (r *raster) lowest(m *mask, top int) (x, y int, ok bool) {
	for y := 0; y+m.h <= min(r.h, top); y++ {
		for x := 0; x+m.w <= r.w; {
			skip := r.clash(m, x, y)
			if skip == 0 {
				return x, y, true
			}
			x += skip
		}
	}
	return 0, 0, false
}

// clash returns 0 where the mask is free, else how far to move right at least.
func (r *raster) clash(m *mask, x, y int) int {
	word, shift := x/64, uint(x%64)
	for row := range m.h {
		line := r.bits[(y+row)*r.words+word : (y+row+1)*r.words]
		for k, bitsOf := range m.row(row) {
			hit := line[k] & (bitsOf << shift)
			if shift > 0 && k+1 < len(line) {
				hit |= line[k+1] & (bitsOf >> (64 - shift))
			}
			if hit != 0 {
				return 1
			}
		}
	}
	return 0
}

// take marks the mask and everything within the spacing of it as full.
func (r *raster) take(m *mask, x, y int, spacingMM float64) {
	// A cell is too near when its nearest corner is: wide[dy] is how far that reaches.
	reach := int(math.Ceil(spacingMM/CellMM)) + 1
	wide := make([]int, reach+1)
	for dy := range wide {
		for dx := 0; dx <= reach; dx++ {
			if math.Hypot(float64(max(0, dx-1)), float64(max(0, dy-1)))*CellMM < spacingMM {
				wide[dy] = dx
			}
		}
	}
	for row := range m.h {
		for word, b := range m.row(row) {
			for ; b != 0; b &= b - 1 {
				cx, cy := x+word*64+bits.TrailingZeros64(b), y+row
				for dy := -reach; dy <= reach; dy++ {
					w := wide[max(dy, -dy)]
					r.span(cx-w, cx+w, cy+dy)
				}
			}
		}
	}
}

// span fills a run of cells as far as it lies on the bed.
func (r *raster) span(from, to, y int) {
	if y < 0 || y >= r.h {
		return
	}
	for x := max(0, from); x <= min(r.w-1, to); x++ {
		r.bits[y*r.words+x/64] |= 1 << uint(x%64)
	}
}

// mask is the cells that an outline touches, its lower left at 0, 0.
type mask struct {
	w, h, words int
	bits        []uint64
}

func (m *mask) row(y int) []uint64 { return m.bits[y*m.words : (y+1)*m.words] }

// maskOf fills every cell that the outline touches: the inside by the middle of
// each row, and all cells along the rings.
func maskOf(o solid.Outline) *mask {
	_, high := o.Size()
	m := &mask{w: max(1, int(math.Ceil(high.X/CellMM-1e-9))), h: max(1, int(math.Ceil(high.Y/CellMM-1e-9)))}
	m.words = (m.w + 63) / 64
	m.bits = make([]uint64, m.h*m.words)
	set := func(x, y int) {
		if x >= 0 && y >= 0 && x < m.w && y < m.h {
			m.bits[y*m.words+x/64] |= 1 << uint(x%64)
		}
	}
	for _, ring := range o {
		for y := range m.h {
			mid := (float64(y) + 0.5) * CellMM
			var xs []float64
			for i, p := range ring {
				q := ring[(i+1)%len(ring)]
				if (p.Y <= mid) != (q.Y <= mid) {
					xs = append(xs, p.X+(q.X-p.X)*(mid-p.Y)/(q.Y-p.Y))
				}
			}
			slices.Sort(xs)
			for k := 0; k+1 < len(xs); k += 2 {
				for x := int(xs[k] / CellMM); float64(x)*CellMM <= xs[k+1]; x++ {
					set(x, y)
				}
			}
		}
		for i, p := range ring {
			m.edge(p, ring[(i+1)%len(ring)], set)
		}
	}
	return m
}

// edge sets every cell that the line from p to q touches, row by row.
func (m *mask) edge(p, q solid.Point, set func(x, y int)) {
	if p.Y > q.Y {
		p, q = q, p
	}
	for y := int(p.Y / CellMM); y < m.h && float64(y)*CellMM <= q.Y; y++ {
		at := func(line float64) float64 {
			if line <= p.Y || q.Y == p.Y {
				return p.X
			}
			if line >= q.Y {
				return q.X
			}
			return p.X + (q.X-p.X)*(line-p.Y)/(q.Y-p.Y)
		}
		from, to := at(float64(y)*CellMM), at(float64(y+1)*CellMM)
		if q.Y == p.Y {
			from, to = p.X, q.X
		}
		from, to = min(from, to), max(from, to)
		for x := int(from / CellMM); float64(x)*CellMM <= to; x++ {
			set(x, y)
		}
	}
}
