package plate

import (
	"cmp"
	"encoding/binary"
	"hash/fnv"
	"maps"
	"math"
	"slices"

	"sakuji/core/solid"
)

// A plan is cut into bands of equal depth. Of each band an outline keeps the stretches of x that
// it touches, as real numbers: along x parts are laid exactly, along y to the grain of the bands,
// and always so that the spacing holds.

// span is a stretch of x.
type span struct{ from, to float64 }

// bands is an outline at an angle, cut.
type bands struct {
	deg    float64
	w, h   float64 // of its box, skirt included
	skirt  float64 // from that box to the outline's own
	rows   [][]span
	near   [][]span // rows, and all that lies nearer to them than the spacing; the first is band −reach. nil: not worked out yet
	reach  int
	stride int // in which the rows are gone through, so that far ones are met early: it has no factor in common with their number
}

// layer is a bed that is cut into bands, with the outlines that were.
type layer struct {
	bed     Bed
	w, d    float64 // inside the margin
	grainMM float64
	spacing float64
	stepDeg float64
	count   int // of bands
	cuts    map[cutKey]*bands
	shapes  map[*solid.Point]uint64 // hash of an outline by its first point, that it is not told twice
}

type cutKey struct {
	shape uint64
	deg   float64
	skirt float64
}

// A bed has so many bands, but none finer or coarser than these, in millimetres: finer ones fill
// better and take longer.
const (
	bandsWanted = 400
	finestMM    = 0.2
	coarsestMM  = 1.0
)

// newLayer cuts a bed for these parts: of grains near the wanted one that is taken at which their
// depths and the spacing waste least by being rounded up to whole bands.
func newLayer(bed Bed, spacingMM, stepDeg float64, parts []Part) *layer {
	l := &layer{bed: bed, w: bed.WidthMM - 2*bed.MarginMM, d: bed.DepthMM - 2*bed.MarginMM, spacing: max(0, spacingMM), stepDeg: stepDeg,
		cuts: map[cutKey]*bands{}, shapes: map[*solid.Point]uint64{}}
	l.grainMM = l.grainFor(parts, max(finestMM, min(coarsestMM, l.d/bandsWanted)))
	l.count = max(0, int(l.d/l.grainMM+1e-7))
	return l
}

// grainFor is the grain near the wanted one that suits the parts as they stand and by a quarter.
func (l *layer) grainFor(parts []Part, wanted float64) float64 {
	depths := map[float64]float64{} // how many parts are so deep
	seen := map[uint64][2]float64{}
	for _, p := range parts {
		key := l.shape(p.Outline)
		if _, known := seen[key]; !known {
			low, high := p.Outline.Size()
			seen[key] = [2]float64{high.X - low.X, high.Y - low.Y}
		}
		for _, d := range seen[key] {
			if len(depths) < mostDepths || depths[d] > 0 {
				depths[d+2*p.SkirtMM]++
			}
		}
	}
	up := func(mm, grain float64) float64 { return math.Ceil(mm/grain-1e-7)*grain - mm }
	best, least := wanted, math.Inf(1)
	try := func(grain float64) {
		waste := 0.0
		for d, n := range depths {
			waste += n * (up(d, grain) + up(l.spacing, grain))
		}
		if waste < least-tiny || waste < least+tiny && grain > best {
			best, least = grain, waste
		}
	}
	for k := range 41 {
		try(wanted * (0.8 + 0.01*float64(k)))
	}
	for _, mm := range append(slices.Sorted(maps.Keys(depths)), l.spacing) {
		for n := math.Ceil(mm / wanted / 1.2); n > 0 && n <= mm/wanted/0.8; n++ {
			try(mm / n)
		}
	}
	return best
}

// mostDepths bounds how many depths the grain is fitted to.
const mostDepths = 16

// turns are the angles the layer tries.
func (l *layer) turns() []float64 { return turns(l.stepDeg) }

// shape tells outlines apart by what they are, so that copies are cut once.
func (l *layer) shape(o solid.Outline) uint64 {
	if len(o) == 0 || len(o[0]) == 0 {
		return 0
	}
	key, known := l.shapes[&o[0][0]]
	if !known {
		h := fnv.New64a()
		for _, ring := range o {
			binary.Write(h, binary.LittleEndian, int64(len(ring)))
			binary.Write(h, binary.LittleEndian, ring)
		}
		key = h.Sum64()
		l.shapes[&o[0][0]] = key
	}
	return key
}

