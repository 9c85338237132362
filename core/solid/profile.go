// Package solid is a mesh seen as something to print: its slices, the room under
// its overhangs, its outline on the plate. It never decides; it measures what a
// decision needs. All lengths are millimetres of the mesh as it stands, z up.
package solid

import (
	"math"
	"slices"
	"strconv"

	"sakuji/core/mesh"
)

// Slice is what one horizontal cut shows.
type Slice struct {
	AreaMM2     float64   `json:"a"`
	PerimeterMM float64   `json:"p"`
	UpMM2       []float64 `json:"u,omitempty"` // of the surface in its slab that looks up, seen from above, by OpenSlopes
	DownMM2     []float64 `json:"d,omitempty"` // of that which looks down
}

// OpenSlopes are the rises, of a millimetre to the side, by which open surface is told
// apart: entry i holds what is flatter than OpenSlopes[i] and no flatter than the one before.
// What is steeper than the last is wall.
var OpenSlopes = []float64{0.03, 0.1, 0.2, 0.35, 0.55, 0.8, 1.2, 2}

// Profile is a part's slices at evenly spaced heights, slice i in the middle of
// the i-th of equal slabs from the lowest point to the highest.
type Profile struct {
	HeightMM float64 `json:"h"`
	Slices   []Slice `json:"s"`
}

// ProfileOf cuts the mesh n times. The area is the sum of signed areas under the
// cut segments, so holes and cavities count as such; on a mesh with open edges it
// is off by what is missing.
func ProfileOf(m *mesh.Mesh, n int) Profile {
	height := m.Box.Size().Z
	p := Profile{HeightMM: height, Slices: make([]Slice, n)}
	if height <= 0 {
		return p
	}
	slab, low, mid := height/float64(n), m.Box.Min.Z, m.Box.Centre()
	for _, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]].Sub(mid), m.Vertices[t[1]].Sub(mid), m.Vertices[t[2]].Sub(mid)
		bottom, top := min(a.Z, b.Z, c.Z)+mid.Z-low, max(a.Z, b.Z, c.Z)+mid.Z-low
		normal := b.Sub(a).Cross(c.Sub(a))
		for i := max(0, int(math.Ceil(bottom/slab-0.5))); i < n; i++ {
			z := (float64(i) + 0.5) * slab
			if z > top {
				break
			}
			p1, p2, ok := cut(a, b, c, z+low-mid.Z)
			if !ok {
				continue
			}
			dx, dy := p2.X-p1.X, p2.Y-p1.Y
			signed := (p1.X*p2.Y - p2.X*p1.Y) / 2
			if dx*-normal.Y+dy*normal.X < 0 { // solid lies left of the segment
				signed = -signed
			}
			p.Slices[i].AreaMM2 += signed
			p.Slices[i].PerimeterMM += math.Hypot(dx, dy)
		}
	}
	for i := range p.Slices {
		p.Slices[i].AreaMM2 = math.Abs(p.Slices[i].AreaMM2)
	}
	p.open(m)
	return p
}

// open notes where the surface looks up and down, and how steep it is there.
func (p *Profile) open(m *mesh.Mesh) {
	n, low := len(p.Slices), m.Box.Min.Z
	slab := p.HeightMM / float64(n)
	for _, t := range m.Triangles {
		a, b, c := m.Vertices[t[0]], m.Vertices[t[1]], m.Vertices[t[2]]
		normal := b.Sub(a).Cross(c.Sub(a))
		seen := math.Abs(normal.Z)
		slope := slices.IndexFunc(OpenSlopes, func(most float64) bool { return math.Hypot(normal.X, normal.Y) < most*seen })
		if slope < 0 {
			continue
		}
		z := [3]float64{a.Z - low, b.Z - low, c.Z - low}
		slices.Sort(z[:])
		first, last := min(n-1, int(z[0]/slab)), min(n-1, int(z[2]/slab))
		before := 0.0
		for i := first; i <= last; i++ {
			share := 1.0
			if i < last {
				share = shareBelow(z, float64(i+1)*slab)
			}
			list := &p.Slices[i].UpMM2
			if normal.Z < 0 {
				list = &p.Slices[i].DownMM2
			}
			if *list == nil {
				*list = make([]float64, len(OpenSlopes))
			}
			(*list)[slope] += seen / 2 * (share - before)
			before = share
		}
	}
	for i := range p.Slices {
		for _, list := range [][]float64{p.Slices[i].UpMM2, p.Slices[i].DownMM2} {
			for k, v := range list { // four figures are enough to keep
				list[k], _ = strconv.ParseFloat(strconv.FormatFloat(v, 'g', 4, 64), 64)
			}
		}
	}
}

