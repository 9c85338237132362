package solid

import (
	"cmp"
	"context"
	"errors"
	"math"
	"slices"

	"sakuji/core/mesh"
)

// Cuts are planes across one axis that take a part into pieces.
type Cuts struct {
	Axis       mesh.Vec    `json:"axis"`
	LowMM      float64     `json:"low_mm"`      // where the part begins along the axis
	At         []float64   `json:"at"`          // along the axis, as the file stands: n·p = at
	SectionMM2 []float64   `json:"section_mm2"` // of each
	Volumes    []float64   `json:"volumes_mm3"` // of the pieces
	SizesMM    [][]float64 `json:"-"`
	Fits       bool        `json:"fits"` // every piece fits the bed
}

const (
	cutSlices = 240
	cutUneven = 3  // times as dear is a cut that is off by the volume of a piece. Source: from memory
	cutSlack  = 34 // slices that a cut may give way to find a thin place, a seventh of the length. Source: from memory
)

// SuggestCuts looks for places to cut a part into so many pieces, across each of its
// three axes: near equal volumes, so that each run is at equal risk, but where the section
// is least, for there the seam is shortest and lies in a waist. bed is the usable room of a
// machine, width, depth, height; all zero for none. Those whose pieces fit come first, then those
// with the least section in all. It stops between two axes when the context ends.
func SuggestCuts(ctx context.Context, m *mesh.Mesh, pieces int, bed [3]float64) ([]Cuts, error) {
	var out []Cuts
	for _, axis := range []mesh.Vec{{Z: 1}, {X: 1}, {Y: 1}} {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if c, ok := cutsAcross(m, axis, pieces, bed); ok {
			out = append(out, c)
		}
	}
	slices.SortStableFunc(out, func(a, b Cuts) int {
		if a.Fits != b.Fits {
			if a.Fits {
				return -1
			}
			return 1
		}
		return cmp.Compare(sum(a.SectionMM2), sum(b.SectionMM2))
	})
	return out, nil
}

func sum(list []float64) (s float64) {
	for _, x := range list {
		s += x
	}
	return s
}

func cutsAcross(m *mesh.Mesh, axis mesh.Vec, pieces int, bed [3]float64) (c Cuts, ok bool) {
	turned := Turned(m, Turn(axis.Mul(-1)))
	p := ProfileOf(turned, cutSlices)
	low, slab := turned.Box.Min.Z, p.HeightMM/cutSlices
	total := p.VolumeMM3()
	if pieces < 2 || p.HeightMM <= 0 || total <= 0 {
		return c, false
	}
	c.Axis, c.LowMM = axis, low
	before := make([]float64, cutSlices+1) // volume under each slab's lower side
	for i, s := range p.Slices {
		before[i+1] = before[i] + s.AreaMM2*slab
	}
	last := 0
	for k := 1; k < pieces; k++ {
		want := total * float64(k) / float64(pieces)
		aim, _ := slices.BinarySearch(before, want)
		best, least := -1, math.Inf(1)
		for i := max(last+3, aim-cutSlack); i <= min(cutSlices-3, aim+cutSlack); i++ {
			if a := p.Slices[i].AreaMM2; a > 0 {
				// Dearer the further from equal volumes: what is uneven is at uneven risk.
				off := math.Abs(before[i]-want) / (total / float64(pieces))
				if cost := a * (1 + math.Abs(float64(i-aim))/float64(2*cutSlack)) * (1 + cutUneven*off*off); cost < least {
					best, least = i, cost
				}
			}
		}
		if best < 0 {
			return c, false
		}
		c.At = append(c.At, low+(float64(best)+0.5)*slab)
		c.SectionMM2 = append(c.SectionMM2, p.Slices[best].AreaMM2)
		c.Volumes = append(c.Volumes, before[best]+p.Slices[best].AreaMM2*slab/2-sum(c.Volumes))
		last = best
	}
	c.Volumes = append(c.Volumes, total-sum(c.Volumes))
	c.Fits = true
	size := turned.Box.Size()
	ends := append(append([]float64{low}, c.At...), turned.Box.Max.Z)
	for i := range pieces {
		piece := []float64{size.X, size.Y, ends[i+1] - ends[i]}
		c.SizesMM = append(c.SizesMM, piece)
		c.Fits = c.Fits && (bed == [3]float64{} || fitsAnyhow(piece, bed))
	}
	return c, true
}

// fitsAnyhow reports whether a box fits a bed some way round.
func fitsAnyhow(box []float64, bed [3]float64) bool {
	a, b := slices.Sorted(slices.Values(box)), slices.Sorted(slices.Values(bed[:]))
	return a[0] <= b[0] && a[1] <= b[1] && a[2] <= b[2]
}

// SplitAll cuts a part along all planes across an axis, from below; each seam gets the
// pegs where its section has room for them, and none where not.
func SplitAll(m *mesh.Mesh, axis mesh.Vec, at []float64, pegs Pegs) (pieces []*mesh.Soup, dowels []*mesh.Mesh, err error) {
	rest := m
	for _, d := range slices.Sorted(slices.Values(at)) {
		fewer := pegs
		c, err := Split(rest, axis, d, fewer)
		for errors.Is(err, ErrNoRoom) && fewer.Count > 0 {
			fewer.Count--
			c, err = Split(rest, axis, d, fewer)
		}
		if err != nil {
			return nil, nil, err
		}
		for _, s := range c.Sockets {
			dowels = append(dowels, pegs.Dowel(s.DepthMM))
		}
		pieces = append(pieces, c.Halves[1])
		rest = c.Halves[0].Weld()
	}
	return append(pieces, rest.Soup("stl")), dowels, nil
}