// cut returns a part's bands at an angle.
func (l *layer) cut(p Part, deg float64) *bands {
	key := cutKey{l.shape(p.Outline), deg, p.SkirtMM}
	b, known := l.cuts[key]
	if !known {
		b = l.cutOutline(p.Outline.Rotated(deg), deg, p.SkirtMM)
		l.cuts[key] = b
	}
	return b
}

// cutOutline cuts an outline whose lower left is the origin.
func (l *layer) cutOutline(o solid.Outline, deg, skirt float64) *bands {
	_, high := o.Size()
	b := &bands{deg: deg, w: high.X + 2*skirt, h: high.Y + 2*skirt, skirt: skirt}
	b.rows = touched(o.Each(func(p solid.Point) solid.Point { return solid.Point{X: p.X + skirt, Y: p.Y + skirt} }), l.grainMM, max(1, int(math.Ceil(b.h/l.grainMM-1e-7))))
	if skirt > 0 {
		grown, reach := widened(b.rows, l.grainMM, skirt)
		b.rows = grown[reach : reach+len(b.rows)]
	}
	b.stride = strideFor(len(b.rows))
	return b
}

// strideFor is a step near a third of so many rows that meets all of them.
func strideFor(rows int) int {
	for step := rows/3 + 1; step > 1; step-- {
		a, b := rows, step
		for b > 0 {
			a, b = b, a%b
		}
		if a == 1 {
			return step
		}
	}
	return 1
}

// keptOff is what others keep off, worked out when the part is laid.
func (b *bands) keptOff(l *layer) (near [][]span, reach int) {
	if b.near == nil {
		b.near, b.reach = widened(b.rows, l.grainMM, l.spacing)
	}
	return b.near, b.reach
}

// touched finds what of every band an outline touches: the inside along the band's middle, and
// all of the rings in it. A point of the inside off the middle either is seen from the middle or
// has a ring between.
func touched(o solid.Outline, grain float64, count int) [][]span {
	rows, crossings := make([][]span, count), make([][]float64, count)
	for _, ring := range o {
		for i, p := range ring {
			q := ring[(i+1)%len(ring)]
			if p.Y > q.Y {
				p, q = q, p
			}
			first, last := max(0, int(p.Y/grain)), min(count-1, int(q.Y/grain))
			for y := first; y <= last; y++ {
				from, to := clipped(p, q, float64(y)*grain, float64(y+1)*grain)
				rows[y] = append(rows[y], span{min(from, to), max(from, to)})
				if mid := (float64(y) + 0.5) * grain; (p.Y <= mid) != (q.Y <= mid) {
					crossings[y] = append(crossings[y], p.X+(q.X-p.X)*(mid-p.Y)/(q.Y-p.Y))
				}
			}
		}
	}
	for y, xs := range crossings {
		slices.Sort(xs)
		for k := 0; k+1 < len(xs); k += 2 {
			rows[y] = append(rows[y], span{xs[k], xs[k+1]})
		}
		rows[y] = merged(rows[y])
	}
	return rows
}

// clipped is the x at which a line from p up to q enters and leaves a band.
func clipped(p, q solid.Point, low, high float64) (from, to float64) {
	from, to = p.X, q.X
	if p.Y < low {
		from = p.X + (q.X-p.X)*(low-p.Y)/(q.Y-p.Y)
	}
	if q.Y > high {
		to = p.X + (q.X-p.X)*(high-p.Y)/(q.Y-p.Y)
	}
	return from, to
}

// merged puts spans in order and joins those that meet.
func merged(list []span) []span {
	if len(list) < 2 {
		return list
	}
	slices.SortFunc(list, func(a, b span) int { return cmp.Compare(a.from, b.from) })
	out := list[:1]
	for _, s := range list[1:] {
		if last := &out[len(out)-1]; s.from <= last.to {
			last.to = max(last.to, s.to)
		} else {
			out = append(out, s)
		}
	}
	return out
}

// widened is all that lies nearer to the rows than so many millimetres; the first of its rows is
// reach bands lower than theirs.
func widened(rows [][]span, grain, by float64) (out [][]span, reach int) {
	if by <= 0 {
		return rows, 0
	}
	reach = int(math.Ceil(by/grain-1e-7)) + 1
	out = make([][]span, len(rows)+2*reach)
	for y := range out {
		var list []span
		for k := max(0, y-2*reach); k <= min(len(rows)-1, y); k++ {
			apart := float64(max(0, max(y-reach-k, k-y+reach)-1)) * grain
			if apart >= by {
				continue
			}
			wide := math.Sqrt(by*by - apart*apart)
			for _, s := range rows[k] {
				list = append(list, span{s.from - wide, s.to + wide})
			}
		}
		out[y] = merged(list)
	}
	return out, reach
}