// shareBelow is how much of a triangle with corners at these heights, the lowest first, lies
// under a height between the first and the last.
func shareBelow(z [3]float64, h float64) float64 {
	switch {
	case h <= z[0]:
		return 0
	case h >= z[2]:
		return 1
	case h < z[1]:
		return (h - z[0]) * (h - z[0]) / (z[1] - z[0]) / (z[2] - z[0])
	}
	return 1 - (z[2]-h)*(z[2]-h)/(z[2]-z[1])/(z[2]-z[0])
}

// cut returns the segment in which a triangle meets the plane at z. A corner on
// the plane counts as above it, so that two triangles never share a point.
func cut(a, b, c mesh.Vec, z float64) (p, q mesh.Vec, ok bool) {
	var ends [2]mesh.Vec
	n := 0
	for _, e := range [3][2]mesh.Vec{{a, b}, {b, c}, {c, a}} {
		if (e[0].Z < z) == (e[1].Z < z) {
			continue
		}
		t := (z - e[0].Z) / (e[1].Z - e[0].Z)
		ends[n] = e[0].Add(e[1].Sub(e[0]).Mul(t))
		n++
	}
	return ends[0], ends[1], n == 2
}

// At returns the area and the perimeter at a height between 0 and HeightMM, interpolated.
func (p Profile) At(zMM float64) Slice {
	n := len(p.Slices)
	if n == 0 || p.HeightMM <= 0 {
		return Slice{}
	}
	f := zMM/p.HeightMM*float64(n) - 0.5
	i := max(0, min(n-1, int(math.Floor(f))))
	k := min(n-1, i+1)
	w := max(0, min(1, f-float64(i)))
	a, b := p.Slices[i], p.Slices[k]
	return Slice{AreaMM2: a.AreaMM2*(1-w) + b.AreaMM2*w, PerimeterMM: a.PerimeterMM*(1-w) + b.PerimeterMM*w}
}

// Scaled returns the profile of the part at k times its size.
func (p Profile) Scaled(k float64) Profile {
	out := Profile{HeightMM: p.HeightMM * k, Slices: make([]Slice, len(p.Slices))}
	for i, s := range p.Slices {
		out.Slices[i] = Slice{s.AreaMM2 * k * k, s.PerimeterMM * k, times(s.UpMM2, k*k), times(s.DownMM2, k*k)}
	}
	return out
}

func times(list []float64, by float64) []float64 {
	if list == nil || by == 1 {
		return list
	}
	out := make([]float64, len(list))
	for i, v := range list {
		out[i] = v * by
	}
	return out
}

// KnowsOpen reports whether it is known where the surface looks up and down: profiles that
// were kept long ago do not say.
func (p Profile) KnowsOpen() bool {
	return slices.ContainsFunc(p.Slices, func(s Slice) bool { return s.UpMM2 != nil })
}

// VolumeMM3 integrates the slices.
func (p Profile) VolumeMM3() float64 {
	var sum float64
	for _, s := range p.Slices {
		sum += s.AreaMM2
	}
	return sum * p.HeightMM / float64(max(1, len(p.Slices)))
}
